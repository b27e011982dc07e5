"""Chemistries, rested volts and resistance, beside the published rows of the reference file."""

import json
import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from quarry.core.base.errors import BadReading, MissingInput, OutOfRange
from quarry.core.base.working import explain
from quarry.core.cells.chemistry import CHEMISTRIES, chemistry_of
from quarry.core.cells.curves import CURVES
from quarry.core.cells.ocv import charge_at_frac, charge_from_rest, ocv_v
from quarry.core.cells.resistance import (
    label_current_a,
    leads_ohm,
    rate_of_current,
    resistance_at_25_ohm,
    resistance_from_load,
    sustainable_current_a,
)

OCV = Path(__file__).parents[1] / "reference" / "ocv.json"
curves = st.sampled_from(sorted(CURVES))
chemistries = st.sampled_from(sorted(CHEMISTRIES))


@pytest.mark.parametrize("name", sorted(CURVES))
def test_a_published_curve_rises_and_names_its_source(name):
    curve = CURVES[name]
    charges, volts = zip(*curve.points, strict=True)
    assert charges[0] == 0.0
    assert charges[-1] == 1.0
    assert all(b > a for a, b in zip(volts, volts[1:], strict=False))
    assert curve.source.kind == "paper"


@pytest.mark.parametrize("name", sorted(CURVES))
def test_a_curve_follows_the_published_functions_between_its_points(name):
    """Each half of a tenth of a per cent, as the library named in the file gives it: 5 mV above 3 %, 10 mV below."""
    told = json.loads(OCV.read_text())
    for charge, volts in zip(told["charge_frac"], told[name], strict=True):
        assert ocv_v(CURVES[name], charge) == pytest.approx(volts, abs=0.005 if charge > 0.03 else 0.010), charge


@given(curves, st.floats(0, 1))
def test_charge_to_volts_and_back(name, charge):
    curve = CURVES[name]
    assert charge_at_frac(curve, ocv_v(curve, charge)) == pytest.approx(charge, abs=1e-6)


@pytest.mark.parametrize("key", sorted(CHEMISTRIES))
def test_the_volts_of_a_chemistry_stand_in_order(key):
    c = chemistry_of(key)
    assert c.least_v < c.land_loaded_v < c.storage_low_v < c.storage_high_v < c.full_v
    assert c.land_loaded_v < c.nominal_v < c.full_v
    assert c.charge_low_c == 0.0, "never charge below freezing"
    assert (c.test_good_v is None) == (key in ("liion", "lfp")), "the usual levels are for LiPo only"


def test_an_unknown_chemistry_names_those_known():
    with pytest.raises(MissingInput, match="lipo, lihv, liion, lfp"):
        chemistry_of("coal")


def test_one_voltage_is_many_charges():
    """3.80 V is 52 to 63 % depending on the cell: a range, not a number (reference topic 5b2)."""
    pouch = charge_from_rest(chemistry_of("lipo"), 6 * 3.8, 6)
    assert pouch.low_frac < 0.52 < 0.556 < pouch.high_frac
    assert pouch.low_frac < pouch.middle_frac < pouch.high_frac
    round_cells = charge_from_rest(chemistry_of("liion"), 6 * 3.8, 6)
    assert round_cells.low_frac < 0.552 < 0.633 < round_cells.high_frac


@given(chemistries, st.integers(1, 14), st.floats(0.02, 1.0), st.floats(0.0, 0.05))
def test_more_volts_never_mean_less_charge(key, cells, charge, more):
    c = chemistry_of(key)
    volts = ocv_v(c.curves[0], charge) * (c.full_v / c.curves[0].points[-1][1] if c.stretched else 1.0)
    if volts < c.least_v or volts + more > c.full_v:
        return
    low = charge_from_rest(c, cells * volts, cells)
    high = charge_from_rest(c, cells * (volts + more), cells)
    assert high.middle_frac >= low.middle_frac - 1e-9
    assert low.low_frac <= low.middle_frac <= low.high_frac


def test_volts_do_not_tell_for_lfp():
    flat = charge_from_rest(chemistry_of("lfp"), 4 * 3.28, 4)
    assert not flat.tells
    assert "Count the charge" in flat.words
    assert charge_from_rest(chemistry_of("lfp"), 4 * 2.6, 4).tells, "nearly empty shows"


