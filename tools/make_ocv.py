"""Write quarry/core/cells/ocv_tables.py, and a finer grid for its test, from the published parameter sets.

The library that carries them (pybamm) is large and needed here alone: install it into an environment of its own and run
`python tools/make_ocv.py`. Volts are open-circuit volts of the whole cell between the set's own voltage limits.
"""

from __future__ import annotations

import json
import os
from pathlib import Path

os.environ.setdefault("PYBAMM_DISABLE_TELEMETRY", "true")
import numpy as np
import pybamm

ROOT = Path(__file__).parents[1]
SETS = ("Ecker2015", "Ai2020", "NCA_Kim2011", "Marquis2019", "Chen2020", "Prada2013")
FINE = [round(k / 1000, 4) for k in range(0, 100, 2)]
COARSE = [round(k / 200, 4) for k in range(20, 196)]
TOP = [round(k / 1000, 4) for k in range(976, 1001, 2)]
TEST = [round(k / 1000 + 0.0005, 5) for k in range(1000)]


def curve(name: str, charges: list[float]) -> list[float]:
    """Return the open-circuit volts of a set at shares of charge. [V]"""
    values = pybamm.ParameterValues(name)
    param = pybamm.LithiumIonParameters()
    solver = pybamm.lithium_ion.ElectrodeSOHSolver(values, param)
    least, most = values["Lower voltage cut-off [V]"], values["Upper voltage cut-off [V]"]
    x0, x1, y1, y0 = solver.get_min_max_stoichiometries()
    warm = values["Reference temperature [K]"]
    x, y = pybamm.InputParameter("x"), pybamm.InputParameter("y")
    volts = values.process_symbol(param.p.prim.U(y, warm) - param.n.prim.U(x, warm))
    found = [float(volts.evaluate(inputs={"x": x0 + z * (x1 - x0), "y": y0 + z * (y1 - y0)}).item()) for z in map(float, charges)]
    whole = charges[0] > 0.0 or (abs(found[0] - least) < 1e-3 and abs(found[-1] - most) < 1e-3)
    if not whole or not np.all(np.diff(found) > 0):
        raise ValueError(f"{name} does not rise from {least} to {most} V")
    return found


def main() -> None:
    """Write both files."""
    charges = FINE + COARSE + TOP
    lines = [
        '"""Open-circuit volts of published cells at shares of charge; written by tools/make_ocv.py from the sets named."""',
        "",
        f"# pybamm {pybamm.__version__}: shares of charge, then volts of each set. [V]",
        "# fmt: off",
        f"CHARGES: tuple[float, ...] = {tuple(charges)}",
    ]
    fine: dict[str, list[float]] = {"charge_frac": TEST}
    tables = []
    for name in SETS:
        volts = curve(name, charges)
        tables.append(f"    {name!r}: {tuple(round(v, 5) for v in volts)},")
        fine[name] = [round(v, 5) for v in curve(name, TEST)]
    lines += ["VOLTS: dict[str, tuple[float, ...]] = {", *tables, "}", ""]
    (ROOT / "quarry/core/cells/ocv_tables.py").write_text("\n".join(lines))
    told = {
        "library": f"pybamm {pybamm.__version__}",
        "about": "open-circuit volts between the voltage limits of each set",
        **fine,
    }
    (ROOT / "tests/reference/ocv.json").write_text(json.dumps(told))


if __name__ == "__main__":
    main()
