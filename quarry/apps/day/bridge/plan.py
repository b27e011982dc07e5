"""Days to the core's rotation and back to plain data. Times are seconds from the day's opening."""

from __future__ import annotations

import hashlib
import json
import math
from dataclasses import dataclass, field, replace
from datetime import time
from typing import Any, cast

from pydantic import TypeAdapter, ValidationError

from quarry.apps.day.bridge.pins import SCHOOLS, apply, gentlest, hindering, pin_words, school, seconds
from quarry.apps.day.models import Day, DayJob, DayPack
from quarry.apps.day.views import (
    BedOut,
    CallOut,
    DayAircraftOut,
    DayGate,
    DayGateHour,
    DayPackOut,
    DayProblem,
    DaySupplyOut,
    FlightFacts,
    PinOut,
    PlannedSortie,
    PlanOfDay,
    SupplyEachOut,
    WaitOut,
)
from quarry.apps.fleet.bridge import (
    charge_law,
    charger_range,
    charger_record,
    drawn_of,
    health_of,
    learnt_words,
    not_charged_words,
    outlets_of,
    slowness_of,
    supply_watts,
)
from quarry.apps.fleet.models import AircraftModel, Charger, Pack, Supply
from quarry.core.base.errors import CoreError, Infeasible
from quarry.core.base.shapes import plain
from quarry.core.base.sources import ALGEBRA, BUHLMANN, ENTERED, GENERATOR_HANDBOOK, PRACTICE
from quarry.core.base.working import Step, Working, explain, workings_dict
from quarry.core.cells.chemistry import chemistry_of
from quarry.core.cells.thermal import cool_time_s, pack_tau_s
from quarry.core.day.state import Route
from quarry.core.limits.windows import common as both
from quarry.core.power.charging import charge_time_s
from quarry.core.power.generator import Fuel, fuel_of_day
from quarry.core.power.outlets import outlets_needed, plug_in
from quarry.core.rotation.bounds import bound_working
from quarry.core.rotation.dispatch import dispatch, earliest_ready
from quarry.core.rotation.model import Craft, Flight, PackSet, PlannedFlight, Rotation, RotationTask
from quarry.core.rotation.people import PeopleLimits, long_spells, within
from quarry.core.rotation.timeline import calls_of, finish_working, load_series, pack_timelines

PLAN_VERSION = 13
_NOT_WORK = ("take-off", "out", "home", "landing")
PlanError = CoreError


@dataclass(frozen=True, slots=True)
class Gate:
    """The windows that the limits of a job leave, in seconds from the day's opening, what a day draws of them, and more.

    ``charge_least_frac``: the least charge at which it may take off, where a limit says so.
    """

    windows: list[tuple[float, float]]
    drawn: DayGate
    charge_least_frac: float | None = None


def gate_of(place: DayJob, windows: list[tuple[float, float]], drawn: dict[str, Any], fallbacks: list[str]) -> Gate:
    """Return what the limits of a job leave of a day; ``drawn`` is the job's gate between opening and closing."""
    hours = [DayGateHour(**hour) for hour in drawn["hours"]]
    job = place.job
    gate = DayGate(str(job.pk), job.letter, job.name, drawn["limit_m_s"], drawn["height_m"], hours, fallbacks)
    return Gate(windows, gate, drawn["charge_least_frac"])


@dataclass(frozen=True, slots=True)
class Known:
    """What a house has set or learnt: spread of times, people's limits, and the calibration of its swaps (empty: none)."""

    scatter: dict[str, float]
    limits: PeopleLimits
    swap: dict[str, Any]


