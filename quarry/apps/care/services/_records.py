"""A record is checked and written the same way whoever adds it."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID, uuid4

from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.care import mappers
from quarry.apps.care.models import PackRecord
from quarry.apps.fleet.models import Pack

CLOCK_SLACK = timedelta(minutes=10)
FIRST = datetime(2000, 1, 1, tzinfo=UTC)


def write_record(
    actor: User,
    pack: Pack,
    kind: str,
    figures: Mapping[str, Any],
    at: datetime | None,
    note: str,
    key: UUID | None,
    corrects: UUID | None,
) -> PackRecord:
    """Check a record and write it, once for its key; the pack is folded anew by whoever asks."""
    when = at or timezone.now()
    _check_time(when)
    try:
        made = mappers.parse(kind, figures, pack.model)
        mappers.query(made, pack.model)
        entered = mappers.figures_of(made)
    except mappers.RecordRefused as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    if key is not None:
        there = PackRecord.objects.filter(key=key).first()
        if there is not None:
            if (there.pack_id, there.kind, there.figures) == (pack.pk, kind, entered):
                return there
            raise DomainError("taken", "This record was sent before with other figures. Record it anew.", "key")
    _check_correction(pack, kind, corrects)
    if kind == "release" and pack.grounded:
        _check_release(pack)
    return PackRecord.objects.create(
        organisation=actor.organisation,
        key=key or uuid4(),
        pack=pack,
        kind=kind,
        at=when,
        figures=entered,
        note=note.strip()[:300],
        corrects=corrects,
        by=actor,
    )


def _check_time(when: datetime) -> None:
    if when > timezone.now() + CLOCK_SLACK:
        raise DomainError("future", f"{when:%d %B %Y %H:%M} lies in the future. Correct the date.", "at")
    if when < FIRST:
        raise DomainError("too_old", "Before the year 2000 there were no such packs. Correct the date.", "at")


def _check_correction(pack: Pack, kind: str, corrects: UUID | None) -> None:
    if corrects is None:
        if kind == "withdrawal":
            raise DomainError("missing", "Say which record is taken back.", "corrects")
        return
    wrong = PackRecord.objects.filter(pack=pack, key=corrects).first()
    if wrong is None:
        raise DomainError("not_found", "The record to correct is not one of this pack.", "corrects")
    if kind not in ("withdrawal", wrong.kind):
        raise DomainError("invalid", f"A {wrong.kind} is corrected by a {wrong.kind}, or withdrawn.", "kind")


def _check_release(pack: Pack) -> None:
    if pack.grounded_why.startswith(("swollen", "damaged")):
        raise DomainError("grounded", "A swollen or damaged pack stays grounded. Take it to recycling.", "kind")
