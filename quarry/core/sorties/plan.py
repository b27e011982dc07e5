"""From a coverage to sorties with everything a crew reads off them.

Energy is counted leg by leg: hover at take-off and landing, ways out and home at cruise against the wind, work on the
lines, turns, climbs. With one set to plan for, that is the weakest: what is planned for it any other can fly. With
several, sortie after sortie is cut for the next of them.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from shapely import Polygon
from shapely.geometry.base import BaseGeometry

from quarry.core.air.atmosphere import SEA_LEVEL_KG_M3
from quarry.core.base.errors import Infeasible, require_range
from quarry.core.base.sources import ALGEBRA, ASSUMED, BELLMAN, ENTERED, NAVIGATION, ZENG
from quarry.core.base.working import Quantity, Step, Working, explain, formula, given, note_step, summed
from quarry.core.flight.energy import Airframe, Endurance, PackFigures, ReservePolicy, endurance
from quarry.core.flight.powers import Load, Powers, powers_of, sum_energy_wh
from quarry.core.flight.usable_energy import time_of_s
from quarry.core.flight.wind import CALM, HeldSpeed, Holds, Wind, leg_times_s, track_of
from quarry.core.ground.detour import Detours, detours_around
from quarry.core.ground.geodesy import Metres
from quarry.core.ground.lines import Coverage
from quarry.core.ground.relief import RouteRelief
from quarry.core.sorties.cutting import CutProblem, Spend, StationOutOfReach, cut_route
from quarry.core.sorties.route import LegSpeeds, Route, Stations, leg_speeds, place_stations, route_of

Floats = NDArray[np.float64]
Breaks = Literal["anywhere", "line_ends"]
_DETOUR_PITCH_M = 30.0
_EXACT_WAYS = 40
_J_WH = 3600.0
_CARRIED = (0.5, 0.62, 0.75, 1.0)
DEFAULT_RESERVE = ReservePolicy()
NO_LOAD = Load()


@dataclass(frozen=True, slots=True)
class SetEnergy:
    """What a set gives today: energies of the whole set, and the steps that led there."""

    name: str
    energy_wh: float
    reserve_wh: float
    usable_wh: float
    steps: tuple[Step, ...] = ()

    @property
    def reserve_shown_frac(self) -> float:
        """The reserve as the aircraft's screen shows it."""
        return self.reserve_wh / self.energy_wh


@dataclass(frozen=True, slots=True)
class Fallback:
    """A landing place other than home, chosen before take-off."""

    name: str
    at: Metres


@dataclass(frozen=True, slots=True)
class SortieTask:
    """What sorties are cut for.

    ``work_m_s`` is held over ground on the route, or through the air (``holds``), never more than ``most_air_m_s`` through
    the air; the way out is flown at the aircraft's cruise, the way home too where ``home_m_s`` is None.
    ``tank_line_m`` is the line one tank treats, ``crew_s`` the longest sortie people agree to.
    ``keep_spare_s`` is kept free on every sortie on top of the reserve.
    ``overlap_m`` is flown again on resuming in the middle of a line. ``step_m`` None picks the grid.
    ``sets``: what each set gives, in the order flown; empty takes ``pack`` by its label and health alone.
    ``relief`` gives climbs along the route, ``height_m`` the flying height without it, ``return_m`` the height of the
    ways out and home above home. ``warm_up_s``: hover before work, at every take-off.
    """

    home: Metres
    aircraft: Airframe
    pack: PackFigures
    work_m_s: float
    policy: ReservePolicy = DEFAULT_RESERVE
    wind: Wind = CALM
    wind_assumed: bool = False
    breaks: Breaks = "anywhere"
    overlap_m: float = 0.0
    tank_line_m: float | None = None
    crew_s: float | None = None
    keep_spare_s: float = 0.0
    step_m: float | None = None
    sets: tuple[SetEnergy, ...] = ()
    load: Load = NO_LOAD
    density_kg_m3: float = SEA_LEVEL_KG_M3
    relief: RouteRelief | None = None
    height_m: float = 0.0
    return_m: float = 0.0
    warm_up_s: float = 0.0
    fallbacks: tuple[Fallback, ...] = ()
    holds: Holds = "ground"
    most_air_m_s: float = math.inf
    home_m_s: float | None = None

    @property
    def homewards_m_s(self) -> float:
        """Airspeed on the way home. [m/s]"""
        return self.home_m_s if self.home_m_s is not None else self.aircraft.cruise_m_s

    @property
    def held(self) -> HeldSpeed:
        """The speed on the route, and what it is held over."""
        return HeldSpeed(self.work_m_s, self.holds, self.most_air_m_s)


@dataclass(frozen=True, slots=True)
class LineFlown:
    """How a line is flown: number from 0, true bearing of its track, speeds over ground and through the air, power."""

    line: int
    track_deg: float
    length_m: float
    ground_m_s: float
    air_m_s: float
    power_w: float


