"""Background work of the logbook: reading logs in."""

from __future__ import annotations

from datetime import datetime, timedelta
from uuid import UUID

from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone
from django_scopes import scope, scopes_disabled
from procrastinate.contrib.django import app

from quarry.apps.accounts import retention
from quarry.apps.accounts.models import User
from quarry.apps.background import BROKEN_OFF, Kind, Tidying, register, register_tidying
from quarry.apps.logbook import services
from quarry.apps.logbook.importer import give_another_try, run_import
from quarry.apps.logbook.models import FlightSamples, Import, LogData, LogFile, Source
from quarry.apps.logbook.queries.logs import to_be_read
from quarry.apps.logbook.views import ReadWaiting

UNDER_WAY = ("waiting", "reading")
KEPT_FILE = timedelta(days=7)  # how long what was broken off can be tried again
AT_ONCE_BYTES, AT_ONCE_FILES = 400_000, 4


def begin_run(row: Import, size: int, *, packed: bool) -> None:
    """Read a small log in at once; queue a large one and every archive."""
    if size <= AT_ONCE_BYTES and not packed:
        run_import(row.pk)
    else:
        read_logs_in.defer(import_id=str(row.pk))


def _begin_again(row: Import) -> None:
    Import.objects.filter(pk=row.pk).update(state="waiting")
    read_logs_in.defer(import_id=str(row.pk))


def _give_up(row: Import) -> None:
    Import.objects.filter(pk=row.pk).update(state="refused", words=BROKEN_OFF)


register(
    Kind(
        "read_logs_in",
        "import_id",
        lambda: Import.objects.filter(state__in=UNDER_WAY).defer("data"),
        _begin_again,
        _give_up,
    )
)


def _clear_files() -> int:
    """Take the files of imports away that ended long ago; what is said of them stays, and that the file is to be dropped again."""
    ended = Import.objects.exclude(state__in=UNDER_WAY).exclude(data=b"").filter(made_at__lt=timezone.now() - KEPT_FILE)
    ended.filter(tries__gt=0).update(words="It was broken off, and its file is no longer kept. Drop it once more.")
    return ended.update(data=b"", tries=0)


register_tidying(Tidying("files of imports of logs", _clear_files))


def _samples(before: datetime) -> QuerySet[FlightSamples]:
    return FlightSamples.objects.filter(flight__began_at__lt=before)


def _log_files(before: datetime) -> QuerySet[LogData]:
    return LogData.objects.filter(file__flights__began_at__lt=before).exclude(file__flights__began_at__gte=before).distinct()


def _clear_log_files(before: datetime) -> int:
    return int(LogData.objects.filter(pk__in=list(_log_files(before).values_list("pk", flat=True))).delete()[0])


retention.register_kind(
    retention.Kind(
        "log_samples",
        "Samples of logged flights",
        "Flights with their figures, phases and tracks stay; their curves cannot be drawn or compared any more.",
        _samples,
        "flight__began_at",
        lambda before: _samples(before).delete()[0],
    )
)
retention.register_kind(
    retention.Kind(
        "log_files",
        "Log files as they were imported",
        "What was read from them stays; they cannot be read anew.",
        _log_files,
        "file__flights__began_at",
        _clear_log_files,
    )
)


def begin_again(actor: User, import_id: UUID) -> None:
    """Read an import that was given up once more."""
    with transaction.atomic():
        _begin_again(give_another_try(actor=actor, import_id=import_id))


def begin_waiting(actor: User, file: LogFile) -> ReadWaiting:
    """Read the logs that the same answer is for: a few at once, more on the queue; returns what came of them."""
    count = len(to_be_read(file.source))
    if count <= AT_ONCE_FILES:
        return services.read_waiting(actor=actor, source=file.source)
    read_waiting.defer(source_id=str(file.source_id), actor_id=actor.pk)
    return ReadWaiting(0, [], count)


@app.task(name="read_waiting", queue="tables")
def read_waiting(source_id: str, actor_id: int) -> None:
    """Read every log of a kind whose columns have been told."""
    with scopes_disabled():
        source = Source.objects.select_related("organisation").filter(pk=UUID(source_id)).first()
        actor = User.objects.filter(pk=actor_id).first()
    if source is not None and actor is not None:
        with scope(organisation=source.organisation):
            services.read_waiting(actor=actor, source=source)


@app.task(name="read_logs_in", queue="tables")
def read_logs_in(import_id: str) -> None:
    """Read a kept import."""
    with scopes_disabled():
        row = Import.objects.select_related("organisation").defer("data").filter(pk=UUID(import_id)).first()
    if row is not None:
        with scope(organisation=row.organisation):
            run_import(row.pk)
