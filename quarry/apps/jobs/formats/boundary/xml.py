"""KML, KMZ and GPX."""

from __future__ import annotations

import io
import re
import zipfile
from typing import Literal
from xml.etree.ElementTree import Element, ParseError

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring

from quarry.apps.jobs.formats.boundary.shapes import FormatError, RawArea, RawLine, RawPoint, Ring, Said, Shapes, named, number

MOST_UNPACKED = 40_000_000
_MOST_RATIO = 200
_MOST_MEMBERS = 200
OWN = "Gentle Quarry"


def is_archive(data: bytes) -> bool:
    """Return whether bytes are a zip archive."""
    return data[:2] == b"PK"


def open_archive(data: bytes, what: str) -> dict[str, bytes]:
    """Return the members of an archive by name; what comes out is counted, not what its header says.

    Raises
    ------
    FormatError
        It is damaged, encrypted, or unpacks to more than it may.
    """
    too_much = FormatError(
        f"The {what} unpacks to far more than it should: its size is beyond the limit. Export it again with the outline only.",
        "file",
    )
    found: dict[str, bytes] = {}
    left = min(MOST_UNPACKED, _MOST_RATIO * max(1, len(data)))
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            members = [m for m in packed.infolist() if not m.is_dir()]
            if len(members) > _MOST_MEMBERS:
                raise too_much
            for member in members:
                with packed.open(member) as stream:
                    found[member.filename] = stream.read(left + 1)
                left -= len(found[member.filename])
                if left < 0:
                    raise too_much
    except (zipfile.BadZipFile, OSError, NotImplementedError, RuntimeError, EOFError, ValueError) as bad:
        if isinstance(bad, FormatError):
            raise
        raise FormatError(f"The {what} is damaged, or says a wrong size. Export it again.", "file") from bad
    return found


def read_kmz(members: dict[str, bytes]) -> Shapes:
    """Return the shapes of all KML in an archive: those of ``doc.kml`` first; where it is missing none stands before the others.

    Raises
    ------
    FormatError
        It holds no KML.
    """
    names = [n for n in members if n.lower().endswith(".kml")]
    if not names:
        raise FormatError("The archive holds no KML, so there is no boundary in it. Export it again with the outline.", "file")
    main = next((n for n in names if n.lower().rsplit("/", 1)[-1] == "doc.kml"), names[0] if len(names) == 1 else None)
    ordered = sorted(names, key=lambda n: n != main)
    whole = Shapes()
    for name in ordered:
        source = "" if name == main else name
        found = read_xml(members[name], source)
        whole.areas += found.areas
        whole.lines += found.lines
        whole.points += found.points
        whole.notes += found.notes
        whole.title = whole.title or found.title
        if source and main is not None:
            whole.note(
                "found", f"One more KML is in the archive ({name}): what it holds is offered, and not taken unless chosen."
            )
    if main is None:
        whole.note("found", f"The archive holds {len(names)} KML files and none is the main one: choose what to take.")
    return whole


def read_xml(data: bytes, source: str = "") -> Shapes:
    """Return the shapes of a KML or GPX document.

    Raises
    ------
    FormatError
        It is damaged, cut off, or defines entities.
    """
    try:
        root = fromstring(data.lstrip(), forbid_dtd=True)
    except DefusedXmlException as hostile:
        raise FormatError(
            "The file defines entities or a document type (DOCTYPE), which is not accepted. Export it again as plain KML or GPX.",
            "file",
        ) from hostile
    except (ParseError, ValueError, LookupError) as bad:
        raise FormatError(f"{_damage(data, bad)} Export it again.", "file") from bad
    if root.tag.rsplit("}", 1)[-1] == "gpx":
        return _gpx(root)
    return _kml(root, source)


def _damage(data: bytes, bad: Exception) -> str:
    line, _ = getattr(bad, "position", (0, 0))
    last = data.count(b"\n") + 1
    tail = data.rstrip()[-20:]
    if line >= last and not tail.endswith(b">"):
        return f"The file is cut off: it ends too early, in line {last}."
    if "no element found" in str(bad) or "unclosed" in str(bad):
        return f"The file is incomplete: it ends too early, in line {last}."
    return f"The file is damaged in line {line}: it is not valid XML."


