"""Days: the rotation of what is in them, refusals at their field, and the search for a better plan."""

import json
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest
from django_scopes import scope, scopes_disabled
from hypothesis import given
from hypothesis import strategies as st
from procrastinate import testing
from procrastinate.contrib.django import app as tasks_app

from quarry.apps.accounts.errors import DomainError, Stale
from quarry.apps.accounts.permissions import NotAllowed
from quarry.apps.day import exports, mappers, queries, services
from quarry.apps.day.fields import later
from quarry.apps.day.models import DayPlan
from quarry.apps.day.repository import plan_from, plan_json
from quarry.apps.day.tasks import begin_search, better_day_plan
from quarry.apps.jobs.queries import home_height_m
from tests.factories import make_day, make_job, make_terrain, person

NEW_YEAR = datetime.fromisoformat("2020-01-01")
OLD_PLAN = Path(__file__).parents[1] / "samples" / "plans" / "day-12.json"


def figures_of(day):
    return {k: v for k, v in queries.day_json(day).items() if k not in ("id", "version", "archived")}


def save(who, day, version=None, **change):
    return services.save_day(actor=who, day_id=day.pk, version=version or day.version, figures=figures_of(day) | change)


def plan_of(day):
    return queries.plan_of(day)[0].plan


def test_a_day_says_who_flies_what_charges_where_and_when_it_ends(day, job):
    plan = plan_of(day)
    assert [f["flight"] for f in plan["flights"]] == [f"{job.letter}{k}" for k in range(1, len(plan["flights"]) + 1)]
    assert plan["finish_s"] == max(f["landing_s"] for f in plan["flights"])
    assert plan["can_give_w"] == 1600.0
    assert max(w for _, w in plan["load"]) <= 1600.0
    kinds = {c["kind"] for c in plan["calls"]}
    assert kinds - {"turn_back"} == {"launch", "land", "fit", "on_port", "off_port"}
    landed = {f["flight"]: f["landing_s"] for f in plan["flights"]}
    assert all(c["at_s"] < landed[c["flight"]] for c in plan["calls"] if c["kind"] == "turn_back")
    assert {p["name"] for p in plan["packs"]} == {"01", "02", "03", "04"}
    on = [c for c in plan["calls"] if c["kind"] == "on_port"]
    assert all(c["port"] in (1, 2) and c["member"] for c in on)
    for c in on:
        key = f"charge_{c['member']}_{round(c['at_s'])}"
        assert plan["workings"][key]["unit"] == "s"
    assert {"finish", "waits", "supply"} <= set(plan["workings"])


def test_flights_keep_out_of_breaks_and_hours(lead, day):
    day = save(lead, day, pauses=[{"from": "08:30", "to": "10:00"}])
    plan = plan_of(day)
    assert plan["windows"] == [[0.0, 1800.0], [7200.0, 36000.0]]
    for f in plan["flights"]:
        assert any(a <= f["takeoff_s"] and f["landing_s"] <= b for a, b in plan["windows"])


def test_the_job_is_cut_for_the_weakest_pack_of_the_day(lead, fleet, day):
    strong = save(lead, day, packs=[{"pack_id": fleet["01"].pk, "start_frac": 1.0}])
    first = plan_of(strong)["flights"]
    type(fleet["04"]).objects.filter(pk=fleet["04"].pk).update(health_frac=0.6)
    weak = save(lead, strong, packs=[{"pack_id": fleet["04"].pk, "start_frac": 1.0}])
    second = plan_of(weak)["flights"]
    assert len(second) > len(first)
    assert all(f["landing_frac"] >= 0.5 - 1e-6 for f in second), "30 % of rated is half of what a pack at 60 % health holds"


def test_a_grounded_pack_is_left_out_and_says_why(lead, fleet, day):
    packs = [*figures_of(day)["packs"], {"pack_id": fleet["09"].pk, "start_frac": 1.0}]
    out = next(p for p in plan_of(save(lead, day, packs=packs))["packs"] if p["name"] == "09")
    assert out["grounded"] == "swollen: out of service"
    assert out["beds"] == []


def test_a_pack_whose_mate_is_missing_waits_and_says_so(lead, fleet, day):
    from quarry.apps.fleet.models import AircraftModel

    AircraftModel.objects.filter(pk=fleet["Quad"].pk).update(packs_count=2)
    for pack, mates in (("01", "P"), ("02", "P"), ("03", "Q")):
        row = fleet[pack]
        type(row).objects.filter(pk=row.pk).update(mates=mates)
    packs = {p["name"]: p for p in plan_of(day)["packs"]}
    assert packs["01"]["set"] == packs["02"]["set"] == "01 + 02"
    assert "waits for a mate" in packs["03"]["grounded"]


