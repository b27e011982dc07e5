"""The solver in the middle of a day: charges under way keep their ports, packs of a set stand where they stand."""

from dataclasses import replace

from hypothesis import assume, given, settings
from hypothesis import strategies as st

from quarry.core.day.playing import rehearse
from quarry.core.day.rehearsal import World
from quarry.core.day.replan import replan
from quarry.core.day.state import Frame, fold
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import Charger, Craft, Flight, Mode, PackSet, PlannedCharge, RotationTask
from quarry.core.rotation.optimise import improve
from quarry.core.rotation.validity import holds

FAST, SLOW = Mode("fast", 480.0, 560.0), Mode("gentle", 240.0, 290.0)


def day(packs=1, flights=7, **over):
    sets = tuple(PackSet(f"s{k}", "t", packs, 350.0, (1.0, 0.6, 0.4)[k % 3]) for k in range(4))
    fly = tuple(Flight(f"F{k}", "a", 800.0 + 90.0 * (k * 5 % 7), 0.45 + 0.04 * (k * 3 % 5)) for k in range(flights))
    usual = {"swap_s": 240.0, "rest_after_flight_s": 900.0, "rest_after_charge_s": 300.0} | over
    task = RotationTask((Craft("a", "t"),), fly, sets, (Charger("1", 3, (FAST, SLOW)),), **usual)
    plan = dispatch(task)
    members = {s.id: tuple(f"{s.id}.{m}" for m in range(packs)) for s in sets}
    return plan, Frame(task, members, {f.flight: f.set for f in plan.flights})


@settings(max_examples=40, deadline=None)
@given(
    packs=st.sampled_from([1, 2]),
    power=st.sampled_from([None, 1150.0]),
    policy=st.sampled_from(["full", "partial"]),
    seed=st.integers(0, 40),
    at=st.floats(0.05, 0.9),
)
def test_what_is_found_from_the_middle_of_a_day_holds_and_is_never_later(packs, power, policy, seed, at):
    plan, frame = day(packs, site_power_w=power, policy=policy)
    events = rehearse(frame, plan, World(frame, seed), {}).events
    now_s = at * plan.makespan_s
    state = fold(frame, [e for e in events if e.at_s <= now_s])
    had = replan(frame, state, plan, now_s)
    assume(had.plan is not None and had.plan.flights and not had.left_out)
    assert holds(had.task, had.plan)
    found = improve(had.task, had.plan, 0.5, workers=1).rotation
    assert holds(had.task, found)
    assert found.makespan_s <= had.plan.makespan_s + 1e-6
    assert set(had.task.begun) <= set(found.charges), "what is on its port stays there"
    assert min((f.takeoff_s for f in found.flights), default=now_s) >= now_s - 1e-6


def test_a_charge_under_way_holds_its_port_and_its_power():
    sets = (PackSet("x", "t", 1, 300.0, 0.5), PackSet("y", "t", 1, 300.0, 0.5, fracs=(0.5,)))
    begun = PlannedCharge("x", 0, "1", 0, "fast", 0.0, 2000.0, 0.5)
    task = RotationTask(
        (Craft("a", "t", 600.0),),
        (Flight("F0", "a", 600.0, 0.5), Flight("F1", "a", 600.0, 0.5)),
        sets,
        (Charger("1", 1, (FAST,)),),
        120.0,
        600.0,
        300.0,
        now_s=600.0,
        begun=(begun,),
    )
    first = dispatch(task)
    found = improve(task, first, 3.0).rotation
    assert holds(task, found)
    other = next(c for c in found.charges if c.set == "y")
    assert (other.port, other.start_s) == (0, 2000.0)
    assert found.flights[0].set == "x"
    assert found.flights[0].takeoff_s == 2300.0
    roomy = replace(task, chargers=(replace(task.chargers[0], ports=2),), site_power_w=600.0)
    assert next(c for c in improve(roomy, dispatch(roomy), 3.0).rotation.charges if c.set == "y").start_s >= 2000.0


def test_the_longer_look_of_a_running_day_is_never_worse_than_the_first():
    plan, frame = day(2, site_power_w=1150.0)
    late = replace(plan, charges=plan.charges)
    for seed in range(3):
        events = [e for e in rehearse(frame, plan, World(frame, seed), {}).events if e.at_s <= 3000.0]
        state = fold(frame, events)
        short = replan(frame, state, late, 3000.0, plays=8)
        long = replan(frame, state, late, 3000.0, plays=8, search_s=2.0)
        assert long.plan.makespan_s <= short.plan.makespan_s + 1e-6
        assert holds(long.task, long.plan)


def test_a_day_charged_to_need_is_searched_from_its_middle_too():
    """What is on its port comes off at what the plan wants of it; the solver finds a day that ends earlier than the old order."""
    flights = tuple(Flight(f"F{k}", "a", 900.0, 0.3, 0.4) for k in range(5))
    sets = (PackSet("x", "t", 1, 300.0, 0.2), PackSet("y", "t", 1, 300.0, 0.9, fracs=(0.9,)))
    begun = PlannedCharge("x", 0, "1", 0, "fast", 0.0, 1000.0, 0.2, 0.64)
    task = RotationTask(
        (Craft("a", "t", 500.0),), flights, sets, (Charger("1", 1, (FAST,)),), 120.0, 300.0, 120.0, None, None, "partial"
    )
    task = replace(task, now_s=500.0, begun=(begun,))
    first = dispatch(task)
    found = improve(task, first, 4.0).rotation
    assert holds(task, found)
    assert begun in found.charges
    assert found.makespan_s <= first.makespan_s
    assert all(c is begun or c.start_s >= (1000.0 if c.port == 0 else 500.0) for c in found.charges)
