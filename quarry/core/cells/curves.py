"""Open-circuit voltage of published cells: one record, one source.

Rested volts of one cell at shares of charge, from the parameter sets named, as `ocv_tables` has them: every half per cent,
every fifth of one at both ends, where volts fall steeply. A model's output is exact for that cell; a pack of another make
may lie 30 mV away between 20 and 95 %, more at the ends.
"""

from __future__ import annotations

from dataclasses import dataclass

from quarry.core.base.sources import AI, CHEN, ECKER, KIM, MARQUIS, PRADA, Source
from quarry.core.cells.ocv_tables import CHARGES, VOLTS


@dataclass(frozen=True, slots=True)
class OcvCurve:
    """Rested volts of one cell, rising with the share of charge; ``says_not`` names what it does not claim."""

    name: str
    source: Source
    points: tuple[tuple[float, float], ...]
    says_not: str = ""


def _published(name: str, source: Source, says_not: str = "") -> OcvCurve:
    return OcvCurve(name, source, tuple(zip(CHARGES, VOLTS[name], strict=True)), says_not)


ECKER_CURVE = _published("Ecker2015", ECKER)
AI_CURVE = _published("Ai2020", AI)
KIM_CURVE = _published("NCA_Kim2011", KIM)
MARQUIS_CURVE = _published("Marquis2019", MARQUIS, "spans 3.105 to 4.1 V only: its 100 % is not that of a pack charged to 4.2 V")
CHEN_CURVE = _published("Chen2020", CHEN)
PRADA_CURVE = _published("Prada2013", PRADA, "both ends are artefacts of the fit")

CURVES = {c.name: c for c in (ECKER_CURVE, AI_CURVE, KIM_CURVE, MARQUIS_CURVE, CHEN_CURVE, PRADA_CURVE)}
