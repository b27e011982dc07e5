"""Background work of the logbook: reading logs in."""

from __future__ import annotations

from uuid import UUID

from django_scopes import scope, scopes_disabled
from procrastinate.contrib.django import app

from quarry.apps.logbook.intake import run_import
from quarry.apps.logbook.models import Import

AT_ONCE_BYTES = 400_000


def begin_run(row: Import, size: int, *, packed: bool) -> None:
    """Read a small log in at once; queue a large one and every archive."""
    if size <= AT_ONCE_BYTES and not packed:
        run_import(row.pk)
    else:
        read_logs_in.defer(import_id=str(row.pk))


@app.task(name="read_logs_in", queue="tables")
def read_logs_in(import_id: str) -> None:
    """Read a kept import."""
    with scopes_disabled():
        row = Import.objects.select_related("organisation").defer("data").filter(pk=UUID(import_id)).first()
    if row is not None:
        with scope(organisation=row.organisation):
            run_import(row.pk)
