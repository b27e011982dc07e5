"""Power of a rotary-wing aircraft from airspeed, weight and air: the published form, and one scaled to an aircraft.

The published form keeps the rotor speed; an aircraft with fixed propellers turns faster when heavier or in thinner
air, so its hover power grows with mass^1.5 and density^-0.5 as momentum theory has it at a constant figure of merit.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from quarry.core.air.atmosphere import GRAVITY_M_S2, SEA_LEVEL_KG_M3
from quarry.core.base.errors import require_range
from quarry.core.base.sources import ALGEBRA, ASSUMED, ENTERED, LEISHMAN, ZENG
from quarry.core.base.working import Step, formula, given, note_step

Floats = NDArray[np.float64]
FIGURE_OF_MERIT = 0.62
ELECTRIC_FRAC = 0.78
_PROFILE_SHARE = 0.33  # of hover power; the published rotor has 0.47, small propellers of merit 0.62 about 0.3
_TIP_M_S = 120.0
_LEAST_DRAG_M2 = 0.002


@dataclass(frozen=True, slots=True)
class Rotor:
    """A rotor in the published form: blade profile and induced power in hover, tip speed, induced velocity, drag area.

    Powers are for the weight and density it was made for. [W, m/s, m²]
    """

    profile_w: float
    induced_w: float
    tip_m_s: float
    induced_m_s: float
    drag_m2: float
    density_kg_m3: float


@formula("disc area = rotors × π × (diameter ÷ 2)²", source=ALGEBRA, result="disc_m2")
def disc_area_m2(rotors_count: int, diameter_m: float) -> float:
    """Return the area of all rotors; stacked pairs count once. [m²]"""
    return rotors_count * math.pi * (diameter_m / 2) ** 2


@formula("weight = mass × 9.80665", source=ALGEBRA, result="weight_n")
def weight_n(mass_kg: float) -> float:
    """Return the weight of a mass. [N]"""
    return mass_kg * GRAVITY_M_S2


@formula("ideal hover power = weight^1.5 ÷ √(2 × density × disc area)", source=LEISHMAN, result="ideal_w")
def ideal_hover_w(weight_n: float, density_kg_m3: float, disc_m2: float) -> float:
    """Return the least power that holds a weight in the air. [W]"""
    return math.pow(weight_n, 1.5) / math.sqrt(2 * density_kg_m3 * disc_m2)


@formula("induced velocity = √(weight ÷ (2 × density × disc area))", source=LEISHMAN, result="induced_m_s")
def induced_velocity_m_s(weight_n: float, density_kg_m3: float, disc_m2: float) -> float:
    """Return the speed of the air through the rotors in hover. [m/s]"""
    return math.sqrt(weight_n / (2 * density_kg_m3 * disc_m2))


@formula("hover power = ideal ÷ (figure of merit × motor and controller)", source=LEISHMAN, result="hover_w")
def hover_power_w(ideal_w: float, merit_frac: float, electric_frac: float) -> float:
    """Return the power out of the pack in hover. [W]"""
    return ideal_w / (merit_frac * electric_frac)


@formula("power ratio = (mass₂ ÷ mass₁)^1.5 × √(density₁ ÷ density₂)", source=LEISHMAN, result="power_ratio")
def power_ratio(mass1_kg: float, mass2_kg: float, density1_kg_m3: float, density2_kg_m3: float) -> float:
    """Return how hover power changes with mass and air; flight time changes by the inverse.

    Examples
    --------
    >>> round(power_ratio(6, 7, 1.225, 1.225), 3)
    1.26
    """
    return math.pow(mass2_kg / mass1_kg, 1.5) * math.sqrt(density1_kg_m3 / density2_kg_m3)


def published_rotor(
    weight_n: float,
    density_kg_m3: float,
    *,
    disc_m2: float = 0.503,
    radius_m: float = 0.4,
    omega_rad_s: float = 300.0,
    solidity: float = 0.05,
    drag_ratio: float = 0.6,
    profile_drag: float = 0.012,
    correction: float = 0.1,
) -> Rotor:
    """Return the rotor of Zeng, Xu and Zhang (2019), table I, at another weight or density with its rotor speed kept."""
    return Rotor(
        profile_drag / 8 * density_kg_m3 * solidity * disc_m2 * omega_rad_s**3 * radius_m**3,
        (1 + correction) * weight_n**1.5 / math.sqrt(2 * density_kg_m3 * disc_m2),
        omega_rad_s * radius_m,
        math.sqrt(weight_n / (2 * density_kg_m3 * disc_m2)),
        drag_ratio * solidity * disc_m2,
        density_kg_m3,
    )


def shaft_power_w(rotor: Rotor, airspeed_m_s: Floats | float) -> Floats:
    """Return P(V) = P0 (1 + 3V²/U²) + Pi √(√(1 + V⁴/4v⁴) − V²/2v²) + ½ ρ f V³. [W]

    Source: Zeng, Xu and Zhang 2019. ``f`` is the drag area d0·s·A. Aerodynamic power, motor losses left out.
    """
    v = np.asarray(airspeed_m_s, dtype=np.float64)
    ratio = (v / rotor.induced_m_s) ** 2 / 2
    # √(1+x²) − x loses its digits at speed; 1/(√(1+x²)+x) is the same and does not.
    induced = rotor.induced_w * np.sqrt(1.0 / (np.sqrt(1 + ratio**2) + ratio))
    profile = rotor.profile_w * (1 + 3 * v**2 / rotor.tip_m_s**2)
    return np.asarray(profile + induced + 0.5 * rotor.density_kg_m3 * rotor.drag_m2 * v**3)


@dataclass(frozen=True, slots=True)
class AirframeFigures:
    """What a crew knows of an aircraft. ``mass_kg`` at take-off with packs, without extra load.

    ``cruise_w`` at ``cruise_m_s`` and ``hover_w`` are powers out of the pack near sea level: measured, or from a
    claim of minutes and the energy of the pack. Either may be missing.
    """

    mass_kg: float
    rotors_count: int
    rotor_m: float
    hover_w: float | None = None
    cruise_w: float | None = None
    cruise_m_s: float | None = None

    def __post_init__(self) -> None:
        require_range(self.mass_kg, 0.1, 200.0, "aircraft.mass_kg", "Mass at take-off", "kg")
        require_range(self.rotors_count, 3, 16, "aircraft.rotors_count", "Rotors", "")
        require_range(self.rotor_m, 0.05, 2.5, "aircraft.rotor_m", "Rotor diameter", "m")
        if self.hover_w is not None:
            require_range(self.hover_w, 5.0, 60_000.0, "aircraft.hover_w", "Hover power", "W")


@dataclass(frozen=True, slots=True)
class PowerModel:
    """Power out of the pack of one aircraft, scaled to its figures at mass ``mass_kg`` and sea-level density.

    ``rotor`` is in watts out of the pack. ``flat`` says that too little was known and the power is taken as constant.
    ``note`` says what was fitted and what assumed.
    """

    rotor: Rotor
    mass_kg: float
    flat_w: float | None = None
    note: str = ""

    @property
    def flat(self) -> bool:
        """Whether power is taken as constant."""
        return self.flat_w is not None

    def at(self, payload_kg: float = 0.0, density_kg_m3: float = SEA_LEVEL_KG_M3) -> Rotor:
        """Return the rotor with a load and in an air."""
        require_range(payload_kg, -0.9 * self.mass_kg, 3 * self.mass_kg, "payload_kg", "Load", "kg")
        m, d = (self.mass_kg + payload_kg) / self.mass_kg, density_kg_m3 / self.rotor.density_kg_m3
        grow = m**1.5 / math.sqrt(d)
        return replace(
            self.rotor,
            profile_w=self.rotor.profile_w * grow,
            induced_w=self.rotor.induced_w * grow,
            tip_m_s=self.rotor.tip_m_s * math.sqrt(m / d),
            induced_m_s=self.rotor.induced_m_s * math.sqrt(m / d),
            density_kg_m3=density_kg_m3,
        )

    def power_w(
        self,
        airspeed_m_s: Floats | float,
        payload_kg: float = 0.0,
        density_kg_m3: float = SEA_LEVEL_KG_M3,
        climb_m_s: float = 0.0,
    ) -> Floats:
        """Return the power out of the pack at an airspeed, with a load, in an air, climbing. [W]

        A climb adds weight × climb over the losses of motor and rotor; a descent gives nothing back.
        """
        if self.flat_w is not None:
            return np.full_like(np.asarray(airspeed_m_s, dtype=np.float64), self.flat_w)
        level = shaft_power_w(self.at(payload_kg, density_kg_m3), airspeed_m_s)
        return level + climb_extra_w((self.mass_kg + payload_kg) * GRAVITY_M_S2, climb_m_s) if climb_m_s > 0 else level

    def explained_w(self, airspeed_m_s: float, payload_kg: float, density_kg_m3: float) -> float:
        """Return the level power at one airspeed by the leaf that shows it; as `power_w` does. [W]"""
        r = self.at(payload_kg, density_kg_m3)
        return level_power_w(airspeed_m_s, r.profile_w, r.induced_w, r.tip_m_s, r.induced_m_s, r.drag_m2, r.density_kg_m3)


@formula(
    "level power = profile × (1 + 3 V² ÷ tip²) + induced × √(√(1 + r²) − r), r = V² ÷ (2 induced velocity²), + ½ density × drag area × V³",
    source=ZENG,
    result="level_w",
)
def level_power_w(
    airspeed_m_s: float,
    profile_w: float,
    induced_w: float,
    tip_m_s: float,
    induced_m_s: float,
    drag_m2: float,
    density_kg_m3: float,
) -> float:
    """Return the power out of the pack in level flight. [W]"""
    rotor = Rotor(profile_w, induced_w, tip_m_s, induced_m_s, drag_m2, density_kg_m3)
    return float(shaft_power_w(rotor, airspeed_m_s))


@formula("ideal ÷ hover: rotor and motors together, 0.4 to 0.6 is usual", source=LEISHMAN, result="merit_frac")
def merit_frac(ideal_w: float, hover_w: float) -> float:
    """Return the share of the hover power that an ideal rotor would need."""
    return ideal_w / hover_w


@formula(
    "drag area that meets the cruise = (cruise power − power without drag) ÷ (½ density × V³), never below the least",
    source=ZENG,
    result="drag_m2",
)
def drag_of_cruise_m2(cruise_w: float, bare_w: float, density_kg_m3: float, airspeed_m_s: float, least_m2: float) -> float:
    """Return the drag area with which a known cruise power is met. [m²]"""
    return max((cruise_w - bare_w) / (0.5 * density_kg_m3 * airspeed_m_s**3), least_m2)


@formula("climbing adds weight × climb ÷ motor and controller", source=LEISHMAN, result="climb_w")
def climb_extra_w(weight_n: float, climb_m_s: float) -> float:
    """Return what a climb adds to the power out of the pack; the rotor's induced power is left as in level flight. [W]"""
    return weight_n * climb_m_s / ELECTRIC_FRAC


