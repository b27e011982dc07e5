"""The API object: session sign-in, problem+json errors, all routers."""

from __future__ import annotations

from typing import Any

from ninja import NinjaAPI
from ninja.openapi.schema import OpenAPISchema

from quarry.api.auth import PERSON
from quarry.api.errors import install
from quarry.api.routers import (
    compute,
    days,
    fleet,
    imagery,
    jobs,
    limits,
    live,
    logbook,
    packs,
    people,
    policy,
    rehearsals,
    session,
    today,
    weather,
)
from quarry.api.schemas.base import Problem

_REFUSALS = {
    "400": "It cannot be read",
    "401": "Sign in first",
    "403": "Your role may not, or the page is out of date",
    "404": "There is no such thing",
    "409": "Somebody else has changed it meanwhile",
    "413": "More than this address takes",
    "422": "A field cannot be so",
    "429": "Too many tries: wait",
    "503": "The database is away: try again",
}


class DocumentedApi(NinjaAPI):
    """The API, whose document says of every operation how it refuses: problem+json."""

    def get_openapi_schema(self, **more: Any) -> OpenAPISchema:
        """Return the document."""
        document = super().get_openapi_schema(**more)
        document["components"]["schemas"]["Problem"] = Problem.json_schema()
        content = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
        for methods in document["paths"].values():
            for operation in methods.values():
                refusals = {int(code): {"description": words, "content": content} for code, words in _REFUSALS.items()}
                operation["responses"] = {**operation["responses"], **refusals}
        return document


api = DocumentedApi(
    title="Gentle Quarry", version="1", auth=PERSON, docs_url=None, openapi_url="/openapi.json", urls_namespace="api"
)
install(api)
api.add_router("", session.router)
api.add_router("/people", people.router)
api.add_router("/fleet", fleet.router)
api.add_router("/packs", packs.router)
api.add_router("/policy", policy.router)
api.add_router("/jobs", jobs.router)
api.add_router("/terrains", jobs.terrain_router)
api.add_router("/imagery", imagery.router)
api.add_router("/weather", weather.router)
api.add_router("/limits", limits.router)
api.add_router("/preflights", limits.preflight_router)
api.add_router("/days", days.router)
api.add_router("/days", live.router)
api.add_router("/days", rehearsals.router)
api.add_router("/rehearsals", rehearsals.fault_router)
api.add_router("/logbook", logbook.router)
api.add_router("/compute", compute.router)
api.add_router("/today", today.router)
