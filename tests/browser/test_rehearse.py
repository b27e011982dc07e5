"""A whole rehearsed day at speed, with three faults, a second browser and a server that is killed in the middle."""

import subprocess
import sys

import pytest
from playwright.sync_api import expect

from quarry.apps.day import queries
from quarry.apps.day.models import DayEvent, DayRun
from tests.browser.conftest import ROOT, Server, Site, no_sideways_scroll, window
from tests.factories import make_day, make_job, plain

pytestmark = pytest.mark.browser
WHOLE_DAY_MS = 240_000


@pytest.fixture
def own(transactional_db):
    """A server of this test alone, and the service that plays the world for it."""
    made = Server(8_700)
    service = subprocess.Popen(
        [sys.executable, "-m", "quarry.simulators.rehearsal_service", "--server", made.address], cwd=ROOT, env=made.env
    )
    yield made
    service.terminate()
    service.wait(10)
    made.stop()


@pytest.fixture
def day(crew):
    return make_day(
        crew["lead"],
        crew["fleet"],
        [make_job(crew["lead"], crew["fleet"])],
        date="2031-05-06",
        time_zone="UTC",
        opens="08:00",
        closes="18:00",
        pauses=[],
    )


def begin(page, *, faults=(), crew=True, speed="120×"):
    for words in faults:
        page.get_by_label(words, exact=False).first.check()
    if crew:
        page.get_by_role("button", name="A crew does").click()
    page.get_by_role("button", name=speed, exact=True).click()
    page.get_by_role("button", name="Begin").click()
    expect(page.get_by_test_id("clock")).to_be_visible()
    return page.url.split("/")[-2]


def test_a_whole_day_with_three_faults_to_the_last_landing(chromium, crew, day, own):
    context = window(chromium)
    site = Site(context.new_page(), own.address)
    page = site.page
    site.sign_in("lena")
    site.go(f"/days/{day.pk}/rehearse")
    expect(page.get_by_text("Nothing yet.")).to_be_visible()
    site.axe()
    mine = begin(page, faults=["a port trips", "comes home with part", "the crew is held up"])
    site.axe()

    second = context.new_page()
    second.goto(f"{own.address}/days/{mine}/live")
    expect(second.get_by_test_id("live")).to_contain_text("Rehearsal")
    expect(second.get_by_test_id("live")).to_contain_text("flies S1")
    expect(page.get_by_role("button", name="S1:", exact=False).first).to_be_visible()

    own.kill()
    page.wait_for_timeout(3000)
    own.start()

    expect(page.get_by_test_id("debrief")).to_be_visible(timeout=WHOLE_DAY_MS)
    expect(second.get_by_test_id("call")).to_contain_text("The day is closed")
    told = plain(queries.rehearsal_of(mine))
    assert [f["struck"] for f in told["faults"]] == [True] * 3
    live = plain(queries.live_of(queries.day_of(mine)))
    assert {f["word"] for f in live["flights"]} == {"landed"}
    assert live["oddities"] == []
    rows = list(DayEvent.objects.filter(day_id=mine, kind="launched"))
    assert len({e.figures["flight"] for e in rows}) == len(rows) == len(live["flights"])
    expect(page.get_by_test_id("told")).to_contain_text("a port trips and stays out of order")
    expect(page.get_by_test_id("debrief")).to_contain_text("same faults, every call answered at once")
    site.axe()

    site.go(f"/days/{day.pk}/rehearse")
    page.get_by_role("button", name="Archive").click()
    expect(page.get_by_text("Nothing yet.")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("over", exact=True)).to_be_visible()
    second.close()
    site.settle()
    context.close()
    assert not [f for f in site.faults if "ERR_CONNECTION" not in f and "ERR_INCOMPLETE" not in f and "ERR_EMPTY" not in f]


def test_a_person_answers_throws_a_fault_in_and_lets_the_clock_stand(chromium, crew, day, own):
    context = window(chromium)
    site = Site(context.new_page(), own.address)
    page = site.page
    site.sign_in("lena")
    site.go(f"/days/{day.pk}/rehearse")
    mine = begin(page, crew=False, speed="1×")
    call = page.get_by_test_id("call").get_by_role("heading")
    before = call.inner_text()
    page.wait_for_timeout(550)  # a screen that has just moved takes no tap
    page.get_by_test_id("answer").click()
    expect(call).not_to_have_text(before)
    page.get_by_role("button", name="generator dry").click()
    expect(page.get_by_role("alert").filter(has_text="No power")).to_be_visible()
    page.keyboard.press("p")
    expect(page.get_by_role("button", name="Play")).to_be_visible()
    stood = page.get_by_test_id("clock").inner_text()
    page.wait_for_timeout(1500)
    assert page.get_by_test_id("clock").inner_text() == stood
    assert DayRun.objects.get(day_id=mine).speed == 0
    page.set_viewport_size({"width": 820, "height": 1180})
    no_sideways_scroll(page)
    site.settle()
    context.close()
    assert not site.faults
