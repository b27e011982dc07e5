"""Further passes of a mapping job: tilted lines, rings, walls; against geometry done another way."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Point, Polygon

from quarry.core.base.errors import CoreError, Infeasible, OutOfRange
from quarry.core.covered.footprints import Frames, footprints
from quarry.core.flight.energy import Airframe, PackFigures
from quarry.core.ground.coverage import plan_coverage
from quarry.core.ground.lines import LineTask, heights_set_m, reversed_coverage
from quarry.core.ground.mapping import Camera, MappingTask, mapping_figures
from quarry.core.ground.outline import KeepOut, make_area
from quarry.core.ground.passes import (
    GridPass,
    Passes,
    Structure,
    Wanted,
    check_passes,
    figures_of,
    grid_rows,
    looks_ahead_m,
    nearest_edge_m,
    row_heights_m,
    structure_rows,
    with_passes,
)
from quarry.core.ground.relief import Course, route_relief
from quarry.core.sorties.joint import plan_together
from quarry.core.sorties.plan import SortieTask
from tests.core.shapes import fields

CAMERA = Camera("C", 13.2, 8.8, 8.8, 5472, 3648)
WANTED = Wanted(CAMERA, 80.0, 0.7, 0.8, 0.001)
FIELD = [(0.0, 0.0), (400.0, 0.0), (400.0, 300.0), (0.0, 300.0)]
SHED = ((100.0, 100.0), (140.0, 100.0), (140.0, 120.0), (100.0, 120.0))


def task(spacing_m=36.0):
    return LineTask(spacing_m, 9.0, 4.0, home=(-20.0, -20.0))


def passes(*things, keep_outs=(), ring=FIELD, wanted=WANTED):
    grids = tuple(x for x in things if isinstance(x, GridPass))
    return Passes(make_area(ring, keep_outs), task(), wanted, grids, tuple(x for x in things if isinstance(x, Structure)))


def covered(p):
    return with_passes(plan_coverage(p.area, p.task), p).best


@given(st.floats(0.0, 50.0))
@settings(max_examples=40)
def test_a_tilted_picture_is_laid_by_its_nearest_edge(tilt):
    """The width of the nearest edge on level ground, from rays carried to it one by one, is what the spacing is made from."""
    frames = Frames(np.zeros(1), np.zeros((1, 2)), np.array([80.0]), np.zeros(1), np.array([tilt]), np.zeros(1))
    shapes, _ = footprints(frames, CAMERA)
    if not shapes:
        return
    corners = np.array(shapes[0].exterior.coords)[:-1]
    near = np.sort(corners[:, 1])[:2]
    edge = corners[np.isin(corners[:, 1], near)]
    width = float(np.ptp(edge[:, 0]))
    depth = nearest_edge_m(80.0, tilt, WANTED.half_angle_deg)
    # The corner rays lie off the middle of the edge, at the same depth along the axis.
    assert depth * CAMERA.sensor_w_mm / CAMERA.focal_mm == pytest.approx(width, rel=1e-6)
    middle = (corners[:, 1].min() + corners[:, 1].max()) / 2
    assert looks_ahead_m(80.0, tilt) <= middle + 1e-6


def test_straight_down_a_further_pass_is_laid_as_the_first():
    made = grid_rows(passes(GridPass(90.0)), GridPass(90.0), 0.0, 1)
    plain = mapping_figures(MappingTask(CAMERA, 80.0, 0.7, 0.8, 9.0, 0.001))
    assert made.figures.laid.spacing_m == pytest.approx(plain.spacing_m)
    assert made.figures.laid.trigger_m == pytest.approx(plain.trigger_m)
    assert made.figures.sample_m == pytest.approx(plain.ground_sample_m)
    for way in made.ways:
        assert abs(way[0][0] - way[-1][0]) < 1e-6  # north and south, across lines that run east


def test_tilted_lines_reach_so_far_that_every_place_is_seen():
    g = GridPass(0.0, 30.0)
    made = grid_rows(passes(g), g, 0.0, 1)
    ahead = 80.0 * math.tan(math.radians(30.0))
    assert made.figures.laid.beyond_m == pytest.approx(ahead)
    xs = np.array([p[0] for way in made.ways for p in way])
    assert xs.min() == pytest.approx(-ahead, abs=1.0)
    assert xs.max() == pytest.approx(400.0 + ahead, abs=1.0)
    assert made.figures.sample_m == pytest.approx(80.0 / math.cos(math.radians(30.0)) * 13.2 / (8.8 * 5472))


@pytest.mark.parametrize("g", [GridPass(0.0, 30.0), GridPass(90.0, 0.0), GridPass(37.0, 15.0)])
def test_no_pass_crosses_ground_that_is_never_flown_over(g):
    pond = KeepOut(((180.0, 120.0), (230.0, 120.0), (230.0, 170.0), (180.0, 170.0)), margin_m=5.0)
    c = covered(passes(g, keep_outs=[pond]))
    legs = [LineString([a, b]) for a, b in zip(c.path, c.path[1:], strict=False) if a != b]
    assert sum(leg.intersection(Polygon(pond.ring)).length for leg in legs) < 1e-6


def test_rings_stand_off_and_turn_their_camera_to_the_middle():
    s = Structure(SHED, "rings", 10.0, 15.0, 8.0, 20.0, 3.0)
    made = structure_rows(passes(s), s, 1)
    shed, middle = Polygon(SHED), np.array([120.0, 110.0])
    for way, look in zip(made.ways, made.flown_as, strict=True):
        line = LineString(way)
        assert line.distance(shed) >= 15.0 - 0.2
        assert np.ptp(np.hypot(*(np.array(way) - middle).T)) < 1e-6
        assert look.toward == pytest.approx((120.0, 110.0))
        # Looked along, the middle of its height stands at the middle of the picture.
        radius = float(np.hypot(*(np.array(way[0]) - middle)))
        assert math.tan(math.radians(90.0 - look.tilt_deg)) == pytest.approx(max(0.0, look.above_m - 5.0) / radius, abs=1e-9)
    heights = sorted({x.above_m for x in made.flown_as})
    apart = 15.0 * 8.8 / 8.8 * 0.3
    assert (heights[0], heights[-1]) == (8.0, 20.0)
    assert np.diff(heights).max() <= apart + 1e-9
    assert len(heights) == math.ceil(12.0 / apart) + 1


def test_rows_along_walls_look_square_at_them_and_only_at_those_that_face_so():
    s = Structure(SHED, "walls", 10.0, 12.0, 3.0, 9.0, 2.0)
    made = structure_rows(passes(s), s, 1)
    shed = Polygon(SHED)
    rows = len(row_heights_m(s, WANTED))
    assert len(made.ways) == 4 * rows
    for way, look in zip(made.ways, made.flown_as, strict=True):
        assert LineString(way).distance(shed) == pytest.approx(12.0, abs=1e-6)
        middle = np.mean(way, axis=0)
        seen = middle + 12.0 * np.array([math.sin(math.radians(look.heading_deg)), math.cos(math.radians(look.heading_deg))])
        assert shed.exterior.distance(Point(seen)) < 1e-6
        assert look.tilt_deg == 90.0
    south = Structure(SHED, "walls", 10.0, 12.0, 3.0, 9.0, 2.0, facing_deg=180.0)
    for way in structure_rows(passes(south), south, 1).ways:
        assert way[0][1] == way[1][1] == pytest.approx(88.0)


def test_what_lies_over_ground_that_is_never_flown_over_is_left_out_and_told():
    s = Structure(SHED, "walls", 10.0, 12.0, 3.0, 3.0, 2.0)
    near = KeepOut(((90.0, 60.0), (120.0, 60.0), (120.0, 95.0), (90.0, 95.0)))
    made = structure_rows(passes(s, keep_outs=[near]), s, 1)
    assert "20 m of rows" in made.figures.left_out
    assert all(LineString(way).intersection(Polygon(near.ring)).length < 1e-6 for way in made.ways)
    around = KeepOut(((60.0, 60.0), (180.0, 60.0), (180.0, 160.0), (60.0, 160.0)))
    with pytest.raises(Infeasible, match="No row round"):
        structure_rows(passes(s, keep_outs=[around]), s, 1)


def test_a_coverage_with_passes_keeps_its_lines_and_flies_each_as_it_is_meant():
    p = passes(GridPass(90.0), GridPass(45.0, 25.0), Structure(SHED, "walls", 10.0, 12.0, 3.0, 9.0, 2.0))
    plain, c = plan_coverage(p.area, p.task).best, covered(p)
    assert c.path[: len(plain.path)] == plain.path
    assert [c.line_as(k).part for k in range(c.line_count)] == sorted(c.line_as(k).part for k in range(c.line_count))
    figures = figures_of(p, c)
    assert [f.laid.part for f in figures] == [1, 2, 3]
    assert sum(f.lines for f in figures) == c.line_count - plain.line_count
    assert sum(f.on_line_m for f in figures) == pytest.approx(c.on_line_m - plain.on_line_m, rel=1e-9)
    back = reversed_coverage(c, p.task)
    assert [back.line_as(k) for k in range(back.line_count)] == [c.line_as(k) for k in range(c.line_count)][::-1]
    # Whichever end it begins from, the ground comes first.
    for other in with_passes(plan_coverage(p.area, p.task), p).others:
        assert other.line_as(0).part == 0
        assert other.line_as(other.line_count - 1).part == 3
    # No way between two rows goes through the shed.
    for a, b, line in zip(c.path, c.path[1:], c.path_line, strict=False):
        if line < 0 and a != b and len(plain.path) < c.path.index(b):
            assert LineString([a, b]).distance(Polygon(SHED)) > 3.0 or not LineString([a, b]).intersects(Polygon(SHED))


def test_a_shed_beside_a_pond_is_flown_around_both():
    """Lines over the ground end at the pond, some of them above the shed: the way to its rows goes out and around."""
    pond = KeepOut(((142.0, 90.0), (190.0, 90.0), (190.0, 150.0), (142.0, 150.0)))
    p = passes(GridPass(90.0), Structure(SHED, "walls", 10.0, 12.0, 3.0, 9.0, 2.0), keep_outs=[pond])
    check_passes(p)
    c = covered(p)
    legs = [(a, b) for a, b, line in zip(c.path, c.path[1:], c.path_line, strict=False) if a != b and line < 0]
    assert all(LineString(leg).intersection(Polygon(pond.ring)).length < 1e-6 for leg in legs)
    first_row = next(k for k, line in enumerate(c.path_line) if line >= 0 and c.line_as(line).part == 2)
    low = [(a, b) for a, b in zip(c.path[first_row:], c.path[first_row + 1 :], strict=False) if a != b]
    assert all(LineString(leg).distance(Polygon(SHED)) > 6.0 for leg in low)


def test_passes_are_cut_into_sorties_at_their_own_heights_and_speeds():
    p = passes(Structure(SHED, "rings", 10.0, 15.0, 8.0, 20.0, 2.5))
    craft = Airframe("A", 615.0, 12.0, 80.0, 4.0, mass_kg=6.4, rotors_count=6, rotor_m=0.38)
    base = SortieTask((-20.0, -20.0), craft, PackFigures("1", 355.0), 9.0, return_m=80.0, height_m=80.0)

    def over(c):
        course = Course(80.0, 5.0, craft.climb_m_s, 9.0, heights_set_m(c, 80.0))
        relief = route_relief(np.array(c.path), lambda xy: np.zeros(len(xy)), course, assumed=True)
        return SortieTask(base.home, craft, base.pack, 9.0, return_m=80.0, height_m=80.0, relief=relief)

    joint = plan_together(with_passes(plan_coverage(p.area, p.task), p), p.task, over)
    ring = [x for x in joint.plan.flown if joint.coverage.line_as(x.line).part == 1]
    rest = [x for x in joint.plan.flown if joint.coverage.line_as(x.line).part == 0]
    assert {x.ground_m_s for x in ring} == {2.5}
    assert {x.ground_m_s for x in rest} == {9.0}
    # A ring at 2.5 m/s takes nearly hover power, more than the way at 9 m/s.
    assert min(x.power_w for x in ring) > max(x.power_w for x in rest)
    seconds = sum(leg.end_s - leg.start_s for s in joint.plan.sorties for leg in s.legs if leg.line >= 0)
    turns_s = 4.0 * (joint.coverage.line_count - 1)
    assert seconds == pytest.approx(sum(x.length_m / x.ground_m_s for x in joint.plan.flown) + turns_s, rel=0.02)


@pytest.mark.parametrize(
    ("thing", "field"),
    [
        (GridPass(90.0, 75.0), "lines.passes.0.tilt_deg"),
        (GridPass(90.0, 58.0), "lines.passes.0.tilt_deg"),
        (Structure(SHED, "rings", 10.0, 1.0, 8.0, 20.0, 3.0), "site.structures.0.stand_off_m"),
        (Structure(SHED, "rings", 10.0, 10.0, 20.0, 8.0, 3.0), "site.structures.0.high_m"),
        (Structure(SHED, "walls", 200.0, 2.0, 3.0, 200.0, 3.0), "site.structures.0.stand_off_m"),
        (Structure(SHED[:2], "walls", 10.0, 10.0, 3.0, 9.0, 3.0), "site.structures.0.ring"),
        (Structure(SHED, "walls", 10.0, 10.0, 3.0, 9.0, math.nan), "site.structures.0.speed_m_s"),
    ],
)
def test_what_cannot_be_is_refused_at_its_field(thing, field):
    with pytest.raises(CoreError) as bad:
        check_passes(passes(thing))
    assert bad.value.field == field
    assert isinstance(bad.value, OutOfRange | Infeasible) or field.endswith("ring")


@given(fields(), st.floats(0, 180), st.floats(0, 40), st.sampled_from(["rings", "walls"]), st.floats(3, 40))
@settings(max_examples=25)
def test_any_ground_and_any_thing_can_be_flown_or_is_refused_in_words(ring, turn, tilt, how, off):
    try:
        p = passes(GridPass(turn, tilt), Structure(tuple(ring), how, 12.0, off, 4.0, 14.0, 3.0), ring=ring)
        check_passes(p)
        c = covered(p)
    except CoreError:
        return
    assert len(c.path_line) == len(c.path) - 1
    assert set(range(c.line_count)) <= set(c.path_line)
    assert len(c.flown_as) == c.line_count
    assert np.isfinite(np.array(c.path)).all()
