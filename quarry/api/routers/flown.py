"""Jobs as flown: what was covered, gaps, proof."""

from __future__ import annotations

from typing import Annotated, Literal
from uuid import UUID

from django.conf import settings
from django.http import HttpResponse
from ninja import Field, File, Router, UploadedFile

from quarry.api.auth import SignedIn
from quarry.api.schemas.base import In, WorkingOut
from quarry.apps.accounts.errors import DomainError
from quarry.apps.flown import exports, queries, services
from quarry.apps.flown.fields import PhotoColumns
from quarry.apps.flown.views import AsFlownAnswer, DayGaps, GapsFlown, PhotoSetOut, ProofOut

Column = list[float | None]
router = Router(tags=["as flown"])
_TYPES = {"csv": "text/csv; charset=utf-8", "pdf": "application/pdf", "geojson": "application/geo+json", "tif": "image/tiff"}


class GapsIn(In):
    """Gaps to fly, of a job as flown that was looked at; ``join``: a running day at whose end they are put."""

    numbers: list[int] = Field(min_length=1, max_length=500)
    mark: str = Field(max_length=64)
    day_id: UUID | None = None
    join: UUID | None = None


class ProofIn(In):
    """Which day of a job is proved; all that complete one another where none is named."""

    day_id: UUID | None = None


@router.get("/jobs/{job_id}/as-flown", response=AsFlownAnswer, operation_id="as_flown", summary="What was truly covered of a job")
def as_flown(request: SignedIn, job_id: UUID, day_id: UUID | None = None) -> object:
    """Return what was covered, from telemetry, logs and landings, or in words why there is nothing to show."""
    return queries.answer_of(job_id, day_id)


@router.get(
    "/jobs/{job_id}/as-flown/working", response=WorkingOut, operation_id="as_flown_working", summary="The working of a figure"
)
def working(request: SignedIn, job_id: UUID, key: str, day_id: UUID | None = None) -> object:
    """Return how a figure of a job as flown comes about."""
    return queries.working_of(job_id, key, day_id)


@router.get("/jobs/{job_id}/as-flown.{form}", operation_id="export_as_flown", summary="As flown as GeoJSON or GeoTIFF")
def export(request: SignedIn, job_id: UUID, form: Literal["geojson", "tif"], day_id: UUID | None = None) -> HttpResponse:
    """Return what was covered as a file."""
    data, name = exports.export_flown(job_id, form, day_id)
    return _attached(data, form, name)


@router.post("/jobs/{job_id}/gaps", response={201: GapsFlown}, operation_id="fly_gaps", summary="Make a job of gaps")
def fly_gaps(request: SignedIn, job_id: UUID, data: GapsIn) -> object:
    """Make a job of chosen gaps; put it at the end of a running day where one is named."""
    job, joined = services.fly_gaps(
        actor=request.user, job_id=job_id, numbers=data.numbers, mark=data.mark, day_id=data.day_id, join=data.join
    )
    return 201, GapsFlown(job.pk, job.name, job.letter, joined)


@router.get("/days/{day_id}/gaps", response=list[DayGaps], operation_id="day_gaps", summary="What a day left open of its jobs")
def day_gaps(request: SignedIn, day_id: UUID) -> object:
    """Return for each job of which everything has landed what was left open."""
    return queries.gaps_of_day(day_id)


class PhotosIn(In):
    """Positions of photos, in columns; a column that is empty is not known of any."""

    name: str = Field(default="photos", max_length=120)
    names: list[Annotated[str, Field(max_length=200)]] = Field(max_length=40_000)
    at: Column = Field(max_length=40_000)
    lon: Column = Field(max_length=40_000)
    lat: Column = Field(max_length=40_000)
    altitude_m: Column = Field(default_factory=list, max_length=40_000)
    relative_m: Column = Field(default_factory=list, max_length=40_000)
    heading_deg: Column = Field(default_factory=list, max_length=40_000)
    pitch_deg: Column = Field(default_factory=list, max_length=40_000)
    roll_deg: Column = Field(default_factory=list, max_length=40_000)
    exposure_s: Column = Field(default_factory=list, max_length=40_000)
    iso: Column = Field(default_factory=list, max_length=40_000)
    f_number: Column = Field(default_factory=list, max_length=40_000)
    clock: Literal["utc", "local"] = "utc"
    width_px: int | None = Field(default=None, ge=1, le=200_000)
    height_px: int | None = Field(default=None, ge=1, le=200_000)


