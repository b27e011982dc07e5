"""Calculators of one pack: load test, resistance and current, charge-back, alarm levels, rest voltage, transport."""

from __future__ import annotations

from functools import partial
from typing import Any, Literal

from pydantic import Field

from quarry.compute import pictures
from quarry.compute.register import Input, answer, calculator
from quarry.core.base.shapes import plain
from quarry.core.base.sources import ENTERED
from quarry.core.base.working import as_dict
from quarry.core.cells.chemistry import chemistry_of
from quarry.core.cells.ocv import charge_from_rest
from quarry.core.cells.resistance import (
    USUAL_B_K,
    heat_w,
    label_current_a,
    leads_ohm,
    rate_of_current,
    resistance_at_25_ohm,
    resistance_from_load,
    sag_v,
    sustainable_current_a,
)
from quarry.core.defaults import LANDING
from quarry.core.packs.alarms import AlarmReading, propose_levels
from quarry.core.packs.charge_back import TimedFlight, charge_back
from quarry.core.packs.depth import USUAL_POWER, depth_table
from quarry.core.packs.forecast import PackOffer, compare
from quarry.core.packs.load_test import LoadTest, LoadTestPolicy, judge_load_test, query_load
from quarry.core.packs.transport import APPROVAL_WH, CABIN_WH, transport_advice

ChemistryKey = Literal["lipo", "lihv", "liion", "lfp"]


class LoadTestIn(Input):
    """What was seen in a full-power climb, and whether the pack was full."""

    chemistry: ChemistryKey = "lipo"
    cells_count: int
    cell_volts: list[float] = Field(default_factory=list, max_length=28)
    total_v: float | None = None
    start_frac: float | None = Field(default=None, ge=0, le=1.05)
    rest_cell_v: float | None = None
    pack_c: float | None = Field(default=None, ge=-40, le=90)
    cold_c: float = 15.0
    good_v: float | None = None
    bad_v: float | None = None


@calculator("load-test", "Good, replace soon or bad, from the lowest volts of a full-power climb", LoadTestIn)
def load_test(data: LoadTestIn) -> dict[str, Any]:
    """Return the verdict with its working."""
    test = LoadTest(data.cells_count, tuple(data.cell_volts), data.total_v, data.start_frac, data.rest_cell_v, data.pack_c)
    policy = LoadTestPolicy(cold_c=data.cold_c, good_v=data.good_v, bad_v=data.bad_v)
    query_load(chemistry_of(data.chemistry), data.cells_count, test.cell_volts, test.total_v, "cell_volts")
    found = judge_load_test(chemistry_of(data.chemistry), test, policy)
    shown = plain(
        {k: getattr(found, k) for k in ("verdict", "evidence", "weakest_cell", "weakest_v", "spread_v", "cycles_left", "words")}
    )
    chemistry = chemistry_of(data.chemistry)
    levels = (data.good_v or chemistry.test_good_v, data.bad_v or chemistry.test_bad_v)
    drawn = pictures.of_load_test(data.cell_volts, found.weakest_v, levels)
    return {**shown, "picture": drawn, "working": as_dict(found.working)}


class CurrentIn(Input):
    """One cell by a meter, the pack's temperature then, and what the label says."""

    capacity_ah: float = Field(gt=0, le=200)
    cell_ohm: list[float] = Field(min_length=1, max_length=28)
    pack_c: float = 25.0
    b_k: float = Field(default=USUAL_B_K, ge=0, le=8000)
    label_c_count: float | None = Field(default=None, gt=0, le=500)
    pack_ohm: float | None = Field(default=None, gt=0)


@calculator("sustainable-current", "What current the resistance of the cells can bear, beside the label", CurrentIn)
def sustainable_current(data: CurrentIn) -> dict[str, Any]:
    """Return the current of the worst cell at 25 °C, its heat and sag, and what leads and plugs add."""

    def solve() -> dict[str, float | None]:
        worst = max(data.cell_ohm)
        at_25 = resistance_at_25_ohm(worst, data.pack_c, data.b_k)
        leads = leads_ohm(data.pack_ohm, sum(data.cell_ohm)) if data.pack_ohm is not None else None
        label = label_current_a(data.capacity_ah, data.label_c_count) if data.label_c_count is not None else None
        current = sustainable_current_a(data.capacity_ah, at_25)
        found = {"heat_w": heat_w(current, at_25), "sag_v": sag_v(current, at_25)}
        return {
            "resistance_25_ohm": at_25,
            "leads_ohm": leads,
            "label_a": label,
            **found,
            "current_a": current,
            "rate_c_count": rate_of_current(current, data.capacity_ah),
        }

    figures, working = answer("Sustainable current", solve)
    current, at_25 = figures["current_a"] or 0.0, figures["resistance_25_ohm"] or 0.0
    drawn = pictures.of_current(data.capacity_ah, at_25, current, figures["label_a"])
    return {**figures, "picture": drawn, "working": working}


class LoadPointsIn(Input):
    """Points of a flight or bench load."""

    volts: list[float] = Field(max_length=100_000)
    amperes: list[float] = Field(max_length=100_000)
    drawn_ah: list[float] | None = Field(default=None, max_length=100_000)


@calculator("resistance-from-load", "Resistance of a pack from points of a load", LoadPointsIn)
def resistance(data: LoadPointsIn) -> dict[str, Any]:
    """Return the fit with its working."""
    drawn = data.drawn_ah if data.drawn_ah is not None else [0.0] * len(data.volts)
    fit, working = answer("Resistance from a load", resistance_from_load, data.volts, data.amperes, drawn)
    return {**plain(fit), "working": working}


