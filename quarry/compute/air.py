"""Calculators of air and flight: density and damp, wind and way home, flight minutes, a pack in the cold, reports read."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

from pydantic import Field

from quarry.compute.packs import ChemistryKey
from quarry.compute.pictures import line, mark, picture
from quarry.compute.register import Input, answer, calculator
from quarry.core.air.aloft import Level, cover_of, wind_aloft
from quarry.core.air.atmosphere import air_density_kg_m3, density_altitude_m, station_pressure_pa
from quarry.core.air.chill import relief_s, wind_chill_c
from quarry.core.air.damp import delta_t_class, delta_t_k, dew_point_c, humidity_from_dew_point, spread_k, wet_bulb_c
from quarry.core.air.metar import read_metar
from quarry.core.base.errors import CoreError
from quarry.core.base.shapes import plain
from quarry.core.base.sources import ENTERED, WMO_306
from quarry.core.base.working import Step, Working, as_dict
from quarry.core.cells.chemistry import chemistry_of
from quarry.core.cells.thermal import pack_tau_s, preheat_time_s, warm_hold_s
from quarry.core.defaults import LANDING
from quarry.core.flight.cold_start import cold_start
from quarry.core.flight.energy import Airframe, ReservePolicy
from quarry.core.flight.envelope import farthest_flight, longest_flight
from quarry.core.flight.home import BothWays, air_as_measured, reach, way_home
from quarry.core.flight.powers import Load, powers_of
from quarry.core.flight.rotary import AirframeFigures, PowerModel, fit_power, power_of_claim_w
from quarry.core.flight.usable_energy import ColdMethod, Demand, PackToday
from quarry.core.flight.wind import Wind

CoverKey = Literal["water", "grass", "crops", "hedges", "wood"]


class AirIn(Input):
    """What a weather station shows; humidity or a dew point."""

    elevation_m: float = 0.0
    qnh_hpa: float = 1013.25
    air_c: float
    humidity_frac: float | None = Field(default=None, ge=0, le=1)
    dew_point_c: float | None = None
    wind_m_s: float = Field(default=0.0, ge=0, le=60)


@calculator("air", "Density, density altitude, dew point, Delta-T and wind chill of the air", AirIn)
def air(data: AirIn) -> dict[str, Any]:
    """Return what the air is like for flight, spraying and people."""

    def solve() -> dict[str, Any]:
        if data.humidity_frac is None and data.dew_point_c is None:
            raise CoreError("Give the humidity or the dew point.", "humidity_frac")
        humidity = data.humidity_frac
        if humidity is None:
            humidity = humidity_from_dew_point(data.air_c, float(data.dew_point_c or 0.0))
        pressure = station_pressure_pa(data.qnh_hpa, data.elevation_m)
        dew = dew_point_c(data.air_c, max(0.01, humidity))
        wet = wet_bulb_c(data.air_c, max(0.01, humidity), pressure)
        delta = delta_t_k(data.air_c, wet)
        chill = wind_chill_c(data.air_c, data.wind_m_s)
        density = air_density_kg_m3(pressure, data.air_c, humidity)
        return {
            "pressure_hpa": pressure / 100,
            "humidity_frac": humidity,
            "dew_point_c": dew,
            "spread_k": spread_k(data.air_c, dew),
            "wet_bulb_c": wet,
            "delta_t_k": delta,
            "delta_t_class": delta_t_class(delta),
            "chill_c": chill,
            "relief_s": relief_s(chill),
            "density_kg_m3": density,
            "density_altitude_m": density_altitude_m(density),
        }

    found, working = answer("Density altitude", solve)
    points = []
    for k in range(41):
        celsius = data.air_c - 20 + k
        points.append(
            (celsius, density_altitude_m(air_density_kg_m3(found["pressure_hpa"] * 100, celsius, found["humidity_frac"])))
        )
    drawn = picture(
        "°C",
        "m, density altitude",
        [line("this pressure and humidity", points)],
        [mark(f"{found['density_altitude_m']:.0f} m", x=data.air_c, y=found["density_altitude_m"], tone="good")],
    )
    return {**found, "picture": drawn, "working": working}


class HomeIn(Input):
    """A place seen from home, a wind read at a height, and an aircraft."""

    distance_m: float = Field(ge=0, le=100_000)
    bearing_deg: float = Field(ge=-360, le=720)
    reading_m_s: float = Field(ge=0, le=60)
    from_deg: float
    reading_height_m: float = Field(default=10.0, ge=0.5, le=500)
    height_m: float = Field(default=60.0, ge=0.5, le=500)
    cover: CoverKey = "grass"
    airspeed_m_s: float = Field(gt=0, le=40)
    power_w: float = Field(gt=0, le=60_000)
    energy_wh: float = Field(gt=0, le=20_000)
    into_m_s: float | None = Field(default=None, ge=0, le=40)
    with_m_s: float | None = Field(default=None, gt=0, le=60)


@calculator("way-home", "The way home into the wind at flying height, and how far out home is certain", HomeIn)
def home(data: HomeIn) -> dict[str, Any]:
    """Return the way home, its time and energy, and the radius from within which home is certain."""
    if (data.into_m_s is None) != (data.with_m_s is None):
        raise CoreError("Speeds measured both ways come in two: into the wind and with it.", "with_m_s")
    both = BothWays(data.into_m_s, data.with_m_s) if data.into_m_s is not None and data.with_m_s is not None else None

    def solve() -> dict[str, Any]:
        up = wind_aloft(
            [Level(data.reading_height_m, data.reading_m_s, data.from_deg % 360)], data.height_m, cover_of(data.cover)
        )
        # Speeds that the pilot measured both ways take precedence over those computed, for the way home and for the radius alike.
        airspeed, wind = (
            air_as_measured(both, up.from_deg) if both is not None else (data.airspeed_m_s, Wind(up.wind_m_s, up.from_deg))
        )
        radius = reach(data.energy_wh, airspeed, data.power_w, wind)
        way = way_home(data.distance_m, data.bearing_deg, wind, airspeed, data.power_w)
        return {
            **plain(way),
            "airspeed_m_s": airspeed,
            "wind_m_s": wind.speed_m_s,
            "gust_m_s": up.gust_m_s,
            "radius_m": radius,
            "spare_wh": data.energy_wh - way.energy_wh,
        }

    found, working = answer("Way home", solve)
    points = []
    for k in range(37):
        try:
            way = way_home(
                data.distance_m, 10.0 * k, Wind(found["wind_m_s"], data.from_deg % 360), found["airspeed_m_s"], data.power_w
            )
            points.append((10.0 * k, way.energy_wh))
        except CoreError:
            continue
    drawn = picture(
        "° bearing from home",
        "Wh to get home",
        [line(f"from {data.distance_m:.0f} m", points)],
        [
            mark(f"{found['energy_wh']:.1f} Wh", x=data.bearing_deg % 360, y=found["energy_wh"], tone="good"),
            mark(f"{data.energy_wh:.0f} Wh to spend", y=data.energy_wh, tone="bad"),
        ],
    )
    return {**found, "picture": drawn, "working": working}


class MinutesIn(Input):
    """An aircraft by few figures or by its claim, its pack, its load and the air."""

    mass_kg: float = Field(gt=0, le=200)
    rotors_count: int = Field(ge=3, le=16)
    rotor_m: float = Field(gt=0, le=2.5)
    energy_wh: float = Field(gt=0, le=20_000)
    claimed_hover_s: float | None = Field(default=None, gt=0, le=14_400)
    claimed_cruise_s: float | None = Field(default=None, gt=0, le=14_400)
    cruise_m_s: float = Field(default=10.0, gt=0, le=40)
    load_kg: float = Field(default=0.0, ge=0, le=100)
    density_kg_m3: float = Field(default=1.225, ge=0.4, le=1.6)
    headwind_m_s: float = Field(default=0.0, ge=-30, le=30)
    landing_frac: float = Field(default=LANDING.value, ge=0, le=0.9)


@calculator("flight-minutes", "Minutes by airspeed with a load and in an air, from a claim or from mass and rotors", MinutesIn)
def minutes(data: MinutesIn) -> dict[str, Any]:
    """Return minutes in hover, at cruise and at the best speeds."""

    def solve() -> dict[str, Any]:
        hover = power_of_claim_w(data.energy_wh, 1.0, data.claimed_hover_s) if data.claimed_hover_s is not None else None
        cruise = power_of_claim_w(data.energy_wh, 1.0, data.claimed_cruise_s) if data.claimed_cruise_s is not None else None
        # Without a claim at cruise the hover alone fixes the model; a cruise power is read off it.
        base = Airframe("it", 500.0, data.cruise_m_s, 60.0, 4.0)
        craft = replace(base, mass_kg=data.mass_kg, rotors_count=data.rotors_count, rotor_m=data.rotor_m, hover_w=hover)
        model = model_of(craft, cruise)
        craft = replace(craft, power_w=float(model.power_w(data.cruise_m_s)), hover_w=float(model.power_w(0.0)))
        powers = powers_of(craft, data.cruise_m_s, Load(data.load_kg), data.density_kg_m3)

        def power(v: Any) -> Any:
            return craft.model.power_w(v, data.load_kg, data.density_kg_m3)

        best, far = longest_flight(power), farthest_flight(power, data.headwind_m_s)
        usable = data.energy_wh * (1 - data.landing_frac) * 3600
        return {
            "hover_s": usable / powers.hover_w,
            "cruise_s": usable / powers.work_w,
            "longest_s": usable / best.power_w,
            "longest_m_s": best.airspeed_m_s,
            "farthest_m_s": far.airspeed_m_s if far else None,
            "farthest_m": usable / far.cost_j_m if far else 0.0,
            "hover_w": powers.hover_w,
            "cruise_w": powers.work_w,
            "curve": [(v * 0.5, usable / float(power(v * 0.5)) / 60) for v in range(0, 51)],
        }

    found, working = answer("Minutes at cruise", solve)
    curve = found.pop("curve")
    marks = [
        mark(f"{found['hover_s'] / 60:.1f} min in hover", x=0.0, y=found["hover_s"] / 60),
        mark(f"{found['cruise_s'] / 60:.1f} min at cruise", x=data.cruise_m_s, y=found["cruise_s"] / 60, tone="good"),
    ]
    return {**found, "picture": picture("m/s", "min", [line("minutes", curve)], marks), "working": working}


def model_of(craft: Airframe, cruise_w: float | None) -> PowerModel:
    """Return the power model of an aircraft with what is rated of it."""
    figures = AirframeFigures(
        float(craft.mass_kg or 1.0),
        int(craft.rotors_count or 4),
        float(craft.rotor_m or 0.3),
        craft.hover_w,
        cruise_w,
        craft.cruise_m_s if cruise_w is not None else None,
    )
    return fit_power(figures)


class ColdIn(Input):
    """A pack, its temperature, what is asked of it, and where it is kept until then."""

    chemistry: ChemistryKey = "lipo"
    cells_count: int = Field(ge=1, le=28)
    capacity_ah: float = Field(gt=0, le=200)
    health_frac: float = Field(default=1.0, ge=0.3, le=1.1)
    cell_25_ohm: float | None = Field(default=None, gt=0, le=1)
    weak_times: float = Field(default=1.0, ge=1, le=5)
    pack_c: float = 20.0
    air_c: float = 0.0
    mean_w: float = Field(gt=0, le=60_000)
    peak_w: float = Field(gt=0, le=120_000)
    landing_frac: float = Field(default=LANDING.value, ge=0.05, le=0.9)
    method: ColdMethod = "model"
    case_c: float = Field(default=30.0, ge=-20, le=60)
    launch_c: float | None = Field(default=None, ge=-40, le=40)


@calculator("cold-pack", "What a pack gives in the cold: the early dip, minutes, and how warm it must be kept", ColdIn)
def cold(data: ColdIn) -> dict[str, Any]:
    """Return what a pack gives today, its dip, and the time in a case to get there."""
    chemistry = chemistry_of(data.chemistry)
    pack = PackToday(
        "of this kind",
        chemistry,
        data.cells_count,
        data.capacity_ah,
        data.cells_count * chemistry.nominal_v * data.capacity_ah,
        data.health_frac,
        data.cell_25_ohm,
        data.weak_times,
        start_c=data.pack_c,
        start_measured=True,
        cold_flights=1,
    )
    demand = Demand(data.mean_w, data.peak_w, data.air_c)
    policy = ReservePolicy(data.landing_frac, min(0.2, data.landing_frac))

    launch_c = chemistry.fly_low_c if data.launch_c is None else data.launch_c

    def solve() -> dict[str, Any]:
        tau = pack_tau_s(data.capacity_ah, data.cells_count)
        kept_warm = {
            "preheat_s": preheat_time_s(data.air_c, data.pack_c, data.case_c, tau),
            "holds_s": warm_hold_s(data.pack_c, data.air_c, min(10.0, data.pack_c), tau) if data.pack_c > 10 else 0.0,
        }
        start = cold_start(pack, demand, policy, launch_c, data.case_c, data.method)
        names = ("usable_wh", "usable_s", "cold_frac", "bound_by", "dip_v", "dip_s", "floor_v", "settles_c", "method")
        return {
            **{k: getattr(start.usable, k, None) for k in names},
            **{k: plain(getattr(start, k)) for k in ("launch", "words", "target_c", "ways", "meanwhile")},
            **kept_warm,
            "course": start.usable.course if start.usable is not None else (),
        }

    found, working = answer("Flight time", solve)
    course = found.pop("course")
    drawn = None
    if course:
        drawn = picture(
            "min",
            "V of the weakest cell",
            [
                line("under full power", [(p.at_s / 60, p.peak_v) for p in course]),
                line("in flight", [(p.at_s / 60, p.weak_v) for p in course], dashed=True),
            ],
            [
                mark(f"dip {found['dip_v']:.2f} V", x=found["dip_s"] / 60, y=found["dip_v"], tone="watch"),
                mark(f"floor {found['floor_v']:.2f} V", y=found["floor_v"], tone="bad"),
            ],
        )
    return {**found, "picture": drawn, "working": working}


class MetarIn(Input):
    """A report as it was copied, and the month it is of."""

    metar: str = Field(max_length=700)
    year: int = Field(ge=2000, le=2100)
    month: int = Field(ge=1, le=12)


@calculator("metar", "A weather report read: every group, and what it does not say", MetarIn)
def metar(data: MetarIn) -> dict[str, Any]:
    """Return a report decoded, with what it lacks."""
    found = read_metar(data.metar, year=data.year, month=data.month)
    steps = []
    for name, value, unit, words in (
        ("wind_m_s", found.wind_m_s, "m/s", f"wind{'' if found.from_deg is None else f' from {found.from_deg:.0f}°'}"),
        ("gust_m_s", found.gust_m_s, "m/s", "gust; a report names it only from 5 m/s above the mean"),
        ("visibility_m", found.visibility_m, "m", "visibility"),
        ("ceiling_m", found.ceiling_m, "m", "lowest broken or overcast cloud above the aerodrome"),
        ("air_c", found.air_c, "°C", "air"),
        ("dew_point_c", found.dew_point_c, "°C", "dew point"),
        ("qnh_hpa", found.qnh_hpa, "hPa", "pressure reduced to sea level"),
    ):
        note = "" if value is not None else "not reported"
        steps.append(Step(name, value, unit, words, source=WMO_306 if value is not None else ENTERED, kind="input", note=note))
    working = as_dict(Working("The report", found.station, "", tuple(steps)))
    return {**plain(found), "working": working}
