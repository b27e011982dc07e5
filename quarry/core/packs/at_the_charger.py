"""The ordered steps of a charge at the bench, on and off, with the settings that this pack needs.

Common practice, no source; the manuals of pack and charger stand above it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from quarry.core.base.errors import OutOfRange, require_range
from quarry.core.base.sources import PRACTICE
from quarry.core.base.working import Step, formula, note_step
from quarry.core.cells.chemistry import Chemistry

Goal = Literal["full", "storage", "balance"]


@dataclass(frozen=True, slots=True)
class BenchStep:
    """One thing to do; ``shown`` is what the charger must show where there is something to compare."""

    do: str
    why: str = ""
    shown: str = ""


@dataclass(frozen=True, slots=True)
class BenchCharge:
    """Settings and steps of one charge: on in this order, off in the other."""

    current_a: float
    full_v: float
    on: tuple[BenchStep, ...]
    off: tuple[BenchStep, ...]
    cautions: tuple[str, ...]


@formula("current = capacity × rate", source=PRACTICE, result="current_a")
def charge_current_a(capacity_ah: float, rate_c_count: float) -> float:
    """Return the current of a charge. [A]"""
    return capacity_ah * rate_c_count


@formula("current the port can give = power ÷ full volts", source=PRACTICE, result="current_a")
def port_current_a(port_w: float, full_v: float) -> float:
    """Return the current that a port can hold up to the last volt. [A]"""
    return port_w / full_v


@dataclass(frozen=True, slots=True)
class OnBench:
    """The pack as it lies there; ``shown`` are the volts of each cell that the charger reads before the start.

    ``supply_leads`` of the charger, each to a circuit of its own.
    """

    chemistry: Chemistry
    cells_count: int
    capacity_ah: float
    most_rate_c_count: float = 2.0
    pack_c: float | None = None
    rested_s: float | None = None
    grounded: str = ""
    shown: tuple[float, ...] = ()
    supply_leads: int = 1


def _supply_leads(count: int) -> tuple[BenchStep, ...]:
    if count < 2:
        return ()
    words = f"Plug in its {count} supply leads, each to a circuit of its own"
    return (BenchStep(words, "on one circuit the breaker trips, and a lead may burn", f"{count} circuits"),)


def bench_charge(pack: OnBench, *, goal: Goal = "full", rate_c_count: float = 1.0, port_w: float | None = None) -> BenchCharge:
    """Return how to charge a pack at the bench.

    Raises
    ------
    OutOfRange
        The pack must not be charged: grounded, frozen, too hot, faster than it bears, or a cell is far too low.
    """
    if pack.grounded:
        raise OutOfRange(f"A grounded pack is not charged ({pack.grounded}).", "pack")
    require_range(rate_c_count, 0.05, pack.most_rate_c_count, "rate_c_count", "Rate of the charge", "C")
    low_c, high_c = pack.chemistry.charge_low_c, pack.chemistry.charge_high_c
    if pack.pack_c is not None and not low_c <= pack.pack_c <= high_c:
        cold = pack.pack_c < low_c
        raise OutOfRange(
            f"The pack is at {pack.pack_c:.0f} °C: charge it between {low_c:.0f} and {high_c:.0f} °C. "
            + ("Bring it into the warm first." if cold else "Let it cool first."),
            "pack_c",
        )
    low = [k for k, v in enumerate(pack.shown) if v < pack.chemistry.least_v]
    if low:
        raise OutOfRange(
            f"Cell {low[0] + 1} reads {pack.shown[low[0]]:.2f} V, below {pack.chemistry.least_v:.2f} V: do not charge it. "
            "Take it out of service.",
            f"shown.{low[0]}",
        )
    full_v = pack.cells_count * pack.chemistry.full_v
    current = charge_current_a(pack.capacity_ah, rate_c_count)
    if port_w is not None:
        current = min(current, port_current_a(port_w, full_v))
    programme = {"full": "balance charge", "balance": "balance charge", "storage": "storage"}[goal]
    note_step(Step("programme", programme, "", f"{goal}: {programme} for {pack.chemistry.name}", kind="choice", source=PRACTICE))
    on = (
        BenchStep("Look at it: no swelling, no dent, leads whole", "a harmed pack is not charged"),
        BenchStep("Lay it on bare stone or in the metal box, nothing that burns beside it, somebody stays"),
        *_supply_leads(pack.supply_leads),
        BenchStep("Charger on, before the pack is plugged in", "the other way round the plug sparks"),
        BenchStep("Set the chemistry", shown=pack.chemistry.name),
        BenchStep("Set the cells in series", shown=f"{pack.cells_count} cells, {full_v:.1f} V when full"),
        BenchStep(
            "Set the current", f"{rate_c_count:g} times the capacity of {pack.capacity_ah:g} Ah at most", f"{current:.1f} A"
        ),
        BenchStep("Set the programme", shown=programme),
        BenchStep("Plug in the main lead, then the balance lead", "the main lead carries the current"),
        BenchStep("Compare what the charger counts", "a wrong count burns", f"{pack.cells_count} cells"),
        BenchStep("Start", shown=f"{current:.1f} A or less"),
    )
    off = (
        BenchStep("Stop the charger, wait until the current is zero"),
        BenchStep("Unplug the balance lead, then the main lead"),
        BenchStep("Feel it: warm is fit, hot is not", "note a hot pack"),
        BenchStep("Note the charge put back, in Ah"),
        BenchStep("Charger off, after the last pack"),
    )
    cautions = ["Never leave a charge alone. Keep sand or a lid at hand, and the way out free."]
    if pack.rested_s is not None and pack.rested_s < 600:
        cautions.append(f"It landed {pack.rested_s / 60:.0f} min ago: let it cool down to the hand first.")
    return BenchCharge(current, full_v, on, off, tuple(cautions))
