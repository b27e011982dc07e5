"""Searches: whole sorties against every plan there is, 200 segments at once, and 300 simulated searches with seeded persons."""

from __future__ import annotations

import json
import os
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor

import numpy as np

from bench.clock import ms, show
from bench.house import house
from quarry.core.base.errors import Infeasible
from quarry.core.search.effort import search_rate_per_s
from quarry.core.search.next_sorties import Assigned, Effort, Pool, Searcher, plan_search, playing
from tests.core.test_search_effort import every_plan, instance

SMALL, SEARCHES, PERSONS = 200, 300, 40
_SIDE = 5
_HOUR_S = 2.5 * 3600.0
Rule = Callable[[np.ndarray, np.ndarray, np.ndarray], int]


def small(seed: int) -> tuple[float, float, bool]:
    """Return what the plan of a small search gives, what the best of all plans gives, and whether it was proven."""
    rng = np.random.default_rng(seed)
    e = instance(
        rng,
        int(rng.integers(2, 4)),
        int(rng.integers(1, 3)),
        ("random", "inverse_cube", "definite")[seed % 3],
        windows=seed % 2 == 1,
    )
    best = every_plan(e)
    try:
        plan = plan_search(e)
    except Infeasible:
        return 0.0, best, True
    return plan.success_frac, best, plan.proven


def ground(seed: int) -> Effort:
    """Return a search of 25 segments in a square with two aircraft on six sets and a team on foot."""
    rng = np.random.default_rng(seed)
    n = _SIDE**2
    shares = rng.dirichlet(np.full(n + 1, 0.7))
    area = rng.uniform(4e4, 2.5e5, n)
    width = rng.choice([12.0, 30.0, 60.0], n)
    x, y = np.meshgrid(np.arange(_SIDE), np.arange(_SIDE))
    away = 350.0 * np.hypot(x, y).ravel()
    crew = [
        Searcher(
            f"aircraft {k}",
            ((60.0 * k, _HOUR_S),),
            1100.0,
            150.0,
            tuple(2 * away / 11.0 + 70.0),
            tuple(search_rate_per_s(float(w), 8.0, float(a)) for w, a in zip(width, area, strict=True)),
            0,
        )
        for k in range(2)
    ]
    crew.append(
        Searcher(
            "team",
            ((600.0, _HOUR_S),),
            7200.0,
            600.0,
            tuple(2 * away / 1.2),
            tuple(search_rate_per_s(15.0, 0.8, float(a)) for a in area),
        )
    )
    return Effort(tuple(shares[:-1]), tuple(crew), (Pool((0.0,) * 6, 2700.0, 4),), "random", _HOUR_S)


def found_at(effort: Effort, sorties: tuple[Assigned, ...], seed: int) -> np.ndarray:
    """Return when each of many persons set down by the shares is found, inf where not by the hour. [s]"""
    rng = np.random.default_rng(seed)
    shares = np.array([*effort.shares, 1 - sum(effort.shares)])
    where = rng.choice(len(shares), PERSONS, p=shares / shares.sum())
    at = np.full(PERSONS, np.inf)
    for a in sorted(sorties, key=lambda a: a.end_s):
        there = np.flatnonzero((where == a.segment) & (rng.random(PERSONS) < a.detection_frac))
        seen = a.end_s - a.on_scene_s * rng.random(len(there))
        at[there] = np.minimum(at[there], seen)
    return at


def _sweep(order: list[int]) -> Rule:
    """All ground side by side, one segment after the other, once round and again."""

    def rule(gain: np.ndarray, _shares: np.ndarray, looks: np.ndarray) -> int:
        return min((int(j) for j in np.flatnonzero(gain >= 0)), key=lambda j: (looks[j], order.index(j)))

    return rule


def _likeliest(gain: np.ndarray, shares: np.ndarray, _looks: np.ndarray) -> int:
    return int(np.argmax(np.where(gain >= 0, shares, -1.0)))


