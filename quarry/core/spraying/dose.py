"""What each line truly gets: flow, dose and litres by the speed over ground at which it is flown.

The product's label and local law take precedence over every figure here.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.errors import Infeasible
from quarry.core.base.settings import Setting
from quarry.core.base.sources import SPRAYING
from quarry.core.base.units import M2_PER_HA
from quarry.core.base.working import formula
from quarry.core.spraying.rate import application_rate_l_ha, flow_for_rate_l_min

Floats = NDArray[np.float64]
FlowKind = Literal["by speed", "constant"]

TOLERANCE_FRAC = 0.10
SETTINGS: tuple[Setting, ...] = (
    Setting(
        "spraying.dose_tolerance_frac",
        "Spraying",
        "A line may get more or less than what is asked for by",
        TOLERANCE_FRAC,
        "more harms the crop and breaks the label, less does not work",
        "%",
        100.0,
        0.01,
        0.5,
    ),
)


@dataclass(frozen=True, slots=True)
class Pump:
    """How an aircraft sprays: its flow follows the speed, or stays as set; bounds of its pump and nozzles, None where unknown. [L/min]"""

    flow: FlowKind = "by speed"
    least_l_min: float | None = None
    most_l_min: float | None = None

    def within(self, flow_l_min: Floats) -> Floats:
        """Return flows within its bounds."""
        return np.clip(flow_l_min, self.least_l_min or 0.0, self.most_l_min if self.most_l_min is not None else np.inf)


@dataclass(frozen=True, slots=True)
class Doses:
    """Flow [L/min], dose [L/ha] and litres of each line, shape (n,)."""

    flow_l_min: Floats
    dose_l_ha: Floats
    litres: Floats

    @property
    def total_l(self) -> float:
        """Litres of all lines."""
        return float(self.litres.sum())


@formula("flow = dose × swath × length of all lines ÷ time on them", source=SPRAYING, result="flow_l_min")
def mean_flow_l_min(dose_l_ha: float, swath_m: float, on_line_m: float, on_line_s: float) -> float:
    """Return the mean flow over lines that together get a dose; with a constant flow, the flow. [L/min]"""
    return dose_l_ha * swath_m * on_line_m / M2_PER_HA / (on_line_s / 60.0)


@formula("litres = length of all lines × swath × dose", source=SPRAYING, result="volume_l")
def litres_on_lines(on_line_m: float, swath_m: float, dose_l_ha: float) -> float:
    """Return what all lines together take at their mean dose. [L]"""
    return on_line_m * swath_m / M2_PER_HA * dose_l_ha


def line_doses(lengths_m: Floats, ground_m_s: Floats, rate_l_ha: float | Floats, swath_m: float, pump: Pump) -> Doses:
    """Return flow, dose and litres of each line.

    Parameters
    ----------
    lengths_m, ground_m_s : arrays, shape (n,)
        Length of each line and the speed over ground on it. [m, m/s]
    rate_l_ha : float > 0, or array of shape (n,)
        What is asked for, on all lines or on each. [L/ha]
    swath_m : float > 0
        The width that one line treats. [m]
    pump : Pump
        Whether the flow follows the speed, and its bounds.

    Returns
    -------
    Doses
        A flow by speed gives what is asked for on every line, as far as its bounds let it; a constant flow gives it on
        the mean, less where the line is flown fast and more where it is flown slowly.
    """
    seconds = lengths_m / ground_m_s
    rates = np.broadcast_to(np.asarray(rate_l_ha, dtype=np.float64), lengths_m.shape)
    if pump.flow == "constant":
        metres = float(lengths_m.sum())
        mean = float((rates * lengths_m).sum()) / metres if metres > 0 else 0.0
        one = mean_flow_l_min(mean, swath_m, metres, float(seconds.sum())) if metres > 0 else 0.0
        flow = pump.within(np.full_like(ground_m_s, one))
    else:
        flow = pump.within(
            np.array([flow_for_rate_l_min(r, v, swath_m) for r, v in zip(rates.tolist(), ground_m_s.tolist(), strict=True)])
        )
    dose = np.array([application_rate_l_ha(q, v, swath_m) for q, v in zip(flow.tolist(), ground_m_s.tolist(), strict=True)])
    return Doses(flow, dose, flow * seconds / 60.0)


def check_doses(
    doses: Doses, rate_l_ha: float | Floats, tolerance_frac: float, tracks_deg: Floats, ground_m_s: Floats, pump: Pump
) -> None:
    """Refuse lines that would get too much or too little.

    Raises
    ------
    Infeasible
        A dose is further from what is asked for than the tolerance; the message names the line that is furthest.
    """
    if not doses.dose_l_ha.size:
        return
    rates = np.broadcast_to(np.asarray(rate_l_ha, dtype=np.float64), doses.dose_l_ha.shape)
    off = doses.dose_l_ha / rates - 1.0
    worst = int(np.argmax(np.abs(off)))
    if abs(off[worst]) <= tolerance_frac + 1e-9:
        return
    flow, most = float(doses.flow_l_min[worst]), pump.most_l_min
    if pump.flow == "constant" and np.ptp(rates) > 0:
        remedy = "Its flow stays as set: spray areas of different rates as jobs of their own"
    elif pump.flow == "constant":
        remedy = "Fly across the wind, hold the speed over ground, or wait for less wind"
    elif most is not None and flow >= most - 1e-9:
        remedy = f"The pump gives {most:g} L/min at most: fly slower, or spray narrower or less"
    else:
        remedy = f"The pump gives {pump.least_l_min or 0.0:g} L/min at least: fly faster, or spray more"
    raise Infeasible(
        f"Line {worst + 1}, track {tracks_deg[worst]:.0f}° at {ground_m_s[worst]:.1f} m/s over ground, would get "
        f"{doses.dose_l_ha[worst]:.1f} L/ha where {rates[worst]:g} are asked for, more than {tolerance_frac:.0%} off. {remedy}.",
        "work.rate_l_ha",
    )
