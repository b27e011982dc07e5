"""Plain functions that make rows; every figure is invented for the tests."""

from __future__ import annotations

import json
from datetime import timedelta
from functools import cache
from typing import Any

from django.conf import settings
from django.contrib.auth.hashers import make_password
from django.utils import timezone
from pydantic_core import to_jsonable_python

from quarry.apps.accounts import queries as queries_of_people
from quarry.apps.accounts.models import Organisation, User
from quarry.apps.care.services import add_record
from quarry.apps.day import services
from quarry.apps.day.services import add_day
from quarry.apps.fleet import models as fleet
from quarry.apps.fleet.services import add_thing
from quarry.apps.jobs import queries as job_queries
from quarry.apps.jobs.mappers import pack_heights
from quarry.apps.jobs.models import Terrain
from quarry.apps.jobs.services import add_job
from quarry.apps.limits.services import save_sheet as save_limits
from quarry.apps.limits.views import LimitRule
from quarry.apps.logbook import services as logbook
from quarry.apps.logbook.views import ColumnSaid
from quarry.apps.policy.services import Change, set_policy
from quarry.apps.weather import services as weather
from quarry.apps.weather.fields import AirFigures
from quarry.simulators.ground import Sheet, upland

PASSWORD = "a-long-enough-one"
FIELD = [[7.1, 46.2], [7.106, 46.2], [7.1065, 46.2035], [7.1003, 46.2038]]
HOME = [7.0995, 46.1996]
POND = [[7.1025, 46.2015], [7.1031, 46.2015], [7.1031, 46.2020], [7.1025, 46.2020]]

CAMERA = {"name": "Cam", "sensor_w_mm": 23.4, "sensor_h_mm": 15.6, "focal_mm": 18.0, "image_w_px": 6000, "image_h_px": 4000}
PACK_MODEL = {
    "name": "P6",
    "notes": "",
    "chemistry": "lipo",
    "cells": 6,
    "capacity_ah": 12.0,
    "nominal_cell_v": 3.7,
    "cv_from_frac": 0.85,
    "most_rate_c": 2.0,
    "storage_frac": 0.6,
    "drains_itself": False,
}
AIRCRAFT_MODEL = {
    "name": "Quad",
    "work": "any",
    "packs_count": 1,
    "power_w": 520.0,
    "cruise_m_s": 11.0,
    "fixed_s": 70.0,
    "turn_s": 4.0,
}
CHARGER_MODEL = {
    "name": "Twin",
    "ports": 2,
    "least_cells": 2,
    "most_cells": 8,
    "modes": [{"name": "fast", "pack_w": 400.0, "wall_w": 450.0}, {"name": "gentle", "pack_w": 200.0, "wall_w": 225.0}],
}


def person(organisation: Organisation, username: str, role: str = "pilot", password: str = PASSWORD) -> User:
    """Make a person who can sign in."""
    hashed = _hashed(password, settings.PASSWORD_HASHERS[0])
    return User.objects.create(
        organisation=organisation, username=username, full_name=username.title(), role=role, password=hashed
    )


@cache
def _hashed(password: str, _hasher: str) -> str:
    return make_password(password)


def make_fleet(lead: User) -> dict[str, Any]:
    """Make one of each, five packs, and return the rows by name."""
    known: dict[str, Any] = {}

    def add(model: type[fleet.Thing], **figures: Any) -> Any:
        made = add_thing(actor=lead, model=model, figures=figures)
        known[made.name] = made
        return made

    camera = add(fleet.Camera, **CAMERA)
    packs = add(fleet.PackModel, **PACK_MODEL)
    craft = add(fleet.AircraftModel, **AIRCRAFT_MODEL, pack_model_id=packs.pk, camera_id=camera.pk)
    twin = add(fleet.ChargerModel, **CHARGER_MODEL)
    generator = add(fleet.SupplyModel, name="Gen", kind="generator", rated_w=2000.0, headroom_frac=0.2)
    add(fleet.Aircraft, name="A1", model_id=craft.pk)
    add(fleet.Aircraft, name="A2", model_id=craft.pk, power_w=500.0)
    add(fleet.Charger, name="Bench", model_id=twin.pk)
    add(fleet.Supply, name="Trailer", model_id=generator.pk)
    for k, (health, charge) in enumerate([(1.0, 1.0), (0.95, 0.6), (0.9, 0.6), (0.85, 0.6)], start=1):
        add(fleet.Pack, name=f"0{k}", model_id=packs.pk, health_frac=health, charge_frac=charge)
    nine = add(fleet.Pack, name="09", model_id=packs.pk, health_frac=0.8)
    add_record(actor=lead, pack_id=nine.pk, kind="mishap", figures={"what": "swelling", "words": "found on the shelf"})
    nine.refresh_from_db()
    return known


def make_job(lead: User, known: dict[str, Any], **over: Any) -> Any:
    """Make a job that plans to several sorties."""
    figures = {
        "name": "Top field",
        "kind": "mapping",
        "areas": [{"ring": FIELD}],
        "home": HOME,
        "aircraft_model_id": known["Quad"].pk,
        "aircraft_id": known["A1"].pk,
        "camera_id": known["Cam"].pk,
        "work": {"height_m": 45.0},
    }
    return add_job(actor=lead, figures=figures | over)


