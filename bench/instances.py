"""All instances of a folder against their references, judged by the checkers that came with them."""

from __future__ import annotations

import json
import time
from pathlib import Path
from typing import Any

from bench.clock import ms, show
from quarry.compute.bench import RotationInstance, rotation_task
from quarry.compute.catalogue import compute
from quarry.core.rotation.dispatch import dispatch
from tests.reference.checkers import check_coverage, check_rotation, check_sorties

SEARCH_S = 10.0  # seconds for the solver, as an organisation waits for a better plan


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
            "Rotation, last landing in s against the best known (= proven here, ? not proven there)",
            ("instance", "packs fly", "simple rule", "dispatcher", "solver", "bound", "best known", "above", ""),
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
    task = rotation_task(RotationInstance.model_validate(data["instance"]))
    began = time.perf_counter()
    greedy = dispatch(task)
    quick = time.perf_counter() - began
    found, took = _timed("rotation", {"instance": data["instance"], "time_limit_s": SEARCH_S})
    _, makespan, _, errors = check_rotation.check(data["instance"], found)
    best = data["reference"]["makespan_s"]
    plain = [
        v["makespan_s"] if isinstance(v, dict) else v
        for k, v in data["reference"]["rules"].items()
        if v is not None and k != "random_list_2s"
    ]
    plain = [v for v in plain if v is not None]
    row = (
        name,
        data["instance"]["policy"],
        f"{min(plain):,.0f}" if plain else "",
        f"{greedy.makespan_s:,.0f} ({ms(quick)})",
        f"{makespan:,.0f} ({took:.1f} s)",
        f"{found['lower_bound_s']:,.0f}{' =' if found['proven_optimal'] else ''}",
        f"{best:,.0f}{'' if data['reference']['proven_optimal'] else ' ?'}",
        f"{makespan / best - 1:+.2%}",
    )
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
    found, took = _timed("coverage", {"instance": data["instance"], "ends": "clip", "most_left_frac": 1.0})
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
