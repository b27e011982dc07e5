"""Load the demo: people, fleet, three jobs and a planned day, dated relative to today."""

from __future__ import annotations

import json
import os
import sys
from datetime import datetime, time, timedelta
from pathlib import Path
from typing import Any
from urllib.request import urlopen
from zoneinfo import ZoneInfo

from django.core.management.base import BaseCommand, CommandParser
from django.db import transaction
from django.utils import timezone
from django_scopes import scope

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import Organisation, User
from quarry.apps.care.formats.writing import table_lines
from quarry.apps.care.importer import begin_import, run_import
from quarry.apps.day.models import Day
from quarry.apps.day.queries import PlanRefused
from quarry.apps.day.queries import plan_of as day_plan
from quarry.apps.day.services import add_day
from quarry.apps.day.tasks import begin_search
from quarry.apps.fleet import models as fleet
from quarry.apps.fleet.services import add_thing
from quarry.apps.jobs import mappers
from quarry.apps.jobs.models import Job, Terrain
from quarry.apps.jobs.queries import job_dict, planning_air_of
from quarry.apps.jobs.queries import plan_of as job_plan
from quarry.apps.jobs.services import add_job, save_job
from quarry.apps.limits.services import begin_with_starter, save_sheet
from quarry.apps.limits.views import LimitRule
from quarry.apps.policy.services import Change, set_policy
from quarry.apps.spraying.services import add_batch
from quarry.apps.weather.services import ask_weather_service
from quarry.core.ground.terrain import TerrainGrid, read_ascii_grid
from quarry.simulators import scene
from quarry.simulators.demo_logbook import flown_before, read_in, simulated_logs
from quarry.simulators.demo_search import search_exercise
from quarry.simulators.ground import upland
from quarry.simulators.histories import year_of

_DATES = 3  # as far as the service's forecast reaches


