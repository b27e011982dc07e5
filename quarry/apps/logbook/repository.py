"""What the logbook keeps as JSON, typed: heads of logs, what was said of columns, figures, matches, claims, reports."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter

from quarry.apps.logbook.models import Flight, Import, LogFile, Source
from quarry.apps.logbook.views import (
    Candidate,
    ColumnSaid,
    FlightClaimOut,
    FlightFigures,
    FlightMark,
    HoldOut,
    LookOut,
    PhaseDraw,
    ReportLine,
    WindMet,
)

_LOOK = TypeAdapter(LookOut)
_HOLDS = TypeAdapter(list[HoldOut])
_SAID = TypeAdapter(dict[str, ColumnSaid])
_FIGURES = TypeAdapter(FlightFigures)
_CANDIDATES = TypeAdapter(list[Candidate])
_CLAIMS = TypeAdapter(dict[str, FlightClaimOut])
_REPORT = TypeAdapter(list[ReportLine])
_PHASES = TypeAdapter(list[tuple[str, float, float]])
_BY_PHASE = TypeAdapter(list[PhaseDraw])
_MARKS = TypeAdapter(list[FlightMark])
_WIND: TypeAdapter[WindMet | None] = TypeAdapter(WindMet | None)


def look_of(row: LogFile) -> LookOut:
    """Return the head of a log with what its columns are taken for."""
    return _LOOK.validate_python(row.look)


def look_json(look: LookOut) -> Any:
    """Return a head as it is kept."""
    return _LOOK.dump_python(look, mode="json")


def holds_of(row: LogFile) -> list[HoldOut]:
    """Return what a log says against itself; a log that was held by an older version says it in its doubts alone."""
    return _HOLDS.validate_python(row.holds)


def holds_json(holds: list[HoldOut]) -> Any:
    """Return what a log says against itself as it is kept."""
    return _HOLDS.dump_python(holds, mode="json")


def columns_of(row: Source) -> dict[str, ColumnSaid]:
    """Return what people have said of the columns of a kind of log, by header."""
    return _SAID.validate_python(row.columns)


def columns_json(columns: dict[str, ColumnSaid]) -> Any:
    """Return what was said of columns as it is kept."""
    return _SAID.dump_python(columns, mode="json")


def figures_of(row: Flight) -> FlightFigures:
    """Return the figures of a flight."""
    return _FIGURES.validate_python(row.figures)


def candidates_of(row: Flight) -> list[Candidate]:
    """Return the recorded flights that a log may be of, best first."""
    return _CANDIDATES.validate_python(row.candidates)


def candidates_json(found: list[Candidate]) -> Any:
    """Return recorded flights as they are kept."""
    return _CANDIDATES.dump_python(found, mode="json")


def claims_of(row: Flight) -> dict[str, FlightClaimOut]:
    """Return by subject what was claimed of a flight, and what it measured."""
    return _CLAIMS.validate_python(row.claims)


def claims_json(claims: dict[str, FlightClaimOut]) -> Any:
    """Return claims as they are kept."""
    return _CLAIMS.dump_python(claims, mode="json")


def report_of(row: Import) -> list[ReportLine]:
    """Return what came of each file of an import."""
    return _REPORT.validate_python(row.report)


def report_json(report: list[ReportLine]) -> Any:
    """Return a report as it is kept."""
    return _REPORT.dump_python(report, mode="json")


def phases_of(row: Flight) -> list[tuple[str, float, float]]:
    """Return the stretches of a flight: kind, from, to. [s]"""
    return _PHASES.validate_python(row.phases)


def by_phase_of(row: Flight) -> list[PhaseDraw]:
    """Return what each kind of stretch drew."""
    return _BY_PHASE.validate_python(row.by_phase)


def marks_of(row: Flight) -> list[FlightMark]:
    """Return the changes of mode and the warnings of a flight."""
    return _MARKS.validate_python(row.marks)


def wind_of(row: Flight) -> WindMet | None:
    """Return the wind that a flight met, where it tells."""
    return _WIND.validate_python(row.wind)
