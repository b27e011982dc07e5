"""More of anything never plans a later day: laws on random days, for the dispatcher and the search."""

import json
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from quarry.compute.bench import RotationInstance, rotation_task
from quarry.core.base.errors import CoreError
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import Charger, Craft, Flight, Mode, PackSet, RotationTask, squares
from quarry.core.rotation.optimise import improve
from quarry.core.rotation.planning import held, plan_day
from quarry.core.rotation.sensitivity import with_ports, with_sets
from quarry.core.rotation.validity import holds
from tests.core.shapes import problems
from tests.reference.checkers import check_rotation

FOLDER = Path(__file__).parents[1] / "reference" / "instances"
FAST, SLOW = Mode("fast", 400.0, 470.0), Mode("gentle", 200.0, 240.0)


@st.composite
def days(draw):
    """Days of one or two aircraft, of one or two types, with little power or few hours or packs charged to need."""
    kinds = draw(st.sampled_from([("k",), ("k", "k"), ("k", "m")]))
    craft = tuple(Craft(f"a{n}", kind) for n, kind in enumerate(kinds))
    policy = draw(st.sampled_from(["full", "full", "partial"]))
    flights = tuple(
        Flight(
            f"{c.id}.{n}", c.id, float(draw(st.integers(300, 1500))), share, 1.0 if policy == "full" else min(1.0, share + 0.2)
        )
        for c in craft
        for n in range(draw(st.integers(1, 5)))
        for share in [draw(st.integers(20, 75)) / 100]
    )
    sets = tuple(
        PackSet(f"{kind}{n}", kind, draw(st.sampled_from([1, 1, 2])), 300.0, draw(st.sampled_from([1.0, 0.8, 0.3])))
        for kind in dict.fromkeys(kinds)
        for n in range(draw(st.integers(1, 3)))
    )
    chargers = (Charger("1", draw(st.integers(1, 3)), draw(st.sampled_from([(FAST,), (FAST, SLOW)]))),)
    hours = draw(st.sampled_from([None, ((0.0, 30_000.0),), ((0.0, 9_000.0), (11_000.0, 40_000.0))]))
    return RotationTask(
        craft,
        flights,
        sets,
        chargers,
        float(draw(st.sampled_from([0, 120, 300]))),
        float(draw(st.sampled_from([0, 600, 1500]))),
        float(draw(st.sampled_from([0, 300]))),
        draw(st.sampled_from([None, 950.0, 500.0])),
        hours,
        policy,
    )


def _longer(task):
    *rest, (a, b) = task.windows or ((0.0, 1e6),)
    return replace(task, windows=(*rest, (a, b + 7200.0))) if task.windows else task


MORE = {
    "a set": lambda t: with_sets(t, t.sets[0].type, 1),
    "a full set": lambda t: with_sets(t, t.sets[0].type, 1, start_frac=1.0),
    "a port": lambda t: with_ports(t, 1),
    "power": lambda t: replace(t, site_power_w=None if t.site_power_w is None else t.site_power_w + 500.0),
    "no rest after flight": lambda t: replace(t, rest_after_flight_s=0.0),
    "no rest after charge": lambda t: replace(t, rest_after_charge_s=0.0),
    "no swap": lambda t: replace(t, swap_s=0.0),
    "none of the three": lambda t: replace(t, swap_s=0.0, rest_after_flight_s=0.0, rest_after_charge_s=0.0),
    "hours": _longer,
    "hours without a break": lambda t: replace(t, windows=None if t.windows is None else ((0.0, t.windows[-1][1]),)),
}


@pytest.mark.parametrize("more", sorted(MORE))
@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.filter_too_much, HealthCheck.too_slow])
@given(task=days())
def test_more_of_anything_never_plans_a_later_day(more, task):
    try:
        plan = plan_day(task, plays=12)
    except CoreError:
        assume(False)
    assert holds(task, plan)
    assert problems(task, plan) == []
    easier = MORE[more](task)
    assert holds(easier, plan), "what held holds on an easier day"
    again = plan_day(easier, [plan], plays=12)
    assert again.makespan_s <= plan.makespan_s + 1e-6
    assert holds(easier, again)


@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.filter_too_much, HealthCheck.too_slow])
@given(task=days(), more=st.sampled_from(sorted(MORE)))
def test_the_search_keeps_the_law(task, more):
    try:
        plan = improve(task, plan_day(task, plays=12), 0.3, workers=1).rotation
    except CoreError:
        assume(False)
    assert holds(task, plan)
    easier = MORE[more](task)
    again = improve(easier, plan_day(easier, [plan], plays=12), 0.3, workers=1).rotation
    assert again.makespan_s <= plan.makespan_s + 1e-6
    assert holds(easier, again)


