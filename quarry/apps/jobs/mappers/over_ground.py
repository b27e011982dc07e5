"""Terrain rows to the core's grids and back, and the heights along a job."""

from __future__ import annotations

import base64
import math
import zlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
import shapely

from quarry.apps.jobs.fields import JobFields, StructureFields
from quarry.apps.jobs.mappers.work import Ground
from quarry.apps.jobs.models import Terrain
from quarry.apps.jobs.views import ContourOut, TerrainOut
from quarry.core.base.errors import BadGeometry, require_range
from quarry.core.flight.energy import Airframe
from quarry.core.ground.geodesy import Metres
from quarry.core.ground.lines import Coverage, heights_set_m, speeds_set_m_s
from quarry.core.ground.relief import ClearReturn, Course, Obstacle, RouteRelief, clear_return, ground_along, route_relief
from quarry.core.ground.terrain import TerrainGrid, contours, hill_shade

# Changes with what `terrain_view` draws: an answer that was kept under another name is not used.
DRAWING = "2"
_QUANTUM_DEG = 2e-6
_SMOOTH_CELLS = 1 / 16  # how far a drawn contour may lie off the true one


@dataclass(frozen=True, slots=True)
class OverGround:
    """Terrain and return height of a job; ``relief_of`` gives the heights along one coverage."""

    return_m: float
    clear: ClearReturn
    grid: TerrainGrid | None
    relief_of: Callable[[Coverage], RouteRelief | None]


def over_ground(
    f: JobFields, ground: Ground, home: Metres, terrain: Terrain | None, best: Coverage, craft: Airframe, work_m_s: float
) -> OverGround:
    """Return the return height and how heights along a coverage are found; without a grid, heights above take-off.

    What a mapping job photographs from around stands in the way home as any obstacle.
    """
    grid = grid_of(terrain)
    obstacles = [Obstacle(o.name, ground.frame.to_metres([o.at])[0], o.radius_m, o.top_m) for o in f.site.obstacles]
    structures = f.site.structures if f.kind == "mapping" else []
    obstacles += [_as_obstacle(s, ground) for s in structures if s.top_m >= 1.0]
    clear = clear_return(np.array(best.path), home, f.sorties.clearance_m, obstacles, grid, ground.frame)
    wanted = f.sorties.return_m
    auto = max(math.ceil(clear.needed_m / 5.0) * 5.0, f.work.height_m, *(s.high_m for s in structures))
    return_m = auto if wanted is None else require_range(wanted, 1.0, 500.0, "sorties.return_m", "Return height", "m")
    base = grid.height_m(*f.home) if grid is not None and f.home else None

    def relief_of(c: Coverage) -> RouteRelief | None:
        set_m = heights_set_m(c, f.work.height_m)
        course = Course(f.work.height_m, f.work.tolerance_m, craft.climb_m_s, work_m_s, set_m, speeds_set_m_s(c))
        path = np.array(c.path)
        if grid is not None and base is not None:
            try:
                return route_relief(path, lambda xy: ground_along(grid, ground.frame, xy) - base, course)
            except BadGeometry:
                pass  # the grid ends inside the area: flown by height above take-off, and said so
        return None if set_m is None else route_relief(path, lambda xy: np.zeros(len(xy)), course, assumed=True)

    return OverGround(return_m, clear, grid if base is not None else None, relief_of)


def _as_obstacle(s: StructureFields, ground: Ground) -> Obstacle:
    ring = np.array(ground.frame.to_metres(s.ring))
    middle = ring.mean(axis=0)
    radius = float(np.hypot(*(ring - middle).T).max())
    return Obstacle(s.name or "what is photographed", (float(middle[0]), float(middle[1])), max(0.5, radius), s.top_m)


@lru_cache(maxsize=16)
def _grid(pk: str, version: int, shape: tuple[float, float, float, float, int, int], heights: bytes) -> TerrainGrid:
    del pk, version
    west, south, lon, lat, rows, columns = shape
    raw = zlib.decompress(heights)
    kept = np.frombuffer(raw, dtype="<i2" if len(raw) == 2 * rows * columns else "<i4")
    values = np.where(kept == np.iinfo(kept.dtype).min, np.nan, kept / 10.0)
    return TerrainGrid(west, south, lon, lat, values.reshape(rows, columns))


def grid_of(row: Terrain | None) -> TerrainGrid | None:
    """Return the core's grid of a terrain row, unpacked once."""
    return terrain_grid(row) if row is not None else None


def terrain_grid(row: Terrain) -> TerrainGrid:
    """Return the core's grid of a terrain row, unpacked once."""
    shape = (row.west_deg, row.south_deg, row.cell_deg_lon, row.cell_deg_lat, row.rows, row.columns)
    return _grid(str(row.pk), row.version, shape, bytes(row.heights))


def pack_heights(heights_m: Any) -> bytes:
    """Return heights in metres as stored: decimetres, 32 bit, the least number where none is known, compressed."""
    values = np.asarray(heights_m, dtype=np.float64)
    whole = np.where(np.isnan(values), np.iinfo(np.int32).min, (np.nan_to_num(values) * 10).round())
    return zlib.compress(whole.astype("<i4").tobytes(), 6)


def terrain_view(row: Terrain, step_m: float) -> TerrainOut:
    """Return what a map draws of a terrain: light by cell from north to south, and contours."""
    grid = terrain_grid(row)
    west, south = grid.bounds[:2]
    off_deg = _SMOOTH_CELLS * min(grid.cell_lon_deg, grid.cell_lat_deg)
    lines = [ContourOut(h, [_steps(line, west, south, off_deg) for line in found]) for h, found in contours(grid, step_m)]
    shade = base64.b64encode(hill_shade(grid)[::-1].tobytes()).decode()
    return TerrainOut(grid.bounds, row.columns, row.rows, shade, _QUANTUM_DEG, lines)


def _steps(line: Sequence[Sequence[float]], west: float, south: float, off_deg: float) -> list[int]:
    """Return a line as whole numbers: its first point and then steps; what the eye would not miss is left out."""
    drawn = shapely.get_coordinates(shapely.LineString(line).simplify(off_deg, preserve_topology=False))
    points = np.rint((drawn - (west, south)) / _QUANTUM_DEG).astype(np.int64)
    steps = np.diff(points, axis=0, prepend=np.zeros((1, 2), dtype=np.int64))
    moved = (steps != 0).any(axis=1)
    moved[0] = True
    return [int(v) for v in steps[moved].ravel()]


def terrain_row(grid: TerrainGrid) -> Mapping[str, Any]:
    """Return the figures of a stored terrain from the core's grid."""
    rows, columns = grid.heights_m.shape
    return {
        "west_deg": grid.west_deg,
        "south_deg": grid.south_deg,
        "cell_deg_lon": grid.cell_lon_deg,
        "cell_deg_lat": grid.cell_lat_deg,
        "rows": rows,
        "columns": columns,
        "heights": pack_heights(grid.heights_m),
    }


def height_at(row: Terrain, lon: float, lat: float) -> float | None:
    """Return the height of a place on a terrain, or None outside it. [m]"""
    return terrain_grid(row).height_m(lon, lat)
