"""The confidence in a day: the plan flown ten thousand times with times that scatter as they do.

The order of everything stays as planned; each thing begins when all that it waits for is done and the crew has answered the
call, and no sooner than the hours allow. A flight that takes longer takes more of its packs, and their charge is longer. One
windy day makes all flights long together: that part of the scatter is drawn once for a day, the rest for each flight, charge,
swap and answer by itself. All days are played at once, as arrays.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.sources import ALGEBRA, ASSUMED, MEASURED
from quarry.core.base.working import Step, Working
from quarry.core.power.charging import charge_time_s
from quarry.core.rotation.model import FULL, Mode, PackSet, PlannedCharge, PlannedFlight, Rotation, RotationTask
from quarry.core.rotation.scatter import Floats, LearnedScatter, PromiseKept, Scatter, factors, reactions_s

_EARLY_S = 1.0
_NEAR_S = 3600.0  # charges planned to end longer before are over, however the day goes
_SHARES = np.linspace(0.0, 1.0, 201)


@dataclass(frozen=True, slots=True)
class Risk:
    """A pack, port or aircraft that made the day late: the share of late days in which the last landing waited for it."""

    what: str
    name: str
    share_frac: float


@dataclass(frozen=True, slots=True)
class Chance:
    """How the last landing scatters. ``by_hour``: (time, chance to be down by then). Times in seconds of the day."""

    p10_s: float
    p50_s: float
    p90_s: float
    by_time: tuple[tuple[float, float], ...]
    in_hours_frac: float
    risks: tuple[Risk, ...]
    days: int
    working: Working


@dataclass(frozen=True, slots=True)
class _Node:
    """One flight or charge: planned start and length, what it waits for (index, lag), and its earliest start."""

    planned_s: float
    length_s: float
    waits: tuple[tuple[int, float, bool], ...]  # node, lag, somebody is at it already: no call has to be answered
    least_s: float
    flight: PlannedFlight | None
    charge: PlannedCharge | None


def monte_carlo(
    task: RotationTask,
    plan: Rotation,
    scatter: Scatter | LearnedScatter | None = None,
    *,
    days: int = 10_000,
    seed: int = 11,
    kept: PromiseKept | None = None,
) -> Chance:
    """Return how the last landing of a plan scatters.

    Parameters
    ----------
    task, plan : RotationTask, Rotation
        The day and its plan; the order of the plan is kept.
    scatter : Scatter or LearnedScatter, optional
        How times spread, and from what it was learned; usual values otherwise.
    days : int
        How many days are played.
    seed : int
        Seed of the scatter: the same seed gives the same answer.
    kept : PromiseKept, optional
        How often such forecasts were kept so far; the working says so.
    """
    known = scatter if isinstance(scatter, LearnedScatter) else LearnedScatter(scatter or Scatter())
    nodes = _nodes(task, plan)
    rng = np.random.default_rng(seed)
    end, cause = _play(task, nodes, known.scatter, rng, days)
    flown = [i for i, n in enumerate(nodes) if n.flight is not None]
    last = np.max(np.stack([end[i] for i in flown]), axis=0)
    p10, p50, p90 = (float(v) for v in np.percentile(last, (10, 50, 90)))
    closes = task.windows[-1][1] if task.windows else math.inf
    inside = float(np.mean(last <= closes + _EARLY_S))
    words = "last landing of the plan if every time is as planned"
    steps = (
        Step("planned_s", plan.makespan_s, "clock", words, source=ALGEBRA, kind="run"),
        *_scatter_steps(known),
        Step("p50_s", p50, "clock", f"half of {days} days played with this order are down by then", source=ALGEBRA, kind="run"),
        *_kept_steps(kept),
        Step("p90_s", p90, "clock", "nine in ten are down by then", source=ALGEBRA, kind="run"),
    )
    return Chance(
        p10,
        p50,
        p90,
        _curve(last),
        inside,
        _risks(nodes, flown, end, cause, last, p50),
        days,
        Working("Nine days in ten end by", p90, "clock", steps),
    )


def _scatter_steps(known: LearnedScatter) -> tuple[Step, ...]:
    s = known.scatter
    days = f"{known.days} flown day{'' if known.days == 1 else 's'}"

    def step(name: str, value: float, unit: str, words: str, count: int, what: str) -> Step:
        if not count:
            return Step(name, value, unit, words, source=ASSUMED, kind="assumption")
        learned = f"{words}: from {f'{count} {what} of ' if what else ''}{days}, weighed against what Policy assumes"
        return Step(name, value, unit, learned, source=MEASURED, kind="input")

    found = (
        step("day_frac", s.day_frac, "", "spread of all flights of one day together", known.days if known.flights else 0, ""),
        step("flight_frac", s.flight_frac, "", "spread of each flight by itself", known.flights, "flights"),
        step("charge_frac", s.charge_frac, "", "spread of each charge by itself", known.charges, "charges"),
        step("pack_frac", s.pack_frac, "", "spread of all charges of one pack together", known.charges, "charges"),
        step("swap_frac", s.swap_frac, "", "spread of each swap", known.swaps, "swaps"),
        step("reaction_s", s.reaction_s, "s", "from a call to its answer, on the mean", known.reactions, "answers"),
    )
    if s.flight_ratio == 1.0:
        return found
    return (
        *found,
        step("flight_ratio", s.flight_ratio, "", "what flights take, in times of their plan", known.flights, "flights"),
    )


def _kept_steps(kept: PromiseKept | None) -> tuple[Step, ...]:
    if kept is None or not kept.days:
        return ()
    words = f"of {kept.days} flown day{'' if kept.days == 1 else 's'} so many were down by the time promised for nine in ten"
    half = f"and so many by the time of half; {kept.days / 2:g} and {kept.days * 0.9:g} are to be expected"
    return (
        Step("kept_nine", kept.by_nine, "", words, source=MEASURED, kind="input"),
        Step("kept_half", kept.by_half, "", half, source=MEASURED, kind="input"),
    )


def _nodes(task: RotationTask, plan: Rotation) -> list[_Node]:
    """Return flights and charges in order of their planned start, each with what it waits for."""
    things: list[tuple[float, PlannedFlight | PlannedCharge]] = [(f.takeoff_s, f) for f in plan.flights]
    things += [(c.start_s, c) for c in plan.charges]
    things.sort(key=lambda t: (t[0], isinstance(t[1], PlannedFlight)))
    craft = {c.id: c.from_s for c in task.aircraft}
    sets = {s.id: s for s in task.sets}
    at_craft: dict[str, int] = {}
    crews = {a: c for c in task.crews for a in c.aircraft}
    at_crew: dict[str, int] = {}
    at_set_flight: dict[str, int] = {}
    at_pack: dict[tuple[str, int], int] = {}
    at_port: dict[tuple[str, int], int] = {}
    nodes: list[_Node] = []
    for planned, thing in things:
        waits: list[tuple[int, float, bool]] = []
        if isinstance(thing, PlannedFlight):
            least = max(craft[thing.aircraft], sets[thing.set].from_s)
            if thing.aircraft in at_craft:
                waits.append((at_craft[thing.aircraft], task.swap_of(thing.aircraft), True))
            if (crew := crews.get(thing.aircraft)) is not None:
                least = max(least, crew.from_s)
                if (before := at_crew.get(crew.id)) is not None and before != at_craft.get(thing.aircraft):
                    waits.append((before, 0.0, False))
                at_crew[crew.id] = len(nodes)
            for p in range(sets[thing.set].packs):
                if (thing.set, p) in at_pack:
                    waits.append((at_pack[thing.set, p], task.rest_after_charge_s, False))
            if thing.set in at_set_flight and not any((thing.set, p) in at_pack for p in range(sets[thing.set].packs)):
                waits.append((at_set_flight[thing.set], 0.0, False))
            at_craft[thing.aircraft] = at_set_flight[thing.set] = len(nodes)
            for p in range(sets[thing.set].packs):
                at_pack.pop((thing.set, p), None)
            nodes.append(_Node(planned, thing.landing_s - planned, tuple(waits), least, thing, None))
        else:
            if thing.set in at_set_flight:
                waits.append((at_set_flight[thing.set], task.rest_after_flight_s, False))
            if (thing.charger, thing.port) in at_port:
                waits.append((at_port[thing.charger, thing.port], 0.0, True))
            at_port[thing.charger, thing.port] = at_pack[thing.set, thing.pack] = len(nodes)
            nodes.append(_Node(planned, thing.end_s - planned, tuple(waits), sets[thing.set].from_s, None, thing))
    return nodes


class _Supply:
    """What charges draw on each day that is played: when one more finds power."""

    def __init__(self, task: RotationTask) -> None:
        self.site_w = task.site_power_w
        self.caps = {c.id: c.cap_w for c in task.chargers}
        self.draws: list[tuple[PlannedCharge, float, Floats, Floats]] = []

    def free(self, c: PlannedCharge, wall_w: float, begin: Floats) -> Floats:
        """Return when a charge may begin, at its planned turn: as soon as those before it have left power for it."""
        cap_w = self.caps[c.charger]
        near = [d for d in self.draws if d[0].end_s > c.start_s - _NEAR_S]
        for limit_w, those in (
            (self.site_w, near),
            (cap_w, [d for d in near if d[0].charger == c.charger]),
        ):
            if limit_w is None or not those:
                continue
            starts, ends = np.stack([d[2] for d in those]), np.stack([d[3] for d in those])
            walls = np.array([d[1] for d in those])
            best = np.full(begin.shape, math.inf)
            for at in (begin, *(np.maximum(begin, e) for e in ends)):
                drawn = np.einsum("k,kd->d", walls, (starts <= at + _EARLY_S) & (ends > at + 1e-6))
                best = np.where(drawn + wall_w <= limit_w + 1e-6, np.minimum(best, at), best)
            begin = np.where(np.isfinite(best), best, np.maximum(begin, ends.max(axis=0)))
        return begin

    def add(self, c: PlannedCharge, wall_w: float, begin: Floats, end: Floats) -> None:
        """Count a charge that was placed."""
        if self.site_w is not None or self.caps[c.charger] is not None:
            self.draws.append((c, wall_w, begin, end))


class _Filling:
    """The time on a port from any share to another, for one pack and rate: read between points, as arrays."""

    def __init__(self, packs: PackSet, mode: Mode) -> None:
        times = [charge_time_s(packs.capacity_wh, x, mode.pack_w, packs.law) * packs.slowness for x in _SHARES[:-1]]
        self.to_full_s = np.array([t + packs.balance_s for t in times] + [0.0])
        self.balance_s = packs.balance_s

    def length_s(self, from_frac: Floats, to_frac: float) -> Floats:
        """Return the seconds on the port; none for a pack that holds as much already."""
        left = 0.0 if to_frac >= FULL else float(np.interp(to_frac, _SHARES, self.to_full_s))
        length: Floats = np.maximum(0.0, np.interp(from_frac, _SHARES, self.to_full_s) - left)
        return length


def _play(
    task: RotationTask, nodes: list[_Node], scatter: Scatter, rng: np.random.Generator, days: int
) -> tuple[list[Floats], list[NDArray[np.int64]]]:
    """Return (ends, the node each waited for last, −1 for none), each of shape (days,)."""
    whole_day = scatter.flight_ratio * factors(rng, scatter.day_frac, days)
    by_pack: dict[tuple[str, int], Floats] = {}
    level = {(s.id, m): np.full(days, frac) for s in task.sets for m, frac in enumerate(s.starts())}
    sets = {s.id: s for s in task.sets}
    modes = {(c.id, m.name): m for c in task.chargers for m in c.modes}
    fillings: dict[tuple[str, Mode], _Filling] = {}
    under_way, supply = set(task.begun), _Supply(task)
    ends: list[Floats] = []
    cause: list[NDArray[np.int64]] = []
    known = {f.id: f for f in task.flights}
    for n in nodes:
        answer = reactions_s(rng, scatter, days)
        begin = np.full(days, n.least_s) + answer
        by = np.full(days, -1, dtype=np.int64)
        for k, lag, at_it in n.waits:
            # Who swaps packs, or takes one off a port for the next, needs no call; everything else is called, and answered.
            swap = lag * factors(rng, scatter.swap_frac, days) if n.flight is not None and at_it else lag
            done = ends[k] + (swap if at_it else lag + answer)
            later = done > begin
            begin = np.where(later, done, begin)
            by[later] = k
        if n.flight is not None:
            stretch = whole_day * factors(rng, scatter.flight_frac, days)
            length = n.length_s * stretch
            begin = _open(task, begin, length, known[n.flight.flight].windows, answer)
            for p in range(sets[n.flight.set].packs):
                took = known[n.flight.flight].energy_frac * stretch
                level[n.flight.set, p] = np.maximum(0.0, level[n.flight.set, p] - took)
            ends.append(begin + length)
        elif n.charge is not None:
            c = n.charge
            key, mode = (c.set, c.pack), modes[c.charger, c.mode]
            if key not in by_pack:
                by_pack[key] = factors(rng, scatter.pack_frac, days)
            stretch = by_pack[key] * factors(rng, scatter.charge_frac, days)
            if c in under_way:
                begin = np.full(days, c.start_s)
                length = np.maximum(n.length_s * stretch, task.now_s - c.start_s)
            else:
                filling = fillings.get((c.set, mode)) or fillings.setdefault((c.set, mode), _Filling(sets[c.set], mode))
                length = filling.length_s(level[key], c.to_frac) * stretch
                begin = supply.free(c, mode.wall_w, begin)
            level[key] = np.maximum(level[key], c.to_frac)
            ends.append(begin + length + reactions_s(rng, scatter, days))
            supply.add(c, mode.wall_w, begin, ends[-1])
        cause.append(by)
    return ends, cause


def _open(
    task: RotationTask, begin: Floats, length: Floats, own: tuple[tuple[float, float], ...] | None, answer: Floats
) -> Floats:
    """Return when flights may begin at the earliest so that they fit the hours; after the last they are flown late."""
    spans = own if own is not None else task.windows
    if spans is None:
        return begin
    settled = np.zeros(begin.shape, dtype=np.bool_)
    for n, (a, b) in enumerate(spans):
        here = np.where(begin < a, a + answer, begin)
        fits = (here + length <= b + _EARLY_S) | (n == len(spans) - 1)
        begin = np.where(~settled & fits, here, begin)
        settled |= fits
    return begin


def _curve(last: Floats, points: int = 41) -> tuple[tuple[float, float], ...]:
    low, high = float(np.percentile(last, 0.5)), float(np.percentile(last, 99.5))
    grid = np.linspace(low, max(high, low + 1.0), points)
    order = np.sort(last)
    return tuple((float(t), float(np.searchsorted(order, t, side="right") / last.size)) for t in grid)


def _risks(
    nodes: list[_Node], flown: list[int], end: list[Floats], cause: list[NDArray[np.int64]], last: Floats, p50: float
) -> tuple[Risk, ...]:
    """Walk back from the last landing of each late day; count what it waited for on the way."""
    late = np.flatnonzero(last > p50)
    if late.size == 0:
        return ()
    table = np.stack(cause)
    at = np.array(flown)[np.argmax(np.stack([end[i] for i in flown])[:, late], axis=0)]
    seen: dict[tuple[str, str], NDArray[np.bool_]] = {}
    for _ in range(len(nodes)):
        alive = at >= 0
        if not alive.any():
            break
        for i in np.unique(at[alive]):
            n = nodes[i]
            here = at == i
            keys = (
                [("pack", n.charge.set), ("port", f"{n.charge.charger}/{n.charge.port}")]
                if n.charge is not None
                else [("aircraft", n.flight.aircraft if n.flight else "")]
            )
            for key in keys:
                seen.setdefault(key, np.zeros(late.size, dtype=np.bool_))[here] = True
        at = np.where(alive, table[np.maximum(at, 0), late], -1)
    found = [Risk(what, name, float(hit.mean())) for (what, name), hit in seen.items()]
    return tuple(sorted(found, key=lambda r: -r.share_frac))


def stretched(task: RotationTask, longer_frac: float) -> RotationTask:
    """Return the day with all flights and swaps longer by a share: a plan made for it keeps that much in hand."""
    flights = tuple(replace(f, flight_s=f.flight_s * (1 + longer_frac)) for f in task.flights)
    aircraft = tuple(replace(c, fill_s=c.fill_s * (1 + longer_frac)) for c in task.aircraft)
    return replace(task, flights=flights, aircraft=aircraft, swap_s=task.swap_s * (1 + longer_frac))
