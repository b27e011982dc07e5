"""A picture of the ground in whichever form it comes: recognised from the first bytes, not by the name."""

from __future__ import annotations

import json
import sqlite3
import struct
import zlib
from collections.abc import Iterator

from quarry.apps.imagery.formats.geotiff import read_geotiff
from quarry.apps.imagery.formats.tiles import ImageryError, TileSet, gather

_TIFF = (b"II*\x00", b"MM\x00*", b"II+\x00", b"MM\x00+")
_SQLITE, _PMTILES = b"SQLite format 3\x00", b"PMTiles"


def read_imagery(data: bytes) -> TileSet:
    """Return the tiles of a GeoTIFF, an MBTiles or a PMTiles file.

    Raises
    ------
    ImageryError
        It is none of these, damaged, holds no pictures, or (code ``heights``) is a grid of heights.
    """
    if data[:4] in _TIFF:
        return read_geotiff(data)
    if data.startswith(_SQLITE):
        return _mbtiles(data)
    if data.startswith(_PMTILES):
        return _pmtiles(data)
    raise ImageryError(
        "unknown_form", "This is no picture of the ground that can be read. Bring a GeoTIFF, an MBTiles or a PMTiles file."
    )


def _mbtiles(data: bytes) -> TileSet:
    try:
        held = sqlite3.connect(":memory:")
        held.deserialize(data)
        there = {name for (name,) in held.execute("SELECT name FROM sqlite_master")}
        if "tiles" not in there:
            raise ImageryError(
                "no_pictures", "This database holds no table of tiles, so it is no MBTiles file. Export the picture as one."
            )
        about = (
            {str(k): str(v) for k, v in held.execute("SELECT name, value FROM metadata LIMIT 200")} if "metadata" in there else {}
        )
        _refuse_vectors(about.get("format", ""))
        rows = held.execute(
            "SELECT zoom_level, tile_column, tile_row, tile_data FROM tiles ORDER BY zoom_level, tile_column, tile_row"
        )
        return gather(_from_the_north(rows), about.get("attribution", ""))
    except (sqlite3.Error, OverflowError) as bad:
        raise ImageryError("damaged", "The MBTiles file is damaged or incomplete. Export it again.") from bad


def _from_the_north(rows: sqlite3.Cursor) -> Iterator[tuple[int, int, int, bytes]]:
    """MBTiles counts rows from the south (MBTiles 1.3, after TMS)."""
    for zoom, column, row, picture in rows:
        known = isinstance(zoom, int) and isinstance(column, int) and isinstance(row, int) and isinstance(picture, bytes)
        if known and 0 <= zoom < 64:
            yield zoom, column, 2**zoom - 1 - row, picture
        else:
            yield -1, 0, 0, b""


def _pmtiles(data: bytes) -> TileSet:
    from pmtiles.reader import MemorySource, Reader, all_tiles
    from pmtiles.tile import Compression, TileType

    source = MemorySource(data)
    try:
        reader = Reader(source)
        header = reader.header()
        if header["tile_type"] == TileType.MVT:
            _refuse_vectors("pbf")
        packed = header["tile_compression"] == Compression.GZIP
        found = sorted(
            ((z, x, y, zlib.decompress(t, 31) if packed else t) for (z, x, y), t in all_tiles(source)), key=lambda t: t[:3]
        )
        credit = str(reader.metadata().get("attribution", ""))
    except ImageryError:
        raise
    except (  # what a damaged directory does to the library
        ValueError,
        KeyError,
        IndexError,
        TypeError,
        AttributeError,
        OverflowError,
        EOFError,
        OSError,
        RecursionError,
        struct.error,
        zlib.error,
        json.JSONDecodeError,
    ) as bad:
        raise ImageryError("damaged", "The PMTiles file is damaged or incomplete. Export it again.") from bad
    return gather(found, credit)


def _refuse_vectors(form: str) -> None:
    if form.lower() in ("pbf", "mvt"):
        raise ImageryError(
            "no_pictures", "The file holds lines and areas to be drawn, not pictures. Export it as PNG or JPEG tiles."
        )
