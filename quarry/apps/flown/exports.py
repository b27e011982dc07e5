"""A job as flown in open formats, and the facts that stand on its proof."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.files import stem_of
from quarry.apps.flown import mappers
from quarry.apps.flown.formats.drawn import geojson
from quarry.apps.flown.formats.handover import footprints_geojson, positions_csv
from quarry.apps.flown.formats.proof import FlownBy, ProofFacts
from quarry.apps.flown.queries import Known, known_of, photo_rows, photos_seen, raster, readings_while_flown, shown
from quarry.apps.limits.models import Preflight
from quarry.apps.limits.queries import limits_for
from quarry.apps.limits.repository import override_of
from quarry.apps.weather.queries import reading_view

FORMS = {"geojson": "application/geo+json", "tif": "image/tiff"}


def export_flown(job_id: UUID, form: str, day_id: UUID | None = None) -> tuple[bytes, str]:
    """Return (content, file name) of a job as flown as GeoJSON or GeoTIFF."""
    known = known_of(job_id, day_id)
    stem = stem_of(known.job.name, "job")
    return (raster(known) if form == "tif" else drawn(known)), f"{stem}-flown.{form}"


def drawn(known: Known) -> bytes:
    """Return a job as flown as GeoJSON."""
    return geojson(known.job.name, shown(known), known.lines())


def export_photos(job_id: UUID, form: str) -> tuple[bytes, str]:
    """Return (content, file name) of the photos of a job: their positions as CSV, or what they see as GeoJSON."""
    known = known_of(job_id)
    if not known.photo_sets:
        raise DomainError("missing", "No photos of this job were read yet.", "photos")
    stem = stem_of(known.job.name, "job")
    if form == "csv":
        return positions_csv(photo_rows(job_id)), f"{stem}-photos.csv"
    try:
        return footprints_geojson(photos_seen(job_id)), f"{stem}-footprints.geojson"
    except mappers.FlownError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad


def proof_facts(known: Known, *, actor: User, number: int, now: datetime, digests: dict[str, str]) -> ProofFacts:
    """Return what stands on a proof beside what was covered."""
    flown_by = [FlownBy(s.sortie, s.took_off_at, s.landed_at, s.aircraft, s.packs, s.who) for d in known.days for s in d.sorties]
    readings = [reading_view(r) for r in readings_while_flown(known)]
    lists = Preflight.objects.filter(job=known.job, state="overridden", on__in=[d.day.date for d in known.days])
    return ProofFacts(
        number=number,
        company=actor.organisation.name,
        job=known.job.name,
        place=known.job.place,
        made_at=now,
        by=actor.full_name or actor.username,
        flown_by=sorted(flown_by, key=lambda b: b.took_off_at),
        planned=[line for of in known.lines().values() for line in of],
        outlines=[a.ring for a in known.fields.taken],
        weather=[f"{r.at.isoformat(timespec='minutes')} {r.words} ({r.who})" for r in readings],
        limits=mappers.limit_words(limits_for(known.job)),
        overrides=[mappers.override_words(p.on.isoformat(), p.sortie, given) for p in lists if (given := override_of(p))],
        digests=digests,
    )
