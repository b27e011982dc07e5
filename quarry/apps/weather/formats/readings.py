"""A table of readings as CSV: every wrong cell is told by line and column; nothing is read by half."""

from __future__ import annotations

import csv
import io
from datetime import UTC, datetime
from typing import Any

Plain = dict[str, Any]
NUMBERS: dict[str, tuple[float, float]] = {
    "wind_m_s": (0.0, 60.0),
    "gust_m_s": (0.0, 90.0),
    "from_deg": (0.0, 360.0),
    "height_m": (0.5, 500.0),
    "air_c": (-60.0, 60.0),
    "dew_point_c": (-70.0, 40.0),
    "pressure_hpa": (500.0, 1090.0),
    "rain_mm_h": (0.0, 300.0),
    "snow_mm_h": (0.0, 100.0),
    "visibility_m": (0.0, 100_000.0),
    "ceiling_m": (0.0, 20_000.0),
}
MOST_ROWS = 2000


def read_readings(data: bytes) -> tuple[list[Plain], list[Plain]]:
    """Return (readings, problems); with any problem nothing should be kept."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return [], [{"line": 0, "column": "", "message": "The file is not text in UTF-8. Save it as CSV in UTF-8."}]
    head = text.split("\n", 1)[0]
    rows = csv.DictReader(io.StringIO(text), delimiter=";" if head.count(";") > head.count(",") else ",")
    columns = [c.strip() for c in rows.fieldnames or []]
    if "time" not in columns or not set(columns) & set(NUMBERS):
        wanted = ", ".join(["time", *NUMBERS])
        return [], [
            {"line": 1, "column": "time", "message": f"The first line names the columns: {wanted}; time and one more at least."}
        ]
    found: list[Plain] = []
    problems: list[Plain] = []
    for row in rows:
        if len(found) >= MOST_ROWS:
            problems.append({"line": rows.line_num, "column": "", "message": f"More than {MOST_ROWS} rows. Split the file."})
            break
        clean = {(k or "").strip(): (v or "").strip() if isinstance(v, str) else "" for k, v in row.items()}
        if any(clean.values()):
            found.append(_reading(clean, rows.line_num, problems))
    return ([], problems[:50]) if problems else (found, [])


def _reading(row: dict[str, str], line: int, problems: list[Plain]) -> Plain:
    reading: Plain = {}
    try:
        at = datetime.fromisoformat(row.get("time", ""))
        reading["at"] = at.replace(tzinfo=UTC) if at.tzinfo is None else at
    except ValueError:
        problems.append(
            {"line": line, "column": "time", "message": "Write the time as 2031-05-06T10:20+01:00; without a zone it is UTC."}
        )
    for key, (low, high) in NUMBERS.items():
        raw = row.get(key, "")
        if not raw:
            continue
        try:
            value = float(raw.replace(",", "."))
        except ValueError:
            value = float("nan")
        if not low <= value <= high:
            problems.append({"line": line, "column": key, "message": f"{raw[:20]} is no number from {low:g} to {high:g}."})
        else:
            reading[key] = value
    return reading
