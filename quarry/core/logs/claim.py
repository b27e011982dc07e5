"""What was claimed of a flight before it, with the ratio that the flight makes of it.

Energy as the aircraft's figures give it for the flight as flown, what the pack holds, the resistance of its cells.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quarry.core.air.atmosphere import SEA_LEVEL_KG_M3
from quarry.core.base.sources import ALGEBRA, ARRHENIUS, ENTERED, MEASURED, ZENG
from quarry.core.base.working import Step, Working
from quarry.core.cells.resistance import resistance_at_25_ohm
from quarry.core.flight.energy import Airframe
from quarry.core.flight.powers import climb_energy_j_m
from quarry.core.logs.discharge import Discharge
from quarry.core.logs.flight import smooth, thinned
from quarry.core.logs.reading import Log
from quarry.core.logs.wind import WindMet

Floats = NDArray[np.float64]
_GRAVITY = 9.80665
_LEAST_USED_FRAC = 0.35  # less of a pack tells little of what it holds
_LEAST_S = 120.0
_MOVES_M_S = 2.0
_FASTEST_M_S = 30


@dataclass(frozen=True, slots=True)
class Claim:
    """One ratio that a flight makes: measured over claimed, with both figures and their unit."""

    subject: str
    claimed: float
    measured: float
    unit: str
    working: Working

    @property
    def ratio(self) -> float:
        """Return measured ÷ rated."""
        return self.measured / self.claimed


def power_claim(
    flight: Log,
    seen: Discharge,
    craft: Airframe,
    *,
    payload_kg: float = 0.0,
    density_kg_m3: float = SEA_LEVEL_KG_M3,
    wind: WindMet | None = None,
) -> Claim | None:
    """Return mean power measured against what the aircraft's figures give for the flight as it was flown. [W]

    ``craft`` without any calibration; a wind that is known makes air speed of ground speed. None where the log tells no watts,
    or places from which the wind could not be told: air speed may be anything then.
    """
    if seen.mean_w is None or seen.length_s < _LEAST_S:
        return None
    if wind is None and not craft.model.flat and _travels(flight):
        return None
    claimed = _as_flown_w(flight, craft, payload_kg, density_kg_m3, wind)
    words = "power by air speed and climb of each second, mean" if not craft.model.flat else "the same at every speed"
    steps = (
        Step("craft_w", craft.power_w, "W", f"{craft.name} at {craft.cruise_m_s:g} m/s", source=ENTERED, kind="input"),
        Step("claimed_w", claimed, "W", words, source=ZENG),
        Step("measured_w", seen.mean_w, "W", "volts × current, mean from take-off to landing", source=MEASURED, kind="input"),
        Step("ratio", seen.mean_w / claimed, "", "measured ÷ rated", source=ALGEBRA),
    )
    return Claim("power", claimed, seen.mean_w, "W", Working("Power against rating", seen.mean_w / claimed, "", steps))


def _travels(flight: Log) -> bool:
    """Return whether a flight tells places and went far enough for wind to matter."""
    speed = flight.numbers.get("speed_m_s")
    if speed is None or "lat_deg" not in flight.numbers:
        return False
    return float(np.percentile(np.nan_to_num(speed)[:: max(1, flight.rows // 5000)], 75)) > _MOVES_M_S


def _as_flown_w(flight: Log, craft: Airframe, payload_kg: float, density: float, wind: WindMet | None) -> float:
    model = craft.model
    if model.flat:
        return craft.power_w
    slow = thinned(flight, 1.0)
    t, n = slow.time_s, slow.numbers
    air = _air_speed(slow, wind)
    grid = np.arange(0.0, _FASTEST_M_S + 1.0)
    table = np.array([float(model.power_w(float(v), payload_kg, density, 0.0)) for v in grid])
    power = np.interp(air, grid, table)
    height = n.get("height_m")
    if height is not None and t.size > 5:
        rises = np.gradient(smooth(t, np.nan_to_num(height), 3.0), t)
        # What sinks gives nothing back.
        power = power + np.maximum(0.0, rises) * climb_energy_j_m(((craft.mass_kg or 0.0) + payload_kg) * _GRAVITY)
    return float(np.trapezoid(power, t) / float(t[-1] - t[0]))


def _air_speed(flight: Log, wind: WindMet | None) -> Floats:
    """Return the speed through the air: the ground velocity less the wind where both are known, else the speed told. [m/s]"""
    t, n = flight.time_s, flight.numbers
    speed, lat, lon = n.get("speed_m_s"), n.get("lat_deg"), n.get("lon_deg")
    if wind is not None and wind.whole and lat is not None and lon is not None and t.size > 5:
        known = np.isfinite(lat) & np.isfinite(lon)
        north = smooth(t, np.gradient(np.interp(t, t[known], lat[known]), t) * 111_195.0, 3.0)
        east = smooth(t, np.gradient(np.interp(t, t[known], lon[known]), t), 3.0)
        east = east * 111_195.0 * math.cos(math.radians(float(np.nanmedian(lat))))
        to = math.radians(wind.from_deg + 180.0)
        return np.hypot(east - wind.wind_m_s * math.sin(to), north - wind.wind_m_s * math.cos(to))
    if speed is not None and wind is not None:
        # Along lines flown both ways only the air speed is known, and that wind blows where it hovers.
        return np.where(np.nan_to_num(speed) > _MOVES_M_S, wind.air_m_s, wind.wind_m_s)
    if speed is not None:
        return np.nan_to_num(speed)
    return np.zeros(t.size)


def capacity_claim(seen: Discharge, rated_ah: float, health_frac: float) -> Claim | None:
    """Return what a pack holds by charge drawn and percent used, against what its label and records say. [Ah]"""
    if seen.used_ah is None or seen.from_frac is None or seen.to_frac is None:
        return None
    used = seen.from_frac - seen.to_frac
    if used < _LEAST_USED_FRAC:
        return None
    holds, claimed = seen.used_ah / used, rated_ah * health_frac
    steps = (
        Step("claimed_ah", claimed, "Ah", "label × health by its records", source=ENTERED, kind="input"),
        Step("used_ah", seen.used_ah, "Ah", "drawn from take-off to landing", source=MEASURED, kind="input"),
        Step("used_frac", used, "", "percent at take-off less percent at landing", source=MEASURED, kind="input"),
        Step("holds_ah", holds, "Ah", "drawn ÷ share used", source=ALGEBRA),
    )
    return Claim("capacity", claimed, holds, "Ah", Working("Capacity against rating", holds / claimed, "", steps))


def resistance_claim(seen: Discharge, cells: int, usual_25_ohm: float) -> Claim | None:
    """Return the resistance of a mean cell at 25 °C against what is planned with. [Ω]"""
    if seen.resistance_ohm is None or seen.resistance_c is None:
        return None
    at_25 = resistance_at_25_ohm(seen.resistance_ohm / cells, seen.resistance_c)
    steps = (
        Step("pack_ohm", seen.resistance_ohm, "Ω", "volts over current in the flight", source=MEASURED, kind="input"),
        Step("pack_c", seen.resistance_c, "°C", "pack temperature meanwhile", source=MEASURED, kind="input"),
        Step("cell_25_ohm", at_25, "Ω", f"÷ {cells} cells, brought to 25 °C", source=ARRHENIUS),
        Step("claimed_ohm", usual_25_ohm, "Ω", "planned with", source=ENTERED, kind="input"),
    )
    return Claim("resistance", usual_25_ohm, at_25, "Ω", Working("Resistance against claim", at_25 / usual_25_ohm, "", steps))
