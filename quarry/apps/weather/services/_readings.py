"""What all services of readings share."""

from __future__ import annotations

from uuid import UUID

from quarry.apps.weather.fields import figures_of
from quarry.apps.weather.models import Reading


def key_taken(key: UUID | None) -> Reading | None:
    """Return the reading that came under this key before."""
    return Reading.objects.filter(key=key).first() if key else None


def label_of(row: Reading) -> str:
    """Return how the history names a reading."""
    f = figures_of(row)
    figures = ((f.gust_m_s, "m/s gust"), (f.wind_m_s, "m/s"), (f.air_c, "°C"))
    return ", ".join(f"{value:.1f} {unit}" for value, unit in figures if value is not None) or "reading"
