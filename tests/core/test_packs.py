"""One pack in service: load test, charge-back, alarm levels, transport, against what crews measured."""

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from quarry.core.base.errors import BadReading, Infeasible, OutOfRange
from quarry.core.base.working import explain
from quarry.core.cells.chemistry import CHEMISTRIES, chemistry_of
from quarry.core.packs.alarms import AlarmReading, falling_curve, gap_warning, propose_levels, time_between_s
from quarry.core.packs.charge_back import TimedFlight, charge_back
from quarry.core.packs.load_test import LoadTest, LoadTestPolicy, judge_load_test, query_load
from quarry.core.packs.transport import transport_advice

LIPO = chemistry_of("lipo")


def judge(volts=(), chemistry="lipo", policy=None, **more):
    cells = more.pop("cells_count", len(volts) or 6)
    test = LoadTest(cells, tuple(volts), **{"start_frac": 0.98, "pack_c": 24.0} | more)
    return judge_load_test(chemistry_of(chemistry), test, policy or LoadTestPolicy())


@pytest.mark.parametrize(
    ("lowest", "verdict", "left"),
    [
        (3.95, "good", None),
        (3.91, "good", None),
        (3.9, "replace soon", (10, 20)),
        (3.88, "replace soon", (10, 20)),
        (3.61, "replace soon", (10, 20)),
        (3.6, "bad", None),
    ],
)
@pytest.mark.parametrize("chemistry", ["lipo", "lihv"])
def test_the_levels_of_lipo(chemistry, lowest, verdict, left):
    """Every cell above 3.9 V is good, above 3.6 replace soon, else bad: exactly at a level is the worse. Common practice, no source."""
    found = judge([3.97, 3.96, lowest, 3.98, 3.96, 3.97], chemistry)
    assert (found.verdict, found.cycles_left, found.evidence) == (verdict, left, "each cell")
    assert found.weakest_cell == 3
    assert found.spread_v == pytest.approx(3.98 - lowest)
    assert found.working.steps[-1].value == verdict


def test_one_weak_cell_is_enough_and_a_total_hides_it():
    cells = [3.98, 3.97, 3.99, 3.55, 3.97, 3.98]
    assert judge(cells).verdict == "bad"
    total = judge(total_v=sum(cells))
    assert (total.verdict, total.evidence, total.weakest_cell) == ("good", "total", 0)
    assert "can hide one weak cell" in total.words


def test_a_total_is_divided_by_the_cells_in_series():
    """3 cells: 10.8 V is the same limit as 3.6, and bad. Common practice, no source."""
    assert judge(total_v=10.83, cells_count=3).verdict == "replace soon"
    assert judge(total_v=10.8, cells_count=3).verdict == "bad"
    with pytest.raises(BadReading, match="divide a total by the cells in series only"):
        judge(total_v=23.4, cells_count=3)


@pytest.mark.parametrize(
    ("more", "field"), [({"total_v": 25.0}, "total_v"), ({"cell_volts": [4.17, 4.16, 4.17, 4.16, 4.18, 4.2]}, "cell_v")]
)
def test_volts_that_no_cell_holds_under_full_power_are_queried(more, field):
    """25 V over 6 cells in a full climb: read at rest, or not in the climb."""
    with pytest.raises(BadReading, match="Was it read at rest") as asked:
        query_load(LIPO, 6, **more)
    assert asked.value.field == field
    query_load(LIPO, 6, [4.2, 4.2, 4.2, 4.2, 4.2, 4.12])
    query_load(LIPO, 6, total_v=24.8)


@pytest.mark.parametrize("pack_c", [-8.0, 5.0, 14.9])
def test_a_cold_fail_is_inconclusive_and_a_cold_pass_is_a_pass(pack_c):
    cold = judge([3.97, 3.5, 3.97], pack_c=pack_c)
    assert cold.verdict == "inconclusive"
    assert "warm it above 15 °C and repeat" in cold.words
    assert judge([3.97, 3.93, 3.97], pack_c=pack_c).verdict == "good"


def test_a_fail_without_a_temperature_says_so():
    assert "temperature was not noted" in judge([3.5, 3.9, 3.9], pack_c=None).words


@pytest.mark.parametrize(
    ("full", "judged"),
    [
        ({"start_frac": 0.96}, True),
        ({"start_frac": 0.95}, False),
        ({"start_frac": None, "rest_cell_v": 4.15}, True),
        ({"start_frac": None, "rest_cell_v": 4.14}, False),
        ({"start_frac": 0.9, "rest_cell_v": 4.17}, True),
        ({"start_frac": None}, False),
    ],
)
def test_a_pack_that_was_not_full_is_not_judged(full, judged):
    """Full means 96 % or 4.15 V a cell at rest. Common practice, no source."""
    assert (judge([3.97, 3.5, 3.97], **full).verdict != "not judged") == judged


