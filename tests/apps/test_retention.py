"""What a company keeps no longer goes, and nothing else; a person is anonymised and what was done stays."""

from datetime import timedelta
from pathlib import Path

import pytest
from django.db import DatabaseError, connection, transaction
from django.utils import timezone
from django_scopes import scope

from quarry.apps.accounts import retention, services
from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import note_sign_in, record
from quarry.apps.accounts.models import HistoryEntry
from quarry.apps.accounts.permissions import NotAllowed
from quarry.apps.background import tidy
from quarry.apps.day.models import Day, DayEvent
from quarry.apps.logbook.importer import begin_import, run_import
from quarry.apps.logbook.models import Flight, FlightSamples, LogData
from tests.factories import history_of, person

LOGS = Path(__file__).parents[1] / "samples" / "logs"


def aged(rows, days, field="at"):
    """Make rows older, as only a company's own erasing can."""
    company = rows.first().organisation
    with retention.erasing(company):
        rows.update(**{field: timezone.now() - timedelta(days=days)})


def kept(company, name, **chosen):
    return next(k for k in retention.kept_by(company, chosen or None) if k.name == name)


def test_nothing_goes_unless_it_was_chosen(org, lead):
    note_sign_in(person=lead, address="10.0.0.7")
    aged(HistoryEntry.objects.all(), 4000)
    tidy()
    assert HistoryEntry.objects.count() == 1


def test_what_is_older_goes_and_is_counted_beforehand(org, lead, stranger):
    for days in (10, 100, 400):
        note_sign_in(person=lead, address="10.0.0.7")
        aged(HistoryEntry.objects.filter(pk=HistoryEntry.objects.order_by("-pk").first().pk), days)
    record(actor=lead, action="pack.changed", row=lead, label="01")
    with scope(organisation=stranger.organisation):
        note_sign_in(person=stranger, address="10.0.0.8")
        aged(HistoryEntry.objects.all(), 400)
    look = kept(org, "sign_ins", sign_ins=90)
    assert (look.days, look.due) == (90, 2)
    assert HistoryEntry.objects.count() == 4, "looking changes nothing"
    services.set_retention(actor=lead, days={"sign_ins": 90})
    assert tidy()["what companies keep no longer"] == 2
    assert sorted(HistoryEntry.objects.values_list("action", flat=True)) == [
        "company.retention_set",
        "pack.changed",
        "session.opened",
    ]
    with scope(organisation=stranger.organisation):
        assert HistoryEntry.objects.count() == 1, "another company chose nothing"
    services.set_retention(actor=lead, days={"sign_ins": None})
    org.refresh_from_db()
    assert org.retention == {}


@pytest.mark.parametrize(("days", "field"), [({"sign_ins": 3}, "sign_ins"), ({"moon": 90}, "days")])
def test_too_short_and_unknown_are_refused(lead, days, field):
    with pytest.raises(DomainError) as bad:
        services.set_retention(actor=lead, days=days)
    assert bad.value.field == field


def test_it_is_the_leads_to_choose(org, web):
    with pytest.raises(NotAllowed):
        services.set_retention(actor=person(org, "otto", "pilot"), days={"sign_ins": 90})
    assert {k["name"] for k in web.get("/company/retention").json()} == {
        "changes",
        "log_files",
        "places_told",
        "log_samples",
        "rehearsals",
        "sign_ins",
    }
    looked = web.post("/company/retention/look", {"days": {"changes": 365}}).json()
    assert next(k for k in looked if k["name"] == "changes")["days"] == 365
    assert web.get("/company/retention").json()[0]["days"] is None


def test_samples_and_files_of_logs_go_and_their_flights_stay(web, lead, fleet):
    log = next(p for p in sorted(LOGS.iterdir()) if p.suffix == ".csv")
    run_import(begin_import(actor=lead, name=log.name, data=log.read_bytes()).pk)
    flights, files = Flight.objects.count(), LogData.objects.count()
    assert flights > 0
    assert files > 0
    assert kept(lead.organisation, "log_samples", log_samples=30).due == flights, "flown long ago"
    before = web.get("/logbook/claims").json()
    services.set_retention(actor=lead, days={"log_samples": 30, "log_files": 30})
    tidy()
    assert (Flight.objects.count(), FlightSamples.objects.count(), LogData.objects.count()) == (flights, 0, 0)
    flight = Flight.objects.first()
    assert web.get(f"/logbook/flights/{flight.pk}").status_code == 200
    for path in (f"/logbook/flights/{flight.pk}/samples", f"/logbook/flights/{flight.pk}/samples.csv"):
        gone = web.get(path)
        assert (gone.status_code, gone.json()["code"]) == (410, "let_go"), path
    assert web.get("/logbook/claims").json() == before, "what was worked out stands"
    assert web.get(f"/logbook/files/{flight.file_id}").status_code == 200
    said = {"columns": [{"header": "t", "quantity": "time_s", "unit": "s"}]}
    again = web.put(f"/logbook/files/{flight.file_id}/columns", said)
    assert 400 <= again.status_code < 500, "it cannot be read anew, and says so"


