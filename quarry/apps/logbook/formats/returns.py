"""Totals to hand in to an authority or insurer: CSV, and a signed sheet as PDF."""

from __future__ import annotations

import csv
import io
from html import escape

from quarry.apps.files import safe
from quarry.apps.logbook.views import TotalRow, TotalsOut
from quarry.apps.printed import printed

_HEADS = {
    "name": "",
    "flights": "flights",
    "hours": "hours",
    "longest_min": "longest, min",
    "cycles": "cycles",
    "hectares": "hectares",
    "litres": "litres",
    "with_log": "with a log",
    "warned": "with a warning",
    "early": "landed early",
}
_BY = {
    "month": "Month",
    "season": "Season",
    "person": "Person",
    "aircraft": "Aircraft",
    "model": "Model",
    "firmware": "Firmware",
    "pack": "Pack",
    "job": "Job",
    "warning": "Warning",
    "landing": "Landing",
}
_STYLE = """
@page { size: A4; margin: 18mm 16mm; @bottom-right { content: counter(page) " of " counter(pages); font: 8pt 'DejaVu Sans' } }
body { font: 9.5pt/1.4 'DejaVu Sans', sans-serif; color: #000; margin: 0 } h1 { font-size: 17pt; margin: 0 0 1mm }
table { border-collapse: collapse; width: 100%; margin-top: 6mm } thead { display: table-header-group }
th { text-align: right; border-bottom: .5mm solid #000; padding: 1mm 2mm; font-size: 8.5pt } th:first-child, td:first-child { text-align: left }
td { text-align: right; border-bottom: .1mm solid #666; padding: 1mm 2mm } tr { break-inside: avoid } .sum td { font-weight: bold; border-top: .5mm solid #000 }
.fine { font-size: 8pt; margin-top: 6mm } .sign { margin-top: 16mm; display: flex; gap: 12mm } .sign p { border-top: .3mm solid #000; width: 70mm; padding-top: 1mm; margin: 0 }
"""


def _row(r: TotalRow) -> dict[str, str | int]:
    return {
        "name": r.name,
        "flights": r.flights,
        "hours": f"{r.flown_s / 3600:.2f}",
        "longest_min": f"{r.longest_s / 60:.1f}",
        "cycles": f"{r.cycles:.1f}",
        "hectares": f"{r.hectares:.2f}",
        "litres": f"{r.litres:.1f}",
        "with_log": r.with_log,
        "warned": r.warned,
        "early": r.early,
    }


def totals_csv(totals: TotalsOut) -> str:
    """Return totals as CSV, the sum last."""
    buffer = io.StringIO()
    out = csv.writer(buffer, lineterminator="\r\n")
    out.writerow([_BY[totals.by].lower(), *list(_HEADS.values())[1:]])
    for r in [*totals.rows, totals.sum]:
        out.writerow([safe(v) for v in _row(r).values()])
    return buffer.getvalue()


def totals_html(totals: TotalsOut, organisation: str, today: str) -> str:
    """Return the sheet of totals as HTML."""
    span = f"{totals.begins or 'the first flight'} to {totals.ends or today}"
    heads = "".join(f"<th>{escape(h)}</th>" for h in (_BY[totals.by], *list(_HEADS.values())[1:]))

    def line(r: TotalRow, mark: str = "") -> str:
        return f"<tr{mark}>" + "".join(f"<td>{escape(str(v))}</td>" for v in _row(r).values()) + "</tr>"

    rows = "".join(line(r) for r in totals.rows) or "<tr><td colspan=10>Nothing was flown in this time.</td></tr>"
    return f"""<!doctype html><html lang="en"><title>Return of flights</title><style>{_STYLE}</style><body>
<h1>Return of flights</h1><p>{escape(organisation)} · {escape(span)} · made on {escape(today)}</p>
<table><thead><tr>{heads}</tr></thead><tbody>{rows}{line(totals.sum, " class=sum")}</tbody></table>
<p class=fine>Each flight from take-off to landing, counted once; packs that fly together each have the flight under “Pack”. A cycle is one full
charge used up. Hectares and litres as planned for each sortie and recorded by the crew. “With a log”: flights of which the aircraft's own log is kept, “with a warning” those of them in which the battery warned. “Landed early”: more than a minute and 15 % before its planned time.</p>
<div class=sign><p>Date and place</p><p>Signature of the operations lead</p></div></body></html>"""


def totals_pdf(totals: TotalsOut, organisation: str, today: str) -> bytes:
    """Return the sheet of totals as PDF."""
    return printed(totals_html(totals, organisation, today))
