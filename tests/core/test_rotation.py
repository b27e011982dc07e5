"""Who flies and who charges when: random days under an independent replay, and the words of refusals."""

import itertools
import math
from dataclasses import replace

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from quarry.core.base.errors import CoreError, Infeasible, MissingInput
from quarry.core.cells.chemistry import chemistry_of
from quarry.core.power.charging import ChargeLaw, ChargerRange, why_not_charged
from quarry.core.rotation.bounds import bound_working, lower_bound
from quarry.core.rotation.dispatch import dispatch, earliest_ready
from quarry.core.rotation.model import Charger, Craft, Flight, Mode, PackSet, RotationTask
from quarry.core.rotation.optimise import improve
from quarry.core.rotation.reschedule import reschedule_in_order
from quarry.core.rotation.sensitivity import with_ports
from quarry.core.rotation.steady_state import mean_wait_s, packs_needed, ports_needed, takeoff_interval_s
from quarry.core.rotation.timeline import calls_of, finish_working, load_series, pack_timelines
from tests.core.shapes import days, problems

CHARGER = Charger("c", 2, (Mode("fast", 240.0, 270.0), Mode("gentle", 120.0, 135.0)))


def day(**over):
    return RotationTask(
        **{
            "aircraft": (Craft("a", "t"),),
            "flights": tuple(Flight(f"F{k}", "a", 1000.0, 0.6) for k in range(5)),
            "sets": tuple(PackSet(f"p{k}", "t", 1, 200.0, 1.0) for k in range(3)),
            "chargers": (CHARGER,),
            "swap_s": 180.0,
            "rest_after_flight_s": 600.0,
            "rest_after_charge_s": 300.0,
        }
        | over
    )


def planned(task):
    try:
        return dispatch(task)
    except CoreError:
        assume(False)


@settings(max_examples=120, deadline=None)
@given(days())
def test_random_days_pass_the_independent_replay(task):
    plan = planned(task)
    assert problems(task, plan) == []
    assert plan.makespan_s == max(f.landing_s for f in plan.flights)


@settings(max_examples=60, deadline=None)
@given(days(policy="partial"))
def test_days_that_may_fly_on_part_charge_pass_too(task):
    assert problems(task, planned(task)) == []


@settings(max_examples=60, deadline=None)
@given(days())
def test_never_worse_than_the_plain_rule_and_never_below_the_bound(task):
    plan, plain = planned(task), earliest_ready(task)
    assert plan.lower_bound_s <= plan.makespan_s + 1e-6
    assert lower_bound(task)[0] <= plan.makespan_s + 1e-6
    if plain is not None:
        assert problems(task, plain) == []
        assert plan.makespan_s <= plain.makespan_s + 1e-6


@settings(max_examples=80, deadline=None)
@given(days(), st.sampled_from(["as it is", "less power", "a port less", "longer swaps", "half the rest"]))
def test_a_plan_kept_in_its_order_is_valid_for_the_changed_day_or_said_not_to_hold(task, change):
    plan = planned(task)
    changed = {
        "as it is": task,
        "less power": replace(task, site_power_w=None if task.site_power_w is None else 0.7 * task.site_power_w),
        "a port less": with_ports(task, -1),
        "longer swaps": replace(task, swap_s=task.swap_s + 120.0),
        "half the rest": replace(task, rest_after_flight_s=task.rest_after_flight_s / 2),
    }[change]
    kept = reschedule_in_order(changed, plan)
    if kept is not None:
        assert problems(changed, kept) == []
    if change in ("as it is", "half the rest"):
        assert kept is not None
        assert kept.makespan_s <= plan.makespan_s + 1e-6


@settings(max_examples=40, deadline=None)
@given(days())
def test_the_same_day_gives_the_same_plan(task):
    assert planned(task) == dispatch(task)


