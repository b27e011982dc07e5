"""The gate and preflight as a crew uses them: a front closes the afternoon, gusts are measured, an override is given."""

import re
from datetime import UTC, datetime, timedelta

import pytest
from django.utils import timezone
from playwright.sync_api import expect

from quarry.apps.day import queries as day_queries
from quarry.apps.day import services as days
from quarry.apps.fleet.models import PackModel
from quarry.apps.limits import services
from quarry.apps.limits.models import LimitSheet, Preflight
from tests.apps.test_limits import forecast_for, set_model
from tests.browser.conftest import no_sideways_scroll
from tests.factories import make_day, make_job, make_today, post_events, post_telemetry, save_sheet

pytestmark = pytest.mark.browser


@pytest.fixture
def limited(crew):
    """Limits that hold at any hour of the day, the maker's wind limit, and a job."""
    lead = crew["lead"]
    services.begin_with_starter(actor=lead)
    row = LimitSheet.objects.get(level="organisation")
    rules = [{k: r[k] for k in ("key", "least", "most", "why")} for r in row.rules if r["key"] not in ("sun_deg", "ceiling_m")]
    save_sheet(actor=lead, level="organisation", rules=rules, version=row.version)
    set_model(lead, crew["fleet"], most_wind_m_s=10.7)
    return crew | {"job": make_job(lead, crew["fleet"])}


def test_a_front_closes_the_afternoon_and_the_plan_moves(site, limited):
    lead, on = limited["lead"], (timezone.now() + timedelta(days=1)).date()
    start = datetime(on.year, on.month, on.day, tzinfo=UTC)
    day = make_day(
        lead, limited["fleet"], [limited["job"]], date=on.isoformat(), time_zone="UTC", opens="11:30", closes="18:00", pauses=[]
    )
    forecast_for(lead, [5.0] * 24, start)
    page = site.page
    site.sign_in("lena")
    site.go(f"/days/{day.pk}")
    calm = page.get_by_test_id("finish").inner_text()
    forecast_for(lead, [5.0] * 12 + [13.0] * 3 + [5.0] * 9, start)
    page.reload()
    expect(page.get_by_test_id("finish")).not_to_have_text(calm)
    assert page.get_by_test_id("finish").inner_text() > "15:00" > calm
    site.axe()

    site.go(f"/limits?job={limited['job'].pk}&on={on.isoformat()}")
    page.get_by_role("button", name=re.compile("^12:00, No go, gust 12")).click()
    expect(page.get_by_test_id("hour-word")).to_contain_text("No go")
    page.get_by_text("Gust at flying height 12").first.wait_for()
    page.get_by_role("button", name=re.compile("gust at flying height: .* Show the working")).click()
    page.locator("[data-working]").get_by_text("the maker's data sheet").first.wait_for()
    page.keyboard.press("Escape")
    page.get_by_role("button", name=re.compile("^12:00")).focus()
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_test_id("hour-word")).to_have_text(re.compile("Go"))
    site.axe()


def measure(page, gust):
    page.get_by_label("Gust", exact=True).fill(str(gust))
    page.get_by_label("Gust", exact=True).press("Tab")
    page.get_by_label("read at a height of").fill("45")
    page.get_by_label("read at a height of").press("Tab")
    page.get_by_role("button", name="Record").click()


