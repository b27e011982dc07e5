"""Reading boundary files: GeoJSON, KML, KMZ, GPX, shapefile, GeoPackage, tables of corners and well-known text.

Nothing is trusted: sizes are bounded before anything is unpacked, entities are refused, and what is unclear is said
instead of guessed.
"""

from __future__ import annotations

import gzip
import json
import math
import zlib

import shapely
from pyproj import CRS, Transformer
from pyproj.exceptions import CRSError, ProjError
from shapely import Polygon
from shapely.geometry.base import BaseGeometry

from quarry.apps.jobs.formats.boundary import gis, tables, xml
from quarry.apps.jobs.formats.boundary.found import Found, FoundArea, FoundHole, FoundLine, FoundPoint, PointUse, Use
from quarry.apps.jobs.formats.boundary.geojson import read_geojson
from quarry.apps.jobs.formats.boundary.shapes import FormatError, Note, RawLine, Ring, Said, Shapes, clean_name, named
from quarry.apps.jobs.formats.boundary.tidy import Problem, tidy_ring
from quarry.core.base.units import M2_PER_HA
from quarry.core.ground.geodesy import LocalFrame, check_lonlat, distance_m, ring_area_m2, wrap_lon
from quarry.core.ground.joining import joined
from quarry.core.ground.outline import MOST_KEEP_OUTS
from quarry.core.spraying.rate import LEAST_RATE_L_HA, MOST_RATE_L_HA

_MOST_AREAS = 300
_MOST_POINTS = 1_000
_CLOSED_GAP_M, _CLOSED_FRAC = 25.0, 0.02
_WHOLE_TURN_DEG = 360.0
_TOLD_GAP_M = 0.5
_TOUCHING_M = 0.5
_FAR_M = 200_000.0
_HOME = ("home", "take-off", "takeoff", "launch", "start", "base")
_LANDING = ("landing", "fallback", "alternate", "emergency")
_OBSTACLE = ("mast", "tower", "pylon", "tree", "antenna", "chimney", "turbine", "pole", "wire", "crane")
_PLANNED = ("waypoint", "turn-back")
_OWN_ROLES: dict[str, PointUse] = {
    "home": "home",
    "other home": "other home",
    "fallback": "landing",
    "landing": "landing",
    "obstacle": "obstacle",
}
_NONE = "There is no area in the file and no line: nothing to plan on. Draw the outline here, or export the file again with it."


def read_boundary(data: bytes, filename: str) -> Found:
    """Return what a file holds, whatever its name says it is.

    Raises
    ------
    FormatError
        The file is none of the formats, hostile, or holds nothing that can be used; the message says what to do.
    """
    pieces = _pieces(data)
    whole = Shapes()
    for shapes, system in pieces:
        _to_degrees(shapes, system)
        whole.areas += shapes.areas
        whole.lines += shapes.lines
        whole.points += shapes.points
        whole.notes += shapes.notes
        whole.title = whole.title or shapes.title
    return _offered(whole, filename)


def _pieces(data: bytes) -> list[tuple[Shapes, str | None]]:
    if data[:2] == b"\x1f\x8b":
        return _unpacked(data)
    if data[: len(gis.GEOPACKAGE)] == gis.GEOPACKAGE:
        return gis.read_geopackage(data)
    if xml.is_archive(data):
        return _archive(xml.open_archive(data, "archive"))
    text, converted = _decoded(data)
    head = text[:400].lstrip("\ufeff \t\r\n")
    if head[:1] in ("{", "["):
        pieces = [read_geojson(text.lstrip("\ufeff"))]
    elif head[:1] == "<":
        # A document in another encoding names it, which would contradict the text once decoded.
        pieces = [(xml.read_xml(data if converted is None else _declared_anew(text)), None)]
    elif tables.is_wkt(head):
        pieces = [tables.read_wkt(text.lstrip("\ufeff"))]
    else:
        table = tables.read_table(text.lstrip("\ufeff")) if text.isprintable() or "\n" in text else None
        if table is None:
            raise FormatError(
                "This is none of the forms that are read: GeoJSON, KML, KMZ, GPX, shapefile (zipped), GeoPackage, a table of corners "
                "with longitude and latitude, or WKT. Export the outline in one of these and drop it again.",
                "file",
            )
        pieces = [(table, None)]
    if converted:
        pieces[0][0].note("converted", converted)
    return pieces


