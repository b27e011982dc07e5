"""What a flight may spend: an aircraft with its load, its powers, and the reserve method.

Mass and rotors given, power follows speed, load, air and climb, anchored in the mean draw; without them it is the
mean draw at every speed, and said so.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from quarry.core.base.errors import Infeasible, require_range
from quarry.core.base.sources import ALGEBRA, ASSUMED, ENTERED, MEASURED, PRACTICE, SPRAYING
from quarry.core.base.units import J_PER_WH
from quarry.core.base.working import Step, formula, given, note_step
from quarry.core.defaults import FLOOR, LANDING
from quarry.core.flight.rotary import AirframeFigures, PowerModel, fit_power, flat_model
from quarry.core.flight.wind import Holds

_BEYOND_CRUISE = 1.3  # assumed where the greatest airspeed is not given, and said so
ReserveMethod = Literal["rated", "measured"]


@dataclass(frozen=True, slots=True)
class Airframe:
    """An aircraft with its usual load.

    ``packs_count`` packs fly together as one set; ``power_w`` is the mean draw of the whole aircraft in steady flight
    at cruise. ``fixed_s`` is take-off, climb, descent and landing together. ``mass_kg`` at take-off with packs and
    usual load, ``rotors_count`` and ``rotor_m`` let power follow speed, load and air; ``hover_w`` fixes the hover. ``learnt``
    says in words what own flights made of these powers, empty where they have not. On lines it ``holds`` its speed over
    ground or through the air, where it flies ``most_m_s`` at most, None where that is not known; ``fast_m_s`` is the airspeed
    of its fast mode, where a pilot has measured it.
    """

    name: str
    power_w: float
    cruise_m_s: float
    fixed_s: float
    turn_s: float
    packs_count: int = 1
    power_measured: bool = False
    mass_kg: float | None = None
    rotors_count: int | None = None
    rotor_m: float | None = None
    hover_w: float | None = None
    climb_m_s: float = 3.0
    learnt: str = ""
    holds: Holds = "ground"
    most_m_s: float | None = None
    fast_m_s: float | None = None

    @property
    def model(self) -> PowerModel:
        """Return how power follows speed, load and air; constant where mass or rotors are not given."""
        if self.mass_kg is None or self.rotors_count is None or self.rotor_m is None:
            return flat_model(self.power_w)
        return fit_power(
            AirframeFigures(self.mass_kg, self.rotors_count, self.rotor_m, self.hover_w, self.power_w, self.cruise_m_s)
        )

    def most_air_m_s(self, line_m_s: float) -> float:
        """Return the airspeed that is counted on at most: what is known, else somewhat more than its cruise, or the lines. [m/s]"""
        return self.most_m_s if self.most_m_s is not None else max(_BEYOND_CRUISE * self.cruise_m_s, line_m_s)

    def __post_init__(self) -> None:
        if self.most_m_s is not None:
            require_range(self.most_m_s, 1.0, 60.0, "aircraft.most_m_s", "Greatest airspeed", "m/s")
        require_range(self.climb_m_s, 0.5, 10.0, "aircraft.climb_m_s", "Climb", "m/s")
        require_range(self.power_w, 5.0, 60_000.0, "aircraft.power_w", "Mean power", "W")
        require_range(self.cruise_m_s, 0.5, 40.0, "aircraft.cruise_m_s", "Cruise airspeed", "m/s")
        require_range(self.fixed_s, 0.0, 900.0, "aircraft.fixed_s", "Take-off and landing time", "s")
        require_range(self.turn_s, 0.0, 120.0, "aircraft.turn_s", "Turn time", "s")
        require_range(self.packs_count, 1, 8, "aircraft.packs_count", "Packs in one set", "")


@dataclass(frozen=True, slots=True)
class PackFigures:
    """What is known of the weakest pack of a set: rated energy and today's share of it."""

    name: str
    rated_wh: float
    health_frac: float = 1.0

    def __post_init__(self) -> None:
        require_range(self.rated_wh, 1.0, 20_000.0, "pack.rated_wh", "Rated energy", "Wh")
        require_range(self.health_frac, 0.3, 1.1, "pack.health_frac", "State of health", "")


