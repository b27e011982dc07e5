"""A crew runs a day on a tablet with gloves: taps, a landing, a lost link, and a second screen that agrees."""

import pytest
from django.utils import timezone
from playwright.sync_api import expect

from quarry.apps.day import queries, services
from quarry.apps.day.models import DayEvent, DayPack, DayRun
from tests.browser.conftest import STILL_MS, Site, confirm, no_sideways_scroll, tap, tell_until, until, window
from tests.factories import make_job, make_today, plain, post_events, post_telemetry

pytestmark = pytest.mark.browser


@pytest.fixture
def day(crew):
    """A day that opened ten minutes ago."""
    return make_today(crew["lead"], crew["fleet"], [make_job(crew["lead"], crew["fleet"])], ago_min=10)


def test_taps_go_on_without_a_link_and_a_second_screen_agrees(site, crew, day):
    page = site.page
    page.set_viewport_size({"width": 820, "height": 1180})
    site.sign_in("lena")
    site.go(f"/days/{day.pk}/live")
    page.get_by_role("button", name="Begin the day").click()
    expect(page.get_by_test_id("answer")).to_be_visible()
    site.axe()
    no_sideways_scroll(page)

    other = page.context.new_page()
    other.goto(f"{site.address}/days/{day.pk}/live")
    expect(other.get_by_test_id("answer")).to_be_visible()
    tell_until(page, ["It is up"])
    expect(other.get_by_test_id("live")).to_contain_text("flies")
    expect(page.get_by_test_id("strip")).to_contain_text("0 to send")
    known = DayEvent.objects.filter(day=day).count()

    page.context.set_offline(True)
    tap(page, page.get_by_role("button", name="No power"))
    expect(page.get_by_test_id("strip")).to_contain_text("1 kept here")
    tap(page, page.get_by_role("button", name="Take back: no power"))
    expect(page.get_by_test_id("strip")).to_contain_text("2 kept here")
    assert DayEvent.objects.filter(day=day).count() == known
    page.context.set_offline(False)
    expect(page.get_by_test_id("strip")).to_contain_text("0 to send")
    assert DayEvent.objects.filter(day=day).count() == known + 2
    other.close()
    site.faults = [f for f in site.faults if "ERR_INTERNET_DISCONNECTED" not in f]


def test_a_whole_day_is_run_by_touch_to_its_end(chromium, site, crew, day):
    """On the tablet with gloves, from its beginning to the last landing and its end; the figures of a landing are read."""
    DayPack.objects.filter(day=day).update(start_frac=1.0)  # nothing has to be charged before it can fly
    tablet = Site(window(chromium, viewport={"width": 820, "height": 1180}, has_touch=True).new_page(), site.address)
    tablet.sign_in("lena")
    tablet.go(f"/days/{day.pk}/live")
    page = tablet.page
    page.get_by_role("button", name="Begin the day").tap()
    tell_until(page, ["It is up"])
    landing = page.get_by_test_id("landing")
    tell_until(page, ["It is down"], shows=landing)
    landing.get_by_role("textbox", name="Charge left").fill("43")
    landing.get_by_role("textbox", name="Lowest cell").fill("3,71")
    tablet.axe()
    tap(page, landing.get_by_role("button", name="It is down"))
    expect(page.get_by_test_id("live").get_by_test_id("pack").first).to_contain_text("43 %")
    event = DayEvent.objects.get(day=day, kind="landed")
    assert (event.figures["left_frac"], event.figures["lowest_v"]) == (0.43, 3.71)

    told = DayEvent.objects.filter(day=day)
    for _ in range(30):
        known, form = told.count(), landing.is_visible()
        tap(page, landing.get_by_role("button", name="It is down") if form else page.get_by_test_id("answer"))
        # A landing written down is told; an answer is told, or opens the landing that the next round writes down.
        until(
            page,
            lambda k=known, f=form: confirm(page) or told.count() > k or (not f and landing.is_visible()),
            "a tap was not told",
        )
        if told.filter(kind="closed").exists():
            break
    flown = DayEvent.objects.filter(day=day, kind="landed").count()
    assert flown == DayEvent.objects.filter(day=day, kind="launched").count() > 1
    expect(page.get_by_test_id("call")).to_contain_text("The day is closed")
    assert DayEvent.objects.filter(day=day, kind="closed").count() == 1
    tablet.settle()
    page.context.close()
    assert not tablet.faults


