"""Verdicts for 10,000 packs with 200 records each, against the time only to load them from the database."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
import uuid
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from itertools import groupby
from pathlib import Path

from bench.clock import show
from quarry.project.cluster import Cluster, new_password

ROOT = Path(__file__).parents[1]
PACKS, EACH = 10_000, 200


def table(packs: int = PACKS) -> None:
    """Fill a throwaway server, load, judge, print, and end it."""
    folder = Path(tempfile.mkdtemp(prefix="gq-"))
    folder.chmod(0o755)
    cluster = Cluster(folder / "pg", new_password(), throwaway=True)
    try:
        cluster.start(55_700)
        password = new_password()
        cluster.ensure_database("shelf", password, "shelf")
        env = {**os.environ, "QUARRY_DATABASE_URL": cluster.url("shelf", password, "shelf"), "QUARRY_SECRET_KEY": "b" * 50}
        subprocess.run([sys.executable, str(ROOT / "manage.py"), "migrate", "-v", "0"], cwd=ROOT, env=env, check=True)
        command = [sys.executable, "-m", "bench.shelf", str(packs)]
        subprocess.run(command, cwd=ROOT, env={**env, "DJANGO_SETTINGS_MODULE": "quarry.project.settings"}, check=True)
    finally:
        cluster.stop()
        shutil.rmtree(folder, ignore_errors=True)


def _timed(what: Callable[[], int]) -> tuple[float, int]:
    began = time.perf_counter()
    count = what()
    return time.perf_counter() - began, count


def _fill(organisation: object, packs: int) -> None:
    """Copy the simulated years of the demo, each cut or repeated to 200 records, onto so many packs."""
    from django.db import connection

    from quarry.apps.care import mappers
    from quarry.apps.care.models import PackRecord, PackSnapshot
    from quarry.apps.fleet.models import Pack, PackModel
    from quarry.core.packs.policy import PackPolicy
    from quarry.simulators import scene
    from quarry.simulators.histories import year_of

    now = datetime.now(UTC)
    lives = [life for life in scene.LIVES if life.cells == 6]
    model = PackModel.objects.create(organisation=organisation, name="K6", cells=6, capacity_ah=16.0)
    made = Pack.objects.bulk_create([Pack(organisation=organisation, model=model, name=f"{k:05d}") for k in range(packs)], 2000)
    rows = []
    for life in lives:
        year = year_of(life, now, scene.SEED)
        year = (year * (EACH // len(year) + 1))[:EACH]
        apart = ("pack", "kind", "at", "by", "note")
        rows.append([(r["kind"], r["at"], json.dumps({k: v for k, v in r.items() if k not in apart})) for r in year])
    with (
        connection.cursor() as c,
        c.copy(
            "COPY care_packrecord (organisation_id, key, pack_id, kind, at, figures, note, by_name, written_at) FROM STDIN"
        ) as out,
    ):
        for k, pack in enumerate(made):
            for kind, at, figures in rows[k % len(rows)]:
                out.write_row((organisation.pk, uuid.uuid4(), pack.pk, kind, at, figures, "", "", now))  # type: ignore[attr-defined]
    policy = PackPolicy()
    kept = [mappers.kept(mappers.story_of(p, PackRecord.objects.filter(pack=p), policy)) for p in made[: len(rows)]]
    PackSnapshot.objects.bulk_create(
        [PackSnapshot(organisation=organisation, pack=p, digest=kept[k % len(kept)]) for k, p in enumerate(made)], 2000
    )
    with connection.cursor() as c:
        c.execute("VACUUM ANALYZE care_packrecord")


def _measure(packs: int) -> None:
    import django

    django.setup()
    from django_scopes import scope

    from quarry.apps.accounts.models import Organisation
    from quarry.apps.care import mappers, queries
    from quarry.apps.care.models import PackRecord
    from quarry.apps.fleet.models import Pack

    organisation = Organisation.objects.create(name="Bench")
    with scope(organisation=organisation):
        _fill(organisation, packs)
        policy, today = queries.policy(), queries.today()
        by_id = {p.pk: p for p in Pack.objects.select_related("model")}

        def raw() -> Iterator[tuple[uuid.UUID, Iterator[PackRecord]]]:
            rows = PackRecord.objects.order_by("pack_id", "id").iterator(chunk_size=5000)
            return groupby(rows, key=lambda r: r.pack_id)

        def only_load() -> int:
            return sum(1 for _, rows in raw() for _ in rows)

        def fold_and_judge() -> int:
            return sum(1 for pk, rows in raw() if mappers.judge(mappers.story_of(by_id[pk], rows, policy), policy, today).level)

        loaded, count = _timed(only_load)
        folded, _ = _timed(fold_and_judge)
        shelf, _ = _timed(lambda: len(queries.shelf().packs))
    show(
        f"Shelf: {packs:,} packs, {count:,} records",
        ["", "seconds", "of loading"],
        [
            ["only load all records", f"{loaded:.1f}", "1.00"],
            ["load, fold and judge all", f"{folded:.1f}", f"{folded / loaded:.2f}"],
            ["the shelf as it is served: kept digests, verdict, care, sets", f"{shelf:.1f}", f"{shelf / loaded:.2f}"],
        ],
    )


if __name__ == "__main__":
    _measure(int(sys.argv[1]))
