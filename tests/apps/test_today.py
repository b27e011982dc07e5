"""Where a person begins: an empty company is led through, what flies and is due is named, everything is found by its name."""

import io
from datetime import timedelta

import pytest
from django.core.management import CommandError, call_command
from django.utils import timezone
from django_scopes import scope

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import HistoryEntry, Organisation, User
from quarry.apps.accounts.permissions import NotAllowed
from quarry.apps.accounts.services import CompanyChange, set_company
from quarry.apps.care.services import add_record
from quarry.apps.day import queries as days
from quarry.apps.day import services
from quarry.apps.fleet.models import Aircraft, AircraftModel, Camera, Charger, ChargerModel, Pack, PackModel, SupplyModel
from quarry.apps.fleet.services import add_samples, add_thing
from quarry.apps.jobs.queries import plan_of
from quarry.apps.today import queries
from tests.factories import PASSWORD, make_day, make_fleet, make_job, make_today, person, post_events


def company(lead, **given):
    return set_company(actor=lead, change=CompanyChange(**given))


class TestCompany:
    def test_what_is_given_is_kept_with_its_history_and_the_rest_stays(self, lead):
        company(lead, time_zone="America/Halifax", currency="CA$", dates="month")
        row = company(lead, name=" North Crew Ltd ")
        assert (row.name, row.time_zone, row.currency, row.dates) == ("North Crew Ltd", "America/Halifax", "CA$", "month")
        last = HistoryEntry.objects.filter(action="company.changed").first()
        assert (last.before["name"], last.after["name"]) == ("North Crew", "North Crew Ltd")

    @pytest.mark.parametrize(("given", "field"), [({"time_zone": "Mars/Base"}, "time_zone"), ({"name": "  "}, "name")])
    def test_what_cannot_be_is_refused_at_its_field(self, lead, given, field):
        with pytest.raises(DomainError) as bad:
            company(lead, **given)
        assert bad.value.field == field

    def test_only_a_lead_sets_it(self, lead):
        with pytest.raises(NotAllowed):
            company(person(lead.organisation, "pip", "pilot"), currency="€")


class TestAnEmptyCompany:
    def test_is_led_through_in_order_and_left_alone_when_it_is_set_up(self, lead):
        def steps():
            lead.organisation.refresh_from_db()
            return {s.key: s.done for s in queries.today(lead).steps}

        assert steps() == dict.fromkeys(["company", "aircraft", "packs", "power", "field", "day"], False)
        company(lead, time_zone="Europe/Lisbon")
        assert steps()["company"]
        known = make_fleet(lead)
        assert steps() == dict.fromkeys(["company", "aircraft", "packs", "power"], True) | {"field": False, "day": False}
        job = make_job(lead, known)
        assert not steps()["day"]
        make_day(lead, known, [job])
        assert queries.today(lead).steps == []

    def test_a_step_leads_to_what_is_missing_first(self, lead):
        def href(key):
            return next(s.href for s in queries.today(lead).steps if s.key == key)

        assert href("aircraft") == "/fleet?of=pack-models&new"
        add_samples(actor=lead)
        assert href("aircraft") == "/fleet?of=aircraft&new"
        assert href("power") == "/fleet?of=chargers&new"
        add_thing(actor=lead, model=Charger, figures={"name": "C", "model_id": ChargerModel.objects.get().pk})
        assert href("power") == "/fleet?of=supplies&new"

    def test_sample_models_are_marked_and_never_stand_beside_ones_own(self, lead):
        own = add_thing(
            actor=lead, model=PackModel, figures={"name": "Own", "chemistry": "lipo", "cells": 12, "capacity_ah": 22.0}
        )
        made = {type(row): row for row in add_samples(actor=lead)}
        assert set(made) == {Camera, AircraftModel, ChargerModel, SupplyModel}
        assert made[AircraftModel].pack_model_id == own.pk
        assert all("put the figures of your maker in their place" in row.notes for row in made.values())
        with pytest.raises(DomainError, match="has a model already"):
            add_samples(actor=lead)

    def test_a_first_job_plans_with_the_samples_alone(self, lead):
        made = {type(row): row for row in add_samples(actor=lead)}
        pack = made[PackModel]
        for k in (1, 2):
            add_thing(actor=lead, model=Pack, figures={"name": f"0{k}", "model_id": pack.pk, "charge_frac": 1.0})
        known = {"Quad": made[AircraftModel], "Cam": made[Camera], "A1": None}
        craft = add_thing(
            actor=lead,
            model=Aircraft,
            figures={"name": "One", "model_id": made[AircraftModel].pk},
        )
        job = make_job(lead, known | {"A1": craft})
        assert plan_of(job).sorties

    def test_a_company_is_added_with_its_first_lead(self, db, monkeypatch):
        monkeypatch.setattr("sys.stdin", io.StringIO(f"{PASSWORD}\n"))
        call_command("add_company", "Own Crew", "vera", stdout=io.StringIO())
        user = User.objects.get(username="vera")
        assert (user.organisation.name, user.role, user.check_password(PASSWORD)) == ("Own Crew", "lead", True)
        for name, who, words in (("Own Crew", "nils", "already"), ("Other", "vera", "not taken")):
            with pytest.raises(CommandError, match=words):
                call_command("add_company", name, who)
        monkeypatch.setattr("sys.stdin", io.StringIO("short\n"))
        with pytest.raises(CommandError):
            call_command("add_company", "Third", "nils")
        assert not Organisation.objects.filter(name="Third").exists()


