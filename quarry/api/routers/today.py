"""The first screen."""

from __future__ import annotations

from ninja import Router

from quarry.api.auth import SignedIn
from quarry.apps.today import queries
from quarry.apps.today.views import Found, TodayOut

router = Router(tags=["today"])


@router.get("", response=TodayOut, operation_id="today", summary="What runs, flies next, is due and asks")
def today(request: SignedIn) -> object:
    """Return what the first screen shows: the running day, the next days, what is due, what needs an answer, and setting up."""
    return queries.today(request.user)


@router.get("/find", response=list[Found], operation_id="find", summary="What goes by a name")
def find(request: SignedIn, q: str = "") -> object:
    """Return packs, jobs, days, aircraft, chargers, people and settings whose name holds some words."""
    return queries.find(request.user, q[:60])
