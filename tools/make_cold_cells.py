"""Write tests/reference/cold_cells.json: what published cells give in the cold, by the full model (DFN) and the simple one (SPMe).

The library that carries them (pybamm) is large and needed here alone: install it into an environment of its own and run
`python tools/make_cold_cells.py`; it takes some twelve minutes. For each set, temperature and rate a full cell is discharged at
a constant current, held at its temperature or insulated; energies are to the cut-off named, for each Ah that it truly holds.
"""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Any

os.environ.setdefault("PYBAMM_DISABLE_TELEMETRY", "true")
import numpy as np
import pybamm

ROOT = Path(__file__).parents[1]
CUT_OFF_V = {"NCA_Kim2011": 3.3, "Ecker2015": 3.3, "OKane2022": 2.8}
MODELS = ("DFN", "SPMe")
TEMPERATURES_C = (25, 0, -10, -20)
RATES = (1, 2, 3)
_GO_ON_TO_V = 2.0


def held_ah(values: Any) -> float:
    """Return what a set truly holds between its voltage limits. [Ah]"""
    param = pybamm.LithiumIonParameters()
    x0, x1, _, _ = pybamm.lithium_ion.ElectrodeSOHSolver(values, param).get_min_max_stoichiometries()
    return float(values.evaluate(param.n.prim.Q_init)) * (x1 - x0)


def energy_wh_ah(share: Any, volts: Any, cut_off_v: float) -> float:
    """Return the energy drawn until the volts first fall below a cut-off, for each Ah held. [Wh/Ah]"""
    below = np.nonzero(volts < cut_off_v)[0]
    if len(below) and below[0] > 0:
        k = below[0]
        at = (volts[k - 1] - cut_off_v) / (volts[k - 1] - volts[k])
        share = np.append(share[:k], share[k - 1] + at * (share[k] - share[k - 1]))
        volts = np.append(volts[:k], cut_off_v)
    return float(np.trapezoid(volts, share)) if len(share) > 1 else 0.0


def run(name: str, model: str, *, insulated: bool, start_c: float, rate: float) -> float | None:
    """Return what a set gives at a rate in multiples of its nominal capacity; None where the solver does not get through."""
    values = pybamm.ParameterValues(name)
    holds = held_ah(values)
    values.set_initial_state(1.0)
    values["Lower voltage cut-off [V]"] = _GO_ON_TO_V
    if insulated:
        values["Total heat transfer coefficient [W.m-2.K-1]"] = 0.0
    nominal = values["Nominal cell capacity [A.h]"]
    values["Ambient temperature [K]"] = values["Initial temperature [K]"] = 273.15 + start_c
    values["Current function [A]"] = rate * nominal
    cell = getattr(pybamm.lithium_ion, model)({"thermal": "lumped" if insulated else "isothermal"})
    try:
        found = pybamm.Simulation(cell, parameter_values=values, solver=pybamm.IDAKLUSolver()).solve(
            np.linspace(0, 3600 / rate * 1.15, 800)
        )
    except pybamm.SolverError:
        return None
    share = found["Time [s]"].entries * rate * nominal / holds / 3600.0
    return energy_wh_ah(share, found["Voltage [V]"].entries, CUT_OFF_V[name])


def main() -> None:
    """Write the file."""
    rows = []
    for name, cut_off_v in CUT_OFF_V.items():
        values = pybamm.ParameterValues(name)
        held_over_nominal = held_ah(values) / values["Nominal cell capacity [A.h]"]
        for insulated in (False, True):
            for start_c in TEMPERATURES_C:
                for rate in RATES:
                    found = {m: run(name, m, insulated=insulated, start_c=start_c, rate=rate) for m in MODELS}
                    row = {"set": name, "insulated": insulated, "start_c": start_c, "rate": rate, "cut_off_v": cut_off_v}
                    row |= {"held_over_nominal": round(held_over_nominal, 5)}
                    rows.append(row | {m: None if e is None else round(e, 4) for m, e in found.items()})
    about = {"library": f"pybamm {pybamm.__version__}", "about": "Wh to the cut-off for each Ah held, constant current"}
    (ROOT / "tests/reference/cold_cells.json").write_text(json.dumps({**about, "rows": rows}, indent=1) + "\n")


if __name__ == "__main__":
    main()
