"""A strong, fast dispatcher: a day is played forward by rules, many times, and the best is kept.

One play is a discrete-event simulation in which a free port takes the waiting pack of highest
priority and an idle aircraft takes a ready set. Plays differ in the rule of priority, in the
choice of rate under a power limit, and in small shifts of single priorities; the search keeps what
helps. It is deterministic: the shifts come from a seed and the number of plays is given.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import product
from typing import Final, NamedTuple

import numpy as np

from quarry.core.base.errors import Infeasible
from quarry.core.rotation.bounds import lower_bound
from quarry.core.rotation.model import (
    FULL,
    Charger,
    Flight,
    Mode,
    PlannedCharge,
    PlannedFlight,
    Rotation,
    RotationTask,
    Wait,
    check_task,
    duration_s,
)

ORDERS: Final = ("first come", "short charge first", "finish a set first", "long charge first")
TIGHTEST: Final = "tightest type first"  # of several types of set, the one that will be done last goes first
RATES: Final = ("fast", "share the power", "fast, else gentle", "gentle")
_WORK_PER_PLAY = 640


class Rule(NamedTuple):
    """One way of playing a day; ``shift`` moves the priority of single charges, ``gentle`` slows some."""

    order: str
    rate: str
    longest_first: bool
    refly: bool
    shift: tuple[float, ...] = ()
    gentle: frozenset[int] = frozenset()
    hold: frozenset[int] = frozenset()


@dataclass(slots=True)
class _Play:
    flights: list[PlannedFlight]
    charges: list[PlannedCharge]
    makespan_s: float
    squares: int


def dispatch(task: RotationTask, *, plays: int | None = None, seed: int = 7) -> Rotation:
    """Return a good rotation at once.

    Parameters
    ----------
    task : RotationTask
        The day.
    plays : int, optional
        How often to play it; by default so often that 40 sorties stay under 50 ms.
    seed : int
        Seed of the shifts.

    Raises
    ------
    CoreError
        The task cannot be done; see `check_task`.
    """
    check_task(task)
    if plays is None:
        plays = min(60, max(12, _WORK_PER_PLAY // max(1, len(task.flights))))
    best_rule, best = _search(task, plays, seed)
    if best is None:
        best_rule, best = _late_first(task, plays, seed)
    if best is None:
        flown = {c.type for c in task.aircraft if any(f.aircraft == c.id for f in task.flights)}
        if any(not any(c.ports > 0 and c.charges(kind) for c in task.chargers) for kind in flown if task.chargers):
            raise Infeasible(
                "No schedule was found: no charger of the day takes packs of their cells and volts. Add one that does, or full packs.",
                "chargers",
            )
        unbound = replace(task, flights=tuple(replace(f, windows=None) for f in task.flights))
        if unbound.flights != task.flights and (_search(unbound, plays, seed)[1] or _late_first(unbound, plays, seed)[1]):
            raise Infeasible(
                "No schedule was found in the hours that the limits leave to the jobs; without limits there is one. "
                "Choose another date or other hours, or take jobs out.",
                "windows",
            )
        raise Infeasible(
            "No schedule was found in the hours of the day: packs are not full in time. Add packs, ports or hours.",
            "windows",
        )
    return settled(task, best.flights, ease(task, best.flights, best.charges), f"{best_rule.order}; {best_rule.rate}", plays)


def settled(
    task: RotationTask, flights: Sequence[PlannedFlight], charges: Sequence[PlannedCharge], rule: str, tried: int
) -> Rotation:
    """Return flights and charges as a schedule: in order of time, with its last landing, its bound and what waits."""
    finish = max(f.landing_s for f in flights)
    bound, reason = lower_bound(task)
    return Rotation(
        tuple(sorted(flights, key=lambda f: (f.takeoff_s, f.aircraft))),
        tuple(sorted(charges, key=lambda c: (c.start_s, c.charger, c.port))),
        waits(task, flights),
        finish,
        min(bound, finish),
        reason,
        rule,
        tried,
    )


def earliest_ready(task: RotationTask) -> Rotation | None:
    """Return the plain rule to compare with: first come first served, fastest rate that fits."""
    play = _play(task, Rule(ORDERS[0], RATES[0], longest_first=False, refly=False), _Lengths(task))
    if play is None:
        return None
    return settled(task, play.flights, play.charges, "earliest ready", 1)


def _rules(task: RotationTask) -> list[Rule]:
    several_rates = any(len(c.modes) > 1 for c in task.chargers)
    rates = RATES if several_rates else RATES[:1]
    firsts = (False, True) if len(task.aircraft) > 1 else (False,)
    reflies = (True, False) if task.policy == "partial" else (False,)
    orders = ORDERS if any(s.packs > 1 for s in task.sets) else (ORDERS[0], ORDERS[1], ORDERS[3])
    if len({c.type for c in task.aircraft}) > 1:
        orders = (TIGHTEST, *orders)
    return [Rule(o, r, f, y) for y, f, r, o in product(reflies, firsts, rates, orders)]


_Score = tuple[float, float, float]


def _soonest(play: _Play) -> _Score:
    return 0.0, play.makespan_s, float(play.squares)


def _late_first(task: RotationTask, plays: int, seed: int) -> tuple[Rule, _Play | None]:
    """Search where no play fits the hours: flights may run late at first, and the least late day is bettered until none is."""
    hours = {f.id: f.windows if f.windows is not None else task.windows for f in task.flights}
    if all(h is None for h in hours.values()):
        return Rule(ORDERS[0], RATES[0], longest_first=False, refly=False), None

    def longer(windows: tuple[tuple[float, float], ...] | None) -> tuple[tuple[float, float], ...] | None:
        return windows if windows is None else (*windows[:-1], (windows[-1][0], math.inf))

    def lateness(play: _Play) -> _Score:
        late = 0.0
        for f in play.flights:
            within = hours[f.flight]
            late += 0.0 if within is None else max(0.0, f.landing_s - within[-1][1] - 1e-6)
        return late, play.makespan_s, float(play.squares)

    flights = tuple(replace(f, windows=longer(f.windows)) for f in task.flights)
    open_ended = replace(task, windows=longer(task.windows), flights=flights)
    for again in range(3):
        rule, play = _search(open_ended, 2 * plays, seed + again, lateness)
        if play is None or lateness(play)[0] <= 0:
            return rule, play
    return rule, None


def _search(task: RotationTask, plays: int, seed: int, judge: Callable[[_Play], _Score] = _soonest) -> tuple[Rule, _Play | None]:
    rng = np.random.default_rng(seed)
    scored: list[tuple[_Score, Rule, _Play]] = []
    rules = _rules(task)[: max(4, plays // 2)]
    known = _Lengths(task)
    for rule in rules:
        play = _play(task, rule, known)
        if play is not None:
            scored.append((judge(play), rule, play))
    if not scored:
        return rules[0], None
    scored.sort(key=lambda s: s[0])
    pool = scored[:3]
    bound, _ = lower_bound(task)
    count = len(task.flights) + len(task.sets)
    several = any(len(c.modes) > 1 for c in task.chargers)
    (score, rule, best) = pool[0]
    for n in range(plays - len(rules)):
        if score[0] <= 0 and score[1] <= bound + 1e-6:
            break
        source = rule if n % 3 else pool[n // 3 % len(pool)][1]
        candidate = _shifted(source, count, rng, several=several)
        play = _play(task, candidate, known, give_up_s=score[1] if judge is _soonest else math.inf)
        if play is None:
            continue
        new = judge(play)
        if new <= score:
            score, rule, best = new, candidate, play
    return rule, best


def _shifted(rule: Rule, count: int, rng: np.random.Generator, *, several: bool) -> Rule:
    shift = list(rule.shift) if rule.shift else [0.0] * (2 * count)
    for _ in range(int(rng.integers(1, 4))):
        shift[int(rng.integers(0, len(shift)))] = float(rng.normal(0.0, 1.0))
    gentle, hold = set(rule.gentle), set(rule.hold)
    if several and rng.random() < 0.6:
        gentle ^= {int(rng.integers(0, count))}
    if rng.random() < 0.15:
        hold ^= {int(rng.integers(0, count))}
    return rule._replace(shift=tuple(shift), gentle=frozenset(gentle), hold=frozenset(hold))


class _Running(NamedTuple):
    charger: int
    port: int
    wall_w: float
    end_s: float


class _Lengths:
    """Charge times already worked out, shared by all plays; rates from fast to gentle."""

    def __init__(self, task: RotationTask) -> None:
        self.sets = task.sets
        self.set_at = {s.id: j for j, s in enumerate(task.sets)}
        self.charger_at = {c.id: k for k, c in enumerate(task.chargers)}
        self.modes: list[list[Mode]] = [sorted(c.modes, key=lambda m: -m.pack_w) for c in task.chargers]
        # For each set the first charger that takes it: what its charges are likened to where none has been chosen yet.
        self.usual = [next((k for k, c in enumerate(task.chargers) if c.charges(s.type) and c.modes), None) for s in task.sets]
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


def _pace_s(task: RotationTask, kind: str, known: _Lengths) -> float:
    craft = [c.id for c in task.aircraft if c.type == kind]
    flights = [f for f in task.flights if f.aircraft in craft]
    owned = [j for j, s in enumerate(task.sets) if s.type == kind]
    if not flights or not owned:
        return 0.0
    slot = sum(f.flight_s for f in flights) / len(flights) + task.swap_s
    left = max(0.0, 1.0 - sum(f.energy_frac for f in flights) / len(flights))
    usual = known.usual[owned[0]]
    charge = known.of(owned[0], usual, left)[0] if usual is not None else 0.0
    cycle = slot + task.rest_after_flight_s + charge + task.rest_after_charge_s
    return max(slot / len(craft), cycle / len(owned))


def _play(task: RotationTask, rule: Rule, known: _Lengths, give_up_s: float = math.inf) -> _Play | None:  # noqa: C901, PLR0912, PLR0915 - one event loop, kept in one place for speed
    """Play the day once; None if it cannot be finished or runs past ``give_up_s``."""
    sets, craft, chargers = task.sets, task.aircraft, task.chargers
    n_sets = len(sets)
    full_only = task.policy == "full"
    todo: list[list[Flight]] = [[f for f in task.flights if f.aircraft == c.id] for c in craft]
    work = [sum(f.flight_s + task.swap_s for f in fs) for fs in todo]
    at = [0] * len(craft)
    free_from = [c.from_s for c in craft]
    soc = [s.starts() for s in sets]
    ready_at = [s.from_s if min(soc[j]) >= FULL or not full_only else math.inf for j, s in enumerate(sets)]
    uses = [0] * n_sets
    waiting: list[tuple[int, int, float]] = []  # set, pack, since
    left_to_charge = [0] * n_sets
    on_port = [0] * n_sets
    free_ports = sum(c.ports for c in chargers)
    left_by_type: dict[str, int] = {}
    for who, fs in zip(craft, todo, strict=True):
        left_by_type[who.type] = left_by_type.get(who.type, 0) + len(fs)
    events: list[tuple[float, int, int, int]] = [(task.now_s, 0, 0, 0)]
    running: dict[tuple[int, int], _Running] = {}
    busy: list[set[int]] = [set() for _ in chargers]
    draw = [0.0] * len(chargers)
    site = 0.0
    visit = [0] * n_sets
    shift = rule.shift
    flights: list[PlannedFlight] = []
    charges: list[PlannedCharge] = []
    underway = {(c.set, c.pack) for c in task.begun}
    started = 0
    launches = 0
    total = len(task.flights)
    last = 0.0
    modes = known.modes
    for j, s in enumerate(sets):
        heapq.heappush(events, (max(s.from_s, task.now_s), 1, j, 0))
        short = [m for m in range(s.packs) if soc[j][m] < FULL]
        left_to_charge[j] = len(short)
        waiting.extend((j, m, s.from_s) for m in short if (s.id, m) not in underway)
    for t in free_from:
        heapq.heappush(events, (max(t, task.now_s), 1, 0, 0))
    for had in task.begun:
        j, k = known.set_at[had.set], known.charger_at[had.charger]
        wall_w = next(x.wall_w for x in modes[k] if x.name == had.mode)
        charges.append(had)
        busy[k].add(had.port)
        draw[k] += wall_w
        site += wall_w
        free_ports -= 1
        on_port[j] += 1
        ready_at[j] = math.inf
        running[(j, had.pack)] = _Running(k, had.port, wall_w, had.end_s)
        heapq.heappush(events, (max(had.end_s, task.now_s), 2, j, had.pack))
    for t in _reopenings(task):
        heapq.heappush(events, (t, 1, 0, 0))
    lengths = known.of
    able = _choosy(task)
    flown: set[str] = set()
    narrow = bool(task.dips) or any(c.closed for c in chargers)

    def priority(j: int, m: int, since: float) -> float:
        frac = soc[j][m]
        usual = known.usual[j]
        base = lengths(j, usual, frac)[0] if usual is not None else 0.0
        if rule.order == "first come":
            key = since
        elif rule.order == "short charge first":
            key = base
        elif rule.order == "long charge first":
            key = -base
        elif rule.order == TIGHTEST:
            key = 1e-3 * since - left_by_type.get(sets[j].type, 0) * known.pace_s(sets[j].type)
        else:
            key = since - 1e5 * (left_to_charge[j] < sets[j].packs)
        if sets[j].first and not visit[j]:
            return -1e12
        if shift:
            key += 900.0 * shift[(j * 7 + visit[j] * n_sets) % len(shift)]
        return key

    while events:
        now = events[0][0]
        while events and events[0][0] <= now:
            _, kind, j, m = heapq.heappop(events)
            if kind == 2:  # a charge ends
                run = running.pop((j, m))
                busy[run.charger].discard(run.port)
                draw[run.charger] -= run.wall_w
                site -= run.wall_w
                free_ports += 1
                on_port[j] -= 1
                soc[j][m] = 1.0
                left_to_charge[j] -= 1
                if left_to_charge[j] == 0:
                    ready_at[j] = now + task.rest_after_charge_s
                    heapq.heappush(events, (ready_at[j], 1, j, 0))
        # launches
        turn = sorted(range(len(craft)), key=lambda a: -work[a]) if rule.longest_first else range(len(craft))
        for a in turn:
            if at[a] >= len(todo[a]) or free_from[a] > now:
                continue
            flight = todo[a][at[a]]
            options = [
                j
                for j in range(n_sets)
                if sets[j].type == craft[a].type
                and (flight.only is None or sets[j].id in flight.only)
                and ready_at[j] <= now
                and (full_only or (min(soc[j]) + 1e-9 >= flight.required_frac and not on_port[j]))
            ]
            if not options:
                continue
            start = task.next_window(now, flight)
            if start > now:
                if start < math.inf:
                    heapq.heappush(events, (start, 1, 0, 0))
                continue
            j = min(
                options,
                key=lambda k: (uses[k] + (shift[(k * 5 + launches) % len(shift)] if shift else 0.0), ready_at[k], k),
            )
            end = now + flight.flight_s
            if end > give_up_s:
                return None
            flights.append(PlannedFlight(flight.id, craft[a].id, sets[j].id, now, end))
            last = max(last, end)
            launches += 1
            flown.add(flight.id)
            uses[j] += 1
            visit[j] += 1
            at[a] += 1
            work[a] -= flight.flight_s + task.swap_s
            left_by_type[craft[a].type] -= 1
            free_from[a] = end + task.swap_s
            heapq.heappush(events, (free_from[a], 1, 0, 0))
            for m in range(sets[j].packs):
                soc[j][m] = max(0.0, soc[j][m] - flight.energy_frac)
            waiting = [w for w in waiting if w[0] != j]
            left_to_charge[j] = sets[j].packs
            ready_at[j] = math.inf if full_only or not rule.refly else end
            since = end + task.rest_after_flight_s
            waiting.extend((j, m, since) for m in range(sets[j].packs))
            heapq.heappush(events, (since, 1, j, 0))
        if launches == total:
            break
        # charges
        if free_ports and any(w[2] <= now for w in waiting):
            coming: dict[str, int] = {}
            on_its_way = set()
            for j, s in enumerate(sets):
                in_hand = ready_at[j] < math.inf if full_only else (ready_at[j] < math.inf and min(soc[j]) >= FULL)
                if in_hand or 0 < left_to_charge[j] < s.packs or on_port[j]:
                    coming[s.type] = coming.get(s.type, 0) + 1
                    on_its_way.add(j)
            queue = sorted(
                ((priority(j, m, since), j, m) for j, m, since in waiting if since <= now), key=lambda w: (w[0], w[1], w[2])
            )
            for rank, (_, j, m) in enumerate(queue):
                if not free_ports:
                    break
                s = sets[j]
                begun = left_to_charge[j] < s.packs or on_port[j] > 0
                left = left_by_type.get(s.type, 0)
                # Enough are on their way, unless they are the wrong ones.
                if not begun and coming.get(s.type, 0) >= left and (able is None or _served(able, j, on_its_way, flown) >= left):
                    continue
                pick = _pick(
                    rule,
                    started,
                    len(queue) - rank,
                    chargers,
                    modes,
                    busy,
                    draw,
                    site,
                    task.site_power_w,
                    [lengths(j, c, soc[j][m]) if chargers[c].charges(s.type) else None for c in range(len(chargers))],
                    _Narrow(task, now, running) if narrow else None,
                )
                if pick is None:
                    continue
                if started in rule.hold and running:
                    started += 1
                    break
                c, mode_at = pick
                mode = modes[c][mode_at]
                end = now + lengths(j, c, soc[j][m])[mode_at]
                port = next(k for k in range(chargers[c].ports) if k not in busy[c] and is_open(chargers[c], k, now, end))
                if not begun:
                    coming[s.type] = coming.get(s.type, 0) + 1
                    on_its_way.add(j)
                charges.append(PlannedCharge(s.id, m, chargers[c].id, port, mode.name, now, end, soc[j][m]))
                started += 1
                busy[c].add(port)
                draw[c] += mode.wall_w
                site += mode.wall_w
                free_ports -= 1
                on_port[j] += 1
                running[(j, m)] = _Running(c, port, mode.wall_w, end)
                ready_at[j] = math.inf
                waiting = [w for w in waiting if (w[0], w[1]) != (j, m)]
                heapq.heappush(events, (end, 2, j, m))
    if launches < total:
        return None
    return _Play(flights, needed(flights, charges, task.begun), last, sum(u * u for u in uses))


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


def _pick(  # noqa: PLR0913 - the state of the ports at one moment
    rule: Rule,
    started: int,
    queue_left: int,
    chargers: tuple[Charger, ...],
    modes: list[list[Mode]],
    busy: list[set[int]],
    draw: list[float],
    site_w: float,
    site_cap_w: float | None,
    lengths: list[list[float] | None],
    narrow: _Narrow | None,
) -> tuple[int, int] | None:
    """Return the charger and rate for the next charge, or None if it has to wait; no lengths: it does not take this pack."""
    best: tuple[float, int, int] | None = None
    for c, charger in enumerate(chargers):
        free = charger.ports - len(busy[c])
        takes_s = lengths[c]
        if free <= 0 or takes_s is None:
            continue
        fits = [
            k
            for k, m in enumerate(modes[c])
            if (charger.cap_w is None or draw[c] + m.wall_w <= charger.cap_w + 1e-6)
            and (site_cap_w is None or site_w + m.wall_w <= site_cap_w + 1e-6)
            and (narrow is None or narrow.lets(charger, busy[c], m, takes_s[k]))
        ]
        if not fits:
            continue
        k = fits[0]
        if rule.rate == "fast":
            if k != 0:
                continue
        elif rule.rate == "gentle" or started in rule.gentle:
            k = fits[-1]
        elif rule.rate == "share the power":
            k = _share(charger, modes[c], fits, min(free, queue_left), draw[c], site_w, site_cap_w)
        option = (takes_s[k], c, k)
        if best is None or option < best:
            best = option
    return (best[1], best[2]) if best else None


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
                if there + mode.wall_w > watts + 1e-6:
                    return False
        return True


def is_open(charger: Charger, port: int, from_s: float, to_s: float) -> bool:
    """Return whether a port may be used all the time between two moments."""
    return not any(p == port and a < to_s - 1e-6 and from_s < b - 1e-6 for p, a, b in charger.closed)


def _reopenings(task: RotationTask) -> set[float]:
    ends = {b for _, b, _ in task.dips} | {b for c in task.chargers for _, _, b in c.closed}
    return {b for b in ends if task.now_s < b < math.inf}


def _share(
    charger: Charger, modes: list[Mode], fits: list[int], want: int, draw_w: float, site_w: float, site_cap_w: float | None
) -> int:
    """Return the fastest rate at which as many packs as want to can charge side by side."""
    for k in fits:
        load = modes[k].wall_w * want
        if (charger.cap_w is None or draw_w + load <= charger.cap_w + 1e-6) and (
            site_cap_w is None or site_w + load <= site_cap_w + 1e-6
        ):
            return k
    return fits[-1]


def needed(
    flights: list[PlannedFlight], charges: list[PlannedCharge], begun: tuple[PlannedCharge, ...] = ()
) -> list[PlannedCharge]:
    """Return the charges that a later flight of their set waits for, and those that have begun."""
    final = {f.set: f.takeoff_s for f in sorted(flights, key=lambda f: f.takeoff_s)}
    return [c for c in charges if c in begun or c.start_s < final.get(c.set, -1.0)]


def ease(task: RotationTask, flights: list[PlannedFlight], charges: list[PlannedCharge]) -> list[PlannedCharge]:
    """Return the charges with needless fast ones made gentler where nothing else has to move."""
    if not any(len(c.modes) > 1 for c in task.chargers):
        return charges
    sets = {s.id: s for s in task.sets}
    chargers = {c.id: c for c in task.chargers}
    out = list(charges)
    for i, c in sorted(enumerate(charges), key=lambda p: -p[1].start_s):
        if c in task.begun:
            continue
        gentler = sorted((m for m in chargers[c.charger].modes), key=lambda m: m.pack_w)
        takeoff = min(f.takeoff_s for f in flights if f.set == c.set and f.takeoff_s >= c.end_s - 1e-6)
        others = [
            o.start_s
            for k, o in enumerate(out)
            if k != i and (o.charger, o.port) == (c.charger, c.port) and o.start_s >= c.end_s - 1e-6
        ]
        until = min([takeoff - task.rest_after_charge_s, *others])
        now = next(m for m in chargers[c.charger].modes if m.name == c.mode)
        for mode in gentler:
            end = c.start_s + duration_s(sets[c.set], c.from_frac, mode)
            if mode.pack_w >= now.pack_w or end > until + 1e-6:
                continue
            slower = replace(c, mode=mode.name, end_s=end)
            if _power_holds(task, [*out[:i], slower, *out[i + 1 :]], c.end_s, end):
                out[i] = slower
                break
    return out


def _power_holds(task: RotationTask, charges: list[PlannedCharge], from_s: float, to_s: float) -> bool:
    if any(a < to_s and from_s < b for a, b, _ in task.dips) or any(
        a < to_s and from_s < b for c in task.chargers for _, a, b in c.closed
    ):
        return False  # a longer charge is not squeezed into a time that is narrow already
    wall = {(c.id, m.name): m.wall_w for c in task.chargers for m in c.modes}
    for t in {from_s, *(c.start_s for c in charges if from_s <= c.start_s < to_s)}:
        live = [c for c in charges if c.start_s <= t < c.end_s]
        if task.site_power_w is not None and sum(wall[c.charger, c.mode] for c in live) > task.site_power_w + 1e-6:
            return False
        for charger in task.chargers:
            mine = sum(wall[c.charger, c.mode] for c in live if c.charger == charger.id)
            if charger.cap_w is not None and mine > charger.cap_w + 1e-6:
                return False
    return True


def waits(task: RotationTask, flights: Sequence[PlannedFlight]) -> tuple[Wait, ...]:
    """Return when each aircraft stood ready and did not fly, and for want of what."""
    found = []
    known = {f.id: f for f in task.flights}
    for craft in task.aircraft:
        ready = craft.from_s
        for f in sorted((f for f in flights if f.aircraft == craft.id), key=lambda f: f.takeoff_s):
            opens = task.next_window(ready, known[f.flight])
            if opens > ready + 1 and math.isfinite(opens):
                found.append(Wait(craft.id, f.flight, ready, min(opens, f.takeoff_s), "window"))
                ready = min(opens, f.takeoff_s)
            if f.takeoff_s > ready + 1:
                found.append(Wait(craft.id, f.flight, ready, f.takeoff_s, "pack"))
            ready = f.landing_s + task.swap_s
    return tuple(found)
