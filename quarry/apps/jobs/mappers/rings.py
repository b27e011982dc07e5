"""Shapes in local metres as polygons in degrees."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from quarry.core.ground.geodesy import LocalFrame

Place = tuple[float, float]
Polygon = list[list[Place]]
_PLACES = 7


def polygons(shape: BaseGeometry, frame: LocalFrame, least_m2: float = 0.0) -> list[Polygon]:
    """Return the polygons of a shape in degrees, the outer ring of each first; smaller ones than asked for are left out."""
    found: list[Polygon] = []
    for part in shapely.get_parts(shape):
        if hasattr(part, "geoms"):
            found += polygons(part, frame, least_m2)
        elif part.geom_type == "Polygon" and not part.is_empty and part.area >= least_m2:
            found.append([ring(np.array(r.coords), frame) for r in (part.exterior, *part.interiors)])
    return found


def ring(xy: NDArray[np.float64], frame: LocalFrame) -> list[Place]:
    """Return places in degrees, shape (n, 2) [m]."""
    lon, lat = frame.degrees_of(xy)
    return [(round(float(x), _PLACES), round(float(y), _PLACES)) for x, y in zip(lon, lat, strict=True)]