@dataclass(slots=True)
class Roster:
    """Everything a day is planned from, with what had to be left out and why."""

    task: RotationTask
    turn_backs_s: dict[str, float]
    flights: dict[str, FlightFacts]
    routes: dict[str, Route]
    members: dict[str, list[DayPack]]
    aircraft: list[DayAircraftOut]
    chargers: list[Charger]
    left_out: dict[str, str] = field(default_factory=dict)
    problems: list[DayProblem] = field(default_factory=list)
    gates: list[DayGate] = field(default_factory=list)
    free: RotationTask | None = None
    opens_s: float = 0.0
    pins: list[dict[str, Any]] = field(default_factory=list)
    schools: dict[str, Any] = field(default_factory=dict)
    supply: DaySupplyOut = field(default_factory=lambda: DaySupplyOut([], None, 15.0, 0.0, {}, {}, []))
    cautions: list[str] = field(default_factory=list)
    bench_c: float = 18.0
    frozen: str = ""
    known: Known = field(default_factory=lambda: Known({}, PeopleLimits(), {}))
    learnt: dict[str, str] = field(default_factory=dict)


def kind_of(model: AircraftModel) -> str:
    """Return the type of set that an aircraft flies: the pack model and how many."""
    return f"{model.pack_model_id}/{model.packs_count}"


def roster(
    day: Day,
    jobs: list[DayJob],
    packs: list[DayPack],
    chargers: list[Charger],
    plans: dict[str, dict[str, Any]],
    problems: list[DayProblem],
    gates: dict[str, Gate],
    supplies: list[Supply],
    known: Known,
) -> Roster:
    """Return the rotation task of a day.

    ``plans`` holds the plan of each job by the id of its place in the day, cut for the packs of the day; ``gates`` the
    windows that its limits leave.
    """
    whole = tuple(_windows(day))
    cautions: list[str] = []
    limits = known.limits
    if within(whole, limits) != whole:
        whole = within(whole, limits)
        cautions.append(f"People's longest day is {limits.day_h:g} h: nothing flies after {_clock(day, limits.day_h * 3600)}.")
    craft: dict[str, Craft] = {}
    names: list[DayAircraftOut] = []
    flights: list[Flight] = []
    turn_backs: dict[str, float] = {}
    facts: dict[str, FlightFacts] = {}
    counts: dict[str, int] = {}
    to_need = school(day.schools, "packs") == "need"
    for place in jobs:
        plan, item = plans.get(str(place.pk)), place.aircraft
        if plan is None or item is None:
            continue
        key = str(item.pk)
        if key not in craft:
            craft[key] = Craft(key, kind_of(item.model))
            counts[kind_of(item.model)] = item.model.packs_count
            names.append(DayAircraftOut(key, item.name, item.model.name))
        gate = gates.get(str(place.pk))
        cautions += _cautions(place, plan, gate)
        windows = tuple(both(list(whole), gate.windows)) if gate is not None else None
        least = (gate.charge_least_frac if gate is not None else None) or 0.0
        if to_need and least > 0.0:
            cautions.append(
                f"A limit lets {place.job.name} take off with {least:.0%} or more: no pack is charged to less for it."
            )
        for s in plan["sorties"]:
            label = f"{place.job.letter}{s['number']}"
            able = tuple(g["name"] for g in plan["gives"] if g["name"] and g["usable_wh"] >= s["energy_wh"] - 0.5)
            only = None if plan["pack"]["assumed"] or "any" in able else able
            need = _needed_frac(s, plan["gives"], able, least) if to_need else 1.0
            whole_s = float(math.ceil(s["time_s"] - 1e-3))  # the solver counts in whole seconds
            flights.append(Flight(label, key, whole_s, s["energy_frac"], need, windows, only))
            turn_backs[label] = s["turn_back_s"]
            facts[label] = FlightFacts(
                job=str(place.job_id),
                letter=place.job.letter,
                number=s["number"],
                landing_frac=s["landing_frac"],
                reserve_frac=plan["reserve_frac"],
                floor_v=max(g["floor_v"] for g in plan["gives"]),
                fixed_s=sum(x["end_s"] - x["start_s"] for x in s["legs"] if x["kind"] in _NOT_WORK),
                settles_c=next((g["settles_c"] for g in plan["gives"] if g["name"] == s["set"]), plan["gives"][0]["settles_c"]),
            )
    sets, members, left_out = _sets(packs, counts)
    rest_s = _cooled_s(day, packs, facts, cautions)
    frozen = _frozen(day, packs)
    if frozen:
        cautions.append(frozen)
        chargers = []
    supply, without = _supply(day, supplies, chargers, plans, cautions)
    chargers = [c for c in chargers if c.name not in without]
    ports = tuple(charger_record(c, k, _taken_by(c, sets, members, cautions)) for k, c in enumerate(chargers, start=1))
    free = RotationTask(
        tuple(craft.values()),
        tuple(flights),
        tuple(sets),
        ports,
        round(day.swap_s * known.swap.get("factor", 1.0)),
        rest_s,
        day.rest_after_charge_s,
        supply.can_give_w,
        whole,
        "partial" if to_need else "full",
    )
    free = gentlest(free) if school(day.schools, "rates") == "gentle" else free
    opens = seconds(day.opens)
    task = apply(free, day.pins, opens)
    drawn = [gates[str(p.pk)].drawn for p in jobs if str(p.pk) in gates]
    return Roster(
        task,
        turn_backs,
        facts,
        _routes(jobs, plans),
        members,
        names,
        chargers,
        left_out,
        problems,
        drawn,
        free,
        opens,
        list(day.pins),
        {key: school(day.schools, key) for key in SCHOOLS},
        supply,
        cautions,
        day.bench_c,
        frozen,
        known,
        _learnt(jobs, [m.pack for ms in members.values() for m in ms], known),
    )


