"""The load test: a full pack, a full-power climb, and the lowest volts of each cell.

The usual levels hold for LiPo and high-voltage LiPo alone. One weak cell is enough: a total hides it, so a total is
weaker evidence. A cold pack sags and fails falsely; a pack that was not full is not judged.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from quarry.core.base.errors import BadReading, require_range
from quarry.core.base.sources import ALGEBRA, ENTERED, PRACTICE
from quarry.core.base.working import Step, Working, explain, formula, given, note_step
from quarry.core.cells.chemistry import Chemistry

Verdict = Literal["good", "replace soon", "bad", "inconclusive", "not judged", "not possible"]
Evidence = Literal["each cell", "total", "none"]
_AT_V = 1e-6  # exactly at a level belongs to the worse side, however its volts were divided
_LEAST_SAG_V = 0.05  # no cell under full power shows less below full than this
CYCLES_LEFT = (10, 20)


@dataclass(frozen=True, slots=True)
class LoadTestPolicy:
    """When a pack counts as full, how cold is too cold to fail, and levels of one's own (None: those of the chemistry).

    ``grounds``: the verdict that grounds a pack: bad alone, or already when it is to be replaced soon.
    """

    full_frac: float = 0.96
    full_short_v: float = 0.05
    cold_c: float = 15.0
    good_v: float | None = None
    bad_v: float | None = None
    grounds: Literal["bad", "replace soon"] = "bad"

    def __post_init__(self) -> None:
        require_range(self.full_frac, 0.8, 1.0, "policy.full_frac", "Full from", "")
        require_range(self.full_short_v, 0.0, 0.3, "policy.full_short_v", "Full within", "V")
        require_range(self.cold_c, -10.0, 30.0, "policy.cold_c", "Cold below", "°C")


USUAL = LoadTestPolicy()


@dataclass(frozen=True, slots=True)
class LoadTest:
    """What was seen.

    Give ``cell_volts`` (the lowest of each cell in the climb) or ``total_v``; neither if the aircraft shows no volts.
    Whether it was full: ``start_frac`` as shown, or ``rest_cell_v``, the lowest cell at rest before the climb.
    """

    cells_count: int
    cell_volts: tuple[float, ...] = ()
    total_v: float | None = None
    start_frac: float | None = None
    rest_cell_v: float | None = None
    pack_c: float | None = None


@dataclass(frozen=True, slots=True)
class LoadTestResult:
    """The verdict, the weakest cell (from 1; 0 if only a total is known), and what to do."""

    verdict: Verdict
    evidence: Evidence
    weakest_cell: int
    weakest_v: float | None
    spread_v: float | None
    cycles_left: tuple[int, int] | None
    words: str
    working: Working
    good_v: float | None = None
    bad_v: float | None = None


@formula("volts of one cell = total ÷ cells in series", source=ALGEBRA, result="cell_v")
def cell_from_total_v(total_v: float, cells_count: int) -> float:
    """Return the mean volts of one cell: never divide by packs or cells in parallel. [V]"""
    return total_v / cells_count


def judge_load_test(chemistry: Chemistry, test: LoadTest, policy: LoadTestPolicy = USUAL) -> LoadTestResult:
    """Return the verdict of a load test.

    Raises
    ------
    BadReading
        The number of cells does not fit, or a voltage lies above full or below what a cell can show.
    """
    explained = explain(_judge, chemistry, test, policy)
    verdict, evidence, cell, volts, words = explained.value
    spread = max(test.cell_volts) - min(test.cell_volts) if test.cell_volts else None
    working = Working(
        "Load test", volts if volts is not None else verdict, "V" if volts is not None else "", explained.steps, words
    )
    left = CYCLES_LEFT if verdict == "replace soon" else None
    good, bad = _levels(chemistry, policy)
    return LoadTestResult(verdict, evidence, cell, volts, spread, left, words, working, good, bad)


def _levels(chemistry: Chemistry, policy: LoadTestPolicy) -> tuple[float | None, float | None]:
    """Return the volts from which a test is good and below which it is bad: the policy's, else those of the chemistry."""
    good = policy.good_v if policy.good_v is not None else chemistry.test_good_v
    return good, policy.bad_v if policy.bad_v is not None else chemistry.test_bad_v


_Judged = tuple[Verdict, Evidence, int, float | None, str]


