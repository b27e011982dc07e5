"""What the server takes and holds: bodies are bounded while they stream, no link is held while computing, no constant secret."""

import asyncio
import json
import os
import subprocess
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from django.db import InterfaceError, OperationalError, connection
from django.http import HttpResponse

from quarry.apps.jobs import mappers
from quarry.project.bodies import BoundedBodies, most_bytes
from quarry.project.middleware import BoundedReads
from quarry.project.settings import _database
from tests.factories import job_plan, person

ROOT = Path(__file__).parents[2]
CHUNK = b"x" * 65_536


def post(path, *, chunks, headers=()):
    """Send chunks without a length to an application that reads all of them; returns (status, body, chunks taken)."""
    sent, answer = [], {}

    async def receive():
        sent.append(1)
        return {"type": "http.request", "body": CHUNK, "more_body": len(sent) < chunks}

    async def send(message):
        answer.setdefault("status", message.get("status"))
        answer["body"] = answer.get("body", b"") + message.get("body", b"")

    async def app(_scope, receive, send):
        while (await receive())["more_body"]:
            pass
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": b"taken"})

    scope = {"type": "http", "path": path, "headers": list(headers)}
    # In a thread of its own: the driver of the browser tests keeps a loop in this one.
    with ThreadPoolExecutor(1) as apart:
        apart.submit(asyncio.run, BoundedBodies(app)(scope, receive, send)).result()
    return answer["status"], answer["body"], len(sent)


def test_a_body_without_end_is_refused_after_what_the_address_takes():
    status, body, taken = post("/api/session", chunks=20_000)
    assert (status, json.loads(body)["code"]) == (413, "too_large")
    assert taken <= 2, "64 kB and not 1.3 GB were read"
    cookie = [(b"cookie", b"sessionid=x")]
    assert post("/api/jobs", chunks=20_000, headers=cookie)[0] == 413
    assert post("/api/logbook/imports", chunks=20_000)[2] <= 2, "who is nobody sends no log"
    assert post("/api/logbook/imports", chunks=100, headers=cookie)[0] == 200


def test_a_length_that_is_too_large_or_none_is_refused_unread():
    for told in (b"1500000000", b"-1", b"many"):
        status, _, taken = post("/api/session", chunks=2, headers=[(b"content-length", told)])
        assert (status, taken) == (413, 0)


def test_every_address_that_takes_a_file_takes_what_its_service_takes(settings):
    assert most_bytes("/api/jobs/boundary", known=True) > settings.UPLOAD_MOST_BYTES
    assert most_bytes("/api/terrains", known=True) > settings.TABLE_MOST_BYTES
    assert most_bytes("/api/packs/tables", known=True) > settings.TABLE_MOST_BYTES
    assert most_bytes("/api/logbook/imports", known=True) > settings.LOG_MOST_BYTES


@pytest.mark.parametrize("key", [None, "", "short", "not-for-serving"])
def test_it_refuses_to_serve_without_a_secret_of_its_own(key):
    env = {k: v for k, v in os.environ.items() if k != "QUARRY_SECRET_KEY"} | (
        {"QUARRY_SECRET_KEY": key} if key is not None else {}
    )
    done = subprocess.run(
        [sys.executable, "-c", "import quarry.project.asgi"], cwd=ROOT, env=env, capture_output=True, text=True, check=False
    )
    assert done.returncode != 0
    assert "Set QUARRY_SECRET_KEY to a secret of at least 40 characters" in done.stderr


def test_no_secret_is_constant():
    code = "from quarry.project import settings; print(settings.SECRET_KEY)"
    env = {k: v for k, v in os.environ.items() if k != "QUARRY_SECRET_KEY"}
    keys = {subprocess.run([sys.executable, "-c", code], cwd=ROOT, env=env, capture_output=True, check=True).stdout for _ in "ab"}
    assert len(keys) == 2


def test_a_question_to_the_database_has_an_end_where_it_is_served(monkeypatch):
    monkeypatch.setenv("QUARRY_STATEMENT_TIMEOUT_S", "20")
    assert "statement_timeout=20s" in _database("postgresql://a:b@c/d")["OPTIONS"]["options"]
    code = "import quarry.project.asgi, os; print(os.environ['QUARRY_STATEMENT_TIMEOUT_S'])"
    env = {k: v for k, v in os.environ.items() if k != "QUARRY_STATEMENT_TIMEOUT_S"} | {"QUARRY_SECRET_KEY": "k" * 50}
    assert (
        subprocess.run(
            [sys.executable, "-c", code], cwd=ROOT, env=env, capture_output=True, text=True, check=False
        ).stdout.strip()
        == "20"
    )


