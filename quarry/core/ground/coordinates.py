"""A place as people write it: degrees in any form, or a grid reference of the metre nets used over the whole world.

Sources: ISO 6709:2022 (order and signs of degrees); NGA.STND.0037_2.0.0_GRIDS (UTM zones, and the letters of MGRS squares).
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from pyproj import Transformer

from quarry.core.base.errors import CoreError

_NUMBER = r"\d+(?:[.,]\d+)?"
_ANGLE = (
    rf"(?P<first>[NSEW])?\s*(?P<sign>[-+−])?\s*(?P<deg>{_NUMBER})\s*(?:°|º|deg\b)?\s*"
    rf"(?:(?P<min>{_NUMBER})\s*(?:['′’]|min\b)?\s*)?(?:(?P<sec>{_NUMBER})\s*(?:[\"″”]|''|sec\b)?\s*)?(?P<last>[NSEW])?"
)
_ONE = re.compile(rf"\s*{_ANGLE}\s*", re.IGNORECASE)
_UTM = re.compile(
    r"\s*(?:UTM\s+)?(?P<zone>\d{1,2})\s*(?P<band>[C-HJ-NP-X])\s*[,;]?\s+(?P<east>\d{5,7}(?:\.\d+)?)\s*m?\s*E?[\s,;]+"
    r"(?P<north>\d{1,8}(?:\.\d+)?)\s*m?\s*N?\s*",
    re.IGNORECASE,
)
_MGRS = re.compile(
    r"\s*(?:MGRS\s+|USNG\s+)?(?P<zone>\d{1,2})\s*(?P<band>[C-HJ-NP-X])\s*(?P<square>[A-HJ-NP-Z][A-HJ-NP-V])\s*(?P<digits>[\d\s]*)",
    re.IGNORECASE,
)
_BANDS = "CDEFGHJKLMNPQRSTUVWX"
_ROWS = "ABCDEFGHJKLMNPQRSTUV"
_COLUMNS = ("STUVWXYZ", "ABCDEFGH", "JKLMNPQR")
_HELP = (
    "Write it as 55.1325, -4.3154, or 55°07.95' N 4°18.92' W, or 55°07'57\" N 4°18'55\" W, "
    "or as a grid reference such as 30U VG 16123 09456."
)


class BadPlace(CoreError):
    """A text that is no place, or not for certain."""


@dataclass(frozen=True, slots=True)
class ReadPlace:
    """A place read from a text: degrees, and how it was understood, to be shown."""

    lon_deg: float
    lat_deg: float
    form: str


def read_angle(words: str) -> float:
    """Return degrees from a number, or from degrees, minutes and seconds, with or without a letter for the side.

    Raises
    ------
    BadPlace
        It is none.
    """
    found = _ONE.fullmatch(words)
    if found is None:
        raise BadPlace(f"“{words.strip()[:40]}” is no angle. {_HELP}", "text")
    return _angle(found)[0]


def read_place(text: str) -> ReadPlace:
    """Return the place that a text means. Latitude comes first unless letters say otherwise (ISO 6709).

    Raises
    ------
    BadPlace
        It is no place on earth, or it can be read in two ways.
    """
    for form, read in (("grid reference", _mgrs), ("UTM", _utm), ("degrees", _degrees)):
        found = read(text)
        if found is not None:
            lon, lat = found
            if not (-90 <= lat <= 90 and -180 <= lon <= 180):
                raise BadPlace(f"Latitude goes to 90° and longitude to 180°; this reads {lat:.5g}°, {lon:.5g}°. {_HELP}", "text")
            return ReadPlace(round(lon, 8), round(lat, 8), form)
    raise BadPlace(f"This is no place that can be read. {_HELP}", "text")


def _angle(found: re.Match[str]) -> tuple[float, str]:
    degrees, minutes, seconds = (float((found[k] or "0").replace(",", ".")) for k in ("deg", "min", "sec"))
    if minutes > 60 or seconds > 60:  # 60 itself is written by those who round
        raise BadPlace("Minutes and seconds go to 60. Write them anew.", "text")
    if found["first"] and found["last"]:
        raise BadPlace("An angle has one letter for its side. Write N, S, E or W once.", "text")
    side = (found["first"] or found["last"] or "").upper()
    if found["sign"] in ("-", "−") and side:
        raise BadPlace("An angle has a sign or a letter, not both. Leave one of them out.", "text")
    negative = found["sign"] in ("-", "−") or side in ("S", "W")
    return (-1 if negative else 1) * (degrees + minutes / 60 + seconds / 3600), side


def _degrees(text: str) -> tuple[float, float] | None:
    """Two angles; where the text can be parted in several places, all partings must mean the same."""
    even: set[tuple[float, float]] = set()
    uneven: set[tuple[float, float]] = set()
    refused: list[BadPlace] = []
    text = text.strip()
    for cut in re.finditer(r"[,;/\s]+|(?<=[NSEWnsew])(?=\s*[-+−\d])", text):
        first, second = _ONE.fullmatch(text[: cut.start()]), _ONE.fullmatch(text[cut.end() :])
        if first is None or second is None:
            continue
        alike = [k for k in ("min", "sec") if first[k]] == [k for k in ("min", "sec") if second[k]]
        if not alike and not cut[0].strip():
            continue
        if any(angle["first"] and angle["last"] for angle in (first, second)):
            continue
        try:
            (even if alike else uneven).add(_pair(_angle(first), _angle(second)))
        except BadPlace as bad:
            refused.append(bad)
    # Both angles are as a rule written to the same depth.
    read = even or uneven
    if len(read) > 1:
        raise BadPlace(f"This can be read in more than one way: put a comma between latitude and longitude. {_HELP}", "text")
    if not read and refused:
        raise refused[0]
    return read.pop() if read else None


def _pair(a: tuple[float, str], b: tuple[float, str]) -> tuple[float, float]:
    """Return longitude and latitude of two angles with their sides."""
    if a[1] and b[1] and (a[1] in "NS") == (b[1] in "NS"):
        raise BadPlace("Two latitudes or two longitudes make no place. Write one of each.", "text")
    if bool(a[1]) != bool(b[1]):
        raise BadPlace("Only one of the two angles has its letter. Write N or S, and E or W, or neither.", "text")
    turned = a[1] in ("E", "W")
    return (a[0], b[0]) if turned else (b[0], a[0])


def _utm(text: str) -> tuple[float, float] | None:
    found = _UTM.fullmatch(text)
    if found is None:
        return None
    return _from_net(int(found["zone"]), found["band"].upper(), float(found["east"]), float(found["north"]))


def _mgrs(text: str) -> tuple[float, float] | None:
    found = _MGRS.fullmatch(text)
    if found is None:
        return None
    digits = re.sub(r"\s", "", found["digits"])
    if len(digits) % 2 or len(digits) > 10:
        raise BadPlace("A grid reference has as many digits east as north, at most five each. Write it anew.", "text")
    zone, band, square = int(found["zone"]), found["band"].upper(), found["square"].upper()
    half = len(digits) // 2
    side = 10 ** (5 - half)
    column = _COLUMNS[zone % 3].find(square[0])
    if column < 0:
        raise BadPlace(f"Zone {zone} has no square {square}. Check the letters.", "text")
    # The middle of the square that the digits name.
    east = (column + 1) * 100_000 + (int(digits[:half] or "0") + 0.5) * side
    row = (_ROWS.index(square[1]) - (5 if zone % 2 == 0 else 0)) % 20
    low = -80 + 8 * _BANDS.index(band)
    high = 84 if band == "X" else low + 8
    for lap in range(5):
        north = row * 100_000 + lap * 2_000_000 + (int(digits[half:] or "0") + 0.5) * side
        place = _from_net(zone, band, east, north)
        # A square may reach over the edge of its band.
        if low - 1 <= place[1] <= high + 1 and (band >= "N") == (place[1] >= 0):
            return place
    raise BadPlace(f"Band {band} has no square {square} in zone {zone}. Check the letters.", "text")


def _from_net(zone: int, band: str, east: float, north: float) -> tuple[float, float]:
    if not 1 <= zone <= 60:
        raise BadPlace("UTM zones go from 1 to 60. Check the first number.", "text")
    if not (100_000 <= east < 1_000_000 and 0 <= north <= 10_000_000):
        raise BadPlace("East goes from 100 000 to 1 000 000 m, north to 10 000 000 m. Check the digits.", "text")
    base = 32600 if band >= "N" else 32700
    lon, lat = Transformer.from_crs(base + zone, 4326, always_xy=True).transform(east, north)
    if not (math.isfinite(lon) and math.isfinite(lat)):
        raise BadPlace("This grid reference lies outside its zone. Check the digits.", "text")
    return lon, lat


def written(lon_deg: float, lat_deg: float) -> list[str]:
    """Return a place in the notations that people on the ground use: degrees in three forms, UTM, and MGRS to the metre.

    Near the poles, where UTM ends, degrees alone. Each is read again by `read_place`.

    Examples
    --------
    >>> written(-4.3154, 55.1325)[1]
    "55°07.950' N 4°18.924' W"
    """
    forms = [f"{lat_deg:.6f}, {lon_deg:.6f}", _minutes(lon_deg, lat_deg), _seconds(lon_deg, lat_deg)]
    if not -80 <= lat_deg < 84:
        return forms
    zone, band = _zone(lon_deg, lat_deg), _BANDS[min(int((lat_deg + 80) // 8), len(_BANDS) - 1)]
    base = 32600 if lat_deg >= 0 else 32700
    east, north = Transformer.from_crs(4326, base + zone, always_xy=True).transform(lon_deg, lat_deg)
    # A grid reference names the square that the place lies in: digits are cut, never rounded up.
    column = _COLUMNS[zone % 3][int(east // 100_000) - 1]
    row = _ROWS[(int(north // 100_000) + (5 if zone % 2 == 0 else 0)) % 20]
    return [
        *forms,
        f"{zone}{band} {east:.0f} {north:.0f}",
        f"{zone}{band} {column}{row} {int(east % 100_000):05d} {int(north % 100_000):05d}",
    ]


def _zone(lon_deg: float, lat_deg: float) -> int:
    """Return the UTM zone of a place, wider ones off Norway and in Svalbard among them."""
    if 56 <= lat_deg < 64 and 3 <= lon_deg < 12:
        return 32
    if lat_deg >= 72 and 0 <= lon_deg < 42:
        return 31 if lon_deg < 9 else 33 if lon_deg < 21 else 35 if lon_deg < 33 else 37
    return int((lon_deg + 180) // 6) % 60 + 1


def _minutes(lon_deg: float, lat_deg: float) -> str:
    def angle(value: float, sides: str) -> str:
        thousandths = round(abs(value) * 60_000)
        return f"{thousandths // 60_000}°{thousandths % 60_000 / 1000:06.3f}' {sides[value < 0]}"

    return f"{angle(lat_deg, 'NS')} {angle(lon_deg, 'EW')}"


def _seconds(lon_deg: float, lat_deg: float) -> str:
    def angle(value: float, sides: str) -> str:
        tenths = round(abs(value) * 36_000)
        return f"{tenths // 36_000}°{tenths % 36_000 // 600:02d}'{tenths % 600 / 10:04.1f}\" {sides[value < 0]}"

    return f"{angle(lat_deg, 'NS')} {angle(lon_deg, 'EW')}"