@pytest.mark.parametrize(("volts", "cells"), [(25.2, 4), (22.2, 12), (99.0, 6), (0.0, 6), (float("nan"), 6)])
def test_volts_that_do_not_fit_the_cells_are_refused(volts, cells):
    with pytest.raises(OutOfRange, match=f"One of {cells} cells"):
        charge_from_rest(chemistry_of("lipo"), volts, cells)


def test_the_working_names_each_published_cell():
    steps = explain(charge_from_rest, chemistry_of("lipo"), 22.9, 6).steps
    assert {"ecker-2015", "ai-2020"} <= {s.source.key for s in steps}
    assert "rested" in steps[-1].note


@pytest.mark.parametrize(("capacity", "milliohm", "current", "rate"), [(1.5, 11.68, 27.6, 18), (1.85, 8.08, 36.4, 20)])
def test_what_two_meters_said(capacity, milliohm, current, rate):
    """1.5 Ah at 11.68 mΩ bears 27.6 A, 1.85 Ah at 8.08 mΩ 36.4 A, within 3 %. Common practice, no source."""
    got = sustainable_current_a(capacity, milliohm / 1000)
    assert got == pytest.approx(current, rel=0.03)
    assert rate_of_current(got, capacity) == pytest.approx(rate, rel=0.03)


def test_label_arithmetic():
    """1.8 Ah × 25 C = 45 A. Common practice, no source."""
    assert label_current_a(1.8, 25.0) == pytest.approx(45.0)
    printed = label_current_a(1.5, 45.0) / sustainable_current_a(1.5, 0.01168)
    assert printed > 2, "printed rates are promises"


def test_a_pack_reads_more_than_the_sum_of_its_cells():
    """39.3 mΩ against 11.68 + 11.92 + 11.60: leads and plugs. Common practice, no source."""
    assert leads_ohm(0.0393, 0.01168 + 0.01192 + 0.0116) == pytest.approx(0.0041)


def test_a_pack_that_reads_less_than_its_cells_is_refused():
    with pytest.raises(BadReading, match="that cannot be") as bad:
        leads_ohm(0.030, 0.034)
    assert bad.value.field == "pack_ohm"


@given(st.floats(0.0005, 0.05), st.floats(-20, 45), st.floats(300, 4000))
def test_bringing_to_25_degrees_is_undone_by_the_same_factor(ohm, pack_c, b):
    at_25 = resistance_at_25_ohm(ohm, pack_c, b)
    assert (at_25 < ohm) == (pack_c < 25) or math.isclose(pack_c, 25, abs_tol=1e-6)
    assert at_25 * math.exp(b * (1 / (pack_c + 273.15) - 1 / 298.15)) == pytest.approx(ohm)


@given(st.floats(0.005, 0.05), st.floats(20, 26), st.floats(0, 0.5), st.integers(0, 1000))
def test_a_known_resistance_is_found_though_the_pack_empties(ohm, rest, drift, seed):
    rng = np.random.default_rng(seed)
    amperes = rng.uniform(10, 60, 40)
    drawn = np.cumsum(amperes) * 10 / 3600
    volts = rest - ohm * amperes - drift * drawn
    fit = resistance_from_load(volts.tolist(), amperes.tolist(), drawn.tolist())
    assert fit.resistance_ohm == pytest.approx(ohm, rel=1e-6)
    assert fit.drift_v_ah == pytest.approx(drift, abs=1e-6)
    assert fit.rest_v == pytest.approx(rest, rel=1e-6)


@pytest.mark.parametrize(
    ("volts", "amperes", "words"),
    [
        ([24.0, 23.0], [10.0, 20.0], "at least three"),
        ([24.0] * 4, [20.0] * 4, "hardly changes"),
        ([24.0] * 3, [1.0], "one length"),
        ([23.0, 23.5, 24.0, 23.4], [10.0, 30.0, 50.0, 28.0], "do not fall"),
    ],
)
def test_points_that_tell_nothing_are_refused(volts, amperes, words):
    with pytest.raises(BadReading, match=words):
        resistance_from_load(volts, amperes, [0.0] * len(volts))
