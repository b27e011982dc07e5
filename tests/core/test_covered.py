"""What was truly covered: known gaps on random grounds found to 2 % and none invented, strips, footprints and rasters by hand."""

import math

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Point, Polygon, box
from shapely.affinity import rotate, scale, translate

from quarry.core.base.errors import MissingInput, OutOfRange
from quarry.core.covered.detection import _FEW, _abeam_m
from quarry.core.covered.footprints import Frames, footprints
from quarry.core.covered.gaps import WORDS, Course, cover_of
from quarry.core.covered.raster import raster_over, shares, times_covered
from quarry.core.covered.strips import drift_m, end_error_m, longer, passes, strip, strips
from quarry.core.covered.track import NoTrack, Track, dropouts, positions_known, track_of, usual_step_s
from quarry.core.ground.joining import joined, joined_on_net
from quarry.core.ground.mapping import Camera, footprint_m
from tests.core.flown_grounds import flown, planned

TOLERANCE_M = 0.25
NADIR = Camera("frame", 13.2, 8.8, 8.8, 5472, 3648)


def covered(f, forbidden=None):
    track, left_out = track_of(f.t_s, f.xy, working=f.working)
    ways = passes(track, f.most_s, TOLERANCE_M)
    lost = dropouts(track, usual_step_s(track), f.most_s)
    course = Course((track,), ways, lost, f.lines, forbidden or Polygon(), f.width_m)
    reaches = strips([longer(w, end_error_m(track)) for w in ways], f.width_m)
    made = cover_of(f.ground, strips(ways, f.width_m), 0.15 + TOLERANCE_M, course, reaches)
    return made, ways, left_out


@pytest.mark.parametrize("first", range(0, 36, 6))
def test_known_gaps_are_found_and_none_is_invented(first):
    """Shut nozzles, dropouts that are bridged and that are not, lines ended early, positions that jitter."""
    for seed in range(first, first + 6):
        f = flown(seed)
        cover, ways, left_out = covered(f)
        assert left_out.words() == []
        assert abs(cover.covered_m2 - f.truth.area) < 0.02 * f.ground.area, seed
        assert cover.least_m2 <= f.truth.area + 1e-6 <= cover.most_m2 + 0.002 * f.ground.area, seed
        missed = shapely.difference(f.ground, f.truth, grid_size=1e-3)
        for gap in cover.gaps:
            # As far as its edges are known at all, it is where something was missed.
            assert gap.ground.intersection(missed.buffer(1.0)).area > 0.95 * gap.area_m2, (seed, gap)
        # Every known gap of some size is among those found.
        known = shapely.difference(f.wanted, f.truth, grid_size=1e-3)
        for piece in getattr(known, "geoms", [known]):
            if piece.area > 4 * f.width_m and piece.buffer(-1.2).area > 0:
                assert sum(g.ground.intersection(piece).area for g in cover.gaps) > 0.7 * piece.area, (seed, piece.area)
        raster = raster_over(f.ground, f.width_m)
        counted = shares(raster, times_covered(raster, strips(ways, f.width_m)))
        assert abs(counted["covered"] - f.truth.area / f.ground.area) < 0.02, seed


@pytest.mark.parametrize(
    ("kind", "cause"), [("shut", "shut"), ("dropout", "dropout"), ("early", "turned early"), ("short dropout", None)]
)
def test_each_gap_says_why_it_is_probably_there(kind, cause):
    causes = []
    for seed in range(100, 106):
        f = flown(seed, (kind,))
        cover, _, _ = covered(f)
        causes += [g.cause for g in cover.gaps if g.cause != "no line" and g.area_m2 > 4 * f.width_m]
    if cause is None:
        assert causes == [], "a short dropout is bridged"
    else:
        assert causes
        assert causes.count(cause) >= 0.9 * len(causes), causes
    assert set(causes) <= set(WORDS)


def test_a_line_that_nobody_flew_and_one_beside_which_was_flown():
    ground = box(0, 0, 200, 30)
    lines = [LineString([(0, y), (200, y)]) for y in (5, 15, 25)]

    def of(rows):
        xy = np.array(
            [(x, y) for k, y in enumerate(rows) for x in (np.arange(0, 201, 2.0) if k % 2 == 0 else np.arange(200, -1, -2.0))]
        )
        track, _ = track_of(np.arange(len(xy)) * 0.5, xy)
        ways = [w for w in passes(track, 2.0, TOLERANCE_M) if w.length_m > 50]
        return cover_of(ground, strips(ways, 10.0), 0.5, Course((track,), ways, [], lines, Polygon(), 10.0))

    whole = of([5, 15, 25])
    assert whole.covered_frac == pytest.approx(1.0)
    assert whole.gaps == ()
    (missing,) = of([5, 25]).gaps
    assert missing.area_m2 == pytest.approx(2000.0, rel=1e-3)
    assert missing.cause == "not flown"
    assert {g.cause for g in of([5, 19, 25]).gaps} == {"drift"}
    kept = cover_of(ground, [box(0, 0, 200, 20)], 0.5, Course(*_empty(), [], lines, box(0, 20, 200, 30), 10.0))
    assert [g.cause for g in kept.gaps] == ["keep-out"]