def _unpacked(data: bytes) -> list[tuple[Shapes, str | None]]:
    try:
        inner = zlib.decompressobj(wbits=31).decompress(data, xml.MOST_UNPACKED + 1)
    except (zlib.error, gzip.BadGzipFile, EOFError) as bad:
        raise FormatError("The file is compressed (gzip) and damaged. Unpack it, and drop what is inside.", "file") from bad
    if len(inner) > xml.MOST_UNPACKED:
        raise FormatError("The file is compressed (gzip) and unpacks to far more than it may. Export it again.", "file")
    if inner[:2] == b"\x1f\x8b":
        raise FormatError("The file is compressed twice. Unpack it, and drop what is inside.", "file")
    pieces = _pieces(inner)
    pieces[0][0].note("converted", "The file was compressed (gzip) and was unpacked.")
    return pieces


def _archive(members: dict[str, bytes]) -> list[tuple[Shapes, str | None]]:
    names = [n.lower() for n in members if not n.startswith("__MACOSX/")]
    if any(n.endswith(".shp") for n in names):
        return gis.read_shapefiles(members)
    if any(n.endswith(".kml") for n in names):
        return [(xml.read_kmz(members), None)]
    readable = [n for n in members if n.lower().endswith((".geojson", ".json", ".gpx", ".gpkg", ".csv", ".wkt"))]
    if not readable:
        raise FormatError(
            "The archive does not hold a boundary: no KML, no shapefile, no GeoJSON is in it. Export it again with the outline.",
            "file",
        )
    return [piece for name in readable for piece in _pieces(members[name])]


def _decoded(data: bytes) -> tuple[str, str | None]:
    """Return the text of a file, and what was done about its encoding where that was not plain."""
    encoding = json.detect_encoding(data[:400])
    if encoding.startswith("utf-8"):
        try:
            return data.decode("utf-8-sig"), None
        except UnicodeDecodeError:
            if data[:1] == b"<":
                return data.decode("latin-1"), None  # it declares its encoding itself
            return data.decode(
                "cp1252", errors="replace"
            ), "The file is not written in UTF-8; it was read as Windows-1252. Check the names."
    return data.decode(encoding, errors="replace"), f"The file is written in {encoding.upper()} and was read as such."


def _declared_anew(text: str) -> bytes:
    body = text.lstrip("\ufeff \t\r\n")
    if body.startswith("<?xml"):
        body = body[body.index("?>") + 2 :] if "?>" in body else body
    return body.encode()


def _to_degrees(shapes: Shapes, system: str | None) -> None:
    """Turn all places into longitude and latitude within their bounds, and check them."""
    rings = [r for a in shapes.areas for r in a.rings] + [x.places for x in shapes.lines] + [[p.at] for p in shapes.points]
    if not rings:
        return
    if system is not None and not _is_degrees(system):
        _project(rings, system, shapes)
    beyond = 0
    for ring in rings:
        for place in ring:
            if 180.0 < abs(place[0]) <= 360.0 and abs(place[1]) <= 90.0:
                place[0] = wrap_lon(place[0])
                beyond += 1
            if not (abs(place[0]) <= 180.0 and abs(place[1]) <= 90.0):
                _refuse_place(place)
    if beyond:
        shapes.note("converted", f"{beyond:,} longitudes beyond 180° were read as what lies there: 180.5° is -179.5°.")


def _refuse_place(place: list[float]) -> None:
    if abs(place[0]) > 360.0 or abs(place[1]) > 180.0:
        raise FormatError(
            f"The point {place[0]:,.2f}, {place[1]:,.2f} is not in degrees: the coordinates look projected (metres), and the file names no "
            "coordinate system (EPSG number). Export it in longitude and latitude (WGS 84), or in a form that names its system.",
            "file",
        )
    check_lonlat(place[0], place[1], "file")


def _is_degrees(system: str) -> bool:
    return system.upper() in ("EPSG:4326", "OGC:CRS84", "EPSG:4979")


def _project(rings: list[Ring], system: str, shapes: Shapes) -> None:
    try:
        crs = CRS.from_user_input(system)
        turn = Transformer.from_crs(crs, "EPSG:4326", always_xy=True)
        for ring in rings:
            lon, lat = turn.transform([p[0] for p in ring], [p[1] for p in ring], errcheck=True)
            for place, x, y in zip(ring, lon, lat, strict=True):
                place[0], place[1] = float(x), float(y)
    except (CRSError, ProjError) as bad:
        raise FormatError(
            f"The file names a coordinate system that is not known or does not fit its figures ({system[:60]}). "
            "Export it in longitude and latitude (WGS 84).",
            "file",
        ) from bad
    if not all(math.isfinite(v) for ring in rings for place in ring for v in place):
        raise FormatError(f"Places of the file lie outside their coordinate system ({crs.name}). Export it in WGS 84.", "file")
    shapes.note("converted", f"Coordinates in {crs.name} ({system[:40]}) were converted to longitude and latitude.")


