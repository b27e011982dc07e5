"""Matching, comparing, claims and thinning of logs."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyproj import Geod

from quarry.core.base.errors import MissingInput
from quarry.core.flight.energy import Airframe
from quarry.core.logs.by_phase import draw_by_phase
from quarry.core.logs.claim import capacity_claim, power_claim, resistance_claim
from quarry.core.logs.compare import Moments, curve_of, middle_of
from quarry.core.logs.discharge import Discharge, discharge_of, minutes_to
from quarry.core.logs.flight import Span, distance_flown_m
from quarry.core.logs.match import Flown, matches_of
from quarry.core.logs.reading import Log
from quarry.core.logs.thin import enveloped

BEGAN = 1.7e9


def flown(key="a", at=0.0, length=900.0, serial="S1", to=0.35):
    return Flown(key, (serial,) if serial else (), BEGAN + at, length, 1.0, to)


class TestMatching:
    def test_time_length_and_number_together_are_sure(self):
        (best, *_), sure = matches_of(BEGAN + 40, 905.0, "S1", [flown(), flown("b", 5000.0, serial="S2")], zoned=True)
        assert (best.key, sure) == ("a", True)
        assert best.score_frac > 0.9

    def test_two_that_fit_alike_are_asked(self):
        found, sure = matches_of(BEGAN + 150, 900.0, "", [flown(serial=""), flown("b", 300.0, serial="")], zoned=True)
        assert len(found) == 2
        assert not sure

    @pytest.mark.parametrize("hours", [-5.0, 1.0, 5.75])
    def test_a_clock_of_another_zone_is_found_and_less_sure(self, hours):
        found, _ = matches_of(BEGAN + hours * 3600 + 30, 900.0, "S1", [flown()], zoned=False)
        assert found[0].off_s == -hours * 3600
        assert matches_of(BEGAN + hours * 3600 + 30, 900.0, "S1", [flown()], zoned=True)[0] == ()

    def test_one_that_needs_no_wrong_clock_goes_before_one_that_does(self):
        found, sure = matches_of(BEGAN + 20, 900.0, "S1", [flown(), flown("b", 7200.0)], zoned=False)
        assert (found[0].key, sure) == ("a", True)

    def test_another_pack_or_another_end_speaks_against_it(self):
        right = matches_of(BEGAN, 900.0, "S1", [flown()], zoned=True, to_frac=0.36)[0][0]
        pack = matches_of(BEGAN, 900.0, "S9", [flown()], zoned=True)[0][0]
        end = matches_of(BEGAN, 900.0, "S1", [flown()], zoned=True, to_frac=0.7)[0][0]
        assert pack.score_frac < end.score_frac < right.score_frac
        assert "S9" in pack.why
        assert "landed with 70%" in end.why

    @given(st.floats(-4000, 4000), st.floats(60, 3000))
    def test_scores_are_shares_and_nothing_far_is_offered(self, off, length):
        found, _ = matches_of(BEGAN + off, length, "", [flown(serial="")], zoned=True)
        assert all(0 <= m.score_frac <= 1 for m in found)
        assert abs(off) <= 900 or not found


def log_of(seconds=600, rise=0.0, cells=None, **numbers):
    t = np.arange(0.0, seconds, 1.0)
    n = {"left_frac": np.linspace(1.0, 0.4, t.size), "current_a": np.full(t.size, 20.0), "pack_v": np.full(t.size, 24.0) + rise}
    return Log(t, n | numbers, cells, {})


class TestCurves:
    def test_axes_are_percent_minutes_and_charge(self):
        log = log_of()
        ends = {axis: curve_of(log, "cell_v", axis, 6).x[-1] for axis in ("percent", "time", "charge")}
        assert ends["percent"] == pytest.approx(60, abs=0.2)
        assert ends["time"] == pytest.approx(599 / 60, abs=0.02)
        assert ends["charge"] == pytest.approx(20 * 599 / 3600, abs=0.02)
        assert curve_of(log, "cell_v", "time", 6).y[0] == pytest.approx(4.0)

    def test_what_is_not_told_is_said(self):
        with pytest.raises(MissingInput):
            curve_of(log_of(), "pack_c", "time")
        with pytest.raises(MissingInput, match="volts of a cell"):
            curve_of(log_of(), "cell_v", "time")
        with pytest.raises(MissingInput):
            curve_of(Log(np.arange(50.0), {"height_m": np.ones(50)}, None, {}), "height_m", "percent")

    def test_the_middle_lies_between_its_curves_where_half_of_them_reach(self):
        made = [curve_of(log_of(600, rise), "cell_v", "time", 6) for rise in (0.0, 0.6, 1.2)]
        middle, low, high = middle_of(made)
        assert middle.y[60] == pytest.approx(24.6 / 6)
        assert all(a <= b <= c for a, b, c in zip(low.y, middle.y, high.y, strict=True))
        assert middle_of([]) is None


class TestClaims:
    CRAFT = Airframe("x", 480.0, 10.0, 60.0, 3.0)
    SEEN = Discharge(600.0, from_frac=1.0, to_frac=0.4, mean_w=480.0 * 1.1, used_ah=6.0, resistance_ohm=0.018, resistance_c=25.0)

    def test_an_aircraft_of_one_power_is_held_against_it(self):
        claim = power_claim(log_of(), self.SEEN, self.CRAFT)
        assert claim.ratio == pytest.approx(1.1)
        assert "the same at every speed" in str(claim.working)

    def test_faster_and_climbing_is_claimed_more(self):
        craft = Airframe("y", 600.0, 12.0, 60.0, 3.0, 1, True, 6.5, 6, 0.4)
        t = np.arange(0.0, 600.0)
        slow = log_of(speed_m_s=np.full(600, 12.0), height_m=np.full(600, 50.0))
        fast = log_of(speed_m_s=np.full(600, 27.0), height_m=np.full(600, 50.0))
        climbing = log_of(speed_m_s=np.full(600, 12.0), height_m=t)
        claimed = [power_claim(x, self.SEEN, craft).claimed for x in (slow, fast, climbing)]
        assert claimed[0] < claimed[1]
        assert claimed[2] - claimed[0] == pytest.approx(6.5 * 9.80665 / 0.8, rel=0.2)

    def test_capacity_is_charge_over_share_and_needs_a_third_of_the_pack(self):
        assert capacity_claim(self.SEEN, 10.0, 0.95).measured == pytest.approx(10.0)
        assert capacity_claim(self.SEEN, 10.0, 0.95).ratio == pytest.approx(1 / 0.95)
        assert capacity_claim(Discharge(600.0, 1.0, 0.8, used_ah=2.0), 10.0, 1.0) is None

    def test_resistance_is_that_of_a_cell_at_25_degrees(self):
        assert resistance_claim(self.SEEN, 6, 0.003).ratio == pytest.approx(1.0)
        assert resistance_claim(Discharge(600.0), 6, 0.003) is None

    def test_what_a_log_does_not_tell_claims_nothing(self):
        assert power_claim(log_of(), Discharge(600.0), self.CRAFT) is None
        assert capacity_claim(Discharge(600.0), 10.0, 1.0) is None


def test_ways_flown_are_those_of_the_ellipsoid():
    """Against Karney's algorithms as pyproj carries them."""
    t = np.arange(0.0, 600.0)
    lat, lon = 55.12 + 8e-5 * np.sin(t / 40), -4.31 + 9e-5 * t / 10
    whole = distance_flown_m(Log(t, {"lat_deg": lat, "lon_deg": lon}, None, {}))
    assert whole == pytest.approx(Geod(ellps="WGS84").line_length(lon, lat), rel=1e-5)


