"""What the server would not take or was never sent: kept on the device, asked about before it is left, there again."""

import json

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import until
from tests.factories import make_job

pytestmark = pytest.mark.browser


def failing(page, path):
    """Let every save of this address fail as a server does that is just being started; returns the way back."""
    page.route(
        f"**{path}",
        lambda route: (
            route.fulfill(status=503, content_type="application/problem+json", body=json.dumps({"status": 503, "title": "busy"}))
            if route.request.method == "PUT"
            else route.continue_()
        ),
    )
    return lambda: page.unroute(f"**{path}")


def test_a_change_that_failed_is_asked_about_kept_and_sent_again(site, crew):
    page, job = site.page, make_job(crew["lead"], crew["fleet"])
    site.sign_in("lena")
    mend = failing(page, f"/api/jobs/{job.pk}")
    site.go(f"/jobs/{job.pk}")
    site.saved()
    page.get_by_role("button", name="Aircraft, wind").click()
    wind = page.get_by_label("Wind at flying height")
    wind.fill("7.5")
    wind.press("Enter")
    expect(page.get_by_test_id("save-state")).not_to_have_text("saved")
    page.wait_for_timeout(1500)

    # Leaving asks; who stays has lost nothing, who leaves finds it again.
    asked = []
    page.once("dialog", lambda d: (asked.append(d.message), d.dismiss()))
    page.get_by_role("link", name="Packs").first.click()
    until(page, lambda: asked, "nothing was asked")
    assert "not saved on the server" in asked[0]
    assert page.url.endswith(str(job.pk))
    page.once("dialog", lambda d: d.accept())
    page.get_by_role("link", name="Packs").first.click()
    page.wait_for_url("**/packs")

    mend()
    site.go(f"/jobs/{job.pk}")
    site.saved()
    job.refresh_from_db()
    assert 7.5 in job.wind.values()
    site.faults[:] = [f for f in site.faults if "503" not in f]


def test_what_was_typed_into_a_form_and_not_sent_stands_there_again(site, crew):
    page = site.page
    earlier = page.get_by_text("What you typed here earlier was not saved")
    site.sign_in("lena")
    site.go(f"/packs/{crew['fleet']['01'].pk}/test")
    page.get_by_role("button", name="Cell 1: empty").wait_for()
    page.keyboard.type("387385")
    expect(page.get_by_role("button", name="Cell 2: 3.85")).to_be_visible()
    page.reload()
    expect(page.get_by_role("button", name="Cell 2: 3.85")).to_be_visible()
    expect(earlier).to_be_visible()
    page.keyboard.type("391")
    expect(page.get_by_role("button", name="Cell 3: 3.91")).to_be_visible()
    page.get_by_role("button", name="Begin anew").click()
    expect(page.get_by_role("button", name="Cell 1: empty")).to_be_visible()
    expect(earlier).to_have_count(0)

    site.go("/fleet?of=packs")
    form = page.get_by_role("dialog")
    page.get_by_role("button", name="Add a pack").first.click()
    form.get_by_label("Name or number").fill("77")
    page.keyboard.press("Escape")
    expect(form).to_have_count(0)
    page.get_by_role("button", name="Add a pack").first.click()
    expect(form.get_by_label("Name or number")).to_have_value("77")
    expect(form.get_by_label("Name or number")).to_be_focused()
    expect(form.get_by_role("button", name="Begin anew")).to_be_visible()
    expect(earlier).to_be_visible()
    form.get_by_role("button", name="Cancel").click()
    page.get_by_role("button", name="Add a pack").first.click()
    expect(form.get_by_label("Name or number")).to_have_value("")
