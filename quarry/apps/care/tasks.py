"""Background work of packs: large tables, and folding every pack anew after a change of the policy."""

from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django_scopes import scope, scopes_disabled
from procrastinate.contrib.django import app

from quarry.apps.accounts.models import Organisation, User
from quarry.apps.background import BROKEN_OFF, Kind, register
from quarry.apps.care.importer import AT_ONCE_BYTES, give_another_try, run_intake
from quarry.apps.care.models import Intake, PackSnapshot
from quarry.apps.care.services import refresh_all

AT_ONCE_PACKS = 400


def begin_run(intake: Intake) -> None:
    """Read a small table in at once; queue a large one."""
    if len(intake.data) <= AT_ONCE_BYTES:
        run_intake(intake.pk)
    else:
        read_table_in.defer(intake_id=str(intake.pk))


def _begin_again(row: Intake) -> None:
    Intake.objects.filter(pk=row.pk).update(state="waiting", done=0)
    read_table_in.defer(intake_id=str(row.pk))


def _give_up(row: Intake) -> None:
    Intake.objects.filter(pk=row.pk).update(state="refused", words=BROKEN_OFF)


register(
    Kind(
        "read_table_in",
        "intake_id",
        lambda: Intake.objects.filter(state__in=("waiting", "checking", "writing")).defer("data"),
        _begin_again,
        _give_up,
    )
)


def begin_again(actor: User, intake_id: UUID) -> None:
    """Read a table that was given up once more."""
    with transaction.atomic():
        _begin_again(give_another_try(actor=actor, intake_id=intake_id))


def after_policy(organisation: Organisation) -> None:
    """Judge old readings by the new policy: at once for a usual shelf, on the queue for a very large one."""
    if PackSnapshot.objects.count() <= AT_ONCE_PACKS:
        refresh_all(None)
    else:
        fold_anew.defer(organisation_id=str(organisation.pk))


@app.task(name="read_table_in", queue="tables")
def read_table_in(intake_id: str) -> None:
    """Read a kept table in."""
    with scopes_disabled():
        row = Intake.objects.select_related("organisation").defer("data").filter(pk=UUID(intake_id)).first()
    if row is not None:
        with scope(organisation=row.organisation):
            run_intake(row.pk)


@app.task(name="fold_anew", queue="tables")
def fold_anew(organisation_id: str) -> None:
    """Fold every pack of an organisation anew."""
    with scope(organisation=Organisation.objects.get(pk=UUID(organisation_id))):
        refresh_all(None)
