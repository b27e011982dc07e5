"""When a low sun stands ahead on a bearing: then it blinds forward sensors, and the pilot."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from quarry.core.air.sun import sun_place
from quarry.core.base.settings import Setting
from quarry.core.base.sources import ASSUMED

if TYPE_CHECKING:
    from datetime import date

_STEP_MIN = 5.0
_EDGE_MIN = 0.25


@dataclass(frozen=True, slots=True)
class LowSunPolicy:
    """Up to which height of the sun it blinds, and how far beside the bearing it may stand. [°]"""

    low_deg: float = 20.0
    beside_deg: float = 30.0


_D = LowSunPolicy()
SETTINGS: tuple[Setting, ...] = (
    Setting(
        "sun.low_deg",
        "Low sun",
        "The sun blinds forward sensors below",
        _D.low_deg,
        "above it the sun stands outside what they see; the maker's manual takes precedence",
        "°",
        1.0,
        2.0,
        60.0,
        source=ASSUMED,
    ),
    Setting(
        "sun.beside_deg",
        "Low sun",
        "within this of the way home",
        _D.beside_deg,
        "about half of what a forward camera sees across",
        "°",
        1.0,
        5.0,
        90.0,
        source=ASSUMED,
    ),
)


def apart_deg(a_deg: float, b_deg: float) -> float:
    """Return how far two bearings lie apart. [°, 0 to 180]"""
    return abs((a_deg - b_deg + 180.0) % 360.0 - 180.0)


def sun_at(lon_deg: float, lat_deg: float, day: date, at_min: float) -> tuple[float, float]:
    """Return (height, bearing) of the sun at minutes from 00:00 UTC of a date, which may lie outside it. [°]"""
    days, minute = divmod(at_min, 1440.0)
    return sun_place(lon_deg, lat_deg, day.fromordinal(day.toordinal() + int(days)), min(minute, 1439.9))


def blinded(
    lon_deg: float, lat_deg: float, day: date, bearing_deg: float, from_min: float, to_min: float, policy: LowSunPolicy = _D
) -> tuple[tuple[float, float], ...]:
    """Return the spans in which a low sun stands ahead on a bearing, between two moments. [min from 00:00 UTC of the date]"""

    def is_ahead(at_min: float) -> bool:
        height_deg, sun_deg = sun_at(lon_deg, lat_deg, day, at_min)
        return 0.0 < height_deg <= policy.low_deg and apart_deg(sun_deg, bearing_deg) <= policy.beside_deg

    def edge(before_min: float, after_min: float) -> float:
        was = is_ahead(before_min)
        while after_min - before_min > _EDGE_MIN:
            middle = (before_min + after_min) / 2
            before_min, after_min = (middle, after_min) if is_ahead(middle) == was else (before_min, middle)
        return (before_min + after_min) / 2

    spans: list[tuple[float, float]] = []
    at, ahead = from_min, is_ahead(from_min)
    begins = from_min
    while at < to_min:
        then = min(at + _STEP_MIN, to_min)
        now_ahead = is_ahead(then)
        if now_ahead != ahead:
            turn = edge(at, then)
            if ahead:
                spans.append((begins, turn))
            begins, ahead = turn, now_ahead
        at = then
    if ahead:
        spans.append((begins, to_min))
    return tuple(spans)
