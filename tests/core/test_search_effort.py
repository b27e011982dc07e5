"""Effort against closed forms, scipy's optimiser and every plan there is; sweep width against curves that are known."""

import itertools
import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import minimize

from quarry.core.base.errors import Infeasible, MissingInput, OutOfRange
from quarry.core.ground.search import detection_frac, detections_frac
from quarry.core.search.effort import divided_effort, most_found_frac, search_rate_per_s
from quarry.core.search.next_sorties import (
    LEAST_ON_SCENE_S,
    MOST_COVERAGE,
    Effort,
    Pool,
    Searcher,
    choices,
    plan_search,
)
from quarry.core.search.width import Pass, crossover_m, sweep_width, width_of_curve_m


def test_effort_goes_where_it_gains_most_until_gains_are_even():
    # Worked by hand: gains of 0.6 × 0.01 and 0.2 × 0.01 by the second meet after ln 3 ÷ 0.01 s.
    first = divided_effort([0.6, 0.2], [0.01, 0.01], 100.0)
    assert first.seconds == pytest.approx((100.0, 0.0))
    both = divided_effort([0.6, 0.2], [0.01, 0.01], 100 * math.log(3) + 200.0)
    assert both.seconds == pytest.approx((100 * math.log(3) + 100.0, 100.0))
    assert both.gain_per_s == pytest.approx(0.2 * 0.01 * math.exp(-1.0))


def test_over_a_normal_distribution_effort_fills_koopmans_disc():
    # Koopman 1957 (from memory): over a circular normal distribution the best effort reaches out to
    # R² = 2σ² √(W L ÷ (π σ²)) and finds 1 − (1 + R² ÷ 2σ²) e^(−R² ÷ 2σ²).
    sigma, wl = 500.0, 2.0e6
    edges = np.linspace(0.0, 4000.0, 4001)
    area = math.pi * np.diff(edges**2)
    inside = -np.diff(np.exp(-(edges**2) / (2 * sigma**2)))
    found = divided_effort(inside.tolist(), (1.0 / area).tolist(), wl)
    h = math.sqrt(wl / (math.pi * sigma**2))
    assert found.success_frac == pytest.approx(1 - (1 + h) * math.exp(-h), abs=2e-4)
    used = edges[1:][np.array(found.seconds) > 0].max()
    assert used == pytest.approx(sigma * math.sqrt(2 * h), rel=0.01)


@settings(max_examples=40, deadline=None)
@given(st.lists(st.tuples(st.floats(0.01, 1), st.floats(1e-4, 1e-2)), min_size=2, max_size=6), st.floats(10, 5000))
def test_no_other_division_does_better(ground, time_s):
    p, rate = (np.array(x) for x in zip(*ground, strict=True))
    p = p / p.sum()
    found = divided_effort(p.tolist(), rate.tolist(), time_s)
    assert sum(found.seconds) == pytest.approx(time_s)
    assert min(found.seconds) >= 0
    other = minimize(
        lambda t: float((p * np.exp(-rate * t * time_s)).sum()),
        np.full(len(p), 1 / len(p)),
        bounds=[(0, 1)] * len(p),
        constraints=[{"type": "eq", "fun": lambda t: t.sum() - 1}],
        method="SLSQP",
    )
    assert found.success_frac >= 1 - other.fun - 1e-6
    assert divided_effort(p.tolist(), rate.tolist(), 1.2 * time_s).success_frac >= found.success_frac


@pytest.mark.parametrize("law", ["random", "inverse_cube", "definite"])
def test_many_coverages_are_detected_as_each_alone(law):
    c = np.linspace(0.0, 4.0, 50)
    assert detections_frac(c, law) == pytest.approx([detection_frac(float(x), law) for x in c])


