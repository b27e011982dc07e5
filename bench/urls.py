"""The product's addresses and an empty view to measure the rest against."""

from django.http import HttpRequest, HttpResponse
from django.urls import path

from quarry.project.urls import urlpatterns as product


def empty(_request: HttpRequest) -> HttpResponse:
    """Answer with nothing; middleware, sign-in and scope stand before it as before all others."""
    return HttpResponse(b"{}", content_type="application/json")


urlpatterns = [path("empty", empty), *product]
