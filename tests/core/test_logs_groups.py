"""Groups of flights held against one another: significance, what else differs, and taking it out."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy import stats

from quarry.core.logs.groups import Conditions, Flown, adjusted, imbalances, table_of


def flown(numbers=None, names=None, **figures):
    return Flown(
        {"length_s": 1200.0, "lowest_v": 3.6, "warned_s": 1000.0, "critical_s": 60.0} | figures,
        Conditions(numbers or {}, names or {}),
    )


def rows_of(*groups, without=()):
    return {row.figure: row for row in table_of(groups, without)}


class TestDifferences:
    def test_figures_that_no_two_groups_tell_are_left_out(self):
        rows = rows_of([flown(mean_w=600.0, most_c=30.0)] * 4, [flown(mean_w=700.0)] * 4)
        assert "most_c" not in rows
        assert not rows["mean_w"].against[0].noise
        assert rows["mean_w"].against[0].difference == pytest.approx(100.0)

    def test_a_cell_that_lies_far_lower_is_no_noise_of_its_voltage(self):
        """Six percent of a voltage is 0.2 V: a pack whose weakest cell lies 0.4 V lower is weak after three flights each."""
        first = [flown(lowest_v=3.6 + 0.01 * k) for k in range(3)]
        weak = [flown(lowest_v=3.2 + 0.01 * k) for k in range(3)]
        near = [flown(lowest_v=3.59 + 0.01 * k) for k in range(3)]
        against_weak, against_near = rows_of(first, weak, near)["lowest_v"].against
        assert not against_weak.noise
        assert against_weak.difference == pytest.approx(-0.4)
        assert against_near.noise

    def test_from_the_first_warning_to_the_landing(self):
        row = rows_of([flown()], [flown(warned_s=900.0)])["warned_to_landing_s"]
        assert row.middles == (200.0, 300.0)
        assert row.counts == (1, 1)

    def test_six_groups_are_each_held_against_the_first_and_one_may_not_know_a_figure(self):
        groups = [[flown(mean_w=600.0 + 10.0 * k)] * 5 for k in range(5)] + [[flown()] * 5]
        row = rows_of(*groups)["mean_w"]
        assert [round(d.difference) for d in row.against[:4]] == [10, 20, 30, 40]
        assert row.against[4] is None
        assert row.middles[5] is None


class TestWhatElseDiffers:
    def test_colder_air_and_another_job_are_named(self):
        warm = [flown({"air_c": 20.0 + k}, {"job": "Ridge"}) for k in range(4)]
        cold = [flown({"air_c": 12.0 + k}, {"job": "Ridge" if k else "Dam"}) for k in range(4)]
        air, job = imbalances([warm, cold], frozenset())
        assert (air.condition, air.mine, air.first, air.shared) == ("air_c", 13.5, 21.5, False)
        assert (job.condition, job.shared) == ("job", True)
        assert imbalances([warm, cold], frozenset({"air_c", "job"})) == ()

    def test_a_degree_or_a_scatter_of_its_own_is_no_word_worth(self):
        a = [flown({"air_c": t}) for t in (10.0, 20.0, 30.0)]
        assert imbalances([a, [flown({"air_c": t}) for t in (11.0, 21.0, 31.0)]], frozenset()) == ()
        assert imbalances([a, [flown()]], frozenset()) == (), "what is not known is not said to differ"

    def test_packs_of_another_model_are_named_by_their_model_alone(self):
        a = [flown(names={"pack_model": "M", "pack": "01"})]
        b = [flown(names={"pack_model": "N", "pack": "02"})]
        assert [i.condition for i in imbalances([a, b], frozenset())] == ["pack_model"]
        assert imbalances([a, b], frozenset({"pack_model"})) == ()


class TestTakingOut:
    @given(st.integers(0, 10_000), st.floats(-100, 100), st.floats(-8, 8))
    def test_what_was_planted_is_found_whatever_else_differs(self, seed, truth, slope):
        rng = np.random.default_rng(seed)
        groups = []
        for shift, middle in ((0.0, 15.0), (truth, 10.0)):
            air = rng.normal(middle, 5.0, 12)
            groups.append([(600.0 + shift + slope * a + rng.normal(0, 2.0), flown({"air_c": float(a)})) for a in air])
        (found,) = adjusted(groups, ("air_c",), 2.0)
        assert found.without == ("air_c",)
        assert found.difference == pytest.approx(truth, abs=7.0)
        assert found.low < found.difference < found.high

    def test_bounds_hold_the_truth_nine_times_in_ten(self):
        rng = np.random.default_rng(3)
        inside = 0
        for _ in range(400):
            groups = []
            for shift, middle in ((0.0, 14.0), (30.0, 11.0)):
                air = rng.normal(middle, 4.0, 8)
                groups.append([(600.0 + shift - 3.0 * a + rng.normal(0, 36.0), flown({"air_c": float(a)})) for a in air])
            (found,) = adjusted(groups, ("air_c",))
            inside += found.low <= 30.0 <= found.high
        assert 0.87 <= inside / 400 <= 0.95

    @given(st.integers(0, 10_000), st.integers(4, 12), st.integers(4, 12))
    def test_it_is_the_slope_of_what_is_left_of_both(self, seed, many, more):
        """The theorem of Frisch, Waugh and Lovell (Econometrica 1:387-401, 1933; from memory), by scipy's own regression."""
        rng = np.random.default_rng(seed)
        of = np.repeat([0.0, 1.0], [many, more])
        wind = rng.uniform(0, 9, of.size)
        y = 500.0 + 40.0 * of + 12.0 * wind + rng.normal(0, 10.0, of.size)
        assume(abs(np.corrcoef(of, wind)[0, 1]) < 0.8)
        flights = [(float(v), flown({"wind_m_s": float(w)})) for v, w in zip(y, wind, strict=True)]
        (found,) = adjusted([flights[:many], flights[many:]], ("wind_m_s",))

        def left_of(v):
            line = stats.linregress(wind, v)
            return v - line.intercept - line.slope * wind

        assert found.difference == pytest.approx(stats.linregress(left_of(of), left_of(y)).slope, rel=1e-6)

    def test_what_goes_with_the_groups_cannot_be_told_apart_and_stays_in(self):
        summer = [(600.0, flown({"air_c": 25.0 + 0.1 * k}, {"pack_model": "M"})) for k in range(8)]
        winter = [(650.0, flown({"air_c": 2.0 + 0.1 * k}, {"pack_model": "N"})) for k in range(8)]
        assert adjusted([summer, winter], ("air_c",)) == (None,)
        assert adjusted([summer, winter], ("pack_model",)) == (None,)

    def test_few_flights_are_not_asked_for_much(self):
        a = [(600.0 + k, flown({"air_c": 10.0 + 3.0 * k, "wind_m_s": 1.0 * k})) for k in range(4)]
        b = [(640.0 + k, flown({"air_c": 13.0 + 3.0 * k, "wind_m_s": 5.0 - k})) for k in range(4)]
        (found,) = adjusted([a, b], ("air_c", "wind_m_s"))
        assert found.without == ("air_c", "wind_m_s")
        assert adjusted([a[:2], b[:2]], ("air_c",)) == (None,)

    def test_names_are_steps_alike_in_all_groups(self):
        """Two persons, one heavier on the stick by 50 W, fly both firmwares unevenly; the firmwares differ by 20 W."""
        lines = [("1.0", "Ada", 3), ("1.0", "Bo", 9), ("2.0", "Ada", 9), ("2.0", "Bo", 3)]
        rng = np.random.default_rng(5)
        groups = {"1.0": [], "2.0": []}
        for firmware, person, count in lines:
            for _ in range(count):
                watts = 600.0 + 20.0 * (firmware == "2.0") + 50.0 * (person == "Bo") + rng.normal(0, 1.0)
                groups[firmware].append(flown(names={"person": person}, mean_w=watts))
        pair = (groups["1.0"], groups["2.0"])
        (person,) = imbalances(pair, frozenset({"firmware"}))
        assert (person.condition, person.first, person.mine) == ("person", "Bo", "Ada")
        row = rows_of(*pair, without=("person",))["mean_w"]
        assert row.against[0].difference < 0, "the raw difference points the wrong way"
        assert row.adjusted[0].difference == pytest.approx(20.0, abs=2.0)
