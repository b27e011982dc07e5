"""While the sun stands high enough for the pictures of a job."""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta

from quarry.apps.jobs.fields import JobFields
from quarry.apps.jobs.views import LightOut
from quarry.core.air.sun import shadow_m, sun_above
from quarry.core.base.errors import MissingInput

_LEAST_DEG = 0.5


def sun_of(f: JobFields, on: date, least_deg: float) -> LightOut:
    """Return while the sun stands so high at a job on a date; raises `PlanError` where the job has no place yet."""
    if f.place is None:
        raise MissingInput("Set home first: the sun is reckoned there.", "home")
    found = sun_above(*f.place, on, least_deg)
    midnight = datetime.combine(on, time(), UTC)

    def at(minute: float | None) -> datetime | None:
        return None if minute is None else midnight + timedelta(minutes=minute)

    shadow = shadow_m(1.0, max(_LEAST_DEG, least_deg))
    return LightOut(least_deg, found.highest_deg, at(found.from_min), at(found.to_min), shadow)
