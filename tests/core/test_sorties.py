"""Cutting a route into sorties: against an exhaustive search, and what every plan promises."""

import itertools
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import Polygon

from quarry.core.base.errors import Infeasible, OutOfRange
from quarry.core.flight.energy import Airframe, PackFigures, ReservePolicy
from quarry.core.flight.wind import CALM, HeldSpeed, Wind
from quarry.core.ground.coverage import coverage_at, plan_coverage
from quarry.core.ground.lines import LineTask
from quarry.core.ground.outline import KeepOut, make_area
from quarry.core.sorties.cutting import CutProblem, StationOutOfReach, cut_route
from quarry.core.sorties.plan import SortieTask, plan_sorties
from quarry.core.sorties.route import leg_speeds, place_stations, plain_route, route_of
from tests.core.shapes import fields

CRAFT = Airframe("A", 600.0, 11.0, 60.0, 3.0)
FIELD = make_area(((0, 0), (700, 0), (760, 420), (40, 460)))
LINES = plan_coverage(FIELD, LineTask(25.0, 8.0, 3.0, home=(-60.0, -60.0), step_deg=15)).best


def task(**over):
    return SortieTask(
        **{"home": (-60.0, -60.0), "aircraft": CRAFT, "pack": PackFigures("03", 210.0, 0.95), "work_m_s": 8.0} | over
    )


def brute(p: CutProblem):
    """Every way to cut a short route: (fewest sorties, least total), or None."""
    n = len(p.elapsed_s)
    best = None
    for count in range(1, n):
        for inner in itertools.combinations(range(1, n - 1), count - 1):
            cut = (0, *inner, n - 1)
            total = 0.0
            for a, b in itertools.pairwise(cut):
                s = int(p.start[a])
                time = p.fixed_s + p.out_s[s] + p.elapsed_s[b] - p.elapsed_s[s] + p.home_s[b]
                if time > p.usable_s + 1e-6 or p.worked_m[b] - p.worked_m[s] > p.most_worked_m + 1e-6:
                    break
                total += time
            else:
                if best is None or total < best[1]:
                    best = (count, total)
        if best is not None:
            return best
    return None


@st.composite
def cut_problems(draw):
    n = draw(st.integers(3, 9))
    steps = draw(st.lists(st.floats(5, 120), min_size=n - 1, max_size=n - 1))
    at = np.concatenate([[0.0], np.cumsum(steps)])
    out = np.array(draw(st.lists(st.floats(1, 150), min_size=n, max_size=n)))
    home = np.array(draw(st.lists(st.floats(1, 150), min_size=n, max_size=n)))
    back = np.array([max(0, k - draw(st.integers(0, 1))) for k in range(n)], dtype=np.int64)
    worked = at * 8 if draw(st.booleans()) else np.zeros(n)
    return CutProblem(at, out, home, back, worked, draw(st.floats(0, 60)), draw(st.floats(150, 700)), draw(st.floats(600, 4000)))


@settings(max_examples=300, deadline=None)
@given(cut_problems())
def test_the_programme_finds_what_an_exhaustive_search_finds(problem):
    want = brute(problem)
    try:
        got = cut_route(problem)
    except StationOutOfReach:
        assert want is None
        return
    assert want is not None
    assert len(got.times_s) == want[0]
    assert sum(got.times_s) == pytest.approx(want[1], abs=1e-6)
    assert all(t <= problem.usable_s + 1e-5 for t in got.times_s)


@settings(max_examples=12, deadline=None)
@given(fields(least=150.0), st.floats(0, 5), st.floats(0, 359), st.sampled_from(["anywhere", "line_ends"]), st.floats(0, 30))
def test_no_sortie_spends_more_than_the_pack_may_give(ring, speed, come_from, breaks, overlap):
    wind = Wind(speed, come_from)
    cover = plan_coverage(make_area(ring), LineTask(22.0, 8.0, 3.0, wind, step_deg=30, refine=1)).best
    plan = plan_sorties(
        cover, task(home=(-250.0, -250.0), wind=wind, breaks=breaks, overlap_m=overlap, keep_spare_s=20.0, step_m=10.0)
    )
    give = plan.endurance
    keep_wh = 20.0 * plan.powers.work_w / 3600
    for s in plan.sorties:
        assert s.energy_wh <= give.usable_wh - keep_wh + 1e-6
        assert s.energy_wh == pytest.approx(sum(leg.energy_wh for leg in s.legs))
        # Wind beyond cruise costs more than the mean draw, and never less.
        assert s.energy_wh >= CRAFT.power_w * s.time_s / 3600 - 1e-6
        if speed == 0:
            assert s.energy_wh == pytest.approx(CRAFT.power_w * s.time_s / 3600)
        assert s.landing_frac >= give.reserve_shown_frac - 1e-6
        assert s.spare_s == pytest.approx((give.usable_wh - s.energy_wh) / s.energy_wh * s.time_s)
        assert s.turns_home_s <= s.turn_back_s + 1e-6 <= s.turn_back_s + s.home_s + CRAFT.fixed_s
        assert s.legs[0].kind == "take-off"
        assert s.legs[-1].kind == "landing"
        for a, b in itertools.pairwise(s.legs):
            assert b.start_s == pytest.approx(a.end_s, abs=0.01)
    assert plan.total_s == pytest.approx(sum(s.time_s for s in plan.sorties))
    flown = [x for s in plan.sorties for x in s.worked]
    assert sum(math.dist(a, b) for a, b in flown) >= cover.on_line_m - 0.5
    assert {n for s in plan.sorties for n in s.lines} == set(range(len(cover.lines)))


