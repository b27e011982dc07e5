"""Reading the policy."""

from __future__ import annotations

from typing import Any

from quarry.apps.policy import bridge
from quarry.apps.policy.models import Policy


def policy() -> Policy | None:
    """Return the stored policy of the scope, if anything was ever set."""
    return Policy.objects.first()


def own_values() -> dict[str, Any]:
    """Return what the organisation of the scope set itself."""
    row = policy()
    return dict(row.own) if row else {}


def defaults() -> list[dict[str, object]]:
    """Return what new jobs, days and calculators begin with, each with unit, range and reason."""
    return bridge.defaults()


def page() -> dict[str, Any]:
    """Return the policy page."""
    row = policy()
    return {
        "version": row.version if row else 0,
        "currency": row.currency if row else "£",
        "settings": bridge.lines(row.own if row else {}),
    }
