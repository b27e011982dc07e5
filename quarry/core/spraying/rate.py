"""Spraying: application rate, flow and speed, litres and tank loads.

The product's label and local law take precedence over every figure here.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from quarry.core.base.errors import require_range
from quarry.core.base.sources import SPRAYING
from quarry.core.base.units import M2_PER_HA
from quarry.core.base.working import formula


@formula("rate = 600 × flow ÷ (speed in km/h × swath)", source=SPRAYING, result="rate_l_ha")
def application_rate_l_ha(flow_l_min: float, speed_m_s: float, swath_m: float) -> float:
    """Return the rate that a flow gives at a ground speed over a swath. [L/ha]

    Examples
    --------
    >>> round(application_rate_l_ha(2.0, 5.0, 4.0), 4)
    16.6667
    """
    return 600.0 * flow_l_min / (speed_m_s * 3.6 * swath_m)


@formula("flow = rate × speed in km/h × swath ÷ 600", source=SPRAYING, result="flow_l_min")
def flow_for_rate_l_min(rate_l_ha: float, speed_m_s: float, swath_m: float) -> float:
    """Return the flow that gives a wanted rate. [L/min]"""
    return rate_l_ha * speed_m_s * 3.6 * swath_m / 600.0


@formula("speed = 600 × flow ÷ (rate × swath), in km/h", source=SPRAYING, result="speed_m_s")
def speed_for_flow_m_s(flow_l_min: float, rate_l_ha: float, swath_m: float) -> float:
    """Return the ground speed at which a flow gives a wanted rate. [m/s]"""
    return 600.0 * flow_l_min / (rate_l_ha * swath_m) / 3.6


@formula("swath = 600 × flow ÷ (rate × speed in km/h)", source=SPRAYING, result="swath_m")
def swath_for_flow_m(flow_l_min: float, rate_l_ha: float, speed_m_s: float) -> float:
    """Return the swath over which a flow gives a wanted rate. [m]"""
    return 600.0 * flow_l_min / (rate_l_ha * speed_m_s * 3.6)


@formula("area per tank = tank ÷ rate", source=SPRAYING, result="tank_area_ha")
def tank_area_ha(tank_l: float, rate_l_ha: float) -> float:
    """Return the area that one tank treats. [ha]"""
    return tank_l / rate_l_ha


@formula("empty after = tank ÷ flow", source=SPRAYING, result="empty_s")
def empty_time_s(tank_l: float, flow_l_min: float) -> float:
    """Return how long a tank lasts. [s]"""
    return tank_l / flow_l_min * 60.0


@formula("work rate = speed × swath", source=SPRAYING, result="work_rate_ha_h")
def work_rate_ha_h(speed_m_s: float, swath_m: float) -> float:
    """Return the area treated in an hour without turns and refills. [ha/h]"""
    return speed_m_s * swath_m * 3600.0 / M2_PER_HA


@formula("litres = area × rate", source=SPRAYING, result="volume_l")
def volume_l(area_ha: float, rate_l_ha: float) -> float:
    """Return what an area takes. [L]"""
    return area_ha * rate_l_ha


@formula("longest line on one tank = area per tank ÷ swath", source=SPRAYING, result="tank_line_m")
def tank_line_m(tank_area_ha: float, swath_m: float) -> float:
    """Return the length of line that one tank treats. [m]"""
    return tank_area_ha * M2_PER_HA / swath_m


@formula("fillings = litres ÷ tank, rounded up", source=SPRAYING, result="loads_count")
def tank_loads(volume_l: float, tank_l: float) -> int:
    """Return how many fillings a volume takes."""
    return math.ceil(volume_l / tank_l - 1e-9)


LEAST_RATE_L_HA, MOST_RATE_L_HA = 0.5, 1000.0


def check_rate(rate_l_ha: float, field: str) -> float:
    """Return an application rate; raises `OutOfRange` at the field where it cannot be. [L/ha]"""
    return require_range(rate_l_ha, LEAST_RATE_L_HA, MOST_RATE_L_HA, field, "Application rate", "L/ha")


@dataclass(frozen=True, slots=True)
class SprayTask:
    """What is to be applied: rate, swath, tank, speed over ground on the lines, height above the crop."""

    rate_l_ha: float
    swath_m: float
    tank_l: float
    speed_m_s: float
    height_m: float

    def __post_init__(self) -> None:
        check_rate(self.rate_l_ha, "work.rate_l_ha")
        require_range(self.swath_m, 0.5, 40.0, "work.swath_m", "Swath", "m")
        require_range(self.tank_l, 0.5, 400.0, "work.tank_l", "Tank", "L")
        require_range(self.speed_m_s, 0.5, 20.0, "work.speed_m_s", "Speed on the lines", "m/s")
        require_range(self.height_m, 0.5, 60.0, "work.height_m", "Height above the crop", "m")


@dataclass(frozen=True, slots=True)
class SprayFigures:
    """Figures that follow from a `SprayTask` and the area."""

    flow_l_min: float
    tank_area_ha: float
    tank_line_m: float
    volume_l: float
    loads: int
    work_rate_ha_h: float


def spray_figures(task: SprayTask, area_ha: float) -> SprayFigures:
    """Return flow, litres, loads and work rate for an area."""
    per_tank = tank_area_ha(task.tank_l, task.rate_l_ha)
    litres = volume_l(area_ha, task.rate_l_ha)
    return SprayFigures(
        flow_for_rate_l_min(task.rate_l_ha, task.speed_m_s, task.swath_m),
        per_tank,
        tank_line_m(per_tank, task.swath_m),
        litres,
        tank_loads(litres, task.tank_l),
        work_rate_ha_h(task.speed_m_s, task.swath_m),
    )
