"""Writing jobs and sorties as GeoJSON, KML and GPX."""

from __future__ import annotations

from typing import Any
from xml.etree import ElementTree as Xml

_GPX = "http://www.topografix.com/GPX/1/1"
_KML = "http://www.opengis.net/kml/2.2"


def geojson(job: dict[str, Any], plan: dict[str, Any] | None, sortie: int | None) -> dict[str, Any]:
    """Return a FeatureCollection of a job with its sorties, or with one of them."""
    features = [
        _feature(
            "Polygon",
            [_closed(job["area"]), *[_closed(k["ring"]) for k in job["keep_outs"]]],
            {"name": job["name"], "role": "area"},
        )
    ]
    features += [
        _feature(
            "Polygon",
            [_closed(k["ring"])],
            {"name": k.get("name", ""), "role": "keep-out", "crossing": k["crossing"], "margin_m": k.get("margin_m", 0)},
        )
        for k in job["keep_outs"]
    ]
    if job["home"]:
        features.append(_feature("Point", job["home"], {"name": "home", "role": "home"}))
    for s in _wanted(plan, sortie):
        label = f"{job['letter']}{s['number']}"
        facts = {
            "name": label,
            "role": "sortie",
            "minutes": round(s["time_s"] / 60, 2),
            "turn_back_min": round(s["turn_back_s"] / 60, 2),
            "height_m": job["work"].get("height_m"),
        }
        features.append(_feature("LineString", s["path"], facts))
        features.append(_feature("Point", s["turn_back_at"], {"name": f"{label} last turn-back", "role": "turn-back"}))
    return {"type": "FeatureCollection", "features": features}


def _feature(kind: str, coordinates: Any, properties: dict[str, Any]) -> dict[str, Any]:
    return {"type": "Feature", "properties": properties, "geometry": {"type": kind, "coordinates": coordinates}}


def _closed(ring: list[list[float]]) -> list[list[float]]:
    return [*ring, ring[0]] if ring and ring[0] != ring[-1] else ring


def _wanted(plan: dict[str, Any] | None, sortie: int | None) -> list[dict[str, Any]]:
    return [s for s in (plan or {}).get("sorties", []) if sortie is None or s["number"] == sortie]


def kml(job: dict[str, Any], plan: dict[str, Any] | None, sortie: int | None) -> bytes:
    """Return a KML document of a job with its sorties, or with one of them; heights above ground."""
    Xml.register_namespace("", _KML)
    root = Xml.Element(f"{{{_KML}}}kml")
    document = _sub(root, "Document")
    _sub(document, "name", job["name"])
    area = _sub(document, "Placemark")
    _sub(area, "name", job["name"])
    polygon = _sub(area, "Polygon")
    _ring(_sub(polygon, "outerBoundaryIs"), job["area"])
    for k in job["keep_outs"]:
        _ring(_sub(polygon, "innerBoundaryIs"), k["ring"])
    if job["home"]:
        _point(document, "home", job["home"])
    height = float(job["work"].get("height_m") or 0)
    for s in _wanted(plan, sortie):
        label = f"{job['letter']}{s['number']}"
        mark = _sub(document, "Placemark")
        _sub(mark, "name", label)
        _sub(mark, "description", f"{s['time_s'] / 60:.1f} min, turn back by {s['turn_back_s'] / 60:.1f} min after take-off")
        line = _sub(mark, "LineString")
        _sub(line, "altitudeMode", "relativeToGround")
        _sub(line, "coordinates", " ".join(f"{x:.7f},{y:.7f},{height:g}" for x, y in s["path"]))
        _point(document, f"{label} last turn-back", s["turn_back_at"])
    return b'<?xml version="1.0" encoding="UTF-8"?>\n' + bytes(Xml.tostring(root, encoding="utf-8"))


def gpx(job: dict[str, Any], plan: dict[str, Any] | None, sortie: int | None) -> bytes:
    """Return GPX: the outline as a track, each sortie as a route through its entry, home and fallbacks as waypoints."""
    Xml.register_namespace("", _GPX)
    root = Xml.Element(f"{{{_GPX}}}gpx", {"version": "1.1", "creator": "Gentle Quarry"})

    def sub(parent: Xml.Element, tag: str, text: str | None = None, at: list[float] | None = None) -> Xml.Element:
        found = Xml.SubElement(parent, f"{{{_GPX}}}{tag}", {} if at is None else {"lat": f"{at[1]:.7f}", "lon": f"{at[0]:.7f}"})
        found.text = text
        return found

    places = [("home", job["home"])] if job["home"] else []
    places += [(f"fallback {f['name']}".strip(), f["at"]) for f in job["site"]["fallbacks"]]
    for name, at in places:
        sub(sub(root, "wpt", at=at), "name", name)
    for s in _wanted(plan, sortie):
        route = sub(root, "rte")
        sub(route, "name", f"{job['letter']}{s['number']}")
        sub(route, "desc", f"{s['time_s'] / 60:.1f} min, turn back by {s['turn_back_s'] / 60:.1f} min after take-off")
        for point in s["path"]:
            sub(route, "rtept", at=point)
    if sortie is None:
        track = sub(root, "trk")
        sub(track, "name", job["name"])
        segment = sub(track, "trkseg")
        for point in _closed(job["area"]):
            sub(segment, "trkpt", at=point)
    return b'<?xml version="1.0" encoding="UTF-8"?>\n' + bytes(Xml.tostring(root, encoding="utf-8"))


def _sub(parent: Xml.Element, tag: str, text: str | None = None) -> Xml.Element:
    element = Xml.SubElement(parent, f"{{{_KML}}}{tag}")
    element.text = text
    return element


def _ring(parent: Xml.Element, ring: list[list[float]]) -> None:
    _sub(_sub(parent, "LinearRing"), "coordinates", " ".join(f"{x:.7f},{y:.7f},0" for x, y in _closed(ring)))


def _point(parent: Xml.Element, name: str, place: list[float]) -> None:
    mark = _sub(parent, "Placemark")
    _sub(mark, "name", name)
    _sub(_sub(mark, "Point"), "coordinates", f"{place[0]:.7f},{place[1]:.7f},0")
