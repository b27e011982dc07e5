"""Circuits of known cells, and which of them stands for a chemistry.

`KIM_LAW` and `ECKER_LAW` were fitted to discharge curves of these two published cells at 0 and 25 °C and 0.5 to 5
times the capacity, each with and without its own heat, and to how far they go at −10 to 25 °C before 3.3 and 3.0 V.
They meet the lowest volts of a self-heating discharge within about 0.1 V where the cell works, and which discharges
fail; held at one temperature in frost, where the published cells fail early, they go up to 0.17 of the capacity on.
Flight packs resist about as much as the Kim cell; the Ecker cell is the harsher bound.
"""

from __future__ import annotations

from quarry.core.cells.chemistry import Chemistry
from quarry.core.cells.circuit import CellLaw

KIM_LAW = CellLaw("NCA_Kim2011", 0.0170, 0.02796, 1440.0, 0.00292, 2830.0, 10.86, 4139.0, 211.0, 41.0)
ECKER_LAW = CellLaw("Ecker2015", 0.0421, 0.05994, 3438.0, 0.00623, 6991.0, 34.3, 3212.0, 283.0, 38.5)
_FLIGHT_HEAT_J_K_AH = 24.0
USUAL_OHM_AH = {"lipo": 0.017, "lihv": 0.017, "liion": 0.035, "lfp": 0.022}


def law_of(chemistry: Chemistry) -> CellLaw:
    """Return the circuit that stands for a chemistry until a pack's own resistance is known."""
    ratio = USUAL_OHM_AH[chemistry.key] / KIM_LAW.read_ohm_ah
    return CellLaw(
        f"as {KIM_LAW.name}",
        KIM_LAW.read_ohm_ah * ratio,
        KIM_LAW.fast_ohm_ah * ratio,
        KIM_LAW.fast_b_k,
        KIM_LAW.lag_h * ratio,
        KIM_LAW.lag_b_k,
        KIM_LAW.limit_rate,
        KIM_LAW.limit_b_k,
        KIM_LAW.tau_s,
        _FLIGHT_HEAT_J_K_AH,
    )
