"""Long lists at two sizes of the history: a page takes as long with ten times as much behind it."""

from __future__ import annotations

import subprocess
import sys
from datetime import timedelta
from uuid import uuid4

from bench.clock import ms, seconds, show
from bench.house import ROOT, house

SIZES = (25, 250)
PATHS = ("/api/days", "/api/jobs", "/api/packs", "/api/logbook", "/api/logbook/claims", "/api/logbook/totals")


def table() -> None:
    """Give a throwaway house more and more flown days, ask for each list, and print."""
    found: dict[str, list[float]] = {path: [] for path in PATHS}
    with house() as made:
        before = 0
        for size in SIZES:
            command = [sys.executable, "-m", "bench.lists", str(before), str(size)]
            subprocess.run(command, cwd=ROOT, env=made.env, check=True)
            before = size
            for path in PATHS:
                found[path].append(seconds(lambda path=path: made.ask("GET", path), runs=9))  # type: ignore[misc]
    head = ("list", *(f"{n} days flown" for n in SIZES), "ratio")
    show("Lists", head, [(path, *map(ms, found[path]), f"{found[path][1] / found[path][0]:.1f}") for path in PATHS])


def _more(before: int, until: int) -> None:
    """Add days flown as the demo's closed day was, each with a job of its own and a flight written down at a pack."""
    from django_scopes import scope

    from quarry.apps.accounts.models import Organisation
    from quarry.apps.care.models import PackRecord
    from quarry.apps.day.models import Day, DayRun
    from quarry.apps.fleet.models import Pack
    from quarry.apps.jobs.models import Job

    with scope(organisation=Organisation.objects.get()):
        run = DayRun.objects.exclude(flown=None).order_by("started_at").first()
        pack, job = Pack.objects.order_by("name").first(), Job.objects.order_by("name").first()
        if run is None or pack is None or job is None:
            raise SystemExit("The demo has no day that was flown.")
        for k in range(before, until):
            copy = Job.objects.get(pk=job.pk)
            copy.pk, copy.name = uuid4(), f"{job.name} {k}"
            copy.save(force_insert=True)
            day = Day.objects.get(pk=run.day_id)
            day.pk, day.name, day.date = uuid4(), f"Flown {k}", run.day.date - timedelta(days=2 + k)
            day.save(force_insert=True)
            again = DayRun.objects.get(pk=run.pk)
            again.pk, again.day = None, day
            again.save(force_insert=True)
            for sortie in run.landed.all():
                sortie.pk, sortie.run, sortie.record_keys = None, again, []
                sortie.took_off_at -= timedelta(days=2 + k)
                sortie.save(force_insert=True)
            figures = {"flown_s": 600.0, "from_frac": 1.0, "to_frac": 0.4}
            at = run.started_at - timedelta(days=2 + k)
            PackRecord.objects.create(
                pack=pack, organisation=run.organisation, key=uuid4(), kind="flight", at=at, figures=figures, by=run.started_by
            )


if __name__ == "__main__":
    import django

    django.setup()
    _more(int(sys.argv[1]), int(sys.argv[2]))
