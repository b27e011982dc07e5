"""The handover sheet of a search: one page of map and table, and what was reported."""

from __future__ import annotations

import base64
import math
from html import escape

from quarry.apps.printed import SHEET_STYLE, isolated, named, printed
from quarry.apps.search.formats.handover import HandoverFacts, looks_at
from quarry.apps.search.views import SearchOut

_W, _H = 680.0, 330.0
_METRES_A_DEGREE = 111_320.0
_STYLE = f"""{SHEET_STYLE}.side {{ float: right; text-align: right }} .found {{ font-size: 12pt; font-weight: bold; border: .5mm solid #000; padding: 1.5mm 2mm }} img {{ max-height: 42mm; max-width: 80mm; margin: 1mm 0 }} .gone {{ text-decoration: line-through }}
"""
_SHADES = ("#fff", "#e4e4e4", "#bdbdbd", "#8f8f8f")


def handover_html(h: HandoverFacts) -> str:
    """Return the sheet as HTML."""
    s = h.search
    finds = [r for r in s.reports if r.kind == "find" and not r.taken_back]
    found = "".join(f"<p class=found>FOUND {h.clock(r.at)}: {' · '.join(escape(n) for n in r.notations)}</p>" for r in finds)
    where = f"<p>Last known point: {' · '.join(escape(n) for n in s.point_notations)}</p>" if s.point_notations else ""
    seen = f"<p>Last seen: {escape(s.seen_at)}</p>" if s.seen_at else ""
    who = ": ".join(x for x in (named(h.kind), named(s.person)) if x)
    rows = "".join(_segment(h, k) for k in sorted(range(len(s.segments)), key=lambda k: -s.segments[k].share_frac))
    soon = "".join(
        f"<tr><td>{h.clock(x.starts_at)[11:]}</td><td>{named(x.name)}</td><td>{named(x.who)}</td><td class=n>{x.spacing_m:.0f} m</td>"
        f"<td class=n>{x.time_s / 60:.0f} min</td><td class=n>{x.detection_frac:.0%}</td><td class=n>{x.after_frac:.0%}</td></tr>"
        for x in h.next.sorties[:12]
    )
    reports = "".join(
        f"<tr{' class=gone' if r.taken_back else ''}><td>{h.clock(r.at)}</td><td>{escape(_KINDS.get(r.kind, r.kind))}</td>"
        f"<td>{escape(isolated(r.words))}{'<br>' + ' · '.join(escape(n) for n in r.notations) if r.notations else ''}"
        f"{''.join(_photo(h.photos[str(k)]) for k in r.photos)}</td>"
        f"<td>{named(r.by)}{', taken back by ' + named(r.taken_back) if r.taken_back else ''}</td></tr>"
        for r in s.reports
    )
    packs = ", ".join(f"{named(name)} {'not known' if charge is None else f'{charge:.0%}'}" for name, charge in h.packs)
    notes = "".join(f"<p class=fine>{escape(n)}</p>" for n in (*s.notes, *h.next.notes))
    return f"""<!doctype html><html lang="en"><title>Handover: {escape(s.name)}</title><style>{_STYLE}</style><body>
<p class=foot>Handover · {escape(isolated(s.name))} · {escape(isolated(h.company))} · {h.clock(h.made_at)}</p>
<div class=side><span class=big>{s.success_frac:.0%}</span><br>chance of success (POS) so far<br>rest of the world {s.rest_frac:.0%}</div>
<h1>{named(s.name)}</h1>
<p>{named(h.company)} · begun {h.clock(s.began_at)}{", ended " + h.clock(s.ended_at) if s.ended_at else ""} · handed over {h.clock(h.made_at)} ({escape(h.time_zone)}) by {named(h.by)}</p>
{found}{f"<p>Looked for: {who}</p>" if who else ""}{where}{seen}
{drawn_map(s)}
<p class=fine>The darker, the more each hectare holds. Thick edge: searched at least once. Cross: last known point. Dots: clues and finds.</p>
<h2>Segments, the likeliest first</h2><table><tr><th>Segment</th><th class=n>Ground</th><th>Cover</th><th class=n>POA at first</th><th class=n>POA now</th><th class=n>POD</th><th class=n>POS</th><th>Searched by, when, how</th></tr>{rows}</table>
<h2>Next</h2><p><b>{escape(h.next.words or h.next.problem)}</b></p>{"<table><tr><th>From</th><th>Segment</th><th>With</th><th class=n>Apart</th><th class=n>Time</th><th class=n>POD</th><th class=n>POS after</th></tr>" + soon + "</table>" if soon else ""}
<p>{escape(h.next.instead)}</p>
<h2>Reports</h2>{"<table><tr><th>When</th><th>What</th><th>In words</th><th>By</th></tr>" + reports + "</table>" if reports else "<p>Nothing was reported yet.</p>"}
<h2>Weather and packs</h2><p>{escape(h.weather) or "No weather is known."}</p><p>{packs or "No packs are known."}</p>
{notes}<p class=fine>POA: probability of area. POD: probability of detection, all looks together. POS: probability of success. They rest on estimates;
whoever leads the search decides.</p></body></html>"""