@dataclass(frozen=True, slots=True)
class RibbonLeg:
    """A piece of a sortie in time: what is done, the number of the line if it is on one, and the energy it takes. [s, Wh]"""

    kind: Literal["take-off", "out", "line", "transit", "home", "landing"]
    start_s: float
    end_s: float
    line: int = -1
    energy_wh: float = 0.0


@dataclass(frozen=True, slots=True)
class RibbonPoint:
    """Share left in the set and share needed to get home and land, at a time of the sortie."""

    at_s: float
    left_frac: float
    home_frac: float


@dataclass(frozen=True, slots=True)
class FallbackReach:
    """The nearest fallback place along a sortie, and the least energy left over on landing there, above the floor. [Wh]"""

    name: str
    least_wh: float

    @property
    def always(self) -> bool:
        """Whether it can be reached from every point of the route."""
        return self.least_wh >= 0


@dataclass(frozen=True, slots=True)
class Sortie:
    """One take-off to landing; ``worked`` are its stretches on lines. Distances along the route, places in local metres, shares of the set's energy today."""

    number: int
    from_m: float
    to_m: float
    path: tuple[Metres, ...]
    worked: tuple[tuple[Metres, Metres], ...]
    entry: Metres
    leave: Metres
    lines: tuple[int, ...]
    time_s: float
    energy_wh: float
    energy_frac: float
    landing_frac: float
    spare_s: float
    turns_home_s: float
    turn_back_s: float
    turn_back_at: Metres
    home_s: float
    worked_m: float
    bound_by: Literal["energy", "tank", "crew", "end"]
    legs: tuple[RibbonLeg, ...]
    ribbon: tuple[RibbonPoint, ...]
    working: Working
    turn_back_working: Working
    set_name: str = ""
    usable_wh: float = 0.0
    fallback: FallbackReach | None = None


@dataclass(frozen=True, slots=True)
class SortiePlan:
    """All sorties of a job in order, with what the weakest set gives."""

    sorties: tuple[Sortie, ...]
    endurance: Endurance
    total_s: float
    farthest_m: float
    endurance_working: Working
    total_working: Working
    powers: Powers
    powers_working: Working
    flown: tuple[LineFlown, ...] = ()


@formula("sortie = fixed time + way out + route + way home", source=ALGEBRA, result="sortie_s")
def sortie_time_s(fixed_s: float, out_s: float, route_s: float, home_s: float) -> float:
    """Return the time of one sortie from take-off to landing. [s]"""
    return fixed_s + out_s + route_s + home_s


@formula("to spare = (usable − sortie) ÷ mean power of the sortie", source=ALGEBRA, result="spare_s")
def spare_time_s(usable_wh: float, sortie_wh: float, mean_w: float) -> float:
    """Return the time that is left when a sortie lands with its reserve untouched. [s]"""
    return (usable_wh - sortie_wh) * _J_WH / mean_w


@formula("still free = usable − spent onward − way home − landing", source=ALGEBRA, result="free_wh")
def free_energy_wh(usable_wh: float, onward_wh: float, home_wh: float, landing_wh: float) -> float:
    """Return what is left to spend at a place when the way home and the landing are taken off. [Wh]"""
    return usable_wh - onward_wh - home_wh - landing_wh


@formula("turn back at = sortie so far + energy still free ÷ power there", source=ALGEBRA, result="turn_back_s")
def last_turn_back_s(onward_s: float, free_wh: float, power_w: float) -> float:
    """Return the latest moment after take-off at which to turn home, waiting at the last place of the route. [s]"""
    return onward_s + free_wh * _J_WH / power_w


@formula("left at landing = 1 − energy ÷ energy today", source=ALGEBRA, result="landing_frac")
def landing_left_frac(sortie_wh: float, energy_today_wh: float) -> float:
    """Return the share left in the set at landing."""
    return 1.0 - sortie_wh / energy_today_wh


@dataclass(frozen=True, slots=True)
class _TurnBack:
    at_s: float
    at: Metres
    steps: tuple[Step, ...]


@dataclass(frozen=True, slots=True)
class _Ways:
    """Times and energies over stations, shape (n,), climbs included; ``ends_wh`` take-off with warm-up, and landing."""

    out_s: Floats
    home_s: Floats
    out_wh: Floats
    home_wh: Floats
    elapsed_wh: Floats
    takeoff_s: float
    landing_s: float
    takeoff_wh: float
    landing_wh: float

    @property
    def ends_wh(self) -> float:
        return self.takeoff_wh + self.landing_wh


@dataclass(frozen=True, slots=True)
class _Context:
    route: Route
    speeds: LegSpeeds
    legs_w: Floats
    st: Stations
    ways: _Ways
    task: SortieTask
    powers: Powers
    detours: Detours
    power_steps: tuple[Step, ...]
    carried_frac: float


