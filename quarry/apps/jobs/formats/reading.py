"""Reading outlines from GeoJSON, KML, KMZ and GPX.

Nothing is trusted: sizes are bounded before anything is unpacked, entities are refused, and what
is unclear is said instead of guessed.
"""

from __future__ import annotations

import io
import json
import re
import unicodedata
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal
from xml.etree.ElementTree import Element, ParseError

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring
from shapely import LineString, Polygon, simplify

from quarry.core.base.errors import BadGeometry
from quarry.core.base.units import M2_PER_HA
from quarry.core.ground.geodesy import check_lonlat, distance_m, ring_area_m2
from quarry.core.ground.outline import MOST_KEEP_OUTS, MOST_POINTS

Ring = list[list[float]]
FormatError = BadGeometry
_MOST_UNPACKED = 40_000_000
_MOST_RATIO = 200
_MOST_MEMBERS = 200
_KEEP_POINTS = 4_000
_FIRST_STEP_DEG, _MOST_STEP_DEG = 1e-6, 1e-4
_TOLD_GAP_M = 5.0
MOST_NAME = 60
_USUAL_MARGIN_M, _MOST_MARGIN_M = 5.0, 500.0


@dataclass(frozen=True, slots=True)
class FoundKeepOut:
    """A piece of a file that is kept out of its area."""

    ring: Ring
    crossing: Literal["never", "unworked"] = "never"
    margin_m: float = _USUAL_MARGIN_M
    name: str = ""


@dataclass(frozen=True, slots=True)
class _Said:
    """What a file says of a shape beside its places, as our own files do."""

    name: str = ""
    role: str = ""
    crossing: Literal["", "never", "unworked"] = ""
    margin_m: float = 0.0


@dataclass(slots=True)
class FoundArea:
    """One area of a file: its outline, the keep-outs cut out of it, and whether it meets the first area."""

    name: str
    area: Ring
    keep_outs: list[FoundKeepOut]
    area_ha: float
    meets: bool = False
    home: tuple[float, float] | None = None
    home_kept: bool = False


@dataclass(slots=True)
class FoundPoint:
    """One point of a file; nothing is made of it unless a person says so.

    ``home``: its name, or the file, calls it home. ``away_m``: from the nearest corner of the largest area.
    """

    name: str
    at: list[float]
    home: bool
    away_m: float


@dataclass(slots=True)
class Found:
    """What a file holds: the largest area with its keep-outs, the other areas and points for choice, and what was decided."""

    name: str = ""
    area: Ring = field(default_factory=list)
    keep_outs: list[FoundKeepOut] = field(default_factory=list)
    area_ha: float = 0.0
    home: tuple[float, float] | None = None
    home_kept: bool = False
    others: list[FoundArea] = field(default_factory=list)
    points: list[FoundPoint] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


@dataclass(slots=True)
class _Shapes:
    polygons: list[tuple[str, list[Ring], _Said]] = field(default_factory=list)
    lines: list[tuple[str, list[Ring], _Said]] = field(default_factory=list)
    points: list[tuple[str, list[float], _Said]] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


def read_outline(data: bytes, filename: str) -> Found:
    """Return what a file holds, whatever its name says it is.

    Raises
    ------
    FormatError
        The file is none of the formats, hostile, or holds no polygon in degrees.
    """
    head = data[:400].decode(json.detect_encoding(data[:400]), errors="ignore").lstrip("\ufeff \t\r\n")
    if data[:2] == b"PK":
        shapes = _kml(_unzip(data))
    elif head[:1] in ("{", "["):
        shapes = _geojson(data)
    elif head[:1] == "<":
        shapes = _kml(data.lstrip())
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
            shapes.polygons.append((name, rings, _Said()))
        for line in _all(mark, "LineString"):
            ring = _kml_ring(next(iter(_all(line, "coordinates")), None))
            if len(ring) > 3 and ring[0] == ring[-1]:
                shapes.lines.append((name, [ring], _Said()))
        for point in _all(mark, "Point"):
            place = _kml_ring(next(iter(_all(point, "coordinates")), None))
            if place:
                shapes.points.append((name, place[0], _Said()))
    return shapes


def _gpx(root: Element) -> _Shapes:
    """Return tracks, or routes where there is none, as outlines closed from their end to their start; waypoints as points."""
    shapes = _Shapes()
    for tag, point, into in (("trkseg", "trkpt", shapes.polygons), ("rte", "rtept", shapes.lines)):
        for way in _all(root, tag):
            ring = [_gpx_place(p) for p in _all(way, point)]
            if len(ring) >= 3:
                name = _text(way, "name") or next((_text(t, "name") for t in _all(root, "trk") if way in list(t)), "")
                into.append((name, [ring], _Said()))
                gap = distance_m(*ring[0], *ring[-1]) if _on_earth(ring[0]) and _on_earth(ring[-1]) else 0.0
                if gap > _TOLD_GAP_M and into is shapes.polygons:
                    shapes.notes.append(
                        f"{name or 'The track'} ends {gap:,.0f} m from where it begins and was closed with a straight line: check it."
                    )
    for mark in _all(root, "wpt"):
        shapes.points.append((_text(mark, "name"), _gpx_place(mark), _Said()))
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
    return (found.text or "").strip() if found is not None else ""


