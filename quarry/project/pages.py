"""The one page of the front end, served for every address that is not the API."""

from __future__ import annotations

import re
from html import escape

from django.conf import settings
from django.http import HttpRequest, HttpResponse

from quarry.project.build import scripts_for

_ID = "([0-9a-f-]{36})"
_JOBS = "/api/jobs?sort=name&cursor=&size=500"
# What a screen asks for first, as it asks for it: the browser asks while the scripts are still on their way. A test opens
# every screen and finds each of these asked for once, by the page and not again by its screen.
_FIRST_ASKED: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("/today", ("/api/today",)),
    ("/packs", ("/api/packs?archived=false",)),
    ("/packs/charging", ("/api/packs?archived=false", "/api/fleet")),
    (f"/packs/{_ID}(?:/test)?", ("/api/packs/{0}",)),
    ("/jobs", ("/api/jobs?search=&archived=false&sort=changed&cursor=",)),
    (f"/jobs/{_ID}", ("/api/jobs/{0}", "/api/fleet", "/api/imagery", "/api/terrains")),
    ("/days", ("/api/days?search=&archived=false&cursor=",)),
    (f"/days/{_ID}", ("/api/days/{0}", "/api/fleet", _JOBS, "/api/people")),
    (f"/days/{_ID}/live", ("/api/days/{0}/live",)),
    ("/limits", ("/api/limits", "/api/fleet", "/api/policy", _JOBS)),
    ("/preflight", (_JOBS, "/api/fleet", "/api/preflights")),
    ("/logbook/claims", ("/api/logbook/claims",)),
    ("/fleet", ("/api/fleet?archived=true", "/api/fleet/forms")),
    ("/policy", ("/api/policy", "/api/history")),
    ("/company", ("/api/company",)),
    ("/people", ("/api/people", "/api/history")),
)


def answers_for(path: str) -> tuple[str, ...]:
    """Return the addresses of the answers that the screen at an address asks for first; none where that is not known."""
    for address, asked in _FIRST_ASKED:
        found = re.fullmatch(address, path)
        if found:
            return tuple(a.format(*found.groups()) for a in asked)
    return ()


def page(request: HttpRequest) -> HttpResponse:
    """Return the built page; it is never cached so that a new build is seen at once.

    It names the scripts of its screen, and what its screen asks for first; that only to who has signed in.
    """
    try:
        body = (settings.BUILD / "index.html").read_bytes()
    except OSError:
        return HttpResponse("The front end is not built. Run `make setup`.", status=503, content_type="text/plain")
    own = [f'<link rel="modulepreload" href="/{script}">' for script in scripts_for(request.path)]
    if settings.SESSION_COOKIE_NAME in request.COOKIES:
        own += [f'<link rel="preload" href="{escape(a)}" as="fetch" crossorigin="anonymous">' for a in answers_for(request.path)]
    response = HttpResponse(body.replace(b"</head>", "".join(own).encode() + b"</head>", 1))
    response["Cache-Control"] = "no-cache"
    return response


def missing(_request: HttpRequest) -> HttpResponse:
    """Answer 404 for a file of the build that is not there."""
    return HttpResponse("Not found.", status=404, content_type="text/plain")
