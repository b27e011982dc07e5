"""What flights, charges and days teach: rated, measured, what planning goes by and what it would; and how days kept to plan."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import cast
from uuid import UUID

from django.db.models import FloatField, Window
from django.db.models.fields.json import KT
from django.db.models.functions import Cast, RowNumber

from quarry.apps.care.models import PackRecord
from quarry.apps.care.queries import charge_lessons
from quarry.apps.day.models import Day
from quarry.apps.day.queries import FlownRun, charge_powers, flown_days
from quarry.apps.fleet.models import Aircraft, AircraftModel, Calibration, Pack, PackModel
from quarry.apps.fleet.queries import calibrations, calibrations_in_force
from quarry.apps.logbook import mappers
from quarry.apps.logbook.models import Flight
from quarry.apps.logbook.queries.logs import season_words
from quarry.apps.logbook.queries.recorded import name_of
from quarry.apps.logbook.views import (
    CalibrationOut,
    ClaimsOut,
    DayAgainstPlan,
    LessonOut,
    LessonPoint,
    MeasuredMinutes,
    MinutesBy,
    MinutesOut,
    Of,
    RatedClaim,
    RatedKind,
    Subject,
)
from quarry.apps.workings import working_view

LEARN_FROM = 60  # the newest flights of a thing that teach
LEARN_DAYS = 400  # the newest days that do
_MINUTES_FROM = 200
_OF_MINUTES = ("min_per_percent", "knee_frac", "above_knee_min", "below_knee_min", "warned_frac")
_SAME = 0.001  # a calibration that is the same to a thousandth would change nothing
_SHOWN_DAYS, _SHOWN_CALIBRATIONS = 60, 100
InForce = dict[tuple[str, UUID | None], Calibration]


@dataclass(frozen=True, slots=True)
class _Flown:
    """A flight as far as its minutes go."""

    figures: Mapping[str, float | None]
    at: datetime | None
    firmware: str
    air_c: float | None


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
    """Return everything that is taught, by model, aircraft and pack; ``runs`` are the flown days where a caller has them.

    Of each thing the newest flights alone are read, however many there are.
    """
    now: InForce = calibrations_in_force()
    found: list[LessonOut] = []
    craft: dict[UUID, list[Aircraft]] = {}
    for item in Aircraft.objects.filter(archived_at=None).order_by("name"):
        craft.setdefault(item.model_id, []).append(item)
    by_model, by_craft = _points("power", "aircraft__model_id"), _points("power", "aircraft_id")
    for model in AircraftModel.objects.filter(archived_at=None).order_by("name"):
        power = Taught("power", "aircraft model", model.pk, model.name, "", model.power_w, "W")
        found += _lesson(power, by_model.get(model.pk, []), now)
        for item in craft.get(model.pk, ()):
            claim = item.power_w if item.power_w is not None else model.power_w
            own = Taught("power", "aircraft", item.pk, item.name, model.name, claim, "W")
            found += _lesson(own, by_craft.get(item.pk, []), now)
    packs = list(Pack.objects.filter(archived_at=None).select_related("model").order_by("model__name", "name"))
    runs = flown_days(newest=LEARN_DAYS) if runs is None else runs
    charges = _charge_ratios(packs, runs)
    capacity, resistance = _points("capacity", "packs__pk"), _points("resistance", "packs__pk")
    for pack in packs:
        ah, kind = pack.model.capacity_ah * pack.health_frac, pack.model.name
        found += _lesson(Taught("capacity", "pack", pack.pk, pack.name, kind, ah, "Ah"), capacity.get(pack.pk, []), now)
        ohm = resistance.get(pack.pk, [])
        claimed = ohm[0].claimed if ohm else 0.0
        found += _lesson(Taught("resistance", "pack", pack.pk, pack.name, kind, claimed, "Ω"), ohm, now)
        found += _taught(Taught("charge", "pack", pack.pk, pack.name, kind, 1.0, "×"), charges.get(str(pack.pk), []), now)
    swaps = [ratio for run in runs for ratio in run.flown.swaps]
    newest = Day.objects.filter(archived_at=None, rehearsal_of=None).order_by("-date").first()
    entered_s = newest.swap_s if newest else mappers.SWAP_S
    return found + _taught(Taught("swap", "", None, "all swaps", "", entered_s, "s"), swaps[-LEARN_FROM:], now)


def _points(subject: Subject, of: str) -> dict[UUID, list[LessonPoint]]:
    """Return by thing what its newest flights teach of a subject."""
    rank = Window(RowNumber(), partition_by=of, order_by=["-began_at", "pk"])
    rows = Flight.objects.filter(claims__has_key=subject).exclude(**{of: None}).order_by().annotate(rank=rank)
    parts = {x: Cast(KT(f"claims__{subject}__{x}"), FloatField()) for x in ("ratio", "measured", "claimed")}
    found: dict[UUID, list[LessonPoint]] = {}
    for thing, pk, at, ratio, measured, claimed in (
        rows.filter(rank__lte=LEARN_FROM).annotate(**parts).order_by("rank").values_list(of, "pk", "began_at", *parts)
    ):
        found.setdefault(thing, []).append(LessonPoint(pk, at, ratio, measured, claimed))
    return found


def _charge_ratios(packs: list[Pack], runs: list[FlownRun]) -> dict[str, list[float]]:
    """Return by pack how long its charges to full took, in times of what the law says: at the bench and on flown days."""
    found = charge_lessons(packs)
    known = {p.pk: p for p in packs}
    powers_w = charge_powers(runs)
    rank = Window(RowNumber(), partition_by="pack_id", order_by="-at")
    rows = PackRecord.objects.filter(kind="charge", pack__in=packs, key__in=powers_w).annotate(rank=rank)
    for r in rows.filter(rank__lte=LEARN_FROM).order_by("-at"):
        mine = found.setdefault(str(r.pack_id), [])
        ratio = mappers.day_ratio(known[r.pack_id], r.figures, powers_w[r.key]) if len(mine) < LEARN_FROM else None
        if ratio is not None:
            mine.append(ratio)
    return found


def _lesson(of: Taught, points: list[LessonPoint], now: InForce) -> list[LessonOut]:
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
    """Return rated against measured: lessons, calibrations that were accepted, and how the last days kept to their plans."""
    runs = flown_days(newest=LEARN_DAYS)
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
        minutes=_minutes(),
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


def _minutes() -> list[MinutesOut]:
    """Return by model of aircraft and of pack the minutes from full that are rated, and those that the newest flights got."""
    pair = ("aircraft__model_id", "packs__model_id")
    rank = Window(RowNumber(), partition_by=pair, order_by=["-began_at", "pk"])
    parts = {x: Cast(KT(f"figures__{x}"), FloatField()) for x in _OF_MINUTES}
    rows = Flight.objects.filter(figures__has_key="min_per_percent").exclude(aircraft=None).exclude(packs=None)
    groups: dict[tuple[UUID, UUID], dict[UUID, _Flown]] = {}
    newest = rows.order_by().annotate(rank=rank).filter(rank__lte=_MINUTES_FROM).annotate(**parts)
    for craft, pack, pk, at, firmware, air_c, *figures in newest.values_list(
        *pair, "pk", "began_at", "firmware", "air_c", *parts
    ):
        one = _Flown(dict(zip(_OF_MINUTES, figures, strict=True)), at, firmware, air_c)
        groups.setdefault((craft, pack), {})[pk] = one
    models = AircraftModel.objects.in_bulk([craft for craft, _ in groups])
    kinds = PackModel.objects.in_bulk([pack for _, pack in groups])
    found = [_minutes_of(models[craft], kinds[pack], list(mine.values())) for (craft, pack), mine in groups.items()]
    return sorted((m for m in found if m.rows), key=lambda m: (m.aircraft_model, m.pack_model))


def _minutes_of(craft: AircraftModel, pack: PackModel, flown: list[_Flown]) -> MinutesOut:
    figures = [f.figures for f in flown]
    left = craft.rated_left_frac or 0.0
    stated: list[tuple[RatedKind, float | None, float]] = [
        ("hover", craft.rated_hover_min, left),
        ("steady", craft.rated_steady_min, left),
        ("mixed", craft.rated_mixed_min, left),
        ("figures", pack.rated_wh * craft.packs_count / craft.power_w * 60.0, 0.0),
    ]
    rated = [
        RatedClaim(kind, minutes, share, measured)
        for kind, minutes, share in stated
        if minutes is not None and (measured := mappers.measured_min(figures, share)) is not None
    ]
    # Each with what its groups are put in order by.
    ways: list[tuple[MinutesBy, Callable[[_Flown], tuple[float, str]]]] = [
        ("all", lambda _: (0, "all flights")),
        ("firmware", lambda f: (0, f.firmware)),
        ("season", lambda f: (0, "") if f.at is None else (f.at.month % 12 // 3, season_words(f.at.month))),
        ("air", lambda f: (0, "") if f.air_c is None else mappers.band_of_air(f.air_c)),
    ]
    rows = []
    for by, name_of_group in ways:
        mine: dict[tuple[float, str], list[Mapping[str, float | None]]] = {}
        for f in flown:
            mine.setdefault(name_of_group(f), []).append(f.figures)
        mine.pop((0, ""), None)
        if by != "all" and len(mine) < 2:
            continue
        for (_, name), figures_of_group in sorted(mine.items(), key=lambda g: g[0]):
            got = mappers.endurance_of(figures_of_group, mappers.RESERVE_FRAC)
            if got is not None:
                rows.append(MeasuredMinutes(by, name, **asdict(got)))
    return MinutesOut(craft.name, pack.name, mappers.RESERVE_FRAC, rated, rows)


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
