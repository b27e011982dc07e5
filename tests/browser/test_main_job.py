"""The main job, as a person does it: from a dropped boundary to the first calls of a day."""

import json
import re
from itertools import pairwise
from pathlib import Path

import pytest
from playwright.sync_api import expect

from quarry.apps.jobs import queries as jobs
from quarry.core.ground.geodesy import distance_m
from tests.browser.maps import pixel
from tests.factories import FIELD, HOME, PASSWORD, make_day, make_job

pytestmark = pytest.mark.browser
BOUNDARY = {
    "type": "FeatureCollection",
    "features": [
        {
            "type": "Feature",
            "properties": {"name": "Lower meadow"},
            "geometry": {"type": "Polygon", "coordinates": [[*FIELD, FIELD[0]]]},
        },
        {"type": "Feature", "properties": {"name": "home"}, "geometry": {"type": "Point", "coordinates": HOME}},
    ],
}
DROP = """([name, text]) => {
  const data = new DataTransfer();
  data.items.add(new File([text], name, { type: 'application/json' }));
  document.querySelector('[role=application]').dispatchEvent(new DragEvent('drop', { dataTransfer: data, bubbles: true, cancelable: true }));
}"""


def sorties(page):
    return page.locator("[data-testid=sorties] tbody tr")


def take(page, home=""):
    """Say what of a file becomes the job: its only area, and one of its points as home, or none."""
    asked = page.get_by_role("dialog", name="What to take from this file")
    if home:
        asked.get_by_label(f"Take {home} as", exact=True).select_option("home")
    asked.get_by_role("button", name="Use this").click()
    asked.wait_for(state="detached")


def test_from_a_dropped_boundary_to_the_first_calls(site, crew, tmp_path):
    page = site.page
    site.sign_in_at_the_door("lena", PASSWORD)
    page.get_by_role("navigation", name="Main").get_by_role("link", name="Jobs").click()
    page.get_by_role("button", name="Make a job").first.click()
    page.get_by_label("What is it called?").fill("Lower meadow")
    page.get_by_role("button", name="Make it").click()
    page.wait_for_url("**/jobs/*")
    site.drawn()
    page.get_by_text("Draw the outline of the area, or drop a file").wait_for()

    page.evaluate(DROP, ["meadow.geojson", json.dumps(BOUNDARY)])
    take(page, home="home")
    page.get_by_text("meadow.geojson: 1 area taken over").wait_for()
    site.saved()
    sorties(page).first.wait_for()
    before = sorties(page).count()
    assert before >= 1
    total = page.get_by_role("button", name=re.compile("time in the air")).inner_text()

    # The working of a number, by mouse and by key.
    spare = page.get_by_role("button", name=re.compile("time to spare on .1"))
    spare.click()
    log = page.locator("[data-working]")
    log.get_by_text("usable = (energy × charge at take-off − reserve) × share left by cold and resistance").wait_for()
    page.keyboard.press("Escape")
    log.wait_for(state="detached")
    spare.focus()
    page.keyboard.press("w")
    log.get_by_text("reserve = share × rated × packs in the set").wait_for()
    site.axe()
    page.keyboard.press("Escape")

    # A corner is moved with the mouse; lines and sorties follow; undo takes it back.
    page.get_by_role("button", name="Areas, places").click()
    corner = page.get_by_label("Corner 3, longitude")
    was = corner.input_value()
    page.wait_for_timeout(400)
    grip = pixel(page, FIELD[2])
    page.mouse.move(*grip)
    page.mouse.down()
    page.mouse.move(grip[0] - 60, grip[1] + 50, steps=8)
    page.mouse.up()
    expect(corner).not_to_have_value(was)
    site.saved()
    assert page.get_by_role("button", name=re.compile("time in the air")).inner_text() != total
    page.keyboard.press("Control+z")
    expect(corner).to_have_value(was)
    site.saved()

    # More wind, entered by hand: no longer assumed, never fewer sorties.
    page.get_by_role("button", name="Aircraft, wind").click()
    wind = page.get_by_label("Wind at flying height")
    wind.fill("7")
    wind.press("Enter")
    site.saved()
    page.get_by_text("7.0 m/s from 240°", exact=True).wait_for()
    assert sorties(page).count() >= before

    # Out as KML and in again gives the same outline.
    page.get_by_role("button", name="Export routes").click()
    with page.expect_download() as told:
        page.get_by_role("menuitem", name="All as KML").click()
    file = tmp_path / told.value.suggested_filename
    told.value.save_as(file)
    assert file.suffix == ".kml"
    page.get_by_label("Boundary file").set_input_files(file)
    take(page)
    page.get_by_text("taken over").last.wait_for()
    site.saved()
    page.get_by_role("button", name="Areas, places").click()
    assert page.get_by_label("Corner 3, longitude").input_value() == was

    # Into a day: packs, ports, and who does what first.
    page.get_by_role("button", name="Schedule").click()
    page.get_by_role("link", name="Make a day for it").click()
    page.wait_for_url("**/days/new**")
    site.axe()
    page.get_by_role("button", name="Make the day").click()
    page.get_by_test_id("finish").wait_for()
    calls = page.get_by_test_id("calls").locator("li")
    assert calls.count() >= 4
    text = page.get_by_test_id("calls").inner_text()
    assert "Launch" in text
    assert "on port" in text
    page.get_by_role("button", name=re.compile("last landing")).click()
    page.locator("[data-working]").get_by_text("no schedule can end before this").wait_for()
    site.axe()


