"""The lines of a plan as they are flown in its wind, and what each gets where it is sprayed."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from quarry.apps.fleet.mappers import pump_of
from quarry.apps.fleet.models import AircraftModel, Camera
from quarry.apps.jobs.fields import JobFields, SprayingWork
from quarry.apps.jobs.views import FigureOut, LineOut, PlanCheck
from quarry.core.base.sources import ALGEBRA, SPRAYING
from quarry.core.base.units import M2_PER_HA
from quarry.core.base.working import Step, explain
from quarry.core.flight.energy import Airframe
from quarry.core.ground.dose import Doses, Pump, check_doses, line_doses, litres_on_lines
from quarry.core.sorties.plan import LineFlown, Sortie

_SLOWER_M_S = 0.05


@dataclass(frozen=True, slots=True)
class Sprayed:
    """What the lines of a spraying job get, and the steps of their litres."""

    doses: Doses
    pump: Pump
    steps: tuple[Step, ...]

    def litres_of(self, sortie: Sortie, flown: Sequence[LineFlown], again_m: float) -> float:
        """Return what a sortie sprays on its stretches of lines; what is flown again on resuming is not sprayed again. [L]"""
        at = {x.line: k for k, x in enumerate(flown)}
        on_lines = [leg.line for leg in sortie.legs if leg.line >= 0]
        total = 0.0
        for line, (a, b) in zip(on_lines, sortie.worked, strict=True):
            k, length = at[line], math.dist(a, b)
            shut = min(again_m, length)
            again_m -= shut
            total += float(self.doses.litres[k]) * (length - shut) / flown[k].length_m
        return total


@dataclass(frozen=True, slots=True)
class LinesInWind:
    """What the lines of a plan get where they are sprayed, and what in their speeds stops people."""

    spray: Sprayed | None
    checks: list[PlanCheck]


def sprayed(f: JobFields, model: AircraftModel, flown: Sequence[LineFlown], tolerance_frac: float) -> Sprayed | None:
    """Return what each line gets; None where nothing is sprayed.

    Raises `PlanError` where a line would get more or less than the company lets it.
    """
    if not isinstance(f.work, SprayingWork):
        return None
    lengths, ground = np.array([x.length_m for x in flown]), np.array([x.ground_m_s for x in flown])
    pump = pump_of(model)
    explained = explain(line_doses, lengths, ground, f.work.rate_l_ha, f.work.swath_m, pump)
    doses = explained.value
    check_doses(doses, f.work.rate_l_ha, tolerance_frac, np.array([x.track_deg for x in flown]), ground, pump)
    metres = float(lengths.sum())
    mean = doses.total_l / (metres * f.work.swath_m / M2_PER_HA)
    litres = explain(litres_on_lines, metres, f.work.swath_m, mean)
    words = "dose of the lines, from flow and speed over ground on each" + (
        ", the mean" if np.ptp(doses.dose_l_ha) > 0.01 else ""
    )
    steps = (
        *(s for s in explained.steps if pump.flow == "constant" and s.name == "flow_l_min"),
        Step("on_line_m", metres, "m", "all lines together, nozzles open on each from end to end", source=ALGEBRA, kind="run"),
        Step("dose_l_ha", mean, "L/ha", words, source=SPRAYING, kind="run"),
        *litres.steps,
    )
    return Sprayed(doses, pump, steps)


def tank_line(f: JobFields, model: AircraftModel, flown: Sequence[float], line_m: float | None) -> float | None:
    """Return the line that one tank treats where it runs out first. [m]

    ``flown``: ground speeds on the lines. With a constant flow the slowest line takes most for each metre.
    """
    if line_m is None or not flown or not isinstance(f.work, SprayingWork) or pump_of(model).flow == "by speed":
        return line_m
    harmonic = len(flown) / sum(1.0 / v for v in flown)
    return line_m * min(1.0, min(flown) / harmonic)


def lines_out(flown: Sequence[LineFlown], spray: Sprayed | None) -> list[LineOut]:
    """Return the lines as screens show them."""
    return [
        LineOut(
            number=x.line + 1,
            track_deg=x.track_deg,
            length_m=x.length_m,
            ground_m_s=x.ground_m_s,
            air_m_s=x.air_m_s,
            power_w=x.power_w,
            flow_l_min=float(spray.doses.flow_l_min[k]) if spray else None,
            dose_l_ha=float(spray.doses.dose_l_ha[k]) if spray else None,
            litres=float(spray.doses.litres[k]) if spray else None,
        )
        for k, x in enumerate(flown)
    ]


def line_checks(flown: Sequence[LineFlown], craft: Airframe, line_m_s: float) -> list[PlanCheck]:
    """Return what stops people: lines that the wind slows, and a greatest airspeed that is only assumed."""
    found = []
    bound = craft.most_air_m_s(line_m_s)
    slow = [x for x in flown if craft.holds == "ground" and x.ground_m_s < line_m_s - _SLOWER_M_S]
    if slow:
        worst = min(slow, key=lambda x: x.ground_m_s)
        words = (
            f"Against the wind {len(slow)} of {len(flown)} lines are flown slower: {worst.ground_m_s:.1f} m/s over ground "
            f"at {worst.track_deg:.0f}\u00b0 instead of {line_m_s:.1f}, with {bound:.1f} m/s through the air, its most."
        )
        found.append(PlanCheck("slow_lines", words, "care"))
    if craft.most_m_s is None and max((x.air_m_s for x in flown), default=0.0) > craft.cruise_m_s + _SLOWER_M_S:
        words = (
            f"The lines need up to {max(x.air_m_s for x in flown):.1f} m/s through the air, more than its cruise, and its "
            f"greatest airspeed is not known: {bound:.1f} m/s is assumed. Enter it at the model of the aircraft."
        )
        found.append(PlanCheck("most_airspeed", words, "care"))
    return found


def camera_checks(figures: Sequence[FigureOut], camera: Camera | None) -> list[PlanCheck]:
    """Return what stops people: pictures wanted sooner than the camera takes them on the fastest line."""
    interval_s = next((x.value for x in figures if x.key == "interval_s"), None)
    least_s = camera.least_interval_s if camera is not None else None
    if interval_s is None or least_s is None or interval_s >= least_s:
        return []
    words = (
        f"On the fastest line a picture is due every {interval_s:.2f} s, and this camera takes one every {least_s:.2f} s at "
        "best. Fly slower, higher, or with less overlap ahead."
    )
    return [PlanCheck("interval_s", words, "no")]
