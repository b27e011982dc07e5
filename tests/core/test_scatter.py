"""One scatter for forecast and rehearsed world: what flown days tell of it, and that the two agree."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from quarry.core.base.errors import CoreError
from quarry.core.day.adapting import adapted, gained_s
from quarry.core.day.observed import observed
from quarry.core.day.playing import rehearse
from quarry.core.day.rehearsal import World
from quarry.core.day.state import Frame
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import Charger, Craft, Flight, Mode, PackSet, RotationTask
from quarry.core.rotation.monte_carlo import monte_carlo
from quarry.core.rotation.scatter import LearnedScatter, ObservedDay, PromiseKept, Scatter, factors, learn, without_reaction

STILL = Scatter(0.0, 0.0, 0.0, 0.0, 0.0, 0.0)


def flown(rng, true, days, flights=10):
    """Days as the model says they are."""
    found = []
    for _ in range(days):
        whole = true.flight_ratio * factors(rng, true.day_frac, 1)[0]
        packs = {name: factors(rng, true.pack_frac, 1)[0] for name in ("p", "q", "r")}
        charges = [(name, float(slow * x)) for name, slow in packs.items() for x in factors(rng, true.charge_frac, 4)]
        found.append(
            ObservedDay(
                tuple(float(whole * x) for x in factors(rng, true.flight_frac, flights)),
                tuple(charges),
                tuple(float(x) for x in factors(rng, true.swap_frac, flights)),
                tuple(float(true.reaction_s * x) for x in factors(rng, 0.6, flights)),
            )
        )
    return found


class TestLearning:
    def test_without_days_what_is_assumed_stands(self):
        assumed = Scatter(0.07, 0.02, 0.05, 0.01, 0.3, 33.0)
        assert learn(assumed, []) == LearnedScatter(assumed)

    @pytest.mark.parametrize("true", [Scatter(0.1, 0.03, 0.12, 0.08, 0.4, 60.0, 1.06), Scatter(0.02, 0.09, 0.02, 0.01, 0.1, 8.0)])
    def test_many_days_replace_what_is_assumed(self, true):
        got = learn(Scatter(), flown(np.random.default_rng(3), true, 400))
        assert got.days == 400
        assert (got.flights, got.charges, got.swaps, got.reactions) == (4000, 4800, 4000, 4000)
        for name in ("day_frac", "flight_frac", "charge_frac", "pack_frac", "swap_frac", "reaction_s"):
            assert getattr(got.scatter, name) == pytest.approx(getattr(true, name), rel=0.12, abs=0.004), name
        assert got.scatter.flight_ratio == pytest.approx(true.flight_ratio, abs=0.012)

    def test_one_day_moves_little_and_ten_move_more(self):
        true = Scatter(0.05, 0.15, 0.06, 0.03, 0.25, 80.0)
        days = flown(np.random.default_rng(8), true, 10)
        one, ten = learn(Scatter(), days[:1]).scatter, learn(Scatter(), days).scatter
        assert Scatter().flight_frac < one.flight_frac < ten.flight_frac < true.flight_frac * 1.15
        assert Scatter().reaction_s < one.reaction_s < ten.reaction_s < true.reaction_s

    def test_a_lunch_among_swaps_is_no_spread(self):
        usual = ObservedDay(swaps=tuple(1.0 + 0.01 * k for k in range(-8, 9)))
        lunch = ObservedDay(swaps=(*usual.swaps, 9.0))
        assert learn(Scatter(), [lunch]).scatter.swap_frac < 1.6 * learn(Scatter(), [usual]).scatter.swap_frac

    def test_within_and_between_are_those_of_an_analysis_of_variance(self):
        """With no weight of what is assumed the components are those of a one-way random model (by scipy's F test)."""
        rng = np.random.default_rng(5)
        days = flown(rng, Scatter(0.1, 0.05), 300)
        logs = [np.log(d.flights) for d in days]
        f = stats.f_oneway(*logs).statistic
        got = learn(Scatter(0.1, 0.05), days).scatter
        assert f == pytest.approx(1 + len(logs[0]) * got.day_frac**2 / got.flight_frac**2, rel=0.06)

    @settings(max_examples=150, deadline=None)
    @given(
        st.lists(
            st.builds(
                ObservedDay,
                st.lists(st.floats(0.01, 50.0), max_size=6).map(tuple),
                st.lists(st.tuples(st.sampled_from("pq"), st.floats(0.01, 50.0)), max_size=6).map(tuple),
                st.lists(st.floats(0.01, 50.0), max_size=6).map(tuple),
                st.lists(st.floats(0.0, 1e6), max_size=6).map(tuple),
            ),
            max_size=6,
        )
    )
    def test_whatever_was_flown_gives_a_scatter_that_can_be(self, days):
        got = learn(Scatter(), days).scatter
        assert all(math.isfinite(getattr(got, name)) for name in ("day_frac", "flight_frac", "reaction_s", "flight_ratio"))

    def test_what_cannot_be_is_refused(self):
        for wrong in ({"day_frac": -0.1}, {"reaction_s": math.nan}, {"flight_ratio": 9.0}):
            with pytest.raises(CoreError):
                Scatter(**wrong)


def few_ports(n, **over):
    rng = np.random.default_rng(n)
    flights = tuple(
        Flight(f"F{k}", "a", float(round(1100 * rng.uniform(0.8, 1.2))), float(0.65 * rng.uniform(0.8, 1.1))) for k in range(8)
    )
    sets = tuple(PackSet(f"s{k}", "t", 1, 350.0, (1.0, 0.6, 0.4)[k % 3]) for k in range(4))
    usual = {"swap_s": 240.0, "rest_after_flight_s": 900.0, "rest_after_charge_s": 300.0} | over
    task = RotationTask((Craft("a", "t"),), flights, sets, (Charger("1", 2, (Mode("fast", 480.0, 560.0),)),), **usual)
    plan = dispatch(task)
    return task, plan, Frame(task, {s.id: (f"{s.id}.1",) for s in sets}, {f.flight: f.set for f in plan.flights})


class TestAgreement:
    def test_a_world_that_does_not_scatter_flies_the_plan(self):
        for n in range(4):
            task, plan, frame = few_ports(n, site_power_w=900.0)
            day = rehearse(frame, plan, World(frame, n, scatter=STILL), {})
            assert day.debrief.flown_s == pytest.approx(plan.makespan_s, abs=90)
            assert monte_carlo(task, plan, STILL, days=2).p50_s == pytest.approx(plan.makespan_s, abs=90)

    def test_a_crew_that_answers_at_once_answers_at_the_time_of_the_call(self):
        _, plan, frame = few_ports(1)
        still = rehearse(frame, plan, World(frame, 3, scatter=STILL), {}).events
        first = {f.flight: f.takeoff_s for f in plan.flights}
        launched = {e.figures["flight"]: e.at_s for e in still if e.kind == "launched"}
        assert launched[plan.flights[0].flight] == first[plan.flights[0].flight]
        late = rehearse(frame, plan, World(frame, 3, scatter=Scatter(0, 0, 0, 0, 0, 45.0)), {}).debrief.flown_s
        at_once = rehearse(frame, plan, World(frame, 3, scatter=without_reaction(Scatter(0, 0, 0, 0, 0, 45.0))), {})
        assert at_once.debrief.flown_s < late
        assert len({round(e.at_s % 15.0, 3) for e in still if e.kind == "landed"}) > 2, "things have times of their own"

    def test_the_forecast_is_kept_as_often_as_it_says(self):
        """Forty rehearsed days in the plan's order: within what chance leaves of ten, half and nine in ten (binomial, 0.5 %)."""
        below = {10: 0, 50: 0, 90: 0}
        for n in range(10):
            task, plan, frame = few_ports(n)
            told = monte_carlo(task, plan, Scatter(), days=2000)
            for k in range(4):
                end = rehearse(frame, plan, World(frame, 100 * n + k, scatter=Scatter()), {}, adapt=False).debrief.flown_s
                below[10] += end <= told.p10_s
                below[50] += end <= told.p50_s
                below[90] += end <= told.p90_s
        for share, count in below.items():
            low, high = stats.binom.ppf((0.005, 0.995), 40, share / 100)
            assert low <= count <= high, (share, count)

    def test_each_part_of_the_scatter_moves_world_and_forecast_alike(self):
        task, plan, frame = few_ports(2)
        for name, value in (("day_frac", 0.2), ("charge_frac", 0.3), ("reaction_s", 200.0)):
            one = Scatter(
                **{
                    **dict.fromkeys(("day_frac", "flight_frac", "charge_frac", "pack_frac", "swap_frac", "reaction_s"), 0.0),
                    name: value,
                }
            )
            ends = [rehearse(frame, plan, World(frame, k, scatter=one), {}, adapt=False).debrief.flown_s for k in range(24)]
            told = monte_carlo(task, plan, one, days=3000)
            assert np.median(ends) == pytest.approx(told.p50_s, abs=0.8 * (told.p90_s - told.p10_s) / 2.56 + 30), name


class TestWhatADayTells:
    def test_a_rehearsed_day_tells_the_scatter_that_it_was_played_with(self):
        true = Scatter(0.12, 0.02, 0.1, 0.05, 0.15, 90.0)
        days = []
        for n in range(30):
            _, plan, frame = few_ports(n % 5)
            days.append(observed(frame, rehearse(frame, plan, World(frame, n, scatter=true), {}, adapt=False).events))
        got = learn(Scatter(), days)
        assert got.flights == 240
        assert got.scatter.day_frac == pytest.approx(0.12, rel=0.3)
        assert got.scatter.flight_frac == pytest.approx(0.02, rel=0.6)
        assert got.scatter.charge_frac == pytest.approx(0.1, rel=0.4)
        assert got.scatter.reaction_s == pytest.approx(90.0, rel=0.3)

    def test_the_working_names_what_was_learned_and_how_promises_were_kept(self):
        task, plan, _ = few_ports(1)
        told = LearnedScatter(Scatter(), days=12, flights=96, charges=80, swaps=70, reactions=60)
        working = monte_carlo(task, plan, told, days=200, kept=PromiseKept(12, 5, 11)).working
        words = " ".join(s.formula for s in working.steps)
        assert "96 flights of 12 flown days" in words
        assert {s.name: s.value for s in working.steps}["kept_nine"] == 11
        assert "kept_nine" not in {s.name for s in monte_carlo(task, plan, told, days=200).working.steps}

    def test_planning_anew_never_makes_a_forecast_later(self):
        task, plan, frame = few_ports(3)
        chance = monte_carlo(task, plan, Scatter(), days=500)
        gain = gained_s(frame, plan, Scatter(), days=3)
        assert gain >= 0.0
        moved = adapted(chance, 120.0)
        assert (moved.p50_s, moved.p90_s) == (chance.p50_s - 120.0, chance.p90_s - 120.0)
        assert moved.working.value == moved.p90_s == moved.working.steps[-1].value
        assert adapted(chance, 0.0) is chance
