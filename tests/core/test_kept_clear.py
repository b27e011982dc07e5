"""What is kept clear of sensitive places: against points tried one by one."""

import math
from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import Point, Polygon, box

from quarry.core.base.errors import OutOfRange
from quarry.core.spraying.kept_clear import (
    SensitivePlace,
    blows_towards,
    buffer_rows,
    check_places,
    distance_at_m,
    kept_clear,
    middle_of,
    stopped_by,
    strictest_table,
    upwind_of,
    wind_stops,
)
from tests.core.shapes import fields

STREAM = SensitivePlace(((-50.0, 320.0), (200.0, 330.0), (450.0, 310.0)), False, "stream", "wind", 40.0)
FIELD = box(0, 0, 400, 300)


def downwind(at, place, far, from_deg, within):
    """Whether some of a place lies downwind of a point and near enough, by points along it."""
    shape = place.shape
    line = shape.exterior if isinstance(shape, Polygon) else shape
    along = shapely.get_coordinates(shapely.segmentize(line, 0.5)) if not isinstance(shape, Point) else np.array(place.at)
    d = along - at
    away = np.hypot(*d.T)
    to = math.radians(from_deg + 180.0)
    cosine = (d @ np.array([math.sin(to), math.cos(to)])) / np.maximum(away, 1e-9)
    return bool(((away <= far) & (cosine >= math.cos(math.radians(within)))).any()) or shape.contains(Point(at))


@settings(max_examples=60, deadline=None)
@given(fields(least=10.0, most=60.0), st.booleans(), st.floats(0, 360), st.floats(5, 90), st.floats(5, 80), st.integers(0, 10**6))
def test_against_points_one_by_one(ring, closed, from_deg, within, far, seed):
    place = SensitivePlace(tuple(ring), closed, "x", "wind", far, within)
    ground = upwind_of(place, far, from_deg)
    rng = np.random.default_rng(seed)
    for at in rng.uniform(-150, 150, (60, 2)):
        inside, near = ground.contains(Point(at)), ground.boundary.distance(Point(at)) < 0.6 + 0.002 * far
        # On the edge the arc is drawn a little outside: there either answer is right.
        if not near:
            assert inside == downwind(at, place, far, from_deg, within), at


def test_a_stream_to_the_north_is_kept_clear_in_a_wind_from_the_south_and_not_from_the_north():
    (south,) = kept_clear(FIELD, [STREAM], 3.0, 180.0)
    assert south.name == "stream"
    assert south.ground.area == pytest.approx(FIELD.intersection(STREAM.shape.buffer(40.0)).area, rel=0.06)
    assert "where the wind from 180° blows towards it" in south.why
    assert kept_clear(FIELD, [STREAM], 3.0, 0.0) == []
    # Too light to have a direction: all sides.
    (calm,) = kept_clear(FIELD, [STREAM], 0.3, 0.0)
    assert calm.ground.area == pytest.approx(FIELD.intersection(STREAM.shape.buffer(40.0)).area, rel=1e-6)


def test_a_table_of_a_label_goes_by_the_wind_and_ends_in_all_sides():
    table = SensitivePlace(STREAM.at, False, "stream", "wind", 5.0, table=((2.0, 20.0), (4.0, 50.0)))
    assert [distance_at_m(table, w) for w in (1.0, 2.0, 3.9, 4.1)] == [20.0, 20.0, 50.0, None]
    (beyond,) = kept_clear(FIELD, [table], 5.0, 0.0)
    assert "do not spray near it" in beyond.why
    assert beyond.distance_m == 50.0


@settings(max_examples=40, deadline=None)
@given(st.floats(1, 8), st.floats(0, 360))
def test_the_wind_of_the_plan_and_one_that_turns_a_little_stop_nothing(speed, planned):
    worked = FIELD
    for k in kept_clear(FIELD, [STREAM], speed, planned):
        worked = worked.difference(k.ground.buffer(3.0))
    for turned in (0.0, 10.0, -10.0):
        assert blows_towards(worked, [STREAM], speed, planned + turned) == []


