"""What is told to who watches: figures with a token, lines of the log with their request and company, slow queries."""

import json
import logging

import pytest
from django.db import connection

from quarry.project import logs


def value_of(text, name, **labels):
    """Return a figure of the text form of Prometheus."""
    for line in text.splitlines():
        if line.startswith(name) and all(f'{k}="{v}"' in line for k, v in labels.items()):
            return float(line.rsplit(" ", 1)[1])
    return None


def test_figures_are_read_with_a_token_alone(web, monkeypatch):
    assert web.client.get("/metrics").status_code == 404
    monkeypatch.setenv("QUARRY_METRICS_TOKEN", "of-the-watcher")
    assert web.client.get("/metrics").status_code == 401
    assert web.client.get("/metrics", headers={"Authorization": "Bearer of-another"}).status_code == 401
    answer = web.client.get("/metrics", headers={"Authorization": "Bearer of-the-watcher"})
    assert answer.status_code == 200
    assert answer["Content-Type"].startswith("text/plain")


def test_requests_are_counted_by_route_and_the_queue_as_it_stands(web, job, monkeypatch):
    monkeypatch.setenv("QUARRY_METRICS_TOKEN", "of-the-watcher")

    def read():
        return web.client.get("/metrics", headers={"Authorization": "Bearer of-the-watcher"}).content.decode()

    route = {"route": "api/jobs/<job_id>", "status": "200", "method": "GET"}
    before = value_of(read(), "quarry_request_seconds_count", **route) or 0
    web.get(f"/jobs/{job.pk}")
    text = read()
    assert value_of(text, "quarry_request_seconds_count", **route) == before + 1
    with connection.cursor() as cursor:
        cursor.execute("INSERT INTO procrastinate_jobs (queue_name, task_name, args) VALUES ('tables', 'read_logs_in', '{}')")
    assert (
        value_of(read(), "quarry_queue_waiting", queue="tables")
        == (value_of(text, "quarry_queue_waiting", queue="tables") or 0) + 1
    )


def test_an_answer_bears_the_name_of_its_request(web):
    assert web.client.get("/healthz", headers={"X-Request-ID": "of-the-proxy.7"})["X-Request-ID"] == "of-the-proxy.7"
    made = web.client.get("/healthz", headers={"X-Request-ID": "no\tgood"})["X-Request-ID"]
    assert made != web.client.get("/healthz")["X-Request-ID"]
    assert len(made) == 16


def test_a_line_of_the_log_names_request_and_company_and_nobody(web, lead, job, monkeypatch):
    lines = []
    handler = logging.Handler()
    handler.emit = lambda record: lines.append(logs.JsonLine().format(record))
    logging.getLogger("quarry").addHandler(handler)

    def broken(*_, **__):
        raise ValueError("of the test")

    monkeypatch.setattr("quarry.apps.logbook.queries.totals", broken)
    try:
        answer = web.client.get("/api/logbook/totals", headers={"X-Request-ID": "seen-before"})
    finally:
        logging.getLogger("quarry").removeHandler(handler)
    assert answer.status_code == 500
    (line,) = [json.loads(x) for x in lines]
    assert (line["level"], line["request"], line["company"]) == ("error", "seen-before", str(lead.organisation_id))
    assert "ValueError: of the test" in line["trace"]
    assert lead.username not in json.dumps(line)


@pytest.mark.parametrize(("slow_s", "told"), [(0.02, True), (5.0, False)])
def test_a_slow_query_is_told_without_its_values(web, monkeypatch, caplog, slow_s, told):
    def slow(*_, **__):
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_sleep(%s)", [0.05])
        return {}

    monkeypatch.setattr(logs, "SLOW_S", slow_s)
    monkeypatch.setattr("quarry.apps.logbook.queries.totals", slow)
    web.get("/logbook/totals")
    found = [r.getMessage() for r in caplog.records if r.name == "quarry.slow"]
    assert bool(found) is told
    assert not any("0.05" in words for words in found)
