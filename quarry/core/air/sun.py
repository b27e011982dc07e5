"""Sun and twilight of a date at a place. Minutes count from 00:00 UTC of the date and may fall outside it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from astral import Observer
from astral import sun as _astral

from quarry.core.base.errors import require_range
from quarry.core.base.sources import ALGEBRA, MEEUS
from quarry.core.base.working import Step, formula, note_step

if TYPE_CHECKING:
    from datetime import date, datetime


_CIVIL_DEG = -6.0  # height of the sun at which civil twilight begins and ends
_UP_DEG = -0.833  # at which its upper edge touches the horizon
_DAY_MIN = 1440.0
_TOUCH_MIN = 2.0  # noon moves by half a minute from day to day


@dataclass(frozen=True, slots=True)
class SunTimes:
    """Civil dawn, sunrise, noon, sunset and civil dusk; None where the sun does not cross that line. [min]"""

    dawn_min: float | None
    sunrise_min: float | None
    noon_min: float
    sunset_min: float | None
    dusk_min: float | None


def _observer(lon_deg: float, lat_deg: float) -> Observer:
    require_range(lat_deg, -90.0, 90.0, "lat_deg", "Latitude", "°")
    require_range(lon_deg, -180.0, 180.0, "lon_deg", "Longitude", "°")
    return Observer(lat_deg, lon_deg)


def sun_times(lon_deg: float, lat_deg: float, day: date) -> SunTimes:
    """Return the times of the sun around the solar noon of a local date.

    Examples
    --------
    >>> from datetime import date
    >>> round(sun_times(0.0, 51.5, date(2026, 6, 21)).noon_min)
    722
    """
    at = _observer(lon_deg, lat_deg)
    noon = _minute(_astral.noon(at, date=day), day)

    def when(which: str, sign: int) -> float | None:
        # Asked by the date in UTC, the decoder returns events of another day in the far west and east.
        found = []
        for shift in (-1, 0, 1):
            try:
                event: datetime = getattr(_astral, which)(at, date=day.fromordinal(day.toordinal() + shift))
            except ValueError:
                continue
            found.append(sign * (_minute(event, day) - noon))
        near = [d for d in found if 0 < d < 721]
        return noon + sign * min(near) if near else None

    times = SunTimes(when("dawn", -1), when("sunrise", -1), noon, when("sunset", 1), when("dusk", 1))
    for name, value in (("dawn", times.dawn_min), ("dusk", times.dusk_min)):
        note_step(Step(f"{name}_min", value, "min", f"{name}, from 00:00 UTC", source=MEEUS, kind="input"))
    return times


def light_spans(lon_deg: float, lat_deg: float, day: date, from_min: float, to_min: float) -> tuple[tuple[float, float], ...]:
    """Return while there is light for eyes, from civil dawn to civil dusk: minutes of the date as `SunTimes` counts them. [min]

    The time asked may begin and end on other dates; spans come in their order and do not touch.
    """
    return _spans(_observer(lon_deg, lat_deg), day, (from_min, to_min), ("dawn_min", "dusk_min"), _CIVIL_DEG)


def sun_spans(lon_deg: float, lat_deg: float, day: date, from_min: float, to_min: float) -> tuple[tuple[float, float], ...]:
    """Return while the sun is up, from sunrise to sunset, as `light_spans` does. [min]"""
    return _spans(_observer(lon_deg, lat_deg), day, (from_min, to_min), ("sunrise_min", "sunset_min"), _UP_DEG)


def _spans(
    at: Observer, day: date, asked: tuple[float, float], edges: tuple[str, str], least_deg: float
) -> tuple[tuple[float, float], ...]:
    found: list[tuple[float, float]] = []
    for days in range(math.floor(asked[0] / _DAY_MIN) - 1, math.floor(asked[1] / _DAY_MIN) + 2):
        date = day.fromordinal(day.toordinal() + days)
        times = sun_times(at.longitude, at.latitude, date)
        if _astral.elevation(at, _astral.noon(at, date=date)) < least_deg:
            continue
        first, last = (getattr(times, edge) for edge in edges)
        since = days * _DAY_MIN + (times.noon_min - _DAY_MIN / 2 if first is None else first)
        till = days * _DAY_MIN + (times.noon_min + _DAY_MIN / 2 if last is None else last)
        if found and since - found[-1][1] < _TOUCH_MIN:
            since = found.pop()[0]
        found.append((since, till))
    return tuple((max(a, asked[0]), min(b, asked[1])) for a, b in found if a < asked[1] and b > asked[0])


def _minute(at: datetime, day: date) -> float:
    return (at.date() - day).days * 1440 + at.hour * 60 + at.minute + at.second / 60


@dataclass(frozen=True, slots=True)
class SunAbove:
    """From when to when the sun stands so high, in minutes of the date as `SunTimes` counts them, and how high it comes. [min, °]"""

    from_min: float | None
    to_min: float | None
    highest_deg: float


def sun_above(lon_deg: float, lat_deg: float, day: date, least_deg: float) -> SunAbove:
    """Return while the sun stands at least so high around the solar noon of a date; None where it does not come so high."""
    noon = sun_times(lon_deg, lat_deg, day).noon_min
    heights = {m: sun_place(lon_deg, lat_deg, day, float(m))[0] for m in range(0, 1440, 2)}
    high = [noon + (m - noon + 720.0) % 1440.0 - 720.0 for m, h in heights.items() if h >= least_deg]
    return SunAbove(min(high, default=None), max(high, default=None), max(heights.values()))


@formula("shadow = height ÷ tan(height of the sun)", source=ALGEBRA, result="shadow_m")
def shadow_m(height_m: float, sun_deg: float) -> float:
    """Return the length of a shadow on level ground. [m]

    Examples
    --------
    >>> round(shadow_m(10.0, 45.0), 6)
    10.0
    """
    return height_m / math.tan(math.radians(sun_deg))


def sun_place(lon_deg: float, lat_deg: float, day: date, at_min: float) -> tuple[float, float]:
    """Return (height above the horizon with refraction, true bearing) of the sun at a minute of the date, 0 to 1440. [°]"""
    at = _observer(lon_deg, lat_deg)
    require_range(at_min, 0.0, 1439.99, "at_min", "Minute of the day", "min")
    noon = _astral.noon(at, date=day)
    moment = noon.replace(
        year=day.year, month=day.month, day=day.day, hour=int(at_min // 60), minute=int(at_min % 60), second=int(at_min * 60 % 60)
    )
    return float(_astral.elevation(at, moment)), float(_astral.azimuth(at, moment))
