"""The calls to a crew: what to do next, when, why, and what follows if it is missed."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from quarry.core.day.owners import Owner, owner_of
from quarry.core.day.resume import resume_at
from quarry.core.day.state import DayState, Frame, planned_landing_s, share_of_whole
from quarry.core.rotation.model import FULL, Rotation, RotationTask
from quarry.core.rotation.reschedule import reschedule_in_order

LATE_S = 600.0  # what "missed" is worked out for
_LOOKED_AT = 4
_WARM_BELOW_C = 15.0
_WARM_BEFORE_S = 900.0
_TEST_BEFORE_S = 900.0
_CHECK_BEFORE_S = 600.0
_ORDER = (
    "call_home",
    "land",
    "turn_back",
    "off_port",
    "on_port",
    "refuel",
    "test",
    "preflight",
    "warm",
    "fit",
    "gate",
    "launch",
    "close",
)
_RANK = {kind: k for k, kind in enumerate(_ORDER)}


@dataclass(frozen=True, slots=True)
class DayCall:
    """One call; ``id`` stays the same while the thing to do does, whatever its time; ``owner``: who answers it.

    ``to_frac``: what a pack that comes off its port is to hold.
    """

    id: str
    at_s: float
    kind: str
    flight: str = ""
    aircraft: str = ""
    set: str = ""
    pack: str = ""
    port: int = 0
    mode: str = ""
    why: str = ""
    missed: str = ""
    owner: Owner = "lead"
    to_frac: float = 1.0


def calls_from(
    frame: Frame,
    state: DayState,
    task: RotationTask,
    plan: Rotation | None,
    now_s: float,
    turn_backs_s: dict[str, float],
    air_c: float | None = None,
) -> tuple[DayCall, ...]:
    """Return the calls from now on in order of time; those that should have been done already come first.

    Parameters
    ----------
    task, plan : RotationTask, Rotation
        What is left, and its plan, of `replan`.
    turn_backs_s : dict
        For each sortie the latest time after take-off at which it turns home. [s]
    air_c : float, optional
        Air temperature: below 15 °C packs are called to be warmed. [°C]
    """
    found = [*_in_the_air(frame, state, turn_backs_s, now_s), *_ports(frame, state, task, plan)]
    if plan is not None:
        found += _ahead(frame, state, task, plan, turn_backs_s, air_c)
        found += _before_flights(frame, state, task, plan)
    found += _waits_for(state, now_s) if any(f.word == "planned" for f in state.flights.values()) else []
    if not found and plan is not None and not plan.flights:
        left = ", ".join(f.id for f in task.flights)
        why = f"what can be flown is flown; {left} stays undone" if left else "everything planned is flown and off its ports"
        found.append(DayCall("close", now_s, "close", why=why))
    if emergencies := _emergencies(state):
        found = [*emergencies, *(c for c in found if c.kind not in ("launch", "fit"))]
    found = [replace(c, owner=owner_of(c.kind)) for c in found]
    found.sort(key=lambda c: (c.kind != "emergency", c.kind != "call_home", c.at_s, _RANK.get(c.kind, 9), c.id))
    marked = [replace(c, missed=_missed(c, task, plan)) if k < _LOOKED_AT else c for k, c in enumerate(found)]
    return tuple(marked)


def _before_flights(frame: Frame, state: DayState, task: RotationTask, plan: Rotation) -> list[DayCall]:
    """Return what stands before flights: packs to be tried under load, aircraft to be checked, supplies to be refuelled."""
    found = []
    first = min((f.takeoff_s for f in plan.flights), default=task.now_s)
    for name in frame.to_test:
        p = state.packs.get(name)
        of_set = [f for f in plan.flights if p is not None and f.set == p.set]
        if p is None or name in state.tested or not of_set or p.word in ("air", "out"):
            continue
        at = max(task.now_s, of_set[0].takeoff_s - _TEST_BEFORE_S)
        why = f"the care list wants a load test before {of_set[0].flight}"
        found.append(DayCall(f"test:{name}", at, "test", of_set[0].flight, set=p.set, pack=name, why=why))
    flown = {f.aircraft for f in state.flights.values() if f.word in ("airborne", "landed")}
    for craft in {f.aircraft: f for f in reversed(plan.flights)}.values() if frame.preflight else ():
        if craft.aircraft not in state.checked | flown - state.to_check:
            at = max(task.now_s, craft.takeoff_s - _CHECK_BEFORE_S)
            key, why = f"check:{craft.aircraft}", "props, home, satellites, return height, limits"
            if craft.aircraft in state.to_check:
                key, why = (
                    f"check:{craft.aircraft}:again",
                    "its last landing was hard, damaged it or was an emergency: look it over",
                )
            found.append(DayCall(key, at, "preflight", craft.flight, craft.aircraft, craft.set, why=why))
    for name, times in frame.refuel_s.items():
        for at in times[state.refuelled.get(name, 0) :][:1]:
            if plan.charges and at >= first - 3600.0:
                why = f"{name}: the tank runs low; switch off, let it cool, then fill"
                found.append(
                    DayCall(f"refuel:{name}:{state.refuelled.get(name, 0)}", max(task.now_s, at), "refuel", set=name, why=why)
                )
    return found


def _waits_for(state: DayState, now_s: float) -> list[DayCall]:
    """Return the call to look at a gate that was closed by hand."""
    if state.gate_closed_until_s <= now_s:
        return []
    until = state.gate_closed_until_s if state.gate_closed_until_s < 1e7 else now_s + 1800.0
    return [DayCall("gate", until, "gate", why=state.gate_words or "closed by hand")]


def _emergencies(state: DayState) -> list[DayCall]:
    why = "people first; the pilot in command decides, by the maker's manual and local rules; nothing is launched meanwhile"
    return [
        DayCall(f"emergency:{f.id}", f.emergency_s, "emergency", f.id, f.aircraft, f.set, why=why) for f in state.emergencies()
    ]


def _in_the_air(frame: Frame, state: DayState, turn_backs_s: dict[str, float], now_s: float) -> list[DayCall]:
    found = []
    for f in state.flights.values():
        if f.word != "airborne":
            continue
        lands = planned_landing_s(frame, state, f)
        homing = math.isfinite(f.homing_s)
        if math.isfinite(state.found_s) and not homing and not math.isfinite(f.emergency_s):
            why = f"found{': ' + state.found_words if state.found_words else ''}; nobody searches on"
            found.append(DayCall(f"home:{f.id}", state.found_s, "call_home", f.id, f.aircraft, f.set, why=why))
        back = f.takeoff_s + turn_backs_s.get(f.id, float("inf"))
        if now_s <= back < lands and not homing:
            found.append(
                DayCall(
                    f"back:{f.id}",
                    back,
                    "turn_back",
                    f.id,
                    f.aircraft,
                    f.set,
                    why="from then on the reserve pays for the way home",
                )
            )
        why = "it has turned home: about so long from where it was" if homing else "its work is done by then"
        found.append(DayCall(f"land:{f.id}", lands, "land", f.id, f.aircraft, f.set, why=why))
    return found


def _ports(frame: Frame, state: DayState, task: RotationTask, plan: Rotation | None) -> list[DayCall]:
    """Return when packs that charge now come off, and for which sortie."""
    found = []
    numbers = {key: n for n, key in enumerate(frame.ports(), start=1)}
    under_way = {frame.members[c.set][c.pack] for c in task.begun}
    for p in state.packs.values():
        if p.word == "port" and p.name not in under_way and state.power_out_s is None:
            key, why = f"off:{p.name}:{p.flights}", p.why or "its set is out of the day"
            found.append(DayCall(key, task.now_s, "off_port", set=p.set, pack=p.name, port=p.port, why=why))
    for c in task.begun:
        name = frame.members[c.set][c.pack]
        then = next((f for f in plan.flights if f.set == c.set), None) if plan else None
        holds = "full" if c.to_frac >= FULL else f"at {c.to_frac:.0%}"
        why = f"{holds}; {then.flight} takes it" if then else f"{holds}; nothing more flies on it today: store it"
        found.append(
            DayCall(
                f"off:{name}:{state.packs[name].flights}",
                c.end_s,
                "off_port",
                set=c.set,
                pack=name,
                port=numbers[c.charger, c.port],
                why=why,
                to_frac=c.to_frac,
            )
        )
    return found


def _ahead(
    frame: Frame, state: DayState, task: RotationTask, plan: Rotation, turn_backs_s: dict[str, float], air_c: float | None
) -> list[DayCall]:
    numbers = {key: n for n, key in enumerate(frame.ports(), start=1)}
    found = []
    for c in plan.charges:
        if c in task.begun:
            continue
        name = frame.members[c.set][c.pack]
        then = next((f for f in plan.flights if f.set == c.set and f.takeoff_s >= c.end_s - 1), None)
        why = f"{then.flight} needs it" if then else "to be stored"
        flown = state.packs[name].flights + sum(f.set == c.set and f.landing_s <= c.start_s for f in plan.flights)
        key = f"{name}:{flown}"
        found.append(
            DayCall(
                f"on:{key}", c.start_s, "on_port", set=c.set, pack=name, port=numbers[c.charger, c.port], mode=c.mode, why=why
            )
        )
        off = then.flight if then else "nobody"
        found.append(
            DayCall(
                f"off:{key}",
                c.end_s,
                "off_port",
                set=c.set,
                pack=name,
                port=numbers[c.charger, c.port],
                why=f"{'full' if c.to_frac >= FULL else f'at {c.to_frac:.0%}'}; {off} takes it",
                to_frac=c.to_frac,
            )
        )
    before: dict[str, float] = {}
    for f in plan.flights:
        gate = task.next_window(before.get(f.aircraft, task.now_s), next(x for x in task.flights if x.id == f.flight))
        held = gate > before.get(f.aircraft, task.now_s) + 60 and abs(gate - f.takeoff_s) < 60
        why = "the weather window opens then" if held else "its packs are full and rested"
        why = _goes_on(frame, state, f.flight) or why
        if air_c is not None and air_c < _WARM_BELOW_C:
            # A pack on its port is warmed when it comes off.
            full = max((c.end_s for c in plan.charges if c.set == f.set and c.end_s <= f.takeoff_s), default=task.now_s)
            warm = max(task.now_s, full, f.takeoff_s - _WARM_BEFORE_S)
            found.append(
                DayCall(
                    f"warm:{f.flight}",
                    warm,
                    "warm",
                    f.flight,
                    f.aircraft,
                    f.set,
                    why=f"air of {air_c:.0f} °C: into the warm case or a pocket",
                )
            )
        fit = max(task.now_s, f.takeoff_s - min(120.0, task.swap_s))
        found.append(DayCall(f"fit:{f.flight}", fit, "fit", f.flight, f.aircraft, f.set, why=f"for {f.flight}"))
        found.append(DayCall(f"launch:{f.flight}", f.takeoff_s, "launch", f.flight, f.aircraft, f.set, why=why))
        back = turn_backs_s.get(f.flight, float("inf"))
        if f.takeoff_s + back < f.landing_s:
            found.append(
                DayCall(
                    f"back:{f.flight}",
                    f.takeoff_s + back,
                    "turn_back",
                    f.flight,
                    f.aircraft,
                    f.set,
                    why="from then on the reserve pays for the way home",
                )
            )
        found.append(
            DayCall(f"land:{f.flight}", f.landing_s, "land", f.flight, f.aircraft, f.set, why="its work is done by then")
        )
        before[f.aircraft] = f.landing_s + task.swap_of(f.aircraft)
    return found


def _goes_on(frame: Frame, state: DayState, flight: str) -> str:
    """Return where a sortie goes on that another came home from."""
    before = state.flights.get(flight.removesuffix("+")) if flight.endswith("+") else None
    if before is None:
        return ""
    noted = f"noted: {before.resume}; " if before.resume else ""
    route = frame.routes.get(flight.rstrip("+"))
    point = resume_at(route, 1.0 - share_of_whole(state, flight)) if route else None
    return f"{noted}{point.words()}" if point else noted.removesuffix("; ")


def _missed(c: DayCall, task: RotationTask, plan: Rotation | None) -> str:
    """Return in words what ten minutes late would do: the plan at its true times, that much later."""
    if c.kind == "turn_back":
        return "it lands below its reserve"
    if c.kind == "call_home":
        return "it flies over people at work on the ground"
    if c.kind == "land":
        return "its reserve is used up minute by minute"
    if plan is None or not plan.flights or c.kind not in ("launch", "on_port", "off_port", "fit"):
        return ""
    least = c.at_s + LATE_S
    if c.kind in ("launch", "fit"):
        craft = tuple(replace(x, from_s=max(x.from_s, least)) if x.id == c.aircraft else x for x in task.aircraft)
        later = replace(task, aircraft=craft)
    elif c.kind == "on_port":
        later = replace(task, sets=tuple(replace(s, from_s=max(s.from_s, least)) if s.id == c.set else s for s in task.sets))
    else:
        stay = tuple(
            replace(b, end_s=b.end_s + LATE_S) if b.set == c.set and abs(b.end_s - c.at_s) < 1 else b for b in task.begun
        )
        later = replace(task, begun=stay)
    end = reschedule_in_order(later, plan)
    if end is None:
        return "ten minutes late, this plan no longer holds"
    cost = end.makespan_s - plan.makespan_s
    return "ten minutes late cost nothing" if cost < 60 else f"ten minutes late, the day ends {cost / 60:.0f} min later"
