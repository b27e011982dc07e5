"""Verdict, forecast, money and care: what must hold for any history, and the cases that crews named."""

import itertools
from dataclasses import fields, replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import theilslopes

from quarry.core.base.errors import OutOfRange
from quarry.core.packs.care import CarePolicy, PackState, care_tasks
from quarry.core.packs.forecast import PackOffer, compare, forecast, money, robust_trend
from quarry.core.packs.health import (
    LEVELS,
    CapacitySeen,
    HealthPolicy,
    LoadTestSeen,
    PackHistory,
    ResistanceSeen,
    judge_health,
    worst_growth,
)

TODAY = 1000
SOUND = PackHistory(
    tests=(LoadTestSeen(995, "good", 3.95, 2),),
    resistance=tuple(ResistanceSeen(700 + 10 * k, 10.0 * k, (0.003, 0.0031, 0.0029)) for k in range(8)),
    capacity=tuple(CapacitySeen(700 + 10 * k, 10.0 * k, 0.97 - 0.001 * k) for k in range(8)),
    cycles=80.0,
    bought_day=TODAY - 400,
    last_used_day=998,
    rest_spread_v=0.011,
)


def rank(level):
    return LEVELS.index(level)


def test_a_sound_pack_is_in_service_and_every_row_says_what_was_measured():
    found = judge_health(SOUND, TODAY)
    assert found.level == "in service"
    assert {r.name for r in found.rules} >= {
        "load test, lowest cell",
        "capacity",
        "cycles",
        "resistance, worst cell",
        "spread at rest",
        "age",
    }
    assert all(r.limit and r.words and r.source for r in found.rules)
    assert found.working.steps[-1].value == "in service"


@pytest.mark.parametrize(
    ("change", "level", "speaks"),
    [
        ({"tests": (LoadTestSeen(999, "bad", 3.52, 4),)}, "grounded", "cell 4 at 3.52 V, bad"),
        ({"tests": (LoadTestSeen(999, "replace soon", 3.71, 4),)}, "replace soon", "replace soon"),
        ({"tests": (LoadTestSeen(999, "inconclusive", 3.7, 4),)}, "watch", "inconclusive"),
        ({"swollen": True}, "grounded", "swollen"),
        ({"damaged": True}, "grounded", "No override"),
        ({"capacity": tuple(CapacitySeen(900 + k, 70.0 + k, 0.79) for k in range(3))}, "replace soon", "holds 79%"),
        ({"capacity": tuple(CapacitySeen(900 + k, 70.0 + k, 0.84) for k in range(3))}, "watch", "holds 84%"),
        ({"rest_spread_v": 0.04}, "watch", "40 mV apart"),
        ({"tests": (LoadTestSeen(999, "good", 3.92, 1, 0.16),)}, "watch", "160 mV apart under full load"),
        ({"tests": (LoadTestSeen(999, "good", 3.91, 1, 0.31),)}, "replace soon", "310 mV apart under full load"),
        ({"cycles": 320.0}, "replace soon", "320 equivalent"),
        ({"bought_day": TODAY - 2000}, "watch", "age alone does not rank"),
        ({"last_used_day": 900, "tests": (LoadTestSeen(900, "good", 3.95, 1),)}, "watch", "100 days since"),
        ({"full_lapses_count": 2}, "watch", "Stored full for days 2 times"),
        ({"deep_count": 4}, "watch", "4 landings below 20 %"),
    ],
)
def test_each_rule_speaks_for_itself(change, level, speaks):
    found = judge_health(replace(SOUND, **change), TODAY)
    assert found.level == level
    assert speaks in found.rules[0].words


def test_the_first_test_counts_less_than_the_last():
    tests = (LoadTestSeen(900, "bad", 3.5, 1), LoadTestSeen(999, "good", 3.95, 1))
    assert judge_health(replace(SOUND, tests=tests), TODAY).level == "in service"


def test_only_swelling_and_damage_bear_no_override():
    assert judge_health(replace(SOUND, tests=(LoadTestSeen(999, "bad", 3.5),)), TODAY).may_override
    assert not judge_health(replace(SOUND, swollen=True), TODAY).may_override


def test_age_never_retires_a_pack():
    """The oldest of three packs flew longer than two bought later. Common practice, no source."""
    assert judge_health(replace(SOUND, bought_day=TODAY - 6000), TODAY).level == "watch"


def test_every_threshold_of_the_policy_is_used_by_a_rule():
    """With each threshold set so low that anything passes it, each must speak."""
    low = {f.name: replace(getattr(HealthPolicy(), f.name), watch=-1.0) for f in fields(HealthPolicy)}
    low["capacity_frac"] = replace(low["capacity_frac"], watch=2.0, replace=None)
    low["store_cold_c"] = replace(low["store_cold_c"], watch=99.0)
    history = replace(SOUND, tests=(LoadTestSeen(995, "good", 3.95, 2, 0.02),), deep_count=1, heat_lapses_count=1)
    history = replace(history, store_c=18.0, store_frac=0.4)
    quiet = [r for r in judge_health(history, TODAY, HealthPolicy(**low)).rules if r.level == "in service"]
    assert [r.name for r in quiet] == ["load test, lowest cell"]
    assert len(judge_health(history, TODAY, HealthPolicy(**low)).rules) == len(low) + 1


