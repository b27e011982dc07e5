"""The way home: time and energy against the wind, and how far out home is still certain."""

from __future__ import annotations

import math
from dataclasses import dataclass

from quarry.core.base.errors import Infeasible, require_range
from quarry.core.base.sources import ALGEBRA, ENTERED, NAVIGATION
from quarry.core.base.working import Step, formula, given, note_step
from quarry.core.flight.wind import Wind, leg_time_s, wind_triangle


@formula("airspeed = (speed into the wind + speed with it) ÷ 2", source=ALGEBRA, result="airspeed_m_s")
def airspeed_of_both_ways_m_s(into_m_s: float, with_m_s: float) -> float:
    """Return the airspeed behind two ground speeds flown into and with the wind. [m/s]"""
    return (into_m_s + with_m_s) / 2


@formula("wind = (speed with the wind − speed into it) ÷ 2", source=ALGEBRA, result="wind_m_s")
def wind_of_both_ways_m_s(into_m_s: float, with_m_s: float) -> float:
    """Return the wind behind two ground speeds flown into and with it. [m/s]"""
    return (with_m_s - into_m_s) / 2


@dataclass(frozen=True, slots=True)
class BothWays:
    """Ground speeds that a pilot measured into and with the wind, in one mode of flight."""

    into_m_s: float
    with_m_s: float

    def __post_init__(self) -> None:
        require_range(self.into_m_s, 0.0, 40.0, "into_m_s", "Speed into the wind", "m/s")
        require_range(self.with_m_s, max(self.into_m_s, 0.5), 60.0, "with_m_s", "Speed with the wind", "m/s")


@formula("time home = energy to spend × 3600 ÷ power", source=ALGEBRA, result="home_time_s")
def time_for_s(energy_wh: float, power_w: float) -> float:
    """Return how long an energy lasts. [s]"""
    return energy_wh * 3600.0 / power_w


@formula("certain radius = (airspeed − wind) × time", source=NAVIGATION, result="radius_m")
def certain_radius_m(airspeed_m_s: float, wind_m_s: float, time_s: float) -> float:
    """Return how far away in every direction home is still reached; 0 where the wind is as fast as the aircraft.

    The worst place lies straight down the wind, from where the way home is flown into it.

    Examples
    --------
    >>> certain_radius_m(12.0, 4.0, 100.0)
    800.0
    """
    return max(0.0, airspeed_m_s - wind_m_s) * max(0.0, time_s)


@dataclass(frozen=True, slots=True)
class WayHome:
    """The way home from a place: ground speed, time and energy, landing included in ``energy_wh``."""

    track_deg: float
    headwind_m_s: float
    ground_m_s: float
    time_s: float
    energy_wh: float


def air_as_measured(measured: BothWays, from_deg: float) -> tuple[float, Wind]:
    """Return the airspeed [m/s] and the wind behind speeds that a pilot measured into and with the wind."""
    note_step(given("into_m_s", measured.into_m_s, label="measured into the wind", source=ENTERED))
    note_step(given("with_m_s", measured.with_m_s, label="measured with the wind", source=ENTERED))
    airspeed = airspeed_of_both_ways_m_s(measured.into_m_s, measured.with_m_s)
    return airspeed, Wind(wind_of_both_ways_m_s(measured.into_m_s, measured.with_m_s), from_deg)


def way_home(
    distance_m: float,
    bearing_deg: float,
    wind: Wind,
    airspeed_m_s: float,
    power_w: float,
    landing_wh: float = 0.0,
) -> WayHome:
    """Return the way home from a place at a distance and bearing seen from home.

    Raises
    ------
    Infeasible
        Home cannot be reached in this wind.
    """
    require_range(distance_m, 0.0, 100_000.0, "distance_m", "Distance from home", "m")
    track = (bearing_deg + 180.0) % 360
    solved = wind_triangle(track, airspeed_m_s, wind)
    time = leg_time_s(distance_m, solved.ground_speed_m_s)
    energy = power_w * time / 3600.0 + landing_wh
    note_step(Step("energy_wh", energy, "Wh", f"power × time, with {landing_wh:.1f} Wh for descent and landing", source=ALGEBRA))
    return WayHome(track, solved.headwind_m_s, solved.ground_speed_m_s, time, energy)


def reach(energy_wh: float, airspeed_m_s: float, power_w: float, wind: Wind, landing_wh: float = 0.0) -> float:
    """Return the radius around home inside which home is reached from anywhere with an energy. [m]"""
    if energy_wh <= landing_wh:
        return 0.0
    return certain_radius_m(airspeed_m_s, wind.speed_m_s, time_for_s(energy_wh - landing_wh, power_w))


def reach_outline(
    energy_wh: float, airspeed_m_s: float, power_w: float, wind: Wind, landing_wh: float = 0.0, points: int = 72
) -> list[tuple[float, float]]:
    """Return the outline (east, north) from within which home is reached: a circle of the airspeed, shifted upwind. [m]"""
    time = max(0.0, energy_wh - landing_wh) * 3600.0 / power_w
    found = []
    for k in range(points):
        bearing = 360.0 * k / points
        try:
            ground = wind_triangle((bearing + 180.0) % 360, airspeed_m_s, wind).ground_speed_m_s
        except Infeasible:
            ground = 0.0
        found.append((ground * time * math.sin(math.radians(bearing)), ground * time * math.cos(math.radians(bearing))))
    return found
