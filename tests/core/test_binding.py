"""Days that have no schedule: what binds is named, and the change that is named would do."""

import re
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from quarry.core.base.errors import CoreError, Infeasible
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import Charger, Craft, Flight, Mode, PackSet, RotationTask

H = 3600.0
FAST = Mode("fast", 240.0, 270.0)


def task(flights=4, packs=4, start=1.0, ports=1, hours=(0.0, 10 * H), **over):
    """One aircraft, sorties of 1000 s, packs that charge in about an hour."""
    return RotationTask(
        **{
            "aircraft": (Craft("a", "t"),),
            "flights": tuple(Flight(f"F{k}", "a", 1000.0, 0.6) for k in range(1, flights + 1)),
            "sets": tuple(PackSet(f"s{k}", "t", 1, 200.0, start) for k in range(packs)),
            "chargers": (Charger("c", ports, (FAST,)),),
            "swap_s": 180.0,
            "rest_after_flight_s": 600.0,
            "rest_after_charge_s": 300.0,
            "windows": (hours,),
        }
        | over
    )


def told(t):
    with pytest.raises(Infeasible) as bad:
        dispatch(t, explain=True)
    return bad.value


def test_where_the_weather_is_the_cause_it_is_named_and_no_pack_is_asked_for():
    """Open the whole day, but the limits leave each sortie only half an hour at nine."""
    t = task()
    t = replace(t, flights=tuple(replace(f, windows=((H, 1.5 * H),)) for f in t.flights))
    bad = told(t)
    assert "the limits, which leave too little of the day" in bad.message
    assert "pack" not in bad.message
    assert bad.field == "windows"


def test_where_the_hours_bind_the_day_is_to_end_so_much_later_and_no_less():
    t = task(flights=4, packs=4, hours=(0.0, 4500.0))
    bad = told(t)
    (minutes,) = (float(x) for x in re.findall(r"end the day (\d+) min later", bad.message))
    assert dispatch(replace(t, windows=((0.0, 4500.0 + 60 * minutes),))).makespan_s <= 4500.0 + 60 * minutes
    with pytest.raises(CoreError):
        dispatch(replace(t, windows=((0.0, 4500.0 + 60 * (minutes - 5.0)),)), plays=60)


def test_where_packs_bind_so_many_more_would_do_and_one_less_would_not():
    t = task(flights=4, packs=1, ports=1, hours=(0.0, 1.6 * H))
    bad = told(t)
    (more,) = (int(x) for x in re.findall(r"(\d+) more full packs?", bad.message))
    full = tuple(PackSet(f"new {k}", "t", 1, 200.0, 1.0) for k in range(more))
    assert dispatch(replace(t, sets=(*t.sets, *full)))
    with pytest.raises(CoreError):
        dispatch(replace(t, sets=(*t.sets, *full[:-1])), plays=60)


def test_where_the_supply_binds_it_is_named():
    t = task(flights=4, packs=4, start=0.3, ports=4, hours=(0.0, 2.3 * H), site_power_w=280.0)
    assert "a larger supply" in told(t).message


def test_packs_that_come_charged_are_a_change_too():
    assert "charge the packs before the day" in told(task(flights=4, packs=4, start=0.2, hours=(0.0, 1.6 * H))).message


def test_where_no_single_change_helps_it_is_said_with_what_fits():
    t = task(flights=12, packs=1, ports=1, start=0.0, hours=(0.0, 2.2 * H))
    t = replace(t, flights=tuple(replace(f, windows=((0.0, 2.1 * H),)) for f in t.flights))
    bad = told(t)
    assert "no single change would give one" in bad.message
    assert re.search(r"(\d+ of 12 sorties fit|no sortie fits)", bad.message)
    assert bad.field == "jobs"


@given(st.integers(2, 6), st.integers(1, 3), st.floats(0.1, 1.0), st.integers(1, 2), st.floats(0.6, 3.0))
@settings(max_examples=25, deadline=None)
def test_an_infeasible_day_always_says_what_to_change_and_never_fails_otherwise(flights, packs, start, ports, hours):
    t = task(flights, packs, start, ports, (0.0, hours * H))
    bad = None
    try:
        dispatch(t, explain=True)
    except CoreError as error:
        bad = error
    assert bad is None or bad.message.endswith(".")
    assert bad is None or bad.field in ("windows", "packs", "chargers", "supply", "jobs")