_KINDS = {"searched": "searched", "clue": "clue", "find": "FOUND", "note": "note"}


def _photo(jpeg: bytes) -> str:
    return f'<br><img alt="" src="data:image/jpeg;base64,{base64.b64encode(jpeg).decode()}">'


def _segment(h: HandoverFacts, k: int) -> str:
    x = h.search.segments[k]
    who, at, how = looks_at(h, x.id)
    looked = ", ".join(escape(isolated(w)) for w in (who, at, how) if w)
    steep = f"slope {x.slope_frac:.0%}" if x.slope_frac is not None else ""
    more = "; ".join(escape(w) for w in (steep, x.access, x.hazards) if w)
    return (
        f"<tr><td>{named(x.name)}</td><td class=n>{x.area_ha:.1f} ha</td><td>{escape(x.cover)}{'<br>' + more if more else ''}</td>"
        f"<td class=n>{x.began_frac:.1%}</td><td class=n>{x.share_frac:.1%}</td><td class=n>{x.detection_frac:.0%}</td>"
        f"<td class=n>{x.success_frac:.1%}</td><td>{looked or 'nobody yet'}</td></tr>"
    )


def drawn_map(s: SearchOut) -> str:
    """Return the map as SVG: segments by what a hectare of them holds, the point, home, clues and finds, a bar, north up."""
    points = [q for x in s.segments for q in x.ring] or [p for p in (s.point, s.home) if p]
    if not points:
        return ""
    west, east = min(q[0] for q in points), max(q[0] for q in points)
    south, north = min(q[1] for q in points), max(q[1] for q in points)
    squash = math.cos(math.radians((south + north) / 2))
    scale = min((_W - 20) / max((east - west) * squash, 1e-5), (_H - 40) / max(north - south, 1e-5))

    def at(q: tuple[float, float]) -> tuple[float, float]:
        return 10 + (q[0] - west) * squash * scale, 10 + (north - q[1]) * scale

    most = max((x.share_frac / x.area_ha for x in s.segments if x.area_ha > 0), default=0.0)
    drawn = []
    for x in s.segments:
        of = x.share_frac / x.area_ha / most if most > 0 and x.area_ha > 0 else 0.0
        step = 3 if of > 0.6 else 2 if of > 0.25 else 1 if of > 0.08 else 0
        ring = "M" + " L".join("{:.1f},{:.1f}".format(*at(q)) for q in x.ring) + "Z"
        drawn.append(f'<path d="{ring}" fill="{_SHADES[step]}" stroke="#000" stroke-width="{2.2 if x.looks else 0.7}"/>')
        cx, cy = (sum(v) / len(x.ring) for v in zip(*(at(q) for q in x.ring), strict=True))
        drawn.append(_label(cx, cy, isolated(x.name)))
    signs = [(s.home, "H")] if s.home else []
    signs += [(r.place, "●") for r in s.reports if r.place and not r.taken_back]
    signs += [(s.point, "✕")] if s.point else []
    drawn += [_label(*at(place), sign, 15) for place, sign in signs]
    metre = scale / _METRES_A_DEGREE
    bar = next((b for b in (5000, 2000, 1000, 500, 200, 100, 50, 20, 10) if b * metre < _W / 3), 10)
    foot = f'<path d="M10,{_H - 8:.0f} h{bar * metre:.1f}" stroke="#000" stroke-width="2"/><text x="10" y="{_H - 12:.0f}" font-size="9">{bar} m, north up</text>'
    return f'<svg viewBox="0 0 {_W:.0f} {_H:.0f}" width="100%" xmlns="http://www.w3.org/2000/svg">{"".join(drawn)}{foot}</svg>'


def _label(x: float, y: float, words: str, size: float = 10) -> str:
    return (
        f'<text x="{x:.1f}" y="{y:.1f}" dy=".35em" font-size="{size:g}" font-weight="bold" text-anchor="middle" stroke="#fff" '
        f'stroke-width="3" paint-order="stroke">{escape(words)}</text>'
    )


def handover_pdf(h: HandoverFacts) -> bytes:
    """Return the sheet as PDF."""
    return printed(handover_html(h))
