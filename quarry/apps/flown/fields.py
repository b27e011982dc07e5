"""What is read of photos: columns as long as one another."""

from __future__ import annotations

from dataclasses import dataclass, field, fields
from typing import Any, Literal

from pydantic import TypeAdapter

Column = list[float | None]


@dataclass(frozen=True, slots=True)
class PhotoColumns:
    """Photos by columns; ``at``: seconds since 1970 by the camera's clock, of the zone of the day where it names none (``clock``).

    ``altitude_m`` above the sea, ``relative_m`` above take-off; ``pitch_deg`` of the camera: −90 looks straight down.
    """

    names: list[str]
    at: Column
    lon: Column
    lat: Column
    altitude_m: Column = field(default_factory=list)
    relative_m: Column = field(default_factory=list)
    heading_deg: Column = field(default_factory=list)
    pitch_deg: Column = field(default_factory=list)
    roll_deg: Column = field(default_factory=list)
    exposure_s: Column = field(default_factory=list)
    iso: Column = field(default_factory=list)
    f_number: Column = field(default_factory=list)
    clock: Literal["utc", "local"] = "utc"
    width_px: int | None = None
    height_px: int | None = None

    def uneven(self) -> str:
        """Return the name of a column that is not as long as the names; empty where all are."""
        for f in fields(self):
            value = getattr(self, f.name)
            if isinstance(value, list) and value and len(value) != len(self.names):
                return f.name
        return ""


_COLUMNS = TypeAdapter(PhotoColumns)


def columns_json(columns: PhotoColumns) -> Any:
    """Return columns as they are kept."""
    return _COLUMNS.dump_python(columns, mode="json")


def columns_from(kept: Any) -> PhotoColumns:
    """Return columns that were kept."""
    return _COLUMNS.validate_python(kept)
