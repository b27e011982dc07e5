"""A day rehearsed: simulated aircraft, packs, ports, weather and delays, with faults, from a seed.

The simulator is the world outside: it answers calls with events, as a crew and its devices would. It is stepped in time
and keeps no secrets from its seed, so the same seed gives the same day. Everything in it is invented.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from quarry.core.base.errors import MissingInput
from quarry.core.day.alerts import PortReading, Telemetry, planned_work
from quarry.core.day.calls import DayCall
from quarry.core.day.events import Event
from quarry.core.day.resume import resume_at
from quarry.core.day.state import DayState, Frame, charge_now, share_of_whole
from quarry.core.power.charging import charge_state

FaultKind = Literal[
    "weak_cell",
    "cold_pack",
    "port_trips",
    "gust_front",
    "generator_dry",
    "early_return",
    "crew_late",
    "silent_device",
    "return_blocked",
    "no_satellites",
    "controller_dies",
]
FAULTS: dict[str, str] = {
    "weak_cell": "a cell sags under the climb: the sortie comes back early, its pack fails",
    "cold_pack": "a cold pack refuses to start: it has to be warmed",
    "port_trips": "a port trips and stays out of order",
    "gust_front": "a gust front closes the weather window for a while; what is in the air turns back",
    "generator_dry": "the generator runs dry: no power until it is refilled",
    "early_return": "an aircraft comes home with part of its work undone",
    "crew_late": "the crew is held up: nothing is launched for a while",
    "silent_device": "a device dies: nothing is told from the air for a while",
    "return_blocked": "the way home is blocked: the landing is late",
    "no_satellites": "too few satellites: a launch is put off",
    "controller_dies": "a controller dies: its aircraft comes home by itself and waits for another",
}
_CELL_FULL_V, _CELL_LOW_V, _CELL_TOP_V = 4.15, 3.45, 4.2


@dataclass(frozen=True, slots=True)
class Fault:
    """Something that goes wrong at a time; ``about`` names a pack, port or sortie, where nothing is named the next one."""

    kind: str
    at_s: float
    about: str = ""
    length_s: float = 1200.0

    def __post_init__(self) -> None:
        if self.kind not in FAULTS:
            raise MissingInput(f"A fault is one of {', '.join(FAULTS)}.", "faults")


@dataclass(slots=True)
class World:
    """The simulated world; stepped by `step`, which returns what has happened."""

    frame: Frame
    seed: int
    faults: list[Fault] = field(default_factory=list)
    spread_frac: float = 0.04
    react_s: float = 20.0
    made: int = 0
    struck: set[int] = field(default_factory=set)
    mute_until_s: float = -math.inf
    put_off: dict[str, float] = field(default_factory=dict)
    length: dict[str, float] = field(default_factory=dict)
    early: dict[str, float] = field(default_factory=dict)
    weak: set[str] = field(default_factory=set)
    due: dict[str, float] = field(default_factory=dict)
    owed: list[tuple[float, str, dict[str, object]]] = field(default_factory=list)

    def _draw(self, *key: object) -> np.random.Generator:
        text = "|".join(str(k) for k in key)
        return np.random.default_rng([self.seed, *(ord(c) for c in text)])

    def _event(self, kind: str, at_s: float, **figures: object) -> Event:
        self.made += 1
        return Event(f"sim-{self.seed}-{self.made}", kind, at_s, "rehearsal", figures)

    def flight_s(self, state: DayState, flight: str) -> float:
        """Return how long a sortie takes in this world; the same whenever it is asked. [s]"""
        if flight not in self.length:
            planned = state.sorties[flight].flight_s
            self.length[flight] = planned * float(np.exp(self._draw("flight", flight).normal(0.0, self.spread_frac)))
        return self.length[flight]

    def step(self, state: DayState, calls: tuple[DayCall, ...], now_s: float, *, by_hand: bool = False) -> list[Event]:
        """Return what happens up to now: faults strike, and calls that are due are done a little late.

        ``by_hand``: only the world moves; the calls are left to the person who rehearses.
        """
        found = [
            e for k, f in enumerate(self.faults) if k not in self.struck and f.at_s <= now_s for e in self._strike(k, f, state)
        ]
        due = [o for o in self.owed if o[0] <= now_s]
        self.owed = [o for o in self.owed if o[0] > now_s]
        found += [self._event(kind, at, **figures) for at, kind, figures in due]
        if not by_hand:
            for c in calls:
                e = self._answer(c, state, now_s)
                if e is not None:
                    found.append(e)
        return found

    def _late(self, c: DayCall) -> float:
        return abs(float(self._draw("late", c.id).normal(self.react_s, self.react_s / 2)))

    def _answer(self, c: DayCall, state: DayState, now_s: float) -> Event | None:
        """Return what the crew does at a call, once it is time for it."""
        if c.kind == "land":
            return self._land(c, state, now_s)
        if c.at_s > now_s:
            self.due.pop(c.id, None)
            return None
        # A call that is overdue is called for now each time it is asked for: what counts is when it was first due.
        at = max(self.due.setdefault(c.id, c.at_s), self.put_off.get(c.flight, -math.inf)) + self._late(c)
        if at > now_s:
            return None
        if c.kind == "launch":
            return self._event("launched", now_s, flight=c.flight, set=c.set, aircraft=c.aircraft)
        if c.kind == "on_port":
            if state.on_port(c.port) is not None:
                return None
            return self._event("on_port", now_s, pack=c.pack, port=c.port, mode=c.mode)
        if c.kind == "test":
            return self._event("tested", now_s, pack=c.pack, word="good")
        if c.kind == "preflight":
            return self._event("checked", now_s, aircraft=c.aircraft)
        if c.kind == "refuel":
            return self._event("refuelled", now_s, supply=c.set)
        if c.kind == "gate":
            return self._event("gate", now_s, word="open")
        if c.kind == "off_port":
            frac = charge_now(self.frame, state.packs[c.pack], now_s)
            return (
                self._event("off_port", now_s, pack=c.pack, frac=round(min(1.0, frac + 0.01), 3))
                if frac < 0.985
                else self._event("off_port", now_s, pack=c.pack)
            )
        return None

    def _land(self, c: DayCall, state: DayState, now_s: float) -> Event | None:
        f = state.flights[c.flight]
        if f.word != "airborne":
            return None
        done = self.early.get(c.flight, 1.0)
        down = f.takeoff_s + self.flight_s(state, c.flight) * (0.25 + 0.75 * done)
        if now_s < max(down, self.put_off.get(f"land {c.flight}", -math.inf)):
            return None
        names = self.frame.members[f.set]
        took = state.sorties[f.id].energy_frac * (now_s - f.takeoff_s) / max(1.0, state.sorties[f.id].flight_s)
        left = max(0.02, min(state.packs[n].frac for n in names) - took)
        figures: dict[str, object] = {"flight": f.id, "left_frac": round(left, 2), "pack_c": round(self._pack_c(f.set, now_s), 1)}
        figures["cells_v"] = self.cells_v(f.set, left)
        if planned_work(self.frame, state, f.id) > 0:
            figures["work"] = round(planned_work(self.frame, state, f.id) * done, 1)
        if done < 1.0:
            figures |= {"done_frac": done, "resume": f"{done:.0%} of the route"}
        return self._event("landed", now_s, **figures)

    def _home_now(self, state: DayState, flight: str, now_s: float) -> None:
        """Let a sortie turn home now, with what it has done by then."""
        f = state.flights[flight]
        done = (now_s - f.takeoff_s) / self.flight_s(state, flight)
        self.early[flight] = round(min(self.early.get(flight, 1.0), max(0.05, min(1.0, done))), 2)

    def _pack_c(self, set_id: str, now_s: float) -> float:
        return 32.0 + 6.0 * float(self._draw("warm", set_id, round(now_s / 600)).uniform())

    def cells_v(self, set_id: str, left_frac: float, *, count: int = 6) -> list[float]:
        """Return what each cell shows under load at a state of charge. [V]"""
        mean = _CELL_LOW_V + (_CELL_FULL_V - _CELL_LOW_V) * left_frac
        wobble = self._draw("cells", set_id).normal(0.0, 0.012, count)
        volts = [round(mean + float(w), 2) for w in wobble]
        if set_id in self.weak:
            volts[-1] = round(mean - 0.35, 2)
        return volts

    def telemetry(self, state: DayState, now_s: float) -> tuple[Telemetry, ...]:
        """Return what is told from the air now; nothing while a device is dead."""
        if now_s < self.mute_until_s:
            return ()
        found = []
        for f in state.flights.values():
            if f.word != "airborne":
                continue
            share = (now_s - f.takeoff_s) / max(1.0, state.sorties[f.id].flight_s)
            start = min(state.packs[n].frac for n in self.frame.members[f.set])
            left = max(0.0, start - state.sorties[f.id].energy_frac * share)
            away = math.sin(math.pi * min(1.0, max(0.0, share)))
            cells = self.cells_v(f.set, left)
            lon, lat, out_m = self._where(state, f.id, share, 600.0 * away)
            found.append(
                Telemetry(
                    f.id,
                    now_s,
                    round(left, 3),
                    min(cells),
                    round(self._pack_c(f.set, now_s), 1),
                    round(0.06 * away, 3),
                    int(self._draw("satellites", f.id).integers(12, 20)),
                    round(out_m, 1),
                    tuple(cells),
                    lon,
                    lat,
                )
            )
        return tuple(found)

    def _where(self, state: DayState, flight: str, share: float, assumed_m: float) -> tuple[float | None, float | None, float]:
        """Return where an aircraft is on its lines and how far from home; an assumed way out where no lines are known. [°, m]"""
        route = self.frame.routes.get(flight.rstrip("+"))
        mine = share_of_whole(state, flight)
        at = resume_at(route, 1.0 - mine + mine * min(0.999, max(0.0, share))) if route else None
        return (round(at.lon_deg, 6), round(at.lat_deg, 6), at.from_home_m) if at else (None, None, assumed_m)

    def chargers(self, state: DayState, now_s: float, *, cells: int = 6) -> tuple[PortReading, ...]:
        """Return what the chargers tell of their ports now; nothing without power."""
        if state.power_out_s is not None:
            return ()
        found = []
        for p in sorted(state.packs.values(), key=lambda p: p.port):
            mode = self.frame.mode(p.port, p.mode) if p.word == "port" else None
            if mode is None:
                continue
            s, frac = self.frame.set_of(p.name), charge_now(self.frame, p, now_s)
            _, into_w = charge_state(s.capacity_wh, p.frac, mode.pack_w, s.law, max(0.0, now_s - p.since_s) / s.slowness)
            volts = cells * (_CELL_LOW_V + (_CELL_TOP_V - _CELL_LOW_V) * frac)
            found.append(PortReading(p.port, now_s, round(volts, 2), round(max(0.0, into_w) / volts, 2), round(frac, 3)))
        return tuple(found)

    def _strike(self, k: int, f: Fault, state: DayState) -> list[Event]:
        """Let a fault happen; one that finds nothing to strike waits for it."""
        flying = [x.id for x in state.flights.values() if x.word == "airborne" and (not f.about or f.about == x.id)]
        ahead = sorted(x.id for x in state.flights.values() if x.word == "planned" and (not f.about or f.about == x.id))
        charging = sorted(
            p.name for p in state.packs.values() if p.word == "port" and (not f.about or f.about in (p.name, str(p.port)))
        )
        needs = {
            "weak_cell": flying,
            "early_return": flying,
            "return_blocked": flying,
            "controller_dies": flying,
            "cold_pack": ahead,
            "no_satellites": ahead,
            "port_trips": charging,
        }
        if f.kind in needs and not needs[f.kind]:
            return []
        self.struck.add(k)
        now, until = f.at_s, f.at_s + f.length_s
        if f.kind in ("weak_cell", "early_return", "return_blocked", "controller_dies"):
            self._strike_in_air(f.kind, flying[0], state, now, until)
        elif f.kind in ("cold_pack", "no_satellites"):
            self.put_off[ahead[0]] = until
            words = "a cold pack refuses to start" if f.kind == "cold_pack" else "too few satellites"
            return [self._event("note", now, words=f"{ahead[0]}: {words}")]
        elif f.kind == "port_trips":
            return [self._event("port_dead", now, port=state.packs[charging[0]].port)]
        elif f.kind == "gust_front":
            for name in flying:
                self._home_now(state, name, now)
            self.owed.append((until, "observed", {"gust_m_s": 5.0}))
            measured = self._event("observed", now, gust_m_s=round(float(self._draw("gust", k).uniform(14.0, 19.0)), 1))
            return [measured, self._event("gate", now, word="closed", until_s=until, why="a gust front")]
        elif f.kind == "generator_dry":
            self.owed.append((until, "power_back", {}))
            return [self._event("power_out", now)]
        elif f.kind == "crew_late":
            return [self._event("hold", now, until_s=until, why="the crew is held up")]
        elif f.kind == "silent_device":
            self.mute_until_s = until
        return []

    def _strike_in_air(self, kind: str, flight: str, state: DayState, now: float, until: float) -> None:
        if kind == "return_blocked":
            self.put_off[f"land {flight}"] = until
        elif kind == "controller_dies":
            self._home_now(state, flight, now)
            mine = state.flights[flight].aircraft
            for x in state.flights.values():
                if x.aircraft == mine and x.word == "planned":
                    self.put_off[x.id] = until
        else:
            self.early[flight] = 0.55
        if kind == "weak_cell":
            self.weak.add(state.flights[flight].set)
            name = self.frame.members[state.flights[flight].set][0]
            self.owed.append((now + 60.0, "tested", {"pack": name, "word": "bad"}))
