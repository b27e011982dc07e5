"""What is left of a day from now on, as a rotation task of its own."""

from __future__ import annotations

import math
from dataclasses import replace

from quarry.core.day.state import CraftNow, DayState, FlightNow, Frame, PackNow, charge_now, flown_share, planned_landing_s
from quarry.core.day.triggers import NOT_NOW_S
from quarry.core.rotation.model import FULL, Charger, Craft, Crew, Flight, PackSet, PlannedCharge, RotationTask, duration_s


def remainder(frame: Frame, state: DayState, now_s: float, *, spare_weak: bool = False) -> RotationTask:
    """Return what is left of a day as a task in the times of the day; nothing of it begins before now. [s from opening]

    ``spare_weak``: packs that were found weak under load today fly the shorter half of what is left, and nothing longer.
    """
    task = frame.task
    out = state.power_out_s is not None
    begun = () if out else _begun(frame, state, now_s)
    sets = tuple(s for s in (_set(frame, state, s, now_s, begun) for s in task.sets) if s is not None)
    in_day = {s.id for s in sets}
    weak = {s.id for s in sets if any(state.tested.get(n) == "weak" for n in frame.members[s.id])} if spare_weak else set()
    dips = tuple(d for d in task.dips if d[1] > now_s)
    return replace(
        task,
        aircraft=tuple(_craft(frame, state, c, now_s) for c in task.aircraft),
        flights=_sparing(_flights(state, task, now_s), sets, weak),
        sets=sets,
        chargers=tuple(_charger(frame, state, c, now_s) for c in task.chargers),
        dips=(*dips, (now_s, math.inf, 0.0)) if out else dips,
        now_s=now_s,
        crews=tuple(_crew(frame, state, c, now_s) for c in task.crews),
        begun=tuple(c for c in begun if c.set in in_day),
    )


def expected_landing_s(frame: Frame, state: DayState, f: FlightNow, now_s: float) -> float:
    """Return when a sortie in the air lands: as planned from its launch or its turn home, or now if that has passed. [s]"""
    return max(now_s, planned_landing_s(frame, state, f))


def takes_frac(frame: Frame, state: DayState, f: FlightNow) -> float:
    """Return what a sortie takes of its packs: as planned, or less where it turned home early. [0 to 1]"""
    return state.sorties[f.id].energy_frac * flown_share(frame, state, f)


def frac_now(frame: Frame, state: DayState, p: PackNow, now_s: float) -> float:
    """Return the state of charge now; in the air it falls evenly to what its sortie is to leave."""
    f = next((x for x in state.flights.values() if x.word == "airborne" and x.set == p.set), None)
    if p.word != "air" or f is None:
        return charge_now(frame, p, now_s)
    lands = expected_landing_s(frame, state, f, now_s)
    share = min(1.0, max(0.0, (now_s - f.takeoff_s) / max(1.0, lands - f.takeoff_s)))
    return max(0.0, p.frac - takes_frac(frame, state, f) * share)


def _airborne(state: DayState, c: CraftNow) -> FlightNow | None:
    return state.flights[c.flight] if c.flight else None


def _craft(frame: Frame, state: DayState, c: Craft, now_s: float) -> Craft:
    mine = state.craft[c.id]
    flying = _airborne(state, mine)
    free = expected_landing_s(frame, state, flying, now_s) + frame.task.swap_of(c.id) if flying else mine.free_s
    return replace(c, from_s=max(free, now_s))


def _crew(frame: Frame, state: DayState, c: Crew, now_s: float) -> Crew:
    """Return a crew that is free once all that it has in the air is down."""
    flying = [f for f in state.flights.values() if f.word == "airborne" and f.aircraft in c.aircraft]
    return replace(c, from_s=max([c.from_s, now_s, *(expected_landing_s(frame, state, f, now_s) for f in flying)]))


