"""Shapefiles and GeoPackages, read by GDAL's library of vector formats."""

from __future__ import annotations

import tempfile
from pathlib import Path

import pyogrio  # type: ignore[import-untyped]
import shapely
from pyogrio.errors import DataLayerError, DataSourceError  # type: ignore[import-untyped]

from quarry.apps.jobs.formats.boundary.shapes import FormatError, Said, Shapes
from quarry.apps.jobs.formats.boundary.tables import take_geometry

_PARTS = (".shp", ".shx", ".dbf", ".prj", ".cpg")
_NAMES = ("name", "title", "label", "field", "field_name", "fieldname", "parcel", "bezeichnun", "nom", "id")
_MOST_FEATURES = 5_000
GEOPACKAGE = b"SQLite format 3\x00"


def read_shapefiles(members: dict[str, bytes]) -> list[tuple[Shapes, str | None]]:
    """Return the shapes of each shapefile in an archive, with the coordinate system it names.

    Raises
    ------
    FormatError
        One lacks a part, or is damaged.
    """
    found: list[tuple[Shapes, str | None]] = []
    with tempfile.TemporaryDirectory() as folder:
        for name, shp in members.items():
            if not name.lower().endswith(".shp"):
                continue
            stem = name[:-4]
            path = Path(folder) / f"{len(found)}.shp"
            path.write_bytes(shp)
            for part in _PARTS[1:]:
                other = next((m for m in members if m.lower() == (stem + part).lower()), None)
                if other is not None:
                    path.with_suffix(part).write_bytes(members[other])
            shapes, system = _read(path, None, Path(name).name)
            if not path.with_suffix(".prj").exists():
                system = None
            found.append((shapes, system))
    return found


def read_geopackage(data: bytes) -> list[tuple[Shapes, str | None]]:
    """Return the shapes of each layer of a GeoPackage, with its coordinate system.

    Raises
    ------
    FormatError
        It is damaged, or has no layer with places.
    """
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "file.gpkg"
        path.write_bytes(data)
        try:
            layers = [(str(name), kind) for name, kind in pyogrio.list_layers(path)]
        except (DataSourceError, DataLayerError) as bad:
            raise FormatError("The GeoPackage is damaged, or is another kind of database. Export it again.", "file") from bad
        return [_read(path, name, name) for name, kind in layers if kind is not None]


def _read(path: Path, layer: str | None, what: str) -> tuple[Shapes, str | None]:
    try:
        about = pyogrio.read_info(path, layer=layer)
        if about["features"] > _MOST_FEATURES:
            raise FormatError(
                f"{what} holds {about['features']:,} shapes; the most is {_MOST_FEATURES:,}. Export the ones of this job alone.",
                "file",
            )
        meta, _, wkb, columns = pyogrio.raw.read(path, layer=layer, force_2d=True)
        geometries = shapely.from_wkb(wkb, on_invalid="ignore")
    except (DataSourceError, DataLayerError, ValueError, UnicodeDecodeError) as bad:
        if isinstance(bad, FormatError):
            raise
        raise FormatError(
            f"{what} is damaged or lacks a part ({str(bad)[:80]}). Export it again with all its parts.", "file"
        ) from bad
    shapes = Shapes()
    by_name = {str(field).lower(): column for field, column in zip(meta["fields"], columns, strict=True)}
    names = next((by_name[k].tolist() for k in _NAMES if k in by_name), None)
    for k, geometry in enumerate(geometries):
        if geometry is None or geometry.is_empty:
            shapes.note("left out", f"Shape {k + 1} of {what} has no geometry and was left out.")
            continue
        label = names[k] if names is not None else ""
        take_geometry(geometry, Said(str(label) if isinstance(label, str | int) else ""), shapes)
    return shapes, meta["crs"]
