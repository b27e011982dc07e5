"""Coverage lines: what they promise on any ground, and the wind's say."""

import math
import random
import warnings
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, MultiPolygon, Point, Polygon

from quarry.core.base.errors import BadGeometry, Infeasible, OutOfRange
from quarry.core.flight.wind import CALM, Wind
from quarry.core.ground.coverage import coverage_at, plan_coverage, sweep_directions
from quarry.core.ground.detour import Detours, shut_gaps
from quarry.core.ground.lines import LineTask, angle_of, bearing_of
from quarry.core.ground.outline import KeepOut, check_ring, hectares, make_area, min_width
from quarry.core.ground.rows import chords, edges_of, join_gaps, row_positions
from tests.core.shapes import covers, fields, holes

SQUARE = ((0.0, 0.0), (300.0, 0.0), (300.0, 300.0), (0.0, 300.0))
U_SHAPE = ((0, 0), (300, 0), (300, 250), (220, 250), (220, 60), (80, 60), (80, 250), (0, 250))


def task(**over):
    return LineTask(**{"spacing_m": 20.0, "speed_m_s": 8.0, "turn_s": 4.0} | over)


@settings(max_examples=40, deadline=None)
@given(fields(), st.floats(8, 40), st.floats(0, 180))
def test_cover_leaves_no_point_farther_than_half_a_spacing(ring, spacing, angle):
    area = make_area(ring)
    found = coverage_at(area, task(spacing_m=spacing), angle)
    assert covers(area.worked, found.lines, spacing) < 1e-6
    assert found.uncovered_frac < 1e-6


@settings(max_examples=25, deadline=None)
@given(fields(least=120.0), holes(), st.floats(10, 30))
def test_a_forbidden_keep_out_is_never_crossed_and_all_else_is_covered(ring, hole, spacing):
    area = make_area(ring, [KeepOut(hole, "never", 2.0)])
    plan = plan_coverage(area, task(spacing_m=spacing, refine=2, step_deg=15))
    best = plan.best
    core = area.forbidden.buffer(-0.3)
    for p, q in pairwise(best.path):
        assert not LineString([p, q]).intersects(core) or p == q
    assert covers(area.worked, best.lines, spacing) == pytest.approx(best.uncovered_frac, abs=2e-3)
    assert best.uncovered_frac < 0.01


@settings(max_examples=25, deadline=None)
@given(fields(), holes())
def test_an_unworked_keep_out_may_be_crossed_but_is_taken_off_the_area(ring, hole):
    whole, less = make_area(ring), make_area(ring, [KeepOut(hole, "unworked")])
    cut = Polygon(hole).intersection(Polygon(ring)).area
    assert less.area_m2 == pytest.approx(whole.area_m2 - cut, rel=1e-9)
    assert less.forbidden.is_empty


@settings(max_examples=30, deadline=None)
@given(fields(), st.floats(10, 40), st.floats(0, 180))
def test_clip_lines_stay_inside_and_their_strips_keep_the_area(ring, spacing, angle):
    area = make_area(ring)
    found = coverage_at(area, task(spacing_m=spacing, ends="clip"), angle)
    near = area.worked.buffer(0.05)
    # Short gaps may be flown straight across: a line then leaves the area, its ends do not.
    for x1, y1, x2, y2 in found.lines:
        assert near.contains(Point(x1, y1))
        assert near.contains(Point(x2, y2))
    assert found.on_line_m * spacing == pytest.approx(area.area_m2, rel=0.5)


def test_the_path_visits_every_line_once_in_order():
    area = make_area(U_SHAPE)
    best = plan_coverage(area, task(home=(150.0, -40.0))).best
    at = 0
    for n, (x1, y1, x2, y2) in enumerate(best.lines):
        leg = best.path_line.index(n)
        assert leg >= at
        at = leg
        assert best.path[leg] == (x1, y1)
        assert best.path[leg + 1] == (x2, y2)
    assert sorted(k for k in best.path_line if k >= 0) == list(range(len(best.lines)))
    length = sum(math.dist(p, q) for p, q in pairwise(best.path))
    assert best.time_s == pytest.approx(length / 8.0 + 4.0 * (len(best.lines) - 1), rel=1e-6)


def test_lines_along_the_longest_edge_save_turns_on_a_long_field():
    area = make_area(((0, 0), (600, 0), (600, 100), (0, 100)))
    plan = plan_coverage(area, task())
    assert bearing_of(plan.best.angle_deg) == pytest.approx(90.0, abs=0.5)
    assert len(plan.best.lines) == 5
    across = coverage_at(area, task(), 90.0)
    assert len(across.lines) == 30
    assert across.time_s > plan.best.time_s


def test_wind_turns_the_best_direction_of_a_square_across_itself():
    area = make_area(SQUARE)
    west = plan_coverage(area, task(wind=Wind(6.0, 270.0), turn_s=0.0, holds="air")).best
    south = plan_coverage(area, task(wind=Wind(6.0, 180.0), turn_s=0.0, holds="air")).best
    assert abs(bearing_of(west.angle_deg) % 180) in (pytest.approx(0.0, abs=3), pytest.approx(180.0, abs=3))
    assert bearing_of(south.angle_deg) == pytest.approx(90.0, abs=3)


