"""What a log says against itself so plainly that nothing of it is booked before a person has looked at it.

Each function returns a sentence, or an empty one where there is nothing to say.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_BACK_S = 60.0  # rows in the wrong order lie nearer together; a clock that was set back jumps farther
_BACK_FRAC = 0.3
_OFF_FRAC = 0.03
_SMOOTHER = 0.5
_RISE_FRAC = 0.05
_LEAST_CELL_V, _MOST_CELL_V = 2.4, 4.5


def clock_runs_back(time_s: Floats) -> str:
    """Say that a clock, row by row as written, was set back or runs backwards; a few rows in the wrong order are none of these."""
    steps = np.diff(time_s)
    back = steps[steps < 0]
    if back.size and -float(back.min()) > _BACK_S:
        return f"its clock goes back by {-float(back.min()):.0f} s in the middle of the log"
    if back.size > _BACK_FRAC * max(1, steps.size):
        return f"its clock runs backwards on {back.size} of {steps.size} rows"
    return ""


def mixed_up(place: NDArray[np.int64], numbers: Mapping[str, Floats]) -> bool:
    """Return whether rows only stand in the wrong order: put in order of time, what they tell goes to and fro less.

    A clock that was set back does the opposite: put in order, what lies far apart comes to stand side by side.
    """
    wasted = []
    for name in ("used_ah", "left_frac", "lat_deg", "lon_deg", "height_m", "altitude_m"):
        values = numbers.get(name)
        if values is None or np.isfinite(values).sum() < 3:
            continue
        ways = [v[np.isfinite(v)] for v in (values, values[place])]
        written, ordered = (float(np.sum(np.abs(np.diff(v))) - abs(v[-1] - v[0])) for v in ways)
        if written > 0:
            wasted.append(ordered / written)
        elif name in ("used_ah", "left_frac"):
            return False
    return bool(wasted) and min(wasted) < _SMOOTHER


def cells_against_pack(pack_v: Floats | None, cells_v: Mapping[int, Floats]) -> str:
    """Say that the cells do not add up to the volts of the pack."""
    if pack_v is None or not cells_v:
        return ""
    total = np.sum(list(cells_v.values()), axis=0)
    both = np.isfinite(pack_v) & np.isfinite(total) & (pack_v > 1)
    off = float(np.median(np.abs(total[both] / pack_v[both] - 1.0))) if both.any() else 0.0
    if off <= _OFF_FRAC:
        return ""
    return f"its cells add up to {off:.0%} more or less than its pack volts: a cell is missing, or packs are in series"


def percent_rises(left_frac: Floats | None, time_s: Floats | None = None) -> str:
    """Say that the charge left rises during a flight, which no pack does, and when."""
    if left_frac is None:
        return ""
    known = np.isfinite(left_frac)
    left = left_frac[known]
    if not left.size:
        return ""
    above = left - np.minimum.accumulate(left)
    rise = float(np.max(above))
    if rise <= _RISE_FRAC:
        return ""
    when = ""
    if time_s is not None:
        at = float(time_s[known][int(np.argmax(above > _RISE_FRAC))])
        when = f", first {int(at // 60)}:{int(at % 60):02d} min after take-off"
    return f"its percent rises by {100 * rise:.0f} points in flight{when}: it is not the pack's, or more than one pack is in it"


def cells_against_stated(stated: int, cells_v: Mapping[int, Floats], pack_v: Floats | None) -> str:
    """Say that the log tells another number of cells above its table than its columns, or its volts, do."""
    if len(cells_v) > 1 and len(cells_v) != stated:
        return f"above its table it tells {stated} cells, and {len(cells_v)} are in it: the cell count does not match"
    if pack_v is None or not np.isfinite(pack_v).any():
        return ""
    each = float(np.nanmedian(pack_v)) / stated
    if _LEAST_CELL_V <= each <= _MOST_CELL_V:
        return ""
    return f"above its table it tells {stated} cells, and its volts are {each:.1f} V for each: the cell count does not match"