@dataclass(frozen=True, slots=True)
class ReservePolicy:
    """How much stays in the pack at landing, and of what.

    ``rated``: the share counts from the label (default). ``measured``: from what the pack holds
    today. ``floor_frac`` is the minimum that is shown but never planned into.
    """

    landing_frac: float = LANDING.value
    floor_frac: float = FLOOR.value
    method: ReserveMethod = "rated"

    def __post_init__(self) -> None:
        require_range(self.landing_frac, 0.05, 0.9, "reserve.landing_frac", "Landing reserve", "")
        require_range(self.floor_frac, 0.0, self.landing_frac, "reserve.floor_frac", "Minimum charge", "")


def power_step(aircraft: Airframe, where: str) -> Step:
    """Return the step of a working that says where the mean power of an aircraft comes from."""
    known = aircraft.power_measured or bool(aircraft.learnt)
    return Step(
        "power_w",
        aircraft.power_w,
        "W",
        f"mean power of {aircraft.name} {where}",
        source=MEASURED if aircraft.learnt else ENTERED if aircraft.power_measured else ASSUMED,
        kind="input" if known else "assumption",
        note=aircraft.learnt or ("" if known else "from the model's figures, not yet from your own flights"),
    )


@formula("energy today = rated × health × packs in the set", source=ALGEBRA, result="energy_today_wh")
def energy_today_wh(rated_wh: float, health_frac: float, packs_count: int) -> float:
    """Return what a full set holds today. [Wh]"""
    return rated_wh * health_frac * packs_count


@formula("reserve = share × rated × packs in the set", source=PRACTICE, result="reserve_wh")
def reserve_of_rated_wh(landing_frac: float, rated_wh: float, packs_count: int) -> float:
    """Return the reserve of the method that counts from the label. [Wh]"""
    return landing_frac * rated_wh * packs_count


@formula("reserve = share × energy today", source=PRACTICE, result="reserve_wh")
def reserve_of_measured_wh(landing_frac: float, energy_today_wh: float) -> float:
    """Return the reserve of the method that counts from today's capacity. [Wh]"""
    return landing_frac * energy_today_wh


@formula("usable = energy today − reserve", source=ALGEBRA, result="usable_wh")
def usable_energy_wh(energy_today_wh: float, reserve_wh: float) -> float:
    """Return what may be spent from take-off to landing. [Wh]"""
    return energy_today_wh - reserve_wh


@formula("flight time = usable ÷ mean power", source=ALGEBRA, result="usable_s")
def usable_time_s(usable_wh: float, power_w: float) -> float:
    """Return the longest flight from take-off to landing. [s]"""
    return usable_wh * J_PER_WH / power_w


@dataclass(frozen=True, slots=True)
class Endurance:
    """What a full set gives: energies in Wh, the reserve as the aircraft's screen shows it, the time."""

    energy_wh: float
    reserve_wh: float
    usable_wh: float
    usable_s: float
    reserve_shown_frac: float


def endurance(aircraft: Airframe, pack: PackFigures, policy: ReservePolicy) -> Endurance:
    """Return how long a full set may fly and land with its reserve.

    Raises
    ------
    Infeasible
        Nothing is left to fly with once the reserve is taken off.

    Examples
    --------
    >>> e = endurance(Airframe("A", 400, 10, 60, 3), PackFigures("1", 200), ReservePolicy(0.3))
    >>> round(e.usable_s)
    1260
    """
    note_step(given("rated_wh", pack.rated_wh, label=f"rated energy of pack {pack.name}", source=ENTERED))
    note_step(given("health_frac", pack.health_frac, label=f"state of health of pack {pack.name}", source=ENTERED))
    energy = energy_today_wh(pack.rated_wh, pack.health_frac, aircraft.packs_count)
    if policy.method == "rated":
        reserve = reserve_of_rated_wh(policy.landing_frac, pack.rated_wh, aircraft.packs_count)
    else:
        reserve = reserve_of_measured_wh(policy.landing_frac, energy)
    usable = usable_energy_wh(energy, reserve)
    if usable <= 0:
        raise Infeasible(
            f"Pack {pack.name} holds {energy:.0f} Wh and the reserve is {reserve:.0f} Wh: nothing is left to fly with. "
            "Choose a stronger pack or a smaller reserve.",
            "pack",
        )
    note_step(power_step(aircraft, "with its load"))
    return Endurance(energy, reserve, usable, usable_time_s(usable, aircraft.power_w), reserve / energy)


@formula("longest work on one tank = tank ÷ flow", source=SPRAYING, result="tank_time_s")
def tank_time_s(tank_l: float, flow_l_min: float) -> float:
    """Return how long a tank lasts at a steady flow. [s]"""
    return tank_l / flow_l_min * 60.0