def test_the_curve_of_directions_counts_wind_and_marks_what_cannot_be_flown():
    area = make_area(SQUARE)
    calm = {p.angle_deg: p.time_s for p in sweep_directions(area, task())}
    strong = {p.angle_deg: p.time_s for p in sweep_directions(area, task(wind=Wind(8.5, 270.0), holds="air"))}
    assert set(calm) == set(strong)
    assert len(calm) == 60
    assert all(math.isinf(strong[a]) for a in (0.0, 90.0))
    mild = {p.angle_deg: p.time_s for p in sweep_directions(area, task(wind=Wind(5.0, 270.0), holds="air"))}
    assert all(mild[a] > calm[a] for a in calm)


def test_a_wind_that_forbids_every_direction_is_named():
    area = make_area(SQUARE)
    with pytest.raises(Infeasible, match=r"9\.0 m/s lets no line be flown both ways at 8\.0 m/s through the air") as bad:
        plan_coverage(area, task(wind=Wind(9.0, 200.0), holds="air"))
    assert bad.value.field == "wind.speed_m_s"
    with pytest.raises(Infeasible, match="Choose another direction"):
        plan_coverage(area, task(wind=Wind(8.5, 90.0), angle_deg=0.0, holds="air"))


@pytest.mark.parametrize(
    ("over", "field"),
    [
        ({"spacing_m": -3.0}, "work.spacing_m"),
        ({"spacing_m": float("nan")}, "work.spacing_m"),
        ({"spacing_m": 1e9}, "work.spacing_m"),
        ({"speed_m_s": 0.0}, "work.speed_m_s"),
        ({"turn_s": -1.0}, "aircraft.turn_s"),
    ],
)
def test_absurd_figures_are_refused_at_their_field(over, field):
    with pytest.raises(OutOfRange) as bad:
        plan_coverage(make_area(SQUARE), task(**over))
    assert bad.value.field == field


def test_too_many_lines_are_refused_with_a_remedy():
    with pytest.raises(Infeasible, match="Widen the spacing"):
        plan_coverage(make_area(((0, 0), (6000, 0), (6000, 6000), (0, 6000))), task(spacing_m=1.0))


BOWTIE = ((0, 0), (100, 100), (100, 0), (0, 100))


@pytest.mark.parametrize(
    ("ring", "keeps", "words", "field"),
    [
        (BOWTIE, (), "crosses itself near corner", "area"),
        (((0, 0), (10, 0), (20, 0)), (), r"encloses 0\.0 m²", "area"),
        (((0, 0), (1, 0), (1, 1)), (), "the least is 25 m²", "area"),
        (((0, 0), (5, 5)), (), "at least three corners; it has 2", "area"),
        (((0, 0), (float("inf"), 0), (9, 9)), (), "not a number", "area"),
        (((0, 0), (2.3e5, 0), (2.3e5, 2.2e5), (0, 2.2e5)), (), "50,600 km²; the most for one job is 200", "area"),
        (SQUARE, (KeepOut(((900, 900), (950, 900), (950, 950))),), "lies outside the area", "keep_outs.0"),
        (SQUARE, (KeepOut(BOWTIE, name="pond"),), "Keep-out pond crosses itself", "keep_outs.0"),
        (SQUARE, (KeepOut(((-9, -9), (310, -9), (310, 310), (-9, 310))),), "leave nothing to work", "keep_outs"),
    ],
)
def test_outlines_that_cannot_be_used_say_why(ring, keeps, words, field):
    with pytest.raises(BadGeometry, match=words) as bad:
        make_area([(float(x), float(y)) for x, y in ring], keeps)
    assert bad.value.field == field


def test_an_outline_of_twenty_thousand_points_is_refused_with_a_remedy():
    ring = [(500 * math.cos(2 * math.pi * k / 20_000), 500 * math.sin(2 * math.pi * k / 20_000)) for k in range(20_000)]
    with pytest.raises(BadGeometry, match=r"20,000 points; the most is 10,000\. Simplify it"):
        check_ring(ring, "The outline", "area")


def test_repeated_and_closing_points_do_no_harm():
    ring = [*SQUARE[:2], SQUARE[1], *SQUARE[2:], SQUARE[0]]
    assert make_area(ring).area_m2 == make_area(SQUARE).area_m2 == 90_000
    assert hectares(90_000) == 9.0


@settings(max_examples=40, deadline=None)
@given(fields())
def test_scanned_chords_are_those_of_the_general_library(ring):
    polygon = Polygon(ring)
    _, low, _, high = polygon.bounds
    ys = row_positions(low, high, 17.0)
    rows, a, b = chords(edges_of(polygon), ys)
    total = float((b - a).sum())
    west, _, east, _ = polygon.bounds
    other = sum(polygon.intersection(LineString([(west - 1, y), (east + 1, y)])).length for y in ys)
    assert total == pytest.approx(other, rel=1e-6)
    assert (np.diff(rows) >= 0).all()
    assert (a <= b).all()