def test_two_people_who_record_one_landing_are_asked_which_stands(chromium, site, crew, day):
    site.page.set_viewport_size({"width": 820, "height": 1180})
    other = Site(window(chromium, viewport={"width": 820, "height": 1180}).new_page(), site.address)
    site.sign_in("lena")
    other.sign_in("otto")
    site.go(f"/days/{day.pk}/live")
    site.page.get_by_role("button", name="Begin the day").click()
    tell_until(site.page, ["It is up"])
    other.go(f"/days/{day.pk}/live")
    for page in (site.page, other.page):
        tell_until(page, ["It is down"], shows=page.get_by_test_id("landing"))
    other.page.context.set_offline(True)
    for page, left in ((site.page, "43"), (other.page, "31")):
        landing = page.get_by_test_id("landing")
        landing.get_by_role("textbox", name="Charge left").fill(left)
        tap(page, landing.get_by_role("button", name="It is down"))
    expect(other.page.get_by_test_id("strip")).to_contain_text("1 kept here")
    expect(site.page.get_by_test_id("pack").first).to_contain_text("43 %")
    other.page.context.set_offline(False)
    for page in (site.page, other.page):
        expect(page.get_by_test_id("question")).to_contain_text("Which is right?")
    tap(site.page, site.page.get_by_role("button", name="Second account"))
    for page in (site.page, other.page):
        expect(page.get_by_test_id("question")).to_have_count(0)
        expect(page.get_by_test_id("pack").first).to_contain_text("31 %")
    assert DayEvent.objects.filter(day=day, kind="landed").count() == 2
    assert DayEvent.objects.filter(day=day, kind="launched").count() == 1
    other.settle()
    other.page.context.close()
    assert not [f for f in other.faults if "ERR_INTERNET_DISCONNECTED" not in f]


BOXES = """() => Object.fromEntries([...document.querySelectorAll('[data-testid=live] button, [data-testid=live] a')]
  .filter(e => !e.closest('[data-testid=alerts]'))
  .map((e, k) => { const b = e.getBoundingClientRect(); return [`${k} ${e.dataset.testid === "later" ? "a call to come" : e.innerText.replace(/\\d+ %/, "%")}`, [b.x, b.y + scrollY, b.width, b.height].map(Math.round)]; }))"""


@pytest.mark.parametrize("size", [(1280, 800), (820, 1180), (390, 844)])
def test_nothing_that_can_be_tapped_moves_when_something_cannot_wait(site, crew, day, size):
    """An alert of each kind, a question and a refusal come and go: every button lies where it lay."""
    page = site.page
    page.set_viewport_size({"width": size[0], "height": size[1]})
    lead = crew["lead"]
    run = services.start_run(actor=lead, day_id=day.pk)
    first = next(c for c in plain(queries.live_of(day))["calls"] if c["kind"] == "launch")
    told = lambda *events: post_events(  # noqa: E731
        actor=lead, day_id=day.pk, device="other", device_now=timezone.now(), events=list(events)
    )
    event = lambda kind, **figures: {  # noqa: E731
        "key": f"{kind}-{timezone.now().timestamp()}",
        "kind": kind,
        "at": timezone.now(),
        "figures": figures,
    }
    DayRun.objects.filter(pk=run.pk).update(frame={**run.frame, "gates": [{**g, "limit_m_s": 9.0} for g in run.frame["gates"]]})
    told(event("launched", flight=first["flight"], set=first["set"]))

    def reading(**figures):
        reading = {"flight": first["flight"], "at": timezone.now(), "satellites": 14} | figures
        post_telemetry(actor=lead, day_id=day.pk, readings=[reading])

    reading(left_frac=0.9, home_frac=0.1)
    site.sign_in("lena")
    site.go(f"/days/{day.pk}/live")
    page.get_by_test_id("air").wait_for()
    page.evaluate("document.fonts.ready")
    page.wait_for_timeout(600)
    before = page.evaluate(BOXES)
    assert len(before) > 6
    alerts = page.get_by_test_id("alerts")
    steps = [
        (lambda: reading(left_frac=0.36, home_frac=0.1), "Turn back"),
        (lambda: reading(left_frac=0.9, home_frac=0.1, lowest_v=3.45), "Land"),
        (lambda: reading(left_frac=0.9, home_frac=0.1, pack_c=70.0), "pack too hot"),
        (lambda: told(event("observed", gust_m_s=12.0)), "Turn back"),
        (lambda: told(event("launched", flight=first["flight"], set="04")), "Which is right?"),
    ]
    for step, words in steps:
        step()
        expect(alerts).to_contain_text(words)
        page.wait_for_timeout(300)
        assert page.evaluate(BOXES) == before, words


