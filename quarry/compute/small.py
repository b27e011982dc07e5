"""Calculators that answer one question each, with the working of every number."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from quarry.compute.register import Input, answer, calculator
from quarry.core.base.shapes import plain
from quarry.core.flight.wind import Wind, leg_time_s, wind_triangle
from quarry.core.ground.mapping import Camera, MappingTask, mapping_figures
from quarry.core.ground.search import DetectionLaw, SearchTask, search_figures
from quarry.core.power.charging import ChargeLaw, charge_time_s
from quarry.core.rotation.steady_state import mean_wait_s, packs_needed, ports_needed, takeoff_interval_s
from quarry.core.spraying.rate import SprayTask, spray_figures


class CameraIn(Input):
    """A frame camera."""

    name: str = "camera"
    sensor_w_mm: float
    sensor_h_mm: float
    focal_mm: float
    image_w_px: int
    image_h_px: int


class MappingIn(Input):
    """Camera, height, overlaps and speed."""

    camera: CameraIn
    height_m: float
    side_overlap_frac: float = 0.7
    forward_overlap_frac: float = 0.8
    speed_m_s: float = 8.0
    exposure_s: float = 0.001


@calculator("mapping", "GSD, footprint, line spacing, trigger distance and blur", MappingIn)
def mapping(data: MappingIn) -> dict[str, Any]:
    """Return the figures of a mapping task with their working."""
    task = MappingTask(
        Camera(**data.camera.model_dump()),
        data.height_m,
        data.side_overlap_frac,
        data.forward_overlap_frac,
        data.speed_m_s,
        data.exposure_s,
    )
    figures, working = answer("Mapping figures", mapping_figures, task)
    return {**plain(figures), "working": working}


class SprayingIn(Input):
    """Rate, swath, tank, speed and area."""

    rate_l_ha: float
    swath_m: float
    tank_l: float
    speed_m_s: float
    height_m: float = 3.0
    area_ha: float = Field(gt=0, le=20_000)


@calculator("spraying", "Flow, litres, tank loads and work rate for an application rate", SprayingIn)
def spraying(data: SprayingIn) -> dict[str, Any]:
    """Return the figures of a spraying task with their working."""
    task = SprayTask(data.rate_l_ha, data.swath_m, data.tank_l, data.speed_m_s, data.height_m)
    figures, working = answer("Spraying figures", spray_figures, task, data.area_ha)
    return {**plain(figures), "working": working}


class SearchIn(Input):
    """Sweep width, coverage, law, speed and area."""

    sweep_width_m: float
    coverage: float = 1.0
    law: DetectionLaw = "random"
    speed_m_s: float = 8.0
    height_m: float = 50.0
    area_m2: float = Field(gt=0, le=2e8)


@calculator("search", "Track spacing, probability of detection and time on scene", SearchIn)
def search(data: SearchIn) -> dict[str, Any]:
    """Return the figures of a search task with their working."""
    task = SearchTask(data.sweep_width_m, data.coverage, data.law, data.speed_m_s, data.height_m)
    figures, working = answer("Search figures", search_figures, task, data.area_m2)
    return {**plain(figures), "working": working}


class WayHomeIn(Input):
    """A straight way in steady wind."""

    distance_m: float = Field(ge=0, le=100_000)
    track_deg: float
    airspeed_m_s: float = Field(gt=0, le=40)
    wind_speed_m_s: float
    wind_from_deg: float


@calculator("way", "Ground speed, heading and time of a straight way in wind", WayHomeIn)
def way(data: WayHomeIn) -> dict[str, Any]:
    """Return the wind triangle and time of a way with their working."""

    def solve() -> dict[str, Any]:
        found = wind_triangle(data.track_deg, data.airspeed_m_s, Wind(data.wind_speed_m_s, data.wind_from_deg))
        return {**plain(found), "time_s": leg_time_s(data.distance_m, found.ground_speed_m_s)}

    figures, working = answer("Time of the way", solve)
    return {**figures, "working": working}


class ChargeIn(Input):
    """One pack on one port."""

    energy_wh: float = Field(gt=0, le=20_000)
    from_frac: float = Field(ge=0, le=1)
    power_w: float = Field(gt=0, le=20_000)
    cv_from_frac: float = 0.85
    most_rate_c: float = 2.0


@calculator("charge", "Charge time at constant current, then constant voltage", ChargeIn)
def charge(data: ChargeIn) -> dict[str, Any]:
    """Return the time to full with its working."""
    law = ChargeLaw(data.cv_from_frac, data.most_rate_c)
    seconds, working = answer("Charge time", charge_time_s, data.energy_wh, data.from_frac, data.power_w, law)
    return {"charge_s": seconds, "working": working}


class SteadyIn(Input):
    """The cycle of one pack; the slot is flight and swap together."""

    slot_s: float = Field(gt=0)
    rest_after_flight_s: float = Field(ge=0)
    charge_s: float = Field(ge=0)
    rest_after_charge_s: float = Field(ge=0)
    packs: int = Field(ge=1, le=200)
    ports: int = Field(ge=1, le=200)
    method: Literal["closed form"] = "closed form"


@calculator("steady", "Packs and ports so that nobody waits, and the wait with fewer", SteadyIn)
def steady(data: SteadyIn) -> dict[str, Any]:
    """Return what is needed for no waiting, and the mean wait with what there is."""
    cycle = (data.slot_s, data.rest_after_flight_s, data.charge_s, data.rest_after_charge_s)

    def solve() -> dict[str, Any]:
        return {
            "packs_needed": packs_needed(*cycle),
            "ports_needed": ports_needed(data.slot_s, data.charge_s),
            "interval_s": takeoff_interval_s(*cycle, data.packs, data.ports),
        }

    figures, working = answer("Steady rotation", solve)
    return {**figures, "mean_wait_s": mean_wait_s(data.slot_s, figures["interval_s"]), "working": working}
