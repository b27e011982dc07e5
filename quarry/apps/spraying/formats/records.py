"""Spray records as a table with chosen columns, and as pages for the file."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from datetime import datetime
from html import escape
from zoneinfo import ZoneInfo

from quarry.apps.files import safe
from quarry.apps.printed import isolated, named, printed
from quarry.apps.spraying.fields import WeatherFact
from quarry.apps.spraying.formats.mix_pdf import amount_text
from quarry.apps.spraying.views import RecordProductOut, SprayRecordOut

_STYLE = """
@page { size: A4; margin: 14mm; @bottom-left { content: string(foot); font: 7.5pt 'DejaVu Sans' }
 @bottom-right { content: counter(page) " of " counter(pages); font: 7.5pt 'DejaVu Sans' } }
body { font: 9pt/1.35 'DejaVu Sans', sans-serif; color: #000; margin: 0 } h1 { font-size: 16pt; margin: 0 } section { break-before: page } section:first-of-type { break-before: auto }
h2 { font-size: 10.5pt; margin: 4mm 0 1mm; border-bottom: .3mm solid #000; break-after: avoid } p { margin: .8mm 0 }
table { border-collapse: collapse; width: 100% } th, td { text-align: left; vertical-align: top; padding: .6mm 1.5mm .6mm 0 }
th { font-size: 8pt; border-bottom: .2mm solid #000 } td { border-bottom: .1mm solid #888 } tr { break-inside: avoid }
.n { text-align: right } .fine { font-size: 7.5pt } .foot { string-set: foot content(); font-size: 0 } .no { font-weight: bold; border: .4mm solid #000; padding: 1mm 2mm }
"""


def _clock(r: SprayRecordOut, at: str | None, form: str = "%H:%M") -> str:
    return "" if at is None else datetime.fromisoformat(at).astimezone(ZoneInfo(r.time_zone)).strftime(form)


def _number(value: float | None, digits: int = 1, scale: float = 1.0) -> str:
    return "" if value is None else f"{value * scale:.{digits}f}"


def _cells(r: SprayRecordOut, p: RecordProductOut | None) -> dict[str, object]:
    """Return what a row of the table can hold: one for each product of a record. Of the weather each time stands beside the others."""
    of = {f.key: f.value for f in r.fields}.get

    def weather(name: str, digits: int = 1, scale: float = 1.0) -> str:
        return "; ".join(_number(getattr(w, name), digits, scale) or "not measured" for w in r.weather)

    return {
        "number": r.number,
        "date": r.date,
        "begins": _clock(r, r.loads[0].from_at if r.loads else None),
        "ends": _clock(r, r.loads[-1].to_at if r.loads else None),
        "job": r.job,
        "fields": of("fields", ""),
        "crop": of("crop", ""),
        "growth": of("growth", ""),
        "product": p.name if p else "",
        "registration": p.registration if p else "",
        "batch": p.batch if p else "",
        "per_ha": f"{p.per_ha_amount:.4g}" if p else "",
        "amount": f"{p.amount:.4g}" if p else "",
        "unit": p.unit if p else "",
        "area_ha": f"{r.area_ha:.3f}",
        "litres": f"{r.litres:.1f}",
        "rate_l_ha": f"{r.rate_l_ha:g}",
        "loads": "; ".join(f"{x.sortie} {_clock(r, x.from_at)}-{_clock(r, x.to_at)} {x.litres:.1f} L" for x in r.loads),
        "wind": weather("wind_m_s"),
        "gust": weather("gust_m_s"),
        "from": weather("from_deg", 0),
        "air": weather("air_c"),
        "humidity": weather("humidity_frac", 0, 100.0),
        "delta_t": weather("delta_t_k"),
        "operator": of("operator", ""),
        "licence": of("licence", ""),
        "aircraft": of("aircraft", ""),
        "nozzle": of("nozzle", ""),
        "droplets": of("droplets", ""),
        "pressure": of("pressure_bar", ""),
        "height": of("height_m", ""),
        "kept_clear": "; ".join(r.kept_clear),
        "lacks": "; ".join(r.lacks),
        "notes": of("notes", ""),
    }


def records_csv(records: Sequence[SprayRecordOut], columns: Sequence[tuple[str, str]]) -> bytes:
    """Return records as CSV, a row for each product of each, in the columns that were chosen."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\r\n")
    table.writerow([words for _, words in columns])
    for r in records:
        products: list[RecordProductOut | None] = [*r.products] or [None]
        for p in products:
            cells = _cells(r, p)
            table.writerow([safe(cells[key]) for key, _ in columns])
    return out.getvalue().encode("utf-8-sig")


def _entries(r: SprayRecordOut) -> str:
    """Return every entry with what stood there before it."""
    zone = ZoneInfo(r.time_zone)
    rows = "".join(
        f"<tr><td>{named(e.label)}</td><td>{named(e.was) or 'nothing'}</td><td>{named(e.value) or 'nothing'}</td><td>{named(e.by)}</td>"
        f"<td>{e.at.astimezone(zone):%Y-%m-%d %H:%M}</td><td>{named(e.why)}</td></tr>"
        for e in r.entries
    )
    head = "<tr><th>Field</th><th>Before</th><th>Entered</th><th>By</th><th>At</th><th>Why</th></tr>"
    return f"<h2>Entries and corrections</h2><table>{head}{rows}</table>" if rows else ""


def _weather(r: SprayRecordOut, w: WeatherFact) -> str:
    cells = (
        f"{escape(w.words)}, due {_clock(r, w.due_at)}",
        _clock(r, w.taken_at) or "not measured",
        _number(w.wind_m_s),
        _number(w.gust_m_s),
        _number(w.from_deg, 0),
        _number(w.air_c),
        _number(w.humidity_frac, 0, 100.0),
        _number(w.delta_t_k),
        named(w.who),
    )
    return "<tr>" + "".join(f"<td>{c}</td>" for c in cells) + "</tr>"


def _section(r: SprayRecordOut, drawn: str) -> str:
    rows = "".join(
        f"<tr><td>{escape(f.label)}</td><td>{named(f.value) or 'not entered'}{' ' + f.unit if f.value and f.unit else ''}</td></tr>"
        for f in r.fields
        if f.value or f.needed
    )
    products = "".join(
        f"<tr><td>{named(p.name)}</td><td>{named(p.registration)}</td><td>{named(p.batch) or 'not entered'}</td>"
        f"<td class=n>{p.per_ha_amount:.4g} {p.unit}</td><td class=n>{amount_text(p.amount, p.unit)}</td></tr>"
        for p in r.products
    )
    loads = "".join(
        f"<tr><td>{named(x.sortie)}</td><td>{_clock(r, x.from_at)}</td><td>{_clock(r, x.to_at)}</td><td class=n>{x.litres:.1f}</td>"
        f"<td>{'counted' if x.counted else 'by the plan'}</td><td class=n>{x.area_ha:.3f}</td><td>{named(x.aircraft)}</td><td>{named(x.who)}</td></tr>"
        for x in r.loads
    )
    kept = "".join(f"<p>{escape(isolated(k))}</p>" for k in r.kept_clear) or "<p>No sensitive place was entered.</p>"
    lacks = (
        f"<p class=no>This record lacks: {escape(' '.join(r.lacks))}{' Closed without: ' + escape(r.without) if r.without else ''}</p>"
        if r.lacks
        else ""
    )
    return f"""<section><h1>Spray record {r.number:04d}</h1><p>{named(r.job)}{", " + named(r.place) if r.place else ""} · {r.date} ({escape(r.time_zone)})</p>{lacks}
<table>{rows}</table>
<h2>Products</h2><table><tr><th>Product</th><th>Registration</th><th>Batch</th><th class=n>On a hectare</th><th class=n>In all</th></tr>{products}</table>
<h2>Loads</h2><table><tr><th>Sortie</th><th>From</th><th>To</th><th class=n>Litres</th><th></th><th class=n>ha</th><th>Aircraft</th><th>Pilot</th></tr>{loads}</table>
<h2>Weather as measured</h2><table><tr><th>When</th><th>At</th><th>Wind, m/s</th><th>Gust, m/s</th><th>From, °</th><th>Air, °C</th><th>Humidity, %</th><th>Delta-T, °C</th><th>By</th></tr>{"".join(_weather(r, w) for w in r.weather)}</table>
<h2>Kept clear</h2>{kept}{drawn}{_entries(r)}</section>"""


def records_html(records: Sequence[SprayRecordOut], company: str, drawn: Sequence[str]) -> str:
    """Return records as pages; ``drawn``: for each the map of what was sprayed as SVG, empty where there is none."""
    pages = "".join(_section(r, d) for r, d in zip(records, drawn, strict=True))
    return f"""<!doctype html><html lang="en"><title>Spray records</title><style>{_STYLE}</style><body>
<p class=foot>Spray records · {named(company)}</p>{pages or "<p>No record fits.</p>"}
<p class=fine>Filled from the day as it was flown and from what was entered; corrections stand beside the first entry. It is kept in the form that local law asks for, and the label takes precedence.</p></body></html>"""


def records_pdf(records: Sequence[SprayRecordOut], company: str, drawn: Sequence[str]) -> bytes:
    """Return records as PDF."""
    return printed(records_html(records, company, drawn))
