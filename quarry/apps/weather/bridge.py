"""Stored forecasts and readings to the core's air of an hour, and reports decoded."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, datetime, timedelta
from typing import Any

from quarry.apps.weather.models import Forecast, Reading
from quarry.core.air.aloft import COVERS, Level, cover_of
from quarry.core.air.metar import Report, read_metar
from quarry.core.air.sun import sun_place, sun_times
from quarry.core.base.errors import CoreError, OutOfRange, require_range
from quarry.core.limits.hourly_conditions import HourAir, Place, density_of, hour_readings, wind_at
from quarry.core.limits.verdict import Reading as Known

WeatherError = CoreError
Plain = dict[str, Any]
NO_CEILING_M = 6000.0
HOUR = timedelta(hours=1)
_LIMITS = {
    "wind_m_s": (0.0, 60.0, "Mean wind", "m/s"),
    "gust_m_s": (0.0, 90.0, "Gust", "m/s"),
    "from_deg": (0.0, 360.0, "Wind from", "°"),
    "height_m": (0.5, 500.0, "Height of the reading", "m"),
    "air_c": (-60.0, 60.0, "Air temperature", "°C"),
    "dew_point_c": (-70.0, 40.0, "Dew point", "°C"),
    "pressure_hpa": (500.0, 1090.0, "Pressure", "hPa"),
    "rain_mm_h": (0.0, 300.0, "Rain", "mm/h"),
    "snow_mm_h": (0.0, 100.0, "Snow", "mm/h"),
    "visibility_m": (0.0, 100_000.0, "Visibility", "m"),
    "ceiling_m": (0.0, 20_000.0, "Cloud base", "m"),
}


def check_figures(figures: Plain) -> Plain:
    """Return the figures of a reading, empty ones left out; raises `WeatherError` at the one that cannot be."""
    found: Plain = {}
    for key, (low, high, words, unit) in _LIMITS.items():
        value = figures.get(key)
        if value is not None:
            found[key] = require_range(float(value), low, high, key, words, unit)
    if figures.get("thunder"):
        found["thunder"] = True
    if "gust_m_s" in found and "wind_m_s" in found and found["gust_m_s"] < found["wind_m_s"]:
        raise OutOfRange("The gust lies below the mean wind. Check both figures.", "gust_m_s")
    if "dew_point_c" in found and "air_c" in found and found["dew_point_c"] > found["air_c"]:
        raise OutOfRange("The dew point lies above the air temperature. Check both figures.", "dew_point_c")
    return found


def decode(text: str, now: datetime) -> tuple[datetime, Plain, Report]:
    """Return (when, figures, report) of a METAR; it carries no month, so the newest day before tomorrow is taken."""
    for back in (0, 1):
        month = (now.replace(day=1) - timedelta(days=1)) if back else now
        report = read_metar(text, year=month.year, month=month.month)
        try:
            at = datetime(month.year, month.month, report.day, report.hour, report.minute, tzinfo=UTC)
        except ValueError:
            continue
        if at <= now + timedelta(hours=1):
            return at, _figures_of(report), report
    raise OutOfRange("The report's day lies ahead. Check its time.", "metar")


def _figures_of(r: Report) -> Plain:
    found: Plain = {
        "wind_m_s": r.wind_m_s,
        "gust_m_s": r.gust_m_s,
        "from_deg": r.from_deg,
        "height_m": 10.0 if r.wind_m_s is not None else None,
        "air_c": r.air_c,
        "dew_point_c": r.dew_point_c,
        "visibility_m": r.visibility_m,
        "ceiling_m": r.ceiling_m if r.ceiling_m is not None else (None if "cloud" in r.lacks else NO_CEILING_M),
        "rain_mm_h": 1.0 if r.rain else 0.0,
        "snow_mm_h": 1.0 if r.snow else 0.0,
    }
    # A person who observes reports thunder; an automatic station may not see it.
    thunder = {"thunder": r.thunder} if r.thunder or not r.automatic else {}
    return {k: v for k, v in found.items() if v is not None} | thunder


def report_dict(r: Report) -> Plain:
    """Return a decoded report as plain data."""
    return {
        "station": r.station,
        "lacks": list(r.lacks),
        "unread": list(r.unread),
        "weather": r.weather,
        "sky": [{"amount": x.amount, "base_m": x.base_m, "kind": x.kind} for x in r.layers],
        "qnh_hpa": r.qnh_hpa,
        "varies_deg": list(r.varies_deg) if r.varies_deg else None,
    }


def _levels(figures: Plain) -> tuple[Level, ...]:
    wind = figures.get("wind_m_s", figures.get("gust_m_s"))
    if wind is None:
        return ()
    return (Level(figures.get("height_m") or 2.0, wind, figures.get("from_deg") or 0.0, figures.get("gust_m_s")),)


def forecast_air(hour: Plain, age_s: float, words: str) -> HourAir:
    """Return an hour of a forecast as the core's."""
    levels = tuple(Level(x["height_m"], x["wind_m_s"], x["from_deg"], x["gust_m_s"]) for x in hour["levels"])
    return HourAir(
        "forecast",
        words,
        age_s,
        levels,
        hour["air_c"],
        hour["dew_point_c"],
        hour["pressure_hpa"],
        hour["rain_mm_h"],
        hour["snow_mm_h"],
        hour["visibility_m"],
        hour["cloud_base_m"],
        hour["thunder"],
    )


