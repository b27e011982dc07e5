"""Terrain and field boundaries from a seed."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
M_PER_DEG = 111_320.0


@dataclass(frozen=True, slots=True)
class Sheet:
    """A square of simulated upland: south-west corner, cells, heights in metres from the south."""

    west_deg: float
    south_deg: float
    cell_deg: float
    heights_m: Floats


def upland(lon_deg: float, lat_deg: float, *, seed: int, cells: int = 220, cell_deg: float = 0.00022) -> Sheet:
    """Return upland around a place: long ridges by spectral noise, a worked-out pit, a beck.

    Heights run from about 300 to 520 m. The same seed gives the same ground.
    """
    rng = np.random.default_rng(seed)
    freq = np.fft.fftfreq(cells)
    fx, fy = np.meshgrid(freq, freq)
    radius = np.hypot(fx * 1.25 + fy * 0.35, fy)
    radius[0, 0] = 1.0
    spectrum = radius**-2.15 * np.exp(-((radius / 0.11) ** 2)) * np.exp(2j * math.pi * rng.random((cells, cells)))
    noise = np.real(np.fft.ifft2(spectrum))
    noise = (noise - noise.mean()) / noise.std()
    y, x = np.mgrid[0:cells, 0:cells] / (cells - 1.0)
    height = 395 + 34 * noise + 62 * (y - 0.5) - 22 * (x - 0.5)
    pit = ((x - 0.47) / 0.085) ** 2 + ((y - 0.53) / 0.06) ** 2
    height -= 26 / (1 + np.exp(np.clip(9 * (pit - 1), -50, 50)))
    beck = np.exp(-(((x - 0.30 - 0.12 * np.sin(5 * y)) / 0.03) ** 2))
    height -= 12 * beck
    half = cells * cell_deg / 2
    return Sheet(lon_deg - half, lat_deg - half * 0.62, cell_deg, np.clip(height, 250, 600))


def boundary(
    lon_deg: float, lat_deg: float, *, radius_m: float, seed: int, corners: int = 9, stretch: float = 1.4, turn_deg: float = 20.0
) -> list[list[float]]:
    """Return a walled-field outline around a place: uneven corners on a stretched ring, as [lon, lat]."""
    rng = np.random.default_rng(seed)
    angles = np.sort((np.arange(corners) + rng.uniform(-0.32, 0.32, corners)) / corners * 2 * math.pi)
    reach = radius_m * rng.uniform(0.78, 1.18, corners)
    u, v = reach * np.cos(angles) * math.sqrt(stretch), reach * np.sin(angles) / math.sqrt(stretch)
    a = math.radians(turn_deg)
    east, north = u * math.cos(a) - v * math.sin(a), u * math.sin(a) + v * math.cos(a)
    lon = lon_deg + east / (M_PER_DEG * math.cos(math.radians(lat_deg)))
    lat = lat_deg + north / M_PER_DEG
    return [[round(float(p), 7), round(float(q), 7)] for p, q in zip(lon, lat, strict=True)]


def ascii_grid(sheet: Sheet, cell_lat_deg: float) -> str:
    """Return a sheet as an ESRI ASCII grid, rows from the north; one cell size serves both ways."""
    if abs(cell_lat_deg - sheet.cell_deg) > 1e-12:
        raise ValueError("an ASCII grid has square cells")
    rows, columns = sheet.heights_m.shape
    head = (
        f"ncols {columns}\nnrows {rows}\nxllcenter {sheet.west_deg:.8f}\nyllcenter {sheet.south_deg:.8f}\n"
        f"cellsize {sheet.cell_deg:.8f}\nNODATA_value -9999\n"
    )
    return head + "\n".join(" ".join(f"{h:.1f}" for h in row) for row in sheet.heights_m[::-1]) + "\n"
