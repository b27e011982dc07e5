"""Reading the fleet."""

from __future__ import annotations

from typing import Any, TypeVar
from uuid import UUID

from django.db.models import QuerySet

from quarry.apps.accounts.fields import Plain
from quarry.apps.fleet.fields import Learned
from quarry.apps.fleet.mappers import NOUNS
from quarry.apps.fleet.models import Calibration, Thing

T = TypeVar("T", bound=Thing)


def model_of(noun: str) -> type[Thing]:
    """Return what a noun of the fleet is kept as."""
    return NOUNS[noun]


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


def calibrations() -> QuerySet[Calibration]:
    """Return every calibration that was accepted, newest first."""
    return Calibration.objects.select_related("accepted_by", "rolled_back_by").order_by("-number")


def in_force(subject: str, thing_id: Any) -> Calibration | None:
    """Return the calibration of a thing that planning goes by: the newest that was not rolled back."""
    return calibrations().filter(subject=subject, thing_id=thing_id, rolled_back_at=None).first()


def calibrations_in_force() -> dict[tuple[str, UUID | None], Calibration]:
    """Return by subject and thing the calibration that planning goes by, all of them with one query."""
    return {(row.subject, row.thing_id): row for row in calibrations().filter(rolled_back_at=None).order_by("number")}


def swap_learned() -> Learned | None:
    """Return the calibration of the company's swaps, None where there is none."""
    row = in_force("swap", None)
    return learned_of(row) if row is not None else None


def learned_of(row: Calibration) -> Learned:
    """Return a calibration as it is kept with its thing."""
    return Learned(row.factor, row.number, row.figures.get("words", ""), row.figures.get("of", {}).get("of"))


_HIDDEN = {"id", "organisation", "version", "archived_at", "learnt", "added_at"}


def thing_dict(row: Thing) -> Plain:
    """Return the figures of a thing as plain data."""
    found: Plain = {}
    for f in row._meta.concrete_fields:
        if f.name in _HIDDEN:
            continue
        value = getattr(row, f.attname)
        found[f.attname] = str(value) if isinstance(value, UUID) or hasattr(value, "isoformat") else value
    return found