def label_give(aircraft: Airframe, pack: PackFigures, policy: ReservePolicy) -> tuple[SetEnergy, Endurance]:
    """Return what a set gives by its label and health alone: no cold, no resistance."""
    explained = explain(endurance, aircraft, pack, policy)
    e = explained.value
    return SetEnergy(pack.name, e.energy_wh, e.reserve_wh, e.usable_wh, explained.steps[:-1]), e


def plan_sorties(coverage: Coverage, task: SortieTask, forbidden: BaseGeometry | None = None) -> SortiePlan:
    """Cut a coverage into sorties.

    With a tank the mean load on the lines depends on where sorties are cut: half a tank is tried first, more where a
    sortie would then spend more than its set gives.

    Raises
    ------
    Infeasible
        A leg cannot be flown in this wind, home cannot be reached from some place, or some part of
        the route takes more than one set gives; the message names the place.
    """
    return _planned(*_solve(coverage, task, forbidden))


@dataclass(frozen=True, slots=True)
class Merit:
    """How good a cut is: sorties, time in the air, and how far it leaves its sorties upwind of where it entered. [m]"""

    sorties: int
    total_s: float
    upwind_m: float


def merit_of(coverage: Coverage, task: SortieTask, forbidden: BaseGeometry | None = None) -> Merit:
    """Return how good a coverage is once it is cut, without telling each sortie; on a coarser grid than the plan's own."""
    length = float(np.hypot(*np.diff(np.array(coverage.path), axis=0).T).sum())
    task = replace(task, step_m=task.step_m or float(np.clip(length / 600.0, 8.0, 120.0)))
    c, breaks, start = _solve(coverage, task, forbidden, rough=True)
    first, last = start[np.array(breaks[:-1])], np.array(breaks[1:])
    w, e, st = c.ways, c.st.elapsed_s, c.st
    total = float((w.takeoff_s + w.landing_s + w.out_s[first] + e[last] - e[first] + w.home_s[last]).sum())
    east, north = task.wind.towards
    speed = math.hypot(east, north)
    gain = (st.xy[first] - st.xy[last]) @ np.array([east, north]) / speed if speed > 0 else np.zeros(1)
    return Merit(len(breaks) - 1, total, float(gain.sum()))


def _solve(
    coverage: Coverage, task: SortieTask, forbidden: BaseGeometry | None, *, rough: bool = False
) -> tuple[_Context, tuple[int, ...], NDArray[np.int64]]:
    require_range(task.overlap_m, 0.0, 500.0, "sorties.overlap_m", "Overlap on resuming", "m")
    require_range(task.keep_spare_s, 0.0, 900.0, "sorties.keep_spare_s", "Time margin", "s")
    sets = task.sets or (label_give(task.aircraft, task.pack, task.policy)[0],)
    task = replace(task, sets=sets)
    detours = detours_around(forbidden if forbidden is not None else Polygon())
    route = route_of(coverage, task.aircraft.turn_s)
    speeds = leg_speeds(route, task.held, task.wind)
    legs = speeds.times_s
    step = task.step_m or float(np.clip(route.cumulative_m[-1] / 6000.0, 1.0, 25.0))
    st = place_stations(route, legs, step, ends_only=task.breaks == "line_ends")
    shares = _CARRIED if task.load.sprayed_kg > 0 and task.tank_line_m else _CARRIED[:1]
    for share in shares:
        explained = explain(_powers_in_wind, task, speeds, share)
        powers, legs_w = explained.value
        ways = _ways(route, speeds, legs_w, st, task, powers, (detours, rough))
        context = _Context(route, speeds, legs_w, st, ways, task, powers, detours, explained.steps, share)
        breaks, start = _cut(context)
        if share == shares[-1] or _holds(context, breaks, start):
            break
    return context, breaks, start


@formula("power on the lines = Σ power × time ÷ Σ time, over all legs of the route", source=ALGEBRA, result="work_w")
def route_power_w(route_wh: float, route_s: float) -> float:
    """Return the mean power over a route. [W]"""
    return route_wh * _J_WH / route_s


