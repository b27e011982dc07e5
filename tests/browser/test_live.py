"""A crew runs a day on a tablet with gloves: taps, a landing, a lost link, and a second screen that agrees."""

import pytest
from playwright.sync_api import expect

from quarry.apps.day.models import DayEvent
from tests.browser.conftest import Site, window
from tests.factories import PASSWORD, make_job, make_today

pytestmark = pytest.mark.browser


@pytest.fixture
def day(crew):
    """A day that opened ten minutes ago."""
    return make_today(crew["lead"], crew["fleet"], [make_job(crew["lead"], crew["fleet"])], ago_min=10)


def tell_until(page, kinds, most=12):
    """Tap the big answer until a call of one of some kinds is told."""
    for _ in range(most):
        words = page.get_by_test_id("answer").inner_text()
        page.get_by_test_id("answer").click()
        if any(k in words for k in kinds):
            return
        page.wait_for_timeout(400)
    pytest.fail(f"{kinds} was never called")


def test_taps_go_on_without_a_link_and_a_second_screen_agrees(site, crew, day):
    page = site.page
    page.set_viewport_size({"width": 820, "height": 1180})
    site.sign_in("lena", PASSWORD)
    site.go(f"/days/{day.pk}/live")
    page.get_by_role("button", name="Begin the day").click()
    expect(page.get_by_test_id("answer")).to_be_visible()
    site.axe()
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")

    other = page.context.new_page()
    other.goto(f"{site.address}/days/{day.pk}/live")
    expect(other.get_by_test_id("answer")).to_be_visible()
    tell_until(page, ["It is up"])
    expect(other.get_by_test_id("live")).to_contain_text("flies", timeout=2500)
    expect(page.get_by_test_id("strip")).to_contain_text("0 to send")
    known = DayEvent.objects.filter(day=day).count()

    page.context.set_offline(True)
    page.get_by_role("button", name="No power").click()
    expect(page.get_by_test_id("strip")).to_contain_text("1 kept here")
    page.get_by_role("button", name="Take back: no power").click()
    expect(page.get_by_test_id("strip")).to_contain_text("2 kept here")
    assert DayEvent.objects.filter(day=day).count() == known
    page.context.set_offline(False)
    expect(page.get_by_test_id("strip")).to_contain_text("0 to send", timeout=15_000)
    assert DayEvent.objects.filter(day=day).count() == known + 2
    other.close()
    site.faults = [f for f in site.faults if "ERR_INTERNET_DISCONNECTED" not in f]


def test_a_landing_is_read_and_a_flown_day_goes_to_the_records(site, crew, day):
    page = site.page
    page.set_viewport_size({"width": 820, "height": 1180})
    site.sign_in("lena", PASSWORD)
    site.go(f"/days/{day.pk}/live")
    page.get_by_role("button", name="Begin the day").click()
    tell_until(page, ["It is up"])
    tell_until(page, ["It is down"])
    landing = page.get_by_test_id("landing")
    landing.get_by_role("textbox", name="Charge left").fill("43")
    landing.get_by_role("textbox", name="Lowest cell").fill("3,71")
    site.axe()
    landing.get_by_role("button", name="It is down").click()
    expect(page.get_by_test_id("live").get_by_test_id("pack").first).to_contain_text("43 %")
    event = DayEvent.objects.get(day=day, kind="landed")
    assert (event.figures["left_frac"], event.figures["lowest_v"]) == (0.43, 3.71)
    from quarry.apps.day import running

    running.close_run(actor=crew["lead"], day_id=day.pk)
    assert DayEvent.objects.filter(day=day, kind="closed").count() == 1
    page.reload()
    page.get_by_test_id("call").get_by_text("The day is closed").wait_for()


def test_two_people_who_record_one_landing_are_asked_which_stands(chromium, site, crew, day):
    site.page.set_viewport_size({"width": 820, "height": 1180})
    other = Site(window(chromium, viewport={"width": 820, "height": 1180}).new_page(), site.address)
    site.sign_in("lena", PASSWORD)
    other.sign_in("otto", PASSWORD)
    site.go(f"/days/{day.pk}/live")
    site.page.get_by_role("button", name="Begin the day").click()
    tell_until(site.page, ["It is up"])
    other.go(f"/days/{day.pk}/live")
    for page in (site.page, other.page):
        tell_until(page, ["It is down"])
    other.page.context.set_offline(True)
    for page, left in ((site.page, "43"), (other.page, "31")):
        landing = page.get_by_test_id("landing")
        landing.get_by_role("textbox", name="Charge left").fill(left)
        landing.get_by_role("button", name="It is down").click()
    expect(other.page.get_by_test_id("strip")).to_contain_text("1 kept here")
    expect(site.page.get_by_test_id("pack").first).to_contain_text("43 %")
    other.page.context.set_offline(False)
    for page in (site.page, other.page):
        expect(page.get_by_test_id("question")).to_contain_text("Which stands?", timeout=15_000)
    site.page.get_by_role("button", name="The second account").click()
    for page in (site.page, other.page):
        expect(page.get_by_test_id("question")).to_have_count(0)
        expect(page.get_by_test_id("pack").first).to_contain_text("31 %")
    assert DayEvent.objects.filter(day=day, kind="landed").count() == 2
    assert DayEvent.objects.filter(day=day, kind="launched").count() == 1
    other.settle()
    other.page.context.close()
    assert not [f for f in other.faults if "ERR_INTERNET_DISCONNECTED" not in f]
