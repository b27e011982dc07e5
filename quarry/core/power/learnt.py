"""What a pack's own charges taught: how much longer, or shorter, than the law says it stays on a port."""

from __future__ import annotations

from collections.abc import Sequence
from statistics import median

from quarry.core.base.sources import BUHLMANN, MEASURED
from quarry.core.base.working import Step, formula, note_step

PRIOR_COUNT = 3  # charges that the law is worth
_LOW, _HIGH = 0.7, 1.8  # outside: a pack forgotten on its port, or a start that was misread


@formula("trust = charges ÷ (charges + charges that the law is worth)", source=BUHLMANN, result="trust_frac")
def trust(charges_count: int, prior_count: int) -> float:
    """Return the share that a pack's own charges have in what is planned."""
    return charges_count / (charges_count + prior_count)


@formula("times the law = 1 + trust × (measured − 1)", source=BUHLMANN, result="slowness")
def shrunk(measured_ratio: float, trust_frac: float) -> float:
    """Return a measured ratio drawn towards one while few charges are known."""
    return 1.0 + trust_frac * (measured_ratio - 1.0)


def slowness_of(ratios: Sequence[float]) -> float:
    """Return the factor on the charge time of a pack from the ratios, measured by computed time, of its own charges.

    The middle one counts, so that a pack forgotten on its port is no slow pack; ratios beyond belief are left out.

    Examples
    --------
    >>> slowness_of([]), round(slowness_of([1.2, 1.2, 1.2]), 3), round(slowness_of([1.2] * 97), 3)
    (1.0, 1.1, 1.194)
    """
    good = [r for r in ratios if _LOW <= r <= _HIGH]
    if not good:
        return 1.0
    middle = median(good)
    note_step(
        Step(
            "measured_ratio",
            middle,
            "",
            f"middle of {len(good)} of its own charges, measured ÷ computed time",
            source=MEASURED,
            kind="input",
        )
    )
    return shrunk(middle, trust(len(good), PRIOR_COUNT))
