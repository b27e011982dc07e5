"""What the core finds of a job as flown, in degrees, as screens show it and as it is kept."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from quarry.apps.flown.mappers.asking import Asked
from quarry.apps.flown.views import FlownFieldOut, FlownFigure, FlownLineOut, FlownSortieOut, GapOut, Polygon, StripOut
from quarry.apps.workings import WorkingOut, to_working
from quarry.core.covered.flown import AsFlown, as_flown
from quarry.core.covered.gaps import WORDS, Gap
from quarry.core.covered.settings import CoveredPolicy
from quarry.core.covered.workings import figure_values, workings_of
from quarry.core.ground.geodesy import LocalFrame

_DRAWN_M = 0.1  # how far a drawn edge may lie off the true one
_LEAST_M2 = 0.5
_PLACES = 7


@dataclass(frozen=True, slots=True)
class Made:
    """A job as flown as screens show it, and the core's own of it for files."""

    core: AsFlown
    frame: LocalFrame
    figures: list[FlownFigure]
    fields: list[FlownFieldOut]
    lines: list[FlownLineOut]
    sorties: list[FlownSortieOut]
    strips: list[StripOut]
    twice: list[Polygon]
    gaps: list[GapOut]
    workings: dict[str, WorkingOut]
    began_at: datetime
    length_s: float


def made(a: Asked, policy: CoveredPolicy) -> Made:
    """Return a job as flown; raises `FlownError` where nothing of it can be laid over the plan."""
    core = as_flown(a.plan, a.sorties, a.rule, position_m=policy.position_m, most_s=policy.bridged_s)

    def drawn(shape: BaseGeometry) -> list[Polygon]:
        return polygons(shape, a.frame)

    values = figure_values(core)
    ends = [s.to_s for s in core.strips]
    return Made(
        core=core,
        frame=a.frame,
        figures=[FlownFigure(key, *value) for key, value in values.items()],
        fields=[FlownFieldOut(x.name, round(x.ground_m2, 1), round(x.covered_m2, 1)) for x in core.fields],
        lines=[FlownLineOut(x.sortie, x.number, round(x.length_m, 1), round(x.covered_m, 1)) for x in core.lines],
        sorties=[
            FlownSortieOut(
                x.sortie,
                x.source,
                round(x.covered_m2, 1),
                round(x.alone_m2, 1),
                _known(x.from_s),
                _known(x.to_s),
                x.pictures,
                list(x.notes),
            )
            for x in core.sorties
        ],
        strips=[StripOut(s.sortie, s.line, s.from_s, s.to_s, drawn(s.ground), s.estimated) for s in core.strips],
        twice=drawn(core.twice),
        gaps=[_gap(k, g, a) for k, g in enumerate(core.gaps, start=1)],
        workings={key: to_working(w) for key, w in workings_of(core, a.rule, policy).items()},
        began_at=datetime.fromtimestamp(a.began_s, UTC),
        length_s=max(ends, default=0.0),
    )


def _gap(number: int, gap: Gap, a: Asked) -> GapOut:
    inside = [name for name, shape in a.plan.fields if shape.intersects(gap.ground)]
    at = a.frame.to_degrees([shapely.get_coordinates(gap.ground.representative_point())[0].tolist()])[0]
    ground = polygons(gap.ground, a.frame)
    return GapOut(
        number,
        round(gap.area_m2, 1),
        gap.cause,
        WORDS[gap.cause],
        inside[0] if inside else "",
        (round(at[0], _PLACES), round(at[1], _PLACES)),
        ground[0] if ground else [],
    )


def polygons(shape: BaseGeometry, frame: LocalFrame) -> list[Polygon]:
    """Return the polygons of a shape in degrees, the outer ring of each first; what is too small to be seen is left out."""
    found: list[Polygon] = []
    for part in shapely.get_parts(shape.simplify(_DRAWN_M)):
        if part.geom_type != "Polygon":
            found += polygons(part, frame) if hasattr(part, "geoms") else []
            continue
        if part.area < _LEAST_M2:
            continue
        rings = [part.exterior, *part.interiors]
        found.append([_ring(np.array(r.coords), frame) for r in rings])
    return found


def _ring(xy: np.ndarray, frame: LocalFrame) -> list[tuple[float, float]]:
    lon, lat = frame.degrees_of(xy)
    return [(round(float(x), _PLACES), round(float(y), _PLACES)) for x, y in zip(lon, lat, strict=True)]


def _known(value: float) -> float | None:
    return round(value, 1) if math.isfinite(value) else None