class TestWhetherAPlanHolds:
    def plan(self, **over):
        usual = {"swap_s": 120.0, "rest_after_flight_s": 600.0, "rest_after_charge_s": 300.0, "site_power_w": 950.0} | over
        sets = tuple(PackSet(f"k{n}", "k", 2, 300.0, 1.0 if n else 0.4) for n in range(2))
        flights = tuple(Flight(f"F{n}", "a", 900.0, 0.6) for n in range(4))
        task = RotationTask((Craft("a", "k"),), flights, sets, (Charger("1", 2, (FAST, SLOW)),), **usual)
        return task, plan_day(task)

    def test_each_rule_is_looked_at(self):
        task, plan = self.plan()
        assert holds(task, plan)
        first, *others = plan.flights
        charge = plan.charges[0]
        for broken in (
            replace(plan, flights=tuple(others)),
            replace(plan, flights=(replace(first, landing_s=first.landing_s - 60), *others)),
            replace(plan, flights=(replace(first, takeoff_s=first.takeoff_s + 5000, landing_s=first.landing_s + 5000), *others)),
            replace(plan, flights=(replace(first, set="nobody"), *others)),
            replace(plan, charges=plan.charges[1:]),
            replace(plan, charges=(replace(charge, end_s=charge.start_s + 60), *plan.charges[1:])),
            replace(plan, charges=(replace(charge, port=7), *plan.charges[1:])),
            replace(plan, charges=(replace(charge, port=1 - charge.port), *plan.charges[1:])),
            replace(plan, charges=(replace(charge, mode="none"), *plan.charges[1:])),
        ):
            assert not holds(task, broken)
        for stricter in (
            replace(task, swap_s=3000.0),
            replace(task, rest_after_flight_s=9000.0),
            replace(task, rest_after_charge_s=9000.0),
            replace(task, site_power_w=300.0),
            replace(task, windows=((0.0, 2000.0),)),
            replace(task, dips=((0.0, 1e6, 0.0),)),
            replace(task, chargers=(replace(task.chargers[0], cap_w=250.0),)),
            replace(task, chargers=(replace(task.chargers[0], closed=((charge.port, 0.0, 1e6),)),)),
            replace(task, chargers=(replace(task.chargers[0], types=("m",)),)),
            replace(task, aircraft=(Craft("a", "k", 4000.0),)),
        ):
            assert not holds(stricter, plan)

    def test_a_plan_of_other_packs_or_chargers_is_no_candidate(self):
        task, plan = self.plan()
        assert held(replace(task, sets=task.sets[:1]), plan) == []
        assert held(replace(task, chargers=(replace(task.chargers[0], id="2"),)), plan) == []
        assert squares(plan) == sum(n * n for n in (sum(f.set == s.id for f in plan.flights) for s in task.sets))


class TestADayThatTheDispatcherCannotFit:
    @pytest.mark.parametrize("name", ["A14", "A16"])
    def test_is_tried_by_the_solver_before_it_is_refused(self, name):
        """The hours end at the best known last landing of an instance: the rules miss it, the solver does not."""
        data = json.loads((FOLDER / f"{name}.json").read_text())
        task = rotation_task(RotationInstance.model_validate(data["instance"]))
        tight = replace(task, windows=((0.0, float(data["reference"]["makespan_s"])),))
        with pytest.raises(CoreError):
            dispatch(tight)
        found = plan_day(tight, solve_s=60.0)
        told = {
            "flights": [{"sortie": f.flight, "set": f.set, "takeoff_s": f.takeoff_s} for f in found.flights],
            "charges": [
                {"set": c.set, "pack": c.pack, "charger": c.charger, "mode": c.mode, "start_s": c.start_s, "end_s": c.end_s}
                for c in found.charges
            ],
            "makespan_s": found.makespan_s,
        }
        valid, _, _, errors = check_rotation.check(data["instance"], told)
        assert valid, errors
        assert found.makespan_s <= data["reference"]["makespan_s"]

    def test_what_cannot_be_is_still_refused_with_the_smallest_change(self):
        task = RotationTask(
            (Craft("a", "k"),),
            tuple(Flight(f"F{n}", "a", 900.0, 0.6) for n in range(3)),
            (PackSet("k0", "k", 1, 300.0, 1.0),),
            (Charger("1", 1, (FAST,)),),
            120.0,
            600.0,
            300.0,
            windows=((0.0, 4000.0),),
        )
        with pytest.raises(CoreError, match="end the day"):
            plan_day(task, explain=True, solve_s=1.0)