def _learnt(places: list[DayJob], packs: list[Pack], known: Known) -> dict[str, str]:
    """Return by what it is of, in words, each calibration that a day is planned with."""
    found: dict[str, str] = {}
    for item in {p.aircraft_id: p.aircraft for p in places if p.aircraft is not None}.values():
        told = item.learnt.get("power") or item.model.learnt.get("power")
        if told:
            found[f"power of {item.name}"] = learnt_words(told)
    for p in packs:
        for subject, told in sorted(p.learnt.items()):
            if subject != "capacity" or health_of(p) != p.health_frac:
                found[f"{subject} of pack {p.name}"] = learnt_words(told)
    if known.swap:
        found["swap"] = learnt_words(known.swap)
    return found


_COUNTED = {"pictures_count": "images", "volume_l": "litres"}


def _routes(jobs: list[DayJob], plans: dict[str, dict[str, Any]]) -> dict[str, Route]:
    able = ((p, plans[str(p.pk)]) for p in jobs if str(p.pk) in plans)
    return {f"{p.job.letter}{s['number']}": _route(p, plan, s) for p, plan in able for s in plan["sorties"]}


def _route(place: DayJob, plan: dict[str, Any], s: dict[str, Any]) -> Route:
    """Return where a sortie works and what it is to bring or spread: its share of the job by the length of its lines."""
    total = sum(x["worked_m"] for x in plan["sorties"])
    count = next(((f["value"], _COUNTED[f["key"]]) for f in plan["figures"] if f["key"] in _COUNTED and total > 0), (0.0, ""))
    spacing = next((f["value"] for f in plan["figures"] if f["key"] == "spacing_m"), 0.0)
    home = place.job.home or s["path"][0]
    return Route(
        (float(home[0]), float(home[1])),
        tuple(tuple((float(x), float(y)) for x, y in line) for line in s["worked"]),
        count[0] * s["worked_m"] / total if total > 0 else 0.0,
        count[1],
        s["worked_m"] * spacing / 1e4,
    )


def _clock(day: Day, at_s: float) -> str:
    whole = round(seconds(day.opens) + at_s) // 60 % (24 * 60)
    return f"{whole // 60:02d}:{whole % 60:02d}"


