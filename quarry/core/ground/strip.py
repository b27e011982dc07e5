"""The middle line of a long bent strip: what a corridor is, found in an outline that does not say so."""

from __future__ import annotations

import math

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import LineString, Polygon
from shapely.geometry.base import BaseGeometry

Floats = NDArray[np.float64]
_LONG = 8.0  # length over width from which an outline is a strip
_FOLDS = 240
_UNEVEN = 1.6  # widest over mean
_USUAL = 0.85
_USUAL = 0.85
_EDGE = 0.12  # of the width: how near the middle line follows the bends


def strip_axis(ground: BaseGeometry) -> tuple[LineString, float] | None:
    """Return the middle line of a strip and its usual greatest width, or None where ground is no long even strip.

    The outline is folded in two so that its sides lie side by side; the middle of each pair, centred once more across
    the strip, is a place of the line. [m]
    """
    if not isinstance(ground, Polygon) or len(ground.interiors):
        return None
    half, area = ground.exterior.length / 2, ground.area
    root = half**2 - 4 * area
    if root <= 0:
        return None
    width = (half - math.sqrt(root)) / 2
    if half - width < _LONG * width:
        return None
    along = _folded(ground, half, width)
    line = _centred(ground, along, width)
    if line is None:
        return None
    edge = shapely.points(shapely.get_coordinates(ground.exterior.segmentize(width / 2)))
    apart = 2 * shapely.distance(edge, line)
    # The outer corners of bends lie farther off than the sides.
    return (line, float(np.quantile(apart, _USUAL))) if apart.max() <= _UNEVEN * width else None


def _folded(ground: Polygon, half: float, width: float) -> Floats:
    """Return the middles of opposite places of an outline, from the fold at which they are nearest to one another."""
    steps = int(np.clip(2 * half / width, 40, 2_000))
    t = np.linspace(0.0, half, steps)
    found = []
    for start in np.linspace(0.0, half, _FOLDS, endpoint=False).tolist():
        one, other = (
            shapely.get_coordinates(shapely.line_interpolate_point(ground.exterior, np.mod(start + s * t, 2 * half)))
            for s in (1, -1)
        )
        found.append((float(np.hypot(*(one - other).T).mean()), (one + other) / 2))
    return np.asarray(min(found, key=lambda f: f[0])[1])


def _centred(ground: Polygon, along: Floats, width: float) -> LineString | None:
    """Return a line through the middles of cuts across the strip, drawn out to its ends."""
    rough = LineString(along).simplify(width / 3)
    places = shapely.line_interpolate_point(rough, np.arange(width / 2, rough.length - width / 2, width / 2))
    xy = shapely.get_coordinates(places)
    if len(xy) < 4:
        return None
    d = np.gradient(xy, axis=0)
    across = np.stack([-d[:, 1], d[:, 0]], axis=1) / np.maximum(np.hypot(*d.T), 1e-9)[:, None] * width * 1.5
    cuts = shapely.intersection(shapely.linestrings(np.stack([xy - across, xy + across], axis=1)), ground)
    middles = [
        shapely.get_coordinates(min(shapely.get_parts(c), key=place.distance)).mean(axis=0)
        for c, place in zip(cuts, places, strict=True)
        if not c.is_empty
    ]
    line = LineString(middles).simplify(_EDGE * width)
    xy = shapely.get_coordinates(line)
    for k, (end, inner) in enumerate(((xy[0], xy[1]), (xy[-1], xy[-2]))):
        out = (end - inner) / np.hypot(*(end - inner))
        # As far as the strip goes on.
        reach = float(((shapely.get_coordinates(ground.exterior) - end) @ out)[_ahead(ground, end, out, width)].max(initial=0.0))
        xy = np.vstack([end + out * reach, xy]) if k == 0 else np.vstack([xy, end + out * reach])
    return LineString(xy).simplify(1e-6)


def _ahead(ground: Polygon, end: Floats, out: Floats, width: float) -> NDArray[np.bool_]:
    d = shapely.get_coordinates(ground.exterior) - end
    along, aside = d @ out, np.abs(d @ np.array([-out[1], out[0]]))
    return np.asarray((along > 0) & (along < 2 * width) & (aside < width))
