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

from quarry.apps.files import read_table, safe
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
                safe(p.name),
                "check" if p.check else "control",
                f"{p.at[1]:.8f}",
                f"{p.at[0]:.8f}",
                f"{east:.3f}" if to_grid else "",
                f"{north:.3f}" if to_grid else "",
                "" if p.height_m is None else f"{p.height_m:.3f}",
                safe(p.why),
            ]
        )
    return out.getvalue().encode()


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
    json_like = data.lstrip().startswith(b"{") or name.lower().endswith((".geojson", ".json"))
    found = _from_geojson(data.decode("utf-8-sig", errors="replace")) if json_like else _from_csv(data)
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


def _from_csv(data: bytes) -> list[ControlFields]:
    table = read_table(data, ("//", "%", "#"))
    if table is None:
        return []
    words = [words_of(h) for h in table.head]

    def named_so(*which: str) -> int | None:
        return next((k for k, w in enumerate(words) if set(which) & set(w)), None)

    def quantity(name: str) -> int | None:
        odds = [named(name, w) for w in words]
        best = max(range(len(odds)), key=odds.__getitem__)
        return best if odds[best] > 0 else None

    lon, lat, height = quantity("lon_deg"), quantity("lat_deg"), quantity("height_m")
    if lon is None or lat is None or lon == lat:
        return []
    figures = [[v.replace(",", ".") if table.comma else v for v in table.column(k)] for k in (lon, lat, height)]
    names = table.column(named_so("name", "point", "punkt", "id", "nr", "no", "label"))
    kinds = table.column(named_so("kind", "type", "art", "typ", "role"))
    rows = zip(*figures, names, kinds, strict=True)
    points = (_point(x, y, z, name, kind, k) for k, (x, y, z, name, kind) in enumerate(rows, start=1))
    return [p for p in points if p is not None]


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
