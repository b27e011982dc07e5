"""Reading packs, one pack, and imports."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, fields, replace
from datetime import date, datetime, timedelta
from typing import Any, cast
from uuid import UUID

from django.db.models import IntegerField, QuerySet, Sum, Window
from django.db.models.fields.json import KeyTextTransform
from django.db.models.functions import Cast, RowNumber
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.care import mappers
from quarry.apps.care.fields import ChargeAsked, Goal
from quarry.apps.care.models import Charging, PackPhoto, PackRecord, PackSnapshot, TableImport
from quarry.apps.care.repository import problems_of
from quarry.apps.care.views import (
    BenchOut,
    ChargingOut,
    ImportState,
    InventoryEntry,
    LabelFigures,
    PackModelFigures,
    PackPage,
    RecordKind,
    RecordOut,
    SetOut,
    ShelfOut,
    TableImportOut,
    VerdictOut,
)
from quarry.apps.fleet.mappers import MeasuredPack
from quarry.apps.fleet.models import Pack, PackModel
from quarry.apps.policy.mappers import PackPolicy, pack_policy
from quarry.apps.policy.queries import own_values
from quarry.apps.workings import WorkingOut

RecordRefused = mappers.RecordRefused
SHOWN_RECORDS = 200
KNOWN_CHARGE_DAYS = 3.0  # a charge recorded longer ago is asked for anew
LESSONS = 20  # charges a pack is judged by


def policy() -> PackPolicy:
    """Return the policy for packs of the scope."""
    return pack_policy(own_values())


def today() -> float:
    """Return today on the day count of the records."""
    return mappers.day_of(timezone.now())


def pack_of(pack_id: UUID, *, lock: bool = False) -> Pack:
    """Return one pack with its model."""
    rows = Pack.objects.select_for_update(of=("self",)) if lock else Pack.objects.all()
    row = rows.select_related("model").filter(pk=pack_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such pack.")
    return row


def records_of(pack: Pack) -> QuerySet[PackRecord]:
    """Return all records of a pack in the order in which they were written."""
    return PackRecord.objects.filter(pack=pack).select_related("by")


def shelf(next_flights: dict[str, date] | None = None, *, archived: bool = False) -> ShelfOut:
    """Return every pack with its verdict and care, and the matched sets; ``next_flights`` by id of the pack."""
    rules, now = policy(), today()
    kept = dict(PackSnapshot.objects.values_list("pack_id", "digest"))
    rows = Pack.objects.filter(archived_at__isnull=not archived).select_related("model").order_by("name")
    shown = []
    for pack in rows:
        snapshot = mappers.stored_snapshot(kept[pack.pk]) if pack.pk in kept else mappers.empty_snapshot(pack, rules)
        shown.append((pack, snapshot, mappers.line(pack, snapshot, rules, now, (next_flights or {}).get(str(pack.pk)))))
    return ShelfOut(
        packs=[line for _, _, line in shown],
        sets=mappers.sets(shown, rules),
        charging=[charging_view(c) for c in Charging.objects.filter(ended_at=None).select_related("pack", "charger")],
        test_each_take_off=rules.test_each_take_off,
    )


def measured_of(packs: list[Pack]) -> dict[str, MeasuredPack]:
    """Return by id of the pack what planning needs of its records, and of those of its model the cold flights."""
    kept = dict(PackSnapshot.objects.filter(pack__in=packs).values_list("pack_id", "digest"))
    cold = cold_flights_of({p.model_id for p in packs})
    return {
        str(p.pk): replace(
            mappers.measured(mappers.stored_snapshot(kept[p.pk])) if p.pk in kept else MeasuredPack(),
            cold_flights=cold.get(p.model_id, 0),
        )
        for p in packs
    }


def cold_flights_of(model_ids: set[UUID]) -> dict[UUID, int]:
    """Return by model of pack how many cold flights are in the logbook."""
    counted = PackSnapshot.objects.filter(pack__model__in=model_ids, digest__cold_flights_count__gt=0)
    found = counted.values_list("pack__model_id").annotate(
        cold=Sum(Cast(KeyTextTransform("cold_flights_count", "digest"), IntegerField()))
    )
    return dict(found)


@dataclass(frozen=True, slots=True)
class KnownPack:
    """What the records of a pack last told: its charge where that is not long ago, its cells, each with when."""

    charge_frac: float | None
    charge_at: datetime | None
    cells_v: list[float] | None
    cells_at: datetime | None


def known_of(pack: Pack) -> KnownPack:
    """Return what the records of a pack last told that a preflight list asks for."""
    kept = PackSnapshot.objects.filter(pack=pack).values_list("digest", flat=True).first()
    snapshot = mappers.stored_snapshot(kept) if kept is not None else None
    charged = snapshot.charge_day if snapshot is not None else None
    fresh = charged is not None and 0.0 <= today() - charged <= KNOWN_CHARGE_DAYS
    gone = PackRecord.objects.filter(pack=pack, corrects__isnull=False).values("corrects")
    last = PackRecord.objects.filter(pack=pack, kind="load test").exclude(key__in=gone).order_by("-at", "-id").first()
    cells = last.figures.get("cell_v") if last is not None else None
    return KnownPack(
        snapshot.charge_frac if snapshot is not None and fresh else None,
        timezone.now() - timedelta(days=today() - charged) if charged is not None and fresh else None,
        [float(v) for v in cells] if cells else None,
        last.at if last is not None and cells else None,
    )


def alarms_of(pack_ids: list[UUID]) -> dict[str, tuple[float, float, float | None]]:
    """Return by id of the pack its alarm levels, else those of its model: both at rest [V] and the loss under load, where known."""
    found: dict[str, tuple[float, float, float | None]] = {}
    for p in Pack.objects.filter(pk__in=pack_ids).select_related("model", "snapshot"):
        m, kept = p.model, getattr(p, "snapshot", None)
        own = mappers.stored_snapshot(kept.digest).alarms if kept is not None else None
        if own is not None:
            found[str(p.pk)] = own[0], own[1], own[3]
        elif m.alarm_first_v is not None and m.alarm_second_v is not None:
            found[str(p.pk)] = m.alarm_first_v, m.alarm_second_v, m.alarm_loss_v
    return found


def judge_cells(pack: Pack, volts: list[float] | float, start_frac: float | None, pack_c: float | None) -> mappers.LoadTestResult:
    """Return the result of a load test with each cell, or with the mean of one where a total is shown, as the pack's own page judges it."""
    seen = {"cell_v": volts} if isinstance(volts, list) else {"total_v": volts * pack.model.cells}
    figures = {**seen, "start_frac": start_frac, "pack_c": pack_c}
    made = mappers.parse("load test", figures, pack.model)
    mappers.query(made, pack.model)
    result = mappers.load_test_result(made, pack.model, policy())
    assert result is not None  # a load test is judged  # noqa: S101
    return result


