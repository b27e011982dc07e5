"""The page and the running day stay on the device: without a link, with a server that dies, under the name of a van."""

import base64
import hashlib

import pytest
from cryptography import x509
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat
from playwright.sync_api import expect

from quarry.apps.day.models import DayEvent
from quarry.project.certificate import ensure_certificate
from tests.browser.conftest import ARGS, Server, Site, tap, window
from tests.factories import PASSWORD, make_job, make_today

pytestmark = pytest.mark.browser
VAN = "van.quarry.example"


@pytest.fixture
def day(crew):
    """A day that opened ten minutes ago."""
    return make_today(crew["lead"], crew["fleet"], [make_job(crew["lead"], crew["fleet"])], ago_min=10)


@pytest.fixture
def own(transactional_db):
    """A server of this test alone."""
    made = Server(8_680)
    yield made
    made.stop()


def begin(site, day):
    """Open the running day and wait until the page is kept on the device."""
    site.sign_in_at_the_door("lena", PASSWORD)
    site.go(f"/days/{day.pk}/live")
    site.page.get_by_role("button", name="Begin the day").click()
    expect(site.page.get_by_test_id("answer")).to_be_visible()
    # The policy of the page lets no text be run as a script, as waiting for a function would.
    for k in range(1, 401):
        if site.page.evaluate("navigator.serviceWorker.controller !== null"):
            return
        site.page.wait_for_timeout(100)
        if k == 200:  # one part that did not come in time ends the keeping; it is begun again with the page
            site.page.reload()
            expect(site.page.get_by_test_id("answer")).to_be_visible()
    raise AssertionError("the page is not kept on the device")


def test_a_killed_server_loses_nothing_and_a_reload_without_it_still_shows_the_day(chromium, crew, day, own):
    context = window(chromium, service_workers="allow", viewport={"width": 820, "height": 1180})
    site = Site(context.new_page(), own.address)
    page, strip = site.page, site.page.get_by_test_id("strip")
    begin(site, day)
    tap(page, page.get_by_role("button", name="No power"))
    expect(page.get_by_role("button", name="Power is back")).to_be_visible()
    expect(strip).to_contain_text("0 to send")  # the screen says it at once, the server has it a moment later
    own.kill()
    tap(page, page.get_by_role("button", name="Power is back"))
    expect(strip).to_contain_text("1 kept here")
    page.reload()
    expect(strip).to_contain_text("1 kept here")
    expect(strip).to_contain_text("No link")
    expect(page.get_by_test_id("call").get_by_role("heading")).to_be_visible()
    tap(page, page.get_by_test_id("port").first)
    page.get_by_test_id("doings").get_by_role("button", name="Report fault").click()
    expect(strip).to_contain_text("2 kept here")

    # Nobody is signed out while taps wait that cannot be sent.
    page.get_by_role("button", name="North Crew").click()
    page.get_by_role("menuitem", name="Sign out").click()
    expect(page.get_by_role("alertdialog")).to_contain_text("2 taps are not sent yet")
    page.get_by_role("button", name="Stay signed in").click()

    own.start()
    expect(strip).to_contain_text("0 to send")
    kinds = list(DayEvent.objects.filter(day=day).order_by("at").values_list("kind", flat=True))
    assert kinds == ["power_out", "power_back", "port_dead"]
    page.get_by_role("button", name="North Crew").click()
    page.get_by_role("menuitem", name="Sign out").click()
    page.wait_for_url("**/sign-in")
    left = page.evaluate(
        """async () => {
          const db = await new Promise((r) => (indexedDB.open('gentle-quarry-live').onsuccess = (e) => r(e.target.result)));
          const count = (s) => new Promise((r) => (db.transaction(s).objectStore(s).count().onsuccess = (e) => r(e.target.result)));
          return [await count('taps'), await count('days'), localStorage.length];
        }"""
    )
    assert left == [0, 0, 0]
    site.settle()
    context.close()
    # What was on its way while the person signed out is refused.
    expected = ("ERR_CONNECTION", "ERR_INCOMPLETE", "ERR_EMPTY", "401 (Unauthorized)")
    assert not [f for f in site.faults if not any(words in f for words in expected)]


def test_the_script_that_keeps_the_page_is_never_kept_itself(chromium, own):
    context = window(chromium)
    answer = context.request.get(f"{own.address}/service-worker.js")
    assert (answer.status, answer.headers["cache-control"]) == (200, "no-cache")
    assert "worker-src 'self'" in answer.headers["content-security-policy"]
    context.close()


def test_a_tablet_reaches_the_van_by_its_name_in_a_secure_context(start_chromium, crew, day, tmp_path):
    tls = ensure_certificate(tmp_path, VAN)
    key = x509.load_pem_x509_certificate(tls.chain.read_bytes()).public_key()
    pin = base64.b64encode(hashlib.sha256(key.public_bytes(Encoding.DER, PublicFormat.SubjectPublicKeyInfo)).digest()).decode()
    server = Server(8_690, VAN, (tls.chain, tls.key))
    # The van's name leads to this machine, and its certificate alone is trusted, as on a tablet that it was copied to.
    rules = f"--host-resolver-rules=MAP {VAN} 127.0.0.1,MAP * ~NOTFOUND,EXCLUDE 127.0.0.1"
    trust = f"--ignore-certificate-errors-spki-list={pin}"
    browser = start_chromium([a for a in ARGS if "host-resolver" not in a] + [rules, trust])
    context = window(browser, service_workers="allow")
    site = Site(context.new_page(), server.address)
    begin(site, day)
    assert site.page.evaluate("[isSecureContext, location.hostname]") == [True, VAN]
    cookies = {c["name"]: c for c in context.cookies()}
    assert cookies["sessionid"]["secure"]
    assert cookies["sessionid"]["httpOnly"]
    context.set_offline(True)
    tap(site.page, site.page.get_by_role("button", name="No power"))
    site.page.reload()
    expect(site.page.get_by_test_id("strip")).to_contain_text("1 kept here")
    context.set_offline(False)
    expect(site.page.get_by_test_id("strip")).to_contain_text("0 to send")
    assert DayEvent.objects.filter(day=day, kind="power_out").count() == 1
    site.settle()
    browser.close()
    server.stop()
    assert not [f for f in site.faults if "ERR_INTERNET_DISCONNECTED" not in f]