@settings(max_examples=25, deadline=None)
@given(fields())
def test_least_width_matches_a_search_over_directions(ring):
    polygon = Polygon(ring)
    width, _ = min_width(polygon)
    hull = np.array(polygon.convex_hull.exterior.coords)
    angles = np.radians(np.arange(0, 180, 0.05))
    reach = hull @ np.array([-np.sin(angles), np.cos(angles)])
    spans = reach.max(axis=0) - reach.min(axis=0)
    assert width <= spans.min() + 1e-6
    assert width == pytest.approx(spans.min(), rel=2e-3)


def test_gaps_are_joined_only_where_nothing_forbids_it():
    rows, ys = [[(0.0, 10.0), (14.0, 30.0)]], np.array([5.0])
    nothing = np.empty((0, 4))
    one, two = [[((0.0, 10.0), (14.0, 30.0))]], [[((0.0, 10.0),), ((14.0, 30.0),)]]
    assert join_gaps(rows, ys, nothing, 5.0) == one
    assert join_gaps(rows, ys, nothing, 3.0) == two
    wall = edges_of(Polygon([(11, 0), (13, 0), (13, 9), (11, 9)]))
    assert join_gaps(rows, ys, wall, 5.0) == two
    assert join_gaps(rows, ys, wall, 5.0, 5.0) == one


def test_bearing_and_angle_are_each_others_inverse():
    for bearing in (0.0, 37.0, 90.0, 179.0):
        assert bearing_of(angle_of(bearing)) == pytest.approx(bearing)


def test_ways_around_a_wall_are_the_shortest_and_keep_clear():
    wall = Polygon([(40, -50), (60, -50), (60, 50), (40, 50)])
    detours = Detours(wall)
    start, end = (0.0, 0.0), (100.0, 0.0)
    bends = detours.way(start, end)
    length = sum(math.dist(p, q) for p, q in pairwise([start, *bends, end]))
    by_hand = 2 * math.hypot(39.5, 50.5) + 21.0
    assert length == pytest.approx(by_hand, abs=0.1)
    assert detours.lengths_m(np.array([start]), np.array([end]))[0, 0] == pytest.approx(length, abs=1e-6)
    assert not LineString([start, *bends, end]).intersects(wall.buffer(-0.1))
    assert detours.way(start, (10.0, 90.0)) == []


def test_a_place_walled_in_has_no_way_out():
    ring = Polygon([(-50, -50), (50, -50), (50, 50), (-50, 50)], [[(-40, -40), (40, -40), (40, 40), (-40, 40)]])
    detours = Detours(MultiPolygon([ring]))
    assert math.isinf(detours.lengths_m(np.array([(0.0, 0.0)]), np.array([(200.0, 0.0)]))[0, 0])
    with pytest.raises(Infeasible, match="No way was found around the keep-outs") as bad:
        detours.way((0.0, 0.0), (200.0, 0.0))
    assert bad.value.field == "keep_outs"


def scattered(count, seed, low_m=3.0, high_m=12.0):
    draw = random.Random(seed)
    keeps = []
    for _ in range(count):
        x, y, r = draw.uniform(20, 680), draw.uniform(20, 380), draw.uniform(low_m, high_m)
        keeps.append(
            KeepOut(tuple((x + r * math.cos(a * math.pi / 4), y + r * math.sin(a * math.pi / 4)) for a in range(8)), "never", 5.0)
        )
    return make_area([(0, 0), (700, 0), (700, 400), (0, 400)], keeps)


@pytest.mark.parametrize(("count", "seed", "spacing_m"), [(21, 5, 5.0), (21, 14, 5.0), (60, 2, 9.0)])
def test_many_keep_outs_that_are_never_crossed_still_have_a_plan_that_crosses_none(count, seed, spacing_m):
    area = scattered(count, seed, high_m=12.0 if count == 21 else 5.0)
    plan = plan_coverage(area, LineTask(spacing_m, 6.0, 4.0))
    assert plan.best.uncovered_frac < 0.01
    inside = LineString(plan.best.path).intersection(area.forbidden.buffer(-0.3))
    assert inside.length == pytest.approx(0.0, abs=1e-6)


def test_calm_is_no_wind():
    assert CALM.towards == (0.0, 0.0)
    assert Wind.from_vector(0.0, 0.0) == CALM


def test_two_corners_at_one_place_are_one():
    """Found by chance: a keep-out whose widened corners fell together had its rim divided by nothing."""
    near = Polygon([(10.155, -15.856), (10.155 - 1e-9, -15.856), (4, -15.856), (-8.155, -15.856), (-17.29, 3.0), (12.0, 9.0)])
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        shut = shut_gaps(near)
        assert shut.is_valid
        assert shut.area == pytest.approx(near.area, rel=1e-3)
