"""Outlets, generators and fuel; published figures are checked by the reference runner (topics 13a to 13d)."""

import itertools
import json
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from quarry.core.base.errors import OutOfRange
from quarry.core.cells.chemistry import chemistry_of
from quarry.core.packs.at_the_charger import OnBench, bench_charge
from quarry.core.power.charging import ChargeLaw, charge_time_s
from quarry.core.power.generator import fuel_of_day, generator_w, hours_on_a_tank
from quarry.core.power.outlets import Drawn, Outlet, chargers_on, outlets_needed, plug_in

VALUES = json.loads((Path(__file__).parents[1] / "reference" / "values.json").read_text())
SCHUKO = Outlet("one", 230.0, 16.0)


def test_a_small_set_wants_one_outlet_and_a_large_one_two():
    """A small sprayer's charger wants one 16 A 230 V outlet, a large one two (common practice, no source)."""
    whole = Outlet("a", 230.0, 16.0, 1.0), Outlet("b", 230.0, 16.0, 1.0)
    small, large = [Drawn("small", 3000.0)], [Drawn("half 1", 3200.0), Drawn("half 2", 3200.0)]
    assert plug_in(whole[:1], small).left_out == ()
    assert len(plug_in(whole[:1], large).left_out) == 1
    spread = plug_in(whole, large)
    assert spread.left_out == ()
    assert set(spread.outlet_of.values()) == {"a", "b"}


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.integers(200, 2500), min_size=1, max_size=6),
    st.lists(st.sampled_from([6.0, 10.0, 16.0, 32.0]), min_size=1, max_size=3),
)
def test_no_outlet_is_overloaded_and_none_is_left_out_that_could_be_placed(watts, breakers):
    outlets = [Outlet(str(k), 230.0, a) for k, a in enumerate(breakers)]
    chargers = [Drawn(str(k), float(w), 1.0) for k, w in enumerate(watts)]
    found = plug_in(outlets, chargers)
    for o in outlets:
        assert found.load_va[o.name] <= o.outlet_v * o.breaker_a * o.continuous_frac + 1e-6
    best = 0
    for ways in itertools.product([None, *range(len(outlets))], repeat=len(chargers)):
        loads = [sum(c.wall_w for c, at in zip(chargers, ways, strict=True) if at == k) for k in range(len(outlets))]
        if all(load <= o.outlet_v * o.breaker_a * 0.8 + 1e-6 for load, o in zip(loads, outlets, strict=True)):
            best = max(best, sum(at is not None for at in ways))
    assert len(found.outlet_of) == best
    assert {s.name for s in found.working.steps} >= set(found.left_out)


def test_poor_power_factor_halves_what_a_breaker_carries():
    assert chargers_on(SCHUKO, Drawn("good", 1000.0, 0.98)) == 2
    assert chargers_on(SCHUKO, Drawn("poor", 1000.0, 0.6)) == 1


@given(st.floats(0, 4000), st.floats(-20, 50), st.floats(0, 800), st.floats(0, 15))
def test_thinner_and_hotter_air_never_gives_more(height, air, higher, hotter):
    here = generator_w(3000.0, height, air)
    assert generator_w(3000.0, height + higher, air) <= here
    assert generator_w(3000.0, height, air + hotter) <= here
    assert here <= 3000.0


def test_fuel_of_a_day_is_the_line_over_its_load_and_the_tank_is_filled_in_time():
    """Topic 13d, petrol 3 kW at half load: 1.02 l/h."""
    steady = [(0.0, 1500.0), (3600.0, 1500.0)]
    day = fuel_of_day(steady, 3000.0, "petrol", 4.0, 8 * 3600.0)
    assert day.fuel_l == pytest.approx(8 * 1.02)
    assert day.mean_w == pytest.approx(1500.0)
    assert len(day.refuel_s) == 2
    assert hours_on_a_tank(3000.0, 1500.0, "petrol", 4.0) == pytest.approx(0.9 * 4 / 1.02)
    assert fuel_of_day([(0.0, 0.0)], 3000.0, "petrol", 4.0, 3600.0).fuel_l == 0.0
    assert fuel_of_day(steady, 3000.0, "petrol", None, 3600.0).refuel_s == ()


@pytest.mark.parametrize(
    ("draws", "needed"),
    [((), 0), ((1000.0,), 1), ((1390.0, 1390.0), 1), ((1390.0,) * 3, 2), ((2700.0, 300.0, 300.0), 2), ((2900.0,), None)],
)
def test_whether_a_small_set_with_one_outlet_is_enough(draws, needed):
    """16 A at 230 V carry 2944 VA for hours; power factor 0.95."""
    assert outlets_needed(SCHUKO, [Drawn(f"{k}", w) for k, w in enumerate(draws)]) == needed


