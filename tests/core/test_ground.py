"""Geodesy, terrain, and the three kinds of work beyond the published rows."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyproj import Geod
from scipy.interpolate import RegularGridInterpolator

from quarry.core.base.errors import BadGeometry, OutOfRange
from quarry.core.ground.geodesy import LocalFrame, check_lonlat, distance_m, ring_area_m2
from quarry.core.ground.mapping import Camera, MappingTask, height_for_sample_m, mapping_figures
from quarry.core.ground.outline import make_area
from quarry.core.ground.search import SearchTask, coverage_for_detection, search_figures
from quarry.core.ground.terrain import TerrainGrid, contours, hill_shade, read_ascii_grid
from quarry.core.spraying.rate import (
    SprayTask,
    application_rate_l_ha,
    flow_for_rate_l_min,
    speed_for_flow_m_s,
    spray_figures,
    tank_loads,
)
from quarry.simulators.ground import ascii_grid, boundary, upland

GEOD = Geod(ellps="WGS84")
sites = st.tuples(st.floats(-179, 179), st.floats(-70, 70))


@given(sites, st.floats(0, 359), st.floats(10, 10_000))
def test_local_metres_keep_lengths_to_the_stated_error(site, bearing, length):
    """pyproj's geodesic (Karney 2013) is the outside reference."""
    lon, lat, _ = GEOD.fwd(*site, bearing, length)
    if abs(lon - site[0]) > 90:
        return
    frame = LocalFrame(*site)
    ((x, y),) = frame.to_metres([(lon, lat)])
    allowed = 2 * LocalFrame.scale_error_frac(length) + 1e-7
    assert math.hypot(x, y) == pytest.approx(length, rel=allowed, abs=1e-3)
    (back,) = frame.to_degrees([(x, y)])
    assert back == (pytest.approx(lon, abs=1e-8), pytest.approx(lat, abs=1e-8))


@given(sites, st.integers(1, 60))
def test_area_in_local_metres_is_the_area_on_the_ellipsoid(site, seed):
    ring = [(x, y) for x, y in boundary(*site, radius_m=400, seed=seed)]
    if max(p[0] for p in ring) > 180 or min(p[0] for p in ring) < -180:
        return
    flat = make_area(LocalFrame.around(ring).to_metres(ring)).area_m2
    assert flat == pytest.approx(ring_area_m2(ring), rel=2e-6)


@pytest.mark.parametrize(
    ("lon", "lat", "words"),
    [(55.1, -104.3, "coordinates look swapped"), (431_200.0, 5_512_400.0, "not in degrees"), (200.0, 10.0, "not in degrees")],
)
def test_points_that_are_not_degrees_are_told_apart(lon, lat, words):
    with pytest.raises(BadGeometry, match=words):
        check_lonlat(lon, lat)


def test_an_outline_over_the_date_line_is_one_piece():
    frame = LocalFrame.around([(179.99, 10.0), (-179.99, 10.0), (179.99, 10.1)])
    flat = frame.to_metres([(179.99, 10.0), (-179.99, 10.0)])
    assert math.dist(*flat) == pytest.approx(distance_m(179.99, 10.0, -179.99, 10.0), rel=1e-5)
    assert flat[0][0] < flat[1][0]


def test_no_points_give_no_points():
    frame = LocalFrame(0.0, 50.0)
    assert frame.to_metres([]) == []
    assert frame.to_degrees([]) == []


RIDGE = TerrainGrid(5.0, 50.0, 0.001, 0.001, np.add.outer(np.arange(12.0) * 3, np.arange(15.0) * 2) + 100)


@given(st.floats(5.0, 5.0139), st.floats(50.0, 50.0109))
def test_height_between_the_posts_is_linear_as_scipy_says(lon, lat):
    rows, columns = RIDGE.heights_m.shape
    posts = (50.0 + 0.001 * np.arange(rows), 5.0 + 0.001 * np.arange(columns))
    want = RegularGridInterpolator(posts, RIDGE.heights_m, bounds_error=False, fill_value=None)([[lat, lon]])[0]
    assert RIDGE.height_m(lon, lat) == pytest.approx(want, abs=1e-6)


def test_outside_the_grid_there_is_no_height():
    assert RIDGE.height_m(4.99, 50.005) is None
    assert RIDGE.height_m(5.005, 50.2) is None
    assert RIDGE.height_m(*RIDGE.bounds[:2]) == 100.0


def test_contours_lie_at_their_height():
    for level, lines in contours(RIDGE, 5.0):
        assert level % 5 == 0
        for line in lines:
            for lon, lat in line[1:-1]:
                assert RIDGE.height_m(lon, lat) == pytest.approx(level, abs=1e-6)


def test_light_from_the_north_west_falls_on_slopes_that_face_it():
    """A slope of 45° that faces the light is lit fully, the one behind it not at all."""
    metres = np.arange(9) * 111_320.0 * 0.001 / math.sqrt(2)
    facing = TerrainGrid(0.0, -0.004, 0.001, 0.001, np.add.outer(-metres, metres))
    behind = TerrainGrid(0.0, -0.004, 0.001, 0.001, np.add.outer(metres, -metres))
    assert hill_shade(facing)[4, 4] >= 253
    assert hill_shade(behind)[4, 4] <= 2
    flat = hill_shade(TerrainGrid(0.0, 0.0, 0.001, 0.001, np.zeros((5, 5))))
    assert flat[2, 2] == pytest.approx(255 * math.sin(math.radians(45)), abs=1)


