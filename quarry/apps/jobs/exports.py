"""A job, its sorties, and what is left of one, in open formats."""

from __future__ import annotations

from quarry.apps.accounts.errors import DomainError
from quarry.apps.files import stem_of
from quarry.apps.jobs import mappers
from quarry.apps.jobs.fields import JobFields
from quarry.apps.jobs.formats.control import control_csv, control_geojson
from quarry.apps.jobs.formats.writing import Drawn, dose_map, geojson, gpx, kml, waypoint_table
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import entered, home_height_m, plan_of
from quarry.apps.jobs.views import JobPlan, Stopped

_WRITERS = {"geojson": geojson, "kml": kml, "gpx": gpx, "csv": waypoint_table}


def export_job(
    job: Job, form: str, sortie: int | None = None, stopped: Stopped | None = None, *, onward: bool = False
) -> tuple[bytes, str]:
    """Return (content, file name) of a job and its sorties in an open format.

    ``sortie``: one of them alone. ``stopped``: what is left of that one; ``onward``: with all that come after it.
    """
    f = entered(job)
    if not any(a.ring for a in f.areas):
        raise DomainError("missing", "There is nothing to export yet. Draw the outline first.", "areas")
    try:
        plan = plan_of(job)
    except mappers.PlanError as bad:
        if sortie is not None or form == "csv":
            raise DomainError(bad.code, bad.message, bad.field) from bad
        plan = None
    routes = _routes(job, f, plan) if plan is not None else []
    wanted = [r for k, r in enumerate(routes, start=1) if sortie is None or k == sortie or (onward and k > sortie)]
    if sortie is not None and not wanted:
        raise DomainError("not_found", "There is no such sortie.")
    stem = stem_of(job.name, "job")
    stem += f"-{job.letter.lower()}{sortie}" if sortie else ""
    if stopped is not None:
        try:
            wanted, stem = mappers.rest_of(wanted, stopped), f"{stem}-rest"
        except mappers.PlanError as bad:
            raise DomainError(bad.code, bad.message, bad.field) from bad
    turn_backs = {f"{job.letter}{s.number}": (s.turn_back_at, s.turn_back_s) for s in (plan.sorties if plan is not None else [])}
    drawn = Drawn(job.name, f, wanted, whole=sortie is None, turn_backs=turn_backs if stopped is None else None)
    return _WRITERS[form](drawn), f"{stem}.{form}"


def _routes(job: Job, f: JobFields, plan: JobPlan) -> list[mappers.SortieRoute]:
    ways = mappers.ways_m_s(f, job)
    sea = home_height_m(job)
    return [mappers.sortie_route(f, job.letter, plan, s, ways, sea) for s in plan.sorties]


def export_control(job: Job, form: str) -> tuple[bytes, str]:
    """Return (content, file name) of the control points of a job, in walking order."""
    points = entered(job).site.control
    if not points:
        raise DomainError("missing", "No control points are placed yet.", "control")
    stem = stem_of(job.name, "job")
    return (control_csv(points) if form == "csv" else control_geojson(points)), f"{stem}-control.{form}"


def export_dose_map(job: Job) -> tuple[bytes, str]:
    """Return (content, file name) of what each strip of a spraying job gets, as GeoJSON."""
    if job.kind != "spraying":
        raise DomainError("missing", "Only a spraying job has a dose map.", "kind")
    f = entered(job)
    try:
        strips = mappers.dose_strips(f, plan_of(job), job.letter)
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    return dose_map(strips), f"{stem_of(job.name, 'job')}-dose.geojson"
