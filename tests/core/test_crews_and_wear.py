"""Crews that fly one aircraft at a time, what no large day can beat, and packs that wear alike where the day ends as early."""

from dataclasses import replace
from itertools import combinations_with_replacement, pairwise

import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from quarry.core.base.errors import CoreError
from quarry.core.day.events import Event
from quarry.core.day.playing import rehearse
from quarry.core.day.rehearsal import World
from quarry.core.day.remainder import remainder
from quarry.core.day.state import Frame, fold
from quarry.core.rotation.bounds import lower_bound
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import Charger, Craft, Crew, Flight, Mode, PackSet, RotationTask, squares
from quarry.core.rotation.monte_carlo import monte_carlo
from quarry.core.rotation.optimise import improve
from quarry.core.rotation.planning import plan_day
from quarry.core.rotation.scatter import Scatter
from quarry.core.rotation.sensitivity import sensitivity
from quarry.core.rotation.timeline import finish_working
from quarry.core.rotation.validity import holds
from quarry.core.rotation.wear import evenly, least_wear, wear
from tests.core.shapes import days, problems

PORT = (Charger("1", 1, (Mode("fast", 400.0, 470.0),)),)
BOTH = (Crew("one", ("a", "b")),)


def two_aircraft(**over):
    flights = tuple(Flight(f"{c}{k}", c, 1000.0, 0.6) for k in range(3) for c in "ab")
    sets = tuple(PackSet(f"p{k}", "t", 1, 200.0, 1.0) for k in range(6))
    task = RotationTask((Craft("a", "t"), Craft("b", "t")), flights, sets, PORT, 180.0, 600.0, 300.0)
    return replace(task, **over)


def test_one_crew_flies_its_aircraft_one_after_another_and_swaps_meanwhile():
    apart, together = dispatch(two_aircraft()), dispatch(two_aircraft(crews=BOTH))
    assert apart.makespan_s == 3 * 1000.0 + 2 * 180.0
    # Six flights end to end: while one aircraft flies, the packs of the other are swapped.
    assert together.makespan_s == 6 * 1000.0
    assert (together.lower_bound_s, together.bound_reason) == (6000.0, "the crews")
    assert {w.reason for w in together.waits} == {"crew"}
    assert any("its crew flies" in s.formula for s in finish_working(two_aircraft(crews=BOTH), together).steps)


def test_a_plan_of_two_crews_does_not_hold_for_one():
    apart = dispatch(two_aircraft())
    assert holds(two_aircraft(), apart)
    assert not holds(two_aircraft(crews=BOTH), apart)
    assert not holds(two_aircraft(crews=(replace(BOTH[0], from_s=500.0),)), dispatch(two_aircraft(crews=BOTH)))
    assert plan_day(two_aircraft(crews=BOTH), [apart]).makespan_s == 6000.0


def test_a_crew_more_and_a_crew_less_are_levers():
    task = two_aircraft(crews=BOTH)
    more = next(x for x in sensitivity(task, 6000.0) if x.thing == "crew")
    assert (more.by, more.saves_s) == (1, 6000.0 - 3360.0)
    less = next(x for x in sensitivity(two_aircraft(), 3360.0) if x.thing == "crew")
    assert (less.by, less.saves_s) == (-1, 3360.0 - 6000.0)


def test_the_bound_of_a_crew_keeps_to_the_hours():
    hours = ((0.0, 2500.0), (4000.0, 9000.0))
    assert lower_bound(two_aircraft(crews=BOTH, windows=hours)) == (4000.0 + 6000.0 - 2500.0, "the crews")


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.filter_too_much])
@given(days(), st.data())
def test_with_crews_days_are_planned_by_rule_and_by_the_solver_and_a_crew_more_is_never_later(task, data):
    assume(len(task.aircraft) > 1)
    task = replace(task, crews=(Crew("all", ("a0", "a1"), float(data.draw(st.sampled_from([0, 700])))),))
    try:
        plan = dispatch(task)
    except CoreError:
        assume(False)
    found = improve(task, plan, 0.5, workers=1)
    assert problems(task, plan) == problems(task, found.rotation) == []
    assert holds(task, plan)
    assert holds(task, found.rotation)
    assert found.bound_s <= found.rotation.makespan_s + 1e-6
    assert plan_day(replace(task, crews=()), [found.rotation]).makespan_s <= found.rotation.makespan_s + 1e-6


