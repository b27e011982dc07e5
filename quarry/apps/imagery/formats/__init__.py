"""Reading pictures of the ground: GeoTIFF, and the two common archives of tiles."""

from quarry.apps.imagery.formats.reading import read_imagery
from quarry.apps.imagery.formats.tiles import ImageryError, Tile, TileSet

__all__ = ["ImageryError", "Tile", "TileSet", "read_imagery"]
