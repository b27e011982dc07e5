"""Reports of a search: checked when they come, and in words."""

from __future__ import annotations

from dataclasses import replace
from uuid import UUID

from quarry.apps.search.fields import ReportFields, SearchFields
from quarry.apps.search.models import SearchReport
from quarry.apps.search.views import SearchReportOut
from quarry.core.base.errors import MissingInput, require_range
from quarry.core.ground.coordinates import written
from quarry.core.ground.geodesy import check_lonlat
from quarry.core.ground.search import detection_frac

_METHODS = {"coverage": "POD of its coverage", "observer": "POD as the observer puts it", "as flown": "POD as flown"}


def checked_report(kind: str, r: ReportFields, f: SearchFields) -> ReportFields:
    """Return a report with its POD worked out.

    Raises
    ------
    SearchError
        It lacks what its kind needs, or speaks of what is not there; at its field.
    """
    names = {s.id for s in f.segments}
    if kind == "searched":
        if r.segment not in names:
            raise MissingInput("Choose the segment that was searched.", "segment")
        if r.detection_frac is not None:
            require_range(r.detection_frac, 0.0, 1.0, "detection_frac", "POD", "")
            return replace(r, method=r.method or "observer")
        if r.coverage is None:
            raise MissingInput("Enter the coverage, or the POD as the observer puts it.", "detection_frac")
        require_range(r.coverage, 0.0, 20.0, "coverage", "Coverage", "")
        return replace(r, detection_frac=detection_frac(r.coverage, f.law), method="coverage")
    if kind in ("clue", "find"):
        if r.place is None:
            raise MissingInput("Say where: coordinates in any notation, or a tap on the map.", "place")
        check_lonlat(*r.place, "place")
        for key, times in r.likelier.items():
            if key != "rest" and key not in names:
                raise MissingInput("A clue speaks of a segment that this search does not have.", "likelier")
            require_range(times, 0.0, 1000.0, "likelier", "How many times likelier", "")
        return r
    if kind == "note" and not r.words.strip():
        raise MissingInput("Write what is to be noted.", "words")
    return r


def report_out(row: SearchReport, r: ReportFields, f: SearchFields, taken_back: str, photos: list[UUID]) -> SearchReportOut:
    """Return a report as screens show it."""
    name = next((s.name for s in f.segments if s.id == r.segment), r.segment)
    words = r.words
    if row.kind == "searched":
        found = f"{r.detection_frac or 0.0:.0%}"
        by = f" by {r.who}" if r.who else ""
        words = f"Segment {name} searched{by}: {_METHODS.get(r.method, 'POD')} {found}." + (f" {r.words}" if r.words else "")
    return SearchReportOut(
        key=row.key,
        kind=row.kind,
        at=row.at.isoformat(),
        written_at=row.written_at.isoformat(),
        by=row.by_name,
        segment=r.segment,
        words=words,
        detection_frac=r.detection_frac,
        place=r.place,
        notations=written(*r.place) if r.place else [],
        certainty=r.certainty,
        taken_back=taken_back,
        photos=photos,
    )
