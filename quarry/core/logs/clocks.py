"""Moments as logs write them: dates and times of day in many forms, zones, day or month first; as seconds since 1970."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import polars as pl
from numpy.typing import NDArray

from quarry.core.logs.forms import CLOCK, DATE

Floats = NDArray[np.float64]
Order = Literal["", "day first", "month first"]
_COMPACT = re.compile(r"^\d{8}T\d{6}(?:[.,]\d+)?Z?$")
_ZONE = r"\s*(Z|[+-]\d{2}:?\d{2})$"
_DAY_S = 86_400.0
_KNOWN = 0.8  # of the values must be read by a form before it is taken


@dataclass(frozen=True, slots=True)
class Moments:
    """A column of moments as seconds: from 1970 where it holds dates, else from midnight, running on past it.

    ``order``: which comes first in its dates, where that matters; ``sure`` False where nothing but custom speaks for it.
    ``zoned``: each names its zone.
    """

    seconds: Floats
    dated: bool
    timed: bool
    order: Order = ""
    sure: bool = True
    zoned: bool = False


def kind_of(words: Sequence[str]) -> str:
    """Return what a column of words holds: “moment”, “date”, or nothing of the kind."""
    filled = [w for w in words if w]
    if not filled:
        return ""
    for kind, forms in (("moment", (CLOCK, _COMPACT)), ("date", (DATE,))):
        if sum(any(f.match(w) for f in forms) for w in filled) > _KNOWN * len(filled):
            return kind
    return ""


def moments(words: pl.Series, order: str = "") -> Moments:
    """Return a column of words as moments.

    Parameters
    ----------
    words : Series of str
    order : str, optional
        “day first” or “month first”, where a person has said it.
    """
    words = words.cast(pl.String).str.strip_chars()
    zoned = bool(
        words.drop_nulls().head(50).str.contains(r":\d{2}(?:[.,]\d+)?\s*(?:Z|[+-]\d{2}:?\d{2})$|\dZ$").mean() or _KNOWN < 0.0
    )
    text = words.str.replace(",", ".", literal=True).str.replace(_ZONE, "")
    compact = text.str.replace(r"^(\d{4})(\d{2})(\d{2})T(\d{2})(\d{2})(\d{2})", "${1}-${2}-${3} ${4}:${5}:${6}")
    parts = compact.str.extract_groups(
        r"^(?:(\d{1,4})[-./](\d{1,2})[-./](\d{1,4}))?[ T]*(?:(\d{1,2}):(\d{2})(?::(\d{2}(?:\.\d+)?))?)?\s*([AaPp][Mm])?$"
    ).struct.unnest()
    a, b, c, hours, minutes, seconds = (parts[str(k)].cast(pl.Float64, strict=False) for k in range(1, 7))
    half = parts["7"].str.to_lowercase()
    dated, timed = bool(a.is_not_null().any()), bool(hours.is_not_null().any())
    clock = np.zeros(words.len())
    if timed:
        h = _floats(hours)
        am, pm = (_floats((half == k).fill_null(value=False).cast(pl.Float64)) for k in ("am", "pm"))
        h = h + 12.0 * pm * (h < 12) - 12.0 * am * (h == 12)
        clock = h * 3600.0 + _floats(minutes) * 60.0 + np.nan_to_num(_floats(seconds))
    if not dated:
        steps = np.diff(clock, prepend=clock[:1])
        return Moments(clock + _DAY_S * np.cumsum(np.nan_to_num(steps) < -_DAY_S / 2), dated=False, timed=timed, zoned=zoned)
    x, y, z = _floats(a), _floats(b), _floats(c)
    sure, which = True, order
    if float(np.nanmax(x)) > 31:  # the year comes first
        days, which = _days(x, y, z), ""
    elif which or float(np.nanmax(x)) > 12 or float(np.nanmax(y)) > 12:
        which = which or ("day first" if float(np.nanmax(x)) > 12 else "month first")
        days = _days(z, y, x) if which == "day first" else _days(z, x, y)
    else:
        which, sure = _order_of(x, y, words, half.is_not_null().any())
        days = _days(z, y, x) if which == "day first" else _days(z, x, y)
    total = days * _DAY_S + clock - _ahead_s(words)
    return Moments(total, dated=True, timed=timed, order=which, sure=sure, zoned=zoned)  # type: ignore[arg-type]


def _order_of(x: Floats, y: Floats, words: pl.Series, halves: bool) -> tuple[str, bool]:
    """Return which comes first where both can, and whether the log itself tells it.

    A log of one night changes its day and keeps its month; else custom speaks: dots for the day, halves of the day for the month.
    """
    changes = [bool(np.nanmax(v) != np.nanmin(v)) for v in (x, y)]
    if changes[0] != changes[1]:
        return ("day first", True) if changes[0] else ("month first", True)
    if float(x[0]) == float(y[0]):
        return "day first", True
    if halves:
        return "month first", False
    first = str(words.drop_nulls().first() or "")
    return "day first", "." in first.split(" ", maxsplit=1)[0]


def _floats(series: pl.Series) -> Floats:
    return np.array(series.cast(pl.Float64).fill_null(math.nan).to_numpy(), dtype=float)


def _days(year: Floats, month: Floats, day: Floats) -> Floats:
    """Return days since 1970 by the Gregorian calendar; NaN where it is no date."""
    year = np.where(year < 100, year + 2000, year)
    known = np.isfinite(year) & np.isfinite(month) & np.isfinite(day)
    good = known & (month >= 1) & (month <= 12) & (day >= 1) & (day <= 31) & (year >= 1900) & (year < 3000)
    found = np.full(year.size, math.nan)
    months = ((year[good] - 1970) * 12 + month[good] - 1).astype(int)
    found[good] = months.astype("datetime64[M]").astype("datetime64[D]").astype(float) + day[good] - 1
    return found


def _ahead_s(words: pl.Series) -> Floats:
    """Return by how much the zone that each moment names is ahead of UTC; nothing where it names none. [s]"""
    parts = words.str.extract_groups(r":\d{2}(?:[.,]\d+)?\s*([+-])(\d{2}):?(\d{2})$").struct.unnest()
    sign = parts["1"].replace_strict({"+": 1.0, "-": -1.0}, default=0.0, return_dtype=pl.Float64)
    hours, minutes = (parts[k].cast(pl.Float64, strict=False).fill_null(0.0) for k in ("2", "3"))
    return np.nan_to_num(_floats(sign * (hours * 3600 + minutes * 60)))


_TOLD_ZONE = re.compile(r"\b(?:utc|gmt)\s*([+-])\s*(\d{1,2})(?::?(\d{2}))?", re.I)


def zone_above(lines: Sequence[str]) -> float | None:
    """Return by how much the zone that is told above a table is ahead of UTC; None where none is told. [s]"""
    for line in lines:
        found = _TOLD_ZONE.search(line)
        if found:
            sign = 1.0 if found[1] == "+" else -1.0
            return sign * (int(found[2]) * 3600.0 + int(found[3] or 0) * 60.0)
    return None