def test_the_pilot_measures_stronger_gusts_and_an_override_asks_for_name_and_reason(site, limited):
    forecast_for(limited["lead"], [4.0] * 30)
    page = site.page
    site.sign_in("otto")
    site.go(f"/preflight?job={limited['job'].pk}")
    page.get_by_role("group", name="Packs").get_by_role("button", name="01").wait_for()
    expect(page.get_by_role("button", name="Begin the list")).to_be_enabled()
    page.get_by_role("button", name="Begin the list").click()
    page.wait_for_url("**/preflight/*")
    verdict = page.get_by_test_id("preflight-verdict")
    site.axe()

    # A minute in the cold: numbers by big keys, ticks by one, all from the keyboard too.
    page.get_by_role("button", name="9", exact=True).click()
    page.get_by_role("button", name="4", exact=True).click()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("1 of", exact=False).first).to_be_visible()
    numbers = {"Tablet": "88", "Return height": "45", "Pack temperature": "21", "Charge": "99", "Satellites": "16"}
    for _ in range(40):
        head = page.get_by_test_id("check").locator(".sharp").first.inner_text()
        before = page.locator("aside p").first.inner_text()
        found = next((v for k, v in numbers.items() if head.startswith(k)), None)
        if head.startswith("Cells"):
            page.keyboard.type("395" * 6)
        elif found:
            page.keyboard.type(found)
            page.keyboard.press("Enter")
        else:
            page.keyboard.press("Enter")
        expect(page.locator("aside p").first).not_to_have_text(before)
        done = page.locator("aside p").first.inner_text().split()
        if done[0] == done[2]:
            break
    expect(verdict).to_have_text(re.compile(r"^\s*Go"))

    # Up there it blows harder than forecast: measured on the limits screen, the gate closes and the list with it.
    address = page.url
    site.go(f"/limits?job={limited['job'].pk}&on={timezone.now().date().isoformat()}")
    page.get_by_test_id("hour-rows").wait_for()
    measure(page, 10.4)
    page.get_by_text("Measured. It takes precedence over the forecast now").wait_for()
    expect(page.get_by_test_id("hour-word")).to_contain_text("No go")
    page.goto(address)
    expect(verdict).to_contain_text("No go")
    expect(verdict).to_contain_text("too close")
    page.get_by_role("button", name="Override …").click()
    page.get_by_role("button", name="Record override").click()
    page.get_by_text("Write the name of the person who decides").wait_for()
    site.refused()  # the browser notes the refused request
    page.get_by_label("Who decides").fill("Otto Brandt")
    page.get_by_label("Why", exact=True).fill("the missing walker is in sight")
    site.axe()
    page.get_by_role("button", name="Record override").click()
    expect(verdict).to_contain_text("Overridden")
    expect(verdict).to_contain_text("the missing walker is in sight")
    row = Preflight.objects.get()
    assert (row.state, row.override["name"]) == ("overridden", "Otto Brandt")


def test_limits_are_set_side_by_side_with_a_reason_and_taken_back(site, limited):
    forecast_for(limited["lead"], [4.0] * 30)
    page = site.page
    site.sign_in("lena")
    site.go(f"/limits?job={limited['job'].pk}")
    table = page.get_by_test_id("sheets")
    row = table.get_by_role("row", name=re.compile("^Gust at flying height"))
    expect(row).to_contain_text("10.7 m/s decides")
    row.get_by_role("button", name=re.compile("Top field, this job: set a limit")).click()
    form = page.get_by_role("form", name="Limit of Gust at flying height")
    form.get_by_label("at most").fill("9")
    form.get_by_role("button", name="Set it").click()
    page.get_by_text("Say why").wait_for()
    site.refused()
    form.get_by_label("why").fill("trees on the west side")
    form.get_by_role("button", name="Set it").click()
    expect(row).to_contain_text("9.0 m/s decides")
    expect(row).not_to_contain_text("10.7 m/s decides")
    # While the pointer is over it, what can be taken back stays.
    page.get_by_role("button", name="Undo").hover()
    site.axe()
    page.get_by_role("button", name="Undo").click()
    expect(row).to_contain_text("10.7 m/s decides")


def test_a_garbled_report_is_refused_at_its_field_and_a_good_one_counts(site, limited):
    page = site.page
    site.sign_in("lena")
    site.go(f"/limits?job={limited['job'].pk}&on={timezone.now().date().isoformat()}")
    page.get_by_test_id("hour-rows").wait_for()
    expect(page.get_by_test_id("hour-word")).to_contain_text("not known")
    box = page.get_by_label("METAR, as it was copied")
    box.fill("windy I think")
    page.get_by_role("button", name="Read it").click()
    page.get_by_text("This is no METAR report").wait_for()
    site.refused()
    assert box.input_value() == "windy I think"
    now = timezone.now()
    box.fill(f"METAR ZZZZ {now:%d%H}00Z 24006KT 9999 NSC 14/07 Q1016")
    page.get_by_role("button", name="Read it").click()
    page.get_by_text("ZZZZ at").wait_for()
    expect(page.get_by_test_id("hour-word")).not_to_contain_text("not known")


