"""Reading jobs, their plans, and terrain."""

from __future__ import annotations

from datetime import datetime
from typing import Any, cast
from uuid import UUID

from django.db.models import F, FloatField, Func, IntegerField, OuterRef, Q, QuerySet, Subquery
from django.db.models.fields.json import KT
from django.db.models.functions import Cast

from quarry.apps.accounts.services import DomainError
from quarry.apps.care.queries import facts_of
from quarry.apps.fleet.models import Pack
from quarry.apps.fleet.queries import things
from quarry.apps.jobs import bridge
from quarry.apps.jobs.models import Job, KeptPlan, Terrain
from quarry.apps.jobs.views import JobLine, JobLines, JobSort, KindName
from quarry.apps.links import give_back_link
from quarry.apps.paging import PAGE, page_of
from quarry.apps.policy.bridge import cold
from quarry.apps.policy.queries import own_values
from quarry.apps.weather.queries import planning_air

PlanRefused = bridge.PlanError
FIELDS = ("name", "letter", "kind", "place", "area", "keep_outs", "home", "work", "lines", "sorties", "wind", "site")
LINKS = ("aircraft_model_id", "aircraft_id", "camera_id")


def jobs_for(*, search: str = "", archived: bool = False) -> QuerySet[Job]:
    """Return the jobs of the scope, newest change first."""
    rows = Job.objects.filter(archived_at__isnull=not archived).select_related("aircraft_model")
    if search:
        rows = rows.filter(Q(name__icontains=search) | Q(place__icontains=search) | Q(kind__icontains=search))
    return rows


_SORTS: dict[JobSort, list[str]] = {
    "changed": ["-changed_at"],
    "name": ["name"],
    "place": ["place", "name"],
    "kind": ["kind", "name"],
}


def job_lines(
    *, search: str = "", archived: bool = False, sort: JobSort = "changed", cursor: str = "", size: int = PAGE
) -> JobLines:
    """Return a page of the jobs of the scope with area, sorties and time of the last plan made of each.

    The figures are read out of the kept plans by the database: a plan is large and none is loaded. Raises `BadCursor`.
    """
    page = page_of(jobs_for(search=search, archived=archived), _SORTS[sort], cursor, size)
    last = KeptPlan.objects.filter(job=OuterRef("pk")).order_by("-made_at")

    def figure(name: str) -> Subquery:
        return Subquery(last.annotate(figure=Cast(KT(f"plan__{name}"), FloatField())).values("figure")[:1])

    count = Func(F("plan__sorties"), function="jsonb_array_length", output_field=IntegerField())
    figures = {
        pk: (area_ha, total_s, sorties)
        for pk, area_ha, total_s, sorties in Job.objects.filter(pk__in=[job.pk for job in page.items])
        .annotate(area_ha=figure("area_ha"), total_s=figure("total_s"), n=Subquery(last.annotate(n=count).values("n")[:1]))
        .values_list("pk", "area_ha", "total_s", "n")
    }
    return JobLines([_line(job, *figures[job.pk]) for job in page.items], page.next, page.total)


def _line(job: Job, area_ha: float | None, total_s: float | None, sorties: int | None) -> JobLine:
    return JobLine(
        job.pk,
        job.name,
        job.letter,
        cast(KindName, job.kind),
        job.place,
        job.aircraft_model.name if job.aircraft_model else "",
        area_ha,
        sorties,
        total_s,
        job.archived_at is not None,
        job.changed_at.isoformat(),
    )


