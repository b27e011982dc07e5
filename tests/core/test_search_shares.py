"""Where the missing may be and what reports change, against areas counted by hand, random points, and Bayes worked in full."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Point, box
from shapely.affinity import rotate

from quarry.core.base.errors import BadGeometry, MissingInput, OutOfRange
from quarry.core.search.segments import mean_slope_frac
from quarry.core.search.shares import DistanceTable, Shares, by_consensus, by_rings, by_travel, evened, mixed
from quarry.core.search.travel import Walkable, equal_distances_m, walking_m_s
from quarry.core.search.updating import Clue, Searched, stands

TABLE = DistanceTable(((0.25, 300.0), (0.5, 800.0), (0.75, 1500.0), (0.95, 3000.0)))
shares = st.lists(st.floats(0.01, 1.0), min_size=1, max_size=8)


def total(x: Shares) -> float:
    return math.fsum(x.of) + x.rest_frac


def test_quarters_of_the_circle_share_a_ring_alike_and_what_lies_beyond_is_the_rest():
    quarters = [box(0, 0, 5000, 5000), box(-5000, 0, 0, 5000), box(-5000, -5000, 0, 0), box(0, -5000, 5000, 0)]
    found = by_rings(TABLE, (0.0, 0.0), quarters)
    assert found.of == pytest.approx([0.95 / 4] * 4, abs=1e-9)
    assert found.rest_frac == pytest.approx(0.05)


def test_a_disc_holds_what_the_table_says_of_its_distance():
    found = by_rings(TABLE, (10.0, 20.0), [Point(10, 20).buffer(800.0, quad_segs=64)])
    assert found.of[0] == pytest.approx(0.5, abs=1e-9)


@settings(max_examples=25, deadline=None)
@given(st.floats(-900, 900), st.floats(-900, 900), st.integers(0, 9))
def test_rings_agree_with_people_set_down_at_random(x, y, seed):
    rng = np.random.default_rng(seed)
    segment = box(x, y, x + 700, y + 500)
    ring = rng.choice(len(TABLE.rings) + 1, size=40_000, p=[*(r[0] for r in TABLE.rings), TABLE.beyond_frac])
    inner = np.array([r[1] for r in TABLE.rings] + [1e6])[ring]
    outer = np.array([r[2] for r in TABLE.rings] + [1e6])[ring]
    away = np.sqrt(inner**2 + rng.random(40_000) * (outer**2 - inner**2))
    turn = rng.random(40_000) * 2 * math.pi
    px, py = away * np.cos(turn), away * np.sin(turn)
    inside = ((px >= x) & (px <= x + 700) & (py >= y) & (py <= y + 500)).mean()
    assert by_rings(TABLE, (0.0, 0.0), [segment]).of[0] == pytest.approx(inside, abs=0.012)


@given(shares, st.floats(0, 1))
def test_figures_that_do_not_sum_are_evened_and_it_is_told(weights, rest):
    found = evened(weights, rest)
    assert total(found) == pytest.approx(1.0)
    assert found.evened == (abs(math.fsum(weights) + rest - 1.0) > 5e-4)
    assert found.given_frac == pytest.approx(math.fsum(weights) + rest)


def test_a_consensus_counts_each_person_the_same_whatever_scale_they_wrote_in():
    found = by_consensus({"Ada": ([60, 30], 10), "Bo": ([3, 6], 1)})
    assert found.mean.of == pytest.approx([0.45, 0.45])
    assert found.apart == pytest.approx([0.3, 0.3])
    assert total(found.mean) == pytest.approx(1.0)
    half = mixed([(found.each["Ada"], 1.0), (found.each["Bo"], 3.0)])
    assert half.of == pytest.approx([0.375, 0.525])


@pytest.mark.parametrize(
    ("make", "field"),
    [
        (lambda: DistanceTable(((0.5, 300.0), (0.4, 800.0))), "within"),
        (lambda: DistanceTable(((0.5, 300.0), (0.6, 200.0))), "within"),
        (lambda: DistanceTable(()), "within"),
        (lambda: evened([0.0, 0.0], 0.0), "shares"),
        (lambda: evened([0.2, -0.1], 0.5), "shares.1"),
        (lambda: by_consensus({}), "estimates"),
        (lambda: mixed([(Shares((1.0,), 0.0), 0.0)]), "weights"),
    ],
)
def test_what_is_no_share_is_told_at_its_field(make, field):
    with pytest.raises((MissingInput, OutOfRange)) as bad:
        make()
    assert bad.value.field == field


def flat(rows=81, columns=81, cell=25.0):
    return Walkable(np.zeros((rows, columns)), cell, -columns * cell / 2, rows * cell / 2)


def middles(ground):
    rows, columns = ground.heights_m.shape
    x = ground.west_m + (np.arange(columns) + 0.5) * ground.cell_m
    y = ground.north_m - (np.arange(rows) + 0.5) * ground.cell_m
    return np.meshgrid(x, y)


def test_walking_goes_as_toblers_function_says():
    # Tobler 1993, from memory: 6 km/h at a slope of −5 %, 5.04 km/h on the level.
    assert walking_m_s(-0.05) * 3.6 == pytest.approx(6.0)
    assert walking_m_s(0.0) * 3.6 == pytest.approx(5.04, abs=0.01)


def test_over_even_ground_a_way_is_as_long_as_it_is():
    ground = flat()
    x, y = middles(ground)
    found = equal_distances_m(ground, (0.0, 0.0))
    assert found == pytest.approx(np.hypot(x, y), rel=0.03, abs=1.0)


def test_paths_bring_people_farther_slopes_less_far_and_water_stops_them():
    plain = equal_distances_m(flat(), (0.0, 0.0))
    along = Walkable(flat().heights_m, 25.0, flat().west_m, flat().north_m, paths=LineString([(0, 0), (1000, 0)]))
    x, y = middles(along)
    east = (np.abs(y) < 13) & (x > 200)
    assert (equal_distances_m(along, (0.0, 0.0))[east] / plain[east]).max() == pytest.approx(0.6, abs=0.02)
    steep = Walkable(0.4 * np.maximum(x, 0.0), 25.0, flat().west_m, flat().north_m)
    assert (equal_distances_m(steep, (0.0, 0.0))[east] > 3 * plain[east]).all()
    river = Walkable(flat().heights_m, 25.0, flat().west_m, flat().north_m, barred=box(100, -2000, 130, 2000))
    behind = equal_distances_m(river, (0.0, 0.0))[x > 200]
    assert np.isinf(behind).all()
    with pytest.raises(BadGeometry, match="nobody walks"):
        equal_distances_m(river, (115.0, 0.0))
    with pytest.raises(BadGeometry, match="outside the map"):
        equal_distances_m(river, (9999.0, 0.0))


def test_travel_over_even_ground_shares_as_rings_do():
    ground = flat(301, 301)
    x, y = middles(ground)
    segment = (x > 200) & (x < 900) & (y > -300) & (y < 300)
    away = equal_distances_m(ground, (0.0, 0.0))
    found = by_travel(TABLE, away.ravel(), np.where(segment, 0, -1).ravel(), 1)
    assert found.of[0] == pytest.approx(by_rings(TABLE, (0.0, 0.0), [box(200, -300, 900, 300)]).of[0], abs=0.012)
    assert total(found) == pytest.approx(1.0)


@pytest.mark.parametrize(
    ("area", "detection", "success", "after"),
    [(0.6, 0.78, 0.468, 0.24812), (0.3, 0.5, 0.15, 0.176471), (0.9, 0.9, 0.81, 0.473684)],
)
def test_one_report_changes_shares_as_published(area, detection, success, after):
    # reference-values 10d.
    found = stands(Shares((area,), 1 - area), [Searched(0, detection)])
    assert found.success_frac == pytest.approx(success, abs=5e-4)
    assert found.shares.of[0] == pytest.approx(after, abs=5e-4)


reports = st.lists(
    st.one_of(
        st.tuples(st.integers(0, 3), st.floats(0, 0.99)).map(lambda x: Searched(*x)),
        st.lists(st.floats(0.1, 10), min_size=5, max_size=5).map(lambda x: Clue(tuple(x[:4]), x[4])),
    ),
    max_size=12,
)


@given(st.lists(st.floats(0.01, 1), min_size=4, max_size=4), st.floats(0.01, 1), reports, st.randoms())
def test_reports_conserve_probability_in_any_order_and_turn_back(weights, rest, history, random):
    before = evened(weights, rest)
    found = stands(before, history)
    assert total(found.shares) == pytest.approx(1.0)
    assert min(*found.shares.of, found.shares.rest_frac) >= 0
    assert 0 <= found.success_frac <= 1
    other = list(history)
    random.shuffle(other)
    again = stands(before, other)
    assert again.shares.of == pytest.approx(found.shares.of)
    assert again.success_frac == pytest.approx(found.success_frac)
    assert stands(before, [*history]) == found
    more = stands(before, [*history, Searched(2, 0.3)])
    assert more.success_frac >= found.success_frac - 1e-12, "more effort never lowers the chance"
    step = stands(found.shares, [Searched(2, 0.3)])
    assert more.shares.of == pytest.approx(step.shares.of), "folded in one or in two steps"


def test_a_clue_makes_ground_likelier_by_what_it_says():
    before = Shares((0.2, 0.3), 0.5)
    assert stands(before, [Clue((1.0, 1.0), 1.0)]).shares.of == pytest.approx(before.of)
    found = stands(before, [Clue((4.0, 1.0), 1.0)])
    assert found.shares.of == pytest.approx((0.8 / 1.6, 0.3 / 1.6))


@pytest.mark.parametrize(
    "bad", [Searched(5, 0.5), Searched(0, 1.5), Clue((1.0,), 1.0), Clue((1.0, -1.0), 1.0), Clue((0.0, 0.0), 0.0)]
)
def test_a_report_that_cannot_be_is_told(bad):
    with pytest.raises(OutOfRange):
        stands(Shares((0.5, 0.3), 0.2), [bad])


@settings(max_examples=40, deadline=None)
@given(st.floats(-1, 1), st.floats(-1, 1), st.floats(3, 900), st.floats(3, 900), st.floats(0, 6))
def test_the_slope_of_a_plane_is_found_whatever_lies_on_it(east, north, wide, deep, turned):
    segment = rotate(box(100, -40, 100 + wide, -40 + deep), turned, use_radians=True)
    found = mean_slope_frac(segment, lambda at: 300 + at @ np.array([east, north]))
    assert found == pytest.approx(math.hypot(east, north), abs=1e-6)


def test_a_segment_whose_heights_are_not_all_known_has_no_slope():
    assert mean_slope_frac(box(0, 0, 200, 200), lambda at: np.where(at[:, 0] > 190, np.nan, 1.0)) is None
    roof = mean_slope_frac(box(-100, 0, 100, 50), lambda at: 0.5 * np.abs(at[:, 0]))
    assert roof == pytest.approx(0.5, abs=0.05), "both sides of a ridge are steep, though its ends are level with one another"
