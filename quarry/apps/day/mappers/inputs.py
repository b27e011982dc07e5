"""Rows of a day, its fleet and the plans of its jobs to what the core plans a day from."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from quarry.apps.day.fields import crews_of, hours_of, methods_of, pins_of
from quarry.apps.day.models import Day, DayJob, DayPack
from quarry.apps.day.views.plan import DayGate, DayGateHour
from quarry.apps.fleet.fields import Learned as Calibrated
from quarry.apps.fleet.fields import charger_modes, learned_words
from quarry.apps.fleet.mappers import charge_law, charger_range, drawn_of, health_of, outlets_of, slowness_of
from quarry.apps.fleet.models import Aircraft, Charger, Pack, Supply
from quarry.apps.jobs.fields import JobFields
from quarry.apps.jobs.mappers import stops_of
from quarry.apps.jobs.views import JobPlan
from quarry.apps.limits.views import WindowsOfDay
from quarry.core.air.low_sun import LowSunPolicy
from quarry.core.cells.chemistry import chemistry_of
from quarry.core.dayplan.inputs import (
    AircraftInput,
    ChargerInput,
    DayInputs,
    JobInput,
    Learned,
    PackInput,
    SetInput,
    SortieInput,
    SunOfDay,
    SupplyInput,
)
from quarry.core.dayplan.packing_list import CardNeed
from quarry.core.dayplan.refuelling import Refuelling
from quarry.core.rotation.people import PeopleLimits
from quarry.core.rotation.scatter import LearnedScatter, PromiseKept

_NOT_WORK = ("take-off", "out", "home", "landing")
_COUNTED = {"pictures_count": "images", "volume_l": "litres"}


@dataclass(frozen=True, slots=True)
class PlannedJob:
    """A job in a day with its plan, what was entered of it, and what limits leave of its hours."""

    place: DayJob
    aircraft: Aircraft
    plan: JobPlan
    fields: JobFields
    windows: WindowsOfDay


def card_need(job: PlannedJob) -> CardNeed:
    """Return what the pictures of a mapping job take on cards."""
    row = job.place.job
    return CardNeed(row.letter, job.plan.figure("space_gb"), row.camera.card_gb if row.camera else None)


def gate_of(job: PlannedJob) -> DayGate:
    """Return what limits leave of a day for a job, as it is drawn."""
    row, w = job.place.job, job.windows
    hours = [DayGateHour(h.start_s, h.word, h.unknown, h.reasons, h.gust_m_s, h.wind_m_s, h.from_deg) for h in w.hours]
    fallbacks = [p.name for p in job.fields.site.fallbacks]
    spots = [(p.name, p.at[0], p.at[1]) for p in job.fields.site.fallbacks]
    return DayGate(str(row.pk), row.letter, row.name, w.limit_m_s, w.height_m, hours, fallbacks, spots, stops_of(job.fields))


@dataclass(frozen=True, slots=True)
class DayPolicy:
    """What a company has set for its days: limits of people, from when a low sun blinds, how long refuelling takes."""

    people: PeopleLimits
    low_sun: LowSunPolicy
    refuelling: Refuelling


def day_inputs(
    day: Day,
    jobs: Sequence[PlannedJob],
    packs: Sequence[DayPack],
    chargers: Sequence[Charger],
    supplies: Sequence[Supply],
    times: tuple[LearnedScatter, PromiseKept],
    swap: Calibrated | None,
    policy: DayPolicy,
) -> DayInputs:
    """Return what the core plans a day from.

    ``times``: what the company's flown days tell of its times; ``swap``: the calibration of its swaps.
    """
    flown = {f"{j.aircraft.model.pack_model_id}/{j.aircraft.model.packs_count}" for j in jobs}
    words = _learned_words([j.aircraft for j in jobs], [p.pack for p in packs], flown, swap)
    return DayInputs(
        hours=hours_of(day),
        swap_s=day.swap_s,
        rest_after_flight_s=day.rest_after_flight_s,
        rest_after_charge_s=day.rest_after_charge_s,
        bench_c=day.bench_c,
        elevation_m=day.elevation_m,
        methods=methods_of(day.methods),
        pins=pins_of(day),
        jobs=tuple(_job(j) for j in jobs),
        packs=tuple(_pack(p) for p in packs),
        chargers=tuple(_charger(c) for c in chargers),
        supplies=tuple(_supply(s) for s in supplies),
        learned=Learned(*times, policy.people, swap.factor if swap else 1.0, policy.refuelling.refuel_min, words),
        crews=crews_of(day.crews),
        sun=SunOfDay(day.date, _utc_offset_min(day), policy.low_sun),
    )


def _utc_offset_min(day: Day) -> float:
    opens = datetime.combine(day.date, day.opens, ZoneInfo(day.time_zone))
    return (opens.utcoffset() or timedelta()).total_seconds() / 60


def _job(j: PlannedJob) -> JobInput:
    row, model, plan = j.place.job, j.aircraft.model, j.plan
    counted = next(((value, what) for key, what in _COUNTED.items() if (value := plan.figure(key)) is not None), (0.0, ""))
    hours = j.windows.hours
    return JobInput(
        id=str(row.pk),
        name=row.name,
        letter=row.letter,
        home=j.fields.home,
        aircraft=AircraftInput(str(j.aircraft.pk), j.aircraft.name, model.name, str(model.pack_model_id), model.packs_count),
        sorties=tuple(
            SortieInput(
                s.number,
                s.time_s,
                sum(x.end_s - x.start_s for x in s.legs if x.kind in _NOT_WORK),
                s.energy_wh,
                s.energy_frac,
                s.landing_frac,
                s.turn_back_s,
                s.set,
                tuple(s.worked),
                s.worked_m,
                s.path[0],
                s.leave,
                s.home_s,
            )
            for s in plan.sorties
        ),
        sets=tuple(SetInput(u.name, u.usable_wh, u.energy_wh, u.floor_v, u.settles_c) for u in plan.usable),
        sets_out=plan.sets_out,
        sets_assumed=plan.pack.assumed,
        reserve_frac=plan.reserve_frac,
        air_c=plan.air.air_c,
        wind_assumed=any(c.key == "wind" for c in plan.checks),
        spacing_m=plan.figure("spacing_m") or 0.0,
        work=counted[0],
        what=counted[1],
        windows=tuple(j.windows.windows),
        charge_least_frac=j.windows.charge_least_frac or 0.0,
        weather_unknown=bool(hours) and all(h.unknown for h in hours),
        rings=tuple(plan.rings),
        fill_s=j.fields.mix.fill_s if j.fields.kind == "spraying" and j.fields.mix.items else 0.0,
    )


def _pack(p: DayPack) -> PackInput:
    pack, model = p.pack, p.pack.model
    return PackInput(
        id=str(pack.pk),
        name=pack.name,
        model=str(pack.model_id),
        model_name=model.name,
        chemistry=chemistry_of(model.chemistry),
        cells=model.cells,
        mates=pack.mates,
        start_frac=p.start_frac,
        capacity_wh=model.rated_wh * health_of(pack),
        law=charge_law(model),
        balance_s=model.balance_s,
        slowness=slowness_of(pack),
        slowness_words=learned_words(pack, "charge"),
        grounded=pack.grounded,
        grounded_why=pack.grounded_why,
    )


def _charger(c: Charger) -> ChargerInput:
    m = c.model
    return ChargerInput(str(c.pk), c.name, m.name, m.ports, charger_modes(m), m.cap_w, charger_range(m), drawn_of(c))


def _supply(s: Supply) -> SupplyInput:
    m = s.model
    return SupplyInput(s.name, m.rated_w, m.headroom_frac, m.kind == "generator", m.fuel, m.tank_l, tuple(outlets_of(m, s.name)))


def _learned_words(aircraft: list[Aircraft], packs: list[Pack], kinds: set[str], swap: Calibrated | None) -> dict[str, str]:
    """Return by what it is of, in words, each calibration that a day is planned with."""
    found: dict[str, str] = {}
    for item in {a.pk: a for a in aircraft}.values():
        words = learned_words(item, "power") or learned_words(item.model, "power")
        if words:
            found[f"power of {item.name}"] = words
    sizes: dict[tuple[str, str], int] = {}
    for p in packs:
        if not p.grounded:
            group = (str(p.model_id), p.mates or p.name)
            sizes[group] = sizes.get(group, 0) + 1
    for p in packs:
        size = sizes.get((str(p.model_id), p.mates or p.name), 0)
        if p.grounded or f"{p.model_id}/{size}" not in kinds:
            continue
        for subject in sorted(p.learnt):
            if subject != "capacity" or health_of(p) != p.health_frac:
                found[f"{subject} of pack {p.name}"] = learned_words(p, subject)
    if swap is not None:
        found["swap"] = swap.full_words
    return found