def test_the_simulated_sheet_survives_the_open_grid_format():
    sheet = upland(7.0, 46.0, seed=3, cells=40)
    grid = read_ascii_grid(ascii_grid(sheet, sheet.cell_deg))
    assert grid.heights_m.shape == (40, 40)
    assert np.abs(grid.heights_m - sheet.heights_m).max() <= 0.05 + 1e-9
    assert grid.west_deg == pytest.approx(sheet.west_deg, abs=1e-7)
    assert np.array_equal(upland(7.0, 46.0, seed=3, cells=40).heights_m, sheet.heights_m), "one seed, one ground"


def test_corner_and_centre_headers_of_a_grid_differ_by_half_a_cell():
    body = "ncols 2\nnrows 2\n{} 10\n{} 20\ncellsize 0.5\nNODATA_value -9999\n1 2\n3 4\n"
    corner = read_ascii_grid(body.format("xllcorner", "yllcorner"))
    centre = read_ascii_grid(body.format("xllcenter", "yllcenter"))
    assert corner.west_deg == centre.west_deg + 0.25
    assert centre.height_m(10.0, 20.0) == 3.0, "rows run from the north"


@pytest.mark.parametrize(
    ("text", "words"),
    [("nrows 2\ncellsize 1\n1 2", "lacks 'ncols'"), ("ncols 2\nnrows 2\ncellsize 1\n1 2 3", "should hold 4 heights and holds 3")],
)
def test_a_damaged_grid_is_refused(text, words):
    with pytest.raises(BadGeometry, match=words):
        read_ascii_grid(text)


@given(st.floats(20, 150), st.floats(0.3, 0.9), st.floats(0.3, 0.9), st.floats(2, 15))
def test_pictures_overlap_as_wanted(height, side, ahead, speed):
    camera = Camera("c", 23.5, 15.6, 16.0, 6000, 4000)
    f = mapping_figures(MappingTask(camera, height, side, ahead, speed))
    assert 1 - f.spacing_m / f.footprint_w_m == pytest.approx(side)
    assert 1 - f.trigger_m / f.footprint_h_m == pytest.approx(ahead)
    assert height_for_sample_m(f.ground_sample_m, 16.0, 6000, 23.5) == pytest.approx(height)


@given(st.floats(2, 60), st.floats(1, 12), st.floats(2, 10), st.floats(5, 40), st.floats(0.5, 30))
def test_what_flows_is_what_lands(rate, swath, speed, tank, area):
    f = spray_figures(SprayTask(rate, swath, tank, speed, 3.0), area)
    minutes = area * 1e4 / (swath * speed) / 60
    assert f.flow_l_min * minutes == pytest.approx(f.volume_l, rel=1e-9)
    assert f.loads * tank >= f.volume_l - 1e-6 > (f.loads - 1) * tank - 1e-6
    assert f.tank_line_m * swath / 1e4 * rate == pytest.approx(tank, rel=1e-9)
    assert tank_loads(tank, tank) == 1


@given(st.floats(0.05, 0.99))
def test_coverage_for_a_wanted_detection_gives_that_detection(target):
    for law in ("random", "inverse_cube", "definite"):
        coverage = coverage_for_detection(target, law)
        got = search_figures(SearchTask(50.0, min(max(coverage, 0.05), 5.0), law, 8.0, 60.0), 1e5).detection_frac
        if 0.05 <= coverage <= 5.0:
            assert got == pytest.approx(target, abs=1e-6)


@pytest.mark.parametrize(
    ("make", "field"),
    [
        (lambda: Camera("c", -1.0, 8.8, 8.8, 5472, 3648), "camera.sensor_w_mm"),
        (lambda: Camera("c", 13.2, 8.8, 0.0, 5472, 3648), "camera.focal_mm"),
        (lambda: MappingTask(Camera("c", 13.2, 8.8, 8.8, 5472, 3648), -5.0, 0.7, 0.8, 8.0), "work.height_m"),
        (lambda: MappingTask(Camera("c", 13.2, 8.8, 8.8, 5472, 3648), 50.0, 1.0, 0.8, 8.0), "work.side_overlap_frac"),
        (lambda: MappingTask(Camera("c", 13.2, 8.8, 8.8, 5472, 3648), 50.0, 0.7, 0.8, 99.0), "work.speed_m_s"),
        (lambda: SprayTask(-2.0, 5.0, 16.0, 5.0, 3.0), "work.rate_l_ha"),
        (lambda: SprayTask(15.0, 5.0, 1e6, 5.0, 3.0), "work.tank_l"),
        (lambda: SearchTask(0.0, 1.0, "random", 8.0, 60.0), "work.sweep_width_m"),
        (lambda: SearchTask(50.0, float("nan"), "random", 8.0, 60.0), "work.coverage"),
        (lambda: coverage_for_detection(1.0, "random"), "work.detection_frac"),
    ],
)
def test_absurd_work_is_refused_at_its_field(make, field):
    with pytest.raises(OutOfRange) as bad:
        make()
    assert bad.value.field == field
    assert "give a value from" in bad.value.message


@given(st.floats(2, 60), st.floats(1, 12), st.floats(1, 15))
def test_rate_flow_and_speed_are_three_sides_of_one_triangle(rate, swath, speed):
    flow = flow_for_rate_l_min(rate, speed, swath)
    assert application_rate_l_ha(flow, speed, swath) == pytest.approx(rate)
    assert speed_for_flow_m_s(flow, rate, swath) == pytest.approx(speed)
