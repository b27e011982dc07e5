"""What processing asks for: where each photo was taken, and what it sees of the ground."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime

from quarry.apps.files import safe
from quarry.apps.flown.views import Ring


@dataclass(frozen=True, slots=True)
class PhotoRow:
    """A photo as it is handed over; times by the clock of the flights, what is not known is empty."""

    name: str
    at_s: float | None
    lon: float
    lat: float
    altitude_m: float | None
    above_home_m: float | None
    heading_deg: float | None
    pitch_deg: float | None
    roll_deg: float | None


@dataclass(frozen=True, slots=True)
class SeenRow:
    """What a photo sees on level ground under it, in degrees, and when it was taken."""

    at_s: float
    ring: Ring


def positions_csv(rows: Iterable[PhotoRow]) -> bytes:
    """Return the positions of photos as CSV; the system of each column stands in its header."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\r\n")
    table.writerow(
        [
            "name",
            "time [UTC]",
            "latitude [WGS 84 deg]",
            "longitude [WGS 84 deg]",
            "altitude as recorded [m]",
            "height above take-off [m]",
            "heading [deg]",
            "pitch of the camera [deg]",
            "roll [deg]",
        ]
    )
    for r in rows:
        when = "" if r.at_s is None else datetime.fromtimestamp(r.at_s, UTC).isoformat(timespec="milliseconds")
        figures = [r.altitude_m, r.above_home_m, r.heading_deg, r.pitch_deg, r.roll_deg]
        table.writerow([safe(r.name), when, f"{r.lat:.8f}", f"{r.lon:.8f}", *["" if v is None else f"{v:.3f}" for v in figures]])
    return out.getvalue().encode()


def footprints_geojson(rows: Iterable[SeenRow]) -> bytes:
    """Return what photos see as a FeatureCollection (RFC 7946)."""
    features = [
        {
            "type": "Feature",
            "geometry": {"type": "Polygon", "coordinates": [r.ring]},
            "properties": {"time": datetime.fromtimestamp(r.at_s, UTC).isoformat(timespec="milliseconds")},
        }
        for r in rows
    ]
    return json.dumps({"type": "FeatureCollection", "features": features}).encode()
