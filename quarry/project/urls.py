"""Addresses: the API, and one page for everything else."""

from __future__ import annotations

from django.urls import path, re_path

from quarry.api.api import api
from quarry.api.errors import nothing_here
from quarry.project.health import alive, ready
from quarry.project.metrics import figures
from quarry.project.pages import missing, page
from quarry.project.stream import notice_stream

handler500 = "quarry.api.errors.server_error"
urlpatterns = [
    path("healthz", alive),
    path("readyz", ready),
    path("metrics", figures),
    path("api/stream", notice_stream),
    path("api/", api.urls),
    re_path(r"^api/.*$", nothing_here),
    re_path(r"^(?:static|_app)/.*$", missing),
    re_path(r"^.*$", page),
]
