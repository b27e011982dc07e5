"""Speed held over ground in wind: the triangle, what legs take, and the dose that lines get."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from quarry.core.base.errors import Infeasible
from quarry.core.flight.energy import Airframe, PackFigures
from quarry.core.flight.wind import CALM, HeldSpeed, Wind, airspeed_needed_m_s, held_speeds_m_s, held_times_s, leg_times_s
from quarry.core.ground.coverage import plan_coverage
from quarry.core.ground.lines import LineTask
from quarry.core.ground.outline import make_area
from quarry.core.sorties.plan import SortieTask, merit_of, plan_sorties
from quarry.core.spraying.dose import Pump, check_doses, line_doses
from tests.core.shapes import fields

ROTARY = Airframe("A", 600.0, 11.0, 60.0, 3.0, mass_kg=6.0, rotors_count=4, rotor_m=0.4, most_m_s=15.0)
FLAT = Airframe("B", 600.0, 8.0, 60.0, 3.0, most_m_s=15.0)
angles = st.floats(0.0, 360.0)


@given(angles, st.floats(0.5, 15.0), st.floats(0.0, 14.0), angles, st.floats(8.0, 20.0))
def test_a_held_leg_closes_the_wind_triangle_within_the_bound(track, wanted, speed, come_from, most):
    wind, u = Wind(speed, come_from), (math.sin(math.radians(track)), math.cos(math.radians(track)))
    if most < wanted:
        with pytest.raises(Infeasible, match="Fly slower on the lines"):
            HeldSpeed(wanted, "ground", most)
        return
    ground, air = held_speeds_m_s(np.array([100 * u[0]]), np.array([100 * u[1]]), HeldSpeed(wanted, "ground", most), wind)
    v, a = float(ground[0]), float(air[0])
    if v == 0:  # at no speed from half a metre in a second to the wanted one
        east, north = wind.towards
        assert all(math.hypot(g * u[0] - east, g * u[1] - north) > most - 1e-6 for g in np.linspace(0.5, wanted, 50))
        return
    east, north = wind.towards
    assert a == pytest.approx(math.hypot(v * u[0] - east, v * u[1] - north), abs=1e-6)
    assert a <= most + 1e-6
    assert v <= wanted + 1e-9
    assert v == pytest.approx(wanted) or a == pytest.approx(most, abs=1e-6), "slower only where the bound is met"
    head, cross = -(east * u[0] + north * u[1]), east * u[1] - north * u[0]
    assert airspeed_needed_m_s(v, head, cross) == pytest.approx(a, abs=1e-6)


@given(angles, st.floats(2.0, 15.0), st.floats(0.0, 14.0), angles)
def test_held_through_the_air_it_is_the_wind_triangle_of_before(track, speed, blows, come_from):
    d = np.array([100 * math.sin(math.radians(track))]), np.array([100 * math.cos(math.radians(track))])
    held = held_times_s(*d, HeldSpeed(speed, "air"), Wind(blows, come_from))
    assert held[0] == pytest.approx(leg_times_s(*d, speed, Wind(blows, come_from))[0])


def test_a_leg_against_the_wind_slows_to_what_is_left():
    """By hand: 12 m/s through the air against 9 leave 3 over ground; with the wind 5 are held at 4 through the air."""
    ground, air = held_speeds_m_s(np.zeros(2), np.array([50.0, -50.0]), HeldSpeed(5.0, "ground", 12.0), Wind(9.0, 0.0))
    assert ground.tolist() == pytest.approx([3.0, 5.0])
    assert air.tolist() == pytest.approx([12.0, 4.0])


@settings(max_examples=40, deadline=None)
@given(fields(), st.floats(0.5, 9.0), angles, st.sampled_from(["ground", "air"]))
def test_the_legs_of_a_sortie_add_up_and_worked_lines_are_all_lines(ring, speed, come_from, holds):
    wind = Wind(speed, come_from)
    lines = LineTask(24.0, 9.0, 3.0, wind, step_deg=30, refine=1, holds=holds, most_air_m_s=15.0)
    try:
        cover = plan_coverage(make_area(ring), lines).best
        plan = plan_sorties(
            cover,
            SortieTask((-30.0, -30.0), ROTARY, PackFigures("1", 300.0), 9.0, wind=wind, holds=holds, most_air_m_s=15.0),
        )
    except Infeasible:
        return
    for s in plan.sorties:
        assert sum(x.energy_wh for x in s.legs) == pytest.approx(s.energy_wh, rel=1e-6)
        assert sum(x.end_s - x.start_s for x in s.legs) == pytest.approx(s.time_s, rel=1e-6)
    assert sum(s.worked_m for s in plan.sorties) == pytest.approx(cover.on_line_m, rel=1e-6)
    assert sum(x.length_m for x in plan.flown) == pytest.approx(cover.on_line_m, rel=1e-6)
    assert all(x.air_m_s <= 15.0 + 1e-6 for x in plan.flown)


@settings(max_examples=30, deadline=None)
@given(angles, st.floats(0.0, 8.0), st.floats(0.0, 4.0), st.sampled_from([ROTARY, FLAT]))
def test_more_wind_is_never_faster_nor_cheaper(come_from, speed, more, craft):
    area = make_area(((0, 0), (400, 0), (420, 260), (20, 280)))
    cover = plan_coverage(area, LineTask(30.0, 7.0, 3.0, step_deg=30, refine=1)).best

    def flown(blows):
        task = SortieTask((-30.0, -30.0), craft, PackFigures("1", 900.0), 7.0, wind=Wind(blows, come_from), most_air_m_s=15.0)
        plan = plan_sorties(cover, task)
        lines = [x for s in plan.sorties for x in s.legs if x.kind in ("line", "transit")]
        return merit_of(cover, task), sum(x.energy_wh for x in lines), sum(x.end_s - x.start_s for x in lines)

    try:
        windy = flown(speed + more)
    except Infeasible:
        return
    calm = flown(speed)
    assert windy[0].sorties >= calm[0].sorties
    assert windy[1] >= calm[1] - 1e-6
    assert windy[2] >= calm[2] - 1e-6


def test_in_calm_air_nothing_but_the_speed_itself_is_asked_of_the_air():
    ground, air = held_speeds_m_s(np.array([3.0, 0.0]), np.array([4.0, 0.0]), HeldSpeed(6.0), CALM)
    assert ground.tolist() == air.tolist() == [6.0, 6.0]


class TestDose:
    @settings(max_examples=200, deadline=None)
    @given(
        st.lists(st.floats(5.0, 900.0), min_size=1, max_size=60),
        st.floats(0.0, 9.0),
        angles,
        angles,
        st.floats(5.0, 80.0),
        st.sampled_from(["by speed", "constant"]),
        st.sampled_from(["ground", "air"]),
    )
    def test_litres_are_dose_times_area_in_any_wind(self, lengths, speed, come_from, track, rate, flow, holds):
        """To and fro along one track: all lines together get what is asked for, by either kind of flow."""
        unit = np.array([math.sin(math.radians(track)), math.cos(math.radians(track))])
        along = np.array([(1 if k % 2 else -1) * x for k, x in enumerate(lengths)])[:, None] * unit
        ground, _ = held_speeds_m_s(along[:, 0], along[:, 1], HeldSpeed(5.0, holds, 15.0), Wind(speed, come_from))
        if (ground <= 0).any():
            return
        doses = line_doses(np.array(lengths), ground, rate, 4.0, Pump(flow))
        assert doses.total_l == pytest.approx(rate * sum(lengths) * 4.0 / 1e4, rel=0.005)
        if flow == "by speed":
            assert doses.dose_l_ha.tolist() == pytest.approx([rate] * len(lengths))
        else:
            assert np.ptp(doses.flow_l_min) == pytest.approx(0.0)

    def test_a_constant_flow_at_held_airspeed_is_refused_beyond_the_tolerance(self):
        """By hand: 5 m/s through the air in 3 m/s along the lines is 2 and 8 over ground: 60 % too much and too little."""
        ground, pump = np.array([2.0, 8.0]), Pump("constant")
        doses = line_doses(np.array([100.0, 100.0]), ground, 18.0, 5.0, pump)
        assert doses.dose_l_ha.tolist() == pytest.approx([28.8, 7.2])
        with pytest.raises(Infeasible, match=r"would get (28\.8|7\.2) L/ha where 18 .* hold the speed over ground") as bad:
            check_doses(doses, 18.0, 0.1, np.array([0.0, 180.0]), ground, pump)
        assert bad.value.field == "work.rate_l_ha"
        check_doses(doses, 18.0, 0.7, np.array([0.0, 180.0]), ground, pump)

    @pytest.mark.parametrize(
        ("pump", "words"), [(Pump(most_l_min=1.0), "gives 1 L/min at most"), (Pump(least_l_min=9.0), "9 L/min at least")]
    )
    def test_the_bounds_of_a_pump_are_named(self, pump, words):
        doses = line_doses(np.array([100.0]), np.array([5.0]), 18.0, 5.0, pump)
        with pytest.raises(Infeasible, match=words):
            check_doses(doses, 18.0, 0.1, np.array([0.0]), np.array([5.0]), pump)