def _powers_in_wind(task: SortieTask, speeds: LegSpeeds, carried_frac: float) -> tuple[Powers, Floats]:
    """Return the powers of a task, and the power on each leg at the airspeed that it needs, shape (n,). [W]"""
    powers = powers_of(task.aircraft, task.work_m_s, task.load, task.density_kg_m3, carried_frac, task.home_m_s)
    if task.wind.speed_m_s == 0 and not np.ptp(speeds.ground_m_s):
        return powers, np.full(len(speeds.times_s), powers.work_w)
    model, kg = task.aircraft.model, task.load.fixed_kg + task.load.sprayed_kg * carried_frac
    # Over ground a lull asks for the speed over ground itself; held through the air it is the same in any wind.
    fast = speeds.air_m_s if task.holds == "air" else np.maximum(speeds.air_m_s, speeds.ground_m_s)
    if powers.flat:
        # Only a mean draw at cruise is known: beyond it all is counted as drag, which no aircraft exceeds.
        legs_w = powers.work_w * np.maximum(1.0, fast / max(task.aircraft.cruise_m_s, task.work_m_s)) ** 3
        how = "beyond cruise by its cube, as only a mean draw is known"
    else:
        # Wind is never steady: a leg is counted with the dearest airspeed between calm and this wind, never cheaper than calm.
        lull_w = model.power_w(speeds.least_air_m_s, kg, task.density_kg_m3)
        legs_w = np.maximum(model.power_w(fast, kg, task.density_kg_m3), lull_w)
        how = "each with the dearest airspeed from calm to it"
    seconds = float(speeds.times_s.sum())
    if seconds <= 0:
        return powers, legs_w
    low, high = float(speeds.air_m_s.min()), float(speeds.air_m_s.max())
    words = f"energy of all legs: {low:.1f} to {high:.1f} m/s through the air in this wind, {how}"
    note_step(Step("route_wh", float((legs_w * speeds.times_s).sum()) / _J_WH, "Wh", words, source=ZENG, kind="run"))
    note_step(Step("route_s", seconds, "s", "time of all legs, turns left out", source=NAVIGATION, kind="run"))
    mean = route_power_w(float((legs_w * speeds.times_s).sum()) / _J_WH, seconds)
    greatest = float(legs_w.max())
    if greatest > powers.peak_w:
        note_step(Step("peak_w", greatest, "W", "greatest of all legs, more than any climb", source=ZENG, kind="choice"))
    return replace(powers, work_w=mean, turn_w=max(powers.turn_w, mean), peak_w=max(powers.peak_w, greatest)), legs_w


def _cut(c: _Context) -> tuple[tuple[int, ...], NDArray[np.int64]]:
    task, ways = c.task, c.ways
    keep_wh = task.keep_spare_s * c.powers.work_w / _J_WH
    usable = tuple(s.usable_wh - keep_wh for s in task.sets)
    weakest = min(task.sets, key=lambda s: s.usable_wh)
    if min(usable) <= ways.ends_wh:
        raise Infeasible(
            f"Pack {weakest.name} gives {weakest.usable_wh:.0f} Wh; take-off and landing with the time margin take "
            f"{ways.ends_wh + keep_wh:.0f} Wh. Choose a stronger pack.",
            "pack",
        )
    _check_reach(c, min(usable))
    start = _resume_stations(c.route, c.st, task.overlap_m)
    most_s = math.inf if task.crew_s is None else task.crew_s - task.keep_spare_s
    try:
        cut = cut_route(
            CutProblem(
                c.st.elapsed_s,
                ways.out_s,
                ways.home_s,
                start,
                c.st.worked_m,
                ways.takeoff_s + ways.landing_s,
                most_s,
                task.tank_line_m if task.tank_line_m is not None else math.inf,
                Spend(ways.elapsed_wh, ways.out_wh, ways.home_wh, ways.ends_wh, usable),
            )
        )
    except StationOutOfReach as stuck:
        raise _stuck(c, min(usable), stuck.station) from stuck
    return cut.breaks, start


def _holds(c: _Context, breaks: tuple[int, ...], start: NDArray[np.int64]) -> bool:
    """Return whether every sortie stays within its set when the tank empties along its own lines."""
    full = float(
        c.task.aircraft.model.power_w(c.task.work_m_s, c.task.load.fixed_kg + c.task.load.sprayed_kg, c.task.density_kg_m3)
    )
    empty = float(c.task.aircraft.model.power_w(c.task.work_m_s, c.task.load.fixed_kg, c.task.density_kg_m3))
    counted = empty + (full - empty) * c.carried_frac  # to first order: what the route was counted with, wind left out
    tank = c.task.tank_line_m or math.inf
    for k, (b0, b) in enumerate(zip(breaks, breaks[1:], strict=False)):
        a = int(start[b0])
        used = min(1.0, float(c.st.worked_m[b] - c.st.worked_m[a]) / tank)
        # Filled for what is sprayed: the load falls in a line from that share to nothing.
        mean_w = empty + (full - empty) * used / 2
        extra = (mean_w - counted) * float(c.st.elapsed_s[b] - c.st.elapsed_s[a]) / _J_WH
        spent = c.ways.ends_wh + float(c.ways.out_wh[a] + c.ways.elapsed_wh[b] - c.ways.elapsed_wh[a] + c.ways.home_wh[b])
        if spent + extra > c.task.sets[k % len(c.task.sets)].usable_wh + 1e-6:
            return False
    return True


def _planned(c: _Context, breaks: tuple[int, ...], start: NDArray[np.int64]) -> SortiePlan:
    task = c.task
    sorties = tuple(
        _sortie(k, int(start[a]), b, c, task.sets[(k - 1) % len(task.sets)])
        for k, (a, b) in enumerate(zip(breaks, breaks[1:], strict=False), start=1)
    )
    total = sum(s.time_s for s in sorties)
    far = float(np.hypot(*(c.st.xy - np.array(task.home)).T).max())
    weakest = min(task.sets, key=lambda s: s.usable_wh)
    flight_time = explain(time_of_s, weakest.usable_wh, c.powers.work_w)
    time, (last,) = flight_time.value, flight_time.steps
    endurance = Endurance(weakest.energy_wh, weakest.reserve_wh, weakest.usable_wh, time, weakest.reserve_shown_frac)
    return SortiePlan(
        sorties,
        endurance,
        total,
        far,
        Working("Flight time of one set", time, "s", (*weakest.steps, *c.power_steps, last)),
        _total_working(sorties, total, task),
        c.powers,
        Working("Power on the lines", c.powers.work_w, "W", c.power_steps),
        _flown(c),
    )


