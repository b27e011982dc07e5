"""Circuits of known cells, and which of them stands for a chemistry.

Each was fitted to discharges of a published cell by its full model (DFN), at 25 to −20 °C and one to three times the
capacity, held at one temperature and insulated: volts, temperature, and the energy to the cut-off, an error on the unsafe
side weighing most. What they reach against the models stands in `tests/core/test_cold_cells.py`. LiPo flight packs resist
about as much as the Kim cell; the Ecker cell is the harsher bound. The O'Kane cell is a cylinder built for energy: it stands
for lithium-ion, and for LFP, of which no published set tells of cold.
"""

from __future__ import annotations

from dataclasses import replace

from quarry.core.cells.chemistry import Chemistry
from quarry.core.cells.circuit import CellLaw, scaled

KIM_LAW = CellLaw(
    "NCA_Kim2011", 0.0183, 0.01318, 2657.0, 0.1203, 0.01714, 2482.0, 72.68, 0.0, 8.422, 3775.0, 43.87, 0.0396, 0.3032, 30.0
)
ECKER_LAW = CellLaw(
    "Ecker2015", 0.0521, 0.04786, 2580.0, 0.196, 0.006345, 9000.0, 12.53, 6655.0, 25.85, 7249.0, 124.3, 0.5961, 0.0016, 40.84
)
OKANE_LAW = CellLaw(
    "OKane2022", 0.121, 0.09162, 1465.0, 0.02, 0.02391, 5156.0, 5.0, 5351.0, 3.346, 2061.0, 70.56, 0.2666, 0.1619, 12.6
)
_STANDS = {"lipo": KIM_LAW, "lihv": KIM_LAW, "liion": OKANE_LAW, "lfp": OKANE_LAW}
_FLIGHT_HEAT_J_K_AH = 18.0  # of the published pouch cell Ai2020, without its case
USUAL_OHM_AH = {"lipo": 0.0183, "lihv": 0.0183, "liion": 0.121, "lfp": 0.06}


def law_of(chemistry: Chemistry) -> CellLaw:
    """Return the circuit that stands for a chemistry until a pack's own resistance is known."""
    law = _STANDS[chemistry.key]
    stands = replace(law, name=f"as {law.name}", heat_j_k_ah=_FLIGHT_HEAT_J_K_AH)
    return scaled(stands, USUAL_OHM_AH[chemistry.key], 1.0)
