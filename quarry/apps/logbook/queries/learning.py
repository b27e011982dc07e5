"""What flights, charges and days teach: rated, measured, what planning goes by and what it would; and how days kept to plan."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass
from typing import cast
from uuid import UUID

from quarry.apps.care.models import PackRecord
from quarry.apps.care.queries import charge_lessons
from quarry.apps.day.models import Day
from quarry.apps.day.queries import FlownRun, charge_powers, flown_days
from quarry.apps.fleet.models import Aircraft, AircraftModel, Calibration, Pack
from quarry.apps.fleet.queries import calibrations, calibrations_in_force
from quarry.apps.logbook import mappers
from quarry.apps.logbook.models import Flight
from quarry.apps.logbook.queries.recorded import HEAVY, name_of
from quarry.apps.logbook.repository import claims_of, figures_of
from quarry.apps.logbook.views import (
    CalibrationOut,
    ClaimedMinutes,
    ClaimsOut,
    DayAgainstPlan,
    FlightClaimOut,
    LessonOut,
    LessonPoint,
    Of,
    Subject,
)
from quarry.apps.workings import working_view

LEARN_FROM = 60  # the newest flights of a thing that teach
_SAME = 0.001  # a calibration that is the same to a thousandth would change nothing
_SHOWN_DAYS, _SHOWN_CALIBRATIONS = 60, 100
InForce = dict[tuple[str, UUID | None], Calibration]


@dataclass(frozen=True, slots=True)
class Taught:
    """What is taught of which thing, with what is claimed of it."""

    subject: Subject
    thing: Of
    thing_id: UUID | None
    name: str
    kind: str
    claimed: float
    unit: str


def lessons(runs: list[FlownRun] | None = None) -> list[LessonOut]:
    """Return everything that is taught, by model, aircraft and pack; ``runs`` are the flown days where a caller has them."""
    flights = list(
        Flight.objects.exclude(claims={})
        .select_related("aircraft__model")
        .prefetch_related("packs__model")
        .defer(*HEAVY)
        .order_by("-began_at")
    )
    now: InForce = calibrations_in_force()
    found: list[LessonOut] = []
    craft: dict[UUID, list[Aircraft]] = {}
    for item in Aircraft.objects.filter(archived_at=None).order_by("name"):
        craft.setdefault(item.model_id, []).append(item)
    of_model: dict[UUID, list[Flight]] = {}
    of_pack: dict[UUID, list[Flight]] = {}
    for f in flights:
        if f.aircraft is not None:
            of_model.setdefault(f.aircraft.model_id, []).append(f)
        for p in f.packs.all():
            of_pack.setdefault(p.pk, []).append(f)
    for model in AircraftModel.objects.filter(archived_at=None).order_by("name"):
        mine = of_model.get(model.pk, [])
        found += _lesson(
            Taught("power", "aircraft model", model.pk, model.name, "", model.power_w, "W"), _ratios(mine, "power"), now
        )
        for item in craft.get(model.pk, ()):
            own = [f for f in mine if f.aircraft_id == item.pk]
            claim = item.power_w if item.power_w is not None else model.power_w
            found += _lesson(Taught("power", "aircraft", item.pk, item.name, model.name, claim, "W"), _ratios(own, "power"), now)
    packs = list(Pack.objects.filter(archived_at=None).select_related("model").order_by("model__name", "name"))
    runs = flown_days() if runs is None else runs
    charges = _charge_ratios(packs, runs)
    for pack in packs:
        own = of_pack.get(pack.pk, [])
        ah, kind = pack.model.capacity_ah * pack.health_frac, pack.model.name
        found += _lesson(Taught("capacity", "pack", pack.pk, pack.name, kind, ah, "Ah"), _ratios(own, "capacity"), now)
        ohm = _ratios(own, "resistance")
        claimed = ohm[0][1].claimed if ohm else 0.0
        found += _lesson(Taught("resistance", "pack", pack.pk, pack.name, kind, claimed, "Ω"), ohm, now)
        found += _taught(Taught("charge", "pack", pack.pk, pack.name, kind, 1.0, "×"), charges.get(str(pack.pk), []), now)
    swaps = [ratio for run in runs for ratio in run.flown.swaps]
    newest = Day.objects.filter(archived_at=None, rehearsal_of=None).order_by("-date").first()
    entered_s = newest.swap_s if newest else mappers.SWAP_S
    return found + _taught(Taught("swap", "", None, "all swaps", "", entered_s, "s"), swaps[-LEARN_FROM:], now)


def _charge_ratios(packs: list[Pack], runs: list[FlownRun]) -> dict[str, list[float]]:
    """Return by pack how long its charges to full took, in times of what the law says: at the bench and on flown days."""
    found = charge_lessons(packs)
    known = {p.pk: p for p in packs}
    powers_w = charge_powers(runs)
    for r in PackRecord.objects.filter(kind="charge", pack__in=packs, key__in=powers_w).order_by("-at"):
        mine = found.setdefault(str(r.pack_id), [])
        ratio = mappers.day_ratio(known[r.pack_id], r.figures, powers_w[r.key]) if len(mine) < LEARN_FROM else None
        if ratio is not None:
            mine.append(ratio)
    return found


def _ratios(rows: Iterable[Flight], subject: str) -> list[tuple[Flight, FlightClaimOut]]:
    able = [f for f in rows if subject in f.claims][:LEARN_FROM]
    return [(f, claims_of(f)[subject]) for f in able]


def _lesson(of: Taught, claims: list[tuple[Flight, FlightClaimOut]], now: InForce) -> list[LessonOut]:
    points = [LessonPoint(f.pk, f.began_at, c.ratio, c.measured, c.claimed) for f, c in claims]
    return _taught(of, [p.ratio for p in points], now, points)


def _taught(of: Taught, ratios: list[float], now: InForce, points: list[LessonPoint] | None = None) -> list[LessonOut]:
    standing = now.get((of.subject, of.thing_id))
    lesson = mappers.lesson_of(of.subject, ratios) if ratios else None
    if lesson is None and standing is None:
        return []
    factor = standing.factor if standing else 1.0
    return [
        LessonOut(
            **asdict(of),
            now_factor=factor,
            now_number=standing.number if standing else None,
            factor=lesson.factor if lesson else None,
            figures=lesson.figures if lesson else None,
            new=lesson is not None and abs(lesson.factor - factor) >= _SAME,
            points=points or [],
        )
    ]


def claims() -> ClaimsOut:
    """Return rated against measured: lessons, calibrations that were accepted, and how days kept to their plans."""
    runs = flown_days()
    days = [r for r in runs if r.flown.sorties]
    kept = [
        (r.flown.promised_s, r.flown.finish_s)
        for r in days
        if r.closed and r.flown.promised_s is not None and r.flown.finish_s is not None
    ]
    inside, of = mappers.covered([promised for promised, _ in kept], [finish for _, finish in kept])
    return ClaimsOut(
        lessons=lessons(runs),
        calibrations=[calibration_view(c) for c in calibrations()[:_SHOWN_CALIBRATIONS]],
        days=[_against_plan(r) for r in reversed(days)][:_SHOWN_DAYS],
        covered=inside,
        covered_of=of,
        models=_claimed_minutes(),
    )


def _against_plan(r: FlownRun) -> DayAgainstPlan:
    return DayAgainstPlan(
        UUID(r.day_id),
        r.name,
        r.date,
        r.opens_at,
        r.closed,
        r.plan_number,
        r.flown.planned_finish_s,
        r.flown.promised_s,
        r.flown.finish_s,
        r.flown.planned_sorties,
        r.flown.sorties,
        r.flown.planned_air_s,
        r.flown.air_s,
    )


def _claimed_minutes() -> list[ClaimedMinutes]:
    """Return by aircraft and model of pack the minutes that the maker's figures give from full to the reserve, and those flown."""
    groups: dict[tuple[str, str], list[tuple[Aircraft, Pack, float]]] = {}
    rows = Flight.objects.select_related("aircraft__model").prefetch_related("packs__model").defer(*HEAVY)
    for f in rows.order_by("-began_at"):
        packs = list(f.packs.all())
        minutes = figures_of(f).min_per_percent
        if f.aircraft and packs and minutes:
            groups.setdefault((f.aircraft.name, packs[0].model.name), []).append((f.aircraft, packs[0], float(minutes)))
    found = []
    for (craft, model), flown in sorted(groups.items(), key=lambda g: g[0]):
        aircraft, pack, _ = flown[0]
        power_w = aircraft.power_w or aircraft.model.power_w
        each = sorted(minutes for _, _, minutes in flown)
        claimed_min = pack.model.rated_wh * aircraft.model.packs_count / power_w * 60.0
        real = (100.0 * each[len(each) // 2], 100.0 * each[0], 100.0 * each[-1])
        found.append(ClaimedMinutes(craft, model, len(flown), claimed_min, *real))
    return found


def calibration_view(row: Calibration) -> CalibrationOut:
    """Return a calibration as it is shown."""
    return CalibrationOut(
        row.number,
        cast(Subject, row.subject),
        row.label,
        row.factor,
        row.figures.get("words", ""),
        working_view(working) if (working := row.figures.get("working")) else None,
        row.accepted_at,
        name_of(row.accepted_by),
        row.rolled_back_at,
        name_of(row.rolled_back_by),
    )
