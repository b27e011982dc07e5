"""Two groups of flights laid over one another."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from quarry.apps.logbook.formats.samples import log_from
from quarry.core.base.errors import CoreError
from quarry.core.logs.compare import Axis, Curve, curve_of, middle_of, table_of

Plain = dict[str, Any]


def compared(
    ours: list[tuple[str, Plain, bytes, int | None]],
    theirs: list[tuple[str, Plain, bytes, int | None]],
    quantity: str,
    axis: Axis,
) -> Plain:
    """Return curves, middles and the table of differences of two groups; each flight is (id, figures, samples, cells in series)."""
    groups = []
    for group in (ours, theirs):
        curves: list[Plain] = []
        made: list[Curve] = []
        without = 0
        for key, _figures, data, cells in group:
            try:
                c = curve_of(log_from(data), quantity, axis, cells)
            except CoreError:
                without += 1
                continue
            made.append(c)
            curves.append({"id": key, "x": list(c.x), "y": list(c.y)})
        middle = middle_of(made)
        told = None if middle is None else {n: list(c.y) for n, c in zip(("middle", "low", "high"), middle, strict=True)}
        groups.append(
            {"curves": curves, "without": without, "band": told and told | {"x": list(middle[0].x)} if middle else None}
        )
    table = [
        {"figure": name, "unit": unit} | asdict(d)
        for name, unit, d in table_of([f for _, f, _, _ in ours], [f for _, f, _, _ in theirs])
    ]
    return {"ours": groups[0], "theirs": groups[1], "table": table, "quantity": quantity, "axis": axis}