def test_draw_by_phase_adds_up_to_the_flight():
    log = log_of()
    spans = [Span(0.0, 100.0, "climb"), Span(100.0, 400.0, "line"), Span(400.0, 599.0, "line")]
    rows = {p.name: p for p in draw_by_phase(log, spans)}
    assert rows["line"].mean_w == pytest.approx(480.0)
    assert sum(p.wh for p in rows.values()) == pytest.approx(480 * 599 / 3600, rel=1e-3)
    assert list(rows) == ["climb", "line"]


@given(st.integers(5, 4000), st.integers(4, 300))
def test_a_thinned_series_keeps_its_peaks_and_its_ends(rows, points):
    rng = np.random.default_rng(rows)
    t, v = np.arange(float(rows)), rng.normal(size=rows)
    axis, thin = enveloped(t, {"v": v}, points)
    assert axis.size <= max(rows if rows <= points + 1 else 0, 2 * max(2, points // 2))
    assert np.all(np.diff(axis) >= 0)
    assert math.isclose(float(np.nanmax(thin["v"])), float(v.max()))
    assert math.isclose(float(np.nanmin(thin["v"])), float(v.min()))


class TestMoments:
    def test_curves_lie_over_one_another_at_a_percent_at_the_first_warning_or_at_the_landing(self):
        log = log_of()
        minutes = float(log.time_s[-1]) / 60
        at_landing = curve_of(log, "cell_v", "landing", 6)
        assert (at_landing.x[0], at_landing.x[-1]) == pytest.approx((-minutes, 0.0), abs=0.05)
        warned = curve_of(log, "cell_v", "warning", 6, Moments(warned_s=60.0))
        assert (warned.x[0], warned.x[-1]) == pytest.approx((-1.0, minutes - 1.0), abs=0.05)
        with pytest.raises(MissingInput, match="No warning came"):
            curve_of(log, "cell_v", "warning", 6)
        half = curve_of(log, "left_frac", "at_percent", at_frac=0.7)
        assert np.interp(0.0, half.x, half.y) == pytest.approx(0.7, abs=0.005)
        with pytest.raises(MissingInput, match="did not pass"):
            curve_of(log, "left_frac", "at_percent", at_frac=0.2)
        with pytest.raises(MissingInput, match="from which percent"):
            curve_of(log, "left_frac", "at_percent")

    @given(st.floats(0.0, 599.0), st.sampled_from(["time", "percent", "charge", "landing"]))
    def test_a_warning_lies_on_its_curve(self, at, axis):
        curve = curve_of(log_of(), "left_frac", axis, moments=Moments(at, min(599.0, at + 30.0)))
        for point in (curve.warned, curve.critical):
            assert point[1] == pytest.approx(float(np.interp(point[0], curve.x, curve.y)), abs=0.01)
        assert curve.critical[0] >= curve.warned[0]
        assert curve_of(log_of(), "left_frac", axis, moments=Moments(900.0)).warned is None


def test_minutes_to_a_charge_are_slower_above_the_knee_than_below():
    kneed = {"min_per_percent": 0.2, "knee_frac": 0.4, "above_knee_min": 0.25, "below_knee_min": 0.1}
    assert minutes_to(kneed, 0.5) == pytest.approx(12.5)
    assert minutes_to(kneed, 0.3) == pytest.approx(60 * 0.25 + 10 * 0.1)
    assert minutes_to(kneed, 0.0) == pytest.approx(60 * 0.25 + 40 * 0.1)
    assert minutes_to({"min_per_percent": 0.2}, 0.3) == pytest.approx(14.0)
    assert minutes_to({}, 0.3) is None
    t = np.arange(0.0, 1200.0)
    left = np.where(t < 800, 1 - t / 2000, 0.6 - (t - 800) / 800)
    found = discharge_of(Log(t, {"left_frac": left}, None, {}))
    assert (found.above_knee_min, found.below_knee_min) == pytest.approx((2000 / 6000, 800 / 6000), rel=0.05)