@pytest.mark.parametrize("come_from", [0.0, 70.0, 200.0, 310.0])
def test_more_wind_never_needs_fewer_sorties(come_from):
    counts = []
    for speed in (0.0, 2.0, 4.0, 6.0):
        wind = Wind(speed, come_from)
        cover = coverage_at(FIELD, LineTask(25.0, 8.0, 3.0, wind), LINES.angle_deg)
        counts.append(len(plan_sorties(cover, task(wind=wind)).sorties))
    assert counts == sorted(counts)


def test_a_weaker_pack_never_needs_fewer_sorties_and_a_reserve_is_kept():
    counts = [len(plan_sorties(LINES, task(pack=PackFigures("x", 210.0, h))).sorties) for h in (1.0, 0.9, 0.8, 0.7)]
    assert counts == sorted(counts)
    assert counts[0] < counts[-1]
    careful = plan_sorties(LINES, task(policy=ReservePolicy(0.45, 0.2)))
    assert len(careful.sorties) > counts[0]


def test_breaks_at_line_ends_lie_at_line_ends_and_never_save_time():
    ends = plan_sorties(LINES, task(breaks="line_ends"))
    anywhere = plan_sorties(LINES, task())
    corners = {(round(x, 3), round(y, 3)) for line in LINES.lines for x, y in (line[:2], line[2:])}
    for s in ends.sorties:
        assert (round(s.entry[0], 3), round(s.entry[1], 3)) in corners
        assert (round(s.leave[0], 3), round(s.leave[1], 3)) in corners
    assert (len(anywhere.sorties), anywhere.total_s) <= (len(ends.sorties), ends.total_s + 1e-6)


def test_overlap_is_flown_again_on_resuming_in_the_middle_of_a_line():
    plan = plan_sorties(LINES, task(overlap_m=20.0, crew_s=330.0))
    for before, after in itertools.pairwise(plan.sorties):
        again = before.to_m - after.from_m
        assert -1e-6 <= again <= 20.0 + 8.0
    assert any(b.to_m - a.from_m > 5 for b, a in itertools.pairwise(plan.sorties))


def test_a_tank_bounds_the_line_flown_and_is_named():
    plan = plan_sorties(LINES, task(tank_line_m=1500.0, breaks="anywhere"))
    assert all(s.worked_m <= 1500.0 + 1e-3 for s in plan.sorties)
    assert len(plan.sorties) >= math.ceil(LINES.on_line_m / 1500.0)
    assert "tank" in {s.bound_by for s in plan.sorties}
    assert plan.sorties[-1].bound_by == "end"


def test_the_crew_may_agree_to_shorter_sorties():
    plan = plan_sorties(LINES, task(crew_s=420.0))
    assert all(s.time_s <= 420.01 for s in plan.sorties)
    assert any(step.name == "crew_s" for step in plan.sorties[0].working.steps)
    assert plan.sorties[0].bound_by == "crew"


def test_the_ribbon_falls_from_full_to_the_landing_and_keeps_the_way_home_below():
    plan = plan_sorties(LINES, task(wind=Wind(4.0, 220.0)))
    for s in plan.sorties:
        left = [p.left_frac for p in s.ribbon]
        assert left[0] == 1.0
        assert left[-1] == pytest.approx(s.landing_frac)
        assert all(b <= a + 1e-9 for a, b in itertools.pairwise(left))
        assert all(p.left_frac >= p.home_frac - 1e-6 for p in s.ribbon), "from every point of the way home is in reach"


def test_the_last_turn_back_lands_just_on_the_reserve():
    plan = plan_sorties(LINES, task(wind=Wind(3.0, 200.0)))
    s, give = plan.sorties[0], plan.endurance
    back = np.array(s.turn_back_at) - np.array(task().home)
    from quarry.core.flight.wind import leg_times_s

    home = float(leg_times_s(-back[:1], -back[1:], CRAFT.cruise_m_s, Wind(3.0, 200.0))[0])
    lands = s.turn_back_s + home + CRAFT.fixed_s / 2
    assert lands <= give.usable_s + 1e-3
    assert lands == pytest.approx(give.usable_s, abs=6.0)


def test_ways_home_keep_clear_of_forbidden_ground():
    wall = ((250, 80), (450, 80), (450, 330), (250, 330))
    area = make_area(((0, 0), (700, 0), (760, 420), (40, 460)), [KeepOut(wall, "never")])
    cover = plan_coverage(area, LineTask(25.0, 8.0, 3.0, step_deg=30, refine=1)).best
    plan = plan_sorties(cover, task(), area.forbidden)
    from shapely import LineString

    core = Polygon(wall).buffer(-0.5)
    for s in plan.sorties:
        assert not LineString(s.path).intersects(core)


