"""Searches: where the missing may be, what was searched, which ground next."""

from __future__ import annotations

from datetime import datetime
from typing import Literal
from uuid import UUID

from django.conf import settings
from django.http import HttpResponse
from ninja import Field, File, Router
from ninja.files import UploadedFile

from quarry.api.auth import SignedIn
from quarry.api.schemas.base import In
from quarry.apps.care.views import PhotoKey
from quarry.apps.files import stem_of
from quarry.apps.search import queries, services
from quarry.apps.search.fields import ReportFields, SearchFields, TrialFields
from quarry.apps.search.formats import handover_csv, handover_geojson, handover_pdf
from quarry.apps.search.views import (
    NextOut,
    PatternOut,
    PersonKindOut,
    SearchLine,
    SearchOut,
    SearchTakenOver,
    SegmentGiven,
    SweepTrialOut,
)

router = Router(tags=["searches"])
_FORMS = {
    "pdf": ("application/pdf", handover_pdf),
    "geojson": ("application/geo+json", handover_geojson),
    "csv": ("text/csv; charset=utf-8", handover_csv),
}


class SearchIn(In):
    """A search as it stands on the screen."""

    name: str = Field(max_length=80)
    person: str = Field(default="", max_length=300)
    kind_id: UUID | None = None
    what: SearchFields


class SearchReportIn(In):
    """A report: ``key`` is made by whoever reports; ``at`` by their clock."""

    key: UUID
    kind: Literal["searched", "clue", "find", "note"]
    at: datetime | None = None
    figures: ReportFields


class LaySegmentsIn(In):
    """How segments are laid: by a net of a side and bearing, or along the paths and banks that were drawn."""

    how: Literal["net", "paths"]
    side_m: float = 300.0
    bearing_deg: float = 0.0


class GiveSegmentIn(In):
    """A segment to be flown, with which coverage and by which aircraft."""

    segment: str = Field(max_length=40)
    coverage: float
    aircraft_id: UUID | None = None


class FirstPatternIn(In):
    """The pattern with which a search begins in the air."""

    pattern: Literal["square", "sector", "parallel", "track", "contour", "creeping"]


class SearchEndIn(In):
    """A search ends or is resumed; ``forget``: what is known of the person is deleted for good."""

    ended: bool = True
    forget: bool = False


class PersonKindIn(In):
    """A kind of person with its table: share within, metres."""

    name: str = Field(max_length=60)
    within: list[tuple[float, float]] = Field(max_length=20)
    note: str = Field(default="", max_length=200)


class SweepTrialIn(In):
    """A trial of sweep width: passes as metres to the side and whether the target was seen."""

    of: TrialFields
    passes: list[tuple[float, bool]] = Field(max_length=2000)


@router.get("/searches", response=list[SearchLine], operation_id="list_searches", summary="Searches")
def list_searches(request: SignedIn, archived: bool = False) -> object:
    """Return searches, the newest first."""
    return queries.searches(archived=archived)


@router.post("/searches", response={201: SearchOut}, operation_id="add_search", summary="Add a search")
def add_search(request: SignedIn, data: SearchIn) -> object:
    """Make a search."""
    row = services.add_search(actor=request.user, name=data.name, what=data.what, person=data.person, kind_id=data.kind_id)
    return 201, queries.search_of(row.pk)


@router.post("/searches/handover", response={201: SearchTakenOver}, operation_id="take_over_search", summary="Take a search over")
def take_over(request: SignedIn, file: File[UploadedFile]) -> object:
    """Make a search of the GeoJSON that another crew handed over."""
    data = file.read(settings.HANDOVER_MOST_BYTES + 1)
    row, notes = services.take_over(actor=request.user, data=data)
    return 201, SearchTakenOver(row.pk, notes)


@router.get("/searches/{search_id}/handover.{form}", operation_id="hand_over_search", summary="Hand a search over")
def hand_over(request: SignedIn, search_id: UUID, form: Literal["pdf", "geojson", "csv"]) -> HttpResponse:
    """Return the handover of a search: a sheet to print, a table of its segments, or the file that another crew reads in."""
    facts = queries.handover_of(search_id, request.user.full_name or request.user.username)
    kind, written = _FORMS[form]
    answer = HttpResponse(written(facts), content_type=kind)
    answer["Content-Disposition"] = f'attachment; filename="handover-{stem_of(facts.search.name, "search")}.{form}"'
    return answer


