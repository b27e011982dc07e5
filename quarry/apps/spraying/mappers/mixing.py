"""A job's plan and products to the sheet that is mixed by."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import cast

from quarry.apps.fleet.mappers import mix_item, season_limits
from quarry.apps.fleet.models import Product
from quarry.apps.jobs.fields import JobFields, SprayingWork
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.views import JobPlan
from quarry.apps.spraying.models import Batch
from quarry.apps.spraying.views import MixFinding, MixLoadOut, MixProductOut, MixSheetOut
from quarry.apps.workings import WorkingOut, to_working
from quarry.core.base.errors import CoreError
from quarry.core.base.sources import ALGEBRA, ENTERED
from quarry.core.base.working import Step, Working, explain
from quarry.core.spraying.kept_clear import buffer_rows, strictest_table
from quarry.core.spraying.mix import (
    FORMS,
    MixItem,
    MixSheet,
    MixTask,
    StockBatch,
    amount_in_load,
    amount_per_ha,
    from_stock,
    mix_sheet,
    to_mix_l,
    usual_order,
)
from quarry.core.spraying.season import Treatment, season_findings, season_of

SprayError = CoreError
_FORM_WORDS = {f.key: f.words for f in FORMS}


def due_season(on: date, first_month: int) -> tuple[date, date]:
    """Return the first day of the season of a date, and the first day of the next one."""
    year, month = season_of(on.month, on.year, first_month)
    return date(year, month, 1), date(year + 1, month, 1)


def left_of(row: Batch, amounts: Mapping[object, float]) -> StockBatch:
    """Return a batch with what is left of it; ``amounts``: the sum of its moves by id."""
    return StockBatch(row.name, amounts.get(row.pk, 0.0), row.expires_on.toordinal() if row.expires_on else None)


def _harvest(f: JobFields) -> int | None:
    try:
        return date.fromisoformat(f.mix.harvest_on).toordinal() if f.mix.harvest_on else None
    except ValueError as bad:
        raise CoreError("This is no date. Enter the harvest as year-month-day.", "mix.harvest_on") from bad


def _items(f: JobFields, products: Mapping[str, Product]) -> list[tuple[Product, MixItem]]:
    found = []
    for k, item in enumerate(f.mix.items):
        row = products.get(item.product_id)
        if row is None:
            raise CoreError("This product is no longer there. Choose another.", f"mix.items.{k}.product_id")
        found.append((row, mix_item(row, item.rate_amount, item.basis)))
    return found


@dataclass(frozen=True, slots=True)
class Mixed:
    """A job's mix worked out: what was asked, the sheet, and its products with what each asks of it."""

    task: MixTask
    sheet: MixSheet
    items: list[tuple[Product, MixItem]]


def mixed(job: Job, f: JobFields, plan: JobPlan | None, products: Mapping[str, Product]) -> Mixed:
    """Return what goes into each load of a job; raises `SprayError` at what stands in the way."""
    if not isinstance(f.work, SprayingWork) or plan is None:
        raise CoreError("Only a spraying job is mixed for.", "kind")
    items = _items(f, products)
    task = _task(job, f, plan, [i for _, i in items])
    try:
        return Mixed(task, mix_sheet(task), items)
    except CoreError as bad:
        bad.field = _at(bad.field)
        raise


def sheet_out(
    job: Job,
    f: JobFields,
    plan: JobPlan | None,
    problem: CoreError | None,
    products: Mapping[str, Product],
    stock: Mapping[str, Sequence[StockBatch]],
    earlier: Sequence[Treatment],
    on: date,
    swap_s: float | None,
) -> MixSheetOut:
    """Return what goes into each load of a job, with what the season, the store and the day say of it.

    Parameters
    ----------
    products, stock
        By id: products of the mix, and what the store holds of each.
    earlier : sequence of Treatment
        What this ground already got in the season.
    swap_s : float, optional
        What the next day that flies the job plans between two sorties. [s]
    """
    try:
        if problem is not None:
            raise problem
        made = mixed(job, f, plan, products)
        harvest = _harvest(f)
    except CoreError as bad:
        return MixSheetOut(
            job.pk, job.name, job.letter, f.mix.crop, bad.message, bad.field, 0, 0, 0, 0, 0, f.mix.vessel, f.mix.fill_s,
            [], [], [], [], _label_table(f, list(products.values())),
        )  # fmt: skip
    task, sheet, items = made.task, made.sheet, made.items
    findings = _findings(f, items, sheet, earlier, on, harvest, swap_s)
    return MixSheetOut(
        job_id=job.pk,
        job=job.name,
        letter=job.letter,
        crop=f.mix.crop,
        problem="",
        field="",
        rate_l_ha=task.rate_l_ha,
        area_ha=sheet.spray_l / task.rate_l_ha,
        spray_l=sheet.spray_l,
        mix_l=sheet.mix_l,
        lines_l=sheet.lines_l,
        vessel=f.mix.vessel,
        fill_s=f.mix.fill_s,
        loads=[MixLoadOut(x.number, x.load_l, x.water_l, list(x.amounts), list(x.sorties)) for x in sheet.loads],
        products=[_product(row, item, k, sheet, stock, on) for k, (row, item) in enumerate(items)],
        findings=findings + _store_findings(items, sheet, stock, on),
        usual=[i.product for i in usual_order([i for _, i in items])],
        label_table=_label_table(f, [row for row, _ in items]),
    )


def _label_table(f: JobFields, rows: Sequence[Product]) -> list[tuple[float, float]]:
    """Return the winds and distances that keep the tables of all labels that have one."""
    droplets = f.work.droplets if isinstance(f.work, SprayingWork) else ""
    return strictest_table([buffer_rows(row.buffer, "buffer") for row in rows if row.buffer], droplets)


