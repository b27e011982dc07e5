"""The solver's day: valid under the independent replay, never later than the dispatcher, proven where references are."""

import json
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import assume, given, settings

from quarry.compute.bench import RotationInstance, rotation_task
from quarry.core.base.errors import CoreError
from quarry.core.rotation.assign_resources import NoPort, Occupied, assign_resources, ports_of
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import Charger, Craft, Flight, Mode, PackSet, RotationTask
from quarry.core.rotation.optimise import improve
from quarry.core.rotation.simulation import is_open
from quarry.core.rotation.solver import placed
from quarry.core.rotation.timeline import pack_timelines
from tests.core.shapes import days, problems
from tests.reference.checkers import check_rotation

FOLDER = Path(__file__).parents[1] / "reference" / "instances"
PATIENCE_S = 120.0  # the search ends when it has proven; a slow machine is no fault of it
QUICK = ("A01", "A03", "A09", "A11", "A14", "A15", "A16")


def planned(task):
    try:
        return dispatch(task)
    except CoreError:
        assume(False)


@settings(max_examples=25, deadline=None)
@given(days())
def test_random_days_are_valid_and_no_later_than_by_rule(task):
    first = planned(task)
    found = improve(task, first, 0.6)
    assert problems(task, found.rotation) == []
    assert found.rotation.makespan_s <= first.makespan_s + 1e-6
    assert first.lower_bound_s - 1e-6 <= found.bound_s <= found.rotation.makespan_s + 1e-6


@settings(max_examples=15, deadline=None)
@given(days(policy="partial"))
def test_days_that_charge_only_what_is_needed_are_valid_too(task):
    first = planned(task)
    found = improve(task, first, 0.6)
    assert problems(task, found.rotation) == []
    assert found.rotation.makespan_s <= first.makespan_s + 1e-6


@pytest.mark.parametrize("name", QUICK)
def test_the_proven_optimum_of_an_instance_is_reached(name):
    """bench/: reference optima, judged by the checker that came with them."""
    data = json.loads((FOLDER / f"{name}.json").read_text())
    task = rotation_task(RotationInstance.model_validate(data["instance"]))
    found = improve(task, dispatch(task), PATIENCE_S).rotation
    told = {
        "flights": [{"sortie": f.flight, "set": f.set, "takeoff_s": f.takeoff_s} for f in found.flights],
        "charges": [{k: getattr(c, k) for k in ("set", "pack", "charger", "mode", "start_s", "end_s")} for c in found.charges],
    }
    valid, makespan, _, errors = check_rotation.check(data["instance"], told)
    assert valid, errors
    assert makespan == found.makespan_s == data["reference"]["makespan_s"]


def day(policy="full", **over):
    modes = (Mode("fast", 300.0, 330.0), Mode("gentle", 150.0, 165.0))
    return RotationTask(
        **{
            "aircraft": (Craft("a", "t"),),
            "flights": tuple(Flight(f"F{k}", "a", 900.0, 0.6, 1.0 if policy == "full" else 0.6) for k in range(6)),
            "sets": tuple(PackSet(f"p{k}", "t", 1, 200.0, 1.0) for k in range(3)),
            "chargers": (Charger("c", 2, modes),),
            "swap_s": 180.0,
            "rest_after_flight_s": 600.0,
            "rest_after_charge_s": 300.0,
            "policy": policy,
        }
        | over
    )


def test_filling_up_costs_time_that_charging_to_the_need_saves():
    """Always filling up costs 18 to 39 % where a charge to the need would do (bench/findings)."""
    slow = (Charger("c", 1, (Mode("m", 120.0, 130.0),)),)
    full = day(chargers=slow)
    need = day("partial", chargers=slow)
    filled = improve(full, dispatch(full), 5.0).rotation.makespan_s
    cut = improve(need, dispatch(need), 5.0).rotation
    assert cut.makespan_s < 0.9 * filled
    assert any(c.to_frac < 0.99 for c in cut.charges)
    beds = [b for t in pack_timelines(need, cut, cut.makespan_s) for b in t.beds if b.state == "charging"]
    assert max(b.curve[-1][1] for b in beds) <= 1.0
    assert {round(b.curve[-1][1], 6) for b in beds} == {round(c.to_frac, 6) for c in cut.charges}


