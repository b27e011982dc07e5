"""How often each place was covered, as GeoTIFF."""

from __future__ import annotations

import numpy as np

from quarry.core.covered.flown import Measured
from quarry.core.ground.geodesy import LocalFrame

NOWHERE = -1.0  # outside the ground


def geotiff(measured: Measured, frame: LocalFrame) -> bytes:
    """Return a GeoTIFF of one or two bands: how often each cell was covered, and its dose or detection where that is known.

    Cells outside the ground hold `NOWHERE`. It lies in a transverse Mercator plane about the middle of the job.
    """
    from rasterio.crs import CRS  # slow to load
    from rasterio.io import MemoryFile

    bands = [("times covered", measured.counts.astype(np.float32))]
    if measured.detection is not None:
        bands.append(("detection, 0 to 1", measured.detection))
    if measured.dose_l_ha is not None:
        bands.append(("dose, litres per hectare", measured.dose_l_ha))
    rows, columns = measured.raster.inside.shape
    with MemoryFile() as held:
        with held.open(
            driver="GTiff",
            width=columns,
            height=rows,
            count=len(bands),
            dtype="float32",
            crs=CRS.from_string(frame.proj),
            transform=measured.raster.transform,
            nodata=NOWHERE,
            compress="deflate",
        ) as out:
            for k, (words, band) in enumerate(bands, start=1):
                out.write(np.where(measured.raster.inside, band, NOWHERE).astype(np.float32), k)
                out.set_band_description(k, words)
        return bytes(held.read())