def test_nothing_measured_is_said():
    found = judge_health(PackHistory(), TODAY)
    assert (found.level, found.rules) == ("not yet tested", ())
    assert "test it before it flies" in found.words


def test_thresholds_come_from_the_policy():
    strict = HealthPolicy(cycles=replace(HealthPolicy().cycles, watch=50.0, replace=75.0))
    assert judge_health(SOUND, TODAY, strict).level == "replace soon"


@given(st.floats(0.5, 1.0), st.floats(0.0, 0.3), st.floats(0, 500), st.floats(0, 0.2), st.integers(0, 15))
def test_a_worse_history_never_gives_a_better_verdict(health, less, cycles, spread, deep):
    better = replace(SOUND, capacity=(CapacitySeen(990, 80.0, health),), cycles=cycles, rest_spread_v=spread, deep_count=deep)
    worse = replace(
        better,
        capacity=(CapacitySeen(990, 80.0, health - less),),
        cycles=cycles * 1.2,
        rest_spread_v=spread * 1.5,
        deep_count=deep + 1,
    )
    assert rank(judge_health(worse, TODAY).level) >= rank(judge_health(better, TODAY).level)


@given(st.integers(2, 14), st.integers(0, 13), st.floats(1.0, 3.0))
def test_growth_is_against_the_cells_own_first_readings(cells, which, factor):
    which %= cells
    first = tuple(0.003 + 0.0001 * k for k in range(cells))
    grown = tuple(r * (factor if k == which else 1.0) for k, r in enumerate(first))
    readings = [ResistanceSeen(k, 10.0 * k, first) for k in range(4)] + [ResistanceSeen(9, 60.0, grown)]
    growth, cell = worst_growth(readings)
    assert growth == pytest.approx(factor, rel=1e-9)
    assert cell == which + 1 or factor == pytest.approx(1.0)


@pytest.mark.parametrize("part", ["tests", "resistance", "capacity"])
def test_a_record_from_the_future_is_refused(part):
    late = {
        "tests": LoadTestSeen(1001, "good", 3.9),
        "resistance": ResistanceSeen(1001, 1.0, (0.003,)),
        "capacity": CapacitySeen(1001, 1.0, 0.9),
    }
    with pytest.raises(OutOfRange, match="dated in the future"):
        judge_health(replace(SOUND, **{part: (late[part],)}), TODAY)


def fading(slope, noise, seed, start=0.98, count=14):
    rng = np.random.default_rng(seed)
    return tuple(CapacitySeen(10 * k, 12.0 * k, float(start - slope * 12 * k + rng.normal(0, noise))) for k in range(count))


@given(st.floats(-0.01, 0.01), st.integers(0, 500))
def test_the_robust_line_is_that_of_scipy(slope, seed):
    """scipy.stats.theilslopes is the outside reference."""
    rng = np.random.default_rng(seed)
    x = np.cumsum(rng.uniform(2, 9, 15))
    y = 0.9 + slope * x + rng.normal(0, 0.01, 15)
    assert robust_trend(x, y).slope == pytest.approx(theilslopes(y, x).slope, abs=1e-12)


@given(st.floats(0.0003, 0.002), st.integers(0, 200))
def test_a_steady_fade_is_foreseen(slope, seed):
    history = replace(SOUND, capacity=fading(slope, 0.0, seed), resistance=())
    found = forecast(history)
    now = history.capacity[-1].health_frac
    if now <= 0.80:
        assert found.cycles_left == 0.0
        return
    assert found.cycles_left == pytest.approx((now - 0.80) / slope, rel=1e-6)
    assert found.limited_by == "capacity"


@given(st.integers(0, 60))
def test_the_likely_range_holds_the_middle_and_one_slip_does_not_move_it(seed):
    clean = fading(0.0008, 0.004, seed)
    found = forecast(replace(SOUND, capacity=clean, resistance=()))
    assert found.low <= found.cycles_left
    assert found.high is None or found.cycles_left <= found.high
    slipped = (*clean[:6], replace(clean[6], health_frac=0.2), *clean[7:])
    assert forecast(replace(SOUND, capacity=slipped, resistance=())).cycles_left == pytest.approx(found.cycles_left, rel=0.35)


def test_too_few_data_say_so_and_a_level_trend_foresees_nothing():
    few = forecast(replace(SOUND, capacity=SOUND.capacity[:3], resistance=()))
    assert few.cycles_left is None
    assert "Too few data" in few.words
    level = forecast(replace(SOUND, capacity=fading(0.0, 0.0, 1), resistance=()))
    assert level.cycles_left is None
    assert "Neither" in level.words


