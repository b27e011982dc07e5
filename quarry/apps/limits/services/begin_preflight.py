from __future__ import annotations

from datetime import date
from uuid import UUID, uuid4

from django.db import IntegrityError, transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.fleet.models import Aircraft, Pack
from quarry.apps.jobs.queries import job_of
from quarry.apps.limits.models import Preflight
from quarry.apps.limits.queries import preflight_of


def begin_preflight(
    *,
    actor: User,
    job_id: UUID,
    aircraft_id: UUID | None,
    pack_ids: list[UUID],
    sortie: int,
    on: date | None = None,
    key: UUID | None = None,
) -> Preflight:
    """Begin a list before a take-off; the same key again, or a list already open for it, gives that list."""
    require(actor, "preflight:write")
    key = key or uuid4()
    there = Preflight.objects.filter(key=key).first()
    if there is not None:
        return preflight_of(there.pk)
    job = job_of(job_id)
    wanted = aircraft_id or job.aircraft_id
    aircraft = Aircraft.objects.filter(pk=wanted).select_related("model__pack_model").first() if wanted else None
    if aircraft is None:
        raise DomainError("missing", "Choose the aircraft that flies.", "aircraft_id")
    packs = list(Pack.objects.filter(pk__in=pack_ids, archived_at=None))
    if len(packs) != len(set(pack_ids)):
        raise DomainError("not_found", "Choose packs of your own that are not archived.", "pack_ids")
    if len(packs) != aircraft.model.packs_count or any(p.model_id != aircraft.model.pack_model_id for p in packs):
        n = aircraft.model.packs_count
        raise DomainError(
            "invalid", f"{aircraft.name} flies {n} of {aircraft.model.pack_model.name}. Choose {n} of these.", "pack_ids"
        )
    day = on or timezone.localdate()
    for open_one in Preflight.objects.filter(job=job, aircraft=aircraft, sortie=max(1, sortie), on=day, state="open"):
        if {p.pk for p in open_one.packs.all()} == set(pack_ids):
            return preflight_of(open_one.pk)
    try:
        with transaction.atomic():
            row = Preflight.objects.create(
                organisation=actor.organisation,
                key=key,
                job=job,
                aircraft=aircraft,
                sortie=max(1, sortie),
                on=day,
                by=actor,
            )
            row.packs.set(packs)
    except IntegrityError:  # two taps at once
        return preflight_of(Preflight.objects.get(key=key).pk)
    return preflight_of(row.pk)
