"""Ground joined from pieces. A union of floating-point shapes side by side can lose one of them whole, without a word."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

NET_M = 1e-3


def joined(pieces: Iterable[BaseGeometry]) -> BaseGeometry:
    """Return all that any of some pieces covers; where a union has lost one it is made again on a net of a millimetre. [m]"""
    there = np.array([p for p in pieces if not p.is_empty], dtype=object)
    whole = shapely.union_all(there)
    if len(there) < 2:
        return whole
    shapely.prepare(whole)
    kept = shapely.intersects(whole, shapely.point_on_surface(there))
    return whole if kept.all() else joined_on_net(there)


def joined_on_net(pieces: Iterable[BaseGeometry]) -> BaseGeometry:
    """Return all that any of some pieces covers, its corners on a net of a millimetre: for many strips side by side. [m]"""
    return shapely.union_all([p for p in pieces if not p.is_empty], grid_size=NET_M)
