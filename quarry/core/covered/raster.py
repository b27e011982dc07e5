"""How often each place was covered: shapes counted on a raster of bounded size."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from rasterio.enums import MergeAlg
from rasterio.features import rasterize
from rasterio.transform import Affine
from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import require_range
from quarry.core.covered.track import Flags

Counts = NDArray[np.uint16]
Grid = NDArray[np.float32]
_CELLS_ACROSS = 10  # a spacing
_MOST_CELLS = 4_000_000


@dataclass(frozen=True, slots=True)
class Raster:
    """Cells over a piece of ground, the first row in the north: where it begins, how large a cell is, and which lie in the ground."""

    west_m: float
    north_m: float
    cell_m: float
    inside: Flags

    @property
    def transform(self) -> Affine:
        """The affine transform from (column, row) to metres."""
        return _north_up(self.west_m, self.north_m, self.cell_m)


def _north_up(west_m: float, north_m: float, cell_m: float) -> Affine:
    return Affine(cell_m, 0.0, west_m, 0.0, -cell_m, north_m)


def raster_over(ground: BaseGeometry, spacing_m: float, most_cells: int = _MOST_CELLS) -> Raster:
    """Return a raster over ground: a tenth of a spacing to a cell, larger where there would be too many."""
    require_range(spacing_m, 0.2, 5000.0, "spacing_m", "Spacing", "m")
    west, south, east, north = ground.bounds
    least = math.sqrt(max((east - west) * (north - south), 1.0) / most_cells)
    cell = max(spacing_m / _CELLS_ACROSS, least)
    shape = max(1, math.ceil((north - south) / cell)), max(1, math.ceil((east - west) / cell))
    inside = rasterize([(ground, 1)], shape, transform=_north_up(west, north, cell), dtype=np.uint8).astype(np.bool_)
    return Raster(west, north, cell, inside)


def times_covered(raster: Raster, shapes: Iterable[BaseGeometry]) -> Counts:
    """Return how many of the shapes cover each cell of a raster: its middle decides."""
    there = [(s, 1) for s in shapes if not s.is_empty]
    if not there:
        return np.zeros(raster.inside.shape, dtype=np.uint16)
    found: Counts = rasterize(there, raster.inside.shape, transform=raster.transform, merge_alg=MergeAlg.add, dtype=np.uint16)
    return found


def summed_over(raster: Raster, shapes: Iterable[tuple[BaseGeometry, float]]) -> Grid:
    """Return for each cell of a raster the sum of the values of all shapes that cover its middle."""
    there = [(s, v) for s, v in shapes if not s.is_empty]
    if not there:
        return np.zeros(raster.inside.shape, dtype=np.float32)
    found: Grid = rasterize(there, raster.inside.shape, transform=raster.transform, merge_alg=MergeAlg.add, dtype=np.float32)
    return found


def shares(raster: Raster, counts: Counts, enough: int = 1) -> dict[str, float]:
    """Return the shares of the ground not covered, covered, covered often enough, and twice or more."""
    inside = counts[raster.inside]
    if not inside.size:
        return {"not": 0.0, "covered": 0.0, "enough": 0.0, "twice": 0.0}
    return {
        "not": float((inside == 0).mean()),
        "covered": float((inside > 0).mean()),
        "enough": float((inside >= enough).mean()),
        "twice": float((inside >= 2).mean()),
    }
