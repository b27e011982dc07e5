"""A planned day: what people fix, the two methods, how sure it is, what holds it back, supplies, and every way out."""

import csv
import io
import json
from dataclasses import replace
from datetime import date, datetime, timedelta

import pytest
from django.utils import timezone
from django_scopes import scopes_disabled
from icalendar import Calendar
from procrastinate import testing
from procrastinate.contrib.django import app as tasks_app
from pypdf import PdfReader

from quarry.apps.accounts.errors import DomainError
from quarry.apps.care.fields import ChargeAsked
from quarry.apps.care.models import Charging
from quarry.apps.care.queries import charge_lessons
from quarry.apps.care.services import begin_charge
from quarry.apps.day import exports, mappers, queries, services
from quarry.apps.day.formats.sheet import sheet_html
from quarry.apps.day.models import DayPlan
from quarry.apps.day.repository import plan_from
from quarry.apps.day.tasks import better_day_plan
from quarry.apps.fleet.models import AircraftModel, Charger, ChargerModel, PackModel, Supply, SupplyModel
from quarry.apps.fleet.services import add_thing
from quarry.apps.logbook.queries import lessons
from quarry.apps.logbook.services import accept_lesson
from quarry.apps.policy.models import Policy
from tests.factories import make_day, make_job, plain, save_sheet, set_rules


def save(who, day, **change):
    figures = {k: v for k, v in queries.day_json(day).items() if k not in ("id", "version", "archived")}
    return services.save_day(actor=who, day_id=day.pk, version=day.version, figures=figures | change)


def plan_of(day):
    return queries.plan_of(day)[0].plan


def pin(kind, **over):
    return {"kind": kind, "flight": "", "set": "", "port": 0, "from": "", "to": ""} | over


def rule(who, key, value, reason):
    """Set a policy of the house."""
    version = getattr(Policy.objects.filter(organisation=who.organisation).first(), "version", 0)
    set_rules(actor=who, version=version, changes=[{"key": key, "value": value, "why": reason}])


def minutes(plan, at_s):
    """Minutes from 08:00, when the day opens."""
    return at_s / 60


@pytest.fixture
def busy(lead, fleet, job):
    """A day on which each of two packs flies more than once, none of them full."""
    jobs = [job, make_job(lead, fleet, name="Second"), make_job(lead, fleet, name="Third")]
    for each in jobs:  # hardly any wind: sorties that leave something in the pack
        each.wind = each.wind | {"speed_m_s": 1.0}
        each.save(update_fields=["wind"])
    packs = [{"pack_id": fleet[f"0{k}"].pk, "start_frac": 0.3} for k in (2, 3)]
    return make_day(lead, fleet, jobs, packs=packs)


