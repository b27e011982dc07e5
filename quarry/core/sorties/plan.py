"""From a coverage to sorties with everything a crew reads off them.

The set that flies is the weakest serviceable one of the aircraft: what is planned for it any
other can fly.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from shapely import Polygon
from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import Infeasible, require_range
from quarry.core.base.sources import ALGEBRA, ASSUMED, BELLMAN, ENTERED, NAVIGATION
from quarry.core.base.working import Step, Working, explain, formula, given, note_step
from quarry.core.flight.energy import Airframe, Endurance, PackFigures, ReservePolicy, endurance
from quarry.core.flight.wind import CALM, Wind, leg_times_s, track_of
from quarry.core.ground.coverage import Coverage
from quarry.core.ground.detour import Detours
from quarry.core.ground.geodesy import Metres
from quarry.core.sorties.cutting import CutProblem, StationOutOfReach, cut_route
from quarry.core.sorties.route import Route, Stations, leg_seconds, place_stations, route_of

Floats = NDArray[np.float64]
Breaks = Literal["anywhere", "line_ends"]
_DETOUR_PITCH_M = 30.0
DEFAULT_RESERVE = ReservePolicy()


@dataclass(frozen=True, slots=True)
class SortieTask:
    """What sorties are cut for.

    ``work_m_s`` airspeed on the route; the ways out and home are flown at the aircraft's cruise.
    ``tank_line_m`` is the line one tank treats, ``crew_s`` the longest sortie people agree to.
    ``keep_spare_s`` is kept free on every sortie on top of the reserve.
    ``overlap_m`` is flown again on resuming in the middle of a line. ``step_m`` None picks the grid.
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


@dataclass(frozen=True, slots=True)
class RibbonLeg:
    """A piece of a sortie in time: what is done, and the number of the line if it is on one."""

    kind: Literal["take-off", "out", "line", "transit", "home", "landing"]
    start_s: float
    end_s: float
    line: int = -1


@dataclass(frozen=True, slots=True)
class RibbonPoint:
    """Share left in the set and share needed to get home and land, at a time of the sortie."""

    at_s: float
    left_frac: float
    home_frac: float


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


@dataclass(frozen=True, slots=True)
class SortiePlan:
    """All sorties of a job in order, with what one set gives."""

    sorties: tuple[Sortie, ...]
    endurance: Endurance
    total_s: float
    farthest_m: float
    endurance_working: Working
    total_working: Working


@formula("sortie = fixed time + way out + route + way home", source=ALGEBRA, result="sortie_s")
def sortie_time_s(fixed_s: float, out_s: float, route_s: float, home_s: float) -> float:
    """Return the time of one sortie from take-off to landing. [s]"""
    return fixed_s + out_s + route_s + home_s


@formula("to spare = flight time of the set − sortie", source=ALGEBRA, result="spare_s")
def spare_time_s(usable_s: float, sortie_s: float) -> float:
    """Return the time that is left when a sortie lands with its reserve untouched. [s]"""
    return usable_s - sortie_s


@formula("turn back by = flight time of the set − way home from there − landing", source=ALGEBRA, result="turn_back_s")
def last_turn_back_s(usable_s: float, home_s: float, landing_s: float) -> float:
    """Return the latest moment after take-off at which to turn home from a place. [s]"""
    return usable_s - home_s - landing_s


@formula("energy = mean power × sortie", source=ALGEBRA, result="sortie_wh")
def sortie_energy_wh(power_w: float, sortie_s: float) -> float:
    """Return the energy a sortie takes. [Wh]"""
    return power_w * sortie_s / 3600.0


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
    out_s: Floats
    home_s: Floats


