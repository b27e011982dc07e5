"""Strips and corridors: found in an outline, flown along their bend, and nothing else is taken for one."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Polygon

from quarry.core.base.errors import BadGeometry, OutOfRange
from quarry.core.ground.coverage import plan_coverage
from quarry.core.ground.lines import LineTask
from quarry.core.ground.outline import Plot, make_area, make_plots
from quarry.core.ground.strip import strip_axis
from tests.core.shapes import covers

BEND = LineString([(0, 0), (900, 80), (1500, 700), (2600, 650), (3200, -100), (4700, 0)])


def task(**over):
    return LineTask(**{"spacing_m": 30.0, "speed_m_s": 8.0, "turn_s": 4.0, "home": (-30.0, -30.0)} | over)


@pytest.mark.parametrize("width", [30.0, 60.0, 120.0])
def test_the_middle_line_of_a_bent_strip_is_found_in_its_outline(width):
    axis, found = strip_axis(BEND.buffer(width / 2, cap_style="flat", join_style="mitre"))
    assert axis.length == pytest.approx(BEND.length, rel=0.01)
    assert axis.hausdorff_distance(BEND) < 0.15 * width
    assert found == pytest.approx(width, rel=0.2)


@pytest.mark.parametrize(
    "ring",
    [
        ((0, 0), (300, 0), (300, 300), (0, 300)),
        ((0, 0), (300, 0), (300, 250), (220, 250), (220, 60), (80, 60), (80, 250), (0, 250)),
        ((0, 0), (900, 0), (900, 20), (500, 20), (500, 200), (400, 200), (400, 20), (0, 20)),
    ],
)
def test_a_field_is_no_strip(ring):
    assert strip_axis(Polygon(ring)) is None


def test_a_bent_strip_is_flown_along_its_bend_without_being_told():
    """Two lines of about 5.3 km each, where parallel lines need half as much again and many turns."""
    ring = BEND.buffer(30.0, cap_style="flat", join_style="mitre").exterior.coords[:-1]
    area = make_area(ring)
    best = plan_coverage(area, task()).best
    assert best.along_bend
    assert best.line_count <= 3
    assert best.on_line_m < 3.1 * BEND.length
    straight = plan_coverage(area, task(angle_deg=10.0)).best
    assert best.time_s < 0.8 * straight.time_s
    assert covers(area.worked, best.lines, 30.0) < 0.01


@settings(max_examples=20, deadline=None)
@given(
    st.lists(st.tuples(st.floats(200, 900), st.floats(-55, 55)), min_size=2, max_size=6),
    st.floats(10, 80),
    st.floats(8, 40),
)
def test_a_corridor_is_covered_along_any_bend(legs, width, spacing):
    places, heading = [(0.0, 0.0)], 0.0
    for length, turn in legs:
        heading += np.radians(turn)
        x, y = places[-1]
        places.append((x + length * np.cos(heading), y + length * np.sin(heading)))
    if not LineString(places).is_simple:
        return
    area = make_plots([Plot(tuple(places), corridor_m=width)])
    best = plan_coverage(area, task(spacing_m=spacing)).best
    assert best.uncovered_frac < 0.02
    if best.along_bend:
        assert best.line_count <= np.ceil(1.6 * width / spacing) + 1
        numbers = [n for n in best.path_line if n >= 0]
        assert numbers == sorted(numbers)


def test_a_corridor_needs_two_places_and_a_width():
    with pytest.raises(BadGeometry, match="at least two places") as bad:
        make_plots([Plot(((0.0, 0.0),), corridor_m=20.0)])
    assert bad.value.field == "area"
    with pytest.raises(OutOfRange, match="Width of the corridor"):
        make_plots([Plot(((0.0, 0.0), (50.0, 0.0)), corridor_m=0.0)])


A = ((0, 0), (200, 0), (200, 200), (0, 200))
B = ((200.2, 0), (400, 0), (400, 200), (200.2, 200))
FAR = ((900, 0), (1100, 0), (1100, 200), (900, 200))


def test_plots_that_touch_are_one_block_and_what_they_share_is_worked_once():
    area = make_plots([Plot(A), Plot(B), Plot(FAR)])
    assert len(area.blocks) == 2
    over = make_plots([Plot(A), Plot(((100, 0), (300, 0), (300, 200), (100, 200)), angle_deg=45.0)])
    assert over.worked.area == pytest.approx(60_000)
    assert sum(x.worked.area for x in over.blocks) == pytest.approx(60_000)


def test_areas_are_flown_one_after_the_other_where_that_is_asked_for():
    ordered = make_plots([Plot(B), Plot(A)], in_order=True)
    assert [x.worked.centroid.x > 200 for x in ordered.blocks] == [True, False]
    in_turn = plan_coverage(ordered, task(in_order=True)).best
    east = [(x1 + x2) / 2 > 200 for x1, _, x2, _ in in_turn.lines]
    assert east == sorted(east, reverse=True), "the second begins when the first is done"