def test_a_rehearsed_crew_never_has_two_aircraft_in_the_air_and_is_forecast_so():
    task = two_aircraft(crews=BOTH)
    plan = dispatch(task)
    frame = Frame(task, {s.id: (s.id,) for s in task.sets}, {f.flight: f.set for f in plan.flights})
    ends = []
    for seed in range(12):
        day = rehearse(frame, plan, World(frame, seed, scatter=Scatter()), {})
        flown = sorted(day.state.flights.values(), key=lambda f: f.takeoff_s)
        assert all(f.word == "landed" for f in flown)
        assert all(b.takeoff_s >= a.landing_s - 1e-6 for a, b in pairwise(flown))
        ends.append(max(f.landing_s for f in flown))
    chance = monte_carlo(task, plan, Scatter(), days=2000)
    assert chance.p10_s < sorted(ends)[6] < chance.p90_s


def test_a_crew_in_the_air_is_busy_until_it_is_down():
    task = two_aircraft(crews=BOTH)
    frame = Frame(task, {s.id: (s.id,) for s in task.sets}, {})
    state = fold(frame, [Event("k", "launched", 0.0, figures={"flight": "a0", "aircraft": "a", "set": "p0"})])
    left = remainder(frame, state, 400.0)
    assert left.crews == (Crew("one", ("a", "b"), 1000.0),)
    assert min(f.takeoff_s for f in dispatch(left).flights) == 1000.0


@given(st.integers(0, 14), st.integers(1, 5))
def test_even_use_is_the_least_sum_of_squares(flights, sets):
    ways = (w for w in combinations_with_replacement(range(flights + 1), sets) if sum(w) == flights)
    assert evenly(flights, sets) == min(sum(n * n for n in w) for w in ways)


@pytest.mark.parametrize("policy", ["full", "partial"])
def test_sets_that_differ_are_used_alike_where_the_day_ends_as_early(policy):
    flights = tuple(Flight(f"F{k}", "a", 900.0, 0.4, 1.0 if policy == "full" else 0.5) for k in range(6))
    sets = tuple(PackSet(f"p{k}", "t", 1, 300.0 + 3 * k, 1.0) for k in range(3))
    task = RotationTask((Craft("a", "t"),), flights, sets, PORT, 1500.0, 300.0, 300.0, policy=policy)
    plan = dispatch(task)
    # By hand the third set is left on the table: the day ends no later, and the two others wear out.
    two = replace(task, sets=sets[:2])
    uneven = replace(plan_day(two), rule="by hand")
    assert holds(task, uneven)
    assert uneven.makespan_s == plan.makespan_s
    assert squares(uneven) == 18
    found = improve(task, uneven, 60.0).rotation  # it ends when it has proven
    assert found.makespan_s == uneven.makespan_s
    assert wear(task, found) == least_wear(task)
    assert squares(found) == 12
    assert problems(task, found) == [] or policy == "partial"
    assert holds(task, found)


@settings(max_examples=40, deadline=None)
@given(days())
def test_no_plan_wears_packs_less_than_the_least(task):
    try:
        plan = dispatch(task)
    except CoreError:
        assume(False)
    assert wear(task, plan) >= least_wear(task)


def test_a_large_day_is_played_for_as_long_as_it_may_and_stopped_at_once():
    craft = tuple(Craft(c, "t") for c in "abcdef")
    flights = tuple(Flight(f"{c.id}{k}", c.id, 500.0 + 13 * k, 0.5 + k / 100) for c in craft for k in range(20))
    sets = tuple(PackSet(f"p{k}", "t", 1, 320.0 + k, 1.0) for k in range(30))
    crews = tuple(Crew(f"{k}", (craft[2 * k].id, craft[2 * k + 1].id)) for k in range(3))
    task = RotationTask(craft, flights, sets, (Charger("1", 6, PORT[0].modes),), 240.0, 900.0, 300.0, crews=crews)
    first = dispatch(task)
    stops = []
    found = improve(task, first, 600.0, on_stop=lambda stop: (stops.append(stop), stop()))
    assert stops
    assert holds(task, found.rotation)
    assert found.bound_s <= found.rotation.makespan_s <= first.makespan_s
