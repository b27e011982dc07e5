"""The wind triangle on one leg.

Directions are true bearings in degrees, clockwise from north; wind is named by where it comes from.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.errors import Infeasible, require_range
from quarry.core.base.sources import ALGEBRA, NAVIGATION
from quarry.core.base.working import formula

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Wind:
    """Steady wind at flying height: speed and the true bearing it blows from."""

    speed_m_s: float
    from_deg: float

    def __post_init__(self) -> None:
        require_range(self.speed_m_s, 0.0, 60.0, "wind.speed_m_s", "Wind speed", "m/s")
        require_range(self.from_deg, -360.0, 360.0, "wind.from_deg", "Wind direction", "°")

    @property
    def towards(self) -> tuple[float, float]:
        """Velocity of the air as (east, north). [m/s]"""
        a = math.radians(self.from_deg)
        return (-self.speed_m_s * math.sin(a), -self.speed_m_s * math.cos(a))

    @staticmethod
    def from_vector(east_m_s: float, north_m_s: float) -> Wind:
        """Return the wind whose air moves with this velocity."""
        speed = math.hypot(east_m_s, north_m_s)
        return Wind(speed, math.degrees(math.atan2(-east_m_s, -north_m_s)) % 360 if speed else 0.0)


CALM = Wind(0.0, 0.0)


@formula("headwind = wind · cos(from − track)", source=NAVIGATION, result="headwind_m_s")
def headwind_m_s(track_deg: float, wind_speed_m_s: float, wind_from_deg: float) -> float:
    """Return the part of the wind against the track; negative is a tail wind.

    Parameters
    ----------
    track_deg : float
        True bearing of the way over ground. [°]
    wind_speed_m_s : float >= 0
        Wind speed at flying height. [m/s]
    wind_from_deg : float
        True bearing the wind comes from. [°]

    Returns
    -------
    float
        Headwind. [m/s]

    Examples
    --------
    >>> headwind_m_s(0.0, 4.0, 0.0)
    4.0
    """
    return wind_speed_m_s * math.cos(math.radians(wind_from_deg - track_deg))


@formula("crosswind = wind · sin(from − track)", source=NAVIGATION, result="crosswind_m_s")
def crosswind_m_s(track_deg: float, wind_speed_m_s: float, wind_from_deg: float) -> float:
    """Return the part of the wind across the track, positive from the right. [m/s]"""
    return wind_speed_m_s * math.sin(math.radians(wind_from_deg - track_deg))


@formula("ground speed = √(airspeed² − crosswind²) − headwind", source=NAVIGATION, result="ground_speed_m_s")
def ground_speed_m_s(airspeed_m_s: float, headwind_m_s: float, crosswind_m_s: float) -> float:
    """Return the speed over ground on a held track.

    Raises
    ------
    Infeasible
        The crosswind exceeds the airspeed, or no progress is made against the wind.
    """
    if abs(crosswind_m_s) > airspeed_m_s:
        raise Infeasible(
            f"The wind across the track is {abs(crosswind_m_s):.1f} m/s, more than the airspeed of {airspeed_m_s:.1f} m/s: "
            "the track cannot be held. Wait for less wind or fly faster.",
            "wind.speed_m_s",
        )
    speed = math.sqrt(airspeed_m_s**2 - crosswind_m_s**2) - headwind_m_s
    if speed <= 0:
        raise Infeasible(
            f"Against {headwind_m_s:.1f} m/s of head wind an airspeed of {airspeed_m_s:.1f} m/s makes no way. "
            "Wait for less wind or fly faster.",
            "wind.speed_m_s",
        )
    return speed


@dataclass(frozen=True, slots=True)
class Triangle:
    """The solved wind triangle of one leg; ``crab_deg`` is positive with the nose to the right."""

    crosswind_m_s: float
    headwind_m_s: float
    crab_deg: float
    heading_deg: float
    ground_speed_m_s: float


def wind_triangle(track_deg: float, airspeed_m_s: float, wind: Wind) -> Triangle:
    """Solve the wind triangle; raises `Infeasible` where the leg cannot be flown.

    Examples
    --------
    >>> round(wind_triangle(90, 15, Wind(5, 0)).ground_speed_m_s, 3)
    14.142
    """
    cross = crosswind_m_s(track_deg, wind.speed_m_s, wind.from_deg)
    head = headwind_m_s(track_deg, wind.speed_m_s, wind.from_deg)
    speed = ground_speed_m_s(airspeed_m_s, head, cross)
    crab = math.degrees(math.asin(cross / airspeed_m_s))
    return Triangle(cross, head, crab, (track_deg + crab) % 360, speed)


@formula("time = distance ÷ ground speed", source=ALGEBRA, result="leg_time_s")
def leg_time_s(distance_m: float, ground_speed_m_s: float) -> float:
    """Return the time of a straight leg. [s]"""
    return distance_m / ground_speed_m_s


def leg_times_s(dx_m: Floats, dy_m: Floats, airspeed_m_s: float, wind: Wind) -> Floats:
    """Return the time of many straight legs; ``inf`` where a leg cannot be flown.

    Parameters
    ----------
    dx_m, dy_m : arrays, shape (n,)
        East and north parts of each leg. [m]
    airspeed_m_s : float > 0
        True airspeed. [m/s]
    wind : Wind
        Steady wind at flying height.

    Returns
    -------
    array, shape (n,)
        Times; 0 for a leg of no length. [s]
    """
    east, north = wind.towards
    length = np.hypot(dx_m, dy_m)
    safe = np.where(length > 0, length, 1.0)
    ux, uy = dx_m / safe, dy_m / safe
    along = east * ux + north * uy
    cross = east * uy - north * ux
    squared = airspeed_m_s**2 - cross**2
    speed = along + np.sqrt(np.maximum(squared, 0.0))
    fine = (squared >= 0) & (speed > 0)
    times = np.where(fine, length / np.where(fine, speed, 1.0), np.inf)
    return np.where(length > 0, times, 0.0)


Holds = Literal["ground", "air"]
_LEAST_WAY_M_S = 0.5  # slower is standing still against the wind


@dataclass(frozen=True, slots=True)
class HeldSpeed:
    """The speed set on the lines: held over ground, as autopilots do, or through the air.

    Never more than ``most_air_m_s`` is flown through the air: held over ground, a leg then slows. With ``holds`` air the
    bound is the speed itself.
    """

    set_m_s: float
    holds: Holds = "ground"
    most_air_m_s: float = math.inf

    def __post_init__(self) -> None:
        require_range(self.set_m_s, 0.5, 40.0, "work.speed_m_s", "Speed on the lines", "m/s")
        if self.holds == "ground" and self.most_air_m_s < self.set_m_s:
            raise Infeasible(
                f"{self.set_m_s:.1f} m/s on the lines is more than the {self.most_air_m_s:.1f} m/s that the aircraft flies at most. "
                "Fly slower on the lines.",
                "work.speed_m_s",
            )

    @property
    def words(self) -> str:
        """Return the speed in words, as refusals name it."""
        if self.holds == "air":
            return f"{self.set_m_s:.1f} m/s through the air"
        bound = f", at most {self.most_air_m_s:.1f} m/s through the air" if math.isfinite(self.most_air_m_s) else ""
        return f"{self.set_m_s:.1f} m/s over ground{bound}"


@formula("airspeed = √((ground speed + headwind)² + crosswind²)", source=NAVIGATION, result="airspeed_m_s")
def airspeed_needed_m_s(ground_speed_m_s: float, headwind_m_s: float, crosswind_m_s: float) -> float:
    """Return the airspeed that holds a speed over ground on a track.

    Examples
    --------
    >>> airspeed_needed_m_s(5.0, -1.0, 3.0)
    5.0
    """
    return math.hypot(ground_speed_m_s + headwind_m_s, crosswind_m_s)


def held_speeds_m_s(dx_m: Floats, dy_m: Floats, held: HeldSpeed, wind: Wind) -> tuple[Floats, Floats]:
    """Return the speeds over ground and through the air of many straight legs.

    Over ground 0 where a leg cannot be flown; the speed set for a leg of no length.

    Parameters
    ----------
    dx_m, dy_m : arrays, shape (n,)
        East and north parts of each leg. [m]
    held : HeldSpeed
        What is held, and the bound.
    wind : Wind
        Steady wind at flying height.

    Returns
    -------
    (array, array), shape (n,) each
        Ground speeds and airspeeds. [m/s]
    """
    east, north = wind.towards
    length = np.hypot(dx_m, dy_m)
    safe = np.where(length > 0, length, 1.0)
    ux, uy = dx_m / safe, dy_m / safe
    along, cross = east * ux + north * uy, east * uy - north * ux
    bound = held.set_m_s if held.holds == "air" else held.most_air_m_s
    squared = bound**2 - cross**2
    reach = np.sqrt(np.maximum(squared, 0.0))
    fastest, slowest = along + reach, along - reach
    flyable = squared >= 0
    if held.holds == "air":
        ground = np.where(flyable & (fastest > 0), fastest, 0.0)
        air = np.full_like(ground, held.set_m_s)
    else:
        ground = np.where(
            flyable & (fastest >= _LEAST_WAY_M_S) & (slowest <= held.set_m_s), np.minimum(held.set_m_s, fastest), 0.0
        )
        air = np.hypot(ground - along, cross)
    still = length == 0
    return np.where(still, held.set_m_s, ground), np.where(still, held.set_m_s, air)


def held_times_s(dx_m: Floats, dy_m: Floats, held: HeldSpeed, wind: Wind) -> Floats:
    """Return the time of many straight legs at a held speed; ``inf`` where a leg cannot be flown. [s]"""
    ground, _ = held_speeds_m_s(dx_m, dy_m, held, wind)
    length = np.hypot(dx_m, dy_m)
    times = np.where(ground > 0, length / np.where(ground > 0, ground, 1.0), np.inf)
    return np.where(length > 0, times, 0.0)


def track_of(dx_m: float, dy_m: float) -> float:
    """Return the true bearing of a leg given by its east and north parts. [°]"""
    return math.degrees(math.atan2(dx_m, dy_m)) % 360
