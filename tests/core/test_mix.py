"""Mix sheets, seasons, the store, settling droplets, still air, and what a record lacks."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from quarry.core.base.errors import CoreError, Infeasible, MissingInput, OutOfRange
from quarry.core.spraying.dose import Pump, line_doses
from quarry.core.spraying.falling import settling_m_s
from quarry.core.spraying.mix import FORMS, MixItem, MixTask, StockBatch, from_stock, mix_sheet, usual_order
from quarry.core.spraying.record import EVERY_S, Measure, measures_due, record_lacks
from quarry.core.spraying.season import SeasonLimits, Treatment, season_findings
from quarry.core.spraying.still_air import AirSigns, inverted, rain_ahead

FULL = {"wind_m_s": 2.0, "from_deg": 90.0, "air_c": 18.0, "humidity_frac": 0.6}


def test_a_mix_by_hand():
    """12 L/ha with 0.6 L/ha and 30 g/100 L: a load of 18 L treats 1.5 ha, 0.9 L and 5.4 g; arithmetic by hand."""
    items = (MixItem("Aldra", 0.6), MixItem("Fenn", 0.03, "100_l", "kg", "granules"))
    found = mix_sheet(MixTask(items, (("B1", 18.0), ("B2", 6.0)), 12.0))
    assert [x.load_l for x in found.loads] == [18.0, 6.0]
    assert found.loads[0].amounts == pytest.approx((0.9, 0.0054))
    assert found.loads[0].water_l == pytest.approx(17.1)
    assert found.totals == pytest.approx((1.2, 0.0072))


@given(
    litres=st.lists(st.floats(0.5, 60.0), min_size=1, max_size=30),
    rate=st.floats(5.0, 200.0),
    share=st.lists(st.floats(0.001, 0.2), min_size=1, max_size=4),
    lines=st.floats(0.0, 4.0),
    vessel=st.one_of(st.none(), st.floats(20.0, 500.0)),
    evened=st.booleans(),
)
def test_loads_add_up_and_nothing_is_over(litres, rate, share, lines, vessel, evened):
    """Σ loads = to spray + left in lines; Σ product = per hectare × hectares; no load beyond its vessel, none empty."""
    items = tuple(MixItem(f"P{k}", s * rate) for k, s in enumerate(share))
    task = MixTask(items, tuple((f"S{k}", v) for k, v in enumerate(litres)), rate, lines, vessel, evened)
    found = mix_sheet(task)
    assert sum(x.load_l for x in found.loads) == pytest.approx(sum(litres) + lines)
    hectares = (sum(litres) + lines) / rate
    for item, total in zip(items, found.totals, strict=True):
        assert total == pytest.approx(item.rate_amount * hectares)
    for x in found.loads:
        assert x.water_l + sum(x.amounts) == pytest.approx(x.load_l)
        assert 0 < x.load_l <= (vessel or 1e9) * (1 + 1e-9)
        assert x.sorties
    assert {n for x in found.loads for n in x.sorties} == {n for n, _ in task.sorties}
    if vessel and evened:
        assert max(x.load_l for x in found.loads) == pytest.approx(min(x.load_l for x in found.loads))


@settings(max_examples=300, deadline=None)
@given(
    lengths=st.lists(st.floats(5.0, 900.0), min_size=1, max_size=25),
    speeds=st.floats(2.0, 12.0),
    rate=st.floats(4.0, 120.0),
    swath=st.floats(2.0, 12.0),
    tank=st.floats(8.0, 60.0),
    shares=st.lists(st.floats(0.001, 0.15), max_size=3),
)
def test_litres_of_three_hundred_jobs(lengths, speeds, rate, swath, tank, shares):
    """Lines sprayed by speed and cut at the tank: Σ loads = Σ lines = dose × ground under the swath; so is each product."""
    metres = np.array(lengths)
    doses = line_doses(metres, np.full(metres.size, speeds), rate, swath, Pump())
    area_ha = metres.sum() * swath / 1e4
    cuts = np.arange(tank, doses.total_l, tank)
    ends = [0.0, *cuts, doses.total_l] if doses.total_l > 1e-9 else [0.0]
    sorties = tuple((f"S{k}", float(b - a)) for k, (a, b) in enumerate(pairwise(ends), start=1) if b - a > 1e-9)
    items = tuple(MixItem(f"P{k}", s * rate) for k, s in enumerate(shares))
    found = mix_sheet(MixTask(items, sorties, rate))
    assert sum(x.load_l for x in found.loads) == pytest.approx(doses.total_l) == pytest.approx(rate * area_ha)
    assert max(x.load_l for x in found.loads) <= tank * (1 + 1e-9)
    for item, total in zip(items, found.totals, strict=True):
        assert total == pytest.approx(item.rate_amount * area_ha)


@pytest.mark.parametrize(
    ("items", "more", "kind", "field"),
    [
        ((MixItem("A", 0.0),), {}, MissingInput, "work.mix.0.rate_amount"),
        ((MixItem("A", 1.0), MixItem("A", 2.0)), {}, OutOfRange, "work.mix.1.product_id"),
        ((MixItem("A", 9.0), MixItem("B", 4.0)), {}, Infeasible, "work.mix"),
        ((MixItem("A", 1.0, least_water_l_ha=40.0),), {}, OutOfRange, "work.rate_l_ha"),
        ((MixItem("A", 1.0),), {"vessel_l": 0.2}, OutOfRange, "work.vessel_l"),
        ((MixItem("A", 1.0),), {"sorties": ()}, MissingInput, "work.mix"),
        ((MixItem("A", 1.0),), {"sorties": (("S", 9000.0),), "vessel_l": 1.0}, OutOfRange, "work.vessel_l"),
    ],
)
def test_a_mix_that_cannot_be_says_so_at_its_field(items, more, kind, field):
    """What is wrong is told where it was entered."""
    task = MixTask(items, more.pop("sorties", (("S", 10.0),)), 12.0, **more)
    with pytest.raises(kind) as bad:
        mix_sheet(task)
    assert bad.value.field == field


def test_the_usual_order_and_one_of_ones_own():
    """Granules before suspensions before concentrates before wetters (common practice, no source); a mix keeps the order it has."""
    made = [MixItem(k, 1.0, form=k) for k in ("adjuvant", "concentrate", "granules", "suspension")]
    assert [i.product for i in usual_order(made)] == ["granules", "suspension", "concentrate", "adjuvant"]
    assert len({f.key for f in FORMS}) == len(FORMS)


def test_the_batch_that_expires_first_is_taken_first():
    """Expired ones are named and never taken; what the store lacks is told."""
    shelf = [StockBatch("new", 3.0, 400), StockBatch("old", 1.0, 200), StockBatch("gone", 5.0, 90), StockBatch("ever", 2.0)]
    found = from_stock(5.0, shelf, 100)
    assert [(t.batch, t.taken_amount) for t in found.taken] == [("old", 1.0), ("new", 3.0), ("ever", 1.0)]
    assert found.short_amount == 0.0
    assert found.expired == ("gone",)
    assert from_stock(7.5, shelf, 100).short_amount == pytest.approx(1.5)


def test_a_season_that_is_used_up_or_exceeded():
    """Count, total, interval and harvest, each by itself."""
    limits = SeasonLimits("Aldra", "L", most_count=2, most_amount=1.5, least_interval_day=10, before_harvest_day=28)
    once = [Treatment(100, "Aldra", 0.6)]
    assert season_findings(limits, [], 0.6, 100) == []
    assert [f.verdict for f in season_findings(limits, once, 0.6, 120)] == ["care"]
    over = season_findings(limits, [*once, Treatment(112, "Aldra", 0.6)], 0.6, 118, harvest_day=140)
    assert [f.verdict for f in over] == ["no", "no", "no", "no"]
    assert "treatment 3 of the season, 2 are allowed" in over[0].words
    assert "come to 1.8, 1.5 are allowed" in over[1].words


@pytest.mark.parametrize(
    ("droplet_um", "speed_m_s"), [(100, 0.27), (200, 0.72), (300, 1.17), (400, 1.62), (500, 2.06), (1000, 4.03)]
)
def test_droplets_fall_as_measured(droplet_um, speed_m_s):
    """Gunn and Kinzer, J. Meteorology 6:243-248 (1949), terminal velocities at 20 °C; from memory. Within 10 %."""
    assert settling_m_s(float(droplet_um)) == pytest.approx(speed_m_s, rel=0.10)


def test_droplets_beyond_the_law():
    """A drop too large for the law is refused, at its field."""
    with pytest.raises(CoreError) as bad:
        settling_m_s(1900.0)
    assert bad.value.field == "droplet_um"


@pytest.mark.parametrize(
    ("signs", "is_so", "measured"),
    [
        (AirSigns(rise_k=0.8, sun_deg=40.0, wind_m_s=6.0), True, True),
        (AirSigns(rise_k=-0.5, sun_deg=-3.0, wind_m_s=0.5), False, True),
        (AirSigns(sun_deg=2.0, wind_m_s=1.0), True, False),
        (AirSigns(sun_deg=2.0, wind_m_s=1.0, cloud_frac=0.9), False, False),
        (AirSigns(sun_deg=2.0, wind_m_s=4.0), False, False),
        (AirSigns(sun_deg=30.0, wind_m_s=1.0), False, False),
        (AirSigns(), False, False),
    ],
)
def test_still_air(signs, is_so, measured):
    """Two thermometers stand above signs; signs are a low sun, a light wind, little cloud."""
    assert inverted(signs)[:2] == (is_so, measured)


def test_rain_within_the_time_to_dry():
    """Rain that begins an hour after spraying counts for four hours to dry and not for one; an hour not known is told."""
    hours = [(0.0, 0.0), (3600.0, 1.2), (7200.0, 0.0), (10800.0, None)]
    assert rain_ahead(hours, 0.0, 3600.0).begins_s is None
    found = rain_ahead(hours, 0.0, 2 * 3600.0)
    assert (found.begins_s, found.rain_mm, found.known) == (3600.0, pytest.approx(1.2), True)
    assert rain_ahead(hours, 1800.0, 1.5 * 3600.0).begins_s == 1800.0
    assert not rain_ahead(hours, 0.0, 4 * 3600.0).known


def test_the_weather_is_asked_for_at_the_start_each_hour_and_at_the_end():
    """Sprayed from 0 to 2 h 30: start, two hours, end; each is met by what was measured near it."""
    spans = [(0.0, 900.0), (1200.0, 3500.0), (4000.0, 9000.0)]
    none = measures_due(spans, True, [], 20_000.0)
    assert [(d.kind, d.at_s, d.missed) for d in none] == [
        ("start", 0.0, True),
        ("hour", 3600.0, True),
        ("hour", 7200.0, True),
        ("end", 9000.0, True),
    ]
    taken = measures_due(spans, True, [Measure(t, **FULL) for t in (-300.0, 3700.0, 7200.0, 9300.0)], 20_000.0)
    assert all(d.taken and not d.taken.lacks for d in taken)
    now = measures_due([(0.0, None)], False, [Measure(60.0, **FULL)], EVERY_S + 60.0)
    assert [(d.kind, d.due) for d in now] == [("start", False), ("hour", True)]


def test_hours_in_which_nothing_was_sprayed_are_not_asked_for():
    """A pause of four hours asks for nothing; before and after it the spraying ends and begins."""
    found = measures_due([(0.0, 1200.0), (18_000.0, None)], False, [], 18_600.0)
    assert [(d.kind, d.at_s) for d in found] == [("start", 0.0), ("end", 1200.0), ("start", 18_000.0)]
    # While it may go on within the hour nobody is asked for an end.
    assert [d.kind for d in measures_due([(0.0, 1200.0)], False, [], 2000.0)] == ["start"]


def test_a_record_says_what_it_lacks():
    """Nothing entered: everything is asked for; a wind without its direction is told."""
    due = measures_due([(0.0, 600.0)], True, [Measure(0.0, wind_m_s=2.0, air_c=18.0, humidity_frac=0.6)], 5000.0)
    said = record_lacks({"crop": "Barley"}, ["Aldra"], False, due)
    assert "Crop: not entered." not in said
    assert "Operator: not entered." in said
    assert "Batch of Aldra: not entered." in said
    assert any("its direction not measured" in s for s in said)
    full = dict.fromkeys(("crop", "operator", "licence", "nozzle", "pressure_bar", "height_m"), "x")
    met = measures_due([(0.0, 600.0)], True, [Measure(0.0, **FULL)], 5000.0)
    assert record_lacks(full, [], False, met) == []
