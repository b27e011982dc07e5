"""Checks that the weather turns on: each by its trigger, off without it; and when a low sun stands ahead."""

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from quarry.core.air.low_sun import LowSunPolicy, apart_deg, blinded, sun_at
from quarry.core.air.sun import sun_place
from quarry.core.limits.preflight import AircraftTraits, checklist
from quarry.core.limits.weather_checks import KEYS, SiteWeather, WeatherCheckPolicy, weather_checks

MILD = SiteWeather(air_c=14.0, spread_k=6.0, up_m_s=3.0, low_m_s=2.0, chill_c=14.0, height_m=40.0)
TRIGGERS = {
    "mat": {"rain_mm_h": 0.4},
    "snow_low": {"snow_mm_h": 0.3},
    "pale": {"snow_said": True, "pale": True},
    "gloves": {"chill_c": -8.0},
    "heat": {"air_c": 31.0},
    "cold_packs": {"air_c": -1.0},
    "damp": {"spread_k": 1.4},
    "low_sun": {"sun_words": "sensors blinded 14:10–15:20 on the way home of S3"},
    "trees": {"up_m_s": 8.0, "trees": True},
}


def keys(w):
    return {c.key for c in weather_checks(w)}


def line(w, key):
    return next(c for c in weather_checks(w) if c.key == key)


def test_a_mild_dry_day_asks_for_nothing():
    assert keys(MILD) == set()


@pytest.mark.parametrize("key", KEYS)
def test_each_check_is_turned_on_by_its_trigger_and_says_what_it_was(key):
    w = replace(MILD, **TRIGGERS[key])
    assert key in keys(w)
    assert line(w, key).because


def test_snow_asks_for_a_mat_a_height_and_says_when_the_job_flies_lower():
    snow = replace(MILD, air_c=-2.0, snow_mm=3.0, height_m=6.0)
    assert line(snow, "mat").words == "Landing mat down; never land in snow"
    assert "No lower than 9 m over plain snow" in line(snow, "snow_low").words  # about 9 m: common practice, no source
    assert "this job flies at 6 m" in line(snow, "snow_low").because
    assert "snow_low" not in keys(replace(snow, air_c=6.0)), "what fell has melted"
    assert "snow_low" in keys(replace(MILD, air_c=-1.0, open_snow=True)), "a job over open snow says so itself"
    assert "pale" not in keys(snow)


def test_near_the_dew_point_in_frost_it_is_ice_that_is_looked_for():
    assert "water" in line(replace(MILD, spread_k=1.0), "damp").words
    assert "ice" in line(replace(MILD, air_c=-3.0, spread_k=1.0), "damp").words
    assert "damp" not in keys(replace(MILD, spread_k=2.0))


def test_wind_above_trees_is_hovered_in_first_and_its_direction_proven_by_eye():
    calm_below = replace(MILD, up_m_s=9.0, low_m_s=3.0)
    found = line(calm_below, "trees")
    assert found.part == "climb"
    assert found.because == "9 m/s at flying height, 3 m/s by the ground"
    assert "by eye" in found.caution
    assert "trees" not in keys(replace(calm_below, low_m_s=6.0)), "open ground, the same wind everywhere"


def test_relief_by_wind_chill_stands_with_the_gloves():
    assert "relief after 60 min" in line(replace(MILD, chill_c=-18.0), "gloves").words
    assert "relief" not in line(replace(MILD, chill_c=1.0), "gloves").words


def test_thresholds_are_the_companys():
    late = WeatherCheckPolicy(hot_c=35.0)
    assert "heat" in keys(replace(MILD, air_c=31.0))
    assert "heat" not in keys(replace(MILD, air_c=31.0, policy=late))


def test_where_nothing_is_known_the_mat_stays_on_the_list_and_says_why():
    found = line(SiteWeather(), "mat")
    assert "nothing is known" in found.because
    assert keys(SiteWeather()) == {"mat"}


def test_they_stand_in_their_part_of_the_list():
    snow = replace(MILD, air_c=-4.0, snow_mm_h=0.5, spread_k=0.8, chill_c=-9.0)
    checks = checklist("mapping", AircraftTraits("Quad", 6), 60.0, weather_checks(snow))
    parts = [c.part for c in checks]
    assert parts == sorted(parts, key=["day", "site", "take-off", "climb"].index)
    assert {c.key for c in checks if c.because} == keys(snow)


class TestLowSun:
    def test_the_sun_stands_where_a_published_algorithm_has_it(self):
        """Reda and Andreas 2004 (NREL/TP-560-34302), worked example: Golden, 17 October 2003, 19:30:30 UTC: azimuth
        194.340°, zenith 50.112°."""
        height, bearing = sun_place(-105.1786, 39.742476, date(2003, 10, 17), 19 * 60 + 30.5)
        assert bearing == pytest.approx(194.340, abs=0.05)
        assert height == pytest.approx(90 - 50.112, abs=0.05)

    def test_a_way_home_into_the_winter_afternoon_is_blinded_until_the_sun_sets(self):
        day = date(2026, 12, 1)
        (span,) = blinded(0.0, 52.0, day, 220.0, 9 * 60, 20 * 60)
        assert 12 * 60 < span[0] < span[1] < 16 * 60 + 10
        for at, ahead in ((span[0] - 2, False), (span[0] + 2, True), (span[1] - 2, True), (span[1] + 2, False)):
            height, bearing = sun_at(0.0, 52.0, day, at)
            assert (0 < height <= 20 and apart_deg(bearing, 220.0) <= 30) == ahead

    def test_out_of_the_sun_or_high_sun_is_free(self):
        assert blinded(0.0, 52.0, date(2026, 12, 1), 20.0, 9 * 60, 20 * 60) == ()
        assert blinded(0.0, 10.0, date(2026, 6, 21), 0.0, 11 * 60, 13 * 60) == ()

    @given(st.floats(-179, 179), st.floats(-65, 65), st.integers(0, 364), st.floats(0, 359))
    def test_every_span_lies_inside_what_was_asked_and_begins_before_it_ends(self, lon, lat, k, bearing):
        day = date.fromordinal(date(2026, 1, 1).toordinal() + k)
        spans = blinded(lon, lat, day, bearing, -300.0, 900.0, LowSunPolicy(15.0, 40.0))
        assert all(-300.0 <= a < b <= 900.0 for a, b in spans)
        assert all(a[1] <= b[0] for a, b in zip(spans, spans[1:], strict=False))