def test_an_unchanged_day_keeps_its_plan_and_a_change_makes_a_new_number(lead, day):
    first, new = queries.plan_of(day)
    again, made = queries.plan_of(day)
    assert new
    assert not made
    assert first.pk == again.pk
    assert first.number == 1
    changed, _ = queries.plan_of(save(lead, day, swap_s=500))
    assert changed.number == 2
    back, made = queries.plan_of(save(lead, queries.day_of(day.pk), swap_s=200))
    assert back.pk == first.pk, "the plan of the old figures is still known"
    assert not made


@pytest.mark.parametrize(
    ("change", "words", "field"),
    [
        ({"opens": "18:00", "closes": "18:00"}, "opens and closes at one time", "closes"),
        ({"date": "1997-05-06"}, "lies before 2000", "date"),
        ({"date": "9999-12-31"}, "too far ahead", "date"),
        ({"opens": "8 o'clock"}, "Write it as 08:00", "opens"),
        ({"date": "tomorrow"}, "year-month-day", "date"),
        ({"time_zone": "Moon/Base"}, "not a time zone", "time_zone"),
        ({"swap_s": -5}, "Swap must lie between 0 and 60 minutes", "swap_s"),
        ({"rest_after_flight_s": 1e9}, "Rest after flight", "rest_after_flight_s"),
        ({"pauses": [{"from": "13:00", "to": "12:00"}]}, "end after it begins", "pauses.0"),
        ({"name": "n" * 200}, "at most 80", "name"),
    ],
)
def test_figures_that_make_no_day_are_refused_at_their_field(lead, day, change, words, field):
    before = figures_of(day)
    with pytest.raises(DomainError, match=words) as bad:
        save(lead, day, **change)
    assert bad.value.field == field
    assert figures_of(queries.day_of(day.pk)) == before


@pytest.mark.parametrize(
    ("name", "words"),
    [("charger_ids", "Choose a charger that exists"), ("more_supply_ids", "Choose a supply"), ("crew_ids", "Choose a person")],
)
def test_what_a_day_does_not_know_is_refused_and_never_left_out(lead, day, stranger, name, words):
    strange = stranger.pk if name == "crew_ids" else "00000000-0000-0000-0000-000000000000"
    known = figures_of(day)[name]
    with pytest.raises(DomainError, match=words) as bad:
        save(lead, day, **{name: [*known, strange]})
    assert bad.value.field == f"{name}.{len(known)}"
    assert figures_of(queries.day_of(day.pk))[name] == known


def test_charge_beyond_full_and_strange_packs_are_refused(lead, fleet, day, stranger):
    with pytest.raises(DomainError, match="between 0 and 100 %") as bad:
        save(lead, day, packs=[{"pack_id": fleet["01"].pk, "start_frac": 1.4}])
    assert bad.value.field == "packs.0"
    with pytest.raises(DomainError, match="Choose a pack that exists"):
        save(lead, day, packs=[{"pack_id": fleet["A1"].pk, "start_frac": 0.4}])
    with pytest.raises(DomainError, match="Choose a job that exists"):
        save(lead, day, jobs=[{"job_id": fleet["A1"].pk, "aircraft_id": None}])


@pytest.mark.parametrize(
    ("change", "words", "field"),
    [
        ({"jobs": []}, "nothing to fly", "jobs"),
        ({"packs": []}, "No pack for", "packs"),
        ({"charger_ids": []}, "no charger in the day", "chargers"),
        ({"closes": "08:10"}, "no opening of the day is that long", "windows"),
        ({"closes": "08:25", "pauses": []}, "What stands in the way: the hours of the day. It would fit: end the day", "windows"),
    ],
)
def test_days_that_cannot_be_flown_say_what_would_help(lead, day, change, words, field):
    saved = save(lead, day, **change)
    with pytest.raises(mappers.PlanError, match=words) as bad:
        queries.plan_of(saved)
    assert bad.value.field == field


def test_a_supply_too_small_for_one_charge_is_named(lead, fleet, day):
    from quarry.apps.fleet.models import SupplyModel

    SupplyModel.objects.filter(pk=fleet["Gen"].pk).update(rated_w=200.0)
    with pytest.raises(mappers.PlanError, match="can give 160 W and the gentlest charge draws 225 W"):
        queries.plan_of(queries.day_of(day.pk))


