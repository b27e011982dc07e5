from __future__ import annotations

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.weather.models import Reading
from quarry.apps.weather.queries import net
from quarry.apps.weather.services.add_report import add_report
from quarry.apps.weather.source import SourceSilent, WeatherSource, source
from quarry.apps.weather.views import ReportTold


def report_from_service(*, actor: User, lon: float, lat: float, by: WeatherSource | None = None) -> tuple[Reading, ReportTold]:
    """Ask the service for the newest report near by and keep it."""
    service = by or source()
    if service is None:
        raise DomainError("missing", "No weather service is set up. Paste a report instead.", "metar")
    try:
        text = service.report(net(lon), net(lat))
    except SourceSilent as bad:
        raise DomainError("silent", f"{bad} Paste a report, or enter what you measure.", "metar") from bad
    return add_report(actor=actor, lon=lon, lat=lat, text=text)
