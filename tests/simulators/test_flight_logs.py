"""Simulated logs: what was true of a flight comes out again, whatever form it was written down in, on seeds never seen."""

from __future__ import annotations

import io
import statistics
import zipfile
from dataclasses import replace

import polars as pl
import pytest

from quarry.core.flight.energy import Airframe
from quarry.core.logs.calibrate import calibrate
from quarry.core.logs.claim import capacity_claim, power_claim, resistance_claim
from quarry.core.logs.discharge import discharge_of
from quarry.core.logs.flight import flights_in, part, phases_of
from quarry.core.logs.reading import look_at, read_log
from quarry.core.logs.wind import wind_met
from quarry.simulators.flight_logs import WRITERS, Truth, archive, fly

CRAFT = Airframe("sim", 615.0, 12.0, 80.0, 4.0, 1, True, 6.6, 6, 0.39, 663.0)
KNOWN = [name for name in WRITERS if name != "odd names"]
HELD_OUT = (1009, 2017, 3041)


def flight_of(truth, form, seed):
    log = read_log(WRITERS[form](truth, fly(truth, seed))).log
    (span,) = flights_in(log)
    return part(log, span)


@pytest.mark.parametrize("form", KNOWN)
@pytest.mark.parametrize("seed", HELD_OUT)
def test_what_was_true_comes_out_of_every_form(form, seed):
    """Stated tolerance of one flight: power 2 %, capacity 2 %, resistance 8 %, length 8 s."""
    truth = Truth(CRAFT, power_times=1.09, capacity_ah=14.6, cell_25_ohm=0.0026, seconds=1100.0, serial="TW-1")
    flight = flight_of(truth, form, seed)
    seen, wind = discharge_of(flight), wind_met(flight)
    assert seen.length_s == pytest.approx(1100, abs=8)
    assert capacity_claim(seen, 14.6, 1.0).ratio == pytest.approx(1.0, abs=0.02)
    if form != "plain seconds" or seen.mean_w is not None:
        assert power_claim(flight, seen, CRAFT, wind=wind).ratio == pytest.approx(1.09, rel=0.02)
        assert resistance_claim(seen, 6, 0.0026).ratio == pytest.approx(1.0, abs=0.08)
    assert flight.words["serial"] == "TW-1"


def test_the_four_forms_tell_the_same_flight():
    truth = Truth(CRAFT, seconds=600.0, power_times=0.95)
    rows = fly(truth, 5)
    made = []
    for form in KNOWN:
        log = read_log(WRITERS[form](truth, rows)).log
        made.append(discharge_of(part(log, flights_in(log)[0])))
    assert max(d.length_s for d in made) - min(d.length_s for d in made) < 1.0
    assert max(d.mean_w for d in made) == pytest.approx(min(d.mean_w for d in made), rel=0.002)
    assert max(d.used_ah for d in made) == pytest.approx(min(d.used_ah for d in made), rel=0.01)


@pytest.mark.parametrize("times", [0.9, 1.0, 1.15])
def test_ten_flights_of_scattering_draw_teach_the_factor(times):
    """The middle of ten held-out flights lies within one percent and a half of the truth; the factor lies between it and the claim."""
    ratios = []
    for k in range(10):
        truth = Truth(
            CRAFT, power_times=times * (1 + 0.02 * (-1) ** k), wind_m_s=1.5 + 0.2 * k, seconds=500.0, bearing_deg=20.0 * k
        )
        flight = flight_of(truth, "camel case", 7000 + k)
        ratios.append(power_claim(flight, discharge_of(flight), CRAFT, wind=wind_met(flight)).ratio)
    assert statistics.median(ratios) == pytest.approx(times, rel=0.015)
    made = calibrate("power", ratios)
    assert min(1.0, times) - 0.01 <= made.factor <= max(1.0, times) + 0.01
    assert made.noise == (times == 1.0)


@pytest.mark.parametrize("come", [35.0, 125.0, 260.0])
def test_the_way_home_tells_the_wind_that_the_lines_do_not(come):
    """Lines both ways tell the wind along them alone; a short way in another direction tells the rest."""
    truth = Truth(CRAFT, wind_m_s=6.0, wind_from_deg=come, bearing_deg=35.0, seconds=700.0)
    flight = flight_of(truth, "camel case", 4333)
    met = wind_met(flight)
    assert met.whole
    assert (met.wind_m_s, met.from_deg, met.air_m_s) == pytest.approx((6.0, come, 9.0), abs=0.3)
    assert power_claim(flight, discharge_of(flight), CRAFT, wind=met).ratio == pytest.approx(1.0, abs=0.02)