def plan_sorties(coverage: Coverage, task: SortieTask, forbidden: BaseGeometry | None = None) -> SortiePlan:
    """Cut a coverage into sorties.

    Raises
    ------
    Infeasible
        A leg cannot be flown in this wind, home cannot be reached from some place, or some part of
        the route takes more than one set gives; the message names the place.
    """
    require_range(task.overlap_m, 0.0, 500.0, "sorties.overlap_m", "Overlap on resuming", "m")
    told = explain(endurance, task.aircraft, task.pack, task.policy)
    give = told.value
    require_range(task.keep_spare_s, 0.0, 900.0, "sorties.keep_spare_s", "Time kept to spare", "s")
    usable = give.usable_s if task.crew_s is None else min(give.usable_s, task.crew_s)
    if usable - task.keep_spare_s <= task.aircraft.fixed_s:
        raise Infeasible(
            f"Pack {task.pack.name} gives {usable / 60:.1f} min; take-off and landing with the time kept to spare take "
            f"{(task.aircraft.fixed_s + task.keep_spare_s) / 60:.1f} min. Choose a stronger pack.",
            "pack",
        )
    route = route_of(coverage, task.aircraft.turn_s)
    legs = leg_seconds(route, task.work_m_s, task.wind)
    step = task.step_m or float(np.clip(route.cumulative_m[-1] / 6000.0, 1.0, 15.0))
    st = place_stations(route, legs, step, ends_only=task.breaks == "line_ends")
    detours = Detours(forbidden if forbidden is not None else Polygon())
    ways = _ways(st, task, detours)
    _check_reach(route, st, ways, task, usable - task.keep_spare_s)
    start = _resume_stations(route, st, task.overlap_m)
    try:
        cut = cut_route(
            CutProblem(
                st.elapsed_s,
                ways.out_s,
                ways.home_s,
                start,
                st.worked_m,
                task.aircraft.fixed_s,
                usable - task.keep_spare_s,
                task.tank_line_m if task.tank_line_m is not None else math.inf,
            )
        )
    except StationOutOfReach as stuck:
        raise _stuck(route, st, ways, task, usable - task.keep_spare_s, stuck.station) from stuck
    sorties = tuple(
        _sortie(k, int(start[a]), b, route, legs, st, ways, task, give, usable, detours)
        for k, (a, b) in enumerate(zip(cut.breaks, cut.breaks[1:], strict=False), start=1)
    )
    total = sum(s.time_s for s in sorties)
    far = float(np.hypot(*(st.xy - np.array(task.home)).T).max())
    last = told.steps[-1]
    return SortiePlan(
        sorties,
        give,
        total,
        far,
        Working("Flight time of one set", last.value, "s", told.steps),
        _total_working(sorties, total, task),
    )


def _total_working(sorties: tuple[Sortie, ...], total_s: float, task: SortieTask) -> Working:
    steps = [given(f"S{s.number}", s.time_s, label=f"sortie {s.number}", source=ALGEBRA) for s in sorties]
    steps = [Step(s.name, s.value, "s", s.formula, source=s.source, kind="input") for s in steps]
    where = "anywhere on a line" if task.breaks == "anywhere" else "at line ends"
    steps.append(
        Step(
            "total_s",
            total_s,
            "s",
            "sum of all sorties",
            source=BELLMAN,
            note=f"fewest sorties first, then least time; broken {where}",
        )
    )
    return Working("Time in the air", total_s, "s", tuple(steps))


def _ways(st: Stations, task: SortieTask, detours: Detours) -> _Ways:
    d = st.xy - np.array(task.home)
    v = task.aircraft.cruise_m_s
    out = leg_times_s(d[:, 0], d[:, 1], v, task.wind)
    home = leg_times_s(-d[:, 0], -d[:, 1], v, task.wind)
    if detours.empty:
        return _Ways(out, home)
    # The stretch of a way around forbidden ground is found every so many metres; between, the larger holds.
    knots = np.unique(np.concatenate([np.arange(0, len(st.at_m), max(1, _pitch(st))), [len(st.at_m) - 1]]))
    straight = np.maximum(np.hypot(d[knots, 0], d[knots, 1]), 1.0)
    around = detours.lengths_m(np.array([task.home]), st.xy[knots])[0]
    stretch = np.where(np.isfinite(around), np.maximum(around / straight, 1.0), np.inf)
    left = np.clip(np.searchsorted(knots, np.arange(len(st.at_m)), side="right") - 1, 0, len(knots) - 1)
    right = np.clip(left + 1, 0, len(knots) - 1)
    factor = np.maximum(stretch[left], stretch[right])
    return _Ways(out * factor, home * factor)


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


