"""Reading the store, mix sheets and spray records."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import date
from uuid import UUID
from zoneinfo import ZoneInfo

from django.db.models import Count, QuerySet, Sum
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import Organisation
from quarry.apps.day.models import Day, DayJob, DayRun
from quarry.apps.day.queries import day_of, read_run, run_of
from quarry.apps.fleet.mappers import droplets_at
from quarry.apps.fleet.models import Nozzle, Product
from quarry.apps.jobs.fields import JobFields, SprayingWork
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import PlanRefused, entered, job_of, plan_of
from quarry.apps.jobs.views import JobPlan
from quarry.apps.policy.mappers import season_month
from quarry.apps.policy.queries import own_values
from quarry.apps.spraying import mappers
from quarry.apps.spraying.fields import RecordFacts, facts_of_row
from quarry.apps.spraying.models import Batch, RecordEntry, SprayRecord, StockMove, SwathTest
from quarry.apps.spraying.views import (
    BatchOut,
    DayLacks,
    MixSheetOut,
    MoveOut,
    RecordLine,
    RecordLines,
    SprayRecordOut,
    StoreOut,
    SwathTestOut,
)
from quarry.apps.workings import WorkingOut

_MOST_RECORDS = 500
_LOOKED_BACK = 60
COLUMNS: tuple[tuple[str, str], ...] = (
    ("number", "record"),
    ("date", "date"),
    ("begins", "begins"),
    ("ends", "ends"),
    ("job", "job"),
    ("fields", "field"),
    ("crop", "crop"),
    ("growth", "growth stage"),
    ("product", "product"),
    ("registration", "registration"),
    ("batch", "batch"),
    ("per_ha", "per hectare"),
    ("amount", "amount"),
    ("unit", "unit"),
    ("area_ha", "area, ha"),
    ("litres", "litres"),
    ("rate_l_ha", "L/ha"),
    ("loads", "loads"),
    ("wind", "wind, m/s"),
    ("gust", "gust, m/s"),
    ("from", "wind from, °"),
    ("air", "temperature, °C"),
    ("humidity", "humidity, %"),
    ("delta_t", "Delta-T, °C"),
    ("operator", "operator"),
    ("licence", "licence"),
    ("aircraft", "aircraft"),
    ("nozzle", "nozzle"),
    ("droplets", "droplets"),
    ("pressure", "pressure, bar"),
    ("height", "height, m"),
    ("kept_clear", "kept clear"),
    ("lacks", "lacks"),
    ("notes", "notes"),
)


def today_of(organisation: Organisation) -> date:
    """Return the date of now at the company."""
    return timezone.now().astimezone(ZoneInfo(organisation.time_zone or "UTC")).date()


def left_in_batches(product_ids: Iterable[UUID | str] | None = None) -> dict[object, float]:
    """Return what is left of each batch, by its id."""
    moves = StockMove.objects.all()
    if product_ids is not None:
        moves = moves.filter(batch__product_id__in=list(product_ids))
    return dict(moves.values_list("batch_id").annotate(left=Sum("amount")))


def store(*, archived: bool = False) -> StoreOut:
    """Return every batch with what is left of it and what moved, by product, the one that expires first before the others."""
    rows = Batch.objects.select_related("product", "organisation").prefetch_related("moves__by")
    if not archived:
        rows = rows.filter(archived_at=None)
    left = left_in_batches()
    return StoreOut([_batch(row, left.get(row.pk, 0.0)) for row in rows])


def batch_view(row: Batch) -> BatchOut:
    """Return one batch as the store shows it."""
    return _batch(row, left_in_batches([row.product_id]).get(row.pk, 0.0))


def _batch(row: Batch, left: float) -> BatchOut:
    expired = row.expires_on is not None and row.expires_on < today_of(row.organisation)
    moves = [MoveOut(m.at, m.amount, m.kind, m.words, m.by.full_name or m.by.username) for m in row.moves.all()]  # type: ignore[arg-type]
    return BatchOut(
        id=row.pk,
        product_id=row.product_id,
        product=row.product.name,
        unit=row.product.unit,
        name=row.name,
        expires_on=row.expires_on.isoformat() if row.expires_on else None,
        expired=expired,
        left_amount=left,
        archived=row.archived_at is not None,
        moves=moves,
    )


def products_of(job: Job) -> dict[str, Product]:
    """Return the products of a job's mix by their ids."""
    ids = [item.product_id for item in entered(job).mix.items]
    return {str(row.pk): row for row in Product.objects.filter(pk__in=ids)}