def _flown(c: _Context) -> tuple[LineFlown, ...]:
    """Return how each line is flown; of one in several legs the leg flown slowest over ground."""
    found: dict[int, LineFlown] = {}
    d = np.diff(c.route.points, axis=0)
    length = np.hypot(d[:, 0], d[:, 1])
    for k in np.flatnonzero((c.route.line >= 0) & (length > 0)).tolist():
        line, before = int(c.route.line[k]), found.get(int(c.route.line[k]))
        ground, whole = float(c.speeds.ground_m_s[k]), float(length[k]) + (before.length_m if before else 0.0)
        if before is not None and before.ground_m_s <= ground:
            found[line] = replace(before, length_m=whole)
        else:
            track = track_of(float(d[k, 0]), float(d[k, 1]))
            found[line] = LineFlown(line, track, whole, ground, float(c.speeds.air_m_s[k]), float(c.legs_w[k]))
    return tuple(found[k] for k in sorted(found))


def _total_working(sorties: tuple[Sortie, ...], total_s: float, task: SortieTask) -> Working:
    steps = [given(f"S{s.number}", s.time_s, label=f"sortie {s.number}", source=ALGEBRA) for s in sorties]
    steps = [Step(s.name, s.value, "s", s.formula, source=s.source, kind="input") for s in steps]
    where = "anywhere on a line" if task.breaks == "anywhere" else "at line ends"
    note = f"fewest sorties first, then least time; broken {where}"
    parts = [Quantity(s.name, s.value, "s") for s in steps]
    steps.append(summed("total_s", parts, unit="s", words="sum of all sorties", source=BELLMAN, note=note))
    return Working("Time in the air", total_s, "s", tuple(steps))


def _ways(
    route: Route,
    speeds: LegSpeeds,
    legs_w: Floats,
    st: Stations,
    task: SortieTask,
    powers: Powers,
    around: tuple[Detours, bool],
) -> _Ways:
    detours, rough = around
    d = st.xy - np.array(task.home)
    out = leg_times_s(d[:, 0], d[:, 1], task.aircraft.cruise_m_s, task.wind)
    home = leg_times_s(-d[:, 0], -d[:, 1], task.homewards_m_s, task.wind)
    if not detours.empty:
        factor = _stretch(st, task, detours, rough=rough)
        out, home = out * factor, home * factor
    fly = task.relief.fly_at(st.at_m) if task.relief is not None else np.full(len(st.at_m), task.height_m)
    climbed = task.relief.climbed_at(st.at_m) if task.relief is not None else np.zeros(len(st.at_m))
    climb_wh = powers.climb_j_m / _J_WH
    half = task.aircraft.fixed_s / 2
    turns = np.concatenate([[0.0], np.cumsum(route.turn_s)])
    done = np.clip(np.searchsorted(route.cumulative_m, st.at_m + 1e-6, side="right") - 1, 0, len(legs_w))
    elapsed_wh = (st.sum_along(legs_w * speeds.times_s) + powers.turn_w * turns[done]) / _J_WH + climb_wh * climbed
    return _Ways(
        out,
        home,
        powers.out_w * out / _J_WH + climb_wh * np.maximum(np.maximum(fly, task.return_m), 0.0),
        powers.home_w * home / _J_WH + climb_wh * np.maximum(task.return_m - fly, 0.0),
        elapsed_wh,
        half + task.warm_up_s,
        half,
        powers.hover_w * (half + task.warm_up_s) / _J_WH,
        powers.hover_w * half / _J_WH,
    )


def _stretch(st: Stations, task: SortieTask, detours: Detours, *, rough: bool) -> Floats:
    # The stretch of a way around forbidden ground is found every so many metres; between, the larger holds.
    knots = np.unique(np.concatenate([np.arange(0, len(st.at_m), max(1, _pitch(st))), [len(st.at_m) - 1]]))
    straight = np.maximum(np.hypot(*(st.xy[knots] - np.array(task.home)).T), 1.0)
    homes = np.tile(task.home, (len(knots), 1))
    around = detours.estimate_m(homes, st.xy[knots]) if rough else detours.lengths_m(homes[:1], st.xy[knots])[0]
    if not detours.few and not rough:
        # Among many keep-outs lengths are estimated; some are worked out and set the measure for those beside them.
        some = np.unique(np.linspace(0, len(knots) - 1, min(len(knots), _EXACT_WAYS)).astype(int))
        exact = detours.exact_m(homes[some], st.xy[knots[some]])
        around *= np.interp(np.arange(len(knots)), some, np.maximum(1.0, exact / np.maximum(around[some], 1.0)))
    stretch = np.where(np.isfinite(around), np.maximum(around / straight, 1.0), np.inf)
    left = np.clip(np.searchsorted(knots, np.arange(len(st.at_m)), side="right") - 1, 0, len(knots) - 1)
    right = np.clip(left + 1, 0, len(knots) - 1)
    return np.asarray(np.maximum(stretch[left], stretch[right]))