@pytest.mark.parametrize(
    ("over", "words", "field"),
    [
        ({"pack": PackFigures("08", 12.0)}, "take-off and landing with the time margin take", "pack"),
        ({"pack": PackFigures("08", 30.0)}, "too little is left for work there. Move home nearer", "home"),
        ({"wind": Wind(8.5, 200.0), "holds": "air"}, "cannot be flown against at 8.0 m/s through the air", "wind.speed_m_s"),
        ({"wind": Wind(8.5, 200.0), "most_air_m_s": 8.6}, "8.0 m/s over ground, at most 8.6 m/s through", "wind.speed_m_s"),
        ({"work_m_s": 9.0, "most_air_m_s": 8.6}, "Fly slower on the lines", "work.speed_m_s"),
        ({"tank_line_m": 3.0}, "more than 500 sorties. Use stronger packs or a larger tank", "pack"),
        ({"tank_line_m": 0.5}, "Choose a larger tank", "home"),
        ({"home": (90_000.0, 0.0)}, "Only to reach line", "home"),
    ],
)
def test_what_cannot_be_flown_is_named_with_a_remedy(over, words, field):
    with pytest.raises(Infeasible, match=words) as bad:
        plan_sorties(LINES, task(**over))
    assert bad.value.field == field


@pytest.mark.parametrize(
    ("over", "field"),
    [({"overlap_m": -4.0}, "sorties.overlap_m"), ({"keep_spare_s": float("nan")}, "sorties.keep_spare_s")],
)
def test_absurd_settings_are_refused(over, field):
    with pytest.raises(OutOfRange) as bad:
        plan_sorties(LINES, task(**over))
    assert bad.value.field == field


def test_the_working_of_the_time_to_spare_adds_up():
    plan = plan_sorties(LINES, task(wind_assumed=True))
    s = plan.sorties[0]
    named = {step.name: step for step in s.working.steps}
    parts = {q.name: q.value for q in named["sortie_s"].inputs}
    assert sum(parts.values()) == pytest.approx(s.time_s)
    assert named["spare_s"].value == pytest.approx(s.spare_s)
    assert named["wind_m_s"].kind == "assumption"
    assert plan.total_working.value == plan.total_s
    assert "fewest sorties" in plan.total_working.steps[-1].note


def test_stations_carry_turns_and_worked_length():
    route = plain_route([(0.0, 0.0), (100.0, 0.0), (100.0, 50.0)], 5.0)
    legs = leg_speeds(route, HeldSpeed(10.0), CALM).times_s
    st_ = place_stations(route, legs, 25.0, ends_only=False)
    assert st_.at_m.tolist() == pytest.approx([0, 25, 50, 75, 100, 125, 150])
    assert st_.elapsed_s.tolist() == pytest.approx([0, 2.5, 5, 7.5, 15, 17.5, 25])
    assert st_.worked_m[-1] == pytest.approx(150)
    ends = place_stations(route, legs, 25.0, ends_only=True)
    assert ends.at_m.tolist() == pytest.approx([0, 100, 150])


def test_a_transit_may_not_be_broken():
    area = make_area(((0, 0), (300, 0), (300, 250), (220, 250), (220, 60), (80, 60), (80, 250), (0, 250)))
    route = route_of(plan_coverage(area, LineTask(20.0, 8.0, 3.0, step_deg=30)).best, 3.0)
    stations = place_stations(route, leg_speeds(route, HeldSpeed(8.0), CALM).times_s, 2.0, ends_only=False)
    ends = route.cumulative_m
    for at in stations.at_m:
        if np.abs(ends - at).min() > 1e-6:
            leg = int(np.searchsorted(ends, at, side="right")) - 1
            assert route.line[leg] >= 0


def test_the_working_of_the_turn_back_adds_up():
    plan = plan_sorties(LINES, task(wind=Wind(4.0, 220.0)))
    for s in plan.sorties:
        named = {step.name: step for step in s.turn_back_working.steps}
        assert s.turn_back_working.value == named["turn_back_s"].value == s.turn_back_s
        free = named["free_wh"]
        spent = [q.value for q in free.inputs]
        assert free.value == pytest.approx(spent[0] - sum(spent[1:]))
        assert free.value >= -1e-6, "the place taken is reached before the energy is over"
        assert spent[0] == pytest.approx(plan.endurance.usable_wh)
        assert s.turn_back_s >= s.turns_home_s - 1e-6


def test_a_home_behind_a_wall_makes_the_ways_longer_than_straight():
    wall = Polygon([(-40, -40), (30, -40), (30, -30), (-30, -30), (-30, 30), (-40, 30)])
    free = plan_sorties(LINES, task())
    walled = plan_sorties(LINES, task(), wall)
    assert walled.total_s > free.total_s
    assert len(walled.sorties) >= len(free.sorties)