def _begun(frame: Frame, state: DayState, now_s: float) -> tuple[PlannedCharge, ...]:
    """Return the charges under way, on their ports until they are full."""
    ports = frame.ports()
    found = []
    for p in state.packs.values():
        if p.word != "port" or not 1 <= p.port <= len(ports) or math.isinf(p.since_s):
            continue
        packs, mode = frame.set_of(p.name), frame.mode(p.port, p.mode)
        if mode is None:
            continue
        charger, k = ports[p.port - 1]
        end = max(now_s, p.since_s + duration_s(packs, p.frac, mode))
        found.append(PlannedCharge(p.set, p.index, charger, k, mode.name, p.since_s, end, p.frac))
    return tuple(found)


def _set(frame: Frame, state: DayState, packs: PackSet, now_s: float, begun: tuple[PlannedCharge, ...]) -> PackSet | None:
    """Return a set as it is now, or None if one of its packs is out of the day."""
    members = [state.packs[n] for n in frame.members[packs.id]]
    if any(p.word == "out" or p.why for p in members):
        return None
    flying = next((f for f in state.flights.values() if f.word == "airborne" and f.set == packs.id), None)
    if flying is not None:
        took = takes_frac(frame, state, flying)
        fracs = tuple(max(0.0, p.frac - took) for p in members)
        lands = expected_landing_s(frame, state, flying, now_s)
        return replace(packs, fracs=fracs, start_frac=min(fracs), from_s=lands + frame.task.rest_after_flight_s, first=False)
    under_way = {(c.set, c.pack) for c in begun}
    fracs = tuple(p.frac if (packs.id, p.index) in under_way else charge_now(frame, p, now_s) for p in members)
    return replace(
        packs, fracs=fracs, start_frac=min(fracs), from_s=max(now_s, packs.from_s, _rested_s(frame, members, fracs)), first=False
    )


def _rested_s(frame: Frame, members: list[PackNow], fracs: tuple[float, ...]) -> float:
    after_flight = max(p.landed_s for p in members) + frame.task.rest_after_flight_s
    if min(fracs) >= FULL:
        return max(p.charged_s for p in members) + frame.task.rest_after_charge_s
    return after_flight if any(p.charged_s < p.landed_s for p in members) else -math.inf


def _flights(state: DayState, task: RotationTask, now_s: float) -> tuple[Flight, ...]:
    """Return what is left to fly, in order; what was left of a sortie that came back early comes at once after it."""
    order = [f.id for f in task.flights]
    whole = {name: k for k, name in enumerate(order)}
    names = sorted(state.sorties, key=lambda n: (whole[n.rstrip("+")], n.count("+")))
    return tuple(_late(state.sorties[n], state, task, now_s) for n in names if state.flights[n].word == "planned")


def _sparing(flights: tuple[Flight, ...], sets: tuple[PackSet, ...], weak: set[str]) -> tuple[Flight, ...]:
    if not weak:
        return flights
    strong = tuple(s.id for s in sets if s.id not in weak)
    takes = sorted(f.energy_frac for f in flights)
    short = takes[(len(takes) - 1) // 2] if takes else 0.0
    found = []
    for f in flights:
        able = strong if f.only is None else tuple(s for s in f.only if s not in weak)
        found.append(f if f.energy_frac <= short else replace(f, only=able))
    return tuple(found)


def _late(f: Flight, state: DayState, task: RotationTask, now_s: float) -> Flight:
    """Return a flight that keeps out of a closed gate and a hold; while there is an emergency nothing is launched."""
    least = max(now_s, state.hold_until_s, state.gate_closed_until_s, now_s + NOT_NOW_S if state.emergencies() else now_s)
    if least <= now_s:
        return f
    spans = f.windows if f.windows is not None else task.windows or ((0.0, math.inf),)
    return replace(f, windows=tuple((max(a, least), b) for a, b in spans if b > max(a, least)))


def _charger(frame: Frame, state: DayState, c: Charger, now_s: float) -> Charger:
    numbers = {key: n for n, key in enumerate(frame.ports(), start=1)}
    dead = tuple((k, now_s, math.inf) for k in range(c.ports) if numbers[c.id, k] in state.dead_ports)
    return replace(c, closed=(*(x for x in c.closed if x[2] > now_s), *dead)) if dead else c
