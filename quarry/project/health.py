"""Whether this process lives, and whether it can take requests: for balancers and watchers."""

from __future__ import annotations

from dataclasses import asdict

from django.http import HttpRequest, HttpResponse, JsonResponse

from quarry.apps.health import ready_checks


def alive(_request: HttpRequest) -> HttpResponse:
    """Answer that the process lives, whatever else does."""
    return HttpResponse("ok\n", content_type="text/plain")


def ready(_request: HttpRequest) -> HttpResponse:
    """Answer 200 where requests can be taken, else 503, with what was looked at."""
    checks = ready_checks()
    fine = all(c.ok for c in checks)
    response = JsonResponse({"ready": fine, "checks": [asdict(c) for c in checks]}, status=200 if fine else 503)
    response["Cache-Control"] = "no-store"
    return response
