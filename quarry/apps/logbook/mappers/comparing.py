"""Two groups of flights laid over one another."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from quarry.apps.logbook.formats.samples import log_from
from quarry.apps.logbook.views import (
    Axis,
    BandOut,
    CompareOut,
    CurveOf,
    DifferenceOut,
    FlightCurveOut,
    FlightGroupOut,
    GroupFlight,
)
from quarry.core.base.errors import CoreError
from quarry.core.logs.compare import Curve, curve_of, middle_of, table_of


@dataclass(frozen=True, slots=True)
class Compared:
    """A flight of a group: its line in the group, its figures, its samples, and its cells in series."""

    line: GroupFlight
    figures: Any
    samples: bytes
    cells: int | None


def compared(ours: Sequence[Compared], theirs: Sequence[Compared], quantity: CurveOf, axis: Axis) -> CompareOut:
    """Return curves, middles and the table of differences of two groups."""
    table = [
        DifferenceOut(
            figure=name,
            unit=unit,
            of=d.of,
            against=d.against,
            difference=d.difference,
            low=d.low,
            high=d.high,
            noise=d.noise,
        )
        for name, unit, d in table_of([f.figures for f in ours], [f.figures for f in theirs])
    ]
    groups = [_group(g, quantity, axis) for g in (ours, theirs)]
    return CompareOut(ours=groups[0], theirs=groups[1], table=table, quantity=quantity, axis=axis)


def _group(flights: Sequence[Compared], quantity: CurveOf, axis: Axis) -> FlightGroupOut:
    made: list[tuple[UUID, Curve]] = []
    for f in flights:
        try:
            made.append((f.line.id, curve_of(log_from(f.samples), quantity, axis, f.cells, f.figures.get("warned_s"))))
        except CoreError:
            continue
    middle = middle_of([c for _, c in made])
    band = None
    if middle is not None:
        mid, low, high = middle
        band = BandOut(x=list(mid.x), middle=list(mid.y), low=list(low.y), high=list(high.y))
    return FlightGroupOut(
        curves=[FlightCurveOut(id=key, x=list(c.x), y=list(c.y)) for key, c in made],
        band=band,
        without=len(flights) - len(made),
        flights=[f.line for f in flights],
    )
