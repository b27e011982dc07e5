"""Fleet rows to core records. Building the record is also the check of its figures."""

from __future__ import annotations

from dataclasses import dataclass
from typing import cast

from quarry.apps.fleet.fields import charger_modes, learned
from quarry.apps.fleet.figures import BY_NOUN, MOST_LINES, Figure, NounFigures
from quarry.apps.fleet.models import (
    Aircraft,
    AircraftModel,
    Camera,
    Charger,
    ChargerModel,
    Nozzle,
    Pack,
    PackModel,
    Product,
    Supply,
    SupplyModel,
    Thing,
)
from quarry.core.base.errors import CoreError, MissingInput, require_range
from quarry.core.base.naming import running_names
from quarry.core.cells.chemistry import chemistry_of
from quarry.core.cells.laws import law_of
from quarry.core.flight.energy import Airframe, PackFigures
from quarry.core.flight.home import BothWays, airspeed_of_both_ways_m_s
from quarry.core.flight.usable_energy import PackToday
from quarry.core.flight.wind import Holds
from quarry.core.ground.mapping import Camera as CameraRecord
from quarry.core.packs.warranty import WarrantyTerms
from quarry.core.power.charging import ChargeLaw, ChargerRange, why_not_charged
from quarry.core.power.outlets import Drawn, Outlet
from quarry.core.power.supply import supply_watts
from quarry.core.spraying.dose import FlowKind, Pump
from quarry.core.spraying.kept_clear import buffer_rows
from quarry.core.spraying.mix import Basis, FormKey, MixItem, Unit
from quarry.core.spraying.nozzles import Atomisers, Nozzles, class_at, drop_rows, droplet_rows
from quarry.core.spraying.season import SeasonLimits

FleetError = CoreError
_MEASURED_ANEW = 0.005


@dataclass(frozen=True, slots=True)
class MeasuredPack:
    """What records tell of a pack beyond its health: resistance of a mean cell at 25 °C, weakest over mean; cold flights of its model."""

    cell_25_ohm: float | None = None
    weak_times: float = 1.0
    cold_flights: int = 0


NOUNS: dict[str, type[Thing]] = {
    "cameras": Camera,
    "pack-models": PackModel,
    "aircraft-models": AircraftModel,
    "charger-models": ChargerModel,
    "supply-models": SupplyModel,
    "aircraft": Aircraft,
    "packs": Pack,
    "chargers": Charger,
    "supplies": Supply,
    "nozzles": Nozzle,
    "products": Product,
}
_FIGURES = {model: BY_NOUN[noun] for noun, model in NOUNS.items()}


def figures_of(model: type[Thing]) -> NounFigures:
    """Return what a kind of thing is made of."""
    return _FIGURES[model]


def names_alike(first: str, count: int) -> list[str]:
    """Return what several things alike are called, the first as given."""
    return running_names(first, count)


def camera_record(row: Camera) -> CameraRecord:
    """Return the core's camera."""
    return CameraRecord(row.name, row.sensor_w_mm, row.sensor_h_mm, row.focal_mm, row.image_w_px, row.image_h_px)


def airframe(model: AircraftModel, item: Aircraft | None = None, *, claimed: bool = False) -> Airframe:
    """Return the core's aircraft; the power measured on the item stands above the model's.

    A calibration of the item, else of its model, multiplies all of its powers; ``claimed`` leaves it out.
    """
    measured = item.power_w if item is not None else None
    own = learned(item, "power") if item is not None and not claimed else None
    calibration = own or (learned(model, "power") if not claimed else None)
    times = calibration.factor if calibration is not None else 1.0
    return Airframe(
        item.name if item is not None else model.name,
        times * (measured if measured is not None else model.power_w),
        model.cruise_m_s,
        model.fixed_s,
        model.turn_s,
        model.packs_count,
        power_measured=measured is not None,
        mass_kg=model.mass_kg,
        rotors_count=model.rotors,
        rotor_m=model.rotor_m,
        hover_w=times * model.hover_w if model.hover_w is not None else None,
        climb_m_s=model.climb_m_s,
        learnt=calibration.full_words if calibration is not None else "",
        holds=cast(Holds, model.holds),
        most_m_s=model.most_m_s,
        fast_m_s=_fast_m_s(item),
    )


