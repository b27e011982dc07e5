"""Proof for a client of what was flown: one page of map and figures, and what they rest on."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from html import escape
from typing import Any
from zoneinfo import ZoneInfo

from quarry.apps.flown.views import AsFlownOut, FlownFigure, FlownSortieOut, Polygon
from quarry.apps.printed import SHEET_STYLE, isolated, named, printed

_W, _H = 680.0, 360.0
_STYLE = f"""{SHEET_STYLE}.side {{ float: right; text-align: right }} code {{ font: 6.8pt 'DejaVu Sans Mono', monospace }}
"""
_WORDS = {
    "mapping": "at the overlaps wanted, less ten points at the most",
    "spraying": "by the swath, moved by the drift",
    "search": "by strips as wide as the lines lie apart, and a tenth more",
}
_SOURCE = {
    "telemetry": "from telemetry",
    "log": "log of the aircraft",
    "landing": "ESTIMATE from its landing",
    "photos": "its photos",
}


@dataclass(frozen=True, slots=True)
class FlownBy:
    """Who and what flew a sortie, and when."""

    sortie: str
    took_off_at: datetime
    landed_at: datetime
    aircraft: str
    packs: Sequence[str]
    who: str


@dataclass(frozen=True, slots=True)
class ProofFacts:
    """What stands on a proof beside what was covered."""

    number: int
    company: str
    job: str
    place: str
    made_at: datetime
    by: str
    flown_by: Sequence[FlownBy]
    planned: Sequence[Sequence[tuple[float, float]]]
    outlines: Sequence[Sequence[tuple[float, float]]]
    weather: Sequence[str]
    limits: Sequence[str]
    overrides: Sequence[str]
    digests: dict[str, str]


def proof_html(p: ProofFacts, f: AsFlownOut) -> str:
    """Return the proof as HTML."""
    zone = ZoneInfo(f.time_zone)

    def clock(at: datetime) -> str:
        return at.astimezone(zone).strftime("%Y-%m-%d %H:%M")

    of = {s.sortie: s for s in f.sorties}
    estimated = [s.sortie for s in f.sorties if s.source == "landing"]
    cover = next(x for x in f.figures if x.key == "covered_frac")
    first, last = f.began_at, f.began_at + timedelta(seconds=f.length_s)
    fields = "".join(
        f"<tr><td>{named(x.name)}</td><td class=n>{x.ground_m2 / 1e4:.3f} ha</td><td class=n>{x.covered_m2 / 1e4:.3f} ha</td>"
        f"<td class=n>{x.covered_m2 / x.ground_m2 if x.ground_m2 else 0:.1%}</td></tr>"
        for x in f.fields
    )
    flown = "".join(_sortie(b, of.get(b.sortie), clock) for b in p.flown_by)
    flown += "".join(
        f"<tr><td>{named(s.sortie)}</td><td colspan=4>flight of the logbook</td><td>{_SOURCE[s.source]}</td>"
        f"<td class=n>{s.covered_m2 / 1e4:.3f} ha</td></tr>"
        for s in f.sorties
        if s.sortie not in {b.sortie for b in p.flown_by}
    )
    gaps = "".join(
        f"<tr><td>{g.number}</td><td class=n>{g.area_m2:,.0f} m²</td><td>{escape(g.words)}</td><td>{named(g.field)}</td>"
        f"<td>{g.at[1]:.6f}, {g.at[0]:.6f}</td></tr>"
        for g in f.gaps[:40]
    )
    more = f"<p>{len(f.gaps) - 40} smaller gaps are in the GeoJSON.</p>" if len(f.gaps) > 40 else ""
    said: dict[str, list[str]] = {}
    for s in f.sorties:
        for n in s.notes:
            said.setdefault(n, []).append(s.sortie)
    notes = [n[:1].upper() + n[1:] for n in (*f.notes, *f.left_out)] + [f"{', '.join(of_it)}: {n}" for n, of_it in said.items()]
    return f"""<!doctype html><html lang="en"><title>Proof {p.number:04d}</title><style>{_STYLE}</style><body>
