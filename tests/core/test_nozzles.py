"""Nozzles, catches and patterns: against the published sizes, and against passes laid over one another by brute force."""

import math

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from quarry.core.base.errors import CoreError, MissingInput, OutOfRange
from quarry.core.spraying.catches import calibrate
from quarry.core.spraying.nozzles import (
    BY_SIZE,
    CLASS_ORDER,
    SIZES,
    Atomisers,
    Nozzles,
    RateTask,
    class_at,
    droplet_class,
    nozzle_l_min,
    proposals,
    solve_rate,
)
from quarry.core.spraying.pattern import WAYS, Pattern, evenness, leans, overlapped, variation_at


class TestSizes:
    @pytest.mark.parametrize(
        ("size", "l_min", "colour"),
        [
            ("01", 0.4, "orange"),
            ("015", 0.6, "green"),
            ("02", 0.8, "yellow"),
            ("03", 1.2, "blue"),
            ("04", 1.6, "red"),
            ("05", 2.0, "brown"),
        ],
    )
    def test_flow_at_three_bar_and_colour_are_those_of_the_standard(self, size, l_min, colour):
        """ISO 10625, from memory. A size is a tenth of a US gallon a minute at 40 psi for each hundred of its number."""
        assert (BY_SIZE[size].nominal_l_min, BY_SIZE[size].colour) == (l_min, colour)
        by_gallons = int(size.ljust(3, "0")) / 100 * 3.785
        at_40_psi = nozzle_l_min(l_min, 2.758)
        assert at_40_psi == pytest.approx(by_gallons, rel=0.03)

    def test_sizes_rise_and_none_is_there_twice(self):
        flows = [s.nominal_l_min for s in SIZES]
        assert flows == sorted(set(flows))
        assert len({s.colour for s in SIZES}) == len(SIZES)

    @given(st.sampled_from(SIZES), st.floats(0.5, 15.0), st.integers(1, 16))
    def test_pressure_and_flow_are_one_another_turned(self, size, bar, count):
        n = Nozzles(size.name, count, 0.3, 20.0)
        assert n.pressure_bar(count * nozzle_l_min(size.nominal_l_min, bar)) == pytest.approx(bar)
        # Twice the flow takes four times the pressure.
        assert nozzle_l_min(size.nominal_l_min, 4 * bar) == pytest.approx(2 * nozzle_l_min(size.nominal_l_min, bar))

    @pytest.mark.parametrize(
        ("build", "field"),
        [
            (lambda: Nozzles("7", 4, 1.0, 4.0), "nozzle_size"),
            (lambda: Nozzles("02", 0, 1.0, 4.0), "nozzles_count"),
            (lambda: Nozzles("02", 4, 4.0, 1.0), "most_bar"),
            (lambda: Nozzles("02", 4, math.nan, 4.0), "least_bar"),
            (lambda: Atomisers(2, 0.5, 0.1), "most_l_min"),
            (lambda: Atomisers(2, 0.1, 0.5, ((9000.0, 90.0), (6000.0, 160.0))), "drops"),
        ],
    )
    def test_what_cannot_be_is_refused_at_its_field(self, build, field):
        with pytest.raises(CoreError) as bad:
            build()
        assert bad.value.field == field


class TestDrops:
    def test_classes_are_in_order_and_meet(self):
        """Bounds of ASABE S572.1 as extension services print them, from memory."""
        found = [droplet_class(um) for um in (50.0, 100.0, 200.0, 300.0, 400.0, 450.0, 600.0, 800.0)]
        assert tuple(found) == CLASS_ORDER

    def test_a_table_says_its_class_and_below_its_first_row_nothing(self):
        table = [(1.0, "very coarse"), (2.0, "coarse"), (4.0, "medium")]
        assert [class_at(table, bar) for bar in (0.8, 1.0, 3.9, 4.0, 9.0)] == [None, "very coarse", "coarse", "medium", "medium"]

    def test_atomisers_give_smaller_drops_the_faster_they_turn(self):
        a = Atomisers(2, 0.2, 1.2, ((4000.0, 260.0), (8000.0, 140.0), (12_000.0, 90.0)))
        assert a.median_um(6000.0) == pytest.approx(200.0)
        assert a.range_l_min == (0.4, 2.4)
        with pytest.raises(OutOfRange):
            a.median_um(13_000.0)
        with pytest.raises(MissingInput):
            Atomisers(2, 0.2, 1.2).median_um(6000.0)


class TestRate:
    @given(st.floats(5, 200), st.floats(1, 12), st.floats(2, 12), st.integers(0, 3))
    def test_any_of_the_four_comes_from_the_other_three(self, rate, speed, swath, left_open):
        flow = rate * swath * speed * 60 / 10_000  # litres on a square metre times square metres a minute
        assume(0.02 < flow < 150)
        known = [rate, speed, swath, flow]
        asked = [None if k == left_open else v for k, v in enumerate(known)]
        found = solve_rate(RateTask(*asked))
        assert [found.rate_l_ha, found.speed_m_s, found.swath_m, found.flow_l_min] == pytest.approx(known, rel=1e-9)

    @pytest.mark.parametrize("asked", [(10.0, 5.0, 4.0, 2.0), (10.0, None, None, 2.0), (None, None, None, None)])
    def test_exactly_one_is_left_open(self, asked):
        with pytest.raises(MissingInput):
            solve_rate(RateTask(*asked))

    @settings(max_examples=200)
    @given(st.sampled_from(SIZES), st.integers(1, 8), st.floats(5, 150), st.floats(2, 8), st.floats(3, 10))
    def test_whatever_is_proposed_gives_the_rate(self, size, count, rate, speed, swath):
        n = Nozzles(size.name, count, 1.0, 5.0)
        found = solve_rate(RateTask(rate, speed, swath, None))
        for p in proposals(n, found, 1.5, 9.0):
            other = Nozzles(p.size, count, 1.0, 5.0)
            flow = other.count * nozzle_l_min(BY_SIZE[p.size].nominal_l_min, p.pressure_bar)
            assert other.gives(flow)
            assert solve_rate(RateTask(None, p.speed_m_s, swath, flow)).rate_l_ha == pytest.approx(rate, rel=1e-6)
            assert 1.5 - 1e-6 <= p.speed_m_s <= 9.0 + 1e-6
        if n.gives(found.flow_l_min):
            assert all(p.size != n.size for p in proposals(n, found, 1.5, 9.0))

    def test_the_words_of_a_proposal(self):
        n = Nozzles("01", 4, 1.5, 4.0)
        found = solve_rate(RateTask(20.0, 5.0, 5.0, None))
        assert [p.words for p in proposals(n, found, 2.0, 8.0)] == ["size 02 (yellow) at 2.6 bar", "3.1 m/s at 4.0 bar"]


