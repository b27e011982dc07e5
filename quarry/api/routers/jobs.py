"""Jobs and terrain."""

from __future__ import annotations

from dataclasses import asdict
from datetime import date
from typing import Any, Literal
from uuid import UUID

from django.conf import settings
from django.http import HttpResponse
from ninja import File, Query, Router, UploadedFile

from quarry.api.auth import SignedIn
from quarry.api.schemas import jobs as s
from quarry.api.schemas.base import Moment, WorkingOut
from quarry.apps.jobs import exports, queries, services
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.views import (
    ControlOut,
    ControlPointOut,
    HomesOut,
    JobLines,
    JobSort,
    LightOut,
    OverlapOut,
    PlaceRead,
    PlanProblem,
    RemedyOut,
    SensitiveNear,
    Stopped,
    TerrainLine,
    TerrainOut,
)
from quarry.apps.logbook.queries import track_of
from quarry.apps.weather.services import ask_weather_service
from quarry.apps.weather.views import PlanningAir

_KINDS = {
    "kml": "application/vnd.google-earth.kml+xml",
    "gpx": "application/gpx+xml",
    "geojson": "application/geo+json",
    "csv": "text/csv; charset=utf-8",
}
router = Router(tags=["jobs"])
terrain_router = Router(tags=["terrain"])


def _answer(job: Job) -> dict[str, Any]:
    plan = problem = None
    try:
        plan = queries.plan_of(job)
    except queries.PlanRefused as bad:
        problem = PlanProblem(bad.code, bad.message, bad.field)
    return {
        "job": queries.job_dict(job),
        "plan": plan,
        "problem": problem,
        "home_height_m": queries.home_height_m(job),
        "areas_ha": queries.areas_ha(job),
    }


@router.get("", response=JobLines, operation_id="list_jobs", summary="Jobs, page by page")
def list_jobs(
    request: SignedIn, search: str = "", archived: bool = False, sort: JobSort = "changed", cursor: str = "", size: int = 100
) -> object:
    """Return a page of jobs; figures come from the last plan made of each."""
    return queries.job_lines(search=search, archived=archived, sort=sort, cursor=cursor, size=size)


@router.post("", response={201: s.JobAnswer}, operation_id="add_job", summary="Make a job")
def add_job(request: SignedIn, data: s.JobStart) -> object:
    """Make a job with defaults that fit its kind."""
    return 201, _answer(services.add_job(actor=request.user, figures=data.dict()))


@router.post("/boundary", response=s.BoundaryOut, operation_id="read_boundary", summary="Read a boundary file")
def read_boundary(
    request: SignedIn, file: File[UploadedFile], home_lon: float | None = None, home_lat: float | None = None
) -> object:
    """Read GeoJSON, KML, KMZ, GPX, a zipped shapefile, GeoPackage, corners as CSV or WKT; nothing is stored."""
    data = file.read(settings.UPLOAD_MOST_BYTES + 1)
    home = (home_lon, home_lat) if home_lon is not None and home_lat is not None else None
    read = services.read_boundary_file(actor=request.user, data=data, filename=file.name or "", home=home)
    return asdict(read.found) | {"home": read.home, "home_stays": read.home_stays}


@router.get("/place", response=PlaceRead, operation_id="read_place", summary="Read coordinates in any notation")
def read_place(request: SignedIn, query: Query[s.PlaceQuery]) -> object:
    """Return the place that degrees in any form, a UTM or an MGRS reference mean; nothing is stored."""
    return queries.place_from(query.text)


@router.post("/control", response=list[ControlPointOut], operation_id="read_control", summary="Read control points")
def read_control(request: SignedIn, file: File[UploadedFile]) -> object:
    """Read control points from CSV or GeoJSON in degrees of WGS 84; nothing is stored."""
    data = file.read(settings.UPLOAD_MOST_BYTES + 1)
    return services.read_control_file(actor=request.user, data=data, filename=file.name or "")


@router.get(
    "/{job_id}/control/proposed",
    response=list[ControlPointOut],
    operation_id="propose_control",
    summary="Where control points go",
)
def propose_control(request: SignedIn, job_id: UUID, reach_m: float = 250.0) -> object:
    """Return control and check points in walking order: corners, middle, high and low ground, none far from the nearest."""
    return queries.proposed_control(queries.job_of(job_id), reach_m)


