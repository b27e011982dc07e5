"""Recorded flights to the core's, and the matches of a log as plain data."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from quarry.apps.fleet.models import PackModel
from quarry.apps.logbook.views import BookEntry, Candidate
from quarry.core.cells.chemistry import chemistry_of
from quarry.core.logs.match import Flown, matches_of

_OVER_FULL_V = 0.05


@dataclass(frozen=True, slots=True)
class LogFlown:
    """What a log says of its flight as far as a match goes by it."""

    began_at: datetime
    length_s: float
    serial: str
    zoned: bool
    to_frac: float | None


def volts_fit(model: PackModel, volts: float) -> bool:
    """Return whether a pack of a model can have shown a mean of so many volts in flight: each cell between empty and full."""
    chemistry = chemistry_of(model.chemistry)
    return chemistry.least_v <= volts / model.cells <= chemistry.full_v + _OVER_FULL_V


def best_matches(flight: LogFlown, recorded: Sequence[BookEntry], serials: dict[str, list[str]]) -> tuple[list[Candidate], bool]:
    """Return the recorded flights that a log may be of, best first, and whether the first is sure.

    ``recorded``: entries of the logbook, with their packs' ``serials``.
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
        flight.began_at.timestamp(),
        flight.length_s,
        flight.serial,
        known,
        zoned=flight.zoned,
        to_frac=_number(flight.to_frac),
    )
    return [Candidate(m.key, round(m.score_frac, 2), m.off_s, m.why) for m in found], sure


def _number(value: float | None) -> float:
    return math.nan if value is None else float(value)