class TestWhatPeopleFix:
    def test_a_pack_on_a_sortie(self, lead, day, job):
        plan = plan_of(day)
        first, other = f"{job.letter}1", "03"
        assert next(f for f in plan["flights"] if f["flight"] == first)["set"] == "01"
        fixed = plan_of(save(lead, day, pins=[pin("set", flight=first, set=other)]))
        assert next(f for f in fixed["flights"] if f["flight"] == first)["set"] == other
        assert fixed["pins"][0]["words"] == f"{first} flies on 03"
        assert fixed["pins_cost_s"] > 600, "pack 01 is full and 03 is not"

    def test_a_sortie_not_before_a_time(self, lead, day, job):
        fixed = plan_of(save(lead, day, pins=[pin("takeoff", flight=f"{job.letter}2", **{"from": "10:00"})]))
        second = next(f for f in fixed["flights"] if f["number"] == 2)
        assert minutes(fixed, second["takeoff_s"]) >= 120
        assert fixed["pins_cost_s"] > 0

    def test_a_port_closed_for_a_while(self, lead, day):
        fixed = plan_of(save(lead, day, pins=[pin("port", port=1, **{"from": "08:00", "to": "11:00"})]))
        beds = [b for p in fixed["packs"] for b in p["beds"] if b["state"] == "charging" and b["label"] == "1"]
        assert all(b["start_s"] >= 3 * 3600 - 1 for b in beds)

    def test_a_pack_on_charge_at_a_time(self, lead, busy):
        fixed = plan_of(save(lead, busy, pins=[pin("charge", set="02", **{"from": "09:00"})]))
        beds = next(p for p in fixed["packs"] if p["name"] == "02")["beds"]
        charges = [b for b in beds if b["state"] == "charging"]
        assert charges[0]["start_s"] == pytest.approx(3600, abs=61)

    def test_a_fixed_charge_that_the_day_has_no_need_of_is_said(self, lead, day):
        plan = plan_of(save(lead, day, pins=[pin("charge", set="04", **{"from": "15:00"})]))
        assert [c for c in plan["cautions"] if c.startswith("04 on charge at 15:00")] == [
            "04 on charge at 15:00 is fixed, and no sortie of the plan needs that charge."
        ]

    def test_no_power_while_the_set_is_refuelled(self, lead, day):
        fixed = plan_of(save(lead, day, pins=[pin("supply", **{"from": "08:30", "to": "09:00"})]))
        assert max(w for t, w in fixed["load"] if 1801 < t < 3599) == 0
        assert max(w for t, w in fixed["load"] if t > 3700) > 0

    def test_what_stands_in_the_way_is_named_and_what_was_entered_stays(self, lead, day, job):
        pins = [
            pin("set", flight=f"{job.letter}1", set="02"),
            pin("takeoff", flight=f"{job.letter}2", **{"from": "17:55"}),
        ]
        saved = save(lead, day, pins=pins)
        with pytest.raises(mappers.PlanError, match=r"“.2 not before 17:55” fixed.*Without it the day can be planned") as bad:
            queries.plan_of(saved)
        assert bad.value.field == "pins.1"
        assert queries.day_of(day.pk).pins == pins

    @pytest.mark.parametrize(
        ("wrong", "words"),
        [
            (pin("wish"), "A pin is one of"),
            (pin("set", set="01"), "Choose the sortie"),
            (pin("set", flight="S1"), "Choose the pack"),
            (pin("takeoff", flight="S1"), "Enter the time"),
            (pin("takeoff", flight="S1", **{"from": "noon"}), "not a time of day"),
            (pin("port", port=1, **{"from": "10:00", "to": "09:00"}), "from when to when"),
            (pin("supply", **{"from": "10:00"}), "from when to when"),
        ],
    )
    def test_a_pin_that_cannot_be_is_refused_at_its_place(self, lead, day, wrong, words):
        with pytest.raises(DomainError, match=words) as bad:
            save(lead, day, pins=[pin("supply", **{"from": "10:00", "to": "10:10"}), wrong])
        assert bad.value.field == "pins.1"

    def test_pins_on_what_left_the_day_do_no_harm(self, lead, day):
        stale = [pin("set", flight="Z9", set="77"), pin("port", port=9, **{"from": "08:00", "to": "09:00"})]
        assert plan_of(save(lead, day, pins=stale))["finish_s"] == plan_of(day)["finish_s"]


