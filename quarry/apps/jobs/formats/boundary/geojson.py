"""GeoJSON (RFC 7946), and what is written in its place: numbers as text, named grids, longitudes beyond 180°."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from typing import Any, Literal

from quarry.apps.jobs.formats.boundary.shapes import FormatError, RawArea, RawLine, RawPoint, Ring, Said, Shapes, named, number

_DEEPEST = 20
_NAMES = ("name", "title", "label", "field", "field_name", "fieldname", "parcel", "id")
_MOST_MARGIN_M = 500.0
_LINES = {"LineString", "MultiLineString"}


def read_geojson(text: str) -> tuple[Shapes, str | None]:
    """Return the shapes of a GeoJSON text, and the coordinate system that it names.

    Raises
    ------
    FormatError
        It is damaged, or does not follow its form.
    """
    try:
        root = json.loads(text)
    except (ValueError, RecursionError) as bad:
        ends = isinstance(bad, json.JSONDecodeError) and bad.pos >= len(text.rstrip()) - 2
        what = "is cut off: it ends too early" if ends else f"is damaged ({str(bad)[:80]})"
        raise FormatError(f"The GeoJSON {what}. Export it again.", "file") from bad
    reader = _Reader(Shapes())
    try:
        reader.take(root, {}, 0)
    except FormatError:
        raise
    except (TypeError, KeyError, ValueError, IndexError, AttributeError) as bad:
        raise FormatError("The GeoJSON does not follow the form of RFC 7946. Export it again.", "file") from bad
    shapes = reader.shapes
    if reader.texts:
        shapes.note(
            "converted",
            f"{reader.texts:,} coordinates were written as text (in quotes) in place of numbers and were read as numbers.",
        )
    if reader.empty:
        shapes.note(
            "left out",
            f"{reader.empty} feature{'s have' if reader.empty > 1 else ' has'} no geometry: nothing to take from there.",
        )
    return shapes, _system(root)


class _Reader:
    def __init__(self, shapes: Shapes) -> None:
        self.shapes = shapes
        self.texts = self.empty = 0

    def take(self, item: Any, properties: Mapping[str, Any], depth: int) -> None:
        if depth > _DEEPEST or not isinstance(item, dict):
            raise TypeError
        kind = item.get("type")
        if kind == "FeatureCollection":
            for feature in _list(item, "features"):
                self.take(feature, {}, depth + 1)
        elif kind == "Feature":
            own = item.get("properties")
            if isinstance(item.get("geometry"), dict):
                self.take(item["geometry"], own if isinstance(own, dict) else {}, depth + 1)
            else:
                self.empty += 1
        elif kind == "GeometryCollection":
            for geometry in _list(item, "geometries"):
                self.take(geometry, properties, depth + 1)
        else:
            self._geometry(kind, item.get("coordinates"), _said(properties))

    def _geometry(self, kind: Any, coordinates: Any, said: Said) -> None:
        if kind in ("Polygon", "MultiPolygon"):
            for rings in [coordinates] if kind == "Polygon" else coordinates:
                self.shapes.areas.append(RawArea([self._pairs(r, said) for r in rings], said))
        elif kind in _LINES:
            for line in [coordinates] if kind == "LineString" else coordinates:
                self.shapes.lines.append(RawLine(self._pairs(line, said), said))
        elif kind in ("Point", "MultiPoint"):
            for place in [coordinates] if kind == "Point" else coordinates:
                self.shapes.points.append(RawPoint(self._pairs([place], said)[0], said))
        else:
            raise TypeError

    def _pairs(self, ring: Any, said: Said) -> Ring:
        found = []
        for place in ring:
            self.texts += isinstance(place[0], str) + isinstance(place[1], str)
            try:
                found.append([number(place[0]), number(place[1])])
            except ValueError as bad:
                raise FormatError(
                    f"{named(said, 'A shape without a name')} holds a coordinate that is not a number: {str(place[:2])[:60]}. Export it again.",
                    "file",
                ) from bad
        return found


def _list(item: Mapping[str, Any], key: str) -> list[Any]:
    found = item.get(key)
    if not isinstance(found, list):
        raise TypeError
    return found


def _said(properties: Mapping[str, Any]) -> Said:
    lower = {str(k).lower(): v for k, v in reversed(list(properties.items()))}
    name = next(
        (v for k in _NAMES if isinstance(v := lower.get(k), str | int) and not isinstance(v, bool) and str(v).strip()), ""
    )
    role, crossing = (v if isinstance(v := properties.get(k), str) else "" for k in ("role", "crossing"))
    ruled: Literal["", "never", "unworked"] = "never" if crossing == "never" else "unworked" if crossing == "unworked" else ""
    margin = _figure(properties.get("margin_m"))
    return Said(
        str(name),
        role,
        ruled,
        margin if margin is not None and margin <= _MOST_MARGIN_M else 0.0,
        _figure(lower.get("width_m")),
        _figure(properties.get("radius_m")),
        _figure(properties.get("top_m")),
        left_out=properties.get("left_out") is True,
        bearing_deg=_figure(properties.get("bearing_deg")),
        rate_l_ha=_figure(properties.get("rate_l_ha")),
    )


def _figure(value: Any) -> float | None:
    try:
        found = number(value)
    except ValueError:
        return None
    return found if found >= 0 else None


def _system(root: Any) -> str | None:
    crs = root.get("crs") if isinstance(root, dict) else None
    name = crs.get("properties", {}).get("name") if isinstance(crs, dict) and isinstance(crs.get("properties"), dict) else None
    if not isinstance(name, str):
        return None
    code = re.search(r"EPSG:{1,2}(?:[\d.]*:)?(\d+)", name, re.IGNORECASE)
    if code:
        return f"EPSG:{code[1]}"
    return None if re.search(r"CRS84$", name, re.IGNORECASE) else name