def _empty():
    return [Track(np.array([0.0, 1.0]), np.zeros((2, 2)), np.full(2, np.nan), np.ones(2, dtype=bool))], []


@pytest.mark.parametrize("join", [joined, joined_on_net])
def test_a_union_of_strips_side_by_side_loses_none(join):
    """Seed 10: of these 38 strips shapely's plain union loses one of 2,237 m²."""
    f = flown(10)
    whole = join(f.strips)
    assert whole.area == pytest.approx(52_838.8, abs=1.0)
    for one in f.strips:
        assert whole.buffer(0.01).covers(one)
    assert join([]).is_empty


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10**6), st.floats(2.0, 12.0), st.floats(0, 180))
def test_strips_of_planned_lines_are_the_plan(seed, width_m, angle_deg):
    """As flown = as planned, to the smoothing, whatever the ground: against shapely's own buffer of each line."""
    ground = scale(box(-80, -50, 80, 50), 1 + seed % 7 / 10, 1 + seed % 5 / 10)
    lines = planned(rotate(ground, seed % 90), width_m, angle_deg)
    xy = np.concatenate([np.array(line.segmentize(3.0).coords) for line in lines])
    on = np.concatenate([np.r_[np.ones(len(line.segmentize(3.0).coords) - 1, bool), False] for line in lines])
    track, _ = track_of(np.arange(len(xy)) * 0.5, xy, working=on)
    made = joined_on_net(strips(passes(track, 2.0, 0.05), width_m))
    truth = joined_on_net([line.buffer(width_m / 2, cap_style="flat") for line in lines])
    assert made.symmetric_difference(truth).area < 0.03 * truth.area + 4 * len(lines) * width_m


def test_work_begins_and_ends_half_way_between_two_samples():
    xy = np.column_stack((np.arange(0, 60, 10.0), np.zeros(6)))
    track, _ = track_of(np.arange(6.0), xy, working=np.array([False, True, True, True, False, False]))
    (only,) = passes(track, 2.0, 0.1)
    assert only.xy[[0, -1], 0].tolist() == [5.0, 35.0]
    assert (only.from_s, only.to_s) == (0.5, 3.5)
    assert strip(only, 4.0).equals(box(5, -2, 35, 2))


def test_a_long_dropout_parts_a_pass_and_a_short_one_does_not():
    t = np.array([0.0, 1.0, 2.0, 5.0, 6.0, 20.0, 21.0])
    track, _ = track_of(t, np.column_stack((t * 5, np.zeros(7))))
    found = dropouts(track, 1.5, 4.0)
    assert [(d.from_s, d.to_s, d.bridged) for d in found] == [(2.0, 5.0, True), (6.0, 20.0, False)]
    assert [(w.from_s, w.to_s) for w in passes(track, 4.0, 0.1)] == [(0.0, 6.0), (20.0, 21.0)]
    with pytest.raises(MissingInput):
        dropouts(track, 5.0, 1.0)


def test_a_record_is_put_in_order_and_what_is_left_out_is_left_out():
    t = np.array([0.0, 1.0, 1.0, 3.0, 2.0, 4.0, 5.0, np.nan])
    xy = np.column_stack((np.array([0, 5, 5, 15, 10, 9000, 25, 30.0]), np.zeros(8)))
    xy[0] = np.nan
    track, left_out = track_of(t, xy)
    assert track.t_s.tolist() == [1.0, 2.0, 3.0, 5.0]
    assert (left_out.no_position, left_out.same_time, left_out.jumped, left_out.out_of_order) == (2, 1, 1, 1)
    assert len(left_out.words()) == 4
    with pytest.raises(NoTrack, match="0 hold a position") as bad:
        track_of(t, np.full((8, 2), np.nan))
    assert bad.value.field == "track"


def test_nowhere_is_no_position():
    lon, lat = np.array([0.0, 7.1, 181.0, np.nan, 0.0]), np.array([0.0, 46.2, 10.0, 5.0, 51.0])
    assert positions_known(lon, lat).tolist() == [False, True, False, False, True]