def test_both_screens_with_gloves_on_a_tablet(site, limited):
    from quarry.apps.accounts.models import User

    forecast_for(limited["lead"], [4.0] * 30)
    User.objects.filter(username="lena").update(gloves=True)
    page = site.page
    page.set_viewport_size({"width": 820, "height": 1180})
    site.sign_in("lena")
    site.go(f"/limits?job={limited['job'].pk}")
    page.get_by_test_id("hour-rows").wait_for()
    site.axe_in_every_light()
    made = services.begin_preflight(
        actor=limited["lead"],
        job_id=limited["job"].pk,
        aircraft_id=limited["fleet"]["A1"].pk,
        pack_ids=[limited["fleet"]["01"].pk],
        sortie=1,
    )
    site.go(f"/preflight/{made.pk}")
    keep = page.get_by_role("button", name="Save")
    keep.wait_for()
    assert keep.bounding_box()["height"] >= 120
    assert page.get_by_role("button", name="7", exact=True).bounding_box()["height"] >= 56
    no_sideways_scroll(page)
    site.axe_in_every_light()


@pytest.mark.parametrize("cells", [6, 14])
def test_a_list_on_a_running_day_takes_few_taps(site, limited, cells):
    """From the open list to going on after the first climb, on the first sortie of the day, every number entered."""
    lead, fleet = limited["lead"], limited["fleet"]
    forecast_for(lead, [4.0] * 30)
    PackModel.objects.filter(pk=fleet["01"].model_id).update(cells=cells)
    day = make_today(lead, fleet, [limited["job"]], ago_min=10)
    days.start_run(actor=lead, day_id=day.pk)
    made = services.begin_preflight(
        actor=lead,
        job_id=limited["job"].pk,
        aircraft_id=fleet["A1"].pk,
        pack_ids=[fleet["01"].pk],
        sortie=1,
        on=day.date,
    )
    page = site.page
    page.set_viewport_size({"width": 820, "height": 1180})
    site.sign_in("lena")
    site.go(f"/preflight/{made.pk}")
    count = page.locator("aside p").first
    taps = 0

    def press(button):
        nonlocal taps
        before = count.inner_text()
        button.click()
        taps += 1
        expect(count).not_to_have_text(before)

    def likely(words):
        press(page.get_by_role("group", name="Likely values").get_by_role("button", name=words, exact=True))

    together = page.get_by_role("button", name=re.compile("as listed$"))
    check = page.get_by_test_id("check").locator(".sharp").first
    numbers = {"Controller": "90 %", "Tablet": "90 %", "Return": "40 m", "Pack temperature": "20 °C", "Satellites": "16"}
    for _ in range(12):
        if count.inner_text().split()[0] == count.inner_text().split()[2]:
            break
        words = next((v for k, v in numbers.items() if check.inner_text().startswith(k)), None)
        if words:
            likely(words)
        else:
            press(together)
    page.get_by_role("button", name="Clear for take-off").click()
    taps += 1
    page.get_by_role("button", name="Go on").wait_for()
    flight = day_queries.live_of(day).aircraft[0].next
    now = timezone.now()
    up = {"key": "u", "kind": "launched", "at": now, "figures": {"flight": flight, "set": "01"}, "under": 1}
    post_events(actor=lead, day_id=day.pk, device="t", device_now=now, events=[up])
    told = {"flight": flight, "at": now, "left_frac": 0.97, "pack_c": 24.0, "satellites": 17, "cells_v": [3.97] * cells}
    post_telemetry(actor=lead, day_id=day.pk, device_now=now, readings=[told])
    together.wait_for()
    press(together)
    page.get_by_role("button", name="Go on").click()
    taps += 1
    expect(page.get_by_test_id("climb-verdict")).to_contain_text("Went on")
    assert taps < (12 if cells == 6 else 20), taps
    assert len(Preflight.objects.get(pk=made.pk).entries["cells"]["value"]) == cells
