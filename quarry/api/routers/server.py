"""How the server does: for the lead of a company, who tells whoever runs it."""

from __future__ import annotations

from dataclasses import asdict

from ninja import Router

from quarry.api.auth import SignedIn
from quarry.api.schemas.people import ServerOut
from quarry.apps import health
from quarry.apps.accounts.permissions import require

router = Router(tags=["server"])


@router.get("/server", response=ServerOut, operation_id="server", summary="How the server does")
def server(request: SignedIn) -> object:
    """Return what was looked at just now, and the version that runs."""
    require(request.user, "server:read")
    return {"version": health.version(), "checks": [asdict(c) for c in health.all_checks()]}
