"""The powers that one task asks for: hover, work, ways out and home, and the greatest, with load and air."""

from __future__ import annotations

from dataclasses import dataclass

from quarry.core.air.atmosphere import GRAVITY_M_S2, SEA_LEVEL_KG_M3
from quarry.core.base.errors import require_range
from quarry.core.base.sources import ALGEBRA, ASSUMED, CIPM, ENTERED, LEISHMAN, ZENG
from quarry.core.base.working import Quantity, Step, formula, given, note_step, summed
from quarry.core.flight.energy import Airframe, power_step
from quarry.core.flight.rotary import ELECTRIC_FRAC, climb_extra_w


@dataclass(frozen=True, slots=True)
class Load:
    """What is carried beyond the usual: ``fixed_kg`` all the way, ``sprayed_kg`` full at take-off and used up on the lines.

    Where the usual mass of an aircraft holds half a tank, ``fixed_kg`` is less by that half, and may be negative.
    """

    fixed_kg: float = 0.0
    sprayed_kg: float = 0.0

    def __post_init__(self) -> None:
        require_range(self.fixed_kg, -200.0, 100.0, "payload_kg", "Load", "kg")
        require_range(self.sprayed_kg, 0.0, 400.0, "work.tank_l", "Tank", "kg")


@dataclass(frozen=True, slots=True)
class Powers:
    """Powers out of the pack for one task. [W] ``climb_j_m``: energy for each metre climbed. ``flat``: constant power.

    ``work_w`` is the mean on the lines: with a tank, at the share of it that ``carried_frac`` stands for.
    """

    hover_w: float
    work_w: float
    turn_w: float
    out_w: float
    home_w: float
    peak_w: float
    climb_j_m: float
    flat: bool


@formula("energy of a metre of climb = weight ÷ motor and controller", source=LEISHMAN, result="climb_j_m")
def climb_energy_j_m(weight_n: float) -> float:
    """Return the energy out of the pack for each metre climbed. [J/m]"""
    return weight_n / ELECTRIC_FRAC


def powers_of(
    aircraft: Airframe,
    work_m_s: float,
    load: Load | None = None,
    density_kg_m3: float = SEA_LEVEL_KG_M3,
    carried_frac: float = 0.5,
    home_m_s: float | None = None,
) -> Powers:
    """Return the powers of a task.

    Parameters
    ----------
    aircraft : Airframe
        Its model gives power by speed; constant where mass or rotors are missing.
    work_m_s : float
        Airspeed on the lines in calm air. The way out is flown at the aircraft's cruise.
    load : Load, optional
        Beyond the usual.
    density_kg_m3 : float
        Of the air at flying height. [kg/m³]
    carried_frac : float
        Mean share of the tank carried on the lines.
    home_m_s : float, optional
        Airspeed on the way home; the cruise where it is left out.
    """
    load = load or Load()
    home_m_s = home_m_s if home_m_s is not None else aircraft.cruise_m_s
    model = aircraft.model
    note_step(power_step(aircraft, f"at {aircraft.cruise_m_s:g} m/s"))
    if model.flat:
        p = aircraft.power_w
        note_step(
            Step(
                "work_w",
                p,
                "W",
                "the same at every speed: mass and rotors of this model are not given",
                source=ASSUMED,
                kind="assumption",
            )
        )
        # Only a mean draw at cruise is known: beyond it all is counted as drag, which no aircraft exceeds.
        fast = p * max(1.0, home_m_s / aircraft.cruise_m_s) ** 3
        return Powers(p, p, p, p, fast, max(1.5 * p, fast), 0.0, flat=True)
    note_step(given("density_kg_m3", density_kg_m3, label="density of the air at flying height", source=CIPM))
    full, mean, empty = (load.fixed_kg + load.sprayed_kg * f for f in (1.0, carried_frac, 0.0))

    def power(v: float, kg: float) -> float:
        return float(model.power_w(v, kg, density_kg_m3))

    def shown(name: str, v: float, kg: float, words: str, climb: float = 0.0, note: str = "") -> float:
        """Return a power with its parts as steps."""
        parts = [Quantity("level_w", model.explained_w(v, kg, density_kg_m3), "W")]
        if climb > 0:
            parts.append(Quantity("climb_w", climb_extra_w((model.mass_kg + kg) * GRAVITY_M_S2, climb), "W"))
        step = summed(name, parts, unit="W", words=words if len(parts) == 1 else f"sum: {words}", source=ZENG, note=note)
        note_step(step)
        return float(step.value or 0.0)

    out = power(aircraft.cruise_m_s, full)
    hover = shown("hover_w", 0.0, full, "hover with the load at take-off")
    home = shown("home_w", home_m_s, empty, f"way home at {home_m_s:g} m/s")
    peak = shown("peak_w", 0.0, full, f"greatest: climbing {aircraft.climb_m_s:g} m/s from a hover", aircraft.climb_m_s)
    per_metre = climb_energy_j_m((model.mass_kg + full) * GRAVITY_M_S2)
    if full != 0:
        note_step(Step("load_kg", full, "kg", "beyond the usual load at take-off", source=ENTERED, kind="input"))
    work = shown("work_w", work_m_s, mean, f"on the lines at {work_m_s:g} m/s through the air", note=model.note)
    return Powers(hover, work, max(work, power(0.0, mean)), out, home, max(peak, hover, home), per_metre, flat=False)


@formula("energy = Σ power × time, with climbs", source=ALGEBRA, result="sortie_wh")
def sum_energy_wh(ends_wh: float, out_wh: float, route_wh: float, home_wh: float) -> float:
    """Return the energy of a sortie from its parts: take-off and landing, way out, route, way home. [Wh]"""
    return ends_wh + out_wh + route_wh + home_wh
