from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.search import mappers
from quarry.apps.search.fields import TrialFields
from quarry.apps.search.models import SweepTrial


@transaction.atomic
def keep_trial(*, actor: User, of: TrialFields, passes: Sequence[tuple[float, bool]]) -> SweepTrial:
    """Keep a trial of sweep width; searches over such ground with such a sensor count with it from now on.

    Raises
    ------
    DomainError
        The passes say too little.
    """
    require(actor, "jobs:write")
    try:
        found = mappers.trial_of(passes)
    except mappers.SearchError as bad:
        raise DomainError(bad.code, bad.message, "passes") from bad
    row = SweepTrial.objects.create(
        organisation=actor.organisation,
        sensor=of.sensor,
        cover=of.cover,
        target=of.target.strip()[:60],
        height_m=of.height_m,
        speed_m_s=of.speed_m_s,
        light=of.light.strip()[:60],
        passes=[[d, seen] for d, seen in passes],
        width_m=found.width_m,
        low_m=found.low_m,
        high_m=found.high_m,
        by=actor,
    )
    record(actor=actor, action="sweep_trial.added", row=row, label=f"{of.sensor} over {of.cover}: {found.width_m:.0f} m")
    return row
