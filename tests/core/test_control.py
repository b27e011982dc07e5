"""Ground control over fields of any shape: enough of it, well spread, walked on a short way."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import Point, box

from quarry.core.base.errors import BadGeometry
from quarry.core.ground.control import (
    LEAST_CHECK,
    LEAST_CONTROL,
    accuracy_m,
    expected_accuracy,
    farthest_from_control_m,
    place_control,
    walking_order,
)
from tests.core.flown_grounds import star


def test_a_plain_field_has_corners_and_a_middle():
    points = place_control(box(0, 0, 400, 300), 10.0, 300.0, 80.0)
    control = [p for p in points if not p.check]
    assert len(control) == LEAST_CONTROL
    assert sorted(p.why for p in control) == ["corner"] * 4 + ["middle"]
    assert {(round(p.at[0], -1), round(p.at[1], -1)) for p in control} == {(10, 10), (390, 10), (390, 290), (10, 290), (200, 150)}
    assert len([p for p in points if p.check]) == LEAST_CHECK


def test_high_and_low_ground_have_their_own_where_relief_is_more_than_a_tenth_of_the_height():
    def hill(xy):
        return 30.0 * np.exp(-((xy[:, 0] - 120) ** 2 + (xy[:, 1] - 210) ** 2) / 3000)

    whys = {p.why for p in place_control(box(0, 0, 400, 300), 10.0, 300.0, 80.0, hill)}
    assert "highest ground" in whys
    assert "highest ground" not in {p.why for p in place_control(box(0, 0, 400, 300), 10.0, 300.0, 400.0, hill)}


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10**6), st.floats(40.0, 150.0))
def test_on_any_field_no_place_is_far_and_all_points_lie_in_it(seed, reach_m):
    field = star(np.random.default_rng(seed), 120.0, 400.0)
    points = place_control(field, 8.0, reach_m, 80.0)
    assert len({p.name for p in points}) == len(points)
    assert all(field.buffer(0.01).covers(Point(p.at)) for p in points)
    if len([p for p in points if not p.check]) < 60:
        # Points stay inside the edge: what lies on it may be farther by that.
        assert farthest_from_control_m(field.buffer(-8.0), points) <= reach_m + 2 * math.sqrt(field.area / 900)


def test_a_field_that_is_too_small_is_said():
    with pytest.raises(BadGeometry, match="too small"):
        place_control(box(0, 0, 0.001, 0.001), 5.0, 300.0, 80.0)


def test_the_way_along_a_row_goes_once_up_and_back():
    order, walked = walking_order([(300.0, 0.0), (100.0, 0.0), (200.0, 0.0)], (0.0, 0.0))
    assert order in ([1, 2, 0], [0, 2, 1])
    assert walked == pytest.approx(600.0)
    assert walking_order([], (0.0, 0.0)) == ([], 0.0)


def test_accuracy_is_pixels_on_the_ground():
    assert accuracy_m(0.02, 1.5) == pytest.approx(0.03)


def test_what_accuracy_rests_on():
    """Common practice, no source: pixels by the pictures, metres by a receiver alone, a centimetre and a millimetre a kilometre when corrected."""
    alone = expected_accuracy(0.02, LEAST_CONTROL - 1, "none", None)
    assert alone.plan_m[0] > 1.0
    assert "no control" in alone.words
    near, far = (expected_accuracy(0.02, 0, "network", away_m) for away_m in (1000.0, 40_000.0))
    assert near.plan_m == pytest.approx((math.hypot(0.02, 0.011), math.hypot(0.04, 0.011)))
    assert far.plan_m[1] > near.plan_m[1]
    assert far.height_m[1] > far.plan_m[1]
    held = expected_accuracy(0.02, LEAST_CONTROL, "none", None)
    assert held.plan_m[1] < alone.plan_m[0]
    assert held.working.value == held.plan_m[1]
    assert [s.name for s in held.working.steps] == ["accuracy_m", "positions_m", "together_m"]