def test_an_aircraft_without_volts_rules_the_test_out_and_says_what_then():
    found = judge(cells_count=4)
    assert (found.verdict, found.evidence) == ("not possible", "none")
    assert "meter" in found.words


@pytest.mark.parametrize("chemistry", ["liion", "lfp"])
def test_the_usual_levels_do_not_hold_for_other_chemistries(chemistry):
    volts = [CHEMISTRIES[chemistry].nominal_v + 0.1] * 4
    found = judge(volts, chemistry)
    assert found.verdict == "not possible"
    assert "levels of your own" in found.words
    own = LoadTestPolicy(good_v=3.2, bad_v=2.9)
    assert judge(volts, chemistry, own).verdict == "good"


@pytest.mark.parametrize(
    ("volts", "cells", "words"),
    [
        ([3.9] * 5, 6, "5 cell volts were given for a pack of 6"),
        ([3.9, 44.0], 2, "Cell 2 at 44.00 V cannot be"),
        ([0.2, 3.9], 2, "Cell 1"),
    ],
)
def test_volts_that_cannot_be_are_refused_at_their_cell(volts, cells, words):
    with pytest.raises(BadReading, match=words) as bad:
        judge(volts, cells_count=cells)
    assert bad.value.field.startswith("cell_volts")


@given(st.lists(st.floats(3.0, 4.2), min_size=2, max_size=12), st.floats(0, 0.3))
def test_a_lower_cell_never_gives_a_better_verdict(volts, less):
    rank = {"bad": 0, "replace soon": 1, "good": 2}
    before = judge(volts)
    lower = [max(2.6, volts[0] - less), *volts[1:]]
    assert rank[judge(lower).verdict] <= rank[before.verdict]


CV_FLIGHT = TimedFlight(480.0, 1.569)


def test_the_draw_of_a_timed_flight():
    """1569 mAh put back after 8 min: 196 mAh a minute. Common practice, no source."""
    assert charge_back([CV_FLIGHT], 1.8).draw_a * 1000 / 60 == pytest.approx(196, abs=0.5)


@pytest.mark.parametrize(
    ("flight", "method", "minutes"),
    [
        (TimedFlight(480.0, 1.569, 1.0), "rated", 5.25),
        (TimedFlight(480.0, 1.569), "rated", 6.4),
        (TimedFlight(480.0, 1.569, 1.0), "measured", 5.6),
        (TimedFlight(510.0, 1.569, 1.0), "measured", 5.95),
        (TimedFlight(540.0, 1.569, 1.0), "measured", 6.3),
    ],
)
def test_minutes_to_plan_under_either_method(flight, method, minutes):
    """1800 mAh, reserve 30 %: 5.25 min of rated from what was seen, 6.4 from the label; 5.6 and 6.3 of the measured.

    Common practice, no source.
    """
    found = charge_back([flight], 1.8, landing_frac=0.3, method=method)
    assert found.plan_s / 60 == pytest.approx(minutes, abs=0.05)
    assert found.capacity_measured == (flight.used_frac is not None)


def test_health_comes_only_from_a_known_share():
    assert charge_back([CV_FLIGHT], 1.8).health_frac is None
    assert charge_back([TimedFlight(480.0, 1.1, 0.7)], 1.8).health_frac == pytest.approx(1.1 / 0.7 / 1.8)


def test_several_flights_give_a_figure_that_one_slip_does_not_move():
    honest = [TimedFlight(480.0, 1.5 + k * 0.01) for k in range(6)]
    clean = charge_back(honest, 1.8)
    slipped = charge_back([*honest, TimedFlight(480.0, 0.3)], 1.8)
    assert slipped.draw_a == pytest.approx(clean.draw_a, rel=0.02)
    assert 0 < clean.draw_spread_a < 0.5


@given(st.floats(60, 2400), st.floats(0.3, 1.9), st.floats(0.05, 0.6), st.floats(0, 0.2))
def test_a_larger_reserve_never_gives_more_minutes(flown, back, reserve, more):
    flight = TimedFlight(flown, back)
    less = charge_back([flight], 1.8, landing_frac=reserve + more)
    assert less.plan_s <= charge_back([flight], 1.8, landing_frac=reserve).plan_s + 1e-9


@pytest.mark.parametrize(
    ("flights", "more", "kind", "words"),
    [
        ([], {}, BadReading, "at least one flight"),
        ([TimedFlight(480.0, 4.0)], {}, BadReading, "4000 mAh were put back into a pack of 1800"),
        ([TimedFlight(480.0, 0.4, 1.0)], {"landing_frac": 0.3}, Infeasible, "all that this pack holds"),
        ([CV_FLIGHT], {"landing_frac": 1.5}, OutOfRange, "Reserve"),
    ],
)
def test_readings_that_cannot_be_are_refused(flights, more, kind, words):
    with pytest.raises(kind, match=words):
        charge_back(flights, 1.8, **more)


