"""Reading the policy."""

from __future__ import annotations

from quarry.apps.policy import mappers
from quarry.apps.policy.models import Policy
from quarry.apps.policy.views import DefaultOut, PolicyOut


def policy() -> Policy | None:
    """Return the stored policy of the scope, if anything was ever set."""
    return Policy.objects.first()


def own_values() -> mappers.OwnValues:
    """Return what the organisation of the scope set itself, by the key of its setting."""
    row = policy()
    return mappers.values(mappers.own_from(row.own)) if row else {}


def defaults() -> list[DefaultOut]:
    """Return what new jobs, days and calculators begin with, each with unit, range and reason."""
    return mappers.defaults()


def page() -> PolicyOut:
    """Return the policy page."""
    row = policy()
    return PolicyOut(
        version=row.version if row else 0,
        settings=mappers.lines(mappers.own_from(row.own) if row else {}),
    )