<p class=foot>Proof {p.number:04d} · {escape(isolated(p.job))} · {escape(isolated(p.company))}</p>
<div class=side><span class=big>{cover.value:.1%}</span><br>covered{_sure(cover)}<br>{"<b>ESTIMATED IN PART</b>" if estimated else "as recorded"}</div>
<h1>Proof of work {p.number:04d}</h1>
<p><b>{named(p.job)}</b>{" · " + named(p.place) if p.place else ""}</p>
<p>{named(p.company)} · flown {clock(first)} to {clock(last)} ({escape(f.time_zone)}) · made {clock(p.made_at)} by {named(p.by)}</p>
{drawn_map(p.outlines, p.planned, f)}
<p class=fine>Thin lines: as planned. Grey: covered, {_WORDS[f.kind]}. Hatched and numbered: not covered. Dotted edge: estimated.</p>
<h2>Figures</h2><table>{"".join(_figure(x, f.kind) for x in f.figures)}</table>
<h2>Fields</h2><table><tr><th>Field</th><th class=n>Ground</th><th class=n>Covered</th><th class=n>Share</th></tr>{fields}</table>
<h2>Sorties</h2><table><tr><th>Sortie</th><th>From</th><th>To</th><th>Aircraft and packs</th><th>Pilot</th><th>Known from</th><th class=n>Covered</th></tr>{flown}</table>
<h2>Not covered</h2>{"<table><tr><th>Gap</th><th class=n>Area</th><th>Probable cause</th><th>Field</th><th>Latitude, longitude</th></tr>" + gaps + "</table>" + more if f.gaps else "<p>No gap wider than the error of positions.</p>"}
<h2>Weather as measured</h2>{_list(p.weather, "No reading near the job is kept of that time.")}
<h2>Limits and overrides</h2>{_list(p.limits, "No limits were set.")}{_list(p.overrides, "Nothing was overridden.")}
<h2>What this rests on</h2>{_list(notes, "Every sortie is recorded; nothing was left out.")}
<p class=fine>Edges may lie {f.error_m:.1f} m off. Files that belong to this proof, with their SHA-256:<br>
{"<br>".join(f"{escape(name)} <code>{digest}</code>" for name, digest in p.digests.items())}</p>
<p class=fine>This shows what was recorded. It replaces no record that the law or the maker of a product asks for.</p></body></html>"""


def _sure(x: FlownFigure) -> str:
    return f"<br><span class=fine>{x.low:.1%} to {x.high:.1%}</span>" if x.low is not None and x.high is not None else ""


_FIGURE: dict[str, tuple[str, Callable[[float], str]]] = {
    "covered_frac": ("Covered", lambda v: f"{v:.1%}"),
    "left_m2": ("Not covered", lambda v: f"{v:,.0f} m²"),
    "once_frac": ("Covered once or more", lambda v: f"{v:.1%}"),
    "twice_frac": ("Twice or more", lambda v: f"{v:.1%}"),
    "enough_frac": ("Enough", lambda v: f"{v:.1%}"),
    "dose_l_ha": ("Mean dose", lambda v: f"{v:.1f} l/ha"),
    "detection_frac": ("Probability of detection (POD), mean", lambda v: f"{v:.0%}"),
}


_ENOUGH = {"spraying": "Got the dose asked for, within the tolerance", "search": "Seen as surely as planned"}


def _figure(x: FlownFigure, kind: str) -> str:
    words, shown = _FIGURE[x.key]
    words = _ENOUGH.get(kind, words) if x.key == "enough_frac" else words
    span = f"{shown(x.low)} to {shown(x.high)}" if x.low is not None and x.high is not None else ""
    return f"<tr><td>{words}</td><td class=n>{shown(x.value)}</td><td class=n>{span}</td></tr>"


def _sortie(b: FlownBy, s: FlownSortieOut | None, clock: Any) -> str:
    known = _SOURCE[s.source] if s else "not used"
    return (
        f"<tr><td>{named(b.sortie)}</td><td>{clock(b.took_off_at)}</td><td>{clock(b.landed_at)[11:]}</td>"
        f"<td>{named(b.aircraft)}: {', '.join(named(n) for n in b.packs)}</td><td>{named(b.who) or 'not written down'}</td><td>{known}</td>"
        f"<td class=n>{s.covered_m2 / 1e4 if s else 0:.3f} ha</td></tr>"
    )


def _list(rows: Sequence[str], none: str) -> str:
    return "".join(f"<p>{escape(isolated(r))}</p>" for r in rows) or f"<p>{none}</p>"


def drawn_map(
    rings: Sequence[Sequence[tuple[float, float]]], planned: Sequence[Sequence[tuple[float, float]]], f: AsFlownOut
) -> str:
    """Return the map as SVG: outlines, lines as planned, strips, gaps with their numbers, a bar of length, north up."""
    points = [q for ring in rings for q in ring] or [q for s in f.strips for poly in s.ground for q in poly[0]]
    if not points:
        return ""
    west, east = min(q[0] for q in points), max(q[0] for q in points)
    south, north = min(q[1] for q in points), max(q[1] for q in points)
    squash = math.cos(math.radians((south + north) / 2))
    wide, high = max((east - west) * squash, 1e-9), max(north - south, 1e-9)
    scale = min((_W - 20) / wide, (_H - 40) / high)

    def at(q: tuple[float, float]) -> str:
        return f"{10 + (q[0] - west) * squash * scale:.1f},{10 + (north - q[1]) * scale:.1f}"

    def path(poly: Polygon) -> str:
        return "".join("M" + " L".join(at(q) for q in ring) + "Z" for ring in poly)

    dotted = ' stroke-dasharray="1 2"'
    strips = "".join(
        f'<path d="{path(poly)}" fill="#bbb" fill-rule="evenodd" stroke="#777" stroke-width=".4"{dotted if s.estimated else ""}/>'
        for s in f.strips
        for poly in s.ground
    )
    lines = "".join(
        f'<polyline points="{" ".join(at(q) for q in line)}" fill="none" stroke="#000" stroke-width=".4"/>' for line in planned
    )
    outlines = "".join(f'<path d="{path([list(ring)])}" fill="none" stroke="#000" stroke-width="1.4"/>' for ring in rings)
    gaps = "".join(
        f'<path d="{path(g.ground)}" fill="url(#h)" fill-rule="evenodd" stroke="#000" stroke-width=".8"/>' for g in f.gaps
    )
    names = "".join(
        f'<text x="{at(g.at).split(",")[0]}" y="{at(g.at).split(",")[1]}" dy=".35em" font-size="12" font-weight="bold" text-anchor="middle" stroke="#fff" stroke-width="4" paint-order="stroke">{g.number}</text>'
        for g in f.gaps[:40]
    )
    metre = scale / 111_320.0
    bar = next((b for b in (1000, 500, 200, 100, 50, 20, 10) if b * metre < _W / 3), 10)
    y = 20 + high * scale
    return (
        f'<svg width="{_W}" height="{min(_H, y + 16):.0f}" viewBox="0 0 {_W} {min(_H, y + 16):.0f}" font-family="DejaVu Sans">'
        '<defs><pattern id="h" width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">'
        '<rect width="4" height="4" fill="#fff"/><rect width="1.4" height="4" fill="#000"/></pattern></defs>'
        f"{strips}{lines}{outlines}{gaps}{names}"
        f'<path d="M10 {y:.0f}h{bar * metre:.1f}" stroke="#000" stroke-width="2"/><text x="{14 + bar * metre:.0f}" y="{y + 3:.0f}" font-size="9">{bar} m · north is up</text></svg>'
    )


def sprayed_map(
    rings: Sequence[Sequence[tuple[float, float]]], planned: Sequence[Sequence[tuple[float, float]]], f: AsFlownOut
) -> str:
    """Return the map of what was sprayed with its legend, for other pages than a proof."""
    cover = next((x.value for x in f.figures if x.key == "covered_frac"), 0.0)
    dose = next((f"; mean dose {x.value:.1f} L/ha" for x in f.figures if x.key == "dose_l_ha"), "")
    words = (
        f"As flown: {cover:.1%} covered{dose}. Thin lines: as planned. Grey: sprayed, moved by the drift. Hatched: not covered."
    )
    return f"<h2>As flown</h2>{drawn_map(rings, planned, f)}<p class=fine>{words}</p>"


def proof_pdf(p: ProofFacts, f: AsFlownOut) -> bytes:
    """Return the proof as PDF."""
    return printed(proof_html(p, f))