def _kml(root: Element, source: str) -> Shapes:
    shapes = Shapes(title=next((_text(d, "name") for d in _all(root, "Document")), ""))
    for mark in _all(root, "Placemark"):
        said = _kml_said(mark, source)
        for polygon in _all(mark, "Polygon"):
            rings = [
                _kml_ring(r, said)
                for side in ("outerBoundaryIs", "innerBoundaryIs")
                for b in _all(polygon, side)
                for r in _all(b, "coordinates")
            ]
            shapes.areas.append(RawArea(rings, said))
        for line in _all(mark, "LineString"):
            shapes.lines.append(RawLine(_kml_ring(next(iter(_all(line, "coordinates")), None), said), said))
        for track in _all(mark, "Track"):
            places = [c.text or "" for c in _all(track, "coord")]
            shapes.lines.append(RawLine([_place(c.split(), c, said) for c in places], said, outline=True))
        for point in _all(mark, "Point"):
            place = _kml_ring(next(iter(_all(point, "coordinates")), None), said)
            if place:
                shapes.points.append(RawPoint(place[0], said))
    return shapes


def _kml_said(mark: Element, source: str) -> Said:
    own = {d.attrib.get("name", ""): _text(d, "value") for d in _all(mark, "Data")}
    crossing: Literal["", "never", "unworked"] = ""
    if own.get("crossing") in ("never", "unworked"):
        crossing = "never" if own["crossing"] == "never" else "unworked"
    return Said(
        _text(mark, "name"),
        own.get("role", ""),
        crossing,
        _figure(own.get("margin_m")) or 0.0,
        _kml_width(mark),
        _figure(own.get("radius_m")),
        _figure(own.get("top_m")),
        source,
        own.get("left_out") == "True",
        _figure(own.get("bearing_deg")),
        _figure(own.get("rate_l_ha")),
    )


def _figure(words: str | None) -> float | None:
    try:
        found = number(words)
    except ValueError:
        return None
    return found if found >= 0 else None


def _kml_width(mark: Element) -> float | None:
    """Return the width that a placemark gives of a strip, in its data or its description; it is put forward, never taken. [m]"""
    for data in _all(mark, "Data"):
        if data.attrib.get("name", "").lower() in ("width_m", "width"):
            return _width(_text(data, "value"))
    for data in _all(mark, "SimpleData"):
        if data.attrib.get("name", "").lower() in ("width_m", "width"):
            return _width(data.text or "")
    found = re.search(r"(\d+(?:\.\d+)?)\s*m(?:etres?|eters?)?\s+wide", _text(mark, "description"))
    return _width(found[1]) if found else None


def _width(words: str) -> float | None:
    try:
        found = number(words.strip())
    except ValueError:
        return None
    return found if 1.0 <= found <= 5000.0 else None


def _kml_ring(element: Element | None, said: Said) -> Ring:
    text = (element.text if element is not None else "") or ""
    words = re.sub(r"\s*,\s*", ",", text).split()  # some writers put blanks around the commas
    return [_place(word.split(","), word, said) for word in words]


def _place(parts: list[str], word: str, said: Said) -> list[float]:
    whose = named(said, "A shape without a name")
    if len(parts) > 3:
        raise FormatError(
            f"{whose} holds a coordinate of {'five' if len(parts) == 5 else len(parts)} parts: {word[:60]}. It looks written with decimal commas; "
            "KML takes decimal points. Export it with points, or as GeoJSON.",
            "file",
        )
    try:
        return [number(parts[0]), number(parts[1])]
    except (ValueError, IndexError) as bad:
        raise FormatError(
            f"{whose} holds a coordinate that is not a pair of numbers: {word[:40]}. Export it again.", "file"
        ) from bad


def _gpx(root: Element) -> Shapes:
    shapes = Shapes()
    own = root.attrib.get("creator") == OWN
    for track in _all(root, "trk"):
        said = Said(_text(track, "name"))
        for segment in _all(track, "trkseg"):
            shapes.lines.append(RawLine([_gpx_place(p) for p in _all(segment, "trkpt")], said, outline=True))
    for route in _all(root, "rte"):
        said = Said(_text(route, "name"), "sortie" if own else "")
        shapes.lines.append(RawLine([_gpx_place(p) for p in _all(route, "rtept")], said, outline=not own))
    for mark in _all(root, "wpt"):
        name, kind = _text(mark, "name"), _text(mark, "type")
        shapes.points.append(RawPoint(_gpx_place(mark), Said(name, kind if own else "")))
    return shapes


def _gpx_place(element: Element) -> list[float]:
    try:
        return [number(element.attrib["lon"]), number(element.attrib["lat"])]
    except (KeyError, ValueError) as bad:
        raise FormatError("The GPX holds a point without latitude and longitude. Export it again.", "file") from bad


def _all(element: Element, tag: str) -> list[Element]:
    return [e for e in element.iter() if isinstance(e.tag, str) and e.tag.rsplit("}", 1)[-1] == tag]


def _text(element: Element, tag: str) -> str:
    found = next((e for e in element if isinstance(e.tag, str) and e.tag.rsplit("}", 1)[-1] == tag), None)
    return (found.text or "").strip() if found is not None else ""
