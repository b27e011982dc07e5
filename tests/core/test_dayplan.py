"""What a day is planned from, made of records alone: hours, sets, charge needed, cooling, supply, pins, differences."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from quarry.core.base.errors import CoreError, Infeasible, MissingInput
from quarry.core.cells.chemistry import chemistry_of
from quarry.core.cells.thermal import pack_tau_s
from quarry.core.dayplan.charging import needed_frac, rest_after_flight, taken_by, too_cold_words
from quarry.core.dayplan.differences import PlanInput, changes, plan_inputs
from quarry.core.dayplan.hours import DayHours, clock_of, seconds_of
from quarry.core.dayplan.inputs import (
    AircraftInput,
    ChargerInput,
    DayInputs,
    JobInput,
    Learned,
    Methods,
    PackInput,
    SetInput,
    SortieInput,
    SupplyInput,
)
from quarry.core.dayplan.packing_list import CardNeed, packing_list
from quarry.core.dayplan.pins import Pin, apply_pins, check_pins
from quarry.core.dayplan.refuelling import fuelled
from quarry.core.dayplan.schedule import cautions_of, lands_with, pack_days, workings_of
from quarry.core.dayplan.sets import sets_of
from quarry.core.dayplan.task import day_task, first_rotation
from quarry.core.packs.forecast import Trend, trend_ahead
from quarry.core.power.charging import CONSTANT_POWER, ChargerRange
from quarry.core.power.outlets import Drawn, Outlet
from quarry.core.rotation.dispatch import earliest_ready
from quarry.core.rotation.model import Mode
from quarry.core.rotation.people import PeopleLimits
from quarry.core.rotation.timeline import load_series

HOME = (7.1, 46.2)
LINE = ((7.101, 46.201), (7.104, 46.201))
CRAFT = AircraftInput("a1", "Heron", "Quad", "m6", 1)


def sortie(number, energy_wh=120.0, **over):
    known = {"time_s": 899.2, "fixed_s": 90.0, "energy_frac": 0.6, "landing_frac": 0.35, "turn_back_s": 700.0, "set": "01"}
    more = {"worked": (LINE,), "worked_m": 1000.0 * number, "begins_at": HOME}
    return SortieInput(number=number, energy_wh=energy_wh, **known | more | over)


def pack(name, **over):
    known = {"model": "m6", "model_name": "P6", "chemistry": chemistry_of("lipo"), "cells": 6, "mates": "", "start_frac": 1.0}
    more = {"capacity_wh": 200.0, "law": CONSTANT_POWER, "balance_s": 0.0}
    return PackInput(id=f"id-{name}", name=name, **known | more | over)


def charger(name="Twin", **over):
    known = {"model_name": "Twin", "ports": 2, "modes": (Mode("fast", 400.0, 450.0), Mode("gentle", 200.0, 225.0)), "cap_w": None}
    return ChargerInput(f"id-{name}", name, **known | {"takes": ChargerRange(2, 8), "drawn": Drawn(name, 900.0)} | over)


def job(**over):
    known = {
        "id": "j1",
        "name": "Top field",
        "letter": "T",
        "home": HOME,
        "aircraft": CRAFT,
        "sorties": (sortie(1), sortie(2), sortie(3)),
        "sets": (SetInput("01", 150.0, 200.0, 3.3, 38.0), SetInput("02", 140.0, 190.0, 3.4, 41.0)),
        "sets_out": {},
        "sets_assumed": False,
        "reserve_frac": 0.3,
        "air_c": 15.0,
        "wind_assumed": False,
        "spacing_m": 20.0,
        "work": 600.0,
        "what": "images",
        "windows": None,
        "charge_least_frac": 0.0,
        "weather_unknown": False,
    }
    return JobInput(**known | over)


def day(**over):
    known = {
        "hours": DayHours(8 * 3600.0, 18 * 3600.0),
        "swap_s": 240.0,
        "rest_after_flight_s": 600.0,
        "rest_after_charge_s": 300.0,
        "bench_c": 18.0,
        "elevation_m": 0.0,
        "methods": Methods(),
        "pins": (),
        "jobs": (job(),),
        "packs": (pack("01"), pack("02", start_frac=0.4)),
        "chargers": (charger(),),
        "supplies": (),
        "learned": Learned(),
    }
    return DayInputs(**known | over)


class TestHours:
    @pytest.mark.parametrize("wrong", ["", "8", "24:00", "08:60", "8:00", "08:00:99", "noon", "-1:00"])
    def test_what_is_no_time_of_day_is_refused_at_its_field(self, wrong):
        with pytest.raises(MissingInput) as bad:
            seconds_of(wrong, "pins.2")
        assert bad.value.field == "pins.2"

    @given(st.integers(0, 24 * 60 - 1))
    def test_a_time_is_read_as_it_is_shown(self, minutes):
        assert seconds_of(clock_of(60.0 * minutes), "x") == 60.0 * minutes

    @given(st.lists(st.tuples(st.integers(-60, 700), st.integers(1, 90)), max_size=6))
    def test_windows_hold_every_minute_that_no_break_holds(self, drawn):
        """Compared with counting minute by minute."""
        opens, length = 480, 600
        pauses = [(60.0 * (opens + a), 60.0 * (opens + a + n)) for a, n in drawn]
        windows = DayHours(60.0 * opens, 60.0 * (opens + length), tuple(pauses)).windows()
        open_minutes = {m for m in range(length) if not any(a <= 60.0 * (opens + m) < b for a, b in pauses)}
        assert {m for m in range(length) if any(a <= 60.0 * m < b for a, b in windows)} == open_minutes
        assert all(0 <= a < b <= 60.0 * length for a, b in windows)


class TestPeoplesHours:
    LIGHT = ((4 * 3600.0, 13 * 3600.0),)

    def of_night(self, **over):
        """A day entered from midnight on; its job's limits let it fly from four o'clock."""
        known = {"hours": DayHours(0.0, 18 * 3600.0), "jobs": (job(windows=self.LIGHT),)}
        return day_task(day(**known | over))

    def test_count_from_the_first_task_and_not_from_the_opening(self):
        made = self.of_night()
        plan = first_rotation(made)
        assert plan.flights[0].takeoff_s == self.LIGHT[0][0]
        assert made.task.windows == ((0.0, 14 * 3600.0),)
        assert any("10 h from their first task at 04:00: nothing flies after 14:00" in c for c in made.cautions)
        assert all(c.start_s >= 4 * 3600.0 for c in plan.charges), "nobody is there to charge before"

    def test_begin_no_later_than_lets_them_work_to_the_end_of_the_hours(self):
        made = self.of_night(hours=DayHours(0.0, 12 * 3600.0))
        assert made.task.sets[0].from_s == 2 * 3600.0
        assert made.task.windows == ((0.0, 12 * 3600.0),)

    def test_begin_at_the_opening_where_their_longest_day_is_no_shorter(self):
        """Packs charge from the opening on, however long the weather keeps all on the ground."""
        made = self.of_night(hours=DayHours(8 * 3600.0, 17 * 3600.0), jobs=(job(windows=((3 * 3600.0, 9 * 3600.0),)),))
        assert {s.from_s for s in made.task.sets} == {0.0}
        assert not any("longest day" in c for c in made.cautions)
        assert min(c.start_s for c in first_rotation(made).charges) < 3 * 3600.0

    @pytest.mark.parametrize("full", [True, False])
    def test_opening_earlier_never_makes_a_day_later(self, full):
        """The same job in daylight from four to one, the day entered from each hour before."""
        packs = (pack("01", start_frac=1.0 if full else 0.3), pack("02", start_frac=0.4))
        ends = []
        for hour in range(5):
            light = ((4 - hour) * 3600.0, (13 - hour) * 3600.0)
            made = self.of_night(hours=DayHours(hour * 3600.0, 18 * 3600.0), jobs=(job(windows=(light,)),), packs=packs)
            ends.append(hour * 3600.0 + first_rotation(made).makespan_s)
        assert ends == sorted(ends)

    def test_are_named_where_they_stand_in_the_way(self):
        people = PeopleLimits(day_h=1.2)
        with pytest.raises(Infeasible, match=r"people's longest day: 1\.2 h from their first task at 08:00") as bad:
            first_rotation(day_task(day(learned=Learned(people=people), packs=(pack("01"),))))
        assert "Without that limit the last landing would be at" in bad.value.message


class TestSets:
    def test_mates_fly_together_and_a_lone_one_waits(self):
        packs = [pack("1", mates="A"), pack("2", mates="A", capacity_wh=180.0, start_frac=0.5), pack("3", mates="B")]
        found = sets_of([*packs, pack("4", grounded=True, grounded_why="swollen"), pack("5", model="other")], ["m6/2"])
        assert [(s.id, s.packs, s.capacity_wh, s.start_frac) for s in found.sets] == [("1 + 2", 2, 180.0, 0.5)]
        assert found.left_out == {
            "3": "waits for a mate: 2 fly together",
            "4": "swollen",
            "5": "no aircraft of the day flies it",
        }


class TestCharging:
    def test_the_weakest_that_may_fly_decides_how_full_a_pack_must_be(self):
        sets = job().sets
        assert needed_frac(sortie(1, 100.0), sets, (), 0.0) == pytest.approx(1 - 40 / 190)
        assert needed_frac(sortie(1, 100.0), sets, ("01",), 0.0) == pytest.approx(1 - 50 / 200)
        assert needed_frac(sortie(1, 100.0), sets, ("01",), 0.9) == 0.9
        assert needed_frac(sortie(1, 170.0), sets, (), 0.0) == 1.0

    def test_packs_rest_until_the_hottest_may_be_charged(self):
        """Newton's law of cooling, in closed form."""
        high_c = chemistry_of("lipo").charge_high_c
        want = pack_tau_s(1.0, 1) * math.log((70.0 - 18.0) / (high_c - 18.0))
        rest_s, words = rest_after_flight(60.0, 18.0, [pack("1")], [40.0, 70.0])
        assert rest_s == 60 * math.ceil(want / 60)
        assert f"until it is down to {high_c:.0f} °C" in words
        assert rest_after_flight(5 * 3600.0, 18.0, [pack("1")], [70.0]) == (5 * 3600.0, "")
        assert rest_after_flight(60.0, 18.0, [], [70.0]) == (60.0, "")
        with pytest.raises(Infeasible) as bad:
            rest_after_flight(60.0, high_c + 1, [pack("1")], [70.0])
        assert bad.value.field == "bench_c"

    def test_nothing_is_charged_where_it_would_harm_the_cells(self):
        least_c = chemistry_of("lipo").charge_low_c
        assert too_cold_words(least_c, [pack("1")]) == ""
        assert "harmed for good" in too_cold_words(least_c - 1, [pack("1")])
        with pytest.raises(Infeasible, match="Without a charge"):
            first_rotation(day_task(day(bench_c=least_c - 1)))

    def test_a_charger_takes_the_packs_of_its_cells(self):
        kinds = {"m6/1": pack("1"), "m14/1": pack("2", cells=14, model_name="P14")}
        types, cautions = taken_by(charger(), kinds)
        assert types == ("m6/1",)
        assert cautions == ["Twin does not charge P14: it takes at most 8 cells, and this pack has 14."]
        types, cautions = taken_by(charger(takes=ChargerRange()), kinds)
        assert types is None
        assert "does not say which cells it takes" in cautions[0]