@router.get("/{job_id}/control", response=ControlOut, operation_id="job_control", summary="What control points come to")
def control(request: SignedIn, job_id: UUID) -> object:
    """Return how far the worst place is from control, the way to walk, and the accuracy to expect."""
    return queries.control_of(queries.job_of(job_id))


@router.get("/{job_id}/dose.geojson", operation_id="export_dose_map", summary="The dose map of a spraying plan")
def export_dose_map(request: SignedIn, job_id: UUID) -> HttpResponse:
    """Return the strips of the plan as GeoJSON, each with its dose, flow and litres."""
    data, name = exports.export_dose_map(queries.job_of(job_id))
    response = HttpResponse(data, content_type="application/geo+json")
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


@router.get("/{job_id}/control.{kind}", operation_id="export_control", summary="Control points as a file")
def export_control(request: SignedIn, job_id: UUID, kind: Literal["csv", "geojson"]) -> HttpResponse:
    """Return control points with their reference system, in walking order."""
    data, name = exports.export_control(queries.job_of(job_id), kind)
    answer = HttpResponse(data, content_type=_KINDS[kind])
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer


@router.get("/{job_id}/sun", response=LightOut, operation_id="job_sun", summary="Sun high enough for pictures")
def sun(request: SignedIn, job_id: UUID, on: date) -> object:
    """Return while the sun stands high enough for the pictures of a job on a date."""
    return queries.sun_of(queries.job_of(job_id), on)


@router.get("/{job_id}/overlap", response=OverlapOut, operation_id="job_overlap", summary="Overlap over relief")
def overlap(request: SignedIn, job_id: UUID) -> object:
    """Return which share of the field gets the wanted overlaps, the worst of it, and where it falls short."""
    return queries.overlap_of(queries.job_of(job_id))


@router.get(
    "/{job_id}/overlap/remedies",
    response=list[RemedyOut],
    operation_id="job_overlap_remedies",
    summary="To hold overlaps everywhere",
)
def overlap_remedies(request: SignedIn, job_id: UUID) -> object:
    """Return the job with lines added and flown higher, each planned in full: what it takes in minutes and sorties."""
    return queries.remedies_of(queries.job_of(job_id))


@router.get("/{job_id}", response=s.JobAnswer, operation_id="get_job", summary="A job with its plan")
def get_job(request: SignedIn, job_id: UUID) -> object:
    """Return the job and its plan."""
    return _answer(queries.job_of(job_id))


@router.put("/{job_id}", response=s.JobAnswer, operation_id="save_job", summary="Save a job")
def save_job(request: SignedIn, job_id: UUID, data: s.JobSave) -> object:
    """Save the job as it stands and return the new plan; 409 if somebody saved in between."""
    return _answer(services.save_job(actor=request.user, job_id=job_id, version=data.version, figures=data.job.dict()))


@router.post("/{job_id}/copy", response={201: s.JobAnswer}, operation_id="copy_job", summary="Copy a job")
def copy_job(request: SignedIn, job_id: UUID) -> object:
    """Make a copy."""
    return 201, _answer(services.copy_job(actor=request.user, job_id=job_id))


@router.post("/{job_id}/strips", response={201: s.JobMade}, operation_id="split_strips", summary="A job of what is left out")
def split_strips(request: SignedIn, job_id: UUID) -> object:
    """Make a job of the strips that this one leaves for the wind's sake, planned for a wind that blows the other way."""
    return 201, services.split_strips(actor=request.user, job_id=job_id)


@router.get("/{job_id}/sensitive", response=list[SensitiveNear], operation_id="sensitive_near", summary="Known sensitive places")
def sensitive_near(request: SignedIn, job_id: UUID) -> object:
    """Return the sensitive places that other jobs near this one know, each once."""
    return queries.sensitive_near(job_id)


@router.post("/{job_id}/split", response={201: list[s.JobMade]}, operation_id="split_job", summary="A job for each home")
def split_job(request: SignedIn, job_id: UUID) -> object:
    """Make one job for each home, with the areas nearest to it; the job itself is archived."""
    made = services.split_job(actor=request.user, job_id=job_id)
    return 201, [{"id": job.pk, "name": job.name, "letter": job.letter} for job in made]


@router.delete("/{job_id}", response=s.JobAnswer, operation_id="archive_job", summary="Put a job away")
def archive_job(request: SignedIn, job_id: UUID) -> object:
    """Archive the job; it can be restored."""
    return _answer(services.set_archived(actor=request.user, job_id=job_id, archived=True))


