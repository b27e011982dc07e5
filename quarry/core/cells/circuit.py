"""What a cell shows under load, over time and temperature: an equivalent circuit with its own heat.

Three parts pull the volts below rest: a resistance at once; a lag of the charge at the surface of the grains behind
the mean, which builds up over minutes and grows out of proportion near a limiting current; and, through the falling
rest volts, the lag itself. All three grow with cold. So a cold pack dips soon after take-off, warms itself and
recovers, or, driven hard, collapses; and a resistance read after ten seconds understates the dip.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace

from quarry.core.cells.curves import OcvCurve
from quarry.core.cells.thermal import CELL_J_K_AH, FLYING_W_K_AH

_REF_K = 298.15
_ZERO_C_K = 273.15
_FLOOR = 0.04  # how near the limiting current the lag still grows in proportion


@dataclass(frozen=True, slots=True)
class CellLaw:
    """The circuit of one kind of cell, for 1 Ah at 25 °C.

    ``fast_ohm_ah`` resistance × capacity of the first seconds; ``lag_h``: how far the surface lags behind, as a share
    of charge, at a rate of 1/h; ``limit_rate`` the limiting rate [1/h]; ``*_b_k`` how each changes with temperature;
    ``tau_s`` how fast the lag builds up; ``heat_j_k_ah`` heat held; ``read_ohm_ah`` what a reading after ten seconds
    of small load shows.
    """

    name: str
    read_ohm_ah: float
    fast_ohm_ah: float
    fast_b_k: float
    lag_h: float
    lag_b_k: float
    limit_rate: float
    limit_b_k: float
    tau_s: float
    heat_j_k_ah: float = CELL_J_K_AH


@dataclass(frozen=True, slots=True)
class Instant:
    """A moment of a discharge: charge left, amperes, volts of the mean and of the weakest cell, °C, energy drawn.

    ``peak_v``: what the weakest cell would show if the peak load came now; nan without one.
    """

    at_s: float
    charge_frac: float
    current_a: float
    cell_v: float
    weak_v: float
    pack_c: float
    drawn_wh: float
    peak_v: float = math.nan


@dataclass(frozen=True, slots=True)
class Stack:
    """Cells in series: curve and law of one, its capacity, how many, how much more the weakest resists.

    ``scale_v`` stretches the curve to the full volts of the chemistry. ``cooling_w_k_ah`` is for each Ah of a cell.
    """

    curve: OcvCurve
    law: CellLaw
    capacity_ah: float
    cells: int
    weak_times: float = 1.0
    scale_v: float = 1.0
    cooling_w_k_ah: float = FLYING_W_K_AH


def scaled(law: CellLaw, resistance_25_ohm: float, capacity_ah: float) -> CellLaw:
    """Return a law brought to a cell's own resistance at 25 °C, as read after some ten seconds.

    A cell that resists more also lags more; one that resists less is not given a smaller lag.
    """
    ratio = resistance_25_ohm * capacity_ah / law.read_ohm_ah
    return replace(
        law, read_ohm_ah=law.read_ohm_ah * ratio, fast_ohm_ah=law.fast_ohm_ah * ratio, lag_h=law.lag_h * max(1.0, ratio)
    )


def _table(curve: OcvCurve, scale: float) -> list[float]:
    """Return resting voltages at every half per cent, with one more to reach over the end.

    The laws of the cells were fitted on curves of twenty straight parts. With finer ones a cell that just fails at five times
    its capacity in the cold comes through: the side on which no pack may err.
    """
    points = [p for p in curve.points if abs(p[0] * 20 - round(p[0] * 20)) < 1e-9]
    found, k = [], 0
    for n in range(201):
        z = n / 200
        while k < len(points) - 2 and points[k + 1][0] < z:
            k += 1
        (z0, v0), (z1, v1) = points[k], points[k + 1]
        found.append((v0 + (v1 - v0) * (z - z0) / (z1 - z0)) * scale)
    return [*found, found[-1]]


def discharge(
    stack: Stack,
    loads: Iterable[tuple[float, float]],
    *,
    start_frac: float,
    start_c: float,
    air_c: float,
    step_s: float = 5.0,
    peak_load: float | None = None,
    current: bool = False,
    self_heating: bool = True,
) -> list[Instant]:
    """Return the course of a discharge, ended where the charge or the volts end.

    Parameters
    ----------
    stack : Stack
        The cells.
    loads : pairs (seconds, watts out of the whole stack), or amperes with ``current``
        The load, one piece after another.
    start_frac, start_c : float
        Charge and temperature at the start. [1, °C]
    air_c : float
        Temperature of the air around. [°C]
    step_s : float
        Longest step. [s]
    peak_load : float, optional
        Load for which ``peak_v`` is told at every moment, in the same measure as the loads.
    current : bool
        Loads are amperes.
    self_heating : bool
        False holds the temperature, for comparison with isothermal runs.
    """
    law, q, n = stack.law, stack.capacity_ah, stack.cells
    table = _table(stack.curve, stack.scale_v)
    z, temperature, at, drawn = start_frac, start_c, 0.0, 0.0
    lag_mean = lag_weak = 0.0
    heat_held = law.heat_j_k_ah * q * n
    cooling = stack.cooling_w_k_ah * q * n
    course: list[Instant] = []
    fast25, weak = law.fast_ohm_ah / q, stack.weak_times
    for seconds, load in loads:
        steps = max(1, math.ceil(seconds / step_s - 1e-9))
        dt = seconds / steps
        for _ in range(steps):
            inv = 1.0 / (temperature + _ZERO_C_K) - 1.0 / _REF_K
            fast = fast25 * math.exp(law.fast_b_k * inv) * _by_charge(z)
            limit = law.limit_rate * math.exp(-law.limit_b_k * inv)
            lag = law.lag_h * math.exp(law.lag_b_k * inv)
            rest, rest_weak = _at(table, z - lag_mean), _at(table, z - lag_weak)
            total, ohm = (n - 1) * rest + rest_weak, fast * (n - 1 + weak)
            found = load if current else _current(total, ohm, load)
            if found is None:  # no current gives that much power: the pack collapses
                course.append(Instant(at, z, total / (2 * ohm), 0.0, 0.0, temperature, drawn, 0.0))
                return course
            amperes = found
            cell_v, weak_v = rest - amperes * fast, rest_weak - amperes * fast * weak
            peak_v = math.nan
            if peak_load is not None:
                high = peak_load if current else _current(total, ohm, peak_load)
                peak_v = 0.0 if high is None else rest_weak - high * fast * weak
            course.append(Instant(at, z, amperes, cell_v, weak_v, temperature, drawn, peak_v))
            if z <= 0.0 or weak_v <= 0.5:
                return course
            volts = (n - 1) * cell_v + weak_v
            if self_heating:
                lost = ((n - 1) * (_at(table, z) - cell_v) + _at(table, z) - weak_v) * amperes
                temperature += (max(lost, 0.0) - cooling * (temperature - air_c)) * dt / heat_held
            rate = amperes / q
            grow = lag * rate / max(1.0 - rate / limit, _FLOOR)
            share = -math.expm1(-dt / law.tau_s)
            lag_mean += (grow - lag_mean) * share
            lag_weak += (grow * weak - lag_weak) * share
            z -= rate * dt / 3600.0
            drawn += volts * amperes * dt / 3600.0
            at += dt
    course.append(replace(course[-1], at_s=at, charge_frac=z, pack_c=temperature, drawn_wh=drawn))
    return course


def _current(volts: float, ohm: float, watts: float) -> float | None:
    root = volts * volts - 4 * ohm * watts
    return None if root < 0 else (volts - math.sqrt(root)) / (2 * ohm)


def _at(table: list[float], z: float) -> float:
    if z <= 0.0:
        return table[0] + 20.0 * z  # beyond empty the volts fall away
    x = z * 200
    k = int(x)
    if k >= 200:
        return table[200]
    return table[k] + (table[k + 1] - table[k]) * (x - k)


def _by_charge(z: float) -> float:
    """Return how the resistance rises as a cell empties: flat above 30 %, a fifth more at 20 %, a third at 10 %."""
    if z >= 0.3:
        return 1.0
    return 1.0 + 0.35 * (0.3 - max(z, 0.0)) / 0.2
