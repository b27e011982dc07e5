"""Tiles of the square net that maps on screens use, as files bring them.

The net: OGC Two Dimensional Tile Matrix Set 2.0 (17-083r4), WebMercatorQuad; columns from 180° west, rows from the north.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field

MOST_ZOOM = 23
MOST_TILES = 20_000
SIDE = 256  # points of a tile
WORLD_M = 2 * math.pi * 6_378_137.0


class ImageryError(ValueError):
    """A file that is no picture of the ground, or one that cannot be kept. ``message`` says what to do."""

    field = "file"

    def __init__(self, code: str, message: str) -> None:
        super().__init__(code, message)
        self.code, self.message = code, message


@dataclass(frozen=True, slots=True)
class Tile:
    """One picture of the net; ``kind`` is ``png``, ``jpeg`` or ``webp``."""

    zoom: int
    column: int
    row: int
    picture: bytes
    kind: str


@dataclass(frozen=True, slots=True)
class TileSet:
    """What a file held. Bounds are west, south, east, north in degrees; ``notes`` say what was left out or changed."""

    tiles: list[Tile]
    bounds: tuple[float, float, float, float]
    credit: str = ""
    notes: list[str] = field(default_factory=list)

    @property
    def zooms(self) -> tuple[int, int]:
        """The least and the greatest zoom kept."""
        return min(t.zoom for t in self.tiles), max(t.zoom for t in self.tiles)


def kind_of(picture: bytes) -> str | None:
    """Return what a picture is by its first bytes; None where it is none that a browser draws."""
    if picture.startswith(b"\x89PNG\r\n\x1a\n"):
        return "png"
    if picture.startswith(b"\xff\xd8\xff"):
        return "jpeg"
    if picture[:4] == b"RIFF" and picture[8:12] == b"WEBP":
        return "webp"
    return None


def edges_deg(zoom: int, column: int, row: int) -> tuple[float, float, float, float]:
    """Return west, south, east, north of a tile in degrees."""
    across = 2**zoom

    def latitude(r: int) -> float:
        return math.degrees(math.atan(math.sinh(math.pi * (1 - 2 * r / across))))

    return column / across * 360 - 180, latitude(row + 1), (column + 1) / across * 360 - 180, latitude(row)


def gather(found: Iterable[tuple[int, int, int, bytes]], credit: str) -> TileSet:
    """Return the tiles of an archive, the coarse ones first, as many as are kept; says what was left out.

    Raises
    ------
    ImageryError
        Nothing in it can be drawn.
    """
    tiles: list[Tile] = []
    strange = deep = 0
    for zoom, column, row, picture in found:
        kind = kind_of(picture)
        if not (0 <= zoom <= MOST_ZOOM and 0 <= column < 2**zoom and 0 <= row < 2**zoom) or kind is None:
            strange += 1
        elif len(tiles) >= MOST_TILES:
            deep += 1
        else:
            tiles.append(Tile(zoom, column, row, picture, kind))
    if not tiles:
        raise ImageryError("no_pictures", "The file holds no pictures of the ground (PNG, JPEG or WebP). Export it as pictures.")
    notes = []
    if strange:
        notes.append(f"{strange:,} tiles that are no pictures, or outside the net, were left out.")
    if deep:
        notes.append(f"The {MOST_TILES:,} coarsest tiles are kept; {deep:,} finer ones were left out. Cut the file to the site.")
    finest = max(t.zoom for t in tiles)
    edges = [edges_deg(t.zoom, t.column, t.row) for t in tiles if t.zoom == finest]
    bounds = min(e[0] for e in edges), min(e[1] for e in edges), max(e[2] for e in edges), max(e[3] for e in edges)
    return TileSet(tiles, bounds, credit[:200], notes)