@pytest.mark.django_db(transaction=True)
def test_a_plan_is_worked_out_without_a_link_to_the_database(lead, job, monkeypatch):
    held = []
    real = mappers.plan_job

    def watched(*args):
        held.append(connection.connection is not None)
        return real(*args)

    monkeypatch.setattr(mappers, "plan_job", watched)
    assert job_plan(job)["sorties"]
    assert held == [False]


@pytest.mark.django_db(transaction=True)
def test_a_log_is_read_without_a_link_to_the_database(lead, fleet, monkeypatch):
    from quarry.apps.logbook import mappers as logs
    from quarry.apps.logbook.importer import begin_import, run_import
    from quarry.apps.logbook.models import Flight

    held = []
    real = logs.flights_of

    def watched(*args):
        held.append((connection.connection is not None, connection.in_atomic_block))
        return real(*args)

    monkeypatch.setattr(logs, "flights_of", watched)
    log = next(p for p in sorted((ROOT / "tests" / "samples" / "logs").iterdir()) if p.suffix == ".csv")
    run_import(begin_import(actor=lead, name=log.name, data=log.read_bytes()).pk)
    assert held == [(False, False)]
    assert Flight.objects.exists()


@pytest.mark.parametrize("broken", [OperationalError("the link is gone"), InterfaceError("closed")])
def test_a_database_that_is_away_when_one_is_looked_up_answers_as_any_refusal(lead, client, monkeypatch, broken):
    """Before a route is reached too: a page of words in the place of JSON is nothing that a screen can tell."""
    from django.contrib.sessions.backends.db import SessionStore

    client.force_login(lead)
    client.raise_request_exception = False

    def fails(self):
        raise broken

    monkeypatch.setattr(SessionStore, "load", fails)
    answer = client.get("/api/packs")
    assert (answer.status_code, answer["Content-Type"], answer["Retry-After"]) == (503, "application/problem+json", "5")
    assert answer.json()["code"] == "away"


def test_whatever_else_fails_there_is_told_in_the_same_form(lead, client, monkeypatch):
    from django.contrib.sessions.backends.db import SessionStore

    client.force_login(lead)
    client.raise_request_exception = False
    monkeypatch.setattr(SessionStore, "load", lambda self: 1 / 0)
    answer = client.get("/api/packs")
    assert (answer.status_code, answer["Content-Type"]) == (500, "application/problem+json")


class TestTurns:
    """What takes long keeps neither the rest waiting nor a link to the database."""

    @pytest.fixture
    def door(self, lead, org, settings, rf):
        settings.WORK_AT_ONCE, settings.WORK_AT_ONCE_OF_ONE, settings.WORK_WAIT_S = 2, 1, 0.4
        go, inside = threading.Event(), []

        def slow(request):
            inside.append(request.path)
            if request.path.endswith("/claims"):
                go.wait(20)
            return HttpResponse("done")

        made = BoundedReads(slow)

        def ask(path, user):
            request = rf.get(path)
            request.user = user
            return made(request)

        with ThreadPoolExecutor(8) as pool:
            yield lambda path, user: pool.submit(ask, path, user), inside, go
            go.set()

    def test_one_person_does_not_keep_others_waiting_and_short_questions_go_past(self, door, lead, org):
        ask, inside, go = door
        otto = person(org, "otto")
        busy = [ask("/api/logbook/claims", lead) for _ in range(3)]
        assert ask("/api/packs", otto).result(5).status_code == 200
        for path in ("/api/me", "/api/days/x/live", "/api/days/x/events", "/api/session"):
            assert ask(path, lead).result(5).status_code == 200, path
        assert inside.count("/api/logbook/claims") == 1, "one at a time of one person"
        refused = [f.result(5) for f in busy[1:]]
        assert [(r.status_code, r["Content-Type"], r["Retry-After"]) for r in refused] == [
            (503, "application/problem+json", "5")
        ] * 2
        go.set()
        assert busy[0].result(5).status_code == 200

    def test_all_together_are_bounded_and_each_gets_its_turn(self, door, lead, org, settings):
        ask, inside, go = door
        settings.WORK_WAIT_S = 20
        people = [lead, *(person(org, f"p{k}") for k in range(4))]
        waiting = [ask("/api/logbook/claims", p) for p in people]
        time.sleep(0.3)
        assert inside.count("/api/logbook/claims") == 2
        go.set()
        assert [f.result(5).status_code for f in waiting] == [200] * 5

    def test_an_error_gives_the_turn_back(self, lead, settings, rf):
        settings.WORK_AT_ONCE, settings.WORK_AT_ONCE_OF_ONE, settings.WORK_WAIT_S = 1, 1, 0.1

        def fails(request):
            raise ZeroDivisionError

        door = BoundedReads(fails)
        for _ in range(3):
            request = rf.get("/api/packs")
            request.user = lead
            with pytest.raises(ZeroDivisionError):
                door(request)
        assert door._people == {}
