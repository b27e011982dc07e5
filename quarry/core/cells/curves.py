"""Open-circuit voltage of published cells: one record, one source.

Rested volts of one cell at shares of charge, from the parameter sets named. A model's output is exact for that
cell; a pack of another make may lie 30 mV away between 20 and 95 %, more at the ends.
"""

from __future__ import annotations

from dataclasses import dataclass

from quarry.core.base.sources import AI, CHEN, ECKER, KIM, MARQUIS, PRADA, Source


@dataclass(frozen=True, slots=True)
class OcvCurve:
    """Rested volts of one cell, rising with the share of charge; ``says_not`` names what it does not claim."""

    name: str
    source: Source
    points: tuple[tuple[float, float], ...]
    says_not: str = ""


ECKER_CURVE = OcvCurve(
    "Ecker2015",
    ECKER,
    (
        (0, 2.5000),
        (0.05, 3.2938),
        (0.1, 3.4586),
        (0.15, 3.5277),
        (0.2, 3.5870),
        (0.25, 3.6565),
        (0.3, 3.7094),
        (0.35, 3.7430),
        (0.4, 3.7700),
        (0.45, 3.7805),
        (0.5, 3.7872),
        (0.55, 3.7979),
        (0.6, 3.8155),
        (0.65, 3.8417),
        (0.7, 3.8823),
        (0.75, 3.9400),
        (0.8, 3.9868),
        (0.85, 4.0304),
        (0.9, 4.0789),
        (0.95, 4.1353),
        (1, 4.2000),
    ),
)
AI_CURVE = OcvCurve(
    "Ai2020",
    AI,
    (
        (0, 3.0000),
        (0.05, 3.5421),
        (0.1, 3.6396),
        (0.15, 3.6654),
        (0.2, 3.6954),
        (0.25, 3.7168),
        (0.3, 3.7331),
        (0.35, 3.7481),
        (0.4, 3.7622),
        (0.45, 3.7763),
        (0.5, 3.7925),
        (0.55, 3.8122),
        (0.6, 3.8365),
        (0.65, 3.8675),
        (0.7, 3.9089),
        (0.75, 3.9519),
        (0.8, 3.9945),
        (0.85, 4.0409),
        (0.9, 4.0879),
        (0.95, 4.1384),
        (1, 4.2000),
    ),
)
KIM_CURVE = OcvCurve(
    "NCA_Kim2011",
    KIM,
    (
        (0, 2.7000),
        (0.05, 3.1939),
        (0.1, 3.2471),
        (0.15, 3.3099),
        (0.2, 3.3721),
        (0.25, 3.4331),
        (0.3, 3.4918),
        (0.35, 3.5472),
        (0.4, 3.5978),
        (0.45, 3.6430),
        (0.5, 3.6846),
        (0.55, 3.7253),
        (0.6, 3.7678),
        (0.65, 3.8163),
        (0.7, 3.8742),
        (0.75, 3.9300),
        (0.8, 3.9803),
        (0.85, 4.0295),
        (0.9, 4.0803),
        (0.95, 4.1354),
        (1, 4.2000),
    ),
)
MARQUIS_CURVE = OcvCurve(
    "Marquis2019",
    MARQUIS,
    (
        (0, 3.1050),
        (0.05, 3.6176),
        (0.1, 3.6818),
        (0.15, 3.6908),
        (0.2, 3.6921),
        (0.25, 3.6938),
        (0.3, 3.6971),
        (0.35, 3.7022),
        (0.4, 3.7153),
        (0.45, 3.7345),
        (0.5, 3.7450),
        (0.55, 3.7537),
        (0.6, 3.7648),
        (0.65, 3.7794),
        (0.7, 3.7985),
        (0.75, 3.8221),
        (0.8, 3.8490),
        (0.85, 3.8756),
        (0.9, 3.9040),
        (0.95, 4.0084),
        (1, 4.1000),
    ),
    "spans 3.105 to 4.1 V only: its 100 % is not that of a pack charged to 4.2 V",
)
CHEN_CURVE = OcvCurve(
    "Chen2020",
    CHEN,
    (
        (0, 2.5000),
        (0.05, 3.1094),
        (0.1, 3.2959),
        (0.15, 3.4339),
        (0.2, 3.4852),
        (0.25, 3.5286),
        (0.3, 3.5814),
        (0.35, 3.6290),
        (0.4, 3.6670),
        (0.45, 3.7054),
        (0.5, 3.7509),
        (0.55, 3.7983),
        (0.6, 3.8406),
        (0.65, 3.8896),
        (0.7, 3.9479),
        (0.75, 3.9943),
        (0.8, 4.0421),
        (0.85, 4.0809),
        (0.9, 4.0967),
        (0.95, 4.1236),
        (1, 4.2000),
    ),
)
PRADA_CURVE = OcvCurve(
    "Prada2013",
    PRADA,
    (
        (0, 2.0000),
        (0.05, 2.7853),
        (0.1, 2.9781),
        (0.2, 3.1685),
        (0.3, 3.2058),
        (0.5, 3.2660),
        (0.7, 3.2740),
        (0.8, 3.3097),
        (0.9, 3.3142),
        (0.95, 3.3164),
        (1, 3.6000),
    ),
    "both ends are artefacts of the fit",
)

CURVES = {c.name: c for c in (ECKER_CURVE, AI_CURVE, KIM_CURVE, MARQUIS_CURVE, CHEN_CURVE, PRADA_CURVE)}
