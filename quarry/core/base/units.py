"""The only place that converts units.

Inside the core all quantities are SI or one of a closed list of field units named by suffix:
``_rate_c _bar _um _rpm _m _m2 _m_s _s _kg _kg_m3 _n _pa _hpa _w _w_k _j_k _j_m _wh _ah _v _a _c _k _deg _rad _frac _count _day _ha _l _l_ha
_l_min _amount _kg_m_s _mm _mm_h _px _min _h _ohm_ah _j_kg_k _j_k_ah _w_k_ah _rad_s``.
"""

from __future__ import annotations

import re

SUFFIXES: dict[str, str] = {
    "l_min": "L/min",
    "amount": "",
    "kg_m_s": "kg/(m·s)",
    "bar": "bar",
    "um": "µm",
    "rpm": "1/min",
    "l_kwh": "L/kWh",
    "l_h": "L/h",
    "va": "VA",
    "l_ha": "L/ha",
    "mb": "MB",
    "gb": "GB",
    "ha_h": "ha/h",
    "kg_m3": "kg/m³",
    "ohm_ah": "Ω·Ah",
    "j_kg_k": "J/(kg·K)",
    "j_k_ah": "J/(K·Ah)",
    "w_k_ah": "W/(K·Ah)",
    "rad_s": "rad/s",
    "mm_h": "mm/h",
    "min": "min",
    "h": "h",
    "hpa": "hPa",
    "pa": "Pa",
    "j_m": "J/m",
    "w_k": "W/K",
    "j_k": "J/K",
    "n": "N",
    "m_s": "m/s",
    "m2": "m²",
    "ha": "ha",
    "v_ah": "V/Ah",
    "w_ah": "W/Ah",
    "ohm": "Ω",
    "k": "K",
    "wh": "Wh",
    "ah": "Ah",
    "mm": "mm",
    "px": "px",
    "deg": "°",
    "rad": "rad",
    "frac": "",
    "count": "",
    "nat": "nat",
    "day": "",
    "s": "s",
    "m": "m",
    "kg": "kg",
    "w": "W",
    "v": "V",
    "a": "A",
    "c": "°C",
    "l": "L",
}
_SUFFIX = re.compile(r"_(" + "|".join(sorted(SUFFIXES, key=len, reverse=True)) + r")$")

M2_PER_HA = 10_000.0
S_PER_MIN = 60.0
S_PER_H = 3600.0
J_PER_WH = 3600.0


def unit_of(name: str) -> str:
    """Return the unit that a name carries as suffix, or an empty string.

    Examples
    --------
    >>> unit_of("ground_speed_m_s"), unit_of("reserve_frac"), unit_of("reason")
    ('m/s', '', '')
    >>> unit_of("rate_c"), unit_of("pack_c")
    ('C', '°C')
    """
    if name == "rate_c" or name.endswith("_rate_c"):
        return "C"
    found = _SUFFIX.search(name)
    return SUFFIXES[found.group(1)] if found else ""


def kmh_from_m_s(speed_m_s: float) -> float:
    """Return kilometres per hour from metres per second."""
    return speed_m_s * 3.6


def m_s_from_kmh(speed_km_h: float) -> float:
    """Return metres per second from kilometres per hour."""
    return speed_km_h / 3.6


def wh_from_power(power_w: float, time_s: float) -> float:
    """Return the energy that a constant power takes in a time."""
    return power_w * time_s / J_PER_WH


def seconds_from_energy(energy_wh: float, power_w: float) -> float:
    """Return the time for which an energy lasts at constant power."""
    return energy_wh * J_PER_WH / power_w
