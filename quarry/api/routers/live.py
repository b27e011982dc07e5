"""A day being flown: begin it, tell what happens, see it as it stands, close it."""

from __future__ import annotations

from typing import Literal
from uuid import UUID

from ninja import Router

from quarry.api.auth import SignedIn
from quarry.api.cached import cached_answer
from quarry.api.schemas import live as s
from quarry.apps.day import queries, services
from quarry.apps.day.tasks import begin_run_search
from quarry.apps.day.views.live import CourseOut, EndingOut, EventsOut, LiveOut, RecordedEvent, RefusedEvent, SummaryOut
from quarry.apps.spraying.services import close_day

router = Router(tags=["live"])


@router.post("/{day_id}/live", response=LiveOut, operation_id="start_day", summary="Begin to fly a day")
def start(request: SignedIn, day_id: UUID, how: Literal["", "now"] = "") -> object:
    """Begin the day under its newest plan; one that runs goes on. At another time than its own it asks; ``now`` moves it."""
    return queries.live_of(services.start_run(actor=request.user, day_id=day_id, how=how).day)


@router.delete("/{day_id}/live", response={204: None}, operation_id="undo_start", summary="Take a beginning back")
def undo_start(request: SignedIn, day_id: UUID) -> object:
    """Take the beginning of a day back while nothing has happened."""
    services.undo_start(actor=request.user, day_id=day_id)
    return 204, None


@router.get("/{day_id}/ending", response=EndingOut, operation_id="day_ending", summary="What ending a day would write")
def ending(request: SignedIn, day_id: UUID) -> object:
    """Return what goes to records if the day is ended now, what stays undone, and what stands in the way."""
    return queries.ending_of(queries.day_of(day_id))


@router.get("/{day_id}/live", response=s.LiveAnswer, operation_id="live_day", summary="A running day as it stands")
def live(request: SignedIn, day_id: UUID) -> object:
    """Return calls, alerts, packs and ports as they stand now; nothing while the day has not begun."""
    return cached_answer(day_id)


@router.post("/{day_id}/events", response=EventsOut, operation_id="tell_day", summary="Tell what has happened")
def tell(request: SignedIn, day_id: UUID, data: s.EventsIn) -> object:
    """Take events; one that was told before is taken once, one that cannot be is refused by itself."""
    answer = services.post_events(
        actor=request.user,
        day_id=day_id,
        device=data.device,
        device_now=data.device_now,
        events=[services.PostedEvent(e.key, e.kind, e.at, e.figures, e.under) for e in data.events if isinstance(e, s.EventIO)],
        unreadable=[RefusedEvent(e.key, e.detail, e.field) for e in data.events if isinstance(e, s.Unreadable)],
    )
    if answer.turned:
        begin_run_search(queries.run_of(day_id))
    return answer


@router.get("/{day_id}/course", response=CourseOut, operation_id="day_course", summary="A running day, drawn")
def course(request: SignedIn, day_id: UUID) -> object:
    """Return what happened and what is planned from now on, as a planned day is drawn."""
    return queries.course_of(queries.day_of(day_id))


@router.get("/{day_id}/events", response=list[RecordedEvent], operation_id="day_events", summary="All that was told of a day")
def events(request: SignedIn, day_id: UUID, after: int = 0) -> object:
    """Return the events of a day in the order in which they came, after one of them."""
    return queries.recorded_events(queries.day_of(day_id), after)


def _reported(about: str, reading: s.TelemetryIO | s.PortIO) -> services.Reported:
    figures = reading.dict(exclude={"flight", "port", "at"}, exclude_none=True)
    return services.Reported(about, reading.at, figures)


@router.post(
    "/{day_id}/telemetry",
    response={204: None},
    operation_id="day_telemetry",
    summary="Readings from the air",
)
def telemetry(request: SignedIn, day_id: UUID, data: s.TelemetryIn) -> object:
    """Keep the newest reading of each sortie in the air."""
    services.post_telemetry(
        actor=request.user,
        day_id=day_id,
        device_now=data.device_now,
        readings=[*(_reported(r.flight, r) for r in data.readings), *(_reported(f"port {r.port}", r) for r in data.ports)],
    )
    return 204, None


@router.post(
    "/{day_id}/close",
    response=SummaryOut,
    operation_id="close_day",
    summary="Close a flown day",
)
def close(request: SignedIn, day_id: UUID, data: s.CloseIn | None = None) -> object:
    """Close the day into the records of its packs and of what was sprayed; what these lack is asked for, or why it stays open."""
    return close_day(actor=request.user, day_id=day_id, without=data.without if data else "")


@router.get("/{day_id}/summary", response=SummaryOut, operation_id="day_summary", summary="How a day went")
def summary(request: SignedIn, day_id: UUID) -> object:
    """Return how the day went so far."""
    return queries.summary_of(queries.day_of(day_id))