@settings(max_examples=40, deadline=None)
@given(days())
def test_beds_of_a_pack_have_no_gaps_and_charge_never_jumps(task):
    plan = planned(task)
    end = max([plan.makespan_s, *(c.end_s for c in plan.charges)]) + 600
    lines = pack_timelines(task, plan, end)
    assert len(lines) == sum(s.packs for s in task.sets)
    for line in lines:
        assert line.beds[0].start_s == 0.0
        assert line.beds[-1].end_s == pytest.approx(end)
        for a, b in itertools.pairwise(line.beds):
            assert b.start_s == pytest.approx(a.end_s)
            assert b.curve[0][1] == pytest.approx(a.curve[-1][1], abs=1e-6)
        assert all(0.0 <= f <= 1.0 + 1e-9 for b in line.beds for _, f in b.curve)
    flown = {(b.label, line.set) for line in lines for b in line.beds if b.state == "flying"}
    assert flown == {(f.flight, f.set) for f in plan.flights}


@settings(max_examples=40, deadline=None)
@given(days())
def test_the_load_never_passes_what_the_supply_can_give(task):
    plan = planned(task)
    series = load_series(task, plan)
    limit = task.site_power_w if task.site_power_w is not None else math.inf
    assert all(w <= limit + 1e-6 for _, w in series)
    assert (not plan.charges) == (not series)


def test_calls_of_a_day_stand_in_order_and_say_each_thing_once():
    task = day()
    plan = dispatch(task)
    calls = calls_of(task, plan, {"F0": 700.0, "F1": 1000.0, "F2": 1300.0})
    assert [c.at_s for c in calls] == sorted(c.at_s for c in calls)
    count = {kind: sum(1 for c in calls if c.kind == kind) for kind in ("launch", "land", "fit", "on_port", "off_port")}
    assert count["launch"] == count["land"] == count["fit"] == 5
    assert count["on_port"] == count["off_port"] == len(plan.charges)
    backs = [c for c in calls if c.kind == "turn_back"]
    assert [(c.flight, c.at_s) for c in backs] == [("F0", plan.flights[0].takeoff_s + 700.0)]


def test_nobody_is_called_back_who_has_landed():
    task = day()
    plan = dispatch(task)
    backs = [c.flight for c in calls_of(task, plan, dict.fromkeys((f.id for f in task.flights), 1000.5)) if c.kind == "turn_back"]
    assert backs == []


def test_the_working_of_the_finish_walks_back_to_the_opening_of_the_day():
    task = day(sets=tuple(PackSet(f"p{k}", "t", 1, 200.0, 1.0) for k in range(2)))
    plan = dispatch(task)
    working = finish_working(task, plan)
    assert working.value == plan.makespan_s
    names = [s.name for s in working.steps]
    assert names[:2] == ["bound", "opens"]
    assert "charge" in names
    assert names[-1].startswith("F"), "a working ends on the number of its title"
    landings = [s.value for s in working.steps if s.unit == "clock" and s.name.startswith("F")]
    assert landings == sorted(landings)
    assert landings[-1] == plan.makespan_s


def test_the_four_pack_cycle_flies_without_waiting():
    """One flies, one rests, two charge at half power on one charger: common practice, no source."""
    half = Charger("c", 2, (Mode("half", 150.0, 150.0),), cap_w=300.0)
    task = day(
        flights=tuple(Flight(f"F{k}", "a", 1200.0, 0.5) for k in range(16)),
        sets=tuple(PackSet(f"p{k}", "t", 1, 200.0, 1.0) for k in range(4)),
        chargers=(half,),
        swap_s=0.0,
        rest_after_flight_s=1200.0,
        rest_after_charge_s=0.0,
    )
    plan = dispatch(task)
    assert not plan.waits
    assert plan.makespan_s == 16 * 1200.0


