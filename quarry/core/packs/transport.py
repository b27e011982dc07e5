"""How a pack may travel by air, from its watt-hours: advice that defers to the carrier and the edition in force."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from quarry.core.base.errors import require_range
from quarry.core.base.sources import AIR_TRANSPORT, ALGEBRA
from quarry.core.base.working import Step, formula, note_step

TravelClass = Literal["cabin", "cabin with approval", "cargo", "not by air"]
CABIN_WH, APPROVAL_WH, CARGO_CHARGE_FRAC = 100.0, 160.0, 0.30


@formula("energy = cells in series × nominal volts × capacity", source=ALGEBRA, result="energy_wh")
def label_energy_wh(cells_count: int, nominal_cell_v: float, capacity_ah: float) -> float:
    """Return the energy that the label of a pack states. [Wh]"""
    return cells_count * nominal_cell_v * capacity_ah


@dataclass(frozen=True, slots=True)
class TransportAdvice:
    """The class of a spare pack, the charge it should travel with, and the usual cautions."""

    energy_wh: float
    travel: TravelClass
    most_charge_frac: float | None
    words: str


_WORDS: dict[TravelClass, str] = {
    "cabin": "Spares go into the cabin, never the hold, terminals covered; no approval. Airlines may limit their number.",
    "cabin with approval": "Spares go into the cabin with the airline's approval, two at most, terminals covered.",
    "cargo": "Not in passengers' baggage. Dangerous goods: cargo aircraft, at most 30 % charged, packed and declared by trained people.",
    "not by air": "Swollen or damaged packs are not taken by air at all, in baggage or as cargo: bring it to recycling by road.",
}


def transport_advice(cells_count: int, nominal_cell_v: float, capacity_ah: float, *, spoiled: bool = False) -> TransportAdvice:
    """Return how a spare pack may travel by air; both edges belong to the milder class, a ``spoiled`` pack to none."""
    require_range(cells_count, 1, 28, "cells_count", "Cells in series", "")
    require_range(nominal_cell_v, 2.0, 4.5, "nominal_cell_v", "Nominal volts of a cell", "V")
    require_range(capacity_ah, 0.05, 200.0, "capacity_ah", "Capacity", "Ah")
    energy = label_energy_wh(cells_count, nominal_cell_v, capacity_ah)
    travel: TravelClass = "cabin" if energy <= CABIN_WH else "cabin with approval" if energy <= APPROVAL_WH else "cargo"
    if spoiled:
        travel = "not by air"
    words = f"{_WORDS[travel]} Ask the carrier; the edition in force decides."
    note_step(
        Step(
            "travel",
            travel,
            "",
            f"up to {CABIN_WH:.0f} Wh, up to {APPROVAL_WH:.0f} Wh, above",
            kind="limit",
            source=AIR_TRANSPORT,
            note=words,
        )
    )
    return TransportAdvice(energy, travel, CARGO_CHARGE_FRAC if travel == "cargo" else None, words)