def _cooled_s(day: Day, packs: list[DayPack], facts: dict[str, FlightFacts], cautions: list[str]) -> float:
    """Return the rest after a flight: what was entered, or longer until the hottest pack may be charged."""
    if not packs or not facts:
        return day.rest_after_flight_s
    most_c = min(chemistry_of(p.pack.model.chemistry).charge_high_c for p in packs)
    hottest = max(f.settles_c for f in facts.values())
    cooled = cool_time_s(hottest, day.bench_c, most_c, pack_tau_s(1.0, 1))
    if cooled is None:
        raise Infeasible(
            f"Packs land at up to {hottest:.0f} °C and never cool to the {most_c:.0f} °C at which they may be charged, where it is "
            f"{day.bench_c:.0f} °C. Find them a place below {most_c - 5:.0f} °C.",
            "bench_c",
        )
    if cooled <= day.rest_after_flight_s:
        return day.rest_after_flight_s
    cautions.append(
        f"Packs land at up to {hottest:.0f} °C: each rests {math.ceil(cooled / 60)} min, not the {day.rest_after_flight_s / 60:g} "
        f"entered, until it is down to {most_c:.0f} °C and may be charged."
    )
    return float(60 * math.ceil(cooled / 60))


def _frozen(day: Day, packs: list[DayPack]) -> str:
    """Return why nothing may be charged where the packs lie, or nothing."""
    least = max((chemistry_of(p.pack.model.chemistry).charge_low_c for p in packs), default=-100.0)
    if day.bench_c >= least:
        return ""
    return (
        f"Packs lie at {day.bench_c:.0f} °C and are not charged below {least:.0f} °C: a frozen cell is harmed for good. "
        f"Charge them where it is {least:.0f} °C or warmer."
    )


def _supply(
    day: Day, supplies: list[Supply], chargers: list[Charger], plans: dict[str, dict[str, Any]], cautions: list[str]
) -> tuple[DaySupplyOut, set[str]]:
    """Return what the supplies give here and today with who is plugged in where, and the chargers that find no outlet."""
    warmest = max((p["air"]["air_c"] for p in plans.values()), default=15.0)
    each = [
        SupplyEachOut(
            s.name,
            supply_watts(s.model, day.elevation_m, warmest),
            s.model.rated_w,
            s.model.headroom_frac,
            s.model.kind == "generator",
            s.model.fuel,
            s.model.tank_l,
            None,
            [],
        )
        for s in supplies
    ]
    outlets = [o for s in supplies for o in outlets_of(s.model, s.name)]
    total_w = sum(e.can_give_w for e in each) if each else None
    told = DaySupplyOut(each, total_w, warmest, day.elevation_m, {}, {}, [], len(outlets))
    if not outlets or not chargers:
        return told, set()
    drawn = [drawn_of(c) for c in chargers]
    plugged = plug_in(outlets, drawn)
    told = replace(
        told,
        outlets_needed=outlets_needed(outlets[0], drawn),
        outlet_of=plugged.outlet_of,
        load_va=plugged.load_va,
        left_out=list(plugged.left_out),
    )
    cautions += [f"{name} finds no outlet that carries it for hours and stays off. See the supply." for name in plugged.left_out]
    return told, set(plugged.left_out)


def _needed_frac(s: dict[str, Any], gives: list[dict[str, Any]], able: tuple[str, ...], least: float) -> float:
    """Return the charge at which the weakest set that may fly a sortie still lands with its reserve.

    What it gives from full beyond the sortie may be missing at take-off; cold and resistance take no less from a part
    charge than from a full one, so a watt-hour is counted as one.
    """
    fit = [g for g in gives if not able or g["name"] in able]
    return float(max(least, *(1.0 - max(0.0, g["usable_wh"] - s["energy_wh"]) / g["energy_wh"] for g in fit)))


def _cautions(place: DayJob, plan: dict[str, Any], gate: Gate | None) -> list[str]:
    found = []
    if any(c["key"] == "wind" for c in plan["checks"]):
        found.append(f"{place.job.name} is planned with an assumed wind: take a forecast or measure before it flies.")
    if gate is not None and gate.drawn.hours and all(h.unknown for h in gate.drawn.hours):
        found.append(f"No weather is known for {place.job.name} on this day: nothing is cleared by this plan.")
    for name, why in plan["sets_out"].items():
        found.append(f"{name} is not planned for {place.job.name}: {why}")
    return found


