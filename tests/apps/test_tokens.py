"""Tokens for programs: what each scope opens, when one ends, and that no secret is kept."""

import json
import uuid
from datetime import timedelta

import pytest
from django.test import Client
from django.utils import timezone
from django_scopes import scope, scopes_disabled

from quarry.apps.accounts import services
from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import ApiToken
from quarry.apps.accounts.permissions import NotAllowed
from quarry.apps.day.models import DayTelemetry
from quarry.apps.day.services import start_run
from tests.factories import Web, history_of, make_day, person


def program(secret):
    """Return a function with which a program asks."""

    def ask(method, path, body=None):
        data = json.dumps(body) if body is not None else ""
        head = {"Authorization": f"Bearer {secret}"}
        return Client().generic(method, f"/api{path}", data, "application/json", headers=head)

    return ask


def made(actor, what, **more):
    return services.make_token(actor=actor, name=f"for {what}", scope=what, days=30, **more)


@pytest.fixture
def run(lead, day):
    return start_run(actor=lead, day_id=day.pk, how="planned")


def test_telemetry_is_reported_and_nothing_else_opened(run, lead, day, fleet, job):
    ask = program(made(lead, "telemetry")[1])
    about = ask("GET", "/token").json()
    assert (about["scope"], [d["id"] for d in about["running"]]) == ("telemetry", [str(day.pk)])
    now = timezone.now().isoformat()
    told = {"device_now": now, "readings": [], "ports": [{"port": 1, "at": now, "pack_v": 24.1, "into_a": 8.0}]}
    assert ask("POST", f"/days/{day.pk}/telemetry", told).status_code == 204
    assert DayTelemetry.objects.get(day=day).figures["into_a"] == 8.0
    assert ask("GET", f"/days/{day.pk}/live").status_code == 200
    for method, path in (
        ("GET", f"/days/{day.pk}"),
        ("GET", "/packs"),
        ("POST", f"/days/{day.pk}/close"),
        ("DELETE", f"/days/{day.pk}/live"),
        ("GET", "/people"),
        ("POST", "/tokens"),
        ("POST", "/me/password"),
        ("GET", "/stream"),
    ):
        refused = ask(method, path, {} if method == "POST" else None)
        assert (refused.status_code, refused.json()["code"]) == (403, "outside_scope"), path


def test_a_token_of_one_day_opens_that_day_alone(run, lead, day, fleet, job):
    other = make_day(lead, fleet, [job], date="2027-05-05", time_zone="UTC", opens="08:00", closes="18:00", pauses=[])
    ask = program(made(lead, "telemetry", day_id=day.pk)[1])
    assert ask("GET", f"/days/{day.pk}/live").status_code == 200
    assert ask("GET", f"/days/{other.pk}/live").status_code == 403
    assert ask("GET", f"/days/{uuid.uuid4()}/live").status_code == 403


def test_reading_opens_every_list_and_changes_nothing(run, lead, day, job):
    ask = program(made(lead, "read")[1])
    for path in ("/packs", "/jobs", f"/jobs/{job.pk}", "/days", "/logbook", "/today", "/limits", "/fleet"):
        assert ask("GET", path).status_code == 200, path
    assert ask("DELETE", f"/jobs/{job.pk}").status_code == 403
    for path in ("/me", "/me/sessions", "/people", "/tokens", "/history", "/history.csv"):
        assert ask("GET", path).status_code == 403, path


def test_logs_are_imported_and_asked_after(lead):
    ask = program(made(lead, "logs")[1])
    assert ask("POST", "/logbook/imports", {}).status_code in (400, 422), "reached, but no file was sent"
    assert ask("GET", f"/logbook/imports/{uuid.uuid4()}").status_code == 404
    assert ask("GET", "/logbook").status_code == 403


def test_it_ends_at_once_where_it_is_revoked(lead, run):
    token, secret = made(lead, "read")
    assert program(secret)("GET", "/packs").status_code == 200
    services.revoke_token(actor=lead, token_id=token.pk)
    refused = program(secret)("GET", "/packs")
    assert (refused.status_code, refused.json()["code"]) == (401, "bad_token")
    assert [h.action for h in history_of(lead, "token", token.pk)] == ["token.revoked", "token.made"]


def test_it_ends_with_its_time_and_with_the_access_of_who_made_it(org, lead):
    second = person(org, "second", "lead")
    token, secret = made(second, "read")
    assert program(secret)("GET", "/packs").status_code == 200
    services.change_person(actor=lead, person_id=second.pk, change=services.PersonChange(active=False))
    assert program(secret)("GET", "/packs").status_code == 401
    services.change_person(actor=lead, person_id=second.pk, change=services.PersonChange(active=True))
    assert program(secret)("GET", "/packs").status_code == 200
    ApiToken.objects.filter(pk=token.pk).update(expires_at=timezone.now() - timedelta(seconds=1))
    assert program(secret)("GET", "/packs").status_code == 401


def test_a_person_beside_it_does_not_make_a_bad_token_good(web):
    for credentials in ("gqt_nonsense", "gqt_", "", "x.y.z", "é"):
        answer = web.client.get("/api/packs", headers={"Authorization": f"Bearer {credentials}"})
        assert answer.status_code == 401, credentials
    assert web.get("/packs").status_code == 200


def test_only_a_digest_is_kept_and_use_is_seen(web, lead):
    answer = web.post("/tokens", {"name": "van", "scope": "read", "days": 5}).json()
    secret = answer["secret"]
    kept = ApiToken.objects.get()
    assert secret not in str(vars(kept))
    assert secret.startswith(kept.hint)
    assert answer["token"]["used_at"] is None
    program(secret)("GET", "/packs")
    (listed,) = web.get("/tokens").json()
    assert listed["used_at"] is not None
    assert listed["good"] is True
    assert "digest" not in listed


def test_tokens_are_the_leads_and_the_companys_own(org, lead, stranger):
    token, _ = made(lead, "read")
    with pytest.raises(NotAllowed):
        made(person(org, "otto", "pilot"), "read")
    with scope(organisation=stranger.organisation), pytest.raises(DomainError) as bad:
        services.revoke_token(actor=stranger, token_id=token.pk)
    assert bad.value.code == "not_found"
    with scopes_disabled():
        assert ApiToken.objects.get().revoked_at is None


def test_a_foreign_day_does_not_open_by_a_token(run, day, stranger):
    with scope(organisation=stranger.organisation):
        _, secret = made(stranger, "telemetry")
    assert program(secret)("GET", f"/days/{day.pk}/live").status_code == 404
    assert Web(Client()).get(f"/days/{day.pk}/live").status_code == 401
