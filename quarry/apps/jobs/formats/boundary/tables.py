"""Corners in a table, and well-known text."""

from __future__ import annotations

import csv
import math
import re
from itertools import groupby

import shapely
from shapely.errors import ShapelyError

from quarry.apps.jobs.formats.boundary.shapes import FormatError, RawArea, RawLine, RawPoint, Ring, Said, Shapes, number
from quarry.core.ground.coordinates import read_angle

_LON = ("lon", "long", "lng", "longitude", "lon_deg", "x_lon")
_LAT = ("lat", "latitude", "lat_deg", "y_lat")
_EAST, _NORTH = ("x", "e", "east", "easting"), ("y", "n", "north", "northing")
_NAME = ("name", "field", "area", "parcel", "id", "polygon")
_WKT = re.compile(r"^\s*(SRID\s*=\s*(\d+)\s*;)?\s*(MULTI)?(POINT|LINESTRING|POLYGON|GEOMETRYCOLLECTION)\b", re.IGNORECASE)


def is_wkt(text: str) -> bool:
    """Return whether a text begins as well-known text."""
    return bool(_WKT.match(text))


def read_wkt(text: str) -> tuple[Shapes, str | None]:
    """Return the shapes of well-known text, one to a line or over several lines, and the coordinate system it names.

    Raises
    ------
    FormatError
        It is damaged, or names two coordinate systems.
    """
    shapes, systems = Shapes(), set()
    for piece in re.split(
        r"\n(?=\s*(?:SRID|MULTI|POINT|LINESTRING|POLYGON|GEOMETRYCOLLECTION))", text.strip(), flags=re.IGNORECASE
    ):
        head = _WKT.match(piece)
        if head is None:
            raise FormatError("A line of the text is no WKT. Paste one geometry to a line.", "file")
        if head[2]:
            systems.add(f"EPSG:{head[2]}")
        try:
            geometry = shapely.from_wkt(re.sub(r"^\s*SRID\s*=\s*\d+\s*;", "", piece, flags=re.IGNORECASE))
        except (ShapelyError, ValueError) as bad:
            raise FormatError(f"The WKT is damaged or incomplete ({str(bad)[:80]}). Copy it again.", "file") from bad
        take_geometry(geometry, Said(), shapes)
    if len(systems) > 1:
        raise FormatError("The text names two coordinate systems. Paste one at a time.", "file")
    return shapes, next(iter(systems), None)


def take_geometry(geometry: shapely.Geometry, said: Said, shapes: Shapes) -> None:
    """Add a geometry of the general library to shapes."""
    for part in shapely.get_parts(geometry):
        if part.geom_type == "GeometryCollection" or part.geom_type.startswith("Multi"):
            take_geometry(part, said, shapes)
        elif part.is_empty:
            continue
        elif part.geom_type == "Polygon":
            shapes.areas.append(RawArea([_ring(r) for r in (part.exterior, *part.interiors)], said))
        elif part.geom_type in ("LineString", "LinearRing"):
            shapes.lines.append(RawLine(_ring(part), said))
        elif part.geom_type == "Point":
            shapes.points.append(RawPoint(_ring(part)[0], said))


def _ring(geometry: shapely.Geometry) -> Ring:
    return [[float(x), float(y)] for x, y in shapely.get_coordinates(geometry)]


def read_table(text: str) -> Shapes | None:
    """Return the shapes of a table of corners, or of one with a column of well-known text; None where the text is no table.

    Raises
    ------
    FormatError
        A row holds no place; the message names it.
    """
    lines = [line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")]
    if len(lines) < 2:
        return None
    separator = max(";\t,", key=lines[0].count)
    if separator not in lines[0]:
        return None
    rows = list(csv.reader(lines, delimiter=separator))
    head = [cell.strip().lower() for cell in rows[0]]
    wkt = next((k for k, cell in enumerate(head) if cell in ("wkt", "geometry", "geom", "the_geom")), None)
    name = next((k for k, cell in enumerate(head) if cell in _NAME), None)
    if wkt is not None:
        return _wkt_rows(rows[1:], wkt, name)
    columns = _columns(head)
    if columns is not None and "waypoint" in head:
        return _waypoints(rows[1:], columns, head.index("sortie") if "sortie" in head else 0)
    if columns is None:
        columns = (0, 1) if _plain(rows[0]) else None
        rows = [[], *rows]
    if columns is None:
        return None
    return _corners(rows[1:], columns, name)


def _waypoints(rows: list[list[str]], columns: tuple[int, int], sortie: int) -> Shapes:
    """Return the sorties of a table of waypoints as ours are written: no corners of anything."""
    shapes = Shapes()
    for label, group in groupby(rows, key=lambda row: row[sortie]):
        places = [[_degrees(row[column]) for column in columns] for row in group]
        shapes.lines.append(RawLine(places, Said(label, "sortie")))
    return shapes


def _columns(head: list[str]) -> tuple[int, int] | None:
    for first, second in ((_LON, _LAT), (_EAST, _NORTH)):
        x = next((k for k, cell in enumerate(head) if cell.split(" ")[0].strip("[]()") in first), None)
        y = next((k for k, cell in enumerate(head) if cell.split(" ")[0].strip("[]()") in second), None)
        if x is not None and y is not None:
            return x, y
    return None


def _plain(row: list[str]) -> bool:
    try:
        return len(row) >= 2 and all(math.isfinite(read_angle(cell)) for cell in row[:2])
    except ValueError:
        return False


def _wkt_rows(rows: list[list[str]], wkt: int, name: int | None) -> Shapes:
    shapes = Shapes()
    for k, row in enumerate(rows, start=2):
        if len(row) <= wkt or not row[wkt].strip():
            shapes.note("left out", f"Row {k} has no geometry and was left out.")
            continue
        try:
            geometry = shapely.from_wkt(row[wkt])
        except (ShapelyError, ValueError) as bad:
            raise FormatError(
                f"Row {k} holds a geometry that cannot be read ({str(bad)[:60]}). Export it again.", "file"
            ) from bad
        take_geometry(geometry, Said(row[name] if name is not None and len(row) > name else ""), shapes)
    return shapes


def _corners(rows: list[list[str]], columns: tuple[int, int], name: int | None) -> Shapes:
    shapes = Shapes()
    places = []
    for k, row in enumerate(rows, start=1):
        if not any(cell.strip() for cell in row):
            continue
        try:
            at = [_degrees(row[column]) for column in columns]
        except (ValueError, IndexError) as bad:
            raise FormatError(
                f"Row {k} of the table holds no place: {', '.join(row)[:60]}. Mend it and try again.", "file"
            ) from bad
        places.append((row[name].strip() if name is not None and len(row) > name else "", at))
    for label, group in groupby(places, key=lambda p: p[0]):
        ring = [at for _, at in group]
        if len(ring) == 1:
            shapes.points.append(RawPoint(ring[0], Said(label)))
        else:
            shapes.areas.append(RawArea([ring], Said(label)))
    return shapes


def _degrees(words: str) -> float:
    """Return a number of a net, or degrees in any form."""
    try:
        return number(words.strip())
    except ValueError:
        return read_angle(words)
