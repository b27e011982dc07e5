"""The air: what must hold of it whatever the figures, and reports that are damaged."""

import json
import math
from datetime import date, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from quarry.core.air.aloft import COVERS, Level, cover_of, wind_aloft
from quarry.core.air.atmosphere import air_density_kg_m3, density_altitude_m, standard_air, station_pressure_pa
from quarry.core.air.chill import relief_s, wind_chill_c
from quarry.core.air.damp import delta_t_k, dew_point_c, humidity_from_dew_point, wet_bulb_c
from quarry.core.air.metar import read_metar
from quarry.core.air.sun import light_spans, sun_place, sun_spans, sun_times
from quarry.core.base.errors import BadReading, MissingInput, OutOfRange
from quarry.core.base.working import explain

airs = st.floats(-30, 45)
humid = st.floats(0.05, 1.0)


@given(airs, humid, st.floats(60_000, 105_000))
def test_damp_air_is_lighter_and_the_wet_bulb_lies_between_dew_point_and_air(air, humidity, pressure):
    assert air_density_kg_m3(pressure, air, humidity) <= air_density_kg_m3(pressure, air, 0.0)
    dew, wet = dew_point_c(air, humidity), wet_bulb_c(air, humidity, pressure)
    assert dew <= air + 1e-9
    assert humidity_from_dew_point(air, dew) == pytest.approx(humidity, rel=1e-6)
    # Over water below 0 °C the psychrometric balance is off by a few hundredths of a kelvin.
    assert dew - 0.1 <= wet <= air + 0.01
    assert delta_t_k(air, wet) >= -0.01


@given(st.floats(0, 4000), st.floats(-20, 40), st.floats(1, 15))
def test_higher_and_warmer_air_is_thinner(height, air, more):
    low, high = (station_pressure_pa(1013.25, h) for h in (height, height + 10 * more))
    assert high < low
    assert air_density_kg_m3(low, air + more, 0.4) < air_density_kg_m3(low, air, 0.4)
    assert density_altitude_m(standard_air(height).density_kg_m3) == pytest.approx(height, abs=2.0)


@pytest.mark.parametrize(
    ("call", "field"),
    [
        (lambda: air_density_kg_m3(101_325, -300.0, 0.5), "air_c"),
        (lambda: air_density_kg_m3(101.3, 15.0, 0.5), "pressure_hpa"),
        (lambda: air_density_kg_m3(101_325, math.nan, 0.5), "air_c"),
        (lambda: dew_point_c(15.0, 1.4), "humidity_frac"),
        (lambda: humidity_from_dew_point(10.0, 14.0), "dew_point_c"),
        (lambda: station_pressure_pa(29.92, 100.0), "qnh_hpa"),
    ],
)
def test_figures_that_no_air_has_are_refused_at_their_field(call, field):
    with pytest.raises(OutOfRange) as bad:
        call()
    assert bad.value.field == field


LEVELS = [Level(10, 5.0, 230.0, 8.0), Level(50, 7.0, 240.0, 10.0), Level(100, 8.5, 250.0, 11.5)]


@given(st.floats(10, 100))
def test_between_levels_of_a_profile_the_wind_lies_between_theirs(height):
    w = wind_aloft(LEVELS, height, COVERS["grass"])
    assert 5.0 - 1e-9 <= w.wind_m_s <= 8.5 + 1e-9
    assert 230.0 - 1e-6 <= w.from_deg <= 250.0 + 1e-6
    assert not w.gust_assumed
    assert w.gust_m_s > w.wind_m_s


@given(st.floats(0.1, 25), st.floats(2, 20), st.floats(1.01, 10), st.sampled_from(sorted(COVERS)))
def test_above_a_reading_the_wind_grows_and_rougher_ground_makes_it_grow_faster(wind, base, times, key):
    up = wind_aloft([Level(base, wind, 90.0)], base * times, COVERS[key])
    assert up.wind_m_s > wind
    assert up.gust_assumed
    assert up.gust_m_s == pytest.approx(1.5 * up.wind_m_s)
    smooth = wind_aloft([Level(base, wind, 90.0)], base * times, COVERS["water"])
    assert up.wind_m_s >= smooth.wind_m_s


def test_a_profile_across_north_turns_the_short_way():
    w = wind_aloft([Level(10, 6, 350.0), Level(100, 6, 10.0)], 31.6, COVERS["grass"])
    assert min(w.from_deg, 360 - w.from_deg) < 1.0
    assert w.wind_m_s == pytest.approx(6.0), "turning wind is not taken for less wind"


def test_wind_without_a_level_or_over_unknown_ground_is_asked_for():
    with pytest.raises(MissingInput, match="no wind for this hour"):
        wind_aloft([], 60, COVERS["grass"])
    with pytest.raises(MissingInput, match="no ground cover"):
        cover_of("lava")
    with pytest.raises(OutOfRange) as bad:
        wind_aloft([Level(10, 400.0, 0.0)], 60, COVERS["grass"])
    assert bad.value.field == "wind.speed_m_s"
    with pytest.raises(OutOfRange, match="log law does not hold"):
        wind_aloft([Level(2.1, 4.0, 0.0)], 60, COVERS["wood"], "log")


def test_an_assumed_gust_is_said_in_the_working():
    told = explain(wind_aloft, [Level(10, 6, 240.0)], 60.0, COVERS["grass"])
    assert any(s.kind == "assumption" and s.name == "gust_factor" for s in told.steps)


VALUES = json.loads((Path(__file__).parents[1] / "reference" / "values.json").read_text())


