"""A search handed over as GeoJSON (RFC 7946) with all that was reported, and as a table of its segments."""

from __future__ import annotations

import base64
import csv
import io
import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from zoneinfo import ZoneInfo

from quarry.apps.files import safe
from quarry.apps.search.fields import ReportFields
from quarry.apps.search.views import NextOut, SearchOut, SegmentOut
from quarry.core.base.shapes import plain

FORMAT = "search-handover/1"
Json = dict[str, object]
# What the map itself shows stands in features; all else that people entered stands beside them.
_ENTERED = (
    "seen_at",
    "radius_m",
    "rest",
    "weights",
    "estimates",
    "paths",
    "waters",
    "sensor",
    "speed_m_s",
    "height_m",
    "law",
    "widths",
    "teams",
    "until",
)


@dataclass(frozen=True, slots=True)
class HandoverFacts:
    """What is handed over: the search as it stands, every report as it was written, which ground next, weather and packs.

    ``figures``: by the key of each report. ``within``: the table of the kind of person. ``back``: by the key of a report
    that was taken back, who did. ``packs``: name, charge and where one is. ``photos``: JPEG by the key that reports name.
    """

    company: str
    by: str
    made_at: datetime
    time_zone: str
    search: SearchOut
    next: NextOut
    kind: str
    within: Sequence[tuple[float, float]]
    figures: dict[str, ReportFields]
    back: dict[str, str]
    weather: str
    packs: Sequence[tuple[str, float | None]]
    photos: Mapping[str, bytes]

    def clock(self, at: str | datetime | None) -> str:
        """Return a moment on the company's clock, to the minute; empty where there is none."""
        if not at:
            return ""
        moment = datetime.fromisoformat(at) if isinstance(at, str) else at
        return moment.astimezone(ZoneInfo(self.time_zone)).strftime("%Y-%m-%d %H:%M")


def handover_geojson(h: HandoverFacts) -> bytes:
    """Return a FeatureCollection: segments, the last known point, home, clues and finds; reports beside them in ``search``."""
    s = h.search
    entered = {name: getattr(s, name) for name in _ENTERED}
    search: Json = {
        "format": FORMAT,
        "name": s.name,
        "look_for": s.person,
        "kind": {"name": h.kind, "within": [list(x) for x in h.within]} if h.kind else None,
        "began_at": s.began_at,
        "ended_at": s.ended_at,
        "company": h.company,
        "by": h.by,
        "made_at": h.made_at.isoformat(timespec="seconds"),
        "success_frac": s.success_frac,
        "rest_frac": s.rest_frac,
        "next": h.next.words or h.next.problem,
        "weather": h.weather,
        "packs": [{"name": name, "charge_frac": charge} for name, charge in h.packs],
        "entered": plain(entered),
        "reports": [
            {
                "key": str(r.key),
                "kind": r.kind,
                "at": r.at,
                "written_at": r.written_at,
                "by": r.by,
                "words": r.words,
                "taken_back": h.back.get(str(r.key), ""),
                "figures": plain(h.figures[str(r.key)]),
            }
            for r in s.reports
        ],
        "photos": [{"key": key, "jpeg": base64.b64encode(jpeg).decode()} for key, jpeg in h.photos.items()],
    }
    whole = {"type": "FeatureCollection", "name": s.name, "search": search, "features": list(_features(s))}
    return json.dumps(whole, ensure_ascii=False, indent=1).encode()


def _features(s: SearchOut) -> Iterator[Json]:
    for x in s.segments:
        ring = [list(p) for p in x.ring]
        yield _feature("Polygon", [[*ring, ring[0]]], {"what": "segment", **segment_figures(x)})
    for what, place in (("last known point", s.point), ("home", s.home)):
        if place is not None:
            yield _feature("Point", list(place), {"what": what})
    for r in s.reports:
        if r.place is not None and not r.taken_back:
            figures: Json = {"what": r.kind, "at": r.at, "by": r.by, "words": r.words, "sure": r.certainty}
            yield _feature("Point", list(r.place), figures)


def _feature(kind: str, coordinates: object, figures: Json) -> Json:
    return {"type": "Feature", "geometry": {"type": kind, "coordinates": coordinates}, "properties": figures}


def segment_figures(x: SegmentOut) -> Json:
    """Return what stands of a segment beside its ring."""
    return {
        "id": x.id,
        "name": x.name,
        "cover": x.cover,
        "access": x.access,
        "hazards": x.hazards,
        "slope": x.slope_frac,
        "share_typed": x.typed,
        "ha": round(x.area_ha, 4),
        "share_at_first": x.began_frac,
        "share_now": x.share_frac,
        "pod": x.detection_frac,
        "pos": x.success_frac,
        "looks": x.looks,
        "sweep_width_m": x.width_m,
        "sweep_width_from": x.width_from,
    }


def looks_at(h: HandoverFacts, segment: str) -> tuple[str, str, str]:
    """Return who searched a segment, when last, and how, all looks together; empty where nobody did."""
    stand = [r for r in h.search.reports if r.kind == "searched" and r.segment == segment and not r.taken_back]
    who = dict.fromkeys(h.figures[str(r.key)].who or r.by for r in stand)
    how = dict.fromkeys(h.figures[str(r.key)].method for r in stand)
    return ", ".join(who), h.clock(stand[-1].at if stand else None), ", ".join(m for m in how if m)


def handover_csv(h: HandoverFacts) -> bytes:
    """Return a row for each segment and one for the rest of the world: what it held, what it holds, who searched it, when, how."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\r\n")
    head = "segment,hectares,cover,slope,access,hazards,share at first,share now,looks,POD,POS,searched by,last searched,POD from,order next"
    table.writerow(head.split(","))
    order = {x.segment: k for k, x in reversed(list(enumerate(h.next.sorties, start=1)))}
    for x in h.search.segments:
        who, at, how = looks_at(h, x.id)
        cells: list[object] = [x.name, f"{x.area_ha:.2f}", x.cover]
        cells += ["" if x.slope_frac is None else f"{x.slope_frac:.3f}", x.access, x.hazards, f"{x.began_frac:.4f}"]
        cells += [f"{x.share_frac:.4f}", x.looks, f"{x.detection_frac:.3f}", f"{x.success_frac:.4f}", who, at, how]
        table.writerow([safe(c) for c in [*cells, order.get(x.id)]])
    table.writerow(["rest of the world", *[""] * 6, f"{h.search.rest_frac:.4f}", *[""] * 7])
    return out.getvalue().encode("utf-8-sig")
