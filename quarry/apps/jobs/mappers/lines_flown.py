"""The lines of a plan as they are flown in its wind, and what each gets where it is sprayed."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
import shapely

from quarry.apps.fleet.mappers import pump_of
from quarry.apps.fleet.models import AircraftModel, Camera
from quarry.apps.jobs.fields import JobFields, SprayingWork
from quarry.apps.jobs.mappers.passes import Further
from quarry.apps.jobs.mappers.work import Ground, outline_of, rounded
from quarry.apps.jobs.views import FigureOut, LineOut, PlanCheck
from quarry.core.base.errors import CoreError
from quarry.core.base.sources import ALGEBRA, SPRAYING
from quarry.core.base.units import M2_PER_HA
from quarry.core.base.working import Step, Working, explain
from quarry.core.flight.energy import Airframe
from quarry.core.ground.geodesy import LocalFrame
from quarry.core.ground.lines import Coverage
from quarry.core.ground.mapping import longest_exposure_s
from quarry.core.sorties.plan import LineFlown, Sortie
from quarry.core.spraying.dose import Doses, Floats, check_doses, line_doses, litres_on_lines, mean_flow_l_min
from quarry.core.spraying.nozzles import (
    Atomisers,
    Nozzles,
    RateTask,
    nominal_of_l_min,
    pressure_for_flow_bar,
    proposals,
    share_l_min,
    solve_rate,
)

_SLOWER_M_S = 0.05
_LEAST_LINE_M_S = 1.0


@dataclass(frozen=True, slots=True)
class Sprayed:
    """What the lines of a spraying job get, and the steps of their litres and of their flow."""

    doses: Doses
    litres_steps: tuple[Step, ...]
    flow_steps: tuple[Step, ...]

    def litres_of(self, sortie: Sortie, flown: Sequence[LineFlown], again_m: float) -> float:
        """Return what a sortie sprays on its stretches of lines; what is flown again on resuming is not sprayed again. [L]"""
        return sum(litres for _, _, litres, _ in self._along(sortie, flown, again_m))

    def tank_of(self, sortie: Sortie, flown: Sequence[LineFlown], again_m: float) -> list[tuple[float, float, float]]:
        """Return how the tank of a sortie empties: two rows for each line, where its nozzles open and where they shut.

        Each row is the time [s], what is left of the load [L], and the flow on the line [L/min].
        """
        along = self._along(sortie, flown, again_m)
        left, rows = sum(litres for _, _, litres, _ in along), []
        for begins, ends, litres, flow in along:
            rows.append((round(begins, 2), round(left, 3), round(flow, 4)))
            left -= litres
            rows.append((round(ends, 2), round(max(0.0, left), 3), round(flow, 4)))
        return rows

    def _along(self, sortie: Sortie, flown: Sequence[LineFlown], again_m: float) -> list[tuple[float, float, float, float]]:
        """Return for each line of a sortie when its nozzles open and shut [s], what they spray [L], and their flow [L/min]."""
        at = {x.line: k for k, x in enumerate(flown)}
        on_lines = [leg for leg in sortie.legs if leg.line >= 0]
        found = []
        for leg, (a, b) in zip(on_lines, sortie.worked, strict=True):
            k, length = at[leg.line], math.dist(a, b)
            shut = min(again_m, length)
            again_m -= shut
            # A leg holds the turn behind its line too: nozzles are open for the way on the line alone.
            begins = leg.start_s + shut / flown[k].ground_m_s
            litres = float(self.doses.litres[k]) * (length - shut) / flown[k].length_m
            found.append((begins, begins + (length - shut) / flown[k].ground_m_s, litres, float(self.doses.flow_l_min[k])))
        return found


@dataclass(frozen=True, slots=True)
class LinesInWind:
    """What the lines of a plan get where they are sprayed, what in their speeds stops people, and the further passes."""

    spray: Sprayed | None
    checks: list[PlanCheck]
    further: Further = field(default_factory=Further)
    pressure: Working | None = None


def rates_asked(f: JobFields, ground: Ground, c: Coverage) -> Floats:
    """Return what each line of a coverage is to get, shape (n,): the rate of the area it lies in, else the job's. [L/ha]"""
    own = [a for a in f.taken if a.rate_l_ha is not None]
    job_rate = f.work.rate_l_ha if isinstance(f.work, SprayingWork) else 0.0
    rates = np.full(c.line_count, job_rate)
    if not own or not isinstance(f.work, SprayingWork):
        return rates
    # A line that covers runs up to half a spacing beside its area: the nearest area is the one it belongs to.
    places = shapely.points([((x1 + x2) / 2, (y1 + y2) / 2) for x1, y1, x2, y2 in c.spans])
    outlines = [outline_of(ground.frame, a) for a in f.taken]
    away = np.array([shapely.distance(outline, places) for outline in outlines])
    asked = np.array([a.rate_l_ha if a.rate_l_ha is not None else job_rate for a in f.taken])
    return np.asarray(asked[np.argmin(away, axis=0)], dtype=np.float64)