@pytest.mark.parametrize("row", VALUES["15b_twilight"], ids=lambda r: r["inputs"]["place"])
def test_sun_and_twilight_meet_the_published_times(row):
    """Topic 15b: NREL SPA (Reda and Andreas 2004) in pvlib; 2 minutes, 4 above 58°, 6 above 65° of latitude."""
    i, day = row["inputs"], date.fromisoformat(row["inputs"]["date"])
    t = sun_times(i["lon"], i["lat"], day)
    allowed = 2 if abs(i["lat"]) < 58 else 4 if abs(i["lat"]) < 65 else 6
    for key, got in (("dawn", t.dawn_min), ("sunrise", t.sunrise_min), ("sunset", t.sunset_min), ("dusk", t.dusk_min)):
        want = row["outputs"][f"{key}_utc"]
        if want == "none":
            assert got is None
            continue
        at, clock = want.split()
        shift = (date(day.year, *map(int, at.split("-"))) - day).days
        hours, minutes = map(int, clock.split(":"))
        assert got == pytest.approx(shift * 1440 + hours * 60 + minutes, abs=allowed + 1)


@given(
    st.floats(-180, 180),
    st.floats(-85, 85),
    st.dates(date(2026, 1, 1), date(2031, 12, 31)),
    st.floats(-2000.0, 3000.0),
    st.floats(1.0, 3600.0),
    st.floats(0, 1),
)
def test_light_and_sun_are_spans_in_order_in_which_the_sun_is_as_high(lon, lat, day, from_min, length_min, share):
    """Also at the date line, across midnight of any clock, and where the sun stays up or down; heights by the library `astral`."""
    to_min = from_min + length_min
    at_min = from_min + share * length_min
    high = sun_place(lon, lat, day + timedelta(days=at_min // 1440), min(at_min % 1440, 1439.9))[0]
    for spans, line in ((light_spans, -6.0), (sun_spans, -0.833)):
        found = spans(lon, lat, day, from_min, to_min)
        times = [t for span in found for t in span]
        assert times == sorted(times)
        assert all(from_min <= t <= to_min for t in times)
        if abs(high - line) > 0.75:
            assert any(a <= at_min <= b for a, b in found) == (high > line)


def test_the_sun_stands_in_the_south_at_noon_and_below_the_horizon_at_night():
    noon = sun_times(10.0, 50.0, date(2026, 3, 20)).noon_min
    high, bearing = sun_place(10.0, 50.0, date(2026, 3, 20), noon)
    assert high == pytest.approx(40.0, abs=0.6)
    assert bearing == pytest.approx(180.0, abs=0.6)
    assert sun_place(10.0, 50.0, date(2026, 3, 20), 0.0)[0] < -20
    with pytest.raises(OutOfRange):
        sun_place(10.0, 50.0, date(2026, 3, 20), 1440.0)


def test_a_report_with_missing_groups_says_what_it_lacks():
    r = read_metar("METAR ZZZZ 121350Z AUTO /////KT //// // ////// /////", year=2026, month=3)
    assert r.wind_m_s is r.air_c is r.qnh_hpa is r.visibility_m is None
    assert set(r.lacks) >= {"wind", "temperature", "dew point", "pressure", "visibility", "cloud"}
    calm = read_metar("ZZZZ 121450Z 00000KT CAVOK 33/04 Q1009", year=2026, month=3)
    assert (calm.wind_m_s, calm.visibility_m, calm.lacks) == (0.0, 10_000.0, ())
    assert (r.automatic, calm.automatic) == (True, False)


def test_what_falls_is_told_apart():
    assert read_metar("ZZZZ 121430Z 02012KT 1500 -SN OVC015 M06/M08 Q0998", year=2026, month=1).snow
    storm = read_metar("ZZZZ 121507Z 19022G37KT 3000 +TSRA BKN025CB 24/21 Q1004", year=2026, month=7)
    assert (storm.rain, storm.thunder, storm.snow) == (True, True, False)
    assert read_metar("ZZZZ 121420Z VRB02KT 0300 FG VV002 07/07 Q1024", year=2026, month=1).fog


@pytest.mark.parametrize(
    "text",
    [
        "",
        "hello",
        "ZZZZ",
        "METAR",
        "METAR ZZZZ 991350Z 24015KT",
        "ZZZZ 121350 24015KT",
        "A" * 5000,
        "METAR ZZZZ 121350Z 24015KT" * 40,
    ],
)
def test_a_garbled_report_is_refused_in_words(text):
    with pytest.raises(BadReading) as bad:
        read_metar(text, year=2026, month=3)
    assert bad.value.field == "metar"


@given(st.text(max_size=80))
def test_no_text_breaks_the_reader(text):
    try:
        report = read_metar(f"ZZZZ 121350Z {text}", year=2026, month=3)
    except BadReading:
        return
    assert report.wind_m_s is None or report.wind_m_s >= 0


def test_wind_chill_meets_its_table_and_relief_comes_sooner_in_the_cold():
    """Osczevski and Bluestein 2005; table rows from memory."""
    for air, kmh, want in ((-10, 20, -18), (-20, 40, -34), (0, 30, -6), (-30, 10, -39)):
        assert wind_chill_c(air, kmh / 3.6) == pytest.approx(want, abs=0.6)
    assert wind_chill_c(15.0, 10.0) == 15.0
    assert wind_chill_c(-5.0, 0.5) == -5.0
    waits = [relief_s(c) for c in (5.0, -8.0, -20.0, -40.0)]
    assert waits == [None, 5400.0, 3600.0, 1800.0]
