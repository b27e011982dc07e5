"""Days to the core's rotation and back to plain data. Times are seconds from the day's opening."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import time
from typing import Any

from quarry.apps.day.models import Day, DayJob, DayPack
from quarry.apps.fleet.bridge import charge_law, charger_record, supply_watts
from quarry.apps.fleet.models import AircraftModel, Charger
from quarry.core.base.errors import CoreError
from quarry.core.base.shapes import plain
from quarry.core.base.sources import ALGEBRA, ENTERED, PRACTICE
from quarry.core.base.working import Step, Working, explain, workings_dict
from quarry.core.limits.windows import common as both
from quarry.core.power.charging import charge_time_s
from quarry.core.rotation.bounds import bound_working
from quarry.core.rotation.dispatch import dispatch, earliest_ready
from quarry.core.rotation.model import Craft, Flight, PackSet, Rotation, RotationTask
from quarry.core.rotation.timeline import calls_of, finish_working, load_series, pack_timelines

PLAN_VERSION = 8
PlanError = CoreError


def seconds(t: time) -> float:
    """Return seconds since midnight."""
    return t.hour * 3600.0 + t.minute * 60.0 + t.second


@dataclass(frozen=True, slots=True)
class Gate:
    """The windows that the limits of a job leave, in seconds from the day's opening, and what a day draws of it."""

    windows: list[tuple[float, float]]
    drawn: dict[str, Any]


@dataclass(slots=True)
class Roster:
    """Everything a day is planned from, with what had to be left out and why."""

    task: RotationTask
    turn_backs_s: dict[str, float]
    flights: dict[str, dict[str, Any]]
    members: dict[str, list[DayPack]]
    aircraft: list[dict[str, str]]
    chargers: list[Charger]
    left_out: dict[str, str] = field(default_factory=dict)
    problems: list[dict[str, str]] = field(default_factory=list)
    gates: list[dict[str, Any]] = field(default_factory=list)
    cautions: list[str] = field(default_factory=list)


def kind_of(model: AircraftModel) -> str:
    """Return the type of set that an aircraft flies: the pack model and how many."""
    return f"{model.pack_model_id}/{model.packs_count}"


def roster(
    day: Day,
    jobs: list[DayJob],
    packs: list[DayPack],
    chargers: list[Charger],
    plans: dict[str, dict[str, Any]],
    problems: list[dict[str, str]],
    gates: dict[str, Gate],
) -> Roster:
    """Return the rotation task of a day.

    ``plans`` holds the plan of each job by the id of its place in the day, cut for the packs of the day; ``gates`` the
    windows that its limits leave.
    """
    whole = tuple(_windows(day))
    cautions: list[str] = []
    craft: dict[str, Craft] = {}
    names: list[dict[str, str]] = []
    flights: list[Flight] = []
    turn_backs: dict[str, float] = {}
    facts: dict[str, dict[str, Any]] = {}
    counts: dict[str, int] = {}
    for place in jobs:
        plan, item = plans.get(str(place.pk)), place.aircraft
        if plan is None or item is None:
            continue
        key = str(item.pk)
        if key not in craft:
            craft[key] = Craft(key, kind_of(item.model))
            counts[kind_of(item.model)] = item.model.packs_count
            names.append({"id": key, "name": item.name, "model": item.model.name})
        gate = gates.get(str(place.pk))
        cautions += _cautions(place, plan, gate)
        windows = tuple(both(list(whole), gate.windows)) if gate is not None else None
        for s in plan["sorties"]:
            label = f"{place.job.letter}{s['number']}"
            able = tuple(g["name"] for g in plan["gives"] if g["name"] and g["usable_wh"] >= s["energy_wh"] - 0.5)
            only = None if plan["pack"]["assumed"] or "any" in able else able
            flights.append(Flight(label, key, s["time_s"], s["energy_frac"], windows=windows, only=only))
            turn_backs[label] = s["turn_back_s"]
            facts[label] = {
                "job": str(place.job_id),
                "letter": place.job.letter,
                "number": s["number"],
                "landing_frac": s["landing_frac"],
            }
    sets, members, left_out = _sets(packs, counts)
    ports = tuple(charger_record(c, k) for k, c in enumerate(chargers, start=1))
    task = RotationTask(
        tuple(craft.values()),
        tuple(flights),
        tuple(sets),
        ports,
        day.swap_s,
        day.rest_after_flight_s,
        day.rest_after_charge_s,
        supply_watts(day.supply.model) if day.supply else None,
        whole,
        "full",
    )
    told = [
        {"job_id": str(p.job_id), "letter": p.job.letter, "name": p.job.name, **gates[str(p.pk)].drawn}
        for p in jobs
        if str(p.pk) in gates
    ]
    return Roster(task, turn_backs, facts, members, names, chargers, left_out, problems, told, cautions)


def _cautions(place: DayJob, plan: dict[str, Any], gate: Gate | None) -> list[str]:
    found = []
    if any(c["key"] == "wind" for c in plan["checks"]):
        found.append(f"{place.job.name} is planned with an assumed wind: take a forecast or measure before it flies.")
    if gate is not None and gate.drawn["hours"] and all(h["unknown"] for h in gate.drawn["hours"]):
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
        weakest = min(p.pack.model.rated_wh * p.pack.health_frac for p in group)
        sets.append(
            PackSet(name, kind, len(group), weakest, min(p.start_frac for p in group), law=charge_law(group[0].pack.model))
        )
        members[name] = sorted(group, key=lambda p: p.pack.name)
    return sets, members, left_out


