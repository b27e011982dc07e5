"""Where forecasts come from: one interface, and the adapter that asks over HTTP. A real service needs one such class."""

from __future__ import annotations

from typing import Protocol
from urllib.error import URLError
from urllib.parse import urlencode, urlsplit
from urllib.request import HTTPRedirectHandler, build_opener

from django.conf import settings

MOST_BYTES = 2_000_000


class SourceSilent(Exception):
    """The source does not answer, or not in time; the message is for people."""


class WeatherSource(Protocol):
    """Gives the raw forecast and the newest report for a place."""

    def hourly(self, lon: float, lat: float) -> bytes:
        """Return the forecast as JSON; raises `SourceSilent`."""
        ...

    def report(self, lon: float, lat: float) -> str:
        """Return the newest METAR near by, or nothing; raises `SourceSilent`."""
        ...


class _NoRedirect(HTTPRedirectHandler):
    def redirect_request(self, *_args: object, **_more: object) -> None:
        """Follow nothing: the address in the settings is the only one asked."""


class HttpWeatherService:
    """Asks a service that speaks our form at the address in the settings."""

    def __init__(self, url: str, wait_s: float) -> None:
        self.url, self.wait_s = url.rstrip("/"), wait_s
        self._open = build_opener(_NoRedirect)

    def _get(self, path: str, lon: float, lat: float) -> bytes:
        try:
            with self._open.open(f"{self.url}/{path}?{urlencode({'lon': lon, 'lat': lat})}", timeout=self.wait_s) as answer:
                data = answer.read(MOST_BYTES + 1)
        except (URLError, OSError, ValueError) as bad:
            raise SourceSilent("The weather service does not answer.") from bad
        if len(data) > MOST_BYTES:
            raise SourceSilent("The weather service sends more than can be a forecast.")
        return bytes(data)

    def hourly(self, lon: float, lat: float) -> bytes:
        """Return the forecast as JSON."""
        return self._get("hourly", lon, lat)

    def report(self, lon: float, lat: float) -> str:
        """Return the newest METAR near by."""
        return self._get("report", lon, lat).decode("ascii", "replace").strip()


def source() -> WeatherSource | None:
    """Return the source named in the settings, or None: then the weather is entered by hand."""
    if not settings.WEATHER_URL or urlsplit(settings.WEATHER_URL).scheme not in ("http", "https"):
        return None
    return HttpWeatherService(settings.WEATHER_URL, settings.WEATHER_WAIT_S)
