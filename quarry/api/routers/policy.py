"""The policy of the organisation."""

from __future__ import annotations

from ninja import Router

from quarry.api.auth import SignedIn
from quarry.api.schemas import packs as s
from quarry.apps.care.tasks import after_policy
from quarry.apps.policy import queries, services
from quarry.apps.policy.views import DefaultOut, PolicyOut

router = Router(tags=["policy"])


@router.get("", response=PolicyOut, operation_id="policy", summary="Thresholds and methods")
def policy(request: SignedIn) -> object:
    """Return every setting with default, reason, and what was set otherwise by whom."""
    return queries.page()


@router.get("/defaults", response=list[DefaultOut], operation_id="defaults", summary="What things begin with")
def defaults(request: SignedIn) -> object:
    """Return the figures that new jobs, days and calculators begin with, each with unit, range and reason."""
    return queries.defaults()


@router.put("", response=PolicyOut, operation_id="set_policy", summary="Change the policy")
def set_policy(request: SignedIn, data: s.PolicyIn) -> object:
    """Change settings, each with its reason; every pack is judged anew."""
    services.set_policy(
        actor=request.user,
        version=data.version,
        changes=[services.Change(c.key, c.value, c.why) for c in data.changes],
    )
    after_policy(request.user.organisation)
    return queries.page()