def fingerprint(r: Roster) -> str:
    """Return a digest of everything the rotation is made from."""
    facts = [PLAN_VERSION, plain(r.task), r.turn_backs_s, r.left_out, r.problems, r.gates, r.cautions]
    return hashlib.sha256(json.dumps(facts, sort_keys=True, default=str).encode()).hexdigest()


def first_plan(r: Roster) -> dict[str, Any]:
    """Return a good plan at once; raises `PlanError` if none can exist."""
    return _told(r, dispatch(r.task))


def better_plan(
    r: Roster, finish_s: float, report: Callable[[float], bool], rounds: int = 16
) -> tuple[dict[str, Any] | None, bool]:
    """Search on; returns (a plan that ends earlier, or None; whether the bound was met).

    ``report`` is told the share done and answers whether to go on.
    """
    best: Rotation | None = None
    for k in range(rounds):
        found = dispatch(r.task, plays=150, seed=101 + k)
        if found.makespan_s < finish_s - 0.5:
            best, finish_s = found, found.makespan_s
        proven = finish_s <= found.lower_bound_s + 1.0
        if not report((k + 1) / rounds) or proven:
            return (_told(r, best) if best else None), proven
    return (_told(r, best) if best else None), False


def _told(r: Roster, plan: Rotation) -> dict[str, Any]:
    task = r.task
    windows = task.windows or ()
    length = max([b for _, b in windows] + [plan.makespan_s] + [c.end_s for c in plan.charges])
    plain_rule = earliest_ready(task)
    ports = _port_numbers(task)
    return {
        "length_s": length,
        "windows": [list(w) for w in windows],
        "finish_s": plan.makespan_s,
        "plain_rule_s": plain_rule.makespan_s if plain_rule else None,
        "bound_s": plan.lower_bound_s,
        "bound_reason": plan.bound_reason,
        "proven": plan.makespan_s <= plan.lower_bound_s + 1.0,
        "rule": plan.rule,
        "waits": [plain(w) for w in plan.waits],
        "flights": [plain(f) | r.flights[f.flight] for f in plan.flights],
        "aircraft": r.aircraft,
        "packs": _packs(r, plan, length),
        "load": [[round(t), round(w, 1)] for t, w in load_series(task, plan)],
        "can_give_w": task.site_power_w,
        "calls": [
            plain(c) | {"port": ports.get((c.charger, c.port), 0), "member": _member(r, c.set, c.pack)}
            for c in calls_of(task, plan, r.turn_backs_s)
        ],
        "problems": r.problems,
        "gates": r.gates,
        "cautions": r.cautions,
        "workings": workings_dict(_workings(r, plan) | _plain_working(plain_rule)),
    }


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


def _packs(r: Roster, plan: Rotation, length: float) -> list[dict[str, Any]]:
    ports = _port_numbers(r.task)
    found = []
    for line in pack_timelines(r.task, plan, length):
        beds = []
        for b in line.beds:
            label = b.label
            if b.state == "charging":
                charger, port = label.rsplit("/", 1)
                label = str(ports[charger, int(port)])
            beds.append(
                {
                    "state": b.state,
                    "start_s": b.start_s,
                    "end_s": b.end_s,
                    "label": label,
                    "curve": [[round(t, 1), round(f, 4)] for t, f in b.curve],
                }
            )
        who = r.members[line.set][line.pack]
        found.append(
            {
                "id": str(who.pack_id),
                "name": who.pack.name,
                "set": line.set,
                "mates": who.pack.mates,
                "grounded": "",
                "beds": beds,
            }
        )
    for name, why in r.left_out.items():
        found.append({"id": "", "name": name, "set": "", "mates": "", "grounded": why, "beds": []})
    return sorted(found, key=lambda p: p["name"])


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
    if task.site_power_w is not None and r.chargers:
        workings["supply"] = Working(
            "The supply can give",
            task.site_power_w,
            "W",
            (
                Step(
                    "can_give_w",
                    task.site_power_w,
                    "W",
                    "continuous rating × (1 − headroom)",
                    source=PRACTICE,
                    note="altitude and heat are not taken off yet",
                ),
            ),
        )
    sets = {s.id: s for s in task.sets}
    modes = {(c.id, m.name): m for c in task.chargers for m in c.modes}
    for n, c in enumerate(plan.charges):
        s, mode = sets[c.set], modes[c.charger, c.mode]
        told = explain(charge_time_s, s.capacity_wh, c.from_frac, mode.pack_w, s.law)
        start = Step(
            "from_frac",
            c.from_frac,
            "",
            f"charge of {c.set} when it goes on the port",
            source=ENTERED if n == 0 else ALGEBRA,
            kind="input",
        )
        workings[f"charge_{_member(r, c.set, c.pack)}_{round(c.start_s)}"] = Working(
            f"Charge of pack {_member(r, c.set, c.pack)}", told.value, "s", (start, *told.steps)
        )
    return workings
