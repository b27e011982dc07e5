"""Run a file of published check values against the core and tell how far off each topic is."""

from __future__ import annotations

import json
import math
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tests.reference.topics import TOPICS, Topic

VALUES = Path(__file__).with_name("values.json")
_CIRCLE = {"bearing": 360.0, "axis": 180.0}


@dataclass(slots=True)
class Told:
    """What came of one topic; ``worst`` is the largest error as a share of its tolerance."""

    name: str
    rows: int
    failures: list[str] = field(default_factory=list)
    worst: float = 0.0
    compared: int = 0
    left_out: tuple[str, ...] = ()


def run(path: Path = VALUES) -> tuple[list[Told], list[str]]:
    """Return the outcome of each mapped topic and the names of those without a mapping."""
    values: dict[str, list[dict[str, Any]]] = json.loads(path.read_text(encoding="utf-8"))
    told = [_topic(name, TOPICS[name], rows) for name, rows in values.items() if name in TOPICS]
    return told, [name for name in values if name not in TOPICS]


def _topic(name: str, topic: Topic, rows: list[dict[str, Any]]) -> Told:
    outputs = {key for row in rows for key in row["outputs"]}
    told = Told(name, len(rows), left_out=tuple(sorted(outputs - set(topic.how))))
    for n, row in enumerate(rows, start=1):
        got = topic.answer(row["inputs"])
        for key, want in row["outputs"].items():
            if key not in topic.how:
                continue
            told.compared += 1
            off = _off(got.get(key), want, *topic.how[key], row["tolerance"])
            told.worst = max(told.worst, off)
            if off > 1.0:
                told.failures.append(f"{name} row {n}, {key}: {got.get(key)} instead of {want}")
    return told


def _off(got: Any, want: Any, kind: str, key: str, tolerance: dict[str, Any]) -> float:
    """Return the error as a share of the tolerance; inf where the two cannot be compared."""
    if isinstance(want, list):
        if not isinstance(got, list) or len(got) != len(want):
            return math.inf
        return max((_off(g, w, kind, key, tolerance) for g, w in zip(got, want, strict=True)), default=0.0)
    if want is None or got is None or kind == "exact" or isinstance(want, bool):
        return 0.0 if got == want else math.inf
    allowed = float(tolerance[key])
    error = abs(float(got) - float(want))
    if kind in _CIRCLE:
        error = min(error % _CIRCLE[kind], _CIRCLE[kind] - error % _CIRCLE[kind])
    if kind == "rel":
        allowed *= abs(float(want))
    return error / allowed if allowed > 0 else (0.0 if error == 0 else math.inf)


def report(told: list[Told], unmapped: list[str]) -> str:
    """Return the outcome as a table."""
    lines = [f"{'topic':24} {'rows':>5} {'values':>7} {'failed':>7} {'worst':>8}  outputs not mapped"]
    lines += [f"{t.name:24} {t.rows:5} {t.compared:7} {len(t.failures):7} {t.worst:8.1%}  {', '.join(t.left_out)}" for t in told]
    lines += [f"    {failure}" for t in told for failure in t.failures]
    lines.append(f"worst: largest error as a share of the tolerance. Topics without a mapping: {', '.join(unmapped) or 'none'}")
    return "\n".join(lines)