def test_the_weakest_cell_may_meet_its_limit_first():
    readings = tuple(ResistanceSeen(10 * k, 12.0 * k, (0.003, 0.003 * (1 + 0.06 * k))) for k in range(10))
    found = forecast(replace(SOUND, capacity=fading(0.0001, 0.0, 1), resistance=readings))
    assert found.limited_by == "resistance of cell 2"


def test_the_dearer_pack_is_not_always_worth_it():
    """25 of money for 7 min against 55 for 9 min: 3.6 against 6.1 a minute of one flight. Common practice, no source."""
    small, large = PackOffer("small", 25.0, 420.0), PackOffer("large", 55.0, 540.0)
    found = compare(small, large)
    assert found.one_flight == (pytest.approx(3.6, abs=0.05), pytest.approx(6.1, abs=0.05))
    assert "small gives the cheaper minute" in found.words
    assert found.over_life is None
    lasting = compare(replace(small, flights_count=60.0), replace(large, flights_count=200.0))
    assert "large gives the cheaper minute" in lasting.words


def test_money_so_far_and_over_life():
    found = money(200.0, 100 * 1200.0, 100, cycles_left=100.0)
    assert found.so_far == pytest.approx(0.1)
    assert found.over_life == pytest.approx(0.05)
    assert money(200.0, 0.0, 0, None).so_far is None


FINE = judge_health(SOUND, TODAY)
SHELF = PackState("03", 0.6, 600, last_used_day=998, last_tested_day=998, last_checked_day=998)


def kinds(state, health=FINE, **policy):
    return [t.kind for t in care_tasks(state, health, TODAY, CarePolicy(**policy))]


def test_a_pack_at_storage_charge_and_lately_flown_needs_nothing():
    assert kinds(SHELF) == []


@pytest.mark.parametrize(
    ("change", "want"),
    [
        ({"charge_frac": 1.0, "last_used_day": 996, "last_tested_day": 996}, ["bring to storage"]),
        ({"charge_frac": 1.0}, []),
        ({"charge_frac": 1.0, "last_used_day": 990, "last_tested_day": 990, "next_flight_day": 1001}, []),
        ({"charge_frac": 0.2, "last_used_day": 990, "last_tested_day": 990}, ["bring to storage"]),
        ({"last_used_day": 965, "last_tested_day": 965, "last_checked_day": 965}, ["load test", "monthly check"]),
        ({"last_used_day": 979, "last_tested_day": 979}, ["load test"]),
        ({"last_tested_day": None, "next_flight_day": 1001}, ["load test"]),
        ({"rest_spread_v": 0.025}, ["balance"]),
    ],
)
def test_what_is_due_today(change, want):
    assert kinds(replace(SHELF, **change)) == want


def test_a_pack_that_drains_itself_is_only_looked_at():
    state = replace(SHELF, charge_frac=1.0, last_used_day=990, last_tested_day=990, drains_after_days=5)
    (task,) = care_tasks(state, FINE, TODAY)
    assert (task.kind, task.by_itself, task.due_day) == ("bring to storage", True, 995)
    assert kinds(replace(state, drains_after_days=20)) == []


def test_a_grounded_pack_leaves_and_is_never_charged_or_tested():
    bad = judge_health(replace(SOUND, tests=(LoadTestSeen(999, "bad", 3.5, 1),)), TODAY)
    swollen = judge_health(replace(SOUND, swollen=True), TODAY)
    neglected = replace(SHELF, charge_frac=1.0, last_used_day=900, last_tested_day=None, rest_spread_v=0.2)
    assert kinds(neglected, bad) == ["take out of service"]
    assert kinds(neglected, swollen) == ["recycle"]
    assert kinds(replace(neglected, out_of_service=True), bad) == []


def test_a_worn_pack_asks_for_its_successor_once():
    worn = judge_health(replace(SOUND, cycles=320.0), TODAY)
    assert kinds(SHELF, worn) == ["order successor"]
    assert kinds(replace(SHELF, successor_ordered=True), worn) == []


@given(st.floats(0, 1), st.integers(900, 1000), st.integers(900, 1000), st.integers(0, 3))
def test_tasks_stand_in_order_of_urgency_say_why_and_are_due(charge, used, tested, level):
    health = [
        FINE,
        *(judge_health(replace(SOUND, **c), TODAY) for c in ({"cycles": 210.0}, {"cycles": 320.0}, {"swollen": True})),
    ][level]
    tasks = care_tasks(replace(SHELF, charge_frac=charge, last_used_day=used, last_tested_day=tested), health, TODAY)
    order = ["recycle", "take out of service", "load test", "bring to storage", "monthly check", "balance", "order successor"]
    assert all(order.index(a.kind) <= order.index(b.kind) for a, b in itertools.pairwise(tasks))
    assert all(t.words and t.due_day <= TODAY for t in tasks)


@pytest.mark.parametrize("bad", [{"storage_frac": 0.95}, {"check_every_days": 0}, {"storage_after_days": -1}])
def test_a_policy_out_of_range_is_refused(bad):
    with pytest.raises(OutOfRange):
        CarePolicy(**bad)
