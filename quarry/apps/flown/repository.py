"""Jobs as flown that were kept: one typed shape to JSON and back, a few for each job; positions of photos in columns."""

from __future__ import annotations

from pydantic import TypeAdapter, ValidationError

from quarry.apps.flown.models import KeptCover
from quarry.apps.flown.views import KeptAsFlown
from quarry.apps.jobs.models import Job

_VIEW = TypeAdapter(KeptAsFlown)
_KEPT = 4  # of each job: for other days, and for what was undone


def cached(job: Job, mark: str) -> KeptAsFlown | None:
    """Return a job as flown that was made from what a mark stands for; None where none is kept, or in another shape."""
    row = KeptCover.objects.filter(job=job, fingerprint=mark).defer("raster").first()
    if row is None:
        return None
    try:
        return _VIEW.validate_python(row.view)
    except ValidationError:
        return None


def cache(job: Job, mark: str, view: KeptAsFlown, raster: bytes) -> None:
    """Keep a job as flown under the mark of what it was made from; the oldest of the job go."""
    old = KeptCover.objects.filter(job=job).order_by("-made_at").values_list("pk", flat=True)[_KEPT:]
    KeptCover.objects.filter(pk__in=list(old)).delete()
    figures = {"organisation": job.organisation, "view": _VIEW.dump_python(view, mode="json"), "raster": raster}
    KeptCover.objects.update_or_create(job=job, fingerprint=mark, defaults=figures)


def raster_of(job: Job, mark: str) -> bytes | None:
    """Return the raster that was kept with a job as flown."""
    data = KeptCover.objects.filter(job=job, fingerprint=mark).values_list("raster", flat=True).first()
    return bytes(data) if data is not None else None
