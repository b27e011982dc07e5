"""Overlap and ground sample over relief: what each place of the field gets from lines that follow the ground as well as they can."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from rasterio.features import rasterize, shapes
from rasterio.transform import Affine
from shapely import LineString, MultiPolygon, Polygon
from shapely.geometry import shape as shape_of
from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import Infeasible
from quarry.core.base.sources import PHOTOGRAMMETRY
from quarry.core.base.working import formula
from quarry.core.ground.mapping import Camera

Floats = NDArray[np.float64]
_MOST_CELLS = 60_000
_CELLS_IN_SPACING = 3
_BESIDE = 1.02  # spacings within which a line sees a place as one of its two neighbours
RAISED_BY_M = 5.0
SHORT_FRAC = 0.10  # by how much an overlap may fall short of what is wanted before it is called far short


@formula("overlap = 1 − step × focal length ÷ (height × sensor side)", source=PHOTOGRAMMETRY, result="overlap_frac")
def overlap_frac(step_m: float, height_m: float, sensor_side_mm: float, focal_mm: float) -> float:
    """Return the overlap of two pictures a step apart, over ground that lies so far below them. [0 to 1; below 0: a gap]

    Examples
    --------
    >>> round(overlap_frac(36.0, 80.0, 13.2, 8.8), 3)
    0.7
    """
    return 1.0 - step_m * focal_mm / (height_m * sensor_side_mm)


@dataclass(frozen=True, slots=True)
class FlownLine:
    """A line as it is flown: its way, and the height of the aircraft over it above home, at distances along it. [m]"""

    way: LineString
    at_m: Floats
    fly_m: Floats


@dataclass(frozen=True, slots=True)
class OverlapMap:
    """What each cell of the field gets: its place, how far below the lowest and highest of its lines it lies, overlaps, ground sample.

    Arrays of shape (n,): ``xy`` (n, 2) [m], ``least_m`` and ``most_m`` [m], ``side_frac`` and ``forward_frac`` [0 to 1],
    ``sample_m`` [m]. ``cell_m``: side of a cell.
    """

    xy: Floats
    least_m: Floats
    most_m: Floats
    side_frac: Floats
    forward_frac: Floats
    sample_m: Floats
    cell_m: float

    def share_above(self, side_frac: float, forward_frac: float) -> float:
        """Return the share of the field where both overlaps reach what is wanted. [0 to 1]"""
        if not self.side_frac.size:
            return 0.0
        eps = 1e-6
        return float(((self.side_frac >= side_frac - eps) & (self.forward_frac >= forward_frac - eps)).mean())


def overlap_map(
    heights_m: Floats | None,
    cells: Floats,
    cell_m: float,
    lines: Sequence[FlownLine],
    camera: Camera,
    spacing_m: float,
    trigger_m: float,
) -> OverlapMap:
    """Return overlap and ground sample at each cell of a field.

    Parameters
    ----------
    heights_m : array of shape (n,), optional
        Height of the ground at each cell above home; None: level with home. [m]
    cells : array of shape (n, 2)
        Middles of the cells, of `cells_of`. [m]
    lines : sequence of FlownLine
        Lines with the heights at which they are flown.
    """
    n = len(cells)
    ground = np.zeros(n) if heights_m is None else heights_m
    least, most = np.full(n, np.inf), np.full(n, -np.inf)
    points = shapely.points(cells)
    tree = shapely.STRtree(points)
    for line in lines:
        mine = tree.query(line.way, predicate="dwithin", distance=_BESIDE * spacing_m)
        if not mine.size:
            continue
        at = shapely.line_locate_point(line.way, points[mine])
        above = np.interp(at, line.at_m, line.fly_m) - ground[mine]
        least[mine], most[mine] = np.minimum(least[mine], above), np.maximum(most[mine], above)
    seen = np.isfinite(least) & (least > 0)
    xy, low, high = cells[seen], least[seen], most[seen]
    return OverlapMap(
        xy,
        low,
        high,
        1.0 - spacing_m * camera.focal_mm / (low * camera.sensor_w_mm),
        1.0 - trigger_m * camera.focal_mm / (low * camera.sensor_h_mm),
        high * camera.sensor_w_mm / (camera.focal_mm * camera.image_w_px),
        cell_m,
    )


def rises_m(heights_m: Floats, cells: Floats, lines: Sequence[FlownLine], spacing_m: float, wanted_m: float) -> Floats:
    """Return by how much each line is to be raised, in steps of five metres, so that no ground beside it comes nearer than is wanted.

    Parameters
    ----------
    heights_m : array of shape (n,)
        Height of the ground at each cell above home. [m]
    cells : array of shape (n, 2)
        Middles of the cells. [m]
    lines : sequence of FlownLine
        Lines with the heights at which they are flown now.
    spacing_m, wanted_m : float
        How far apart lines lie, and how high above the ground they are to be. [m]

    Returns
    -------
    array of shape (len(lines),)
        Metres, 0 where a line is high enough.
    """
    points = shapely.points(cells)
    tree = shapely.STRtree(points)
    found = np.zeros(len(lines))
    for k, line in enumerate(lines):
        mine = tree.query(line.way, predicate="dwithin", distance=_BESIDE * spacing_m)
        if mine.size:
            at = shapely.line_locate_point(line.way, points[mine])
            short = wanted_m - float((np.interp(at, line.at_m, line.fly_m) - heights_m[mine]).min())
            found[k] = max(0.0, math.ceil(short / RAISED_BY_M - 1e-6) * RAISED_BY_M)
    return found


def cells_of(field: BaseGeometry, spacing_m: float) -> tuple[Floats, float]:
    """Return the middles of cells over a field, a third of a spacing wide, and how wide they are: wider where there would be too many. [m]"""
    west, south, east, north = field.bounds
    cell = max(spacing_m / _CELLS_IN_SPACING, math.sqrt(max((east - west) * (north - south), 1.0) / _MOST_CELLS))
    columns, rows = max(1, math.ceil((east - west) / cell)), max(1, math.ceil((north - south) / cell))
    inside = rasterize([(field, 1)], (rows, columns), transform=Affine(cell, 0.0, west, 0.0, -cell, north), dtype=np.uint8)
    y, x = np.nonzero(inside)
    return np.column_stack((west + (x + 0.5) * cell, north - (y + 0.5) * cell)), cell


def ground_where(m: OverlapMap, marked: NDArray[np.bool_]) -> MultiPolygon:
    """Return the cells that are marked as polygons. [m]"""
    if not marked.any():
        return MultiPolygon()
    west, north = m.xy[:, 0].min() - m.cell_m / 2, m.xy[:, 1].max() + m.cell_m / 2
    column = np.rint((m.xy[:, 0] - west) / m.cell_m - 0.5).astype(int)
    row = np.rint((north - m.xy[:, 1]) / m.cell_m - 0.5).astype(int)
    grid = np.zeros((row.max() + 1, column.max() + 1), dtype=np.uint8)
    grid[row[marked], column[marked]] = 1
    found = shapes(grid, mask=grid.astype(bool), connectivity=8, transform=Affine(m.cell_m, 0.0, west, 0.0, -m.cell_m, north))
    made = [shape_of(s).buffer(0) for s, _ in found]
    return MultiPolygon([p for g in made for p in shapely.get_parts(g) if isinstance(p, Polygon) and not p.is_empty])


@dataclass(frozen=True, slots=True)
class Remedy:
    """Other settings with which the wanted overlaps hold everywhere: height above ground, overlaps to lay lines by."""

    height_m: float
    side_overlap_frac: float
    forward_overlap_frac: float


def more_lines(m: OverlapMap, height_m: float, side_frac: float, forward_frac: float) -> Remedy:
    """Return the overlaps to lay lines by so that those wanted hold where the ground comes nearest, at the same height.

    Raises
    ------
    Infeasible
        The ground comes so near that lines would have to lie beside one another.
    """
    share = float(m.least_m.min()) / height_m
    side, forward = 1.0 - (1.0 - side_frac) * min(1.0, share), 1.0 - (1.0 - forward_frac) * min(1.0, share)
    if side > 0.95 or forward > 0.98:
        raise Infeasible(
            f"The ground comes within {m.least_m.min():.0f} m of a line planned at {height_m:.0f} m: adding lines cannot make up "
            "for it. Fly higher, or cut the field where it is steep.",
            "work.height_m",
        )
    return Remedy(height_m, side, forward)


def higher(m: OverlapMap, height_m: float, side_frac: float, forward_frac: float) -> Remedy:
    """Return the height, in steps of five metres, at which the same lines and pictures overlap as wanted everywhere."""
    short_m = max(0.0, height_m - float(m.least_m.min()))
    raised = height_m + math.ceil(short_m / RAISED_BY_M - 1e-9) * RAISED_BY_M
    share = height_m / raised
    return Remedy(raised, 1.0 - (1.0 - side_frac) * share, 1.0 - (1.0 - forward_frac) * share)