def test_effort_that_is_no_number_is_refused():
    with pytest.raises(OutOfRange):
        divided_effort([0.5], [-1.0], 10.0)
    assert divided_effort([0.0, 0.0], [1.0, 1.0], 10.0).success_frac == 0.0


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.floats(0, 1), st.sampled_from([0.0, 1e-4, 1e-2, 1.0])), min_size=1, max_size=6),
    st.lists(st.floats(0, 20_000), min_size=1, max_size=3),
)
def test_many_searches_at_once_give_what_each_gives_alone(ground, times):
    p, rate = (np.array(x) for x in zip(*ground, strict=True))
    held = np.stack([p * 0.9**k for k in range(len(times))])
    alone = [divided_effort(row.tolist(), rate.tolist(), t).success_frac for row, t in zip(held, times, strict=True)]
    assert most_found_frac(held, rate, np.array(times)) == pytest.approx(alone, abs=1e-9)


def instance(rng, segments=3, searchers=2, law="random", windows=False):
    """A small search of random figures: a few sorties before the hour."""
    shares = rng.dirichlet(np.ones(segments + 1))[:-1]
    area = rng.uniform(2e4, 3e5, segments)
    crew = []
    for k in range(searchers):
        flies = rng.random() < 0.7
        width, speed = rng.uniform(15, 60), rng.uniform(6, 12) if flies else rng.uniform(0.6, 1.2)
        travel = rng.uniform(40, 300, segments) * (1 if flies else 3)
        rates = [search_rate_per_s(width, speed, a) for a in area]
        longest = rng.uniform(600, 1300) if flies else 3600.0
        begins, pause = rng.uniform(0, 300), rng.uniform(900, 1800)
        open_s = ((begins, pause), (pause + 600, 9e9)) if windows else ((begins, 9e9),)
        pool = 0 if flies else None
        crew.append(Searcher(f"s{k}", open_s, longest, rng.uniform(60, 300), tuple(travel), tuple(rates), pool))
    pools = (Pool(tuple(rng.uniform(0, 400, rng.integers(1, 4))), rng.uniform(1200, 2400), int(rng.integers(0, 3))),)
    return Effort(tuple(shares), tuple(crew), pools, law, float(rng.uniform(1800, 3600)))


def every_plan(e: Effort) -> float:
    """The best chance of success over all plans there are: played by its own clock, sortie by sortie, without any pruning."""
    best = 0.0

    def play(free, packs, ports, missed, success):
        nonlocal best
        best = max(best, success)
        who, when, ends = None, math.inf, 0.0
        for k, s in enumerate(e.searchers):
            if free[k] is None:
                continue
            ready = free[k] if s.pool is None else max(free[k], min(packs)) if packs else math.inf
            for a, b in s.open_s:
                if max(a, ready) + min(s.travel_s) + LEAST_ON_SCENE_S <= min(b, e.until_s):
                    if max(a, ready) < when:
                        who, when, ends = k, max(a, ready), b
                    break
        if who is None:
            return
        s = e.searchers[who]
        later = min((a for a, _ in s.open_s if a > when), default=None)
        play([later if k == who else f for k, f in enumerate(free)], packs, ports, missed, success)
        for j, share in enumerate(e.shares):
            room = min(when + s.longest_s, ends, e.until_s) - when - s.travel_s[j]
            if room < LEAST_ON_SCENE_S:
                continue
            on = min(room, MOST_COVERAGE / s.rates_per_s[j])
            pod = detection_frac(on * s.rates_per_s[j], e.law)
            end = when + s.travel_s[j] + on
            free2, packs2, ports2 = list(free), list(packs), list(ports)
            free2[who] = end + s.turn_s
            if s.pool is not None:
                packs2.remove(min(packs2))
                if ports2:
                    port = ports2.index(min(ports2))
                    ports2[port] = max(end, ports2[port]) + e.pools[0].charge_s * (end - when) / s.longest_s
                    packs2.append(ports2[port])
            missed2 = list(missed)
            missed2[j] *= 1 - pod
            play(free2, packs2, ports2, missed2, success + share * missed[j] * pod)

    pool = e.pools[0]
    play([s.open_s[0][0] for s in e.searchers], list(pool.ready_s), [0.0] * pool.ports, [1.0] * len(e.shares), 0.0)
    return best


