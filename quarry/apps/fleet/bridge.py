"""Fleet rows to core records. Building the record is also the check of its figures."""

from __future__ import annotations

from quarry.apps.fleet.models import (
    Aircraft,
    AircraftModel,
    Camera,
    Charger,
    ChargerModel,
    Pack,
    PackModel,
    SupplyModel,
)
from quarry.core.base.errors import CoreError, MissingInput, require_range
from quarry.core.flight.energy import Airframe, PackFigures
from quarry.core.ground.mapping import Camera as CameraRecord
from quarry.core.power.charging import ChargeLaw
from quarry.core.power.supply import Supply as SupplyRecord
from quarry.core.power.supply import can_give_w
from quarry.core.rotation.model import Charger as ChargerRecord
from quarry.core.rotation.model import Mode

FleetError = CoreError


def camera_record(row: Camera) -> CameraRecord:
    """Return the core's camera."""
    return CameraRecord(row.name, row.sensor_w_mm, row.sensor_h_mm, row.focal_mm, row.image_w_px, row.image_h_px)


def airframe(model: AircraftModel, item: Aircraft | None = None) -> Airframe:
    """Return the core's aircraft; the power measured on the item stands above the model's."""
    measured = item.power_w if item is not None else None
    return Airframe(
        item.name if item is not None else model.name,
        measured if measured is not None else model.power_w,
        model.cruise_m_s,
        model.fixed_s,
        model.turn_s,
        model.packs_count,
        power_measured=measured is not None,
    )


def pack_figures(row: Pack) -> PackFigures:
    """Return the core's figures of a pack."""
    return PackFigures(row.name, row.model.rated_wh, row.health_frac)


def model_figures(row: PackModel) -> PackFigures:
    """Return the figures of a new pack of a model."""
    return PackFigures(f"(new {row.name})", row.rated_wh, 1.0)


def charge_law(row: PackModel) -> ChargeLaw:
    """Return how a kind of pack takes a charge."""
    return ChargeLaw(row.cv_from_frac, row.most_rate_c)


def charger_record(row: Charger, number: int) -> ChargerRecord:
    """Return the core's charger; ``number`` keeps its ports apart from those of others."""
    modes = tuple(Mode(m["name"], m["pack_w"], m["wall_w"]) for m in row.model.modes)
    return ChargerRecord(f"{number}", row.model.ports, modes, row.model.cap_w)


def supply_watts(model: SupplyModel) -> float:
    """Return what a supply can give after headroom. [W]"""
    record = SupplyRecord(model.name, model.rated_w, model.headroom_frac)
    return can_give_w(record.rated_w, record.headroom_frac)


_OPTIONAL_OF_PACKS = (
    ("drains_after_days", 1, 60, "Drains itself after", "days"),
    ("mass_kg", 0.02, 60, "Mass", "kg"),
    ("label_c", 0.5, 500, "Printed rate", "C"),
    ("price", 0.0, 1e6, "Price", ""),
    ("test_good_v", 2.0, 4.3, "Good from", "V"),
    ("test_bad_v", 1.5, 4.2, "Bad below", "V"),
)


def _check_optional(row: PackModel) -> None:
    for name, low, high, words, unit in _OPTIONAL_OF_PACKS:
        value = getattr(row, name)
        if value is not None:
            require_range(value, low, high, name, words, unit)
    good, bad = row.test_good_v, row.test_bad_v
    if (good is None) != (bad is None):
        raise MissingInput("Own levels of the load test come in two: good from, and bad below.", "test_bad_v")
    if good is not None and bad is not None and bad >= good:
        raise MissingInput("Bad lies below good. Check both levels.", "test_bad_v")


def check(row: object) -> None:
    """Raise `FleetError` naming the field if a figure is not plausible."""
    try:
        if isinstance(row, Camera):
            camera_record(row)
        elif isinstance(row, AircraftModel):
            airframe(row)
            if row.tank_l is not None:
                require_range(row.tank_l, 0.5, 400, "tank_l", "Tank", "L")
            if row.swath_m is not None:
                require_range(row.swath_m, 0.5, 40, "swath_m", "Swath", "m")
        elif isinstance(row, Aircraft):
            airframe(row.model, row)
        elif isinstance(row, PackModel):
            require_range(row.cells, 1, 28, "cells", "Cells in series", "")
            require_range(row.capacity_ah, 0.2, 200, "capacity_ah", "Capacity", "Ah")
            require_range(row.nominal_cell_v, 2.5, 4.0, "nominal_cell_v", "Nominal volts of a cell", "V")
            require_range(row.storage_frac, 0.2, 0.8, "storage_frac", "Storage charge", "")
            require_range(row.parallel, 1, 20, "parallel", "Cells in parallel", "")
            _check_optional(row)
            charge_law(row)
        elif isinstance(row, Pack):
            require_range(row.charge_frac, 0.0, 1.0, "charge_frac", "Charge", "")
            require_range(row.cycles, 0, 10_000, "cycles", "Cycles", "")
            require_range(row.price or 0.0, 0.0, 1e6, "price", "Price", "")
            pack_figures(row)
        elif isinstance(row, ChargerModel):
            _check_charger(row)
        elif isinstance(row, SupplyModel):
            supply_watts(row)
    except CoreError as bad:
        bad.field = bad.field.rsplit(".", 1)[-1]
        raise


def _check_charger(row: ChargerModel) -> None:
    require_range(row.ports, 1, 32, "ports", "Ports", "")
    if not row.modes:
        raise MissingInput("A charger needs at least one rate. Add one with its watts.", "modes")
    for mode in row.modes:
        require_range(float(mode["pack_w"]), 5, 20_000, "modes", f"Power into a pack at rate {mode['name']}", "W")
        require_range(float(mode["wall_w"]), float(mode["pack_w"]), 30_000, "modes", f"Power drawn at rate {mode['name']}", "W")
    if row.cap_w is not None:
        require_range(row.cap_w, min(m["wall_w"] for m in row.modes), 100_000, "cap_w", "Limit of all ports together", "W")
