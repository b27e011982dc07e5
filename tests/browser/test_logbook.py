"""The logbook with the mouse: drop an archive, say a column, see the flight, accept what it teaches, see the next plan change."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from playwright.sync_api import expect

from quarry.apps.accounts.models import User
from quarry.apps.fleet.mappers import airframe
from quarry.apps.fleet.models import Aircraft, Pack
from quarry.apps.logbook.importer import begin_import, run_import
from quarry.apps.logbook.models import Flight, Import
from quarry.apps.logbook.tasks import read_logs_in
from quarry.simulators.flight_logs import WRITERS, Truth, archive, fly
from tests.browser.conftest import until
from tests.factories import change_flight, make_day, make_job

pytestmark = pytest.mark.browser
BEGAN = datetime(2026, 5, 6, 9, 12, tzinfo=UTC)


@pytest.fixture
def truth(crew):
    fleet = crew["fleet"]
    Pack.objects.filter(pk=fleet["02"].pk).update(serial="QX-202")
    craft = airframe(fleet["Quad"], fleet["A1"])
    return Truth(craft, capacity_ah=11.4, cell_25_ohm=0.003, power_times=1.2, seconds=420.0, began=BEGAN, serial="QX-202")


def written(truth, form, k, **over):
    made = replace(truth, began=BEGAN + timedelta(days=k), **over)
    return f"{form}-{k}.csv", WRITERS[form](made, fly(made, 50 + k))


@pytest.fixture
def taught(crew, truth):
    """Four flights of A1 read in."""
    row = begin_import(actor=crew["lead"], name="four.zip", data=archive([written(truth, "small units", k) for k in range(4)]))
    run_import(row.pk)
    a1 = Aircraft.objects.get(name="A1")
    for f in Flight.objects.all():
        change_flight(actor=crew["lead"], flight_id=f.pk, version=f.version, changes={"aircraft_id": a1.pk})


def test_from_a_dropped_archive_to_a_changed_plan(site, crew, truth):
    day = make_day(crew["lead"], crew["fleet"], [make_job(crew["lead"], crew["fleet"])])
    page = site.page
    site.sign_in("lena")
    site.go(f"/days/{day.pk}")
    before = page.get_by_test_id("finish").inner_text()
    page.get_by_role("link", name="Logbook").click()
    page.get_by_text("Nothing was flown in this time").wait_for()
    files = [written(truth, "camel case", k) for k in range(5)] + [written(truth, "odd names", 9)]
    page.locator("input[type=file]").set_input_files(
        {"name": "week.zip", "mimeType": "application/zip", "buffer": archive(files)}
    )
    page.get_by_text("Waits for the worker").wait_for()
    read_logs_in(str(Import.objects.get().pk))
    page.get_by_text("5 read with 5 flights, 1 to be answered").wait_for()

    page.get_by_test_id("asks").get_by_role("link", name="odd-names-9.csv").or_(
        page.get_by_test_id("asks").get_by_role("link", name="odd names-9.csv")
    ).click()
    page.get_by_test_id("columns").wait_for()
    expect(page.get_by_label("What t holds")).to_have_value("time_s")
    site.axe()
    for header, what in (("bus", "volts of the pack"), ("draw", "current"), ("tmp1", "pack temperature"), ("gs", "ground speed")):
        page.get_by_label(f"What {header} holds").select_option(label=what)
    page.get_by_label("What y holds").select_option(label="latitude")
    page.get_by_label("What x holds").select_option(label="latitude")
    page.get_by_role("button", name="Read it so").click()
    page.get_by_text("“y” is taken for the same").wait_for()
    site.refused()  # the browser notes the refusal
    page.get_by_label("What x holds").select_option(label="longitude")
    page.get_by_role("button", name="Read it so").click()
    page.wait_for_url("**/logbook/flights/**")
    page.get_by_test_id("curves").locator("canvas").first.wait_for()
    expect(page.get_by_test_id("phases")).to_contain_text("on a line")
    expect(page.get_by_test_id("ask")).to_contain_text("Packs")
    site.axe()

    a1 = Aircraft.objects.get(name="A1")
    for f in Flight.objects.filter(aircraft=None).exclude(packs=None):
        change_flight(actor=crew["lead"], flight_id=f.pk, version=f.version, changes={"aircraft_id": a1.pk})
    page.get_by_label("Packs", exact=True).select_option(label="02")
    page.get_by_label("Aircraft", exact=True).select_option(label="A1")
    expect(page.get_by_test_id("claims")).to_contain_text("mean draw")
    page.get_by_role("link", name="Rated and measured").click()
    row = page.get_by_test_id("lessons-power").get_by_role("row").filter(has_text="A1")
    expect(row).to_contain_text("as rated")
    row.get_by_role("button", name="Show the working").click()
    page.get_by_text("claim is worth").wait_for()
    page.keyboard.press("Escape")
    site.axe()
    row.get_by_role("button", name="Plan by this").click()
    expect(row.get_by_test_id("now")).to_contain_text("calibration 1")

    site.go(f"/days/{day.pk}")
    page.get_by_text("Planned by what flights taught").click()
    expect(page.get_by_test_id("learnt")).to_contain_text("power of A1: calibration 1")
    assert page.get_by_test_id("finish").inner_text() != before
    site.go("/logbook/claims")
    page.get_by_test_id("calibrations").get_by_role("button", name="Take back").click()
    expect(page.get_by_test_id("calibrations")).to_contain_text("taken back")
    site.go(f"/days/{day.pk}")
    expect(page.get_by_test_id("finish")).to_have_text(before)


def day_with_swaps(began):
    """A log of an unknown kind, once a second: three flights on three packs, the firmware changed after the first."""
    heads = ["q", "zz", "total [V]", "current [A]", "height [m]", "pack tag", "firmware", "warning"]
    lines, at = [], began.timestamp()
    for tag, firmware, low in (("QA", "1.1", 25), ("QB", "1.2", 40), ("QC", "1.2", 40)):
        for k in range(-40, 760):
            up = 0 <= k < 720
            left = 98 - 80 * min(max(k, 0), 720) / 720
            word = "critical" if left <= 20 else "low" if left <= low else "none"
            row = [at, round(left), round(22.0 + left / 50, 2), 26.0 if up else 0.5, 30.0 if up else 0.0, tag, firmware, word]
            lines.append(",".join(str(v) for v in row))
            at += 1
    return "\n".join([",".join(heads), *lines]).encode()


def test_a_day_with_swaps_of_an_unknown_kind_becomes_three_flights_on_three_packs(site, crew):
    """One page asks; then two firmwares are compared from the first warning to the landing."""
    for name, tag in (("01", "QA"), ("02", "QB"), ("03", "QC")):
        Pack.objects.filter(name=name).update(serial=tag)
    page = site.page
    site.sign_in("lena")
    site.go("/logbook")
    page.get_by_text("Nothing was flown in this time").wait_for()
    data = day_with_swaps(datetime.now(UTC) - timedelta(days=2))
    page.locator("input[type=file]").set_input_files({"name": "day.csv", "mimeType": "text/csv", "buffer": data})
    page.get_by_test_id("import").get_by_role("link", name="day.csv").click()
    page.get_by_test_id("columns").wait_for()
    expect(page.get_by_text("2 columns are not certain")).to_be_visible()
    expect(page.get_by_label("What q holds")).to_have_value("time_s")
    expect(page.get_by_label("What zz holds")).to_have_value("left_frac")
    page.get_by_role("button", name="Read it so").click()
    page.wait_for_url("**/logbook")
    flights = page.get_by_test_id("flights").get_by_role("row")
    for name in ("01", "02", "03"):
        expect(flights.filter(has_text=name).first).to_be_visible()
    assert [[p.name for p in f.packs.all()] for f in Flight.objects.order_by("number")] == [["01"], ["02"], ["03"]]

    page.get_by_role("link", name="Compare").click()
    page.get_by_label("compare by").select_option(value="firmware")
    expect(page.get_by_role("heading", name="firmware 1.2")).to_be_visible()
    row = page.get_by_test_id("differences").get_by_role("row").filter(has_text="minutes from first warning to landing")
    expect(row).to_be_visible()
    page.get_by_role("button", name="From first warning").click()
    expect(page.get_by_test_id("overlay").get_by_role("img").first).to_be_visible()
    site.axe()


def test_curves_are_moved_and_looked_at_closely_by_keys_and_wheel(site, crew, truth):
    row = begin_import(actor=crew["lead"], name="long.csv", data=written(truth, "small units", 1, step_s=0.05)[1])
    run_import(row.pk)
    page = site.page
    site.sign_in("lena")
    site.go(f"/logbook/flights/{Flight.objects.get().pk}")
    curves = page.get_by_test_id("curves")
    curves.locator("canvas").first.wait_for()
    whole = float(curves.get_attribute("data-to"))
    curves.focus()
    for _ in range(4):
        page.keyboard.press("+")
    page.keyboard.press("ArrowRight")
    near = float(curves.get_attribute("data-to")) - float(curves.get_attribute("data-from"))
    assert near < 0.2 * whole
    page.wait_for_timeout(400)
    box = curves.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 150)
    page.mouse.wheel(0, -300)
    until(
        page,
        lambda: float(curves.get_attribute("data-to")) - float(curves.get_attribute("data-from")) < near,
        "the wheel brought nothing nearer",
    )
    expect(page.get_by_test_id("under")).to_contain_text("V")
    page.keyboard.press("0")
    assert float(curves.get_attribute("data-to")) == whole


def test_a_log_is_deleted_after_it_was_asked(site, crew, taught):
    page = site.page
    site.sign_in("lena")
    site.go(f"/logbook/flights/{Flight.objects.first().pk}")
    page.get_by_role("button", name="Delete …").click()
    page.get_by_role("button", name="Cancel").click()
    page.get_by_role("button", name="Delete …").click()
    page.get_by_role("button", name="Delete log").click()
    page.wait_for_url("**/logbook")
    page.get_by_text("is deleted").wait_for()
    assert Flight.objects.count() == 3


@pytest.mark.parametrize("gloves", [False, True])
def test_every_page_of_the_book_in_every_light(site, crew, taught, gloves):
    User.objects.filter(username="lena").update(gloves=gloves)
    page = site.page
    site.sign_in("lena")
    for path, word in (
        ("/logbook?from=2026-01-01", "Import logs"),
        (f"/logbook/flights/{Flight.objects.first().pk}", "What it drew"),
        ("/logbook/compare", "What differs"),
        ("/logbook/claims", "Power of the aircraft"),
        ("/logbook/totals?from=2026-01-01", "all, each flight once"),
        ("/logbook?what=charges", "No charge was written down"),
    ):
        site.go(path)
        page.get_by_text(word).first.wait_for()
        page.wait_for_timeout(150)
        site.axe_in_every_light()
    page.set_viewport_size({"width": 820, "height": 1180})
    for path in ("/logbook?from=2026-01-01", f"/logbook/flights/{Flight.objects.first().pk}"):
        site.go(path)
        page.get_by_role("heading", level=1).wait_for()
        page.wait_for_timeout(300)
        assert page.evaluate("document.documentElement.scrollWidth") <= 820


def test_who_only_looks_sees_all_and_changes_nothing(site, crew, taught):
    from tests.factories import person

    person(crew["organisation"], "viv", "viewer")
    page = site.page
    site.sign_in("viv")
    site.go("/logbook/claims")
    button = page.get_by_role("button", name="Plan by this").first
    expect(button).to_be_disabled()
    site.go(f"/logbook/flights/{Flight.objects.first().pk}")
    expect(page.get_by_role("button", name="Delete …")).to_be_disabled()