@settings(max_examples=80, deadline=None)
@given(st.integers(5, 25), st.integers(0, 30), st.integers(10, 90), st.integers(0, 20), st.integers(1, 6), st.integers(1, 4))
def test_the_closed_form_and_the_schedule_agree(f, r1, c, r2, packs, ports):
    """Cyclic queue, equal flights: the mean wait of a long day is that of the closed form."""
    flight, cool, charge, rest = (60.0 * v for v in (f, r1, c, r2))
    task = RotationTask(
        (Craft("a", "t"),),
        tuple(Flight(str(k), "a", flight, 1.0) for k in range(150)),
        tuple(PackSet(str(k), "t", 1, 100.0, 1.0) for k in range(packs)),
        (Charger("c", ports, (Mode("m", 100.0 * 3600 / charge, 1.0),)),),
        0.0,
        cool,
        rest,
    )
    plan = earliest_ready(task)
    span = plan.flights[-1].takeoff_s - plan.flights[29].takeoff_s
    interval = takeoff_interval_s(flight, cool, charge, rest, packs, ports)
    assert span / 120 == pytest.approx(interval, rel=0.03, abs=2.0)
    enough = packs >= packs_needed(flight, cool, charge, rest) and ports >= ports_needed(flight, charge)
    assert enough == (mean_wait_s(flight, interval) < 1e-6)


def test_no_needless_fast_charging():
    """Where time does not press, the gentle rate is taken."""
    task = day(
        flights=tuple(Flight(f"F{k}", "a", 600.0, 0.3) for k in range(4)),
        sets=tuple(PackSet(f"p{k}", "t", 1, 200.0, 1.0) for k in range(3)),
        windows=((0.0, 2200.0), (9000.0, 20_000.0)),
    )
    plan = dispatch(task)
    assert plan.charges
    assert {c.mode for c in plan.charges} == {"gentle"}


def test_waits_name_what_was_missing():
    short = dispatch(day(sets=(PackSet("p0", "t", 1, 200.0, 1.0),), flights=day().flights[:2]))
    assert [w.reason for w in short.waits] == ["pack"]
    closed = dispatch(day(windows=((0.0, 1500.0), (5000.0, 40_000.0)), flights=day().flights[:2]))
    assert [w.reason for w in closed.waits] == ["window"]
    assert closed.waits[0].to_s == 5000.0


def test_a_part_charged_pack_charges_first_and_a_full_one_flies_at_once():
    task = day(sets=(PackSet("full", "t", 1, 200.0, 1.0), PackSet("half", "t", 1, 200.0, 0.5, law=ChargeLaw())))
    plan = dispatch(task)
    assert plan.flights[0].set == "full"
    assert plan.flights[0].takeoff_s == 0.0
    first = min(plan.charges, key=lambda c: c.start_s)
    assert (first.set, first.start_s, first.from_frac) == ("half", 0.0, 0.5)


@pytest.mark.parametrize(
    ("over", "words", "kind", "field"),
    [
        ({"flights": ()}, "nothing to fly", MissingInput, "jobs"),
        ({"sets": ()}, "No pack for a is in the day", MissingInput, "packs"),
        ({"chargers": ()}, "there is no charger in the day. Add a charger, or 2 more full sets", Infeasible, "chargers"),
        (
            {"site_power_w": 50.0, "sets": (PackSet("p", "t", 1, 200.0, 0.5),)},
            "can give 50 W and the gentlest",
            Infeasible,
            "supply",
        ),
        ({"windows": ((0.0, 900.0),)}, "no opening of the day is that long", Infeasible, "windows"),
        ({"windows": ((0.0, 3000.0),)}, "packs are not full in time", Infeasible, "windows"),
        ({"flights": (Flight("F0", "a", 900.0, 1.2),)}, "takes 120% of a full set", Infeasible, "packs"),
        ({"flights": (Flight("F0", "b", 900.0, 0.5),)}, "F0 has no aircraft", MissingInput, "aircraft"),
    ],
)
def test_impossible_days_say_what_would_help(over, words, kind, field):
    with pytest.raises(kind, match=words) as bad:
        dispatch(day(**over))
    assert bad.value.field == field


