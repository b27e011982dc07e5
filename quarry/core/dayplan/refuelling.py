"""Refuelling as a planned stop: a supply is switched off before its tank is low, at the moment that costs the day least."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import cast

from quarry.core.base.errors import CoreError
from quarry.core.base.settings import Setting
from quarry.core.base.sources import ASSUMED
from quarry.core.dayplan.supply import DaySupply, SupplyOfDay
from quarry.core.power.generator import Fuel, FuelDay, fuel_of_day
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import Rotation, RotationTask
from quarry.core.rotation.timeline import load_series

_MOST_STOPS = 8
_TRIED = 7
_QUICK_PLAYS = 4
_EARLIEST_SHARE = 0.35  # of the time since the last filling: a stop is not planned earlier than that before the tank is low
_LOAD_STEP_S = 300.0


@dataclass(frozen=True, slots=True)
class Refuelling:
    """How long a supply is off for refuelling; nothing plans none."""

    refuel_min: float = 10.0


SETTINGS: tuple[Setting, ...] = (
    Setting(
        "supply.refuel_min",
        "Supply",
        "Refuelling takes, with nothing charging",
        Refuelling().refuel_min,
        "switched off, cooled down, filled and started again; 0 plans no stop",
        "min",
        low=0.0,
        high=120.0,
        source=ASSUMED,
    ),
)


def with_stops(task: RotationTask, supply: DaySupply, stop_s: float) -> tuple[RotationTask, DaySupply]:
    """Return the day with its refuelling stops: less power in the task, and when each supply is off.

    What people fixed as hours without power is a stop already: every tank is filled in it. [s]
    """
    off = tuple((a, b) for a, b, watts in task.dips if watts <= 0.0)
    supply = replace(supply, each=[replace(s, stops=off if s.fuel else ()) for s in supply.each])
    if stop_s <= 0.0 or not any(s.fuel and s.tank_l for s in supply.each):
        return task, supply
    whole = task, supply
    for _ in range(_MOST_STOPS):
        plan = _quick(task)
        low = _first_low(task, supply, plan) if plan is not None else None
        if plan is None or low is None:
            break
        k, low_s = low
        if low_s - _runs_since(supply.each[k], plan, low_s) < min(c.end_s - c.start_s for c in plan.charges):
            return whole  # a tank that does not last for one charge: no stop helps, and the plan says when it is low
        found = _best_stop(task, supply, k, low_s, stop_s)
        if found is None:
            break
        task, supply = found
    return task, supply


def _quick(task: RotationTask) -> Rotation | None:
    try:
        return dispatch(task, plays=_QUICK_PLAYS)
    except CoreError:
        return None


def _first_low(task: RotationTask, supply: DaySupply, plan: Rotation) -> tuple[int, float] | None:
    """Return (which supply, when) whose tank is low first while it is still needed."""
    load = load_series(task, plan, _LOAD_STEP_S)
    needed_s = max((c.end_s for c in plan.charges), default=0.0)
    lows = [
        (day.refuel_s[0], k)
        for k, s in enumerate(supply.each)
        if (day := fuel_of(s, supply, load, needed_s)) is not None and day.refuel_s
    ]
    return (min(lows)[1], min(lows)[0]) if lows else None


def fuel_of(source: SupplyOfDay, supply: DaySupply, load: Sequence[tuple[float, float]], until_s: float) -> FuelDay | None:
    """Return the fuel of one supply: its share of the load, off in its stops; None for one that burns none."""
    total = supply.can_give_w or 0.0
    if not source.fuel or total <= 0:
        return None
    share = source.can_give_w / total
    mine = [(t, w * share) for t, w in load]
    return fuel_of_day(mine, source.rated_w, cast(Fuel, source.fuel), source.tank_l, until_s, source.stops)


def _runs_since(source: SupplyOfDay, plan: Rotation, at_s: float) -> float:
    """Return since when a supply runs on the tank that is low at a moment. [s]"""
    first = min(c.start_s for c in plan.charges)
    return max([first, *(b for _, b in source.stops if b <= at_s)])


def _best_stop(
    task: RotationTask, supply: DaySupply, k: int, low_s: float, stop_s: float
) -> tuple[RotationTask, DaySupply] | None:
    """Return the day with one stop more, of those that come before the tank is low the one with which it ends first."""
    source = supply.each[k]
    since_s = max((b for _, b in source.stops if b <= low_s), default=0.0)
    least_s = low_s - _EARLIEST_SHARE * (low_s - since_s)
    step_s = (low_s - least_s) / (_TRIED - 1)
    left_w = (supply.can_give_w or 0.0) - source.can_give_w
    best: tuple[float, float, RotationTask, DaySupply] | None = None
    for n in range(_TRIED):
        at_s = float(round(low_s - n * step_s - 0.5))
        dip = (max(0.0, at_s), at_s + stop_s, max(0.0, left_w))
        trial = replace(task, dips=(*task.dips, dip))
        each = [replace(s, stops=tuple(sorted((*s.stops, dip[:2])))) if s is source else s for s in supply.each]
        stopped = replace(supply, each=each)
        plan = _quick(trial)
        if plan is None:
            continue
        low = _first_low(trial, stopped, plan)
        if low is not None and low[0] == k and low[1] < at_s - 1.0:
            continue  # planned anew around the stop, the tank would be low before it
        if best is None or plan.makespan_s < best[0] - 1.0:
            best = plan.makespan_s, at_s, trial, stopped
    return (best[2], best[3]) if best else None


def fuelled(supply: DaySupply, load: Sequence[tuple[float, float]], until_s: float) -> DaySupply:
    """Return the supplies with the fuel of the day; the load is shared by what each can give."""
    each = []
    for source in supply.each:
        day = fuel_of(source, supply, load, until_s)
        if day is None:
            each.append(source)
            continue
        stops = tuple(s for s in source.stops if s[0] < until_s)
        times = sorted((*(a for a, _ in stops), *day.refuel_s))
        each.append(replace(source, litres=day.fuel_l, refuel_s=times, stops=stops, low_s=day.refuel_s))
    return replace(supply, each=each)


def low_words(supply: DaySupply, clock: Callable[[float], str]) -> list[str]:
    """Return what to see to where a plan empties a tank before it is filled."""
    return [
        f"{s.name} runs low at {clock(s.low_s[0])}, before it is refuelled: fill it earlier, or fix an hour without power then."
        for s in supply.each
        if s.low_s
    ]
