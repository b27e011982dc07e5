"""Writing jobs and their routes as GeoJSON, KML, GPX and CSV."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from xml.etree import ElementTree as Xml

from shapely import Polygon

from quarry.apps.jobs.fields import AreaFields, JobFields, Place
from quarry.apps.jobs.views import DoseStrip
from quarry.core.sorties.waypoints import SortieRoute, Waypoint, waypoints

_GPX = "http://www.topografix.com/GPX/1/1"
_KML = "http://www.opengis.net/kml/2.2"
Json = Mapping[str, object]
_HEAD = b'<?xml version="1.0" encoding="UTF-8"?>\n'
_SWITCHED = {
    "mapping": {"start": "trigger on", "stop": "trigger off"},
    "spraying": {"start": "spray on", "stop": "spray off"},
    "search": {},
}


@dataclass(frozen=True, slots=True)
class Drawn:
    """A job as it goes out: its name, what was entered, and the routes; ``whole``: all of it, not single sorties."""

    name: str
    fields: JobFields
    routes: Sequence[SortieRoute]
    whole: bool = True
    turn_backs: Mapping[str, tuple[Place, float]] | None = None

    def action(self, w: Waypoint) -> str:
        """Return what is switched at a waypoint, in words."""
        return _SWITCHED[self.fields.kind].get(w.action, "")

    def described(self, route: SortieRoute) -> str:
        """Return a route in one line."""
        found = (self.turn_backs or {}).get(route.label)
        back = f", turn back by {found[1] / 60:.1f} min after take-off" if found else ""
        return f"{route.time_s / 60:.1f} min{back}"

    def holes_of(self, area: AreaFields) -> list[list[Place]]:
        """Return the keep-outs that lie inside an area."""
        if area.corridor_m is not None or len(area.ring) < 3:
            return []
        shell = Polygon(area.ring)
        return [k.ring for k in self.fields.keep_outs if len(k.ring) > 2 and shell.is_valid and shell.contains(Polygon(k.ring))]


def geojson(job: Drawn) -> bytes:
    """Return a FeatureCollection (RFC 7946): areas, keep-outs, places, and each route as a line with its waypoints.

    Third coordinates are heights above the sea where they are known, else above home.
    """
    f = job.fields
    features = [_area(job, a) for a in f.areas if a.ring] if job.whole else []
    for k in f.keep_outs if job.whole else []:
        features.append(_feature("Polygon", [_closed(k.ring)], _keep_out(k.name, k.crossing, k.margin_m)))
    for role, name, place, size in _places(f) if job.whole else []:
        features.append(_feature("Point", place, {"name": name, "role": role, **size}))
    for route in job.routes:
        points = waypoints(route)
        line = [(*w.at, _height(w)) for w in points]
        features.append(
            _feature("LineString", line, {"name": route.label, "role": "sortie", "minutes": round(route.time_s / 60, 2)})
        )
        for w in points:
            about = {k: v for k, v in asdict(w).items() if k != "at"}
            features.append(
                _feature(
                    "Point", (*w.at, _height(w)), {"role": "waypoint", "sortie": route.label, **about, "action": job.action(w)}
                )
            )
        if job.turn_backs and route.label in job.turn_backs:
            place_at, _ = job.turn_backs[route.label]
            features.append(_feature("Point", place_at, {"name": f"{route.label} last turn-back", "role": "turn-back"}))
    return json.dumps({"type": "FeatureCollection", "features": features}).encode()


def dose_map(strips: Sequence[DoseStrip]) -> bytes:
    """Return the strips of a spraying plan as a FeatureCollection (RFC 7946), each with its dose, flow and litres."""
    features = [
        _feature(
            "Polygon",
            [_closed(list(s.ring))],
            {
                "role": "strip",
                "sortie": s.sortie,
                "line": s.line,
                "dose_l_ha": round(s.dose_l_ha, 3),
                "flow_l_min": round(s.flow_l_min, 3),
                "litres": round(s.litres, 3),
                "ground_m_s": round(s.ground_m_s, 2),
            },
        )
        for s in strips
    ]
    return json.dumps({"type": "FeatureCollection", "features": features}).encode()


def _area(job: Drawn, a: AreaFields) -> Json:
    about = {"name": a.name or job.name, "role": "area", **({"left_out": True} if a.left_out else {})}
    about |= {"bearing_deg": a.bearing_deg} if a.bearing_deg is not None else {}
    about |= {"rate_l_ha": a.rate_l_ha} if a.rate_l_ha is not None else {}
    if a.corridor_m is not None:
        return _feature("LineString", a.ring, about | {"width_m": a.corridor_m})
    return _feature("Polygon", [_closed(a.ring), *[_closed(h) for h in job.holes_of(a)]], about)


def _keep_out(name: str, crossing: str, margin_m: float) -> dict[str, object]:
    return {"name": name, "role": "keep-out", "crossing": crossing, "margin_m": margin_m}


def _places(f: JobFields) -> Iterator[tuple[str, str, Place, Json]]:
    """Return home, landing places, obstacles and other homes: role, name, place and size."""
    if f.home:
        yield "home", "home", f.home, {}
    for p in f.site.fallbacks:
        yield "landing", p.name, p.at, {}
    for o in f.site.obstacles:
        yield "obstacle", o.name, o.at, {"radius_m": o.radius_m, "top_m": o.top_m}
    for h in f.site.homes:
        yield "other home", h.name, h.at, {}


def _height(w: Waypoint) -> float:
    return w.over_sea_m if w.over_sea_m is not None else w.over_home_m


def _feature(kind: str, coordinates: Sequence[object], properties: Json) -> Json:
    return {"type": "Feature", "properties": properties, "geometry": {"type": kind, "coordinates": coordinates}}


def _closed(ring: Sequence[Place]) -> list[Place]:
    return [*ring, ring[0]] if ring and ring[0] != ring[-1] else list(ring)


def kml(job: Drawn) -> bytes:
    """Return a KML document; heights are above the sea where they are known, else relative to the ground at home."""
    Xml.register_namespace("", _KML)
    f = job.fields
    root = Xml.Element(f"{{{_KML}}}kml")
    document = _sub(root, "Document")
    _sub(document, "name", job.name)
    if job.whole:
        _kml_ground(document, job, f)
    for route in job.routes:
        folder = _sub(document, "Folder")
        _sub(folder, "name", route.label)
        points = waypoints(route)
        mark = _sub(folder, "Placemark")
        _sub(mark, "name", route.label)
        _sub(mark, "description", job.described(route))
        _data(mark, {"role": "sortie"})
        line = _sub(mark, "LineString")
        _sub(line, "altitudeMode", _altitude(points))
        _sub(line, "coordinates", " ".join(f"{w.at[0]:.7f},{w.at[1]:.7f},{_height(w):.1f}" for w in points))
        for w in points:
            about: Json = {
                "role": "waypoint",
                "kind": w.kind,
                "speed_m_s": w.speed_m_s,
                "action": job.action(w),
                "over_ground_m": w.over_ground_m,
                "over_home_m": w.over_home_m,
                "line": w.line,
                "camera_below_horizon_deg": w.camera_down_deg,
                "camera_heading_deg": w.camera_deg,
            }
            _point(folder, f"{route.label}-{w.number:02d}", w.at, about, _height(w), _altitude(points))
        if job.turn_backs and route.label in job.turn_backs:
            _point(folder, f"{route.label} last turn-back", job.turn_backs[route.label][0], {"role": "turn-back"})
    return _HEAD + bytes(Xml.tostring(root, encoding="utf-8"))


def _kml_ground(document: Xml.Element, job: Drawn, f: JobFields) -> None:
    for a in f.areas:
        if not a.ring:
            continue
        mark = _sub(document, "Placemark")
        _sub(mark, "name", a.name or job.name)
        own = {"bearing_deg": a.bearing_deg, "width_m": a.corridor_m, "rate_l_ha": a.rate_l_ha}
        _data(mark, {"role": "area", "left_out": a.left_out or None, **own})
        if a.corridor_m is not None:
            _sub(_sub(mark, "LineString"), "coordinates", _coordinates(a.ring))
            continue
        polygon = _sub(mark, "Polygon")
        _ring(_sub(polygon, "outerBoundaryIs"), a.ring)
        for hole in job.holes_of(a):
            _ring(_sub(polygon, "innerBoundaryIs"), hole)
    for k in f.keep_outs:
        mark = _sub(document, "Placemark")
        _sub(mark, "name", k.name)
        _data(mark, _keep_out(k.name, k.crossing, k.margin_m))
        _ring(_sub(_sub(mark, "Polygon"), "outerBoundaryIs"), k.ring)
    for role, name, place, size in _places(f):
        _point(document, name, place, {"role": role, **size})


def _altitude(points: Sequence[Waypoint]) -> str:
    return "absolute" if points[0].over_sea_m is not None else "relativeToGround"


def gpx(job: Drawn) -> bytes:
    """Return GPX: areas as closed tracks, each sortie as a route of its waypoints, home and landing places as waypoints.

    Heights are above the sea and left out where that is not known; each route point tells in words what is done there.
    """
    Xml.register_namespace("", _GPX)
    f = job.fields
    root = Xml.Element(f"{{{_GPX}}}gpx", {"version": "1.1", "creator": "Gentle Quarry"})

    def sub(parent: Xml.Element, tag: str, text: str | None = None, at: Place | None = None) -> Xml.Element:
        found = Xml.SubElement(parent, f"{{{_GPX}}}{tag}", {} if at is None else {"lat": f"{at[1]:.7f}", "lon": f"{at[0]:.7f}"})
        found.text = text
        return found

    for role, name, place, _ in _places(f) if job.whole else []:
        mark = sub(root, "wpt", at=place)
        sub(mark, "name", name)
        sub(mark, "type", role)
    for route in job.routes:
        line = sub(root, "rte")
        sub(line, "name", route.label)
        sub(line, "desc", job.described(route))
        for w in waypoints(route):
            point = sub(line, "rtept", at=w.at)
            if w.over_sea_m is not None:
                sub(point, "ele", f"{w.over_sea_m:.1f}")
            sub(point, "name", f"{route.label}-{w.number:02d}")
            sub(point, "desc", _words(job, w))
    for a in f.areas if job.whole else []:
        if a.corridor_m is None and a.ring:
            track = sub(root, "trk")
            sub(track, "name", a.name or job.name)
            segment = sub(track, "trkseg")
            for at in _closed(a.ring):
                sub(segment, "trkpt", at=at)
    return _HEAD + bytes(Xml.tostring(root, encoding="utf-8"))


def _words(job: Drawn, w: Waypoint) -> str:
    height = f"{w.over_home_m:g} m above home"
    height += f", {w.over_ground_m:g} m above ground" if w.over_ground_m is not None else ""
    looks = "" if w.camera_down_deg is None else f"camera {w.camera_down_deg:g}° below the horizon"
    looks += f", heading {w.camera_deg:g}°" if w.camera_deg is not None else ""
    parts = [w.kind, f"line {w.line}" if w.line else "", job.action(w), looks, height, f"{w.speed_m_s:g} m/s"]
    return "; ".join(p for p in parts if p)


_COLUMNS = (
    "sortie",
    "waypoint",
    "latitude",
    "longitude",
    "kind",
    "line",
    "above home m",
    "above ground m",
    "above sea m",
    "speed m/s",
    "action",
    "planned s",
    "camera below horizon deg",
    "camera heading deg",
)


def waypoint_table(job: Drawn) -> bytes:
    """Return all waypoints as CSV."""
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\r\n")
    rows.writerow(_COLUMNS)
    for route in job.routes:
        for w in waypoints(route):
            heights = (w.over_home_m, w.over_ground_m, w.over_sea_m)
            cells = (
                route.label,
                w.number,
                f"{w.at[1]:.7f}",
                f"{w.at[0]:.7f}",
                w.kind,
                w.line,
                *heights,
                w.speed_m_s,
                job.action(w),
                w.at_s,
                w.camera_down_deg,
                w.camera_deg,
            )
            rows.writerow(["" if c is None else c for c in cells])
    return out.getvalue().encode("utf-8-sig")


def _sub(parent: Xml.Element, tag: str, text: str | None = None) -> Xml.Element:
    element = Xml.SubElement(parent, f"{{{_KML}}}{tag}")
    element.text = text
    return element


def _data(mark: Xml.Element, values: Mapping[str, object]) -> None:
    extended = _sub(mark, "ExtendedData")
    for name, value in values.items():
        if value not in (None, ""):
            data = _sub(extended, "Data")
            data.set("name", name)
            _sub(data, "value", f"{value:g}" if isinstance(value, float) else str(value))


def _coordinates(ring: Sequence[Place]) -> str:
    return " ".join(f"{x:.7f},{y:.7f},0" for x, y in ring)


def _ring(parent: Xml.Element, ring: Sequence[Place]) -> None:
    _sub(_sub(parent, "LinearRing"), "coordinates", _coordinates(_closed(ring)))


def _point(
    parent: Xml.Element, name: str, place: Place, about: Mapping[str, object], height_m: float = 0.0, mode: str = "clampToGround"
) -> None:
    mark = _sub(parent, "Placemark")
    _sub(mark, "name", name)
    _data(mark, about)
    point = _sub(mark, "Point")
    _sub(point, "altitudeMode", mode)
    _sub(point, "coordinates", f"{place[0]:.7f},{place[1]:.7f},{height_m:.1f}")
