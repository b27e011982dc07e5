"""Samples of a flight as a compressed table in columns, and back; CSV and Parquet for others."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator

import numpy as np
import polars as pl

from quarry.core.logs.reading import Log
from quarry.core.logs.thin import enveloped

OVERVIEW_POINTS = 8000
_ROW_GROUP = 65_536  # a look into a long log reads the groups it needs
_CELL = re.compile(r"cell_\d+_v$")
_NOT_DRAWN = ("time_s", "lat_deg", "lon_deg")
_WHOLE = ("time_s", "lat_deg", "lon_deg")  # half precision of these would be seen


def packed(flight: Log) -> tuple[bytes, bytes]:
    """Return the samples of a flight, and an overview of them, as Parquet."""
    series = _series(flight)
    axis, thin = enveloped(flight.time_s, series, OVERVIEW_POINTS)
    return _parquet(flight.time_s, series), _parquet(axis, thin)


def _series(flight: Log) -> dict[str, np.ndarray[tuple[int], np.dtype[np.float64]]]:
    found = dict(flight.numbers)
    if flight.cells_v is not None:
        found |= {f"cell_{k + 1}_v": flight.cells_v[:, k] for k in range(flight.cells_v.shape[1])}
    return found


def _parquet(time_s: np.ndarray, series: dict[str, np.ndarray]) -> bytes:
    table = pl.DataFrame({"time_s": time_s} | series)
    table = table.with_columns([pl.col(c).cast(pl.Float32) for c in table.columns if c not in _WHOLE])
    buffer = io.BytesIO()
    table.write_parquet(buffer, compression="zstd", compression_level=3, row_group_size=_ROW_GROUP)
    return buffer.getvalue()


def unpacked(data: bytes, from_s: float | None = None, to_s: float | None = None) -> pl.DataFrame:
    """Return the table of samples, or the part of it between two times."""
    table = pl.scan_parquet(io.BytesIO(data))
    if from_s is not None:
        table = table.filter(pl.col("time_s") >= from_s)
    if to_s is not None:
        table = table.filter(pl.col("time_s") <= to_s)
    return table.collect()


def log_from(data: bytes) -> Log:
    """Return kept samples as the core's log."""
    table = unpacked(data)
    cells = sorted((c for c in table.columns if _CELL.match(c)), key=lambda c: int(c.split("_")[1]))
    numbers = {c: table[c].cast(pl.Float64).to_numpy() for c in table.columns if c != "time_s" and c not in cells}
    stacked = np.stack([table[c].cast(pl.Float64).to_numpy() for c in cells]).T if cells else None
    return Log(table["time_s"].to_numpy(), numbers, stacked, {})


def series_from(data: bytes, from_s: float, to_s: float, points: int) -> tuple[list[float], dict[str, list[float | None]]]:
    """Return the times of kept samples between two times, and their series for a screen; gaps are None."""
    table = unpacked(data, from_s, to_s)
    series = {c: table[c].cast(pl.Float64).to_numpy() for c in table.columns if c not in _NOT_DRAWN}
    axis, thin = enveloped(table["time_s"].to_numpy(), series, points)
    figures = {
        name: pl.Series(values).round(4).fill_nan(None).to_list() for name, values in thin.items() if np.isfinite(values).any()
    }
    return np.round(axis, 3).tolist(), figures


def csv_lines(data: bytes) -> Iterator[bytes]:
    """Yield kept samples as CSV, part by part."""
    table = unpacked(data)
    for k in range(0, max(1, table.height), _ROW_GROUP):
        part = table[k : k + _ROW_GROUP]
        yield part.write_csv(include_header=k == 0, float_precision=7).encode()


def table_parquet(rows: list[dict[str, object]]) -> bytes:
    """Return rows as Parquet."""
    buffer = io.BytesIO()
    pl.DataFrame(rows, infer_schema_length=None).write_parquet(buffer, compression="zstd")
    return buffer.getvalue()
