"""A sheet of limits, locked or begun."""

from __future__ import annotations

from uuid import UUID

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.fleet.models import AircraftModel
from quarry.apps.jobs.models import Job
from quarry.apps.limits.models import LimitSheet


def sheet_for_writing(actor: User, level: str, aircraft_model_id: UUID | None, work: str, job_id: UUID | None) -> LimitSheet:
    """Return the sheet of a level, locked, or an empty one that is not saved yet."""
    model: AircraftModel | None = None
    job: Job | None = None
    if level == "aircraft":
        model = AircraftModel.objects.filter(pk=aircraft_model_id).first() if aircraft_model_id else None
        if model is None:
            raise DomainError("not_found", "Choose a model of aircraft.", "aircraft_model_id")
    elif level == "work":
        if work not in ("mapping", "spraying", "search"):
            raise DomainError("not_found", "Choose a kind of work.", "work")
    elif level == "job":
        job = Job.objects.filter(pk=job_id).first() if job_id else None
        if job is None:
            raise DomainError("not_found", "Choose a job.", "job_id")
    elif level != "organisation":
        raise DomainError("invalid", "There is no such level.", "level")
    of_work = work if level == "work" else ""
    sheets = LimitSheet.objects.select_for_update().filter(level=level, archived_at=None)
    row = sheets.filter(aircraft_model=model, work=of_work, job=job).first()
    return row or LimitSheet(organisation=actor.organisation, level=level, version=0, aircraft_model=model, work=of_work, job=job)