class TestTask:
    def test_every_sortie_has_its_share_of_the_work(self):
        made = day_task(day())
        assert [f.flight_s for f in made.task.flights] == [900.0] * 3
        assert [made.routes[f"T{k}"].work for k in (1, 2, 3)] == [100.0, 200.0, 300.0]
        assert made.routes["T2"].area_ha == 2000.0 * 20.0 / 1e4
        assert (made.flights["T1"].floor_v, made.flights["T1"].settles_c) == (3.4, 38.0)

    def test_only_sets_that_give_enough_may_fly_a_sortie(self):
        made = day_task(day(jobs=(job(sorties=(sortie(1, 145.0), sortie(2, 130.0))),)))
        assert [f.only for f in made.task.flights] == [("01",), ("01", "02")]
        free = day_task(day(jobs=(job(sets_assumed=True),)))
        assert {f.only for f in free.task.flights} == {None}

    def test_what_is_not_sure_is_said(self):
        unsure = job(wind_assumed=True, weather_unknown=True, sets_out={"07": "too cold"}, charge_least_frac=0.9)
        said = " ".join(day_task(day(jobs=(unsure,), methods=Methods(packs="need"))).cautions)
        for words in ("an assumed wind", "No weather is known", "07 is not planned", "take off with 90%"):
            assert words in said

    def test_packs_charged_to_the_need_say_with_what_they_land(self):
        full = day_task(day())
        assert {f.required_frac for f in full.task.flights} == {1.0}
        assert lands_with(full, first_rotation(full)) == {}
        made = day_task(day(methods=Methods(packs="need"), packs=(pack("01", start_frac=0.9), pack("02", start_frac=0.95))))
        # 20 Wh of the 140 that the weaker gives from its 190 are not needed for 120.
        assert [f.required_frac for f in made.task.flights] == pytest.approx([1 - 20 / 190] * 3)
        found = lands_with(made, first_rotation(made))
        assert set(found) == {"T1", "T2", "T3"}
        # 120 of 200 Wh each: never from less than the need asks, never from more than full.
        assert min(found.values()) >= made.task.flights[0].required_frac - 0.6 - 1e-9
        assert max(found.values()) <= 1.0 - 0.6 + 1e-9

    def test_a_pack_is_warm_after_a_sortie_and_cools_on_the_bench(self):
        made = day_task(day())
        beds = [b for line in pack_days(made, first_rotation(made)) for b in line.beds]
        flown = [b for b in beds if b.bed.state == "flying"]
        assert flown
        assert all(b.to_c == made.flights[b.bed.label].settles_c for b in flown)
        assert all(18.0 <= b.to_c <= b.from_c for b in beds if b.bed.state != "flying")

    def test_each_charge_has_a_working_that_ends_on_its_time(self):
        slow = pack("02", start_frac=0.4, slowness=1.2, slowness_words="calibration 3: × 1.200", balance_s=120.0)
        made = day_task(day(packs=(pack("01"), slow)))
        plan = first_rotation(made)
        found = workings_of(made, plan, earliest_ready(made.task))
        charges = {k: w for k, w in found.items() if k.startswith("charge_")}
        assert len(charges) == len(plan.charges) > 0
        for c in plan.charges:
            w = charges[f"charge_{made.member(c.set, c.pack).name}_{round(c.start_s)}"]
            assert w.value == pytest.approx(c.end_s - c.start_s)
            assert w.steps[-1].value == pytest.approx(w.value)
        assert {"finish", "bound", "waits", "plain"} <= set(found)


