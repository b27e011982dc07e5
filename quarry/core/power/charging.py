"""Constant-current / constant-voltage charge time, first form.

Up to the share ``cv_from_frac`` the charger gives its full power, then the power dies away
exponentially to a twentieth of the capacity per hour, where chargers end. The rest to be filled at the switch fixes
the time constant, so power is continuous. The switch comes later at gentler rates: the share
filled at constant voltage is taken proportional to the rate. Learnt times per pack replace this.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from quarry.core.base.errors import require_range
from quarry.core.base.sources import ALGEBRA, ASSUMED, ENTERED, PRACTICE
from quarry.core.base.units import J_PER_WH
from quarry.core.base.working import Step, formula, note_step, recording
from quarry.core.cells.chemistry import Chemistry

TAPER_END_C = 0.05  # chargers end a charge at this rate


@dataclass(frozen=True, slots=True)
class ChargeLaw:
    """How a kind of pack takes a charge.

    ``cv_from_frac`` is the state of charge at which constant voltage begins at a rate of 1 C;
    1.0 means constant power to the end. ``most_rate_c`` is the fastest rate its maker allows.
    """

    cv_from_frac: float = 0.85
    most_rate_c: float = 2.0

    def __post_init__(self) -> None:
        require_range(self.cv_from_frac, 0.3, 1.0, "pack.cv_from_frac", "Start of constant voltage", "")
        require_range(self.most_rate_c, 0.1, 10.0, "pack.most_rate_c", "Fastest charge rate", "C")


CONSTANT_POWER = ChargeLaw(cv_from_frac=1.0, most_rate_c=10.0)


@formula("rate = charging power ÷ energy today", source=ALGEBRA, result="rate_c")
def charge_rate(power_w: float, energy_wh: float) -> float:
    """Return the rate of a charge in multiples of capacity per hour."""
    return power_w / energy_wh


@formula("constant voltage from = 1 − (1 − start at 1 C) × rate, at least 0.3", source=ASSUMED, result="cv_from_frac")
def cv_start_frac(cv_at_1c_frac: float, rate_c: float) -> float:
    """Return the state of charge at which constant voltage begins at a rate."""
    return max(0.3, 1.0 - (1.0 - cv_at_1c_frac) * rate_c)


@formula("power left at the end = C/20 ÷ rate, at most half", source=PRACTICE, result="taper_end_frac")
def taper_end(rate_c: float) -> float:
    """Return the share of its power at which a charge at a rate ends."""
    return min(0.5, TAPER_END_C / rate_c)


@formula("steady part = energy to the switch ÷ power, none where it begins above the switch", source=ALGEBRA, result="steady_s")
def steady_charge_s(energy_wh: float, from_frac: float, to_frac: float, power_w: float) -> float:
    """Return the time at full power from one state of charge to another. [s]"""
    return max(0.0, to_frac - from_frac) * energy_wh * J_PER_WH / power_w


@formula(
    "time constant = energy left at the switch ÷ (power × (1 − power left at the end))", source=ASSUMED, result="time_constant_s"
)
def taper_constant_s(energy_wh: float, switch_frac: float, power_w: float, taper_end_frac: float) -> float:
    """Return the time constant of the taper. [s]"""
    return (1.0 - switch_frac) * energy_wh * J_PER_WH / (power_w * (1.0 - taper_end_frac))


@formula("taper from a state of charge to full", source=ASSUMED, result="taper_s")
def taper_s(time_constant_s: float, from_frac: float, switch_frac: float, taper_end_frac: float) -> float:
    """Return the time of the taper to full, begun at or after the switch. [s]"""
    if switch_frac >= 1.0 or from_frac >= 1.0:
        return 0.0
    done = max(0.0, from_frac - switch_frac) / (1.0 - switch_frac)
    power_left = 1.0 - done * (1.0 - taper_end_frac)
    return time_constant_s * math.log(power_left / taper_end_frac)


@formula("charge time = steady part + taper", source=ALGEBRA, result="charge_s")
def _sum_s(steady_s: float, taper_s: float) -> float:
    return steady_s + taper_s


def charge_time_s(energy_wh: float, from_frac: float, power_w: float, law: ChargeLaw) -> float:
    """Return the time to fill one pack.

    Examples
    --------
    >>> round(charge_time_s(100.0, 0.5, 100.0, CONSTANT_POWER))
    1800
    """
    power = min(power_w, law.most_rate_c * energy_wh)
    if power < power_w and recording():
        words = f"the charger could give {power_w:.0f} W; the pack takes at most {law.most_rate_c:g} C"
        note_step(Step("power_w", power, "W", words, source=ENTERED, kind="limit"))
    switch = cv_start_frac(law.cv_from_frac, charge_rate(power, energy_wh)) if law.cv_from_frac < 1.0 else 1.0
    steady = steady_charge_s(energy_wh, from_frac, switch, power)
    if switch >= 1.0:
        return steady
    left = taper_end(charge_rate(power, energy_wh))
    constant = taper_constant_s(energy_wh, switch, power, left)
    return _sum_s(steady, taper_s(constant, from_frac, switch, left))


def charge_state(energy_wh: float, from_frac: float, power_w: float, law: ChargeLaw, elapsed_s: float) -> tuple[float, float]:
    """Return (state of charge, power into the pack) some time after a charge began."""
    power = min(power_w, law.most_rate_c * energy_wh)
    switch = max(0.3, 1.0 - (1.0 - law.cv_from_frac) * power / energy_wh) if law.cv_from_frac < 1.0 else 1.0
    steady = max(0.0, switch - from_frac) * energy_wh * J_PER_WH / power
    if elapsed_s <= steady:
        return from_frac + power * elapsed_s / (energy_wh * J_PER_WH), power
    if switch >= 1.0:
        return 1.0, 0.0
    left = min(0.5, TAPER_END_C * energy_wh / power)
    constant = (1.0 - switch) * energy_wh * J_PER_WH / (power * (1.0 - left))
    done = max(0.0, from_frac - switch) / (1.0 - switch)
    begin = power * (1.0 - done * (1.0 - left))
    now = begin * math.exp(-(elapsed_s - steady) / constant)
    if now <= power * left:
        return 1.0, 0.0
    filled = (power - now) / (power * (1.0 - left))
    return switch + (1.0 - switch) * filled, now


TAUGHT_FROM_FRAC = 0.9  # a charge begun above it is mostly taper and tells little
TAUGHT_TO_FRAC = 0.98  # what ends below it was broken off


def charge_ratio(
    energy_wh: float,
    from_frac: float | None,
    to_frac: float | None,
    power_w: float,
    law: ChargeLaw,
    charged_s: float | None,
    balance_s: float = 0.0,
) -> float | None:
    """Return how long a charge to full took, in times of what the law says; None where it tells nothing.

    ``power_w`` is what the charger gives the pack, ``charged_s`` the whole time on the port, ``balance_s`` what of it evens the
    cells out.

    Examples
    --------
    >>> charge_ratio(100.0, 0.5, 1.0, 100.0, CONSTANT_POWER, 1980.0)
    1.1
    >>> charge_ratio(100.0, 0.95, 1.0, 100.0, CONSTANT_POWER, 200.0) is None
    True
    """
    if from_frac is None or to_frac is None or charged_s is None:
        return None
    if from_frac > TAUGHT_FROM_FRAC or to_frac < TAUGHT_TO_FRAC or power_w <= 0.0 or energy_wh <= 0.0:
        return None
    return (charged_s - balance_s) / charge_time_s(energy_wh, from_frac, power_w, law)


@dataclass(frozen=True, slots=True)
class ChargerRange:
    """Which packs a charger takes by the maker's sheet: cells in series, volts of a full pack, keys of chemistries.

    None, or no chemistry: not known.
    """

    least_cells: int | None = None
    most_cells: int | None = None
    most_v: float | None = None
    chemistries: tuple[str, ...] = ()

    @property
    def known(self) -> bool:
        """Whether anything is known of it."""
        return self != ChargerRange()


def why_not_charged(takes: ChargerRange, chemistry: Chemistry, cells_count: int) -> str:
    """Return why a charger does not take a pack of so many cells in series, in words; empty where it does or is not known to."""
    if takes.chemistries and chemistry.key not in takes.chemistries:
        return f"it does not charge {chemistry.name} by what is entered of it, and this pack is {chemistry.name}"
    if takes.least_cells is not None and cells_count < takes.least_cells:
        return f"it takes {takes.least_cells} cells or more, and this pack has {cells_count}"
    if takes.most_cells is not None and cells_count > takes.most_cells:
        return f"it takes at most {takes.most_cells} cells, and this pack has {cells_count}"
    full_v = cells_count * chemistry.full_v
    if takes.most_v is not None and full_v > takes.most_v + 1e-9:
        return f"it gives at most {takes.most_v:g} V, and this pack is full at {full_v:.1f} V"
    return ""