@pytest.mark.parametrize("seed", range(20))
def test_whole_sorties_are_as_good_as_the_best_of_all_plans(seed):
    rng = np.random.default_rng(seed)
    e = instance(
        rng, int(rng.integers(2, 4)), int(rng.integers(1, 3)), ("random", "inverse_cube")[seed % 2], windows=seed % 4 > 1
    )
    best = every_plan(e)
    if best == 0.0:
        with pytest.raises(Infeasible):
            plan_search(e)
        return
    found = plan_search(e)
    assert found.success_frac == pytest.approx(best, abs=1e-9)
    assert found.at_most_frac >= best - 1e-9


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 10_000))
def test_a_plan_keeps_to_packs_hours_and_what_it_says(seed):
    e = instance(np.random.default_rng(seed), 6, 3, windows=seed % 2 == 0)
    try:
        found = plan_search(e)
    except Infeasible:
        return
    assert found.success_frac <= found.at_most_frac + 1e-9
    by_end = sorted(found.sorties, key=lambda a: a.end_s)
    assert [a.before_frac for a in by_end] == pytest.approx([0.0, *(a.after_frac for a in by_end)][: len(by_end)])
    assert by_end[-1].after_frac == pytest.approx(found.success_frac)
    flying = [a for a in found.sorties if e.searchers[a.searcher].pool is not None]
    for a in found.sorties:
        s = e.searchers[a.searcher]
        assert a.end_s - a.start_s <= s.longest_s + 1e-6
        assert a.end_s <= e.until_s + 1e-6
        assert any(opens <= a.start_s and a.end_s <= ends + 1e-6 for opens, ends in s.open_s)
        assert a.end_s - a.start_s == pytest.approx(s.travel_s[a.segment] + a.on_scene_s)
        assert a.coverage == pytest.approx(a.on_scene_s * s.rates_per_s[a.segment])
    for k, s in enumerate(e.searchers):
        own = sorted((a for a in found.sorties if a.searcher == k), key=lambda a: a.start_s)
        assert all(b.start_s >= a.end_s + s.turn_s - 1e-6 for a, b in itertools.pairwise(own))
    for a in flying:
        up = sum(b.start_s <= a.start_s < b.end_s for b in flying)
        assert up <= len(e.pools[0].ready_s)


def test_an_unlikely_first_look_may_beat_a_likely_second_one():
    s = Searcher("a", ((0.0, 9e9),), 1000.0, 100.0, (100.0, 100.0), (0.002, 0.002), 0)
    found = plan_search(Effort((0.6, 0.35), (s,), (Pool((0.0, 0.0), 3600.0, 0),), until_s=2500.0))
    assert [a.segment for a in found.sorties] == [0, 1], "after one look the likely segment holds 0.6 e^(−1.8) = 0.10"
    assert found.proven


def test_what_else_could_be_done_stands_beside_it():
    s = Searcher("a", ((0.0, 9e9),), 1000.0, 100.0, (100.0, 100.0), (0.002, 0.002), 0)
    found = choices(Effort((0.6, 0.35), (s,), (Pool((0.0,), 3600.0, 0),), until_s=2500.0))
    assert found.instead is not None
    assert found.instead.sorties[0].segment == 1
    assert found.instead.success_frac < found.plan.success_frac
    more = dict(found.more)
    assert more["pack 0"] > found.plan.success_frac
    assert more["searcher 0"] >= found.plan.success_frac


def test_no_time_left_says_what_would_help():
    s = Searcher("a", ((0.0, 9e9),), 1000.0, 100.0, (900.0,), (0.002,))
    with pytest.raises(Infeasible, match="later hour"):
        plan_search(Effort((0.6,), (s,), until_s=600.0))
    with pytest.raises(MissingInput):
        Effort((), (s,))
    with pytest.raises(OutOfRange):
        Effort((0.5, 0.2), (s,))
    for windows in ((), ((100.0, 50.0),), ((0.0, 90.0), (60.0, 200.0))):
        with pytest.raises(OutOfRange, match="windows of a"):
            Effort((0.6,), (replace(s, open_s=windows),))


