"""Recorded flights to the core's, and the matches of a log as plain data."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from quarry.apps.logbook.views import BookEntry
from quarry.core.logs.match import Flown, matches_of

Plain = dict[str, Any]


def best_matches(flight: Plain, recorded: Sequence[BookEntry], serials: dict[str, list[str]]) -> tuple[list[Plain], bool]:
    """Return the recorded flights that a log may be of, best first, and whether the first is sure.

    ``flight``: began_at, length_s, serial, zoned, to_frac; ``recorded``: entries of the logbook, with their packs' ``serials``.
    """
    known = [
        Flown(
            e.id,
            tuple(serials.get(e.id, ())),
            e.began_at.timestamp(),
            e.length_s,
            _number(e.from_frac),
            _number(e.to_frac),
        )
        for e in recorded
        if e.began_at is not None
    ]
    found, sure = matches_of(
        flight["began_at"].timestamp(),
        flight["length_s"],
        flight["serial"],
        known,
        zoned=flight["zoned"],
        to_frac=_number(flight["to_frac"]),
    )
    return [{"id": m.key, "score": round(m.score_frac, 2), "off_s": m.off_s, "why": m.why} for m in found], sure


def _number(value: float | None) -> float:
    return math.nan if value is None else float(value)
