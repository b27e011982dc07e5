"""Reading outlines from GeoJSON, KML, KMZ and GPX.

Nothing is trusted: sizes are bounded before anything is unpacked, entities are refused, and what
is unclear is said instead of guessed.
"""

from __future__ import annotations

import io
import json
import zipfile
from dataclasses import dataclass, field
from typing import Any
from xml.etree.ElementTree import Element, ParseError

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring
from shapely import LineString, Polygon, simplify

from quarry.core.base.errors import BadGeometry
from quarry.core.ground.geodesy import check_lonlat, ring_area_m2
from quarry.core.ground.outline import MOST_POINTS

Ring = list[list[float]]
FormatError = BadGeometry
_MOST_UNPACKED = 40_000_000
_MOST_RATIO = 200
_MOST_MEMBERS = 200
_KEEP_POINTS = 4_000


@dataclass(slots=True)
class Found:
    """What a file holds: the outline, keep-outs, home, and what had to be decided."""

    name: str = ""
    area: Ring = field(default_factory=list)
    keep_outs: list[dict[str, Any]] = field(default_factory=list)
    home: list[float] | None = None
    notes: list[str] = field(default_factory=list)


@dataclass(slots=True)
class _Shapes:
    polygons: list[tuple[str, list[Ring]]] = field(default_factory=list)
    lines: list[tuple[str, list[Ring]]] = field(default_factory=list)
    points: list[tuple[str, list[float]]] = field(default_factory=list)


def read_outline(data: bytes, filename: str) -> Found:
    """Return the outline in a file, whatever its name says it is.

    Raises
    ------
    FormatError
        The file is none of the formats, hostile, or holds no polygon in degrees.
    """
    head = data[:200].lstrip()
    if data[:2] == b"PK":
        shapes = _kml(_unzip(data))
    elif head[:1] in (b"{", b"["):
        shapes = _geojson(data)
    elif head[:1] == b"<" or data[:3] == b"\xef\xbb\xbf":
        shapes = _kml(data)
    else:
        raise FormatError(
            "This is neither GeoJSON, KML, KMZ nor GPX. Export the outline in one of these and drop it again.", "file"
        )
    return _arrange(shapes, filename)


def _unzip(data: bytes) -> bytes:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            members = packed.infolist()
            total = sum(m.file_size for m in members)
            if len(members) > _MOST_MEMBERS or total > _MOST_UNPACKED or total > _MOST_RATIO * max(1, len(data)):
                raise FormatError("The KMZ unpacks to far more than it should. Export it again with the outline only.", "file")
            kml = next((m for m in members if m.filename.lower().endswith(".kml")), None)
            if kml is None:
                raise FormatError("The KMZ holds no KML. Export it again with the outline.", "file")
            with packed.open(kml) as member:
                text = member.read(_MOST_UNPACKED + 1)
    except (zipfile.BadZipFile, OSError, NotImplementedError, RuntimeError) as bad:
        raise FormatError("The KMZ is damaged. Export it again.", "file") from bad
    if len(text) > _MOST_UNPACKED:
        raise FormatError("The KMZ unpacks to far more than it should. Export it again with the outline only.", "file")
    return text


def _kml(data: bytes) -> _Shapes:
    try:
        root = fromstring(data, forbid_dtd=True)
    except DefusedXmlException as hostile:
        raise FormatError(
            "The KML defines entities or a document type, which is not accepted. Export it again as plain KML.", "file"
        ) from hostile
    except (ParseError, ValueError, LookupError) as bad:
        raise FormatError(f"The file is damaged ({bad}). Export it again.", "file") from bad
    if root.tag.rsplit("}", 1)[-1] == "gpx":
        return _gpx(root)
    shapes = _Shapes()
    for mark in _all(root, "Placemark"):
        name = _text(mark, "name")
        for polygon in _all(mark, "Polygon"):
            rings = [
                _kml_ring(r)
                for side in ("outerBoundaryIs", "innerBoundaryIs")
                for b in _all(polygon, side)
                for r in _all(b, "coordinates")
            ]
            shapes.polygons.append((name, rings))
        for line in _all(mark, "LineString"):
            ring = _kml_ring(next(iter(_all(line, "coordinates")), None))
            if len(ring) > 3 and ring[0] == ring[-1]:
                shapes.lines.append((name, [ring]))
        for point in _all(mark, "Point"):
            place = _kml_ring(next(iter(_all(point, "coordinates")), None))
            if place:
                shapes.points.append((name, place[0]))
    return shapes


def _gpx(root: Element) -> _Shapes:
    """Return tracks, or routes where there is none, as outlines closed from their end to their start; waypoints as points."""
    shapes = _Shapes()
    for tag, point, into in (("trkseg", "trkpt", shapes.polygons), ("rte", "rtept", shapes.lines)):
        for way in _all(root, tag):
            ring = [_gpx_place(p) for p in _all(way, point)]
            if len(ring) >= 3:
                name = _text(way, "name") or next((_text(t, "name") for t in _all(root, "trk") if way in list(t)), "")
                into.append((name, [ring]))
    for mark in _all(root, "wpt"):
        shapes.points.append((_text(mark, "name"), _gpx_place(mark)))
    return shapes


def _gpx_place(element: Element) -> list[float]:
    try:
        return [float(element.attrib["lon"]), float(element.attrib["lat"])]
    except (KeyError, ValueError) as bad:
        raise FormatError("The GPX holds a point without latitude and longitude. Export it again.", "file") from bad


