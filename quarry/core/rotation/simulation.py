"""One play of a day by rules: a discrete-event simulation of launches, charges and ports.

At each moment what ends is taken in, idle aircraft take ready sets, and free ports take the waiting packs of highest
priority at a rate that fits the supply. Rules of priority and of rate are functions by name.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final, NamedTuple

from quarry.core.rotation.model import FULL, Charger, Flight, Mode, PlannedCharge, PlannedFlight, RotationTask, duration_s

_MOMENT, _CHARGE_ENDS = 1, 2  # kinds of events; a moment is one at which something may begin
_SHIFT_S = 900.0  # of priority, for one standard deviation
_FIRST_OF_ALL = -1e12
_BEGUN_SET_S = 1e5  # a set that has begun to charge goes before all others
_POWER_SLACK_W = 1e-6
_FRAC_SLACK = 1e-9


class Rule(NamedTuple):
    """One way of playing a day; ``shift`` moves the priority of single charges, ``gentle`` slows some, ``hold`` lets some wait."""

    order: str
    rate: str
    longest_first: bool
    refly: bool
    shift: tuple[float, ...] = ()
    gentle: frozenset[int] = frozenset()
    hold: frozenset[int] = frozenset()


@dataclass(slots=True)
class Play:
    """A day as it was played; ``squares``: of how often each set flew, the less the more even."""

    flights: list[PlannedFlight]
    charges: list[PlannedCharge]
    makespan_s: float
    squares: int


class _Running(NamedTuple):
    charger: int
    port: int
    wall_w: float
    end_s: float
    to_frac: float = 1.0


class Lengths:
    """Charge times already worked out, shared by all plays; rates from fast to gentle."""

    def __init__(self, task: RotationTask) -> None:
        self.sets = task.sets
        self.set_at = {s.id: j for j, s in enumerate(task.sets)}
        self.charger_at = {c.id: k for k, c in enumerate(task.chargers)}
        self.modes: list[list[Mode]] = [sorted(c.modes, key=lambda m: -m.pack_w) for c in task.chargers]
        self.takes = [[c.charges(s.type) for c in task.chargers] for s in task.sets]
        # For each set the first charger that takes it: what its charges are likened to where none has been chosen yet.
        self.usual = [next((k for k, c in enumerate(task.chargers) if c.charges(s.type) and c.modes), None) for s in task.sets]
        self.of_type: dict[str, list[int]] = {}
        for j, s in enumerate(task.sets):
            self.of_type.setdefault(s.type, []).append(j)
        self.able = _choosy(task)
        self._known: dict[tuple[int, int, float], list[float]] = {}
        self._paces = {kind: _pace_s(task, kind, self) for kind in {c.type for c in task.aircraft}}

    def pace_s(self, kind: str) -> float:
        """Return the steady time from one flight of a type to the next. [s]"""
        return self._paces.get(kind, 0.0)

    def of(self, j: int, c: int, frac: float) -> list[float]:
        """Return the time on a port at each rate of a charger. [s]"""
        key = (j, c, frac)
        found = self._known.get(key)
        if found is None:
            found = self._known[key] = [duration_s(self.sets[j], frac, m) for m in self.modes[c]]
        return found

    def usual_s(self, j: int, frac: float) -> float:
        """Return the time on a port at the fastest rate of the first charger that takes a set. [s]"""
        usual = self.usual[j]
        return self.of(j, usual, frac)[0] if usual is not None else 0.0


def _pace_s(task: RotationTask, kind: str, known: Lengths) -> float:
    craft = [c.id for c in task.aircraft if c.type == kind]
    flights = [f for f in task.flights if f.aircraft in craft]
    owned = known.of_type.get(kind, [])
    if not flights or not owned:
        return 0.0
    slot = sum(f.flight_s for f in flights) / len(flights) + task.mean_swap_s(flights)
    left = max(0.0, 1.0 - sum(f.energy_frac for f in flights) / len(flights))
    cycle = slot + task.rest_after_flight_s + known.usual_s(owned[0], left) + task.rest_after_charge_s
    return max(slot / len(craft), cycle / len(owned))


def _choosy(task: RotationTask) -> list[frozenset[str]] | None:
    """Return for each set the flights it may fly, or None where each set may fly every flight of its type."""
    kind = {c.id: c.type for c in task.aircraft}
    able = [
        frozenset(f.id for f in task.flights if kind.get(f.aircraft) == s.type and (f.only is None or s.id in f.only))
        for s in task.sets
    ]
    whole = {k: sum(kind.get(f.aircraft) == k for f in task.flights) for k in set(kind.values())}
    return None if all(len(a) == whole.get(s.type, 0) for a, s in zip(able, task.sets, strict=True)) else able


def _served(able: list[frozenset[str]], j: int, others: set[int], flown: set[str]) -> float:
    """Return how many of some sets may fly the flight, of those left that set ``j`` may fly, for which they are fewest."""
    return min((sum(f in able[k] for k in others) for f in able[j] - flown), default=math.inf)


def is_open(charger: Charger, port: int, from_s: float, to_s: float) -> bool:
    """Return whether a port may be used all the time between two moments."""
    return not any(p == port and a < to_s - 1e-6 and from_s < b - 1e-6 for p, a, b in charger.closed)


def _reopenings(task: RotationTask) -> set[float]:
    ends = {b for _, b, _ in task.dips} | {b for c in task.chargers for _, _, b in c.closed}
    return {b for b in ends if task.now_s < b < math.inf}


class Simulation:
    """A day while it is played; the state of sets and packs by their places in the task."""

    __slots__ = (
        "at",
        "busy",
        "charges",
        "crew_at",
        "crew_free",
        "draw_w",
        "events",
        "flights",
        "flown",
        "free_from",
        "free_ports",
        "full_only",
        "give_up_s",
        "known",
        "last_s",
        "launches",
        "left_by_type",
        "left_to_charge",
        "narrow",
        "on_port",
        "ready_at",
        "rule",
        "running",
        "site_w",
        "soc",
        "started",
        "swap_s",
        "task",
        "todo",
        "uses",
        "visit",
        "waiting",
        "work_s",
    )

    def __init__(self, task: RotationTask, rule: Rule, known: Lengths, give_up_s: float = math.inf) -> None:
        self.task, self.rule, self.known, self.give_up_s = task, rule, known, give_up_s
        self.full_only = task.policy == "full"
        self.todo: list[list[Flight]] = [[f for f in task.flights if f.aircraft == c.id] for c in task.aircraft]
        self.swap_s = [task.swap_of(c.id) for c in task.aircraft]
        self.work_s = [sum(f.flight_s + swap for f in fs) for swap, fs in zip(self.swap_s, self.todo, strict=True)]
        self.at = [0] * len(task.aircraft)
        self.free_from = [c.from_s for c in task.aircraft]
        crews = {a: k for k, crew in enumerate(task.crews) for a in crew.aircraft}
        self.crew_at = [crews.get(c.id) for c in task.aircraft]
        self.crew_free = [c.from_s for c in task.crews]
        self.left_by_type: dict[str, int] = {}
        for who, fs in zip(task.aircraft, self.todo, strict=True):
            self.left_by_type[who.type] = self.left_by_type.get(who.type, 0) + len(fs)
        self.soc = [s.starts() for s in task.sets]
        self.uses, self.visit = [0] * len(task.sets), [0] * len(task.sets)
        self.left_to_charge, self.on_port = [0] * len(task.sets), [0] * len(task.sets)
        self.waiting: list[tuple[int, int, float]] = []  # set, pack, since
        self.ready_at = [
            s.from_s if min(self.soc[j]) >= FULL or not self.full_only else math.inf for j, s in enumerate(task.sets)
        ]
        self.running: dict[tuple[int, int], _Running] = {}
        self.busy: list[set[int]] = [set() for _ in task.chargers]
        self.draw_w, self.site_w = [0.0] * len(task.chargers), 0.0
        self.free_ports = sum(c.ports for c in task.chargers)
        self.flights: list[PlannedFlight] = []
        self.charges: list[PlannedCharge] = []
        self.flown: set[str] = set()
        self.launches = self.started = 0
        self.last_s = 0.0
        self.narrow = bool(task.dips) or any(c.closed for c in task.chargers)
        self.events: list[tuple[float, int, int, int]] = [(task.now_s, 0, 0, 0)]
        self._begin()

    def _begin(self) -> None:
        task = self.task
        for crew in task.crews:
            self._wake(max(crew.from_s, task.now_s))
        underway = {(c.set, c.pack) for c in task.begun}
        for j, packs in enumerate(task.sets):
            self._wake(max(packs.from_s, task.now_s), j)
            short = [m for m in range(packs.packs) if self.soc[j][m] < FULL]
            self.left_to_charge[j] = len(short)
            self.waiting.extend((j, m, packs.from_s) for m in short if (packs.id, m) not in underway)
        for t in self.free_from:
            self._wake(max(t, task.now_s))
        for c in task.begun:
            j, k = self.known.set_at[c.set], self.known.charger_at[c.charger]
            wall_w = next(x.wall_w for x in self.known.modes[k] if x.name == c.mode)
            self.charges.append(c)
            self._plug_in(j, c.pack, _Running(k, c.port, wall_w, c.end_s, c.to_frac), max(c.end_s, task.now_s))
        for t in _reopenings(task):
            self._wake(t)

    def _wake(self, at_s: float, j: int = 0) -> None:
        heapq.heappush(self.events, (at_s, _MOMENT, j, 0))

    def _plug_in(self, j: int, m: int, charge: _Running, until_s: float) -> None:
        self.busy[charge.charger].add(charge.port)
        self.draw_w[charge.charger] += charge.wall_w
        self.site_w += charge.wall_w
        self.free_ports -= 1
        self.on_port[j] += 1
        self.ready_at[j] = math.inf
        self.running[j, m] = charge
        heapq.heappush(self.events, (until_s, _CHARGE_ENDS, j, m))

    def run(self) -> Play | None:
        """Play the day once; None if it cannot be finished, or runs past the time at which to give up."""
        total = len(self.task.flights)
        while self.events:
            now_s = self.events[0][0]
            self._take_in(now_s)
            if not self._launch_all(now_s):
                return None
            if self.launches == total:
                charges = needed(self.flights, self.charges, self.task.begun)
                return Play(self.flights, charges, self.last_s, sum(u * u for u in self.uses))
            if self.free_ports and any(since <= now_s for _, _, since in self.waiting):
                self._charge_all(now_s)
        return None

    def _take_in(self, now_s: float) -> None:
        events = self.events
        while events and events[0][0] <= now_s:
            _, kind, j, m = heapq.heappop(events)
            if kind == _CHARGE_ENDS:
                self._end_charge(now_s, j, m)

    def _end_charge(self, now_s: float, j: int, m: int) -> None:
        charge = self.running.pop((j, m))
        self.busy[charge.charger].discard(charge.port)
        self.draw_w[charge.charger] -= charge.wall_w
        self.site_w -= charge.wall_w
        self.free_ports += 1
        self.on_port[j] -= 1
        self.soc[j][m] = charge.to_frac
        self.left_to_charge[j] -= 1
        if self.left_to_charge[j] == 0:
            self.ready_at[j] = now_s + self.task.rest_after_charge_s
            self._wake(self.ready_at[j], j)

    def _launch_all(self, now_s: float) -> bool:
        """Let every idle aircraft fly that finds a ready set; False where one would land past the time at which to give up."""
        work_s = self.work_s
        turn = sorted(range(len(work_s)), key=lambda a: -work_s[a]) if self.rule.longest_first else range(len(work_s))
        for a in turn:
            crew = self.crew_at[a]
            if (
                self.free_from[a] > now_s
                or self.at[a] >= len(self.todo[a])
                or (crew is not None and self.crew_free[crew] > now_s)
            ):
                continue
            flight = self.todo[a][self.at[a]]
            options = self._ready_sets(now_s, flight, self.task.aircraft[a].type)
            if not options:
                continue
            start_s = self.task.next_window(now_s, flight)
            if start_s > now_s:
                if start_s < math.inf:
                    self._wake(start_s)
                continue
            if now_s + flight.flight_s > self.give_up_s:
                return False
            self._fly(now_s, a, flight, self._least_used(options))
        return True

    def _ready_sets(self, now_s: float, flight: Flight, kind: str) -> list[int]:
        sets, ready_at = self.task.sets, self.ready_at
        only = flight.only
        found = [j for j in self.known.of_type.get(kind, ()) if ready_at[j] <= now_s and (only is None or sets[j].id in only)]
        if self.full_only:
            return found
        return [j for j in found if not self.on_port[j] and min(self.soc[j]) + _FRAC_SLACK >= flight.required_frac]

    def _least_used(self, options: list[int]) -> int:
        if len(options) == 1:
            return options[0]
        uses, ready_at, shift = self.uses, self.ready_at, self.rule.shift
        if not shift:
            return min(options, key=lambda j: (uses[j], ready_at[j], j))
        return min(options, key=lambda j: (uses[j] + shift[(j * 5 + self.launches) % len(shift)], ready_at[j], j))

    def _fly(self, now_s: float, a: int, flight: Flight, j: int) -> None:
        task = self.task
        packs, craft = task.sets[j], task.aircraft[a]
        end_s = now_s + flight.flight_s
        self.flights.append(PlannedFlight(flight.id, craft.id, packs.id, now_s, end_s))
        self.flown.add(flight.id)
        self.last_s = max(self.last_s, end_s)
        self.launches += 1
        self.uses[j] += 1
        self.visit[j] += 1
        self.at[a] += 1
        self.work_s[a] -= flight.flight_s + self.swap_s[a]
        self.left_by_type[craft.type] -= 1
        self.free_from[a] = end_s + self.swap_s[a]
        self._wake(self.free_from[a])
        if (crew := self.crew_at[a]) is not None:
            self.crew_free[crew] = end_s
            self._wake(end_s)
        self.soc[j] = [max(0.0, frac - flight.energy_frac) for frac in self.soc[j]]
        self.left_to_charge[j] = packs.packs
        self.ready_at[j] = math.inf if self.full_only or not self.rule.refly else end_s
        since_s = end_s + task.rest_after_flight_s
        self.waiting = [w for w in self.waiting if w[0] != j]
        self.waiting.extend((j, m, since_s) for m in range(packs.packs))
        self._wake(since_s, j)

    def _charge_all(self, now_s: float) -> None:
        """Let free ports take the waiting packs of highest priority, as far as they are needed and power lasts."""
        priority = PRIORITIES[self.rule.order]
        queue = sorted((self._key(priority, j, m, since), j, m) for j, m, since in self.waiting if since <= now_s)
        coming, on_its_way = self._coming()
        narrow = _Narrow(self.task, now_s, self.running) if self.narrow else None
        for rank, (_, j, m) in enumerate(queue):
            if not self.free_ports:
                break
            kind = self.task.sets[j].type
            begun = self.left_to_charge[j] < self.task.sets[j].packs or self.on_port[j] > 0
            if not begun and self._enough(j, coming.get(kind, 0), on_its_way):
                continue
            pick = self._pick(j, m, len(queue) - rank, narrow)
            if pick is None:
                continue
            if self.started in self.rule.hold and self.running:
                self.started += 1
                break
            if not begun:
                coming[kind] = coming.get(kind, 0) + 1
                on_its_way.add(j)
            self._begin_charge(now_s, j, m, *pick)

    def _key(self, priority: Priority, j: int, m: int, since_s: float) -> float:
        if self.task.sets[j].first and not self.visit[j]:
            return _FIRST_OF_ALL
        key, shift = priority(self, j, m, since_s), self.rule.shift
        return key + _SHIFT_S * shift[(j * 7 + self.visit[j] * len(self.visit)) % len(shift)] if shift else key

    def _coming(self) -> tuple[dict[str, int], set[int]]:
        """Return how many sets of each type will fly again without a further charge begun, and which."""
        coming: dict[str, int] = {}
        on_its_way = set()
        for j, s in enumerate(self.task.sets):
            in_hand = self.ready_at[j] < math.inf and (self.full_only or min(self.soc[j]) >= FULL)
            if in_hand or 0 < self.left_to_charge[j] < s.packs or self.on_port[j]:
                coming[s.type] = coming.get(s.type, 0) + 1
                on_its_way.add(j)
        return coming, on_its_way

    def _enough(self, j: int, coming: int, on_its_way: set[int]) -> bool:
        """Return whether enough sets are on their way, unless they are the wrong ones."""
        left = self.left_by_type.get(self.task.sets[j].type, 0)
        able = self.known.able
        return coming >= left and (able is None or _served(able, j, on_its_way, self.flown) >= left)

    def _pick(self, j: int, m: int, queue_left: int, narrow: _Narrow | None) -> tuple[int, int] | None:
        """Return the charger and rate for the next charge, or None if it has to wait."""
        best: tuple[float, int, int] | None = None
        takes, frac, choose = self.known.takes[j], self.soc[j][m], CHOICES[self.rule.rate]
        if self.started in self.rule.gentle and self.rule.rate != "fast":
            choose = _gentlest
        for c, charger in enumerate(self.task.chargers):
            if not takes[c] or len(self.busy[c]) >= charger.ports:
                continue
            lengths = self.known.of(j, c, frac)
            fits = self._rates_that_fit(c, lengths, narrow)
            k = choose(self, c, fits, queue_left) if fits else None
            if k is not None and (best is None or (lengths[k], c, k) < best):
                best = (lengths[k], c, k)
        return (best[1], best[2]) if best else None

    def _rates_that_fit(self, c: int, lengths: list[float], narrow: _Narrow | None) -> list[int]:
        charger, room_w = self.task.chargers[c], self.room_w(c)
        modes = self.known.modes[c]
        fits = [k for k, mode in enumerate(modes) if mode.wall_w <= room_w + _POWER_SLACK_W]
        if narrow is None:
            return fits
        return [k for k in fits if narrow.lets(charger, self.busy[c], modes[k], lengths[k])]

    def room_w(self, c: int) -> float:
        """Return what a charger may draw more, by its own limit and the supply's. [W]"""
        cap_w, site_w = self.task.chargers[c].cap_w, self.task.site_power_w
        own = math.inf if cap_w is None else cap_w - self.draw_w[c]
        return own if site_w is None else min(own, site_w - self.site_w)

    def _begin_charge(self, now_s: float, j: int, m: int, c: int, mode_at: int) -> None:
        charger, mode = self.task.chargers[c], self.known.modes[c][mode_at]
        end_s = now_s + self.known.of(j, c, self.soc[j][m])[mode_at]
        port = next(k for k in range(charger.ports) if k not in self.busy[c] and is_open(charger, k, now_s, end_s))
        self.charges.append(PlannedCharge(self.task.sets[j].id, m, charger.id, port, mode.name, now_s, end_s, self.soc[j][m]))
        self.started += 1
        self.waiting = [w for w in self.waiting if w[0] != j or w[1] != m]
        self._plug_in(j, m, _Running(c, port, mode.wall_w, end_s), end_s)


