"""What flights make of what was claimed: ratios of each flight, and the factor that would be accepted."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from quarry.apps.fleet.mappers import MeasuredPack, airframe, charge_law, energy_today_wh, usual_cell_ohm
from quarry.apps.fleet.models import Aircraft, Pack
from quarry.apps.jobs.fields import SprayingWork, fields_of
from quarry.apps.jobs.models import Job
from quarry.apps.logbook.views import FlightClaimOut, LessonFigures
from quarry.apps.workings import to_working
from quarry.core.air.atmosphere import SEA_LEVEL_KG_M3
from quarry.core.base.errors import CoreError
from quarry.core.defaults import LANDING
from quarry.core.limits.hourly_conditions import HourAir, density_of
from quarry.core.logs.calibrate import Subject, calibrate, coverage
from quarry.core.logs.claim import Claim, capacity_claim, power_claim, resistance_claim
from quarry.core.logs.discharge import Discharge
from quarry.core.logs.reading import Log
from quarry.core.logs.wind import WindMet
from quarry.core.power.charging import charge_ratio

RESERVE_FRAC = LANDING.value
_AIR_C = (0, 10, 20, 30)


def band_of_air(air_c: float) -> tuple[float, str]:
    """Return ten degrees of air temperature, by where they begin and in words."""
    begins = [edge for edge in _AIR_C if air_c >= edge]
    if not begins:
        return -math.inf, f"below {_AIR_C[0]} °C"
    low = begins[-1]
    return low, f"{low} °C and more" if low == _AIR_C[-1] else f"{low} to {low + 10} °C"


def claims_of(
    flight: Log,
    seen: Discharge,
    wind: WindMet | None,
    *,
    aircraft: Aircraft | None,
    packs: list[Pack],
    measured: MeasuredPack | None,
    job: Job | None,
    payload_kg: float | None,
    air_c: float | None,
) -> dict[str, FlightClaimOut]:
    """Return by subject what was claimed of a flight, what it measured, and how.

    Packs that fly together share one current: of them the log tells no capacity or resistance of each.
    """
    found: list[Claim | None] = []
    entered = fields_of(job) if job is not None else None
    if aircraft is not None:
        craft = airframe(aircraft.model, aircraft, claimed=True)
        load = payload_kg if payload_kg is not None else entered.sorties.load_kg if entered is not None else 0.0
        if entered is not None and isinstance(entered.work, SprayingWork) and craft.mass_kg is not None:
            # The mean draw of a sprayer is that of its usual half tank.
            craft = replace(craft, mass_kg=craft.mass_kg + (aircraft.model.tank_l or entered.work.tank_l) / 2)
        density = density_of(HourAir("measured", "log", 0.0, air_c=air_c)) if air_c is not None else SEA_LEVEL_KG_M3
        found.append(power_claim(flight, seen, craft, payload_kg=load, density_kg_m3=density, wind=wind))
    if len(packs) == 1:
        pack = packs[0]
        found.append(capacity_claim(seen, pack.model.capacity_ah, pack.health_frac))
        usual = (measured.cell_25_ohm if measured is not None else None) or usual_cell_ohm(pack.model)
        found.append(resistance_claim(seen, pack.model.cells, usual))
    return {
        c.subject: FlightClaimOut(
            claimed=float(c.claimed),
            measured=float(c.measured),
            unit=c.unit,
            ratio=float(c.ratio),
            working=to_working(c.working),
        )
        for c in found
        if c is not None
    }


def day_ratio(pack: Pack, figures: Mapping[str, float], pack_w: float) -> float | None:
    """Return how long a charge on a flown day took, in times of what the law says; None where it tells nothing."""
    energy_wh, law = energy_today_wh(pack), charge_law(pack.model)
    took_s = figures.get("charged_s")
    return charge_ratio(energy_wh, figures.get("from_frac"), figures.get("to_frac"), pack_w, law, took_s, pack.model.balance_s)


@dataclass(frozen=True, slots=True)
class Lesson:
    """What ratios make of a factor."""

    factor: float
    figures: LessonFigures


def lesson_of(subject: Subject, ratios: list[float]) -> Lesson | None:
    """Return the factor that ratios teach; None where none of them can be believed."""
    try:
        c = calibrate(subject, ratios)
    except CoreError:
        return None
    noun = {"charge": "charge", "swap": "swap"}.get(subject, "flight")
    words = f"from {c.count} {noun}{'' if c.count == 1 else 's'}, weight {c.weight_frac:.0%}"
    learned = LessonFigures(
        c.measured_ratio, c.count, c.left_out, c.weight_frac, c.low, c.high, c.noise, words, to_working(c.working)
    )
    return Lesson(round(c.factor, 4), learned)


def covered(promised_s: list[float], flown_s: list[float]) -> tuple[int, int]:
    """Return on how many days the last landing came by the time that nine days in ten were to keep, of how many."""
    return coverage(promised_s, flown_s)