def _check_reach(route: Route, st: Stations, ways: _Ways, task: SortieTask, usable: float) -> None:
    lost = np.flatnonzero(~np.isfinite(ways.out_s + ways.home_s))
    if lost.size:
        raise Infeasible(
            f"Against {task.wind.speed_m_s:.1f} m/s from {task.wind.from_deg:.0f}° home and {_place(route, st, int(lost[0]), task)} cannot both be "
            f"reached at {task.aircraft.cruise_m_s:.1f} m/s. Wait for less wind, move home, or open a way past the keep-outs.",
            "wind.speed_m_s",
        )
    need = task.aircraft.fixed_s + ways.out_s + ways.home_s
    worst = int(np.argmax(need))
    if need[worst] > usable:
        raise _stuck(route, st, ways, task, usable, worst)


def _stuck(route: Route, st: Stations, ways: _Ways, task: SortieTask, usable: float, k: int) -> Infeasible:
    need = task.aircraft.fixed_s + float(ways.out_s[k] + ways.home_s[k])
    if task.tank_line_m is not None and need < 0.7 * usable:
        remedy = "Choose a larger tank, a stronger pack, or a lower rate"
    else:
        remedy = "Move home nearer, choose a stronger pack, or wait for less wind"
    return Infeasible(
        f"Only to reach {_place(route, st, k, task)} and return takes {need / 60:.1f} min of the {usable / 60:.1f} min "
        f"that pack {task.pack.name} gives, too little is left for work there. {remedy}.",
        "home",
    )


def _sortie(  # noqa: PLR0913 - one sortie needs the whole context once
    number: int,
    a: int,
    b: int,
    route: Route,
    legs_s: Floats,
    st: Stations,
    ways: _Ways,
    task: SortieTask,
    give: Endurance,
    usable: float,
    detours: Detours,
) -> Sortie:
    half = task.aircraft.fixed_s / 2
    route_s = float(st.elapsed_s[b] - st.elapsed_s[a])
    told = explain(_sortie_numbers, task, give, usable, float(ways.out_s[a]), route_s, float(ways.home_s[b]))
    time, energy, left, spare = told.value
    entry = (float(st.xy[a, 0]), float(st.xy[a, 1]))
    leave = (float(st.xy[b, 0]), float(st.xy[b, 1]))
    inner, ribbon_legs, stretches = _walk(route, legs_s, float(st.at_m[a]), float(st.at_m[b]), half + float(ways.out_s[a]))
    turns_home = half + float(ways.out_s[a]) + route_s
    path = (task.home, *detours.way(task.home, entry), *inner, *detours.way(leave, task.home), task.home)
    back = _turn_back(a, b, st, ways, half, usable)
    worked = float(st.worked_m[b] - st.worked_m[a])
    lines = tuple(dict.fromkeys(leg.line for leg in ribbon_legs if leg.line >= 0))
    legs = (
        RibbonLeg("take-off", 0.0, half),
        RibbonLeg("out", half, half + float(ways.out_s[a])),
        *ribbon_legs,
        RibbonLeg("home", turns_home, turns_home + float(ways.home_s[b])),
        RibbonLeg("landing", time - half, time),
    )
    last = told.steps[-1]
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
        energy / give.energy_wh,
        left,
        spare,
        turns_home,
        back.at_s,
        back.at,
        float(ways.home_s[b]),
        worked,
        _bound(b, worked, usable, give, st, task),
        legs,
        _ribbon(a, b, st, ways, task, give, half, time),
        Working(f"To spare on sortie {number}", last.value, "s", told.steps),
        Working(f"Turn back on sortie {number}", back.at_s, "s", back.steps),
    )


def _bound(
    b: int, worked: float, usable: float, give: Endurance, st: Stations, task: SortieTask
) -> Literal["energy", "tank", "crew", "end"]:
    if b == len(st.at_m) - 1:
        return "end"
    if task.tank_line_m is not None and worked > 0.97 * task.tank_line_m:
        return "tank"
    return "crew" if usable < give.usable_s else "energy"


def _sortie_numbers(
    task: SortieTask, give: Endurance, usable: float, out_s: float, route_s: float, home_s: float
) -> tuple[float, float, float, float]:
    endurance(task.aircraft, task.pack, task.policy)
    word = ASSUMED if task.wind_assumed else ENTERED
    note_step(
        Step(
            "wind_m_s",
            task.wind.speed_m_s,
            "m/s",
            f"wind from {task.wind.from_deg:.0f}°, at flying height",
            source=word,
            kind="assumption" if task.wind_assumed else "input",
        )
    )
    time = sortie_time_s(task.aircraft.fixed_s, out_s, route_s, home_s)
    energy = sortie_energy_wh(task.aircraft.power_w, time)
    left = landing_left_frac(energy, give.energy_wh)
    if usable < give.usable_s:
        note_step(given("crew_s", usable, label="longest sortie the crew agreed to", source=ENTERED, kind="limit"))
    return time, energy, left, spare_time_s(usable, time)


