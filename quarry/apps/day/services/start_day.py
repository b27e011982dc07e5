from __future__ import annotations

from django.db import transaction

from quarry.apps.accounts.fields import Entered
from quarry.apps.accounts.models import User
from quarry.apps.day import mappers
from quarry.apps.day.models import Day
from quarry.apps.day.services._entering import entered, kinds_flown, serviceable
from quarry.apps.day.services.add_day import add_day
from quarry.apps.fleet.models import Charger, Supply
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import home_height_m


@transaction.atomic
def start_day(*, actor: User, figures: Entered) -> Day:
    """Make a day of what was said; what was not begins with the usual figures, the chargers, and the packs that its jobs need.

    Without a job, all serviceable packs come along. What stays at home is left out afterwards. A supply that was said to be
    none is none. The site lies as high as the highest home of its jobs for which there is terrain.
    """
    said = {k: v for k, v in figures.items() if v is not None or k == "supply_id"}
    begun = {d.key.removeprefix("day."): d.value for d in mappers.DAY_DEFAULTS}
    jobs = entered(said).jobs
    kinds = kinds_flown(jobs)
    able = serviceable().filter(model__in=kinds) if kinds else serviceable()
    usual: Entered = {
        "pauses": [],
        "methods": {},
        "pins": [],
        "supply_id": Supply.objects.filter(archived_at=None).order_by("name").values_list("pk", flat=True).first(),
        "charger_ids": list(Charger.objects.filter(archived_at=None).values_list("pk", flat=True)),
        "crew_ids": [actor.pk],
        "packs": [{"pack_id": pk, "start_frac": frac} for pk, frac in able.values_list("pk", "charge_frac")],
    }
    heights = [h for job in Job.objects.filter(pk__in=[j.job_id for j in jobs]) if (h := home_height_m(job)) is not None]
    there = {"elevation_m": float(round(max(heights)))} if heights else {}
    return add_day(actor=actor, figures={**begun, **usual, **there, **said})