def make_terrain(lead: User) -> tuple[Sheet, Any]:
    """Terrain of hills around the jobs of the tests, as it was made and as it is kept."""
    sheet = upland(7.103, 46.2, seed=2, cells=60, cell_deg=0.0005)
    row = Terrain.objects.create(
        organisation=lead.organisation,
        name="sheet",
        west_deg=sheet.west_deg,
        south_deg=sheet.south_deg,
        cell_deg_lon=sheet.cell_deg,
        cell_deg_lat=sheet.cell_deg,
        columns=60,
        rows=60,
        heights=pack_heights(sheet.heights_m),
    )
    return sheet, row


def make_day(lead: User, known: dict[str, Any], flown: list[Any], **over: Any) -> Any:
    """Make a day of jobs with four packs, one full, and two ports."""
    figures = {
        "name": "Field day",
        "date": "2031-05-06",
        "time_zone": "Europe/Zurich",
        "opens": "08:00",
        "closes": "18:00",
        "pauses": [{"from": "12:00", "to": "12:30"}],
        "swap_s": 200,
        "rest_after_flight_s": 600,
        "rest_after_charge_s": 300,
        "supply_id": known["Trailer"].pk,
        "charger_ids": [known["Bench"].pk],
        "crew_ids": [lead.pk],
        "jobs": [{"job_id": j.pk, "aircraft_id": known["A1"].pk} for j in flown],
        "packs": [{"pack_id": known[f"0{k}"].pk, "start_frac": 1.0 if k == 1 else 0.6} for k in (1, 2, 3, 4)],
    }
    return add_day(actor=lead, figures=figures | over)


def make_today(lead: User, known: dict[str, Any], flown: list[Any], *, ago_min: float) -> Any:
    """Make a day that opened so many minutes ago, in a time zone where it is about noon: midnight is never near."""
    now = timezone.now()
    behind = now.hour - 12
    opened = now - timedelta(hours=behind, minutes=ago_min)
    return make_day(
        lead,
        known,
        flown,
        date=opened.date().isoformat(),
        time_zone=f"Etc/GMT{behind:+d}",
        opens=opened.strftime("%H:%M"),
        closes="23:59",
        pauses=[],
    )


class Web:
    """A test client that sends and reads JSON."""

    def __init__(self, client: Any) -> None:
        self.client = client

    def get(self, path: str, **query: Any) -> Any:
        """GET."""
        return self.client.get(f"/api{path}", query)

    def send(self, method: str, path: str, body: Any = None) -> Any:
        """Send a body as JSON."""
        return self.client.generic(method, f"/api{path}", json.dumps(body) if body is not None else "", "application/json")

    def post(self, path: str, body: Any = None) -> Any:
        """POST."""
        return self.send("POST", path, body)

    def put(self, path: str, body: Any) -> Any:
        """PUT."""
        return self.send("PUT", path, body)

    def patch(self, path: str, body: Any) -> Any:
        """PATCH."""
        return self.send("PATCH", path, body)

    def delete(self, path: str) -> Any:
        """DELETE."""
        return self.send("DELETE", path)


def plain(value):
    """What the API would say of a view: dicts, lists, numbers and text."""
    return to_jsonable_python(value)


def job_plan(job, packs=None):
    """The plan of a job as the API says it, with its workings."""
    return plain(job_queries.plan_of(job, packs))


def set_rules(*, actor, version, changes):
    """Set the policy from plain changes."""
    return set_policy(actor=actor, version=version, changes=[Change(**c) for c in changes])


def save_sheet(*, rules, **more):
    """Save a sheet of limits from plain rules."""
    return save_limits(rules=[LimitRule(**r) for r in rules], **more)


def post_events(*, events, **more):
    """Tell a running day from plain events."""
    return services.post_events(events=[services.PostedEvent(**e) for e in events], **more)


def post_telemetry(*, readings, **more):
    """Tell what aircraft and chargers report, from plain readings."""
    told = []
    for r in readings:
        figures = {k: v for k, v in r.items() if k not in ("flight", "at") and v is not None}
        told.append(services.Reported(r["flight"], r["at"], figures))
    return services.post_telemetry(readings=told, **more)


def add_reading(*, figures, **more):
    """Enter what was measured of the weather, from plain figures."""
    return weather.add_reading(figures=AirFigures(**figures), **more)


def say_columns(*, columns, **more):
    """Say what the columns of a log are, from a plain list."""
    said = [(c["header"], ColumnSaid(c["quantity"], c["unit"], c["cell"])) for c in columns]
    return logbook.say_columns(columns=said, **more)


def change_flight(*, changes, **more):
    """Say something of a flight of a log, from plain changes."""
    return logbook.change_flight(changes=logbook.FlightSaid(said=frozenset(changes), **changes), **more)


def history_of(actor, thing, thing_id):
    """Return what the history says of a thing, newest first."""
    return queries_of_people.history_page(actor, queries_of_people.HistoryWanted(thing=thing, thing_id=str(thing_id))).items
