"""A day rehearsed: simulated aircraft, packs, ports, weather and delays, with faults, from a seed.

The simulator is the world outside: it answers calls with events, as a crew and its devices would, each at its own time.
Times spread as the forecast of a day has them (`core/rotation/scatter.py`), drawn by the seed and by what they are of: the
same seed gives the same day, however often it is looked at. Everything in it is invented.
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
from quarry.core.day.state import DayState, FlightNow, Frame, PackNow, charge_now, ready_s, share_of_whole
from quarry.core.power.charging import charge_state
from quarry.core.rotation.model import Mode
from quarry.core.rotation.scatter import Scatter, factors, reactions_s

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
    "find",
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
    "find": "whoever is looked for is seen from the air: all are called home",
}
_STRIKES = {
    "weak_cell": "flying",
    "early_return": "flying",
    "return_blocked": "flying",
    "controller_dies": "flying",
    "find": "flying",
    "cold_pack": "ahead",
    "no_satellites": "ahead",
    "port_trips": "charging",
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
    """The simulated world; stepped by `step`, which returns what has happened; ``next_s`` says when the next thing does.

    ``due``: when each open call was first due, by its id.
    """

    frame: Frame
    seed: int
    faults: list[Fault] = field(default_factory=list)
    scatter: Scatter = field(default_factory=Scatter)
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

    def _factor(self, spread: float, *key: object) -> float:
        return float(factors(self._draw(*key), spread, 1)[0])

    def _event(self, kind: str, at_s: float, **figures: object) -> Event:
        self.made += 1
        return Event(f"sim-{self.seed}-{self.made}", kind, at_s, "rehearsal", figures)

    def flight_s(self, state: DayState, flight: str) -> float:
        """Return how long a sortie takes in this world; the same whenever it is asked. [s]"""
        if flight not in self.length:
            s = self.scatter
            times = s.flight_ratio * self._factor(s.day_frac, "day") * self._factor(s.flight_frac, "flight", flight)
            self.length[flight] = state.sorties[flight].flight_s * times
        return self.length[flight]

    def next_s(self, state: DayState, calls: tuple[DayCall, ...], now_s: float, *, by_hand: bool = False) -> float:
        """Return when the next thing happens, not before now; inf where nothing does until somebody acts."""
        times = [f.at_s for k, f in enumerate(self.faults) if k not in self.struck and self._may_strike(f, state)]
        times += [at for at, _, _ in self.owed]
        if not by_hand:
            times += [at for c in calls if (at := self._answered_at(c, state, now_s)) is not None]
        return max(now_s, min(times, default=math.inf))

    def step(self, state: DayState, calls: tuple[DayCall, ...], now_s: float, *, by_hand: bool = False) -> list[Event]:
        """Return what happens up to now: faults strike, and calls are answered, each thing at its own time.

        ``by_hand``: only the world moves; the calls are left to the person who rehearses.
        """
        found = [
            e for k, f in enumerate(self.faults) if k not in self.struck and f.at_s <= now_s for e in self._strike(k, f, state)
        ]
        due = [o for o in self.owed if o[0] <= now_s]
        self.owed = [o for o in self.owed if o[0] > now_s]
        found += [self._event(kind, at, **figures) for at, kind, figures in due]
        if not by_hand:
            plugged = False
            for c in calls:
                at = self._answered_at(c, state, now_s)
                # One pack goes on at a time: whether there is a port and power for the next shows after that.
                if at is None or at > now_s or (c.kind == "on_port" and plugged):
                    continue
                e = self._answer(c, state, at)
                if e is not None:
                    plugged = plugged or c.kind == "on_port"
                    found.append(e)
        return found

    def _late(self, c: DayCall) -> float:
        return float(reactions_s(self._draw("late", c.id), self.scatter, 1)[0])

    def _first_due(self, c: DayCall, now_s: float) -> float:
        """Return when a call was first due: one that is overdue is called for now each time it is asked for."""
        before = self.due.get(c.id)
        if c.at_s > now_s or before is None or before > now_s:
            self.due[c.id] = c.at_s
        return self.due[c.id]

    def _answered_at(self, c: DayCall, state: DayState, now_s: float) -> float | None:
        """Return when the crew does what a call says; None where it is not to, or cannot yet."""
        due = self._first_due(c, now_s)
        if c.kind == "land":
            return self._down_at(c.flight, state)
        if c.kind == "launch":
            return self._launched_at(c, state, due)
        if c.kind == "on_port":
            return self._put_on_at(c, state, due)
        if c.kind == "off_port":
            p = state.packs[c.pack]
            return None if p.word != "port" else self._full_at(p, state, due) + self._late(c)
        return due + self._late(c) if c.kind in ("test", "preflight", "refuel", "gate", "call_home") else None

    def _launched_at(self, c: DayCall, state: DayState, due: float) -> float | None:
        """Return when an aircraft takes off: once its packs are swapped, and all else was waited for and called."""
        f, mine = state.flights[c.flight], state.craft[c.aircraft]
        members = [state.packs[n] for n in self.frame.members[c.set]]
        task = self.frame.task
        crew = task.crew_of(c.aircraft)
        others = [x for x in state.flights.values() if crew and x.aircraft in crew.aircraft and x.aircraft != c.aircraft]
        if f.word != "planned" or mine.flight or any(p.word != "rest" for p in members):
            return None
        if any(x.word == "airborne" for x in others):
            return None
        crew_free = [x.landing_s for x in others if x.word == "landed"]
        landed = [x.landing_s for x in state.flights.values() if x.aircraft == c.aircraft and x.word == "landed"]
        swap_s = task.swap_of(c.aircraft)
        swapped = max(landed) + swap_s * self._factor(self.scatter.swap_frac, "swap", c.flight) if landed else -math.inf
        # Where the plan waits for the swap alone, the crew is as fast as it is; everything else is called, and answered.
        swap_alone = bool(landed) and due <= max(landed) + swap_s + 1.0
        waited = max([ready_s(self.frame, members), *crew_free, *([] if swap_alone else [due])])
        held = max(state.hold_until_s, state.gate_closed_until_s, self.put_off.get(c.flight, -math.inf))
        at = max(swapped, waited + self._late(c), held)
        opens = task.next_window(at, state.sorties[c.flight])
        return at if not math.isfinite(opens) else opens if opens <= at else opens + self._late(c)

    def _put_on_at(self, c: DayCall, state: DayState, due: float) -> float | None:
        """Return when a pack goes on its port: the next in the visit that took the last one off, else once it is called."""
        p, mode = state.packs[c.pack], self.frame.mode(c.port, c.mode)
        if p.word != "rest" or mode is None or state.on_port(c.port) is not None or not self._powered(c.port, mode, state):
            return None
        rested = p.landed_s + self.frame.task.rest_after_flight_s
        if not math.isfinite(rested):
            rested = self.frame.set_of(p.name).from_s
        return max(rested + self._late(c), due, state.last_s)

    def _powered(self, port: int, mode: Mode, state: DayState) -> bool:
        """Return whether charger and supply carry one charge more beside those under way."""
        task, ports = self.frame.task, self.frame.ports()
        on = [
            (ports[p.port - 1][0], m.wall_w)
            for p in state.packs.values()
            if p.word == "port" and (m := self.frame.mode(p.port, p.mode))
        ]
        mine = next(c for c in task.chargers if c.id == ports[port - 1][0])
        own_w = sum(w for charger, w in on if charger == mine.id) + mode.wall_w
        whole_w = sum(w for _, w in on) + mode.wall_w
        limit_w = math.inf if task.site_power_w is None else task.site_power_w
        return whole_w <= limit_w + 1e-6 and (mine.cap_w is None or own_w <= mine.cap_w + 1e-6) and state.power_out_s is None

    def _full_at(self, p: PackNow, state: DayState, due: float) -> float:
        """Return when the charger ends a charge: as long as planned, times what this pack and this charge take."""
        s = self.scatter
        if state.power_out_s is not None or p.why:
            return due
        times = self._factor(s.pack_frac, "pack", p.name) * self._factor(s.charge_frac, "charge", p.name, p.flights)
        return p.since_s + max(0.0, due - p.since_s) * times

    def _answer(self, c: DayCall, state: DayState, at_s: float) -> Event | None:
        """Return what the crew does at a call, at its own time."""
        if c.kind == "land":
            return self._land(c, state, at_s)
        if c.kind == "launch":
            return self._event("launched", at_s, flight=c.flight, set=c.set, aircraft=c.aircraft)
        if c.kind == "on_port":
            return self._event("on_port", at_s, pack=c.pack, port=c.port, mode=c.mode)
        if c.kind == "test":
            return self._event("tested", at_s, pack=c.pack, word="good")
        if c.kind == "preflight":
            return self._event("checked", at_s, aircraft=c.aircraft)
        if c.kind == "refuel":
            return self._event("refuelled", at_s, supply=c.set)
        if c.kind == "gate":
            return self._event("gate", at_s, word="open")
        if c.kind == "call_home":
            self._home_now(state, c.flight, at_s)
            return self._event("homing", at_s, flight=c.flight)
        if c.kind == "off_port":
            p = state.packs[c.pack]
            if p.why or state.power_out_s is not None:
                return self._event("off_port", at_s, pack=c.pack, frac=round(charge_now(self.frame, p, at_s), 3))
            return self._event("off_port", at_s, pack=c.pack, frac=round(c.to_frac, 3))
        return None

    def _down_at(self, flight: str, state: DayState) -> float | None:
        f = state.flights[flight]
        if f.word != "airborne":
            return None
        done = self.early.get(flight, 1.0)
        down = f.takeoff_s + self.flight_s(state, flight) * (0.25 + 0.75 * done)
        return max(down, self.put_off.get(f"land {flight}", -math.inf))

    def _land(self, c: DayCall, state: DayState, now_s: float) -> Event | None:
        f = state.flights[c.flight]
        if f.word != "airborne":
            return None
        done = self.early.get(c.flight, 1.0)
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

    def _may_strike(self, f: Fault, state: DayState) -> bool:
        return f.kind not in _STRIKES or bool(self._struck_by(f, state)[_STRIKES[f.kind]])

    def _struck_by(self, f: Fault, state: DayState) -> dict[str, list[str]]:
        """Return what a fault could strike now, by what it strikes."""
        return {
            "flying": [x.id for x in state.flights.values() if x.word == "airborne" and (not f.about or f.about == x.id)],
            "ahead": sorted(x.id for x in state.flights.values() if x.word == "planned" and (not f.about or f.about == x.id)),
            "charging": sorted(
                p.name for p in state.packs.values() if p.word == "port" and (not f.about or f.about in (p.name, str(p.port)))
            ),
        }

    def _strike(self, k: int, f: Fault, state: DayState) -> list[Event]:
        """Let a fault happen; one that finds nothing to strike waits for it."""
        if not self._may_strike(f, state):
            return []
        flying, ahead, charging = self._struck_by(f, state).values()
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
        elif f.kind == "find":
            self._place_find(k, state.flights[flying[0]], state, now)
        elif f.kind == "silent_device":
            self.mute_until_s = until
        return []

    def _place_find(self, k: int, up: FlightNow, state: DayState, now: float) -> None:
        """Lay whoever is looked for under the lines of a sortie, at a place that the seed draws: seen when it gets there."""
        length = self.flight_s(state, up.id)
        begins = min(0.85, max(0.15, (now - up.takeoff_s) / length))
        share = begins + (0.9 - begins) * float(self._draw("find", k).uniform())
        lon, lat, _ = self._where(state, up.id, share, 0.0)
        self.owed.append(
            (up.takeoff_s + share * length, "found", {"words": f"seen from {up.id}", "lon_deg": lon, "lat_deg": lat})
        )

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
