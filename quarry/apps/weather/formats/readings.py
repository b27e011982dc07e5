"""A table of readings as CSV: every wrong cell is named by line and column; nothing is read by half."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from datetime import UTC, datetime

from quarry.apps.weather.fields import RANGES, AirFigures, read_figures
from quarry.apps.weather.views import TableProblem

MOST_ROWS = 2000
_MOST_PROBLEMS = 50


@dataclass(frozen=True, slots=True)
class TableReading:
    """A row of a table: its line, when it was read, and what."""

    line: int
    at: datetime
    figures: AirFigures


def read_readings(data: bytes) -> tuple[list[TableReading], list[TableProblem]]:
    """Return (readings, problems); with any problem nothing should be kept."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return [], [TableProblem(line=0, column="", message="The file is not text in UTF-8. Save it as CSV in UTF-8.")]
    head = text.split("\n", 1)[0]
    rows = csv.DictReader(io.StringIO(text), delimiter=";" if head.count(";") > head.count(",") else ",")
    columns = [c.strip() for c in rows.fieldnames or []]
    if "time" not in columns or not set(columns) & set(RANGES):
        wanted = ", ".join(["time", *RANGES])
        words = f"The first line names the columns: {wanted}; time and one more at least."
        return [], [TableProblem(line=1, column="time", message=words)]
    found: list[TableReading] = []
    problems: list[TableProblem] = []
    for row in rows:
        if len(found) >= MOST_ROWS:
            problems.append(TableProblem(line=rows.line_num, column="", message=f"More than {MOST_ROWS} rows. Split the file."))
            break
        clean = {(k or "").strip(): (v or "").strip() if isinstance(v, str) else "" for k, v in row.items()}
        reading = _reading(clean, rows.line_num, problems) if any(clean.values()) else None
        if reading is not None:
            found.append(reading)
    return ([], problems[:_MOST_PROBLEMS]) if problems else (found, [])


def _reading(row: dict[str, str], line: int, problems: list[TableProblem]) -> TableReading | None:
    figures: dict[str, float] = {}
    for key, allowed in RANGES.items():
        raw = row.get(key, "")
        if not raw:
            continue
        try:
            value = float(raw.replace(",", "."))
        except ValueError:
            value = float("nan")
        if not allowed.low <= value <= allowed.high:
            words = f"{raw[:20]} is no number from {allowed.low:g} to {allowed.high:g}."
            problems.append(TableProblem(line=line, column=key, message=words))
        else:
            figures[key] = value
    try:
        at = datetime.fromisoformat(row.get("time", ""))
    except ValueError:
        words = "Write the time as 2031-05-06T10:20+01:00; without a zone it is UTC."
        problems.append(TableProblem(line=line, column="time", message=words))
        return None
    return TableReading(line, at.replace(tzinfo=UTC) if at.tzinfo is None else at, read_figures(figures))
