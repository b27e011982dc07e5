"""Direction, start corner, cuts and home chosen together: never worse than any one of them alone."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import Point, box

from quarry.core.base.errors import CoreError, Infeasible
from quarry.core.flight.energy import Airframe, PackFigures
from quarry.core.flight.wind import CALM, Wind
from quarry.core.ground.coverage import plan_coverage
from quarry.core.ground.lines import LineTask, reversed_coverage
from quarry.core.ground.outline import make_area
from quarry.core.sorties.joint import best_home, plan_together, try_homes
from quarry.core.sorties.plan import SortieTask, plan_sorties
from tests.core.shapes import fields

CRAFT = Airframe("A", 600.0, 11.0, 60.0, 3.0)
AREA = make_area(((0, 0), (700, 0), (760, 420), (40, 460)))
HOME = (-60.0, -60.0)


def lines(wind=CALM, keep=3):
    return LineTask(25.0, 8.0, 3.0, wind, home=HOME, step_deg=15, keep=keep)


def cut(wind=CALM, wh=210.0, home=HOME):
    return SortieTask(home, CRAFT, PackFigures("03", wh), 8.0, wind=wind)


def test_the_other_end_is_the_same_ground_flown_backwards():
    one = plan_coverage(AREA, lines(Wind(5.0, 240.0))).best
    other = reversed_coverage(one, lines(Wind(5.0, 240.0)))
    assert other.path == tuple(reversed(one.path))
    assert {tuple(sorted([s[:2], s[2:]])) for s in other.lines} == {tuple(sorted([s[:2], s[2:]])) for s in one.lines}
    back = reversed_coverage(other, lines(Wind(5.0, 240.0)))
    assert (back.path, back.path_line, back.lines) == (one.path, one.path_line, one.lines)
    assert back.time_s == pytest.approx(one.time_s, rel=0.02)


@settings(max_examples=15, deadline=None)
@given(fields(least=150.0), st.floats(0, 7), st.floats(0, 359))
def test_together_is_never_worse_than_the_best_lines_cut_alone(ring, speed, come_from):
    try:
        area = make_area(ring)
        wind = Wind(speed, come_from)
        cover = plan_coverage(area, lines(wind))
        alone = plan_sorties(cover.best, cut(wind))
    except CoreError:
        return
    joint = plan_together(cover, lines(wind), lambda c: cut(wind))
    assert len(joint.plan.sorties) <= len(alone.sorties)
    # With equal sorties it may take up to 3 % longer for a way home with the wind.
    if len(joint.plan.sorties) == len(alone.sorties):
        assert joint.plan.total_s <= 1.03 * alone.total_s + 1e-6


def test_in_wind_the_far_end_is_worked_against_it_and_home_is_flown_with_it():
    wind = Wind(6.0, 270.0)
    task = replace(lines(wind), home=(-60.0, 220.0))
    joint = plan_together(plan_coverage(AREA, task), task, lambda c: cut(wind, home=(-60.0, 220.0)))
    assert joint.working.steps[-1].name == "choice"
    assert joint.tried == len(joint.working.steps) - 1
    assert sum(s.note == "taken" for s in joint.working.steps) == 1


def test_if_nothing_can_be_cut_the_refusal_is_that_of_the_best_lines():
    cover = plan_coverage(AREA, lines())
    with pytest.raises(Infeasible) as bad:
        plan_together(cover, lines(), lambda c: cut(wh=40.0))
    with pytest.raises(Infeasible) as own:
        plan_sorties(cover.best, cut(wh=40.0))
    assert bad.value.message == own.value.message


def test_homes_are_compared_on_the_same_lines_and_a_hopeless_one_says_why():
    cover = plan_coverage(AREA, lines()).best
    near, far, beyond = try_homes(cover, cut(), [(350.0, 200.0), (-400.0, -400.0), (9000.0, 9000.0)])
    assert near.total_s < far.total_s
    assert near.sorties <= far.sorties
    assert beyond.sorties is None
    assert "." in beyond.why_not


@settings(max_examples=8, deadline=None)
@given(st.floats(-500, 400), st.floats(-500, 300))
def test_a_proposed_home_lies_inside_what_is_permitted_and_serves_as_well_as_its_corners(x, y):
    cover = plan_coverage(AREA, lines()).best
    allowed = box(x, y, x + 300, y + 250)
    found = best_home(cover, cut(), allowed)
    assert found is not None
    assert allowed.covers(Point(found.at))
    for corner in try_homes(cover, cut(), [(x, y), (x + 300, y), (x, y + 250), (x + 300, y + 250)]):
        if corner.sorties is not None:
            assert (found.sorties, found.total_s) <= (corner.sorties, 1.002 * corner.total_s)


def test_no_home_is_proposed_where_none_serves():
    cover = plan_coverage(AREA, lines()).best
    assert best_home(cover, cut(), box(9000, 9000, 9100, 9100)) is None
