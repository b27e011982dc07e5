"""What was seen of packs at landings goes to their records at once, and is taken back with the landing."""

from __future__ import annotations

from uuid import UUID

from quarry.apps.accounts.models import User
from quarry.apps.care.queries import standing_looks
from quarry.apps.care.services import add_record
from quarry.apps.day import mappers


def keep_looks(actor: User, reading: mappers.Reading) -> None:
    """Write a look for each pack that came down wet or swollen; withdraw those whose landing no longer says so."""
    run = reading.run
    if run.day.rehearsal_of_id is not None:
        return
    wanted = mappers.looks_of(reading)
    written = standing_looks(str(run.pk))
    for look in wanted:
        if look.key not in written:
            add_record(
                actor=actor, pack_id=UUID(look.pack_id), kind="look", figures=look.figures, note=run.day.name, key=look.key
            )
    for key, pack_id in written.items():
        if key not in {look.key for look in wanted}:
            words = {"words": f"landing corrected, {run.day.name}"[:160]}
            add_record(actor=actor, pack_id=pack_id, kind="withdrawal", figures=words, corrects=key)
