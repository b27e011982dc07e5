"""A mix sheet for the mixing place: figures that are read at arm's length with gloves on."""

from __future__ import annotations

from html import escape

from quarry.apps.printed import named, printed
from quarry.apps.spraying.views import MixLoadOut, MixSheetOut

_STYLE = """
@page { size: A4; margin: 12mm; @bottom-left { content: string(foot); font: 8pt 'DejaVu Sans' }
 @bottom-right { content: counter(page) " of " counter(pages); font: 8pt 'DejaVu Sans' } }
body { font: 12pt/1.35 'DejaVu Sans', sans-serif; color: #000; margin: 0 } h1 { font-size: 20pt; margin: 0 } p { margin: 1mm 0 }
.foot { string-set: foot content(); font-size: 0 } table { border-collapse: collapse; width: 100%; margin: 3mm 0 6mm; break-inside: avoid }
caption { text-align: left; font-size: 15pt; font-weight: bold; padding-bottom: 1mm } td { border-bottom: .3mm solid #000; padding: 2mm 2mm 2mm 0; font-size: 17pt }
.n { text-align: right; font-weight: bold; white-space: nowrap } .box { width: 12mm; border: .5mm solid #000 } .no { font-weight: bold } .fine { font-size: 9pt }
"""


def amount_text(value: float, unit: str) -> str:
    """Return an amount as one measures it: litres and kilograms, millilitres and grams where it is little.

    Examples
    --------
    >>> amount_text(1.8, "L"), amount_text(0.0054, "kg"), amount_text(0.25, "L")
    ('1.80 L', '5.4 g', '250 mL')
    """
    if value >= 1.0:
        return f"{value:.2f} {unit}"
    small = value * 1000.0
    return f"{small:.0f} {'mL' if unit == 'L' else 'g'}" if small >= 100 else f"{small:.1f} {'mL' if unit == 'L' else 'g'}"


def _load(m: MixSheetOut, x: MixLoadOut) -> str:
    products = "".join(
        f"<tr><td class=box></td><td>{k + 2}. {named(p.name)}</td><td class=n>{amount_text(x.amounts[k], p.unit)}</td></tr>"
        for k, p in enumerate(m.products)
    )
    half = x.water_l / 2
    lines = f", {m.lines_l:g} L of it for pump and lines" if x.number == 1 and m.lines_l else ""
    return (
        f"<table><caption>Load {x.number} of {len(m.loads)} · {x.load_l:.1f} L for {escape(', '.join(x.sorties))}{lines}</caption>"
        f"<tr><td class=box></td><td>1. Water, about half</td><td class=n>{half:.1f} L</td></tr>{products}"
        f"<tr><td class=box></td><td>{len(m.products) + 2}. Water, up to {x.load_l:.1f} L</td><td class=n>{x.water_l - half:.1f} L</td></tr></table>"
    )


def mix_html(m: MixSheetOut, company: str, on: str) -> str:
    """Return a mix sheet as HTML."""
    clothing = "".join(f"<p>{named(p.name)}: {escape(p.clothing)}</p>" for p in m.products if p.clothing)
    after = "".join(
        f"<p>{named(p.name)}: "
        + "; ".join(
            x
            for x in (
                f"no entry for {p.reentry_h:g} h" if p.reentry_h else "",
                f"no rain for {p.rainfast_h:g} h" if p.rainfast_h else "",
                f"{p.before_harvest_days} days before harvest" if p.before_harvest_days else "",
            )
            if x
        )
        + "</p>"
        for p in m.products
        if p.reentry_h or p.rainfast_h or p.before_harvest_days
    )
    findings = "".join(f"<p class={f.verdict}>{'NO: ' if f.verdict == 'no' else ''}{escape(f.words)}</p>" for f in m.findings)
    totals = "; ".join(f"{named(p.name)} {amount_text(p.total_amount, p.unit)}" for p in m.products)
    batches = "".join(f"<p>{named(p.name)}: batch {escape(', '.join(p.from_batches))}</p>" for p in m.products if p.from_batches)
    return f"""<!doctype html><html lang="en"><title>Mix sheet {escape(m.letter)}</title><style>{_STYLE}</style><body>
<p class=foot>Mix sheet {escape(m.letter)} · {named(m.job)} · {named(company)} · {escape(on)}</p>
<h1>Mix sheet {escape(m.letter)}: {named(m.job)}</h1>
<p>{named(m.crop) or "crop not entered"} · {m.rate_l_ha:g} L/ha · {m.area_ha:.2f} ha · {m.spray_l:.1f} L to spray{f" and {m.lines_l:g} L that stay in pump and lines" if m.lines_l else ""}</p>
{findings}{clothing}
{"".join(_load(m, x) for x in m.loads)}
<p><b>In all: {m.mix_l:.1f} L</b>{"; " + totals if totals else ""}</p>{batches}{after}
<p class=fine>Arithmetic from what was entered. The label of each product takes precedence, also for the order of filling; so do local law and the maker's manual.
Left in pump and lines: {m.lines_l:g} L; dispose of it as the label says.</p></body></html>"""


def mix_pdf(m: MixSheetOut, company: str, on: str) -> bytes:
    """Return a mix sheet as PDF."""
    return printed(mix_html(m, company, on))