@pytest.mark.parametrize("bad", [{"outlet_v": 12.0}, {"breaker_a": 0.0}, {"continuous_frac": 1.5}])
def test_outlets_that_do_not_exist_are_refused(bad):
    with pytest.raises(OutOfRange) as said:
        Outlet("x", **({"outlet_v": 230.0, "breaker_a": 16.0} | bad))
    assert said.value.field == f"outlets.{next(iter(bad))}"


@pytest.mark.parametrize(
    "row",
    [
        r
        for r in VALUES["5f_cccv"]
        if r["inputs"]["T_C"] == 25 and r["inputs"]["thermal"] == "adiabatic" and r["inputs"]["C_rate"] <= 1
    ],
    ids=lambda r: "{set} {C_rate}C".format(**r["inputs"]),
)
def test_charge_times_follow_published_cells_that_warm_themselves(row):
    """Topic 5f. The switch at 1 C is the published cell's; times to 80 and 90 % within its 3 %, to the end within 8 %.

    A flight pack charges with its own heat; the isothermal and cold rows are not met: cold packs are not charged.
    """
    i, want = row["inputs"], row["outputs"]
    at_1c = next(r["outputs"]["z_cc_end"] for r in VALUES["5f_cccv"] if r["inputs"] == i | {"C_rate": 1})
    holds = want["t80_min"] / 60 / 0.6 * i["C_rate"]  # true capacity over nominal, from the constant-current part
    law = ChargeLaw(at_1c, 5.0)
    power = i["C_rate"] * 100.0
    whole = charge_time_s(100.0 * holds, 0.2, power, law) / 60
    rest_90 = charge_time_s(100.0 * holds, 0.9, power, law) / 60
    assert whole - rest_90 == pytest.approx(want["t90_min"], rel=0.03)
    assert whole == pytest.approx(want["t_end_min"], rel=0.08)


class TestSeveralSupplyLeads:
    """A large charger with two leads on independent circuits: 7.36 kW of two 16 A outlets at 230 V. Common practice, no source."""

    TWO = (Outlet("left"), Outlet("right"))

    def test_what_is_too_much_for_one_outlet_fits_on_two(self):
        one, two = Drawn("large", 5200.0), Drawn("large", 5200.0, leads=2)
        assert plug_in(self.TWO, [one]).left_out == ("large",)
        fits = plug_in(self.TWO, [two])
        assert fits.left_out == ()
        assert set(fits.outlet_of["large"].split(" + ")) == {"left", "right"}
        assert fits.load_va == {name: pytest.approx(5200.0 / 0.95 / 2) for name in ("left", "right")}
        assert outlets_needed(Outlet(""), [one]) is None
        assert outlets_needed(Outlet(""), [two]) == 2

    def test_both_leads_on_one_circuit_are_never_proposed(self):
        found = plug_in((Outlet("only", breaker_a=63.0),), [Drawn("large", 3000.0, leads=2)])
        assert found.left_out == ("large",)
        assert "one for each supply lead" in found.working.steps[-1].formula

    def test_small_chargers_go_beside_it_where_there_is_room(self):
        found = plug_in((*self.TWO, Outlet("third")), [Drawn("large", 5200.0, leads=2), Drawn("small", 900.0)])
        assert found.left_out == ()
        assert found.outlet_of["small"] not in found.outlet_of["large"].split(" + ")

    @given(st.lists(st.tuples(st.floats(100, 6000), st.integers(1, 3)), min_size=1, max_size=6), st.integers(1, 5))
    def test_no_outlet_is_over_its_limit_and_no_charger_has_two_leads_in_one(self, made, count):
        outlets = [Outlet(f"o{k}") for k in range(count)]
        found = plug_in(outlets, [Drawn(f"c{k}", w, leads=n) for k, (w, n) in enumerate(made)])
        assert all(va <= 230 * 16 * 0.8 + 1e-3 for va in found.load_va.values())
        for name, places in found.outlet_of.items():
            used = places.split(" + ")
            assert len(used) == len(set(used)) == made[int(name[1:])][1]


def test_the_bench_says_to_use_both_circuits():
    pack = OnBench(chemistry_of("lipo"), 12, 22.0, supply_leads=2)
    assert any("2 supply leads, each to a circuit of its own" in s.do for s in bench_charge(pack).on)
    assert not any("supply leads" in s.do for s in bench_charge(replace(pack, supply_leads=1)).on)
