from __future__ import annotations

from uuid import UUID, uuid5

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.flown.queries import known_of, shown
from quarry.apps.jobs.fields import fields_of as job_fields
from quarry.apps.search import mappers
from quarry.apps.search.models import SearchJob, SearchReport
from quarry.apps.search.queries import entered, reports_of, search_row
from quarry.apps.search.services.add_report import add_report
from quarry.apps.search.services.take_back_report import take_back_report

_ALL = 0.995  # of the time, beyond which twilight takes nothing that a report would show


@transaction.atomic
def report_flown(*, actor: User, search_id: UUID, job_id: UUID) -> SearchReport:
    """Report a segment with the POD of what was truly covered of its job: by telemetry, log or landings.

    The same state of what was flown is reported once. Where more was flown since, the earlier report is taken back: this one holds both.

    A job over several segments is reported for each of them: where a share of its ground was flown over, that share of the POD.
    What an eye on the screen looked at in the dark counts for nothing, and the report says so.

    Raises
    ------
    DomainError
        Nothing of the job was flown yet, or no segment lies under it.
    """
    require(actor, "day:run")
    row = search_row(search_id)
    link = SearchJob.objects.filter(search=row, job_id=job_id).select_related("job").first()
    if link is None:
        raise DomainError("not_found", "This job is none of this search.", "job_id")
    known = known_of(job_id)
    found = shown(known)
    pod = next((x.value for x in found.figures if x.key == "detection_frac"), None)
    if pod is None:
        raise DomainError("missing", "Nothing of this job was flown yet.", "job_id")
    key = uuid5(link.job_id, found.mark)
    every, back = reports_of(row)
    keys = {key, *(uuid5(key, s.id) for s in entered(row).segments)}
    for earlier, what in every:
        if what.job_id == str(job_id) and earlier.key not in keys and str(earlier.key) not in back:
            take_back_report(actor=actor, search_id=search_id, key=earlier.key)
    f = entered(row)
    parts = [(link.segment, 1.0)] if link.segment in {s.id for s in f.segments} else mappers.parts_of(f, job_fields(link.job))
    if not parts:
        words = "This job lies over no segment. Draw segments over its ground first, then report it."
        raise DomainError("invalid", words, "job_id")
    lit_frac = mappers.lit_frac(f, known.times)
    dark = "" if lit_frac > _ALL else f"{1 - lit_frac:.0%} of the time was dark, in which an eye on the screen counts for nothing"
    made = [
        add_report(
            actor=actor,
            search_id=search_id,
            key=key if share >= 1.0 else uuid5(key, segment),
            kind="searched",
            figures={
                "segment": segment,
                "who": link.job.letter,
                "detection_frac": pod * share * lit_frac,
                "method": "as flown",
                "job_id": str(job_id),
                "words": "; ".join(w for w in ("" if share >= 1.0 else f"{share:.0%} of it was flown over", dark) if w),
            },
        )
        for segment, share in parts
    ]
    return made[0]
