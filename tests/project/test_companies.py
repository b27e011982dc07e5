"""A company as a whole: out, gone, back in and equal; damaged, foreign and doubled archives refused; other companies untouched."""

import json
import zipfile
from datetime import timedelta
from pathlib import Path

import pytest
from allauth.mfa.models import Authenticator
from allauth.usersessions.models import UserSession
from django.test import Client
from django.utils import timezone
from django_scopes import scope, scopes_disabled

from quarry.apps.accounts import services as accounts
from quarry.apps.accounts.models import ApiToken, HistoryEntry, Organisation, User
from quarry.apps.day import services
from quarry.apps.logbook import importer
from quarry.apps.logbook.models import FlightSamples
from quarry.apps.weather.models import Reading
from quarry.project import companies
from tests.factories import Web, add_reading, make_terrain, person

LOG = Path(__file__).parents[1] / "samples" / "logs"


@pytest.fixture
def rich(org, lead, fleet, job, day, stranger):
    """A company with some of everything, and another beside it."""
    otto = person(org, "otto", "pilot")
    accounts.change_person(actor=lead, person_id=otto.pk, change=accounts.PersonChange(email="otto@crew.example", role="handler"))
    accounts.make_token(actor=lead, name="van", scope="read", days=3)
    make_terrain(lead)
    day.crew.add(otto, lead)
    services.start_run(actor=lead, day_id=day.pk, how="planned")
    events = [
        services.PostedEvent(f"k{k}", "note", timezone.now() + timedelta(seconds=k), {"words": f"sheep {k} ñ"}) for k in range(7)
    ]
    services.post_events(actor=otto, day_id=day.pk, device="tablet", device_now=timezone.now(), events=events, unreadable=[])
    name = next(p for p in sorted(LOG.iterdir()) if p.suffix == ".csv")
    row = importer.begin_import(actor=lead, name=name.name, data=name.read_bytes())
    importer.run_import(row.pk)
    client = Client()
    client.force_login(lead)
    Authenticator.objects.create(user=lead, type="totp", data={"secret": "x"})
    return org


def written(company, path):
    companies.write(company, path)
    return path.read_bytes()


def test_out_gone_and_in_again_is_equal_byte_for_byte(rich, lead, day, tmp_path):
    before = companies.rows_of(rich)
    full = {t for t, n in before.rows.items() if n}
    assert {"day.dayevent", "accounts.historyentry", "care.packrecord", "jobs.terrain"} <= full
    first = written(rich, tmp_path / "a.zip")
    shown = day_of(lead, day)
    companies.delete(rich)
    assert not Organisation.objects.filter(pk=rich.pk).exists()
    assert not User.objects.filter(username__in=("lena", "otto")).exists()
    back = companies.read(tmp_path / "a.zip")
    assert companies.rows_of(back) == before
    assert written(back, tmp_path / "b.zip") == first
    with scope(organisation=back):
        again = User.objects.get(username="lena")
        assert not again.check_password("a-long-enough-one")
        assert again.first_password
        assert again.pk != lead.pk, "people got new numbers, and all that points to them followed"
        assert {p.username for p in day.__class__.objects.get(pk=day.pk).crew.all()} == {"lena", "otto"}
        again.first_password = False
        again.save()
        assert day_of(again, day) == shown
        lines = HistoryEntry.objects.filter(thing="person", action="person.changed")
        assert [h.thing_id for h in lines] == [str(User.objects.get(username="otto").pk)]


def day_of(user, day):
    """Return a day as its screen shows it, but for the numbers of its crew."""
    shown = Web(client_of(user)).get(f"/days/{day.pk}").json()
    crew = shown["day"].pop("crew_ids")
    return shown | {"crew": len(crew)}


def client_of(user):
    client = Client()
    client.force_login(user)
    return client


