"""Tables of distances and trials of sweep width, checked by the core."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from quarry.core.search.shares import DistanceTable
from quarry.core.search.width import Pass, SweepWidth, sweep_width


def kind_table(within: Sequence[Sequence[Any]]) -> DistanceTable:
    """Return a table of distances that is kept or was entered; raises `SearchError` where it does not rise."""
    return DistanceTable(tuple((float(share), float(away)) for share, away in within))


def trial_of(passes: Sequence[Sequence[Any]]) -> SweepWidth:
    """Return what passes show of the sweep width; raises `SearchError` where they say too little."""
    return sweep_width([Pass(float(away), bool(seen)) for away, seen in passes])
