"""People's hours, what a pack's own charges taught, and balancing."""

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from quarry.core.base.errors import MissingInput
from quarry.core.logs.calibrate import WORTH, calibrate
from quarry.core.power.charging import charge_time_s
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import Charger, Craft, Flight, Mode, PackSet, RotationTask, duration_s
from quarry.core.rotation.optimise import improve
from quarry.core.rotation.people import SETTINGS, PeopleLimits, long_spells, within
from quarry.core.rotation.timeline import load_series, pack_timelines

H = 3600.0
MODE = Mode("gentle", 100.0, 120.0)


def task_of(**over):
    """One aircraft, three equal flights, two packs, one port."""
    flights = tuple(Flight(f"f{k}", "A", 900.0, 0.6) for k in range(3))
    more = over.pop("pack", {})
    packs = tuple(PackSet(f"{k}", "t", 1, 100.0, 1.0 if k == 0 else 0.4, **more) for k in range(2))
    figures = {"swap_s": 120.0, "rest_after_flight_s": 300.0, "rest_after_charge_s": 0.0} | over
    return RotationTask((Craft("A", "t"),), flights, packs, (Charger("c", 1, (MODE,)),), **figures)


def test_a_day_reaches_no_further_than_people_do():
    windows = ((0.0, 4 * H), (4.5 * H, 12 * H), (13 * H, 14 * H))
    assert within(windows, PeopleLimits(day_h=10.0)) == ((0.0, 4 * H), (4.5 * H, 10 * H))
    assert within(windows, PeopleLimits(day_h=14.0)) == windows
    assert within(windows, PeopleLimits(day_h=4.2)) == ((0.0, 4 * H),)


def test_a_break_counts_from_its_least_length_on():
    spells = [(0.0, 3 * H), (3 * H + 14 * 60, 7 * H)]
    assert long_spells(spells, PeopleLimits(spell_h=6.0, break_min=15.0)) == ((0.0, 7 * H),)
    assert long_spells(spells, PeopleLimits(spell_h=6.0, break_min=14.0)) == ()
    assert long_spells([], PeopleLimits()) == ()


@given(st.lists(st.tuples(st.floats(0, 20 * H), st.floats(60, 3 * H)), max_size=20), st.floats(5, 120), st.floats(1, 12))
def test_long_spells_cover_every_flight_of_a_stretch_and_no_break(starts, break_min, spell_h):
    spells = [(a, a + length) for a, length in starts]
    limits = PeopleLimits(spell_h=spell_h, break_min=break_min)
    found = long_spells(spells, limits)
    for a, b in found:
        assert b - a > spell_h * H
        inside = sorted(s for s in spells if a <= s[0] < b)
        assert inside[0][0] == a
        assert max(e for _, e in inside) == b
        reached = inside[0][1]
        for start, end in inside[1:]:
            assert start - reached < break_min * 60
            reached = max(reached, end)
    assert all(b <= c for (_, b), (c, _) in itertools.pairwise(found))


def test_the_defaults_are_those_of_the_policy_page():
    """Articles 3 and 4 of Directive 2003/88/EC, from memory: eleven hours of rest, a break beyond six hours."""
    known = {s.key: s.default for s in SETTINGS}
    assert known["people.spell_h"] == 6.0
    assert known["people.day_h"] <= 24 - 11
    assert all(s.low <= s.default <= s.high for s in SETTINGS)


def slowness(ratios):
    return calibrate("charge", ratios).factor


def test_own_charges_weigh_more_the_more_there_are():
    """Z = n ÷ (n + k), Bühlmann 1967."""
    assert slowness([1.3]) == pytest.approx(1 + 0.3 / (1 + WORTH["charge"]))
    assert slowness([1.3] * 3) == pytest.approx(1.15)
    many = [slowness([1.3] * n) for n in range(1, 30)]
    assert many == sorted(many)
    assert many[-1] < 1.3


def test_a_pack_forgotten_on_its_port_is_no_slow_pack():
    assert slowness([1.1, 1.1, 9.0]) == slowness([1.1, 1.1])
    assert slowness([1.0, 1.0, 1.7]) == 1.0
    with pytest.raises(MissingInput):
        calibrate("charge", [0.01, 50.0])


def test_the_working_says_how_many_charges_spoke():
    told = calibrate("charge", [1.2, 1.3, 1.25])
    assert told.factor == pytest.approx(1.125)
    assert any("middle of 3" in str(s) for s in told.working.steps)
    assert {s.source.key for s in told.working.steps if s.source} >= {"measured", "buhlmann-1967"}


@given(st.lists(st.floats(0.4, 2.5), min_size=1, max_size=40))
def test_no_lesson_goes_beyond_what_was_measured(ratios):
    made = calibrate("charge", ratios)
    assert min(1.0, made.measured_ratio) <= made.factor <= max(1.0, made.measured_ratio)


def test_evening_out_keeps_a_pack_on_its_port_and_ends_with_it():
    plain, even = (PackSet("p", "t", 1, 100.0, 0.4, balance_s=b) for b in (0.0, 480.0))
    assert duration_s(even, 0.4, MODE) == duration_s(plain, 0.4, MODE) + 480
    assert duration_s(even, 1.0, MODE) == duration_s(plain, 1.0, MODE) == 0
    slow = PackSet("p", "t", 1, 100.0, 0.4, slowness=1.5, balance_s=60.0)
    assert duration_s(slow, 0.4, MODE) == pytest.approx(1.5 * charge_time_s(100.0, 0.4, 100.0, slow.law) + 60, abs=1)


@pytest.mark.parametrize("policy", ["full", "partial"])
def test_slow_packs_and_evening_out_make_no_day_end_earlier(policy):
    quick = improve(task_of(policy=policy), dispatch(task_of(policy=policy)), 3.0).rotation
    slow = task_of(policy=policy, pack={"slowness": 1.4, "balance_s": 300.0})
    best = improve(slow, dispatch(slow), 3.0).rotation
    assert best.makespan_s >= quick.makespan_s
    for c in best.charges:
        if c.to_frac >= 1 - 1e-9:
            s = next(s for s in slow.sets if s.id == c.set)
            assert c.end_s - c.start_s >= duration_s(s, c.from_frac, MODE) - 1


def test_while_cells_are_evened_out_the_pack_is_full_and_draws_nothing():
    task = task_of(pack={"balance_s": 600.0})
    plan = dispatch(task)
    first = min(plan.charges, key=lambda c: c.start_s)
    late = [w for t, w in load_series(task, plan) if first.end_s - 300 < t < first.end_s and plan_alone(plan, first, t)]
    assert late
    assert max(late) == 0.0
    line = next(x for x in pack_timelines(task, plan, plan.makespan_s + H) if x.set == first.set)
    bed = next(b for b in line.beds if b.state == "charging")
    assert bed.curve[-1] == (first.end_s, 1.0)


def plan_alone(plan, charge, at_s):
    """Return whether only this charge is on a port at a time."""
    return all(not c.start_s < at_s <= c.end_s for c in plan.charges if c is not charge)