def _pitch(st: Stations) -> int:
    mean = float(st.at_m[-1]) / max(1, len(st.at_m) - 1)
    return max(1, int(_DETOUR_PITCH_M / max(mean, 0.1)))


def _resume_stations(route: Route, st: Stations, overlap_m: float) -> NDArray[np.int64]:
    own = np.arange(len(st.at_m))
    if overlap_m <= 0:
        return own
    cum = route.cumulative_m
    leg = np.clip(np.searchsorted(cum, st.at_m + 1e-6, side="right") - 1, 0, len(route.line) - 1)
    inside = (st.at_m - cum[leg] > 1e-6) & (route.line[leg] >= 0)
    back = np.maximum(st.at_m - overlap_m, cum[leg])
    resume = np.searchsorted(st.at_m, back + 1e-6, side="right") - 1
    return np.where(inside, resume, own)


def _place(route: Route, st: Stations, k: int, task: SortieTask) -> str:
    d = st.xy[k] - np.array(task.home)
    leg = int(np.clip(np.searchsorted(route.cumulative_m, st.at_m[k] + 1e-6, side="right") - 1, 0, len(route.line) - 1))
    number = int(route.line[leg]) + 1 if route.line[leg] >= 0 else 0
    line = f"line {number}, " if number else ""
    return f"{line}{math.hypot(*d):,.0f} m from home at {track_of(float(d[0]), float(d[1])):.0f}°"


def _check_reach(c: _Context, usable_wh: float) -> None:
    task, ways = c.task, c.ways
    lost = np.flatnonzero(~np.isfinite(ways.out_s + ways.home_s))
    if lost.size:
        raise Infeasible(
            f"Against {task.wind.speed_m_s:.1f} m/s from {task.wind.from_deg:.0f}° home and {_place(c.route, c.st, int(lost[0]), task)} cannot both be "
            f"reached at {task.aircraft.cruise_m_s:.1f} m/s. Wait for less wind, move home, or open a way past the keep-outs.",
            "wind.speed_m_s",
        )
    need = ways.ends_wh + ways.out_wh + ways.home_wh
    worst = int(np.argmax(need))
    if need[worst] > usable_wh:
        raise _stuck(c, usable_wh, worst)


def _stuck(c: _Context, usable_wh: float, leg: int) -> Infeasible:
    task, ways = c.task, c.ways
    need = ways.ends_wh + float(ways.out_wh[leg] + ways.home_wh[leg])
    if task.tank_line_m is not None and need < 0.7 * usable_wh:
        remedy = "Choose a larger tank, a stronger pack, or a lower rate"
    else:
        remedy = "Move home nearer, choose a stronger pack, or wait for less wind"
    weakest = min(task.sets, key=lambda s: s.usable_wh)
    minutes = (ways.takeoff_s + ways.landing_s + float(ways.out_s[leg] + ways.home_s[leg])) / 60
    return Infeasible(
        f"Only to reach {_place(c.route, c.st, leg, task)} and return takes {minutes:.1f} min and {need:.0f} Wh of the {usable_wh:.0f} Wh "
        f"that pack {weakest.name} gives, too little is left for work there. {remedy}.",
        "home",
    )


def _sortie(number: int, a: int, b: int, c: _Context, set_energy: SetEnergy) -> Sortie:
    st, ways, task = c.st, c.ways, c.task
    route_s = float(st.elapsed_s[b] - st.elapsed_s[a])
    explained = explain(_sortie_numbers, c, set_energy, a, b)
    time, energy, left, spare = explained.value
    entry = (float(st.xy[a, 0]), float(st.xy[a, 1]))
    leave = (float(st.xy[b, 0]), float(st.xy[b, 1]))
    begin = ways.takeoff_s + float(ways.out_s[a])
    inner, ribbon_legs, stretches = _walk(c, float(st.at_m[a]), float(st.at_m[b]), begin)
    turns_home = begin + route_s
    path = (task.home, *c.detours.way(task.home, entry), *inner, *c.detours.way(leave, task.home), task.home)
    back = _turn_back(a, b, c, set_energy)
    worked = float(st.worked_m[b] - st.worked_m[a])
    lines = tuple(dict.fromkeys(leg.line for leg in ribbon_legs if leg.line >= 0))
    legs = (
        RibbonLeg("take-off", 0.0, ways.takeoff_s, energy_wh=ways.takeoff_wh),
        RibbonLeg("out", ways.takeoff_s, begin, energy_wh=float(ways.out_wh[a])),
        *ribbon_legs,
        RibbonLeg("home", turns_home, turns_home + float(ways.home_s[b]), energy_wh=float(ways.home_wh[b])),
        RibbonLeg("landing", time - ways.landing_s, time, energy_wh=ways.landing_wh),
    )
    last = explained.steps[-1]
    return Sortie(
        number,
        float(st.at_m[a]),
        float(st.at_m[b]),
        path,
        stretches,
        entry,
        leave,
        lines,
        time,
        energy,
        energy / set_energy.energy_wh,
        left,
        spare,
        turns_home,
        back.at_s,
        back.at,
        float(ways.home_s[b]),
        worked,
        _bound(b, worked, time, c),
        legs,
        _ribbon(a, b, c, set_energy, time),
        Working(f"To spare on sortie {number}", last.value, "s", explained.steps),
        Working(f"Turn back on sortie {number}", back.at_s, "s", back.steps),
        set_energy.name,
        set_energy.usable_wh,
        _fallback(a, b, c, set_energy),
    )