def _windows(day: Day) -> list[tuple[float, float]]:
    opens, closes = seconds(day.opens), seconds(day.closes)
    spans, at = [], 0.0
    for p in sorted(day.pauses, key=lambda p: p["from"]):
        a, b = (seconds(time.fromisoformat(p[k])) - opens for k in ("from", "to"))
        if a > at:
            spans.append((at, min(a, closes - opens)))
        at = max(at, b)
    if closes - opens > at:
        spans.append((at, closes - opens))
    return spans


def _sets(packs: list[DayPack], counts: dict[str, int]) -> tuple[list[PackSet], dict[str, list[DayPack]], dict[str, str]]:
    sets: list[PackSet] = []
    members: dict[str, list[DayPack]] = {}
    left_out: dict[str, str] = {}
    groups: dict[tuple[str, str], list[DayPack]] = {}
    for p in packs:
        if p.pack.grounded:
            left_out[p.pack.name] = p.pack.grounded_why or "grounded"
            continue
        groups.setdefault((str(p.pack.model_id), p.pack.mates or p.pack.name), []).append(p)
    for (model_id, _), group in groups.items():
        kind = f"{model_id}/{len(group)}"
        if kind not in counts:
            wanted = [k for k in counts if k.startswith(f"{model_id}/")]
            why = f"waits for a mate: {wanted[0].rsplit('/', 1)[1]} fly together" if wanted else "no aircraft of the day flies it"
            left_out.update({p.pack.name: why for p in group})
            continue
        name = " + ".join(sorted(p.pack.name for p in group))
        weakest = min(p.pack.model.rated_wh * health_of(p.pack) for p in group)
        model = group[0].pack.model
        slow = round(max(slowness_of(p.pack) for p in group), 3)
        start = min(p.start_frac for p in group)
        sets.append(
            PackSet(name, kind, len(group), weakest, start, slowness=slow, law=charge_law(model), balance_s=model.balance_s)
        )
        members[name] = sorted(group, key=lambda p: p.pack.name)
    return sets, members, left_out


def _taken_by(
    charger: Charger, sets: list[PackSet], members: dict[str, list[DayPack]], cautions: list[str]
) -> tuple[str, ...] | None:
    """Return the types of set that a charger takes; None where it takes all, or where what it takes is not known."""
    if not charger_range(charger.model).known:
        words = f"{charger.model.name} does not say which cells it takes: enter them with its model. It is planned for all packs."
        if words not in cautions:
            cautions.append(words)
        return None
    why = {s.type: not_charged_words(charger, members[s.id][0].pack.model) for s in sets}
    cautions.extend(
        f"{charger.name} does not charge {members[s.id][0].pack.model.name}: {why[s.type]}."
        for s in {s.type: s for s in sets}.values()
        if why[s.type]
    )
    return tuple(sorted(kind for kind, words in why.items() if not words)) if any(why.values()) else None


def fingerprint(r: Roster) -> str:
    """Return a digest of everything the rotation is made from."""
    facts = [
        PLAN_VERSION,
        plain(r.task),
        r.turn_backs_s,
        r.left_out,
        plain(r.problems),
        plain(r.gates),
        r.cautions,
        r.pins,
        r.schools,
        plain(r.supply),
        r.known.scatter,
        plain(r.known.limits),
        r.bench_c,
        r.learnt,
    ]
    return hashlib.sha256(json.dumps(facts, sort_keys=True, default=str).encode()).hexdigest()


def first_plan(r: Roster) -> PlanOfDay:
    """Return a good plan at once; raises `PlanError` if none can exist."""
    try:
        plan = dispatch(r.task)
    except CoreError as bad:
        if r.frozen and bad.field != "jobs":
            raise Infeasible(f"{r.frozen} Without a charge this day cannot be flown.", "bench_c") from None
        raise hindering(r.free or r.task, r.pins, r.opens_s, bad) if r.pins else bad from None
    return told(r, plan)


_PLAN = TypeAdapter(PlanOfDay)
_ROTATION = TypeAdapter(Rotation)


