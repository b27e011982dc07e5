from __future__ import annotations

from uuid import UUID, uuid5

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.flown.queries import known_of, shown
from quarry.apps.search.models import SearchJob, SearchReport
from quarry.apps.search.queries import entered, reports_of, search_row
from quarry.apps.search.services.add_report import add_report
from quarry.apps.search.services.take_back_report import take_back_report


@transaction.atomic
def report_flown(*, actor: User, search_id: UUID, job_id: UUID) -> SearchReport:
    """Report a segment with the POD of what was truly covered of its job: by telemetry, log or landings.

    The same state of what was flown is reported once. Where more was flown since, the earlier report is taken back: this one holds both.

    Raises
    ------
    DomainError
        Nothing of the job was flown yet.
    """
    require(actor, "day:run")
    row = search_row(search_id)
    link = SearchJob.objects.filter(search=row, job_id=job_id).select_related("job").first()
    if link is None:
        raise DomainError("not_found", "This job is none of this search.", "job_id")
    if link.segment not in {s.id for s in entered(row).segments}:
        words = "This job lies over several segments. Report each of them by its coverage or as the observer puts it."
        raise DomainError("invalid", words, "job_id")
    found = shown(known_of(job_id))
    pod = next((x.value for x in found.figures if x.key == "detection_frac"), None)
    if pod is None:
        raise DomainError("missing", "Nothing of this job was flown yet.", "job_id")
    key = uuid5(link.job_id, found.mark)
    every, back = reports_of(row)
    for earlier, what in every:
        if what.job_id == str(job_id) and earlier.key != key and str(earlier.key) not in back:
            take_back_report(actor=actor, search_id=search_id, key=earlier.key)
    return add_report(
        actor=actor,
        search_id=search_id,
        key=key,
        kind="searched",
        figures={
            "segment": link.segment,
            "who": link.job.letter,
            "detection_frac": pod,
            "method": "as flown",
            "job_id": str(job_id),
        },
    )
