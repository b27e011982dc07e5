"""Strips that were worked: the swath along a track while it worked, moved by the wind where what falls drifts."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from shapely import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import require_range
from quarry.core.base.sources import ALGEBRA
from quarry.core.base.working import formula
from quarry.core.covered.track import Floats, Track

_TURN_DEG = 45.0  # a pass ends where the track turns by more
_STILL_M = 0.05


@dataclass(frozen=True, slots=True)
class Pass:
    """One stretch worked without a break and without a turn: its way, shape (n, 2) [m], from when to when [s]."""

    xy: Floats
    from_s: float
    to_s: float
    height_m: float

    @property
    def length_m(self) -> float:
        """Length of the way. [m]"""
        return float(np.hypot(*np.diff(self.xy, axis=0).T).sum())


@formula("drift = height × wind ÷ speed of fall", source=ALGEBRA, result="drift_m")
def drift_m(height_m: float, wind_m_s: float, fall_m_s: float) -> float:
    """Return how far drops drift that fall at their steady speed in an even wind. [m]

    Examples
    --------
    >>> drift_m(3.0, 2.0, 1.5)
    4.0
    """
    return height_m * wind_m_s / fall_m_s


def passes(track: Track, most_s: float, tolerance_m: float) -> list[Pass]:
    """Return the passes of a track: while it works, across dropouts of up to ``most_s``, between turns.

    Where work begins or ends between two samples it is taken to do so half way. ``tolerance_m``: how far the way may be
    smoothed, so that the jitter of positions is no turn.
    """
    require_range(most_s, 0.0, 3600.0, "most_s", "Longest dropout that is bridged", "s")
    found: list[Pass] = []
    for xy, t in _stretches(track, most_s):
        known = track.height_m[(track.t_s >= t[0]) & (track.t_s <= t[-1])]
        height = float(np.nanmean(known)) if np.isfinite(known).any() else math.nan
        found += [Pass(part, a, b, height) for part, a, b in _straights(xy, t, tolerance_m)]
    return found


def _stretches(track: Track, most_s: float) -> list[tuple[Floats, Floats]]:
    """Return (places, times) of each stretch worked without a break."""
    found: list[tuple[Floats, Floats]] = []
    open_xy: list[Floats] = []
    open_t: list[float] = []

    def close() -> None:
        if len(open_xy) > 1:
            found.append((np.array(open_xy), np.array(open_t)))
        open_xy.clear()
        open_t.clear()

    on = track.working
    for k in range(len(track)):
        if on[k]:
            open_xy.append(track.xy[k])
            open_t.append(float(track.t_s[k]))
        if k + 1 == len(track):
            break
        if track.t_s[k + 1] - track.t_s[k] > most_s:
            close()
        elif on[k] != on[k + 1]:
            open_xy.append((track.xy[k] + track.xy[k + 1]) / 2)
            open_t.append(float(track.t_s[k] + track.t_s[k + 1]) / 2)
            if on[k]:
                close()
    close()
    return found


def _straights(xy: Floats, t: Floats, tolerance_m: float) -> list[tuple[Floats, float, float]]:
    """Return a stretch cut where it turns, each part smoothed, with its times."""
    moved = np.concatenate(([True], np.hypot(*np.diff(xy, axis=0).T) > 0.0))
    xy, t = xy[moved], t[moved]
    if len(xy) < 2:
        return []
    line = LineString(xy)
    if line.length < _STILL_M:
        return []
    smooth = np.array(line.simplify(tolerance_m).coords)
    at = _places_of(smooth, xy)
    heading = np.degrees(np.arctan2(*np.diff(smooth, axis=0).T[::-1]))
    turns = np.flatnonzero(np.abs((np.diff(heading) + 180.0) % 360.0 - 180.0) > _TURN_DEG) + 1
    edges = [0, *turns.tolist(), len(smooth) - 1]
    return [(smooth[a : b + 1], float(t[at[a]]), float(t[at[b]])) for a, b in zip(edges, edges[1:], strict=False) if b > a]


def _places_of(smooth: Floats, xy: Floats) -> list[int]:
    """Return where the corners of a smoothed way stand in the way it was made of."""
    found, k = [], 0
    for corner in smooth:
        while k < len(xy) - 1 and not np.array_equal(xy[k], corner):
            k += 1
        found.append(k)
    return found


def longer(way: Pass, by_m: float) -> Pass:
    """Return a pass drawn out straight at both ends."""
    xy = way.xy.copy()
    for end, inner in ((0, 1), (-1, -2)):
        step = way.xy[end] - way.xy[inner]
        length = float(np.hypot(*step))
        if length > 0:
            xy[end] = way.xy[end] + step * (by_m / length)
    return replace(way, xy=xy)


def strip(way: Pass, width_m: float, shift_m: tuple[float, float] = (0.0, 0.0)) -> Polygon:
    """Return the ground that a pass works: its way moved by the drift, half a swath to each side, with flat ends."""
    line = LineString(way.xy + np.array(shift_m))
    return line.buffer(width_m / 2, cap_style="flat", join_style="mitre")


def strips(ways: Sequence[Pass], width_m: float, shifts_m: Sequence[tuple[float, float]] | None = None) -> list[BaseGeometry]:
    """Return the strips of passes, each moved by its own drift."""
    require_range(width_m, 0.2, 500.0, "width_m", "Swath", "m")
    moved = shifts_m if shifts_m is not None else [(0.0, 0.0)] * len(ways)
    return [strip(way, width_m, by) for way, by in zip(ways, moved, strict=True)]


def end_error_m(track: Track) -> float:
    """Return how far the end of a strip may be off along its way: half a step between two samples. [m]"""
    steps = np.hypot(*np.diff(track.xy, axis=0).T)[track.working[:-1]]
    return float(np.median(steps)) / 2 if steps.size else 0.0
