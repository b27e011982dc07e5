"""Reading the weather: the forecast that is kept, and readings of the last hours near a place."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import cast

from django.utils import timezone

from quarry.apps.weather import mappers
from quarry.apps.weather.fields import forecast_of_row
from quarry.apps.weather.mappers import HourAir
from quarry.apps.weather.models import Forecast, Reading
from quarry.apps.weather.views import PlanningAir, ReadingKind, ReadingOut, WeatherServiceOut

WeatherRefused = mappers.WeatherError
NEAR_DEG = 0.25


def net(value: float) -> float:
    """Return a coordinate on the net of a hundredth of a degree on which forecasts are kept."""
    return round(value, 2)


def forecast_of(lon: float, lat: float) -> Forecast | None:
    """Return the forecast that is kept for a place, without asking for a new one."""
    return Forecast.objects.filter(lon=net(lon), lat=net(lat)).first()


def readings_near(lon: float, lat: float, since: datetime, until: datetime) -> list[Reading]:
    """Return the readings near a place that were not withdrawn, newest first."""
    rows = Reading.objects.filter(withdrawn_at=None, at__gte=since, at__lt=until, archived_at=None)
    rows = rows.filter(lon__range=(lon - NEAR_DEG, lon + NEAR_DEG), lat__range=(lat - NEAR_DEG, lat + NEAR_DEG))
    return list(rows.select_related("by")[:500])


def air_between(lon: float, lat: float, begins: datetime, hours: int) -> list[tuple[datetime, list[HourAir]]]:
    """Return for each hour from ``begins`` all that is known of its air."""
    now = timezone.now()
    forecast = forecast_of_row(forecast_of(lon, lat))
    readings = readings_near(lon, lat, begins - timedelta(hours=4), begins + timedelta(hours=hours))
    found = []
    for k in range(hours):
        at = begins + timedelta(hours=k)
        mine = [r for r in readings if at - timedelta(hours=4) <= r.at < at + mappers.HOUR]
        found.append((at, mappers.airs_of(at, now, forecast, mine)))
    return found


def planning_air(lon: float, lat: float, at: datetime, height_m: float, cover: str, elevation_m: float) -> PlanningAir | None:
    """Return the wind, temperature and density to plan a flight with, or None where no wind is known."""
    whole = at.astimezone(UTC).replace(minute=0, second=0, microsecond=0)
    airs = air_between(lon, lat, whole, 1)[0][1]
    return mappers.planning_air(airs, mappers.place_of(height_m, cover, 3.0), elevation_m, at)


def reading_view(row: Reading) -> ReadingOut:
    """Return a reading as screens show it."""
    return ReadingOut(
        id=row.pk,
        at=row.at,
        kind=cast(ReadingKind, row.kind),
        figures=row.figures,
        words=row.words,
        who=(row.by.full_name or row.by.username) if row.by else "",
        withdrawn=row.withdrawn_at is not None,
    )


def forecast_view(row: Forecast | None, configured: bool) -> WeatherServiceOut:
    """Return how the weather service stands: when its forecast was made, how old it is, what went wrong."""
    data = forecast_of_row(row)
    return WeatherServiceOut(
        configured=configured,
        source=data.source if data else "",
        issued_at=row.issued_at if row else None,
        fetched_at=row.fetched_at if row else None,
        age_s=(timezone.now() - row.issued_at).total_seconds() if row and row.issued_at else None,
        problem=row.problem if row else "",
        notes=data.notes if data else [],
        hours=len(data.hours) if data else 0,
    )