def flat_model(power_w: float) -> PowerModel:
    """Return the model of an aircraft of which only a mean draw is known: the same at every speed."""
    return PowerModel(
        Rotor(0.0, power_w, _TIP_M_S, 5.0, 0.0, SEA_LEVEL_KG_M3), 1.0, power_w, "constant: mass and rotors not given"
    )


def fit_power(figures: AirframeFigures) -> PowerModel:
    """Return the power model scaled to what is known of an aircraft.

    Hover power fixes the rotor's losses; without it the cruise does, without both a figure of merit of 0.62 and
    motors of 0.78 are assumed. Cruise power beside hover fixes the drag; a cruise that needs less than the model can
    give is met by the drag's least value and said so.
    """
    disc = disc_area_m2(figures.rotors_count, figures.rotor_m)
    weight = weight_n(figures.mass_kg)
    ideal = ideal_hover_w(weight, SEA_LEVEL_KG_M3, disc)
    velocity = induced_velocity_m_s(weight, SEA_LEVEL_KG_M3, disc)
    drag = max(_LEAST_DRAG_M2, 0.04 * disc)  # of the published quadrotor: drag area 0.015 m² to 0.5 m² of disc

    def with_hover(hover: float, drag_m2: float) -> Rotor:
        return Rotor(_PROFILE_SHARE * hover, (1 - _PROFILE_SHARE) * hover, _TIP_M_S, velocity, drag_m2, SEA_LEVEL_KG_M3)

    cruise, speed = figures.cruise_w, figures.cruise_m_s
    if figures.hover_w is None and cruise is not None and speed is not None:
        unit = float(shaft_power_w(with_hover(1.0, 0.0), speed))
        parasite = 0.5 * SEA_LEVEL_KG_M3 * drag * speed**3
        hover = max(cruise - parasite, 0.6 * cruise) / unit
        note_step(given("cruise_w", cruise, label=f"power in steady flight at {speed:g} m/s", source=ENTERED))
        note_step(
            Step(
                "hover_w", hover, "W", "hover power by the shape of the curve, drag area assumed", source=ZENG, kind="assumption"
            )
        )
        return PowerModel(with_hover(hover, drag), figures.mass_kg, note="hover from the cruise, drag area assumed")
    if figures.hover_w is None:
        hover = hover_power_w(ideal, FIGURE_OF_MERIT, ELECTRIC_FRAC)
        note_step(
            given("merit_frac", FIGURE_OF_MERIT, label="figure of merit of small propellers", source=ASSUMED, kind="assumption")
        )
        return PowerModel(with_hover(hover, drag), figures.mass_kg, note="from mass and rotors alone: measure a hover")
    hover = figures.hover_w
    note_step(given("hover_w", hover, label="hover power", source=ENTERED))
    merit_frac(ideal, hover)
    if cruise is None or speed is None:
        return PowerModel(with_hover(hover, drag), figures.mass_kg, note="from the hover, drag area assumed")
    bare = float(shaft_power_w(with_hover(hover, 0.0), speed))
    fitted = drag_of_cruise_m2(cruise, bare, SEA_LEVEL_KG_M3, speed, _LEAST_DRAG_M2)
    note = "hover and cruise both met"
    if fitted == _LEAST_DRAG_M2:
        note = f"a cruise of {cruise:.0f} W is less than hover and drag allow: planned with {bare:.0f} W"
    return PowerModel(with_hover(hover, fitted), figures.mass_kg, note=note)


@formula("rated power = energy of the pack × share used ÷ minutes", source=ALGEBRA, result="claim_w")
def power_of_claim_w(energy_wh: float, used_frac: float, time_s: float) -> float:
    """Return the mean power behind a claimed or timed flight. [W]"""
    return energy_wh * used_frac * 3600.0 / time_s
