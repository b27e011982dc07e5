"""Chemistries as data: what their cells hold, bear and show.

Volts are per cell. Windows of temperature are the usual ones of makers; the manual of the pack stands above them.
"""

from __future__ import annotations

from dataclasses import dataclass

from quarry.core.base.errors import MissingInput
from quarry.core.base.sources import IEC_61960, PRACTICE, Source
from quarry.core.cells.curves import AI_CURVE, CHEN_CURVE, ECKER_CURVE, KIM_CURVE, PRADA_CURVE, OcvCurve


@dataclass(frozen=True, slots=True)
class Chemistry:
    """A kind of cell.

    ``test_good_v`` and ``test_bad_v`` are the levels of the load test, None where the usual ones do not hold.
    ``curves`` are the published cells that stand for it; ``stretched`` says that they were taken from the chemistry
    with the lower full voltage. ``volts_tell`` is False where a rested voltage says nothing of the charge.
    """

    key: str
    name: str
    nominal_v: float
    full_v: float
    least_v: float
    land_loaded_v: float
    storage_low_v: float
    storage_high_v: float
    charge_low_c: float
    charge_high_c: float
    fly_low_c: float
    fly_high_c: float
    store_low_c: float
    store_high_c: float
    test_good_v: float | None
    test_bad_v: float | None
    curves: tuple[OcvCurve, ...]
    stretched: bool = False
    volts_tell: bool = True
    volts_source: Source = IEC_61960
    windows_source: Source = PRACTICE


_LIPO_CURVES = (ECKER_CURVE, AI_CURVE)
_WINDOWS = (0.0, 45.0, -10.0, 60.0, 0.0, 30.0)

CHEMISTRIES = {
    c.key: c
    for c in (
        Chemistry("lipo", "LiPo", 3.7, 4.2, 3.0, 3.5, 3.8, 3.85, *_WINDOWS, 3.9, 3.6, _LIPO_CURVES),
        Chemistry("lihv", "high-voltage LiPo", 3.8, 4.35, 3.0, 3.5, 3.8, 3.9, *_WINDOWS, 3.9, 3.6, _LIPO_CURVES, stretched=True),
        Chemistry(
            "liion", "lithium-ion, NMC or NCA", 3.6, 4.2, 2.5, 3.0, 3.6, 3.75, *_WINDOWS, None, None, (CHEN_CURVE, KIM_CURVE)
        ),
        Chemistry("lfp", "LFP", 3.2, 3.65, 2.5, 2.8, 3.25, 3.3, *_WINDOWS, None, None, (PRADA_CURVE,), volts_tell=False),
    )
}


def chemistry_of(key: str) -> Chemistry:
    """Return a chemistry by its key; raises `MissingInput` naming those known."""
    found = CHEMISTRIES.get(key)
    if found is None:
        raise MissingInput(f"There is no chemistry called {key}. Choose one of: {', '.join(CHEMISTRIES)}.", "chemistry")
    return found
