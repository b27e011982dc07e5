"""A day's schedule as CSV and JSON; one row for each flight, charge and call."""

from __future__ import annotations

import csv
import io
import json
from datetime import datetime
from operator import itemgetter
from typing import Any

from quarry.apps.day.formats.calls import at, call_words, names_of
from quarry.apps.day.views.plan import PlanOfDay

COLUMNS = ("what", "name", "start", "end", "aircraft", "pack", "port", "from_percent", "to_percent", "words")


def _safe(text: str) -> str:
    # A spreadsheet must not take a cell for a formula.
    return f"'{text}" if text.startswith(("=", "+", "-", "@", "\t", "\r")) else text


def rows(opens: datetime, plan: PlanOfDay) -> list[dict[str, str]]:
    """Return the schedule as rows of text, in order of time."""
    aircraft = names_of(plan)

    def moment(seconds: float) -> str:
        return at(opens, seconds).isoformat()

    found: list[dict[str, str]] = []
    for f in plan.flights:
        row = {"what": "flight", "name": f.flight, "start": moment(f.takeoff_s), "end": moment(f.landing_s)}
        more = {"aircraft": aircraft.get(f.aircraft, ""), "pack": f.set, "to_percent": f"{100 * f.landing_frac:.0f}"}
        found.append(row | more)
    for p in plan.packs:
        for b in p.beds:
            if b.state == "charging":
                row = {"what": "charge", "name": p.name, "start": moment(b.start_s), "end": moment(b.end_s), "pack": p.name}
                a, z = (100 * b.curve[k][1] for k in (0, -1))
                found.append(row | {"port": b.label, "from_percent": f"{a:.0f}", "to_percent": f"{z:.0f}"})
    for c in plan.calls:
        row = {"what": "call", "name": c.kind, "start": moment(c.at_s), "pack": c.member or c.set}
        found.append(row | {"aircraft": aircraft.get(c.aircraft, ""), "words": call_words(c, aircraft)})
    return sorted(found, key=itemgetter("start", "what"))


def as_csv(opens: datetime, plan: PlanOfDay) -> bytes:
    """Return the schedule as CSV with a byte order mark, so that spreadsheets read its letters."""
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, restval="", lineterminator="\r\n")
    writer.writeheader()
    writer.writerows({k: _safe(v) for k, v in r.items()} for r in rows(opens, plan))
    return b"\xef\xbb\xbf" + out.getvalue().encode()


def as_json(day: Any, number: int, opens: datetime, plan: PlanOfDay) -> bytes:
    """Return day, schedule and figures as JSON."""
    document = {
        "day": day,
        "plan": number,
        "opens": opens.isoformat(),
        "last_landing": at(opens, plan.finish_s).isoformat(),
        "nine_in_ten_by": at(opens, plan.chance.p90_s).isoformat() if plan.chance else None,
        "rows": rows(opens, plan),
    }
    return json.dumps(document, indent=1, default=str).encode()
