"""A grid of heights on a net of degrees: height at a place, contours, hill shading."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from contourpy import contour_generator
from numpy.typing import NDArray

from quarry.core.base.errors import BadGeometry

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class TerrainGrid:
    """Heights in metres, shape (rows, columns), rows from south to north; the first lies at the south-west."""

    west_deg: float
    south_deg: float
    cell_lon_deg: float
    cell_lat_deg: float
    heights_m: Floats

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """West, south, east, north of the outermost heights. [°]"""
        rows, columns = self.heights_m.shape
        return (
            self.west_deg,
            self.south_deg,
            self.west_deg + (columns - 1) * self.cell_lon_deg,
            self.south_deg + (rows - 1) * self.cell_lat_deg,
        )

    def height_m(self, lon_deg: float, lat_deg: float) -> float | None:
        """Return the height at a place, linear between the four nearest; None outside the grid. [m]"""
        x = (lon_deg - self.west_deg) / self.cell_lon_deg
        y = (lat_deg - self.south_deg) / self.cell_lat_deg
        rows, columns = self.heights_m.shape
        if not (0 <= x <= columns - 1 and 0 <= y <= rows - 1):
            return None
        i, j = min(int(x), columns - 2), min(int(y), rows - 2)
        u, v = x - i, y - j
        h = self.heights_m
        return float(
            h[j, i] * (1 - u) * (1 - v) + h[j, i + 1] * u * (1 - v) + h[j + 1, i] * (1 - u) * v + h[j + 1, i + 1] * u * v
        )

    def heights_at_m(self, lon_deg: Floats, lat_deg: Floats) -> Floats:
        """Return the heights at many places, linear between the four nearest; nan outside the grid. [m]"""
        x = (lon_deg - self.west_deg) / self.cell_lon_deg
        y = (lat_deg - self.south_deg) / self.cell_lat_deg
        rows, columns = self.heights_m.shape
        inside = (x >= 0) & (x <= columns - 1) & (y >= 0) & (y <= rows - 1)
        i = np.clip(x.astype(int), 0, columns - 2)
        j = np.clip(y.astype(int), 0, rows - 2)
        u, v = x - i, y - j
        h = self.heights_m
        found = h[j, i] * (1 - u) * (1 - v) + h[j, i + 1] * u * (1 - v) + h[j + 1, i] * (1 - u) * v + h[j + 1, i + 1] * u * v
        return np.asarray(np.where(inside, found, np.nan))


def contours(grid: TerrainGrid, step_m: float) -> list[tuple[float, list[list[tuple[float, float]]]]]:
    """Return (height, lines of (lon, lat)) at each whole step."""
    rows, columns = grid.heights_m.shape
    lon = grid.west_deg + grid.cell_lon_deg * np.arange(columns)
    lat = grid.south_deg + grid.cell_lat_deg * np.arange(rows)
    generator = contour_generator(lon, lat, np.ma.masked_invalid(grid.heights_m))
    low = math.ceil(float(np.nanmin(grid.heights_m)) / step_m) * step_m
    found = []
    for level in np.arange(low, float(np.nanmax(grid.heights_m)), step_m):
        lines = [[(float(x), float(y)) for x, y in line] for line in generator.lines(float(level)) if len(line) > 3]
        if lines:
            found.append((float(level), lines))
    return found


def hill_shade(grid: TerrainGrid, sun_deg: float = 315.0, altitude_deg: float = 45.0) -> NDArray[np.uint8]:
    """Return the light on each place, 0 dark to 255 bright, shape (rows, columns).

    Lambert shading of the surface, the usual convention of maps with light from the north-west.
    """
    metres = 111_320.0
    middle = math.radians(grid.south_deg + grid.cell_lat_deg * grid.heights_m.shape[0] / 2)
    dy, dx = np.gradient(grid.heights_m, grid.cell_lat_deg * metres, grid.cell_lon_deg * metres * math.cos(middle))
    a, b = math.radians(sun_deg), math.radians(altitude_deg)
    light = (math.sin(a) * math.cos(b), math.cos(a) * math.cos(b), math.sin(b))
    lit = (-dx * light[0] - dy * light[1] + light[2]) / np.sqrt(1 + dx**2 + dy**2)
    return np.asarray(np.clip(np.nan_to_num(lit), 0, 1) * 255, dtype=np.uint8)


def read_ascii_grid(text: str) -> TerrainGrid:
    """Return the grid of an ESRI ASCII file in degrees.

    Raises
    ------
    BadGeometry
        The header is incomplete or the numbers do not fill the grid.
    """
    head: dict[str, float] = {}
    lines = text.splitlines()
    at = 0
    while at < len(lines) and lines[at][:1].isalpha() and len(lines[at].split()) == 2:
        key, value = lines[at].split()
        try:
            head[key.lower()] = float(value)
        except ValueError as bad:
            raise BadGeometry(f"The grid's header says {value[:20]} for {key[:20]}, which is no number.", "file") from bad
        at += 1
    try:
        columns, rows, cell = int(head["ncols"]), int(head["nrows"]), head["cellsize"]
        west = head.get("xllcorner", head.get("xllcenter", math.nan)) + (cell / 2 if "xllcorner" in head else 0)
        south = head.get("yllcorner", head.get("yllcenter", math.nan)) + (cell / 2 if "yllcorner" in head else 0)
    except KeyError as missing:
        raise BadGeometry(f"The grid's header lacks {missing}. Export it as an ESRI ASCII grid.", "file") from missing
    try:
        values = np.array(" ".join(lines[at:]).split(), dtype=np.float64)
    except ValueError as bad:
        raise BadGeometry("The grid holds something that is no number. Export it again.", "file") from bad
    values[values == head.get("nodata_value", -9999.0)] = np.nan
    if values.size != rows * columns:
        raise BadGeometry(f"The grid should hold {rows * columns} heights and holds {values.size}. Export it again.", "file")
    if rows < 2 or columns < 2 or np.isnan(values).all():
        raise BadGeometry("The grid holds no heights. Export it again.", "file")
    if not (-180 <= west <= 180 and -90 <= south <= 90 and cell < 1):
        raise BadGeometry("The grid is not in degrees. Export it in WGS 84 longitude and latitude, or send a GeoTIFF.", "file")
    return TerrainGrid(west, south, cell, cell, values.reshape(rows, columns)[::-1])
