"""Limits, the weather window of a day, preflight."""

from __future__ import annotations

from datetime import date
from uuid import UUID

from ninja import Router

from quarry.api.auth import SignedIn
from quarry.api.schemas import limits as s
from quarry.api.schemas.base import Moment, WorkingOut
from quarry.apps.day.queries import known_of_preflight
from quarry.apps.day.views.live import KnownValue
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import entered, job_of
from quarry.apps.limits import queries, services
from quarry.apps.limits.views import GateHour, GateOut, LimitRule, LimitsPage, PreflightLine, PreflightOut, SheetChange
from quarry.apps.weather.services import ask_weather_service

router = Router(tags=["limits"])
preflight_router = Router(tags=["preflight"])


def _asked(request: SignedIn, job_id: UUID, *, again: bool = False) -> Job:
    job = job_of(job_id)
    place = entered(job).place
    if place is not None:
        ask_weather_service(organisation=request.user.organisation, lon=place[0], lat=place[1], again=again)
    return job


@router.get("", response=LimitsPage, operation_id="limits", summary="All sheets of limits")
def page(request: SignedIn) -> object:
    """Return every sheet and what can be limited."""
    return queries.page()


@router.put("", response=LimitsPage, operation_id="save_limits", summary="Set the limits of a level")
def save(request: SignedIn, data: s.SheetIn) -> object:
    """Set the limits of a level, each change with its reason; 409 if somebody saved in between."""
    services.save_sheet(
        actor=request.user,
        level=data.level,
        rules=[LimitRule(key=r.key, least=r.least, most=r.most, why=r.why) for r in data.rules],
        version=data.version,
        aircraft_model_id=data.aircraft_model_id,
        work=data.work,
        job_id=data.job_id,
    )
    return queries.page()


@router.post("/starter", response=LimitsPage, operation_id="starter_limits", summary="Begin with usual values")
def starter(request: SignedIn) -> object:
    """Fill the sheets that are not there yet with usual values, marked to be checked."""
    services.begin_with_starter(actor=request.user)
    return queries.page()


@router.get("/sheets/{sheet_id}/history", response=list[SheetChange], operation_id="limits_history", summary="What was changed")
def history(request: SignedIn, sheet_id: UUID) -> object:
    """Return the changes of a sheet, newest first."""
    return queries.history_of(sheet_id)


@router.get("/gate/{job_id}", response=GateOut, operation_id="gate", summary="The weather window of a date for a job")
def gate(request: SignedIn, job_id: UUID, on: date, zone: str = "UTC", again: bool = False) -> object:
    """Return each hour of a date with its verdict; ``again`` asks the weather service now."""
    return queries.gate(_asked(request, job_id, again=again), on, queries.zone_of(zone))


@router.get("/moment/{job_id}", response=GateHour, operation_id="limits_moment", summary="The verdict of an hour")
def moment(request: SignedIn, job_id: UUID, at: Moment, aircraft_model_id: UUID | None = None) -> object:
    """Return the verdict of the hour for a job, with another aircraft if asked."""
    job = queries.with_aircraft(_asked(request, job_id), aircraft_model_id)
    return queries.moment(job, at)[1]


@router.get(
    "/moment/{job_id}/working/{key}", response=WorkingOut, operation_id="limits_working", summary="How a limit was judged"
)
def working(request: SignedIn, job_id: UUID, key: str, at: Moment) -> object:
    """Return the working of one judged limit."""
    return queries.working_of(job_of(job_id), at, key)


@preflight_router.get("", response=list[PreflightLine], operation_id="list_preflights", summary="Lists of the last days")
def lists(request: SignedIn) -> object:
    """Return the newest lists."""
    return queries.preflights()


@preflight_router.post("", response={201: PreflightOut}, operation_id="begin_preflight", summary="Begin a list")
def begin(request: SignedIn, data: s.PreflightStart) -> object:
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
    return 201, queries.preflight_view(row)


@preflight_router.get("/{preflight_id}", response=PreflightOut, operation_id="get_preflight", summary="A list as it stands")
def get(request: SignedIn, preflight_id: UUID) -> object:
    """Return a list with its verdict."""
    row = queries.preflight_of(preflight_id)
    _asked(request, row.job_id)
    return queries.preflight_view(row)


@preflight_router.get(
    "/{preflight_id}/known",
    response=dict[str, KnownValue],
    operation_id="known_of_preflight",
    summary="Numbers of a list that are known already",
)
def known(request: SignedIn, preflight_id: UUID) -> object:
    """Return by the key of its check what records, the plan, the running day and the aircraft tell, and where each is from."""
    return known_of_preflight(preflight_id)


@preflight_router.patch("/{preflight_id}", response=PreflightOut, operation_id="enter_preflight", summary="Enter checks")
def enter(request: SignedIn, preflight_id: UUID, data: s.EntriesIn) -> object:
    """Keep entries and return the verdict as it then stands."""
    remarks = {key: services.GivenRemark(r.answer, r.words) for key, r in data.remarks.items()}
    row = services.enter(actor=request.user, preflight_id=preflight_id, entries=data.entries, remarks=remarks)
    return queries.preflight_view(row)


@preflight_router.post(
    "/{preflight_id}/clear", response=PreflightOut, operation_id="clear_preflight", summary="Close a list that is a go"
)
def clear(request: SignedIn, preflight_id: UUID) -> object:
    """Close a list that is a go or a go with care."""
    return queries.preflight_view(services.clear(actor=request.user, preflight_id=preflight_id))


@preflight_router.post(
    "/{preflight_id}/override", response=PreflightOut, operation_id="override_preflight", summary="Override a no go"
)
def override(request: SignedIn, preflight_id: UUID, data: s.OverrideIn) -> object:
    """Override a no go and close the list, with a name and a reason; never past a hard floor."""
    row = services.override(actor=request.user, preflight_id=preflight_id, name=data.name, reason=data.reason)
    return queries.preflight_view(row)


@preflight_router.post(
    "/{preflight_id}/climb",
    response=PreflightOut,
    operation_id="decide_climb",
    summary="Go on or come back after the first climb",
)
def climb(request: SignedIn, preflight_id: UUID, data: s.ClimbIn) -> object:
    """End a list after the first climb and hover."""
    return queries.preflight_view(services.decide_climb(actor=request.user, preflight_id=preflight_id, go_on=data.go_on))
