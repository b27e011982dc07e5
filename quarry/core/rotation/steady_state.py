"""Packs and ports so that nobody waits, and the wait with fewer: the steady state in closed form.

The *slot* is flight and swap together. Exact for equal flights and packs of one each; the first
N flights never wait, so a short day may need less.
"""

from __future__ import annotations

import math

from quarry.core.base.sources import LITTLE
from quarry.core.base.working import formula


@formula("packs = (slot + rest + charge + rest) ÷ slot, rounded up", source=LITTLE, result="packs_count")
def packs_needed(slot_s: float, rest_after_flight_s: float, charge_s: float, rest_after_charge_s: float) -> int:
    """Return how many packs one aircraft needs so that it never waits.

    Examples
    --------
    >>> packs_needed(1200, 1200, 2400, 0)
    4
    """
    return math.ceil((slot_s + rest_after_flight_s + charge_s + rest_after_charge_s) / slot_s - 1e-9)


@formula("ports = charge ÷ slot, rounded up", source=LITTLE, result="ports_count")
def ports_needed(slot_s: float, charge_s: float) -> int:
    """Return how many ports one aircraft needs so that it never waits."""
    return math.ceil(charge_s / slot_s - 1e-9)


@formula("interval = most of slot, cycle ÷ packs, charge ÷ ports", source=LITTLE, result="interval_s")
def takeoff_interval_s(
    slot_s: float, rest_after_flight_s: float, charge_s: float, rest_after_charge_s: float, packs: int, ports: int
) -> float:
    """Return the steady time from one take-off to the next. [s]"""
    cycle = slot_s + rest_after_flight_s + charge_s + rest_after_charge_s
    return max(slot_s, cycle / packs, charge_s / ports)


def mean_wait_s(slot_s: float, interval_s: float) -> float:
    """Return the mean wait of the aircraft per flight. [s]"""
    return interval_s - slot_s


def shared_interval_s(
    slot_s: float, rest_after_flight_s: float, energy_wh: float, total_w: float, port_w: float, packs: int
) -> tuple[float, float]:
    """Return (time of a charge alone, least steady interval) when ports share one power. [s]"""
    alone = energy_wh * 3600.0 / min(total_w, port_w)
    cycle = slot_s + rest_after_flight_s + alone
    return alone, max(slot_s, energy_wh * 3600.0 / total_w, cycle / packs)