@router.get("/searches/{search_id}", response=SearchOut, operation_id="get_search", summary="A search as it stands")
def get_search(request: SignedIn, search_id: UUID) -> object:
    """Return a search with shares as its reports leave them."""
    return queries.search_of(search_id)


@router.put("/searches/{search_id}", response=SearchOut, operation_id="save_search", summary="Save a search")
def save_search(request: SignedIn, search_id: UUID, version: int, data: SearchIn) -> object:
    """Save a search over the version that was seen."""
    services.save_search(
        actor=request.user,
        search_id=search_id,
        version=version,
        name=data.name,
        what=data.what,
        person=data.person,
        kind_id=data.kind_id,
    )
    return queries.search_of(search_id)


@router.delete("/searches/{search_id}", response=SearchOut, operation_id="archive_search", summary="Archive a search")
def archive_search(request: SignedIn, search_id: UUID) -> object:
    """Archive a search."""
    services.set_search_archived(actor=request.user, search_id=search_id, archived=True)
    return queries.search_of(search_id)


@router.post("/searches/{search_id}/restore", response=SearchOut, operation_id="restore_search", summary="Restore a search")
def restore_search(request: SignedIn, search_id: UUID) -> object:
    """Restore a search."""
    services.set_search_archived(actor=request.user, search_id=search_id, archived=False)
    return queries.search_of(search_id)


@router.post("/searches/{search_id}/end", response=SearchOut, operation_id="end_search", summary="End or resume a search")
def end_search(request: SignedIn, search_id: UUID, data: SearchEndIn) -> object:
    """End a search or resume it."""
    services.end_search(actor=request.user, search_id=search_id, ended=data.ended, forget=data.forget)
    return queries.search_of(search_id)


@router.post("/searches/{search_id}/segments", response=SearchOut, operation_id="lay_segments", summary="Lay segments")
def lay_segments(request: SignedIn, search_id: UUID, data: LaySegmentsIn) -> object:
    """Lay segments over the ground round the last known point."""
    services.lay_segments(actor=request.user, search_id=search_id, how=data.how, side_m=data.side_m, bearing_deg=data.bearing_deg)
    return queries.search_of(search_id)


@router.get("/searches/{search_id}/next", response=NextOut, operation_id="next_ground", summary="Which ground next")
def next_ground(request: SignedIn, search_id: UUID) -> object:
    """Return which ground next, with what each choice gives up; or why nothing can be said."""
    return queries.next_of(search_id)


@router.get(
    "/searches/{search_id}/first", response=list[PatternOut], operation_id="first_patterns", summary="Patterns to begin with"
)
def first_patterns(request: SignedIn, search_id: UUID) -> object:
    """Return patterns to begin with, the one that gains most by the minute first."""
    return queries.first_patterns(search_id)


@router.post("/searches/{search_id}/first", response=SearchOut, operation_id="launch_first", summary="Begin in the air")
def launch_first(request: SignedIn, search_id: UUID, data: FirstPatternIn) -> object:
    """Begin a search with a pattern: its job, and a day that opens now."""
    services.launch_first(actor=request.user, search_id=search_id, pattern=data.pattern)
    return queries.search_of(search_id)


@router.post("/searches/{search_id}/give", response=SegmentGiven, operation_id="give_segment", summary="Give out a segment")
def give_segment(request: SignedIn, search_id: UUID, data: GiveSegmentIn) -> object:
    """Make the job that flies a segment; it joins the search's day where that is running."""
    job, sorties = services.give_segment(
        actor=request.user,
        search_id=search_id,
        segment=data.segment,
        coverage=data.coverage,
        aircraft_id=data.aircraft_id,
    )
    return SegmentGiven(job.pk, job.letter, sorties)


@router.post("/searches/{search_id}/reports", response={201: SearchOut}, operation_id="add_search_report", summary="Report")
def add_report(request: SignedIn, search_id: UUID, data: SearchReportIn) -> object:
    """Report a segment searched, a clue, a find or a note."""
    services.add_report(actor=request.user, search_id=search_id, key=data.key, kind=data.kind, figures=data.figures, at=data.at)
    return 201, queries.search_of(search_id)


@router.post(
    "/searches/{search_id}/photos", response={201: PhotoKey}, operation_id="add_search_photo", summary="Keep a photo of a clue"
)
def add_search_photo(request: SignedIn, search_id: UUID, file: File[UploadedFile]) -> object:
    """Keep a photo, made small; a report names it by its key."""
    data = file.read(settings.PHOTO_MOST_BYTES + 1)
    return 201, PhotoKey(services.add_search_photo(actor=request.user, search_id=search_id, data=data).key)


