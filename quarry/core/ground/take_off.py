"""Where home stands for a new piece of ground until a person says otherwise."""

from __future__ import annotations

from collections.abc import Sequence

from shapely import Point
from shapely.geometry.base import BaseGeometry

from quarry.core.ground.geodesy import LonLat, Metres, distance_m

NEAR_M = 3000.0  # a home farther from every corner belongs to another piece of ground


def home_for(area: Sequence[LonLat], now: LonLat | None) -> tuple[LonLat, bool]:
    """Return where home stands for an area, and whether it is where it was.

    A home near a corner stays; else the south-west corner stands in, and the screen says so.

    Examples
    --------
    >>> home_for([(7.0, 46.0), (7.0, 46.01), (7.01, 46.0)], (9.0, 47.0))
    ((7.0, 46.0), False)
    """
    if now is not None and any(distance_m(*now, *corner[:2]) <= NEAR_M for corner in area):
        return now, True
    west, south = min(area, key=lambda p: p[0] + p[1])[:2]
    return (west, south), False


def nearest_home(outlines: Sequence[BaseGeometry], homes: Sequence[Metres]) -> list[int]:
    """Return for each outline which home is nearest to it, by what has to be flown there and over it.

    Measured to its nearest edge and to its middle, both together; of equal ones the first.
    """
    places = [Point(h) for h in homes]
    return [min(range(len(places)), key=lambda k: o.distance(places[k]) + o.centroid.distance(places[k])) for o in outlines]