def _offered(shapes: Shapes, filename: str) -> Found:
    """Return what a person chooses from; shapes that cannot be used stay listed with their reason."""
    _leave_sorties(shapes)
    if len(shapes.areas) > _MOST_AREAS or len(shapes.points) > _MOST_POINTS:
        raise FormatError(
            f"The file holds {len(shapes.areas):,} areas and {len(shapes.points):,} points; the most are {_MOST_AREAS} and {_MOST_POINTS:,}. "
            "Export the ones of this job alone.",
            "file",
        )
    found = Found(notes=shapes.notes)
    cut_out: list[FoundHole] = []
    for raw in shapes.areas:
        if raw.said.role == "keep-out" and raw.said.crossing:
            cut_out += _own_keep_out(raw.rings, raw.said, shapes)
            continue
        found.areas += _areas(raw.rings, raw.said, shapes)
    for line in shapes.lines:
        _take_line(line, found, shapes)
    _without_twins(found, shapes)
    found.keep_outs = _with_their_rules(found, cut_out)
    good = [a for a in found.areas if not a.problem]
    if not good and not found.lines:
        raise FormatError(" ".join([*[n.words for n in found.notes if n.did == "left out"][:3], _NONE]), "file")
    holes = sum(len(a.holes) for a in good)
    if holes > MOST_KEEP_OUTS:
        raise FormatError(
            f"The areas have {holes} holes; a job takes at most {MOST_KEEP_OUTS}. Split the file, or leave small ones out.",
            "file",
        )
    _relate(found)
    _take_points(shapes, found)
    own = len(good) == 1 and good[0].name
    found.name = clean_name(own or shapes.title or filename.rsplit(".", 1)[0])
    _count(found)
    return found


def _leave_sorties(shapes: Shapes) -> None:
    """Leave out what our own files say of sorties, and tell it: they are planned anew."""
    sorties = sum(line.said.role == "sortie" for line in shapes.lines)
    points = sum(point.said.role in _PLANNED for point in shapes.points)
    if sorties or points:
        words = " and ".join([*([_many(sorties, "sortie")] if sorties else []), *([_many(points, "waypoint")] if points else [])])
        shapes.note(
            "left out", f"{words} of a job {'were' if sorties + points > 1 else 'was'} left out: sorties are planned anew."
        )
    shapes.lines = [line for line in shapes.lines if line.said.role != "sortie"]
    shapes.points = [point for point in shapes.points if point.said.role not in _PLANNED]


def _own_keep_out(rings: list[Ring], said: Said, shapes: Shapes) -> list[FoundHole]:
    tidied = tidy_ring(rings[0], f"Keep-out {named(said, 'without a name')}", shapes) if rings else []
    if isinstance(tidied, Problem):
        shapes.note("left out", tidied.words, tidied.at)
        return []
    return [FoundHole(r, said.crossing or "unworked", said.margin_m, clean_name(said.name)) for r in tidied]


def _areas(rings: list[Ring], said: Said, shapes: Shapes) -> list[FoundArea]:
    """Return the areas that one polygon of a file stands for, holes within them."""
    name = clean_name(said.name)
    what = named(said, "An area without a name")
    outer = rings[0] if rings else []
    tidied = tidy_ring(outer, what, shapes)
    if isinstance(tidied, Problem):
        shapes.note("left out", f"{tidied.words} It was left out.", tidied.at)
        return [FoundArea(name, outer, [], 0.0, "nothing", problem=tidied.words, problem_at=tidied.at, source=said.source)]
    if outer and outer[0] != outer[-1] and len(rings) >= 1:
        gap = distance_m(*outer[0], *outer[-1])
        if gap > _TOLD_GAP_M:
            shapes.note(
                "closed", f"{what} was not closed: a straight side of {gap:,.0f} m joins its ends.", (outer[-1][0], outer[-1][1])
            )
    bearing_deg, rate_l_ha = _own(said, what, shapes)
    areas = []
    for k, ring in enumerate(tidied):
        label = name if len(tidied) == 1 else f"{name or 'Area'} (part {k + 1})"
        holes = _holes(ring, rings[1:], what, shapes)
        net = _hectares(ring) - sum(_hectares(h.ring) for h in holes)
        use: Use = "nothing" if said.source or said.left_out else "area"
        areas.append(FoundArea(label, ring, holes, net, use, source=said.source, bearing_deg=bearing_deg, rate_l_ha=rate_l_ha))
    return areas