class TestCatches:
    def test_worn_and_stopped_ones_are_named(self):
        made = calibrate([0.40, 0.41, 0.46, 0.33, 0.0], 30.0, 0.8)
        assert made.each_l_min == pytest.approx((0.8, 0.82, 0.92, 0.66, 0.0))
        assert (made.worn, made.short) == ((3,), (4, 5))
        assert made.total_l_min == pytest.approx(3.2)
        assert "Worn, change: nozzle 3" in made.words()
        assert "nozzles 4, 5" in made.words()

    def test_without_a_size_they_are_held_against_their_median(self):
        made = calibrate([0.5, 0.5, 0.52, 0.6], 60.0)
        assert made.wanted_l_min == pytest.approx(0.51)
        assert made.worn == (4,)
        assert "All within 10%" in calibrate([0.5, 0.5], 60.0).words()

    @pytest.mark.parametrize(
        ("caught", "seconds"), [([], 30.0), ([0.4], 0.0), ([-0.1], 30.0), ([math.inf], 30.0), ([0.0, 0.0], 30.0)]
    )
    def test_what_cannot_be_is_refused(self, caught, seconds):
        with pytest.raises(CoreError):
            calibrate(caught, seconds)


def pattern(values, step=0.5):
    n = len(values)
    return Pattern(tuple((k - (n - 1) / 2) * step for k in range(n)), tuple(values))


class TestPattern:
    def test_a_triangle_is_even_at_half_its_width_both_ways(self):
        """Worked example of the textbooks: triangular patterns add up to a plain at half their base."""
        p = pattern([*np.linspace(0, 1, 9), *np.linspace(1, 0, 9)[1:]])
        for way in WAYS:
            assert variation_at(p, p.width_m / 2, way) == pytest.approx(0.0, abs=1e-9)
            assert variation_at(p, p.width_m, way) > 0.4

    def test_a_plain_swath_is_even_at_its_width_and_striped_a_little_beyond(self):
        p = Pattern((-3.001, -3.0, -1.0, 1.0, 3.0, 3.001), (0.0, 1.0, 1.0, 1.0, 1.0, 0.0))
        assert variation_at(p, 6.0, "racetrack") < 0.08
        assert variation_at(p, 7.5, "racetrack") == pytest.approx(math.sqrt(0.2 * 0.8) / 0.8, rel=0.02)

    @settings(max_examples=40, deadline=None)
    @given(st.lists(st.floats(0.0, 5.0), min_size=7, max_size=15), st.floats(1.0, 6.0), st.sampled_from(WAYS))
    def test_against_passes_laid_over_one_another_one_by_one(self, values, spacing, way):
        assume(max(values) > 0.1)
        p = pattern(values)
        xs = np.linspace(0.0, 2 * spacing, 401)[:-1] + spacing / 400
        brute = np.zeros(xs.size)
        for k in range(-40, 41):
            for i, x in enumerate(xs):
                off = x - k * spacing
                brute[i] += float(np.interp(-off if way == "back and forth" and k % 2 else off, p.at_m, p.caught, 0.0, 0.0))
        assert overlapped(p, spacing, way) == pytest.approx(brute, abs=1e-9)
        assert variation_at(p, spacing, way) == pytest.approx(brute.std() / brute.mean(), abs=1e-9)

    @settings(max_examples=25, deadline=None)
    @given(st.lists(st.floats(0.1, 5.0), min_size=7, max_size=15), st.floats(0.08, 0.3))
    def test_the_best_spacing_is_even_enough_and_so_are_all_below_it(self, values, wanted):
        found = evenness(pattern(values), wanted)
        for way in WAYS:
            best = found.best_m[way]
            below = [v for s, v in zip(found.spacings_m, found.curves[way], strict=True) if best is not None and s <= best]
            assert all(v <= wanted for v in below)
            if best is None:
                assert found.curves[way][0] > wanted

    def test_one_that_leans_is_striped_back_and_forth(self):
        p = pattern([0, 1, 2, 3, 4, 5, 6, 7, 8])
        assert leans(p) > 0.5
        assert variation_at(p, 3.0, "back and forth") != pytest.approx(variation_at(p, 3.0, "racetrack"), abs=0.02)

    @pytest.mark.parametrize(
        "catches",
        [
            ((0, 1, 2), (1, 1, 1)),
            ((0, 1, 1, 2, 3), (1, 1, 1, 1, 1)),
            ((0, 1, 2, 3, 4), (0, 0, 0, 0, 0)),
            ((0, 1, 2, 3, 4), (1, 1, -1, 1, 1)),
        ],
    )
    def test_what_is_no_pattern_is_refused(self, catches):
        with pytest.raises(CoreError):
            Pattern(*catches)
