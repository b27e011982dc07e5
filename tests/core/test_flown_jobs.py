"""A job as flown: spraying, mapping and search over the same kind of field, with gaps that are known."""

import math
from itertools import pairwise

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Point, Polygon, box

from quarry.core.base.errors import MissingInput
from quarry.core.covered.belongs import belongs_to, clock_words
from quarry.core.covered.detection import cumulative_detection, detection_beside_frac, least_planned_frac
from quarry.core.covered.flown import FlownSortie, GroundPlan, Pictures, PlannedLine, Swath, Sweep, as_flown
from quarry.core.covered.footprints import Frames
from quarry.core.covered.on_lines import on_lines
from quarry.core.covered.raster import raster_over
from quarry.core.covered.strips import Pass
from quarry.core.covered.track import track_of
from quarry.core.ground.mapping import Camera, MappingTask, mapping_figures
from quarry.core.ground.search import detection_inverse_cube_frac

SPACING = 10.0
FIELD = box(0, 0, 300, 100)


def back_and_forth(n, length, spacing):
    rows = [[(0.0, (k + 0.5) * spacing), (length, (k + 0.5) * spacing)] for k in range(n)]
    return [LineString(row[::-1] if k % 2 else row) for k, row in enumerate(rows)]


LINES = back_and_forth(10, 300.0, SPACING)
CAMERA = Camera("square", 13.2, 8.8, 8.8, 5472, 3648)


def plan(field=FIELD, lines=LINES, spacing=SPACING, forbidden=None):
    return GroundPlan(
        (("North", field),), forbidden or Polygon(), tuple(PlannedLine(k, "A1", x) for k, x in enumerate(lines, 1)), spacing
    )


def track(lines=LINES, speed=5.0, step=0.5, works=None, height=3.0):
    """Fly lines one after the other with straight ways between; ``works(xy)`` tells where it works, None: the record is silent."""
    t, xy, now, at = [], [], 0.0, np.array([-40.0, -40.0])
    for line in lines:
        for a, b in pairwise(np.array([tuple(at), *line.coords])):
            n = max(1, round(float(np.hypot(*(b - a))) / (speed * step)))
            for k in range(n):
                t.append(now)
                xy.append(a + (b - a) * k / n)
                now += step
        at = np.array(line.coords[-1])
    t.append(now)
    xy.append(at)
    xy = np.array(xy)
    on = None if works is None else np.array([works(p) for p in xy])
    return track_of(np.array(t), xy, height_m=np.full(len(t), height), working=on)[0]


def on_field(p):
    return FIELD.buffer(0.1).covers(shapely.Point(p)) and abs((p[1] - 5) % SPACING) < 0.1


def flown(of, **more):
    return as_flown(plan(), [of], more.pop("rule", Swath(SPACING, 3.0, 1.0)), position_m=0.2, most_s=3.0)


def test_a_sprayed_field_is_covered_and_says_so_by_field_line_and_sortie():
    made = flown(FlownSortie("A1", "log", track(works=on_field), says_working=True))
    assert made.cover.covered_frac > 0.995
    assert not made.gaps
    assert [f.name for f in made.fields] == ["North"]
    assert made.fields[0].covered_m2 == pytest.approx(FIELD.area, rel=0.005)
    assert len(made.lines) == 10
    assert all(x.covered_m == pytest.approx(x.length_m, abs=1.5) for x in made.lines)
    assert made.sorties[0].covered_m2 == pytest.approx(made.sorties[0].alone_m2)
    assert [s.line for s in made.strips] == list(range(1, 11))


def test_where_the_record_is_silent_work_is_done_on_lines():
    assert flown(FlownSortie("A1", "telemetry", track())).cover.covered_frac > 0.99


@pytest.mark.parametrize(
    ("rule", "area_m2"),
    [(Swath(SPACING, 3.0, 1.0), 550.0), (Sweep(SPACING, "definite"), 522.0)],
)
def test_nozzles_shut_on_a_stretch_leave_a_gap_of_its_size(rule, area_m2):
    made = flown(
        FlownSortie("A1", "log", track(works=lambda p: on_field(p) and not (100 < p[0] < 160 and p[1] < 10)), says_working=True),
        rule=rule,
    )
    assert [g.cause for g in made.gaps] == ["shut"]
    # Both its ends may be off by half a step between two samples: what is told is as long as it is for sure.
    assert made.gaps[0].area_m2 == pytest.approx(area_m2, rel=0.03)


