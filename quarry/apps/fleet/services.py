"""Writing the fleet: add, change, archive, restore; every change is checked and goes into the history."""

from __future__ import annotations

from uuid import UUID

from django.core.exceptions import ObjectDoesNotExist, ValidationError
from django.db import models, transaction
from django.utils import timezone

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services import DomainError, Entered, Plain, check_version, record
from quarry.apps.fleet import mappers
from quarry.apps.fleet.models import Pack, Thing

_HIDDEN = {"id", "organisation", "version", "archived_at", "learnt"}


def thing_dict(row: Thing) -> Plain:
    """Return the figures of a thing as plain data."""
    found: Plain = {}
    for f in row._meta.concrete_fields:
        if f.name in _HIDDEN:
            continue
        value = getattr(row, f.attname)
        found[f.attname] = str(value) if isinstance(value, UUID) or hasattr(value, "isoformat") else value
    return found


def _right(model: type[Thing]) -> str:
    return "packs:write" if model is Pack else "fleet:write"


def _fill(row: Thing, figures: Entered) -> None:
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


def _check(row: Thing) -> None:
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


@transaction.atomic
def add_thing(*, actor: User, model: type[Thing], figures: Entered) -> Thing:
    """Add a thing to the fleet."""
    require(actor, _right(model))
    row = model(organisation=actor.organisation)
    _fill(row, figures)
    _check(row)
    row.save()
    kind = model._meta.model_name or ""
    record(
        actor=actor,
        action=f"{kind}.added",
        row=row,
        label=row.name,
        after=thing_dict(row),
    )
    return row


@transaction.atomic
def change_thing(*, actor: User, model: type[Thing], thing_id: UUID, version: int, figures: Entered) -> Thing:
    """Change the figures of a thing."""
    require(actor, _right(model))
    row = _locked(model, thing_id)
    before = thing_dict(row)
    check_version(row, version, before)
    _fill(row, figures)
    _check(row)
    row.version += 1
    row.save()
    kind = model._meta.model_name or ""
    record(
        actor=actor,
        action=f"{kind}.changed",
        row=row,
        label=row.name,
        before=before,
        after=thing_dict(row),
    )
    return row


@transaction.atomic
def set_archived(*, actor: User, model: type[Thing], thing_id: UUID, archived: bool) -> Thing:
    """Put a thing away or bring it back; nothing is ever deleted."""
    require(actor, "packs:retire" if model is Pack else "fleet:write")
    row = _locked(model, thing_id)
    row.archived_at = timezone.now() if archived else None
    if not archived:
        _check(row)
    row.version += 1
    row.save()
    kind = model._meta.model_name or ""
    action = f"{kind}.archived" if archived else f"{kind}.restored"
    record(actor=actor, action=action, row=row, label=row.name)
    return row


def _locked(model: type[Thing], thing_id: UUID) -> Thing:
    try:
        return model.objects.select_for_update().get(pk=thing_id)
    except model.DoesNotExist as none:
        raise DomainError("not_found", "There is no such thing in your fleet.") from none
