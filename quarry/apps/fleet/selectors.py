"""Reading the fleet."""

from __future__ import annotations

from typing import TypeVar

from django.db.models import QuerySet

from quarry.apps.fleet.models import (
    Aircraft,
    AircraftModel,
    Camera,
    Charger,
    ChargerModel,
    Pack,
    PackModel,
    Supply,
    SupplyModel,
    Thing,
)

T = TypeVar("T", bound=Thing)
NOUNS: dict[str, type[Thing]] = {
    "cameras": Camera,
    "pack-models": PackModel,
    "aircraft-models": AircraftModel,
    "charger-models": ChargerModel,
    "supply-models": SupplyModel,
    "aircraft": Aircraft,
    "packs": Pack,
    "chargers": Charger,
    "supplies": Supply,
}


def things(model: type[T], *, archived: bool = False) -> QuerySet[T]:
    """Return all things of a kind in the organisation of the scope."""
    rows = model.objects.all()
    if not archived:
        rows = rows.filter(archived_at__isnull=True)
    if any(f.name == "model" for f in model._meta.get_fields()):
        rows = rows.select_related("model")
    return rows.order_by("name")


def fleet(*, archived: bool = False) -> dict[str, list[Thing]]:
    """Return the whole fleet by noun."""
    return {noun: list(things(model, archived=archived)) for noun, model in NOUNS.items()}
