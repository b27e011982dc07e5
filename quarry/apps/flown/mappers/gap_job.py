"""Gaps to what a job asks for: areas, keep-outs where a gap has a hole, lines as they lay."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

from quarry.apps.flown.views import GapOut
from quarry.apps.jobs.fields import AreaFields, JobFields, KeepOutFields
from quarry.core.base.errors import MissingInput


def gap_job(f: JobFields, gaps: Sequence[GapOut], bearing_deg: float | None, name: str) -> Mapping[str, Any]:
    """Return the figures of a job that flies gaps of another; what lies in a hole of a gap was covered, and is not worked again."""
    if not gaps:
        raise MissingInput("Choose at least one gap.", "numbers")
    rates = {a.name: a.rate_l_ha for a in f.taken}
    areas = [
        AreaFields(_open(g.ground[0]), name=f"gap {g.number}"[:40], bearing_deg=None, rate_l_ha=rates.get(g.field)) for g in gaps
    ]
    holes = [
        KeepOutFields(_open(ring), "unworked", 0.0, f"covered already, in gap {g.number}") for g in gaps for ring in g.ground[1:]
    ]
    return {
        "name": f"Gaps of {name}",
        "areas": [asdict(a) for a in areas],
        "keep_outs": [asdict(k) for k in [*f.keep_outs, *holes]],
        "lines": {**asdict(f.lines), "bearing_deg": bearing_deg},
    }


def _open(ring: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """Return a ring without its last corner where that repeats the first."""
    return list(ring[:-1]) if len(ring) > 1 and ring[0] == ring[-1] else list(ring)
