"""Flights laid over one another: curves on a common axis of percent, time or charge drawn, and their middles."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.errors import MissingInput
from quarry.core.logs.by_phase import pack_volts
from quarry.core.logs.flight import smooth, thinned
from quarry.core.logs.reading import Log

Floats = NDArray[np.float64]
Axis = Literal["percent", "time", "charge", "at_percent", "warning", "landing"]
POINTS = 121


@dataclass(frozen=True, slots=True)
class Moments:
    """When warnings came in a flight, in seconds from take-off; None where none did."""

    warned_s: float | None = None
    critical_at_s: float | None = None


@dataclass(frozen=True, slots=True)
class Curve:
    """A quantity of one flight over an axis: percent used up from full, minutes or ampere hours from take-off.

    Or minutes from a percent left, from the first warning, or to the landing: what was before counts below nothing.
    ``warned`` and ``critical``: the points at which these warnings came, where the curve reaches them.
    """

    x: tuple[float, ...]
    y: tuple[float, ...]
    warned: tuple[float, float] | None = None
    critical: tuple[float, float] | None = None


def curve_of(
    flight: Log,
    quantity: str,
    axis: Axis,
    cells: int | None = None,
    moments: Moments | None = None,
    at_frac: float | None = None,
) -> Curve:
    """Return one curve of at most `POINTS` points; ``at_frac`` is the charge left from which ``at_percent`` counts.

    Volts are those of a mean cell: by the number of ``cells`` in series where the log tells a total alone.

    Raises
    ------
    MissingInput
        The log does not tell the quantity or the axis.
    """
    slow = thinned(flight, 1.0)
    when = moments or Moments()
    x, y = _axis(slow, axis, when, at_frac), _quantity(slow, quantity, cells)
    known = np.isfinite(x) & np.isfinite(y)
    if known.sum() < 5:
        raise MissingInput(f"This log tells no {quantity} over {axis}.", "quantity")
    t, x, y = slow.time_s[known], np.maximum.accumulate(x[known]), smooth(slow.time_s[known], y[known], 4.0)
    grid = np.linspace(float(x[0]), float(x[-1]), POINTS)

    def at(moment_s: float | None) -> tuple[float, float] | None:
        if moment_s is None or not t[0] <= moment_s <= t[-1]:
            return None
        return round(float(np.interp(moment_s, t, x)), 4), round(float(np.interp(moment_s, t, y)), 5)

    return Curve(
        tuple(round(float(v), 4) for v in grid),
        tuple(round(float(v), 5) for v in np.interp(grid, x, y)),
        at(when.warned_s),
        at(when.critical_at_s),
    )


def _axis(log: Log, axis: Axis, when: Moments, at_frac: float | None) -> Floats:
    if axis == "time":
        return log.time_s / 60.0
    if axis == "landing":
        return (log.time_s - float(log.time_s[-1])) / 60.0
    if axis == "warning":
        if when.warned_s is None:
            raise MissingInput("No warning came in this flight.", "axis")
        return (log.time_s - when.warned_s) / 60.0
    if axis in ("percent", "at_percent"):
        left = log.numbers.get("left_frac")
        if left is None:
            raise MissingInput("This log tells no percent.", "axis")
        return 100.0 * (1.0 - left) if axis == "percent" else _from_percent(log.time_s, left, at_frac)
    used = log.numbers.get("used_ah")
    if used is not None:
        first = used[np.isfinite(used)]
        return used - float(first[0]) if first.size else used
    current = log.numbers.get("current_a")
    if current is None:
        raise MissingInput("This log tells no charge drawn.", "axis")
    i = np.abs(np.nan_to_num(current))
    return np.concatenate(([0.0], np.cumsum((i[1:] + i[:-1]) / 2 * np.diff(log.time_s)))) / 3600.0


def _from_percent(time_s: Floats, left: Floats, at_frac: float | None) -> Floats:
    """Return minutes from the moment at which so much charge was left first."""
    if at_frac is None:
        raise MissingInput("Say from which percent the curves are to count.", "at_frac")
    known = np.isfinite(left)
    below = left[known] <= at_frac
    if not below.any() or below[0]:
        raise MissingInput("This flight did not pass that percent.", "axis")
    return (time_s - float(time_s[known][int(np.argmax(below))])) / 60.0


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
