"""A picture of the ground in a GeoTIFF, cut into tiles: the finest from the file, the coarser from those below them."""

from __future__ import annotations

import math
import warnings
from typing import TYPE_CHECKING, Any

import numpy as np
import numpy.typing as npt

from quarry.apps.imagery.formats.tiles import MOST_ZOOM, SIDE, WORLD_M, ImageryError, Tile, TileSet

if TYPE_CHECKING:
    from rasterio.io import DatasetReader

MOST_FINEST = 1_200  # tiles of the finest zoom; a finer file is kept coarser and says so
Points = npt.NDArray[np.uint8]  # red, green, blue, opacity by rows by columns


def read_geotiff(data: bytes) -> TileSet:
    """Return the tiles of a picture in any projection.

    Raises
    ------
    ImageryError
        It is damaged, says no projection, or (code ``heights``) is a grid of heights and not a picture.
    """
    from rasterio.errors import RasterioError
    from rasterio.io import MemoryFile

    try:
        with warnings.catch_warnings(), MemoryFile(data) as held, held.open(driver="GTiff") as image:
            warnings.simplefilter("ignore")
            if image.crs is None:
                raise ImageryError("no_projection", "The GeoTIFF does not say its projection. Export it with one.")
            return _cut(image)
    except (RasterioError, ValueError, MemoryError, ArithmeticError) as bad:
        if isinstance(bad, ImageryError):
            raise
        raise ImageryError("damaged", "The GeoTIFF is damaged or of a kind that cannot be read. Export it again.") from bad


def _cut(image: DatasetReader) -> TileSet:
    from rasterio.enums import Resampling
    from rasterio.transform import Affine
    from rasterio.vrt import WarpedVRT
    from rasterio.warp import calculate_default_transform, transform_bounds

    paint = _Paint(image)
    fit, width, height = calculate_default_transform(image.crs, "EPSG:3857", image.width, image.height, *image.bounds)
    west, north = fit.c, fit.f
    east, south = west + fit.a * width, north + fit.e * height
    half = WORLD_M / 2
    if not (-half - 1 <= west < east <= half + 1 and -half - 1 <= south < north <= half + 1):
        raise ImageryError("damaged", "The picture lies outside the map of the world. Check its projection.")
    finest = min(MOST_ZOOM, max(0, math.ceil(math.log2(WORLD_M / SIDE / fit.a) - 0.3)))
    zoom = finest
    while zoom and (net := _Net(zoom, west, south, east, north)).count > MOST_FINEST:
        zoom -= 1
    net = _Net(zoom, west, south, east, north)
    notes = list(paint.notes)
    if zoom < finest:
        notes.append(
            f"Kept with {_length(net.point_m, north, south)} a point; the file has {_length(fit.a, north, south)}. "
            "Cut the file to the site to keep more."
        )
    smooth = Resampling.nearest if paint.palette is not None else Resampling.average if zoom < finest else Resampling.bilinear
    with WarpedVRT(
        image,
        crs="EPSG:3857",
        transform=Affine(net.point_m, 0, net.west_m, 0, -net.point_m, net.north_m),
        width=net.columns * SIDE,
        height=net.rows * SIDE,
        resampling=smooth,
        add_alpha=not paint.has_alpha,
    ) as warped:
        tiles: list[Tile] = []
        least = net.least_zoom()
        for column in range(net.first_column >> (zoom - least), (net.last_column >> (zoom - least)) + 1):
            for row in range(net.first_row >> (zoom - least), (net.last_row >> (zoom - least)) + 1):
                _branch(warped, paint, net, (least, column, row), tiles)
    if not tiles:
        raise ImageryError("no_pictures", "The GeoTIFF shows nothing: every point of it is see-through.")
    bounds = transform_bounds(image.crs, "EPSG:4326", *image.bounds)
    return TileSet(tiles, bounds, "", notes)


def _length(mercator_m: float, north: float, south: float) -> str:
    latitude = math.atan(math.sinh((north + south) / WORLD_M * math.pi))
    metres = mercator_m * math.cos(latitude)
    return f"{100 * metres:.0f} cm" if metres < 1 else f"{metres:.1f} m"


class _Net:
    """The tiles of one zoom that cover a box of the map."""

    def __init__(self, zoom: int, west: float, south: float, east: float, north: float) -> None:
        side_m, most = WORLD_M / 2**zoom, 2**zoom - 1

        def place(x: float, slack: float) -> int:
            return int(min(most, max(0, math.floor((x + WORLD_M / 2) / side_m + slack))))

        self.zoom = zoom
        self.first_column, self.last_column = place(west, 1e-9), place(east, -1e-9)
        self.first_row, self.last_row = place(-north, 1e-9), place(-south, -1e-9)
        self.point_m = side_m / SIDE
        self.west_m = self.first_column * side_m - WORLD_M / 2
        self.north_m = WORLD_M / 2 - self.first_row * side_m

    @property
    def columns(self) -> int:
        return self.last_column - self.first_column + 1

    @property
    def rows(self) -> int:
        return self.last_row - self.first_row + 1

    @property
    def count(self) -> int:
        return self.columns * self.rows

    def least_zoom(self) -> int:
        """The greatest zoom at which at most four tiles show all of it."""
        zoom = self.zoom
        while zoom:
            down = self.zoom - zoom
            across = (self.last_column >> down) - (self.first_column >> down) + 1
            along = (self.last_row >> down) - (self.first_row >> down) + 1
            if across * along <= 4:
                break
            zoom -= 1
        return zoom


