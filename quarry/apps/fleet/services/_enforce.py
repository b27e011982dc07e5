"""Bring the factor of the lesson that stands to the thing it is of."""

from __future__ import annotations

from uuid import UUID

from quarry.apps.accounts.errors import DomainError
from quarry.apps.fleet.fields import learned_json
from quarry.apps.fleet.models import Aircraft, AircraftModel, Pack
from quarry.apps.fleet.queries import in_force, learned_of

_THINGS: dict[str, type[Aircraft] | type[AircraftModel] | type[Pack]] = {
    "aircraft": Aircraft,
    "aircraft model": AircraftModel,
    "pack": Pack,
}


def enforce(thing: str, thing_id: UUID | None, subject: str) -> None:
    """Set the factor of the lesson that stands on the thing it is of."""
    if thing not in _THINGS:
        return
    row = _THINGS[thing].objects.select_for_update().filter(pk=thing_id).first() if thing_id is not None else None
    if row is None:
        raise DomainError("not_found", "What this calibration is of is no longer in your fleet.")
    now = in_force(subject, thing_id)
    others = {k: v for k, v in row.learnt.items() if k != subject}
    row.learnt = others | ({subject: learned_json(learned_of(now))} if now is not None else {})
    row.version += 1
    row.save(update_fields=["learnt", "version"])