@router.post("/jobs/{job_id}/photos", response={201: PhotoSetOut}, operation_id="keep_photos", summary="Positions of photos")
def keep_photos(request: SignedIn, job_id: UUID, data: PhotosIn) -> object:
    """Keep the positions of the photos of a job, with what is odd about them; the photos stay where they are."""
    columns = PhotoColumns(**data.dict(exclude={"name"}))
    return 201, queries.photo_set_view(services.keep_photos(actor=request.user, job_id=job_id, name=data.name, columns=columns))


@router.post(
    "/jobs/{job_id}/photos/table",
    response={201: PhotoSetOut},
    operation_id="keep_photo_table",
    summary="A table of photo positions",
)
def keep_photo_table(request: SignedIn, job_id: UUID, file: File[UploadedFile]) -> object:
    """Keep the positions of photos that a CSV holds: names, times, longitude, latitude, heights, how the camera looked."""
    data = file.read(settings.UPLOAD_MOST_BYTES + 1)
    if len(data) > settings.UPLOAD_MOST_BYTES:
        raise DomainError("too_large", f"The file is larger than {settings.UPLOAD_MOST_BYTES // 1_000_000} MB.", "file")
    row = services.keep_photo_table(actor=request.user, job_id=job_id, name=file.name or "photos.csv", data=data)
    return 201, queries.photo_set_view(row)


@router.get("/jobs/{job_id}/photos.{form}", operation_id="export_photos", summary="Photos for processing")
def export_photos(request: SignedIn, job_id: UUID, form: Literal["csv", "geojson"]) -> HttpResponse:
    """Return where photos were taken as CSV, or what they see of the ground as GeoJSON."""
    data, name = exports.export_photos(job_id, form)
    return _attached(data, form, name)


@router.delete("/photo-sets/{photo_set_id}", response={204: None}, operation_id="archive_photos", summary="Archive photos")
def archive_photos(request: SignedIn, photo_set_id: UUID) -> object:
    """Archive photos: what was covered is seen without them."""
    services.set_photos_archived(actor=request.user, photo_set_id=photo_set_id, archived=True)
    return 204, None


@router.post(
    "/photo-sets/{photo_set_id}/restore", response={204: None}, operation_id="restore_photos", summary="Take photos back"
)
def restore_photos(request: SignedIn, photo_set_id: UUID) -> object:
    """Take archived photos back."""
    services.set_photos_archived(actor=request.user, photo_set_id=photo_set_id, archived=False)
    return 204, None


@router.get("/jobs/{job_id}/proofs", response=list[ProofOut], operation_id="list_proofs", summary="Proofs of a job")
def list_proofs(request: SignedIn, job_id: UUID) -> object:
    """Return the proofs that were given out, the newest first."""
    return queries.proofs_of(job_id)


@router.post("/jobs/{job_id}/proofs", response={201: ProofOut}, operation_id="make_proof", summary="Make a proof")
def make_proof(request: SignedIn, job_id: UUID, data: ProofIn) -> object:
    """Make the proof of a job as flown: numbered, with checksums, kept as it is."""
    return 201, queries.proof_view(services.make_proof(actor=request.user, job_id=job_id, day_id=data.day_id))


@router.get("/proofs/{proof_id}.{form}", operation_id="get_proof", summary="A file of a proof")
def get_proof(request: SignedIn, proof_id: UUID, form: Literal["pdf", "geojson", "tif"]) -> HttpResponse:
    """Return a file of a proof as it was made."""
    data, name = queries.proof_file(proof_id, form)
    return _attached(data, form, name)


def _attached(data: bytes, form: str, name: str) -> HttpResponse:
    answer = HttpResponse(data, content_type=_TYPES[form])
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer
