from __future__ import annotations

import hashlib
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import Organisation, User
from quarry.apps.accounts.permissions import require
from quarry.apps.flown.exports import drawn, proof_facts
from quarry.apps.flown.formats.proof import proof_pdf
from quarry.apps.flown.models import Proof
from quarry.apps.flown.queries import known_of, raster, shown


def make_proof(*, actor: User, job_id: UUID, day_id: UUID | None = None) -> Proof:
    """Make the proof of a job as flown: PDF, GeoJSON and GeoTIFF, numbered, kept as they are with their checksums.

    Raises
    ------
    DomainError
        Nothing of it was flown.
    """
    require(actor, "jobs:write")
    known = known_of(job_id, day_id)
    found, shapes, grid = shown(known), drawn(known), raster(known)
    with transaction.atomic():
        # One after the other: a number is given once.
        Organisation.objects.select_for_update().get(pk=actor.organisation_id)
        number = (Proof.objects.order_by("-number").values_list("number", flat=True).first() or 0) + 1
        digests = {"geojson": hashlib.sha256(shapes).hexdigest(), "tif": hashlib.sha256(grid).hexdigest()}
        names = {f"proof-{number:04d}.{form}": digest for form, digest in digests.items()}
        facts = proof_facts(known, actor=actor, number=number, now=timezone.now(), digests=names)
        pdf = proof_pdf(facts, found)
        row = Proof.objects.create(
            organisation=actor.organisation,
            job=known.job,
            number=number,
            pdf=pdf,
            geojson=shapes,
            geotiff=grid,
            digests=digests | {"pdf": hashlib.sha256(pdf).hexdigest()},
            covered_frac=next(x.value for x in found.figures if x.key == "covered_frac"),
            by=actor,
        )
        record(actor=actor, action="job.proved", row=known.job, label=f"{known.job.name}: proof {number:04d}")
    return row
