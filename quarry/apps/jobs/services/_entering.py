"""What people enter of a job, into its row."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ValidationError

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.fields import Entered
from quarry.apps.fleet.models import Aircraft, AircraftModel, Camera
from quarry.apps.jobs.fields import with_defaults
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import FIELDS, LINKS, job_dict

_LINKED = {"aircraft_model_id": AircraftModel, "aircraft_id": Aircraft, "camera_id": Camera}
_LETTERS = "SBMCDEFGHJKLNPQRTUVWXYZA"


def fill(job: Job, figures: Entered) -> None:
    """Put what was entered of a job into its row, checked."""
    for name in FIELDS:
        if name in figures:
            setattr(job, name, figures[name])
    for name in LINKS:
        if name in figures:
            value = figures[name]
            if value is not None and not _LINKED[name].objects.filter(pk=value).exists():
                raise DomainError("not_found", "Choose one that exists.", name)
            setattr(job, name, value)
    with_defaults(job)
    try:
        job.full_clean(
            exclude=[
                "organisation",
                "aircraft_model",
                *(name for name in FIELDS if name not in ("name", "letter", "kind", "place")),
            ]
        )
    except ValidationError as bad:
        field, messages = next(iter(bad.message_dict.items()))
        raise DomainError("invalid", " ".join(messages), field) from bad


def history_of(job: Job) -> Any:
    """Return a job as the history keeps it."""
    return {k: v for k, v in job_dict(job).items() if k not in ("changed_at", "version")}


def free_letter() -> str:
    """Return the first letter that no job in work has."""
    taken = set(Job.objects.filter(archived_at__isnull=True).values_list("letter", flat=True))
    return next((x for x in _LETTERS if x not in taken), "S")
