"""From what is known of the air of an hour to readings: nothing invented, nothing lost, nothing that contradicts itself."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from quarry.core.air.aloft import COVERS, Level
from quarry.core.limits.hourly_conditions import HourAir, Place, density_of, hour_readings, wind_at

GRASS = next(iter(COVERS.values()))
PLACE = Place(80.0, GRASS)
FORECAST = HourAir(
    "forecast",
    "service of 06:00",
    3600.0,
    (Level(10.0, 4.0, 240.0, 6.5), Level(100.0, 7.0, 250.0, 10.0)),
    air_c=8.0,
    dew_point_c=5.0,
    pressure_hpa=1003.0,
    rain_mm_h=0.2,
    visibility_m=9000.0,
    thunder=False,
)
MEASURED = HourAir("measured", "mast", 120.0, (Level(2.0, 3.0, 240.0),))


def test_all_that_is_known_becomes_a_reading_and_nothing_else():
    found = hour_readings([FORECAST], PLACE)
    assert set(found) == {
        "wind_m_s",
        "gust_m_s",
        "spray_wind_m_s",
        "air_c",
        "rain_mm_h",
        "visibility_m",
        "thunder_count",
        "chill_c",
        "humidity_frac",
        "spread_k",
        "delta_t_k",
    }
    assert found["spread_k"][0].value == pytest.approx(3.0)
    assert found["thunder_count"][0].value == 0.0
    assert found["rain_mm_h"][0].words == "service of 06:00"


def test_wind_is_carried_to_flying_height_and_down_to_the_nozzles():
    found = hour_readings([FORECAST], PLACE)
    assert 4.0 < found["wind_m_s"][0].value < 7.0
    assert 6.5 < found["gust_m_s"][0].value < 10.0
    assert found["spray_wind_m_s"][0].value < 4.0


def test_each_origin_stands_beside_the_others_with_its_age_and_an_assumed_gust_is_said():
    found = hour_readings([FORECAST, MEASURED], PLACE, sun_deg=-3.0)
    assert [(r.origin, r.age_s) for r in found["wind_m_s"]] == [("forecast", 3600.0), ("measured", 120.0)]
    assert "gust assumed" in found["gust_m_s"][1].words
    assert "gust assumed" not in found["gust_m_s"][0].words
    assert found["sun_deg"][0].value == -3.0
    assert len(found["air_c"]) == 1


def test_an_hour_of_which_nothing_is_known_gives_nothing():
    assert hour_readings([HourAir("forecast", "service", 0.0)], PLACE) == {}
    assert wind_at(HourAir("forecast", "service", 0.0), PLACE, 50.0) is None


def test_a_dew_point_above_the_air_is_not_made_into_a_spread():
    found = hour_readings([HourAir("forecast", "service", 0.0, air_c=5.0, dew_point_c=9.0)], PLACE)
    assert "spread_k" not in found
    assert "delta_t_k" not in found
    assert found["air_c"][0].value == 5.0


def test_chill_needs_a_wind_only_in_the_cold():
    """The formula holds to 10 °C (reference, wind chill); above it people feel the air as it is."""
    assert "chill_c" not in hour_readings([HourAir("measured", "mast", 0.0, air_c=4.0)], PLACE)
    assert hour_readings([HourAir("measured", "mast", 0.0, air_c=18.0)], PLACE)["chill_c"][0].value == 18.0


@given(st.floats(-25, 40), st.floats(0, 25), st.floats(950, 1050))
def test_damp_of_any_hour_is_finite_and_never_below_nothing(air_c, spread, pressure):
    found = hour_readings(
        [HourAir("forecast", "service", 0.0, air_c=air_c, dew_point_c=air_c - spread, pressure_hpa=pressure)], PLACE
    )
    for key in ("spread_k", "delta_t_k"):
        assert all(math.isfinite(r.value) and r.value >= 0 for r in found.get(key, []))


def test_density_falls_with_heat_and_height_and_with_nothing_known_is_the_standard():
    """1.225 kg/m³ at sea level, 1.112 at 1000 m: ISO 2533 standard atmosphere, here with half its moisture."""
    unknown = HourAir("forecast", "service", 0.0)
    assert density_of(unknown) == pytest.approx(1.225, rel=0.005)
    assert density_of(unknown, 1000.0) == pytest.approx(1.112, rel=0.005)
    cold, hot = (HourAir("forecast", "service", 0.0, air_c=t, dew_point_c=t - 5, pressure_hpa=1000.0) for t in (-10.0, 35.0))
    assert density_of(cold) > density_of(hot)