def test_a_flight_whose_wind_cannot_be_told_claims_nothing():
    """Nearly as strong as it flies, straight along the lines: into it the aircraft hardly moves."""
    truth = Truth(CRAFT, wind_m_s=7.0, wind_from_deg=215.0, bearing_deg=35.0, seconds=700.0)
    flight = flight_of(truth, "camel case", 4333)
    assert wind_met(flight) is None
    assert power_claim(flight, discharge_of(flight), CRAFT, wind=None) is None


def test_a_knee_a_weak_cell_and_warnings_come_out():
    truth = Truth(CRAFT, seconds=1500.0, capacity_ah=15.0, knee_frac=0.6, knee_times=1.7, weak_cell=3)
    seen = discharge_of(flight_of(truth, "plain seconds", 4111))
    assert seen.knee_frac == pytest.approx(0.6, abs=0.05)
    assert seen.lowest_cell == 3
    assert seen.warned_frac == pytest.approx(0.3, abs=0.02)
    assert seen.critical_s > 0


def test_phases_are_those_that_were_flown():
    truth = Truth(CRAFT, seconds=700.0, turn_s=6.0)
    flight = flight_of(truth, "small units", 4222)
    phases = phases_of(flight)
    assert phases[0].name == "climb"
    assert phases[-1].name == "sink"
    shares = {n: sum(p.length_s for p in phases if p.name == n) for n in ("line", "turn", "hover", "transit")}
    assert shares["line"] > 0.3 * 700
    assert shares["transit"] > 5


def test_names_that_nobody_could_know_are_asked_and_time_and_percent_are_guessed_by_their_values():
    truth = Truth(CRAFT, seconds=600.0)
    look = look_at(WRITERS["odd names"](truth, fly(truth, 3)))
    told = {c.header: c.quantity for c in look.columns}
    assert (told["t"], told["w1"]) == ("time_s", "left_frac")
    assert {"t", "w1"} <= set(look.asks)
    assert not look.lacks


def test_the_same_seed_is_the_same_flight_and_another_is_another():
    truth = Truth(CRAFT, seconds=120.0)
    assert WRITERS["camel case"](truth, fly(truth, 9)) == WRITERS["camel case"](truth, fly(truth, 9))
    assert WRITERS["camel case"](truth, fly(truth, 9)) != WRITERS["camel case"](truth, fly(truth, 10))


def test_it_flies_the_lines_that_it_is_given():
    line = ((-4.309, 55.121), (-4.306, 55.122))
    truth = Truth(CRAFT, seconds=900.0, lines=(line,), home=(-4.31, 55.12))
    rows = fly(truth, 1)
    far = min(abs(r.lon - line[1][0]) + abs(r.lat - line[1][1]) for r in rows)
    assert far < 2e-5
    assert rows[-1].height_m < 0.5


def test_an_archive_holds_what_it_was_given():
    with zipfile.ZipFile(io.BytesIO(archive([("a.csv", b"1"), ("b.csv", b"2")]))) as made:
        assert {n: made.read(n) for n in made.namelist()} == {"a.csv": b"1", "b.csv": b"2"}


def test_a_reader_of_its_own_finds_the_same_numbers():
    """The table reader alone, told every column by hand, gives the sums that our reading gives."""
    truth = replace(Truth(CRAFT, seconds=300.0), serial="x")
    data = WRITERS["small units"](truth, fly(truth, 8))
    table = pl.read_csv(io.BytesIO(data), separator="\t", skip_rows_after_header=1)
    log = read_log(data).log
    assert log.rows == table.height
    assert log.numbers["current_a"].sum() == pytest.approx(table["current"].cast(pl.Float64).sum() / 1000)
    assert log.numbers["height_m"].max() == pytest.approx(table["altitude"].cast(pl.Float64).max() * 0.3048)
    assert log.cells_v.sum() == pytest.approx(sum(table[f"cell_{k}"].cast(pl.Float64).sum() for k in range(1, 7)) / 1000)