def _at(field: str) -> str:
    """Return where a refusal of the core is entered in a job."""
    return field.replace("work.mix.", "mix.items.").replace("work.mix", "mix.items").replace("work.vessel_l", "mix.vessel_l")


def _task(job: Job, f: JobFields, plan: JobPlan, items: Sequence[MixItem]) -> MixTask:
    work = cast(SprayingWork, f.work)
    sorties = tuple((f"{job.letter}{s.number}", s.litres or 0.0) for s in plan.sorties)
    vessel = f.mix.vessel_l if f.mix.vessel else None
    return MixTask(tuple(items), sorties, work.rate_l_ha, f.mix.lines_l, vessel, f.mix.evened)


def _product(
    row: Product, item: MixItem, k: int, sheet: MixSheet, stock: Mapping[str, Sequence[StockBatch]], on: date
) -> MixProductOut:
    held = from_stock(sheet.totals[k], stock.get(str(row.pk), ()), on.toordinal())
    return MixProductOut(
        product_id=str(row.pk),
        name=row.name,
        unit=item.unit,
        form=_FORM_WORDS[item.form],
        per_ha_amount=sheet.per_ha[k],
        total_amount=sheet.totals[k],
        from_batches=[t.batch for t in held.taken],
        short_amount=held.short_amount,
        clothing=row.clothing,
        reentry_h=row.reentry_h,
        rainfast_h=row.rainfast_h,
        before_harvest_days=row.before_harvest_days,
    )


def _findings(
    f: JobFields,
    items: Sequence[tuple[Product, MixItem]],
    sheet: MixSheet,
    earlier: Sequence[Treatment],
    on: date,
    harvest: int | None,
    swap_s: float | None,
) -> list[MixFinding]:
    found: list[MixFinding] = []
    if not items:
        found.append(MixFinding("care", "No product is entered: this sheet is water alone.", "mix.items"))
    for k, (row, _) in enumerate(items):
        mine = [t for t in earlier if t.product == str(row.pk)]
        said = season_findings(season_limits(row), mine, sheet.per_ha[k], on.toordinal(), harvest)
        found += [MixFinding(s.verdict, s.words, f"mix.items.{k}.product_id") for s in said]
        if row.before_harvest_days and harvest is None:
            words = f"{row.name}: {row.before_harvest_days} days before harvest. Enter when it is."
            found.append(MixFinding("care", words, "mix.harvest_on"))
        if row.archived_at is not None:
            found.append(MixFinding("care", f"{row.name} is archived.", f"mix.items.{k}.product_id"))
    rates = {a.rate_l_ha for a in f.taken if a.rate_l_ha is not None} - {cast(SprayingWork, f.work).rate_l_ha}
    if rates and any(i.basis == "ha" for _, i in items):
        words = ", ".join(f"{r:g}" for r in sorted(rates))
        found.append(
            MixFinding(
                "care", f"Areas at {words} L/ha get more or less product than the rest: one mix has one strength.", "areas"
            )
        )
    if swap_s is not None and f.mix.fill_s > swap_s:
        found.append(
            MixFinding(
                "care",
                f"Mixing and filling takes {f.mix.fill_s / 60:g} min, the swap of packs {swap_s / 60:g}: the day plans the longer one "
                "between two sorties. A second person who mixes ahead shortens it.",
                "mix.fill_s",
            )
        )
    return found


def _store_findings(
    items: Sequence[tuple[Product, MixItem]], sheet: MixSheet, stock: Mapping[str, Sequence[StockBatch]], on: date
) -> list[MixFinding]:
    found = []
    for k, (row, item) in enumerate(items):
        if str(row.pk) not in stock:
            continue
        held = from_stock(sheet.totals[k], stock[str(row.pk)], on.toordinal())
        if held.short_amount:
            found.append(MixFinding("no", f"The store is short of {held.short_amount:.3g} {item.unit} of {row.name}."))
        if held.expired:
            found.append(MixFinding("care", f"Batch {', '.join(held.expired)} of {row.name} has expired and is not taken."))
    return found


def mix_workings(m: Mixed) -> dict[str, WorkingOut]:
    """Return the workings of what is mixed in all, and of each product in a load."""
    task, sheet = m.task, m.sheet
    each = tuple(
        Step(f"load_l_{name}", litres, "L", f"sprayed by {name}, as planned", source=ALGEBRA, kind="run")
        for name, litres in task.sorties
    )
    spray = Step("spray_l", sheet.spray_l, "L", "sum of the sorties", source=ALGEBRA, kind="run")
    total = explain(to_mix_l, sheet.spray_l, task.lines_l)
    found = {"mix_l": to_working(Working("To mix", sheet.mix_l, "L", (*each, spray, *total.steps)))}
    for k, item in enumerate(task.items):
        per = "for each hectare" if item.basis == "ha" else "for 100 L"
        given = Step(
            "rate_amount", item.rate_amount, item.unit, f"rate of {item.product} {per}, as entered", source=ENTERED, kind="input"
        )
        per_ha = explain(amount_per_ha, item, task.rate_l_ha)
        for x in sheet.loads:
            load = explain(amount_in_load, sheet.per_ha[k], x.load_l, task.rate_l_ha)
            title = f"{item.product} in load {x.number}"
            found[f"load.{x.number}.{k}"] = to_working(
                Working(title, x.amounts[k], item.unit, (given, *per_ha.steps, *load.steps))
            )
    return found
