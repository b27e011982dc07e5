"""What is offered of a file: areas, lines and points to choose from, and all that was done to them."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from quarry.apps.jobs.formats.boundary.shapes import Note, Ring

Use = Literal["area", "keep-out", "nothing"]
PointUse = Literal["home", "landing", "obstacle", "other home", "nothing"]


@dataclass(slots=True)
class FoundHole:
    """A piece that is cut out of an area, or kept out of all of them by our own files; ``filled_by``: the area that lies in it."""

    ring: Ring
    crossing: Literal["never", "unworked"] = "unworked"
    margin_m: float = 0.0
    name: str = ""
    filled_by: int | None = None


@dataclass(slots=True)
class FoundArea:
    """One area of a file.

    ``use``: what is put forward. ``inside``: number of the area that it lies in, ``fills_hole``: in a hole of that.
    ``touches``: areas that share an edge with it, ``overlaps``: ground. ``problem``: why it cannot be taken.
    """

    name: str
    ring: Ring
    holes: list[FoundHole]
    area_ha: float
    use: Use = "area"
    inside: int | None = None
    fills_hole: bool = False
    touches: list[int] = field(default_factory=list)
    overlaps: list[int] = field(default_factory=list)
    problem: str = ""
    problem_at: tuple[float, float] | None = None
    source: str = ""
    bearing_deg: float | None = None
    rate_l_ha: float | None = None


@dataclass(frozen=True, slots=True)
class FoundLine:
    """A line that is no area; ``gap_m`` between its ends; ``width_m``: what the file says of a strip along it."""

    name: str
    places: Ring
    length_m: float
    gap_m: float
    closed: bool
    width_m: float | None = None
    bearing_deg: float | None = None
    rate_l_ha: float | None = None


@dataclass(frozen=True, slots=True)
class FoundPoint:
    """A point; nothing is made of it unless a person says so. ``looks_like``: what its name says; ``away_m`` from the nearest area or line."""

    name: str
    at: list[float]
    looks_like: PointUse
    away_m: float
    own: bool = False
    radius_m: float | None = None
    top_m: float | None = None


@dataclass(slots=True)
class Found:
    """Everything in a file, for a person to choose from; ``notes`` tell all that was found, left out, repaired and merged."""

    name: str = ""
    areas: list[FoundArea] = field(default_factory=list)
    lines: list[FoundLine] = field(default_factory=list)
    points: list[FoundPoint] = field(default_factory=list)
    keep_outs: list[FoundHole] = field(default_factory=list)
    notes: list[Note] = field(default_factory=list)