class TestSchools:
    def test_charging_to_the_need_saves_hours_and_lands_with_the_reserve(self, lead, busy):
        full = plan_of(busy)
        assert all(b["curve"][-1][1] > 0.999 for p in full["packs"] for b in p["beds"] if b["state"] == "charging")
        r = queries.roster_of(save(lead, busy, methods={"packs": "need"}))
        stops = []

        def enough(finish_s, _bound_s):
            if finish_s < 0.84 * full["finish_s"]:  # a slow machine searches longer for the same plan
                stops[-1]()

        need = plain(mappers.better_plan(r, mappers.first_plan(r), 60.0, stops.append, enough)[0])
        tops = [b["curve"][-1][1] for p in need["packs"] for b in p["beds"] if b["state"] == "charging"]
        assert min(tops) < 0.999
        assert need["finish_s"] < 0.85 * full["finish_s"]
        assert min(f["landing_frac"] for f in need["flights"]) >= 0.3 - 1e-6
        for f in need["flights"]:
            bed = next(b for p in need["packs"] if p["set"] == f["set"] for b in p["beds"] if b["label"] == f["flight"])
            assert bed["curve"][-1][1] == pytest.approx(f["landing_frac"], abs=1e-4)

    def test_a_limit_on_charge_at_take_off_stands_above_the_method(self, lead, busy):
        save_sheet(actor=lead, level="organisation", rules=[{"key": "charge_frac", "least": 0.9, "why": "house"}], version=0)
        r = queries.roster_of(save(lead, busy, methods={"packs": "need"}))
        assert min(f.required_frac for f in r.day.task.flights) == 0.9
        assert any("take off with 90% or more" in c for c in r.day.cautions)

    def test_always_gently_uses_the_gentlest_rate_alone(self, lead, fleet, day):
        slowest = min(m["pack_w"] for m in fleet["Bench"].model.modes)
        gentle = plan_of(save(lead, day, methods={"rates": "gentle"}))
        assert {c["mode"] for c in gentle["rotation"]["charges"]} == {
            m["name"] for m in fleet["Bench"].model.modes if m["pack_w"] == slowest
        }
        assert gentle["finish_s"] >= plan_of(day)["finish_s"]

    def test_a_sure_day_is_no_less_sure(self, lead, day):
        soon, sure = (
            mappers.better_plan(r, mappers.first_plan(r), 2.0)[0]
            for r in (queries.roster_of(save(lead, queries.day_of(day.pk), methods={"aim": a})) for a in ("finish", "sure"))
        )
        r = queries.roster_of(queries.day_of(day.pk))
        p90 = [mappers.with_insight(r, p, grid=False).chance.p90_s for p in (soon, sure)]
        assert p90[1] <= p90[0] + 60

    def test_saying_the_usual_schools_aloud_makes_no_new_plan(self, lead, day):
        usual = {"packs": "full", "rates": "any", "aim": "finish"}
        assert queries.plan_of(day)[0].pk == queries.plan_of(save(lead, day, methods=usual))[0].pk

    def test_an_unknown_school_is_refused(self, lead, day):
        with pytest.raises(DomainError, match="packs may be one of full, need"):
            save(lead, day, methods={"packs": "half"})


class TestInsight:
    @pytest.fixture
    def told(self, day):
        r = queries.roster_of(day)
        return plain(mappers.with_insight(r, mappers.first_plan(r)))

    def test_how_sure_is_in_order_and_ends_at_one(self, told):
        chance = told["chance"]
        assert chance["p10_s"] < chance["p50_s"] < chance["p90_s"]
        assert chance["p50_s"] >= told["finish_s"] * 0.98
        shares = [s for _, s in chance["by_time"]]
        assert shares == sorted(shares)
        assert shares[-1] == pytest.approx(1.0, abs=0.01)
        assert {r["what"] for r in chance["risks"]} <= {"pack", "port", "aircraft"}

    def test_one_more_never_ends_later_and_one_less_never_earlier(self, told):
        for lever in told["levers"]:
            if lever["saves_s"] is not None:
                assert (lever["saves_s"] >= -1) if lever["by"] > 0 else (lever["saves_s"] <= 1), lever

    def test_less_power_is_not_called_nothing_where_the_plan_needs_it(self, lead, day):
        SupplyModel.objects.filter(name="Gen").update(rated_w=700.0)
        r = queries.roster_of(queries.day_of(day.pk))
        told = plain(mappers.with_insight(r, mappers.first_plan(r), lambda _share: False, grid=False))
        less = next(x for x in told["levers"] if x["thing"] == "power" and x["by"] < 0)
        assert less["saves_s"] is None, "one watt charges nothing"
        assert less["why_not"]

    def test_the_grid_holds_the_day_as_it_is_and_gets_no_worse_with_more(self, told):
        grid = told["grid"]
        row, column = grid["sets"].index(grid["here"][0]), grid["ports"].index(grid["here"][1])
        assert grid["finish_s"][row][column] == pytest.approx(told["finish_s"], abs=1)
        for cells in (*grid["finish_s"], *zip(*grid["finish_s"], strict=True)):
            known = [c for c in cells if c is not None]
            assert known == sorted(known, reverse=True)

    def test_enough_has_a_working(self, told):
        assert told["enough"][0]["sets"] == 4
        assert told["workings"]["enough_0"]["steps"]
        assert told["workings"]["chance"]["value"] == pytest.approx(told["chance"]["p90_s"])

    def test_more_scatter_makes_a_day_less_sure(self, lead, day, told):
        rule(lead, "scatter.day_frac", 0.3, "gusty valley")
        r = queries.roster_of(day)
        wide = plain(mappers.with_insight(r, mappers.first_plan(r), grid=False))["chance"]
        assert wide["p90_s"] - wide["p50_s"] > told["chance"]["p90_s"] - told["chance"]["p50_s"]