@pytest.mark.parametrize(
    "make", [lambda: TimedFlight(5.0, 1.0), lambda: TimedFlight(480.0, -1.0), lambda: TimedFlight(480.0, 1.0, 2.0)]
)
def test_a_flight_of_absurd_figures_is_refused(make):
    with pytest.raises(OutOfRange):
        make()


READINGS = [AlarmReading(0.0, rest_v=12.5), AlarmReading(240.0, rest_v=11.75), AlarmReading(480.0, rest_v=11.1, loaded_v=10.5)]


@pytest.mark.parametrize(("cap", "rest"), [(None, 11.1), (0.5, 11.0)])
def test_the_levels_a_crew_found_by_hand(cap, rest):
    """3 cells, 12.5 V full, 11.1 V at rest and 10.5 under load after 8 min: level 1 at 11.1 V, with the capped loss 11.0.

    Common practice, no source; to 0.05 V.
    """
    found = propose_levels(LIPO, 3, READINGS, 20.0, most_loss_v=cap)
    assert found.loss_v == pytest.approx(0.6, abs=0.05)
    assert found.level_1.loaded_v == pytest.approx(10.5, abs=0.05)
    assert found.level_1.rest_v == pytest.approx(rest, abs=0.05)
    assert found.level_1.loaded_cell_v == pytest.approx(3.5, abs=0.02)
    assert found.level_2.loaded_v < found.level_1.loaded_v


def test_a_tenth_of_a_volt_is_over_in_seconds_and_is_warned_of():
    """Level 2 set 0.1 V lower came seconds later. Common practice, no source."""
    curve = propose_levels(LIPO, 3, READINGS, 20.0).curve
    between = time_between_s(curve, 10.5, 10.4)
    assert 10 < between < 60
    assert "raise level 1" in gap_warning(between, 90.0)
    assert gap_warning(90.0, 90.0) == ""


@given(st.floats(10, 400), st.floats(0.2, 0.9), st.integers(2, 12))
def test_the_way_home_always_fits_between_the_levels(home, loss, cells):
    readings = [
        AlarmReading(60.0 * k, rest_v=cells * (4.15 - 0.055 * k), loaded_v=cells * (4.15 - 0.055 * k) - loss) for k in range(14)
    ]
    found = propose_levels(LIPO, cells, readings, home)
    assert found.between_s >= home - 1e-6 or found.level_1.at_s == 0.0
    assert found.level_1.loaded_v >= found.level_2.loaded_v
    assert found.level_2.loaded_cell_v >= 3.3 - 1e-9
    assert found.level_1.rest_v - found.level_1.loaded_v == pytest.approx(found.taken_loss_v)


def test_a_long_way_home_raises_the_first_level_and_says_so():
    told = explain(propose_levels, LIPO, 3, READINGS, 300.0)
    near, far = propose_levels(LIPO, 3, READINGS, 20.0), told.value
    assert far.level_1.loaded_v > near.level_1.loaded_v
    assert far.level_2.loaded_cell_v == pytest.approx(3.3)
    assert any("raised so that the way home fits" in s.formula for s in told.steps)


@given(st.lists(st.tuples(st.floats(0, 1000), st.floats(9, 13)), min_size=1, max_size=30, unique_by=lambda p: p[0]))
def test_the_curve_never_rises_and_keeps_the_mean(points):
    curve = falling_curve(points)
    volts = [v for _, v in curve]
    assert all(b <= a + 1e-9 for a, b in itertools.pairwise(volts))
    assert sum(volts) == pytest.approx(sum(v for _, v in points))


@pytest.mark.parametrize(
    ("readings", "words", "field"),
    [
        ([AlarmReading(0.0, 12.5), AlarmReading(60.0, 12.4)], "No reading has volts at rest and under load", "readings"),
        ([AlarmReading(0.0, 12.0, 12.4), AlarmReading(60.0, 11.0)], "cannot show more under load", "readings"),
        ([AlarmReading(0.0, 12.5, 12.0)], "two times at least", "readings"),
        ([AlarmReading(0.0, 12.5, 12.0), AlarmReading(60.0, 12.4, 11.9)], "do not reach 10.50 V", "readings"),
        ([AlarmReading(0.0, 25.0, 24.0), AlarmReading(60.0, 12.4)], "cannot be for 3 cells", "readings.0.rest_v"),
    ],
)
def test_readings_that_give_no_levels_say_what_is_missing(readings, words, field):
    with pytest.raises(BadReading, match=words) as bad:
        propose_levels(LIPO, 3, readings, 60.0)
    assert bad.value.field == field


@pytest.mark.parametrize(
    ("capacity", "travel"), [(4.5, "cabin"), (4.51, "cabin with approval"), (7.2, "cabin with approval"), (7.21, "cargo")]
)
def test_transport_edges_belong_to_the_milder_class(capacity, travel):
    found = transport_advice(6, 3.7, capacity)
    assert found.travel == travel
    assert "the edition in force decides" in found.words
    assert (found.most_charge_frac == 0.3) == (travel == "cargo")