class TestSupply:
    def test_a_charger_without_an_outlet_stays_off(self):
        weak = SupplyInput("Set", 4000.0, 0.2, True, "petrol", 9.0, (Outlet("Set, outlet 1"),))
        big = charger("Big", drawn=Drawn("Big", 5000.0))
        made = day_task(day(supplies=(weak,), chargers=(charger(), big)))
        assert [c.name for c in made.chargers] == ["Twin"]
        assert made.supply.left_out == ["Big"]
        assert made.task.site_power_w == pytest.approx(made.supply.each[0].can_give_w)
        plan = first_rotation(made)
        filled = fuelled(made.supply, load_series(made.task, plan), plan.makespan_s)
        assert filled.each[0].litres > 0

    def test_the_packing_list_holds_leads_and_fuel_with_a_quarter_to_spare(self):
        made = day_task(day(supplies=(SupplyInput("Set", 4000.0, 0.2, True, "petrol", 9.0, ()),)))
        plan = first_rotation(made)
        supply = fuelled(made.supply, load_series(made.task, plan), plan.makespan_s)
        found = {line.what: line.why for line in packing_list(made, supply, {"mapping"}, [("T", ["barn"])])}
        litres = math.ceil(1.25 * supply.each[0].litres)
        assert f"{litres} l of petrol" in found
        assert found["pack 01"] == "100% when the day opens: full the evening before"
        assert {"Twin: 2 main leads, 2 balance leads, mains lead", "T: the way to barn"} <= set(found)

    def test_cards_hold_the_pictures_of_the_day_with_a_quarter_to_spare(self):
        made = day_task(day())
        cards = [CardNeed("M", 35.2, 32.0), CardNeed("B", 20.0, 32.0), CardNeed("K", None, None)]
        listed = [x for x in packing_list(made, made.supply, {"mapping"}, [], cards) if "cards" in x.what]
        assert [x.what for x in listed] == ["memory cards, empty, for 69 GB: 3 of 32 GB", "memory cards, empty"]
        assert "M 35 GB, B 20 GB" in listed[0].why
        assert "picture of K" in listed[1].why
        assert not [x for x in packing_list(made, made.supply, {"search"}, []) if "cards" in x.what]


