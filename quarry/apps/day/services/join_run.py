from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day import mappers
from quarry.apps.day.models import Day, DayJob
from quarry.apps.day.queries import roster_of, run_of
from quarry.apps.day.repository import changes_json, changes_of, frame_json, frame_of
from quarry.apps.day.services._following import plan_anew
from quarry.apps.day.views.live import Change
from quarry.apps.jobs.queries import job_of


@transaction.atomic
def join_run(*, actor: User, day_id: UUID, job_id: UUID, aircraft_id: UUID | None = None) -> list[str]:
    """Put a job at the end of a running day; returns the names of its sorties. What was flown and planned stays.

    Raises
    ------
    DomainError
        The day is closed or has the job already, or its sorties cannot be flown with what the day has.
    """
    require(actor, "day:run")
    run, job = run_of(day_id, lock=True), job_of(job_id)
    if run.closed_at is not None:
        raise DomainError("closed", "This day is closed. Put the job into another day.", "day_id")
    if DayJob.objects.filter(day=run.day, job=job).exists():
        raise DomainError("taken", f"{job.name} is in this day already.", "job_id")
    last = DayJob.objects.filter(day=run.day).order_by("-place").values_list("place", flat=True).first()
    DayJob.objects.create(
        organisation=run.organisation,
        day=run.day,
        job=job,
        aircraft_id=aircraft_id,
        place=0 if last is None else last + 1,
    )
    day = Day.objects.get(pk=run.day_id)
    try:
        frame, names = mappers.joined(frame_of(run), roster_of(day), str(job.pk))
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    if not names:
        raise DomainError("invalid", f"{job.name} has no sortie that this day could fly.", "job_id")
    day.version += 1
    day.save(update_fields=["version"])
    run.frame = frame_json(frame)
    now_s = run.planned_at_s
    words = f"{job.name} joins the day: {', '.join(names)}"
    run.changes = changes_json([*changes_of(run), Change(now_s, words, kept=False)])
    run.save(update_fields=["frame", "changes"])
    plan_anew(run, turning=True)
    record(actor=actor, action="day.joined", row=day, label=f"{day.name}: {job.name}")
    return names
