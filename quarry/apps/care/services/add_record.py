from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any
from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.care.models import PackRecord
from quarry.apps.care.queries import pack_of, verdict_of
from quarry.apps.care.services._heard import HeardOfPack, tell
from quarry.apps.care.services._records import write_record
from quarry.apps.care.services.refresh_pack import refresh_pack


def add_record(
    *,
    actor: User,
    pack_id: UUID,
    kind: str,
    figures: Mapping[str, Any],
    at: datetime | None = None,
    note: str = "",
    key: UUID | None = None,
    corrects: UUID | None = None,
) -> PackRecord:
    """Add a record to a pack; sending the same ``key`` twice writes once.

    ``corrects`` names the record in whose place this one stands; a withdrawal puts nothing there.
    """
    require(actor, "packs:retire" if kind == "release" else "packs:record")
    with transaction.atomic():
        pack = pack_of(pack_id, lock=True)
        was = pack.grounded
        made = write_record(actor, pack, kind, figures, at, note, key, corrects)
        refresh_pack(actor=actor, pack=pack)
        judged = verdict_of(made) if kind == "load test" else None
        verdict = judged.verdict if judged is not None else ""
        tell(actor, HeardOfPack(pack.pk, made.key, made.at, verdict, corrects, was, pack.grounded, pack.grounded_why))
    return made
