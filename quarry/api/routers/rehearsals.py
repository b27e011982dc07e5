"""Rehearsals of a day: begin one, steer its clock, let something go wrong. It is run by the routes of a running day."""

from __future__ import annotations

from uuid import UUID

from ninja import Router

from quarry.api.auth import SignedIn
from quarry.api.schemas import live as s
from quarry.apps.day import queries, services
from quarry.apps.day.views.live import FaultKind, RehearsalLine, RehearsalOut

router = Router(tags=["rehearsals"])
fault_router = Router(tags=["rehearsals"])


@fault_router.get("/faults", response=list[FaultKind], operation_id="list_faults", summary="What can go wrong in a rehearsal")
def faults(request: SignedIn) -> object:
    """Return what can go wrong, in words."""
    return queries.faults()


@router.get("/{day_id}/rehearsals", response=list[RehearsalLine], operation_id="list_rehearsals", summary="Rehearsals of a day")
def listed(request: SignedIn, day_id: UUID) -> object:
    """Return the rehearsals of a day, newest first."""
    return queries.rehearsals_of(queries.day_of(day_id))


@router.post("/{day_id}/rehearsals", response=RehearsalOut, operation_id="begin_rehearsal", summary="Rehearse a day")
def begin(request: SignedIn, day_id: UUID, data: s.RehearsalIn) -> object:
    """Begin a rehearsal under the newest plan; it is run under an id of its own."""
    faults = [services.FaultGiven(f.kind, f.at_s, f.about, f.length_s) for f in data.faults]
    mine = services.begin_rehearsal(
        actor=request.user, day_id=day_id, speed=data.speed, by_hand=data.by_hand, seed=data.seed, faults=faults
    )
    return queries.rehearsal_of(mine)


@router.get("/{day_id}/rehearsal", response=s.RehearsalAnswer, operation_id="rehearsal", summary="A rehearsal as it stands")
def rehearsal(request: SignedIn, day_id: UUID) -> object:
    """Return its clock, who answers the calls, its faults and, at its end, what better answers would have given.

    Nothing for a day that is flown.
    """
    return {"rehearsal": queries.rehearsal_of(day_id) if queries.is_rehearsal(day_id) else None}


@router.patch("/{day_id}/rehearsal", response=RehearsalOut, operation_id="steer_rehearsal", summary="Set clock or crew")
def steer(request: SignedIn, day_id: UUID, data: s.SteerIn) -> object:
    """Set how fast the clock runs, or who answers the calls."""
    services.steer_rehearsal(actor=request.user, day_id=day_id, speed=data.speed, by_hand=data.by_hand)
    return queries.rehearsal_of(day_id)


@router.post("/{day_id}/faults", response=RehearsalOut, operation_id="let_go_wrong", summary="Let something go wrong")
def fault(request: SignedIn, day_id: UUID, data: s.FaultNow) -> object:
    """Let a fault strike now, or as soon as there is something for it to strike."""
    services.let_go_wrong(actor=request.user, day_id=day_id, **data.dict())
    return queries.rehearsal_of(day_id)


@router.delete("/{day_id}/rehearsal", response={204: None}, operation_id="put_rehearsal_away", summary="Put a rehearsal away")
def put_away(request: SignedIn, day_id: UUID, back: bool = False) -> object:
    """Archive it, or with ``back`` restore it."""
    services.put_rehearsal_away(actor=request.user, day_id=day_id, away=not back)
    return 204, None
