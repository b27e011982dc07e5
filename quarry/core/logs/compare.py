"""Flights laid over one another: curves on a common axis of percent, time or charge drawn, and their middles."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.errors import MissingInput
from quarry.core.cells.resistance import resistance_at_25_ohm
from quarry.core.logs.by_phase import pack_volts
from quarry.core.logs.calibrate import Difference, difference
from quarry.core.logs.flight import smooth, thinned
from quarry.core.logs.reading import Log

Floats = NDArray[np.float64]
Axis = Literal["percent", "time", "charge", "warning", "landing"]
POINTS = 121
# By figure its unit, and what it scatters by from one flight to the next of the same kind; None: a share of itself. The share of
# a voltage would hide a cell that lies far lower. Common practice, no source.
FIGURES: tuple[tuple[str, str, float | None], ...] = (
    ("length_s", "s", None),
    ("min_per_percent", "min", None),
    ("used_frac", "", 0.03),
    ("low_run_s", "s", None),
    ("warned_to_landing_s", "s", None),
    ("critical_s", "s", None),
    ("knee_frac", "", 0.04),
    ("mean_w", "W", None),
    ("hard_a", "A", None),
    ("wh_per_km", "Wh/km", None),
    ("lowest_v", "V", 0.03),
    ("spread_v", "V", 0.008),
    ("resistance_25_ohm", "Ω", None),
    ("most_c", "°C", 2.5),
    ("settled_c", "°C", 2.5),
)


@dataclass(frozen=True, slots=True)
class Curve:
    """A quantity of one flight over an axis: percent used up from full, minutes or ampere hours from take-off.

    Or minutes from the first warning, or to the landing: what was before counts below nothing.
    """

    x: tuple[float, ...]
    y: tuple[float, ...]


def curve_of(flight: Log, quantity: str, axis: Axis, cells: int | None = None, warned_s: float | None = None) -> Curve:
    """Return one curve of at most `POINTS` points; ``warned_s`` is when the first warning came.

    Volts are those of a mean cell: by the number of ``cells`` in series where the log tells a total alone.

    Raises
    ------
    MissingInput
        The log does not tell the quantity or the axis.
    """
    slow = thinned(flight, 1.0)
    x, y = _axis(slow, axis, warned_s), _quantity(slow, quantity, cells)
    known = np.isfinite(x) & np.isfinite(y)
    if known.sum() < 5:
        raise MissingInput(f"This log tells no {quantity} over {axis}.", "quantity")
    x, y = np.maximum.accumulate(x[known]), smooth(slow.time_s[known], y[known], 4.0)
    grid = np.linspace(float(x[0]), float(x[-1]), POINTS)
    return Curve(
        tuple(round(float(v), 4) for v in grid),
        tuple(round(float(v), 5) for v in np.interp(grid, x, y)),
    )


def _axis(log: Log, axis: Axis, warned_s: float | None) -> Floats:
    if axis == "time":
        return log.time_s / 60.0
    if axis == "landing":
        return (log.time_s - float(log.time_s[-1])) / 60.0
    if axis == "warning":
        if warned_s is None:
            raise MissingInput("No warning came in this flight.", "axis")
        return (log.time_s - warned_s) / 60.0
    if axis == "percent":
        left = log.numbers.get("left_frac")
        if left is None:
            raise MissingInput("This log tells no percent.", "axis")
        return 100.0 * (1.0 - left)
    used = log.numbers.get("used_ah")
    if used is not None:
        first = used[np.isfinite(used)]
        return used - float(first[0]) if first.size else used
    current = log.numbers.get("current_a")
    if current is None:
        raise MissingInput("This log tells no charge drawn.", "axis")
    i = np.abs(np.nan_to_num(current))
    return np.concatenate(([0.0], np.cumsum((i[1:] + i[:-1]) / 2 * np.diff(log.time_s)))) / 3600.0


def _quantity(log: Log, quantity: str, cells: int | None) -> Floats:
    if quantity == "cell_v":
        if log.cells_v is not None:
            return np.array(np.nanmean(log.cells_v, axis=1))
        volts = pack_volts(log)
        if volts is None or not cells:
            raise MissingInput("This log tells no volts of a cell.", "quantity")
        return volts / cells
    found = log.numbers.get(quantity)
    if found is None:
        raise MissingInput(f"This log tells no {quantity}.", "quantity")
    return np.abs(found) if quantity == "current_a" else found


def middle_of(curves: Sequence[Curve]) -> tuple[Curve, Curve, Curve] | None:
    """Return (middle, low, high) of curves where at least half of them reach: the median and the middle half."""
    if not curves:
        return None
    least = float(np.median([c.x[0] for c in curves]))
    most = float(np.median([c.x[-1] for c in curves]))
    if most <= least:
        return None
    grid = np.linspace(least, most, POINTS)
    table = np.array([np.interp(grid, c.x, c.y, left=np.nan, right=np.nan) for c in curves])
    reach = np.isfinite(table).sum(axis=0) * 2 >= len(curves)
    grid, table = grid[reach], table[:, reach]
    if grid.size < 2:
        return None
    rows = [np.nanpercentile(table, q, axis=0) for q in (50, 25, 75)]
    x = tuple(round(float(v), 4) for v in grid)
    middle, low, high = (Curve(x, tuple(round(float(v), 5) for v in row)) for row in rows)
    return middle, low, high


def table_of(
    ours: Sequence[Mapping[str, float | None]], theirs: Sequence[Mapping[str, float | None]]
) -> list[tuple[str, str, Difference]]:
    """Return by figure how the middle of one group of flights lies from that of the other, with its bounds."""
    found = []
    for name, unit, scatter in FIGURES:
        a, b = ([v for f in group if (v := _figure(f, name)) is not None] for group in (ours, theirs))
        if a and b:
            found.append((name, unit, difference(a, b, scatter=scatter)))
    return found


def _figure(figures: Mapping[str, float | None], name: str) -> float | None:
    if name == "warned_to_landing_s":
        length, warned = figures.get("length_s"), figures.get("warned_s")
        return None if length is None or warned is None else float(length - warned)
    value = figures.get(name)
    ohm, warm = figures.get("resistance_ohm"), figures.get("resistance_c")
    if name == "resistance_25_ohm" and value is None and ohm is not None and warm is not None:
        return resistance_at_25_ohm(ohm, warm)
    return None if value is None else float(value)
