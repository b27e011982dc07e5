"""A table of photo positions, as cameras, receivers and processing write them: delimiter, decimal sign and headers vary."""

from __future__ import annotations

import math
import re
from datetime import UTC, datetime

from quarry.apps.files import read_table
from quarry.apps.flown.fields import Column, PhotoColumns
from quarry.core.base.errors import CoreError
from quarry.core.logs.lexicon import named, words_of

_NAMES = re.compile(r"name|photo|foto|image|bild|file|datei|label|picture|imagen|immagine|fichier|zdj", re.I)
_QUANTITIES = {
    "lon": ("lon_deg",),
    "lat": ("lat_deg",),
    "at": ("time_s",),
    "altitude_m": ("altitude_m",),
    "relative_m": ("height_m",),
    "heading_deg": ("heading_deg",),
    "pitch_deg": ("pitch_deg",),
    "roll_deg": ("roll_deg",),
}
_CLOCKS = ("%Y-%m-%d %H:%M:%S", "%Y:%m:%d %H:%M:%S", "%Y/%m/%d %H:%M:%S", "%d.%m.%Y %H:%M:%S", "%Y-%m-%dT%H:%M:%S")
_LEAST_EPOCH_S = 3e8
_PLAIN = {"x": "lon", "y": "lat", "z": "altitude_m", "alt": "altitude_m", "altitude": "altitude_m"}


class PhotoTableError(CoreError):
    """A table in which no photo positions can be found."""

    code = "unreadable"


def read_photo_table(data: bytes) -> PhotoColumns:
    """Return the photos of a table.

    Raises
    ------
    PhotoTableError
        It has no columns of longitude and latitude in degrees, or holds no row.
    """
    table = read_table(data)
    if table is None:
        raise PhotoTableError("The table holds no photo. It needs a line of headers and one for each photo.", "file")
    columns = _columns(table.head)
    if "lon" not in columns or "lat" not in columns:
        raise PhotoTableError(
            "No columns of longitude and latitude were found. Name them so, in degrees of WGS 84; grid coordinates are not read.",
            "file",
        )

    def of(name: str) -> Column:
        k = columns.get(name)
        return [] if k is None else [_number(text, comma=table.comma) for text in table.column(k)]

    clocks = [_clock(text, comma=table.comma) for text in table.column(columns.get("at"))]
    zoned = [c for c in clocks if c is not None]
    names = table.column(columns.get("names"))
    return PhotoColumns(
        names=[(name or f"row {k}")[:200] for k, name in enumerate(names, start=2)],
        at=[c[0] if c else None for c in clocks],
        lon=of("lon"),
        lat=of("lat"),
        altitude_m=of("altitude_m"),
        relative_m=of("relative_m"),
        heading_deg=of("heading_deg"),
        pitch_deg=of("pitch_deg"),
        roll_deg=of("roll_deg"),
        clock="utc" if zoned and all(z for _, z in zoned) else "local",
    )


def _columns(head: list[str]) -> dict[str, int]:
    """Return which column holds what: each header what it names most plainly."""
    found: dict[str, tuple[float, int]] = {}
    for k, header in enumerate(head):
        plain = header.lower().split("[")[0].split("(")[0].strip()
        words = words_of(header)
        odds = {name: max(named(q, words) for q in of) for name, of in _QUANTITIES.items()}
        if plain in _PLAIN:
            odds = {_PLAIN[plain]: 9.0}
        name, best = max(odds.items(), key=lambda x: x[1])
        if _NAMES.search(header) and best < 6.0:
            name, best = "names", 5.0
        if best > 0 and best > found.get(name, (0.0, 0))[0]:
            found[name] = (best, k)
    return {name: k for name, (_, k) in found.items()}


def _number(text: str, *, comma: bool) -> float | None:
    try:
        value = float(text.strip().replace(",", ".") if comma else text.strip())
    except ValueError:
        return None
    return value if math.isfinite(value) else None


def _clock(text: str, *, comma: bool) -> tuple[float, bool] | None:
    """Return seconds since 1970 and whether they are UTC for sure."""
    number = _number(text, comma=comma)
    if number is not None:
        return (number / 1000 if number > _LEAST_EPOCH_S * 100 else number, True) if number > _LEAST_EPOCH_S else None
    at = _iso(text.strip()) or next((made for form in _CLOCKS if (made := _parsed(text.strip(), form))), None)
    if at is None:
        return None
    return at.replace(tzinfo=at.tzinfo or UTC).timestamp(), at.tzinfo is not None


def _iso(text: str) -> datetime | None:
    try:
        return datetime.fromisoformat(text)
    except ValueError:
        return None


def _parsed(text: str, form: str) -> datetime | None:
    clock, _, fraction = text.rpartition(".") if re.search(r":\d\d\.\d+$", text) else (text, "", "")
    try:
        at = datetime.strptime(clock, form)  # noqa: DTZ007 - a zone that is not there is told
    except ValueError:
        return None
    return at.replace(microsecond=int(f"{fraction[:6]:0<6}")) if fraction else at
