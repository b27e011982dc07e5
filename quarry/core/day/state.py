"""The state of a day: a pure fold of what happened over what was planned."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

from quarry.core.day.events import Event, set_aside, standing
from quarry.core.day.landing_place import Spot
from quarry.core.dayplan.inputs import Route
from quarry.core.flight.reach import Ring
from quarry.core.packs.alarms import FlightLevels
from quarry.core.power.charging import charge_state
from quarry.core.rotation.model import FULL, Flight, Mode, PackSet, RotationTask

FlightWord = Literal["planned", "airborne", "landed", "lost", "dropped"]
PackWord = Literal["rest", "port", "air", "out"]
_SAME_S = 120.0  # two people who write down one take-off or landing differ by less
_SAME_FRAC = 0.02
_LEFT_OVER_FRAC = 0.02  # less of a sortie than this is not flown again
_UNKNOWN_FIXED_FRAC = 0.25  # of a sortie, where the way out and home is not known
_MOST_FIXED_FRAC = 0.9
_CHECKED_AFTER = ("hard landing", "damage")  # what was seen at a landing after which an aircraft is checked anew


@dataclass(slots=True)
class FlightNow:
    """A sortie as it stands.

    ``done_frac``: the share of its work that was done; ``resume``: what the crew noted to go on from; ``work``: images or
    litres counted at the landing. ``homing_s``: when it turned home before its work was done; ``emergency_s``: since when it
    is in an emergency, with ``why``.
    """

    id: str
    aircraft: str
    word: FlightWord = "planned"
    set: str = ""
    takeoff_s: float = math.nan
    landing_s: float = math.nan
    left_frac: float = math.nan
    lowest_v: float | None = None
    pack_c: float | None = None
    done_frac: float = 1.0
    resume: str = ""
    marks: tuple[str, ...] = ()
    work: float | None = None
    homing_s: float = math.nan
    emergency_s: float = math.nan
    why: str = ""
    key: str = ""


@dataclass(slots=True)
class PackNow:
    """One pack as it stands: ``frac`` at ``since_s``; on a port it has grown since."""

    set: str
    index: int
    name: str
    frac: float
    word: PackWord = "rest"
    since_s: float = 0.0
    port: int = 0
    mode: str = ""
    landed_s: float = -math.inf
    charged_s: float = -math.inf
    pack_c: float | None = None
    flights: int = 0
    why: str = ""


@dataclass(slots=True)
class CraftNow:
    """An aircraft: what it flies now, and from when it is free."""

    id: str
    flight: str = ""
    free_s: float = 0.0


@dataclass(frozen=True, slots=True)
class Question:
    """Two accounts of one thing, by two people: which stands? ``keys`` are the events, the one that counts meanwhile first."""

    about: str
    keys: tuple[str, ...]
    words: str


@dataclass(slots=True)
class DayState:
    """Everything that is known of a running day."""

    flights: dict[str, FlightNow]
    packs: dict[str, PackNow]
    craft: dict[str, CraftNow]
    sorties: dict[str, Flight]
    dead_ports: set[int] = field(default_factory=set)
    power_out_s: float | None = None
    hold_until_s: float = 0.0
    gate_closed_until_s: float = 0.0
    gate_words: str = ""
    found_s: float = math.nan
    found_words: str = ""
    found_place: tuple[float, float] | None = None
    tested: dict[str, str] = field(default_factory=dict)
    checked: set[str] = field(default_factory=set)
    to_check: set[str] = field(default_factory=set)
    refuelled: dict[str, int] = field(default_factory=dict)
    started_s: float | None = None
    closed_s: float | None = None
    last_s: float = 0.0
    questions: list[Question] = field(default_factory=list)
    oddities: list[str] = field(default_factory=list)

    def on_port(self, port: int) -> PackNow | None:
        """Return the pack on a port."""
        return next((p for p in self.packs.values() if p.word == "port" and p.port == port), None)

    def emergencies(self) -> list[FlightNow]:
        """Return the sorties that are in an emergency now."""
        return [f for f in self.flights.values() if f.word == "airborne" and math.isfinite(f.emergency_s)]


@dataclass(frozen=True, slots=True)
class Frame:
    """What a day was planned to be.

    ``members``: the names of the packs of each set; ``planned_set``: the set of each sortie; ``fixed_s``: what a sortie
    takes however little it works (out, home, landing), where it is known [s]; ``routes``: where it works; ``to_test``: packs
    that are load-tested before they fly; ``refuel_s``: when each supply is refuelled [s]; ``preflight``: every aircraft is
    checked before its first launch; ``levels``: of each set the strictest levels of its packs in the air. Of each sortie:
    ``spots``, where it may land; ``rings``, how far out home is reached at falling charges; ``settles_c`` of its packs.
    """

    task: RotationTask
    members: dict[str, tuple[str, ...]]
    planned_set: dict[str, str]
    fixed_s: dict[str, float] = field(default_factory=dict)
    routes: dict[str, Route] = field(default_factory=dict)
    to_test: tuple[str, ...] = ()
    refuel_s: dict[str, tuple[float, ...]] = field(default_factory=dict)
    preflight: bool = False
    levels: dict[str, FlightLevels] = field(default_factory=dict)
    spots: dict[str, tuple[Spot, ...]] = field(default_factory=dict)
    rings: dict[str, tuple[Ring, ...]] = field(default_factory=dict)
    settles_c: dict[str, float] = field(default_factory=dict)

    def ports(self) -> list[tuple[str, int]]:
        """Return (charger, port of it) by number, from one."""
        return [(c.id, k) for c in self.task.chargers for k in range(c.ports)]

    def mode(self, port: int, name: str) -> Mode | None:
        """Return a rate of the charger that a port belongs to; its gentlest where none is named."""
        ports = self.ports()
        if not 1 <= port <= len(ports):
            return None
        charger = next(c for c in self.task.chargers if c.id == ports[port - 1][0])
        return next((m for m in charger.modes if m.name == name), min(charger.modes, key=lambda m: m.pack_w, default=None))

    def fixed_part_s(self, flight: str, whole_s: float) -> float:
        """Return what a sortie takes however little it works: out, home and landing. [s]"""
        return min(self.fixed_s.get(flight.rstrip("+"), _UNKNOWN_FIXED_FRAC * whole_s), _MOST_FIXED_FRAC * whole_s)

    def done_by_clock(self, flight: str, whole_s: float, flown_s: float) -> float:
        """Return the share of its lines that a sortie has done after so long in the air. [0 to 1]"""
        fixed_s = self.fixed_part_s(flight, whole_s)
        return min(1.0, max(0.0, (flown_s - fixed_s / 2) / (whole_s - fixed_s)))

    def set_of(self, name: str) -> PackSet:
        """Return the set that a pack belongs to."""
        return next(s for s in self.task.sets if name in self.members[s.id])


def share_of_whole(state: DayState, flight: str) -> float:
    """Return what part of the whole sortie this one is to do: all of it, or what those that it continues left undone."""
    left, name = 1.0, flight
    while name.endswith("+"):
        name = name.removesuffix("+")
        left *= 1.0 - state.flights[name].done_frac
    return left


def flown_share(frame: Frame, state: DayState, f: FlightNow) -> float:
    """Return what part of its time a sortie takes: less than all of it where it turned home early. [0 to 1]"""
    if not math.isfinite(f.homing_s):
        return 1.0
    whole_s = state.sorties[f.id].flight_s
    return min(1.0, (f.homing_s - f.takeoff_s + frame.fixed_part_s(f.id, whole_s) / 2) / whole_s)


def planned_landing_s(frame: Frame, state: DayState, f: FlightNow) -> float:
    """Return when a sortie in the air is to land: as planned from its launch, or from when it turned home. [s]"""
    return f.takeoff_s + state.sorties[f.id].flight_s * flown_share(frame, state, f)


def begin(frame: Frame) -> DayState:
    """Return the state of a day before anything has happened."""
    packs = {}
    for s in frame.task.sets:
        for k, (name, frac) in enumerate(zip(frame.members[s.id], s.starts(), strict=True)):
            packs[name] = PackNow(s.id, k, name, frac)
    flights = {f.id: FlightNow(f.id, f.aircraft, set=frame.planned_set.get(f.id, "")) for f in frame.task.flights}
    craft = {c.id: CraftNow(c.id, free_s=c.from_s) for c in frame.task.aircraft}
    return DayState(flights, packs, craft, {f.id: f for f in frame.task.flights})


def charge_now(frame: Frame, pack: PackNow, at_s: float) -> float:
    """Return the state of charge of a pack at a moment; on a port it grows by its law."""
    if pack.word != "port":
        return pack.frac
    s, mode = frame.set_of(pack.name), frame.mode(pack.port, pack.mode)
    if mode is None or pack.frac >= FULL:
        return pack.frac
    frac, _ = charge_state(s.capacity_wh, pack.frac, mode.pack_w, s.law, max(0.0, at_s - pack.since_s) / s.slowness)
    return min(1.0, frac)


def ready_s(frame: Frame, members: Sequence[PackNow]) -> float:
    """Return since when a set may fly: rested after its charge, or down where it flies again without one. [s]"""
    charged, landed = max(p.charged_s for p in members), max(p.landed_s for p in members)
    if charged > landed:
        return charged + frame.task.rest_after_charge_s
    return landed if math.isfinite(landed) else frame.set_of(members[0].name).from_s


def fold(frame: Frame, events: Iterable[Event], seen: Callable[[Event, DayState], None] | None = None) -> DayState:
    """Return the state of a day after what has happened.

    Pure: neither the order in which events came in, nor how often, changes the answer. ``seen`` is called after each event
    that stands, with the state as it is then.
    """
    state = begin(frame)
    events = list(events)
    for e, why in set_aside(events):
        state.oddities.append(f"An entry of kind {e.kind[:40]} by {e.who or 'nobody named'} is set aside and not counted: {why}")
    events_standing = standing(events)
    stands = {str(e.get("of")): str(e.get("stands")) for e in events_standing if e.kind == "answer"}
    for e in events_standing:
        state.last_s = max(state.last_s, e.at_s)
        _APPLY.get(e.kind, _nothing)(frame, state, e, stands)
        if seen is not None:
            seen(e, state)
    return state


def _nothing(_frame: Frame, _state: DayState, _e: Event, _stands: dict[str, str]) -> None:
    """Keep what has no effect on what comes next."""


def _question(state: DayState, about: str, kept: str, e: Event, words: str, stands: dict[str, str]) -> bool:
    """Return whether the later account counts instead; without an answer the first does, and the question stays open."""
    answer = stands.get(about)
    if answer is None:
        state.questions.append(Question(about, (kept, e.key), words))
        return False
    return answer == e.key


def _launched(frame: Frame, state: DayState, e: Event, stands: dict[str, str]) -> None:
    f = state.flights.get(str(e.get("flight")))
    if f is None:
        state.oddities.append(f"{e.get('flight')} is no sortie of this day: its launch is kept and not counted.")
        return
    set_id = str(e.get("set"))
    if set_id not in frame.members:
        state.oddities.append(f"{set_id} is no set of this day: the launch of {f.id} counts on {f.set or 'no set'}.")
        set_id = f.set
    if f.word in ("airborne", "landed", "lost"):
        if f.set == set_id and abs(f.takeoff_s - e.at_s) <= _SAME_S:
            return
        words = f"{f.id} was launched twice: on {f.set} and on {set_id}. Which is right?"
        if f.word != "airborne" or not _question(state, f"launch {f.id}", f.key, e, words, stands):
            return
        _back_from(state, frame, f)
    craft = state.craft[f.aircraft]
    if craft.flight and craft.flight != f.id:
        state.oddities.append(f"{craft.flight} was still in the air when {f.id} was launched: its landing was not written down.")
        _down(frame, state, state.flights[craft.flight], e.at_s, e)
    f.word, f.set, f.takeoff_s, f.key = "airborne", set_id, e.at_s, e.key
    f.homing_s = f.emergency_s = math.nan
    craft.flight = f.id
    for name in frame.members.get(set_id, ()):
        p = state.packs[name]
        p.frac, p.word, p.since_s, p.port, p.mode = charge_now(frame, p, e.at_s), "air", e.at_s, 0, ""


def _back_from(state: DayState, frame: Frame, f: FlightNow) -> None:
    for name in frame.members.get(f.set, ()):
        if state.packs[name].word == "air":
            state.packs[name].word = "rest"


def _landed(frame: Frame, state: DayState, e: Event, stands: dict[str, str]) -> None:
    f = state.flights.get(str(e.get("flight")))
    if f is None:
        state.oddities.append(f"{e.get('flight')} is no sortie of this day: its landing is kept and not counted.")
        return
    if f.word == "landed":
        left = e.get("left_frac")
        same = abs(f.landing_s - e.at_s) <= _SAME_S and (left is None or abs(float(left) - f.left_frac) <= _SAME_FRAC)
        words = f"{f.id} was landed twice, with {f.left_frac:.0%} and with " + (
            "nothing noted" if left is None else f"{left:.0%}"
        )
        if same or not _question(state, f"landing {f.id}", f.key, e, f"{words}. Which is right?", stands):
            return
    elif f.word == "lost":
        state.oddities.append(f"{f.id} was recorded lost: its landing is kept and not counted. Take back the loss first.")
        return
    elif f.word != "airborne":
        state.oddities.append(f"{f.id} landed and its launch was not written down: it counts as flown on {f.set or 'no set'}.")
        f.takeoff_s = e.at_s - state.sorties[f.id].flight_s
    _down(frame, state, f, e.at_s, e)


def _down(frame: Frame, state: DayState, f: FlightNow, at_s: float, e: Event) -> None:
    """Land a flight: its packs come down with what was read, or with what the sortie was to take."""
    landing = e if e.kind == "landed" else None
    first = f.word != "landed"
    f.word, f.landing_s = "landed", at_s
    done = landing.get("done_frac") if landing else None
    if done is None and math.isfinite(f.homing_s):
        done = frame.done_by_clock(f.id, state.sorties[f.id].flight_s, f.homing_s - f.takeoff_s)
    f.done_frac = 1.0 if done is None else float(done)
    f.key = landing.key if landing else f.key
    took = state.sorties[f.id].energy_frac * flown_share(frame, state, f)
    read = landing.get("left_frac") if landing else None
    for name in frame.members.get(f.set, ()):
        p = state.packs[name]
        if not first and p.landed_s > at_s + _SAME_S:
            continue
        if p.word in ("air", "rest"):
            p.frac = float(read) if read is not None else max(0.0, p.frac - took if first else p.frac)
            p.word, p.since_s = "out" if p.why else "rest", at_s
        p.landed_s = at_s
        p.flights += int(first)
        p.pack_c = landing.get("pack_c") if landing else None
        f.left_frac = p.frac if read is None else float(read)
    if landing:
        cells = landing.get("cells_v")
        f.lowest_v = min(float(v) for v in cells) if cells else landing.get("lowest_v")
        f.pack_c, f.resume = landing.get("pack_c"), str(landing.get("resume") or "")
        f.marks = tuple(str(m) for m in landing.get("marks") or ())
        f.work = landing.get("work")
    if math.isfinite(f.emergency_s) or any(m in _CHECKED_AFTER for m in f.marks):
        state.checked.discard(f.aircraft)
        state.to_check.add(f.aircraft)
    _left_over(frame, state, f)
    craft = state.craft[f.aircraft]
    if craft.flight in ("", f.id):
        craft.flight = ""
        free_s = at_s + frame.task.swap_of(f.aircraft)
        craft.free_s = max(craft.free_s, free_s) if first else free_s


def _left_over(frame: Frame, state: DayState, f: FlightNow) -> None:
    """Make a sortie of what one came back from early: out and home again, and what was not worked."""
    name = f"{f.id}+"
    there = state.flights.get(name)
    if 1.0 - f.done_frac <= _LEFT_OVER_FRAC or math.isfinite(state.found_s):
        if there is not None and there.word == "planned":
            del state.flights[name], state.sorties[name]
        return
    if there is not None and there.word != "planned":
        return
    whole = state.sorties[f.id]
    fixed = frame.fixed_part_s(f.id, whole.flight_s)
    length = float(math.ceil(fixed + (1.0 - f.done_frac) * (whole.flight_s - fixed)))
    state.sorties[name] = replace(whole, id=name, flight_s=length, energy_frac=length / whole.flight_s * whole.energy_frac)
    state.flights[name] = FlightNow(name, f.aircraft)


def _in_air(state: DayState, e: Event, what: str) -> FlightNow | None:
    f = state.flights.get(str(e.get("flight")))
    if f is None or f.word != "airborne":
        state.oddities.append(f"{e.get('flight')} was not in the air: {what} is kept and not counted.")
        return None
    return f


def _homing(_frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    f = _in_air(state, e, "its turn home")
    if f is not None and not math.isfinite(f.homing_s):
        f.homing_s = e.at_s


def _emergency(_frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    f = _in_air(state, e, "its emergency")
    if f is not None:
        f.emergency_s, f.why = e.at_s, str(e.get("why") or "")


def _emergency_over(_frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    f = _in_air(state, e, "the end of its emergency")
    if f is not None:
        f.emergency_s = math.nan


def _lost(frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    """Take an aircraft that does not come back out of the day, with its packs and what it was still to fly."""
    f = _in_air(state, e, "its loss")
    if f is None:
        return
    f.word, f.landing_s, f.done_frac = "lost", e.at_s, 0.0
    state.craft[f.aircraft].flight = ""
    for name in frame.members.get(f.set, ()):
        state.packs[name].word, state.packs[name].since_s, state.packs[name].why = "out", e.at_s, f"lost with {f.id}"
    for other in state.flights.values():
        if other.aircraft == f.aircraft and other.word == "planned":
            other.word = "dropped"


def _pack(state: DayState, e: Event) -> PackNow | None:
    p = state.packs.get(str(e.get("pack")))
    if p is None:
        state.oddities.append(f"{e.get('pack')} is no pack of this day: what was written of it is kept and not counted.")
    return p


def _on_port(frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    p, port = _pack(state, e), int(e.get("port") or 0)
    if p is None:
        return
    mode = frame.mode(port, str(e.get("mode") or ""))
    if mode is None:
        state.oddities.append(f"There is no port {port} in this day: {p.name} is not counted as charging.")
        return
    charger = next(c for c in frame.task.chargers if c.id == frame.ports()[port - 1][0])
    if not charger.charges(frame.set_of(p.name).type):
        state.oddities.append(f"{p.name} went on port {port}, whose charger does not take its cells or volts: take it off.")
    if p.word == "air":
        state.oddities.append(f"{p.name} went on port {port} while in the air: the landing of its sortie was not written down.")
        flying = next((f for f in state.flights.values() if f.word == "airborne" and f.set == p.set), None)
        if flying is not None:
            _down(frame, state, flying, e.at_s, e)
    other = state.on_port(port)
    if other is not None and other.name != p.name:
        state.oddities.append(f"{other.name} was on port {port}: it counts as taken off when {p.name} came.")
        _off(frame, other, e.at_s, None)
    p.frac = float(e.get("frac")) if e.get("frac") is not None else charge_now(frame, p, e.at_s)
    p.word, p.since_s, p.port, p.mode = "port", e.at_s, port, mode.name


def _off(frame: Frame, p: PackNow, at_s: float, read: float | None) -> None:
    p.frac = float(read) if read is not None else charge_now(frame, p, at_s)
    # Chargers end a charge by themselves: nobody takes a pack off for the last thousandth.
    p.frac = 1.0 if p.frac >= 0.985 and read is None else p.frac
    p.word, p.since_s, p.charged_s, p.port, p.mode = "rest", at_s, at_s, 0, ""


def _off_port(frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    p = _pack(state, e)
    if p is not None and p.word == "port":
        _off(frame, p, e.at_s, e.get("frac"))
    elif p is not None and p.word == "rest" and e.get("frac") is not None:
        p.frac = float(e.get("frac"))


def _tested(frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    p = _pack(state, e)
    if p is not None:
        state.tested[p.name] = str(e.get("word"))
    if p is not None and e.get("word") == "bad":
        _take_out(frame, p, e.at_s, str(e.get("why") or "failed its load test"))


def _take_out(frame: Frame, p: PackNow, at_s: float, why: str) -> None:
    if p.word == "port":
        _off(frame, p, at_s, None)
    p.word = "out" if p.word != "air" else "air"
    p.why = why


def _pack_out(frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    p = _pack(state, e)
    if p is not None:
        _take_out(frame, p, e.at_s, str(e.get("why") or "taken out"))


def _pack_back(_frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    p = _pack(state, e)
    if p is not None:
        p.why = ""
        if p.word == "out":
            p.word, p.since_s = "rest", e.at_s


def _port_dead(frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    port = int(e.get("port") or 0)
    state.dead_ports.add(port)
    on = state.on_port(port)
    if on is not None:
        on.frac, on.word, on.since_s, on.port, on.mode = charge_now(frame, on, e.at_s), "rest", e.at_s, 0, ""


def _port_back(_frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    state.dead_ports.discard(int(e.get("port") or 0))


def _power_out(frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    state.power_out_s = e.at_s
    for p in state.packs.values():
        if p.word == "port":
            p.frac, p.since_s = charge_now(frame, p, e.at_s), math.inf


def _power_back(_frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    state.power_out_s = None
    for p in state.packs.values():
        if p.word == "port" and math.isinf(p.since_s):
            p.since_s = e.at_s


def _hold(_frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    state.hold_until_s = float(e.get("until_s") or 0.0)


def _gate(_frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    closed = e.get("word") == "closed"
    until = e.get("until_s")
    state.gate_closed_until_s = (math.inf if until is None else float(until)) if closed else 0.0
    state.gate_words = str(e.get("why") or "") if closed else ""


def _dropped(_frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    f = state.flights.get(str(e.get("flight")))
    if f is not None and f.word == "planned":
        f.word = "dropped"


def _found(_frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    """Whoever was looked for is found: nothing more is launched; what is in the air is called home."""
    if not math.isfinite(state.found_s):
        state.found_s = e.at_s
    state.found_words = str(e.get("words") or "") or state.found_words
    lon, lat = e.get("lon_deg"), e.get("lat_deg")
    if lon is not None and lat is not None:
        state.found_place = (float(lon), float(lat))
    for f in state.flights.values():
        if f.word == "planned":
            f.word = "dropped"


def _checked(_frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    state.checked.add(str(e.get("aircraft")))
    state.to_check.discard(str(e.get("aircraft")))


def _refuelled(_frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    name = str(e.get("supply"))
    state.refuelled[name] = state.refuelled.get(name, 0) + 1


def _started(_frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    state.started_s = e.at_s if state.started_s is None else state.started_s


def _closed(_frame: Frame, state: DayState, e: Event, _stands: dict[str, str]) -> None:
    state.closed_s = e.at_s


_Apply = Callable[[Frame, DayState, Event, dict[str, str]], None]
_APPLY: dict[str, _Apply] = {
    "started": _started,
    "launched": _launched,
    "landed": _landed,
    "homing": _homing,
    "emergency": _emergency,
    "emergency_over": _emergency_over,
    "lost": _lost,
    "on_port": _on_port,
    "off_port": _off_port,
    "tested": _tested,
    "pack_out": _pack_out,
    "pack_back": _pack_back,
    "port_dead": _port_dead,
    "port_back": _port_back,
    "power_out": _power_out,
    "power_back": _power_back,
    "hold": _hold,
    "gate": _gate,
    "dropped": _dropped,
    "checked": _checked,
    "refuelled": _refuelled,
    "found": _found,
    "closed": _closed,
}
