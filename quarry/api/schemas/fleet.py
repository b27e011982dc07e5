"""Fleet: models and items. Each has an input, a change (with the version seen) and an output."""

from __future__ import annotations

from datetime import date
from typing import Literal
from uuid import UUID

from ninja import Schema
from pydantic import Field

from quarry.api.schemas.base import In

Name = Field(min_length=1, max_length=60)


class Kept(Schema):
    """What every kept thing shows."""

    id: UUID
    version: int
    archived: bool


class CameraIn(In):
    """A frame camera."""

    name: str = Name
    notes: str = ""
    sensor_w_mm: float
    sensor_h_mm: float
    focal_mm: float
    image_w_px: int
    image_h_px: int


class PackModelIn(In):
    """A kind of pack."""

    name: str = Name
    notes: str = ""
    chemistry: Literal["lipo", "lihv", "liion", "lfp"]
    cells: int
    capacity_ah: float
    nominal_cell_v: float
    cv_from_frac: float
    most_rate_c: float
    storage_frac: float
    drains_itself: bool
    parallel: int = 1
    balance_s: float = 0
    drains_after_days: int | None = None
    mass_kg: float | None = None
    label_c: float | None = None
    price: float | None = None
    test_good_v: float | None = None
    test_bad_v: float | None = None
    fits: str = Field(default="", max_length=60)


class AircraftModelIn(In):
    """A kind of aircraft with its usual load."""

    name: str = Name
    notes: str = ""
    work: Literal["mapping", "spraying", "search", "any"]
    pack_model_id: UUID
    packs_count: int
    power_w: float
    cruise_m_s: float
    fixed_s: float
    turn_s: float
    camera_id: UUID | None = None
    tank_l: float | None = None
    swath_m: float | None = None
    mass_kg: float | None = None
    rotors: int | None = Field(default=None, ge=3, le=16)
    rotor_m: float | None = None
    hover_w: float | None = None
    climb_m_s: float = 3.0
    most_wind_m_s: float | None = None
    least_air_c: float | None = None
    most_air_c: float | None = None
    least_pack_c: float | None = None
    most_load_kg: float | None = None
    rain_rated: bool = False
    shows: Literal["cells", "total", "none"] = "cells"
    live_at_once: bool = False
    power_up: list[str] = Field(default_factory=list, max_length=12)


class ModeIn(In):
    """A rate of a charger."""

    name: str = Field(min_length=1, max_length=30)
    pack_w: float
    wall_w: float


class ChargerModelIn(In):
    """A kind of charger."""

    name: str = Name
    notes: str = ""
    ports: int
    modes: list[ModeIn] = Field(max_length=6)
    cap_w: float | None = None
    power_factor: float = 0.95
    least_cells: int | None = None
    most_cells: int | None = None
    most_v: float | None = None


class SupplyModelIn(In):
    """A kind of supply."""

    name: str = Name
    notes: str = ""
    kind: Literal["generator", "mains", "vehicle"]
    rated_w: float
    headroom_frac: float
    outlets_count: int = 0
    outlet_a: float = 16
    outlet_v: float = 230
    fuel: Literal["", "petrol", "diesel"] = ""
    tank_l: float | None = None


class AircraftIn(In):
    """One aircraft."""

    name: str = Name
    notes: str = ""
    model_id: UUID
    power_w: float | None = None


class PackIn(In):
    """One pack."""

    name: str = Name
    notes: str = ""
    model_id: UUID
    mates: str = Field(default="", max_length=20)
    health_frac: float
    charge_frac: float
    cycles: int
    serial: str = Field(default="", max_length=40)
    price: float | None = None
    bought_on: date | None = None
    warranty_until: date | None = None


class ChargerIn(In):
    """One charger."""

    name: str = Name
    notes: str = ""
    model_id: UUID


class SupplyIn(In):
    """One supply."""

    name: str = Name
    notes: str = ""
    model_id: UUID


class CameraOut(Kept, CameraIn):
    """A camera."""


class PackModelOut(Kept, PackModelIn):
    """A kind of pack with its rated energy."""

    rated_wh: float


class AircraftModelOut(Kept, AircraftModelIn):
    """A kind of aircraft."""


class ChargerModelOut(Kept, ChargerModelIn):
    """A kind of charger."""


class SupplyModelOut(Kept, SupplyModelIn):
    """A kind of supply."""


class AircraftOut(Kept, AircraftIn):
    """One aircraft."""


class PackOut(Kept, PackIn):
    """One pack; whether it is grounded follows from its records."""

    grounded: bool
    grounded_why: str


class ChargerOut(Kept, ChargerIn):
    """One charger."""


class SupplyOut(Kept, SupplyIn):
    """One supply."""


class FleetOut(Schema):
    """The whole fleet."""

    cameras: list[CameraOut]
    pack_models: list[PackModelOut]
    aircraft_models: list[AircraftModelOut]
    charger_models: list[ChargerModelOut]
    supply_models: list[SupplyModelOut]
    aircraft: list[AircraftOut]
    packs: list[PackOut]
    chargers: list[ChargerOut]
    supplies: list[SupplyOut]
