"""Terrain rows to the core's grids and back, and the heights along a job."""

from __future__ import annotations

import math
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from quarry.apps.jobs.bridge.figures import (
    Ground,
)
from quarry.apps.jobs.models import Job, Terrain
from quarry.core.base.errors import BadGeometry, require_range
from quarry.core.flight.energy import Airframe
from quarry.core.ground.coverage import Coverage
from quarry.core.ground.geodesy import Metres
from quarry.core.ground.relief import ClearReturn, Obstacle, RouteRelief, clear_return, route_relief
from quarry.core.ground.terrain import TerrainGrid, contours, hill_shade


@dataclass(frozen=True, slots=True)
class OverGround:
    """Terrain and return height of a job; ``relief_of`` gives the heights along one coverage."""

    return_m: float
    clear: ClearReturn
    grid: TerrainGrid | None
    relief_of: Callable[[Coverage], RouteRelief | None]


def over_ground(
    job: Job, ground: Ground, home: Metres, terrain: Terrain | None, best: Coverage, craft: Airframe, work_m_s: float
) -> OverGround:
    """Return the return height and how heights along a coverage are found; without a grid, heights above take-off."""
    grid = grid_of(terrain)
    obstacles = [
        Obstacle(o.get("name", ""), ground.frame.to_metres([tuple(o["at"])])[0], float(o["radius_m"]), float(o["top_m"]))
        for o in job.site["obstacles"]
    ]
    places = np.array(best.path)[:: max(1, len(best.path) // 60)]
    clear = clear_return(places, home, float(job.sorties["clearance_m"]), obstacles, grid, ground.frame)
    wanted = job.sorties["return_m"]
    auto = max(math.ceil(clear.needed_m / 5.0) * 5.0, float(job.work["height_m"]))
    return_m = auto if wanted is None else require_range(float(wanted), 1.0, 500.0, "sorties.return_m", "Return height", "m")
    base = grid.height_m(job.home[0], job.home[1]) if grid is not None and job.home else None
    slope = craft.climb_m_s / work_m_s

    def relief_of(c: Coverage) -> RouteRelief | None:
        if grid is None or base is None:
            return None
        try:
            return route_relief(
                np.array(c.path),
                grid,
                ground.frame,
                base,
                float(job.work["height_m"]),
                float(job.work["tolerance_m"]),
                slope,
                slope,
            )
        except BadGeometry:
            return None  # the grid ends inside the area: flown by height above take-off, and said so

    return OverGround(return_m, clear, grid if base is not None else None, relief_of)


@lru_cache(maxsize=16)
def _grid(pk: str, version: int, facts: tuple[float, float, float, float, int, int], heights: bytes) -> TerrainGrid:
    del pk, version
    west, south, lon, lat, rows, columns = facts
    raw = zlib.decompress(heights)
    kept = np.frombuffer(raw, dtype="<i2" if len(raw) == 2 * rows * columns else "<i4")
    values = np.where(kept == np.iinfo(kept.dtype).min, np.nan, kept / 10.0)
    return TerrainGrid(west, south, lon, lat, values.reshape(rows, columns))


def grid_of(row: Terrain | None) -> TerrainGrid | None:
    """Return the core's grid of a terrain row, unpacked once."""
    return terrain_grid(row) if row is not None else None


def terrain_grid(row: Terrain) -> TerrainGrid:
    """Return the core's grid of a terrain row, unpacked once."""
    facts = (row.west_deg, row.south_deg, row.cell_deg_lon, row.cell_deg_lat, row.rows, row.columns)
    return _grid(str(row.pk), row.version, facts, bytes(row.heights))


def pack_heights(heights_m: Any) -> bytes:
    """Return heights in metres as stored: decimetres, 32 bit, the least number where none is known, compressed."""
    values = np.asarray(heights_m, dtype=np.float64)
    whole = np.where(np.isnan(values), np.iinfo(np.int32).min, (np.nan_to_num(values) * 10).round())
    return zlib.compress(whole.astype("<i4").tobytes(), 6)


def terrain_sheet(row: Terrain, step_m: float) -> dict[str, Any]:
    """Return what a map draws of a terrain: light by cell from north to south, and contours."""
    grid = terrain_grid(row)
    lines = [
        {"height_m": h, "lines": [[[round(x, 6), round(y, 6)] for x, y in line] for line in found]}
        for h, found in contours(grid, step_m)
    ]
    return {
        "bounds": list(grid.bounds),
        "columns": row.columns,
        "rows": row.rows,
        "shade": hill_shade(grid)[::-1].tobytes(),
        "contours": lines,
    }


def terrain_row(grid: TerrainGrid) -> dict[str, Any]:
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
