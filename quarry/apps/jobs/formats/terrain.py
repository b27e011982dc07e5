"""Reading elevation grids: ESRI ASCII in degrees, and GeoTIFF in any projection, brought to a net of degrees."""

from __future__ import annotations

import warnings

import numpy as np

from quarry.core.base.errors import BadGeometry
from quarry.core.ground.terrain import TerrainGrid, read_ascii_grid

FormatError = BadGeometry
MOST_CELLS = 4_000_000
_LEAST_M, _MOST_M = -500.0, 9000.0


def read_terrain(data: bytes) -> TerrainGrid:
    """Return the grid in a file, whatever its name says.

    Raises
    ------
    FormatError
        The file is neither, damaged, too large, or its heights cannot be on earth.
    """
    if data[:4] in (b"II*\x00", b"MM\x00*", b"II+\x00", b"MM\x00+"):
        grid = _geotiff(data)
    else:
        try:
            text = data.decode("ascii")
        except UnicodeDecodeError as bad:
            raise FormatError(
                "This is neither a GeoTIFF nor an ESRI ASCII grid. Export the terrain in one of these.", "file"
            ) from bad
        grid = read_ascii_grid(text)
    if grid.heights_m.size > MOST_CELLS:
        raise FormatError(
            f"The grid holds {grid.heights_m.size:,} heights; send at most {MOST_CELLS:,}. Cut it to the site.", "file"
        )
    if not (float(np.nanmin(grid.heights_m)) >= _LEAST_M and float(np.nanmax(grid.heights_m)) <= _MOST_M):
        raise FormatError("The grid holds heights that are not on earth. Check that they are in metres.", "file")
    return grid


def _geotiff(data: bytes) -> TerrainGrid:
    from rasterio.errors import RasterioError, RasterioIOError
    from rasterio.io import MemoryFile
    from rasterio.warp import Resampling, calculate_default_transform, reproject

    try:
        with warnings.catch_warnings(), MemoryFile(data) as held, held.open(driver="GTiff") as image:
            warnings.simplefilter("ignore")
            if image.crs is None:
                raise FormatError("The GeoTIFF does not say its projection. Export it with one.", "file")
            if image.width * image.height > 4 * MOST_CELLS:
                raise FormatError(f"The GeoTIFF holds {image.width * image.height:,} heights. Cut it to the site.", "file")
            turned, width, height = calculate_default_transform(image.crs, "EPSG:4326", image.width, image.height, *image.bounds)
            heights = np.full((height, width), np.nan)
            reproject(
                image.read(1, masked=True).astype("float64").filled(np.nan),
                heights,
                src_transform=image.transform,
                src_crs=image.crs,
                src_nodata=np.nan,
                dst_transform=turned,
                dst_crs="EPSG:4326",
                dst_nodata=np.nan,
                resampling=Resampling.bilinear,
            )
    except (RasterioError, RasterioIOError, ValueError, MemoryError) as bad:
        if isinstance(bad, FormatError):
            raise
        raise FormatError("The GeoTIFF is damaged or of a kind that cannot be read. Export it again.", "file") from bad
    if heights.size < 4 or np.isnan(heights).all():
        raise FormatError("The GeoTIFF holds no heights.", "file")
    west, north = turned.c + turned.a / 2, turned.f + turned.e / 2
    south = north + turned.e * (heights.shape[0] - 1)
    return TerrainGrid(west, south, turned.a, -turned.e, heights[::-1].copy())
