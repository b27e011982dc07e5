"""What a cell shows under load, over time and temperature: an equivalent circuit with its own heat.

Three parts pull the volts below rest. A resistance at once. A lag of the charge at the surface of the grains behind the
mean, built up within a minute or two. And the thinning of the salt in the electrolyte, with a time constant of its own:
it grows towards a limiting rate that falls steeply with cold, and near it the cell collapses however full it is. So a
cold pack dips soon after take-off, warms itself and recovers, or, driven hard, fails at once.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace

from quarry.core.cells.curves import OcvCurve
from quarry.core.cells.thermal import CELL_J_K_AH, FLYING_W_K_AH

_REF_K = 298.15
_ZERO_C_K = 273.15
_THINNEST = 0.9995  # the share of the salt that can be gone: beyond it nothing flows
_LOW_CHARGE = 0.3  # below this share of charge the resistance rises


@dataclass(frozen=True, slots=True)
class CellLaw:
    """The circuit of one kind of cell, for 1 Ah at 25 °C; rates are currents over capacity. [1/h]

    ``read_ohm_ah``: what a reading after ten seconds of small load shows. ``fast_ohm_ah`` resistance × capacity of the
    first moment; ``low_rise_frac``: by how much it has risen at 10 % of charge. ``lag_h``: how far the surface lags behind, as
    a share of charge, at a rate of 1/h, built up in ``lag_tau_s``. ``limit_rate``: the rate that empties the electrolyte
    of salt, in ``limit_tau_s``; ``thin_v`` and ``thin_rise_frac``: how far that pulls the volts, and raises the resistance.
    ``*_b_k`` how each changes with temperature; ``heat_j_k_ah`` heat held.
    """

    name: str
    read_ohm_ah: float
    fast_ohm_ah: float
    fast_b_k: float
    low_rise_frac: float
    lag_h: float
    lag_b_k: float
    lag_tau_s: float
    lag_tau_b_k: float
    limit_rate: float
    limit_b_k: float
    limit_tau_s: float
    thin_v: float
    thin_rise_frac: float
    heat_j_k_ah: float = CELL_J_K_AH


@dataclass(frozen=True, slots=True)
class Instant:
    """A moment of a discharge: charge left, amperes, volts of the mean and of the weakest cell, °C, energy drawn.

    ``peak_v``: what the weakest cell would show if the peak load came now; nan without one. ``thin_frac``: how much of the
    salt is gone, against what a lasting load of the limiting rate takes: near 1 the cell fails.
    """

    at_s: float
    charge_frac: float
    current_a: float
    cell_v: float
    weak_v: float
    pack_c: float
    drawn_wh: float
    peak_v: float = math.nan
    thin_frac: float = 0.0


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

    A cell that resists more also lags and thins more; one that resists less is not given a smaller lag.
    """
    ratio = resistance_25_ohm * capacity_ah / law.read_ohm_ah
    more = max(1.0, ratio)
    return replace(
        law,
        read_ohm_ah=law.read_ohm_ah * ratio,
        fast_ohm_ah=law.fast_ohm_ah * ratio,
        lag_h=law.lag_h * more,
        thin_v=law.thin_v * more,
    )


def _table(curve: OcvCurve, scale: float) -> list[float]:
    """Return resting voltages at every half per cent, with one more to reach over the end."""
    points = curve.points
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
    lag_mean = lag_weak = thin = 0.0
    heat_held = law.heat_j_k_ah * q * n
    cooling = stack.cooling_w_k_ah * q * n
    course: list[Instant] = []
    fast25, weak = law.fast_ohm_ah / q, stack.weak_times
    for seconds, load in loads:
        steps = max(1, math.ceil(seconds / step_s - 1e-9))
        dt = seconds / steps
        for _ in range(steps):
            inv = 1.0 / (temperature + _ZERO_C_K) - 1.0 / _REF_K
            gone = min(thin, _THINNEST)
            pull = -law.thin_v * (temperature + _ZERO_C_K) / _REF_K * math.log1p(-gone)
            fast = (
                fast25
                * math.exp(law.fast_b_k * inv)
                * _by_charge(z, law.low_rise_frac)
                * (1.0 + law.thin_rise_frac * gone / (1.0 - gone))
            )
            rest, rest_weak = _at(table, z - lag_mean) - pull, _at(table, z - lag_weak) - pull * weak
            total, ohm = (n - 1) * rest + rest_weak, fast * (n - 1 + weak)
            found = load if current else _current(total, ohm, load)
            if found is None:  # no current gives that much power: the pack collapses
                course.append(Instant(at, z, total / (2 * ohm), 0.0, 0.0, temperature, drawn, 0.0, thin))
                return course
            amperes = found
            cell_v, weak_v = rest - amperes * fast, rest_weak - amperes * fast * weak
            peak_v = math.nan
            if peak_load is not None:
                high = peak_load if current else _current(total, ohm, peak_load)
                peak_v = 0.0 if high is None else rest_weak - high * fast * weak
            course.append(Instant(at, z, amperes, cell_v, weak_v, temperature, drawn, peak_v, thin))
            if z <= 0.0 or weak_v <= 0.5:
                return course
            volts = (n - 1) * cell_v + weak_v
            if self_heating:
                lost = ((n - 1) * (_at(table, z) - cell_v) + _at(table, z) - weak_v) * amperes
                temperature += (max(lost, 0.0) - cooling * (temperature - air_c)) * dt / heat_held
            rate = amperes / q
            share = -math.expm1(-dt / (law.lag_tau_s * math.exp(law.lag_tau_b_k * inv)))
            grow = law.lag_h * math.exp(law.lag_b_k * inv) * rate
            lag_mean += (grow - lag_mean) * share
            lag_weak += (grow * weak - lag_weak) * share
            colder = math.exp(law.limit_b_k * inv)
            thin += (rate * colder / law.limit_rate - thin) * -math.expm1(-dt / (law.limit_tau_s * colder))
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


def _by_charge(z: float, low_rise_frac: float) -> float:
    """Return how the resistance rises as a cell empties: flat above 30 % of charge, then evenly."""
    if z >= _LOW_CHARGE:
        return 1.0
    return 1.0 + low_rise_frac * (_LOW_CHARGE - max(z, 0.0)) / 0.2
