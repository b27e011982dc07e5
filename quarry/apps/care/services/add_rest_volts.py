from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.care.models import PackRecord
from quarry.apps.care.queries import pack_of
from quarry.apps.care.services._records import write_record
from quarry.apps.care.services.refresh_pack import refresh_pack


@dataclass(frozen=True, slots=True)
class RestVolts:
    """Resting voltage of one pack, as it was read."""

    pack_id: UUID
    cell_v: tuple[float, ...] = ()
    total_v: float | None = None
    pack_c: float | None = None
    key: UUID | None = None

    def figures(self) -> Mapping[str, Any]:
        """Return what was read."""
        read = (("cell_v", list(self.cell_v) or None), ("total_v", self.total_v), ("pack_c", self.pack_c))
        return {name: value for name, value in read if value is not None}


def add_rest_volts(*, actor: User, rows: Sequence[RestVolts], at: datetime | None = None) -> list[PackRecord]:
    """Add resting voltages of many packs at once: all, or none and every row that is wrong by its number."""
    require(actor, "packs:record")
    wrong: list[tuple[int, DomainError]] = []
    made = []
    with transaction.atomic():
        packs = []
        for k, row in enumerate(rows):
            try:
                pack = pack_of(row.pack_id, lock=True)
                made.append(write_record(actor, pack, "rest volts", row.figures(), at, "", row.key, None))
                packs.append(pack)
            except DomainError as bad:
                wrong.append((k, bad))
        if wrong:
            problems = [{"row": k, "field": bad.field, "detail": bad.message} for k, bad in wrong]
            raise DomainError("rows", wrong[0][1].message, f"rows.{wrong[0][0]}", extra={"problems": problems})
        for pack in packs:
            refresh_pack(actor=actor, pack=pack)
    return made
