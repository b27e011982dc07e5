"""The API object: session sign-in, problem+json errors, all routers."""

from __future__ import annotations

from ninja import NinjaAPI
from ninja.security import django_auth

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

api = NinjaAPI(
    title="Gentle Quarry", version="1", auth=django_auth, docs_url=None, openapi_url="/openapi.json", urls_namespace="api"
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
