from __future__ import annotations

from quarry.apps.accounts.models import User


def set_preferences(*, actor: User, units: str | None, light: str | None, gloves: bool | None) -> User:
    """Set how the person wants to see things."""
    if units is not None:
        actor.units = units
    if light is not None:
        actor.light = light
    if gloves is not None:
        actor.gloves = gloves
    actor.save(update_fields=["units", "light", "gloves"])
    return actor
