"""Reading tables in and writing them out: the whole file or nothing, every wrong cell by row and column."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from datetime import datetime
from typing import Any
from uuid import UUID, uuid5

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.fields import Entered
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import may, require
from quarry.apps.care import mappers
from quarry.apps.care.formats.reading import Problem, Table, TableError, read_table
from quarry.apps.care.formats.tables import FIGURES, MODEL_COLUMNS, PACK_COLUMNS, What
from quarry.apps.care.formats.writing import table_lines
from quarry.apps.care.models import PackRecord, PackSnapshot, TableImport
from quarry.apps.care.queries import import_of
from quarry.apps.care.repository import problems_json
from quarry.apps.care.services import refresh_pack
from quarry.apps.care.services._records import CLOCK_SLACK, FIRST
from quarry.apps.care.views import ProblemCell
from quarry.apps.fleet.figures import PACK_MODELS, PACKS, NounFigures
from quarry.apps.fleet.models import Pack, PackModel, Thing
from quarry.apps.fleet.services import add_thing

AT_ONCE_BYTES = 400_000
BATCH = 2000
READ_S = 120.0  # one table is read no longer than this
_UNNAMED = UUID("5b0c6a52-6f3e-4d0b-9f6a-2f2f0a6f9d11")


class Stopped(Exception):
    """A person stopped the import."""


class Refused(Exception):
    """Something in the table is wrong; nothing of it may stay."""

    def __init__(self, table: Table) -> None:
        counted = "1 cell is" if table.wrong == 1 else f"{table.wrong} cells are"
        super().__init__(f"{counted} wrong. Nothing was imported.")
        self.table = table


def begin_import(*, actor: User, name: str, data: bytes) -> TableImport:
    """Keep a file for reading in. `run_import` does the work, at once for a small file."""
    require(actor, "packs:record")
    if len(data) > settings.TABLE_MOST_BYTES:
        raise DomainError("too_large", f"The file is larger than {settings.TABLE_MOST_BYTES // 1_000_000} MB. Split it.", "file")
    return TableImport.objects.create(organisation=actor.organisation, name=name[:120] or "table", data=data, by=actor)


def stop_import(*, actor: User, import_id: UUID) -> None:
    """Stop an import; what it had written is rolled back."""
    require(actor, "packs:record")
    import_of(import_id)
    TableImport.objects.filter(pk=import_id, state__in=("waiting", "checking", "writing")).update(state="stopped")


def give_another_try(*, actor: User, import_id: UUID) -> TableImport:
    """Return an import that was given up, with its tries counted anew."""
    require(actor, "packs:record")
    row = TableImport.objects.select_for_update().defer("data").filter(pk=import_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such import.")
    if row.state != "refused" or not row.tries:
        raise DomainError("not_ready", "Only what was broken off can be tried again. Choose the file once more.", "file")
    row.tries = 0
    row.save(update_fields=["tries"])
    return row


def run_import(import_id: UUID) -> None:
    """Check a kept file and write all of it, or note every problem and write nothing."""
    row = TableImport.objects.select_related("by", "organisation").filter(pk=import_id, state="waiting").first()
    if row is None:
        return
    own_row = TableImport.objects.filter(pk=import_id)
    own_row.update(state="checking")

    def report(done: int) -> None:
        if not own_row.filter(state__in=("checking", "writing")).update(done=done):
            raise Stopped

    began = time.monotonic()

    def bounded(done: int) -> None:
        report(done)
        if time.monotonic() - began > READ_S:
            raise TableError(f"Reading was stopped after {READ_S:.0f} s, at line {done}. Split the file, and import each part.")

    end: Entered
    try:
        table = read_table(bytes(row.data), bounded)
        own_row.update(what=table.what, rows=len(table.rows))
        require(row.by, "fleet:write" if table.what == "models" else "packs:write")
        with transaction.atomic():
            words = _WRITERS[table.what](row, table, report)
            if table.wrong:
                raise Refused(table)
            record(actor=row.by, action="pack.read_in", row=row, label=f"{row.name}: {words}")
        end = {"state": "done", "words": words, "done": len(table.rows)}
    except TableError as bad:
        end = {"state": "refused", "words": str(bad)}
    except Refused as bad:
        end = {"state": "refused", "words": str(bad), "problems": _problems_json(bad.table.problems)}
    except Stopped:
        end = {"state": "stopped", "words": "Stopped. Nothing was imported."}
    except Exception:
        own_row.update(state="refused", words="Something went wrong here. Nothing was imported.", data=b"", tries=0)
        raise
    own_row.update(**end, data=b"", tries=0)


def _problems_json(problems: list[Problem]) -> Any:
    found = sorted(problems, key=lambda p: p.row)
    return problems_json([ProblemCell(row=p.row, column=p.column, detail=p.detail) for p in found])


def _write_models(table_import: TableImport, table: Table, _report: Any) -> str:
    added = 0
    there = {m.name.lower(): m for m in PackModel.objects.filter(archived_at=None)}
    for number, row in table.rows:
        if number in table.bad_rows:
            continue
        figures = _figures(PACK_MODELS, row)
        old = there.get(str(row["name"]).lower())
        if old is not None:
            _compare(table, number, old, row)
            continue
        made = _add(table_import.by, PackModel, figures, table, number)
        if isinstance(made, PackModel):
            there[made.name.lower()] = made
            added += 1
    return f"{added} models of pack added, {len(table.rows) - added} were there"


_MODEL_FIELDS = [c.name for c in MODEL_COLUMNS]


def _write_packs(table_import: TableImport, table: Table, _report: Any) -> str:
    added = 0
    models = {m.name.lower(): m for m in PackModel.objects.filter(archived_at=None)}
    there = {p.name.lower(): p for p in Pack.objects.select_related("model", "snapshot")}
    for number, row in table.rows:
        if number in table.bad_rows:
            continue
        model = models.get(str(row["model"]).lower())
        if model is None:
            table.complain(number, "model", f"There is no model of pack called {row['model']}. Import the models first.")
            continue
        old = there.get(str(row["name"]).lower())
        if old is not None:
            _compare(table, number, old, {k: v for k, v in row.items() if k not in ("model", "put_away")})
            continue
        made = _add(table_import.by, Pack, _figures(PACKS, row | {"model_id": model.pk}), table, number)
        if isinstance(made, Pack):
            there[made.name.lower()] = made
            added += 1
            if row.get("put_away"):
                made.archived_at = timezone.now()
                made.save(update_fields=["archived_at"])
    return f"{added} packs added, {len(table.rows) - added} were there"


_PACK_FIELDS = [c.name for c in PACK_COLUMNS if c.name not in ("model", "put_away")]


def _figures(noun: NounFigures, row: Entered) -> Entered:
    """Return the figures of a row; what its cells leave open is as the description of the noun has it."""
    return {f.key: row.get(f.key) if row.get(f.key) is not None or f.needed else f.default for f in noun.figures}


def _add(actor: User, model: type[Thing], figures: Entered, table: Table, number: int) -> Thing | None:
    try:
        return add_thing(actor=actor, model=model, figures=figures)
    except DomainError as bad:
        table.complain(number, bad.field or "name", bad.message)
        return None


def _compare(table: Table, number: int, old: Thing, row: Entered) -> None:
    """Complain of each cell that differs from the thing of this name that is there already."""
    entered = getattr(old, "snapshot", None)
    for key, value in row.items():
        if value is None:
            continue
        is_value = getattr(old, key)
        if entered is not None and key in ("health_frac", "charge_frac"):
            is_value = entered.health_entered_frac if key == "health_frac" else entered.charge_entered_frac
        same = is_value.lower() == value.lower() if key == "name" else is_value == value
        if not same:
            table.complain(
                number, key, f"{old.name} is there already with {is_value} here. Change it on its page, or leave the row out."
            )


def _write_records(table_import: TableImport, table: Table, report: Any) -> str:
    packs = {p.name.lower(): p for p in Pack.objects.select_related("model").order_by("-archived_at")}
    lead = may(table_import.by, "packs:retire")
    latest = timezone.now() + CLOCK_SLACK
    found: dict[UUID, PackRecord] = {}
    lines: dict[UUID, int] = {}
    for place, (number, row) in enumerate(table.rows):
        if place % BATCH == 0:
            report(number)
        if number in table.bad_rows:
            continue
        made = _record_of_row(table_import, table, number, row, packs, latest)
        if made is None:
            continue
        if made.kind == "release" and not lead:
            table.complain(number, "kind", "Only a lead may let a pack fly again. Ask one to read this in.")
        twin = found.get(made.key)
        if twin is not None:
            same = (twin.pack_id, twin.figures, twin.at) == (made.pack_id, made.figures, made.at)
            if not same:
                table.complain(number, "key", f"The same key stands in line {lines[made.key]} with other figures.")
            continue
        found[made.key], lines[made.key] = made, number
    new = _new_ones(table, found, lines)
    if table.wrong:
        raise Refused(table)
    TableImport.objects.filter(pk=table_import.pk, state="checking").update(state="writing")
    for place in range(0, len(new), BATCH):
        if TableImport.objects.filter(pk=table_import.pk, state="stopped").exists():
            raise Stopped
        PackRecord.objects.bulk_create(new[place : place + BATCH])
    for pack in {r.pack_id: r.pack for r in new}.values():
        refresh_pack(actor=table_import.by, pack=pack)
    return f"{len(new)} records added, {len(table.rows) - len(new)} were there"


def _record_of_row(
    table_import: TableImport, table: Table, number: int, row: Entered, packs: dict[str, Pack], latest: datetime
) -> PackRecord | None:
    wrong = table.wrong
    at, name = row.get("at"), row.get("pack")
    pack = packs.get(str(name).lower()) if name else None
    if name and pack is None:
        table.complain(number, "pack", f"There is no pack called {name}. Import the packs first.")
    if at is not None and not FIRST <= at <= latest:
        table.complain(number, "at", f"{at:%Y-%m-%d %H:%M} {'lies in the future' if at > latest else 'is before the year 2000'}.")
    keys: dict[str, UUID | None] = {}
    for head in ("key", "corrects"):
        try:
            keys[head] = UUID(row[head]) if row.get(head) else None
        except ValueError:
            table.complain(number, head, f"{row[head]!r} is not a key. Leave the cell empty, or as it was exported.")
    figures = {c.name: row[c.name] for c in FIGURES if row.get(c.name) is not None}
    entered: Entered = {}
    if pack is not None and row.get("kind"):
        try:
            entered = mappers.figures_of(mappers.parse(row["kind"], figures, pack.model))
        except mappers.RecordRefused as bad:
            table.complain(number, bad.field.partition(".")[0] or "kind", bad.message)
    if table.wrong > wrong or pack is None or at is None or not row.get("kind"):
        return None
    mark = json.dumps([str(pack.pk), row["kind"], at.isoformat(), entered, row.get("note") or ""], sort_keys=True)
    return PackRecord(
        organisation=table_import.organisation,
        key=keys["key"] or uuid5(_UNNAMED, mark),
        pack=pack,
        kind=row["kind"],
        at=at,
        figures=entered,
        note=(row.get("note") or "")[:300],
        corrects=keys["corrects"],
        by=table_import.by,
        by_name=(row.get("by") or "")[:120],
    )


def _new_ones(table: Table, found: dict[UUID, PackRecord], lines: dict[UUID, int]) -> list[PackRecord]:
    """Return the records that are not there yet; complain of keys taken by others and of corrections of nothing."""
    wanted = set(found) | {r.corrects for r in found.values() if r.corrects}
    there = {r.key: r for r in PackRecord.objects.filter(key__in=wanted)} if len(wanted) < 20_000 else {}
    if len(wanted) >= 20_000:
        there = {r.key: r for r in PackRecord.objects.filter(pack__in={r.pack_id for r in found.values()})}
    new = []
    for key, made in found.items():
        old = there.get(key)
        if old is not None:
            if (old.pack_id, old.kind, old.figures) != (made.pack_id, made.kind, made.figures):
                table.complain(lines[key], "key", "A record of this key is there already with other figures.")
            continue
        if made.corrects is not None:
            wrong = there.get(made.corrects) or found.get(made.corrects)
            if wrong is None or wrong.pack_id != made.pack_id:
                table.complain(lines[key], "corrects", "The record to correct is neither here nor among your packs.")
        new.append(made)
    return new


_WRITERS = {"models": _write_models, "packs": _write_packs, "records": _write_records}


def export_lines(what: What) -> Iterator[str]:
    """Yield the lines of a table of the whole register or its whole history."""
    return table_lines(what, {"models": _model_rows, "packs": _pack_rows, "records": _record_rows}[what]())


def _model_rows() -> Iterator[Entered]:
    for m in PackModel.objects.filter(archived_at=None).order_by("name"):
        yield {k: getattr(m, k) for k in _MODEL_FIELDS}


def _names() -> dict[UUID, str]:
    """Return the name of every pack as the tables write it: one that was archived and lost its name gets a mark."""
    names: dict[UUID, str] = {}
    used: set[str] = set()
    for pk, name in Pack.objects.order_by("archived_at", "name", "pk").values_list("pk", "name"):
        free, k = name, 2
        while free.lower() in used:
            free, k = f"{name} ({k})", k + 1
        used.add(free.lower())
        names[pk] = free
    return names


def _pack_rows() -> Iterator[Entered]:
    names = _names()
    entered = {s.pack_id: s for s in PackSnapshot.objects.defer("digest")}
    for p in Pack.objects.select_related("model").order_by("name"):
        row = {k: getattr(p, k) for k in _PACK_FIELDS}
        was = entered.get(p.pk)
        if was is not None:
            row |= {"health_frac": was.health_entered_frac, "charge_frac": was.charge_entered_frac}
        yield row | {"name": names[p.pk], "model": p.model.name, "put_away": p.archived_at is not None}


def _record_rows() -> Iterator[Entered]:
    names = _names()
    for r in PackRecord.objects.select_related("by").order_by("id").iterator(chunk_size=BATCH):
        yield {
            "pack": names[r.pack_id],
            "kind": r.kind,
            "at": r.at,
            "by": r.by_name or (r.by.full_name or r.by.username if r.by else ""),
            "note": r.note,
            "key": str(r.key),
            "corrects": str(r.corrects) if r.corrects else "",
            **r.figures,
        }
