"""A job as flown as GeoJSON (RFC 7946)."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import timedelta

from quarry.apps.flown.views import AsFlownOut, Polygon

Json = dict[str, object]


def geojson(name: str, f: AsFlownOut, planned: dict[str, list[tuple[tuple[float, float], ...]]]) -> bytes:
    """Return a FeatureCollection: lines as planned, strips as flown with their times, what was covered twice, gaps."""
    features = [*_planned(planned), *_strips(f), *_gaps(f)]
    if f.twice:
        features.append(_feature("MultiPolygon", [_closed(p) for p in f.twice], {"what": "covered twice or more"}))
    figures: dict[str, object] = {x.key: x.value for x in f.figures}
    whole = {"type": "FeatureCollection", "name": name, "figures": figures, "notes": f.notes, "features": features}
    return json.dumps(whole, ensure_ascii=False).encode()


def _feature(kind: str, coordinates: object, figures: Json) -> Json:
    return {"type": "Feature", "geometry": {"type": kind, "coordinates": coordinates}, "properties": figures}


def _closed(polygon: Polygon) -> list[list[tuple[float, float]]]:
    return [[*ring] if ring and ring[0] == ring[-1] else [*ring, ring[0]] for ring in polygon]


def _planned(lines: dict[str, list[tuple[tuple[float, float], ...]]]) -> Iterator[Json]:
    for sortie, of in lines.items():
        for k, line in enumerate(of, start=1):
            yield _feature("LineString", list(line), {"what": "line as planned", "sortie": sortie, "line": k})


def _strips(f: AsFlownOut) -> Iterator[Json]:
    for s in f.strips:
        figures: Json = {
            "what": "strip as flown",
            "sortie": s.sortie,
            "line": s.line or None,
            "from": (f.began_at + timedelta(seconds=s.from_s)).isoformat(timespec="seconds"),
            "to": (f.began_at + timedelta(seconds=s.to_s)).isoformat(timespec="seconds"),
            "estimated": s.estimated,
        }
        yield _feature("MultiPolygon", [_closed(p) for p in s.ground], figures)


def _gaps(f: AsFlownOut) -> Iterator[Json]:
    for g in f.gaps:
        figures: Json = {"what": "gap", "number": g.number, "m2": g.area_m2, "cause": g.words, "field": g.field}
        yield _feature("Polygon", _closed(g.ground), figures)