class FlightIn(Input):
    """A timed flight and the charge after it."""

    flown_s: float
    put_back_ah: float
    used_frac: float | None = None


class ChargeBackIn(Input):
    """One or several timed flights of a pack."""

    flights: list[FlightIn] = Field(max_length=500)
    rated_ah: float
    landing_frac: float = LANDING.value
    method: Literal["rated", "measured"] = "rated"


@calculator("charge-back", "Draw, health and minutes to plan from timed flights and what was put back", ChargeBackIn)
def minutes_from_charge(data: ChargeBackIn) -> dict[str, Any]:
    """Return draw, spread, capacity, health and the time to plan."""
    flights = [TimedFlight(f.flown_s, f.put_back_ah, f.used_frac) for f in data.flights]

    def solve() -> Any:
        return charge_back(flights, data.rated_ah, landing_frac=data.landing_frac, method=data.method)

    found, working = answer("Time to plan", solve)
    return {**plain(found), "picture": pictures.of_charge_back(found), "working": working}


class AlarmReadingIn(Input):
    """Volts of the pack some time after take-off."""

    at_s: float = Field(ge=0, le=20_000)
    rest_v: float | None = None
    loaded_v: float | None = None


class AlarmsIn(Input):
    """Readings of a test flight and the time needed home."""

    chemistry: ChemistryKey = "lipo"
    cells_count: int
    readings: list[AlarmReadingIn] = Field(max_length=2000)
    return_s: float
    wanted_cell_v: float | None = None
    floor_cell_v: float | None = None
    most_loss_v: float | None = Field(default=None, ge=0)


@calculator("alarm-levels", "Both levels of a two-level voltage alarm, from readings and the way home", AlarmsIn)
def alarm_levels(data: AlarmsIn) -> dict[str, Any]:
    """Return both levels with their working."""
    readings = [AlarmReading(r.at_s, r.rest_v, r.loaded_v) for r in data.readings]

    def solve() -> Any:
        return propose_levels(
            chemistry_of(data.chemistry),
            data.cells_count,
            readings,
            data.return_s,
            wanted_cell_v=data.wanted_cell_v,
            floor_cell_v=data.floor_cell_v,
            most_loss_v=data.most_loss_v,
        )

    found, working = answer("Alarm levels", solve)
    rested = [(r.at_s, r.rest_v) for r in data.readings if r.rest_v is not None]
    return {**plain(found), "picture": pictures.of_alarms(found, rested), "working": working}


class RestIn(Input):
    """A rested pack at a meter."""

    chemistry: ChemistryKey = "lipo"
    pack_v: float
    cells_count: int


@calculator("rest-voltage", "What state of charge a rested voltage tells, as a range", RestIn)
def rest_voltage(data: RestIn) -> dict[str, Any]:
    """Return the range of charge with its working."""
    found, working = answer(
        "Charge from a rested voltage", charge_from_rest, chemistry_of(data.chemistry), data.pack_v, data.cells_count
    )
    cell_v = data.pack_v / data.cells_count
    drawn = pictures.of_rest(chemistry_of(data.chemistry), cell_v, found.low_frac, found.high_frac)
    return {**plain(found), "picture": drawn, "working": working}


class TransportIn(Input):
    """The label of a pack."""

    cells_count: int
    nominal_cell_v: float
    capacity_ah: float


@calculator("transport", "How a spare pack may travel by air", TransportIn)
def transport(data: TransportIn) -> dict[str, Any]:
    """Return class and cautions with the working."""
    found, working = answer("Transport by air", transport_advice, data.cells_count, data.nominal_cell_v, data.capacity_ah)
    steps = ((CABIN_WH, f"cabin to {CABIN_WH:.0f}"), (APPROVAL_WH, f"approval to {APPROVAL_WH:.0f}"))
    return {**plain(found), "picture": pictures.of_transport(found.energy_wh, steps), "working": working}


class DepthIn(Input):
    """How long a pack lives at the depth it is used, how long a whole charge flies, and what it costs."""

    cycles_count: float = Field(gt=0, le=20_000)
    at_frac: float = Field(default=0.8, ge=0.05, le=1)
    full_s: float = Field(gt=0, le=8 * 3600)
    price_count: float | None = Field(default=None, ge=0, le=1e6)
    power_count: float = Field(default=USUAL_POWER, ge=0.5, le=3)


@calculator("depth-of-use", "Flights, minutes and money over the life of a pack at 60, 70 and 80 % used", DepthIn)
def depth_of_use(data: DepthIn) -> dict[str, Any]:
    """Return a row for each depth."""
    found, working = answer(
        "Depth of use",
        partial(depth_table, source=ENTERED),
        data.cycles_count,
        data.at_frac,
        data.full_s,
        data.price_count,
        data.power_count,
    )
    return {**plain(found), "picture": pictures.of_depths(found), "working": working}


class OfferIn(Input):
    """A model of pack to buy."""

    name: str = Field(min_length=1, max_length=60)
    price_count: float
    flight_s: float
    flights_count: float | None = None


class CompareIn(Input):
    """Two packs for one airframe; prices in one currency."""

    a: OfferIn
    b: OfferIn


@calculator("compare-packs", "Which of two packs for one airframe gives the cheaper minute", CompareIn)
def compare_packs(data: CompareIn) -> dict[str, Any]:
    """Return money for each minute, of one flight and over life."""
    found, working = answer("Money for each minute", compare, PackOffer(**data.a.model_dump()), PackOffer(**data.b.model_dump()))
    drawn = pictures.of_offers((data.a.name, data.b.name), found.one_flight, (data.a.flights_count, data.b.flights_count))
    return {**plain(found), "picture": drawn, "working": working}
