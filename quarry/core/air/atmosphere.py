"""Pressure, temperature and density of the air, and the height at which the standard air is as thin.

Heights are geopotential; against geometric ones the density differs by less than 0.1 % below 5 km.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from quarry.core.base.errors import require_range
from quarry.core.base.sources import CIPM, ISA, WMO_8
from quarry.core.base.working import formula

ZERO_C_K = 273.15
SEA_LEVEL_K = 288.15
SEA_LEVEL_PA = 101_325.0
SEA_LEVEL_KG_M3 = 1.2250
LAPSE_K_M = 0.0065
GRAVITY_M_S2 = 9.80665
GAS_DRY = 287.05
GAS_VAPOUR = 461.5
_GAS_ISA = 287.05287
_POWER = GRAVITY_M_S2 / (_GAS_ISA * LAPSE_K_M)


@dataclass(frozen=True, slots=True)
class StandardAir:
    """The standard atmosphere at a height."""

    temperature_c: float
    pressure_pa: float
    density_kg_m3: float


def standard_air(height_m: float) -> StandardAir:
    """Return the standard atmosphere of the troposphere.

    Examples
    --------
    >>> round(standard_air(1000).density_kg_m3, 4)
    1.1116
    """
    require_range(height_m, -1000.0, 11_000.0, "height_m", "Height above sea level", "m")
    kelvin = SEA_LEVEL_K - LAPSE_K_M * height_m
    pressure = SEA_LEVEL_PA * (kelvin / SEA_LEVEL_K) ** _POWER
    return StandardAir(kelvin - ZERO_C_K, pressure, pressure / (_GAS_ISA * kelvin))


@formula("saturation pressure = 611.2 Pa × e^(17.62 t ÷ (243.12 + t)), over water", source=WMO_8, result="saturation_pa")
def saturation_pa(air_c: float) -> float:
    """Return the vapour pressure of saturated air, over water also below 0 °C. [Pa]"""
    return 611.2 * math.exp(17.62 * air_c / (243.12 + air_c))


@formula("density = (pressure − vapour) ÷ (287.05 T) + vapour ÷ (461.5 T)", source=CIPM, result="density_kg_m3")
def air_density_kg_m3(pressure_pa: float, air_c: float, humidity_frac: float) -> float:
    """Return the density of moist air; damp air is lighter than dry air.

    Parameters
    ----------
    pressure_pa : float, 30 000 to 110 000
        Pressure at the place, not reduced to sea level. [Pa]
    air_c : float, −60 to 60
        Temperature of the air. [°C]
    humidity_frac : float, 0 to 1
        Relative humidity over water.

    Returns
    -------
    float
        Density. [kg/m³]

    Raises
    ------
    OutOfRange
        A figure that no air on earth has, such as a temperature below −60 °C.
    """
    require_range(pressure_pa, 30_000.0, 110_000.0, "pressure_hpa", "Pressure", "Pa")
    check_air_c(air_c)
    require_range(humidity_frac, 0.0, 1.0, "humidity_frac", "Relative humidity", "")
    vapour = humidity_frac * saturation_pa(air_c)
    kelvin = air_c + ZERO_C_K
    return (pressure_pa - vapour) / (GAS_DRY * kelvin) + vapour / (GAS_VAPOUR * kelvin)


@formula("pressure^0.19 = QNH^0.19 − (0.0065 ÷ 288.15) × 1013.25^0.19 × elevation", source=WMO_8, result="pressure_pa")
def station_pressure_pa(qnh_hpa: float, elevation_m: float) -> float:
    """Return the pressure at a height from the altimeter setting. [Pa]"""
    require_range(qnh_hpa, 850.0, 1090.0, "qnh_hpa", "QNH", "hPa")
    require_range(elevation_m, -500.0, 6000.0, "elevation_m", "Elevation", "m")
    n = 1 / _POWER
    return math.pow((qnh_hpa * 100) ** n - LAPSE_K_M / SEA_LEVEL_K * SEA_LEVEL_PA**n * elevation_m, _POWER)


@formula("pressure altitude: the height at which the standard air has this pressure", source=ISA, result="pressure_altitude_m")
def pressure_altitude_m(pressure_pa: float) -> float:
    """Return the height in the standard atmosphere of a pressure. [m]"""
    return SEA_LEVEL_K / LAPSE_K_M * (1 - math.pow(pressure_pa / SEA_LEVEL_PA, 1 / _POWER))


@formula("density altitude = (288.15 ÷ 0.0065) × (1 − (density ÷ 1.225)^0.235)", source=ISA, result="density_altitude_m")
def density_altitude_m(density_kg_m3: float) -> float:
    """Return the height at which the standard air is as thin as this. [m]"""
    return SEA_LEVEL_K / LAPSE_K_M * (1 - math.pow(density_kg_m3 / SEA_LEVEL_KG_M3, 1 / (_POWER - 1)))


def check_air_c(air_c: float, field: str = "air_c") -> None:
    """Raise `OutOfRange` unless the temperature is one that air near the ground can have."""
    require_range(air_c, -60.0, 60.0, field, "Air temperature", "°C")