def test_rehearsals_go_with_their_events_and_the_days_stay(lead, day):
    from quarry.apps.day.models import DayRun
    from quarry.apps.day.services import begin_rehearsal, close_run
    from tests.factories import post_events

    played = begin_rehearsal(actor=lead, day_id=day.pk, speed=30, by_hand=True, seed=1, faults=[])
    now = timezone.now()
    note = [{"key": "k", "kind": "note", "at": now, "figures": {"words": "sheep"}}]
    post_events(actor=lead, day_id=played, device="t", device_now=now, events=note)
    close_run(actor=lead, day_id=played)
    events = DayEvent.objects.filter(day_id=played).count()
    assert events > 0
    DayRun.objects.filter(day_id=played).update(started_at=now - timedelta(days=60))
    services.set_retention(actor=lead, days={"rehearsals": 30})
    tidy()
    assert list(Day.objects.values_list("pk", flat=True)) == [day.pk]
    assert not DayEvent.objects.exists()


class TestAnonymising:
    @pytest.fixture
    def gone(self, org, lead):
        otto, _ = services.add_person(actor=lead, username="otto", full_name="Otto Olsen", role="pilot", email="o@crew.example")
        note_sign_in(person=otto, address="10.0.0.7")
        record(actor=otto, action="job.changed", row=org, label="North field", after={"name": "North field"})
        services.change_person(actor=lead, person_id=otto.pk, change=services.PersonChange(active=False))
        return otto

    def test_name_and_address_go_and_what_was_done_stays(self, lead, gone):
        services.anonymise_person(actor=lead, person_id=gone.pk)
        gone.refresh_from_db()
        assert (gone.username, gone.full_name, gone.email) == (f"person-{gone.pk}", "", "")
        everything = str(list(HistoryEntry.objects.values()))
        assert "otto" not in everything.lower()
        assert "o@crew" not in everything
        work = HistoryEntry.objects.get(action="job.changed")
        assert (work.actor_id, work.label, work.after) == (gone.pk, "North field", {"name": "North field"})
        assert history_of(lead, "person", gone.pk)[0].action == "person.anonymised"
        added = HistoryEntry.objects.get(action="person.added")
        assert added.after == {"role": "pilot", "active": True}

    def test_who_still_has_access_is_not_anonymised(self, org, lead):
        with pytest.raises(DomainError, match="access away first"):
            services.anonymise_person(actor=lead, person_id=person(org, "nils").pk)

    def test_afterwards_history_only_grows_again(self, org, lead, gone):
        services.anonymise_person(actor=lead, person_id=gone.pk)
        with pytest.raises(DatabaseError, match="only ever added to"), transaction.atomic():
            HistoryEntry.objects.all().delete()

    def test_naming_one_company_opens_no_other(self, org, lead, stranger):
        with scope(organisation=stranger.organisation):
            note_sign_in(person=stranger, address="10.0.0.8")
            with pytest.raises(DatabaseError, match="only ever added to"), retention.erasing(org):
                HistoryEntry.objects.all().delete()

    def test_a_line_cannot_be_moved_to_another_company(self, org, lead, stranger):
        record(actor=lead, action="x.done", row=org, label="x")
        with pytest.raises(DatabaseError, match="only ever added to"), retention.erasing(org):
            HistoryEntry.objects.all().update(organisation=stranger.organisation)


def test_tables_that_history_rests_on_cannot_be_emptied(served_tables):
    for table in ("accounts_historyentry", "care_packrecord", "day_dayevent"):
        with pytest.raises(DatabaseError, match="only ever added to"), transaction.atomic(), connection.cursor() as cursor:
            cursor.execute(f"TRUNCATE {table} CASCADE")


@pytest.fixture
def served_tables(db):
    """Put back for a moment what the tests of other files have to do without (see conftest)."""
    with connection.cursor() as cursor:
        for table in ("accounts_historyentry", "care_packrecord", "day_dayevent"):
            cursor.execute(
                f"CREATE TRIGGER tried BEFORE TRUNCATE ON {table} FOR EACH STATEMENT EXECUTE FUNCTION history_only_grows()"
            )