def reading_air(row: Reading, age_s: float) -> HourAir:
    """Return a reading as the core's."""
    f = row.figures
    words = {"measured": "measured on site", "report": "report of a station", "entered": "entered"}[row.kind]
    return HourAir(
        "measured" if row.kind == "measured" else "entered",
        f"{words} at {row.at:%H:%M} UTC",
        age_s,
        _levels(f),
        f.get("air_c"),
        f.get("dew_point_c"),
        f.get("pressure_hpa"),
        f.get("rain_mm_h"),
        f.get("snow_mm_h"),
        f.get("visibility_m"),
        f.get("ceiling_m"),
        f.get("thunder"),
    )


def airs_of(at: datetime, now: datetime, forecast: Forecast | None, readings: Iterable[Reading]) -> list[HourAir]:
    """Return all that is known of the hour that begins at ``at``."""
    found = []
    hour = hour_of(forecast, at)
    if hour is not None and forecast is not None and forecast.issued_at is not None:
        age = max(0.0, (now - forecast.issued_at).total_seconds())
        found.append(forecast_air(hour, age, f"forecast made {forecast.issued_at:%H:%M} UTC"))
    for r in readings:
        if r.at < at + HOUR:
            found.append(reading_air(r, max(0.0, (at - r.at).total_seconds())))
    return found


def hour_of(forecast: Forecast | None, at: datetime) -> Plain | None:
    """Return the hour of a forecast in which a moment lies."""
    for hour in (forecast.data or {}).get("hours", []) if forecast is not None else []:
        begins = datetime.fromisoformat(hour["at"])
        if begins <= at < begins + HOUR:
            return dict(hour)
    return None


def place_of(height_m: float, cover: str, nozzle_m: float) -> Place:
    """Return where it is flown as the core's."""
    return Place(height_m, cover_of(cover), nozzle_m)


def known_at(at: datetime, airs: list[HourAir], place: Place, lon: float, lat: float) -> dict[str, list[Known]]:
    """Return by quantity what is known of an hour at a place."""
    return hour_readings(airs, place, lowest_sun_deg(at, lon, lat))


def lowest_sun_deg(at: datetime, lon: float, lat: float) -> float:
    """Return the lowest height of the sun in the hour from a moment. [°]"""
    found = []
    for moment in (at, at + HOUR - timedelta(minutes=1)):
        utc = moment.astimezone(UTC)
        found.append(sun_place(lon, lat, utc.date(), utc.hour * 60.0 + utc.minute)[0])
    return min(found)


def sun_of(day: Any, lon: float, lat: float) -> Plain:
    """Return the times of the sun of a date as minutes from 00:00 UTC."""
    t = sun_times(lon, lat, day)
    return {"dawn": t.dawn_min, "sunrise": t.sunrise_min, "noon": t.noon_min, "sunset": t.sunset_min, "dusk": t.dusk_min}


def drawn(airs: list[HourAir], place: Place) -> Plain:
    """Return the wind and air of an hour as the gate draws it: what was forecast and what was measured."""
    told: Plain = {"forecast": None, "measured": []}
    for air in airs:
        wind = wind_at(air, place, place.height_m)
        figures = {
            "wind_m_s": wind.wind_m_s if wind else None,
            "gust_m_s": wind.gust_m_s if wind else None,
            "gust_assumed": wind.gust_assumed if wind else False,
            "from_deg": wind.from_deg if wind else None,
            "air_c": air.air_c,
            "dew_point_c": air.dew_point_c,
            "words": air.words,
        }
        if air.origin == "forecast":
            told["forecast"] = figures
        else:
            told["measured"].append(figures | {"age_s": air.age_s})
    return told


def planning_air(airs: list[HourAir], place: Place, elevation_m: float) -> Plain | None:
    """Return the wind and density to plan with, a fresh measurement before a forecast; None where no wind is known."""
    order = {"measured": 0, "entered": 1, "computed": 2, "forecast": 3}
    for air in sorted(airs, key=lambda a: (order[a.origin], a.age_s)):
        wind = wind_at(air, place, place.height_m)
        if wind is None:
            continue
        told = next((a for a in sorted(airs, key=lambda a: order[a.origin]) if a.air_c is not None), air)
        return {
            "speed_m_s": wind.wind_m_s,
            "from_deg": wind.from_deg,
            "gust_m_s": wind.gust_m_s,
            "air_c": told.air_c,
            "density_kg_m3": density_of(told, elevation_m),
            "words": air.words,
            "origin": air.origin,
        }
    return None


def covers() -> list[Plain]:
    """Return the kinds of ground cover to choose from."""
    return [{"key": c.key, "words": c.words} for c in COVERS.values()]
