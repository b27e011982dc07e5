"""Charge-back arithmetic: a timed flight and what the charger put back give the draw and the minutes to plan.

The reserve is a share of *rated* capacity, or of the capacity *measured*; the two differ on a worn pack and the
working names which is meant.
"""

from __future__ import annotations

import statistics
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from quarry.core.base.errors import BadReading, Infeasible, require_range
from quarry.core.base.sources import ALGEBRA, ENTERED, PRACTICE
from quarry.core.base.units import S_PER_H
from quarry.core.base.working import Step, formula, given, note_step
from quarry.core.defaults import LANDING

ReserveMethod = Literal["rated", "measured"]


@dataclass(frozen=True, slots=True)
class TimedFlight:
    """One flight and the charge after it; ``used_frac`` is the share that the aircraft says was used, 1.0 if flown empty."""

    flown_s: float
    put_back_ah: float
    used_frac: float | None = None

    def __post_init__(self) -> None:
        require_range(self.flown_s, 20.0, 4 * S_PER_H, "flown_s", "Time flown", "s")
        require_range(self.put_back_ah, 0.01, 200.0, "put_back_ah", "Charge put back", "Ah")
        if self.used_frac is not None:
            require_range(self.used_frac, 0.05, 1.0, "used_frac", "Share used", "")


@formula("draw = charge put back ÷ time flown", source=ALGEBRA, result="draw_a")
def draw_a(put_back_ah: float, flown_s: float) -> float:
    """Return the mean current of a flight. [A]

    Examples
    --------
    >>> round(draw_a(3.59, 840.0) * 1000 / 60, 1)  # milliampere hours a minute
    256.4
    """
    return put_back_ah * S_PER_H / flown_s


@formula("capacity today = charge put back ÷ share used", source=ALGEBRA, result="capacity_ah")
def capacity_from_share_ah(put_back_ah: float, used_frac: float) -> float:
    """Return the capacity that a charge after a known share tells. [Ah]"""
    return put_back_ah / used_frac


@formula("state of health = capacity today ÷ rated", source=ALGEBRA, result="health_frac")
def health_from_capacity_frac(capacity_ah: float, rated_ah: float) -> float:
    """Return the state of health."""
    return capacity_ah / rated_ah


@formula("reserve = share × capacity it counts from", source=PRACTICE, result="reserve_ah")
def reserve_ah(landing_frac: float, from_ah: float) -> float:
    """Return the charge that stays in the pack. [Ah]"""
    return landing_frac * from_ah


@formula("time to plan = (capacity − reserve) ÷ draw", source=ALGEBRA, result="plan_s")
def plan_time_s(capacity_ah: float, reserve_ah: float, draw_a: float) -> float:
    """Return the flight time that leaves the reserve. [s]"""
    return (capacity_ah - reserve_ah) * S_PER_H / draw_a


@dataclass(frozen=True, slots=True)
class ChargeBack:
    """Draw with its spread over the flights, capacity and health where a share used is known, and the time to plan."""

    draw_a: float
    draw_spread_a: float
    capacity_ah: float
    capacity_measured: bool
    health_frac: float | None
    reserve_ah: float
    plan_s: float
    flights: int


def charge_back(
    flights: Sequence[TimedFlight], rated_ah: float, *, landing_frac: float = LANDING.value, method: ReserveMethod = "rated"
) -> ChargeBack:
    """Return what one or several timed flights tell of a pack; several are taken by their median.

    Raises
    ------
    BadReading
        No flight, or more was put back than the pack can hold.
    Infeasible
        The reserve is all that is left.
    """
    require_range(rated_ah, 0.1, 200.0, "rated_ah", "Rated capacity", "Ah")
    require_range(landing_frac, 0.0, 0.9, "landing_frac", "Reserve", "")
    if not flights:
        raise BadReading("Give at least one flight with its minutes and what was put back.", "flights")
    for k, f in enumerate(flights):
        if f.put_back_ah > 1.15 * rated_ah:
            raise BadReading(
                f"{f.put_back_ah * 1000:.0f} mAh were put back into a pack of {rated_ah * 1000:.0f} mAh. "
                "Check the reading, and that it is this pack.",
                f"flights.{k}.put_back_ah",
            )
    draws = [draw_a(f.put_back_ah, f.flown_s) for f in flights]
    draw = statistics.median(draws)
    spread = 1.4826 * statistics.median(abs(d - draw) for d in draws)
    if len(flights) > 1:
        note_step(Step("draw_a", draw, "A", f"median of {len(draws)} flights", source=ALGEBRA, note=f"spread {spread:.2f} A"))
    known = [f for f in flights if f.used_frac is not None]
    if known:
        capacity = statistics.median(capacity_from_share_ah(f.put_back_ah, f.used_frac or 1.0) for f in known)
        health: float | None = health_from_capacity_frac(capacity, rated_ah)
    else:
        capacity, health = rated_ah, None
        note_step(
            given(
                "capacity_ah",
                rated_ah,
                label="capacity as on the label: no flight says what share was used",
                source=ENTERED,
                kind="assumption",
            )
        )
    counts_from = rated_ah if method == "rated" else capacity
    words = "the reserve counts from the rated capacity" if method == "rated" else "the reserve counts from the capacity measured"
    note_step(Step("from_ah", counts_from, "Ah", words, kind="choice", source=PRACTICE))
    kept = reserve_ah(landing_frac, counts_from)
    if kept >= capacity:
        raise Infeasible(
            f"The reserve of {kept * 1000:.0f} mAh is all that this pack holds today, {capacity * 1000:.0f} mAh. Retire it, or keep less.",
            "landing_frac",
        )
    return ChargeBack(draw, spread, capacity, bool(known), health, kept, plan_time_s(capacity, kept, draw), len(flights))
