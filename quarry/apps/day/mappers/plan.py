"""A schedule with the task of its day to what screens, sheets and files show of it."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from dataclasses import dataclass, field, replace

from quarry.apps.day.fields import PinFields
from quarry.apps.day.views.plan import (
    BedOut,
    CallOut,
    DayAircraftOut,
    DayGate,
    DayPackOut,
    DayProblem,
    PinOut,
    PlannedSortie,
    PlanOfDay,
    WaitOut,
)
from quarry.apps.workings import to_workings
from quarry.core.base.errors import CoreError
from quarry.core.base.naming import short_names
from quarry.core.base.shapes import plain
from quarry.core.dayplan.inputs import AircraftInput
from quarry.core.dayplan.low_sun import low_sun_cautions
from quarry.core.dayplan.packing_list import CardNeed
from quarry.core.dayplan.refuelling import fuelled, low_words
from quarry.core.dayplan.schedule import PackDay, cautions_of, lands_with, length_of, pack_days, pins_cost_s, workings_of
from quarry.core.dayplan.supply import DaySupply
from quarry.core.dayplan.task import DayTask, first_rotation
from quarry.core.rotation.dispatch import earliest_ready
from quarry.core.rotation.model import PlannedFlight, Rotation
from quarry.core.rotation.timeline import calls_of, load_series

PLAN_VERSION = 16
PlanError = CoreError


@dataclass(frozen=True, slots=True)
class Roster:
    """A day ready to be planned: its task, and what screens show beside it; ``pins`` as they were entered."""

    day: DayTask
    gates: list[DayGate]
    problems: list[DayProblem]
    pins: list[PinFields]
    cards: list[CardNeed] = field(default_factory=list)


def fingerprint(r: Roster) -> str:
    """Return a digest of everything that a plan is made from."""
    day, learned = r.day, r.day.inputs.learned
    figures = [
        PLAN_VERSION,
        plain(day.task),
        plain(day.flights),
        plain(day.routes),
        day.turn_backs_s,
        day.left_out,
        day.cautions,
        plain(day.supply),
        plain(day.inputs.pins),
        plain(day.inputs.sun),
        plain(day.inputs.methods),
        plain(learned.scatter),
        plain(learned.people),
        learned.words,
        day.inputs.bench_c,
        plain(r.gates),
        plain(r.problems),
    ]
    return hashlib.sha256(json.dumps(figures, sort_keys=True, default=str).encode()).hexdigest()


def first_plan(r: Roster, known: Iterable[Rotation] = ()) -> PlanOfDay:
    """Return a good plan at once, no later than any of those known that holds; raises `PlanError` if none can exist."""
    return to_plan(r, first_rotation(r.day, known))


def to_plan(r: Roster, plan: Rotation) -> PlanOfDay:
    """Return a schedule with everything that a screen or a sheet shows."""
    day, task = r.day, r.day.task
    unoptimised = earliest_ready(task)
    left = lands_with(day, plan)
    load = load_series(task, plan)
    supply = fuelled(day.supply, load, max((c.end_s for c in plan.charges), default=0.0))
    return PlanOfDay(
        length_s=length_of(day, plan),
        windows=list(task.windows or ()),
        finish_s=plan.makespan_s,
        plain_rule_s=unoptimised.makespan_s if unoptimised else None,
        bound_s=plan.lower_bound_s,
        bound_reason=plan.bound_reason,
        proven=plan.makespan_s <= plan.lower_bound_s + 1.0,
        rule=plan.rule,
        waits=[WaitOut(w.aircraft, w.flight, w.from_s, w.to_s, w.reason) for w in plan.waits],
        flights=[_sortie(day, f, left.get(f.flight)) for f in plan.flights],
        aircraft=[aircraft_view(a) for a in day.aircraft],
        packs=_packs(day, plan),
        load=[(float(round(t)), round(w, 1)) for t, w in load],
        can_give_w=task.site_power_w,
        calls=_calls(day, plan, supply),
        problems=r.problems,
        learnt=day.inputs.learned.words,
        gates=r.gates,
        cautions=[
            *day.cautions,
            *cautions_of(day, plan),
            *low_sun_cautions(day, plan),
            *low_words(supply, day.inputs.hours.clock),
        ],
        workings=to_workings(workings_of(day, plan, unoptimised)),
        rotation=plan,
        pins=[_pin(given, fixed.words) for given, fixed in zip(r.pins, day.inputs.pins, strict=True)],
        pins_cost_s=pins_cost_s(day, plan),
        methods={
            "packs": day.inputs.methods.packs,
            "rates": day.inputs.methods.rates,
            "aim": day.inputs.methods.aim,
        },
        supply=supply,
        chance=None,
        levers=None,
        enough=[],
        grid=None,
        worth_s=None,
    )


def _calls(day: DayTask, plan: Rotation, supply: DaySupply) -> list[CallOut]:
    """Return what a plan calls for, in order of time; with it when each supply is refuelled."""
    ports = day.port_numbers()
    found = [
        CallOut(c.at_s, c.kind, c.set, day.member(c.set, c.pack).name, c.flight, c.aircraft, ports.get((c.charger, c.port), 0))
        for c in calls_of(day.task, plan, day.turn_backs_s)
    ]
    found += [CallOut(a, "refuel", s.name, "", "", "", 0) for s in supply.each for a, _ in s.stops]
    return sorted(found, key=lambda c: c.at_s)


def aircraft_view(a: AircraftInput) -> DayAircraftOut:
    """Return an aircraft of the day as screens show it."""
    return DayAircraftOut(a.id, a.name, a.model)


def _sortie(day: DayTask, f: PlannedFlight, lands_with_frac: float | None) -> PlannedSortie:
    figures = day.flights[f.flight]
    return PlannedSortie(
        flight=f.flight,
        aircraft=f.aircraft,
        set=f.set,
        takeoff_s=f.takeoff_s,
        landing_s=f.landing_s,
        job=figures.job,
        letter=figures.letter,
        number=figures.number,
        landing_frac=figures.landing_frac if lands_with_frac is None else lands_with_frac,
        reserve_frac=figures.reserve_frac,
        floor_v=figures.floor_v,
        fixed_s=figures.fixed_s,
        settles_c=figures.settles_c,
    )


def _pin(p: PinFields, words: str) -> PinOut:
    return PinOut(kind=p.kind, flight=p.flight, set=p.set, port=p.port, from_=p.from_, to=p.to, words=words)


def _packs(day: DayTask, plan: Rotation) -> list[DayPackOut]:
    found = [_pack(day, line) for line in pack_days(day, plan)]
    found += [DayPackOut("", name, "", "", why, []) for name, why in day.left_out.items()]
    short = short_names(p.name for p in found)
    return sorted((replace(p, short=short[p.name]) for p in found), key=lambda p: p.name)


def _pack(day: DayTask, line: PackDay) -> DayPackOut:
    ports = day.port_numbers()
    beds = []
    for warm in line.beds:
        bed = warm.bed
        label = bed.label
        if bed.state == "charging":
            charger, port = label.rsplit("/", 1)
            label = str(ports[charger, int(port)])
        curve = [(round(t, 1), round(f, 4)) for t, f in bed.curve]
        beds.append(BedOut(bed.state, bed.start_s, bed.end_s, label, curve, (round(warm.from_c, 1), round(warm.to_c, 1))))
    pack = day.member(line.set, line.pack)
    return DayPackOut(pack.id, pack.name, line.set, pack.mates, "", beds)
