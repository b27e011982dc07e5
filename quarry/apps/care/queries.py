"""Reading the shelf, a pack, and imports."""

from __future__ import annotations

from datetime import date
from typing import Any
from uuid import UUID

from django.db.models import QuerySet
from django.utils import timezone

from quarry.apps.accounts.services import DomainError
from quarry.apps.care import bridge
from quarry.apps.care.models import Charging, Intake, PackRecord, Standing
from quarry.apps.fleet.models import Pack
from quarry.apps.policy.bridge import pack_policy
from quarry.apps.policy.queries import own_values

RecordRefused = bridge.RecordRefused
Plain = dict[str, Any]
SHOWN_RECORDS = 200
LESSONS = 20  # charges a pack is judged by


def policy() -> Any:
    """Return the policy for packs of the scope."""
    return pack_policy(own_values())


def today() -> float:
    """Return today on the day count of the records."""
    return bridge.day_of(timezone.now())


def pack_of(pack_id: UUID, *, lock: bool = False) -> Pack:
    """Return one pack with its model."""
    rows = Pack.objects.select_for_update(of=("self",)) if lock else Pack.objects.all()
    row = rows.select_related("model").filter(pk=pack_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such pack on your shelf.")
    return row


def records_of(pack: Pack) -> QuerySet[PackRecord]:
    """Return all records of a pack in the order in which they were written."""
    return PackRecord.objects.filter(pack=pack).select_related("by")


def shelf(next_flights: dict[str, date] | None = None, *, archived: bool = False) -> Plain:
    """Return every pack with its verdict and care, and the matched sets; ``next_flights`` by id of the pack."""
    rules, now = policy(), today()
    kept = dict(Standing.objects.values_list("pack_id", "digest"))
    rows = Pack.objects.filter(archived_at__isnull=not archived).select_related("model").order_by("name")
    told = []
    for pack in rows:
        story = bridge.unkept(kept[pack.pk]) if pack.pk in kept else bridge.empty_story(pack, rules)
        told.append((pack, story, bridge.line(pack, story, rules, now, (next_flights or {}).get(str(pack.pk)))))
    return {
        "packs": [line for _, _, line in told],
        "sets": bridge.sets(told, rules),
        "charging": [charging_dict(c) for c in Charging.objects.filter(ended_at=None).select_related("pack", "charger")],
        "test_each_take_off": rules.test_each_take_off,
    }


def facts_of(packs: list[Pack]) -> dict[str, Any]:
    """Return by id of the pack what planning needs of its records."""
    kept = Standing.objects.filter(pack__in=packs).values_list("pack_id", "digest")
    return {str(pack_id): bridge.facts(bridge.unkept(digest)) for pack_id, digest in kept}


def alarms_of(pack_ids: list[UUID]) -> dict[str, Any]:
    """Return by id of the pack the alarm levels set for it: both at rest [V] and the loss under load, where that is known."""
    kept = Standing.objects.filter(pack__in=pack_ids).values_list("pack_id", "digest")
    found = {str(pack_id): bridge.unkept(digest).alarms for pack_id, digest in kept}
    return {pack_id: (a[0], a[1], a[3]) for pack_id, a in found.items() if a is not None}


def judge_cells(pack: Pack, cells_v: list[float], start_frac: float | None, pack_c: float | None) -> Any:
    """Return the result of a load test with these cells, judged as the pack's own page judges it."""
    figures = {"cell_v": cells_v, "start_frac": start_frac, "pack_c": pack_c}
    return bridge.load_test_result(bridge.parse("load test", figures, pack.model), pack.model, policy())


def charging_dict(row: Charging) -> Plain:
    """Return a charge under way as plain data."""
    return {
        "id": str(row.pk),
        "pack_id": str(row.pack_id),
        "pack": row.pack.name,
        "charger": row.charger.name if row.charger else "",
        "charger_id": str(row.charger_id) if row.charger_id else None,
        "port": row.port,
        "goal": row.goal,
        "rate_c": row.rate_c,
        "from_frac": row.from_frac,
        "began_at": row.began_at.isoformat(),
        "ended_at": row.ended_at.isoformat() if row.ended_at else None,
    }


def record_dict(row: PackRecord, stands: bool) -> Plain:
    """Return a record as plain data."""
    return {
        "key": str(row.key),
        "kind": row.kind,
        "at": row.at.isoformat(),
        "figures": row.figures,
        "note": row.note,
        "corrects": str(row.corrects) if row.corrects else None,
        "who": row.by_name or (row.by.full_name or row.by.username if row.by else ""),
        "written_at": row.written_at.isoformat(),
        "stands": stands,
    }


def charge_lessons(packs: list[Pack]) -> dict[str, list[float]]:
    """Return by pack how long each of its last charges to full took, in times of what the law says."""
    known = {p.pk: p for p in packs}
    rows = Charging.objects.filter(pack__in=packs, goal="full", from_frac__isnull=False, ended_at__isnull=False)
    found: dict[str, list[float]] = {}
    for row in rows.order_by("-ended_at"):
        mine = found.setdefault(str(row.pack_id), [])
        ratio = bridge.bench_ratio(known[row.pack_id], row) if len(mine) < LESSONS else None
        if ratio is not None:
            mine.append(ratio)
    return found


def pack_page(pack_id: UUID, next_flight: date | None = None) -> Plain:
    """Return the page of one pack."""
    pack, rules, now = pack_of(pack_id), policy(), today()
    rows = list(records_of(pack))
    kept = Standing.objects.filter(pack=pack).first()
    story = bridge.story_of(pack, rows, rules, kept.charge_entered_frac if kept else None)
    line = bridge.line(pack, story, rules, now, next_flight)
    standing = bridge.standing_keys(rows)
    newest = sorted(rows, key=lambda r: (r.at, r.pk), reverse=True)[:SHOWN_RECORDS]
    mates = _mates(pack, rules, now)
    charging = Charging.objects.filter(pack=pack, ended_at=None).select_related("pack", "charger").first()
    model = pack.model
    return {
        "line": line,
        "pack": {
            "serial": pack.serial,
            "notes": pack.notes,
            "bought_on": pack.bought_on,
            "warranty_until": pack.warranty_until,
            "grounded_why": pack.grounded_why,
        },
        "model": {
            "name": model.name,
            "chemistry": model.chemistry,
            "cells": model.cells,
            "parallel": model.parallel,
            "capacity_ah": model.capacity_ah,
            "rated_wh": model.rated_wh,
            "mass_kg": model.mass_kg,
            "label_c": model.label_c,
            "fits": model.fits,
            "most_rate_c": model.most_rate_c,
            "storage_frac": model.storage_frac,
            "drains_itself": model.drains_itself,
        },
        "set": mates,
        "records": [record_dict(r, str(r.key) in standing) for r in newest],
        "records_count": len(rows),
        "charging": charging_dict(charging) if charging else None,
        **bridge.page(pack, story, rows, rules, now),
    }


def _mates(pack: Pack, rules: Any, now: float) -> Plain | None:
    if not pack.mates:
        return None
    group = Pack.objects.filter(model=pack.model, mates=pack.mates, archived_at=None).select_related("model", "standing")
    told = []
    for p in group:
        story = bridge.unkept(p.standing.digest) if hasattr(p, "standing") else bridge.empty_story(p, rules)
        told.append((p, story, bridge.line(p, story, rules, now, None)))
    found = bridge.sets(told, rules)
    return found[0] if found else None


def working_of(pack_id: UUID, key: str) -> Plain:
    """Return the working of one number of a pack's page."""
    pack, rules = pack_of(pack_id), policy()
    kept = Standing.objects.filter(pack=pack).first()
    story = bridge.story_of(pack, list(records_of(pack)), rules, kept.charge_entered_frac if kept else None)
    found = bridge.working(pack, story, rules, today(), key)
    if found is None:
        raise DomainError("not_found", "There is no working for this number yet.")
    return found


def verdict_of(row: PackRecord) -> Plain | None:
    """Return the verdict of a load test that was kept, None for any other record."""
    return bridge.verdict_of(bridge.parse(row.kind, row.figures, row.pack.model), row.pack.model, policy())


def try_load_test(pack_id: UUID, figures: Plain) -> Plain:
    """Return the verdict of a load test that is not kept."""
    pack = pack_of(pack_id)
    told = bridge.verdict_of(bridge.parse("load test", figures, pack.model), pack.model, policy())
    return told or {}


def label_facts(pack_ids: list[UUID]) -> list[Plain]:
    """Return what stands on the labels of packs, in the order asked for."""
    rules = policy()
    found = []
    for pack_id in pack_ids:
        pack = pack_of(pack_id)
        kept = Standing.objects.filter(pack=pack).first()
        story = bridge.story_of(pack, list(records_of(pack)), rules, kept.charge_entered_frac if kept else None)
        figures = bridge.label(pack, story, rules)
        found.append(
            {
                "id": str(pack.pk),
                "name": pack.name,
                "mates": pack.mates,
                "model": pack.model.name,
                "cells": pack.model.cells,
                "capacity_ah": pack.model.capacity_ah,
                "rated_wh": pack.model.rated_wh,
                "hard_s": figures.hard_s,
                "gentle_s": figures.gentle_s,
                "shown_frac": figures.shown_frac,
                "flights": figures.flights,
                "alarms": story.alarms,
                "storage_frac": rules.care.storage_frac,
                "grounded": pack.grounded,
            }
        )
    return found


def bench_steps(pack_id: UUID, figures: Plain, port_w: float | None) -> Plain:
    """Return the steps of a charge of this pack."""
    return bridge.bench(pack_of(pack_id), figures, port_w)


def intake_of(intake_id: UUID) -> Intake:
    """Return one import."""
    row = Intake.objects.defer("data").filter(pk=intake_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such import.")
    return row
