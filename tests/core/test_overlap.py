"""Overlap and ground sample over relief, against the plain formulas of photogrammetry on slopes and steps that are known."""

from datetime import date

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, box

from quarry.core.air.sun import shadow_m, sun_above
from quarry.core.base.errors import Infeasible
from quarry.core.ground.mapping import Camera, MappingTask, mapping_figures
from quarry.core.ground.overlap import (
    FlownLine,
    cells_of,
    ground_where,
    higher,
    more_lines,
    overlap_frac,
    overlap_map,
)

CAMERA = Camera("square", 13.2, 8.8, 8.8, 5472, 3648)
TASK = MappingTask(CAMERA, 80.0, 0.7, 0.8, 9.0)
FIGURES = mapping_figures(TASK)
FIELD = box(0, 0, 400, 8 * FIGURES.spacing_m)


def lines(fly=80.0):
    ways = [LineString([(0, (k + 0.5) * FIGURES.spacing_m), (400, (k + 0.5) * FIGURES.spacing_m)]) for k in range(8)]
    return [FlownLine(w, np.array([0.0, 400.0]), np.array([fly, fly])) for w in ways]


def made(ground, fly=80.0):
    cells, cell = cells_of(FIELD, FIGURES.spacing_m)
    return overlap_map(ground(cells), cells, cell, lines(fly), CAMERA, FIGURES.spacing_m, FIGURES.trigger_m)


def test_over_level_ground_it_is_what_was_asked_for():
    m = made(lambda c: np.zeros(len(c)))
    assert m.side_frac == pytest.approx(np.full(m.side_frac.size, 0.7))
    assert m.forward_frac == pytest.approx(np.full(m.side_frac.size, 0.8))
    assert m.sample_m == pytest.approx(np.full(m.side_frac.size, FIGURES.ground_sample_m))
    assert m.share_above(0.7, 0.8) == 1.0
    assert len(m.xy) * m.cell_m**2 == pytest.approx(FIELD.area, rel=0.02)


def test_a_hill_takes_overlap_and_a_hollow_takes_ground_sample():
    """Wolf, Dewitt and Wilkinson, Elements of Photogrammetry (from memory): coverage goes with the height above ground.

    20 m up at 80 m: a footprint three quarters as wide, so an overlap of 1 − 0.3 ÷ 0.75 = 60 %; 20 m down: a pixel of 5/4.
    """
    m = made(lambda c: np.where(c[:, 0] < 200, 20.0, -20.0))
    up = m.xy[:, 0] < 200
    assert m.side_frac[up] == pytest.approx(np.full(up.sum(), 0.6))
    assert m.forward_frac[up] == pytest.approx(np.full(up.sum(), 1 - 0.2 / 0.75))
    assert m.sample_m[~up] == pytest.approx(np.full((~up).sum(), FIGURES.ground_sample_m * 1.25))
    assert m.share_above(0.7, 0.8) == pytest.approx(0.5, abs=0.02)
    short = ground_where(m, m.side_frac < 0.7 - 1e-6)
    assert short.area == pytest.approx(FIELD.area / 2, rel=0.03)
    assert short.bounds[2] == pytest.approx(200, abs=m.cell_m)


def test_what_is_added_or_raised_holds_everywhere():
    hill = made(lambda c: np.where(c[:, 0] < 200, 20.0, 0.0))
    more = more_lines(hill, 80.0, 0.7, 0.8)
    denser = mapping_figures(MappingTask(CAMERA, 80.0, more.side_overlap_frac, more.forward_overlap_frac, 9.0))
    assert overlap_frac(denser.spacing_m, 60.0, 13.2, 8.8) == pytest.approx(0.7)
    assert overlap_frac(denser.trigger_m, 60.0, 8.8, 8.8) == pytest.approx(0.8)
    up = higher(hill, 80.0, 0.7, 0.8)
    assert up.height_m == 100.0
    same = mapping_figures(MappingTask(CAMERA, 100.0, up.side_overlap_frac, up.forward_overlap_frac, 9.0))
    assert same.spacing_m == pytest.approx(FIGURES.spacing_m)
    assert overlap_frac(same.spacing_m, 80.0, 13.2, 8.8) == pytest.approx(0.7)


def test_ground_that_comes_too_near_is_said():
    with pytest.raises(Infeasible, match="adding lines cannot"):
        more_lines(made(lambda c: np.full(len(c), 70.0)), 80.0, 0.7, 0.8)


@settings(max_examples=40, deadline=None)
@given(st.floats(-30, 60), st.floats(0.0, 0.9), st.floats(0.0, 0.9))
def test_more_lines_hold_whatever_the_ground(rise_m, side, forward):
    hill = made(lambda c: np.where(c[:, 0] < 120, rise_m, 0.0))
    try:
        more = more_lines(hill, 80.0, side, forward)
    except Infeasible:
        return
    denser = mapping_figures(MappingTask(CAMERA, 80.0, more.side_overlap_frac, more.forward_overlap_frac, 9.0))
    least = float(hill.least_m.min())
    assert overlap_frac(denser.spacing_m, least, 13.2, 8.8) >= side - 1e-9
    assert overlap_frac(denser.trigger_m, least, 8.8, 8.8) >= forward - 1e-9


def test_the_sun_at_the_equinox_stands_as_high_as_the_place_lies_off_the_pole():
    """On the equator at an equinox the sun stands 30° high four hours from noon: 15° an hour, cosine of the hour angle."""
    found = sun_above(0.0, 0.0, date(2031, 3, 20), 30.0)
    assert found.highest_deg == pytest.approx(90.0, abs=0.6)
    assert found.to_min - found.from_min == pytest.approx(8 * 60, abs=6)
    north = sun_above(0.0, 60.0, date(2031, 3, 20), 31.0)
    assert north.highest_deg == pytest.approx(30.0, abs=0.4)
    assert north.from_min is None
    far = sun_above(178.0, 0.0, date(2031, 3, 20), 30.0)
    assert far.to_min - far.from_min == pytest.approx(8 * 60, abs=6)
    assert shadow_m(10.0, 30.0) == pytest.approx(17.32, abs=0.01)
