"""The curve beside each answer of the bench says the same as the answer."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from quarry.compute.catalogue import compute
from tests.api.test_compute import GOOD


def drawn(name, **over):
    found = compute(name, GOOD[name] | over)
    return found, found["picture"]


def at(picture, words):
    return next(m for m in picture["marks"] if words in m["words"])


def test_a_load_test_marks_every_cell_and_both_levels():
    found, picture = drawn("load-test")
    cells = [m["y"] for m in picture["marks"] if m["x"] is not None]
    assert cells == [3.97, 3.71, 3.96]
    assert at(picture, "good from here")["y"] == 3.9
    assert at(picture, "never fly again")["tone"] == "bad"
    assert min(cells) == found["weakest_v"]
    _, total = drawn("load-test", cell_volts=[], total_v=11.4)
    assert [m["y"] for m in total["marks"] if m["x"] is not None] == [pytest.approx(3.8)]
    _, none = drawn("load-test", chemistry="liion", cell_volts=[3.5, 3.5, 3.5])
    assert not [m for m in none["marks"] if m["x"] is None]


def test_the_heat_meets_six_watts_for_each_ah_at_the_current_that_can_be_borne():
    found, picture = drawn("sustainable-current")
    here = at(picture, "can be borne")
    assert here["x"] == pytest.approx(found["current_a"])
    assert here["y"] == pytest.approx(6.0 * 5)
    assert at(picture, "label")["x"] == pytest.approx(found["label_a"])
    heat = picture["lines"][0]["points"]
    assert all(b[1] > a[1] for a, b in zip(heat, heat[1:], strict=False))


def test_the_charge_left_falls_to_the_reserve_at_the_minute_that_is_planned():
    found, picture = drawn("charge-back")
    planned, rest = picture["lines"]
    assert planned["points"][0] == [0.0, pytest.approx(found["capacity_ah"])]
    assert planned["points"][-1] == [pytest.approx(found["plan_s"] / 60), pytest.approx(found["reserve_ah"])]
    assert rest["dashed"]
    assert rest["points"][-1][1] == 0.0


def test_both_alarm_levels_stand_on_the_curve_and_what_was_not_read_is_dashed():
    found, picture = drawn("alarm-levels")
    for key, words in (("level_1", "level 1"), ("level_2", "level 2")):
        here = at(picture, words)
        assert here["y"] == pytest.approx(found[key]["loaded_v"])
        assert here["x"] == pytest.approx(found[key]["at_s"] / 60)
    assert picture["lines"][0]["name"] == "under load"
    assert all(line["dashed"] for line in picture["lines"][1:])


@pytest.mark.parametrize(("chemistry", "curves"), [("lipo", 2), ("lihv", 2), ("liion", 2), ("lfp", 1)])
def test_rest_volts_are_drawn_on_the_published_cells(chemistry, curves):
    volts = {"lfp": 3.3}.get(chemistry, 3.8)
    found, picture = drawn("rest-voltage", chemistry=chemistry, pack_v=6 * volts)
    assert len(picture["lines"]) == curves
    ends = [line["points"][-1] for line in picture["lines"]]
    assert all(x == 100 for x, _ in ends)
    marks = sorted(m["x"] for m in picture["marks"] if m["x"] is not None)
    assert marks == [pytest.approx(100 * found["low_frac"]), pytest.approx(100 * found["high_frac"])]


def test_transport_stands_among_its_limits():
    """100 and 160 Wh: see the source of the calculator."""
    found, picture = drawn("transport")
    assert [m["x"] for m in picture["marks"]] == [100.0, 160.0, pytest.approx(found["energy_wh"])]


def test_the_minute_gets_cheaper_with_every_flight_down_to_the_answer():
    offers = {k: GOOD["compare-packs"][k] | {"flights_count": 200} for k in ("a", "b")}
    found, picture = drawn("compare-packs", **offers)
    for k, line in enumerate(picture["lines"]):
        costs = [y for _, y in line["points"]]
        assert costs == sorted(costs, reverse=True)
        assert costs[-1] == pytest.approx(found["one_flight"][k] / line["points"][-1][0])
        assert not line["dashed"]
    _, unknown = drawn("compare-packs")
    assert all(line["dashed"] for line in unknown["lines"])


@given(st.integers(1, 3000))
def test_a_pack_s_line_ends_at_its_last_flight_with_the_cost_that_is_told(flights):
    offers = {k: GOOD["compare-packs"][k] | {"flights_count": flights} for k in ("a", "b")}
    found, picture = drawn("compare-packs", **offers)
    for told, line in zip(found["over_life"], picture["lines"], strict=True):
        assert line["points"][-1] == [flights, pytest.approx(told)]


def test_density_altitude_rises_with_the_temperature_and_is_marked_at_the_answer():
    found, picture = drawn("air")
    points = picture["lines"][0]["points"]
    assert all(b[1] > a[1] for a, b in zip(points, points[1:], strict=False))
    assert picture["marks"][0]["y"] == pytest.approx(found["density_altitude_m"])
    assert found["delta_t_class"] == "fit"


def test_the_way_home_costs_most_from_straight_down_the_wind():
    found, picture = drawn("way-home")
    worst = max(picture["lines"][0]["points"], key=lambda p: p[1])
    assert worst[0] in (50.0, 60.0), "the wind comes from 235: down the wind lies 55"
    assert found["wind_m_s"] > 5
    measured, _ = drawn("way-home", into_m_s=5.0, with_m_s=19.0)
    assert measured["ground_m_s"] == pytest.approx(5.0)
    # What was measured also says how far out home is certain: the speed into the wind for as long as the energy lasts.
    given = GOOD["way-home"]
    lasts_s = given["energy_wh"] * 3600 / given["power_w"]
    assert measured["radius_m"] == pytest.approx(5.0 * lasts_s)
    assert measured["wind_m_s"] == pytest.approx(7.0)


def test_minutes_by_speed_have_one_top_and_a_load_lowers_all_of_them():
    bare, one = drawn("flight-minutes")
    loaded, two = drawn("flight-minutes", load_kg=1.0)
    assert all(b[1] < a[1] for a, b in zip(one["lines"][0]["points"], two["lines"][0]["points"], strict=True))
    assert bare["hover_s"] == pytest.approx(0.7 * 1900, rel=1e-6)
    assert bare["longest_s"] > bare["hover_s"] > loaded["hover_s"]
    claimed, _ = drawn("flight-minutes", claimed_cruise_s=2200.0)
    assert claimed["cruise_s"] == pytest.approx(0.7 * 2200, rel=1e-6)


def test_a_cold_pack_shows_its_dip_on_the_curve_under_full_power():
    found, picture = drawn("cold-pack")
    full, flying = picture["lines"]
    assert min(abs(p[1] - found["dip_v"]) for p in full["points"]) < 1e-6
    assert found["dip_v"] < full["points"][0][1]
    assert all(a[1] <= b[1] for a, b in zip(full["points"], flying["points"], strict=True))
    assert found["preheat_s"] > 0


def test_a_report_says_what_it_lacks():
    told = compute("metar", {"metar": "ZZZZ 121350Z AUTO 24008KT //// 18/// Q1016", "year": 2031, "month": 5})
    assert {"visibility", "dew point"} <= set(told["lacks"])
