"""Cutting rows into cells that can be flown to and fro without leaving them.

Boustrophedon decomposition (Choset and Pignon 1997; Huang 2001): a cell goes on while each row has
one span that meets just one span of the next.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quarry.core.ground.rows import Row, Span, turn_points

Floats = NDArray[np.float64]
Pass = tuple[Floats, ...]


@dataclass(frozen=True, slots=True)
class Cell:
    """Passes side by side, each the stretches of one line from its one end to the other, as places of shape (n, 2)."""

    passes: tuple[Pass, ...]

    def flown(self, variant: int) -> Iterator[Pass]:
        """Return the passes in the order and sense flown, for one of four variants.

        Bit 0: begin with the last pass. Bit 1: fly the first pass from its far end.
        """
        order = self.passes[::-1] if variant & 1 else self.passes
        for k, one in enumerate(order):
            backwards = (k + (variant >> 1)) % 2 == 1
            yield tuple(stretch[::-1] for stretch in one[::-1]) if backwards else one


def straight_cell(spans: Sequence[tuple[float, Span]], angle_deg: float) -> Cell:
    """Return the cell of spans of successive rows, each with its y, in a frame turned by an angle."""
    passes = []
    for y, span in spans:
        passes.append(tuple(turn_points(np.array([[a, y], [b, y]]), angle_deg) for a, b in span))
    return Cell(tuple(passes))


def cut_cells(rows: Sequence[Sequence[Span]], ys: Floats) -> list[list[tuple[float, Span]]]:
    """Return the cells of rows given from low to high y: the spans of each, with their y."""
    open_cells: list[list[tuple[float, Span]]] = []
    done: list[list[tuple[float, Span]]] = []
    previous: Row = []
    for y, spans in zip(ys.tolist(), rows, strict=True):
        row = [(span[0][0], span[-1][1]) for span in spans]
        meets_below = [[j for j, (c, d) in enumerate(previous) if c < b and a < d] for a, b in row]
        meets_above = [[i for i, (a, b) in enumerate(row) if c < b and a < d] for c, d in previous]
        now = []
        used = set()
        for i, span in enumerate(spans):
            below = meets_below[i]
            if len(below) == 1 and len(meets_above[below[0]]) == 1:
                open_cells[below[0]].append((y, span))
                now.append(open_cells[below[0]])
                used.add(below[0])
            else:
                now.append([(y, span)])
        done.extend(cell for j, cell in enumerate(open_cells) if j not in used)
        open_cells, previous = now, row
    done.extend(open_cells)
    return done