def _all(element: Element, tag: str) -> list[Element]:
    return [e for e in element.iter() if isinstance(e.tag, str) and e.tag.rsplit("}", 1)[-1] == tag]


def _text(element: Element, tag: str) -> str:
    found = next((e for e in element if isinstance(e.tag, str) and e.tag.rsplit("}", 1)[-1] == tag), None)
    return (found.text or "").strip()[:80] if found is not None else ""


def _kml_ring(element: Element | None) -> Ring:
    ring = []
    for word in ((element.text if element is not None else "") or "").split():
        parts = word.split(",")
        try:
            ring.append([float(parts[0]), float(parts[1])])
        except (ValueError, IndexError) as bad:
            raise FormatError(f"The KML holds a coordinate that is not a pair of numbers: {word[:40]}.", "file") from bad
    return ring


def _geojson(data: bytes) -> _Shapes:
    try:
        root = json.loads(data)
    except (ValueError, RecursionError) as bad:
        raise FormatError(f"The GeoJSON is damaged ({bad}). Export it again.", "file") from bad
    shapes = _Shapes()
    try:
        _take(root, "", shapes, 0)
    except (TypeError, KeyError, ValueError, IndexError, AttributeError) as bad:
        raise FormatError("The GeoJSON does not follow the form of RFC 7946. Export it again.", "file") from bad
    return shapes


def _take(item: Any, name: str, shapes: _Shapes, depth: int) -> None:
    if depth > 20 or not isinstance(item, dict):
        raise ValueError
    kind = item.get("type")
    if kind == "FeatureCollection":
        for feature in item["features"]:
            _take(feature, name, shapes, depth + 1)
    elif kind == "Feature":
        said = (item.get("properties") or {}).get("name") or ""
        if item.get("geometry"):
            _take(item["geometry"], str(said)[:80], shapes, depth + 1)
    elif kind == "GeometryCollection":
        for geometry in item["geometries"]:
            _take(geometry, name, shapes, depth + 1)
    elif kind not in ("MultiPoint", "MultiLineString"):
        _take_geometry(kind, item["coordinates"], name, shapes)


def _take_geometry(kind: Any, coordinates: Any, name: str, shapes: _Shapes) -> None:
    if kind == "Polygon":
        shapes.polygons.append((name, [_pairs(r) for r in coordinates]))
    elif kind == "MultiPolygon":
        for rings in coordinates:
            shapes.polygons.append((name, [_pairs(r) for r in rings]))
    elif kind == "LineString":
        ring = _pairs(coordinates)
        if len(ring) > 3 and ring[0] == ring[-1]:
            shapes.lines.append((name, [ring]))
    elif kind == "Point":
        shapes.points.append((name, _pairs([coordinates])[0]))
    else:
        raise ValueError


def _pairs(ring: Any) -> Ring:
    return [[float(p[0]), float(p[1])] for p in ring]


def _arrange(shapes: _Shapes, filename: str) -> Found:
    # Beside an area, closed lines are routes that begin and end at home, as in our own files.
    polygons = [(n, r) for n, r in shapes.polygons or shapes.lines if r and len(r[0]) >= 3]
    if not polygons:
        raise FormatError(
            "The file holds no area: a polygon or a closed line is needed. Draw it here, or export it again.", "file"
        )
    for _, rings in polygons:
        for ring in rings:
            for lon, lat in ring:
                check_lonlat(lon, lat, "file")
    polygons.sort(key=lambda p: -ring_area_m2([(x, y) for x, y in p[1][0]]))
    name, rings = polygons[0]
    found = Found(name=name or filename.rsplit(".", 1)[0][:80])
    found.area = _tidy(rings[0], "outline", found)
    found.keep_outs = [_keep(_tidy(r, "keep-out", found), "") for r in rings[1:]]
    outline = Polygon(found.area)
    for other, more in polygons[1:]:
        ring = _tidy(more[0], "keep-out", found)
        twin = next((k for k in found.keep_outs if k["ring"] == ring), None)
        if twin is not None:
            twin["name"] = twin["name"] or other
        elif outline.is_valid and Polygon(ring).is_valid and outline.intersects(Polygon(ring)):
            found.keep_outs.append(_keep(ring, other))
        else:
            found.notes.append(
                f"{other or 'A second area'} lies apart from the largest one and was left out. Make a job of its own for it."
            )
    for label, place in shapes.points:
        if found.home is None and ("home" in label.lower() or len(shapes.points) == 1):
            check_lonlat(place[0], place[1], "file")
            found.home = place
    return found


def _keep(ring: Ring, name: str) -> dict[str, Any]:
    return {"ring": ring, "crossing": "never", "margin_m": 5.0, "name": name}


def _tidy(ring: Ring, what: str, found: Found) -> Ring:
    if len(ring) > 1 and ring[0] == ring[-1]:
        ring = ring[:-1]
    if len(ring) <= _KEEP_POINTS:
        return ring
    if len(ring) > 100 * MOST_POINTS:
        raise FormatError(f"The {what} has {len(ring):,} points. Simplify it to a metre or two and drop it again.", "file")
    step = 1e-6
    slim = LineString([*ring, ring[0]])
    while len(slim.coords) - 1 > _KEEP_POINTS:
        slim = simplify(LineString([*ring, ring[0]]), step)
        step *= 2
    found.notes.append(
        f"The {what} had {len(ring):,} points and was simplified to {len(slim.coords) - 1:,}, moved by at most {step / 2 * 111_320:.1f} m."
    )
    return [[float(x), float(y)] for x, y in list(slim.coords)[:-1]]
