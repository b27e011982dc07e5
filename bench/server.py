"""The API of the demo against an empty view of the same server, over one kept connection."""

from __future__ import annotations

import json
import random
import statistics
import threading
import time
from collections.abc import Callable

from bench.clock import ms, show
from bench.house import House, house
from bench.kills import Person

RUNS = 40


def table() -> None:
    """Ask a throwaway server with the demo's data, and print."""
    with house() as made:
        _measure(made.ask)
        _beside(made)


def _beside(made: House) -> None:
    """Print how long short questions take while twenty people ask for what takes long, against nobody asking."""
    rows = []
    someone = Person(f"http://127.0.0.1:{made.port}", "marrable", made.word)
    someone.sign_in()
    alone = 0.0
    for count, path in ((0, ""), (20, "/logbook/claims"), (20, "/packs")):
        over, took = threading.Event(), []
        threads = [threading.Thread(target=_again, args=(made, path, over, took), daemon=True) for _ in range(count)]
        for thread in threads:
            thread.start()
        time.sleep(2 if count else 0)
        short = sorted(_took(lambda: someone.ask("GET", "/me")) for _ in range(RUNS))
        over.set()
        for thread in threads:
            thread.join(60)
        median = statistics.median(short)
        alone = alone or median
        rows.append(
            (
                f"{count} × {path}" if count else "nobody",
                ms(median),
                ms(short[int(0.95 * len(short))]),
                f"{median / alone:.1f} ×",
                ms(statistics.median(took)) if took else "",
            )
        )
    show("Who am I, beside people who ask for what takes long", ("beside", "median", "19 of 20", "ratio", "each of them"), rows)


def _took(call: Callable[[], object]) -> float:
    began = time.perf_counter()
    call()
    time.sleep(0.03)
    return time.perf_counter() - began - 0.03


def _again(made: House, path: str, over: threading.Event, took: list[float]) -> None:
    person = Person(f"http://127.0.0.1:{made.port}", random.choice(("marrable", "oduya", "lindqvist")), made.word)
    person.sign_in()
    while not over.is_set():
        took.append(_took(lambda: person.ask("GET", path)))


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
