from __future__ import annotations

from django.db import transaction

from quarry.apps.accounts.fields import Entered
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.fleet.models import AircraftModel
from quarry.apps.jobs.fields import SORTIE_DEFAULTS
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import job_of
from quarry.apps.jobs.services._entering import fill, free_letter, history_of
from quarry.apps.policy.queries import own_values


@transaction.atomic
def add_job(*, actor: User, figures: Entered) -> Job:
    """Make a job; what is left open gets defaults that fit its kind and the fleet."""
    require(actor, "jobs:write")
    job = Job(organisation=actor.organisation, letter=figures.get("letter") or free_letter())
    house = {k: v for k, v in own_values().items() if k in SORTIE_DEFAULTS}
    figures = {**figures, "sorties": {**house, **(figures.get("sorties") or {})}}
    if not figures.get("aircraft_model_id"):
        kind = figures.get("kind", "mapping")
        models = AircraftModel.objects.filter(archived_at__isnull=True, work__in=[kind, "any"]).order_by("name")
        model = models.filter(work=kind).first() or models.first()
        if model is not None:
            own = {k: v for k, v in (("tank_l", model.tank_l), ("swath_m", model.swath_m)) if v}
            figures = {
                **figures,
                "aircraft_model_id": model.pk,
                "camera_id": figures.get("camera_id") or model.camera_id,
                "work": own | dict(figures.get("work") or {}),
            }
    fill(job, figures)
    job.save()
    record(
        actor=actor,
        action="job.added",
        row=job,
        label=job.name,
        after=history_of(job),
    )
    return job_of(job.pk)