def stock_of(product_ids: Iterable[str]) -> dict[str, list[mappers.StockBatch]]:
    """Return what the store holds, by product; products of which it never held a batch are not there."""
    ids = list(product_ids)
    left = left_in_batches(ids)
    found: dict[str, list[mappers.StockBatch]] = {}
    for row in Batch.objects.filter(product_id__in=ids, archived_at=None):
        found.setdefault(str(row.product_id), []).append(mappers.left_of(row, left))
    return found


def mix_sheet_of(job_id: UUID, on: date | None = None) -> MixSheetOut:
    """Return what goes into each load of a job, for a date; without one, the next day that flies it, or today."""
    job = job_of(job_id)
    f = entered(job)
    place = DayJob.objects.filter(job=job, day__archived_at=None, day__rehearsal_of=None, day__run=None)
    today = today_of(job.organisation)
    nearest = place.filter(day__date__gte=today).select_related("day").order_by("day__date").first()
    when = on or (nearest.day.date if nearest else today)
    plan: JobPlan | None = None
    problem = None
    try:
        plan = plan_of(job) if f.kind == "spraying" else None
    except PlanRefused as bad:
        problem = bad
    products = products_of(job)
    earlier = mappers.treatments_of(_ground(job), _closed_in_season(when))
    swap_s = nearest.day.swap_s if nearest else None
    return mappers.sheet_out(
        job, _with_droplets(f, job, plan), plan, problem, products, stock_of(products), earlier, when, swap_s
    )


def droplets_of(job: Job, plan: JobPlan | None) -> str:
    """Return the class of the drops of a job: as entered, else by the table of its nozzle at the pressure of its plan."""
    entered_class = str(job.work.get("droplets", ""))
    bar = plan.figure("pressure_bar") if plan is not None else None
    row = Nozzle.objects.filter(name=str(job.work.get("nozzle", "")), archived_at=None).first()
    return entered_class or (droplets_at(row, bar) if row is not None and bar is not None else "")


def _with_droplets(f: JobFields, job: Job, plan: JobPlan | None) -> JobFields:
    if not isinstance(f.work, SprayingWork):
        return f
    return replace(f, work=replace(f.work, droplets=droplets_of(job, plan)))


def mix_working(job_id: UUID, key: str) -> WorkingOut:
    """Return the working of one figure of a mix sheet."""
    job = job_of(job_id)
    try:
        made = mappers.mixed(job, entered(job), plan_of(job), products_of(job))
    except mappers.SprayError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    found = mappers.mix_workings(made).get(key)
    if found is None:
        raise DomainError("not_found", "There is no working for this number.")
    return found


def _ground(job: Job) -> list[list[tuple[float, float]]]:
    return [list(a.ring) for a in entered(job).taken]


def _season(on: date) -> tuple[date, date]:
    return mappers.due_season(on, season_month(own_values()))


def _closed_in_season(on: date) -> list[tuple[SprayRecord, RecordFacts]]:
    begins, ends = _season(on)
    rows = SprayRecord.objects.exclude(facts=None).filter(began_at__date__gte=begins, began_at__date__lt=ends)
    return [(row, facts) for row in rows if (facts := facts_of_row(row)) is not None]


def entries_of(row: SprayRecord | None) -> mappers.Entered:
    """Return the entries of a record; none where there is no record yet."""
    return mappers.with_entries(RecordEntry.objects.filter(record=row).select_related("by") if row is not None else [])


def row_of(day_id: UUID, job_id: UUID) -> SprayRecord | None:
    """Return the row of a record, None while nothing of it was entered."""
    return SprayRecord.objects.filter(day_id=day_id, job_id=job_id).select_related("job", "day").first()


