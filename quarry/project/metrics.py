"""Figures for a watcher (Prometheus): requests, the queue and its work, streams; read with a token, else there is no such address."""

from __future__ import annotations

import hmac
import os
import time
from collections.abc import Callable, Iterator

from django.db import connection
from django.http import HttpRequest, HttpResponse
from prometheus_client import CONTENT_TYPE_LATEST, REGISTRY, CollectorRegistry, Gauge, Histogram, generate_latest
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.multiprocess import MultiProcessCollector
from prometheus_client.registry import Collector

from quarry.api.errors import nothing_here, problem
from quarry.apps.background import waiting

REQUESTS = Histogram(
    "quarry_request_seconds",
    "Time to answer, by method, route and status",
    ["method", "route", "status"],
    buckets=(0.01, 0.03, 0.1, 0.3, 1.0, 3.0, 10.0),
)
STREAMS = Gauge("quarry_streams", "Browsers that listen for notices", multiprocess_mode="livesum")
_JOBS = """
SELECT j.task_name, count(*), avg(extract(epoch FROM done.at - began.at))
FROM procrastinate_jobs j
JOIN procrastinate_events done ON done.job_id = j.id AND done.type = 'succeeded' AND done.at > now() - interval '1 hour'
JOIN procrastinate_events began ON began.job_id = j.id AND began.type = 'started'
GROUP BY 1
"""


class MeasuredRequests:
    """Counts and times every request by its route."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer, and note how long it took."""
        began = time.perf_counter()
        response = self.get_response(request)
        route = request.resolver_match.route if request.resolver_match else "nowhere"
        REQUESTS.labels(request.method or "", route, str(response.status_code)).observe(time.perf_counter() - began)
        return response


class OfQueue(Collector):
    """The queue as it stands in the database, asked when it is read."""

    def collect(self) -> Iterator[GaugeMetricFamily]:
        """Yield how many wait, for how long the oldest does, and how long what was done of late took."""
        count_of = GaugeMetricFamily("quarry_queue_waiting", "Jobs that wait", labels=["queue"])
        oldest = GaugeMetricFamily("quarry_queue_oldest_seconds", "How long the oldest of them waits", labels=["queue"])
        done = GaugeMetricFamily("quarry_jobs_done_last_hour", "Jobs done in the last hour", labels=["task"])
        took = GaugeMetricFamily("quarry_job_mean_seconds", "How long these took, mean", labels=["task"])
        for w in waiting():
            count_of.add_metric([w.queue], float(w.count))
            oldest.add_metric([w.queue], w.oldest_s)
        with connection.cursor() as cursor:
            cursor.execute(_JOBS)
            for task, count, mean_s in cursor.fetchall():
                done.add_metric([task], float(count))
                took.add_metric([task], float(mean_s))
        yield from (count_of, oldest, done, took)


def figures(request: HttpRequest) -> HttpResponse:
    """Answer with all figures to who has the token."""
    token = os.environ.get("QUARRY_METRICS_TOKEN", "")
    if not token:
        return nothing_here(request)
    given = request.headers.get("Authorization", "").removeprefix("Bearer ")
    if not hmac.compare_digest(given.encode(), token.encode()):
        return problem(401, "signed_out", "Send the token of QUARRY_METRICS_TOKEN as a bearer token.")
    own = CollectorRegistry()
    own.register(OfQueue())
    several = bool(os.environ.get("PROMETHEUS_MULTIPROC_DIR"))
    if several:
        MultiProcessCollector(own)  # type: ignore[no-untyped-call]
    body = generate_latest(own) + (b"" if several else generate_latest(REGISTRY))
    return HttpResponse(body, content_type=CONTENT_TYPE_LATEST)
