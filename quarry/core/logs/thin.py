"""Long series made short for a screen without losing a peak."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def enveloped(time_s: Floats, series: Mapping[str, Floats], points: int) -> tuple[Floats, dict[str, Floats]]:
    """Return series with at most about ``points`` points on one time axis.

    Of each stretch its least and its greatest value, in the order in which they came, so that no dip is lost. What is shorter
    comes back as it is.

    Parameters
    ----------
    time_s : array (rows,)
    series : mapping of array (rows,)
        Gaps are NaN.
    points : int
        At least 4.
    """
    buckets = max(2, points // 2)
    if time_s.size <= 2 * buckets:
        return time_s, dict(series)
    edges = np.linspace(0, time_s.size, buckets + 1).astype(int)
    starts, ends = edges[:-1], edges[1:]
    middle = (starts + ends) // 2
    axis = np.empty(2 * buckets)
    axis[::2], axis[1::2] = time_s[starts], time_s[np.minimum(middle, time_s.size - 1)]
    found = {}
    for name, values in series.items():
        low = np.minimum.reduceat(np.where(np.isnan(values), np.inf, values), starts)
        high = np.maximum.reduceat(np.where(np.isnan(values), -np.inf, values), starts)
        falls = values[starts] > values[np.minimum(ends - 1, values.size - 1)]
        pair = np.empty(2 * buckets)
        pair[::2], pair[1::2] = np.where(falls, high, low), np.where(falls, low, high)
        pair[~np.isfinite(pair)] = np.nan
        found[name] = pair
    return axis, found
