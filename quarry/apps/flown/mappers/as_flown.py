"""What the core finds of a job as flown, in degrees, as screens show it and as it is kept."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Literal
from uuid import UUID

import shapely

from quarry.apps.flown.mappers.asking import Asked
from quarry.apps.flown.views import (
    DayFlown,
    FlownFieldOut,
    FlownFigure,
    FlownLineOut,
    FlownSortieOut,
    GapOut,
    KeptAsFlown,
    PhotoLineOut,
    PhotoSetOut,
    StripOut,
)
from quarry.apps.jobs.mappers.rings import polygons
from quarry.apps.workings import to_working
from quarry.core.covered.flown import AsFlown, Enough, as_flown
from quarry.core.covered.gaps import WORDS, Gap
from quarry.core.covered.settings import CoveredPolicy
from quarry.core.covered.workings import figure_values, workings_of

_DRAWN_M = 0.1  # how far a drawn edge may lie off the true one
_LEAST_M2 = 0.5
_PLACES = 7


@dataclass(frozen=True, slots=True)
class FlownHead:
    """What stands with a job as flown beside what the core finds of it."""

    job_id: UUID
    mark: str
    kind: Literal["mapping", "spraying", "search"]
    time_zone: str
    days: Sequence[DayFlown]
    photo_sets: Sequence[PhotoSetOut]
    photo_lines: Sequence[PhotoLineOut]


def to_as_flown(a: Asked, policy: CoveredPolicy, enough: Enough, head: FlownHead) -> tuple[KeptAsFlown, AsFlown]:
    """Return a job as flown as screens show it, and the core's own; raises `FlownError` where nothing of it can be laid over the plan."""
    core = as_flown(a.plan, a.sorties, a.rule, position_m=policy.position_m, most_s=policy.bridged_s)
    values = figure_values(core, a.rule, enough)
    view = KeptAsFlown(
        job_id=head.job_id,
        mark=head.mark,
        kind=head.kind,
        began_at=datetime.fromtimestamp(a.began_s, UTC),
        time_zone=head.time_zone,
        length_s=max((s.to_s for s in core.strips), default=0.0),
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
        strips=[
            StripOut(s.sortie, s.line, s.from_s, s.to_s, polygons(s.ground.simplify(_DRAWN_M), a.frame, _LEAST_M2), s.estimated)
            for s in core.strips
        ],
        twice=polygons(core.twice.simplify(_DRAWN_M), a.frame, _LEAST_M2),
        gaps=[_gap(k, g, a) for k, g in enumerate(core.gaps, start=1)],
        slivers_m2=core.cover.slivers_m2,
        error_m=core.error_m,
        notes=a.notes,
        left_out=a.left_out,
        days=list(head.days),
        photo_sets=list(head.photo_sets),
        photo_lines=list(head.photo_lines),
        workings={key: to_working(w) for key, w in workings_of(core, a.rule, policy, enough).items()},
    )
    return view, core


def _gap(number: int, gap: Gap, a: Asked) -> GapOut:
    inside = [name for name, shape in a.plan.fields if shape.intersects(gap.ground)]
    at = a.frame.to_degrees([shapely.get_coordinates(gap.ground.representative_point())[0].tolist()])[0]
    ground = polygons(gap.ground.simplify(_DRAWN_M), a.frame)
    return GapOut(
        number,
        round(gap.area_m2, 1),
        gap.cause,
        WORDS[gap.cause],
        inside[0] if inside else "",
        (round(at[0], _PLACES), round(at[1], _PLACES)),
        ground[0] if ground else [],
    )


def _known(value: float) -> float | None:
    return round(value, 1) if math.isfinite(value) else None