def _kml_ring(element: Element | None) -> Ring:
    ring = []
    text = (element.text if element is not None else "") or ""
    for word in re.sub(r"\s*,\s*", ",", text).split():  # some writers put blanks around the commas
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
        _take(root, _Said(), shapes, 0)
    except (TypeError, KeyError, ValueError, IndexError, AttributeError) as bad:
        raise FormatError("The GeoJSON does not follow the form of RFC 7946. Export it again.", "file") from bad
    return shapes


def _take(item: Any, said: _Said, shapes: _Shapes, depth: int) -> None:
    if depth > 20 or not isinstance(item, dict):
        raise TypeError
    kind = item.get("type")
    if kind == "FeatureCollection":
        for feature in _list(item, "features"):
            _take(feature, said, shapes, depth + 1)
    elif kind == "Feature":
        if item.get("geometry"):
            _take(item.get("geometry"), _said(dict(item.get("properties") or {})), shapes, depth + 1)
    elif kind == "GeometryCollection":
        for geometry in _list(item, "geometries"):
            _take(geometry, said, shapes, depth + 1)
    elif kind not in ("MultiPoint", "MultiLineString"):
        _take_geometry(kind, item.get("coordinates"), said, shapes)


def _list(item: Mapping[str, Any], key: str) -> list[Any]:
    found = item.get(key)
    if not isinstance(found, list):
        raise TypeError
    return found


def _said(properties: Mapping[str, Any]) -> _Said:
    name, role, crossing = (v if isinstance(v := properties.get(k), str) else "" for k in ("name", "role", "crossing"))
    margin = properties.get("margin_m", 0.0)
    fits = isinstance(margin, int | float) and 0 <= margin <= _MOST_MARGIN_M
    ruled: Literal["", "never", "unworked"] = "never" if crossing == "never" else "unworked" if crossing == "unworked" else ""
    return _Said(name, role, ruled, float(margin) if fits else _USUAL_MARGIN_M)


def _take_geometry(kind: Any, coordinates: Any, said: _Said, shapes: _Shapes) -> None:
    name = said.name
    if kind == "Polygon":
        shapes.polygons.append((name, [_pairs(r) for r in coordinates], said))
    elif kind == "MultiPolygon":
        for rings in coordinates:
            shapes.polygons.append((name, [_pairs(r) for r in rings], said))
    elif kind == "LineString":
        ring = _pairs(coordinates)
        if len(ring) > 3 and ring[0] == ring[-1]:
            shapes.lines.append((name, [ring], said))
    elif kind == "Point":
        shapes.points.append((name, _pairs([coordinates])[0], said))
    else:
        raise TypeError


def _pairs(ring: Any) -> Ring:
    return [[float(p[0]), float(p[1])] for p in ring]


