"""What a label allows on one field in a season: how often, how much in all, how soon again, how long before harvest."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from quarry.core.base.settings import Setting
from quarry.core.base.sources import ASSUMED

SETTINGS: tuple[Setting, ...] = (
    Setting(
        "spraying.season_month_count",
        "Spraying",
        "A season begins with month",
        1.0,
        "labels count treatments by season; autumn-sown crops may want another month",
        "",
        low=1.0,
        high=12.0,
        source=ASSUMED,
    ),
)
_EPS = 1e-9


@dataclass(frozen=True, slots=True)
class SeasonLimits:
    """What the label of a product allows on one field; None where it says nothing. Amounts are in the product's unit, for each hectare."""

    product: str
    unit: str
    most_count: int | None = None
    most_amount: float | None = None
    least_interval_day: int | None = None
    before_harvest_day: int | None = None


@dataclass(frozen=True, slots=True)
class Treatment:
    """What a field already got: on which day (an ordinal), of which product, how much for each hectare, and on which field."""

    on_day: int
    product: str
    per_ha_amount: float
    field: str = ""


@dataclass(frozen=True, slots=True)
class SeasonFinding:
    """What a season's limit says of a treatment: exceeded (``no``), or kept and used up (``care``)."""

    product: str
    verdict: Literal["no", "care"]
    words: str


def season_of(on_month: int, on_year: int, first_month: int) -> tuple[int, int]:
    """Return (year, month) in which the season of a date began.

    Examples
    --------
    >>> season_of(3, 2026, 9), season_of(10, 2026, 9), season_of(3, 2026, 1)
    ((2025, 9), (2026, 9), (2026, 1))
    """
    return (on_year if on_month >= first_month else on_year - 1), first_month


def season_findings(
    limits: SeasonLimits,
    earlier: Sequence[Treatment],
    per_ha_amount: float,
    on_day: int,
    harvest_day: int | None = None,
) -> list[SeasonFinding]:
    """Return what speaks against one more treatment of a field, or uses a limit up.

    Parameters
    ----------
    earlier : sequence of Treatment
        Those of this product on this ground in the same season.
    per_ha_amount : float
        What this one puts on a hectare, in the product's unit.
    on_day, harvest_day : int
        Ordinals of the day of treatment and of the harvest, where it is known.
    """
    found: list[SeasonFinding] = []

    def say(verdict: Literal["no", "care"], words: str) -> None:
        found.append(SeasonFinding(limits.product, verdict, f"{limits.product}: {words}"))

    count = len(earlier) + 1
    if limits.most_count is not None:
        if count > limits.most_count:
            say("no", f"this would be treatment {count} of the season, {limits.most_count} are allowed.")
        elif count == limits.most_count and count > 1:
            say("care", f"this is treatment {count} of the season, the last that is allowed.")
    total = sum(t.per_ha_amount for t in earlier) + per_ha_amount
    if limits.most_amount is not None and total > limits.most_amount * (1 + 1e-6) + _EPS:
        before = total - per_ha_amount
        say(
            "no",
            f"{before:.3g} {limits.unit}/ha this season and {per_ha_amount:.3g} now come to {total:.3g}, "
            f"{limits.most_amount:g} are allowed.",
        )
    if limits.least_interval_day is not None and earlier:
        since = min(abs(on_day - t.on_day) for t in earlier)
        if since < limits.least_interval_day:
            say("no", f"{since} days from the nearest treatment, {limits.least_interval_day} are asked for.")
    if limits.before_harvest_day is not None and harvest_day is not None and harvest_day - on_day < limits.before_harvest_day:
        say("no", f"{harvest_day - on_day} days before the harvest, {limits.before_harvest_day} are asked for.")
    return found
