"""Segments of a search: cut from ground by a net or along paths and water, and checked before anything is counted on them."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import LineString, Point, Polygon, STRtree
from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import Infeasible, require_range
from quarry.core.ground.geodesy import Metres

Floats = NDArray[np.float64]
MOST_SEGMENTS = 400
_OVERLAP_FRAC = 0.01
_SLIVER_FRAC = 0.08
_SLOPES, _SLOPE_REACH_M = 64, 10.0  # places a segment is looked at, and how far apart heights are compared
_CORNERS = 12  # of a quarter of a circle that people see


@dataclass(frozen=True, slots=True)
class Overlap:
    """Two segments, from 0, that share ground, and how much. [m²]"""

    one: int
    other: int
    area_m2: float


def round_ground(at: Metres, radius_m: float) -> Polygon:
    """Return the ground within a distance of a place."""
    require_range(radius_m, 10.0, 8000.0, "radius_m", "Radius", "m")
    return Point(at).buffer(radius_m, quad_segs=_CORNERS)


def net_of(ground: BaseGeometry, side_m: float, bearing_deg: float = 0.0) -> list[Polygon]:
    """Return ground cut by a square net; slivers at the edge go to their longest neighbour.

    Raises
    ------
    Infeasible
        There would be too many segments.
    """
    require_range(side_m, 20.0, 5000.0, "side_m", "Side of the net", "m")
    turned = shapely.affinity.rotate(ground, bearing_deg, origin=(0, 0))
    west, south, east, north = turned.bounds
    columns, rows = (max(1, math.ceil(extent / side_m - 1e-9)) for extent in (east - west, north - south))
    if columns * rows > 4 * MOST_SEGMENTS:
        raise Infeasible(f"A net of {side_m:.0f} m gives more than {MOST_SEGMENTS} segments. Choose a wider one.", "side_m")
    # The net lies evenly over the ground.
    x = (west + east) / 2 + (np.arange(columns + 1) - columns / 2) * side_m
    y = (south + north) / 2 + (np.arange(rows + 1) - rows / 2) * side_m
    cells = [
        turned.intersection(shapely.box(x[i], y[j], x[i + 1], y[j + 1])) for j in reversed(range(rows)) for i in range(columns)
    ]
    pieces = _whole([p for cell in cells for p in shapely.get_parts(cell) if isinstance(p, Polygon)], side_m**2)
    if len(pieces) > MOST_SEGMENTS:
        raise Infeasible(f"A net of {side_m:.0f} m gives {len(pieces)} segments; the most is {MOST_SEGMENTS}.", "side_m")
    return [shapely.affinity.rotate(p, -bearing_deg, origin=(0, 0)) for p in pieces]


def parted_by(ground: BaseGeometry, lines: Sequence[LineString]) -> list[Polygon]:
    """Return ground parted along lines such as paths, banks and ridges; what is hardly wider than a line goes to its neighbour."""
    edges = shapely.union_all([ground.boundary, *(line for line in lines if line.length > 0)])
    faces = [p for p in shapely.get_parts(shapely.polygonize([edges])) if ground.covers(p.representative_point())]
    pieces = _whole(faces, float(ground.area) / max(len(faces), 1))
    if len(pieces) > MOST_SEGMENTS:
        raise Infeasible(
            f"These lines part the ground into {len(pieces)} segments; the most is {MOST_SEGMENTS}. Use fewer.", "lines"
        )
    return pieces


def _whole(pieces: list[Polygon], usual_m2: float) -> list[Polygon]:
    """Return pieces in their order, small ones joined with the neighbour that shares the longest edge."""
    kept = [p for p in pieces if p.area >= _SLIVER_FRAC * usual_m2] or pieces[:1]
    for small in (p for p in pieces if p.area < _SLIVER_FRAC * usual_m2 and p not in kept):
        edges = [small.intersection(k.boundary).length for k in kept]
        best = int(np.argmax(edges))
        grown = kept[best].union(small.buffer(1e-6)) if edges[best] > 0 else kept[best]
        if isinstance(grown, Polygon):
            kept[best] = grown
    return kept


def overlaps(segments: Sequence[BaseGeometry]) -> list[Overlap]:
    """Return the pairs of segments that share more than a hundredth of the smaller one."""
    if len(segments) < 2:
        return []
    first, second = STRtree(segments).query(segments, predicate="intersects")
    found = []
    for a, b in zip(first.tolist(), second.tolist(), strict=True):
        if a < b:
            common = float(segments[a].intersection(segments[b]).area)
            if common > _OVERLAP_FRAC * min(segments[a].area, segments[b].area):
                found.append(Overlap(a, b, common))
    return found


def is_narrower(segment: BaseGeometry, sweep_width_m: float) -> bool:
    """Tell whether one pass through the middle of a segment sees all of it: then lines over it make no sense."""
    return bool(segment.buffer(-sweep_width_m / 2).is_empty)


def mean_slope_frac(segment: BaseGeometry, heights_m: Callable[[Floats], Floats]) -> float | None:
    """Return how steep a segment is in the mean over places spread evenly over it; None where heights of any are not known.

    Parameters
    ----------
    segment : geometry
        In metres.
    heights_m : function
        Gives the heights [m] of places, shape (n, 2) in metres; nan where one is not known.
    """
    side = math.sqrt(float(segment.area) / _SLOPES)
    west, south, east, north = segment.bounds
    x, y = np.meshgrid(np.arange(west + side / 2, east, side), np.arange(south + side / 2, north, side))
    at = np.column_stack([x.ravel(), y.ravel()])
    at = at[shapely.contains_xy(segment, at)] if len(at) else at
    if not len(at):
        at = shapely.get_coordinates(segment.representative_point())
    half = min(side / 2, _SLOPE_REACH_M)
    east_m, north_m = np.array([half, 0.0]), np.array([0.0, half])
    rises = [(heights_m(at + d) - heights_m(at - d)) / (2 * half) for d in (east_m, north_m)]
    slope = float(np.hypot(*rises).mean())
    return slope if math.isfinite(slope) else None
