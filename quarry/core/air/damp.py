"""Damp: dew point, its spread to the air, wet bulb and Delta-T.

Humidity is relative to water, also below 0 °C, as weather reports have it.
"""

from __future__ import annotations

import math
from typing import Literal

from quarry.core.air.atmosphere import SEA_LEVEL_PA, check_air_c, saturation_pa
from quarry.core.base.errors import OutOfRange, require_range
from quarry.core.base.sources import ALGEBRA, ASHRAE, PRACTICE, WMO_8
from quarry.core.base.working import formula

DeltaTClass = Literal["too damp", "fit", "marginal", "too dry"]


@formula("γ = ln(humidity) + 17.62 t ÷ (243.12 + t); dew point = 243.12 γ ÷ (17.62 − γ)", source=WMO_8, result="dew_point_c")
def dew_point_c(air_c: float, humidity_frac: float) -> float:
    """Return the temperature at which this air begins to drip.

    Examples
    --------
    >>> round(dew_point_c(20.0, 0.5), 2)
    9.26
    """
    check_air_c(air_c)
    require_range(humidity_frac, 0.01, 1.0, "humidity_frac", "Relative humidity", "")
    gamma = math.log(humidity_frac) + 17.62 * air_c / (243.12 + air_c)
    return 243.12 * gamma / (17.62 - gamma)


@formula("humidity = saturation at the dew point ÷ saturation at the air", source=WMO_8, result="humidity_frac")
def humidity_from_dew_point(air_c: float, dew_point_c: float) -> float:
    """Return the relative humidity of air with a dew point; raises `OutOfRange` if the dew point lies above the air."""
    check_air_c(air_c)
    check_air_c(dew_point_c, "dew_point_c")
    if dew_point_c > air_c + 0.5:
        raise OutOfRange(
            f"A dew point of {dew_point_c:g} °C above the air's {air_c:g} °C cannot be. Check both figures.", "dew_point_c"
        )
    return min(1.0, saturation_pa(dew_point_c) / saturation_pa(air_c))


@formula("spread = air − dew point", source=ALGEBRA, result="spread_k")
def spread_k(air_c: float, dew_point_c: float) -> float:
    """Return how far the air may cool before it drips. [K]"""
    return air_c - dew_point_c


@formula(
    "wet bulb: W = ((2501 − 2.326 w) × Ws(w) − 1.006 (t − w)) ÷ (2501 + 1.86 t − 4.186 w), solved for w",
    source=ASHRAE,
    result="wet_bulb_c",
)
def wet_bulb_c(air_c: float, humidity_frac: float, pressure_pa: float = SEA_LEVEL_PA) -> float:
    """Return the thermodynamic wet-bulb temperature at the pressure of the place, by bisection to 0.001 K. [°C]"""
    check_air_c(air_c)
    require_range(humidity_frac, 0.01, 1.0, "humidity_frac", "Relative humidity", "")
    require_range(pressure_pa, 30_000.0, 110_000.0, "pressure_hpa", "Pressure", "Pa")

    def mixing(vapour_pa: float) -> float:
        return 0.621945 * vapour_pa / (pressure_pa - vapour_pa)

    held = mixing(humidity_frac * saturation_pa(air_c))
    low, high = air_c - 45.0, air_c
    while high - low > 1e-3:
        w = (low + high) / 2
        balance = (2501 - 2.326 * w) * mixing(saturation_pa(w)) - 1.006 * (air_c - w)
        if balance / (2501 + 1.86 * air_c - 4.186 * w) > held:
            high = w
        else:
            low = w
    return (low + high) / 2


@formula("Delta-T = air − wet bulb", source=PRACTICE, result="delta_t_k")
def delta_t_k(air_c: float, wet_bulb_c: float) -> float:
    """Return the depression of the wet bulb, by which sprayers judge how fast droplets dry. [K]"""
    return air_c - wet_bulb_c


def delta_t_class(delta_t_k: float) -> DeltaTClass:
    """Return how a Delta-T suits spraying: 2 to 8 fits, to 10 is marginal (common practice, no source)."""
    if delta_t_k < 2:
        return "too damp"
    if delta_t_k <= 8:
        return "fit"
    return "marginal" if delta_t_k <= 10 else "too dry"
