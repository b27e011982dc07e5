"""Which pictures belong to which pass, and how much of a pass was flown."""

import numpy as np
import pytest
from shapely import LineString

from quarry.core.covered.footprints import Frames
from quarry.core.covered.on_lines import NO_LINE
from quarry.core.covered.passes import FurtherLine, flown_shares, further_of, lies_on, looked
from quarry.core.covered.track import Track, track_of

OWN = [LineString([(0.0, y), (200.0, y)]) for y in (0.0, 40.0, 80.0)]
ACROSS = [FurtherLine("across", LineString([(x, -30.0), (x, 110.0)]), 8.0, 25.0, False) for x in (50.0, 90.0)]
ANGLES = np.linspace(0, 2 * np.pi, 41)
RING = FurtherLine("rings", LineString(np.column_stack((120 + 25 * np.cos(ANGLES), 60 + 25 * np.sin(ANGLES)))), 4.0, 70.0, True)
LINES = [*ACROSS, RING]


def along(way, step_m):
    return np.array([way.interpolate(d).coords[0] for d in np.arange(0.0, way.length, step_m)])


def flown(ways, step_m=10.0):
    return np.concatenate([along(way, step_m) for way in ways])


def frames(xy):
    n = len(xy)
    zero = np.zeros(n)
    return Frames(np.arange(n, dtype=float), xy, np.full(n, 60.0), zero, zero, zero)


def test_pictures_belong_to_the_line_they_were_taken_along_even_where_lines_cross():
    ways = [*OWN, *(x.way for x in LINES)]
    xy = flown(ways)
    truth = np.concatenate([[k] * len(along(way, 10.0)) for k, way in enumerate(ways)])
    found = further_of(xy, LINES, OWN)
    right = np.where(truth >= len(OWN), truth - len(OWN), NO_LINE)
    assert (found == right).mean() > 0.97
    # Of those over the ground none is taken for a ring.
    assert not (found[truth < len(OWN)] == 2).any()


def test_a_silent_record_looks_as_planned_and_rings_are_left_out_and_counted():
    xy = flown([OWN[0], ACROSS[0].way, RING.way])
    silent = np.ones(len(xy), dtype=bool)
    silent[len(along(OWN[0], 10.0)) + 2] = False
    kept, left_out = looked(frames(xy), silent, LINES, OWN)
    assert left_out == pytest.approx(len(along(RING.way, 10.0)), abs=1)
    assert len(kept.t_s) == len(xy) - left_out
    tilts = np.unique(kept.tilt_deg)
    assert tilts.tolist() == [0.0, 25.0]
    assert (kept.tilt_deg == 25.0).sum() == pytest.approx(len(along(ACROSS[0].way, 10.0)) - 1, abs=1)
    same, none = looked(frames(xy), silent, [], OWN)
    assert (none, same.tilt_deg.max()) == (0, 0.0)


def test_the_share_of_a_pass_that_was_flown_leaves_crossings_out():
    xy = flown([*OWN, ACROSS[0].way], 2.0)
    track, _ = track_of(np.arange(len(xy), dtype=float) / 2.5, xy)
    assert isinstance(track, Track)
    shares = flown_shares([track], LINES)
    assert shares["across"] == pytest.approx(0.5, abs=0.04)
    # Two of the lines touch the ring: there they run along it, and nowhere else.
    assert shares["rings"] < 0.3
    assert flown_shares([], LINES) == {"across": 0.0, "rings": 0.0}


def test_a_stretch_lies_on_its_line_and_not_on_one_that_crosses_it():
    assert lies_on(LineString([(10.0, 0.1), (60.0, 0.0)]), OWN)
    assert not lies_on(ACROSS[0].way, OWN)