def facts_now(day_id: UUID, job: Job) -> RecordFacts:
    """Return what a day tells of a job that sprays, as it stands now, with the licence that its operator entered last."""
    reading = read_run(run_of(day_id))
    try:
        plan: JobPlan | None = plan_of(job)
    except PlanRefused:
        plan = None
    facts = mappers.facts_of(reading, job, _with_droplets(entered(job), job, plan), plan, products_of(job))
    said = entries_of(row_of(day_id, job.pk)).values.get("operator")
    return replace(facts, licence=_licences().get(str(said or mappers.operators_of(facts)), ""))


def _licences() -> dict[str, str]:
    """Return by operator the licence that was entered last in a record of theirs."""
    newest = RecordEntry.objects.filter(key="licence").select_related("record").order_by("-at", "-pk")[:_LOOKED_BACK]
    entries = list(newest)
    said = RecordEntry.objects.filter(key="operator", record__in=[e.record_id for e in entries]).order_by("at", "pk")
    named = {e.record_id: str(e.value) for e in said}
    found: dict[str, str] = {}
    for e in entries:
        facts = facts_of_row(e.record)
        who = named.get(e.record_id) or (mappers.operators_of(facts) if facts is not None else "")
        if who:
            found.setdefault(who, str(e.value))
    return found


def record_of(day_id: UUID, job_id: UUID) -> SprayRecordOut:
    """Return the record of a job of a day: as it was closed, else as the day tells it now.

    Raises
    ------
    DomainError
        There is no such day, or it did not begin.
    """
    row, job = row_of(day_id, job_id), job_of(job_id)
    run = run_of(day_id)
    facts = (facts_of_row(row) if row is not None else None) or facts_now(day_id, job)
    return _record(row, job, run.day, facts)


def _record(row: SprayRecord | None, job: Job, day: Day, facts: RecordFacts) -> SprayRecordOut:
    batches = Batch.objects.filter(product_id__in=[p.product_id for p in facts.products], archived_at=None)
    names: dict[str, list[str]] = {}
    for b in batches:
        names.setdefault(str(b.product_id), []).append(b.name)
    return mappers.record_out(row, job, day, facts, entries_of(row), names, _entered_before())


def _entered_before() -> dict[str, list[str]]:
    """Return what was entered in records before, by field, the newest first: a choice while typing."""
    found: dict[str, list[str]] = {}
    rows = RecordEntry.objects.filter(key__in=("crop", "operator", "licence", "nozzle", "growth")).order_by("-at", "-pk")
    for key, value in rows.values_list("key", "value")[: 5 * _LOOKED_BACK]:
        mine = found.setdefault(key, [])
        if isinstance(value, str) and value and value not in mine and len(mine) < 8:
            mine.append(value)
    return found


def sprayed_on(day_id: UUID) -> list[Job]:
    """Return the jobs of a day that spray and of which something has landed; none of a rehearsal."""
    run = DayRun.objects.filter(day_id=day_id, day__rehearsal_of=None).first()
    if run is None:
        return []
    ids = run.landed.exclude(job=None).values("job_id").annotate(n=Count("pk")).values_list("job_id", flat=True)
    return list(Job.objects.filter(pk__in=list(ids), kind="spraying").order_by("letter"))


def day_lacks(day_id: UUID) -> list[DayLacks]:
    """Return what the records of a day lack before it closes; jobs that lack nothing stand with an empty list."""
    day_of(day_id)
    found = []
    for job in sprayed_on(day_id):
        row = row_of(day_id, job.pk)
        facts = (facts_of_row(row) if row is not None else None) or facts_now(day_id, job)
        entries = entries_of(row)
        found.append(DayLacks(job.pk, job.letter, job.name, mappers.lacks_of(facts, entries)))
    return found


def _closed_rows(season: str) -> QuerySet[SprayRecord]:
    rows = SprayRecord.objects.exclude(facts=None).filter(archived_at=None).select_related("job", "day")
    if not season:
        return rows
    year = season.partition("/")[0]
    if not year.isdecimal() or not 1900 < int(year) < 3000:
        raise DomainError("invalid", "A season is a year, such as 2031, or two, such as 2031/32.", "season")
    begins, ends = mappers.due_season(date(int(year), season_month(own_values()), 1), season_month(own_values()))
    return rows.filter(began_at__date__gte=begins, began_at__date__lt=ends)