def test_hours_that_limits_leave_are_blamed_where_without_limits_there_is_a_schedule():
    short = tuple(replace(f, windows=((0.0, 2000.0),)) for f in day().flights)
    with pytest.raises(Infeasible, match="hours that the limits leave") as bad:
        dispatch(day(flights=short))
    assert bad.value.field == "windows"


def test_a_day_of_as_many_flights_as_full_packs_needs_no_charger():
    plan = dispatch(day(flights=day().flights[:3], chargers=()))
    assert not plan.charges
    assert plan.makespan_s == 3 * 1000 + 2 * 180


def test_an_aircraft_and_a_set_that_come_late_are_waited_for():
    task = day(
        aircraft=(Craft("a", "t", from_s=1800.0),),
        sets=(PackSet("p", "t", 1, 200.0, 1.0, from_s=2400.0),),
        flights=day().flights[:1],
    )
    assert dispatch(task).flights[0].takeoff_s == 2400.0


def test_the_plan_says_by_which_rule_and_how_many_plays():
    plan = dispatch(day(), plays=20)
    assert plan.tried == 20
    assert ";" in plan.rule
    assert replace(plan, rule="") != plan


@settings(max_examples=40, deadline=None)
@given(days())
def test_the_working_of_the_bound_ends_with_the_latest_of_its_steps(task):
    planned(task)
    working = bound_working(task)
    *parts, last = working.steps
    assert last.value == max(s.value for s in parts) == lower_bound(task)[0]
    assert {s.name for s in parts} <= {"the chain of flights", "the crews", "the ports", "the supply"}
    assert ("the supply" in {s.name for s in parts}) == (task.site_power_w is not None)


def test_one_aircraft_with_full_packs_for_all_flights_is_bound_by_its_chain():
    task = day(sets=tuple(PackSet(f"p{k}", "t", 1, 200.0, 1.0) for k in range(5)))
    assert lower_bound(task) == (5 * 1000.0 + 4 * 180.0, "the chain of flights")
    assert dispatch(task).makespan_s == lower_bound(task)[0]


def test_a_single_slow_port_is_what_bounds_the_day():
    slow = Charger("c", 1, (Mode("slow", 60.0, 66.0),))
    task = day(chargers=(slow,), sets=tuple(PackSet(f"p{k}", "t", 1, 200.0, 1.0) for k in range(2)))
    bound, why = lower_bound(task)
    assert why == "the ports"
    # Three charges of 60 % of 200 Wh at 60 W must come before the last flight.
    assert bound == pytest.approx(3 * 0.6 * 200 / 60 * 3600 + task.rest_after_charge_s + 1000)
    assert dispatch(task).makespan_s >= bound