class TestSupply:
    def test_a_generator_gives_less_high_up(self, lead, day):
        SupplyModel.objects.filter(name="Gen").update(kind="generator")
        low = plan_of(queries.day_of(day.pk))["can_give_w"]
        high = plan_of(save(lead, queries.day_of(day.pk), elevation_m=1200))
        assert high["can_give_w"] == pytest.approx(low * (1 - 0.035 * 1200 / 300))
        inputs = [i for step in high["workings"]["supply"]["steps"] for i in step["inputs"]]
        assert (1200.0, "m") in {(i["value"], i["unit"]) for i in inputs}, "the height stands in the working"

    def test_a_charger_that_finds_no_outlet_stays_off_and_the_plan_says_so(self, lead, fleet, day):
        SupplyModel.objects.filter(name="Gen").update(outlets_count=1, outlet_a=5.0, outlet_v=120.0)
        ChargerModel.objects.filter(name="Twin").update(power_factor=0.6)
        with pytest.raises(mappers.PlanError):
            queries.plan_of(queries.day_of(day.pk))
        r = queries.roster_of(queries.day_of(day.pk))
        assert r.day.supply.left_out == ["Bench"]
        assert any("Bench finds no outlet" in c for c in r.day.cautions)
        SupplyModel.objects.filter(name="Gen").update(outlet_a=16.0, outlet_v=230.0)
        plan = plan_of(queries.day_of(day.pk))
        assert plan["supply"]["outlet_of"] == {"Bench": "Trailer"}
        assert 0 < plan["supply"]["load_va"]["Trailer"] <= 0.8 * 16 * 230

    def test_two_supplies_give_the_sum(self, lead, fleet, day):
        other = Supply.objects.create(organisation=lead.organisation, name="Second", model=fleet["Trailer"].model)
        one = plan_of(day)["can_give_w"]
        both = plan_of(save(lead, day, more_supply_ids=[other.pk]))
        assert both["can_give_w"] == 2 * one
        assert [s["name"] for s in both["supply"]["each"]] == ["Trailer", "Second"]

    def test_fuel_and_when_to_fill_up(self, lead, day):
        SupplyModel.objects.filter(name="Gen").update(kind="generator", fuel="petrol", tank_l=0.2)
        each = plan_of(queries.day_of(day.pk))["supply"]["each"][0]
        assert each["litres"] > 0.18
        assert len(each["refuel_s"]) == int(each["litres"] / 0.18 - 1e-9)
        assert each["refuel_s"] == sorted(each["refuel_s"])
        assert any("Trailer runs low at" in c for c in plan_of(queries.day_of(day.pk))["cautions"]), "too small for one charge"

    def test_a_stop_is_planned_before_the_tank_is_low_and_may_take_no_time(self, lead, busy):
        SupplyModel.objects.filter(name="Gen").update(kind="generator", fuel="petrol", tank_l=0.7)
        plan = plan_of(queries.day_of(busy.pk))
        (each,) = plan["supply"]["each"]
        assert each["stops"]
        assert each["refuel_s"] == [a for a, _ in each["stops"]]
        assert all(w == 0 for a, b in each["stops"] for t, w in plan["load"] if a + 60 < t < b - 60)
        called = [(c["at_s"], c["set"]) for c in plan["calls"] if c["kind"] == "refuel"]
        assert called == [(a, "Trailer") for a, _ in each["stops"]]
        assert b"Refuel" in exports.export_day(queries.day_of(busy.pk), "csv")[0]
        rule(lead, "supply.refuel_min", 0.0, "filled while it runs, by the maker's leave")
        assert not plan_of(queries.day_of(busy.pk))["supply"]["each"][0]["stops"]