def test_both_windows_of_a_day_are_flown_and_the_pause_between_is_not():
    s = Searcher("a", ((0.0, 1000.0), (3000.0, 4000.0)), 800.0, 100.0, (100.0, 100.0), (0.002, 0.002), 0)
    found = plan_search(Effort((0.5, 0.4), (s,), (Pool((0.0, 0.0), 9e9, 0),), until_s=5000.0))
    assert [(a.start_s, a.end_s) for a in found.sorties] == [(0.0, 800.0), (3000.0, 3800.0)]
    touching = replace(s, open_s=((0.0, 900.0), (900.0, 1800.0)))
    found = plan_search(Effort((0.5, 0.4), (touching,), (Pool((0.0, 0.0), 9e9, 0),), until_s=5000.0))
    assert [(a.start_s, a.end_s) for a in found.sorties] == [(0.0, 800.0), (900.0, 1700.0)]


@settings(max_examples=15, deadline=None)
@given(st.floats(0.5, 1.0), st.floats(8, 60), st.integers(0, 1000))
def test_trials_find_the_width_of_the_curve_that_they_were_drawn_from(at_once, falls, seed):
    rng = np.random.default_rng(seed)
    away = rng.uniform(0, 3 * falls, 400)
    seen = rng.random(400) < at_once * np.exp(-(away**2) / (2 * falls**2))
    found = sweep_width([Pass(float(d), bool(s)) for d, s in zip(away, seen, strict=True)])
    true = width_of_curve_m(at_once, falls)
    assert found.bounded
    assert found.width_m == pytest.approx(true, rel=0.25)
    assert found.low_m < found.width_m < found.high_m
    assert found.crossover_m == pytest.approx(true, rel=0.3)


def test_the_interval_holds_the_true_width_about_nine_times_in_ten():
    rng = np.random.default_rng(7)
    held = 0
    for _ in range(200):
        away = rng.uniform(0, 90, 40)
        seen = rng.random(40) < 0.9 * np.exp(-(away**2) / (2 * 30.0**2))
        found = sweep_width([Pass(float(d), bool(s)) for d, s in zip(away, seen, strict=True)])
        held += found.low_m <= width_of_curve_m(0.9, 30.0) <= found.high_m
    assert 165 <= held <= 196


def test_a_curve_and_its_width_agree():
    x = np.linspace(-400, 400, 200_001)
    area = np.trapezoid([0.8 * math.exp(-(d**2) / (2 * 25.0**2)) for d in x[::50]], x[::50])
    assert area == pytest.approx(width_of_curve_m(0.8, 25.0), rel=1e-4)


def test_the_crossover_is_where_misses_inside_equal_detections_outside():
    seen_at, missed_at = (2, 5, 9, 12, 18, 26), (8, 15, 20, 30, 40, 50)
    trials = [*(Pass(float(d), True) for d in seen_at), *(Pass(float(d), False) for d in missed_at)]
    # Inside 16.5 m: missed at 8 and 15; seen outside: at 18 and 26.
    assert crossover_m(trials) == pytest.approx(15.0)
    assert crossover_m([Pass(5.0, True)] * 9) is None


def test_trials_that_say_too_little_are_told():
    with pytest.raises(MissingInput, match="at least 8"):
        sweep_width([Pass(5.0, True)] * 3)
    with pytest.raises(MissingInput, match="Nothing was seen"):
        sweep_width([Pass(5.0, False)] * 9)
    with pytest.raises(OutOfRange):
        sweep_width([Pass(-5.0, True)] * 9)
    assert not sweep_width([Pass(float(d), True) for d in range(1, 20)]).bounded, "all seen: nothing says where it ends"
