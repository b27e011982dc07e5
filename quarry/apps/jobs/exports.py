"""A job and its sorties in open formats."""

from __future__ import annotations

from quarry.apps.accounts.errors import DomainError
from quarry.apps.jobs import mappers
from quarry.apps.jobs.formats.writing import Drawn, geojson, gpx, kml
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import entered, plan_of


def export_job(job: Job, form: str, sortie: int | None) -> tuple[bytes, str]:
    """Return (content, file name) of a job and its sorties in an open format."""
    try:
        plan = plan_of(job)
    except mappers.PlanError:
        plan = None
    if not job.area:
        raise DomainError("missing", "There is nothing to export yet. Draw the outline first.", "area")
    wanted = [s for s in (plan.sorties if plan is not None else []) if sortie is None or s.number == sortie]
    if sortie is not None and not wanted:
        raise DomainError("not_found", "There is no such sortie.")
    stem = "".join(c if c.isalnum() else "-" for c in job.name.lower()).strip("-") or "job"
    stem += f"-{job.letter.lower()}{sortie}" if sortie else ""
    drawn = Drawn(job.name, job.letter, entered(job), wanted, whole=sortie is None)
    if form == "gpx":
        return gpx(drawn), f"{stem}.gpx"
    return (kml(drawn), f"{stem}.kml") if form == "kml" else (geojson(drawn), f"{stem}.geojson")
