"""Constant current, then constant voltage: against arithmetic, a numeric integration, and its own parts."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad

from quarry.core.base.working import explain
from quarry.core.power.charging import CONSTANT_POWER, ChargeLaw, charge_rate, charge_state, charge_time_s

laws = st.builds(ChargeLaw, st.floats(0.5, 0.98), st.floats(0.5, 4.0))


def test_constant_power_is_energy_over_power():
    assert charge_time_s(200.0, 0.4, 100.0, CONSTANT_POWER) == pytest.approx(0.6 * 200 / 100 * 3600)
    assert charge_time_s(200.0, 1.0, 100.0, CONSTANT_POWER) == 0.0


@given(st.floats(50, 500), st.floats(0, 0.95), st.floats(40, 800), laws)
def test_the_power_of_a_charge_sums_to_the_energy_it_fills(energy, start, power, law):
    """scipy's quad over the power curve gives back the energy within half a percent."""
    end = charge_time_s(energy, start, power, law)
    steady = next(s.value for s in explain(charge_time_s, energy, start, power, law).steps if s.name == "steady_s")
    filled, _ = quad(lambda t: charge_state(energy, start, power, law, t)[1], 0, end, points=[steady], limit=200)
    assert filled / 3600 == pytest.approx((1 - start) * energy, rel=5e-3)


@given(st.floats(50, 500), st.floats(0, 0.9), st.floats(40, 800), laws)
def test_a_charge_rises_all_the_way_and_ends_full(energy, start, power, law):
    end = charge_time_s(energy, start, power, law)
    shares = [charge_state(energy, start, power, law, end * k / 40)[0] for k in range(41)]
    assert all(b >= a - 1e-9 for a, b in zip(shares, shares[1:], strict=False))
    assert shares[0] == pytest.approx(start, abs=1e-9)
    assert shares[-1] == pytest.approx(1.0, abs=2e-3)


@given(st.floats(50, 500), st.floats(0, 0.9), st.floats(40, 400), laws)
def test_more_power_is_never_slower_and_never_above_the_rate_of_the_maker(energy, start, power, law):
    slow, fast = charge_time_s(energy, start, power, law), charge_time_s(energy, start, power * 1.5, law)
    assert fast <= slow + 1e-6
    assert charge_rate(charge_state(energy, start, 1e6, law, 0.0)[1], energy) <= law.most_rate_c + 1e-9


@given(st.floats(50, 500), st.floats(0.05, 0.9), st.floats(40, 400), laws)
def test_two_parts_of_one_charge_take_as_long_as_the_whole(energy, start, power, law):
    whole = charge_time_s(energy, start, power, law)
    middle, _ = charge_state(energy, start, power, law, whole / 3)
    assert charge_time_s(energy, middle, power, law) == pytest.approx(whole * 2 / 3, rel=2e-2)


def test_two_minutes_at_one_c_put_in_what_was_seen():
    """1.8 A into 1.8 Ah: 61 mAh after two minutes. Common practice, no source."""
    share, _ = charge_state(1.8, 0.2, 1.8, ChargeLaw(0.85, 2.0), 120.0)
    assert (share - 0.2) * 1800 == pytest.approx(61, abs=2)


def test_a_working_says_where_the_pack_takes_less_than_the_charger_gives():
    told = explain(charge_time_s, 355.0, 0.3, 2000.0, ChargeLaw(cv_from_frac=0.85, most_rate_c=2.0))
    (cap,) = [s for s in told.steps if s.kind == "limit"]
    assert (cap.name, cap.value, cap.unit) == ("power_w", 710.0, "W")
    assert "at most 2 C" in cap.formula
    rate = next(s for s in told.steps if s.name == "rate_c")
    assert (rate.value, rate.unit) == (2.0, "C"), "multiples of capacity an hour, never degrees"
    assert not [s for s in explain(charge_time_s, 355.0, 0.3, 500.0, ChargeLaw()).steps if s.kind == "limit"]
