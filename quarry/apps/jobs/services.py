"""Writing jobs: make, save as you go, copy, archive, read an outline from a file."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from django.conf import settings
from django.core.exceptions import ValidationError
from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services import DomainError, Entered, Stale, record
from quarry.apps.bounded import ReadingStopped, read_bounded
from quarry.apps.fleet.models import Aircraft, AircraftModel, Camera
from quarry.apps.jobs import mappers
from quarry.apps.jobs.fields import SORTIE_DEFAULTS, with_defaults
from quarry.apps.jobs.formats.reading import FormatError, Found, FoundArea
from quarry.apps.jobs.formats.terrain import FormatError as TerrainError
from quarry.apps.jobs.formats.writing import Drawn, geojson, gpx, kml
from quarry.apps.jobs.models import Job, Terrain
from quarry.apps.jobs.queries import FIELDS, LINKS, entered, homes_of, job_dict, job_of, plan_of
from quarry.apps.jobs.views import HomesOut
from quarry.apps.links import give_back_link
from quarry.apps.policy.queries import own_values

_LINKED = {"aircraft_model_id": AircraftModel, "aircraft_id": Aircraft, "camera_id": Camera}
_LETTERS = "SBMCDEFGHJKLNPQRTUVWXYZA"


def _fill(job: Job, figures: Entered) -> None:
    for name in FIELDS:
        if name in figures:
            setattr(job, name, figures[name])
    for name in LINKS:
        if name in figures:
            value = figures[name]
            if value is not None and not _LINKED[name].objects.filter(pk=value).exists():
                raise DomainError("not_found", "Choose one that exists.", name)
            setattr(job, name, value)
    with_defaults(job)
    try:
        job.full_clean(
            exclude=["organisation", "aircraft_model", "area", "keep_outs", "home", "work", "lines", "sorties", "wind", "site"]
        )
    except ValidationError as bad:
        field, messages = next(iter(bad.message_dict.items()))
        raise DomainError("invalid", " ".join(messages), field) from bad


def _history(job: Job) -> Any:
    return {k: v for k, v in job_dict(job).items() if k not in ("changed_at", "version")}


@transaction.atomic
def add_job(*, actor: User, figures: Entered) -> Job:
    """Make a job; what is left open gets defaults that fit its kind and the fleet."""
    require(actor, "jobs:write")
    job = Job(organisation=actor.organisation, letter=figures.get("letter") or _free_letter())
    house = {k: v for k, v in own_values().items() if k in SORTIE_DEFAULTS}
    figures = {**figures, "sorties": {**house, **(figures.get("sorties") or {})}}
    if not figures.get("aircraft_model_id"):
        kind = figures.get("kind", "mapping")
        models = AircraftModel.objects.filter(archived_at__isnull=True, work__in=[kind, "any"]).order_by("name")
        model = models.filter(work=kind).first() or models.first()
        if model is not None:
            own = {k: v for k, v in (("tank_l", model.tank_l), ("swath_m", model.swath_m)) if v}
            figures = {
                **figures,
                "aircraft_model_id": model.pk,
                "camera_id": figures.get("camera_id") or model.camera_id,
                "work": own | dict(figures.get("work") or {}),
            }
    _fill(job, figures)
    job.save()
    record(
        actor=actor,
        action="job.added",
        row=job,
        label=job.name,
        after=_history(job),
    )
    return job_of(job.pk)


def _free_letter() -> str:
    taken = set(Job.objects.filter(archived_at__isnull=True).values_list("letter", flat=True))
    return next((x for x in _LETTERS if x not in taken), "S")


@transaction.atomic
def save_job(*, actor: User, job_id: UUID, version: int, figures: Entered) -> Job:
    """Save a job as it stands on the screen; raises `Stale` if somebody saved in between."""
    require(actor, "jobs:write")
    row = Job.objects.select_for_update().filter(pk=job_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such job.")
    if row.version != version:
        raise Stale(job_dict(row))
    before = _history(row)
    _fill(row, figures)
    after = _history(row)
    if after == before:
        return job_of(row.pk)
    row.version += 1
    row.save()
    record(
        actor=actor,
        action="job.changed",
        row=row,
        label=row.name,
        before=before,
        after=after,
    )
    return job_of(row.pk)


@transaction.atomic
def copy_job(*, actor: User, job_id: UUID) -> Job:
    """Make a copy of a job under a new name and letter."""
    require(actor, "jobs:write")
    source = job_of(job_id)
    named = {"name": f"{source.name[:70]} (copy)", "letter": _free_letter()}
    return add_job(actor=actor, figures=job_dict(source) | named)


@transaction.atomic
def set_archived(*, actor: User, job_id: UUID, archived: bool) -> Job:
    """Put a job away or bring it back."""
    require(actor, "jobs:write")
    row = Job.objects.select_for_update().filter(pk=job_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such job.")
    row.archived_at = timezone.now() if archived else None
    row.version += 1
    row.save()
    action = "job.archived" if archived else "job.restored"
    record(actor=actor, action=action, row=row, label=row.name)
    return job_of(row.pk)


def compare_homes(job: Job) -> HomesOut:
    """Return what a job takes from each home; what stands in the way is told at its field."""
    try:
        return homes_of(job)
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad


def outline_from_file(*, actor: User, data: bytes, filename: str, home: tuple[float, float] | None = None) -> Found:
    """Return the outline in an uploaded file, with where home would stand for each of its areas; nothing is stored."""
    require(actor, "jobs:write")
    if len(data) > settings.UPLOAD_MOST_BYTES:
        raise DomainError(
            "too_large", f"The file is larger than {settings.UPLOAD_MOST_BYTES // 1_000_000} MB. Export the outline only.", "file"
        )
    try:
        give_back_link()
        found: Found = read_bounded("quarry.apps.jobs.formats.reading:read_outline", data, filename, seconds=10.0)
    except (FormatError, ReadingStopped) as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    areas: list[Found | FoundArea] = [found, *found.others]
    for area in areas:
        area.home, area.home_kept = mappers.home_for_area(area.area, home)
    return found


def add_terrain(*, actor: User, name: str, data: bytes) -> Terrain:
    """Keep an elevation grid; plans of jobs under it follow the ground from then on."""
    require(actor, "jobs:write")
    if len(data) > settings.TABLE_MOST_BYTES:
        raise DomainError(
            "too_large", f"The file is larger than {settings.TABLE_MOST_BYTES // 1_000_000} MB. Cut it to the site.", "file"
        )
    try:
        give_back_link()
        grid = read_bounded("quarry.apps.jobs.formats.terrain:read_terrain", data, seconds=30.0, memory_mb=3000)
        figures = mappers.terrain_row(grid)
    except (TerrainError, ReadingStopped) as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    with transaction.atomic():
        row = Terrain.objects.create(organisation=actor.organisation, name=name.strip()[:80] or "terrain", **figures)
        record(actor=actor, action="terrain.added", row=row, label=row.name)
    return row


@transaction.atomic
def set_terrain_archived(*, actor: User, terrain_id: UUID, archived: bool) -> Terrain:
    """Put a terrain away or bring it back."""
    require(actor, "jobs:write")
    row = Terrain.objects.select_for_update().filter(pk=terrain_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such terrain.")
    row.archived_at = timezone.now() if archived else None
    row.version += 1
    row.save(update_fields=["archived_at", "version"])
    record(actor=actor, action="terrain.archived" if archived else "terrain.restored", row=row, label=row.name)
    return row


def export_job(job: Job, form: str, sortie: int | None) -> tuple[bytes, str]:
    """Return (content, file name) of a job and its sorties in an open format."""
    try:
        plan = plan_of(job)
    except mappers.PlanError:
        plan = None
    if not job.area:
        raise DomainError("missing", "There is nothing to export yet. Draw the outline first.", "area")
    wanted = [s for s in (plan.sorties if plan is not None else []) if sortie is None or s.number == sortie]
    if sortie is not None and not wanted:
        raise DomainError("not_found", "There is no such sortie.")
    stem = "".join(c if c.isalnum() else "-" for c in job.name.lower()).strip("-") or "job"
    stem += f"-{job.letter.lower()}{sortie}" if sortie else ""
    drawn = Drawn(job.name, job.letter, entered(job), wanted, whole=sortie is None)
    if form == "gpx":
        return gpx(drawn), f"{stem}.gpx"
    return (kml(drawn), f"{stem}.kml") if form == "kml" else (geojson(drawn), f"{stem}.geojson")