class Command(BaseCommand):
    """Load the demo unless it is there."""

    help = "Load the demo. Passwords come as JSON on standard input: {name: password}."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take no arguments but the date."""
        parser.add_argument("--days-ahead", type=int, default=1, help="how many days from today the planned day lies")

    def handle(self, *_args: object, **options: Any) -> None:
        """Load."""
        if Organisation.objects.filter(name=scene.ORGANISATION).exists():
            self.stdout.write("The demo is there already.")
            return
        passwords = json.load(sys.stdin)
        with transaction.atomic():
            organisation = Organisation.objects.create(name=scene.ORGANISATION, time_zone=scene.TIME_ZONE, currency="£")
            with scope(organisation=organisation):
                _load(organisation, passwords, options["days_ahead"])
        self.stdout.write("The demo is loaded.")


def _terrain() -> tuple[TerrainGrid, str]:
    address = os.environ.get("QUARRY_TERRAIN_URL")
    if address:
        if not address.startswith("http://127.0.0.1"):
            raise SystemExit("The demo asks only the terrain service on this machine.")
        with urlopen(f"{address}/grid", timeout=20) as answer:  # noqa: S310 - loopback only, checked above
            return read_ascii_grid(answer.read().decode()), scene.TERRAIN
    sheet = upland(scene.LON, scene.LAT, seed=scene.SEED)
    return TerrainGrid(sheet.west_deg, sheet.south_deg, sheet.cell_deg, sheet.cell_deg, sheet.heights_m), scene.TERRAIN


def _load(organisation: Organisation, passwords: dict[str, str], days_ahead: int) -> None:
    people = []
    for username, full_name, role in scene.PEOPLE:
        person = User(organisation=organisation, username=username, full_name=full_name, role=role)
        person.set_password(passwords[username])
        person.save()
        people.append(person)
    lead = people[0]
    record(
        actor=lead,
        action="organisation.made",
        row=organisation,
        label=organisation.name,
    )
    grid, name = _terrain()
    rows, columns = grid.heights_m.shape
    Terrain.objects.create(
        organisation=organisation,
        name=name,
        west_deg=grid.west_deg,
        south_deg=grid.south_deg,
        cell_deg_lon=grid.cell_lon_deg,
        cell_deg_lat=grid.cell_lat_deg,
        columns=columns,
        rows=rows,
        heights=mappers.pack_heights(grid.heights_m),
        simulated=True,
    )
    known = _fleet(lead)
    _store(lead, known)
    _histories(people)
    jobs = [add_job(actor=lead, figures=_job(j, known)) for j in scene.jobs()]
    aircraft = {"S": "Wren", "M": "Wren", "B": "Bittern"}
    when = timezone.now().date() + timedelta(days=days_ahead)
    packs = [p for p in scene.PACKS if p["name"] in scene.DAY_PACKS]
    day = add_day(
        actor=lead,
        figures={
            "name": f"{scene.SITE}, three jobs",
            "date": when.isoformat(),
            "time_zone": scene.TIME_ZONE,
            "opens": "08:00",
            "closes": "17:00",
            "pauses": [{"from": "12:30", "to": "13:00"}],
            "swap_s": 240,
            "rest_after_flight_s": 720,
            "rest_after_charge_s": 420,
            "elevation_m": 380,
            "supply_id": known["Trailer set"],
            "charger_ids": [known[c["name"]] for c in scene.CHARGERS],
            "crew_ids": [p.pk for p in people[:3]],
            "jobs": [{"job_id": j.pk, "aircraft_id": known[aircraft[j.letter]]} for j in jobs],
            "packs": [{"pack_id": known[f"pack {p['name']}"], "start_frac": p["charge_frac"]} for p in packs],
        },
    )
    begin_with_starter(actor=lead)
    why = "two winters of logged flights with warm packs: halving cost us whole mornings"
    set_policy(actor=lead, version=0, changes=[Change("cold.method", "model", why)])
    for job in jobs:
        if job.letter in scene.JOB_LIMITS:
            save_sheet(
                actor=lead, level="job", job_id=job.pk, rules=[LimitRule(**r) for r in scene.JOB_LIMITS[job.letter]], version=0
            )
        lon, lat = job.home or (scene.LON, scene.LAT)
        ask_weather_service(organisation=organisation, lon=lon, lat=lat)
    flown_before(people, known, jobs)
    search_exercise(lead, known)
    logs, more = simulated_logs()
    read_in(people[1], logs)
    _to_drop(more)
    _plan_a_day(lead, day, jobs, days_ahead)


def _to_drop(data: bytes) -> None:
    """Put an archive of logs where whoever tries the demo finds it."""
    folder = os.environ.get("QUARRY_DEMO_FILES")
    if folder:
        path = Path(folder)
        path.mkdir(parents=True, exist_ok=True)
        (path / "logs-to-drop.zip").write_bytes(data)


def _plan_a_day(lead: User, day: Day, jobs: list[Job], days_ahead: int) -> None:
    """Plan the day of the demo; where sun or weather leave no time on its date, the next date on which it can be flown."""
    for ahead in range(days_ahead, days_ahead + _DATES):
        day.date = timezone.now().date() + timedelta(days=ahead)
        day.save(update_fields=["date"])
        for job in jobs:
            job.refresh_from_db()
            _take_forecast(lead, job, datetime.combine(day.date, time(10), ZoneInfo(day.time_zone)))
        try:
            begin_search(day_plan(day)[0])
        except PlanRefused:
            continue
        return


def _fleet(lead: User) -> dict[str, Any]:
    known: dict[str, Any] = {}

    def add(model: type[fleet.Thing], figures: dict[str, Any], key: str = "") -> None:
        made = add_thing(actor=lead, model=model, figures=figures)
        known[key or made.name] = made.pk

    for c in scene.CAMERAS:
        add(fleet.Camera, c)
    for p in scene.PACK_MODELS:
        add(fleet.PackModel, p | scene.EXTRAS[str(p["name"])])
    for a in scene.AIRCRAFT_MODELS:
        figures = {k: v for k, v in a.items() if k not in ("pack", "camera")}
        add(fleet.AircraftModel, figures | {"pack_model_id": known[str(a["pack"])], "camera_id": known.get(str(a.get("camera")))})
    models = (
        (fleet.ChargerModel, scene.CHARGER_MODELS),
        (fleet.SupplyModel, scene.SUPPLY_MODELS),
        (fleet.Nozzle, scene.NOZZLES),
        (fleet.Product, scene.PRODUCTS),
    )
    for model, rows in models:
        for row in rows:
            add(model, row)
    for item, rows in ((fleet.Aircraft, scene.AIRCRAFT), (fleet.Charger, scene.CHARGERS), (fleet.Supply, scene.SUPPLIES)):
        for row in rows:
            add(item, {k: v for k, v in row.items() if k != "model"} | {"model_id": known[str(row["model"])]})
    for p in scene.PACKS:
        figures = {k: v for k, v in p.items() if k not in ("model", "months")}
        bought = timezone.now().date() - timedelta(days=round(30.44 * p["months"]))
        add(fleet.Pack, figures | {"model_id": known[p["model"]], "bought_on": bought}, f"pack {p['name']}")
    return known


def _store(lead: User, known: dict[str, Any]) -> None:
    today = timezone.now().date()
    for b in scene.BATCHES:
        expires = None if b["days"] is None else today + timedelta(days=b["days"])
        add_batch(actor=lead, product_id=known[b["product"]], name=b["name"], amount=b["amount"], expires_on=expires)


def _take_forecast(lead: User, job: Job, at: datetime) -> None:
    """Plan with the service's wind of the planned morning, as a crew would; without a service the assumed wind stays."""
    try:
        air = planning_air_of(job, at)
    except DomainError:
        job_plan(job)
        return
    figures_now = job_dict(job)
    wind = figures_now["wind"] | {
        "speed_m_s": air.speed_m_s,
        "from_deg": air.from_deg,
        "gust_m_s": air.gust_m_s,
        "density_kg_m3": air.density_kg_m3,
        "words": air.words,
        "at": air.at.isoformat(),
        "height_m": job.work["height_m"],
        "assumed": False,
        "origin": air.origin,
    }
    if air.air_c is not None:
        wind["air_c"] = air.air_c
    figures = {k: v for k, v in figures_now.items() if k not in ("id", "version", "archived", "changed_at")}
    saved = save_job(actor=lead, job_id=job.pk, version=job.version, figures=figures | {"wind": wind})
    job_plan(saved)


