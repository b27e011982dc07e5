"""Background work of packs: large tables, and folding every pack anew after a change of the policy."""

from __future__ import annotations

from datetime import timedelta
from uuid import UUID

from django.db import transaction
from django.utils import timezone
from django_scopes import scope, scopes_disabled
from procrastinate.contrib.django import app

from quarry.apps.accounts.models import Organisation, User
from quarry.apps.background import BROKEN_OFF, Kind, Tidying, register, register_tidying
from quarry.apps.care.importer import AT_ONCE_BYTES, give_another_try, run_import
from quarry.apps.care.models import PackSnapshot, TableImport
from quarry.apps.care.services import refresh_all

AT_ONCE_PACKS = 400
UNDER_WAY = ("waiting", "checking", "writing")
KEPT_FILE = timedelta(days=7)  # how long what was broken off can be tried again


def begin_run(table_import: TableImport) -> None:
    """Read a small table in at once; queue a large one."""
    if len(table_import.data) <= AT_ONCE_BYTES:
        run_import(table_import.pk)
    else:
        read_table_in.defer(import_id=str(table_import.pk))


def _begin_again(row: TableImport) -> None:
    TableImport.objects.filter(pk=row.pk).update(state="waiting", done=0)
    read_table_in.defer(import_id=str(row.pk))


def _give_up(row: TableImport) -> None:
    TableImport.objects.filter(pk=row.pk).update(state="refused", words=BROKEN_OFF)


register(
    Kind(
        "read_table_in",
        "import_id",
        lambda: TableImport.objects.filter(state__in=UNDER_WAY).defer("data"),
        _begin_again,
        _give_up,
    )
)


def _clear_files() -> int:
    """Take the files of imports away that ended long ago; what is said of them stays, and that the file is to be dropped again."""
    ended = TableImport.objects.exclude(state__in=UNDER_WAY).exclude(data=b"").filter(made_at__lt=timezone.now() - KEPT_FILE)
    ended.filter(tries__gt=0).update(words="It was broken off, and its file is no longer kept. Drop it once more.")
    return ended.update(data=b"", tries=0)


register_tidying(Tidying("files of imports of tables", _clear_files))


def begin_again(actor: User, import_id: UUID) -> None:
    """Read a table that was given up once more."""
    with transaction.atomic():
        _begin_again(give_another_try(actor=actor, import_id=import_id))


def after_policy(organisation: Organisation) -> None:
    """Judge old readings by the new policy: at once for a usual shelf, on the queue for a very large one."""
    if PackSnapshot.objects.count() <= AT_ONCE_PACKS:
        refresh_all(actor=None)
    else:
        fold_anew.defer(organisation_id=str(organisation.pk))


@app.task(name="read_table_in", queue="tables")
def read_table_in(import_id: str) -> None:
    """Read a kept table in."""
    with scopes_disabled():
        row = TableImport.objects.select_related("organisation").defer("data").filter(pk=UUID(import_id)).first()
    if row is not None:
        with scope(organisation=row.organisation):
            run_import(row.pk)


@app.task(name="fold_anew", queue="tables")
def fold_anew(organisation_id: str) -> None:
    """Fold every pack of an organisation anew."""
    with scope(organisation=Organisation.objects.get(pk=UUID(organisation_id))):
        refresh_all(actor=None)