def sprayed(
    f: JobFields, model: AircraftModel, flown: Sequence[LineFlown], rates_l_ha: Floats, tolerance_frac: float
) -> Sprayed | None:
    """Return what each line gets where ``rates_l_ha`` is asked for on each line; None where nothing is sprayed.

    Raises `PlanError` where a line would get more or less than the company lets it.
    """
    if not isinstance(f.work, SprayingWork):
        return None
    lengths, ground = np.array([x.length_m for x in flown]), np.array([x.ground_m_s for x in flown])
    pump = pump_of(model)
    rates = rates_l_ha[[x.line for x in flown]]
    doses = line_doses(lengths, ground, rates, f.work.swath_m, pump)
    check_doses(doses, rates, tolerance_frac, np.array([x.track_deg for x in flown]), ground, pump)
    metres, seconds = float(lengths.sum()), float((lengths / ground).sum())
    dose = doses.total_l / (metres * f.work.swath_m / M2_PER_HA)
    words = "dose of the lines, from flow and speed over ground on each" + (
        ", the mean" if np.ptp(doses.dose_l_ha) > 0.01 else ""
    )
    steps = (
        Step("on_line_m", metres, "m", "all lines together, nozzles open on each from end to end", source=ALGEBRA, kind="run"),
        Step("dose_l_ha", dose, "L/ha", words, source=SPRAYING, kind="run"),
    )
    litres = explain(litres_on_lines, metres, f.work.swath_m, dose).steps
    time = Step("on_line_s", seconds, "s", "time on all lines, at the speed over ground of each", source=ALGEBRA, kind="run")
    flow = explain(mean_flow_l_min, dose, f.work.swath_m, metres, seconds).steps
    return Sprayed(doses, (*steps, *litres), (*steps, time, *flow))


def nozzles_of(f: JobFields) -> Nozzles | None:
    """Return what a spraying job sprays with; None where none is entered. Raises `PlanError` at the figure that cannot be."""
    w = f.work
    if not isinstance(w, SprayingWork) or w.nozzle_kind != "hydraulic" or not w.nozzle_size:
        return None
    try:
        return Nozzles(w.nozzle_size, round(w.nozzles_count), w.least_bar, w.most_bar)
    except CoreError as bad:
        bad.field = f"work.{bad.field}"
        raise


def _atomisers_of(f: JobFields) -> Atomisers | None:
    w = f.work
    if not isinstance(w, SprayingWork) or w.nozzle_kind != "rotary":
        return None
    try:
        return Atomisers(round(w.nozzles_count), w.least_l_min, w.most_l_min)
    except CoreError as bad:
        bad.field = "work.nozzles_count" if bad.field == "count" else f"work.{bad.field}"
        raise


def _atomised(a: Atomisers, spray: Sprayed, ground_m_s: float) -> list[PlanCheck]:
    """Return what speaks against the flow of rotary atomisers, with what would do."""
    low, high = a.range_l_min
    wrong = next((v for v in (spray.doses.flow_l_min.max(), spray.doses.flow_l_min.min()) if not low <= v <= high), None)
    if wrong is None:
        return []
    speed = ground_m_s * (high if wrong > high else low) / float(wrong)
    words = f"{a.count} atomisers take {low:.2f} to {high:.2f} L/min together, and {wrong:.2f} are wanted."
    words += (
        f" What would do: {speed:.1f} m/s over ground, or {math.ceil(wrong / a.most_l_min)} atomisers."
        if wrong > high
        else (
            f" What would do: {speed:.1f} m/s over ground." if speed <= 2 * ground_m_s else " Spray more, or with fewer of them."
        )
    )
    return [PlanCheck("flow_l_min", words, "no")]


