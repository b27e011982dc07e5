from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.care.services.add_record import add_record
from quarry.apps.day import mappers
from quarry.apps.day.fields import later, moments_of
from quarry.apps.day.models import DayEvent, DayTelemetry
from quarry.apps.day.queries import clock_of, moment_of, read_run, run_of
from quarry.apps.day.services._following import plan_anew
from quarry.apps.day.views.live import SummaryOut


@transaction.atomic
def close_run(*, actor: User, day_id: UUID) -> SummaryOut:
    """Close a day: its flights and charges go to the records of their packs, once however often it is closed."""
    require(actor, "day:run")
    run = run_of(day_id, lock=True)
    reading = read_run(run)
    state = reading.state
    up = sorted(f.id for f in state.flights.values() if f.word == "airborne")
    if up:
        raise DomainError("still_flying", f"{', '.join(up)} is in the air: write down its landing first.", "flights")
    if state.questions:
        raise DomainError("open_question", "Two accounts of one thing are open: say which stands.", "questions")
    if state.closed_s is None:
        now = moment_of(run, timezone.now())
        DayEvent.objects.create(
            organisation=run.organisation, day=run.day, key=f"closed-{run.pk}", kind="closed", at=now, by=actor
        )
        if run.clock_at is None:
            _to_records(actor, reading)
        else:
            run.clock_s, run.clock_at, run.speed = clock_of(run), timezone.now(), 0.0
        run.closed_at = timezone.now()
        run.save(update_fields=["clock_s", "clock_at", "speed", "closed_at"])
        record(actor=actor, action="day.closed", row=run.day, label=run.day.name)
        plan_anew(run, turning=False)
    return mappers.to_summary(reading)


def _to_records(actor: User, reading: mappers.Reading) -> None:
    run, kept = reading.run, reading.kept
    opens = moments_of(run.day)[0]
    least_v = dict(DayTelemetry.objects.filter(day=run.day).values_list("flight", "least_v"))
    for r in reading.records:
        add_record(
            actor=actor,
            pack_id=UUID(kept.pack_ids[r.pack]),
            kind=r.kind,
            figures=mappers.record_figures(kept, r, least_v),
            at=later(opens, r.at_s),
            note=run.day.name,
            key=mappers.record_keys(run.pk, r.key, [r.pack], r.kind)[0],
        )
