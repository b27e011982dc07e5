"""What the maker still owes: a new pack until one date, a falling share of the price until another."""

from __future__ import annotations

from dataclasses import dataclass

from quarry.core.base.errors import MissingInput, require_range
from quarry.core.base.sources import ENTERED
from quarry.core.base.working import Step, formula, given, note_step


@dataclass(frozen=True, slots=True)
class WarrantyTerms:
    """Days from the purchase until which a pack is replaced, and until which a share of its price is paid."""

    replace_days: int | None = None
    prorata_days: int | None = None

    def __post_init__(self) -> None:
        for name, days in (("warranty_replace_days", self.replace_days), ("warranty_prorata_days", self.prorata_days)):
            if days is not None:
                require_range(days, 1, 3650, name, "Warranty", "days")
        if self.replace_days and self.prorata_days and self.prorata_days < self.replace_days:
            raise MissingInput("Pro rata ends after replacement does. Check both terms.", "warranty_prorata_days")


@dataclass(frozen=True, slots=True)
class Warranty:
    """Where a pack stands in its warranty: last days of both terms, and the share of its price that it is worth today."""

    replace_until_day: int | None
    prorata_until_day: int | None
    share_frac: float
    words: str


@formula("share of the price = days left ÷ days from replacement to the end", source=ENTERED, result="share_frac")
def prorata_frac(left_days: int, span_days: int) -> float:
    """Return what share of its price a pack is worth while it falls evenly."""
    return left_days / span_days


def warranty_of(terms: WarrantyTerms, bought_day: int | None, today: int) -> Warranty | None:
    """Return where a pack stands in its warranty; None where no terms or no purchase are known."""
    if bought_day is None or (terms.replace_days is None and terms.prorata_days is None):
        return None
    note_step(given("bought_day", bought_day, label="day of purchase", source=ENTERED))
    replace = bought_day + terms.replace_days if terms.replace_days is not None else None
    prorata = bought_day + terms.prorata_days if terms.prorata_days is not None else None
    if replace is not None and today <= replace:
        return Warranty(replace, prorata, 1.0, f"replaced if it fails: {replace - today} days left")
    if prorata is not None and today <= prorata:
        begins = replace if replace is not None else bought_day
        share = prorata_frac(prorata - today, prorata - begins)
        return Warranty(replace, prorata, share, f"pro rata: {share:.0%} of its price today, {prorata - today} days left")
    last = max(d for d in (replace, prorata) if d is not None)
    note_step(Step("over_days", today - last, "days", "past its last term", kind="input", source=ENTERED))
    return Warranty(replace, prorata, 0.0, f"over since {today - last} days")