@router.get("/searches/photos/{photo_key}", operation_id="get_search_photo", summary="A photo of a clue")
def get_search_photo(request: SignedIn, photo_key: UUID) -> HttpResponse:
    """Return it as JPEG. It is deleted with what is known of the person."""
    answer = HttpResponse(queries.photo_of(photo_key), content_type="image/jpeg")
    answer["Cache-Control"] = "private, no-store"
    return answer


@router.delete(
    "/searches/{search_id}/reports/{report_key}",
    response=SearchOut,
    operation_id="take_back_report",
    summary="Take a report back",
)
def take_back(request: SignedIn, search_id: UUID, report_key: UUID) -> object:
    """Take a report back: shares stand as if it had never come."""
    services.take_back_report(actor=request.user, search_id=search_id, key=report_key)
    return queries.search_of(search_id)


@router.post("/searches/{search_id}/flown/{job_id}", response=SearchOut, operation_id="report_flown", summary="Report as flown")
def report_flown(request: SignedIn, search_id: UUID, job_id: UUID) -> object:
    """Report a segment with the POD of what was truly covered."""
    services.report_flown(actor=request.user, search_id=search_id, job_id=job_id)
    return queries.search_of(search_id)


@router.get("/person-kinds", response=list[PersonKindOut], operation_id="person_kinds", summary="Kinds of person")
def person_kinds(request: SignedIn) -> object:
    """Return kinds of person with their tables of distances."""
    return queries.kinds()


@router.post("/person-kinds", response={201: PersonKindOut}, operation_id="add_person_kind", summary="Add a kind of person")
def add_kind(request: SignedIn, data: PersonKindIn) -> object:
    """Make a kind of person."""
    return 201, queries.kind_view(services.keep_kind(actor=request.user, **data.dict()))


@router.put("/person-kinds/{kind_id}", response=PersonKindOut, operation_id="save_person_kind", summary="Save a kind of person")
def save_kind(request: SignedIn, kind_id: UUID, data: PersonKindIn) -> object:
    """Change a kind of person."""
    return queries.kind_view(services.keep_kind(actor=request.user, kind_id=kind_id, **data.dict()))


@router.delete(
    "/person-kinds/{kind_id}", response=PersonKindOut, operation_id="archive_person_kind", summary="Archive a kind of person"
)
def archive_kind(request: SignedIn, kind_id: UUID) -> object:
    """Archive a kind of person."""
    return queries.kind_view(services.set_kind_archived(actor=request.user, kind_id=kind_id, archived=True))


@router.post(
    "/person-kinds/{kind_id}/restore",
    response=PersonKindOut,
    operation_id="restore_person_kind",
    summary="Restore a kind of person",
)
def restore_kind(request: SignedIn, kind_id: UUID) -> object:
    """Restore a kind of person."""
    return queries.kind_view(services.set_kind_archived(actor=request.user, kind_id=kind_id, archived=False))


@router.get("/sweep-trials", response=list[SweepTrialOut], operation_id="sweep_trials", summary="Trials of sweep width")
def sweep_trials(request: SignedIn) -> object:
    """Return trials of sweep width, the newest first."""
    return queries.trials()


@router.post("/sweep-trials", response={201: SweepTrialOut}, operation_id="keep_sweep_trial", summary="Keep a trial")
def keep_trial(request: SignedIn, data: SweepTrialIn) -> object:
    """Keep a trial: searches over such ground count with it from now on."""
    return 201, queries.trial_view(services.keep_trial(actor=request.user, of=data.of, passes=data.passes))


@router.delete("/sweep-trials/{trial_id}", response=SweepTrialOut, operation_id="archive_sweep_trial", summary="Archive a trial")
def archive_trial(request: SignedIn, trial_id: UUID) -> object:
    """Archive a trial."""
    return queries.trial_view(services.set_trial_archived(actor=request.user, trial_id=trial_id, archived=True))


@router.post(
    "/sweep-trials/{trial_id}/restore", response=SweepTrialOut, operation_id="restore_sweep_trial", summary="Restore a trial"
)
def restore_trial(request: SignedIn, trial_id: UUID) -> object:
    """Restore a trial."""
    return queries.trial_view(services.set_trial_archived(actor=request.user, trial_id=trial_id, archived=False))
