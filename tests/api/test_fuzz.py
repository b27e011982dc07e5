"""A few calls of every writing operation with made-up and hostile parts; `make fuzz` sends thousands to the served house."""

import json
import warnings

import pytest

from bench.fuzz import Fuzzer
from quarry.api.api import api
from tests.api.test_routes import assert_problem


@pytest.fixture
def fuzzer(web, fleet, job, day):
    document = json.loads(json.dumps(api.get_openapi_schema()))

    def send(method, path, headers, body):
        answer = web.client.generic(method, path, body, content_type=headers["Content-Type"])
        return answer.status_code, answer.get("Content-Type", ""), answer.content

    made = Fuzzer(document, send, seed=5)
    for path in ("/api/jobs", "/api/days", "/api/packs", "/api/fleet"):
        made.learn(web.client.get(path).content, path)
    return made


def test_nothing_that_is_sent_breaks_the_server_or_is_refused_without_a_word(fuzzer):
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        for operation in fuzzer.operations():
            if operation.method.upper() in ("POST", "PUT", "PATCH"):
                fuzzer.run(operation, 2)
    assert fuzzer.outcome.calls > 100
    assert fuzzer.outcome.bad == {}
    assert {"job_id", "day_id", "pack_id"} <= set(fuzzer.ids), "ids that exist were mixed in"


@pytest.mark.parametrize(
    ("field", "value"),
    [("name", "a\x00b"), ("date", "9999-12-31"), ("date", "0001-01-01"), ("name", "x" * 2_000_000), ("version", 2**70)],
    ids=["NUL", "last day", "first day", "2 MB", "2 to the 70"],
)
def test_what_cannot_be_kept_is_refused_at_its_field(web, day, field, value):
    answer = web.get(f"/days/{day.pk}").json()
    body = {
        "version": 1,
        "day": {k: v for k, v in answer["day"].items() if k not in ("id", "version", "archived", "changed_at", "running")},
    }
    (body if field == "version" else body["day"])[field] = value
    refused = assert_problem(web.put(f"/days/{day.pk}", body), 422)
    assert refused["field"].endswith(field)


@pytest.mark.parametrize("kind", ["multipart/form-data", "multipart/form-data; boundary=" + "x" * 300])
def test_a_form_without_a_boundary_is_refused_in_words(web, kind):
    answer = web.client.generic("POST", "/api/logbook/imports", b"--x\r\n\r\n--x--", content_type=kind)
    assert_problem(answer, 400, "unreadable")


def test_a_database_that_is_away_is_said_with_when_to_try_again(web, monkeypatch):
    from django.db import OperationalError

    def away(*_, **__):
        raise OperationalError("the server closed the connection unexpectedly")

    monkeypatch.setattr("quarry.apps.logbook.queries.totals", away)
    answer = web.get("/logbook/totals")
    assert_problem(answer, 503, "away")
    assert int(answer["Retry-After"]) > 0


def test_a_moment_at_the_end_of_the_calendar_is_refused(web, job):
    for at in ("9999-12-31T23:59:59Z", "0001-01-01T00:00:00+14:00"):
        assert_problem(web.get(f"/jobs/{job.pk}/air", at=at), 422)
