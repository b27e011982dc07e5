"""Resistance: brought to 25 °C, what current it can bear, from a meter, and from two or more points of a load."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from quarry.core.base.errors import BadReading, require_range
from quarry.core.base.sources import ALGEBRA, ARRHENIUS, LEAST_SQUARES, PRACTICE
from quarry.core.base.working import Step, formula, note_step

ZERO_C_K = 273.15
REFERENCE_C = 25.0
USUAL_B_K = 2000.0  # of the spread 1700 to 4000 K of published cells
HEAT_W_AH = 6.0


@formula("at 25 °C = reading × e^(−B × (1 ÷ T − 1 ÷ 298.15 K))", source=ARRHENIUS, result="resistance_25_ohm")
def resistance_at_25_ohm(reading_ohm: float, pack_c: float, b_k: float = USUAL_B_K) -> float:
    """Return a resistance brought to 25 °C; without it no two readings more than 5 K apart may be compared. [Ω]

    Examples
    --------
    >>> round(resistance_at_25_ohm(0.006, 5.0, 2500.0) * 1000, 3)
    3.283
    """
    require_range(reading_ohm, 1e-5, 10.0, "resistance", "Resistance", "Ω")
    require_range(pack_c, -40.0, 80.0, "pack_c", "Pack temperature", "°C")
    return reading_ohm * math.exp(-b_k * (1 / (pack_c + ZERO_C_K) - 1 / (REFERENCE_C + ZERO_C_K)))


@formula("sustainable current = √(6 W/Ah × capacity ÷ resistance of one cell)", source=PRACTICE, result="current_a")
def sustainable_current_a(capacity_ah: float, cell_ohm: float) -> float:
    """Return the current at which one cell turns 6 W of heat per ampere hour. [A]

    A rule of practice that fits readings of flown packs; no citable source is known.
    """
    return math.sqrt(HEAT_W_AH * capacity_ah / cell_ohm)


@formula("rate = current ÷ capacity", source=ALGEBRA, result="rate_c_count")
def rate_of_current(current_a: float, capacity_ah: float) -> float:
    """Return a current in multiples of the capacity per hour."""
    return current_a / capacity_ah


@formula("heat of one cell = current² × resistance", source=ALGEBRA, result="heat_w")
def heat_w(current_a: float, cell_ohm: float) -> float:
    """Return the heat that a current turns in one cell. [W]"""
    return current_a**2 * cell_ohm


@formula("sag of one cell = current × resistance", source=ALGEBRA, result="sag_v")
def sag_v(current_a: float, cell_ohm: float) -> float:
    """Return how far a current pulls the volts of one cell down. [V]"""
    return current_a * cell_ohm


@formula("label current = capacity × printed rate", source=PRACTICE, result="label_a")
def label_current_a(capacity_ah: float, label_c_count: float) -> float:
    """Return the current that the label promises. [A]"""
    return capacity_ah * label_c_count


@formula("leads and plugs = reading of the pack − sum of its cells", source=ALGEBRA, result="leads_ohm")
def leads_ohm(pack_ohm: float, cells_sum_ohm: float) -> float:
    """Return what leads and plugs add to the cells of a pack. [Ω]

    Raises
    ------
    BadReading
        The pack reads less than its cells together: one of the readings is wrong.
    """
    if pack_ohm < cells_sum_ohm:
        raise BadReading(
            f"The pack reads {pack_ohm * 1000:.2f} mΩ and its cells together {cells_sum_ohm * 1000:.2f} mΩ: that cannot be. "
            "Measure both again, at one temperature.",
            "pack_ohm",
        )
    return pack_ohm - cells_sum_ohm


@dataclass(frozen=True, slots=True)
class LoadFit:
    """Volts = ``rest_v`` − ``resistance_ohm`` × amperes − ``drift_v_ah`` × charge drawn; ``fit_frac`` of the scatter is explained."""

    resistance_ohm: float
    rest_v: float
    drift_v_ah: float
    fit_frac: float


def resistance_from_load(volts: Sequence[float], amperes: Sequence[float], drawn_ah: Sequence[float]) -> LoadFit:
    """Return the resistance of a pack from points of a flight or a bench load.

    Least squares on current and charge drawn together: on current alone the result is false whenever the current
    falls as the pack empties.

    Raises
    ------
    BadReading
        Fewer than three points, lists of unequal length, a current that hardly changes, or volts that rise with it.
    """
    if not len(volts) == len(amperes) == len(drawn_ah):
        raise BadReading(
            "Volts, amperes and charge drawn must be lists of one length. Leave out the rows that lack one.", "volts"
        )
    if len(volts) < 3:
        raise BadReading(f"{len(volts)} points do not give a resistance. Give at least three at different currents.", "volts")
    i, v, q = (np.asarray(x, dtype=np.float64) for x in (amperes, volts, drawn_ah))
    if float(np.ptp(i)) < max(0.2 * float(np.abs(i).mean()), 1e-6):
        raise BadReading("The current hardly changes. Take points at two loads that differ by a fifth or more.", "amperes")
    columns = [np.ones_like(i), i] + ([q] if float(np.ptp(q)) > 1e-9 and len(volts) > 3 else [])
    solved, *_ = np.linalg.lstsq(np.stack(columns, axis=1), v, rcond=None)
    left = v - np.stack(columns, axis=1) @ solved
    scatter = float(((v - v.mean()) ** 2).sum())
    fit = LoadFit(
        -float(solved[1]),
        float(solved[0]),
        -float(solved[2]) if len(columns) > 2 else 0.0,
        1.0 - float((left**2).sum()) / scatter if scatter > 0 else 0.0,
    )
    if fit.resistance_ohm <= 0.0:
        raise BadReading(
            "The volts do not fall as the current rises: no pack does that. Look at the columns, and at the sign of the current.",
            "amperes",
        )
    note_step(
        Step(
            "resistance_ohm",
            fit.resistance_ohm,
            "Ω",
            f"fall of volts for each ampere over {len(volts)} points, charge drawn held apart",
            source=LEAST_SQUARES,
            note=f"explains {fit.fit_frac:.0%} of the scatter; divide by the cells in series for one cell",
        )
    )
    return fit
