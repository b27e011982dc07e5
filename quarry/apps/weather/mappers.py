"""Stored forecasts and readings to the core's air of an hour, and reports decoded."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, date, datetime, timedelta

from quarry.apps.weather.fields import RANGES, AirFigures, ForecastData, ForecastHour, figures_of
from quarry.apps.weather.models import Reading
from quarry.apps.weather.views import HourDrawn, HourWind, LayerOut, PlanningAir, ReportTold, SunOut
from quarry.core.air.aloft import Level, cover_of
from quarry.core.air.metar import Report, read_metar
from quarry.core.air.sun import sun_place, sun_times
from quarry.core.base.errors import CoreError, OutOfRange, require_range
from quarry.core.limits.hourly_conditions import HourAir, Place, density_of, hour_readings, wind_at
from quarry.core.limits.verdict import Reading as Known

WeatherError = CoreError
__all__ = ["HourAir"]
NO_CEILING_M = 6000.0
HOUR = timedelta(hours=1)


def check_figures(figures: AirFigures) -> AirFigures:
    """Return the figures of a reading; raises `WeatherError` at the one that cannot be."""
    for key, allowed in RANGES.items():
        value = getattr(figures, key)
        if value is not None:
            require_range(value, allowed.low, allowed.high, key, allowed.words, allowed.unit)
    if figures.gust_m_s is not None and figures.wind_m_s is not None and figures.gust_m_s < figures.wind_m_s:
        raise OutOfRange("The gust lies below the mean wind. Check both figures.", "gust_m_s")
    if figures.dew_point_c is not None and figures.air_c is not None and figures.dew_point_c > figures.air_c:
        raise OutOfRange("The dew point lies above the air temperature. Check both figures.", "dew_point_c")
    return figures


def decode(text: str, now: datetime) -> tuple[datetime, AirFigures, Report]:
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


def _figures_of(r: Report) -> AirFigures:
    return AirFigures(
        wind_m_s=r.wind_m_s,
        gust_m_s=r.gust_m_s,
        from_deg=r.from_deg,
        height_m=10.0 if r.wind_m_s is not None else None,
        air_c=r.air_c,
        dew_point_c=r.dew_point_c,
        visibility_m=r.visibility_m,
        ceiling_m=r.ceiling_m if r.ceiling_m is not None else (None if "cloud" in r.lacks else NO_CEILING_M),
        rain_mm_h=1.0 if r.rain else 0.0,
        snow_mm_h=1.0 if r.snow else 0.0,
        # A person who observes reports thunder; an automatic station may not see it.
        thunder=r.thunder if r.thunder or not r.automatic else None,
    )


def to_report(r: Report) -> ReportTold:
    """Return what a decoded report says beyond its figures."""
    return ReportTold(
        station=r.station,
        lacks=list(r.lacks),
        unread=list(r.unread),
        weather=r.weather,
        sky=[LayerOut(amount=x.amount, base_m=x.base_m, kind=x.kind) for x in r.layers],
        qnh_hpa=r.qnh_hpa,
        varies_deg=r.varies_deg,
    )


def _levels(f: AirFigures) -> tuple[Level, ...]:
    wind = f.wind_m_s if f.wind_m_s is not None else f.gust_m_s
    return () if wind is None else (Level(f.height_m or 2.0, wind, f.from_deg or 0.0, f.gust_m_s),)


def forecast_air(hour: ForecastHour, age_s: float, words: str) -> HourAir:
    """Return an hour of a forecast as the core's."""
    return HourAir(
        "forecast",
        words,
        age_s,
        tuple(Level(x.height_m, x.wind_m_s, x.from_deg, x.gust_m_s) for x in hour.levels),
        hour.air_c,
        hour.dew_point_c,
        hour.pressure_hpa,
        hour.rain_mm_h,
        hour.snow_mm_h,
        hour.visibility_m,
        hour.cloud_base_m,
        hour.thunder,
    )


def reading_air(row: Reading, age_s: float) -> HourAir:
    """Return a reading as the core's."""
    f = figures_of(row)
    words = {"measured": "measured on site", "report": "report of a station", "entered": "entered"}[row.kind]
    return HourAir(
        "measured" if row.kind == "measured" else "entered",
        f"{words} at {row.at:%H:%M} UTC",
        age_s,
        _levels(f),
        f.air_c,
        f.dew_point_c,
        f.pressure_hpa,
        f.rain_mm_h,
        f.snow_mm_h,
        f.visibility_m,
        f.ceiling_m,
        f.thunder,
    )


def airs_of(at: datetime, now: datetime, forecast: ForecastData | None, readings: Iterable[Reading]) -> list[HourAir]:
    """Return all that is known of the hour that begins at ``at``."""
    found = []
    hour = next((h for h in forecast.hours if h.at <= at < h.at + HOUR), None) if forecast is not None else None
    if hour is not None and forecast is not None:
        age = max(0.0, (now - forecast.issued_at).total_seconds())
        found.append(forecast_air(hour, age, f"forecast made {forecast.issued_at:%H:%M} UTC"))
    for r in readings:
        if r.at < at + HOUR:
            found.append(reading_air(r, max(0.0, (at - r.at).total_seconds())))
    return found


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


def sun_of(day: date, lon: float, lat: float) -> SunOut:
    """Return the times of the sun of a date as minutes from 00:00 UTC."""
    t = sun_times(lon, lat, day)
    return SunOut(dawn=t.dawn_min, sunrise=t.sunrise_min, noon=t.noon_min, sunset=t.sunset_min, dusk=t.dusk_min)


def drawn(airs: list[HourAir], place: Place) -> HourDrawn:
    """Return the wind and air of an hour as the weather window draws it: what was forecast and what was measured."""
    forecast = next((a for a in reversed(airs) if a.origin == "forecast"), None)
    measured = [_wind(a, place, a.age_s) for a in airs if a.origin != "forecast"]
    return HourDrawn(_wind(forecast, place, None) if forecast is not None else None, measured)


def _wind(air: HourAir, place: Place, age_s: float | None) -> HourWind:
    wind = wind_at(air, place, place.height_m)
    return HourWind(
        wind_m_s=wind.wind_m_s if wind else None,
        gust_m_s=wind.gust_m_s if wind else None,
        gust_assumed=wind.gust_assumed if wind else False,
        from_deg=wind.from_deg if wind else None,
        air_c=air.air_c,
        dew_point_c=air.dew_point_c,
        words=air.words,
        age_s=age_s,
    )


def planning_air(airs: list[HourAir], place: Place, elevation_m: float, at: datetime) -> PlanningAir | None:
    """Return the wind and density to plan with, a fresh measurement before a forecast; None where no wind is known."""
    order = {"measured": 0, "entered": 1, "computed": 2, "forecast": 3}
    for air in sorted(airs, key=lambda a: (order[a.origin], a.age_s)):
        wind = wind_at(air, place, place.height_m)
        if wind is None:
            continue
        warmest_known = next((a for a in sorted(airs, key=lambda a: order[a.origin]) if a.air_c is not None), air)
        return PlanningAir(
            speed_m_s=wind.wind_m_s,
            from_deg=wind.from_deg,
            gust_m_s=wind.gust_m_s,
            air_c=warmest_known.air_c,
            density_kg_m3=density_of(warmest_known, elevation_m),
            words=air.words,
            origin=air.origin,
            at=at,
        )
    return None
