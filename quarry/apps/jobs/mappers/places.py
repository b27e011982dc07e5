"""A place as a person writes it."""

from __future__ import annotations

from quarry.apps.jobs.views import PlaceRead
from quarry.core.ground.coordinates import read_place


def place_from(text: str) -> PlaceRead:
    """Return the place that a text means; raises with what to write where it means none."""
    found = read_place(text)
    return PlaceRead((found.lon_deg, found.lat_deg), found.form)