class TestPins:
    @pytest.mark.parametrize(
        "pin",
        [
            Pin(kind="set", set="01"),
            Pin(kind="set", flight="T1"),
            Pin(kind="takeoff", flight="T1"),
            Pin(kind="charge", set="01"),
            Pin(kind="port", port=1, from_s=36_000.0, to_s=36_000.0),
            Pin(kind="supply", from_s=36_000.0),
        ],
    )
    def test_one_that_is_not_whole_is_refused_at_its_place(self, pin):
        with pytest.raises(MissingInput) as bad:
            check_pins([Pin(kind="set", flight="T1", set="01"), pin])
        assert bad.value.field == "pins.1"

    def test_each_kind_changes_the_task_and_nothing_else(self):
        task, opens = day_task(day()).free, 8 * 3600.0
        assert apply_pins(task, [Pin(kind="set", flight="T2", set="01")], opens).flights[1].only == ("01",)
        late = apply_pins(task, [Pin(kind="takeoff", flight="T1", from_s=opens + 3600)], opens)
        assert late.flights[0].windows == ((3600.0, 36_000.0),)
        shut = apply_pins(task, [Pin(kind="port", port=2, from_s=opens + 60, to_s=opens + 120)], opens)
        assert shut.chargers[0].closed == ((1, 60.0, 120.0),)
        assert apply_pins(task, [Pin(kind="set", flight="T1", set="gone")], opens) == task

    def test_the_one_that_stands_in_the_way_is_named(self):
        late = Pin(kind="takeoff", flight="T3", from_s=17.95 * 3600)
        with pytest.raises(CoreError, match=r"With “T3 not before 17:57” fixed") as bad:
            first_rotation(day_task(day(pins=(late,))))
        assert bad.value.field == "pins.0"

    def test_a_fixed_charge_that_nobody_needs_is_said(self):
        made = day_task(day(pins=(Pin(kind="charge", set="02", from_s=17 * 3600.0),), jobs=(job(sorties=(sortie(1),)),)))
        assert any("no sortie of the plan needs that charge" in c for c in cautions_of(made, first_rotation(made)))