class TestWarmthAndPeople:
    def test_frozen_packs_are_not_charged_and_the_remedy_is_said(self, lead, day):
        with pytest.raises(mappers.PlanError, match=r"lie at -8 °C and are not charged below 0 °C.*cannot be flown") as bad:
            queries.plan_of(save(lead, day, bench_c=-8))
        assert bad.value.field == "bench_c"

    def test_hot_packs_rest_until_they_may_be_charged(self, lead, day):
        cool, warm = plan_of(day), plan_of(save(lead, day, bench_c=38, rest_after_flight_s=0))
        words = [c for c in warm["cautions"] if "until it is down to" in c]
        assert words or max(f["settles_c"] for f in cool["flights"]) <= 45
        for p in warm["packs"]:
            for a, b in zip(p["beds"], p["beds"][1:], strict=False):
                if a["state"] == "cooling" and b["state"] == "charging":
                    assert a["c"][1] <= 45.5

    def test_people_end_the_day_and_a_long_spell_is_said(self, lead, busy):
        rule(lead, "people.day_h", 8.0, "long drive")
        rule(lead, "people.spell_h", 1.0, "heat")
        rule(lead, "people.break_min", 60.0, "no shade")
        plan = plan_of(busy)
        assert max(b for _, b in plan["windows"]) == 8 * 3600
        assert any("nothing flies after 16:00" in c for c in plan["cautions"])
        assert any("plan a break" in c for c in plan["cautions"])

    def test_where_packs_lie_has_bounds(self, lead, day):
        with pytest.raises(DomainError, match="between -30 and 45") as bad:
            save(lead, day, bench_c=80)
        assert bad.value.field == "bench_c"


class TestLessons:
    def charge(self, lead, fleet, name, minutes_taken, **over):
        began = timezone.now() - timedelta(days=3)
        figures = {"pack": fleet[name], "rate_c": 1.0, "from_frac": 0.4, "by": lead} | over
        return Charging.objects.create(
            organisation=lead.organisation, began_at=began, ended_at=began + timedelta(minutes=minutes_taken), **figures
        )

    def test_a_slow_pack_is_planned_slower_and_the_working_says_why(self, lead, fleet, busy):
        usual = plan_of(busy)
        self.charge(lead, fleet, "02", 40)
        base = charge_lessons([fleet["02"]])[str(fleet["02"].pk)][0]
        Charging.objects.all().delete()
        for _ in range(6):
            self.charge(lead, fleet, "02", 40 * 1.4 / base)
        x = next(x for x in lessons() if (x.subject, x.name) == ("charge", "02"))
        accept_lesson(actor=lead, subject="charge", thing="pack", thing_id=x.thing_id, factor=x.factor)
        r = queries.roster_of(queries.day_of(busy.pk))
        slow = {s.id: s.slowness for s in r.day.task.sets}
        assert slow["02"] == pytest.approx(1 + 0.4 * 6 / 9, abs=0.002)
        assert slow["03"] == 1.0
        plan = plan_of(queries.day_of(busy.pk))
        key = next(k for k in plan["workings"] if k.startswith("charge_02_"))
        assert "calibration 1: × 1.267, from 6 charges" in json.dumps(plan["workings"][key], ensure_ascii=False)
        assert plan["finish_s"] >= usual["finish_s"]
        assert "charges 1.27 times as long" in json.dumps(DayPlan.objects.filter(day=busy).first().why)

    def test_what_teaches_nothing(self, lead, fleet):
        self.charge(lead, fleet, "03", 30, from_frac=None)
        self.charge(lead, fleet, "03", 5, from_frac=0.95)
        self.charge(lead, fleet, "03", 30, goal="storage")
        assert charge_lessons([fleet["03"]]).get(str(fleet["03"].pk), []) == []

    def test_evening_out_is_planned_with(self, lead, fleet, day):
        before = plan_of(day)["finish_s"]
        PackModel.objects.filter(name="P6").update(balance_s=900.0)
        plan = plan_of(queries.day_of(day.pk))
        assert plan["finish_s"] > before
        key = next(k for k in plan["workings"] if k.startswith("charge_"))
        assert "balances the cells" in json.dumps(plan["workings"][key])