class TestWhichPacksAChargerTakes:
    """Two kinds of pack, a fast charger for the small alone and a slow one for both."""

    SMALL, LARGE = "6 cells", "14 cells"

    def task(self, policy="full", **chargers):
        large = Charger("slow", 1, (Mode("only", 150.0, 170.0),))
        small = Charger("fast", 2, (Mode("only", 600.0, 660.0),), types=(self.SMALL,))
        return RotationTask(
            aircraft=(Craft("a", self.SMALL), Craft("b", self.LARGE)),
            flights=tuple(
                Flight(f"{c}{k}", c, 900.0, 0.6, required_frac=1.0 if policy == "full" else 0.6) for c in "ab" for k in range(3)
            ),
            sets=tuple(
                PackSet(f"{kind}/{k}", kind, 1, 200.0, 1.0 if k == 0 else 0.4)
                for kind in (self.SMALL, self.LARGE)
                for k in (0, 1)
            ),
            chargers=chargers.get("only", (small, large)),
            swap_s=180.0,
            rest_after_flight_s=300.0,
            rest_after_charge_s=120.0,
            policy=policy,
        )

    def wrong(self, task, plan):
        """Charges of a pack on a charger that does not take it."""
        kinds = {s.id: s.type for s in task.sets}
        takes = {c.id: c for c in task.chargers}
        return [c for c in plan.charges if not takes[c.charger].charges(kinds[c.set])]

    @pytest.mark.parametrize("policy", ["full", "partial"])
    def test_no_plan_puts_a_pack_on_a_charger_that_cannot_charge_it(self, policy):
        task = self.task(policy)
        plan = dispatch(task)
        assert len(plan.flights) == 6
        assert any(c.charger == "slow" for c in plan.charges)
        assert self.wrong(task, plan) == []
        better = improve(task, plan, 4.0, workers=2)
        assert self.wrong(task, better.rotation) == []
        assert better.rotation.makespan_s <= plan.makespan_s

    def test_a_plan_of_a_day_with_other_chargers_is_not_followed_onto_the_wrong_one(self):
        free = self.task(only=(Charger("fast", 2, (Mode("only", 600.0, 660.0),)),))
        plan = dispatch(free)
        narrow = replace(free, chargers=(replace(free.chargers[0], types=(self.SMALL,)),))
        assert reschedule_in_order(free, plan) is not None
        assert reschedule_in_order(narrow, plan) is None

    def test_a_day_without_a_charger_for_its_packs_says_so(self):
        with pytest.raises(Infeasible, match="no charger of the day takes packs of their cells, volts and chemistry") as bad:
            dispatch(self.task(only=(Charger("fast", 2, (Mode("only", 600.0, 660.0),), types=(self.SMALL,)),)))
        assert bad.value.field == "chargers"

    @pytest.mark.parametrize(
        ("takes", "chemistry", "cells", "words"),
        [
            (ChargerRange(2, 6, 26.0), "lipo", 6, ""),
            (ChargerRange(2, 6, 26.0), "lipo", 14, "at most 6 cells"),
            (ChargerRange(4, None, None), "lipo", 3, "4 cells or more"),
            (ChargerRange(None, None, 26.0), "lihv", 6, "at most 26 V"),
            (ChargerRange(chemistries=("lipo", "liion")), "lfp", 6, "does not charge LFP"),
            (ChargerRange(chemistries=("lipo", "liion")), "liion", 6, ""),
            (ChargerRange(), "lfp", 14, ""),
        ],
    )
    def test_cells_volts_and_chemistry_say_what_a_charger_takes(self, takes, chemistry, cells, words):
        found = why_not_charged(takes, chemistry_of(chemistry), cells)
        assert (words in found) if words else found == ""


def test_filling_a_tank_takes_the_place_of_a_shorter_swap():
    """Ten minutes to mix and fill, three to change packs: sorties lie ten apart, the working says so, another aircraft is not held."""
    task = day(
        aircraft=(Craft("a", "t", fill_s=600.0), Craft("b", "t")),
        sets=tuple(PackSet(f"p{k}", "t", 1, 200.0, 1.0) for k in range(9)),
    )
    task = replace(task, flights=(*task.flights, Flight("G0", "b", 1000.0, 0.6), Flight("G1", "b", 1000.0, 0.6)))
    plan = dispatch(task)
    at = {f.flight: f for f in plan.flights}
    assert at["F1"].takeoff_s - at["F0"].landing_s == pytest.approx(600.0)
    assert at["G1"].takeoff_s - at["G0"].landing_s == pytest.approx(180.0)
    assert lower_bound(task)[0] == pytest.approx(5 * 1000.0 + 4 * 600.0) == pytest.approx(plan.makespan_s)
    assert any(s.formula.startswith("filling the tank") for s in finish_working(task, plan).steps)
    better = improve(task, plan, 2.0, workers=1).rotation
    assert problems(task, better) == []
