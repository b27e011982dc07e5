from __future__ import annotations

import logging

from django.db import transaction
from django.db.models import Q

from quarry.apps.day.models import DayRun
from quarry.apps.day.queries import read_run, run_of
from quarry.apps.day.repository import FLOWN_SCHEMA
from quarry.apps.day.services._landed import keep_landed

logger = logging.getLogger(__name__)


def refresh_flown() -> int:
    """Read anew what was flown on days that another version kept; returns how many. Nobody asks for it: a new version does.

    A day that this version cannot read is logged and left as it is; the others are read.
    """
    old = DayRun.objects.filter(Q(flown=None) | ~Q(flown__schema=FLOWN_SCHEMA))
    days = list(old.values_list("day_id", flat=True))
    read = 0
    for day_id in days:
        try:
            with transaction.atomic():
                run = run_of(day_id, lock=True)
                keep_landed(run, read_run(run))
                run.save(update_fields=["flown"])
        except Exception:
            logger.exception("Day %s cannot be read anew: it is not in the logbook", day_id)
        else:
            read += 1
    return read