class TestToday:
    def test_names_the_next_days_as_they_are_planned_and_those_that_are_not(self, lead, fleet):
        job = make_job(lead, fleet)
        soon = (timezone.now() + timedelta(days=1)).date().isoformat()
        planned = make_day(lead, fleet, [job], date=soon, crew_ids=[lead.pk])
        make_day(lead, fleet, [job], date=soon, name="Not planned yet")
        days.plan_of(planned)
        found = {d.name: d for d in queries.today(lead).days}
        assert found["Field day"].sorties > 1
        assert found["Field day"].crew == [lead.full_name]
        assert found["Not planned yet"].sorties is None

    def test_a_running_day_is_shown_with_its_calls_and_their_owners_and_no_longer_as_a_coming_one(self, lead, fleet):
        day = make_today(lead, fleet, [make_job(lead, fleet)], ago_min=10)
        services.start_run(actor=lead, day_id=day.pk)
        found = queries.today(lead)
        assert found.running.name == day.name
        assert {c.owner for c in found.running.calls} <= {"pilot", "handler", "lead"}
        assert day.pk not in [d.id for d in found.days]
        now = timezone.now()
        flight = days.live_of(day).aircraft[0].next
        events = [
            {
                "key": "u",
                "kind": "launched",
                "at": now - timedelta(seconds=60),
                "figures": {"flight": flight, "set": "01"},
                "under": 1,
            },
            {"key": "e", "kind": "emergency", "at": now, "figures": {"flight": flight}, "under": 1},
        ]
        post_events(actor=lead, day_id=day.pk, device="t", device_now=now, events=events)
        assert f"Emergency: {flight}" in queries.today(lead).running.alerts

    def test_care_of_packs_that_fly_soon_comes_first(self, lead, fleet):
        found = queries.today(lead)
        assert found.due, "packs that nobody has tested"
        assert not any(d.urgent for d in found.due)
        soon = (timezone.now() + timedelta(days=1)).date().isoformat()
        packs = [{"pack_id": fleet["03"].pk, "start_frac": 0.6}]
        make_day(lead, fleet, [make_job(lead, fleet)], date=soon, packs=packs)
        first = queries.today(lead).due[0]
        assert (first.urgent, first.words.split(":")[0]) == (True, "03")
        assert "flies" in first.reason

    def test_nothing_of_another_company_is_seen(self, lead, fleet, stranger):
        make_job(lead, fleet, name="Secret quarry")
        with scope(organisation=stranger.organisation):
            assert queries.find(stranger, "Secret") == []
            assert queries.today(stranger).days == []


class TestFind:
    def test_finds_everything_that_has_a_name(self, lead, fleet):
        job = make_job(lead, fleet, name="Harbour wall")
        make_day(lead, fleet, [job], name="Harbour day")
        person(lead.organisation, "harbourmaster", "pilot")
        kinds = {f.kind: f for f in queries.find(lead, "harbour")}
        assert set(kinds) == {"Job", "Day", "Person"}
        assert kinds["Job"].href == f"/jobs/{job.pk}"
        assert {f.kind for f in queries.find(lead, "reserve")} == {"Setting"} or queries.find(lead, "storage")
        assert [f.words for f in queries.find(lead, "01") if f.kind == "Pack"] == ["01"]

    def test_one_letter_asks_for_too_much_and_archived_things_are_not_found(self, lead, fleet):
        assert queries.find(lead, " 0 ") == []
        Pack.objects.filter(name="01").update(archived_at=timezone.now())
        assert not [f for f in queries.find(lead, "01") if f.kind == "Pack"]

    def test_a_pack_is_found_by_its_serial(self, lead, fleet):
        Pack.objects.filter(name="02").update(serial="ZX-77-81")
        assert [f.words for f in queries.find(lead, "x-77")] == ["02"]


def test_records_do_not_make_a_pack_due_twice(lead, fleet):
    add_record(actor=lead, pack_id=fleet["01"].pk, kind="load test", figures={"cell_v": [3.97] * 6})
    assert [d.words.split(":")[0] for d in queries.today(lead).due].count("01") <= 1


def test_a_search_that_is_open_is_one_tap_away_until_it_ends(lead):
    from quarry.apps.search.services import add_search, end_search, set_search_archived

    row = add_search(actor=lead, name="Fell", what={"point": (7.1, 46.2)})
    away = add_search(actor=lead, name="Old", what={"point": (7.1, 46.2)})
    set_search_archived(actor=lead, search_id=away.pk, archived=True)
    assert [(i.words, i.href) for i in queries.today(lead).answers] == [("Search Fell is open", f"/searches/{row.pk}")]
    end_search(actor=lead, search_id=row.pk)
    assert queries.today(lead).answers == []
