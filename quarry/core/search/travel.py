"""How far off ground is on foot: over relief, along paths, around water.

The result is a distance over even, open ground that takes as long to walk, so that a table of distances can be read by it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from rasterio.features import rasterize
from rasterio.transform import Affine
from scipy.sparse import coo_matrix  # type: ignore[import-untyped]
from scipy.sparse.csgraph import dijkstra  # type: ignore[import-untyped]
from shapely import Point
from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import BadGeometry
from quarry.core.base.sources import TOBLER
from quarry.core.base.working import formula

Floats = NDArray[np.float64]
_OFF_PATH = 0.6
_NEIGHBOURS = ((0, 1), (1, 0), (1, 1), (1, -1), (1, 2), (2, 1), (1, -2), (2, -1))


@formula("walking = 6 km/h × e^(−3.5 × |slope + 0.05|)", source=TOBLER, result="speed_m_s")
def walking_m_s(slope_frac: float) -> float:
    """Return how fast people walk along a path that rises by a slope; off the path at six tenths of it. [m/s]

    Examples
    --------
    >>> round(walking_m_s(0.0) * 3.6, 3)
    5.037
    """
    return 6 / 3.6 * math.exp(-3.5 * abs(slope_frac + 0.05))


@dataclass(frozen=True, slots=True)
class Walkable:
    """Ground on foot: heights of cells from north to south, nan where not known, their side, and the place of the first corner. [m]

    ``paths`` are walked at full speed, ``barred`` not at all.
    """

    heights_m: Floats
    cell_m: float
    west_m: float
    north_m: float
    paths: BaseGeometry | None = None
    barred: BaseGeometry | None = None


def equal_distances_m(ground: Walkable, at: tuple[float, float]) -> Floats:
    """Return for each cell the distance over even open ground that takes as long to walk as the way there from a place.

    Shape of ``heights_m``; inf where nobody gets. Where heights are not known the ground counts as even.

    Raises
    ------
    BadGeometry
        The place lies outside the ground, or where nobody walks.
    """
    rows, columns = ground.heights_m.shape
    transform = Affine(ground.cell_m, 0.0, ground.west_m, 0.0, -ground.cell_m, ground.north_m)

    def burnt(shape: BaseGeometry | None) -> NDArray[np.bool_]:
        if shape is None or shape.is_empty:
            return np.zeros((rows, columns), dtype=np.bool_)
        found = rasterize([(shape, 1)], (rows, columns), transform=transform, all_touched=True, dtype=np.uint8)
        return np.asarray(found, dtype=np.bool_)

    path, barred = burnt(ground.paths), burnt(ground.barred)
    column, row = int((at[0] - ground.west_m) // ground.cell_m), int((ground.north_m - at[1]) // ground.cell_m)
    if not (0 <= row < rows and 0 <= column < columns):
        raise BadGeometry("The last known point lies outside the map. Move it, or draw the map around it.", "at")
    if barred[row, column]:
        if ground.barred is not None and ground.barred.covers(Point(at)):
            raise BadGeometry("The last known point lies where nobody walks. Move it to the bank.", "at")
        barred[row, column] = False
    lengths = _legs_s(ground.heights_m, path, barred, ground.cell_m)
    seconds = dijkstra(lengths, indices=row * columns + column)
    return np.asarray(seconds.reshape(rows, columns) * walking_m_s(0.0) * _OFF_PATH)


def _legs_s(heights: Floats, path: NDArray[np.bool_], barred: NDArray[np.bool_], cell_m: float) -> coo_matrix:
    """Return the time from each cell to its neighbours, sixteen of them, as a graph. [s]"""
    rows, columns = heights.shape
    number = np.arange(rows * columns).reshape(rows, columns)
    starts, ends, times = [], [], []
    for dy, dx in _NEIGHBOURS:
        here = (slice(0, rows - dy), slice(max(0, -dx), columns - max(0, dx)))
        there = (slice(dy, rows), slice(max(0, dx), columns + min(0, dx)))
        length = cell_m * math.hypot(dy, dx)
        open_way = ~(barred[here] | barred[there])
        on_path = path[here] & path[there]
        rise = np.nan_to_num((heights[there] - heights[here]) / length)
        for a, b, slope in ((here, there, rise), (there, here, -rise)):
            speed = 6 / 3.6 * np.exp(-3.5 * np.abs(slope + 0.05)) * np.where(on_path, 1.0, _OFF_PATH)
            starts.append(number[a][open_way])
            ends.append(number[b][open_way])
            times.append((length / speed)[open_way])
    size = rows * columns
    return coo_matrix((np.concatenate(times), (np.concatenate(starts), np.concatenate(ends))), shape=(size, size)).tocsr()
