"""Samples of a flight for a screen and for others."""

from __future__ import annotations

from uuid import UUID

from quarry.apps.accounts.errors import DomainError
from quarry.apps.logbook.formats.samples import series_from
from quarry.apps.logbook.models import Flight, FlightSamples
from quarry.apps.logbook.views import SeriesOut

_OVERVIEW_FRAC = 0.5  # a stretch this long of a flight is drawn from the overview


def series_of(flight_id: UUID, from_s: float | None, to_s: float | None, points: int) -> SeriesOut:
    """Return the series of a flight between two times, thinned to about ``points`` without losing a peak."""
    row = FlightSamples.objects.filter(flight_id=flight_id).select_related("flight").defer("data", "overview").first()
    if row is None:
        raise _missing(flight_id)
    whole = row.flight.length_s
    begins, ends = max(0.0, from_s or 0.0), min(whole, to_s if to_s is not None else whole)
    if begins >= ends:
        raise DomainError("invalid", "The stretch ends before it begins.", "to_s")
    column = "overview" if ends - begins > _OVERVIEW_FRAC * whole else "data"
    data = FlightSamples.objects.filter(flight_id=flight_id).values_list(column, flat=True)[0]
    time_s, series = series_from(bytes(data), begins, ends, points)
    return SeriesOut(time_s=time_s, series=series, rows=row.rows, whole_s=whole)


def parquet_of(flight_id: UUID) -> bytes:
    """Return all samples of a flight as they are kept."""
    data = FlightSamples.objects.filter(flight_id=flight_id).values_list("data", flat=True).first()
    if data is None:
        raise _missing(flight_id)
    return bytes(data)


def _missing(flight_id: UUID) -> DomainError:
    if Flight.objects.filter(pk=flight_id).exists():
        return DomainError("let_go", "The samples of this flight are no longer kept: your company lets them go after a time.")
    return DomainError("not_found", "There is no such flight in your logbook.")