def _own(said: Said, what: str, shapes: Shapes) -> tuple[float | None, float | None]:
    """Return direction and rate that a file gives an area, None where they cannot be; what is left out is told."""
    bearing, rate = said.bearing_deg, said.rate_l_ha
    if bearing is not None and bearing >= _WHOLE_TURN_DEG:
        shapes.note("left out", f"{what} has lines at {bearing:g}\u00b0, which is no direction: the best is taken.")
        bearing = None
    if rate is not None and not LEAST_RATE_L_HA <= rate <= MOST_RATE_L_HA:
        shapes.note("left out", f"{what} has a rate of {rate:g} L/ha, which cannot be: that of the job is taken.")
        rate = None
    return bearing, rate


def _holes(outer: Ring, rings: list[Ring], what: str, shapes: Shapes) -> list[FoundHole]:
    """Return the holes of an area, none over another and none beyond its edge; what had to be done is told."""
    if not rings:
        return []
    frame = LocalFrame.around([(x, y) for x, y in outer])
    shell = Polygon(frame.to_metres([(x, y) for x, y in outer]))
    sound: list[tuple[Ring, BaseGeometry]] = []
    for k, ring in enumerate(rings, start=1):
        tidied = tidy_ring(ring, f"Hole {k} of {what}", shapes, frame)
        if isinstance(tidied, Problem):
            shapes.note("left out", f"{tidied.words} It was left out.", tidied.at)
            continue
        sound += [(r, Polygon(frame.to_metres([(x, y) for x, y in r]))) for r in tidied]
    whole = joined(p for _, p in sound)
    plain = abs(whole.area - sum(p.area for _, p in sound)) < 1.0 and whole.difference(shell).area < 1.0
    if plain:
        return [FoundHole(r) for r, _ in sound]
    beyond = sum(1 for _, p in sound if p.difference(shell).area >= 1.0)
    parts = [Polygon(p.exterior) for p in shapely.get_parts(whole.intersection(shell)) if p.area >= 1.0]
    words = f"{what}: {len(sound)} holes overlap, lie inside one another or reach outside; they were merged into {len(parts)}"
    shapes.note("merged", words + (f", {beyond} cut off at the edge." if beyond else "."))
    return [FoundHole([[round(x, 8), round(y, 8)] for x, y in frame.to_degrees(p.exterior.coords[:-1])]) for p in parts]


def _take_line(line: RawLine, found: Found, shapes: Shapes) -> None:
    """Take a line as what it is: an outline that was walked, or a line that is offered."""
    places = [p for k, p in enumerate(line.places) if k == 0 or p != line.places[k - 1]]
    what = named(line.said, "A line without a name")
    if len(places) < 2:
        shapes.note("left out", f"{what} has {len(places)} point{'s' if len(places) != 1 else ''} and was left out.")
        return
    length = sum(distance_m(*a, *b) for a, b in zip(places, places[1:], strict=False)) if len(places) < 5000 else _rough_m(places)
    gap = distance_m(*places[0], *places[-1])
    closes = len(places) > 3 and gap <= max(_CLOSED_GAP_M, _CLOSED_FRAC * length) and gap < length / 4
    if line.outline and closes:
        if gap > _TOLD_GAP_M:
            shapes.note(
                "closed",
                f"{what} ends {gap:,.0f} m from where it begins and was closed with a straight side: check it.",
                (places[-1][0], places[-1][1]),
            )
        found.areas += _areas([[*(places if gap > 0 else places[:-1]), places[0]]], line.said, shapes)
        return
    closed = places[0] == places[-1]
    name, own = clean_name(line.said.name), _own(line.said, what, shapes)
    found.lines.append(FoundLine(name, places, length, 0.0 if closed else gap, closed, line.said.width_m, *own))
    if line.outline and not closes:
        shapes.note(
            "found",
            f"{what} is an open track: its ends are {gap:,.0f} m apart, so it was not closed into an area.",
            (places[-1][0], places[-1][1]),
        )


