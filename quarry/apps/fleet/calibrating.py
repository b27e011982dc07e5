"""Accepting calibrations and rolling them back; what is in force stands with the thing, so that plans are made anew."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from uuid import UUID

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from quarry.apps.accounts.models import Organisation, User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services import DomainError, record
from quarry.apps.fleet.fields import learned_kept
from quarry.apps.fleet.models import Aircraft, AircraftModel, Calibration, Pack
from quarry.apps.fleet.queries import in_force, learned_of

_THINGS: dict[str, type[Aircraft] | type[AircraftModel] | type[Pack]] = {
    "aircraft": Aircraft,
    "aircraft model": AircraftModel,
    "pack": Pack,
}


@transaction.atomic
def accept_calibration(
    *, actor: User, subject: str, thing: str, thing_id: UUID | None, label: str, factor: float, figures: Mapping[str, Any]
) -> Calibration:
    """Put a factor into force; the one before it rests and comes back when this one is rolled back."""
    require(actor, "calibrations:accept")
    Organisation.objects.select_for_update().get(pk=actor.organisation_id)  # numbers are given one after the other
    before = in_force(subject, thing_id)
    number = (Calibration.objects.aggregate(n=Max("number"))["n"] or 0) + 1
    row = Calibration.objects.create(
        organisation=actor.organisation,
        number=number,
        subject=subject,
        thing=thing,
        thing_id=thing_id,
        label=label[:80],
        factor=factor,
        figures=dict(figures),
        accepted_by=actor,
    )
    _enforce(thing, thing_id, subject)
    record(
        actor=actor,
        action="calibration.accepted",
        row=row,
        label=f"{subject} of {label}"[:160],
        before={"factor": before.factor if before else 1.0},
        after={"factor": factor, "number": number},
    )
    return row


@transaction.atomic
def roll_back_calibration(*, actor: User, number: int) -> Calibration:
    """Take a calibration back; the one before it is in force again, or the claim."""
    require(actor, "calibrations:accept")
    row = Calibration.objects.select_for_update(of=("self",)).filter(number=number).first()
    if row is None:
        raise DomainError("not_found", "There is no calibration of this number.")
    if row.rolled_back_at is not None:
        return row
    row.rolled_back_at, row.rolled_back_by = timezone.now(), actor
    row.save(update_fields=["rolled_back_at", "rolled_back_by"])
    _enforce(row.thing, row.thing_id, row.subject)
    now = in_force(row.subject, row.thing_id)
    record(
        actor=actor,
        action="calibration.rolled_back",
        row=row,
        label=f"{row.subject} of {row.label}"[:160],
        before={"factor": row.factor, "number": row.number},
        after={"factor": now.factor if now else 1.0},
    )
    return row


def _enforce(thing: str, thing_id: UUID | None, subject: str) -> None:
    if thing not in _THINGS:
        return
    row = _THINGS[thing].objects.select_for_update().filter(pk=thing_id).first() if thing_id is not None else None
    if row is None:
        raise DomainError("not_found", "What this calibration is of is no longer in your fleet.")
    now = in_force(subject, thing_id)
    others = {k: v for k, v in row.learnt.items() if k != subject}
    row.learnt = others | ({subject: learned_kept(learned_of(now))} if now is not None else {})
    row.version += 1
    row.save(update_fields=["learnt", "version"])
