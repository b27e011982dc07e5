"""Reading jobs, their plans, and terrain."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date, datetime
from typing import Any, cast
from uuid import UUID

from django.db.models import F, FloatField, Func, IntegerField, OuterRef, Q, QuerySet, Subquery
from django.db.models.fields.json import KT
from django.db.models.functions import Cast

from quarry.apps.accounts.errors import DomainError
from quarry.apps.care.queries import cold_flights_of, measured_of
from quarry.apps.fleet.models import Pack
from quarry.apps.fleet.queries import things
from quarry.apps.jobs import mappers
from quarry.apps.jobs.fields import JobFields, fields_of, with_defaults
from quarry.apps.jobs.models import CachedPlan, Job, Terrain
from quarry.apps.jobs.repository import cache_plan, cached_plan
from quarry.apps.jobs.views import (
    ControlOut,
    ControlPointOut,
    HomesOut,
    JobLine,
    JobLines,
    JobPlan,
    JobSort,
    KindName,
    LightOut,
    OverlapOut,
    RemedyOut,
    SensitiveNear,
    TerrainLine,
    TerrainOut,
)
from quarry.apps.links import give_back_link
from quarry.apps.paging import PAGE, page_of
from quarry.apps.policy.mappers import cold, dose_tolerance_frac, mapping
from quarry.apps.policy.queries import own_values
from quarry.apps.weather.queries import planning_air
from quarry.apps.weather.views import PlanningAir
from quarry.apps.workings import WorkingOut

PlanRefused = mappers.PlanError
place_from = mappers.place_from
DRAWING = mappers.DRAWING
FIELDS = ("name", "letter", "kind", "place", "areas", "keep_outs", "home", "work", "lines", "sorties", "wind", "site", "mix")
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
    last = CachedPlan.objects.filter(job=OuterRef("pk")).order_by("-made_at")

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


def job_dict(job: Job) -> Any:
    """Return a job as plain data, defaults filled in."""
    with_defaults(job)
    found = {name: getattr(job, name) for name in FIELDS}
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


def shelf_of(job: Job, packs: list[Pack] | None = None) -> mappers.Shelf:
    """Return the packs that may fly a job with what their records tell, and what the company says of cold and doses."""
    packs = packs_for_job(job) if packs is None else packs
    own = own_values()
    model_id = job.aircraft_model.pack_model_id if job.aircraft_model is not None else None
    flown_cold = cold_flights_of({model_id}).get(model_id, 0) if model_id is not None else 0
    return mappers.Shelf(packs, measured_of(packs), cold(own), dose_tolerance_frac(own), flown_cold, mapping(own).blur_px)


def terrain_under(job: Job) -> Terrain | None:
    """Return the terrain grid that covers home and the whole area, the finest if several do."""
    places = [*(p for a in job.areas for p in a.get("ring", [])), *([job.home] if job.home else [])]
    if not places:
        return None
    lons, lats = [p[0] for p in places], [p[1] for p in places]
    for row in Terrain.objects.filter(archived_at__isnull=True).order_by("cell_deg_lat"):
        east = row.west_deg + (row.columns - 1) * row.cell_deg_lon
        north = row.south_deg + (row.rows - 1) * row.cell_deg_lat
        if row.west_deg <= min(lons) and max(lons) <= east and row.south_deg <= min(lats) and max(lats) <= north:
            return row
    return None


def terrain_across(places: Sequence[tuple[float, float]]) -> Terrain | None:
    """Return the terrain grid that covers most of the ground about places, the finest if several do; None where none does any."""
    if not places:
        return None
    lons, lats = zip(*places, strict=True)

    def covers(row: Terrain) -> float:
        east = row.west_deg + (row.columns - 1) * row.cell_deg_lon
        north = row.south_deg + (row.rows - 1) * row.cell_deg_lat
        across = min(max(lons), east) - max(min(lons), row.west_deg)
        along = min(max(lats), north) - max(min(lats), row.south_deg)
        return across * along if across > 0 and along > 0 else 0.0

    rows = Terrain.objects.filter(archived_at__isnull=True).order_by("cell_deg_lat")
    best = max(rows, key=covers, default=None)
    return best if best is not None and covers(best) > 0 else None


def planning_air_of(job: Job, at: datetime) -> PlanningAir:
    """Return wind and air at the flying height of a job for an hour; raises if none is known."""
    f = entered(job)
    if f.place is None:
        raise DomainError("missing", "Set home first: the weather is asked for there.", "home")
    elevation = home_height_m(job) or 0.0
    found = planning_air(*f.place, at, max(1.0, f.work.height_m), f.wind.cover, elevation)
    if found is None:
        raise DomainError(
            "missing", "No wind is known for this hour. Enter it by hand, or measure it on the Limits screen.", "wind.at"
        )
    return found


def entered(job: Job) -> JobFields:
    """Return what people entered of a job, typed; what cannot be read is told at its field."""
    try:
        return fields_of(job)
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad


def homes_of(job: Job, packs: list[Pack] | None = None) -> HomesOut:
    """Return what the job takes from each home entered and from the best place inside the permitted area."""
    shelf, terrain = shelf_of(job, packs), terrain_under(job)
    give_back_link()
    return mappers.compare_homes(job, shelf, terrain)


def plan_of(job: Job, packs: list[Pack] | None = None) -> JobPlan:
    """Return the plan of a job, from the cache if nothing has changed.

    Raises `mappers.PlanError` with the field that stands in the way.
    """
    with_defaults(job)
    shelf = shelf_of(job, packs)
    terrain = terrain_under(job)
    mark = mappers.fingerprint(job, shelf, terrain)
    cached = cached_plan(job, mark)
    if cached is not None:
        return cached
    give_back_link()
    plan = mappers.plan_job(job, shelf, terrain)
    cache_plan(job, mark, plan)
    return plan


def working_of(job: Job, key: str, packs: list[Pack] | None = None) -> WorkingOut:
    """Return the working of one number of a job's plan."""
    found = plan_of(job, packs).workings.get(key)
    if found is None:
        raise DomainError("not_found", "There is no working for this number.")
    return found


