from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.history import archive, locked
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.search.models import SweepTrial


@transaction.atomic
def set_trial_archived(*, actor: User, trial_id: UUID, archived: bool) -> SweepTrial:
    """Archive a trial of sweep width or bring it back."""
    require(actor, "jobs:write")
    row = locked(SweepTrial, trial_id, "trial")
    archive(actor=actor, row=row, archived=archived, kind="sweep_trial", label=f"{row.sensor} over {row.cover}")
    return row
