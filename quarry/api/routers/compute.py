"""Calculators over HTTP."""

from __future__ import annotations

import json
from typing import Any

from ninja import Router, Schema

from quarry.api.auth import SignedIn
from quarry.apps.accounts.errors import DomainError
from quarry.apps.links import give_back_link
from quarry.compute.catalogue import CALCULATORS
from quarry.compute.catalogue import compute as run

router = Router(tags=["compute"])
_MOST_BYTES = 2_000_000


class CalculatorLine(Schema):
    """A calculator."""

    name: str
    summary: str


@router.get("", response=list[CalculatorLine], operation_id="list_calculators", summary="All calculators")
def calculators(request: SignedIn) -> object:
    """Return names and summaries."""
    return [{"name": c.name, "summary": c.summary} for c in CALCULATORS.values()]


@router.post("/{name}", response=dict[str, Any], operation_id="compute", summary="Run a calculator")
def compute(request: SignedIn, name: str) -> object:
    """Run a calculator on a JSON object of at most 2 MB, in a worker thread of the server."""
    if len(request.body) > _MOST_BYTES:
        raise DomainError("too_large", "The input is larger than 2 MB. Send less at once, or use the command line.", "")
    if name not in CALCULATORS:
        raise DomainError("not_found", f"There is no calculator called {name}.")
    try:
        data = json.loads(request.body or b"{}")
    except ValueError as bad:
        raise DomainError("invalid", f"The input is not JSON: {bad}.") from bad
    if not isinstance(data, dict):
        raise DomainError("invalid", "The input must be a JSON object.")
    if isinstance(data.get("time_limit_s"), int | float):
        data["time_limit_s"] = min(float(data["time_limit_s"]), 5.0)
    give_back_link()
    return run(name, data)
