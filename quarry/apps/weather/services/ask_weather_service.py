from __future__ import annotations

from datetime import timedelta

from django.conf import settings
from django.utils import timezone

from quarry.apps.accounts.models import Organisation
from quarry.apps.weather.fields import forecast_json
from quarry.apps.weather.formats.forecast import BadForecast, read_forecast
from quarry.apps.weather.models import Forecast
from quarry.apps.weather.queries import forecast_of, net
from quarry.apps.weather.source import SourceSilent, WeatherSource, source


def ask_weather_service(
    *, organisation: Organisation, lon: float, lat: float, again: bool = False, by: WeatherSource | None = None
) -> Forecast | None:
    """Return the forecast of a place, asked anew when it is no longer fresh; what was known before stays if that fails.

    A silent service is left alone for a minute, so that nobody waits for it at every click.
    """
    kept, now = forecast_of(lon, lat), timezone.now()
    service = by or source()
    if service is None:
        return kept
    if kept is not None and not again:
        fresh = kept.fetched_at is not None and now - kept.fetched_at < timedelta(seconds=settings.WEATHER_FRESH_S)
        if fresh or now - kept.tried_at < timedelta(seconds=settings.WEATHER_RETRY_S):
            return kept
    try:
        found = read_forecast(service.hourly(net(lon), net(lat)), now)
        news = {"data": forecast_json(found), "issued_at": found.issued_at, "fetched_at": now, "tried_at": now, "problem": ""}
    except (SourceSilent, BadForecast) as bad:
        news = {"tried_at": now, "problem": str(bad)[:200]}
    row, _made = Forecast.objects.update_or_create(organisation=organisation, lon=net(lon), lat=net(lat), defaults=news)
    return row