def job_of(job_id: UUID) -> Job:
    """Return one job with its links."""
    row = Job.objects.select_related("aircraft_model__pack_model", "aircraft", "camera").filter(pk=job_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such job.")
    return row


def job_dict(job: Job) -> dict[str, Any]:
    """Return a job as plain data, defaults filled in."""
    bridge.with_defaults(job)
    found: dict[str, Any] = {name: getattr(job, name) for name in FIELDS}
    found |= {name: str(getattr(job, name)) if getattr(job, name) else None for name in LINKS}
    return found | {
        "id": str(job.pk),
        "version": job.version,
        "archived": job.archived_at is not None,
        "changed_at": job.changed_at.isoformat(),
    }


def packs_for_job(job: Job) -> list[Pack]:
    """Return the serviceable packs of the aircraft that flies a job."""
    if job.aircraft_model is None:
        return []
    return list(things(Pack).filter(model=job.aircraft_model.pack_model, grounded=False))


def shelf_of(job: Job, packs: list[Pack] | None = None) -> bridge.Shelf:
    """Return the packs that may fly a job with what their records tell, and the school of cold of the house."""
    packs = packs_for_job(job) if packs is None else packs
    return bridge.Shelf(packs, facts_of(packs), cold(own_values()))


def terrain_under(job: Job) -> Terrain | None:
    """Return the terrain grid that covers home and the whole area, the finest if several do."""
    places = [*job.area, *([job.home] if job.home else [])]
    if not places:
        return None
    lons, lats = [p[0] for p in places], [p[1] for p in places]
    for row in Terrain.objects.filter(archived_at__isnull=True).order_by("cell_deg_lat"):
        east = row.west_deg + (row.columns - 1) * row.cell_deg_lon
        north = row.south_deg + (row.rows - 1) * row.cell_deg_lat
        if row.west_deg <= min(lons) and max(lons) <= east and row.south_deg <= min(lats) and max(lats) <= north:
            return row
    return None


def planning_air_of(job: Job, at: datetime) -> dict[str, Any]:
    """Return wind and air at the flying height of a job for an hour; raises if none is known."""
    bridge.with_defaults(job)
    place = job.home or (job.area[0] if job.area else None)
    if not place:
        raise DomainError("missing", "Set home first: the weather is asked for there.", "home")
    height = max(1.0, float(job.work["height_m"]))
    elevation = home_height_m(job) or 0.0
    found = planning_air(place[0], place[1], at, {"height_m": height, "cover": job.wind["cover"]}, elevation)
    if found is None:
        raise DomainError(
            "missing", "No wind is known for this hour. Enter it by hand, or measure it on the Limits screen.", "wind.at"
        )
    return found | {"at": at.isoformat()}


def homes_of(job: Job, packs: list[Pack] | None = None) -> dict[str, Any]:
    """Return what the job takes from each home entered and from the best place inside the permitted area."""
    bridge.with_defaults(job)
    shelf, terrain = shelf_of(job, packs), terrain_under(job)
    give_back_link()
    return bridge.homes(job, shelf, terrain)


def plan_of(job: Job, packs: list[Pack] | None = None) -> dict[str, Any]:
    """Return the plan of a job, from the keep if nothing has changed.

    Raises `bridge.PlanError` with the field that stands in the way.
    """
    bridge.with_defaults(job)
    shelf = shelf_of(job, packs)
    terrain = terrain_under(job)
    mark = bridge.fingerprint(job, shelf, terrain)
    kept = KeptPlan.objects.filter(job=job, fingerprint=mark).first()
    if kept is not None:
        return dict(kept.plan)
    give_back_link()
    plan = bridge.plan_job(job, shelf, terrain)
    if job.pk and not job._state.adding:
        old = KeptPlan.objects.filter(job=job).order_by("-made_at").values_list("pk", flat=True)[8:]
        KeptPlan.objects.filter(pk__in=list(old)).delete()
        KeptPlan.objects.update_or_create(job=job, fingerprint=mark, defaults={"organisation": job.organisation, "plan": plan})
    return plan


def working_of(job: Job, key: str, packs: list[Pack] | None = None) -> dict[str, Any]:
    """Return the working of one number of a job's plan."""
    found = plan_of(job, packs)["workings"].get(key)
    if found is None:
        raise DomainError("not_found", "There is no working for this number.")
    return dict(found)


def terrains() -> list[Terrain]:
    """Return all terrain grids of the scope without their heights."""
    return list(Terrain.objects.filter(archived_at__isnull=True).defer("heights"))


def terrain_sheet(terrain_id: UUID, step_m: float) -> dict[str, Any]:
    """Return what a map draws of one terrain."""
    row = Terrain.objects.filter(pk=terrain_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such terrain.")
    return bridge.terrain_sheet(row, step_m)


def home_height_m(job: Job) -> float | None:
    """Return the height of home where a terrain grid covers it. [m]"""
    if not job.home:
        return None
    lon, lat = job.home
    for row in Terrain.objects.filter(archived_at__isnull=True, west_deg__lte=lon, south_deg__lte=lat):
        found = bridge.height_at(row, lon, lat)
        if found is not None:
            return found
    return None
