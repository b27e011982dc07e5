"""Better plans, and what a plan tells about its day: what holds it back and how sure it is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from threading import Event

from quarry.apps.day.mappers.plan import Roster, to_plan
from quarry.apps.day.views.plan import ChanceOut, EnoughOut, GridOut, LeverOut, PlanOfDay, RiskOut
from quarry.apps.workings import to_workings
from quarry.core.day.adapting import adapted, gained_s
from quarry.core.day.state import Frame
from quarry.core.rotation.model import Rotation, RotationTask
from quarry.core.rotation.monte_carlo import monte_carlo
from quarry.core.rotation.optimise import improve
from quarry.core.rotation.patience import Patience
from quarry.core.rotation.planning import plan_day
from quarry.core.rotation.sensitivity import Ends, by_rule, enough, packs_by_ports, sensitivity, worth_of_planning_s
from quarry.core.rotation.solver import Better, Stopper
from quarry.core.rotation.surest import surest

_EACH_S = 12.0  # seconds of the solver for each lever, at most
_CERTAIN_S = 60.0  # a lever is solved until no plan of its day can end earlier by more
_SURE = 0.5  # share of the time in which the surest plan is searched for, where it is what counts
_TRIES = 20_000
_LEVERS_USUAL = 20
_RISKS = 6


def better_plan(
    r: Roster, plan: PlanOfDay, limit_s: float, on_stop: Stopper | None = None, on_better: Better | None = None
) -> tuple[PlanOfDay, bool]:
    """Return (the best plan found in the time, whether none can end earlier); the plan given if none is better."""
    first = plan.rotation
    sure = r.day.inputs.methods.aim == "sure"
    found = improve(r.day.task, first, limit_s * (1.0 - _SURE if sure else 1.0), on_stop=on_stop, on_better=on_better)
    best, proven = found.rotation, found.proven
    if sure:
        stop = Event()
        if on_stop is not None:
            on_stop(stop.set)
        with Patience(limit_s * _SURE, stop) as over:
            best = surest(r.day.task, [best, first], r.day.inputs.learned.scatter, tries=_TRIES, until=over)
        proven = proven and best.makespan_s <= found.bound_s + 1.0
    return replace(to_plan(r, best), proven=proven, bound_s=found.bound_s), proven


def _solved(plan: Rotation, each_s: float, report: Callable[[float], bool]) -> Callable[[RotationTask], Ends]:
    """Return how a changed day is planned: by the solver, from this plan in its order or the dispatcher's, whichever ends first."""
    tried = [0]

    def finish(changed: RotationTask) -> Ends:
        tried[0] += 1
        first = plan_day(changed, [plan])
        if not report(min(1.0, tried[0] / _LEVERS_USUAL)):
            return Ends(first.makespan_s, first.lower_bound_s)
        found = improve(changed, first, each_s, enough_s=_CERTAIN_S)
        return Ends(found.rotation.makespan_s, found.bound_s)

    return finish


def with_insight(r: Roster, plan: PlanOfDay, report: Callable[[float], bool] | None = None, *, grid: bool = True) -> PlanOfDay:
    """Return a plan with how sure it is, what one more of each thing would do, and the grid of packs and ports."""
    rotation = plan.rotation
    learned = r.day.inputs.learned
    chance = monte_carlo(r.day.task, rotation, learned.scatter, kept=learned.promise)
    if report is not None:
        chance = adapted(chance, gained_s(_frame(r, rotation), rotation, learned.scatter.scatter))
    names = {a.id: a.name for a in r.day.aircraft}
    ports = {f"{charger}/{port}": n for (charger, port), n in r.day.port_numbers().items()}
    risks = []
    for risk in chance.risks:
        name = names.get(risk.name, risk.name)
        if risk.what == "port":
            name = str(ports.get(risk.name, risk.name))
        risks.append(RiskOut(risk.what, name, risk.share_frac))
    kind = _busiest(r, rotation)
    finish = by_rule if report is None else _solved(rotation, _EACH_S, lambda share: report(0.6 * share))
    by_time = [(t, share) for t, share in chance.by_time]
    needed = enough(r.day.task)
    workings = {"chance": chance.working} | {f"enough_{k}": e.working for k, e in enumerate(needed)}
    found = replace(
        plan,
        chance=ChanceOut(
            chance.p10_s,
            chance.p50_s,
            chance.p90_s,
            by_time,
            chance.in_hours_frac,
            chance.days,
            risks[:_RISKS],
            learned_from=learned.scatter.days,
            promised=learned.promise.days,
            kept_half=learned.promise.by_half,
            kept_nine=learned.promise.by_nine,
        ),
        levers=[
            LeverOut(x.thing, x.by, x.words, x.finish_s, x.saves_s, x.why_not, x.most_s)
            for x in sensitivity(r.day.task, rotation.makespan_s, finish)
        ],
        enough=[EnoughOut(_kind_name(r, e.type), e.sets_needed, e.ports_needed, e.sets, e.ports) for e in needed],
        worth_s=worth_of_planning_s(r.day.task, rotation),
        workings=plan.workings | to_workings(workings),
    )
    if grid and kind:
        rest = None if report is None else lambda share: report(0.6 + 0.4 * share)
        g = packs_by_ports(r.day.task, kind, rotation.makespan_s, 2, rest)
        rows = [list(row) for row in g.finish_s]
        found = replace(found, grid=GridOut(_kind_name(r, kind), list(g.sets), list(g.ports), rows, g.here))
    return found


def _frame(r: Roster, rotation: Rotation) -> Frame:
    members = {s: tuple(p.name for p in members) for s, members in r.day.members.items()}
    return Frame(r.day.task, members, {f.flight: f.set for f in rotation.flights})


def _busiest(r: Roster, rotation: Rotation) -> str:
    """Return the type of set of the aircraft that lands last."""
    last = max(rotation.flights, key=lambda f: f.landing_s)
    return next(c.type for c in r.day.task.aircraft if c.id == last.aircraft)


def _kind_name(r: Roster, kind: str) -> str:
    craft = {c.id for c in r.day.task.aircraft if c.type == kind}
    return ", ".join(a.name for a in r.day.aircraft if a.id in craft)