Priority = Callable[[Simulation, int, int, float], float]
Choice = Callable[[Simulation, int, list[int], int], int | None]


def _first_come(_play: Simulation, _j: int, _m: int, since_s: float) -> float:
    return since_s


def _short_first(play: Simulation, j: int, m: int, _since_s: float) -> float:
    return play.known.usual_s(j, play.soc[j][m])


def _long_first(play: Simulation, j: int, m: int, _since_s: float) -> float:
    return -play.known.usual_s(j, play.soc[j][m])


def _set_first(play: Simulation, j: int, _m: int, since_s: float) -> float:
    return since_s - _BEGUN_SET_S * (play.left_to_charge[j] < play.task.sets[j].packs)


def _tightest_first(play: Simulation, j: int, _m: int, since_s: float) -> float:
    kind = play.task.sets[j].type
    return 1e-3 * since_s - play.left_by_type.get(kind, 0) * play.known.pace_s(kind)


def _fastest_alone(_play: Simulation, _c: int, fits: list[int], _queue_left: int) -> int | None:
    return 0 if fits[0] == 0 else None


def _fastest_that_fits(_play: Simulation, _c: int, fits: list[int], _queue_left: int) -> int | None:
    return fits[0]


def _gentlest(_play: Simulation, _c: int, fits: list[int], _queue_left: int) -> int | None:
    return fits[-1]


