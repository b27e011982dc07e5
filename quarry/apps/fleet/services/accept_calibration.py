from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from uuid import UUID

from django.db import transaction
from django.db.models import Max

from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import Organisation, User
from quarry.apps.accounts.permissions import require
from quarry.apps.fleet.models import Calibration
from quarry.apps.fleet.queries import in_force
from quarry.apps.fleet.services._enforce import enforce


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
    enforce(thing, thing_id, subject)
    record(
        actor=actor,
        action="calibration.accepted",
        row=row,
        label=f"{subject} of {label}"[:160],
        before={"factor": before.factor if before else 1.0},
        after={"factor": factor, "number": number},
    )
    return row
