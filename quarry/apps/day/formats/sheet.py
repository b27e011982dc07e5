"""The day on one page for the windscreen."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from html import escape

from quarry.apps.day.formats.calls import at, call_words, names_of
from quarry.apps.day.views.plan import DayGate, DayOut, PlanOfDay
from quarry.apps.printed import named, printed

_STYLE = """
@page { size: A4; margin: 10mm 11mm }
body { margin: 0; color: #000; font-family: 'DejaVu Sans', sans-serif; line-height: 1.28 }
h1 { font-size: 19pt; margin: 0 } h2 { font-size: 10pt; margin: 2.5mm 0 1mm; border-bottom: .4mm solid #000 }
p { margin: .6mm 0 } .big { font-size: 30pt; font-weight: bold; line-height: 1 } .side { float: right; text-align: right }
table { border-collapse: collapse; width: 100% } td { padding: .25mm 1mm; vertical-align: top } td:first-child { font-weight: bold; width: 13mm }
.calls { column-gap: 6mm } .calls p { break-inside: avoid } .warn { font-weight: bold } .fine { font-size: 7.5pt }
.box { border: .4mm solid #000; padding: 1mm 2mm }
"""
_SAFETY = (
    "Never charge below freezing or unwatched. The pilot in command may always be stricter; "
    "the maker's manual, aviation law, electrical and fire codes take precedence over this sheet."
)


def sheet_html(day: DayOut, number: int, opens: datetime, plan: PlanOfDay) -> str:
    """Return the sheet as HTML; the type gets smaller with many calls, so that it stays one page."""

    def clock(s: float) -> str:
        return at(opens, s).strftime("%H:%M")

    aircraft = names_of(plan)
    calls = [c for c in plan.calls if c.kind not in ("off_port",) or len(plan.calls) < 90]
    size, columns = _fit(len(calls) + 3 * len(plan.flights) // 2)
    lines = "".join(
        f"<p{' class=warn' if c.kind in ('turn_back', 'launch') else ''}>{clock(c.at_s)} {escape(call_words(c, aircraft))}</p>"
        for c in calls
    )
    chance = plan.chance
    sure = f"nine days in ten by <b>{clock(chance.p90_s)}</b><br>" if chance else ""
    gates = "".join(f"<tr><td>{escape(g.letter)}</td><td>{_gate(g, clock)}</td></tr>" for g in plan.gates)
    packs = ", ".join(
        f"{named(p.name)} {p.beds[0].curve[0][1]:.0%}" if p.beds else f"{named(p.name)} out: {escape(p.grounded)}"
        for p in plan.packs
    )
    supply = "; ".join(
        f"{named(s.name)} {s.can_give_w:.0f} W"
        + (f", {s.litres:.1f} l" if s.litres else "")
        + (f", refuel {', '.join(clock(t) for t in s.refuel_s)}" if s.refuel_s else "")
        for s in plan.supply.each
    )
    outlets = "; ".join(f"{named(c)} → {named(o)}" for c, o in plan.supply.outlet_of.items())
    cautions = "".join(f"<p class=warn>! {escape(c)}</p>" for c in plan.cautions)
    fixed = "".join(f"<p>fixed: {escape(p.words)}</p>" for p in plan.pins)
    flights = "".join(
        f"<tr><td>{escape(f.flight)}</td><td>{clock(f.takeoff_s)} to {clock(f.landing_s)}</td>"
        f"<td>{escape(aircraft.get(f.aircraft, ''))}</td><td>{named(f.set)}</td><td>lands at {f.landing_frac:.0%}</td></tr>"
        for f in plan.flights
    )
    return f"""<!doctype html><html lang="en"><title>{escape(day.name)}</title><style>{_STYLE}
body {{ font-size: {size}pt }} .calls {{ columns: {columns} }}</style><body>
<div class="side"><span class="big">{clock(plan.finish_s)}</span><br>last landing<br>{sure}plan {number}</div>
<h1>{escape(day.name)}</h1><p>{escape(day.date)}, {day.opens} to {day.closes}{" the next day" if day.closes <= day.opens else ""} ({escape(day.time_zone)})</p>
<p>Packs: {packs}</p><p>Supply: {supply or "none"}{". " + outlets if outlets else ""}</p>{fixed}{cautions}
<h2>Limits and fallback landing places</h2><table>{gates}</table>
<h2>Sorties</h2><table>{flights}</table>
<h2>Calls</h2><div class="calls">{lines}</div><p class="fine">{_SAFETY}</p></body></html>"""


def _fit(lines: int) -> tuple[float, int]:
    for most, size, columns in ((60, 10.0, 2), (100, 9.0, 3), (140, 7.5, 3), (210, 6.2, 4)):
        if lines <= most:
            return size, columns
    return 4.8, 5


def _gate(g: DayGate, clock: Callable[[float], str]) -> str:
    limit = "no gust limit" if g.limit_m_s is None else f"gust at {g.height_m:.0f} m below {g.limit_m_s:.1f} m/s"
    closed = _spans([h.start_s for h in g.hours if h.word == "no" and not h.unknown], clock)
    care = _spans([h.start_s for h in g.hours if h.word == "care"], clock)
    unknown = all(h.unknown for h in g.hours) if g.hours else True
    words = [escape(g.name), limit]
    words += [f"<b>closed {', '.join(closed)}</b>"] if closed else []
    words += [f"with care {', '.join(care)}"] if care else []
    words += ["<b>no weather known</b>"] if unknown else []
    words.append(f"fallback: {escape(', '.join(g.fallbacks))}" if g.fallbacks else "<b>no fallback chosen</b>")
    return " · ".join(words)


def _spans(starts: list[float], clock: Callable[[float], str]) -> list[str]:
    """Return hours as spans, neighbours as one."""
    found: list[list[float]] = []
    for start in sorted(starts):
        if found and start - found[-1][1] < 1.0:
            found[-1][1] = start + 3600.0
        else:
            found.append([start, start + 3600.0])
    return [f"{clock(max(0.0, a))} to {clock(b)}" for a, b in found]


def sheet_pdf(day: DayOut, number: int, opens: datetime, plan: PlanOfDay) -> bytes:
    """Return the sheet as PDF."""
    return printed(sheet_html(day, number, opens, plan))