def test_one_job_that_cannot_be_planned_does_not_stop_the_others(lead, fleet, day, job):
    broken = make_job(lead, fleet, name="No home", home=None)
    saved = save(lead, day, jobs=[*figures_of(day)["jobs"], {"job_id": broken.pk, "aircraft_id": fleet["A1"].pk}])
    plan = plan_of(saved)
    assert {f["job"] for f in plan["flights"]} == {str(job.pk)}
    assert [(p["name"], p["field"]) for p in plan["problems"]] == [("No home", "home")]


def test_two_jobs_on_two_aircraft_share_ports_and_supply(lead, fleet, job):
    second = make_job(lead, fleet, name="Second", aircraft_id=fleet["A2"].pk)
    day = make_day(lead, fleet, [job, second])
    day = save(
        lead, day, jobs=[{"job_id": job.pk, "aircraft_id": fleet["A1"].pk}, {"job_id": second.pk, "aircraft_id": fleet["A2"].pk}]
    )
    plan = plan_of(day)
    assert {a["name"] for a in plan["aircraft"]} == {"A1", "A2"}
    assert {f["letter"] for f in plan["flights"]} == {job.letter, second.letter}


def test_jobs_without_an_aircraft_take_one_that_fits(lead, fleet, day, job):
    saved = save(lead, day, jobs=[{"job_id": job.pk, "aircraft_id": None}])
    assert saved.jobs.get().aircraft == fleet["A1"]


def test_the_site_lies_as_high_as_the_terrain_under_home_says(lead, fleet, job):
    begun = {"name": "Upland", "date": "2031-05-06", "jobs": [{"job_id": job.pk, "aircraft_id": fleet["A1"].pk}]}
    assert services.start_day(actor=lead, figures=begun).elevation_m == 0.0, "no terrain, not known"
    make_terrain(lead)
    there = home_height_m(job)
    assert there > 100
    assert services.start_day(actor=lead, figures=begun).elevation_m == pytest.approx(there, abs=0.5)
    assert services.start_day(actor=lead, figures=begun | {"elevation_m": 55.0}).elevation_m == 55.0


def test_a_copy_takes_everything_to_another_date(lead, day):
    copy = services.copy_day(actor=lead, day_id=day.pk, to_date="2031-06-01")
    want = figures_of(day) | {"date": "2031-06-01", "opens_at": "2031-06-01T08:00:00+02:00"}
    assert figures_of(copy) == want
    assert copy.pk != day.pk
    assert plan_of(copy)["finish_s"] == plan_of(day)["finish_s"]


def test_two_people_saving_one_day_end_in_a_question(org, lead, day):
    other = person(org, "otto", "pilot")
    save(other, day, name="Otto's")
    with pytest.raises(Stale) as bad:
        save(lead, day, version=1, name="Lena's")
    assert bad.value.extra["current"]["name"] == "Otto's"


def test_put_away_and_brought_back(lead, day):
    services.set_archived(actor=lead, day_id=day.pk, archived=True)
    assert not queries.days_for()
    assert queries.days_for(archived=True).get() == day
    services.set_archived(actor=lead, day_id=day.pk, archived=False)
    assert queries.days_for().get() == day


@pytest.mark.parametrize("role", ["handler", "viewer"])
def test_who_may_not_plan_days(org, lead, day, role):
    who = person(org, role, role)
    for act in (
        lambda: save(who, day, name="x"),
        lambda: services.copy_day(actor=who, day_id=day.pk, to_date="2031-06-01"),
        lambda: services.set_archived(actor=who, day_id=day.pk, archived=True),
        lambda: services.stop_search(actor=who, day_id=day.pk),
    ):
        with pytest.raises(NotAllowed):
            act()


def test_a_day_of_another_organisation_does_not_exist(stranger, day):
    with scope(organisation=stranger.organisation):
        for act in (
            lambda: queries.day_of(day.pk),
            lambda: services.copy_day(actor=stranger, day_id=day.pk, to_date="2031-06-01"),
            lambda: services.set_archived(actor=stranger, day_id=day.pk, archived=True),
            lambda: services.save_day(actor=stranger, day_id=day.pk, version=1, figures={}),
            lambda: services.stop_search(actor=stranger, day_id=day.pk),
        ):
            with pytest.raises(DomainError) as bad:
                act()
            assert bad.value.code == "not_found"


@pytest.fixture
def queue():
    connector = testing.InMemoryConnector()
    with tasks_app.replace_connector(connector):
        yield connector


