"""Rehearsals of a day: begin one, steer its clock, let something go wrong. It is run by the routes of a running day."""

from __future__ import annotations

from uuid import UUID

from django.http import HttpRequest
from ninja import Router

from quarry.api.schemas import live as s
from quarry.apps.day import rehearsing, selectors

router = Router(tags=["rehearsals"])
fault_router = Router(tags=["rehearsals"])


@fault_router.get("/faults", response=list[s.FaultKind], operation_id="list_faults", summary="What can go wrong in a rehearsal")
def faults(request: HttpRequest) -> object:
    """Return what can go wrong, in words."""
    return selectors.faults()


@router.get("/{day_id}/rehearsals", response=list[s.RehearsalLine], operation_id="list_rehearsals", summary="Rehearsals of a day")
def listed(request: HttpRequest, day_id: UUID) -> object:
    """Return the rehearsals of a day, newest first."""
    return selectors.rehearsals_of(selectors.day_of(day_id))


@router.post("/{day_id}/rehearsals", response=s.RehearsalOut, operation_id="begin_rehearsal", summary="Rehearse a day")
def begin(request: HttpRequest, day_id: UUID, data: s.RehearsalIn) -> object:
    """Begin a rehearsal under the newest plan; it is run under an id of its own."""
    mine = rehearsing.begin(actor=request.user, day_id=day_id, **data.dict())
    return selectors.rehearsal_of(mine)


@router.get("/{day_id}/rehearsal", response=s.RehearsalAnswer, operation_id="rehearsal", summary="A rehearsal as it stands")
def rehearsal(request: HttpRequest, day_id: UUID) -> object:
    """Return its clock, who answers the calls, its faults and, at its end, what better answers would have given.

    Nothing for a day that is flown.
    """
    return {"rehearsal": selectors.rehearsal_of(day_id) if selectors.is_rehearsal(day_id) else None}


@router.patch("/{day_id}/rehearsal", response=s.RehearsalOut, operation_id="steer_rehearsal", summary="Set clock or crew")
def steer(request: HttpRequest, day_id: UUID, data: s.SteerIn) -> object:
    """Set how fast the clock runs, or who answers the calls."""
    rehearsing.steer(actor=request.user, day_id=day_id, speed=data.speed, by_hand=data.by_hand)
    return selectors.rehearsal_of(day_id)


@router.post("/{day_id}/faults", response=s.RehearsalOut, operation_id="let_go_wrong", summary="Let something go wrong")
def fault(request: HttpRequest, day_id: UUID, data: s.FaultNow) -> object:
    """Let a fault strike now, or as soon as there is something for it to strike."""
    rehearsing.let_go_wrong(actor=request.user, day_id=day_id, **data.dict())
    return selectors.rehearsal_of(day_id)


@router.delete("/{day_id}/rehearsal", response={204: None}, operation_id="put_rehearsal_away", summary="Put a rehearsal away")
def put_away(request: HttpRequest, day_id: UUID, back: bool = False) -> object:
    """Put it away, or with ``back`` bring it back."""
    rehearsing.put_away(actor=request.user, day_id=day_id, away=not back)
    return 204, None
