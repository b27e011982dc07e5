from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.queries import run_of
from quarry.apps.day.services import close_run
from quarry.apps.day.views.live import SummaryOut
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import entered
from quarry.apps.spraying import mappers
from quarry.apps.spraying.fields import facts_json
from quarry.apps.spraying.models import Batch, SprayRecord, StockMove
from quarry.apps.spraying.queries import day_lacks, facts_now, record_of, sprayed_on, stock_of
from quarry.apps.spraying.services._rows import record_row


@transaction.atomic
def close_day(*, actor: User, day_id: UUID, without: str = "") -> SummaryOut:
    """Close a day with its spray records: what they lack is asked for first, or a reason why it stays open.

    What was sprayed leaves the store, batch by batch as entered. A rehearsal keeps no record.

    Raises
    ------
    DomainError
        A record lacks something and no reason is given; or the day cannot close.
    """
    require(actor, "day:run")
    run = run_of(day_id, lock=True)
    if run.clock_at is not None or run.closed_at is not None:
        return close_run(actor=actor, day_id=day_id)
    lacking = [x for x in day_lacks(day_id) if x.lacks]
    if lacking and not without.strip():
        words = "; ".join(f"{x.letter}: {' '.join(x.lacks)}" for x in lacking)
        raise DomainError("record_lacks", f"Spray records lack something. {words}", "without")
    jobs = sprayed_on(day_id)
    summary = close_run(actor=actor, day_id=day_id)
    for job in jobs:
        _close(actor, day_id, job, without.strip()[:300] if any(x.job_id == job.pk for x in lacking) else "")
    return summary


def _close(actor: User, day_id: UUID, job: Job, without: str) -> None:
    row = record_row(actor, day_id, job.pk)
    facts = facts_now(day_id, job)
    row.facts = facts_json(facts)
    row.ground = [a.ring for a in entered(job).taken]
    row.began_at = facts.loads[0].from_at if facts.loads else None
    row.closed_at, row.without = timezone.now(), without
    row.save()
    _take_from_store(actor, row, day_id, job)


def _take_from_store(actor: User, row: SprayRecord, day_id: UUID, job: Job) -> None:
    products = record_of(day_id, job.pk).products
    stock = stock_of(p.product_id for p in products)
    for p in products:
        taken = mappers.taken_from(p.batch, p.amount, stock.get(p.product_id, []), row.day.date)
        for t in taken:
            batch = Batch.objects.get(product_id=p.product_id, name=t.batch, archived_at=None)
            StockMove.objects.create(
                organisation=actor.organisation,
                batch=batch,
                amount=-t.taken_amount,
                kind="used",
                words=f"record {row.number:04d}, {job.name}"[:200],
                record=row,
                by=actor,
            )
