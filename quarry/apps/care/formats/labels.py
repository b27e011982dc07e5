"""Labels to print: several on a sheet, or one after another on a small thermal roll."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from quarry.apps.care.views import LabelFigures
from quarry.apps.printed import named, printed

Size = Literal["sheet", "roll"]
_SHEET = (
    "@page { size: A4; margin: 12mm 10mm } .label { width: 62mm; height: 40mm; margin: 0 1mm 4mm 0; border: .35mm solid #000 }"
)
_ROLL = "@page { size: 62mm 40mm; margin: 0 } .label { width: 62mm; height: 40mm; page-break-after: always }"
_STYLE = """
body { margin: 0; color: #000; font-family: 'DejaVu Sans', sans-serif; font-size: 6.6pt; line-height: 1.3 }
.label { display: inline-block; box-sizing: border-box; padding: 2.2mm; position: relative; overflow: hidden; vertical-align: top }
.label svg { position: absolute; left: 2.2mm; top: 2.2mm; width: 19mm; height: 19mm }
.who { margin-left: 21mm; height: 19mm; overflow: hidden }
.who b { line-height: 1; display: block; overflow-wrap: anywhere }
.lines { position: absolute; left: 2.2mm; right: 2.2mm; bottom: 1.6mm }
.lines b { font-size: 7.6pt }
.no { border: .7mm solid #000; padding: .4mm 1mm; font-weight: bold }
"""


def _type_size_pt(name: str) -> float:
    """Return the size at which a name, of the widest letters too, stands whole in at most two lines of a label."""
    for most, size in ((3, 27.0), (4, 22.0), (6, 15.0), (12, 13.5), (16, 11.0)):
        if len(name) <= most:
            return size
    return 7.5


def _minutes(seconds: float | None) -> str:
    return "not known yet" if seconds is None else f"{int(seconds // 60)} min"


def _label(label: LabelFigures, address: str, today: str) -> str:
    import segno

    code = segno.make(f"{address}/packs/{label.id}", error="m").svg_inline(border=0, scale=1, omitsize=True)
    mates = f" · set {named(label.mates)}" if label.mates else ""
    alarms = label.alarms
    levels = f"level 1 {alarms.first_v:.1f} V · level 2 {alarms.second_v:.1f} V" if alarms else "not set"
    unproven = "" if not alarms or alarms.proven else ", not proven"
    minutes = f"<b>high load {_minutes(label.hard_s)} · low load {_minutes(label.gentle_s)}</b>"
    first = '<span class="no">GROUNDED: do not fly, do not charge</span>' if label.grounded else minutes
    return f"""<div class="label">{code}<div class="who"><b style="font-size:{_type_size_pt(label.name)}pt">{named(label.name)}</b>{named(label.model)}{mates}<br>
{label.cells} cells · {label.capacity_ah:g} Ah · {label.rated_wh:.0f} Wh</div>
<div class="lines">{first}<br>
land at {label.shown_frac:.0%} on its screen · store at {label.storage_frac:.0%}<br>
alarms: {levels}{unproven}<br>{today}</div></div>"""


def labels_html(labels: Sequence[LabelFigures], address: str, today: str, size: Size) -> str:
    """Return the labels of packs as one page of HTML; ``address`` is where a phone on the crew's network reaches the product."""
    body = "".join(_label(label, address, today) for label in labels)
    style = _STYLE + (_SHEET if size == "sheet" else _ROLL)
    return f"<!doctype html><html lang='en'><title>Labels</title><style>{style}</style><body>{body}</body></html>"


def labels_pdf(labels: Sequence[LabelFigures], address: str, today: str, size: Size) -> bytes:
    """Return the labels of packs as PDF."""
    return printed(labels_html(labels, address, today, size))