def _arrange(shapes: _Shapes, filename: str) -> Found:
    """Take the largest area; tell of all the others and of points, which are a person's to choose from."""
    found = Found(notes=shapes.notes)
    # Beside an area, closed lines are routes that begin and end at home, as in our own files.
    areas: list[FoundArea] = []
    cut_out: list[FoundKeepOut] = []
    for name, rings, said in shapes.polygons or shapes.lines:
        label = clean_name(name)
        for ring in rings:
            for lon, lat in ring:
                check_lonlat(lon, lat, "file")
        if not rings or _corners(rings[0]) < 3:
            what = f"“{label}”" if label else "An area without a name"
            found.notes.append(f"{what} has too few corners (at least three are needed) and was left out.")
            continue
        ring = _tidy(rings[0], f"outline {label}".strip(), found)
        if said.role == "keep-out" and said.crossing:
            cut_out.append(FoundKeepOut(ring, said.crossing, said.margin_m, label))
            continue
        holes = [FoundKeepOut(_tidy(r, "keep-out", found)) for r in rings[1:] if _corners(r) >= 3]
        if len(holes) < len(rings) - 1:
            found.notes.append(f"{len(rings) - 1 - len(holes)} keep-outs had too few corners and were left out.")
        areas.append(FoundArea(label, ring, holes, _hectares(ring)))
    if not areas:
        raise FormatError(
            " ".join(
                [*found.notes, "The file holds no area: a polygon or a closed line is needed. Draw it here, or export it again."]
            ),
            "file",
        )
    areas.sort(key=lambda a: -a.area_ha)
    first, found.others = areas[0], areas[1:]
    found.name = first.name or clean_name(filename.rsplit(".", 1)[0])
    found.area, found.area_ha = first.area, first.area_ha
    found.keep_outs = _with_their_rules(first.keep_outs, cut_out)
    if len(found.keep_outs) > MOST_KEEP_OUTS:
        raise FormatError(
            f"The area has {len(found.keep_outs)} holes; a job takes at most {MOST_KEEP_OUTS}. Split the area, or leave small ones out.",
            "file",
        )
    outline = Polygon(found.area)
    for other in found.others:
        ring = Polygon(other.area)
        other.meets = outline.is_valid and ring.is_valid and outline.intersects(ring)
    for label, place, said in shapes.points:
        if said.role == "turn-back":
            continue
        check_lonlat(place[0], place[1], "file")
        name = clean_name(label)
        away = min(distance_m(*place, *corner) for corner in found.area[:: max(1, len(found.area) // 200)])
        says_home = said.role == "home" or "home" in name.lower().split()
        found.points.append(FoundPoint(name, place, says_home, round(away, 1)))
    _tell(shapes, found)
    return found


def _tell(shapes: _Shapes, found: Found) -> None:
    """Say in words what the file holds beside the area that was taken."""
    if found.others:
        names = ", ".join(o.name or "no name" for o in found.others[:6]) + (" …" if len(found.others) > 6 else "")
        found.notes.append(
            f"{len(found.others)} more area{'s' if len(found.others) > 1 else ''} in the file ({names}): not taken, and no keep-out, unless chosen."
        )
    if found.points:
        found.notes.append(
            f"{len(found.points)} point{'s' if len(found.points) > 1 else ''} in the file: none is home unless chosen."
        )
    if found.keep_outs:
        one = len(found.keep_outs) == 1
        found.notes.append(
            f"{'1 hole is a keep-out' if one else f'{len(found.keep_outs)} holes are keep-outs'}: check whether {'it' if one else 'each'} may be flown over."
        )
    for shape in (*shapes.polygons, *shapes.points):
        if len(shape[0]) > MOST_NAME:
            found.notes.append(f"The name “{clean_name(shape[0])[:30]} …” was shortened to {MOST_NAME} characters.")


def clean_name(words: str) -> str:
    """Return a name that can be kept: no control or direction marks, one line, at most sixty characters."""
    shown = "".join(c if unicodedata.category(c)[0] != "C" else " " for c in words)
    return " ".join(shown.split())[:MOST_NAME].rstrip()


def _corners(ring: Ring) -> int:
    return len({(x, y) for x, y in ring})


def _hectares(ring: Ring) -> float:
    return ring_area_m2([(x, y) for x, y in ring]) / M2_PER_HA


def _on_earth(place: list[float]) -> bool:
    return abs(place[0]) <= 180.0 and abs(place[1]) <= 90.0


def _with_their_rules(holes: list[FoundKeepOut], cut_out: list[FoundKeepOut]) -> list[FoundKeepOut]:
    """Return holes with the name and the rule that the file gives for the same ring, and what it keeps out besides."""
    ruled = [next((c for c in cut_out if c.ring == h.ring), h) for h in holes]
    return ruled + [c for c in cut_out if not any(c is r for r in ruled)]


def _tidy(ring: Ring, what: str, found: Found) -> Ring:
    """Return a ring of at most some thousand corners; refuse one that cannot be thinned to that within some metres."""
    if len(ring) > 1 and ring[0] == ring[-1]:
        ring = ring[:-1]
    if len(ring) <= _KEEP_POINTS:
        return ring
    if len(ring) > 100 * MOST_POINTS:
        raise FormatError(f"The {what} has {len(ring):,} points. Simplify it to a metre or two and drop it again.", "file")
    line = LineString([*ring, ring[0]])
    step = _FIRST_STEP_DEG
    # Without keeping topology this is linear in practice; what crosses itself is told when the outline is checked.
    while len((slim := simplify(line, step, preserve_topology=False)).coords) - 1 > _KEEP_POINTS:
        step *= 2
        if step > _MOST_STEP_DEG:
            raise FormatError(
                f"The {what} has {len(ring):,} points and crosses itself over and over: it is not a simple outline. "
                "Walk or draw the edge once around, or simplify it to a metre or two, and drop it again.",
                "file",
            )
    found.notes.append(
        f"The {what} had {len(ring):,} points and was simplified to {len(slim.coords) - 1:,}, moved by at most {step * 111_320:.1f} m."
    )
    return [[float(x), float(y)] for x, y in list(slim.coords)[:-1]]
