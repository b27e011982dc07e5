"""What the fleet keeps as JSON, typed: the rates of a charger, and the calibrations in force."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from pydantic import TypeAdapter

from quarry.apps.fleet.models import Aircraft, AircraftModel, ChargerModel, Pack
from quarry.core.base.shapes import plain
from quarry.core.rotation.model import Mode

_MODES = TypeAdapter(tuple[Mode, ...])


@dataclass(frozen=True, slots=True)
class Learned:
    """A calibration in force: its factor, number and words; ``of``: the value that it was made beside, where that counts."""

    factor: float
    number: int
    words: str = ""
    of: float | None = None

    @property
    def full_words(self) -> str:
        """Which calibration made a figure what it is."""
        return f"calibration {self.number}: × {self.factor:.3f}, {self.words}"


_LEARNED = TypeAdapter(dict[str, Learned])


def learned(row: Aircraft | AircraftModel | Pack, subject: str) -> Learned | None:
    """Return the calibration of a thing that is in force, None where none is."""
    return _LEARNED.validate_python(row.learnt).get(subject)


def learned_words(row: Aircraft | AircraftModel | Pack, subject: str) -> str:
    """Return in words which calibration made a figure what it is; nothing where none did."""
    found = learned(row, subject)
    return found.full_words if found is not None else ""


def learned_json(calibration: Learned) -> Any:
    """Return a calibration as it is kept with its thing."""
    return {k: v for k, v in plain(calibration).items() if v is not None}


def charger_modes(row: ChargerModel) -> tuple[Mode, ...]:
    """Return the rates of a kind of charger."""
    return _MODES.validate_python(row.modes)