def closed_records(*, search: str = "", product: str = "", season: str = "", most: int | None = None) -> list[SprayRecordOut]:
    """Return closed records, the newest first: those whose job, field, crop or operator holds a text, by product and season.

    ``most``: only so many of the newest are looked at; None: all.
    """
    rows = list(_closed_rows(season)[:most])
    entries: dict[UUID, list[RecordEntry]] = {}
    for e in RecordEntry.objects.filter(record__in=[r.pk for r in rows]).select_related("by"):
        entries.setdefault(e.record_id, []).append(e)
    found = []
    for row in rows:
        facts = facts_of_row(row)
        if facts is None:
            continue
        out = mappers.record_out(row, row.job, row.day, facts, mappers.with_entries(entries.get(row.pk, [])), {}, {})
        texts = [out.job, *(f.value for f in out.fields if f.key in ("crop", "fields", "operator"))]
        if search and not any(search.lower() in t.lower() for t in texts):
            continue
        if product and not any(product.lower() in p.name.lower() for p in out.products):
            continue
        found.append(out)
    return found


def season_name(on: date) -> str:
    """Return what the season of a date is called: its year, or its two where it begins within one."""
    begins, ends = _season(on)
    return str(begins.year) if begins.month == 1 else f"{begins.year}/{ends.year % 100:02d}"


def record_lines(*, search: str = "", product: str = "", season: str = "") -> RecordLines:
    """Return the list of closed records, and of days that are still open, with what they come to."""
    closed = closed_records(search=search, product=product, season=season, most=_MOST_RECORDS)
    open_days = [] if search or product or season else _open_records()
    items = [_line(r, closed=False) for r in open_days] + [_line(r, closed=True) for r in closed]
    days = SprayRecord.objects.exclude(began_at=None).values_list("began_at__date", flat=True).distinct()
    seasons = sorted({season_name(on) for on in days}, reverse=True)
    not_shown = max(0, _closed_rows(season).count() - _MOST_RECORDS)
    return RecordLines(items, not_shown, sum(r.area_ha for r in closed), sum(r.litres for r in closed), seasons, list(COLUMNS))


def _open_records() -> list[SprayRecordOut]:
    runs = DayRun.objects.filter(closed_at=None, day__rehearsal_of=None, day__archived_at=None, landed__job__kind="spraying")
    found = []
    for run in runs.select_related("day").distinct():
        found += [record_of(run.day_id, job.pk) for job in sprayed_on(run.day_id)]
    return found


def _line(r: SprayRecordOut, *, closed: bool) -> RecordLine:
    of = {f.key: f.value for f in r.fields}.get
    return RecordLine(
        r.number, r.job_id, r.day_id, r.date, r.job, of("fields", ""), of("crop", ""), [p.name for p in r.products], r.area_ha, r.litres,
        len(r.lacks), closed,
    )  # fmt: skip


def columns_asked(names: Sequence[str]) -> list[tuple[str, str]]:
    """Return the columns that were asked for, in that order; all of them where none is named.

    Raises
    ------
    DomainError
        A table of records has no such column.
    """
    known = dict(COLUMNS)
    unknown = [n for n in names if n not in known]
    if unknown:
        raise DomainError("invalid", f"A table of records has no column {unknown[0][:40]}.", "columns")
    return [(n, known[n]) for n in names] or list(COLUMNS)


def swath_tests(aircraft_id: UUID | None = None) -> list[SwathTestOut]:
    """Return the swath tests that are kept, the newest first; of one aircraft where one is named."""
    rows = SwathTest.objects.filter(archived_at=None).select_related("aircraft", "by")
    if aircraft_id is not None:
        rows = rows.filter(aircraft_id=aircraft_id)
    return [swath_test_view(row) for row in rows[:200]]


def swath_test_view(row: SwathTest) -> SwathTestOut:
    """Return a swath test as lists show it."""
    return SwathTestOut(
        id=row.pk,
        aircraft_id=row.aircraft_id,
        aircraft=row.aircraft.name,
        height_m=row.height_m,
        nozzle=row.nozzle,
        wind_m_s=row.wind_m_s,
        way=row.way,
        spacing_m=row.spacing_m,
        variation_frac=row.variation_frac,
        wanted_frac=row.wanted_frac,
        by=row.by.full_name or row.by.username,
        made_at=row.made_at,
    )