@router.post("/{job_id}/restore", response=s.JobAnswer, operation_id="restore_job", summary="Restore a job")
def restore_job(request: SignedIn, job_id: UUID) -> object:
    """Restore an archived job."""
    return _answer(services.set_archived(actor=request.user, job_id=job_id, archived=False))


@router.get("/{job_id}/working/{key}", response=WorkingOut, operation_id="job_working", summary="The working of a number")
def working(request: SignedIn, job_id: UUID, key: str) -> object:
    """Return how a number of the plan came about."""
    return queries.working_of(queries.job_of(job_id), key)


@router.get("/{job_id}/homes", response=HomesOut, operation_id="job_homes", summary="What the job takes from other homes")
def homes(request: SignedIn, job_id: UUID) -> object:
    """Return home now, the others entered, and the best place that is permitted."""
    return queries.compare_homes(queries.job_of(job_id))


@router.get("/{job_id}/air", response=PlanningAir, operation_id="job_air", summary="Wind and air for an hour")
def air(request: SignedIn, job_id: UUID, at: Moment) -> object:
    """Return wind and air at flying height for an hour, from a fresh measurement or the forecast."""
    job = queries.job_of(job_id)
    place = queries.entered(job).place
    if place is not None:
        ask_weather_service(organisation=request.user.organisation, lon=place[0], lat=place[1])
    return queries.planning_air_of(job, at)


def _stopped(query: s.ExportQuery) -> Stopped | None:
    place = (query.lon, query.lat) if query.lon is not None and query.lat is not None else None
    track = track_of(query.flight_id) if query.flight_id is not None else None
    found = Stopped(query.waypoint, query.done_m, place, query.clock_s, track)
    return found if found != Stopped() else None


@router.get("/{job_id}/export.{form}", operation_id="export_job", summary="A job and its sorties as a file")
def export(
    request: SignedIn, job_id: UUID, form: Literal["geojson", "kml", "gpx", "csv"], query: Query[s.ExportQuery]
) -> HttpResponse:
    """Return the whole job, one sortie, or what is left of one from where its work stopped."""
    content, name = exports.export_job(queries.job_of(job_id), form, query.sortie, _stopped(query), onward=query.onward)
    kind = _KINDS[form]
    return HttpResponse(content, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


@terrain_router.get("", response=list[TerrainLine], operation_id="list_terrains", summary="Where terrain is known")
def list_terrains(request: SignedIn) -> object:
    """Return the extent of each grid."""
    return queries.terrains()


@terrain_router.post("", response={201: TerrainLine}, operation_id="add_terrain", summary="Load an elevation grid")
def add_terrain(request: SignedIn, file: File[UploadedFile]) -> object:
    """Keep a GeoTIFF or an ESRI ASCII grid; plans over it follow the ground."""
    name = (file.name or "terrain").rsplit(".", 1)[0]
    return 201, queries.terrain_line(
        services.add_terrain(actor=request.user, name=name, data=file.read(settings.TABLE_MOST_BYTES + 1))
    )


@terrain_router.delete("/{terrain_id}", response=TerrainLine, operation_id="archive_terrain", summary="Put a terrain away")
def archive_terrain(request: SignedIn, terrain_id: UUID) -> object:
    """Archive a terrain; it can be restored."""
    return queries.terrain_line(services.set_terrain_archived(actor=request.user, terrain_id=terrain_id, archived=True))


@terrain_router.post("/{terrain_id}/restore", response=TerrainLine, operation_id="restore_terrain", summary="Restore a terrain")
def restore_terrain(request: SignedIn, terrain_id: UUID) -> object:
    """Restore an archived terrain."""
    return queries.terrain_line(services.set_terrain_archived(actor=request.user, terrain_id=terrain_id, archived=False))


@terrain_router.get("/{terrain_id}", response=TerrainOut, operation_id="get_terrain", summary="Light and contours of a terrain")
def get_terrain(request: SignedIn, response: HttpResponse, terrain_id: UUID, step_m: float = 5.0, drawing: str = "") -> object:
    """Return what a map draws."""
    view = queries.terrain_view(terrain_id, min(max(step_m, 1.0), 200.0))
    if drawing == queries.DRAWING:
        response["Cache-Control"] = "private, max-age=31536000, immutable"
    return view
