"""What stands in words on a proof: limits that held, and who overrode what."""

from __future__ import annotations

from collections.abc import Mapping

from quarry.apps.limits.views import OverrideOut
from quarry.core.limits.sheets import Limit


def limit_words(limits: Mapping[str, Limit]) -> list[str]:
    """Return the strictest limits, a line each."""
    found = []
    for limit in limits.values():
        q = limit.quantity
        unit = f" {q.unit}" if q.unit else ""
        sides = [
            f"{word} {bound.value * q.scale:g}{unit} ({bound.sheet})"
            for word, bound in (("at least", limit.least), ("at most", limit.most))
            if bound is not None
        ]
        found.append(f"{q.words}: {', '.join(sides)}")
    return found


def override_words(on: str, sortie: int, override: OverrideOut) -> str:
    """Return who let a sortie fly against a no go, and why."""
    against = "; ".join(override.in_spite_of)
    return f"{on}, sortie {sortie}: no go ({against}), overridden by {override.name}: {override.reason}"
