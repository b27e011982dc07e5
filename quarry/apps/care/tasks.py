"""Background work of packs: large tables, and folding every pack anew after a change of the policy."""

from __future__ import annotations

from uuid import UUID

from django_scopes import scope, scopes_disabled
from procrastinate.contrib.django import app

from quarry.apps.accounts.models import Organisation
from quarry.apps.care.intake import AT_ONCE_BYTES, run_intake
from quarry.apps.care.models import Intake, Standing
from quarry.apps.care.services import refresh_all

AT_ONCE_PACKS = 400


def begin_run(intake: Intake) -> None:
    """Read a small table in at once; queue a large one."""
    if len(intake.data) <= AT_ONCE_BYTES:
        run_intake(intake.pk)
    else:
        read_table_in.defer(intake_id=str(intake.pk))


def after_policy(organisation: Organisation) -> None:
    """Judge old readings by the new policy: at once for a usual shelf, on the queue for a very large one."""
    if Standing.objects.count() <= AT_ONCE_PACKS:
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