def test_a_line_that_was_not_flown_is_a_gap_of_mapping_though_its_ground_is_seen():
    """One line in four missing at 70 % side overlap: seen by its neighbours, at an overlap of 40 %."""
    task = MappingTask(CAMERA, 80.0, 0.7, 0.8, 9.0)
    f = mapping_figures(task)
    field = box(0, 0, 600, 8 * f.spacing_m)
    lines = back_and_forth(8, 600, f.spacing_m)
    made = as_flown(
        plan(field, lines, f.spacing_m),
        [FlownSortie("A1", "log", track([*lines[:3], *(line.reverse() for line in lines[4:])], speed=9.0, height=80.0))],
        Pictures(CAMERA, f.trigger_m, 0.8, 0.7, 80.0),
        position_m=0.5,
        most_s=3.0,
    )
    assert made.measured.share(1) == pytest.approx(1.0, abs=0.001)
    assert len(made.gaps) == 1
    # Two spacings apart; each picture stands for 0.4 of its width, which is 1.33 spacings: two thirds of one are left.
    assert made.gaps[0].area_m2 == pytest.approx(600 * f.spacing_m * 2 / 3, rel=0.05)
    assert made.gaps[0].cause == "not flown"


def test_pictures_that_were_not_taken_are_a_gap_over_which_was_flown():
    task = MappingTask(CAMERA, 80.0, 0.7, 0.8, 9.0)
    f = mapping_figures(task)
    field = box(0, 0, 600, 4 * f.spacing_m)
    lines = back_and_forth(4, 600, f.spacing_m)
    at = [
        (x, (k + 0.5) * f.spacing_m) for k in range(4) for x in np.arange(0, 601, f.trigger_m) if not (k == 1 and 200 < x < 320)
    ]
    way = track(lines, speed=9.0, height=80.0)
    t = [float(way.t_s[np.argmin(np.hypot(*(way.xy - p).T))]) for p in np.array(at)]
    n = len(at)
    frames = Frames(np.array(t), np.array(at), np.full(n, 80.0), np.full(n, 90.0), np.zeros(n), np.zeros(n))
    made = as_flown(
        plan(field, lines, f.spacing_m),
        [FlownSortie("A1", "log", way, frames=frames)],
        Pictures(CAMERA, f.trigger_m, 0.8, 0.7, 80.0),
        position_m=0.5,
        most_s=3.0,
    )
    assert [g.cause for g in made.gaps] == ["no picture"]
    assert made.sorties[0].pictures == n
    assert 150 < made.gaps[0].ground.bounds[0] < 220
    assert 300 < made.gaps[0].ground.bounds[2] < 340


def test_wind_moves_what_falls_and_leaves_a_strip_on_the_side_it_comes_from():
    """3 m high, 4 m/s across, drops falling at 2 m/s: 6 m of drift."""
    made = flown(
        FlownSortie("A1", "log", track(works=on_field), says_working=True), rule=Swath(SPACING, 3.0, 2.0, 1.0, 4.0, 180.0)
    )
    assert [g.cause for g in made.gaps] == ["drift"]
    assert made.gaps[0].area_m2 == pytest.approx(300 * 6, rel=0.03)
    assert made.gaps[0].ground.bounds[3] == pytest.approx(6.0, abs=0.3)


def test_of_a_sortie_of_which_only_the_landing_was_told_its_lines_are_an_estimate():
    ways = tuple(Pass(np.array(x.coords), k * 70.0, k * 70.0 + 60.0, math.nan) for k, x in enumerate(LINES[:6]))
    made = flown(FlownSortie("A1", "landing", ways=ways))
    assert all(s.estimated for s in made.strips)
    assert made.cover.covered_m2 == pytest.approx(300 * 60)
    assert [g.cause for g in made.gaps] == ["not flown"]


def test_what_two_sorties_flew_counts_twice_and_what_is_a_sorties_alone_is_told():
    first = FlownSortie("A1", "log", track(LINES[:6], works=on_field), says_working=True)
    second = FlownSortie("A2", "log", track(LINES[4:], works=on_field), says_working=True)
    made = as_flown(plan(), [first, second], Swath(SPACING, 3.0, 1.0), position_m=0.2, most_s=3.0)
    assert made.twice.area == pytest.approx(300 * 20, rel=0.01)
    assert made.measured.share(2) == pytest.approx(0.2, abs=0.01)
    assert made.sorties[0].alone_m2 == pytest.approx(300 * 40, rel=0.02)


def test_nothing_flown_is_said():
    with pytest.raises(MissingInput, match="Nothing was flown"):
        as_flown(plan(), [], Swath(SPACING, 3.0, 1.0), position_m=0.2, most_s=3.0)


