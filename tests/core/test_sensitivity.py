"""What holds a day back: more is never later, the closed form agrees with the schedule, words say what is changed."""

from dataclasses import replace

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from quarry.core.base.errors import CoreError
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import Charger, Craft, Flight, Mode, PackSet, RotationTask
from quarry.core.rotation.sensitivity import enough, packs_by_ports, sensitivity, with_ports, with_sets, worth_of_planning_s
from tests.core.shapes import days


def day(packs=3, ports=1, flights=8, **over):
    return RotationTask(
        **{
            "aircraft": (Craft("a", "t"),),
            "flights": tuple(Flight(f"F{k}", "a", 1000.0, 0.6) for k in range(flights)),
            "sets": tuple(PackSet(f"p{k}", "t", 1, 200.0, 1.0 if k else 0.6) for k in range(packs)),
            "chargers": (Charger("c", ports, (Mode("fast", 200.0, 230.0),)),),
            "swap_s": 200.0,
            "rest_after_flight_s": 600.0,
            "rest_after_charge_s": 300.0,
            "site_power_w": 500.0,
            "windows": ((0.0, 60_000.0),),
        }
        | over
    )


@settings(max_examples=25, deadline=None)
@given(days())
def test_one_more_is_never_later_and_one_less_never_earlier(task):
    try:
        plan = dispatch(task)
    except CoreError:
        assume(False)
    found = sensitivity(task, plan.makespan_s)
    assert found
    for lever in found:
        assert lever.words
        if lever.saves_s is None:
            assert lever.why_not
        elif lever.by > 0:
            assert lever.saves_s >= 0
            assert lever.most_s is None or lever.most_s >= lever.saves_s
        else:
            assert lever.saves_s <= 0


@settings(max_examples=10, deadline=None)
@given(st.integers(2, 4), st.integers(1, 3))
def test_the_grid_never_ends_later_with_more(packs, ports):
    task = day(packs, ports)
    grid = packs_by_ports(task, "t", dispatch(task).makespan_s, reach=2)
    assert grid.here == (packs, ports)
    at = grid.finish_s[grid.sets.index(packs)][grid.ports.index(ports)]
    assert at <= dispatch(task).makespan_s
    for i, row in enumerate(grid.finish_s):
        for j, value in enumerate(row):
            for other in ([grid.finish_s[i - 1][j]] if i else []) + ([row[j - 1]] if j else []):
                if other is not None:
                    assert value is not None
                    assert value <= other


def test_a_grid_can_be_left_half_way():
    grid = packs_by_ports(day(), "t", 20_000.0, reach=2, report=lambda share: share < 0.4)
    cells = [v for row in grid.finish_s for v in row]
    assert any(v is None for v in cells) or len(set(cells)) >= 1


def test_with_what_the_closed_form_asks_for_nobody_waits():
    """bench/findings: sets = ⌈A (f + r1 + c + r2) ÷ (f + s)⌉, ports = ⌈A m c ÷ (f + s)⌉; it agreed with 4000 simulated cases."""
    need = enough(day())[0]
    assert (need.sets, need.ports) == (3, 1)
    plenty = day(need.sets_needed, need.ports_needed, flights=14, site_power_w=None)
    plenty = replace(plenty, sets=tuple(replace(s, start_frac=1.0) for s in plenty.sets))
    assert [w for w in dispatch(plenty).waits if w.reason == "pack"] == []
    short = replace(plenty, sets=plenty.sets[1:])
    assert [w for w in dispatch(short).waits if w.reason == "pack"]


def test_what_each_lever_changes_can_be_read():
    task = day(ports=1)
    found = {x.words: x for x in sensitivity(task, dispatch(task).makespan_s)}
    assert found["one more port"].saves_s > 600
    assert found["one more pack at 100%"].saves_s >= 0
    assert "one more full pack" not in found, "the same pack by another name"
    assert found["p0 charged the evening before"].saves_s >= 0
    assert found["one port less"].finish_s is None
    assert "charger" in found["one port less"].why_not
    assert found["one more aircraft and crew for the later half"].saves_s >= 0


def test_a_full_pack_is_a_change_of_its_own_where_packs_are_not_full():
    task = day()
    task = replace(task, sets=tuple(replace(x, start_frac=0.6) for x in task.sets))
    found = {x.words: x for x in sensitivity(task, dispatch(task).makespan_s)}
    assert found["one more full pack"].saves_s >= found["one more pack at 60%"].saves_s


def test_sets_and_ports_are_added_and_taken_as_said():
    task = day()
    assert len(with_sets(task, "t", 2).sets) == 5
    assert "p0" not in {s.id for s in with_sets(task, "t", -1).sets}, "the least charged goes first"
    assert sum(c.ports for c in with_ports(task, 2).chargers) == 3
    assert sum(c.ports for c in with_ports(task, -1).chargers) == 0
    only = replace(task, flights=tuple(replace(f, only=("p1",)) for f in task.flights))
    assert all("one more 1" in f.only for f in with_sets(only, "t", 1).flights)


def test_planning_is_worth_what_the_plain_rule_ends_later():
    task = day(4, 2)
    plan = dispatch(task)
    assert worth_of_planning_s(task, plan) == pytest.approx(max(0.0, worth_of_planning_s(task, plan)))
    shut = replace(task, windows=((0.0, plan.makespan_s),))
    assert worth_of_planning_s(shut, plan) is None or worth_of_planning_s(shut, plan) >= 0
