"""What is asked for at the bench."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal
from uuid import UUID

Goal = Literal["full", "storage", "balance"]


@dataclass(frozen=True, slots=True)
class ChargeAsked:
    """A charge at the bench that is to begin; ``shown``: volts of the cells as the charger shows them."""

    goal: Goal = "full"
    rate_c: float = 1.0
    pack_c: float | None = None
    charger_id: UUID | None = None
    port: int = 1
    shown: tuple[float, ...] = ()