def test_the_search_ends_with_a_plan_at_least_as_good(day, queue):
    row, _ = queries.plan_of(day)
    row.state = "first"
    begin_search(row)
    (job,) = queue.jobs.values()
    assert (job["task_name"], job["queue_name"], job["args"]) == ("better_day_plan", "plans", {"plan_id": row.pk})
    with scopes_disabled():
        better_day_plan(row.pk)
    after = DayPlan.objects.get(pk=row.pk)
    assert after.state in ("best", "proven")
    assert after.progress == 1
    assert after.plan["finish_s"] <= row.plan["finish_s"]


def test_a_search_that_was_stopped_does_not_begin_and_a_running_one_ends(lead, day, queue, monkeypatch):
    row, _ = queries.plan_of(day)
    DayPlan.objects.filter(pk=row.pk).update(state="queued")
    services.stop_search(actor=lead, day_id=day.pk)
    better_day_plan(row.pk)
    assert DayPlan.objects.get(pk=row.pk).state == "stopped"
    DayPlan.objects.filter(pk=row.pk).update(state="queued")

    def search(_roster, plan, _limit, _on_stop, _on_better):
        services.stop_search(actor=lead, day_id=day.pk)
        return plan, False

    monkeypatch.setattr(mappers, "better_plan", search)
    better_day_plan(row.pk)
    assert DayPlan.objects.get(pk=row.pk).state == "stopped"


def test_a_search_for_a_day_that_has_changed_meanwhile_is_dropped(lead, day, queue):
    row, _ = queries.plan_of(day)
    save(lead, day, swap_s=900)
    DayPlan.objects.filter(pk=row.pk).update(state="queued")
    better_day_plan(row.pk)
    assert DayPlan.objects.get(pk=row.pk).state == "old"


def test_a_proven_plan_needs_no_search(day, queue):
    row, _ = queries.plan_of(day)
    row.state = "proven"
    begin_search(row)
    assert not queue.jobs


def test_a_plan_is_read_back_as_it_was_kept(day):
    row, _ = queries.plan_of(day)
    plan = plan_from(row.plan)
    assert plan_json(plan) == DayPlan.objects.get(pk=row.pk).plan
    assert plan_from(plan_json(plan)) == plan
    with pytest.raises(mappers.PlanError, match="older version"):
        plan_from({k: v for k, v in row.plan.items() if k != "flights"})


def test_a_plan_that_an_older_version_kept_still_opens(web, day):
    """The file is a plan with all its insight as version 12 of the shape was written."""
    old = json.loads(OLD_PLAN.read_text(encoding="utf-8"))
    row, _ = queries.plan_of(day)
    DayPlan.objects.filter(pk=row.pk).update(plan=old)
    told = web.get(f"/days/{day.pk}/plans/{row.number}").json()
    assert told["finish_s"] == old["finish_s"]
    assert [f["flight"] for f in told["flights"]] == [f["flight"] for f in old["flights"]]
    assert told["chance"]["p90_s"] == old["chance"]["p90_s"]
    assert len(told["levers"]) == len(old["levers"]) > 0
    assert web.get(f"/days/{day.pk}/plans").json()[0]["sorties"] == len(old["flights"])
    for form in exports.FORMS:
        assert exports.export_day(day, form, row.number)[0]


@given(
    zone=st.sampled_from(["Europe/London", "America/St_Johns", "Australia/Lord_Howe", "UTC", "Asia/Kathmandu"]),
    opens=st.datetimes(NEW_YEAR, NEW_YEAR.replace(year=2035)),
    after_s=st.integers(0, 100_000),
)
def test_a_moment_of_a_day_is_true_seconds_after_its_opening(zone, opens, after_s):
    begins = opens.replace(tzinfo=ZoneInfo(zone))
    moment = later(begins, after_s)
    assert moment.timestamp() - begins.timestamp() == pytest.approx(after_s, abs=1e-3)
    assert moment.tzinfo == begins.tzinfo


def test_a_night_whose_clocks_go_back_keeps_its_hours_in_what_is_exported():
    """At two in the morning of 25 October 2026 London's clocks go back to one: five hours after 23:00 it is three."""
    begins = datetime(2026, 10, 24, 23, 0, tzinfo=ZoneInfo("Europe/London"))
    assert later(begins, 5 * 3600).strftime("%H:%M") == "03:00"
    forth = datetime(2026, 3, 28, 23, 0, tzinfo=ZoneInfo("Europe/London"))
    assert later(forth, 5 * 3600).strftime("%H:%M") == "05:00"