def test_the_four_pack_cycle_comes_out_by_itself():
    """One flies, one rests, two charge at half power: nobody waits (field practice, no source; topic 16)."""
    task = RotationTask(
        (Craft("a", "t"),),
        tuple(Flight(f"F{k}", "a", 1200.0, 0.6) for k in range(10)),
        tuple(PackSet(f"p{k}", "t", 1, 200.0, 1.0) for k in range(4)),
        (Charger("c", 2, (Mode("fast", 360.0, 400.0), Mode("half", 180.0, 200.0)), 400.0),),
        0.0,
        1200.0,
        0.0,
    )
    found = improve(task, dispatch(task), 4.0)
    assert found.rotation.makespan_s == 12_000.0
    assert found.proven
    assert {c.mode for c in found.rotation.charges} == {"half"}


@pytest.mark.parametrize("solved", [False, True])
def test_a_closed_port_and_a_refuelling_stop_are_kept_to(solved):
    closed = day(
        chargers=(Charger("c", 2, day().chargers[0].modes, None, ((1, 0.0, 6000.0),)),),
        site_power_w=700.0,
        dips=((2500.0, 4000.0, 0.0),),
    )
    plan = dispatch(closed)
    if solved:
        plan = improve(closed, plan, 3.0).rotation
    assert problems(closed, plan) == []
    for c in plan.charges:
        assert is_open(closed.chargers[0], c.port, c.start_s, c.end_s)
        assert c.end_s <= 2500.0 or c.start_s >= 4000.0
    assert plan.makespan_s >= improve(day(), dispatch(day()), 3.0).rotation.makespan_s


def test_stopping_keeps_what_was_found_and_better_plans_are_told():
    data = json.loads((FOLDER / "A23.json").read_text())
    task = rotation_task(RotationInstance.model_validate(data["instance"]))
    first = dispatch(task)
    told = []
    stops = []

    def better(value, bound):
        told.append((value, bound))
        if len(told) > 1:
            stops[0]()

    found = improve(task, first, 30.0, on_stop=stops.append, on_better=better)
    assert told
    assert all(bound <= value for value, bound in told)
    assert found.rotation.makespan_s <= first.makespan_s


def test_sets_are_handed_out_evenly_and_never_while_away():
    jobs = [Occupied(f"F{k}", 100.0 * k, 100.0 * k + 250.0) for k in range(9)]
    who = assign_resources(jobs, {"a": 0.0, "b": 0.0, "c": 0.0, "d": 1e9})
    assert sorted(list(who.values()).count(s) for s in "abc") == [3, 3, 3]
    for one in jobs:
        for other in jobs:
            if one is not other and who[one.flight] == who[other.flight]:
                assert one.until_s <= other.from_s or other.until_s <= one.from_s


def test_ports_are_handed_out_around_closings():
    assert ports_of([(0.0, 10.0), (5.0, 15.0), (10.0, 20.0)], 2) == [0, 1, 0]
    assert ports_of([(0.0, 10.0)], 2, [(0, 5.0, 6.0)]) == [1]
    assert ports_of([(0.0, 9.0), (1.0, 12.0)], 2, [(1, 10.0, 20.0)]) == [1, 0], "the port that closes soon takes the short one"
    with pytest.raises(NoPort, match="more at once"):
        ports_of([(0.0, 10.0), (5.0, 15.0), (9.0, 20.0)], 2)
    assert placed(lambda _: ports_of([(0.0, 2.0), (1.0, 3.0)], 1), None) is None


def test_a_day_that_is_proven_at_once_is_returned_as_it_is():
    task = replace(day(), flights=day().flights[:2])
    first = dispatch(task)
    assert improve(task, first, 5.0).rotation.makespan_s == first.makespan_s == first.lower_bound_s