def _fast_m_s(item: Aircraft | None) -> float | None:
    if item is None or (item.fast_into_m_s is None and item.fast_with_m_s is None):
        return None
    if item.fast_into_m_s is None or item.fast_with_m_s is None:
        lacks = "fast_into_m_s" if item.fast_into_m_s is None else "fast_with_m_s"
        raise MissingInput("Speeds measured both ways come in two: enter into the wind and with it, or neither.", lacks)
    try:
        both = BothWays(item.fast_into_m_s, item.fast_with_m_s)
    except CoreError as bad:
        bad.field = f"fast_{bad.field}"
        raise
    return airspeed_of_both_ways_m_s(both.into_m_s, both.with_m_s)


def pump_of(model: AircraftModel) -> Pump:
    """Return how an aircraft sprays."""
    return Pump(cast(FlowKind, model.flow), model.least_flow_l_min, model.most_flow_l_min)


def health_of(row: Pack) -> float:
    """Return the health that a pack is planned with: what its records say, times its calibration.

    A capacity measured after the calibration stands above it.
    """
    found = learned(row, "capacity")
    if found is None or abs((found.of or 0.0) - row.health_frac) > _MEASURED_ANEW:
        return row.health_frac
    return min(1.1, max(0.3, row.health_frac * found.factor))


def energy_today_wh(row: Pack) -> float:
    """Return what a pack holds by its records: rated energy times measured health. [Wh]"""
    return row.model.rated_wh * row.health_frac


def usual_cell_ohm(row: PackModel) -> float:
    """Return the resistance at 25 °C that a cell of a kind of pack is planned with until its own is known. [Ω]"""
    return law_of(chemistry_of(row.chemistry)).read_ohm_ah / row.capacity_ah


def cell_ohm_of(row: Pack, measured: MeasuredPack) -> float | None:
    """Return the resistance of a mean cell at 25 °C that a pack is planned with; None: the usual of its kind. [Ω]"""
    found = learned(row, "resistance")
    if found is None:
        return measured.cell_25_ohm
    return min(1.0, found.factor * (measured.cell_25_ohm or usual_cell_ohm(row.model)))


def slowness_of(row: Pack) -> float:
    """Return how many times as long as computed a pack takes to charge, by its calibration."""
    found = learned(row, "charge")
    return found.factor if found is not None else 1.0


def _check_aircraft(row: AircraftModel) -> None:
    known = [row.mass_kg, row.rotors, row.rotor_m]
    if any(x is None for x in known) and any(x is not None for x in known):
        lacks = next(n for n in ("mass_kg", "rotors", "rotor_m") if getattr(row, n) is None)
        raise MissingInput(
            "Mass, rotors and rotor diameter come together: power follows speed and load only with all three.", lacks
        )
    if row.hover_w is not None and row.mass_kg is None:
        raise MissingInput("A hover power needs mass and rotors beside it.", "mass_kg")
    _ = airframe(row).model


def pack_today(row: Pack, records: MeasuredPack, start_c: float, start_frac: float, *, measured: bool) -> PackToday:
    """Return the core's pack as it stands before a flight."""
    m = row.model
    return PackToday(
        row.name,
        chemistry_of(m.chemistry),
        m.cells,
        m.capacity_ah,
        m.rated_wh,
        health_of(row),
        cell_ohm_of(row, records),
        records.weak_times,
        start_frac,
        start_c,
        measured,
        records.cold_flights,
    )


