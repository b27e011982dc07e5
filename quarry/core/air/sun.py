"""Sun and twilight of a date at a place. Minutes count from 00:00 UTC of the date and may fall outside it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING

from astral import Observer
from astral import sun as _astral

from quarry.core.base.errors import require_range
from quarry.core.base.sources import ALGEBRA, MEEUS
from quarry.core.base.working import Step, formula, note_step

if TYPE_CHECKING:
    from datetime import date


CIVIL_DEG = -6.0  # height of the sun at which civil twilight begins and ends
_UP_DEG = -0.833  # at which its upper edge touches the horizon
_HALF_DAY, _ONE = timedelta(hours=12), timedelta(minutes=2)


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


def light_spans(lon_deg: float, lat_deg: float, begins: datetime, ends: datetime) -> tuple[tuple[datetime, datetime], ...]:
    """Return while there is light for eyes between two moments, from civil dawn to civil dusk; in their order, in UTC."""
    return _spans(lon_deg, lat_deg, begins, ends, ("dawn_min", "dusk_min"), CIVIL_DEG)


def sun_spans(lon_deg: float, lat_deg: float, begins: datetime, ends: datetime) -> tuple[tuple[datetime, datetime], ...]:
    """Return while the sun is up between two moments, from sunrise to sunset; in their order, in UTC."""
    return _spans(lon_deg, lat_deg, begins, ends, ("sunrise_min", "sunset_min"), _UP_DEG)


def _spans(
    lon_deg: float, lat_deg: float, begins: datetime, ends: datetime, edges: tuple[str, str], least_deg: float
) -> tuple[tuple[datetime, datetime], ...]:
    begins, ends = begins.astimezone(UTC), ends.astimezone(UTC)
    at = _observer(lon_deg, lat_deg)
    found: list[tuple[datetime, datetime]] = []
    for days in range(-1, (ends.date() - begins.date()).days + 2):
        midnight = datetime.combine(begins.date() + timedelta(days=days), datetime.min.time(), UTC)
        times = sun_times(lon_deg, lat_deg, midnight.date())
        noon = midnight + timedelta(minutes=times.noon_min)
        if _astral.elevation(at, noon) < least_deg:
            continue
        first, last = (getattr(times, edge) for edge in edges)
        since = noon - _HALF_DAY if first is None else midnight + timedelta(minutes=first)
        till = noon + _HALF_DAY if last is None else midnight + timedelta(minutes=last)
        if found and since - found[-1][1] < _ONE:  # noon moves by half a minute from day to day
            since = found.pop()[0]
        found.append((since, till))
    return tuple((max(a, begins), min(b, ends)) for a, b in found if a < ends and b > begins)


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