@pytest.mark.parametrize("coverage", [0.5, 1.0, 1.5])
def test_detection_of_parallel_sweeps_is_koopmans(coverage):
    """Koopman, Search and Screening (1980), inverse-cube law of parallel sweeps: erf(√π ÷ 2 × coverage); from memory."""
    spacing = 40.0
    ground = box(0, 0, 200, 40 * spacing)
    ways = [LineString([(-10, (k + 0.5) * spacing), (210, (k + 0.5) * spacing)]) for k in range(40)]
    raster = raster_over(ground, spacing / 2)
    seen = cumulative_detection(raster, ways, coverage * spacing, "inverse_cube")
    inner = seen[seen.shape[0] // 4 : -seen.shape[0] // 4]
    assert float(inner.mean()) == pytest.approx(detection_inverse_cube_frac(coverage), abs=0.012)
    assert float(inner.min()) == pytest.approx(least_planned_frac(coverage * spacing, spacing, "inverse_cube"), abs=0.012)


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.floats(-60, 260), st.floats(-60, 260)), min_size=2, max_size=2),
    st.sampled_from(["random", "inverse_cube", "definite"]),
)
def test_a_straight_leg_is_seen_from_as_each_place_by_itself_has_it(ends, law):
    """Against GEOS, place by place: distance to the leg where it lies abeam, nothing before its beginning and behind its end."""
    (ax, ay), (bx, by) = ends
    leg, raster = LineString(ends), raster_over(Polygon([(0, 0), (200, 0), (150, 190)]), 10.0)
    seen = cumulative_detection(raster, [leg], 50.0, law)
    for row, column in zip(*np.nonzero(raster.inside), strict=True):
        x, y = raster.west_m + (column + 0.5) * raster.cell_m, raster.north_m - (row + 0.5) * raster.cell_m
        along = (x - ax) * (bx - ax) + (y - ay) * (by - ay)
        away = leg.distance(Point(x, y))
        if leg.length < 1e-6 or min(abs(along), abs(along - leg.length**2)) < 1e-6 * leg.length or abs(away - 25.0) < 1e-6:
            continue
        abeam = 0 <= along <= leg.length**2
        once = detection_beside_frac(50.0, away) if law != "definite" else float(away <= 25.0)
        once = 1 - math.exp(-once) if law == "random" else once
        assert seen[row, column] == pytest.approx(once if abeam else 0.0, abs=1e-5)
    assert not seen[~raster.inside].any()


def test_detection_beside_a_pass_adds_up_to_the_sweep_width():
    """The definition of the sweep width (IAMSAR vol. II; from memory): the area under the lateral range curve."""
    x = np.linspace(1e-3, 40_000, 4_000_000)
    p = 1 - np.exp(-(60.0**2) / (4 * math.pi * x**2))
    assert 2 * np.trapezoid(p, x) == pytest.approx(60.0, rel=0.005)
    assert detection_beside_frac(60.0, 30.0) == pytest.approx(1 - math.exp(-1 / math.pi))


@settings(max_examples=40, deadline=None)
@given(st.floats(0, 360), st.floats(-4, 4))
def test_a_way_along_a_line_is_on_it_and_one_across_is_not(turn_deg, aside_m):
    turn = math.radians(turn_deg)
    along, across = np.array([math.cos(turn), math.sin(turn)]), np.array([-math.sin(turn), math.cos(turn)])
    line = LineString([-100 * along, 100 * along])
    s = np.linspace(-90, 90, 60)
    t = np.arange(60.0)
    assert on_lines(track_of(t, s[:, None] * along + aside_m * across)[0], [line], 5.0).all()
    assert not on_lines(track_of(t, s[:, None] * across + aside_m * along)[0], [line], 5.0).any()


def test_a_track_of_another_field_is_told_with_how_far_it_is():
    away = track_of(np.arange(10.0), np.column_stack((np.full(10, 12_500.0), np.arange(10.0))))[0]
    found = belongs_to(away, FIELD)
    assert not found.here
    assert "12.2 km off this field" in found.words()
    assert belongs_to(track(), FIELD).here


@pytest.mark.parametrize(
    ("ahead_s", "words"),
    [
        (0.5, ""),
        (42.0, "42 s ahead of"),
        (-125.0, "2 min 05 s behind"),
        (7200.0, "2 h ahead of the day's, as one of another time zone"),
        (-3590.0, "1 h and 10 s behind the day's"),
        (20_700.0, "5.75 h ahead"),
        (-(2 * 86_400 + 3 * 3600 + 20.0), "2 d and 3 h behind the day's: make sure that it is of this flight"),
    ],
)
def test_a_clock_that_is_off_is_told(ahead_s, words):
    assert words in clock_words(ahead_s)


@pytest.mark.parametrize("angle_deg", [5.0, 8.0, 12.0, 20.0, 28.0])
def test_the_way_home_across_lines_at_a_small_angle_is_on_none(angle_deg):
    lines = back_and_forth(30, 600.0, 10.0)
    s = np.arange(0.0, 400.0, 2.0)
    turn = math.radians(angle_deg)
    home = track_of(np.arange(s.size) * 0.5, np.column_stack((50 + s * math.cos(turn), 40 + s * math.sin(turn))))[0]
    assert on_lines(home, lines, 7.5).mean() < 0.2
