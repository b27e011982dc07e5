"""Amounts of products as they come to the store and leave it."""

from __future__ import annotations

import math

from quarry.apps.accounts.errors import DomainError

_MOST = 1e6


def check_amount(amount: float, unit: str) -> None:
    """Refuse an amount that is none."""
    if not math.isfinite(amount) or not 0 < amount <= _MOST:
        raise DomainError("out_of_range", f"Enter an amount above 0 {unit}.", "amount")