def _walk(
    route: Route, legs_s: Floats, from_m: float, to_m: float, start_s: float
) -> tuple[list[Metres], list[RibbonLeg], tuple[tuple[Metres, Metres], ...]]:
    """Return the points from one path distance to another, the legs in time, and the stretches on lines."""
    worked: list[tuple[Metres, Metres]] = []
    cum = route.cumulative_m
    points: list[Metres] = []
    legs: list[RibbonLeg] = []
    t = start_s
    for k in range(len(legs_s)):
        lo, hi = max(from_m, float(cum[k])), min(to_m, float(cum[k + 1]))
        if hi - lo <= 1e-6:
            continue
        length = float(cum[k + 1] - cum[k])
        p, q = route.points[k], route.points[k + 1]
        at = [p + (q - p) * ((s - cum[k]) / length) for s in (lo, hi)]
        if not points:
            points.append((float(at[0][0]), float(at[0][1])))
        points.append((float(at[1][0]), float(at[1][1])))
        turn = float(route.turn_s[k]) if hi >= cum[k + 1] - 1e-6 else 0.0
        dt = float(legs_s[k]) * (hi - lo) / length + turn
        line = int(route.line[k])
        if line >= 0:
            worked.append(((float(at[0][0]), float(at[0][1])), points[-1]))
        legs.append(RibbonLeg("line" if line >= 0 else "transit", t, t + dt, line))
        t += dt
    return points, legs, tuple(worked)


def _turn_back(a: int, b: int, st: Stations, ways: _Ways, half: float, usable: float) -> _TurnBack:
    """Return the last moment, and the place on the route, from which home is reached with the reserve."""
    onward = half + ways.out_s[a] + st.elapsed_s[b:] - st.elapsed_s[a]
    late = np.flatnonzero(onward + ways.home_s[b:] + half > usable + 1e-6)
    last = max(int(late[0]) - 1 if late.size else len(onward) - 1, 0)
    k = b + last
    home = float(ways.home_s[k])
    told = explain(last_turn_back_s, usable, home, half)
    # Where the route ends first, the rest may be spent waiting there.
    at_s = float(onward[last]) if late.size else told.value
    steps = (
        given("usable_s", usable, label="flight time of the set, or what the crew agreed to", source=ALGEBRA),
        given("home_s", home, label="way home from the last such place on the route, in this wind", source=NAVIGATION),
        given("landing_s", half, label="descent and landing, half of the time for take-off and landing", source=ENTERED),
        *told.steps,
        Step(
            "turn_back_s",
            at_s,
            "s",
            "the last place on the way onward that is reached by then"
            if late.size
            else "the route ends before; the rest is waiting there",
            kind="choice",
        ),
    )
    return _TurnBack(at_s, (float(st.xy[k, 0]), float(st.xy[k, 1])), steps)


def _ribbon(
    a: int, b: int, st: Stations, ways: _Ways, task: SortieTask, give: Endurance, half: float, time: float
) -> tuple[RibbonPoint, ...]:
    per_s = task.aircraft.power_w / 3600.0 / give.energy_wh
    reserve = give.reserve_shown_frac
    n = b - a + 1
    picks = np.unique(np.linspace(a, b, min(n, 60)).astype(int))
    points = [
        RibbonPoint(0.0, 1.0, reserve + per_s * half),
        RibbonPoint(half, 1.0 - per_s * half, reserve + per_s * half),
    ]
    for k in picks.tolist():
        t = half + float(ways.out_s[a] + st.elapsed_s[k] - st.elapsed_s[a])
        points.append(RibbonPoint(t, 1.0 - per_s * t, reserve + per_s * (float(ways.home_s[k]) + half)))
    points.append(RibbonPoint(time - half, 1.0 - per_s * (time - half), reserve + per_s * half))
    points.append(RibbonPoint(time, 1.0 - per_s * time, reserve))
    return tuple(points)