class TestVersions:
    def test_each_plan_says_who_made_it_why_and_what_has_changed_since(self, lead, day):
        queries.plan_of(day, lead)
        again = save(lead, day, swap_s=500, packs=queries.day_json(day)["packs"][:3])
        queries.plan_of(again, lead)
        newest, first = queries.versions_of(again)
        assert (newest.number, first.number) == (2, 1)
        assert newest.by == first.by == (lead.full_name or lead.username)
        assert {"swap: 3.33333 min → 8.33333 min", "pack 04: no longer in the day"} <= set(newest.why)
        assert first.why == []
        assert newest.stale == []
        assert "swap: 3.33333 min → 8.33333 min" in first.stale
        assert queries.version_of(again, 1).number == 1
        with pytest.raises(DomainError, match="no longer kept"):
            queries.version_of(again, 7)

    def test_fixing_and_freeing_are_said(self, lead, day, job):
        queries.plan_of(day)
        fixed = save(lead, day, pins=[pin("set", flight=f"{job.letter}1", set="02")])
        assert f"fixed: {job.letter}1 flies on 02" in queries.plan_of(fixed)[0].why
        freed = save(lead, fixed, pins=[], swap_s=400)
        assert f"no longer fixed: {job.letter}1 flies on 02" in queries.plan_of(freed)[0].why

    def test_no_more_than_twenty_are_kept(self, lead, day):
        for k in range(23):
            day = save(lead, day, swap_s=200 + k)
            queries.plan_of(day)
        assert [v.number for v in queries.versions_of(day)] == list(range(23, 3, -1))

    def test_the_week_has_the_days_of_one_monday_to_sunday(self, lead, day):
        services.copy_day(actor=lead, day_id=day.pk, to_date="2031-05-11")
        services.copy_day(actor=lead, day_id=day.pk, to_date="2031-05-12")
        queries.plan_of(day)
        week = queries.week_of(day)
        assert [d.date for d in week] == ["2031-05-06", "2031-05-11"]
        assert date.fromisoformat(week[0].date).isocalendar()[:2] == date.fromisoformat(week[1].date).isocalendar()[:2]
        assert week[0].finish_s == plan_of(day)["finish_s"]
        assert len(week[0].flights) == len(plan_of(day)["flights"])
        assert week[1].finish_s is None