def pressures(f: JobFields, spray: Sprayed | None, ground_m_s: float) -> tuple[Working | None, list[PlanCheck]]:
    """Return the working of the pressure that the mean flow takes, and what would give it where the nozzles do not."""
    atomisers = _atomisers_of(f)
    if atomisers is not None and spray is not None and isinstance(f.work, SprayingWork):
        return None, _atomised(atomisers, spray, ground_m_s)
    n = nozzles_of(f)
    if n is None or spray is None or not isinstance(f.work, SprayingWork):
        return None, []
    mean = float(spray.flow_steps[-1].value or 0.0)
    steps = explain(_pressure_bar, n, mean).steps
    working = Working("pressure", steps[-1].value, "bar", (*spray.flow_steps, *steps))
    low, high = float(spray.doses.flow_l_min.min()), float(spray.doses.flow_l_min.max())
    if n.gives(low) and n.gives(high):
        return working, []
    wrong = high if not n.gives(high) else low
    bar = n.pressure_bar(wrong)
    found = solve_rate(RateTask(None, ground_m_s, f.work.swath_m, wrong))
    others = proposals(n, found, _LEAST_LINE_M_S, max(_LEAST_LINE_M_S, 2 * ground_m_s))
    words = f"{n.count} nozzles of size {n.size} would need {bar:.1f} bar for {wrong:.2f} L/min; they are good for {n.least_bar:g} to {n.most_bar:g} bar."
    words += (
        f" What would do: {', or '.join(p.words for p in others)}."
        if others
        else " No size of that count gives it near this speed."
    )
    return working, [PlanCheck("pressure_bar", words, "no")]


def _pressure_bar(n: Nozzles, flow_l_min: float) -> float:
    return pressure_for_flow_bar(share_l_min(flow_l_min, n.count), nominal_of_l_min(n.size))


def tank_line(f: JobFields, model: AircraftModel, lengths_m: Floats, ground_m_s: Floats, line_m: float | None) -> float | None:
    """Return the line that one tank treats where each metre takes most; None where nothing is sprayed. [m]

    ``lengths_m``, ``ground_m_s``: of the lines of a coverage that can be flown.
    """
    if line_m is None or not lengths_m.size or not isinstance(f.work, SprayingWork):
        return line_m
    most = max([f.work.rate_l_ha if any(a.rate_l_ha is None for a in f.taken) else 0.0, *(a.rate_l_ha or 0.0 for a in f.taken)])
    doses = line_doses(lengths_m, ground_m_s, most, f.work.swath_m, pump_of(model))
    return f.work.tank_l / float((doses.litres / lengths_m).max())


def lines_out(flown: Sequence[LineFlown], spray: Sprayed | None, c: Coverage, frame: LocalFrame) -> list[LineOut]:
    """Return the lines as screens show them."""
    looks = [c.line_as(x.line) for x in flown]
    toward = [None if look.toward is None else rounded(frame.to_degrees([look.toward])[0]) for look in looks]
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
            part=looks[k].part,
            above_m=looks[k].above_m,
            tilt_deg=looks[k].tilt_deg,
            heading_deg=looks[k].heading_deg,
            toward=toward[k],
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


def camera_checks(figures: Sequence[FigureOut], camera: Camera | None, blur_px: float) -> list[PlanCheck]:
    """Return what stops people: pictures wanted sooner than the camera takes them on the fastest line, and pictures that blur."""
    return [*_late(figures, camera), *_blurred(figures, blur_px)]


def _blurred(figures: Sequence[FigureOut], most_px: float) -> list[PlanCheck]:
    known = {x.key: x.value for x in figures}
    blur, sample, interval, trigger = (known.get(k) for k in ("blur_px", "ground_sample_m", "interval_s", "trigger_m"))
    if not blur or not sample or not interval or not trigger or blur <= most_px:
        return []
    shutter_s = longest_exposure_s(most_px, sample, trigger / interval)
    words = (
        f"Pictures blur by {blur:.1f} px on the fastest line, more than {most_px:g} px. A shutter of 1/{1 / shutter_s:.0f} s or "
        "shorter keeps them sharp, or fly slower."
    )
    return [PlanCheck("blur_px", words, "care")]


def _late(figures: Sequence[FigureOut], camera: Camera | None) -> list[PlanCheck]:
    interval_s = next((x.value for x in figures if x.key == "interval_s"), None)
    least_s = camera.least_interval_s if camera is not None else None
    if interval_s is None or least_s is None or interval_s >= least_s:
        return []
    words = (
        f"On the fastest line a picture is due every {interval_s:.2f} s, and this camera takes one every {least_s:.2f} s at "
        "best. Fly slower, higher, or with less overlap ahead."
    )
    return [PlanCheck("interval_s", words, "no")]
