"""Where a track runs along the lines as planned: the rule by which work is taken to be done where no record says so."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import LineString

from quarry.core.covered.track import Flags, Floats, Track

Places = NDArray[np.int64]
NO_LINE = -1
_ALONG_DEG = 30.0  # a track that runs at more to a line is crossing it
_CROSSES = 0.05  # metres aside for each metre along
_OVER_S = 1.5
_STILL_M_S = 0.3


def nearest_line(xy: Floats, lines: Sequence[LineString], reach_m: float) -> Places:
    """Return for each place the index of the nearest line within reach, or `NO_LINE`."""
    found = np.full(len(xy), NO_LINE, dtype=np.int64)
    if not lines or not len(xy):
        return found
    at, line = shapely.STRtree(lines).query_nearest(shapely.points(xy), max_distance=reach_m, all_matches=False)
    found[at] = line
    return found


def on_lines(track: Track, lines: Sequence[LineString], reach_m: float) -> Flags:
    """Return which samples fly along a line that is no farther than ``reach_m``, either way.

    Standing still is not along, and neither is a way that crosses lines at a small angle: its distance from each changes all
    along, while one that is off to one side stays so.
    """
    near = nearest_line(track.xy, lines, reach_m)
    there = np.flatnonzero(near != NO_LINE)
    found = np.zeros(len(track), dtype=np.bool_)
    if not there.size:
        return found
    way = _way_m_s(track)[there]
    speed = np.hypot(*way.T)
    chosen = np.array([lines[k] for k in near[there]])
    at = shapely.line_locate_point(chosen, shapely.points(track.xy[there]))
    ahead, back = (shapely.get_coordinates(shapely.line_interpolate_point(chosen, at + d)) for d in (1.0, -1.0))
    along = (ahead - back) / np.maximum(np.hypot(*(ahead - back).T), 1e-9)[:, None]
    with np.errstate(divide="ignore", invalid="ignore"):
        cosine = np.abs((way * along).sum(axis=1)) / speed
    on = (speed > _STILL_M_S) & (np.nan_to_num(cosine) >= np.cos(np.radians(_ALONG_DEG)))
    foot = shapely.get_coordinates(shapely.line_interpolate_point(chosen, at))
    off = track.xy[there] - foot
    aside = along[:, 0] * off[:, 1] - along[:, 1] * off[:, 0]
    found[there] = on & ~_crossing(there, near[there], on, at, aside, reach_m)
    return found


def _way_m_s(track: Track) -> Floats:
    """Return the velocity at each sample, over some seconds: two places a metre apart tell no direction."""
    k = np.arange(len(track))
    first = np.searchsorted(track.t_s, track.t_s - _OVER_S).clip(0)
    last = (np.searchsorted(track.t_s, track.t_s + _OVER_S, side="right") - 1).clip(k, len(track) - 1)
    first = np.minimum(first, np.maximum(k - 1, 0))
    last = np.maximum(last, np.minimum(k + 1, len(track) - 1))
    span = np.maximum(track.t_s[last] - track.t_s[first], 1e-9)
    return np.asarray((track.xy[last] - track.xy[first]) / span[:, None])


def _crossing(there: Places, line: Places, on: Flags, at: Floats, aside: Floats, reach_m: float) -> Flags:
    """Return the samples of runs along one line whose distance from it changes all along."""
    found = np.zeros(there.size, dtype=np.bool_)
    new = np.concatenate(([True], (np.diff(there) > 1) | (np.diff(line) != 0) | (np.diff(on.astype(np.int8)) != 0)))
    edges = np.append(np.flatnonzero(new), there.size)
    for a, b in zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True):
        if b - a < 3 or not on[a]:
            continue
        length = float(np.ptp(at[a:b]))
        change = abs(float(aside[b - 1] - aside[a]))
        found[a:b] = change > reach_m / 2 and change > _CROSSES * length
    return found
