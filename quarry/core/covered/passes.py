"""Further passes as flown: which pictures were taken on them and how the camera looked, and how much of their lines was flown."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import LineString

from quarry.core.covered.footprints import Frames
from quarry.core.covered.on_lines import NO_LINE, Places, on_lines
from quarry.core.covered.track import Flags, Floats, Track

Ways = NDArray[np.object_]

NEAR_LINE_M = 6.0
_ALONG_DEG = 25.0
_SAME_M = 0.5


@dataclass(frozen=True, slots=True)
class FurtherLine:
    """A line of a further pass, as planned: the name of its pass, its way, step between pictures [m], tilt, whether it goes round a structure."""

    name: str
    way: LineString
    trigger_m: float
    tilt_deg: float
    structure: bool


def lies_on(way: LineString, lines: Sequence[LineString]) -> bool:
    """Return whether a way lies on one of some lines, from end to end."""
    ends = shapely.points(shapely.get_coordinates(way)[[0, -1]])
    return any(bool((shapely.distance(line, ends) < _SAME_M).all()) for line in lines)


def further_of(xy: Floats, lines: Sequence[FurtherLine], own: Sequence[LineString]) -> Places:
    """Return for each picture which line of a further pass it was taken along, or `NO_LINE`.

    A picture belongs to the nearest line of all, not farther than six metres, along which it was flown: from the one before
    or to the one after.

    Parameters
    ----------
    xy : array, shape (n, 2)
        Where pictures were taken, in the order taken. [m]
    lines, own : sequences
        Lines of further passes, and those over the ground.
    """
    best = np.full(len(xy), NO_LINE, dtype=np.int64)
    if not lines or not len(xy):
        return best
    ways = [*own, *(x.way for x in lines)]
    points = shapely.points(xy)
    at, line = shapely.STRtree(ways).query(points, predicate="dwithin", distance=NEAR_LINE_M)
    if not at.size:
        return best
    chosen = np.array([ways[k] for k in line])
    step = np.diff(xy, axis=0, prepend=xy[:1], append=xy[-1:])
    along = _along(chosen, points[at], step[:-1][at]) | _along(chosen, points[at], step[1:][at])
    at, line, off = at[along], line[along], shapely.distance(points[at[along]], chosen[along])
    order = np.argsort(-off, kind="stable")
    best[at[order]] = line[order]  # the nearest is written last
    return np.where(best >= len(own), best - len(own), NO_LINE)


def looked(frames: Frames, silent: Flags, lines: Sequence[FurtherLine], own: Sequence[LineString]) -> tuple[Frames, int]:
    """Return pictures with the tilt that was planned where their record is silent, and how many were left out.

    Those taken on rows round a structure show its walls and little ground: they are left out, and so is nothing else.
    ``silent``, shape (n,): whether the record of a picture does not say how the camera looked.
    """
    further = further_of(frames.xy, lines, own)
    tilt, keep = frames.tilt_deg.copy(), np.ones(frames.t_s.size, dtype=np.bool_)
    for k in np.flatnonzero(further != NO_LINE).tolist():
        planned = lines[int(further[k])]
        keep[k] = not planned.structure
        if silent[k]:
            tilt[k] = planned.tilt_deg
    kept = replace(frames, tilt_deg=tilt)
    return Frames(*(getattr(kept, name)[keep] for name in Frames.__slots__)), int((~keep).sum())


def _along(ways: Ways, points: Ways, step_m: Floats) -> Flags:
    """Return which steps, shape (n, 2), run along a way where each point lies nearest to it."""
    at = shapely.line_locate_point(ways, points)
    ahead, back = (shapely.get_coordinates(shapely.line_interpolate_point(ways, np.maximum(at + d, 0.0))) for d in (1.0, -1.0))
    run = ahead - back
    length = np.hypot(*run.T) * np.hypot(*step_m.T)
    return np.asarray((length > 0) & (np.abs((run * step_m).sum(axis=1)) >= np.cos(np.radians(_ALONG_DEG)) * length))


def flown_shares(tracks: Sequence[Track], lines: Sequence[FurtherLine]) -> dict[str, float]:
    """Return the share of the lines of each further pass along which an aircraft flew, by its name. [0 to 1]"""
    found: dict[str, float] = {}
    for name in dict.fromkeys(x.name for x in lines):
        ways = [x.way for x in lines if x.name == name]
        strips = []
        for track in tracks:
            on = on_lines(track, ways, NEAR_LINE_M)
            legs = np.flatnonzero(on[1:] & on[:-1])
            strips += [LineString(track.xy[k : k + 2]).buffer(NEAR_LINE_M, cap_style="flat") for k in legs.tolist()]
        flown = shapely.union_all(strips)
        found[name] = sum(float(way.intersection(flown).length) for way in ways) / max(1e-9, sum(way.length for way in ways))
    return found
