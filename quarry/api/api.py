"""The API object: session sign-in, problem+json errors, all routers."""

from __future__ import annotations

from typing import Any

from ninja import NinjaAPI
from ninja.openapi.schema import OpenAPISchema

from quarry.api.auth import TOKEN_OR_PERSON
from quarry.api.errors import install
from quarry.api.routers import (
    compute,
    days,
    fleet,
    flown,
    imagery,
    jobs,
    limits,
    live,
    logbook,
    packs,
    people,
    policy,
    rehearsals,
    searches,
    server,
    session,
    spraying,
    today,
    tokens,
    weather,
)
from quarry.api.schemas.base import Problem

_REFUSALS = {
    "4XX": (
        "Refused",
        "Refused, with the reason and the field: not signed in, not allowed, not there, changed meanwhile, invalid",
    ),
    "503": ("Away", "The database is away or too slow: try again after the seconds of Retry-After"),
}


class DocumentedApi(NinjaAPI):
    """The API, whose document says of every operation how it refuses: problem+json."""

    def get_openapi_schema(self, **more: Any) -> OpenAPISchema:
        """Return the document."""
        document = super().get_openapi_schema(**more)
        parts = document["components"]
        parts["schemas"]["Problem"] = Problem.json_schema()
        content = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
        parts["responses"] = {name: {"description": words, "content": content} for name, words in _REFUSALS.values()}
        refusals = {code: {"$ref": f"#/components/responses/{name}"} for code, (name, _) in _REFUSALS.items()}
        for methods in document["paths"].values():
            for operation in methods.values():
                operation["responses"] = {str(code): of for code, of in operation["responses"].items()} | refusals
        return document


api = DocumentedApi(
    title="Gentle Quarry", version="1", auth=TOKEN_OR_PERSON, docs_url=None, openapi_url="/openapi.json", urls_namespace="api"
)
install(api)
api.add_router("", session.router)
api.add_router("", tokens.router)
api.add_router("", server.router)
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
api.add_router("", flown.router)
api.add_router("", spraying.router)
api.add_router("", searches.router)
api.add_router("/logbook", logbook.router)
api.add_router("/compute", compute.router)
api.add_router("/today", today.router)
