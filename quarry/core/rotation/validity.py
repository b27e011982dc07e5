"""Whether a schedule holds for a day as it is: every rule of the rotation, one by one."""

from __future__ import annotations

import math
from collections.abc import Sequence

from quarry.core.rotation.model import (
    FULL,
    Flight,
    Mode,
    PackSet,
    PlannedCharge,
    PlannedFlight,
    Rotation,
    RotationTask,
    duration_s,
)

_SLACK_S = 1.0
_SLACK_FRAC = 1e-6
_SLACK_W = 1e-6


def holds(task: RotationTask, plan: Rotation) -> bool:
    """Return whether a schedule, as it stands, breaks none of a day's rules.

    A plan of a stricter day holds for every easier one: with more sets, ports, power, hours or charge, and shorter rests.
    """
    return _flights_hold(task, plan) and _packs_hold(task, plan) and _ports_hold(task, plan.charges)


def _flights_hold(task: RotationTask, plan: Rotation) -> bool:
    known = {f.id: f for f in task.flights}
    craft = {c.id: c for c in task.aircraft}
    types = {s.id: s.type for s in task.sets}
    if sorted(f.flight for f in plan.flights) != sorted(known):
        return False
    order: dict[str, list[str]] = {}
    for f in task.flights:
        order.setdefault(f.aircraft, []).append(f.id)
    for aircraft, mine in order.items():
        swap_s = task.swap_of(aircraft)
        ours = sorted((p for p in plan.flights if p.flight in mine), key=lambda p: p.takeoff_s)
        if [p.flight for p in ours] != mine:
            return False
        if any(b.takeoff_s < a.landing_s + swap_s - _SLACK_S for a, b in zip(ours, ours[1:], strict=False)):
            return False
    for crew in task.crews:
        theirs = sorted((p for p in plan.flights if p.aircraft in crew.aircraft), key=lambda p: p.takeoff_s)
        if theirs and theirs[0].takeoff_s < crew.from_s - _SLACK_S:
            return False
        if any(b.takeoff_s < a.landing_s - _SLACK_S for a, b in zip(theirs, theirs[1:], strict=False)):
            return False
    for p in plan.flights:
        f, c = known[p.flight], craft.get(p.aircraft)
        if c is None or f.aircraft != p.aircraft or types.get(p.set) != c.type or (f.only is not None and p.set not in f.only):
            return False
        if p.landing_s < p.takeoff_s + f.flight_s - _SLACK_S or p.takeoff_s < max(c.from_s, task.now_s) - _SLACK_S:
            return False
        if task.next_window(p.takeoff_s - _SLACK_S, f) > p.takeoff_s + _SLACK_S:
            return False
    return True


def _packs_hold(task: RotationTask, plan: Rotation) -> bool:
    known = {s.id: s for s in task.sets}
    named = {f.id: f for f in task.flights}
    modes = {(c.id, m.name): m for c in task.chargers for m in c.modes}
    if any(c.set not in known or (c.charger, c.mode) not in modes for c in plan.charges):
        return False
    for packs in task.sets:
        flights = sorted((f for f in plan.flights if f.set == packs.id), key=lambda f: f.takeoff_s)
        for m, frac in enumerate(packs.starts()):
            charges = [c for c in plan.charges if (c.set, c.pack) == (packs.id, m)]
            if not _course_holds(task, packs, frac, flights, charges, named, modes):
                return False
    return True


def _course_holds(
    task: RotationTask,
    packs: PackSet,
    frac: float,
    flights: Sequence[PlannedFlight],
    charges: Sequence[PlannedCharge],
    known: dict[str, Flight],
    modes: dict[tuple[str, str], Mode],
) -> bool:
    """Return whether one pack's flights and charges follow one another: rested, long enough, and with the charge that each needs."""
    things: list[PlannedFlight | PlannedCharge] = [*flights, *charges]
    free, ready = packs.from_s, packs.from_s
    for x in sorted(things, key=_begins):
        if isinstance(x, PlannedFlight):
            f = known[x.flight]
            need = FULL if task.policy == "full" else f.required_frac
            if x.takeoff_s < ready - _SLACK_S or frac < need - _SLACK_FRAC:
                return False
            frac = max(0.0, frac - f.energy_frac)
            free, ready = x.landing_s + task.rest_after_flight_s, x.landing_s
            continue
        length = x.end_s - x.start_s
        if x not in task.begun:
            mode = modes[x.charger, x.mode]
            wanted = duration_s(packs, frac, mode)
            if x.to_frac < FULL:
                wanted -= duration_s(packs, x.to_frac, mode)
            if x.start_s < max(free, task.now_s) - _SLACK_S or length < wanted - _SLACK_S:
                return False
        frac = max(frac, x.to_frac)
        free = x.end_s
        ready = x.end_s + task.rest_after_charge_s
    return True


def _begins(x: PlannedFlight | PlannedCharge) -> float:
    return x.takeoff_s if isinstance(x, PlannedFlight) else x.start_s


def _ports_hold(task: RotationTask, charges: Sequence[PlannedCharge]) -> bool:
    chargers = {c.id: c for c in task.chargers}
    types = {s.id: s.type for s in task.sets}
    wall = {(c.id, m.name): m.wall_w for c in task.chargers for m in c.modes}
    by_port: dict[tuple[str, int], list[PlannedCharge]] = {}
    for c in charges:
        own = chargers[c.charger]
        if c.port >= own.ports or not own.charges(types[c.set]):
            return False
        if (
            any(p == c.port and a < c.end_s - _SLACK_S and c.start_s < b - _SLACK_S for p, a, b in own.closed)
            and c not in task.begun
        ):
            return False
        by_port.setdefault((c.charger, c.port), []).append(c)
    for mine in by_port.values():
        mine.sort(key=lambda c: c.start_s)
        if any(b.start_s < a.end_s - _SLACK_S for a, b in zip(mine, mine[1:], strict=False)):
            return False
    moments = {c.start_s for c in charges} | {a for a, _, _ in task.dips}
    for t in moments:
        live = [c for c in charges if c.start_s <= t < c.end_s - _SLACK_S]
        limit = min([math.inf if task.site_power_w is None else task.site_power_w, *(w for a, b, w in task.dips if a <= t < b)])
        if sum(wall[c.charger, c.mode] for c in live) > limit + _SLACK_W:
            return False
        for own in task.chargers:
            drawn = sum(wall[c.charger, c.mode] for c in live if c.charger == own.id)
            if own.cap_w is not None and drawn > own.cap_w + _SLACK_W:
                return False
    return True
