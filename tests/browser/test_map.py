"""The map of a job: large, readable, measured while drawing, places by their coordinates, own pictures of the ground."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest
from playwright.sync_api import expect
from rasterio.io import MemoryFile
from rasterio.transform import Affine

from quarry.apps.jobs.models import Job
from tests.browser.conftest import no_sideways_scroll, until
from tests.browser.maps import pixel, view
from tests.factories import FIELD, HOME, make_job

pytestmark = pytest.mark.browser
TOUCH_PX = 56


@pytest.fixture
def opened(site, crew):
    job = make_job(crew["lead"], crew["fleet"])
    site.sign_in("lena")
    site.go(f"/jobs/{job.pk}")
    site.drawn()
    site.saved()
    return site


def _share(page):
    return page.get_by_test_id("map").bounding_box()["height"] / page.viewport_size["height"]


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (820, 1180), (390, 844)])
def test_the_map_is_the_largest_thing_and_its_tools_fit_a_glove(opened, width, height):
    page = opened.page
    page.set_viewport_size({"width": width, "height": height})
    until(page, lambda: _share(page) >= 0.595, "the map takes six tenths of the height")
    no_sideways_scroll(page)
    page.evaluate("document.documentElement.dataset.gloves = 'true'")
    tools = page.get_by_role("toolbar", name="Map tools").get_by_role("button")
    until(page, lambda: all(b["height"] >= TOUCH_PX - 0.5 for b in _boxes(tools)), "tools as tall as a gloved finger")
    assert all(box["width"] >= 54 for box in _boxes(tools))
    assert all(re.search(r"\w", words) for words in tools.all_inner_texts())
    no_sideways_scroll(page)
    for mark in (page.get_by_role("img", name="Scale"), page.get_by_role("img", name="North is up")):
        box = mark.bounding_box()
        edge = page.get_by_test_id("map").bounding_box()
        assert edge["x"] <= box["x"]
        assert box["x"] + box["width"] <= edge["x"] + edge["width"]
        assert edge["y"] <= box["y"]
        assert box["y"] + box["height"] <= edge["y"] + edge["height"]


def test_the_first_view_shows_the_field_and_home_clear_of_the_tools(opened):
    tools = opened.page.get_by_role("toolbar", name="Map tools").bounding_box()
    for place in (*FIELD, HOME):
        assert pixel(opened.page, place)[1] < tools["y"], place


def _boxes(tools):
    return [b for b in (tools.nth(k).bounding_box() for k in range(tools.count())) if b]


def test_one_key_leaves_the_map_alone_and_panels_fold(opened):
    page = opened.page
    page.keyboard.press("x")
    until(page, lambda: _share(page) > 0.99, "the map fills the window")
    opened.axe()
    page.keyboard.press("Escape")
    until(page, lambda: _share(page) < 0.7, "and comes back")
    page.keyboard.press("b")
    until(page, lambda: _share(page) > 0.8, "the curves fold")
    page.keyboard.press("s")
    expect(page.get_by_role("complementary", name="Figures and sorties")).to_be_hidden()
    page.reload()
    opened.drawn()
    expect(page.get_by_role("complementary", name="Figures and sorties")).to_be_hidden()
    page.get_by_role("button", name="Show figures").click()
    page.get_by_role("button", name="Height and airspeed").click()
    expect(page.get_by_role("heading", name="Minutes by airspeed")).to_be_visible()
    opened.axe()


def test_what_is_drawn_says_leg_bearing_length_and_area_as_it_grows(opened):
    page = opened.page
    page.get_by_role("button", name="Draw an area").click()
    said = page.get_by_role("status").filter(has_text="leg")
    corners = [(7.1035, 46.2010), (7.1035, 46.2020), (7.1025, 46.2020)]
    for place in corners:
        x, y = pixel(page, place)
        page.mouse.move(x - 3, y)
        page.mouse.move(x, y)
        page.mouse.click(x, y)
        page.wait_for_timeout(350)
    x, y = pixel(page, (7.1025, 46.2010))
    page.mouse.move(x, y - 20)
    page.mouse.move(x, y, steps=4)
    expect(said).to_have_text(re.compile(r"leg 1\d\d m at .* area"))
    words = said.inner_text()
    leg, bearing, around, area = (
        float(v.replace(",", ""))
        for v in re.search(r"leg ([\d.]+) m at (\d+)°, round ([\d.]+) m, area ([\d.]+) ha", words).groups()
    )
    wide = 111_320 * math.cos(math.radians(46.2)) * 0.001
    assert leg == pytest.approx(111.2, abs=3)
    assert bearing == pytest.approx(180, abs=2)
    assert around == pytest.approx(2 * 111.2 + 2 * wide, rel=0.03)
    assert area == pytest.approx(111.2 * wide / 10_000, abs=0.06)
    page.keyboard.press("Escape")
    expect(said).to_have_count(0)


def test_a_place_by_its_coordinates_becomes_home_and_the_view_stays(opened):
    page = opened.page
    page.keyboard.press("c")
    field = page.get_by_label("Degrees in any form")
    expect(field).to_be_focused()
    page.keyboard.type("46 12 N")
    page.keyboard.press("Enter")
    panel = page.get_by_role("group", name="Place by coordinates")
    expect(panel).to_contain_text("Only one of the two angles")
    opened.refused()  # the browser notes the refused request
    field.fill("46°11'58.2\" N 7°05'59\" E")
    page.keyboard.press("Enter")
    expect(panel).to_contain_text("46.199500°, 7.099722°")
    page.wait_for_timeout(600)
    before = view(page)
    panel.get_by_role("button", name="Home here").click()
    opened.saved()
    page.wait_for_timeout(400)
    assert view(page) == pytest.approx(before, rel=1e-9)
    page.get_by_role("button", name="Areas, places").click()
    expect(page.get_by_label("Home, latitude")).to_have_value("46.199500")
    for text in ("46.1990, 7.1070", "46.2000 7.1070", "N46 12.0 E7 6.36"):
        field.fill(text)
        page.keyboard.press("Enter")
        panel.get_by_role("button", name=re.compile("corner")).click()
    panel.get_by_role("button", name="Close the area").click()
    opened.saved()
    expect(page.get_by_text("Area 2 added")).to_be_visible()


def test_setting_home_by_hand_moves_nothing_else(opened):
    page = opened.page
    before = view(page)
    page.get_by_role("button", name="Set home").click()
    x, y = pixel(page, (HOME[0] + 0.001, HOME[1]))
    page.mouse.click(x, y)
    page.wait_for_timeout(500)
    opened.saved()
    page.wait_for_timeout(400)
    assert view(page) == pytest.approx(before, rel=1e-9)


def _picture():
    bands = np.zeros((3, 240, 240), dtype="uint8")
    bands[0] = 220
    with MemoryFile() as held:
        with held.open(
            driver="GTiff",
            count=3,
            height=240,
            width=240,
            dtype="uint8",
            crs="EPSG:4326",
            transform=Affine(5e-5, 0, FIELD[0][0] - 0.002, 0, -5e-5, FIELD[0][1] + 0.008),
        ) as out:
            out.write(bands)
        return bytes(held.read())


def test_an_own_picture_lies_under_the_plan_stays_and_is_put_away(opened):
    page = opened.page
    file = {"name": "own flight.tif", "mimeType": "image/tiff", "buffer": _picture()}
    with page.expect_response(re.compile(r"/api/imagery/[\w-]+/\d+/\d+/\d+$")) as tile:
        page.get_by_label("Boundary file").set_input_files(file)
    assert tile.value.headers["content-type"] == "image/webp"
    notice = page.get_by_text("own flight.tif: taken as a picture")
    notice.wait_for()
    page.wait_for_timeout(700)
    box = notice.locator("..").bounding_box()
    tools = page.get_by_role("toolbar", name="Map tools").get_by_role("button")
    assert not any(_meet(box, b) for b in _boxes(tools)), "a notice covers no tool"
    page.reload()
    opened.drawn()
    page.keyboard.press("y")
    panel = page.get_by_role("group", name="Layers")
    expect(panel.get_by_label("own flight")).to_be_checked()
    opened.axe()
    panel.get_by_role("button", name="archive").click()
    expect(panel.get_by_label("own flight")).to_have_count(0)
    page.get_by_role("button", name="Undo", exact=True).last.click()
    expect(panel.get_by_label("own flight")).to_be_checked()


def _meet(a, b):
    across = a["x"] < b["x"] + b["width"] and b["x"] < a["x"] + a["width"]
    return across and a["y"] < b["y"] + b["height"] and b["y"] < a["y"] + a["height"]


def test_lines_across_and_rows_along_walls_that_are_drawn_become_lines_of_the_plan(opened):
    page = opened.page
    page.get_by_role("button", name="Lines, breaks").click()
    passes = page.get_by_test_id("passes")
    passes.get_by_role("button", name="Add lines across").click()
    expect(passes.get_by_test_id("pass-takes")).to_contain_text("pictures, one every")
    passes.get_by_label("Camera tilted ahead by").fill("75")
    passes.get_by_label("Camera tilted ahead by").press("Enter")
    expect(passes).to_contain_text("give a value from 0 to 60")
    passes.get_by_label("Camera tilted ahead by").fill("20")
    passes.get_by_label("Camera tilted ahead by").press("Enter")
    expect(passes.get_by_test_id("pass-takes")).to_be_visible()
    passes.get_by_role("button", name="Draw an outline").click()
    middle = [(FIELD[0][0] + FIELD[2][0]) / 2, (FIELD[0][1] + FIELD[2][1]) / 2]
    around = [(-0.0003, -0.0002), (0.0003, -0.0002), (0.0003, 0.0002), (-0.0003, 0.0002)]
    corners = [pixel(page, [middle[0] + x, middle[1] + y]) for x, y in around]
    for x, y in corners:
        page.mouse.click(x, y)
        page.wait_for_timeout(300)
    page.mouse.dblclick(*corners[-1])
    passes.get_by_label("Fly", exact=True).select_option("walls")
    opened.saved()
    expect(passes.get_by_test_id("pass-takes")).to_have_count(2)
    expect(passes).to_contain_text("Structure 1")
    job = Job.objects.get()
    assert [s["how"] for s in job.site["structures"]] == ["walls"]
    opened.axe()
    page.set_viewport_size({"width": 390, "height": 844})
    no_sideways_scroll(page)