def _bound(b: int, worked: float, time_s: float, c: _Context) -> Literal["energy", "tank", "crew", "end"]:
    task = c.task
    if b == len(c.st.at_m) - 1:
        return "end"
    if task.tank_line_m is not None and worked > 0.97 * task.tank_line_m:
        return "tank"
    return "crew" if task.crew_s is not None and time_s > 0.93 * task.crew_s - task.keep_spare_s else "energy"


def _sortie_numbers(c: _Context, set_energy: SetEnergy, a: int, b: int) -> tuple[float, float, float, float]:
    task, ways, st = c.task, c.ways, c.st
    for step in (*set_energy.steps, *c.power_steps):
        note_step(step)
    note_step(
        Step(
            "wind_m_s",
            task.wind.speed_m_s,
            "m/s",
            f"wind from {task.wind.from_deg:.0f}°, at flying height",
            source=ASSUMED if task.wind_assumed else ENTERED,
            kind="assumption" if task.wind_assumed else "input",
        )
    )
    out_s, home_s = float(ways.out_s[a]), float(ways.home_s[b])
    route_s = float(st.elapsed_s[b] - st.elapsed_s[a])
    time = sortie_time_s(ways.takeoff_s + ways.landing_s, out_s, route_s, home_s)
    parts = (ways.ends_wh, float(ways.out_wh[a]), float(ways.elapsed_wh[b] - ways.elapsed_wh[a]), float(ways.home_wh[b]))
    energy = sum_energy_wh(*parts)
    left = landing_left_frac(energy, set_energy.energy_wh)
    spare = spare_time_s(set_energy.usable_wh, energy, energy * _J_WH / time)
    if task.crew_s is not None:
        note_step(given("crew_s", task.crew_s, label="longest sortie the crew agreed to", source=ENTERED, kind="limit"))
        if task.crew_s - time < spare:
            spare = task.crew_s - time
            note_step(
                Step("spare_s", spare, "s", "what the crew agreed to − sortie: that ends first", source=ALGEBRA, kind="choice")
            )
    return time, energy, left, spare


def _walk(
    c: _Context, from_m: float, to_m: float, start_s: float
) -> tuple[list[Metres], list[RibbonLeg], tuple[tuple[Metres, Metres], ...]]:
    """Return the points from one path distance to another, the legs in time, and the stretches on lines."""
    route, legs_s = c.route, c.speeds.times_s
    worked: list[tuple[Metres, Metres]] = []
    cum = route.cumulative_m
    points: list[Metres] = []
    legs: list[RibbonLeg] = []
    t = start_s
    for leg in range(len(legs_s)):
        lo, hi = max(from_m, float(cum[leg])), min(to_m, float(cum[leg + 1]))
        if hi - lo <= 1e-6:
            continue
        length = float(cum[leg + 1] - cum[leg])
        p, q = route.points[leg], route.points[leg + 1]
        at = [p + (q - p) * ((s - cum[leg]) / length) for s in (lo, hi)]
        if not points:
            points.append((float(at[0][0]), float(at[0][1])))
        points.append((float(at[1][0]), float(at[1][1])))
        turn = float(route.turn_s[leg]) if hi >= cum[leg + 1] - 1e-6 else 0.0
        dt = float(legs_s[leg]) * (hi - lo) / length + turn
        line = int(route.line[leg])
        if line >= 0:
            worked.append(((float(at[0][0]), float(at[0][1])), points[-1]))
        ends = np.interp((lo, hi), c.st.at_m, c.ways.elapsed_wh)
        legs.append(RibbonLeg("line" if line >= 0 else "transit", t, t + dt, line, float(ends[1] - ends[0])))
        t += dt
    return points, legs, tuple(worked)


