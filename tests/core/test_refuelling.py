"""Refuelling as a stop: before the tank is low, nothing charging meanwhile, where it costs the day least."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from quarry.core.base.errors import CoreError
from quarry.core.dayplan.refuelling import fuel_of, fuelled, low_words, with_stops
from quarry.core.dayplan.supply import DaySupply, SupplyOfDay
from quarry.core.power.generator import WILLANS, fuel_l_h, fuel_of_day
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import Charger, Craft, Flight, Mode, PackSet, RotationTask
from quarry.core.rotation.timeline import load_series
from quarry.core.rotation.validity import holds

STOP_S = 600.0


def source(tank_l, *, can_w=1200.0, fuel="petrol", name="Trailer"):
    return SupplyOfDay(name, can_w, 2000.0, 0.2, True, fuel, tank_l, None, [])


def of(*each, can_w=1200.0):
    return DaySupply([replace(s, can_give_w=can_w) for s in each], can_w * len(each), 15.0, 0.0, {}, {}, [])


def day(flights=12, **over):
    usual = {
        "aircraft": (Craft("a", "t"),),
        "flights": tuple(Flight(f"F{k}", "a", 1000.0, 0.6) for k in range(flights)),
        "sets": tuple(PackSet(f"p{k}", "t", 1, 300.0, 0.5) for k in range(4)),
        "chargers": (Charger("c", 2, (Mode("fast", 450.0, 520.0),)),),
        "swap_s": 240.0,
        "rest_after_flight_s": 600.0,
        "rest_after_charge_s": 300.0,
        "site_power_w": 1200.0,
    }
    return RotationTask(**usual | over)


def drawn_in(task, plan, spans):
    return max((w for t, w in load_series(task, plan) if any(a + 1 < t < b - 1 for a, b in spans)), default=0.0)


def test_a_steady_load_is_refuelled_in_time_by_hand():
    """Willans line: 0.15 l/h for each kW rated and 0.38 l for each kWh; nine tenths of the tank are planned with."""
    rate = fuel_l_h(2000.0, 1000.0, *WILLANS["petrol"])
    assert rate == pytest.approx(0.15 * 2 + 0.38 * 1)
    lasts_s = 0.9 * 1.0 / rate * 3600
    found = fuel_of_day([(0.0, 1000.0)], 2000.0, "petrol", 1.0, 10_000.0)
    assert found.refuel_s == pytest.approx([lasts_s, 2 * lasts_s])
    stopped = fuel_of_day([(0.0, 1000.0)], 2000.0, "petrol", 1.0, 10_000.0, [(4000.0, 4600.0), (8600.0, 9200.0)])
    assert stopped.refuel_s == ()
    assert stopped.fuel_l == pytest.approx(rate * (10_000 - 1200) / 3600)


def test_the_stop_comes_before_the_tank_is_low_and_nothing_charges_in_it():
    task, supply = with_stops(day(), of(source(1.6)), STOP_S)
    stops = supply.each[0].stops
    assert stops
    assert all(b - a == STOP_S for a, b in stops)
    plan = dispatch(task)
    assert holds(task, plan)
    assert drawn_in(task, plan, stops) == 0.0
    load = load_series(task, plan)
    filled = fuelled(supply, load, max(c.end_s for c in plan.charges)).each[0]
    assert filled.refuel_s == [a for a, _ in filled.stops]
    assert filled.low_s == ()


def test_a_tank_that_lasts_needs_no_stop_and_no_stop_is_planned_where_it_takes_no_time():
    assert with_stops(day(), of(source(40.0)), STOP_S)[0] == day()
    assert with_stops(day(), of(source(1.6)), 0.0)[0] == day()
    assert with_stops(day(), of(source(None)), STOP_S)[0] == day()


def test_hours_without_power_that_people_fixed_are_the_stop():
    task = day(dips=((4000.0, 4900.0, 0.0),))
    fixed, supply = with_stops(task, of(source(2.2)), STOP_S)
    assert supply.each[0].stops[0] == (4000.0, 4900.0)
    alone, own = with_stops(day(), of(source(2.2)), STOP_S)
    assert len(fixed.dips) <= 1 + len(alone.dips)
    assert own.each[0].stops


def test_one_of_two_supplies_stops_and_the_other_goes_on():
    task, supply = with_stops(day(site_power_w=2400.0), of(source(1.0), source(None, name="Van")), STOP_S)
    assert supply.each[0].stops
    assert not supply.each[1].stops
    assert {watts for _, _, watts in task.dips} == {1200.0}


def test_a_plan_that_empties_the_tank_before_its_stop_says_so():
    late = of(replace(source(1.0), stops=((30_000.0, 30_600.0),)))
    filled = fuelled(late, [(0.0, 1000.0)], 20_000.0)
    assert filled.each[0].low_s
    assert low_words(filled, lambda s: f"{s:.0f} s")[0].startswith("Trailer runs low at")
    assert fuel_of(replace(source(1.0), fuel=""), late, [(0.0, 1.0)], 10.0) is None


@settings(max_examples=25, deadline=None)
@given(st.floats(0.6, 6.0), st.integers(4, 14), st.sampled_from([300.0, 600.0, 1200.0]))
def test_a_day_with_stops_is_planned_whatever_the_tank(tank_l, flights, stop_s):
    task, supply = with_stops(day(flights), of(source(tank_l)), stop_s)
    stops = supply.each[0].stops
    assert list(stops) == sorted(stops)
    try:
        plan = dispatch(task)
    except CoreError:
        pytest.fail("a stop took the day away")
    assert holds(task, plan)
    assert drawn_in(task, plan, stops) == 0.0
