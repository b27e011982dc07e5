from __future__ import annotations

from django.db import transaction

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.limits import mappers
from quarry.apps.limits.models import LimitSheet
from quarry.apps.limits.services._sheets import sheet_for_writing
from quarry.apps.limits.services.save_sheet import save_sheet


@transaction.atomic
def begin_with_starter(*, actor: User) -> list[LimitSheet]:
    """Fill the sheets of the company and of each kind of work that are not there yet with usual values."""
    require(actor, "limits:write")
    made = []
    for level, work in (("organisation", ""), ("work", "mapping"), ("work", "spraying"), ("work", "search")):
        row = sheet_for_writing(actor, level, None, work, None)
        if row.version == 0:
            made.append(save_sheet(actor=actor, level=level, work=work, rules=mappers.starter(level, work), version=0))
    return made
