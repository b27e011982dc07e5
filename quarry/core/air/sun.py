"""Sun and twilight of a date at a place. Minutes count from 00:00 UTC of the date and may fall outside it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from astral import Observer
from astral import sun as _astral

from quarry.core.base.errors import require_range

if TYPE_CHECKING:
    from datetime import date, datetime


@dataclass(frozen=True, slots=True)
class SunTimes:
    """Civil dawn, sunrise, noon, sunset and civil dusk; None where the sun does not cross that line. [min]"""

    dawn_min: float | None
    sunrise_min: float | None
    noon_min: float
    sunset_min: float | None
    dusk_min: float | None

    @property
    def never_light(self) -> bool:
        """Whether there is no civil daylight that could be bounded by dawn and dusk."""
        return self.dawn_min is None or self.dusk_min is None


def _observer(lon_deg: float, lat_deg: float) -> Observer:
    require_range(lat_deg, -90.0, 90.0, "lat_deg", "Latitude", "°")
    require_range(lon_deg, -180.0, 180.0, "lon_deg", "Longitude", "°")
    return Observer(lat_deg, lon_deg)


def sun_times(lon_deg: float, lat_deg: float, day: date) -> SunTimes:
    """Return the times of the sun.

    Examples
    --------
    >>> from datetime import date
    >>> round(sun_times(0.0, 51.5, date(2026, 6, 21)).noon_min)
    722
    """
    at = _observer(lon_deg, lat_deg)

    def when(which: str) -> float | None:
        try:
            found: datetime = getattr(_astral, which)(at, date=day)
        except ValueError:
            return None
        return _minute(found, day)

    return SunTimes(when("dawn"), when("sunrise"), _minute(_astral.noon(at, date=day), day), when("sunset"), when("dusk"))


def _minute(at: datetime, day: date) -> float:
    return (at.date() - day).days * 1440 + at.hour * 60 + at.minute + at.second / 60


def sun_place(lon_deg: float, lat_deg: float, day: date, minute: float) -> tuple[float, float]:
    """Return (height above the horizon with refraction, true bearing) of the sun at a minute of the date, 0 to 1440. [°]"""
    at = _observer(lon_deg, lat_deg)
    require_range(minute, 0.0, 1439.99, "minute", "Minute of the day", "min")
    noon = _astral.noon(at, date=day)
    moment = noon.replace(
        year=day.year, month=day.month, day=day.day, hour=int(minute // 60), minute=int(minute % 60), second=int(minute * 60 % 60)
    )
    return float(_astral.elevation(at, moment)), float(_astral.azimuth(at, moment))
