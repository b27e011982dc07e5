"""Speeds worth flying: most time, most way, and most way against a wind."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.sources import ZENG
from quarry.core.base.working import Step, note_step

Floats = NDArray[np.float64]
Power = Callable[[Floats], Floats]
_LEAST_WAY_M_S = 0.2


@dataclass(frozen=True, slots=True)
class BestSpeed:
    """An airspeed with its power and, over ground against the head wind asked for, its cost."""

    airspeed_m_s: float
    power_w: float
    ground_m_s: float
    cost_j_m: float


def _least(cost: Callable[[Floats], Floats], low: float, high: float) -> float:
    """Return where a cost with one valley is least, by three rounds of a finer grid."""
    for _ in range(4):
        grid = np.linspace(low, high, 241)
        k = int(np.argmin(cost(grid)))
        low, high = float(grid[max(k - 1, 0)]), float(grid[min(k + 1, 240)])
    return (low + high) / 2


def longest_flight(power: Power, most_m_s: float = 40.0) -> BestSpeed:
    """Return the airspeed of least power."""
    v = _least(power, 0.0, most_m_s)
    p = float(power(np.array(v)))
    note_step(Step("airspeed_m_s", v, "m/s", "airspeed of least power: longest in the air", source=ZENG))
    return BestSpeed(v, p, v, p / v if v > 0 else float("inf"))


def farthest_flight(power: Power, head_m_s: float = 0.0, most_m_s: float = 40.0) -> BestSpeed | None:
    """Return the airspeed of least energy for each metre over ground against a head wind; None if none makes way.

    Source: Zeng, Xu and Zhang 2019, minimum of P(V) ÷ (V − head wind). A tail wind is negative.
    """
    if most_m_s - head_m_s <= _LEAST_WAY_M_S:
        return None

    def cost(v: Floats) -> Floats:
        way = v - head_m_s
        return np.asarray(np.where(way > _LEAST_WAY_M_S, power(v) / np.maximum(way, _LEAST_WAY_M_S), np.inf))

    v = _least(cost, max(head_m_s, 0.0) + _LEAST_WAY_M_S, most_m_s)
    p = float(power(np.array(v)))
    note_step(Step("airspeed_m_s", v, "m/s", f"airspeed of least energy a metre against {head_m_s:.1f} m/s", source=ZENG))
    return BestSpeed(v, p, v - head_m_s, p / (v - head_m_s))