def _turn_back(a: int, b: int, c: _Context, set_energy: SetEnergy) -> _TurnBack:
    """Return the last moment, and the place on the route, from which home is reached with the reserve."""
    st, ways, task = c.st, c.ways, c.task
    begin_s = ways.takeoff_s + float(ways.out_s[a])
    begin_wh = ways.takeoff_wh + float(ways.out_wh[a])
    onward_s = begin_s + st.elapsed_s[b:] - st.elapsed_s[a]
    onward_wh = begin_wh + ways.elapsed_wh[b:] - ways.elapsed_wh[a]
    need = onward_wh + ways.home_wh[b:] + ways.landing_wh
    late = need > set_energy.usable_wh + 1e-6
    if task.crew_s is not None:
        late |= onward_s + ways.home_s[b:] + ways.landing_s > task.crew_s + 1e-6
    beyond = np.flatnonzero(late)
    last = max(int(beyond[0]) - 1 if beyond.size else len(onward_s) - 1, 0)
    leg = b + last
    explained = explain(_last_moment, c, set_energy, (float(onward_s[last]), float(onward_wh[last])), leg, waits=not beyond.size)
    at_s = (
        explained.value if task.crew_s is None else min(explained.value, task.crew_s - float(ways.home_s[leg]) - ways.landing_s)
    )
    words = "the route ends before; the rest is waiting there"
    if beyond.size:
        words = "the last place on the way onward from which home is reached"
    steps = (*explained.steps, Step("turn_back_s", at_s, "s", words, kind="choice"))
    return _TurnBack(at_s, (float(st.xy[leg, 0]), float(st.xy[leg, 1])), steps)


def _last_moment(c: _Context, set_energy: SetEnergy, onward: tuple[float, float], leg: int, *, waits: bool) -> float:
    ways = c.ways
    for name, value, words, source in (
        ("usable_wh", set_energy.usable_wh, f"what {set_energy.name or 'the set'} may spend", ALGEBRA),
        ("onward_wh", onward[1], "spent from take-off to the last such place on the route", ALGEBRA),
        ("home_wh", float(ways.home_wh[leg]), "way home from there, in this wind", NAVIGATION),
        ("landing_wh", ways.landing_wh, "descent and landing", ENTERED),
    ):
        note_step(given(name, value, label=words, source=source))
    free = free_energy_wh(set_energy.usable_wh, onward[1], float(ways.home_wh[leg]), ways.landing_wh)
    # Where the route ends first, the rest may be spent waiting there.
    return last_turn_back_s(onward[0], max(0.0, free) if waits else 0.0, c.powers.hover_w)


def _ribbon(a: int, b: int, c: _Context, set_energy: SetEnergy, time: float) -> tuple[RibbonPoint, ...]:
    st, ways = c.st, c.ways
    whole, reserve = set_energy.energy_wh, set_energy.reserve_shown_frac
    land = ways.landing_wh / whole
    picks = np.unique(np.linspace(a, b, min(b - a + 1, 60)).astype(int))
    begin_s, begin_wh = ways.takeoff_s + float(ways.out_s[a]), ways.takeoff_wh + float(ways.out_wh[a])
    points = [
        RibbonPoint(0.0, 1.0, reserve + land),
        RibbonPoint(ways.takeoff_s, 1.0 - ways.takeoff_wh / whole, reserve + land),
    ]
    for k in picks.tolist():
        spent = begin_wh + float(ways.elapsed_wh[k] - ways.elapsed_wh[a])
        at_s = begin_s + float(st.elapsed_s[k] - st.elapsed_s[a])
        points.append(RibbonPoint(at_s, 1.0 - spent / whole, reserve + land + float(ways.home_wh[k]) / whole))
    spent = begin_wh + float(ways.elapsed_wh[b] - ways.elapsed_wh[a] + ways.home_wh[b])
    points.append(RibbonPoint(time - ways.landing_s, 1.0 - spent / whole, reserve + land))
    points.append(RibbonPoint(time, 1.0 - spent / whole - land, reserve))
    return tuple(points)


def _fallback(a: int, b: int, c: _Context, set_energy: SetEnergy) -> FallbackReach | None:
    """Return the fallback place that serves a sortie best, and what is left there at the worst point of the route."""
    st, ways, task = c.st, c.ways, c.task
    if not task.fallbacks:
        return None
    picks = np.unique(np.linspace(a, b, min(b - a + 1, 80)).astype(int))
    spent = ways.takeoff_wh + float(ways.out_wh[a]) + ways.elapsed_wh[picks] - ways.elapsed_wh[a]
    floor = task.policy.floor_frac * set_energy.energy_wh
    best: FallbackReach | None = None
    for place in task.fallbacks:
        d = np.array(place.at) - st.xy[picks]
        go = c.powers.home_w * leg_times_s(d[:, 0], d[:, 1], task.homewards_m_s, task.wind) / _J_WH
        least = float(np.min(set_energy.energy_wh - floor - spent - go - ways.landing_wh))
        if best is None or least > best.least_wh:
            best = FallbackReach(place.name, least if math.isfinite(least) else -set_energy.energy_wh)
    return best
