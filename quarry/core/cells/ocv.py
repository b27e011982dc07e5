"""Open-circuit voltage against state of charge, both ways, for a cell and for a pack.

No one table serves all chemistries: a rested voltage gives a range of charge, from the published cells that stand for
the chemistry. The pack must have rested; under load or just off the charger the voltage tells something else.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quarry.core.base.errors import require_range
from quarry.core.base.working import Step, given, note_step
from quarry.core.cells.chemistry import Chemistry
from quarry.core.cells.curves import OcvCurve

READING_V = 0.03  # a rested pack of another make lies this near the published cell


Floats = np.ndarray[tuple[int, ...], np.dtype[np.float64]]
_known: dict[int, tuple[OcvCurve, Floats, Floats]] = {}


def _arrays(curve: OcvCurve) -> tuple[Floats, Floats]:
    found = _known.get(id(curve))
    if found is None or found[0] is not curve:
        charges, volts = np.array(curve.points, dtype=np.float64).T
        found = _known[id(curve)] = (curve, charges, volts)
    return found[1], found[2]


def ocv_v(curve: OcvCurve, charge_frac: float) -> float:
    """Return the rested volts of one cell at a share of charge, linear between the published points. [V]

    Examples
    --------
    >>> from quarry.core.cells.curves import ECKER_CURVE
    >>> round(ocv_v(ECKER_CURVE, 0.5), 3)
    3.787
    """
    require_range(charge_frac, 0.0, 1.0, "charge_frac", "State of charge", "")
    charges, volts = _arrays(curve)
    return float(np.interp(charge_frac, charges, volts))


def charge_at_frac(curve: OcvCurve, cell_v: float) -> float:
    """Return the share of charge at which a published cell shows a rested voltage; 0 or 1 beyond its ends."""
    charges, volts = _arrays(curve)
    return float(np.interp(cell_v, volts, charges))


@dataclass(frozen=True, slots=True)
class ChargeFromRest:
    """What a rested voltage tells: the least, middle and most share of charge, and whether it tells anything."""

    low_frac: float
    middle_frac: float
    high_frac: float
    tells: bool
    words: str


def charge_from_rest(chemistry: Chemistry, pack_v: float, cells_count: int) -> ChargeFromRest:
    """Return the share of charge behind the rested voltage of a pack.

    The range spans the published cells of the chemistry, each read at the voltage ± 30 mV.

    Raises
    ------
    OutOfRange
        The volts of one cell lie outside what the chemistry can show: the number of cells is wrong, or the volts.
    """
    require_range(cells_count, 1, 28, "cells_count", "Cells in series", "")
    cell_v = pack_v / cells_count
    require_range(cell_v, chemistry.least_v - 0.5, chemistry.full_v + 0.03, "volts", f"One of {cells_count} cells", "V")
    note_step(given("pack_v", pack_v, label="rested volts of the pack", source=chemistry.volts_source))
    scale = chemistry.full_v / chemistry.curves[0].points[-1][1] if chemistry.stretched else 1.0
    found = []
    for curve in chemistry.curves:
        at = [charge_at_frac(curve, (cell_v + shift) / scale) for shift in (-READING_V, 0.0, READING_V)]
        found.append(at)
        note_step(
            Step("charge_frac", at[1], "", f"{curve.name} at {cell_v:.3f} V: {at[0]:.0%} to {at[2]:.0%}", source=curve.source)
        )
    low, middle, high = min(f[0] for f in found), sum(f[1] for f in found) / len(found), max(f[2] for f in found)
    tells = chemistry.volts_tell or middle < 0.1 or middle > 0.97
    words = f"{low:.0%} to {high:.0%}"
    if not tells:
        words = f"Volts do not tell for {chemistry.name}: between about 20 and 95 % they hardly change. Count the charge instead."
    note_step(Step("charge_frac", middle, "", words, kind="formula" if tells else "limit", note="the pack must have rested"))
    return ChargeFromRest(low, middle, high, tells, words)