def _shared(play: Simulation, c: int, fits: list[int], queue_left: int) -> int | None:
    """Return the fastest rate at which as many packs as want to can charge side by side."""
    want = min(play.task.chargers[c].ports - len(play.busy[c]), queue_left)
    room_w, modes = play.room_w(c), play.known.modes[c]
    return next((k for k in fits if modes[k].wall_w * want <= room_w + _POWER_SLACK_W), fits[-1])


TIGHTEST: Final = "tightest type first"  # of several types of set, the one that will be done last goes first
PRIORITIES: Final[dict[str, Priority]] = {
    "first come": _first_come,
    "short charge first": _short_first,
    "finish a set first": _set_first,
    "long charge first": _long_first,
    TIGHTEST: _tightest_first,
}
ORDERS: Final = ("first come", "short charge first", "finish a set first", "long charge first")
CHOICES: Final[dict[str, Choice]] = {
    "fast": _fastest_alone,
    "share the power": _shared,
    "fast, else gentle": _fastest_that_fits,
    "gentle": _gentlest,
}
RATES: Final = tuple(CHOICES)


class _Narrow:
    """Closed ports and a supply that gives less for a while, seen from one moment of a play."""

    def __init__(self, task: RotationTask, now_s: float, running: dict[tuple[int, int], _Running]) -> None:
        self.task, self.now_s, self.running = task, now_s, running

    def lets(self, charger: Charger, busy: set[int], mode: Mode, length_s: float) -> bool:
        """Return whether a charge that begins now finds an open port, and power to its end."""
        end = self.now_s + length_s
        if not any(k not in busy and is_open(charger, k, self.now_s, end) for k in range(charger.ports)):
            return False
        for a, b, watts in self.task.dips:
            if a < end and self.now_s < b:
                there = sum(r.wall_w for r in self.running.values() if r.end_s > a)
                if there + mode.wall_w > watts + _POWER_SLACK_W:
                    return False
        return True


def needed(
    flights: list[PlannedFlight], charges: list[PlannedCharge], begun: tuple[PlannedCharge, ...] = ()
) -> list[PlannedCharge]:
    """Return the charges that a later flight of their set waits for, and those that have begun."""
    final = {f.set: f.takeoff_s for f in sorted(flights, key=lambda f: f.takeoff_s)}
    return [c for c in charges if c in begun or c.start_s < final.get(c.set, -1.0)]
