"""Calibration: what each nozzle gave in a time, how even they are, and which are worn or stopped up."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

from quarry.core.base.errors import MissingInput, require_range
from quarry.core.base.sources import ALGEBRA, PRACTICE
from quarry.core.base.working import formula

WORN_FRAC = 0.10  # common practice, no source


@formula("flow = caught ÷ time", source=ALGEBRA, result="nozzle_l_min")
def caught_l_min(caught_l: float, caught_s: float) -> float:
    """Return the flow of a catch. [L/min]

    Examples
    --------
    >>> caught_l_min(0.4, 30.0)
    0.8
    """
    return caught_l / caught_s * 60.0


@formula("off by = flow ÷ what it should give − 1", source=PRACTICE, result="off_frac")
def off_frac(nozzle_l_min: float, wanted_l_min: float) -> float:
    """Return by how much a nozzle gives more than it should, less below zero."""
    return nozzle_l_min / wanted_l_min - 1.0


@dataclass(frozen=True, slots=True)
class Calibration:
    """What catches come to: the flow of each nozzle and of all, how far the most and the least lie apart, those worn and those short.

    ``wanted_l_min``: what each should give, by its size and pressure, or the median where these are not known. Nozzles count from 1.
    """

    each_l_min: tuple[float, ...]
    total_l_min: float
    wanted_l_min: float
    spread_frac: float
    worn: tuple[int, ...]
    short: tuple[int, ...]

    def words(self) -> str:
        """Return in words what to do."""
        found = []
        if self.worn:
            found.append(f"Worn, change: {_numbers(self.worn)}, more than {WORN_FRAC:.0%} above what they should give.")
        if self.short:
            found.append(f"Clean or change: {_numbers(self.short)}, more than {WORN_FRAC:.0%} below.")
        return " ".join(found) or f"All within {WORN_FRAC:.0%} of what they should give."


def _numbers(numbers: Sequence[int]) -> str:
    return f"nozzle{'' if len(numbers) == 1 else 's'} {', '.join(str(n) for n in numbers)}"


def calibrate(caught_l: Sequence[float], caught_s: float, wanted_l_min: float | None = None) -> Calibration:
    """Return what catches from each nozzle over the same time come to.

    Raises
    ------
    MissingInput
        Nothing was caught.
    OutOfRange
        A time or a catch cannot be.
    """
    require_range(caught_s, 5.0, 3600.0, "caught_s", "Time of the catch", "s")
    if not caught_l:
        raise MissingInput("Enter what was caught from each nozzle.", "caught_l")
    each = [
        caught_l_min(require_range(v, 0.0, 200.0, f"caught_l.{k}", f"Catch of nozzle {k + 1}", "L"), caught_s)
        for k, v in enumerate(caught_l)
    ]
    wanted = wanted_l_min if wanted_l_min is not None else median(each)
    require_range(wanted, 1e-3, 100.0, "wanted_l_min", "What a nozzle should give", "L/min")
    mean = sum(each) / len(each)
    off = [off_frac(v, wanted) for v in each]
    return Calibration(
        tuple(each),
        sum(each),
        wanted,
        (max(each) - min(each)) / mean if mean > 0 else 0.0,
        tuple(k for k, v in enumerate(off, start=1) if v > WORN_FRAC),
        tuple(k for k, v in enumerate(off, start=1) if v < -WORN_FRAC),
    )