class TestWaysOut:
    def test_the_calendar_holds_every_flight_and_call_at_its_moment(self, day):
        plan = plan_of(day)
        content, name, media = exports.export_day(day, "ics")
        assert name == "field-day-2031-05-06.ics"
        assert media.startswith("text/calendar")
        events = list(Calendar.from_ical(content).walk("VEVENT"))
        by_key = {str(e["uid"]).split(".")[0]: e for e in events}
        assert len(by_key) == len(events) == len(plan["windows"]) + len(plan["flights"]) + len(plan["calls"])
        opens = queries.moments_of(day)[0]
        for f in plan["flights"]:
            e = by_key[f"flight-{f['flight']}"]
            assert abs((e.decoded("dtstart") - opens).total_seconds() - f["takeoff_s"]) <= 0.5
            assert abs((e.decoded("dtend") - opens).total_seconds() - f["landing_s"]) <= 0.5
        alarms = [e for e in events if list(e.walk("VALARM"))]
        assert len(alarms) == len(plan["calls"])

    def test_the_table_is_read_back_in_order_and_holds_no_formula(self, lead, day):
        content, _, _ = exports.export_day(save(lead, day, name="=2+2"), "csv")
        rows = list(csv.DictReader(io.StringIO(content.decode("utf-8-sig"))))
        plan = plan_of(day)
        assert [r["start"] for r in rows] == sorted(r["start"] for r in rows)
        flights = [r for r in rows if r["what"] == "flight"]
        assert {r["name"] for r in flights} == {f["flight"] for f in plan["flights"]}
        charges = [r for r in rows if r["what"] == "charge"]
        assert len(charges) == len(plan["rotation"]["charges"])
        assert all(datetime.fromisoformat(r["end"]) > datetime.fromisoformat(r["start"]) for r in charges)
        assert not any(v[:1] in "=+-@" for r in rows for v in r.values() if v)

    def test_json_says_the_last_landing_with_its_zone(self, day):
        told = json.loads(exports.export_day(day, "json")[0])
        landing = datetime.fromisoformat(told["last_landing"])
        assert landing.utcoffset() == timedelta(hours=2)
        assert (landing - datetime.fromisoformat(told["opens"])).total_seconds() == pytest.approx(plan_of(day)["finish_s"], abs=1)
        assert told["day"]["name"] == "Field day"

    def test_the_sheet_is_one_page_and_says_calls_limits_and_cautions(self, lead, fleet, job, day):
        content, name, media = exports.export_day(day, "pdf")
        pages = PdfReader(io.BytesIO(content)).pages
        text = pages[0].extract_text()
        assert (len(pages), media) == (1, "application/pdf")
        assert name.endswith(".pdf")
        assert "Calls" in text
        assert f"Launch {job.letter}1" in text
        assert "no fallback chosen" in text
        assert "No weather is known for" in text
        assert "manual" in text
        long = make_day(lead, fleet, [job, *(make_job(lead, fleet, name=f"Job {k}") for k in range(4))], name="<Long> & full")
        pages = PdfReader(io.BytesIO(exports.export_day(long, "pdf")[0])).pages
        assert len(pages) == 1
        assert "<Long> & full" in pages[0].extract_text()

    def test_closed_hours_stand_on_the_sheet_as_spans(self, day):
        row, _ = queries.plan_of(day)
        words = {10: "no", 11: "no", 13: "no", 12: "care"}
        air = {"gust_m_s": None, "wind_m_s": None, "from_deg": None}
        hours = [
            {"start_s": (h - 8) * 3600.0, "word": words.get(h, "go"), "unknown": False, "reasons": [], **air}
            for h in range(8, 15)
        ]
        row.plan["gates"] = [row.plan["gates"][0] | {"hours": hours, "limit_m_s": 9.0, "fallbacks": ["barn"]}]
        told = sheet_html(queries.day_view(day), 1, queries.moments_of(day)[0], plan_from(row.plan))
        assert "closed 10:00 to 12:00, 13:00 to 14:00" in told
        assert "with care 12:00 to 13:00" in told
        assert "fallback: barn" in told

    def test_a_kept_plan_goes_out_as_it_was(self, lead, day):
        old = plan_of(day)
        newer = save(lead, day, swap_s=900)
        plan_of(newer)
        told = json.loads(exports.export_day(newer, "json", 1)[0])
        assert told["plan"] == 1
        assert len([r for r in told["rows"] if r["what"] == "flight"]) == len(old["flights"])

    def test_another_form_is_refused(self, day):
        with pytest.raises(DomainError, match="one of pdf, ics, csv, json"):
            exports.export_day(day, "xls")

    def test_the_packing_list_follows_the_plan(self, lead, fleet, day):
        SupplyModel.objects.filter(name="Gen").update(kind="generator", fuel="petrol", tank_l=5.0, outlets_count=1)
        ChargerModel.objects.filter(name="Twin").update(power_factor=1.0)
        lines = queries.packing_of(queries.day_of(day.pk))
        words = [line.what for line in lines]
        assert [w for w in words if w.startswith("pack ")] == ["pack 01", "pack 02", "pack 03", "pack 04"]
        assert any(w.startswith("Bench: 2 main leads") for w in words)
        assert "lead from Bench to Trailer" in words
        fuel = next(w for w in words if "petrol" in w)
        burnt = plan_of(queries.day_of(day.pk))["supply"]["each"][0]["litres"]
        assert int(fuel.split()[0]) >= 1.25 * burnt
        assert {"memory cards, empty", "ground marks"} <= set(words)


class TestInTheBackground:
    @pytest.fixture
    def queue(self):
        with tasks_app.replace_connector(testing.InMemoryConnector()) as app:
            yield app

    def test_the_search_leaves_a_plan_with_everything(self, day, queue):
        row, _ = queries.plan_of(day)
        with scopes_disabled():
            better_day_plan(row.pk, 4.0)
        after = DayPlan.objects.get(pk=row.pk)
        assert after.plan["chance"]["days"] >= 1000
        assert after.plan["levers"]
        assert after.plan["grid"]["finish_s"]
        assert after.plan["bound_s"] <= after.plan["finish_s"] + 1
        assert (after.state == "proven") == (after.plan["finish_s"] <= after.plan["bound_s"] + 1)

    def test_a_fault_in_the_search_leaves_no_screen_waiting(self, day, queue, monkeypatch):
        row, _ = queries.plan_of(day)
        monkeypatch.setattr(mappers, "better_plan", lambda *_: 1 / 0)
        with pytest.raises(ZeroDivisionError):
            better_day_plan(row.pk, 1.0)
        after = DayPlan.objects.get(pk=row.pk)
        assert (after.state, after.plan["finish_s"]) == ("stopped", row.plan["finish_s"])

    def test_a_stop_during_the_grid_keeps_what_was_found(self, lead, day, queue, monkeypatch):
        row, _ = queries.plan_of(day)

        def insight(_r, plan, report=None, *, grid=True):
            if report is not None:
                services.stop_search(actor=lead, day_id=day.pk)
                assert report(0.5) is False
            return replace(plan, levers=[])

        monkeypatch.setattr(mappers, "with_insight", insight)
        better_day_plan(row.pk, 1.0)
        after = DayPlan.objects.get(pk=row.pk)
        assert after.state == "stopped"
        assert after.plan["finish_s"] <= row.plan["finish_s"]