def photo_of(key: UUID) -> bytes:
    """Return a photo by the key under which a record names it."""
    found = PackPhoto.objects.filter(key=key).values_list("jpeg", flat=True).first()
    if found is None:
        raise DomainError("not_found", "There is no such photo.")
    return bytes(found)


def standing_looks(of: str) -> dict[UUID, UUID]:
    """Return the looks that stand of a running day: key of the record, and its pack."""
    found = PackRecord.objects.filter(kind="look", figures__of=of)
    gone = PackRecord.objects.filter(pack__in=found.values("pack"), corrects__isnull=False).values("corrects")
    return dict(found.exclude(key__in=gone).values_list("key", "pack_id"))


def last_reading(pack: Pack, of: str) -> PackRecord | None:
    """Return the reading of a pack that stands of a list, if there is one."""
    gone = PackRecord.objects.filter(pack=pack, corrects__isnull=False).values("corrects")
    found = PackRecord.objects.filter(pack=pack, kind="reading", figures__of=of).exclude(key__in=gone)
    return found.order_by("id").last()


def watched_of(packs: list[Pack]) -> list[str]:
    """Return what the pages of packs say, for those that are to be watched or replaced soon."""
    rules, now = policy(), today()
    kept = dict(PackSnapshot.objects.filter(pack__in=packs).values_list("pack_id", "digest"))
    found = [(p.name, mappers.judge(mappers.stored_snapshot(kept[p.pk]), rules, now)) for p in packs if p.pk in kept]
    return [f"Pack {name}, {h.level}: {h.words}" for name, h in found if h.level in ("watch", "replace soon")]


