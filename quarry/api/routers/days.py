"""Days."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from django.http import HttpResponse
from ninja import Router

from quarry.api.auth import SignedIn
from quarry.api.schemas import days as s
from quarry.api.schemas.base import WorkingOut
from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.day import exports, queries, services
from quarry.apps.day.models import Day
from quarry.apps.day.tasks import begin_search, search_again
from quarry.apps.day.views.plan import (
    DayAnswer,
    DayLines,
    DayPlanOut,
    DayPlanProblem,
    DaySort,
    PackingLine,
    VersionOut,
    WeekDayOut,
)
from quarry.apps.weather.services import ask_weather_service

router = Router(tags=["days"])


def _answer(day: Day, user: User | None = None) -> DayAnswer:
    for lon, lat in dict.fromkeys((round(x, 2), round(y, 2)) for x, y in queries.places_of(day)):
        ask_weather_service(organisation=day.organisation, lon=lon, lat=lat)
    try:
        kept, new = queries.plan_of(day, user)
        if new:
            begin_search(kept)
        plan = queries.plan_view(kept)
    except queries.PlanRefused as bad:
        problem = DayPlanProblem(bad.code, bad.message, bad.field)
        return DayAnswer(queries.day_view(day), None, problem, queries.problems_of(day))
    return DayAnswer(queries.day_view(day), plan, None, plan.problems)


def _figures(data: s.DayFigures) -> dict[str, Any]:
    return data.dict(by_alias=True)


@router.get("", response=DayLines, operation_id="list_days", summary="Days, page by page")
def list_days(
    request: SignedIn, search: str = "", archived: bool = False, sort: DaySort = "latest", cursor: str = "", size: int = 100
) -> object:
    """Return a page of days."""
    return queries.day_lines(search=search, archived=archived, sort=sort, cursor=cursor, size=size)


@router.post("", response={201: DayAnswer}, operation_id="add_day", summary="Make a day", by_alias=True)
def add_day(request: SignedIn, data: s.DayStart) -> object:
    """Make a day and plan it; what is left out begins with the usual figures and the packs that its jobs need."""
    return 201, _answer(
        services.start_day(actor=request.user, figures=data.dict(by_alias=True, exclude_unset=True)), request.user
    )


@router.get("/{day_id}", response=DayAnswer, operation_id="get_day", summary="A day with its plan", by_alias=True)
def get_day(request: SignedIn, day_id: UUID) -> object:
    """Return the day and its plan."""
    return _answer(queries.day_of(day_id))


@router.put("/{day_id}", response=DayAnswer, operation_id="save_day", summary="Save a day", by_alias=True)
def save_day(request: SignedIn, day_id: UUID, data: s.DaySave) -> object:
    """Save the day as it stands and return the new plan; 409 if somebody saved in between."""
    saved = services.save_day(actor=request.user, day_id=day_id, version=data.version, figures=_figures(data.day))
    return _answer(saved, request.user)


@router.post("/{day_id}/copy", response={201: DayAnswer}, operation_id="copy_day", summary="Copy a day", by_alias=True)
def copy_day(request: SignedIn, day_id: UUID, data: s.DayCopy) -> object:
    """Copy the day to another date."""
    return 201, _answer(services.copy_day(actor=request.user, day_id=day_id, to_date=data.date))


@router.delete("/{day_id}", response=DayAnswer, operation_id="archive_day", summary="Put a day away", by_alias=True)
def archive_day(request: SignedIn, day_id: UUID) -> object:
    """Archive the day; it can be restored."""
    return _answer(services.set_archived(actor=request.user, day_id=day_id, archived=True))


@router.post("/{day_id}/restore", response=DayAnswer, operation_id="restore_day", summary="Restore a day", by_alias=True)
def restore_day(request: SignedIn, day_id: UUID) -> object:
    """Restore an archived day."""
    return _answer(services.set_archived(actor=request.user, day_id=day_id, archived=False))


@router.post(
    "/{day_id}/search",
    response=DayAnswer,
    operation_id="search_again",
    summary="Search again for a better plan",
    by_alias=True,
)
def again(request: SignedIn, day_id: UUID) -> object:
    """Begin a search once more that was stopped or broken off."""
    search_again(services.stopped_plan(actor=request.user, day_id=day_id))
    return _answer(queries.day_of(day_id))


@router.delete(
    "/{day_id}/search",
    response=DayAnswer,
    operation_id="stop_search",
    summary="Stop searching for a better plan",
    by_alias=True,
)
def stop_search(request: SignedIn, day_id: UUID) -> object:
    """Stop the search; what it has found stays."""
    services.stop_search(actor=request.user, day_id=day_id)
    return _answer(queries.day_of(day_id))


@router.get("/{day_id}/plans", response=list[VersionOut], operation_id="list_day_plans", summary="The kept plans of a day")
def list_plans(request: SignedIn, day_id: UUID) -> object:
    """Return the plans of a day, newest first, each with what has changed since."""
    return queries.versions_of(queries.day_of(day_id))


@router.get("/{day_id}/plans/{number}", response=DayPlanOut, operation_id="get_day_plan", summary="One kept plan", by_alias=True)
def get_plan(request: SignedIn, day_id: UUID, number: int) -> object:
    """Return a kept plan as it was made."""
    return queries.plan_view(queries.version_of(queries.day_of(day_id), number))


@router.get("/{day_id}/week", response=list[WeekDayOut], operation_id="day_week", summary="The week of a day")
def week(request: SignedIn, day_id: UUID) -> object:
    """Return the days of the same week with what they fly."""
    return queries.week_of(queries.day_of(day_id))


@router.get("/{day_id}/packing", response=list[PackingLine], operation_id="day_packing", summary="What to take, from the plan")
def packing(request: SignedIn, day_id: UUID) -> object:
    """Return the packing list for the evening before."""
    try:
        return queries.packing_of(queries.day_of(day_id))
    except queries.PlanRefused as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad


@router.get("/{day_id}/out/{form}", operation_id="export_day", summary="The plan as PDF, iCalendar, CSV or JSON")
def export(request: SignedIn, day_id: UUID, form: str, number: int | None = None) -> HttpResponse:
    """Return the plan of a day as a file; ``number`` asks for a kept one."""
    try:
        content, name, media = exports.export_day(queries.day_of(day_id), form, number)
    except queries.PlanRefused as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    answer = HttpResponse(content, content_type=media)
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer


@router.get("/{day_id}/working/{key}", response=WorkingOut, operation_id="day_working", summary="The working of a number")
def working(request: SignedIn, day_id: UUID, key: str) -> object:
    """Return how a number of the plan came about."""
    return queries.working_of(queries.day_of(day_id), key)