def keep(plan: PlanOfDay) -> dict[str, Any]:
    """Return a plan as it is kept."""
    return cast(dict[str, Any], _PLAN.dump_python(plan, mode="json", by_alias=True))


def plan_from(kept: dict[str, Any]) -> PlanOfDay:
    """Return a plan that was kept.

    Raises
    ------
    CoreError
        An older version kept it in another shape.
    """
    try:
        return _PLAN.validate_python(kept)
    except ValidationError as bad:
        raise CoreError("An older version made this plan: plan the day again to see one.", "number") from bad


def rotation_from(kept: Any) -> Rotation:
    """Return a kept schedule as the core's."""
    return _ROTATION.validate_python(kept)


def told(r: Roster, plan: Rotation) -> PlanOfDay:
    """Return a schedule with everything that a screen or a sheet shows."""
    task = r.task
    windows = task.windows or ()
    length = max([b for _, b in windows] + [plan.makespan_s] + [c.end_s for c in plan.charges])
    plain_rule = earliest_ready(task)
    ports = _port_numbers(task)
    left = _left(r, plan, length) if task.policy == "partial" else {}
    load = [(float(round(t)), round(w, 1)) for t, w in load_series(task, plan)]
    return PlanOfDay(
        length_s=length,
        windows=[(a, b) for a, b in windows],
        finish_s=plan.makespan_s,
        plain_rule_s=plain_rule.makespan_s if plain_rule else None,
        bound_s=plan.lower_bound_s,
        bound_reason=plan.bound_reason,
        proven=plan.makespan_s <= plan.lower_bound_s + 1.0,
        rule=plan.rule,
        waits=[WaitOut(w.aircraft, w.flight, w.from_s, w.to_s, w.reason) for w in plan.waits],
        flights=[_sortie(f, r.flights[f.flight], left.get(f.flight)) for f in plan.flights],
        aircraft=r.aircraft,
        packs=_packs(r, plan, length),
        load=load,
        can_give_w=task.site_power_w,
        calls=[
            CallOut(c.at_s, c.kind, c.set, _member(r, c.set, c.pack), c.flight, c.aircraft, ports.get((c.charger, c.port), 0))
            for c in calls_of(task, plan, r.turn_backs_s)
        ],
        problems=r.problems,
        learnt=r.learnt,
        gates=r.gates,
        cautions=[*r.cautions, *_spells(r, plan), *_idle_pins(r, plan)],
        workings=workings_dict(_workings(r, plan) | _plain_working(plain_rule)),
        rotation=plain(plan),
        pins=[_pin(p) for p in r.pins],
        pins_cost_s=_pins_cost_s(r, plan),
        schools=r.schools,
        supply=_fuelled(r, load_series(task, plan), plan.makespan_s),
        chance=None,
        levers=None,
        enough=[],
        grid=None,
        worth_s=None,
    )


def _sortie(f: PlannedFlight, facts: FlightFacts, lands_with: float | None) -> PlannedSortie:
    return PlannedSortie(
        flight=f.flight,
        aircraft=f.aircraft,
        set=f.set,
        takeoff_s=f.takeoff_s,
        landing_s=f.landing_s,
        job=facts.job,
        letter=facts.letter,
        number=facts.number,
        landing_frac=facts.landing_frac if lands_with is None else lands_with,
        reserve_frac=facts.reserve_frac,
        floor_v=facts.floor_v,
        fixed_s=facts.fixed_s,
        settles_c=facts.settles_c,
    )


def _pin(pin: dict[str, Any]) -> PinOut:
    return PinOut(
        kind=pin["kind"],
        flight=pin.get("flight") or "",
        set=pin.get("set") or "",
        port=int(pin.get("port") or 0),
        from_=pin.get("from") or "",
        to=pin.get("to") or "",
        words=pin_words(pin),
    )


def _left(r: Roster, plan: Rotation, length: float) -> dict[str, float]:
    """Return with what share each sortie lands: packs that were not full land with less than its job says."""
    beds = [b for line in pack_timelines(r.task, plan, length) for b in line.beds if b.state == "flying"]
    return {b.label: min(o.curve[-1][1] for o in beds if o.label == b.label) for b in beds}


