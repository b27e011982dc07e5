"""The confidence in a day: the plan flown ten thousand times with times that scatter as they do.

The order of everything stays as planned; each thing begins when all that it waits for is done, and no sooner than the
hours allow. One windy day makes all flights long together: that part of the scatter is drawn once for a day, the rest for
each flight, charge and swap by itself. All days are played at once, as arrays.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.errors import require_range
from quarry.core.base.settings import Setting
from quarry.core.base.sources import ALGEBRA, ASSUMED
from quarry.core.base.working import Step, Working
from quarry.core.rotation.model import PlannedCharge, PlannedFlight, Rotation, RotationTask

Floats = NDArray[np.float64]
_EARLY_S = 1.0


@dataclass(frozen=True, slots=True)
class Scatter:
    """Spread of real times about planned ones, as standard deviations of their logarithms, and delays of a swap.

    ``day``: common to all flights of a day (wind, air); ``flight``: of each flight by itself; ``charge``: of each charge;
    ``pack``: common to all charges of one pack in a day; ``swap``: of each swap.
    """

    day_frac: float = 0.05
    flight_frac: float = 0.05
    charge_frac: float = 0.06
    pack_frac: float = 0.03
    swap_frac: float = 0.25

    def __post_init__(self) -> None:
        for name in ("day_frac", "flight_frac", "charge_frac", "pack_frac", "swap_frac"):
            require_range(getattr(self, name), 0.0, 1.0, f"scatter.{name}", "Spread", "")


_S = Scatter()
SETTINGS: tuple[Setting, ...] = tuple(
    Setting(f"scatter.{name}", "Confidence", words, getattr(_S, name), why, "%", 100.0, 0.0, 1.0, source=ASSUMED)
    for name, words, why in (
        ("day_frac", "Flights: all of one day together", "a windy day makes all flights long; your own logs will replace this"),
        ("flight_frac", "Flights: each by itself", "turns, pauses and gusts; your own logs will replace this"),
        (
            "charge_frac",
            "Charges: each by itself",
            "cells and chargers differ from time to time; your own records will replace this",
        ),
        ("pack_frac", "Charges: one pack all day", "a pack that takes long takes long again; your own records will replace this"),
        ("swap_frac", "Swaps", "cold hands, a card to change, a question; your own days will replace this"),
    )
)


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
    waits: tuple[tuple[int, float, bool], ...]  # node, lag, the lag is a swap
    least_s: float
    flight: PlannedFlight | None
    charge: PlannedCharge | None


def monte_carlo(
    task: RotationTask, plan: Rotation, scatter: Scatter | None = None, *, days: int = 10_000, seed: int = 11
) -> Chance:
    """Return how the last landing of a plan scatters.

    Parameters
    ----------
    task, plan : RotationTask, Rotation
        The day and its plan; the order of the plan is kept.
    scatter : Scatter, optional
        How times spread; usual values otherwise.
    days : int
        How many days are played.
    seed : int
        Seed of the scatter: the same seed gives the same answer.
    """
    spread = scatter or Scatter()
    nodes = _nodes(task, plan)
    rng = np.random.default_rng(seed)
    end, cause = _play(task, nodes, spread, rng, days)
    flown = [i for i, n in enumerate(nodes) if n.flight is not None]
    last = np.max(np.stack([end[i] for i in flown]), axis=0)
    p10, p50, p90 = (float(v) for v in np.percentile(last, (10, 50, 90)))
    closes = task.windows[-1][1] if task.windows else math.inf
    inside = float(np.mean(last <= closes + _EARLY_S))
    steps = (
        Step(
            "planned_s",
            plan.makespan_s,
            "clock",
            "last landing of the plan if every time is as planned",
            source=ALGEBRA,
            kind="run",
        ),
        Step("day_frac", spread.day_frac, "", "spread of all flights of one day together", source=ASSUMED, kind="assumption"),
        Step("flight_frac", spread.flight_frac, "", "spread of each flight by itself", source=ASSUMED, kind="assumption"),
        Step("charge_frac", spread.charge_frac, "", "spread of each charge by itself", source=ASSUMED, kind="assumption"),
        Step("pack_frac", spread.pack_frac, "", "spread of all charges of one pack together", source=ASSUMED, kind="assumption"),
        Step("swap_frac", spread.swap_frac, "", "spread of each swap", source=ASSUMED, kind="assumption"),
        Step("p50_s", p50, "clock", f"half of {days} days played with this order are down by then", source=ALGEBRA, kind="run"),
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


def _nodes(task: RotationTask, plan: Rotation) -> list[_Node]:
    """Return flights and charges in order of their planned start, each with what it waits for."""
    things: list[tuple[float, PlannedFlight | PlannedCharge]] = [(f.takeoff_s, f) for f in plan.flights]
    things += [(c.start_s, c) for c in plan.charges]
    things.sort(key=lambda t: (t[0], isinstance(t[1], PlannedFlight)))
    craft = {c.id: c.from_s for c in task.aircraft}
    sets = {s.id: s for s in task.sets}
    at_craft: dict[str, int] = {}
    at_set_flight: dict[str, int] = {}
    at_pack: dict[tuple[str, int], int] = {}
    at_port: dict[tuple[str, int], int] = {}
    tight = _power_waits(task, plan)
    index: dict[int, int] = {}
    nodes: list[_Node] = []
    for planned, thing in things:
        waits: list[tuple[int, float, bool]] = []
        if isinstance(thing, PlannedFlight):
            least = max(craft[thing.aircraft], sets[thing.set].from_s)
            if thing.aircraft in at_craft:
                waits.append((at_craft[thing.aircraft], task.swap_s, True))
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
                waits.append((at_port[thing.charger, thing.port], 0.0, False))
            waits += [(index[k], 0.0, False) for k in tight.get(id(thing), ()) if k in index]
            at_port[thing.charger, thing.port] = at_pack[thing.set, thing.pack] = index[id(thing)] = len(nodes)
            nodes.append(_Node(planned, thing.end_s - planned, tuple(waits), sets[thing.set].from_s, None, thing))
    return nodes


def _power_waits(task: RotationTask, plan: Rotation) -> dict[int, tuple[int, ...]]:
    """Charges that begin just as others end because the supply, or their charger, gives no more at once."""
    if task.site_power_w is None and all(c.cap_w is None for c in task.chargers):
        return {}
    found: dict[int, tuple[int, ...]] = {}
    for c in plan.charges:
        ended = tuple(id(o) for o in plan.charges if o is not c and abs(o.end_s - c.start_s) <= 1.0)
        if ended:
            found[id(c)] = ended
    return found


def _play(
    task: RotationTask, nodes: list[_Node], scatter: Scatter, rng: np.random.Generator, days: int
) -> tuple[list[Floats], list[NDArray[np.int64]]]:
    """Return (ends, the node each waited for last, −1 for none), each of shape (days,)."""

    def spread(sd: float) -> Floats:
        # Mean of one: a plan that is right on the mean stays so.
        return np.exp(rng.normal(-0.5 * sd * sd, sd, days)) if sd > 0 else np.ones(days)

    whole_day = spread(scatter.day_frac)
    by_pack: dict[tuple[str, int], Floats] = {}
    ends: list[Floats] = []
    cause: list[NDArray[np.int64]] = []
    known = {f.id: f for f in task.flights}
    for n in nodes:
        begin = np.full(days, n.least_s)
        by = np.full(days, -1, dtype=np.int64)
        for k, lag, swap in n.waits:
            done = ends[k] + (lag * spread(scatter.swap_frac) if swap else lag)
            later = done > begin
            begin = np.where(later, done, begin)
            by[later] = k
        if n.flight is not None:
            length = n.length_s * whole_day * spread(scatter.flight_frac)
            begin = _open(task, begin, length, known[n.flight.flight].windows)
        elif n.charge is not None:
            key = (n.charge.set, n.charge.pack)
            if key not in by_pack:
                by_pack[key] = spread(scatter.pack_frac)
            length = n.length_s * by_pack[key] * spread(scatter.charge_frac)
        ends.append(begin + length)
        cause.append(by)
    return ends, cause


def _open(task: RotationTask, begin: Floats, length: Floats, own: tuple[tuple[float, float], ...] | None) -> Floats:
    """Return when flights may begin at the earliest so that they fit the hours; after the last they are flown late."""
    spans = own if own is not None else task.windows
    if spans is None:
        return begin
    settled = np.zeros(begin.shape, dtype=np.bool_)
    for n, (a, b) in enumerate(spans):
        here = np.maximum(begin, a)
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


def robust(task: RotationTask, plans: list[Rotation], scatter: Scatter | None = None, *, days: int = 4_000) -> Rotation:
    """Return of several plans the one of which nine days in ten end first."""
    return min(plans, key=lambda p: monte_carlo(task, p, scatter, days=days).p90_s)


def stretched(task: RotationTask, longer_frac: float) -> RotationTask:
    """Return the day with all flights and swaps longer by a share: a plan made for it keeps that much in hand."""
    flights = tuple(replace(f, flight_s=f.flight_s * (1 + longer_frac)) for f in task.flights)
    return replace(task, flights=flights, swap_s=task.swap_s * (1 + longer_frac))
