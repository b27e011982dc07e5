"""The one page of the front end, served for every address that is not the API."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse

from quarry.project.build import scripts_for


def page(request: HttpRequest) -> HttpResponse:
    """Return the built page; it is never cached so that a new build is seen at once. It names the scripts of its screen."""
    try:
        body = (settings.BUILD / "index.html").read_bytes()
    except OSError:
        return HttpResponse("The front end is not built. Run `make setup`.", status=503, content_type="text/plain")
    own = "".join(f'<link rel="modulepreload" href="/{script}">' for script in scripts_for(request.path))
    response = HttpResponse(body.replace(b"</head>", own.encode() + b"</head>", 1))
    response["Cache-Control"] = "no-cache"
    return response


def missing(_request: HttpRequest) -> HttpResponse:
    """Answer 404 for a file of the build that is not there."""
    return HttpResponse("Not found.", status=404, content_type="text/plain")
