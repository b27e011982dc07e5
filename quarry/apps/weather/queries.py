"""Reading the weather: the forecast that is kept, and readings of the last hours near a place."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

from django.utils import timezone

from quarry.apps.weather import bridge
from quarry.apps.weather.models import Forecast, Reading

WeatherRefused = bridge.WeatherError
Plain = dict[str, Any]
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


def air_between(lon: float, lat: float, begins: datetime, hours: int) -> list[tuple[datetime, list[Any]]]:
    """Return for each hour from ``begins`` all that is known of its air."""
    now = timezone.now()
    forecast = forecast_of(lon, lat)
    readings = readings_near(lon, lat, begins - timedelta(hours=4), begins + timedelta(hours=hours))
    found = []
    for k in range(hours):
        at = begins + timedelta(hours=k)
        mine = [r for r in readings if at - timedelta(hours=4) <= r.at < at + bridge.HOUR]
        found.append((at, bridge.airs_of(at, now, forecast, mine)))
    return found


def planning_air(lon: float, lat: float, at: datetime, place: Plain, elevation_m: float) -> Plain | None:
    """Return the wind, temperature and density to plan a flight with, or None where no wind is known."""
    whole = at.astimezone(UTC).replace(minute=0, second=0, microsecond=0)
    airs = air_between(lon, lat, whole, 1)[0][1]
    return bridge.planning_air(airs, bridge.place_of(place["height_m"], place["cover"], 3.0), elevation_m)


def reading_dict(row: Reading) -> Plain:
    """Return a reading as plain data."""
    return {
        "id": str(row.pk),
        "at": row.at.isoformat(),
        "kind": row.kind,
        "figures": row.figures,
        "words": row.words,
        "who": (row.by.full_name or row.by.username) if row.by else "",
        "withdrawn": row.withdrawn_at is not None,
    }


def forecast_dict(row: Forecast | None, configured: bool) -> Plain:
    """Return how the weather desk stands: when its forecast was made, how old it is, what went wrong."""
    now = timezone.now()
    data = (row.data if row else None) or {}
    return {
        "configured": configured,
        "source": data.get("source", ""),
        "issued_at": row.issued_at.isoformat() if row and row.issued_at else None,
        "fetched_at": row.fetched_at.isoformat() if row and row.fetched_at else None,
        "age_s": (now - row.issued_at).total_seconds() if row and row.issued_at else None,
        "problem": row.problem if row else "",
        "notes": data.get("notes", []),
        "hours": len(data.get("hours", [])),
    }
