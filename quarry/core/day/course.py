"""The course of a day as beds of packs: what happened up to now, and what is planned from now on."""

from __future__ import annotations

from collections.abc import Iterable
from copy import copy
from dataclasses import dataclass, field

from quarry.core.day.events import Event
from quarry.core.day.remainder import expected_landing_s, frac_now, takes_frac
from quarry.core.day.replan import Replanned
from quarry.core.day.state import DayState, Frame, PackNow, begin, charge_now, fold
from quarry.core.rotation.model import FULL, PlannedCharge, PlannedFlight, Rotation, RotationTask
from quarry.core.rotation.timeline import Bed, State, charge_curve, load_series

_POINTS = 8
_LEAST_S = 1.0


@dataclass(slots=True)
class PackCourse:
    """What one pack did, and what it is to do; the beds follow one another without gaps. ``why``: it is out of the day."""

    set: str
    index: int
    name: str
    why: str = ""
    past: list[Bed] = field(default_factory=list)
    ahead: list[Bed] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Course:
    """The course of a day: its packs by name, and what was drawn and is to be drawn from the supply. [s, W]"""

    packs: tuple[PackCourse, ...]
    load: tuple[tuple[float, float], ...]


def course(frame: Frame, events: Iterable[Event], replanned: Replanned, now_s: float, until_s: float) -> Course:
    """Return the course of a day: its past from what happened, its future from the plan from now on.

    Parameters
    ----------
    had : Replanned
        What is left of the day, and its plan if there is one.
    until_s : float
        How far the beds go. [s from opening]
    """
    start = begin(frame)
    found = {p.name: PackCourse(p.set, p.index, p.name) for p in start.packs.values()}
    open_beds = {p.name: (0.0, copy(p), "") for p in start.packs.values()}
    charged: list[PlannedCharge] = []
    ports = frame.ports()

    def close(name: str, end_s: float, frac: float) -> None:
        from_s, was, flight = open_beds[name]
        found[name].past += _past(frame, was, from_s, end_s, frac, flight)
        if was.word == "port" and end_s < now_s:
            charger, port = ports[was.port - 1]
            charged.append(PlannedCharge(was.set, was.index, charger, port, was.mode, from_s, end_s, was.frac, frac))

    def seen(e: Event, state: DayState) -> None:
        for p in state.packs.values():
            _, was, _ = open_beds[p.name]
            if (p.word, p.port, p.mode, p.landed_s, p.charged_s) != (was.word, was.port, was.mode, was.landed_s, was.charged_s):
                close(p.name, e.at_s, charge_now(frame, p, e.at_s))
                open_beds[p.name] = (e.at_s, copy(p), _flight_of(state, p))

    state = fold(frame, events, seen)
    for name, p in state.packs.items():
        close(name, max(now_s, open_beds[name][0]), frac_now(frame, state, p, now_s))
        found[name].why = p.why if p.word == "out" else ""
        found[name].ahead = _ahead(frame, state, replanned, p, now_s, until_s)
    plan = replanned.plan
    ahead = [*plan.charges, *(c for c in replanned.task.begun if c not in plan.charges)] if plan else [*replanned.task.begun]
    drawn = Rotation((), tuple(charged + ahead), (), until_s, until_s, "", "", 0)
    return Course(tuple(found[n] for n in sorted(found)), load_series(frame.task, drawn))


def _flight_of(state: DayState, p: PackNow) -> str:
    return next((f.id for f in state.flights.values() if f.word == "airborne" and f.set == p.set), "")


def _past(frame: Frame, was: PackNow, from_s: float, end_s: float, frac: float, flight: str) -> list[Bed]:
    """Return the beds of one spell: one, or cooling and what came after it."""
    if end_s - from_s < _LEAST_S:
        return []
    if was.word == "air":
        return [Bed("flying", from_s, end_s, ((from_s, was.frac), (end_s, frac)), flight)]
    if was.word == "port":
        times = [from_s + (end_s - from_s) * k / _POINTS for k in range(_POINTS)]
        curve = (*((t, charge_now(frame, was, t)) for t in times), (end_s, frac))
        return [Bed("charging", from_s, end_s, curve, str(was.port))]
    if was.word == "out":
        return [_flat("grounded", from_s, end_s, was.frac)]
    return _rest(frame.task, was, from_s, end_s, was.frac)


def _flat(state: State, from_s: float, end_s: float, frac: float) -> Bed:
    return Bed(state, from_s, end_s, ((from_s, frac), (end_s, frac)))


def _rest(task: RotationTask, p: PackNow, from_s: float, end_s: float, frac: float) -> list[Bed]:
    """Return how a pack lies: cooling after a flight, resting after a charge, then ready if it is full."""
    flown = p.landed_s > p.charged_s
    cool = (p.landed_s + task.rest_after_flight_s) if flown else (p.charged_s + task.rest_after_charge_s)
    middle = min(max(cool, from_s), end_s)
    first: State = "cooling" if flown else "resting"
    then: State = "ready" if frac >= FULL else "resting"
    beds = [_flat(first, from_s, middle, frac), _flat(then, middle, end_s, frac)]
    return [b for b in beds if b.end_s - b.start_s >= _LEAST_S]


def _ahead(frame: Frame, state: DayState, replanned: Replanned, p: PackNow, now_s: float, until_s: float) -> list[Bed]:
    plan: Rotation | None = replanned.plan
    beds: list[Bed] = []
    pack, t, frac = copy(p), now_s, frac_now(frame, state, p, now_s)
    if p.word == "out":
        return []
    if p.word == "air":
        f = state.flights[_flight_of(state, p)]
        lands = expected_landing_s(frame, state, f, now_s)
        left = max(0.0, p.frac - takes_frac(frame, state, f))
        if lands - now_s >= _LEAST_S:
            beds.append(Bed("flying", now_s, lands, ((now_s, frac), (lands, left)), f.id))
        pack.landed_s, t, frac = lands, lands, left
    todo: list[PlannedFlight | PlannedCharge] = []
    if plan is not None:
        todo += [f for f in plan.flights if f.set == p.set]
        todo += [c for c in plan.charges if c.set == p.set and c.pack == p.index and c not in replanned.task.begun]
    todo += [c for c in replanned.task.begun if c.set == p.set and c.pack == p.index]
    numbers = {key: n for n, key in enumerate(frame.ports(), start=1)}
    for e in sorted(todo, key=lambda e: e.takeoff_s if isinstance(e, PlannedFlight) else e.start_s):
        start = max(now_s, e.takeoff_s if isinstance(e, PlannedFlight) else e.start_s)
        beds += _rest(replanned.task, pack, t, start, frac)
        if isinstance(e, PlannedFlight):
            left = max(0.0, frac - state.sorties[e.flight].energy_frac)
            beds.append(Bed("flying", start, e.landing_s, ((start, frac), (e.landing_s, left)), e.flight))
            pack.landed_s, t, frac = e.landing_s, e.landing_s, left
        else:
            curve = [(at, f) for at, f in charge_curve(replanned.task, frame.set_of(p.name), e) if at >= now_s]
            if e.end_s - start >= _LEAST_S:
                beds.append(Bed("charging", start, e.end_s, ((start, frac), *curve), str(numbers[e.charger, e.port])))
            pack.charged_s, t, frac = e.end_s, e.end_s, e.to_frac
    return beds + _rest(replanned.task, pack, t, max(until_s, t), frac)
