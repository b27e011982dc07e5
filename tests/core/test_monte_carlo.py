"""Confidence a day is: against closed forms where they exist, and what every answer promises."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import assume, given, settings
from scipy.stats import lognorm, norm

from quarry.core.base.errors import CoreError, OutOfRange
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import Charger, Craft, Flight, Mode, PackSet, RotationTask
from quarry.core.rotation.monte_carlo import monte_carlo
from quarry.core.rotation.scatter import Scatter
from tests.core.shapes import days

STILL = Scatter(0, 0, 0, 0, 0, 0)


def day(flights=5, packs=5, start=1.0, **over):
    return RotationTask(
        **{
            "aircraft": (Craft("a", "t"),),
            "flights": tuple(Flight(f"F{k}", "a", 1000.0, 0.6) for k in range(flights)),
            "sets": tuple(PackSet(f"p{k}", "t", 1, 200.0, start) for k in range(packs)),
            "chargers": (Charger("c", 2, (Mode("fast", 200.0, 230.0),)),),
            "swap_s": 200.0,
            "rest_after_flight_s": 600.0,
            "rest_after_charge_s": 300.0,
        }
        | over
    )


@settings(max_examples=40, deadline=None)
@given(days())
def test_without_scatter_the_day_ends_no_later_than_planned(task):
    try:
        plan = dispatch(task)
    except CoreError:
        assume(False)
    found = monte_carlo(task, plan, STILL, days=3)
    assert found.p10_s == found.p90_s
    assert found.p50_s <= plan.makespan_s + 1e-3


def test_flights_with_full_packs_and_one_common_scatter_follow_the_lognormal():
    """All flights stretched by one factor of mean 1: last landing = 4 swaps + 5 f × lognormal (scipy)."""
    task = day()
    found = monte_carlo(task, dispatch(task), Scatter(0.1, 0, 0, 0, 0, 0), days=200_000)
    law = lognorm(s=0.1, scale=math.exp(-0.005))
    for got, q in ((found.p10_s, 0.1), (found.p50_s, 0.5), (found.p90_s, 0.9)):
        assert got == pytest.approx(4 * 200 + 5000 * law.ppf(q), rel=2e-3)


def test_flights_that_scatter_each_by_itself_add_their_variances():
    """Sum of independent times: nearly normal, variance n × that of one (central limit)."""
    task = day(30, 30)
    found = monte_carlo(task, dispatch(task), Scatter(0, 0.1, 0, 0, 0), days=100_000)
    sd = math.sqrt(30) * 1000 * math.sqrt(math.exp(0.01) - 1)
    mean = 29 * 200 + 30_000
    assert found.p50_s == pytest.approx(mean, rel=1e-3)
    assert found.p90_s == pytest.approx(mean + norm.ppf(0.9) * sd, rel=2e-3)


def test_a_windy_day_scatters_more_than_the_same_scatter_flight_by_flight():
    task = day(20, 20)
    plan = dispatch(task)
    together, apart = (monte_carlo(task, plan, s) for s in (Scatter(0.1, 0, 0, 0, 0, 0), Scatter(0, 0.1, 0, 0, 0)))
    assert together.p90_s - together.p10_s > 3 * (apart.p90_s - apart.p10_s)


@settings(max_examples=20, deadline=None)
@given(days())
def test_what_every_answer_promises(task):
    try:
        plan = dispatch(task)
    except CoreError:
        assume(False)
    found = monte_carlo(task, plan, days=400)
    assert found.p10_s <= found.p50_s <= found.p90_s
    shares = [p for _, p in found.by_time]
    assert shares == sorted(shares)
    assert 0 <= found.in_hours_frac <= 1
    assert all(0 <= r.share_frac <= 1 for r in found.risks)
    assert found.risks
    assert found == monte_carlo(task, plan, days=400)


def test_the_pack_that_the_day_waits_for_is_named():
    task = day(4, 2, sets=(PackSet("strong", "t", 1, 200.0, 1.0), PackSet("late", "t", 1, 200.0, 0.2, slowness=2.0)))
    task = replace(task, flights=tuple(replace(f, only=("late",)) if k == 3 else f for k, f in enumerate(task.flights)))
    risks = monte_carlo(task, dispatch(task)).risks
    packs = [r for r in risks if r.what == "pack"]
    assert packs[0].name == "late"
    assert packs[0].share_frac > 0.8


def test_a_flight_that_would_run_into_a_break_waits_for_its_end():
    task = day(2, 2, windows=((0.0, 2300.0), (4000.0, 9000.0)))
    plan = dispatch(task)
    assert plan.makespan_s == 2200.0
    found = monte_carlo(task, plan, Scatter(0, 0.2, 0, 0, 0))
    assert found.p90_s > 4800
    assert 0.3 < np.interp(3000.0, *zip(*found.by_time, strict=True)) < 0.9


def test_absurd_scatter_is_refused():
    with pytest.raises(OutOfRange) as bad:
        Scatter(day_frac=3.0)
    assert bad.value.field == "scatter.day_frac"