def _rough_m(places: Ring) -> float:
    """Return about how long a way of very many points is. [m]"""
    some = places[:: len(places) // 2000]
    return sum(distance_m(*a, *b) for a, b in zip(some, [*some[1:], places[-1]], strict=True))


def _without_twins(found: Found, shapes: Shapes) -> None:
    seen: dict[tuple[tuple[float, float], ...], FoundArea] = {}
    kept = []
    for area in found.areas:
        mark = tuple(sorted((round(x, 7), round(y, 7)) for x, y in area.ring))
        if not area.problem and mark in seen:
            shapes.note("left out", f"{named(Said(area.name), 'An area')} stands in the file twice; it was taken once.")
            continue
        seen[mark] = area
        kept.append(area)
    found.areas = kept


def _with_their_rules(found: Found, cut_out: list[FoundHole]) -> list[FoundHole]:
    """Give holes the name and the rule that the file gives for the same ring; return what it keeps out besides."""
    rest = list(cut_out)
    for area in found.areas:
        ruled = []
        for hole in area.holes:
            own = next((c for c in cut_out if c.ring == hole.ring), None)
            rest = [c for c in rest if c is not own]
            ruled.append(own or hole)
        area.holes = ruled
    return rest


def _relate(found: Found) -> None:
    """Say which areas touch, overlap, or lie in another; one inside another's hole is a field of its own, else a keep-out is put forward."""
    good = [(k, a) for k, a in enumerate(found.areas) if not a.problem]
    if len(good) < 2:
        return
    first = good[0][1].ring[0]
    if any(distance_m(*first, *a.ring[0]) > _FAR_M for _, a in good):
        return
    frame = LocalFrame.around([(x, y) for _, a in good for x, y in a.ring])
    shells = [Polygon(frame.to_metres([(x, y) for x, y in a.ring])) for _, a in good]
    tree = shapely.STRtree(shells)
    left, right = tree.query(shells, predicate="dwithin", distance=_TOUCHING_M)
    for i, j in zip(left.tolist(), right.tolist(), strict=True):
        if i == j:
            continue
        (_, a), (other, b) = good[i], good[j]
        shared = shells[i].intersection(shells[j]).area
        if shared > 0.98 * shells[i].area and shells[j].area > shells[i].area:
            holes = [Polygon(frame.to_metres([(x, y) for x, y in h.ring])) for h in b.holes]
            a.inside = other
            for hole, flat in zip(b.holes, holes, strict=True):
                if shells[i].intersection(flat).area > 0.98 * shells[i].area:
                    a.fills_hole, hole.filled_by = True, good[i][0]
            if a.use == "area" and not a.fills_hole:
                a.use = "keep-out"
        elif shared > max(1.0, 1e-3 * min(shells[i].area, shells[j].area)):
            a.overlaps.append(other)
        else:
            a.touches.append(other)


def _take_points(shapes: Shapes, found: Found) -> None:
    lines = [a.ring for a in found.areas] + [x.places for x in found.lines]
    corners = [(p[0], p[1]) for ring in lines for p in ring[:: max(1, len(ring) // 100)]]
    for raw in shapes.points:
        name = clean_name(raw.said.name)
        lower = name.lower()
        looks: PointUse = "nothing"
        for words, use in ((_HOME, "home"), (_LANDING, "landing"), (_OBSTACLE, "obstacle")):
            if any(word in lower for word in words):
                looks = use  # type: ignore[assignment]
                break
        own = raw.said.role in _OWN_ROLES
        looks = _OWN_ROLES.get(raw.said.role, looks)
        away = min((distance_m(raw.at[0], raw.at[1], *corner) for corner in corners), default=0.0)
        found.points.append(FoundPoint(name, raw.at, looks, round(away, 1), own, raw.said.radius_m, raw.said.top_m))


def _count(found: Found) -> None:
    """Say first what was found in all."""
    good = [a for a in found.areas if not a.problem]
    holes = sum(len(a.holes) for a in good)
    counts = ((len(good), "area"), (holes, "hole"), (len(found.lines), "line"), (len(found.points), "point"))
    parts = [*([] if good else ["no area"]), *[_many(count, what) for count, what in counts if count]]
    found.notes.insert(0, Note("found", f"In the file: {', '.join(parts)}."))
    for k, area in enumerate(found.areas):
        if area.inside is None:
            continue
        outer = found.areas[area.inside]
        where = "in a hole of" if area.fills_hole else "inside"
        label = named(Said(area.name), f"area {k + 1}")
        what = (
            "it is a field of its own, and the hole is filled where both are taken"
            if area.fills_hole
            else "a keep-out is put forward: choose what it is"
        )
        found.notes.append(Note("found", f"{label} lies {where} {named(Said(outer.name), f'area {area.inside + 1}')}: {what}."))


def _many(count: int, what: str) -> str:
    return f"{count} {what}{'s' if count != 1 else ''}"


def _hectares(ring: Ring) -> float:
    return ring_area_m2([(x, y) for x, y in ring]) / M2_PER_HA