def search(seed: int) -> tuple[float, ...]:
    """Return for a search by the plan, by a sweep of all and by the likeliest first: minutes to find, and found by the hour; POS stated."""
    e = ground(seed)
    plan = plan_search(e, 1_500)
    ways = [plan.sorties, playing(e, _sweep(list(range(_SIDE**2)))), playing(e, _likeliest)]
    found = [found_at(e, sorties, seed) for sorties in ways]
    minutes = [float(np.minimum(at, _HOUR_S).mean()) / 60 for at in found]
    share = [float(np.isfinite(at).mean()) for at in found]
    return (*minutes, *share, plan.success_frac)


def first_launch() -> list[tuple[str, str, str]]:
    """Return rows: how long the first patterns of a search take, and its launch where the limits of the demo are open."""
    with house() as made:
        shown = json.loads(made.ask("GET", "/api/searches"))[0]["id"]
        demo = json.loads(made.ask("GET", f"/api/searches/{shown}"))
        what = {k: demo[k] for k in ("point", "home", "aircraft_ids", "sensor")} | {"radius_m": 900.0}
        asked = {"name": "bench", "what": what, "kind_id": demo["kind_id"]}
        search = json.loads(made.ask("POST", "/api/searches", asked))["id"]
        began = time.perf_counter()
        patterns = json.loads(made.ask("GET", f"/api/searches/{search}/first"))
        laid = time.perf_counter() - began
        able = [p for p in patterns if not p["problem"]]
        rows = [("first patterns over 900 m around, through the API", f"{len(able)}", ms(laid))]
        fit = next((p for p in able if not p["shut"]), None)
        if fit is None:
            return [*rows, ("… and the launch", "0", "the limits are shut at this hour")]
        began = time.perf_counter()
        made.ask("POST", f"/api/searches/{search}/first", {"pattern": fit["pattern"]})
        return [*rows, ("… and the launch: job, day, calls", fit["words"], ms(time.perf_counter() - began))]


def table() -> None:
    """Print the table."""
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        tried = list(pool.map(small, range(SMALL), chunksize=8))
        played = np.array(list(pool.map(search, range(SEARCHES), chunksize=8)))
    worse = sum(plan < best - 1e-9 for plan, best, _ in tried)
    rng = np.random.default_rng(3)
    n = 200
    shares = rng.dirichlet(np.full(n + 1, 0.6))[:-1]
    area = rng.uniform(3e4, 3e5, n)
    crew = tuple(
        Searcher(
            f"a{k}",
            ((0.0, 3 * 3600.0),),
            1100.0,
            120.0,
            tuple(rng.uniform(40, 400, n)),
            tuple(search_rate_per_s(35.0, 9.0, float(a)) for a in area),
            0,
        )
        for k in range(3)
    )
    large = Effort(tuple(shares), crew, (Pool((0.0,) * 8, 2400.0, 4),), "random", 3 * 3600.0)
    began = time.perf_counter()
    plan = plan_search(large)
    took = time.perf_counter() - began
    mean = played.mean(axis=0)
    show(
        "Searches",
        ("what", "how many", "found"),
        [
            ("small searches, plan below the best of all plans", f"{SMALL}", f"{worse}"),
            ("of these proven", f"{SMALL}", f"{sum(p for _, _, p in tried)}"),
            ("200 segments, three aircraft, three hours", ms(took), f"{plan.success_frac:.1%}, at most {plan.at_most_frac:.1%}"),
            *first_launch(),
            ("minutes to find, not found counting 150: by the plan", f"{SEARCHES} × {PERSONS}", f"{mean[0]:.1f}"),
            ("… by a sweep of all", "", f"{mean[1]:.1f}"),
            ("… by the likeliest first", "", f"{mean[2]:.1f}"),
            ("found by the hour: plan, sweep, likeliest first", "", f"{mean[3]:.1%}, {mean[4]:.1%}, {mean[5]:.1%}"),
            ("POS stated by the plan", "", f"{mean[6]:.1%}"),
        ],
    )
