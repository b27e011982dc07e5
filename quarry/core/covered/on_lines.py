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
_ALONG_DEG = 35.0  # a track that runs at more to a line is crossing it
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
    """Return which samples fly along a line that is no farther than ``reach_m``, either way; standing still is not along."""
    near = nearest_line(track.xy, lines, reach_m)
    there = np.flatnonzero(near != NO_LINE)
    found = np.zeros(len(track), dtype=np.bool_)
    if not there.size:
        return found
    way = np.gradient(track.xy, track.t_s, axis=0)[there]
    speed = np.hypot(*way.T)
    chosen = np.array([lines[k] for k in near[there]])
    at = shapely.line_locate_point(chosen, shapely.points(track.xy[there]))
    ahead, back = (shapely.get_coordinates(shapely.line_interpolate_point(chosen, at + d)) for d in (1.0, -1.0))
    along = ahead - back
    with np.errstate(divide="ignore", invalid="ignore"):
        cosine = np.abs((way * along).sum(axis=1)) / (speed * np.hypot(*along.T))
    found[there] = (speed > _STILL_M_S) & (np.nan_to_num(cosine) >= np.cos(np.radians(_ALONG_DEG)))
    return found
