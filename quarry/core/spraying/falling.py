"""How far a falling droplet is carried by the wind: an aid to choose height, droplets and hour, never a permission.

A droplet that falls at its settling speed through a steady wind, with no downwash and no drying. Downwash brings drops down sooner;
drying makes small ones smaller, so that they drift farther than this says.
"""

from __future__ import annotations

import math

from quarry.core.base.errors import OutOfRange, require_range
from quarry.core.base.sources import ALGEBRA, SETTLING
from quarry.core.base.working import formula

WATER_KG_M3 = 998.0
_G_M_S2 = 9.81
_MOST_REYNOLDS = 800.0


def viscosity_kg_m_s(air_c: float) -> float:
    """Return the viscosity of air (Sutherland). [kg/(m·s)]

    Examples
    --------
    >>> round(viscosity_kg_m_s(20.0) * 1e6, 1)
    18.1
    """
    t = air_c + 273.15
    return 1.716e-5 * math.pow(t / 273.15, 1.5) * (273.15 + 110.4) / (t + 110.4)


def check_droplet(droplet_um: float) -> float:
    """Return the diameter of a droplet; raises `OutOfRange` where it can be none of a spray. [µm]"""
    return require_range(droplet_um, 5.0, 2000.0, "droplet_um", "Droplet", "µm")


@formula("settling speed: weight = drag, drag coefficient 24 ÷ Re × (1 + 0.15 Re^0.687)", source=SETTLING, result="settling_m_s")
def settling_m_s(droplet_um: float, air_c: float = 20.0, density_kg_m3: float = 1.2) -> float:
    """Return the speed at which a droplet of water falls through still air; known up to a Reynolds number of 800. [m/s]

    Raises
    ------
    OutOfRange
        The droplet is so large that the law does not hold.
    """
    d = droplet_um * 1e-6
    mu = viscosity_kg_m_s(air_c)
    speed = (WATER_KG_M3 - density_kg_m3) * _G_M_S2 * d * d / (18.0 * mu)
    for _ in range(200):
        reynolds = density_kg_m3 * speed * d / mu
        drag = 24.0 / reynolds * (1.0 + 0.15 * math.pow(reynolds, 0.687))
        wanted = math.sqrt(4.0 * (WATER_KG_M3 - density_kg_m3) * _G_M_S2 * d / (3.0 * density_kg_m3 * drag))
        if abs(wanted - speed) < 1e-9:
            break
        speed = (speed + wanted) / 2.0
    if density_kg_m3 * speed * d / mu > _MOST_REYNOLDS:
        raise OutOfRange(
            f"The law of settling holds for droplets up to about 1,500 µm; this one has {droplet_um:.0f}.", "droplet_um"
        )
    return speed


@formula("falls for = height ÷ settling speed", source=ALGEBRA, result="fall_s")
def fall_s(height_m: float, settling_m_s: float) -> float:
    """Return how long a droplet falls. [s]"""
    return height_m / settling_m_s


@formula("carried = wind × time of the fall", source=ALGEBRA, result="carried_m")
def carried_m(wind_m_s: float, fall_s: float) -> float:
    """Return how far the wind carries it meanwhile. [m]"""
    return wind_m_s * fall_s
