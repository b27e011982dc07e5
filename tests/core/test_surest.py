"""The surest plan: judged on days that it was not searched on, it ends no later at P90 than any it came from."""

import threading

import numpy as np
import pytest
from hypothesis import HealthCheck, assume, given, settings

from bench.promise import KINDS
from quarry.core.base.errors import CoreError
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import Charger, Craft, Flight, Mode, PackSet, RotationTask
from quarry.core.rotation.monte_carlo import monte_carlo
from quarry.core.rotation.patience import Patience
from quarry.core.rotation.scatter import Scatter
from quarry.core.rotation.sensitivity import Ends, sensitivity
from quarry.core.rotation.surest import surest
from quarry.core.rotation.validity import holds
from tests.core.shapes import days, problems

FRESH = 77  # a seed that neither the search nor its judge uses


def p90_s(task, plan, scatter):
    return monte_carlo(task, plan, scatter, days=20_000, seed=FRESH).p90_s


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.filter_too_much])
@given(days())
def test_any_day_stays_valid_and_is_no_less_sure(task):
    try:
        plan = dispatch(task)
    except CoreError:
        assume(False)
    found = surest(task, [plan], Scatter(), tries=25)
    assert problems(task, found) == []
    assert holds(task, found)
    # The judge's six thousand days and these differ by chance.
    assert p90_s(task, found, Scatter()) <= p90_s(task, plan, Scatter()) + 60.0


def test_pairs_on_one_supply_become_surer_by_minutes():
    task = KINDS["pairs on one supply"](np.random.default_rng([5, *b"pairs on one supply"]))
    plan = dispatch(task)
    found = surest(task, [plan], Scatter(), tries=150)
    assert p90_s(task, found, Scatter()) < p90_s(task, plan, Scatter()) - 120.0


def test_a_pack_that_rests_longer_is_taken_for_a_flight_that_may_run_late():
    """Two sets stand full. Handed out so that the same one flies twice, its charge is in the way on every long day."""
    flights = tuple(Flight(f"F{k}", "a", 1200.0, 0.6) for k in range(3))
    sets = tuple(PackSet(f"p{k}", "t", 1, 200.0, 1.0) for k in range(3))
    port = (Charger("c", 1, (Mode("fast", 400.0, 450.0),)),)
    task = RotationTask((Craft("a", "t"),), flights, sets, port, 100.0, 60.0, 60.0)
    again = dispatch(RotationTask(task.aircraft, flights, sets[:2], port, 100.0, 60.0, 60.0))
    assert holds(task, again)
    late = Scatter(0.0, 0.05, 0.5, 0.3, 0.1, 60.0)
    found = surest(task, [again], late, tries=200)
    assert {f.set for f in found.flights} == {"p0", "p1", "p2"}
    assert p90_s(task, found, late) < p90_s(task, again, late)


def test_a_search_ends_when_patience_does():
    task = KINDS["few ports"](np.random.default_rng(1))
    plan = dispatch(task)
    stop = threading.Event()
    stop.set()
    with Patience(3600.0, stop) as over:
        assert over()
        assert holds(task, surest(task, [plan], Scatter(), tries=10**9, until=over))
    with Patience(0.05) as over:
        assert not over()
        surest(task, [plan], Scatter(), tries=10**9, until=over)
        assert over()


@pytest.mark.parametrize(("bound_s", "most_s"), [(9_000.0, 1_000.0), (7_000.0, 3_000.0)])
def test_a_lever_says_what_it_could_save_at_most(bound_s, most_s):
    task = KINDS["few ports"](np.random.default_rng(1))
    found = sensitivity(task, 10_000.0, lambda _: Ends(9_000.0, bound_s))
    for lever in found:
        assert lever.saves_s == (1_000.0 if lever.by > 0 else 0.0)
        assert lever.most_s == (most_s if lever.by > 0 else 0.0)
