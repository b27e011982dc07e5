"""A handover read in again: what another crew wrote, each part checked, and what could not be taken."""

from __future__ import annotations

import base64
import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from quarry.apps.search.fields import ReportFields, SearchFields, read_report, read_what
from quarry.apps.search.formats.handover import FORMAT
from quarry.core.base.errors import CoreError, MissingInput

Members = Mapping[str, Any]
_KINDS = ("searched", "clue", "find", "note")
_MOST_REPORTS, _MOST_PHOTOS = 5000, 200


@dataclass(frozen=True, slots=True)
class ReadReport:
    """A report of another crew: its key there, what and when, who wrote it, and who took it back."""

    key: UUID
    kind: str
    at: datetime
    by: str
    figures: ReportFields
    taken_back: str


@dataclass(frozen=True, slots=True)
class ReadHandover:
    """A search as another crew handed it over.

    ``photos``: as they came, not looked at yet, by the key that reports name; ``notes``: what could not be taken, and why.
    """

    name: str
    look_for: str
    company: str
    made_at: str
    kind: str
    within: Sequence[tuple[float, float]]
    what: SearchFields
    reports: Sequence[ReadReport]
    photos: Mapping[UUID, bytes]
    notes: Sequence[str]


def read_handover(data: bytes) -> ReadHandover:
    """Return the search that a handover file holds.

    Raises
    ------
    MissingInput
        It is no GeoJSON, holds no search, or its figures cannot be read; with what to do.
    """
    try:
        whole: Any = json.loads(data.decode("utf-8-sig"))
    except (ValueError, RecursionError) as bad:
        raise MissingInput("This is no GeoJSON. Choose the .geojson file of a handover.", "file") from bad
    search = whole.get("search") if isinstance(whole, dict) else None
    if not isinstance(search, dict) or not str(search.get("format", "")).startswith(FORMAT.partition("/")[0]):
        words = "This file holds no search. Choose the GeoJSON of a handover; outlines of segments are taken in a search itself."
        raise MissingInput(words, "file")
    if search.get("format") != FORMAT:
        words = (
            f"This handover was written in a form that is newer ({str(search.get('format'))[:30]}). Ask for its PDF, or update."
        )
        raise MissingInput(words, "file")
    notes: list[str] = []
    what = _what(whole, search)
    kind = _members(search.get("kind"))
    return ReadHandover(
        name=_line(search.get("name"), 80) or "Search handed over",
        look_for=_line(search.get("look_for"), 300),
        company=_line(search.get("company"), 80) or "another crew",
        made_at=_line(search.get("made_at"), 40),
        kind=_line(kind.get("name"), 60),
        within=_table(kind.get("within"), notes),
        what=what,
        reports=_reports(search.get("reports"), notes),
        photos=_photos(search.get("photos"), notes),
        notes=notes,
    )


def _what(whole: Members, search: Members) -> SearchFields:
    given = whole.get("features")
    features = [f for f in given if isinstance(f, dict)] if isinstance(given, list) else []
    entered = search.get("entered")
    if not isinstance(entered, dict):
        raise MissingInput("This handover lacks what was entered of its search. Ask for it again.", "file")
    figures: Members = {**entered, "aircraft_ids": [], "segments": list(_segments(features))}
    for f in features:
        name = {"last known point": "point", "home": "home"}.get(str(_members(f.get("properties")).get("what")))
        if name:
            figures = {**figures, name: _members(f.get("geometry")).get("coordinates")}
    try:
        return read_what(figures)
    except MissingInput as bad:
        raise MissingInput(
            f"This handover cannot be read at {bad.field.removeprefix('what.')}. Ask for it again.", "file"
        ) from bad


def _segments(features: Iterable[Members]) -> Iterable[Members]:
    for f in features:
        p, rings = _members(f.get("properties")), _members(f.get("geometry")).get("coordinates")
        if p.get("what") != "segment":
            continue
        ring = rings[0] if isinstance(rings, list) and rings and isinstance(rings[0], list) else []
        ring = ring[:-1] if len(ring) > 1 and ring[0] == ring[-1] else ring
        yield {
            "id": p.get("id"),
            "name": p.get("name"),
            "ring": [x[:2] if isinstance(x, list) else x for x in ring],
            "cover": p.get("cover") or "open",
            "access": p.get("access") or "",
            "hazards": p.get("hazards") or "",
            "share": p.get("share_typed"),
        }


def _reports(given: Any, notes: list[str]) -> list[ReadReport]:
    found: list[ReadReport] = []
    rows = given if isinstance(given, list) else []
    for k, row in enumerate(rows[:_MOST_REPORTS], start=1):
        r = _members(row)
        kind, at = r.get("kind"), _moment(r.get("at"))
        try:
            if kind not in _KINDS or at is None:
                raise ValueError(kind)
            figures = read_report(r.get("figures"))
            found.append(
                ReadReport(UUID(r.get("key")), kind, at, _line(r.get("by"), 60), figures, _line(r.get("taken_back"), 60))
            )
        except (TypeError, ValueError, AttributeError, CoreError):
            notes.append(f"Report {k} cannot be read and was left out.")
    if len(rows) > _MOST_REPORTS:
        notes.append(f"{len(rows) - _MOST_REPORTS} reports beyond the first {_MOST_REPORTS} were left out.")
    return found


def _photos(given: Any, notes: list[str]) -> dict[UUID, bytes]:
    found: dict[UUID, bytes] = {}
    rows = given if isinstance(given, list) else []
    for k, row in enumerate(rows[:_MOST_PHOTOS], start=1):
        p = _members(row)
        try:
            found[UUID(p.get("key"))] = base64.b64decode(p.get("jpeg", ""), validate=True)
        except (TypeError, ValueError, AttributeError):
            notes.append(f"Photo {k} cannot be read and was left out.")
    if len(rows) > _MOST_PHOTOS:
        notes.append(f"{len(rows) - _MOST_PHOTOS} photos beyond the first {_MOST_PHOTOS} were left out.")
    return found


def _moment(given: Any) -> datetime | None:
    try:
        at = datetime.fromisoformat(given)
    except (TypeError, ValueError):
        return None
    return at if at.tzinfo is not None else None


def _table(given: Any, notes: list[str]) -> list[tuple[float, float]]:
    try:
        return [(float(share), float(away)) for share, away in given or []]
    except (TypeError, ValueError):
        notes.append("The table of the kind of person cannot be read: rings count for nothing until a kind is chosen.")
        return []


def _members(given: Any) -> Members:
    """Return an object of JSON; none where it is something else."""
    return given if isinstance(given, dict) else {}


def _line(given: Any, most: int) -> str:
    return "".join(c if c.isprintable() else " " for c in str(given or ""))[:most].strip()