class _Paint:
    """How the bands of a file become red, green, blue and opacity."""

    def __init__(self, image: DatasetReader) -> None:
        from rasterio.enums import ColorInterp

        self.notes: list[str] = []
        meant = list(image.colorinterp)
        self.has_alpha = meant[-1] == ColorInterp.alpha
        colours = image.count - self.has_alpha
        kind = np.dtype(image.dtypes[0])
        self.palette: Points | None = None
        if colours < 1:
            raise ImageryError("no_pictures", "The GeoTIFF holds no colours.")
        if meant[0] == ColorInterp.palette and kind == np.uint8:
            table = image.colormap(1)
            self.palette = np.array([table.get(k, (0, 0, 0, 0)) for k in range(256)], dtype=np.uint8)
            self.bands = [1]
            return
        if colours == 1 and kind != np.uint8:
            raise ImageryError("heights", "This GeoTIFF holds one band of numbers: it is a grid of heights, not a picture.")
        if colours >= 3:
            named = [ColorInterp.red, ColorInterp.green, ColorInterp.blue]
            self.bands = [meant.index(c) + 1 for c in named] if all(c in meant for c in named) else [1, 2, 3]
            if colours > 3:
                self.notes.append(f"Red, green and blue are shown; {colours - 3} more bands of the file are not.")
        else:
            self.bands = [1, 1, 1]
        self._range: tuple[float, float] | None = None
        if kind != np.uint8:
            few = (len(set(self.bands)), min(512, image.height), min(512, image.width))
            seen = image.read(sorted(set(self.bands)), out_shape=few, masked=True).compressed().astype(float)
            seen = seen[np.isfinite(seen)]
            low, high = np.percentile(seen, [1, 99]) if seen.size else (0.0, 1.0)
            self._range = float(low), max(float(high), float(low) + 1e-9)
            self.notes.append(f"Colours of more than 8 bits are shown from {low:.5g} (dark) to {high:.5g} (light).")

    def points(self, read: npt.NDArray[Any]) -> Points:
        """Return colours and opacity of a window; ``read`` is the bands asked for and opacity, by rows by columns."""
        shown = read[-1] > 0
        if self.palette is not None:
            out: Points = np.moveaxis(self.palette[read[0].astype(np.uint8)], -1, 0).copy()
            out[3] = np.where(shown, out[3], 0)
            return out
        colours = read[:-1]
        if self._range is not None:
            low, high = self._range
            scaled = (np.nan_to_num(colours.astype(float), nan=low) - low) / (high - low)
            colours = (255 * np.clip(scaled, 0, 1)).round()
        return np.concatenate([colours.astype(np.uint8), np.where(shown, 255, 0).astype(np.uint8)[None]])


def _branch(warped: Any, paint: _Paint, net: _Net, at: tuple[int, int, int], tiles: list[Tile]) -> Points | None:
    """Add a tile and all below it; return its points, None where it shows nothing."""
    zoom, column, row = at
    down = net.zoom - zoom
    if not (net.first_column >> down <= column <= net.last_column >> down):
        return None
    if not (net.first_row >> down <= row <= net.last_row >> down):
        return None
    if zoom == net.zoom:
        from rasterio.windows import Window

        window = Window((column - net.first_column) * SIDE, (row - net.first_row) * SIDE, SIDE, SIDE)
        points = paint.points(warped.read([*paint.bands, warped.count], window=window))
    else:
        points = _joined(
            [_branch(warped, paint, net, (zoom + 1, 2 * column + dx, 2 * row + dy), tiles) for dy in (0, 1) for dx in (0, 1)]
        )
    if not points[3].any():
        return None
    tiles.append(Tile(zoom, column, row, _webp(points), "webp"))
    return points


def _joined(four: list[Points | None]) -> Points:
    """Return four tiles as one of half the scale; see-through points give no colour."""
    whole = np.zeros((4, 2 * SIDE, 2 * SIDE), dtype=np.uint8)
    for k, part in enumerate(four):
        if part is not None:
            y, x = SIDE * (k // 2), SIDE * (k % 2)
            whole[:, y : y + SIDE, x : x + SIDE] = part
    weight = (whole[3] > 0).astype(np.float32).reshape(SIDE, 2, SIDE, 2)
    colours = whole[:3].astype(np.float32).reshape(3, SIDE, 2, SIDE, 2) * weight
    seen = weight.sum(axis=(1, 3))
    out = np.zeros((4, SIDE, SIDE), dtype=np.uint8)
    out[:3] = (colours.sum(axis=(2, 4)) / np.maximum(seen, 1)).round()
    out[3] = np.where(seen > 0, 255, 0)
    return out


def _webp(points: Points) -> bytes:
    from rasterio.io import MemoryFile

    with MemoryFile() as held:
        with held.open(driver="WEBP", width=SIDE, height=SIDE, count=4, dtype="uint8", QUALITY=82) as picture:
            picture.write(points)
        return bytes(held.read())
