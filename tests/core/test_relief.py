"""Heights along a way: the flight keeps above the ground within its limits, and the way home is clear."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from quarry.core.base.errors import BadGeometry, OutOfRange
from quarry.core.ground.geodesy import LocalFrame
from quarry.core.ground.relief import Course, Obstacle, clear_return, follow, ground_along, route_relief, sample_way
from quarry.core.ground.terrain import TerrainGrid

FRAME = LocalFrame(10.0, 50.0)


def hill(height=60.0):
    """A round hill in the middle of 4 km of plain, on a net of about 30 m."""
    n = 121
    lon = 10.0 + (np.arange(n) - 60) * 0.00045
    lat = 50.0 + (np.arange(n) - 60) * 0.0003
    x, y = (lon - 10.0) * 71_700.0, (lat - 50.0) * 111_250.0
    bump = height * np.exp(-(x[None, :] ** 2 + y[:, None] ** 2) / (2 * 250.0**2))
    return TerrainGrid(float(lon[0]), float(lat[0]), 0.00045, 0.0003, 100.0 + bump)


def relief_over(way, grid, above_m, tolerance_m, slope, **more):
    return route_relief(way, lambda xy: ground_along(grid, FRAME, xy) - 100.0, Course(above_m, tolerance_m, slope, 1.0, **more))


@given(
    st.lists(st.floats(0, 80), min_size=4, max_size=40),
    st.floats(15, 90),
    st.floats(1, 8),
    st.floats(0.05, 0.6),
    st.floats(0.05, 0.6),
)
def test_the_flight_never_sinks_too_low_and_keeps_its_slopes(ground, above, tolerance, up, down):
    at = np.arange(len(ground)) * 20.0
    fly, beyond = follow(at, np.array(ground), above, tolerance, up, down)
    assert (fly - np.array(ground) >= above - tolerance - 1e-6).all()
    slope = np.diff(fly) / 20.0
    assert (slope <= up + 1e-6).all()
    assert (slope >= -down - 1e-6).all()
    assert float(np.abs(fly - np.array(ground) - above).max()) <= tolerance + beyond + 1e-6


def test_over_gentle_ground_the_tolerance_is_kept():
    relief = relief_over(np.array([(-1500.0, 0.0), (1500.0, 0.0)]), hill(30.0), 60.0, 3.0, 0.3)
    assert relief.beyond_m < 0.3
    assert float(relief.ground_m.max()) == pytest.approx(30.0, abs=1.0)
    assert float(relief.fly_at(np.array([1500.0]))[0]) == pytest.approx(90.0, abs=4.0)
    assert relief.climbed_at(np.array([3000.0]))[0] == pytest.approx(30.0, abs=6.0)


def test_over_a_cliff_it_climbs_early_and_says_how_far_it_leaves_the_tolerance():
    ground = np.where(np.arange(60) >= 30, 50.0, 0.0)
    fly, beyond = follow(np.arange(60) * 10.0, ground, 40.0, 3.0, 0.25, 0.25)
    assert fly[30] >= 87.0 - 1e-6
    assert fly[20] > 50.0
    assert beyond > 5.0


def test_a_way_beyond_the_grid_is_refused():
    with pytest.raises(BadGeometry, match="does not cover"):
        relief_over(np.array([(0.0, 0.0), (9000.0, 0.0)]), hill(), 60.0, 3.0, 0.3)
    with pytest.raises(OutOfRange):
        follow(np.array([0.0, 1.0]), np.zeros(2), 30.0, 0.0, 0.3, 0.3)


def test_the_way_home_clears_the_hill_between_and_a_mast_on_it():
    home, places = (-1200.0, 0.0), np.array([(1200.0, 0.0), (1200.0, 200.0)])
    plain = clear_return(places, home, 15.0, grid=hill(), frame=FRAME)
    assert plain.needed_m == pytest.approx(75.0, abs=1.5)
    assert plain.decides == "the ground"
    mast = Obstacle("mast", (0.0, 10.0), 5.0, 35.0)
    higher = clear_return(places, home, 15.0, [mast, Obstacle("barn", (-1200.0, 900.0), 10.0, 90.0)], hill(), FRAME)
    assert higher.needed_m == pytest.approx(110.0, abs=2.0)
    assert higher.decides == "mast"
    assert higher.working.steps[-1].value == higher.needed_m
    assert clear_return(places, home, 15.0).needed_m == 15.0


def test_samples_of_a_way_hold_its_corners():
    at, xy = sample_way([(0.0, 0.0), (100.0, 0.0), (100.0, 37.0)], 15.0)
    assert {0.0, 100.0, 137.0} <= set(at.tolist())
    assert np.diff(at).max() <= 15.0
    assert xy[-1].tolist() == [100.0, 37.0]


def test_where_climb_and_descent_bend_the_flight_is_told_by_stretch():
    """A steep hill: what the slope cannot follow is told before and behind it, and nothing on the plain."""
    way = np.array([(-1200.0, 0.0), (1200.0, 0.0)])
    steep = relief_over(way, hill(), 40.0, 5.0, 0.05)
    gentle = relief_over(way, hill(), 40.0, 5.0, 2.0)
    assert gentle.bent_between(0.0, 2400.0) == []
    bends = steep.bent_between(0.0, 2400.0)
    assert bends
    for b in bends:
        inside = (steep.at_m >= b.from_m) & (steep.at_m <= b.to_m)
        assert abs(b.most_m) == pytest.approx(np.abs(steep.fly_m - steep.ground_m - 40.0)[inside].max())
    outside = np.all([(steep.at_m < b.from_m) | (steep.at_m > b.to_m) for b in bends], axis=0)
    assert np.abs(steep.fly_m - steep.ground_m - 40.0)[outside].max() <= 1.0 + 1e-9
    assert all(b.to_m <= 1000.0 for b in steep.bent_between(0.0, 1000.0))


def test_lines_with_heights_of_their_own_are_flown_at_them_and_between_them_it_climbs_as_it_can():
    """Two lines at 40 and 70 m: on each its own height is held, the jump between is taken at the slope of the aircraft."""
    way = np.array([(-600.0, 0.0), (-50.0, 0.0), (50.0, 0.0), (600.0, 0.0)])
    set_m = (np.array([0.0, 550.0, 650.0, 1200.0]), np.array([40.0, 40.0, 70.0, 70.0]))
    relief = route_relief(way, lambda xy: np.zeros(len(xy)), Course(55.0, 3.0, 0.4, 1.0, set_m), assumed=True)
    assert relief.assumed
    assert float(relief.fly_at(np.array([200.0]))[0]) == pytest.approx(40.0, abs=0.1)
    assert float(relief.fly_at(np.array([1000.0]))[0]) == pytest.approx(70.0, abs=0.1)
    assert np.abs(np.diff(relief.fly_m) / np.diff(relief.at_m)).max() <= 0.4 + 1e-9


def test_where_a_leg_is_flown_slowly_it_climbs_steeper():
    """Climb is metres for each second: at a third of the speed the same jump takes a third of the way."""
    way = np.array([(-600.0, 0.0), (0.0, 0.0), (600.0, 0.0)])
    set_m = (np.array([0.0, 600.0, 600.0, 1200.0]), np.array([20.0, 20.0, 60.0, 60.0]))

    def climbing_m(speeds):
        course = Course(20.0, 1.0, 2.0, 9.0, set_m, speeds)
        relief = route_relief(way, lambda xy: np.zeros(len(xy)), course)
        steep = np.diff(relief.fly_m) > 0.01
        return float(np.diff(relief.at_m)[steep].sum())

    assert climbing_m(np.array([3.0, 3.0])) < 0.5 * climbing_m(None)