def test_a_tap_at_the_moment_of_a_shift_is_not_taken(site, crew, day):
    page = site.page
    services.start_run(actor=crew["lead"], day_id=day.pk)
    site.sign_in("lena")
    site.go(f"/days/{day.pk}/live")
    button = page.get_by_role("button", name="No power")
    button.wait_for()
    page.wait_for_timeout(STILL_MS)
    # In one breath, so that a slow machine does not let the moment pass.
    page.evaluate("""async () => { const line = document.createElement('p'); line.style.height = '70px'; line.textContent = 'pushed in';
      document.querySelector('[data-testid=live]').prepend(line);
      await new Promise(requestAnimationFrame);
      const tap = new MouseEvent('click', { bubbles: true, cancelable: true, detail: 1 });
      [...document.querySelectorAll('button')].find(b => b.innerText === 'No power').dispatchEvent(tap); }""")
    expect(page.get_by_test_id("strip")).to_contain_text("The screen moved just then: tap again.")
    assert not DayEvent.objects.filter(day=day, kind="power_out").exists()
    page.wait_for_timeout(STILL_MS)
    button.click()
    expect(page.get_by_role("button", name="Power is back")).to_be_visible()


def test_what_happens_out_of_order_is_recorded_by_touch(chromium, site, crew, day):
    """On the tablet with gloves: a later call first, a pack by its tile, an aircraft home early, and an emergency."""
    tablet = Site(window(chromium, viewport={"width": 820, "height": 1180}, has_touch=True).new_page(), site.address)
    tablet.sign_in("lena")
    tablet.go(f"/days/{day.pk}/live")
    page = tablet.page
    page.get_by_role("button", name="Begin the day").click()
    expect(page.get_by_test_id("answer")).to_be_visible()

    def kinds():
        return list(DayEvent.objects.filter(day=day).order_by("pk").values_list("kind", flat=True))

    def press(button):
        page.wait_for_timeout(STILL_MS)
        button.tap()

    later = page.get_by_test_id("later").filter(has_text="Launch").first
    press(later)
    expect(page.get_by_test_id("call").get_by_role("heading")).to_contain_text("Launch")
    press(page.get_by_test_id("answer"))
    expect(page.get_by_role("button", name="Coming home")).to_be_enabled()
    assert kinds()[-1] == "launched"

    rests = page.get_by_test_id("pack").filter(has_text="rests").or_(page.get_by_test_id("pack").filter(has_text="ready")).first
    press(rests)
    page.get_by_test_id("doings").get_by_role("button", name="Hot or swollen").tap()
    expect(page.get_by_test_id("doings")).to_have_count(0)
    expect(page.get_by_test_id("pack").filter(has_text="out")).to_have_count(1)
    assert kinds()[-1] == "pack_out"

    press(page.get_by_role("button", name="Coming home"))
    expect(page.get_by_test_id("air").first).to_contain_text("coming home")
    press(page.get_by_role("button", name="Emergency"))
    expect(page.get_by_test_id("call").get_by_role("heading")).to_contain_text("Emergency")
    expect(page.get_by_test_id("alert").first).to_contain_text("nothing is launched until it is over")
    tablet.axe()
    press(page.get_by_role("button", name="It is on the ground"))
    landing = page.get_by_test_id("landing")
    expect(landing.get_by_role("textbox", name="Route completed")).to_be_visible()
    press(landing.get_by_role("button", name="It is down"))
    expect(page.get_by_test_id("aircraft").first).to_contain_text("on the ground")
    assert kinds()[-3:] == ["homing", "emergency", "landed"]

    # The day is broken off; what goes to the records is said before.
    press(page.get_by_role("button", name="End day …"))
    asked = page.get_by_role("dialog")
    expect(asked).to_contain_text("to the records of packs")
    expect(asked).to_contain_text("Not flown:")
    asked.get_by_role("button", name="End day", exact=True).tap()
    expect(page.get_by_test_id("call")).to_contain_text("The day is closed")
    assert kinds()[-1] == "closed"
    tablet.settle()
    page.context.close()
    assert not tablet.faults