def charging_view(row: Charging) -> ChargingOut:
    """Return a charge under way as screens show it."""
    return ChargingOut(
        id=row.pk,
        pack_id=row.pack_id,
        pack=row.pack.name,
        charger=row.charger.name if row.charger else "",
        charger_id=row.charger_id,
        port=row.port,
        goal=cast(Goal, row.goal),
        rate_c=row.rate_c,
        from_frac=row.from_frac,
        began_at=row.began_at,
        ended_at=row.ended_at,
    )


def record_view(row: PackRecord, stands: bool) -> RecordOut:
    """Return a record as screens show it."""
    return RecordOut(
        key=row.key,
        kind=cast(RecordKind, row.kind),
        at=row.at,
        figures=row.figures,
        note=row.note,
        corrects=row.corrects,
        who=row.by_name or (row.by.full_name or row.by.username if row.by else ""),
        written_at=row.written_at,
        stands=stands,
    )


def charge_lessons(packs: list[Pack]) -> dict[str, list[float]]:
    """Return by pack how long each of its last charges to full took, in times of what the law says."""
    known = {p.pk: p for p in packs}
    rows = Charging.objects.filter(pack__in=packs, goal="full", from_frac__isnull=False, ended_at__isnull=False)
    rank = Window(RowNumber(), partition_by="pack_id", order_by="-ended_at")
    found: dict[str, list[float]] = {}
    for row in rows.annotate(rank=rank).filter(rank__lte=LESSONS).order_by("-ended_at"):
        ratio = mappers.bench_ratio(known[row.pack_id], row)
        if ratio is not None:
            found.setdefault(str(row.pack_id), []).append(ratio)
    return found


def pack_page(pack_id: UUID, next_flight: date | None = None) -> PackPage:
    """Return the page of one pack."""
    pack, rules, now = pack_of(pack_id), policy(), today()
    rows = list(records_of(pack))
    snapshot = _snapshot(pack, rows, rules)
    stands = mappers.standing_keys(rows)
    newest = sorted(rows, key=lambda r: (r.at, r.pk), reverse=True)[:SHOWN_RECORDS]
    charging = Charging.objects.filter(pack=pack, ended_at=None).select_related("pack", "charger").first()
    body = mappers.body(pack, snapshot, rows, rules, now)
    return PackPage(
        **{x.name: getattr(body, x.name) for x in fields(body)},
        line=mappers.line(pack, snapshot, rules, now, next_flight),
        pack=InventoryEntry(
            serial=pack.serial,
            notes=pack.notes,
            bought_on=pack.bought_on,
            warranty_until=pack.warranty_until,
            grounded_why=pack.grounded_why,
        ),
        model=_model(pack.model),
        set=_mates(pack, rules, now),
        records=[record_view(r, str(r.key) in stands) for r in newest],
        records_count=len(rows),
        charging=charging_view(charging) if charging else None,
    )


def _snapshot(pack: Pack, rows: Iterable[PackRecord], rules: PackPolicy) -> mappers.PackSnapshot:
    kept = PackSnapshot.objects.filter(pack=pack).first()
    return mappers.snapshot_of(pack, rows, rules, kept.charge_entered_frac if kept else None)