def test_a_wind_that_turns_to_the_stream_stops_work_until_it_is_planned_for():
    """Planned in a wind from the north nothing is kept; from the south the stream lies downwind."""
    stops = wind_stops(FIELD, [STREAM])
    assert stopped_by(stops, 3.0, 0.0) == []
    assert stopped_by(stops, 3.0, 180.0) == ["stream"]
    assert stopped_by(stops, 0.3, 0.0) == ["stream"], "too light to have a direction"
    for from_deg in range(0, 360, 10):
        assert bool(stopped_by(stops, 3.0, from_deg)) == bool(blows_towards(FIELD, [STREAM], 3.0, from_deg))
    kept = FIELD.difference(kept_clear(FIELD, [STREAM], 3.0, 180.0)[0].ground.buffer(3.0))
    assert stopped_by(wind_stops(kept, [STREAM]), 3.0, 180.0) == []


def test_a_table_has_its_own_winds():
    table = replace(STREAM, table=((2.0, 16.0), (6.0, 60.0)))
    stops = wind_stops(box(0, 0, 400, 290), [table])
    assert stopped_by(stops, 1.5, 180.0) == []
    assert stopped_by(stops, 4.0, 180.0) == ["stream"]
    assert stopped_by(stops, 9.0, 0.0) == ["stream"], "beyond its table, from anywhere"


def test_always_is_the_same_in_any_wind():
    hives = SensitivePlace(((150.0, 150.0),), False, "hives", "always", 30.0)
    areas = {round(kept_clear(FIELD, [hives], 3.0, d)[0].ground.area, 6) for d in (0.0, 90.0, 200.0)}
    assert len(areas) == 1


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"distance_m": 0.0}, "distance_m"),
        ({"within_deg": 120.0}, "within_deg"),
        ({"at": ()}, "ring"),
        ({"table": ((4.0, 20.0), (2.0, 10.0))}, "table"),
        ({"distance_m": math.nan}, "distance_m"),
    ],
)
def test_what_cannot_be_is_refused_at_its_field(change, field):
    with pytest.raises(OutOfRange) as bad:
        check_places([replace(STREAM, **change)], "site.sensitive")
    assert bad.value.field == f"site.sensitive.0.{field}"


def test_a_label_s_table_for_the_droplets_at_hand():
    """Coarser drops may come nearer; where the class is not known only rows for all count; of two labels the stricter holds."""
    label = buffer_rows(["3; 20", "3; 10; coarse", "5; 40", "5; 15; very coarse"], "buffer")
    assert strictest_table([label], "") == [(3.0, 20.0), (5.0, 40.0)]
    assert strictest_table([label], "coarse") == [(3.0, 10.0), (5.0, 40.0)]
    assert strictest_table([label], "ultra coarse") == [(3.0, 10.0), (5.0, 15.0)]
    assert strictest_table([label, buffer_rows(["4; 25"], "buffer")], "coarse") == [(3.0, 25.0), (4.0, 40.0)]
    assert strictest_table([buffer_rows(["3; 10; coarse"], "buffer")], "fine") == []


@pytest.mark.parametrize("line", ["", "3", "wind; 10", "0; 10", "3; -1", "3; 10; coarse; x", "99; 5"])
def test_a_line_of_a_label_s_table_that_is_none(line):
    """It is refused with the number of its line."""
    with pytest.raises(OutOfRange, match="Line 2"):
        buffer_rows(["3; 10", line], "buffer")


@given(bearing=st.integers(0, 35), wide=st.integers(1, 36))
def test_the_middle_of_free_winds_is_one_of_them(bearing, wide):
    """Whatever run is free, across north too."""
    free = [float((bearing + k) % 36 * 10) for k in range(wide)]
    assert middle_of(free) in free
