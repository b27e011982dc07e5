"""Is the promise kept? Rehearsed days of six kinds against the forecast that was made of each before it began."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from functools import cache

import numpy as np

from bench.clock import show
from quarry.core.day.adapting import adapted, gained_s
from quarry.core.day.playing import rehearse
from quarry.core.day.rehearsal import World
from quarry.core.day.state import Frame
from quarry.core.power.charging import ChargeLaw
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import Charger, Craft, Flight, Mode, PackSet, Rotation, RotationTask
from quarry.core.rotation.monte_carlo import Chance, monte_carlo
from quarry.core.rotation.optimise import improve
from quarry.core.rotation.scatter import Scatter

DAYS = 300
SEARCH_S = 4.0
_FAST, _SLOW = Mode("fast", 480.0, 560.0), Mode("gentle", 240.0, 285.0)
_LAW = ChargeLaw(0.85, 2.0)


def _flights(rng: np.random.Generator, craft: str, count: int, mean_s: float, frac: float, **over: object) -> list[Flight]:
    return [
        Flight(f"{craft}{k}", craft, float(round(mean_s * rng.uniform(0.75, 1.2))), float(frac * rng.uniform(0.75, 1.15)), **over)  # type: ignore[arg-type]
        for k in range(1, count + 1)
    ]


def _sets(rng: np.random.Generator, kind: str, count: int, wh: float, *, packs: int = 1) -> list[PackSet]:
    return [
        PackSet(f"{kind}{k}", kind, packs, float(wh * rng.uniform(0.92, 1.02)), float(rng.choice([1.0, 0.6, 0.4])), law=_LAW)
        for k in range(1, count + 1)
    ]


def _day(craft: list[Craft], flights: list[Flight], sets: list[PackSet], chargers: list[Charger], **over: object) -> RotationTask:
    usual = {"swap_s": 240.0, "rest_after_flight_s": 900.0, "rest_after_charge_s": 300.0}
    return RotationTask(tuple(craft), tuple(flights), tuple(sets), tuple(chargers), **{**usual, **over})  # type: ignore[arg-type]


def _ports(rng: np.random.Generator) -> RotationTask:
    return _day([Craft("a", "k")], _flights(rng, "a", 11, 1150, 0.66), _sets(rng, "k", 5, 350), [Charger("1", 2, (_FAST,))])


def _pairs(rng: np.random.Generator) -> RotationTask:
    sets = _sets(rng, "k", 4, 760, packs=2)
    return _day(
        [Craft("a", "k")],
        _flights(rng, "a", 9, 900, 0.6),
        sets,
        [Charger("1", 4, (Mode("fast", 1100.0, 1250.0),))],
        site_power_w=3200.0,
    )


def _two_alike(rng: np.random.Generator) -> RotationTask:
    flights = _flights(rng, "a", 8, 1200, 0.65) + _flights(rng, "b", 7, 1000, 0.6)
    return _day([Craft("a", "k"), Craft("b", "k")], flights, _sets(rng, "k", 8, 350), [Charger("1", 4, (_FAST,))])


def _two_types(rng: np.random.Generator) -> RotationTask:
    flights = _flights(rng, "a", 8, 1200, 0.65) + _flights(rng, "b", 9, 800, 0.55)
    sets = _sets(rng, "k", 4, 350) + _sets(rng, "m", 3, 600)
    return _day([Craft("a", "k"), Craft("b", "m")], flights, sets, [Charger("1", 3, (_FAST,)), Charger("2", 1, (_SLOW,))])


def _rates(rng: np.random.Generator) -> RotationTask:
    chargers = [Charger("1", 2, (_FAST, _SLOW), 900.0), Charger("2", 2, (_SLOW,))]
    return _day([Craft("a", "k")], _flights(rng, "a", 12, 1300, 0.7), _sets(rng, "k", 6, 350), chargers, site_power_w=1500.0)


def _to_need(rng: np.random.Generator) -> RotationTask:
    flights = [
        Flight(f.id, f.aircraft, f.flight_s, f.energy_frac, min(1.0, f.energy_frac + 0.2))
        for f in _flights(rng, "a", 8, 1000, 0.5)
    ]
    return _day([Craft("a", "k")], flights, _sets(rng, "k", 4, 350), [Charger("1", 2, (_FAST,))], policy="partial")


KINDS: dict[str, Callable[[np.random.Generator], RotationTask]] = {
    "few ports": _ports,
    "pairs on one supply": _pairs,
    "two aircraft share packs": _two_alike,
    "two types of set": _two_types,
    "two rates, a limit": _rates,
    "charged to need": _to_need,
}


@cache
def _planned(kind: str, n: int) -> tuple[RotationTask, Rotation, Frame, Chance]:
    task = KINDS[kind](np.random.default_rng([n, *kind.encode()]))
    plan = improve(task, dispatch(task), SEARCH_S, workers=1).rotation
    members = {s.id: tuple(f"{s.id}.{m}" for m in range(s.packs)) for s in task.sets}
    frame = Frame(task, members, {f.flight: f.set for f in plan.flights})
    return task, plan, frame, adapted(monte_carlo(task, plan, Scatter(), days=4000), gained_s(frame, plan, Scatter()))


def played(kind: str, n: int) -> tuple[str, float, float, float, float]:
    """Return (kind, when a rehearsed day ended, what was forecast of it: P10, P50, P90)."""
    # Five worlds rehearse each day: what is the day's own and what is chance come apart.
    _, plan, frame, chance = _planned(kind, n // 5)
    day = rehearse(frame, plan, World(frame, 1000 * list(KINDS).index(kind) + n, scatter=Scatter()), {})
    return kind, day.debrief.flown_s, chance.p10_s, chance.p50_s, chance.p90_s


def _five(kind: str, first: int) -> list[tuple[str, float, float, float, float]]:
    return [played(kind, n) for n in range(first, first + 5)]


def table(days: int = DAYS) -> None:
    """Print how often the promise was kept, by kind of day."""
    each = max(1, days // len(KINDS))
    with ProcessPoolExecutor(max(1, os.cpu_count() or 1)) as pool:
        jobs = [pool.submit(_five, kind, n) for kind in KINDS for n in range(0, each, 5)]
        found = [day for j in jobs for day in j.result()]
    rows = []
    for kind in (*KINDS, "all"):
        mine = np.array([f[1:] for f in found if kind in (f[0], "all")])
        end, p10, p50, p90 = mine.T
        off = np.mean(end - p50) / 60
        spread = np.std((end - p50) / (p90 - p10)) * 2.563
        rows.append(
            [kind, f"{len(mine)}", f"{np.mean(end <= p50):.0%}", f"{np.mean(end <= p90):.0%}", f"{spread:.2f}", f"{off:+.1f} min"]
        )
    show(
        "the promise: rehearsed days against their forecast",
        ["kind of day", "days", "by P50", "by P90", "spread", "off P50"],
        rows,
    )


if __name__ == "__main__":
    table()
