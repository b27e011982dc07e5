"""A day as the task of its rotation: what takes part, what had to be left out and why, and cautions."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field, replace

from quarry.core.base.errors import CoreError, Infeasible
from quarry.core.dayplan.charging import needed_frac, rest_after_flight, taken_by, too_cold_words
from quarry.core.dayplan.hours import Windows
from quarry.core.dayplan.inputs import (
    AircraftInput,
    ChargerInput,
    DayInputs,
    JobInput,
    PackInput,
    Route,
    SortieFigures,
    SortieInput,
)
from quarry.core.dayplan.pins import apply_pins, gentlest, hindering
from quarry.core.dayplan.refuelling import with_stops
from quarry.core.dayplan.sets import sets_of
from quarry.core.dayplan.supply import DaySupply, supply_of
from quarry.core.limits.windows import common
from quarry.core.power.supply import STANDARD_AIR_C
from quarry.core.rotation.model import Charger, Craft, Crew, Flight, Rotation, RotationTask
from quarry.core.rotation.people import within
from quarry.core.rotation.planning import plan_day

_WH_SLACK = 0.5
_NO_LIMIT_H = 48.0
_SOLVE_S = 4.0  # somebody waits for the first plan
_ANY_SET = "any"


@dataclass(frozen=True, slots=True, kw_only=True)
class DayTask:
    """The rotation task of a day with all that was made on the way to it.

    ``free``: the task without what people fixed. ``too_cold``: why nothing is charged, or nothing. ``turn_backs_s`` from
    take-off, ``flights`` and ``routes`` by sortie; ``members`` by set; ``left_out``: why, by the name of a pack.
    """

    inputs: DayInputs
    task: RotationTask
    free: RotationTask
    turn_backs_s: dict[str, float]
    flights: dict[str, SortieFigures]
    routes: dict[str, Route]
    members: dict[str, tuple[PackInput, ...]]
    left_out: dict[str, str]
    aircraft: tuple[AircraftInput, ...]
    chargers: tuple[ChargerInput, ...]
    supply: DaySupply
    too_cold: str
    cautions: tuple[str, ...] = field(default=())

    def port_numbers(self) -> dict[tuple[str, int], int]:
        """Return the number of each (charger, port of it) through all chargers, counted from one."""
        keys = [(c.id, k) for c in self.task.chargers for k in range(c.ports)]
        return {key: n for n, key in enumerate(keys, start=1)}

    def member(self, set_name: str, pack: int) -> PackInput:
        """Return a pack of a set by its place in it."""
        return self.members[set_name][pack]


def day_task(day: DayInputs) -> DayTask:
    """Return the task of a day.

    Raises
    ------
    Infeasible
        Packs never cool so far that they may be charged.
    """
    to_need = day.methods.packs == "need"
    hours = day.hours.windows()
    begins_s = _first_task_s(day, hours)
    windows = within(hours, day.learned.people, begins_s)
    cautions = day.hours.jumps_words()
    if windows != hours:
        longest_h = day.learned.people.day_h
        begins, ends = (day.hours.clock(s) for s in (begins_s, begins_s + longest_h * 3600))
        cautions.append(f"People's longest day is {longest_h:g} h from their first task at {begins}: nothing flies after {ends}.")
    aircraft = tuple({j.aircraft.id: j.aircraft for j in day.jobs}.values())
    flights: list[Flight] = []
    figures: dict[str, SortieFigures] = {}
    turn_backs: dict[str, float] = {}
    routes: dict[str, Route] = {}
    for job in day.jobs:
        cautions += _cautions_of(job, to_need=to_need)
        open_to = tuple(common(list(windows), list(job.windows))) if job.windows is not None else None
        for sortie in job.sorties:
            label = f"{job.letter}{sortie.number}"
            flights.append(_flight(job, sortie, label, open_to, to_need=to_need))
            figures[label] = _figures(job, sortie)
            turn_backs[label] = sortie.turn_back_s
            routes[label] = _route(job, sortie)
    found = sets_of(day.packs, [a.kind for a in aircraft])
    rest_s, hot = rest_after_flight(day.rest_after_flight_s, day.bench_c, day.packs, (f.settles_c for f in figures.values()))
    too_cold = too_cold_words(day.bench_c, day.packs)
    cautions += [words for words in (hot, too_cold) if words]
    able = () if too_cold else day.chargers
    supply = supply_of(day.supplies, able, day.elevation_m, max((j.air_c for j in day.jobs), default=STANDARD_AIR_C))
    cautions += [f"{name} finds no outlet that carries it for hours and stays off. See the supply." for name in supply.left_out]
    chargers = tuple(c for c in able if c.name not in supply.left_out)
    kinds = {sortie.type: found.members[sortie.id][0] for sortie in found.sets}
    ports: list[Charger] = []
    for number, c in enumerate(chargers, start=1):
        types, words = taken_by(c, kinds)
        ports.append(Charger(f"{number}", c.ports, c.modes, c.cap_w, types=types))
        cautions += words
    free = RotationTask(
        tuple(Craft(a.id, a.kind, fill_s=_fill_s(day, a)) for a in aircraft),
        tuple(flights),
        tuple(replace(s, from_s=max(s.from_s, begins_s)) for s in found.sets),
        tuple(ports),
        round(day.swap_s * day.learned.swap_ratio),
        rest_s,
        day.rest_after_charge_s,
        supply.can_give_w,
        windows,
        "partial" if to_need else "full",
        crews=_crews(day, aircraft),
    )
    if day.methods.rates == "gentle":
        free = gentlest(free)
    pinned = apply_pins(free, day.pins, day.hours.opens_s)
    task, supply = with_stops(pinned, supply, 60.0 * day.learned.refuel_min)
    return DayTask(
        inputs=day,
        task=task,
        free=replace(free, dips=(*free.dips, *task.dips[len(pinned.dips) :])),
        turn_backs_s=turn_backs,
        flights=figures,
        routes=routes,
        members=found.members,
        left_out=found.left_out,
        aircraft=aircraft,
        chargers=chargers,
        supply=supply,
        too_cold=too_cold,
        cautions=tuple(dict.fromkeys(cautions)),
    )


def _fill_s(day: DayInputs, craft: AircraftInput) -> float:
    """Return the longest that mixing and filling a load takes of the jobs that an aircraft flies. [s]"""
    return max((j.fill_s for j in day.jobs if j.aircraft.id == craft.id), default=0.0)


def _crews(day: DayInputs, aircraft: tuple[AircraftInput, ...]) -> tuple[Crew, ...]:
    """Return the crews that fly several aircraft of the day."""
    there = {a.id for a in aircraft}
    flown = [tuple(a for a in crew if a in there) for crew in day.crews]
    return tuple(Crew(f"crew {n}", crew) for n, crew in enumerate(flown, start=1) if len(crew) > 1)


def _first_task_s(day: DayInputs, hours: Windows) -> float:
    """Return when people begin: at the opening, or, where their longest day is shorter than the hours, once something may fly.

    Without that a day that opens at midnight and flies from dawn would use up people's hours before they come. They begin no
    later than lets them work to the end of the hours. [s]
    """
    spare_s = (hours[-1][1] if hours else 0.0) - day.learned.people.day_h * 3600.0
    openings = [a for j in day.jobs for a, _ in (common(list(hours), list(j.windows)) if j.windows is not None else hours)[:1]]
    return max(0.0, min([spare_s, *openings]))


def _flight(
    job: JobInput, sortie: SortieInput, label: str, windows: tuple[tuple[float, float], ...] | None, *, to_need: bool
) -> Flight:
    able = tuple(x.name for x in job.sets if x.name and x.usable_wh >= sortie.energy_wh - _WH_SLACK)
    only = None if job.sets_assumed or _ANY_SET in able else able
    need = needed_frac(sortie, job.sets, able, job.charge_least_frac) if to_need else 1.0
    whole_s = float(math.ceil(sortie.time_s - 1e-3))  # the solver counts in whole seconds
    return Flight(label, job.aircraft.id, whole_s, sortie.energy_frac, need, windows, only)


def _figures(job: JobInput, sortie: SortieInput) -> SortieFigures:
    return SortieFigures(
        job.id,
        job.letter,
        sortie.number,
        sortie.landing_frac,
        job.reserve_frac,
        max(x.floor_v for x in job.sets),
        sortie.fixed_s,
        next((x.settles_c for x in job.sets if x.name == sortie.set), job.sets[0].settles_c),
        job.rings,
    )


def _route(job: JobInput, sortie: SortieInput) -> Route:
    """Return where a sortie works and what it is to bring or spread: its share of the job by the length of its lines."""
    total_m = sum(x.worked_m for x in job.sorties)
    share = sortie.worked_m / total_m if total_m > 0 else 0.0
    what = job.what if total_m > 0 else ""
    return Route(job.home or sortie.begins_at, sortie.worked, job.work * share, what, sortie.worked_m * job.spacing_m / 1e4)


def _cautions_of(job: JobInput, *, to_need: bool) -> list[str]:
    found = []
    if job.wind_assumed:
        found.append(f"{job.name} is planned with an assumed wind: take a forecast or measure before it flies.")
    if job.weather_unknown:
        found.append(f"No weather is known for {job.name} on this day: nothing is cleared by this plan.")
    found += [f"{name} is not planned for {job.name}: {why}" for name, why in job.sets_out.items()]
    if to_need and job.charge_least_frac > 0.0:
        found.append(
            f"A limit lets {job.name} take off with {job.charge_least_frac:.0%} or more: no pack is charged to less for it."
        )
    return found


def first_rotation(day: DayTask, known: Iterable[Rotation] = ()) -> Rotation:
    """Return a good schedule at once, no later than any of those known that still holds.

    Raises
    ------
    CoreError
        None can exist; where one thing that people fixed stands in the way, it is named.
    """
    try:
        return plan_day(day.task, known, explain=True, solve_s=_SOLVE_S)
    except CoreError as bad:
        if day.too_cold and bad.field != "jobs":
            raise Infeasible(f"{day.too_cold} Without a charge this day cannot be flown.", "bench_c") from None
        if (tired := _by_people(day)) is not None:
            raise tired from None
        pins = day.inputs.pins
        raise hindering(day.free, pins, day.inputs.hours.opens_s, bad) if pins else bad from None


def _by_people(day: DayTask) -> Infeasible | None:
    """Return that people's longest day stands in the way, where the day could be flown without that limit."""
    people = day.inputs.learned.people
    hours = day.inputs.hours
    if day.task.windows == hours.windows():
        return None
    rested = replace(day.inputs, learned=replace(day.inputs.learned, people=replace(people, day_h=_NO_LIMIT_H)))
    try:
        ends_s = plan_day(day_task(rested).task).makespan_s
    except CoreError:
        return None
    begins_s = _first_task_s(day.inputs, hours.windows())
    return Infeasible(
        f"Not all of it fits into people's longest day: {people.day_h:g} h from their first task at {hours.clock(begins_s)}. "
        f"Without that limit the last landing would be at {hours.clock(ends_s)}. Take jobs out, fly them on two days, or fly with more packs or aircraft.",
        "jobs",
    )