def _histories(people: list[User]) -> None:
    """Play a year of every pack and read it in as a crew would read its old sheet in."""
    now = timezone.now()
    rows = [row for life in scene.LIVES for row in year_of(life, now, scene.SEED)]
    table = "".join(table_lines("records", sorted(rows, key=lambda r: r["at"])))
    table_import = begin_import(actor=people[0], name="a year of records, simulated.csv", data=table.encode())
    run_import(table_import.pk)
    table_import.refresh_from_db()
    if table_import.state != "done":
        raise SystemExit(f"The demo's records were refused: {table_import.words} {table_import.problems[:3]}")


def _job(figures: dict[str, Any], known: dict[str, Any]) -> dict[str, Any]:
    model = "Brunt 16" if figures["kind"] == "spraying" else "Skarra 6"
    item = "Bittern" if figures["kind"] == "spraying" else "Wren"
    camera = known["24 MP, 18 mm"] if figures["kind"] == "mapping" else None
    if figures["kind"] == "spraying":
        items = [{"product_id": str(known[p["name"]])} for p in scene.PRODUCTS]
        figures = figures | {"mix": {"crop": "bracken on pasture", "items": items, "lines_l": 0.8, "fill_s": 180.0}}
    return figures | {"aircraft_model_id": known[model], "aircraft_id": known[item], "camera_id": camera}
