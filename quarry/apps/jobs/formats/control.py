"""Control and check points as CSV and GeoJSON, in and out; degrees of WGS 84, and the metres of their UTM zone beside them."""

from __future__ import annotations

import csv
import io
import json
import math
from collections.abc import Sequence
from typing import Any

from pyproj import Transformer
from pyproj.aoi import AreaOfInterest
from pyproj.database import query_utm_crs_info

from quarry.apps.jobs.fields import ControlFields
from quarry.core.base.errors import CoreError
from quarry.core.logs.lexicon import named, words_of

_CHECKS = ("check", "kontroll", "prüf", "pruf", "verification", "contrôle", "controle", "comprob", "verifica", "sprawdz")
_MOST_POINTS = 500


class ControlFileError(CoreError):
    """A file in which no points can be found."""

    code = "unreadable"


def control_csv(points: Sequence[ControlFields]) -> bytes:
    """Return points as CSV in walking order; the system of each column stands in its header."""
    code, to_grid = _grid(points)
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\r\n")
    rows.writerow(
        [
            "name",
            "kind",
            "latitude [WGS 84 deg]",
            "longitude [WGS 84 deg]",
            f"easting [EPSG:{code} m]",
            f"northing [EPSG:{code} m]",
            "height [m]",
            "why",
        ]
    )
    for p in points:
        east, north = to_grid.transform(*p.at) if to_grid else ("", "")
        rows.writerow(
            [
                _safe(p.name),
                "check" if p.check else "control",
                f"{p.at[1]:.8f}",
                f"{p.at[0]:.8f}",
                f"{east:.3f}" if to_grid else "",
                f"{north:.3f}" if to_grid else "",
                "" if p.height_m is None else f"{p.height_m:.3f}",
                _safe(p.why),
            ]
        )
    return out.getvalue().encode()


def _safe(text: str) -> str:
    return f"'{text}" if text[:1] in ("=", "+", "-", "@") else text


def _grid(points: Sequence[ControlFields]) -> tuple[str, Transformer | None]:
    """Return the EPSG code of the UTM zone in which points lie, and the way there."""
    if not points:
        return "32601", None
    lon, lat = (sum(p.at[k] for p in points) / len(points) for k in (0, 1))
    found = query_utm_crs_info(datum_name="WGS 84", area_of_interest=AreaOfInterest(lon, lat, lon, lat))
    if not found:
        return "none", None
    return found[0].code, Transformer.from_crs("EPSG:4326", f"EPSG:{found[0].code}", always_xy=True)


def control_geojson(points: Sequence[ControlFields]) -> bytes:
    """Return points as a FeatureCollection (RFC 7946); the third coordinate is the height where it is known."""
    features = [
        {
            "type": "Feature",
            "geometry": {"type": "Point", "coordinates": [*p.at, *([p.height_m] if p.height_m is not None else [])]},
            "properties": {"name": p.name, "kind": "check" if p.check else "control", "why": p.why},
        }
        for p in points
    ]
    return json.dumps({"type": "FeatureCollection", "features": features}, ensure_ascii=False).encode()


def read_control(data: bytes, name: str) -> list[ControlFields]:
    """Return the points of a CSV or GeoJSON file.

    Raises
    ------
    ControlFileError
        It holds no points in degrees, or too many.
    """
    text = data.decode("utf-8-sig", errors="replace").strip()
    found = _from_geojson(text) if text.startswith("{") or name.lower().endswith((".geojson", ".json")) else _from_csv(text)
    if not found:
        raise ControlFileError("The file holds no point with a latitude and a longitude in degrees of WGS 84.", "file")
    if len(found) > _MOST_POINTS:
        raise ControlFileError(f"The file holds {len(found):,} points; the most is {_MOST_POINTS}.", "file")
    return found


def _from_geojson(text: str) -> list[ControlFields]:
    try:
        whole: Any = json.loads(text)
        features = whole.get("features", []) if isinstance(whole, dict) else []
    except ValueError as bad:
        raise ControlFileError("This is no GeoJSON: it cannot be read as JSON.", "file") from bad
    found = []
    for k, feature in enumerate(features if isinstance(features, list) else [], start=1):
        shape = feature.get("geometry") if isinstance(feature, dict) else None
        place = shape.get("coordinates") if isinstance(shape, dict) and shape.get("type") == "Point" else None
        if not isinstance(place, list) or len(place) < 2:
            continue
        says = feature.get("properties")
        says = says if isinstance(says, dict) else {}
        point = _point(place[0], place[1], place[2] if len(place) > 2 else None, says.get("name"), says.get("kind"), k)
        found += [point] if point else []
    return found


def _from_csv(text: str) -> list[ControlFields]:
    lines = [line for line in text.splitlines() if line.strip() and not line.startswith("#")]
    if len(lines) < 2:
        return []
    separator = max((",", ";", "\t"), key=lambda c: min(lines[0].count(c), lines[1].count(c)))
    head, *rows = list(csv.reader(io.StringIO("\n".join(lines)), delimiter=separator))
    words = [words_of(h) for h in head]

    def column(quantity: str, *others: str) -> int | None:
        odds = [
            max(named(quantity, w), *(6.0 if o in w else 0.0 for o in others)) if others else named(quantity, w) for w in words
        ]
        best = max(range(len(odds)), key=odds.__getitem__)
        return best if odds[best] > 0 else None

    lon, lat = column("lon_deg"), column("lat_deg")
    if lon is None or lat is None or lon == lat:
        return []
    height = column("height_m", "height", "elevation", "z")
    name = next((k for k, w in enumerate(words) if {"name", "point", "punkt", "id", "nr", "no", "label"} & set(w)), None)
    kind = next((k for k, w in enumerate(words) if {"kind", "type", "art", "typ", "role"} & set(w)), None)
    found = []
    for k, row in enumerate(rows, start=1):
        at = [row[c].replace(",", ".") if c is not None and c < len(row) else None for c in (lon, lat, height)]
        said = [row[c] if c is not None and c < len(row) else None for c in (name, kind)]
        point = _point(at[0], at[1], at[2], said[0], said[1], k)
        found += [point] if point else []
    return found


def _point(lon: Any, lat: Any, height: Any, name: Any, kind: Any, number: int) -> ControlFields | None:
    place = [_number(v) for v in (lon, lat)]
    if None in place or not (-180.0 <= place[0] <= 180.0 and -90.0 <= place[1] <= 90.0):  # type: ignore[operator]
        return None
    check = isinstance(kind, str) and any(w in kind.lower() for w in _CHECKS)
    return ControlFields(
        at=(place[0], place[1]),  # type: ignore[arg-type]
        name=str(name).strip()[:40] if name not in (None, "") else f"P{number}",
        check=check,
        height_m=_number(height),
        why="from a file",
    )


def _number(value: Any) -> float | None:
    try:
        found = float(value)
    except (TypeError, ValueError):
        return None
    return found if math.isfinite(found) else None