def _model(m: PackModel) -> PackModelFigures:
    return PackModelFigures(
        name=m.name,
        chemistry=m.chemistry,
        cells=m.cells,
        parallel=m.parallel,
        capacity_ah=m.capacity_ah,
        rated_wh=m.rated_wh,
        mass_kg=m.mass_kg,
        label_c=m.label_c,
        fits=m.fits,
        most_rate_c=m.most_rate_c,
        storage_frac=m.storage_frac,
        drains_itself=m.drains_itself,
    )


def _mates(pack: Pack, rules: PackPolicy, now: float) -> SetOut | None:
    if not pack.mates:
        return None
    group = Pack.objects.filter(model=pack.model, mates=pack.mates, archived_at=None).select_related("model", "snapshot")
    shown = []
    for p in group:
        snapshot = mappers.stored_snapshot(p.snapshot.digest) if hasattr(p, "snapshot") else mappers.empty_snapshot(p, rules)
        shown.append((p, snapshot, mappers.line(p, snapshot, rules, now, None)))
    found = mappers.sets(shown, rules)
    return found[0] if found else None


def working_of(pack_id: UUID, key: str) -> WorkingOut:
    """Return the working of one number of a pack's page."""
    pack, rules = pack_of(pack_id), policy()
    found = mappers.working(pack, _snapshot(pack, records_of(pack), rules), rules, today(), key)
    if found is None:
        raise DomainError("not_found", "There is no working for this number yet.")
    return found


def verdict_of(row: PackRecord) -> VerdictOut | None:
    """Return the verdict of a load test that was kept, None for any other record."""
    return mappers.verdict_of(mappers.parse(row.kind, row.figures, row.pack.model), row.pack.model, policy())


def try_load_test(pack_id: UUID, figures: Mapping[str, Any]) -> VerdictOut | None:
    """Return the verdict of a load test that is not kept."""
    pack = pack_of(pack_id)
    return mappers.verdict_of(mappers.parse("load test", figures, pack.model), pack.model, policy())


def label_figures(pack_ids: list[UUID]) -> list[LabelFigures]:
    """Return what stands on the labels of packs, in the order asked for."""
    rules = policy()
    return [_label(pack_of(pack_id), rules) for pack_id in pack_ids]


def _label(pack: Pack, rules: PackPolicy) -> LabelFigures:
    snapshot = _snapshot(pack, records_of(pack), rules)
    figures = mappers.label(pack, snapshot, rules)
    return LabelFigures(
        id=pack.pk,
        name=pack.name,
        mates=pack.mates,
        model=pack.model.name,
        cells=pack.model.cells,
        capacity_ah=pack.model.capacity_ah,
        rated_wh=pack.model.rated_wh,
        hard_s=figures.hard_s,
        gentle_s=figures.gentle_s,
        shown_frac=figures.shown_frac,
        flights=figures.flights,
        alarms=mappers.alarms_of(snapshot),
        storage_frac=rules.care.storage_frac,
        grounded=pack.grounded,
    )


def bench_steps(pack_id: UUID, asked: ChargeAsked, port_w: float | None, supply_leads: int) -> BenchOut:
    """Return the steps of a charge of this pack on a charger with so many supply leads."""
    return mappers.bench(pack_of(pack_id), asked, port_w, supply_leads)


def import_view(import_id: UUID) -> TableImportOut:
    """Return how far an import is."""
    row = import_of(import_id)
    return TableImportOut(
        id=row.pk,
        name=row.name,
        state=cast(ImportState, row.state),
        what=row.what,
        rows=row.rows,
        done=row.done,
        problems=problems_of(row),
        words=row.words,
        broken_off=row.broken_off,
    )


def import_of(import_id: UUID) -> TableImport:
    """Return one import."""
    row = TableImport.objects.defer("data").filter(pk=import_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such import.")
    return row