def test_two_aircraft_with_matched_pairs_share_one_box(lead, fleet, job):
    AircraftModel.objects.filter(pk=fleet["Quad"].pk).update(packs_count=2)
    for name, mates in (("01", "P"), ("02", "P"), ("03", "Q"), ("04", "Q")):
        type(fleet[name]).objects.filter(pk=fleet[name].pk).update(mates=mates)
    second = make_job(lead, fleet, name="Second")
    day = make_day(lead, fleet, [job])
    day = save(
        lead,
        day,
        jobs=[{"job_id": j.pk, "aircraft_id": fleet[a].pk} for j, a in ((job, "A1"), (second, "A2"))],
        packs=[{"pack_id": fleet[f"0{k}"].pk, "start_frac": 1.0} for k in (1, 2, 3, 4)],
    )
    plan = plan_of(day)
    assert {f["set"] for f in plan["flights"]} <= {"01 + 02", "03 + 04"}
    assert {a["name"] for a in plan["aircraft"]} == {"A1", "A2"}
    in_air = sorted((f["takeoff_s"], f["landing_s"], f["set"]) for f in plan["flights"])
    for k, (_, landing, name) in enumerate(in_air):
        assert all(a >= landing - 1e-6 for a, _, other in in_air[k + 1 :] if other == name)


def test_packs_of_many_cells_are_planned_on_no_charger_for_few(lead, fleet, job):
    """Fourteen cells on a charger for six: refused at the chargers, told as a caution, and refused at the bench."""
    ChargerModel.objects.update(least_cells=2, most_cells=6)
    PackModel.objects.update(cells=14)
    empty = [{"pack_id": fleet[f"0{k}"].pk, "start_frac": 0.3} for k in (1, 2, 3, 4)]
    day = make_day(lead, fleet, [job], packs=empty)
    with pytest.raises(queries.PlanRefused, match="no charger of the day takes packs of their cells, volts and chemistry") as bad:
        queries.plan_of(day)
    assert bad.value.field == "chargers"
    with pytest.raises(DomainError, match="it takes at most 6 cells, and this pack has 14") as refused:
        begin_charge(actor=lead, pack_id=fleet["02"].pk, asked=ChargeAsked(charger_id=fleet["Bench"].pk, port=1, pack_c=20.0))
    assert refused.value.field == "charger_id"
    wide = add_thing(
        actor=lead,
        model=ChargerModel,
        figures={"name": "Wide", "ports": 1, "modes": [{"name": "only", "pack_w": 300.0, "wall_w": 340.0}], "most_cells": 16},
    )
    big = add_thing(actor=lead, model=Charger, figures={"name": "Big", "model_id": wide.pk})
    day = save(lead, day, charger_ids=[str(fleet["Bench"].pk), str(big.pk)])
    plan = plan_of(day)
    assert {c["charger"] for c in plan["rotation"]["charges"]} == {"2"}, "chargers are numbered by name: Bench, Big"
    assert any("Bench does not charge P6: it takes at most 6 cells" in c for c in plan["cautions"])
    ChargerModel.objects.filter(name="Wide").update(chemistries=["lfp"])
    with pytest.raises(queries.PlanRefused, match="no charger of the day takes packs of their cells, volts and chemistry"):
        plan_of(save(lead, day, charger_ids=[str(big.pk)]))
