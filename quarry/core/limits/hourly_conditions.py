"""From what is known of the air of one hour to readings that limits are judged by, at flying height."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from quarry.core.air.aloft import Cover, Level, WindAt, wind_aloft
from quarry.core.air.atmosphere import SEA_LEVEL_PA, air_density_kg_m3
from quarry.core.air.chill import wind_chill_c
from quarry.core.air.damp import delta_t_k, humidity_from_dew_point, spread_k, wet_bulb_c
from quarry.core.base.errors import CoreError
from quarry.core.limits.verdict import Origin, Reading


@dataclass(frozen=True, slots=True)
class HourAir:
    """The air of an hour on one word: a forecast, a measurement, a report. None is not known."""

    origin: Origin
    words: str
    age_s: float
    levels: tuple[Level, ...] = ()
    air_c: float | None = None
    dew_point_c: float | None = None
    pressure_hpa: float | None = None
    rain_mm_h: float | None = None
    snow_mm_h: float | None = None
    visibility_m: float | None = None
    ceiling_m: float | None = None
    thunder: bool | None = None


@dataclass(frozen=True, slots=True)
class Place:
    """Where and how it is flown: flying height, height of the nozzles, what stands on the ground."""

    height_m: float
    cover: Cover
    nozzle_m: float = 3.0


def hour_readings(airs: Iterable[HourAir], place: Place, sun_deg: float | None = None) -> dict[str, list[Reading]]:
    """Return by quantity all that is known of an hour; figures that contradict themselves are left out.

    Parameters
    ----------
    airs : HourAir
        Everything known, of any origin.
    place : Place
        Where it is flown.
    sun_deg : float, optional
        Lowest height of the sun in the hour. [°]
    """
    found: dict[str, list[Reading]] = {}

    def add(key: str, value: float | None, air: HourAir, words: str = "") -> None:
        if value is not None:
            found.setdefault(key, []).append(Reading(value, air.origin, words or air.words, air.age_s))

    for air in airs:
        wind = wind_at(air, place, place.height_m)
        if wind is not None:
            add("wind_m_s", wind.wind_m_s, air, f"{air.words}, {wind.how}")
            gust = f"{air.words}, {wind.how}" + (", gust assumed from the mean" if wind.gust_assumed else "")
            add("gust_m_s", wind.gust_m_s, air, gust)
        low = wind_at(air, place, max(place.nozzle_m, 1.0))
        if low is not None:
            add("spray_wind_m_s", low.wind_m_s, air, f"{air.words}, {low.how}")
        for key in ("air_c", "rain_mm_h", "snow_mm_h", "visibility_m", "ceiling_m"):
            add(key, getattr(air, key), air)
        if air.thunder is not None:
            add("thunder_count", 1.0 if air.thunder else 0.0, air)
        if air.air_c is None:
            continue
        ten = wind_at(air, place, 10.0)
        if ten is not None:
            add("chill_c", wind_chill_c(air.air_c, ten.wind_m_s), air)
        elif air.air_c > 10:
            add("chill_c", air.air_c, air)
        if air.dew_point_c is not None:
            _damp(air, add)
    if sun_deg is not None:
        found["sun_deg"] = [Reading(sun_deg, "computed", "lowest of the hour")]
    return found


def wind_at(air: HourAir, place: Place, height_m: float) -> WindAt | None:
    """Return the wind of an hour at a height, or None where none is known or it cannot be carried there."""
    if not air.levels:
        return None
    try:
        return wind_aloft(air.levels, height_m, place.cover)
    except CoreError:
        return None


def density_of(air: HourAir, elevation_m: float = 0.0) -> float:
    """Return the density of the air of an hour; what is missing is taken from the standard atmosphere. [kg/m³]"""
    pressure = (
        air.pressure_hpa * 100 if air.pressure_hpa is not None else SEA_LEVEL_PA * (1 - 2.25577e-5 * elevation_m) ** 5.25588
    )
    celsius = air.air_c if air.air_c is not None else 15.0 - 0.0065 * elevation_m
    humidity = 0.5
    if air.air_c is not None and air.dew_point_c is not None:
        humidity = humidity_from_dew_point(air.air_c, min(air.dew_point_c, air.air_c))
    return air_density_kg_m3(pressure, celsius, humidity)


def _damp(air: HourAir, add: Callable[[str, float, HourAir], None]) -> None:
    celsius, dew = air.air_c or 0.0, air.dew_point_c or 0.0
    try:
        humidity = max(0.01, humidity_from_dew_point(celsius, dew))
    except CoreError:
        return
    add("humidity_frac", humidity, air)
    add("spread_k", max(0.0, spread_k(celsius, dew)), air)
    pressure = air.pressure_hpa * 100 if air.pressure_hpa is not None else SEA_LEVEL_PA
    add("delta_t_k", max(0.0, delta_t_k(celsius, wet_bulb_c(celsius, humidity, pressure))), air)