def test_drift_moves_a_strip_with_the_wind():
    """Height 3 m, drops that fall 1.5 m/s, wind 2 m/s: 4 m down the wind."""
    assert drift_m(3.0, 2.0, 1.5) == 4.0
    track, _ = track_of(np.arange(3.0), np.array([(0.0, 0.0), (10.0, 0.0), (20.0, 0.0)]))
    (way,) = passes(track, 2.0, 0.1)
    assert strips([way], 6.0, [(0.0, 4.0)])[0].equals(box(0, 1, 20, 7))
    with pytest.raises(OutOfRange):
        strips([way], 0.0)


def frames(**over):
    one = {"t_s": [0.0], "xy": [(10.0, 20.0)], "height_m": [88.0], "heading_deg": [0.0], "tilt_deg": [0.0], "roll_deg": [0.0]}
    return Frames(**{k: np.array(v, dtype=float) for k, v in (one | over).items()})


def test_a_picture_straight_down_sees_the_handbooks_footprint():
    """Wolf, Dewitt and Wilkinson, Elements of Photogrammetry (from memory): footprint = height × sensor side ÷ focal length."""
    ((seen,), none) = footprints(frames(), NADIR)
    assert none == []
    assert seen.bounds == pytest.approx((10 - 66, 20 - 44, 10 + 66, 20 + 44))
    assert footprint_m(88.0, 13.2, 8.8) == pytest.approx(132.0)
    ((turned,), _) = footprints(frames(heading_deg=[90.0]), NADIR)
    assert turned.bounds == pytest.approx((10 - 44, 20 - 66, 10 + 44, 20 + 66))


def test_a_tilted_camera_looks_ahead_and_a_rolled_one_to_the_side():
    """Oblique geometry by hand: edges at height × tan(tilt ± half the angle of view)."""
    half = math.atan(8.8 / 2 / 8.8)
    ((ahead,), _) = footprints(frames(xy=[(0.0, 0.0)], tilt_deg=[20.0]), NADIR)
    _, south, _, north = ahead.bounds
    assert (south, north) == pytest.approx([88 * math.tan(math.radians(20) + s * half) for s in (-1, 1)])
    across = math.atan(13.2 / 2 / 8.8)
    ((right,), _) = footprints(frames(xy=[(0.0, 0.0)], roll_deg=[10.0]), NADIR)
    west, _, east, _ = right.bounds
    assert (west, east) == pytest.approx([88 * math.tan(math.radians(10) + s * across) for s in (-1, 1)])
    assert footprints(frames(tilt_deg=[75.0]), NADIR) == ([], [0])
    assert footprints(frames(height_m=[np.nan]), NADIR) == ([], [0])


def test_overlap_as_flown_is_counted_where_pictures_lie():
    """80 % forward overlap shows each place on five pictures: 1 ÷ (1 − overlap)."""
    step = 88.0 * 0.2
    y = np.arange(0, 40) * step
    n = y.size
    flat = Frames(y, np.column_stack((np.zeros(n), y)), np.full(n, 88.0), np.zeros(n), np.zeros(n), np.zeros(n))
    seen, _ = footprints(flat, NADIR)
    ground = box(-40, 150, 40, 500)
    raster = raster_over(ground, 17.0)
    counts = times_covered(raster, seen)[raster.inside]
    assert counts.mean() == pytest.approx(5.0, abs=0.1)
    missing = times_covered(raster, [s for k, s in enumerate(seen) if k not in (15, 16, 17)])[raster.inside]
    assert missing.min() == 2


def test_a_raster_is_bounded_and_counts_what_lies_over_its_middles():
    ground = box(0, 0, 100, 50)
    raster = raster_over(ground, 10.0)
    assert raster.cell_m == 1.0
    assert raster.inside.shape == (50, 100)
    counts = times_covered(raster, [box(0, 0, 60, 50), box(40, 0, 100, 25), Point(5, 5).buffer(0)])
    assert shares(raster, counts, 2) == pytest.approx({"not": 0.2, "covered": 0.8, "enough": 0.1, "twice": 0.1})
    assert shares(raster, times_covered(raster, [])) == {"not": 1.0, "covered": 0.0, "enough": 0.0, "twice": 0.0}
    large = raster_over(box(0, 0, 20_000, 10_000), 3.0)
    assert large.inside.size <= 4.1e6
    assert raster_over(translate(ground, 1e6, 1e6), 10.0).inside.sum() == 5000


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.floats(-500, 500), st.floats(-500, 500)), min_size=2, max_size=_FEW, unique=True),
    st.lists(st.tuples(st.floats(-900, 900), st.floats(-900, 900)), min_size=1, max_size=20),
)
def test_distances_from_a_pass_are_those_of_the_geometry_library(corners, places):
    """Reference library: GEOS through shapely."""
    way, xy = LineString(corners), np.array(places)
    found = _abeam_m(way, xy)
    abeam = np.isfinite(found)
    assert found[abeam] == pytest.approx(shapely.distance(way, shapely.points(xy))[abeam], abs=1e-6)
