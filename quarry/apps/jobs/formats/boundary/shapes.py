"""What a file says, before anything is made of it: rings, lines and points with their names."""

from __future__ import annotations

import math
import unicodedata
from dataclasses import dataclass, field
from typing import Literal

from quarry.core.base.errors import BadGeometry

Ring = list[list[float]]
FormatError = BadGeometry
Did = Literal["found", "left out", "closed", "repaired", "merged", "thinned", "converted", "cut"]
MOST_NAME = 300


@dataclass(frozen=True, slots=True)
class Note:
    """Something that was found or done: what, to which shape, why, and where it lies in degrees."""

    did: Did
    words: str
    at: tuple[float, float] | None = None


@dataclass(frozen=True, slots=True)
class Said:
    """What a file says of a shape beside its places; role, rule and margin stand in our own files."""

    name: str = ""
    role: str = ""
    crossing: Literal["", "never", "unworked"] = ""
    margin_m: float = 0.0
    width_m: float | None = None
    radius_m: float | None = None
    top_m: float | None = None
    source: str = ""
    left_out: bool = False
    bearing_deg: float | None = None
    rate_l_ha: float | None = None


@dataclass(frozen=True, slots=True)
class RawArea:
    """A polygon as it stands in a file: the outer ring first."""

    rings: list[Ring]
    said: Said


@dataclass(frozen=True, slots=True)
class RawLine:
    """A line as it stands in a file; ``outline``: its kind is used to walk edges with, so that a closed one is an area."""

    places: Ring
    said: Said
    outline: bool = False


@dataclass(frozen=True, slots=True)
class RawPoint:
    """A point as it stands in a file."""

    at: list[float]
    said: Said


@dataclass(slots=True)
class Shapes:
    """All that a file holds."""

    areas: list[RawArea] = field(default_factory=list)
    lines: list[RawLine] = field(default_factory=list)
    points: list[RawPoint] = field(default_factory=list)
    notes: list[Note] = field(default_factory=list)
    title: str = ""

    def note(self, did: Did, words: str, at: tuple[float, float] | None = None) -> None:
        """Keep what was found or done."""
        self.notes.append(Note(did, words, at))

    @property
    def count(self) -> int:
        """How many shapes there are."""
        return len(self.areas) + len(self.lines) + len(self.points)


def clean_name(words: str) -> str:
    """Return a name that can be kept: no control or direction marks, one line, at most 300 characters."""
    shown = "".join(c if unicodedata.category(c)[0] != "C" else " " for c in words)
    return " ".join(shown.split())[:MOST_NAME].rstrip()


def named(said: Said, otherwise: str) -> str:
    """Return the name of a shape in quotes, or words that stand for it."""
    name = clean_name(said.name)
    return f"“{name[:60]}{'…' if len(name) > 60 else ''}”" if name else otherwise


def number(value: object) -> float:
    """Return a finite number from a number or a text that holds one with a decimal point.

    Raises
    ------
    ValueError
        It is neither, or not finite.
    """
    found = float(value) if isinstance(value, int | float | str) and not isinstance(value, bool) else math.nan
    if not math.isfinite(found):
        raise ValueError(f"{str(value)[:40]} is not a number")
    return found
