"""Cutting rows into cells that can be flown to and fro without leaving them.

Boustrophedon decomposition (Choset and Pignon 1997; Huang 2001): a cell goes on while each row has
one stretch that meets just one stretch of the next.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quarry.core.ground.rows import Row

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Cell:
    """Stretches of successive rows, shape (n, 3): y, x from, x to, in rising order of row."""

    stretches: Floats

    def path(self, variant: int) -> Floats:
        """Return the way through the cell, shape (2n, 2), for one of four variants.

        Bit 0: begin with the last row. Bit 1: fly the first row towards smaller x.
        """
        stretches = self.stretches[::-1] if variant & 1 else self.stretches
        n = len(stretches)
        backwards = (np.arange(n) + (variant >> 1)) % 2 == 1
        start = np.where(backwards, stretches[:, 2], stretches[:, 1])
        end = np.where(backwards, stretches[:, 1], stretches[:, 2])
        out = np.empty((2 * n, 2))
        out[::2, 0], out[1::2, 0] = start, end
        out[::2, 1] = out[1::2, 1] = stretches[:, 0]
        return out


def cut_cells(rows: list[Row], ys: Floats) -> list[Cell]:
    """Return the cells of rows given from low to high y."""
    open_cells: list[list[tuple[float, float, float]]] = []
    done: list[list[tuple[float, float, float]]] = []
    previous: Row = []
    for y, row in zip(ys.tolist(), rows, strict=True):
        meets_below = [[j for j, (c, d) in enumerate(previous) if c < b and a < d] for a, b in row]
        meets_above = [[i for i, (a, b) in enumerate(row) if c < b and a < d] for c, d in previous]
        now = []
        used = set()
        for i, (a, b) in enumerate(row):
            below = meets_below[i]
            if len(below) == 1 and len(meets_above[below[0]]) == 1:
                open_cells[below[0]].append((y, a, b))
                now.append(open_cells[below[0]])
                used.add(below[0])
            else:
                now.append([(y, a, b)])
        done.extend(cell for j, cell in enumerate(open_cells) if j not in used)
        open_cells, previous = now, row
    done.extend(open_cells)
    return [Cell(np.array(c)) for c in done]