def test_a_day_seen_by_a_pilot_and_told_as_a_table(site, crew):
    job = make_job(crew["lead"], crew["fleet"])
    day = make_day(crew["lead"], crew["fleet"], [job])
    page = site.page
    site.sign_in("otto")
    site.go(f"/days/{day.pk}")
    page.get_by_test_id("finish").wait_for()
    page.keyboard.press("t")
    table = page.get_by_test_id("section-table")
    table.wait_for()
    assert {"flying", "charging", "cooling"} <= set(table.inner_text().replace(",", " ").split())
    site.axe()


PARCELS = Path(__file__).parent.parent / "samples" / "fields" / "valid" / "02-touching-parcels.geojson"


def with_a_pond():
    """The sample of four parcels and their points, a pond cut out of the first."""
    found = json.loads(PARCELS.read_text())
    first = next(f for f in found["features"] if f["geometry"]["type"] == "Polygon")
    x, y = 10.4442, 49.7302
    first["geometry"]["coordinates"].append([[x, y], [x + 0.0005, y], [x + 0.0005, y + 0.0003], [x, y + 0.0003], [x, y]])
    return json.dumps(found)


def test_four_parcels_with_a_pond_in_wind_and_the_rest_of_a_sortie(site, crew, tmp_path):
    """Three of four parcels are sprayed in 6 m/s, every line gets its dose, and what an early landing left is fetched."""
    page = site.page
    site.sign_in("lena")
    job = make_job(
        crew["lead"],
        crew["fleet"],
        name="Brackwell",
        kind="spraying",
        areas=[],
        home=None,
        work={"rate_l_ha": 12.0, "swath_m": 6.0, "tank_l": 16.0, "speed_m_s": 5.0, "height_m": 3.0},
        camera_id=None,
    )
    site.go(f"/jobs/{job.pk}")
    site.drawn()
    page.evaluate(DROP, ["parcels.geojson", with_a_pond()])
    asked = page.get_by_role("dialog", name="What to take from this file")
    asked.get_by_label("Take Brackwell 4 (fallow) as", exact=True).select_option("nothing")
    expect(asked.get_by_label("Take Home as", exact=True)).to_have_value("nothing")
    asked.get_by_label("Take Home as", exact=True).select_option("home")
    asked.get_by_label("Take mast as", exact=True).select_option("obstacle")
    asked.get_by_text("1 hole, not worked").wait_for()
    asked.get_by_label("never crossed, margin").first.check()
    site.axe()
    asked.get_by_role("button", name="Use this: 3 areas").click()
    asked.wait_for(state="detached")
    site.saved()
    result = page.get_by_test_id("import-result")
    result.get_by_text("In the file: 4 areas, 1 hole, 3 points.").wait_for()
    result.get_by_text("Left out as you chose: Brackwell 4 (fallow), gate.").wait_for()

    page.get_by_role("button", name="Aircraft, wind").click()
    wind = page.get_by_label("Wind at flying height")
    wind.fill("6")
    wind.press("Enter")
    site.saved()
    sorties(page).first.wait_for()
    page.get_by_text("How the lines are flown in this wind").click()
    doses = page.get_by_test_id("lines-flown").locator("tbody tr td:last-child").all_inner_texts()
    assert set(doses) == {"12.0"}, "in 6 m/s every line gets what is asked for"

    # S1 came home early: what is left of it, from 60 % of its work on.
    saved = jobs.job_of(job.pk)
    first = jobs.plan_of(saved).sorties[0]
    work = [leg for leg in first.legs if leg.kind in ("line", "transit")]
    clock = work[0].start_s + 0.6 * (work[-1].end_s - work[0].start_s)
    rest = page.get_by_test_id("remainder")
    rest.get_by_text("Export the rest of").click()
    rest.get_by_label("Stopped, given by").select_option("time")
    rest.get_by_label("Stopped at").fill("nonsense")
    rest.get_by_role("button", name="KML").click()
    rest.get_by_text("Type minutes and seconds").wait_for()
    rest.get_by_label("Stopped at").fill(f"{int(clock // 60)}:{clock % 60:04.1f}")
    with page.expect_download() as told:
        rest.get_by_role("button", name="GeoJSON").click()
    file = tmp_path / told.value.suggested_filename
    told.value.save_as(file)
    assert file.name.endswith("-rest.geojson")
    points = [f["properties"] for f in json.loads(file.read_text())["features"] if f["properties"]["role"] == "waypoint"]
    assert [p["kind"] for p in points[:4]] == ["take-off", "safe", "safe", "line start"]
    assert points[3]["action"] == "spray on"
    whole_m = sum(distance_m(*a, *b) for a, b in first.worked)
    features = json.loads(file.read_text())["features"]
    places = [f["geometry"]["coordinates"][:2] for f in features if f["properties"]["role"] == "waypoint"]
    open_m = 0.0
    for (p, a), (_, b) in pairwise(zip(points, places, strict=True)):
        if p["kind"] in ("line start", "line", "bend") and p["line"]:
            open_m += distance_m(*a, *b)
    assert open_m == pytest.approx(0.4 * whole_m, rel=0.1)

    # Nothing of it was lost: the areas can be left out and taken in, each by itself.
    page.get_by_role("button", name="Areas, places").click()
    page.get_by_label("Fly Brackwell 2 (rape)").uncheck()
    site.saved()
    less = page.get_by_role("button", name=re.compile("^area")).first.inner_text()
    page.get_by_label("Fly Brackwell 2 (rape)").check()
    site.saved()
    assert page.get_by_role("button", name=re.compile("^area")).first.inner_text() != less


def test_a_refused_file_changes_nothing_and_stays_to_be_read(site, crew):
    page = site.page
    site.sign_in("lena")
    job = make_job(crew["lead"], crew["fleet"])
    site.go(f"/jobs/{job.pk}")
    site.drawn()
    page.evaluate(DROP, ["torn.geojson", '{"type": "FeatureCollection", "features": ['])
    said = page.get_by_role("alert").filter(has_text="torn.geojson was not imported")
    said.get_by_text("cut off: it ends too early").wait_for()
    said.get_by_text("What was here before is unchanged.").wait_for()
    site.refused()  # the refusal itself, which the browser writes down
    page.get_by_role("button", name="Areas, places").click()
    assert page.get_by_label("Corner 1, longitude").input_value() == f"{FIELD[0][0]:.6f}"
    assert page.get_by_role("button", name="Undo (Ctrl Z)").is_disabled()
    said.get_by_role("button", name="Close").click()
    said.wait_for(state="detached")
