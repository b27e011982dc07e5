"""All instances of a folder against their references, judged by the checkers that came with them."""

from __future__ import annotations

import json
import time
from pathlib import Path
from typing import Any

from bench.clock import ms, show
from quarry.compute.catalogue import compute
from tests.reference.checkers import check_coverage, check_rotation, check_sorties


def table(folder: Path) -> int:
    """Print a line for each instance; returns 1 if any answer is invalid."""
    families: dict[str, list[tuple[str, ...]]] = {"A": [], "B": [], "C": []}
    invalid = 0
    for path in sorted(folder.glob("*.json")):
        data = json.loads(path.read_text(encoding="utf-8"))
        family = path.stem[0]
        if family not in families or "instance" not in data:
            continue
        for row, errors in {"A": _rotation, "B": _sorties, "C": _coverage}[family](path.stem, data):
            families[family].append((*row, "valid" if not errors else f"INVALID: {errors[:1]}"))
            invalid += bool(errors)
    heads = {
        "A": (
            "Rotation against the best known",
            ("instance", "packs fly", "time", "ends", "best known", "above", "best rule", ""),
        ),
        "B": ("Sorties against the optimum", ("instance", "breaks", "time", "sorties", "total", "optimum", "above", "")),
        "C": (
            "Coverage against the best known",
            ("instance", "time", "flown in", "best known", "above", "uncovered", "reference", ""),
        ),
    }
    for family, rows in families.items():
        if rows:
            show(*heads[family], rows)
    if not any(families.values()):
        print(f"No instances in {folder}.")
        return 1
    return int(invalid > 0)


def _timed(name: str, data: dict[str, Any]) -> tuple[dict[str, Any], float]:
    began = time.perf_counter()
    found = compute(name, data)
    return found, time.perf_counter() - began


def _rotation(name: str, data: dict[str, Any]) -> list[tuple[tuple[str, ...], list[str]]]:
    found, took = _timed("rotation", {"instance": data["instance"]})
    _, makespan, _, errors = check_rotation.check(data["instance"], found)
    best = data["reference"]["makespan_s"]
    plain = [
        v["makespan_s"] if isinstance(v, dict) else v
        for k, v in data["reference"]["rules"].items()
        if v is not None and k != "random_list_2s"
    ]
    plain = [v for v in plain if v is not None]
    rule = f"{makespan / min(plain) - 1:+.1%}" if plain else ""
    row = (name, data["instance"]["policy"], ms(took), f"{makespan:,.0f} s", f"{best:,.0f} s", f"{makespan / best - 1:.2%}", rule)
    return [(row, errors)]


def _sorties(name: str, data: dict[str, Any]) -> list[tuple[tuple[str, ...], list[str]]]:
    rows = []
    for breaks in ("waypoints", "any_point"):
        found, took = _timed("sorties", {"instance": data["instance"], "breaks": breaks})
        _, count, total, errors = check_sorties.check(data["instance"], found, breaks)
        best = data["reference"][breaks]["optimal_total_s"]
        above = f"{total / best - 1:.2%}"
        rows.append(((name, breaks, ms(took), str(count), f"{total:,.0f} s", f"{best:,.0f} s", above), errors))
    return rows


def _coverage(name: str, data: dict[str, Any]) -> list[tuple[tuple[str, ...], list[str]]]:
    found, took = _timed("coverage", {"instance": data["instance"], "ends": "clip"})
    _, flown, uncovered, errors = check_coverage.check(data["instance"], found, data["reference"])
    best = data["reference"]["best_known_time_s"]
    reference = data["reference"]["best"].get("uncovered_pct_flat_ends", 0.0)
    row = (
        name,
        ms(took),
        f"{flown:,.0f} s",
        f"{best:,.0f} s",
        f"{flown / best - 1:.2%}",
        f"{uncovered:.2f} %",
        f"{reference:.2f} %",
    )
    return [(row, errors)]
