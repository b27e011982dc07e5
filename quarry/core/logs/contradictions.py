"""What a log says against itself so plainly that nothing of it is booked before a person has looked at it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_BACK_S = 60.0  # rows in the wrong order lie nearer together; a clock that was set back jumps farther
_BACK_FRAC = 0.3
_OFF_FRAC = 0.03
_SMOOTHER = 0.5
_RISE_FRAC = 0.05
_MOSTLY, _LEAST_AH, _OFF_CHARGE_FRAC = 0.9, 0.3, 0.3
_LONGER_TIMES = 2.5
_LEAST_CELL_V, _MOST_CELL_V = 2.4, 4.5


@dataclass(frozen=True, slots=True)
class Hold:
    """One thing that a log says against itself: in words, the row at which it shows, and what would mend it.

    ``row`` counts the rows that a function was given, later those of the table. ``of``: quantities of which one is not what it
    is taken for; ``splits``: read as several logs, broken where its clock does not go on, it would be whole.
    """

    words: str
    row: int | None = None
    of: tuple[str, ...] = ()
    splits: bool = False

    def at_row(self, places: NDArray[np.int64]) -> Hold:
        """Return it with its row as a row of the table: ``places`` says which each is."""
        return self if self.row is None else replace(self, row=int(places[self.row]))


def clock_runs_back(time_s: Floats) -> Hold | None:
    """Return a clock, row by row as written, that was set back or runs backwards; a few rows in the wrong order are none."""
    steps = np.diff(time_s)
    back = steps[steps < 0]
    if back.size and -float(back.min()) > _BACK_S:
        words = f"its clock goes back by {-float(back.min()):.0f} s in the middle of the log"
        return Hold(words, int(np.argmin(steps)) + 1, splits=True)
    if back.size > _BACK_FRAC * max(1, steps.size):
        return Hold(f"its clock runs backwards on {back.size} of {steps.size} rows", int(np.argmax(steps < 0)) + 1, ("time_s",))
    return None


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


def cells_against_pack(pack_v: Floats | None, cells_v: Mapping[int, Floats]) -> Hold | None:
    """Return that the cells do not add up to the volts of the pack."""
    if pack_v is None or not cells_v:
        return None
    total = np.sum(list(cells_v.values()), axis=0)
    both = np.flatnonzero(np.isfinite(pack_v) & np.isfinite(total) & (pack_v > 1))
    apart = np.abs(total[both] / pack_v[both] - 1.0)
    off = float(np.median(apart)) if both.size else 0.0
    if off <= _OFF_FRAC:
        return None
    words = f"its cells add up to {off:.0%} more or less than its pack volts: a cell is missing, or packs are in series"
    return Hold(words, int(both[int(np.argmax(apart > _OFF_FRAC))]), ("cell_v", "pack_v"))


def percent_rises(left_frac: Floats | None, time_s: Floats | None = None) -> Hold | None:
    """Return that the charge left rises during a flight, which no pack does, and when."""
    if left_frac is None:
        return None
    known = np.isfinite(left_frac)
    left = left_frac[known]
    if not left.size:
        return None
    above = left - np.minimum.accumulate(left)
    rise = float(np.max(above))
    if rise <= _RISE_FRAC:
        return None
    row = int(np.flatnonzero(known)[int(np.argmax(above > _RISE_FRAC))])
    when = ""
    if time_s is not None:
        at = float(time_s[row])
        when = f", first {int(at // 60)}:{int(at % 60):02d} min after take-off"
    words = f"its percent rises by {100 * rise:.0f} points in flight{when}: it is not the pack's, or more than one pack is in it"
    return Hold(words, row, ("left_frac",))


def charge_against_current(time_s: Floats, used_ah: Floats | None, current_a: Floats | None) -> Hold | None:
    """Return that the charge used in a flight is far from what its current adds up to."""
    if used_ah is None or current_a is None:
        return None
    known = used_ah[np.isfinite(used_ah)]
    drawn = float(np.trapezoid(np.abs(np.nan_to_num(current_a)), time_s)) / 3600.0
    if known.size < 2 or np.isfinite(current_a).mean() < _MOSTLY:
        return None
    counted = float(known[-1] - known[0])
    if max(drawn, counted) < _LEAST_AH or abs(counted / max(drawn, 1e-9) - 1.0) <= _OFF_CHARGE_FRAC:
        return None
    words = f"its charge drawn grows by {counted:.2f} Ah in flight, and its current adds up to {drawn:.2f} Ah: one of the two is wrong"
    return Hold(words, of=("used_ah", "current_a"))


def longer_than_packs(length_s: float, longest_s: float) -> Hold | None:
    """Return that a flight is far longer than the best pack lasts by its figures, which is ``longest_s``."""
    if length_s <= _LONGER_TIMES * longest_s:
        return None
    words = f"a flight of it lasts {length_s / 60:.0f} min, and no pack lasts beyond {longest_s / 60:.0f} min by its figures"
    return Hold(f"{words}: look at the unit of its time", 0, ("time_s",))


def cells_against_stated(stated: int, cells_v: Mapping[int, Floats], pack_v: Floats | None) -> Hold | None:
    """Return that the log tells another number of cells above its table than its columns, or its volts, do."""
    if len(cells_v) > 1 and len(cells_v) != stated:
        words = f"above its table it tells {stated} cells, and {len(cells_v)} are in it: the cell count does not match"
        return Hold(words, 0, ("cell_v",))
    if pack_v is None or not np.isfinite(pack_v).any():
        return None
    each = float(np.nanmedian(pack_v)) / stated
    if _LEAST_CELL_V <= each <= _MOST_CELL_V:
        return None
    words = f"above its table it tells {stated} cells, and its volts are {each:.1f} V for each: the cell count does not match"
    return Hold(words, 0, ("pack_v",))
