"""What all services of the fleet share: rights, figures, checks, locks."""

from __future__ import annotations

from uuid import UUID

from django.core.exceptions import ObjectDoesNotExist, ValidationError
from django.db import models

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.fields import Entered
from quarry.apps.fleet import mappers
from quarry.apps.fleet.models import Pack, Thing


def right_to_write(model: type[Thing]) -> str:
    """Return the right that changing such a thing takes."""
    return "packs:write" if model is Pack else "fleet:write"


def fill(row: Thing, figures: Entered) -> None:
    """Put figures into the row of a thing; what it names must exist."""
    for name, value in figures.items():
        field = row._meta.get_field(name.removesuffix("_id") if name.endswith("_id") else name)
        if isinstance(field, models.ForeignKey) and value is not None:
            related = field.related_model
            try:
                value = related._default_manager.get(pk=value)  # noqa: PLW2901 - the row itself is stored
            except ObjectDoesNotExist as none:
                raise DomainError("not_found", "Choose one that exists.", name) from none
            setattr(row, field.name, value)
        else:
            setattr(row, name, value)


def check_thing(row: Thing) -> None:
    """Refuse a thing whose figures cannot be, or whose name is taken."""
    try:
        row.full_clean(exclude=["organisation"])
    except ValidationError as bad:
        field, messages = next(iter(bad.message_dict.items()))
        raise DomainError("invalid", " ".join(messages), field) from bad
    try:
        mappers.check(row)
    except mappers.FleetError as wrong:
        raise DomainError(wrong.code, wrong.message, wrong.field) from wrong
    twin = type(row).objects.filter(name__iexact=row.name, archived_at__isnull=True).exclude(pk=row.pk)
    if twin.exists():
        raise DomainError("taken", f"There is already one called {row.name}. Choose another name.", "name")


def locked_thing(model: type[Thing], thing_id: UUID) -> Thing:
    """Return a thing, locked."""
    try:
        return model.objects.select_for_update().get(pk=thing_id)
    except model.DoesNotExist as none:
        raise DomainError("not_found", "There is no such thing in your fleet.") from none
