"""Search patterns: lengths, turns and cover against IAMSAR's shapes (from memory) and against shapely; contours on made ground."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Point, Polygon, box
from shapely.affinity import rotate

from quarry.core.base.errors import BadGeometry, Infeasible
from quarry.core.flight.wind import Wind
from quarry.core.ground.lines import LineTask
from quarry.core.ground.outline import KeepOut, make_area
from quarry.core.ground.patterns import (
    Pattern,
    contour_ways,
    expanding_square,
    plan_pattern,
    sector_spokes_count,
    sector_track_m,
    sectors,
)
from quarry.core.ground.search import laid_coverage, track_length_m
from quarry.core.sorties.joint import plan_together
from tests.core.test_joint import cut

TASK = LineTask(40.0, 9.0, 4.0)


def legs(corners):
    xy = np.array(corners)
    return np.hypot(*np.diff(xy, axis=0).T)


def turns(corners):
    d = np.diff(np.array(corners), axis=0)
    heading = np.degrees(np.arctan2(d[:, 0], d[:, 1]))
    return (np.diff(heading) + 180) % 360 - 180


def ground(ring, keeps=()):
    return make_area(ring, keeps)


def flown(c):
    return LineString(c.path)


def test_an_expanding_square_has_legs_of_one_one_two_two_and_turns_right():
    corners = expanding_square((0.0, 0.0), 0.0, 40.0, 100.0)
    assert legs(corners) == pytest.approx(40.0 * np.array([1, 1, 2, 2, 3, 3, 4, 4, 4]))
    assert turns(corners) == pytest.approx(np.full(8, 90.0))
    assert corners[1] == pytest.approx((0.0, 40.0)), "the first leg goes along the bearing"


@given(st.floats(5, 200), st.floats(20, 1500), st.floats(0, 359), st.floats(-500, 500))
def test_an_expanding_square_leaves_nothing_farther_than_half_a_spacing_within_its_reach(spacing, reach, bearing, x):
    corners = expanding_square((x, 0.0), bearing, spacing, reach)
    swept = LineString(corners).buffer(spacing / 2, cap_style="square", join_style="mitre")
    wanted = rotate(box(x - reach, -reach, x + reach, reach), -bearing, origin=(x, 0.0))
    assert wanted.difference(swept.buffer(1e-6)).area < 1e-6 * wanted.area + 1e-3


def test_three_sectors_have_nine_equal_legs_and_turns_of_120_degrees():
    corners = sectors((0.0, 0.0), 0.0, 2000.0, 1000.0)
    assert sector_track_m(1000.0, 3) == pytest.approx(9000.0)
    assert legs(corners) == pytest.approx(np.full(9, 1000.0))
    right = turns(corners)
    assert np.all((np.abs(right - 120) < 1e-6) | (np.abs(right) < 1e-6)), "straight on through the middle, else 120°"
    assert corners[0] == corners[-1] == (0.0, 0.0)


@given(st.floats(50, 3000), st.floats(10, 400), st.floats(0, 359))
def test_sectors_are_as_long_as_parallel_lines_and_pass_each_spoke_once(radius, spacing, bearing):
    spokes = sector_spokes_count(radius, spacing)
    corners = sectors((5.0, -7.0), bearing, spacing, radius)
    assert legs(corners).sum() == pytest.approx(sector_track_m(radius, spokes))
    assert sector_track_m(radius, spokes) >= track_length_m(math.pi * radius**2, spacing) - 1e-6
    assert spokes % 2 == 1
    if spokes > 3:
        assert sector_track_m(radius, spokes - 2) < track_length_m(math.pi * radius**2, spacing)
    out = np.array(corners) - np.array([5.0, -7.0])
    rim = out[np.hypot(*out.T) > radius / 2]
    seen = {round(float(a), 3) % 360 for a in np.degrees(np.arctan2(rim[:, 0], rim[:, 1])) % 360}
    assert len(seen) == 2 * spokes, "every end of every spoke is reached, none twice"


@settings(max_examples=40, deadline=None)
@given(
    shape=st.sampled_from(["square", "sector", "creeping"]),
    wide=st.floats(200, 900),
    high=st.floats(200, 900),
    turn=st.floats(0, 90),
    bearing=st.floats(0, 359),
    keep=st.booleans(),
)
def test_a_pattern_keeps_to_its_ground_and_around_what_is_not_flown_over(shape, wide, high, turn, bearing, keep):
    ring = list(rotate(box(0, 0, wide, high), turn, origin=(0, 0)).exterior.coords)[:-1]
    middle = Polygon(ring).centroid
    hole = middle.buffer(min(wide, high) / 8).exterior.coords[:-1]
    area = ground(ring, [KeepOut(tuple(hole))] if keep else [])
    start = (middle.x + min(wide, high) / 4, middle.y)
    plan = plan_pattern(area, TASK, Pattern(shape, start, bearing))
    c = plan.best
    assert c.one_way
    assert not plan.directions or shape == "creeping"
    way = flown(c)
    assert way.length >= c.on_line_m - 1e-6
    assert way.intersection(area.forbidden.buffer(-0.1)).length < 1e-6
    on = [LineString([c.path[k], c.path[k + 1]]) for k, line in enumerate(c.path_line) if line >= 0]
    assert all(area.outer.buffer(TASK.spacing_m).covers(leg) for leg in on)
    assert list(dict.fromkeys(line for line in c.path_line if line >= 0)) == list(range(c.line_count)), "in their order"
    if shape == "square":
        assert c.uncovered_frac < 0.01 + 0.1 * keep
        assert math.dist(c.path[0], start) < 1e-6 or keep
    if shape == "creeping":
        assert math.dist(c.path[0], start) <= math.dist(c.path[-1], start) + 1e-6


def test_lines_that_creep_ahead_lie_across_the_long_side_and_begin_at_the_place():
    area = ground([(0, 0), (1000, 0), (1000, 200), (0, 200)])
    c = plan_pattern(area, TASK, Pattern("creeping", (950.0, 100.0))).best
    assert c.angle_deg == pytest.approx(90.0)
    assert c.path[0][0] > 900
    assert c.path[-1][0] < 100


def test_a_square_of_a_square_is_searched_with_the_coverage_that_was_asked_for():
    area = ground([(-500, -500), (500, -500), (500, 500), (-500, 500)])
    c = plan_pattern(area, TASK, Pattern("square", (0.0, 0.0))).best
    assert laid_coverage(40.0, c.on_line_m, area.area_m2) == pytest.approx(1.0, abs=0.08)


def hill(xy):
    return 200.0 - 0.4 * np.hypot(xy[:, 0], xy[:, 1])


def test_contours_lie_from_the_top_down_a_spacing_apart_on_an_even_slope():
    ways = contour_ways(Point(0, 0).buffer(400.0), 40.0, hill)
    radii = [float(np.hypot(*w.T).mean()) for w in ways]
    assert radii == sorted(radii)
    assert np.diff(radii) == pytest.approx(np.full(len(radii) - 1, 40.0), abs=4.0)
    assert radii[0] < 40.0
    assert sum(LineString(w).length for w in ways) == pytest.approx(math.pi * 400**2 / 40, rel=0.06)
    level = [np.ptp(hill(w)) for w in ways]
    assert max(level) < 0.4 * 4.0


def test_what_cannot_be_a_pattern_is_told_at_its_field():
    area = ground([(0, 0), (300, 0), (300, 300), (0, 300)])
    with pytest.raises(BadGeometry) as outside:
        plan_pattern(area, TASK, Pattern("square", (400.0, 100.0)))
    assert outside.value.field == "site.datum"
    for heights in (None, lambda xy: np.zeros(len(xy)), lambda xy: np.full(len(xy), np.nan)):
        with pytest.raises(Infeasible) as flat:
            plan_pattern(area, TASK, Pattern("contour", (100.0, 100.0)), heights)
        assert flat.value.field == "work.pattern"
        assert "terrain" in flat.value.message or "flatter" in flat.value.message
    area = ground([(0, 0), (900, 0), (900, 900), (0, 900)])
    with pytest.raises(Infeasible, match="Widen the spacing"):
        plan_pattern(area, LineTask(0.3, 9.0, 4.0), Pattern("square", (100.0, 100.0)))


def test_a_pattern_is_cut_in_its_own_order_as_any_route_is():
    area = ground([(-500, -500), (500, -500), (500, 500), (-500, 500)])
    plan = plan_pattern(area, TASK, Pattern("square", (0.0, 0.0)))
    joint = plan_together(plan, TASK, lambda c: cut(Wind(5.0, 180.0), home=(0.0, -520.0)))
    assert joint.coverage is plan.best, "never from its other end, whatever the wind"
    assert len(joint.plan.sorties) > 1
    assert joint.plan.sorties[-1].to_m == pytest.approx(LineString(plan.best.path).length)
    assert "expanding square" in joint.working.steps[0].formula
