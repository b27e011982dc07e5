"""Temperature of a pack as one lump: heating by its own current, cooling to the air."""

from __future__ import annotations

import math

from quarry.core.base.errors import require_range
from quarry.core.base.sources import ALGEBRA, ASSUMED, INCROPERA
from quarry.core.base.working import Step, formula, note_step

SPECIFIC_J_KG_K = 1000.0
CELL_J_K_AH = 24.0  # 24 g for each ampere hour of one pouch cell at 1000 J/(kg K)
FLYING_W_K_AH = 0.0046  # a pack inside its bay; chosen so that packs settle some 40 K above hard frost
STILL_W_K_AH = 0.0032
CASE_W_K_AH = 0.0008


@formula("time constant = mass × specific heat ÷ cooling", source=INCROPERA, result="tau_s")
def tau_s(mass_kg: float, specific_j_kg_k: float, cooling_w_k: float) -> float:
    """Return how long it takes until a difference of temperature has fallen to 37 %. [s]"""
    return mass_kg * specific_j_kg_k / cooling_w_k


@formula("final rise = current² × resistance ÷ cooling", source=INCROPERA, result="rise_k")
def final_rise_k(current_a: float, pack_ohm: float, cooling_w_k: float) -> float:
    """Return how far above the air a pack settles at a steady current. [K]"""
    return current_a**2 * pack_ohm / cooling_w_k


@formula("temperature = air + rise + (start − air − rise) × e^(−time ÷ time constant)", source=INCROPERA, result="pack_c")
def pack_after_c(start_c: float, air_c: float, rise_k: float, time_s: float, tau_s: float) -> float:
    """Return the temperature of a pack after a time. [°C]"""
    return air_c + rise_k + (start_c - air_c - rise_k) * math.exp(-time_s / tau_s)


@formula("time = time constant × ln((start − air) ÷ (limit − air))", source=INCROPERA, result="cool_s")
def _cool_s(start_c: float, air_c: float, limit_c: float, tau_s: float) -> float:
    return tau_s * math.log((start_c - air_c) / (limit_c - air_c))


def cool_time_s(start_c: float, air_c: float, limit_c: float, tau_s: float) -> float | None:
    """Return how long a pack needs to cool to a limit; 0 if it is there, None if the air is no cooler. [s]"""
    if start_c <= limit_c:
        return 0.0
    return None if limit_c <= air_c else _cool_s(start_c, air_c, limit_c, tau_s)


def warm_hold_s(start_c: float, air_c: float, least_c: float, tau_s: float) -> float | None:
    """Return how long a warm pack stays above a limit in colder air; None for ever. [s]"""
    if start_c <= least_c:
        return 0.0
    return None if air_c >= least_c else _cool_s(start_c, air_c, least_c, tau_s)


def preheat_time_s(start_c: float, target_c: float, case_c: float, tau_s: float) -> float | None:
    """Return how long a pack needs in a warm case to reach a temperature; 0 if it is there, None if never. [s]"""
    require_range(case_c, -20.0, 60.0, "case_c", "Temperature of the case", "°C")
    if start_c >= target_c:
        return 0.0
    if case_c <= target_c:
        return None
    time = tau_s * math.log((case_c - start_c) / (case_c - target_c))
    note_step(
        Step(
            "preheat_s",
            time,
            "s",
            "time constant × ln((case − start) ÷ (case − target))",
            source=INCROPERA,
            note="surface is warm before the core",
        )
    )
    return time


def pack_tau_s(cell_ah: float, cells_count: int, cooling_w_k_ah: float = STILL_W_K_AH) -> float:
    """Return the time constant of a pack from its cells; mass and cooling both grow with charge held. [s]"""
    note_step(
        Step(
            "tau_s",
            CELL_J_K_AH / cooling_w_k_ah,
            "s",
            f"heat held ÷ cooling: {CELL_J_K_AH:g} J/K and {cooling_w_k_ah:g} W/K for each Ah of a cell",
            source=ASSUMED,
            kind="assumption",
            note=f"{cells_count} cells of {cell_ah:g} Ah; replace it by a cooling that you timed",
        )
    )
    return CELL_J_K_AH / cooling_w_k_ah


@formula("heat = current² × resistance", source=ALGEBRA, result="heat_w")
def joule_heat_w(current_a: float, pack_ohm: float) -> float:
    """Return the heat that a current turns in a resistance. [W]"""
    return current_a**2 * pack_ohm
