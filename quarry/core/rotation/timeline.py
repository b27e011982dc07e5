"""A rotation told as beds of packs, load on the supply, and calls to the crew."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from quarry.core.base.sources import ENTERED
from quarry.core.base.working import Quantity, Step, Working
from quarry.core.power.charging import charge_state
from quarry.core.rotation.model import FULL, PackSet, PlannedCharge, PlannedFlight, Rotation, RotationTask

State = Literal["flying", "cooling", "waiting", "charging", "resting", "ready", "grounded"]
CallKind = Literal["on_port", "off_port", "fit", "launch", "turn_back", "land"]
_CURVE_POINTS = 12


@dataclass(frozen=True, slots=True)
class Bed:
    """One state of one pack for a while; ``curve`` holds (time, state of charge) from start to end."""

    state: State
    start_s: float
    end_s: float
    curve: tuple[tuple[float, float], ...]
    label: str = ""


@dataclass(frozen=True, slots=True)
class PackTimeline:
    """All beds of one pack of a set through the day, without gaps."""

    set: str
    pack: int
    beds: tuple[Bed, ...]


@dataclass(frozen=True, slots=True)
class Call:
    """One instruction to the crew."""

    at_s: float
    kind: CallKind
    set: str
    flight: str = ""
    aircraft: str = ""
    charger: str = ""
    port: int = -1
    pack: int = 0


def pack_timelines(task: RotationTask, plan: Rotation, day_end_s: float) -> tuple[PackTimeline, ...]:
    """Return what every pack does from the start of the day to its end."""
    found = []
    for packs in task.sets:
        for m in range(packs.packs):
            flights = [f for f in plan.flights if f.set == packs.id]
            charges = [c for c in plan.charges if c.set == packs.id and c.pack == m]
            found.append(PackTimeline(packs.id, m, tuple(_beds(task, packs, flights, charges, day_end_s))))
    return tuple(found)


def _beds(
    task: RotationTask, packs: PackSet, flights: list[PlannedFlight], charges: list[PlannedCharge], day_end_s: float
) -> list[Bed]:
    energy = {f.id: f.energy_frac for f in task.flights}
    events: list[PlannedFlight | PlannedCharge] = [*flights, *charges]
    events.sort(key=lambda e: e.takeoff_s if isinstance(e, PlannedFlight) else e.start_s)
    beds: list[Bed] = []
    t, frac = 0.0, packs.start_frac
    after: Literal["none", "flight", "charge"] = "none"
    for e in events:
        start = e.takeoff_s if isinstance(e, PlannedFlight) else e.start_s
        _fill(beds, t, start, frac, after, task, ahead=True)
        if isinstance(e, PlannedFlight):
            left = max(0.0, frac - energy[e.flight])
            beds.append(Bed("flying", start, e.landing_s, ((start, frac), (e.landing_s, left)), e.flight))
            t, frac, after = e.landing_s, left, "flight"
        else:
            beds.append(Bed("charging", start, e.end_s, charge_curve(task, packs, e), f"{e.charger}/{e.port}"))
            t, frac, after = e.end_s, e.to_frac, "charge"
    _fill(beds, t, max(day_end_s, t), frac, after, task, ahead=False)
    return beds


def _fill(beds: list[Bed], t: float, until: float, frac: float, after: str, task: RotationTask, *, ahead: bool) -> None:
    """Fill the time between two events with cooling, waiting, resting or ready."""

    def add(state: State, a: float, b: float) -> None:
        if b - a > 1e-6:
            beds.append(Bed(state, a, b, ((a, frac), (b, frac))))

    if after == "flight":
        cool = min(until, t + task.rest_after_flight_s)
        add("cooling", t, cool)
        add("waiting" if ahead else "resting", cool, until)
    elif after == "charge":
        rest = min(until, t + task.rest_after_charge_s)
        add("resting", t, rest)
        add("ready", rest, until)
    elif frac >= FULL:
        add("ready", t, until)
    else:
        add("waiting" if ahead else "resting", t, until)


def charge_curve(task: RotationTask, packs: PackSet, c: PlannedCharge) -> tuple[tuple[float, float], ...]:
    """Return (time, state of charge) through a planned charge."""
    mode = next(m for ch in task.chargers if ch.id == c.charger for m in ch.modes if m.name == c.mode)
    points = []
    for k in range(_CURVE_POINTS + 1):
        at = (c.end_s - c.start_s) * k / _CURVE_POINTS
        frac, _ = charge_state(packs.capacity_wh, c.from_frac, mode.pack_w, packs.law, at / packs.slowness)
        points.append((c.start_s + at, min(c.to_frac, frac)))
    points[-1] = (c.end_s, c.to_frac)
    return tuple(points)


def load_series(task: RotationTask, plan: Rotation, step_s: float = 60.0) -> tuple[tuple[float, float], ...]:
    """Return (time, power drawn from the supply) through the day, taper included. [s, W]"""
    if not plan.charges:
        return ()
    sets = {s.id: s for s in task.sets}
    modes = {(c.id, m.name): m for c in task.chargers for m in c.modes}
    end = max(c.end_s for c in plan.charges)
    edges = sorted({0.0, *(c.start_s for c in plan.charges), *(c.end_s for c in plan.charges)})
    times = sorted({*edges, *(e + 1 for e in edges), *(k * step_s for k in range(int(end / step_s) + 2))})
    series = []
    for t in times:
        total = 0.0
        for c in plan.charges:
            if c.start_s < t <= c.end_s:
                s, mode = sets[c.set], modes[c.charger, c.mode]
                _, into = charge_state(s.capacity_wh, c.from_frac, mode.pack_w, s.law, (t - c.start_s) / s.slowness)
                total += into / mode.pack_w * mode.wall_w
        series.append((t, total))
    return tuple(series)


def calls_of(task: RotationTask, plan: Rotation, turn_backs_s: dict[str, float]) -> tuple[Call, ...]:
    """Return the calls of the day in order.

    Parameters
    ----------
    turn_backs_s : dict
        For each flight the latest time after take-off at which it must turn home; flights that
        are not in it, or have landed by then, get no such call. [s]
    """
    calls: list[Call] = []
    for c in plan.charges:
        calls.append(Call(c.start_s, "on_port", c.set, charger=c.charger, port=c.port, pack=c.pack))
        calls.append(Call(c.end_s, "off_port", c.set, charger=c.charger, port=c.port, pack=c.pack))
    for f in plan.flights:
        calls.append(Call(max(0.0, f.takeoff_s - min(120.0, task.swap_s)), "fit", f.set, f.flight, f.aircraft))
        calls.append(Call(f.takeoff_s, "launch", f.set, f.flight, f.aircraft))
        # A sortie that lands with much to spare is down before the latest moment comes: nobody is to be called then.
        if f.takeoff_s + turn_backs_s.get(f.flight, math.inf) < f.landing_s:
            calls.append(Call(f.takeoff_s + turn_backs_s[f.flight], "turn_back", f.set, f.flight, f.aircraft))
        calls.append(Call(f.landing_s, "land", f.set, f.flight, f.aircraft))
    rank = {"land": 0, "off_port": 1, "on_port": 2, "fit": 3, "turn_back": 4, "launch": 5}
    return tuple(sorted(calls, key=lambda c: (c.at_s, rank[c.kind], c.set, c.pack)))


def finish_working(task: RotationTask, plan: Rotation) -> Working:
    """Return why the last landing is when it is: the chain of flights, rests and charges that leads to it."""
    last = max(plan.flights, key=lambda f: f.landing_s)
    chain: list[Step] = []
    flight: PlannedFlight | None = last
    swap_note = "least time from landing to take-off of one aircraft"
    while flight is not None and len(chain) < 40:
        chain.append(
            Step(
                flight.flight,
                flight.landing_s,
                "clock",
                f"sum: {flight.flight} takes off, flies with {flight.set} and lands",
                (
                    Quantity("takeoff_s", flight.takeoff_s, "clock"),
                    Quantity("flight_s", flight.landing_s - flight.takeoff_s, "s"),
                ),
            )
        )
        flight, step = _before(task, plan, flight, swap_note)
        if step is not None:
            chain.append(step)
    chain.append(
        Step(
            "bound",
            plan.lower_bound_s,
            "clock",
            f"no schedule can end before this: {plan.bound_reason}",
            kind="limit",
            note=f"best of {plan.tried} plays by rule: {plan.rule}",
        )
    )
    chain.reverse()
    return Working("Last landing", plan.makespan_s, "clock", tuple(chain))


def _before(
    task: RotationTask, plan: Rotation, flight: PlannedFlight, swap_note: str
) -> tuple[PlannedFlight | None, Step | None]:
    """Return the earlier flight that this one had to wait for, and the step between the two."""
    earlier = [f for f in plan.flights if f.aircraft == flight.aircraft and f.landing_s <= flight.takeoff_s]
    before = max(earlier, key=lambda f: f.landing_s) if earlier else None
    swap_s = task.swap_of(flight.aircraft)
    if before is not None and flight.takeoff_s - before.landing_s <= swap_s + 1:
        words = "swap of packs" if swap_s <= task.swap_s else "filling the tank, which takes longer than the swap of packs"
        return before, Step("swap", swap_s / 60, "min", words, source=ENTERED, kind="input", note=swap_note)
    if (crew := task.crew_of(flight.aircraft)) is not None:
        theirs = [f for f in plan.flights if f.aircraft in crew.aircraft and abs(f.landing_s - flight.takeoff_s) < 1.5]
        if theirs:
            words = f"its crew flies {theirs[0].flight} until then, and one aircraft at a time"
            return theirs[0], Step("crew", flight.takeoff_s, "clock", words, source=ENTERED, kind="input")
    charges = [c for c in plan.charges if c.set == flight.set and c.end_s <= flight.takeoff_s]
    if charges:
        c = max(charges, key=lambda c: c.end_s)
        if abs(c.end_s + task.rest_after_charge_s - flight.takeoff_s) < 1.5:
            same = [f for f in plan.flights if f.set == flight.set and f.landing_s <= c.start_s]
            was = max(same, key=lambda f: f.landing_s) if same else None
            on = c.start_s if was is None else c.start_s - was.landing_s - task.rest_after_flight_s
            waited = f", waited {on / 60:.0f} min for a port" if was is not None and on > 60 else ""
            return was, Step(
                "charge",
                (c.end_s - c.start_s) / 60,
                "min",
                f"{c.set}: on charge from {c.from_frac:.0%} at the {c.mode} rate{waited}, then rest of {task.rest_after_charge_s / 60:.0f} min",
                kind="choice",
            )
    opens = Step(
        "opens", flight.takeoff_s, "clock", "the hours of the day open, or the aircraft is there", source=ENTERED, kind="input"
    )
    return None, opens
