from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.care.queries import last_reading
from quarry.apps.care.services.add_record import add_record
from quarry.apps.limits import mappers
from quarry.apps.limits.models import Preflight
from quarry.apps.limits.queries import checks_for, judged, preflight_of
from quarry.apps.limits.repository import entries_json, entries_of
from quarry.apps.limits.services._preflights import may_enter, name_of
from quarry.apps.limits.views import EntryOut, EntryValue


@dataclass(frozen=True, slots=True)
class GivenRemark:
    """A check answered in words."""

    answer: Literal["defect", "not applicable"]
    words: str


@transaction.atomic
def enter(
    *, actor: User, preflight_id: UUID, entries: dict[str, EntryValue], remarks: dict[str, GivenRemark] | None = None
) -> Preflight:
    """Keep entries of a list; a value of None opens a check again. Each entry carries who and when.

    ``remarks``: checks that are a defect, with what was seen, or not applicable, with the reason.

    Cells measured in the first climb, the charge and the temperature are written into the records of the packs, once.
    """
    require(actor, "preflight:write")
    row = preflight_of(preflight_id, lock=True)
    checks = checks_for(row)
    part = {c.key: c.part for c in checks}
    kept = entries_of(row)
    for key, value in entries.items():
        may_enter(row, part.get(key, ""), key)
        try:
            mappers.check_value(checks, key, value, row.aircraft.model.pack_model.cells)
        except mappers.LimitError as bad:
            raise DomainError(bad.code, bad.message, bad.field) from bad
        before = kept.get(key)
        kept[key] = EntryOut(value=value, by=name_of(actor), at=timezone.now().isoformat())
        if key == "cells":
            kept[key] = replace(kept[key], record=_cells_to_record(actor, row, kept, before, value))
    for key, remark in (remarks or {}).items():
        may_enter(row, part.get(key, ""), key)
        try:
            mappers.check_remark_of(checks, key, remark.answer, remark.words)
        except mappers.LimitError as bad:
            raise DomainError(bad.code, bad.message, bad.field) from bad
        before = kept.get(key)
        record = _cells_to_record(actor, row, kept, before, None) if key == "cells" else ""
        now = timezone.now().isoformat()
        kept[key] = EntryOut(None, name_of(actor), now, record, remark.answer, remark.words.strip())
    if {"charge_frac", "pack_c"} & {*entries, *(remarks or {})}:
        _readings_to_records(actor, row, kept)
    row.entries = entries_json(kept)
    result = judged(row).result
    if row.state == "open":
        row.word, row.reasons = result.word, list(result.reasons)
    row.version += 1
    row.save()
    return row


def _readings_to_records(actor: User, row: Preflight, entries: dict[str, EntryOut]) -> None:
    """Write charge and temperature into the records of each pack of the list; other figures stand in the place of those before."""
    figures: dict[str, EntryValue] = {k: entries[k].value for k in ("charge_frac", "pack_c") if k in entries}
    figures = {k: v for k, v in figures.items() if v is not None}
    for pack in row.packs.all():
        before = last_reading(pack, str(row.pk))
        if before is not None and all(before.figures.get(k) == figures.get(k) for k in ("charge_frac", "pack_c")):
            continue
        if before is None and not figures:
            continue
        label = f"preflight {row.job.letter}{row.sortie}"
        add_record(
            actor=actor,
            pack_id=pack.pk,
            kind="reading" if figures else "withdrawal",
            figures=figures | {"of": str(row.pk)} if figures else {"words": label},
            note=label,
            corrects=before.key if before is not None else None,
        )


def _cells_to_record(
    actor: User, row: Preflight, entries: dict[str, EntryOut], before: EntryOut | None, value: EntryValue
) -> str:
    """Write cells of the first climb into the records of the pack as a load test; returns the record's key.

    The same cells again change nothing; others stand in the place of those before.
    """
    packs = list(row.packs.all())
    was = before.record if before is not None else ""
    if len(packs) != 1 or (was and before is not None and before.value == value):
        return was
    label = f"preflight {row.job.letter}{row.sortie}"
    total = row.aircraft.model.shows == "total" and isinstance(value, int | float) and not isinstance(value, bool)
    if not isinstance(value, list) and not total:
        if was:
            add_record(actor=actor, pack_id=packs[0].pk, kind="withdrawal", figures={"words": label}, corrects=UUID(was))
        return ""
    cells_count = row.aircraft.model.pack_model.cells
    figures: dict[str, EntryValue] = (
        {"cell_v": value} if isinstance(value, list) else {"total_v": float(value or 0.0) * cells_count}
    )
    for name, key in (("start_frac", "charge_frac"), ("pack_c", "pack_c")):
        figures[name] = entries[key].value if key in entries else None
    try:
        made = add_record(
            actor=actor,
            pack_id=packs[0].pk,
            kind="load test",
            figures={k: v for k, v in figures.items() if v is not None},
            note=label,
            corrects=UUID(was) if was else None,
        )
    except DomainError as bad:
        raise DomainError(bad.code, bad.message, "cells") from bad
    return str(made.key)