def _idle_pins(r: Roster, plan: Rotation) -> list[str]:
    """Return in words the charges that are fixed and not in the plan, or in it at another time."""
    found = []
    for pin in r.pins:
        if pin["kind"] != "charge" or all(s.id != pin["set"] for s in r.task.sets):
            continue
        starts = [c.start_s for c in plan.charges if c.set == pin["set"]]
        wanted = seconds(time.fromisoformat(pin["from"])) - r.opens_s
        if not starts:
            found.append(f"{pin_words(pin)} is fixed, and no sortie of the plan needs that charge.")
        elif min(starts) > wanted + 60:
            found.append(f"{pin_words(pin)} is fixed; a port is free for it {round((min(starts) - wanted) / 60)} min later.")
    return found


def _spells(r: Roster, plan: Rotation) -> list[str]:
    long = long_spells([(f.takeoff_s, f.landing_s) for f in plan.flights], r.known.limits)
    return [
        f"{(b - a) / 3600:.1f} h from a launch to a landing without {r.known.limits.break_min:g} min in which nothing flies: plan a break."
        for a, b in long
    ]


def _pins_cost_s(r: Roster, plan: Rotation) -> float | None:
    """Return how much later the day ends for what is fixed: both by the dispatcher. [s]"""
    if not r.pins or r.free is None:
        return None
    try:
        return max(0.0, plan.makespan_s - dispatch(r.free).makespan_s)
    except CoreError:
        return None


def _fuelled(r: Roster, load: tuple[tuple[float, float], ...], until_s: float) -> DaySupplyOut:
    """Return the supplies with the fuel of the day; the load is shared by what each can give."""
    total = r.supply.can_give_w or 0.0
    each = []
    for s in r.supply.each:
        if s.fuel and total > 0:
            share = s.can_give_w / total
            day = fuel_of_day([(t, w * share) for t, w in load], s.rated_w, cast(Fuel, s.fuel), s.tank_l, until_s)
            each.append(replace(s, litres=day.fuel_l, refuel_s=list(day.refuel_s)))
        else:
            each.append(s)
    return replace(r.supply, each=each)


def _plain_working(plain_rule: Rotation | None) -> dict[str, Working]:
    if plain_rule is None:
        return {}
    step = Step(
        "plain_rule_s",
        plain_rule.makespan_s,
        "clock",
        "the same day played once: packs charge in the order they come, at the fastest rate that fits; a ready set flies at once",
        source=PRACTICE,
    )
    return {"plain": Working("First come, first charged", plain_rule.makespan_s, "clock", (step,))}


def _port_numbers(task: RotationTask) -> dict[tuple[str, int], int]:
    keys = [(c.id, k) for c in task.chargers for k in range(c.ports)]
    return {key: n for n, key in enumerate(keys, start=1)}


def _member(r: Roster, set_name: str, pack: int) -> str:
    return r.members[set_name][pack].pack.name


def _packs(r: Roster, plan: Rotation, length: float) -> list[DayPackOut]:
    ports = _port_numbers(r.task)
    found = []
    warmth = pack_tau_s(1.0, 1)
    for line in pack_timelines(r.task, plan, length):
        beds = []
        pack_c = r.bench_c
        for b in line.beds:
            label = b.label
            if b.state == "charging":
                charger, port = label.rsplit("/", 1)
                label = str(ports[charger, int(port)])
            began_c = pack_c
            if b.state == "flying":
                pack_c = r.flights[b.label].settles_c
            else:  # it lies, or charges, where the crew keeps packs
                pack_c = r.bench_c + (pack_c - r.bench_c) * math.exp(-(b.end_s - b.start_s) / warmth)
            curve = [(round(t, 1), round(f, 4)) for t, f in b.curve]
            beds.append(BedOut(b.state, b.start_s, b.end_s, label, curve, (round(began_c, 1), round(pack_c, 1))))
        who = r.members[line.set][line.pack]
        found.append(DayPackOut(str(who.pack_id), who.pack.name, line.set, who.pack.mates, "", beds))
    found += [DayPackOut("", name, "", "", why, []) for name, why in r.left_out.items()]
    return sorted(found, key=lambda p: p.name)