class TestDifferences:
    def told(self, **over):
        return plan_inputs(day_task(day(**over)), {}, [])

    def test_a_rename_is_a_rename_and_not_another_pack(self):
        before = self.told()
        renamed = (replace(pack("01"), name="North 1"), pack("02", start_frac=0.4))
        now = self.told(packs=renamed, jobs=(job(sets_assumed=True),))
        assert changes(before, now) == ["pack 01 is now called pack North 1"]

    def test_what_changed_came_and_went_is_said_once_each(self):
        before = self.told()
        now = self.told(
            packs=(pack("01", start_frac=0.5),), pins=(Pin(kind="takeoff", flight="T1", from_s=36_000.0),), bench_c=12.0
        )
        said = changes(before, now)
        assert "pack 01: 100% at start, 200 Wh each → 50% at start, 200 Wh each" in said
        assert "pack 02: no longer in the day" in said
        assert "fixed: T1 not before 10:00" in said
        assert "where packs lie: 18 °C → 12 °C" in said
        assert len(said) == 4
        assert "no longer fixed: T1 not before 10:00" in changes(now, before)

    def test_nothing_changed_is_nothing(self):
        assert changes(self.told(), self.told()) == []
        assert changes({"x": PlanInput("x", "1")}, {"x": PlanInput("x", "1")}) == []


class TestTrendAhead:
    def test_it_is_drawn_through_its_limit(self):
        """Straight lines: at 0.1 % a cycle from 90 % the limit of 80 % comes after 100 cycles."""
        ahead = trend_ahead(Trend(0.9, -0.001, -0.002, -0.0005), 50.0, 0.8)
        assert ahead.start == (50.0, 0.9)
        cycles, value = ahead.middle
        assert cycles > 150.0
        assert value == pytest.approx(0.9 - 0.001 * (cycles - 50.0))
        assert ahead.low[1] < value < ahead.high[1]

    @pytest.mark.parametrize(("trend", "limit"), [((0.9, 0.001), 0.8), ((0.78, -0.001), 0.8), ((0.9, -0.001), None)])
    def test_one_that_does_not_lead_there_is_not_drawn(self, trend, limit):
        assert trend_ahead(Trend(*trend, -0.002, 0.001), 50.0, limit) is None