def _judge(chemistry: Chemistry, test: LoadTest, policy: LoadTestPolicy) -> _Judged:
    cell, volts, evidence = _weakest(chemistry, test)
    good, bad = _levels(chemistry, policy)
    if volts is None:
        words = (
            "This aircraft shows no volts: the test is not possible in flight. Measure each cell at rest with a meter, "
            "read its resistance, and compare charge put back with minutes flown."
        )
        return _end("not possible", "none", 0, None, words)
    if good is None or bad is None:
        words = f"The usual levels are for LiPo. For {chemistry.name} set levels of your own from the maker's sheet."
        return _end("not possible", evidence, cell, volts, words)
    if not _was_full(chemistry, test, policy):
        return _end("not judged", evidence, cell, volts, "The pack was not full, or nobody noted it: charge it full and repeat.")
    note_step(given("good_v", good, label="good: every cell stays above", source=PRACTICE, kind="limit"))
    note_step(given("bad_v", bad, label="bad: any cell that falls to it", source=PRACTICE, kind="limit"))
    name = f"Cell {cell}" if cell else "The mean of all cells"
    if volts > good + _AT_V:
        note = "" if evidence == "each cell" else " A total can hide one weak cell: look at each cell when you can."
        return _end("good", evidence, cell, volts, f"{name} held {volts:.2f} V.{note}")
    if test.pack_c is not None and test.pack_c < policy.cold_c:
        words = f"{name} fell to {volts:.2f} V, but the pack was at {test.pack_c:.0f} °C: warm it above {policy.cold_c:.0f} °C and repeat."
        return _end("inconclusive", evidence, cell, volts, words)
    cold = "" if test.pack_c is not None else " Its temperature was not noted: if it was cold, warm it and repeat."
    if volts <= bad + _AT_V:
        return _end("bad", evidence, cell, volts, f"{name} fell to {volts:.2f} V: land now, do not fly this pack again.{cold}")
    words = f"{name} fell to {volts:.2f} V: replace soon, about {CYCLES_LEFT[0]}–{CYCLES_LEFT[1]} cycles left. Order its successor.{cold}"
    return _end("replace soon", evidence, cell, volts, words)


def _end(verdict: Verdict, evidence: Evidence, cell: int, volts: float | None, words: str) -> _Judged:
    note_step(Step("verdict", verdict, "", words, kind="choice", source=PRACTICE))
    return verdict, evidence, cell, volts, words


def _weakest(chemistry: Chemistry, test: LoadTest) -> tuple[int, float | None, Evidence]:
    require_range(test.cells_count, 1, 28, "cells_count", "Cells in series", "")
    if test.cell_volts:
        if len(test.cell_volts) != test.cells_count:
            raise BadReading(
                f"{len(test.cell_volts)} cell volts were given for a pack of {test.cells_count} cells. Give one for each cell.",
                "cell_volts",
            )
        for n, v in enumerate(test.cell_volts, start=1):
            _plausible(chemistry, v, f"Cell {n}", f"cell_volts.{n - 1}")
        lowest = min(range(test.cells_count), key=lambda k: test.cell_volts[k])
        note_step(given("cell_v", test.cell_volts[lowest], label=f"lowest volts, cell {lowest + 1}", source=ENTERED))
        return lowest + 1, test.cell_volts[lowest], "each cell"
    if test.total_v is not None:
        mean = cell_from_total_v(test.total_v, test.cells_count)
        _plausible(chemistry, mean, f"{test.total_v:g} V over {test.cells_count} cells in series: one cell", "total_v")
        return 0, mean, "total"
    return 0, None, "none"


def _plausible(chemistry: Chemistry, cell_v: float, what: str, field: str) -> None:
    if not chemistry.least_v - 1.5 <= cell_v <= chemistry.full_v + 0.03:
        raise BadReading(
            f"{what} at {cell_v:.2f} V cannot be for {chemistry.name}, full at {chemistry.full_v:.2f} V. "
            "Check the reading, and divide a total by the cells in series only.",
            field,
        )


def query_load(
    chemistry: Chemistry,
    cells_count: int,
    cell_volts: Sequence[float] = (),
    total_v: float | None = None,
    field: str = "cell_v",
) -> None:
    """Ask about volts that no cell shows under full power, before they are recorded; raises `BadReading` at their field."""
    lowest = min(cell_volts) if cell_volts else cell_from_total_v(total_v, cells_count) if total_v is not None else 0.0
    if lowest > chemistry.full_v - _LEAST_SAG_V + _AT_V:
        what = (
            f"The lowest cell at {lowest:.2f} V"
            if cell_volts
            else f"{total_v:g} V over {cells_count} cells, {lowest:.2f} V a cell,"
        )
        raise BadReading(
            f"{what} under full power: no {chemistry.name} holds that. Was it read at rest? Read it again in the full climb, or "
            "record it as resting voltage.",
            field if cell_volts else "total_v",
        )


def _was_full(chemistry: Chemistry, test: LoadTest, policy: LoadTestPolicy) -> bool:
    full_v = chemistry.full_v - policy.full_short_v
    by_share = test.start_frac is not None and test.start_frac >= policy.full_frac - 1e-9
    by_volts = test.rest_cell_v is not None and test.rest_cell_v >= full_v - 1e-9
    seen = []
    if test.start_frac is not None:
        seen.append(f"{test.start_frac:.0%} shown")
    if test.rest_cell_v is not None:
        seen.append(f"{test.rest_cell_v:.2f} V a cell at rest")
    words = f"full means {policy.full_frac:.0%} or {full_v:.2f} V a cell at rest; seen: {' and '.join(seen) or 'nothing'}"
    note_step(Step("full", by_share or by_volts, "", words, kind="limit", source=PRACTICE))
    return by_share or by_volts