def terrains() -> list[TerrainLine]:
    """Return where each terrain grid of the scope lies."""
    return [terrain_line(row) for row in Terrain.objects.filter(archived_at__isnull=True).defer("heights")]


def terrain_line(t: Terrain) -> TerrainLine:
    """Return where a terrain grid lies."""
    east = t.west_deg + (t.columns - 1) * t.cell_deg_lon
    north = t.south_deg + (t.rows - 1) * t.cell_deg_lat
    return TerrainLine(t.pk, t.name, (t.west_deg, t.south_deg, east, north), t.simulated, mappers.DRAWING)


def terrain_view(terrain_id: UUID, step_m: float) -> TerrainOut:
    """Return what a map draws of one terrain."""
    row = Terrain.objects.filter(pk=terrain_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such terrain.")
    return mappers.terrain_view(row, step_m)


def areas_ha(job: Job) -> list[float]:
    """Return what each area of a job encloses; nothing where a figure of the job cannot be read. [ha]"""
    try:
        return [mappers.area_ha(a) for a in fields_of(job).areas]
    except mappers.PlanError:
        return []


def home_height_m(job: Job) -> float | None:
    """Return the height of home where a terrain grid covers it. [m]"""
    if not job.home:
        return None
    lon, lat = job.home
    for row in Terrain.objects.filter(archived_at__isnull=True, west_deg__lte=lon, south_deg__lte=lat):
        found = mappers.height_at(row, lon, lat)
        if found is not None:
            return found
    return None


def compare_homes(job: Job) -> HomesOut:
    """Return what a job takes from each home; what stands in the way is told at its field."""
    try:
        return homes_of(job)
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad


def overlap_of(job: Job) -> OverlapOut:
    """Return overlap and ground sample of a mapping job over relief; what stands in the way is told at its field."""
    try:
        return mappers.overlap_of(job, plan_of(job), terrain_under(job))
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad


def remedies_of(job: Job) -> list[RemedyOut]:
    """Return the ways to hold the overlaps of a mapping job everywhere, with what each takes; nothing is kept."""
    try:
        plan, shelf, terrain = plan_of(job), shelf_of(job), terrain_under(job)
        give_back_link()
        return mappers.remedies_of(job, plan, shelf, terrain)
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad


def proposed_control(job: Job, reach_m: float) -> list[ControlPointOut]:
    """Return control and check points for a job in walking order; nothing is kept."""
    try:
        found = mappers.proposed_control(entered(job), terrain_under(job), reach_m)
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    return [ControlPointOut(p.at, p.name, p.check, p.height_m, p.why) for p in found]


def control_of(job: Job) -> ControlOut:
    """Return what the control points of a job come to."""
    try:
        plan = plan_of(job)
    except mappers.PlanError:
        plan = None
    try:
        return mappers.control_view(entered(job), plan)
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad


def blown_towards(job: Job) -> Callable[[float, float], list[mappers.KeptClear]] | None:
    """Return what tells the sensitive places that a wind blows towards, by its speed and where it is from; None without any."""
    f = entered(job)
    try:
        return mappers.blown_towards(f)
    except mappers.PlanError:
        return None  # no plan can be made of it: its own screen says why


_NEAR_M = 5000.0
_MOST_NEAR = 24


def sensitive_near(job_id: UUID) -> list[SensitiveNear]:
    """Return the sensitive places that other jobs within five kilometres know, the nearest first, each once; none that this one has."""
    job = job_of(job_id)
    f = entered(job)
    if f.place is None:
        return []
    seen = {(s.name, str([list(p) for p in s.ring])) for s in f.site.sensitive}
    found: list[SensitiveNear] = []
    for other in Job.objects.filter(archived_at=None, kind="spraying", site__sensitive__0__isnull=False).exclude(pk=job.pk):
        for s in entered(other).site.sensitive:
            key = (s.name, str([list(p) for p in s.ring]))
            away = min((mappers.way_m(list(f.place), list(p)) for p in s.ring), default=_NEAR_M)
            if key not in seen and away < _NEAR_M:
                seen.add(key)
                found.append(SensitiveNear(s.name, other.name, away, s))
    return sorted(found, key=lambda n: n.distance_m)[:_MOST_NEAR]


def sun_of(job: Job, on: date) -> LightOut:
    """Return while the sun stands high enough for the pictures of a job, as the company says."""
    try:
        return mappers.sun_of(entered(job), on, mapping(own_values()).sun_deg)
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
