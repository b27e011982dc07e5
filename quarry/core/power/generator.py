"""Generators: what thin and hot air leaves of the rating, fuel by load, and when to refuel."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from quarry.core.base.errors import require_range
from quarry.core.base.sources import ALGEBRA, GENERATOR_HANDBOOK, SKARSTEIN
from quarry.core.base.working import formula

Fuel = Literal["petrol", "diesel"]
WILLANS = {"petrol": (0.15, 0.38), "diesel": (0.08145, 0.246)}  # l/h per kW rated, l/kWh; petrol from memory, ± 25 %
_PER_300_M, _PER_10_K = 0.035, 0.015
_FULL_TANK_FRAC = 0.9  # planned with: nobody runs a tank dry, or fills it to the brim


@dataclass(frozen=True, slots=True)
class Derating:
    """What is taken off for each 300 m of height and each 10 K above 25 °C."""

    per_300_m: float = _PER_300_M
    per_10_k: float = _PER_10_K


@formula("left by height = 1 − share for each 300 m × height ÷ 300", source=GENERATOR_HANDBOOK, result="height_frac")
def height_frac(elevation_m: float, per_300_m: float) -> float:
    """Return the share of its rating that thin air leaves a generator."""
    return max(0.0, 1.0 - per_300_m * max(0.0, elevation_m) / 300.0)


@formula("left by heat = 1 − share for each 10 K × degrees above 25 °C ÷ 10", source=GENERATOR_HANDBOOK, result="heat_frac")
def heat_frac(air_c: float, per_10_k: float) -> float:
    """Return the share of its rating that hot air leaves a generator."""
    return max(0.0, 1.0 - per_10_k * max(0.0, air_c - 25.0) / 10.0)


@formula("available = continuous rating × left by height × left by heat", source=ALGEBRA, result="available_w")
def available_w(rated_w: float, height_frac: float, heat_frac: float) -> float:
    """Return what a generator gives here and today. [W]"""
    return rated_w * height_frac * heat_frac


def generator_w(rated_w: float, elevation_m: float, air_c: float, derating: Derating | None = None) -> float:
    """Return what a generator gives at a height and temperature. [W]

    Examples
    --------
    >>> round(generator_w(2000.0, 600.0, 20.0))
    1860
    """
    d = derating or Derating()
    require_range(elevation_m, -430.0, 6000.0, "elevation_m", "Height of the site", "m")
    require_range(air_c, -40.0, 60.0, "air_c", "Air temperature", "°C")
    return available_w(rated_w, height_frac(elevation_m, d.per_300_m), heat_frac(air_c, d.per_10_k))


@formula("fuel = idle part × rated kW + part by load × kW drawn", source=SKARSTEIN, result="fuel_l_h")
def fuel_l_h(rated_w: float, drawn_w: float, idle_l_kwh: float, load_l_kwh: float) -> float:
    """Return fuel by the hour, a straight line over load. [l/h]"""
    return idle_l_kwh * rated_w / 1000.0 + load_l_kwh * drawn_w / 1000.0


@dataclass(frozen=True, slots=True)
class FuelDay:
    """Fuel of a day: litres, what it draws on the mean, and when the tank is low where no stop was planned before. [l, W, s]"""

    fuel_l: float
    mean_w: float
    refuel_s: tuple[float, ...]


def fuel_of_day(
    load: Sequence[tuple[float, float]],
    rated_w: float,
    fuel: Fuel,
    tank_l: float | None,
    until_s: float,
    stops: Sequence[tuple[float, float]] = (),
) -> FuelDay:
    """Return the fuel that a course of load takes while the generator runs from the first load to ``until_s``.

    Parameters
    ----------
    load : sequence of (s, W)
        Power drawn from each moment to the next, as of `load_series`.
    tank_l : float or None
        What the tank holds; None plans no refuelling. Nine tenths of it are planned with.
    stops : sequence of (s, s)
        From when to when it is off; its tank is full afterwards.
    """
    idle, by_load = WILLANS[fuel]
    began = next((t for t, w in load if w > 0), None)
    if began is None:
        return FuelDay(0.0, 0.0, ())
    usable = None if tank_l is None else _FULL_TANK_FRAC * tank_l
    litres = joules = used = 0.0
    low: list[float] = []
    points = _with_edges([(t, w) for t, w in load if began <= t < until_s] + [(until_s, 0.0)], stops)
    for (a, w), (b, _) in zip(points, points[1:], strict=False):
        if any(x <= a < y for x, y in stops):
            used = 0.0
            continue
        rate = fuel_l_h(rated_w, w, idle, by_load) / 3600.0
        litres += rate * (b - a)
        joules += w * (b - a)
        at = a
        while usable is not None and rate > 0 and used + rate * (b - at) >= usable - 1e-9:
            at += (usable - used) / rate
            if at < until_s - 1.0:
                low.append(at)
            used = 0.0
        used += rate * (b - at)
    return FuelDay(litres, joules / max(1.0, until_s - began), tuple(low))


def _with_edges(points: list[tuple[float, float]], stops: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """Return a course of load with a point at each end of a stop."""
    found = list(points)
    for at in (t for stop in stops for t in stop):
        if points[0][0] < at < points[-1][0]:
            found.append((at, next(w for t, w in reversed(points) if t <= at)))
    return sorted(found, key=lambda p: p[0])


def hours_on_a_tank(rated_w: float, drawn_w: float, fuel: Fuel, tank_l: float) -> float:
    """Return how long a full tank lasts at a steady load, planned with nine tenths of it. [h]"""
    rate = fuel_l_h(rated_w, drawn_w, *WILLANS[fuel])
    return math.inf if rate <= 0 else _FULL_TANK_FRAC * tank_l / rate