def new_pack(row: PackModel, start_c: float, cold_flights: int) -> PackToday:
    """Return a new pack of a model as the core's; ``cold_flights``: those of its model in the logbook."""
    chemistry = chemistry_of(row.chemistry)
    return PackToday(
        f"(new {row.name})", chemistry, row.cells, row.capacity_ah, row.rated_wh, start_c=start_c, cold_flights=cold_flights
    )


def pack_figures(row: Pack) -> PackFigures:
    """Return the core's figures of a pack."""
    return PackFigures(row.name, row.model.rated_wh, health_of(row))


def model_figures(row: PackModel) -> PackFigures:
    """Return the figures of a new pack of a model."""
    return PackFigures(f"(new {row.name})", row.rated_wh, 1.0)


def charge_law(row: PackModel) -> ChargeLaw:
    """Return how a kind of pack takes a charge."""
    return ChargeLaw(row.cv_from_frac, row.most_rate_c)


def charger_range(model: ChargerModel) -> ChargerRange:
    """Return which packs a kind of charger takes."""
    return ChargerRange(model.least_cells, model.most_cells, model.most_v, tuple(model.chemistries))


def not_charged_words(charger: Charger, pack: PackModel) -> str:
    """Return why a charger does not take a kind of pack; empty where it does, or where that is not known."""
    return why_not_charged(charger_range(charger.model), chemistry_of(pack.chemistry), pack.cells)


def outlets_of(model: SupplyModel, name: str) -> list[Outlet]:
    """Return the outlets of a supply; none where they are not known."""
    many = model.outlets_count > 1
    return [
        Outlet(f"{name}, outlet {k}" if many else name, model.outlet_v, model.outlet_a) for k in range(1, model.outlets_count + 1)
    ]


def drawn_of(charger: Charger) -> Drawn:
    """Return a charger as its outlet sees it: all ports at their fastest, within its own limit."""
    most = charger.model.ports * max(m.wall_w for m in charger_modes(charger.model))
    model = charger.model
    return Drawn(charger.name, min(most, model.cap_w or most), model.power_factor, model.supply_leads)


def _check_levels(row: PackModel) -> None:
    good, bad = row.test_good_v, row.test_bad_v
    if (good is None) != (bad is None):
        raise MissingInput("Own levels of the load test come in two: good from, and bad below.", "test_bad_v")
    if good is not None and bad is not None and bad >= good:
        raise MissingInput("Bad lies below good. Check both levels.", "test_bad_v")


def _check_alarms(row: PackModel) -> None:
    first, second = row.alarm_first_v, row.alarm_second_v
    if (first is None) != (second is None):
        raise MissingInput("Alarm levels come in two: one warns, the other lands.", "alarm_second_v")
    if first is not None and second is not None and second >= first:
        raise MissingInput("Level 2 lies below level 1: it lands by itself. Check both levels.", "alarm_second_v")
    for name, volts in (("alarm_first_v", first), ("alarm_second_v", second)):
        full_v = chemistry_of(row.chemistry).full_v * row.cells
        if volts is not None and not 0.5 * full_v <= volts <= full_v:
            raise MissingInput(f"{volts:g} V cannot be for {row.cells} cells, full at {full_v:.1f} V.", name)


def check(row: Thing) -> None:
    """Raise `FleetError` naming the field if a figure is not plausible."""
    try:
        for figure in figures_of(type(row)).figures:
            _check_figure(figure, getattr(row, figure.key))
        if isinstance(row, Camera):
            camera_record(row)
        elif isinstance(row, AircraftModel):
            _check_aircraft(row)
        elif isinstance(row, Aircraft):
            airframe(row.model, row)
        elif isinstance(row, PackModel):
            _check_levels(row)
            _check_alarms(row)
            WarrantyTerms(row.warranty_replace_days, row.warranty_prorata_days)
            charge_law(row)
        elif isinstance(row, Pack):
            pack_figures(row)
        elif isinstance(row, ChargerModel):
            _check_charger(row)
        elif isinstance(row, SupplyModel):
            supply_watts(row.rated_w, row.headroom_frac, generator=row.kind == "generator")
            outlets_of(row, row.name)
        elif isinstance(row, Nozzle):
            _check_nozzle(row)
        elif isinstance(row, Product):
            buffer_rows(row.buffer, "buffer")
    except CoreError as bad:
        bad.field = bad.field.rsplit(".", 1)[-1]
        raise


