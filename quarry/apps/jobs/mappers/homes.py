"""The areas of a job by the home that they are flown from."""

from __future__ import annotations

from dataclasses import dataclass

import shapely

from quarry.apps.jobs.fields import AreaFields, JobFields, KeepOutFields, NamedPlace
from quarry.apps.jobs.mappers.work import outline_of
from quarry.core.base.errors import MissingInput
from quarry.core.ground.geodesy import LocalFrame
from quarry.core.ground.joining import joined
from quarry.core.ground.take_off import nearest_home


@dataclass(frozen=True, slots=True)
class FromHome:
    """What of a job is flown from one of its homes, with the keep-outs that lie in it."""

    home: NamedPlace
    areas: list[AreaFields]
    keep_outs: list[KeepOutFields]


def areas_by_home(f: JobFields) -> list[FromHome]:
    """Return the areas of a job by the home that is nearest to each, homes without an area left out.

    Raises `PlanError` where there is only one home, or only one of them is near.
    """
    if f.home is None or not f.site.homes:
        raise MissingInput("Add another home first: each area then goes to the home that is nearest to it.", "site.homes")
    areas = [a for a in f.areas if a.ring]
    homes = [NamedPlace(f.home, "home"), *(NamedPlace(h.at, h.name or f"home {k}") for k, h in enumerate(f.site.homes, start=2))]
    frame = LocalFrame.around([p for a in areas for p in a.ring])
    outlines = [outline_of(frame, a) for a in areas]
    nearest = nearest_home(outlines, frame.to_metres([h.at for h in homes]))
    found = []
    for k, home in enumerate(homes):
        mine = [i for i, n in enumerate(nearest) if n == k]
        if not mine:
            continue
        ground = joined(outlines[i] for i in mine)
        inside = [x for x in f.keep_outs if shapely.make_valid(shapely.Polygon(frame.to_metres(x.ring))).intersects(ground)]
        found.append(FromHome(home, [areas[i] for i in mine], inside))
    if len(found) < 2:
        raise MissingInput("All areas lie nearest to the same home: there is nothing to split.", "site.homes")
    return found
