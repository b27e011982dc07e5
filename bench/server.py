"""The API of the demo against an empty view of the same server, over one kept connection."""

from __future__ import annotations

import json
import statistics
import time
from collections.abc import Callable

from bench.clock import ms, show
from bench.house import house

RUNS = 40


def table() -> None:
    """Ask a throwaway server with the demo's data, and print."""
    with house() as made:
        _measure(made.ask)


def _measure(ask: Callable[..., bytes]) -> None:
    job = json.loads(ask("GET", "/api/jobs"))["items"][-1]["id"]
    day = json.loads(ask("GET", "/api/days"))["items"][0]["id"]
    pack = json.loads(ask("GET", "/api/packs"))["packs"][0]["id"]
    data = json.loads(ask("GET", f"/api/jobs/{job}"))["job"]
    figures = {k: v for k, v in data.items() if k not in ("id", "version", "archived", "changed_at")}
    version = [data["version"]]

    def move(step: list[int]) -> bytes:
        step[0] += 1
        area = dict(figures["areas"][0])
        area["ring"] = [list(p) for p in area["ring"]]
        area["ring"][0][0] += step[0] * 1e-6
        told = ask("PUT", f"/api/jobs/{job}", {"version": version[0], "job": figures | {"areas": [area]}})
        version[0] = json.loads(told)["job"]["version"]
        return told

    count = [0]
    calls = {
        "empty view": lambda: ask("GET", "/empty"),
        "who am I": lambda: ask("GET", "/api/me"),
        "list of jobs": lambda: ask("GET", "/api/jobs"),
        "a job with its plan": lambda: ask("GET", f"/api/jobs/{job}"),
        "a moved point, 51 ha: save and plan": lambda: move(count),
        "working of a number": lambda: ask("GET", f"/api/jobs/{job}/working/endurance"),
        "a day with its plan": lambda: ask("GET", f"/api/days/{day}"),
        "the shelf": lambda: ask("GET", "/api/packs"),
        "a pack with its snapshot": lambda: ask("GET", f"/api/packs/{pack}"),
        "the fleet": lambda: ask("GET", "/api/fleet"),
    }
    times: dict[str, list[float]] = {name: [] for name in calls}
    sizes: dict[str, int] = {}
    for k in range(RUNS):
        for name, call in calls.items():
            if name.startswith("a moved") and k % 4:
                continue
            began = time.perf_counter()
            sizes[name] = len(call())
            times[name].append(time.perf_counter() - began)
    base = statistics.median(times["empty view"])
    rows = [
        (name, ms(statistics.median(t)), f"{statistics.median(t) / base:.1f} ×", f"{sizes[name]:,}") for name, t in times.items()
    ]
    show("API against an empty view of the same server", ("call", "median", "ratio", "bytes"), rows)