def _check_nozzle(row: Nozzle) -> None:
    if row.kind == "rotary":
        if row.least_l_min is None or row.most_l_min is None:
            raise MissingInput("Enter the flow that one atomiser takes, from and to.", "least_l_min")
        Atomisers(1, row.least_l_min, row.most_l_min, drop_rows(row.droplets, "droplets"))
        return
    if not row.size:
        raise MissingInput("Choose the size of the nozzle.", "size")
    if row.least_bar is None or row.most_bar is None:
        raise MissingInput("Enter the pressures that it is made for, from and to.", "least_bar")
    Nozzles(row.size, 1, row.least_bar, row.most_bar)
    droplet_rows(row.droplets, "droplets")


def mix_item(row: Product, rate_amount: float | None, basis: str) -> MixItem:
    """Return a product in a mix; with no rate of the job's own that of its label."""
    amount = rate_amount if rate_amount is not None else row.rate_amount
    chosen = basis if rate_amount is not None else row.basis
    return MixItem(
        row.name, amount or 0.0, cast(Basis, chosen), cast(Unit, row.unit), cast(FormKey, row.form), row.least_water_l_ha
    )


def droplets_at(row: Nozzle, pressure_bar: float) -> str:
    """Return the class of the drops of a hydraulic nozzle at a pressure by the maker's table; empty where it says nothing."""
    if row.kind != "hydraulic":
        return ""
    return class_at(droplet_rows(row.droplets, "droplets"), pressure_bar) or ""


def season_limits(row: Product) -> SeasonLimits:
    """Return what the label of a product allows in a season."""
    return SeasonLimits(row.name, row.unit, row.most_count, row.most_amount, row.least_interval_days, row.before_harvest_days)


def _check_figure(figure: Figure, value: object) -> None:
    """Raise `CoreError` where a value that is known lies outside its range, told in the shown unit, or lines are too long."""
    if figure.kind == "lines":
        lines = value if isinstance(value, list) else [None]
        if len(lines) > MOST_LINES or not all(isinstance(x, str) and 0 < len(x) <= figure.longest for x in lines):
            raise MissingInput(f"Write up to {MOST_LINES} short lines.", figure.key)
    elif figure.kind == "several":
        known = [key for key, _ in figure.choices]
        if not isinstance(value, list) or sorted(k for k in known if k in value) != sorted(map(str, value)):
            raise MissingInput("Choose among those that are offered, each once.", figure.key)
    elif figure.low is not None and figure.high is not None and isinstance(value, int | float):
        low, high = figure.low * figure.scale, figure.high * figure.scale
        require_range(value * figure.scale, low, high, figure.key, figure.checked_as or figure.label, figure.unit)


def _check_charger(row: ChargerModel) -> None:
    if not row.modes:
        raise MissingInput("A charger needs at least one rate. Add one with its watts.", "modes")
    modes = charger_modes(row)
    for mode in modes:
        require_range(mode.pack_w, 5, 20_000, "modes", f"Power into a pack at rate {mode.name}", "W")
        require_range(mode.wall_w, mode.pack_w, 30_000, "modes", f"Power drawn at rate {mode.name}", "W")
    if row.most_cells is not None:
        require_range(row.most_cells, row.least_cells or 1, 28, "most_cells", "Most cells", "")
    if row.cap_w is not None:
        require_range(row.cap_w, min(m.wall_w for m in modes), 100_000, "cap_w", "Limit of all ports together", "W")
