"""Writing jobs and sorties as GeoJSON, KML and GPX."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from xml.etree import ElementTree as Xml

from quarry.apps.jobs.fields import JobFields, Place
from quarry.apps.jobs.views import SortieOut

_GPX = "http://www.topografix.com/GPX/1/1"
_KML = "http://www.opengis.net/kml/2.2"
_HEAD = b'<?xml version="1.0" encoding="UTF-8"?>\n'


@dataclass(frozen=True, slots=True)
class Drawn:
    """A job as it goes out: its name and letter, what was entered, and its sorties; ``whole``: all of it, not one sortie."""

    name: str
    letter: str
    fields: JobFields
    sorties: list[SortieOut]
    whole: bool

    def label(self, s: SortieOut) -> str:
        """Return the name of a sortie."""
        return f"{self.letter}{s.number}"


def geojson(job: Drawn) -> bytes:
    """Return a FeatureCollection (RFC 7946) of a job with its sorties, or with one of them."""
    f = job.fields
    rings = [_closed(f.area), *[_closed(k.ring) for k in f.keep_outs]]
    features = [_feature("Polygon", rings, {"name": job.name, "role": "area"})]
    for k in f.keep_outs:
        properties = {"name": k.name, "role": "keep-out", "crossing": k.crossing, "margin_m": k.margin_m}
        features.append(_feature("Polygon", [_closed(k.ring)], properties))
    if f.home:
        features.append(_feature("Point", f.home, {"name": "home", "role": "home"}))
    for sortie in job.sorties:
        properties = {
            "name": job.label(sortie),
            "role": "sortie",
            "minutes": round(sortie.time_s / 60, 2),
            "turn_back_min": round(sortie.turn_back_s / 60, 2),
            "height_m": f.work.height_m,
        }
        features.append(_feature("LineString", sortie.path, properties))
        features.append(
            _feature("Point", sortie.turn_back_at, {"name": f"{job.label(sortie)} last turn-back", "role": "turn-back"})
        )
    return json.dumps({"type": "FeatureCollection", "features": features}).encode()


def _feature(kind: str, coordinates: Any, properties: Mapping[str, object]) -> dict[str, Any]:
    return {"type": "Feature", "properties": properties, "geometry": {"type": kind, "coordinates": coordinates}}


def _closed(ring: Sequence[Place]) -> list[Place]:
    return [*ring, ring[0]] if ring and ring[0] != ring[-1] else list(ring)


def _described(s: SortieOut) -> str:
    return f"{s.time_s / 60:.1f} min, turn back by {s.turn_back_s / 60:.1f} min after take-off"


def kml(job: Drawn) -> bytes:
    """Return a KML document of a job with its sorties, or with one of them; heights above ground."""
    Xml.register_namespace("", _KML)
    f = job.fields
    root = Xml.Element(f"{{{_KML}}}kml")
    document = _sub(root, "Document")
    _sub(document, "name", job.name)
    area = _sub(document, "Placemark")
    _sub(area, "name", job.name)
    polygon = _sub(area, "Polygon")
    _ring(_sub(polygon, "outerBoundaryIs"), f.area)
    for k in f.keep_outs:
        _ring(_sub(polygon, "innerBoundaryIs"), k.ring)
    if f.home:
        _point(document, "home", f.home)
    for sortie in job.sorties:
        mark = _sub(document, "Placemark")
        _sub(mark, "name", job.label(sortie))
        _sub(mark, "description", _described(sortie))
        line = _sub(mark, "LineString")
        _sub(line, "altitudeMode", "relativeToGround")
        _sub(line, "coordinates", " ".join(f"{x:.7f},{y:.7f},{f.work.height_m:g}" for x, y in sortie.path))
        _point(document, f"{job.label(sortie)} last turn-back", sortie.turn_back_at)
    return _HEAD + bytes(Xml.tostring(root, encoding="utf-8"))


def gpx(job: Drawn) -> bytes:
    """Return GPX: the outline as a track, each sortie as a route through its entry, home and fallbacks as waypoints."""
    Xml.register_namespace("", _GPX)
    f = job.fields
    root = Xml.Element(f"{{{_GPX}}}gpx", {"version": "1.1", "creator": "Gentle Quarry"})

    def sub(parent: Xml.Element, tag: str, text: str | None = None, at: Place | None = None) -> Xml.Element:
        found = Xml.SubElement(parent, f"{{{_GPX}}}{tag}", {} if at is None else {"lat": f"{at[1]:.7f}", "lon": f"{at[0]:.7f}"})
        found.text = text
        return found

    places = [("home", f.home)] if f.home else []
    places += [(f"fallback {p.name}".strip(), p.at) for p in f.site.fallbacks]
    for name, at in places:
        sub(sub(root, "wpt", at=at), "name", name)
    for sortie in job.sorties:
        route = sub(root, "rte")
        sub(route, "name", job.label(sortie))
        sub(route, "desc", _described(sortie))
        for point in sortie.path:
            sub(route, "rtept", at=point)
    if job.whole:
        track = sub(root, "trk")
        sub(track, "name", job.name)
        segment = sub(track, "trkseg")
        for point in _closed(f.area):
            sub(segment, "trkpt", at=point)
    return _HEAD + bytes(Xml.tostring(root, encoding="utf-8"))


def _sub(parent: Xml.Element, tag: str, text: str | None = None) -> Xml.Element:
    element = Xml.SubElement(parent, f"{{{_KML}}}{tag}")
    element.text = text
    return element


def _ring(parent: Xml.Element, ring: Sequence[Place]) -> None:
    _sub(_sub(parent, "LinearRing"), "coordinates", " ".join(f"{x:.7f},{y:.7f},0" for x, y in _closed(ring)))


def _point(parent: Xml.Element, name: str, place: Place) -> None:
    mark = _sub(parent, "Placemark")
    _sub(mark, "name", name)
    _sub(_sub(mark, "Point"), "coordinates", f"{place[0]:.7f},{place[1]:.7f},0")