def test_what_signs_in_stays_behind(rich, lead, tmp_path):
    path = tmp_path / "a.zip"
    companies.write(rich, path)
    with zipfile.ZipFile(path) as archive:
        everything = b"".join(archive.read(n) for n in archive.namelist())
        manifest = json.loads(archive.read("manifest.json"))
    for secret in (lead.password, ApiToken.objects.get().digest, *UserSession.objects.values_list("session_key", flat=True)):
        assert str(secret).encode() not in everything
    assert "accounts.apitoken" not in manifest["tables"]
    assert manifest["left_out"] == ["passwords", "second steps", "sessions", "tokens"]
    companies.delete(rich)
    assert not Authenticator.objects.exists()


def test_samples_are_parquet_that_others_read(rich, tmp_path):
    import polars

    path = tmp_path / "a.zip"
    companies.write(rich, path)
    with zipfile.ZipFile(path) as archive:
        tables = [n for n in archive.namelist() if n.endswith(".data.parquet")]
        assert len(tables) == FlightSamples.objects.count() > 0
        assert polars.read_parquet(archive.open(tables[0])).height > 10


def test_another_company_is_neither_written_nor_deleted(rich, stranger, tmp_path):
    with scope(organisation=stranger.organisation):
        accounts.add_person(actor=stranger, username="olga", full_name="Olga of the South", role="pilot")
        add_reading(actor=stranger, lon=7.0, lat=46.0, figures={"wind_m_s": 3.0})
        count = companies.rows_of(stranger.organisation)
    path = tmp_path / "a.zip"
    companies.write(rich, path)
    assert b"olga" not in b"".join(zipfile.ZipFile(path).read(n) for n in zipfile.ZipFile(path).namelist())
    companies.delete(rich)
    assert companies.rows_of(stranger.organisation) == count
    with scopes_disabled():
        assert Reading.objects.count() == 1


def rewritten(source, target, change):
    with zipfile.ZipFile(source) as old, zipfile.ZipFile(target, "w") as new:
        for name in old.namelist():
            data = change(name, old.read(name))
            if data is not None:
                new.writestr(name, data)
    return target


DAMAGES = {
    "a row changed": (lambda n, d: d.replace(b"otto", b"eve_") if n.endswith("user.jsonl") else d, "is damaged"),
    "a table missing": (lambda n, d: None if n.endswith("user.jsonl") else d, "missing"),
    "another format": (lambda n, d: d.replace(b'"format": 1', b'"format": 9') if n == "manifest.json" else d, "another format"),
    "another schema": (
        lambda n, d: d.replace(b'"username": "Char', b'"user_name": "Char') if n == "manifest.json" else d,
        "not as here",
    ),
    "no manifest": (lambda n, d: None if n == "manifest.json" else d, "no archive of a company"),
    "a manifest that is none": (lambda n, d: b"[" if n == "manifest.json" else d, "no archive of a company"),
}


@pytest.mark.parametrize(("change", "words"), DAMAGES.values(), ids=DAMAGES)
def test_a_damaged_archive_changes_nothing(rich, tmp_path, change, words):
    path = tmp_path / "a.zip"
    companies.write(rich, path)
    companies.delete(rich)
    bad = rewritten(path, tmp_path / "bad.zip", change)
    with pytest.raises(companies.ArchiveError, match=words):
        companies.read(bad)
    assert not Organisation.objects.filter(pk=rich.pk).exists()
    assert companies.read(path).pk == rich.pk, "the good one still goes in"


def test_what_is_no_archive_is_refused(db, tmp_path):
    path = tmp_path / "a.zip"
    path.write_bytes(b"nonsense")
    with pytest.raises(companies.ArchiveError, match="no archive of a company"):
        companies.read(path)


def test_what_is_here_already_is_not_doubled(rich, tmp_path):
    path = tmp_path / "a.zip"
    companies.write(rich, path)
    with pytest.raises(companies.ArchiveError, match="on this server already"):
        companies.read(path)
    companies.delete(rich)
    other = Organisation.objects.create(name="north crew")
    with pytest.raises(companies.ArchiveError, match="Rename that one first"):
        companies.read(path)
    User.objects.create(username="else", email="OTTO@crew.example", organisation=other)
    Organisation.objects.filter(pk=other.pk).update(name="Other")
    with pytest.raises(companies.ArchiveError, match=r"signs in with otto@crew\.example already"):
        companies.read(path)
    assert not Organisation.objects.filter(pk=rich.pk).exists()
