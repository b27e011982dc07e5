"""The main job, as a person does it: from a dropped boundary to the first calls of a day."""

import json
import math
import re

import pytest
from playwright.sync_api import expect

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


PADDING = (64, 150, 66, 110)  # of the map when it shows the whole job: top, right, bottom, left


def mercator(place):
    """Web Mercator, the map's own plane."""
    lon, lat = math.radians(place[0]), math.radians(place[1])
    return 6_378_137.0 * lon, 6_378_137.0 * math.log(math.tan(math.pi / 4 + lat / 2))


def pixel(box, place):
    """Where a place lies on the screen once outline and home have been brought into view."""
    xs, ys = zip(*(mercator(p) for p in [*FIELD, HOME]), strict=True)
    top, right, bottom, left = PADDING
    inner = (box["width"] - left - right, box["height"] - top - bottom)
    scale = max((max(xs) - min(xs)) / inner[0], (max(ys) - min(ys)) / inner[1])
    x, y = mercator(place)
    return (
        box["x"] + left + inner[0] / 2 + (x - (min(xs) + max(xs)) / 2) / scale,
        box["y"] + top + inner[1] / 2 - (y - (min(ys) + max(ys)) / 2) / scale,
    )


def sorties(page):
    return page.locator("[data-testid=sorties] tbody tr")


def take(page, home=""):
    """Say what of a file becomes the job: its only area, and one of its points as home, or none."""
    asked = page.get_by_role("dialog", name="What to take from this file")
    if home:
        asked.get_by_role("radio", name=re.compile(home)).last.check()
    asked.get_by_role("button", name="Use").click()
    asked.wait_for(state="detached")


def test_from_a_dropped_boundary_to_the_first_calls(site, crew, tmp_path):
    page = site.page
    site.sign_in_at_the_door("lena", PASSWORD)
    page.get_by_role("button", name="Make a job").first.click()
    page.get_by_label("What is it called?").fill("Lower meadow")
    page.get_by_role("button", name="Make it").click()
    page.wait_for_url("**/jobs/*")
    site.drawn()
    page.get_by_text("Draw the outline of the area, or drop a file").wait_for()

    page.evaluate(DROP, ["meadow.geojson", json.dumps(BOUNDARY)])
    take(page, home="home")
    page.get_by_text("outline with 4 corners taken over").wait_for()
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
    page.get_by_role("button", name="Places").click()
    corner = page.get_by_label("Corner 3, longitude")
    was = corner.input_value()
    box = page.locator("[data-testid=map]").bounding_box()
    page.wait_for_timeout(400)
    grip = pixel(box, FIELD[2])
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
    wind = page.get_by_label("Wind up there")
    wind.fill("7")
    wind.press("Enter")
    site.saved()
    page.get_by_text("7.0 m/s from 240°", exact=True).wait_for()
    assert sorties(page).count() >= before

    # Out as KML and in again gives the same outline.
    page.get_by_role("button", name="Routes out").click()
    with page.expect_download() as told:
        page.get_by_role("menuitem", name="All as KML").click()
    file = tmp_path / told.value.suggested_filename
    told.value.save_as(file)
    assert file.suffix == ".kml"
    page.get_by_label("Outline file").set_input_files(file)
    take(page)
    page.get_by_text("taken over").last.wait_for()
    site.saved()
    page.get_by_role("button", name="Places").click()
    assert page.get_by_label("Corner 3, longitude").input_value() == was

    # Into a day: packs, ports, and who does what first.
    page.get_by_role("button", name="Put into the day").click()
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