def _workings(r: Roster, plan: Rotation) -> dict[str, Working]:
    task = r.task
    workings = {"finish": finish_working(task, plan), "bound": bound_working(task)}
    waited = [w for w in plan.waits if w.reason == "pack"]
    total = sum(w.to_s - w.from_s for w in waited) / 60
    steps = [
        Step(
            w.flight,
            (w.to_s - w.from_s) / 60,
            "min",
            f"before {w.flight} the aircraft stood ready and no set was full and rested",
            source=ALGEBRA,
        )
        for w in waited
    ]
    workings["waits"] = Working("Waiting for packs", total, "min", (*steps, Step("waits", total, "min", "sum", source=ALGEBRA)))
    if task.site_power_w is not None:
        workings["supply"] = _supply_working(r)
    sets = {s.id: s for s in task.sets}
    modes = {(c.id, m.name): m for c in task.chargers for m in c.modes}
    for n, c in enumerate(plan.charges):
        s, mode = sets[c.set], modes[c.charger, c.mode]
        full = explain(charge_time_s, s.capacity_wh, c.from_frac, mode.pack_w, s.law)
        start = Step(
            "from_frac",
            c.from_frac,
            "",
            f"charge of {c.set} when it goes on the port",
            source=ENTERED if n == 0 else ALGEBRA,
            kind="input",
        )
        more: tuple[Step, ...] = _beyond_the_law(r, s, full.value)
        if c.to_frac < 1.0:
            words = "on the port until it holds what its next sortie needs"
            more += (Step("to_frac", c.to_frac, "", words, source=ALGEBRA), Step("charge_s", c.end_s - c.start_s, "s", words))
        workings[f"charge_{_member(r, c.set, c.pack)}_{round(c.start_s)}"] = Working(
            f"Charge of pack {_member(r, c.set, c.pack)}",
            c.end_s - c.start_s if more else full.value,
            "s",
            (start, *full.steps, *more),
        )
    return workings


def _beyond_the_law(r: Roster, s: PackSet, law_s: float) -> tuple[Step, ...]:
    """Return the steps from the computed charge time to that of this pack: what its own charges taught, and evening out."""
    if s.slowness == 1.0 and s.balance_s == 0.0:
        return ()
    steps: tuple[Step, ...] = ()
    if s.slowness != 1.0:
        told = next(m.pack.learnt["charge"] for m in r.members[s.id] if round(slowness_of(m.pack), 3) == s.slowness)
        steps += (Step("slowness", s.slowness, "", learnt_words(told), source=BUHLMANN, kind="input"),)
    if s.balance_s:
        words = "the charger evens the cells out at the end, as entered with the pack model"
        steps += (Step("balance_s", s.balance_s, "s", words, source=ENTERED, kind="input"),)
    total = law_s * s.slowness + s.balance_s
    return (*steps, Step("charge_s", total, "s", "computed time × times the law + evening out", source=ALGEBRA))


def _supply_working(r: Roster) -> Working:
    steps = []
    for s in r.supply.each:
        kept = 1 - s.headroom_frac
        words = f"{s.rated_w:.0f} W for hours × {kept:.0%}"
        if s.generator:
            words += f", at {r.supply.elevation_m:.0f} m and {r.supply.air_c:.0f} °C"
        steps.append(Step(s.name, s.can_give_w, "W", words, source=GENERATOR_HANDBOOK if s.generator else PRACTICE))
    steps += [Step(o, va, "VA", "drawn from this outlet at most", source=ALGEBRA) for o, va in r.supply.load_va.items()]
    total = r.supply.can_give_w
    return Working("The supply can give", total, "W", (*steps, Step("can_give_w", total, "W", "sum", source=ALGEBRA)))
