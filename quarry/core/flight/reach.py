"""How far out an aircraft may be while its charge falls: what the way home allows, and in the cold less than that.

A cold pack that has given half of its charge may collapse when it is asked for full power: crews then bring the aircraft near.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass

from quarry.core.base.sources import ALGEBRA, PRACTICE
from quarry.core.base.working import Step, note_step
from quarry.core.flight.home import reach
from quarry.core.flight.usable_energy import ColdPolicy
from quarry.core.flight.wind import Wind

Ring = tuple[float, float]
CHARGES = (1.0, 0.9, 0.8, 0.7, 0.6, 0.55, 0.5, 0.45, 0.4, 0.35, 0.3, 0.25, 0.2)
_WARM_C, _COLD_C = 10.0, 0.0


@dataclass(frozen=True, slots=True)
class HomeFlight:
    """What the way home takes: speed in the air, power, the wind, and what descent and landing use."""

    airspeed_m_s: float
    power_w: float
    wind: Wind
    landing_wh: float


def rings_of(energy_wh: float, reserve_wh: float, cold_frac: float, way: HomeFlight) -> tuple[Ring, ...]:
    """Return for falling charges how far out home is still reached from anywhere above the reserve. [share, m]"""
    return tuple(
        (
            z,
            round(
                reach(max(0.0, energy_wh * z - reserve_wh) * cold_frac, way.airspeed_m_s, way.power_w, way.wind, way.landing_wh),
                1,
            ),
        )
        for z in CHARGES
    )


def coldness(pack_c: float) -> float:
    """Return how much the rule of cold holds: not at all from 10 °C, wholly from 0 °C down. [0 to 1]"""
    return min(1.0, max(0.0, (_WARM_C - pack_c) / (_WARM_C - _COLD_C)))


def allowed_m(rings: Sequence[Ring], charge_frac: float, pack_c: float, policy: ColdPolicy) -> float:
    """Return how far out an aircraft may be at a charge and a pack temperature. [m]

    Never more than the way home allows; in the cold it shrinks from the charge at which the policy begins to that at which
    the aircraft is to be near.
    """
    by_energy_m = _at(rings, charge_frac)
    cold = coldness(pack_c)
    if cold <= 0.0 or charge_frac >= policy.near_from_frac:
        allowed = by_energy_m
    else:
        begins_m = _at(rings, policy.near_from_frac)
        share = (policy.near_from_frac - charge_frac) / (policy.near_from_frac - policy.near_frac)
        near_m = max(policy.near_m, begins_m + (policy.near_m - begins_m) * min(1.0, share))
        allowed = min(by_energy_m, by_energy_m + (near_m - by_energy_m) * cold)
    note_step(
        Step(
            "by_energy_m", by_energy_m, "m", f"from here home is reached above the reserve, at {charge_frac:.0%}", source=ALGEBRA
        )
    )
    note_step(Step("allowed_m", allowed, "m", f"with the pack at {pack_c:.0f} °C", source=PRACTICE, kind="limit"))
    return allowed


def _at(rings: Sequence[Ring], charge_frac: float) -> float:
    rising = sorted(rings)
    k = bisect_left(rising, (charge_frac, 0.0))
    if k == 0:
        return rising[0][1]
    if k == len(rising):
        return rising[-1][1]
    (z0, m0), (z1, m1) = rising[k - 1], rising[k]
    return m0 + (m1 - m0) * (charge_frac - z0) / (z1 - z0)
