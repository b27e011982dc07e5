"""Limits, the gate of a day, preflight."""

from __future__ import annotations

from datetime import date, datetime
from uuid import UUID

from django.http import HttpRequest
from ninja import Router

from quarry.api.schemas import limits as s
from quarry.api.schemas.base import WorkingOut
from quarry.apps.jobs.selectors import job_of
from quarry.apps.limits import selectors, services
from quarry.apps.weather.services import ask_desk

router = Router(tags=["limits"])
preflight_router = Router(tags=["preflight"])


def _asked(request: HttpRequest, job_id: UUID, *, again: bool = False) -> object:
    job = job_of(job_id)
    place = job.home or (job.area[0] if job.area else None)
    if place:
        ask_desk(request.user.organisation, place[0], place[1], again=again)
    return job


@router.get("", response=s.LimitsPage, operation_id="limits", summary="All sheets of limits")
def page(request: HttpRequest) -> object:
    """Return every sheet and what can be limited."""
    return selectors.page()


@router.put("", response=s.LimitsPage, operation_id="save_limits", summary="Set the limits of a level")
def save(request: HttpRequest, data: s.SheetIn) -> object:
    """Set the limits of a level, each change with its reason; 409 if somebody saved in between."""
    services.save_sheet(
        actor=request.user,
        level=data.level,
        rules=[r.dict() for r in data.rules],
        version=data.version,
        aircraft_model_id=data.aircraft_model_id,
        work=data.work,
        job_id=data.job_id,
    )
    return selectors.page()


@router.post("/starter", response=s.LimitsPage, operation_id="starter_limits", summary="Begin with usual values")
def starter(request: HttpRequest) -> object:
    """Fill the sheets that are not there yet with usual values, marked to be checked."""
    services.begin_with_starter(actor=request.user)
    return selectors.page()


@router.get("/sheets/{sheet_id}/history", response=list[s.SheetChange], operation_id="limits_history", summary="What was changed")
def history(request: HttpRequest, sheet_id: UUID) -> object:
    """Return the changes of a sheet, newest first."""
    return selectors.history_of(sheet_id)


@router.get("/gate/{job_id}", response=s.GateOut, operation_id="gate", summary="The gate of a date for a job")
def gate(request: HttpRequest, job_id: UUID, on: date, zone: str = "UTC", again: bool = False) -> object:
    """Return each hour of a date with its verdict; ``again`` asks the weather desk now."""
    return selectors.gate(_asked(request, job_id, again=again), on, selectors.zone_of(zone))


@router.get("/moment/{job_id}", response=s.GateHour, operation_id="limits_moment", summary="The verdict of an hour")
def moment(request: HttpRequest, job_id: UUID, at: datetime, aircraft_model_id: UUID | None = None) -> object:
    """Return the verdict of the hour for a job, with another aircraft if asked."""
    job = selectors.with_aircraft(_asked(request, job_id), aircraft_model_id)
    return selectors.moment(job, at)[1]


@router.get(
    "/moment/{job_id}/working/{key}", response=WorkingOut, operation_id="limits_working", summary="How a limit was judged"
)
def working(request: HttpRequest, job_id: UUID, key: str, at: datetime) -> object:
    """Return the working of one judged limit."""
    return selectors.working_of(job_of(job_id), at, key)


@preflight_router.get("", response=list[s.PreflightLine], operation_id="list_preflights", summary="Lists of the last days")
def lists(request: HttpRequest) -> object:
    """Return the newest lists."""
    return selectors.preflights()


@preflight_router.post("", response={201: s.PreflightOut}, operation_id="begin_preflight", summary="Begin a list")
def begin(request: HttpRequest, data: s.PreflightStart) -> object:
    """Begin a list before a take-off."""
    row = services.begin_preflight(
        actor=request.user,
        job_id=data.job_id,
        aircraft_id=data.aircraft_id,
        pack_ids=data.pack_ids,
        sortie=data.sortie,
        on=data.on,
        key=data.key,
    )
    _asked(request, row.job_id)
    return 201, selectors.preflight_dict(row)


@preflight_router.get("/{preflight_id}", response=s.PreflightOut, operation_id="get_preflight", summary="A list as it stands")
def get(request: HttpRequest, preflight_id: UUID) -> object:
    """Return a list with its verdict."""
    row = selectors.preflight_of(preflight_id)
    _asked(request, row.job_id)
    return selectors.preflight_dict(row)


@preflight_router.patch("/{preflight_id}", response=s.PreflightOut, operation_id="enter_preflight", summary="Enter checks")
def enter(request: HttpRequest, preflight_id: UUID, data: s.EntriesIn) -> object:
    """Keep entries and return the verdict as it then stands."""
    return selectors.preflight_dict(services.enter(actor=request.user, preflight_id=preflight_id, entries=data.entries))


@preflight_router.post(
    "/{preflight_id}/clear", response=s.PreflightOut, operation_id="clear_preflight", summary="Close a list that is a go"
)
def clear(request: HttpRequest, preflight_id: UUID) -> object:
    """Close a list that is a go or a go with care."""
    return selectors.preflight_dict(services.clear(actor=request.user, preflight_id=preflight_id))


@preflight_router.post(
    "/{preflight_id}/override", response=s.PreflightOut, operation_id="override_preflight", summary="Fly in spite of a no go"
)
def override(request: HttpRequest, preflight_id: UUID, data: s.OverrideIn) -> object:
    """Close a list in spite of a no go, with a name and a reason; never past a hard floor."""
    row = services.override(actor=request.user, preflight_id=preflight_id, name=data.name, reason=data.reason)
    return selectors.preflight_dict(row)
