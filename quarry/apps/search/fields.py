"""What people enter of a search, and what is reported of it: typed shapes of its JSON fields."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal, TypeVar

from pydantic import TypeAdapter, ValidationError

from quarry.apps.search.models import Search, SearchReport
from quarry.core.base.errors import MissingInput
from quarry.core.base.shapes import plain
from quarry.core.ground.search import DetectionLaw
from quarry.core.search.assumed_widths import Cover, Sensor

Place = tuple[float, float]
T = TypeVar("T")
ReportKind = Literal["searched", "clue", "find", "note", "taken_back"]


@dataclass(frozen=True, slots=True)
class SegmentFields:
    """A segment: its name and ring, what grows there, how one gets there, what is dangerous; its share where one is typed."""

    id: str
    name: str
    ring: list[Place]
    cover: Cover = "open"
    access: str = ""
    hazards: str = ""
    share: float | None = None


@dataclass(frozen=True, slots=True)
class TeamFields:
    """A team on foot or a dog: where it starts, how fast it goes, from when until when. Clock times as 10:00, empty: open."""

    name: str
    kind: Literal["team", "dog"] = "team"
    speed_m_s: float = 0.8
    at: Place | None = None
    from_clock: str = ""
    until_clock: str = ""


@dataclass(frozen=True, slots=True)
class WeightFields:
    """How much each way of estimating counts."""

    rings: float = 1.0
    travel: float = 0.0
    people: float = 0.0
    typed: float = 0.0


@dataclass(frozen=True, slots=True)
class EstimateFields:
    """One person's estimate: a number for each segment by its id, and one for the rest of the world, on any scale."""

    by: str
    of: dict[str, float]
    rest: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class SearchFields:
    """Everything of a search that people enter, but for its name, kind of person and day.

    ``point``: last known point. ``widths``: sweep width of the aircraft by cover where it is not assumed. ``until``: the hour
    that counts, ISO with zone, empty: three hours from now. ``rest``: typed share of the rest of the world.
    """

    point: Place | None = None
    seen_at: str = ""
    radius_m: float = 1000.0
    home: Place | None = None
    segments: list[SegmentFields] = field(default_factory=list)
    rest: float | None = None
    weights: WeightFields = field(default_factory=WeightFields)
    estimates: list[EstimateFields] = field(default_factory=list)
    paths: list[list[Place]] = field(default_factory=list)
    waters: list[list[Place]] = field(default_factory=list)
    aircraft_ids: list[str] = field(default_factory=list)
    sensor: Literal["camera", "thermal"] = "camera"
    speed_m_s: float = 9.0
    height_m: float = 60.0
    law: DetectionLaw = "random"
    widths: dict[str, float] = field(default_factory=dict)
    teams: list[TeamFields] = field(default_factory=list)
    until: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class ReportFields:
    """A report. ``searched``: a segment with coverage or POD by an observer; ``clue``, ``find``: a place and how sure it is.

    ``likelier``: how many times likelier a clue makes each segment, by id; others once. ``takes_back``: the key of another report.
    ``photos``: keys of photos that were kept before.
    """

    segment: str = ""
    job_id: str = ""
    who: str = ""
    coverage: float | None = None
    detection_frac: float | None = None
    method: Literal["", "coverage", "observer", "as flown"] = ""
    words: str = ""
    place: Place | None = None
    certainty: Literal["", "sure", "likely", "doubtful"] = ""
    likelier: dict[str, float] = field(default_factory=dict)
    takes_back: str = ""
    photos: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True, kw_only=True)
class TrialFields:
    """Under what a trial of sweep width was flown."""

    sensor: Sensor
    cover: Cover
    target: str = ""
    height_m: float | None = None
    speed_m_s: float | None = None
    light: str = ""


_WHAT = TypeAdapter(SearchFields)
_REPORT = TypeAdapter(ReportFields)


def fields_of(row: Search) -> SearchFields:
    """Return what people entered of a search; raises `MissingInput` at a figure that cannot be read."""
    return _read(_WHAT, row.what, "what")


def report_of(row: SearchReport) -> ReportFields:
    """Return a report as it was written."""
    return _read(_REPORT, row.figures, "figures")


def read_what(entered: Any) -> SearchFields:
    """Return what was entered of a search; raises `MissingInput` at a figure that cannot be read."""
    return _read(_WHAT, entered, "what")


def read_report(entered: Any) -> ReportFields:
    """Return a report that was entered; raises `MissingInput` at a figure that cannot be read."""
    return _read(_REPORT, entered, "figures")


def as_kept(thing: SearchFields | ReportFields) -> Any:
    """Return what was entered as it is kept."""
    return plain(thing)


def _read(shape: TypeAdapter[T], value: Any, name: str) -> T:
    try:
        return shape.validate_python(value)
    except ValidationError as bad:
        first = bad.errors(include_url=False, include_input=False)[0]
        where = ".".join([name, *(str(part) for part in first.get("loc", ()))])
        raise MissingInput(f"This cannot be read: {first['msg'].lower()}. Enter it again.", where) from bad
