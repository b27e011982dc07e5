"""Two alarm levels of an aircraft that acts on volts: level 1 warns, level 2 lands by itself.

From readings of a test flight, resting and loaded, come the curve, the loss under load, both levels and the time each
leaves. Start high and come down with experience; prove the levels in a flight near home.
"""

from __future__ import annotations

import statistics
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from quarry.core.base.errors import BadReading, OutOfRange, require_range
from quarry.core.base.settings import Setting, Value, check_value
from quarry.core.base.sources import ALGEBRA, ENTERED, LEAST_SQUARES, PRACTICE
from quarry.core.base.working import Step, formula, given, note_step
from quarry.core.cells.chemistry import CHEMISTRIES, Chemistry


@dataclass(frozen=True, slots=True)
class AlarmReading:
    """Volts of the whole pack some time after take-off: at rest after landing, or under load just before, or both."""

    at_s: float
    rest_v: float | None = None
    loaded_v: float | None = None


@dataclass(frozen=True, slots=True)
class Level:
    """One level: under load and at rest, for the pack and for one cell, and when the readings reach it."""

    loaded_v: float
    rest_v: float
    loaded_cell_v: float
    rest_cell_v: float
    at_s: float


@dataclass(frozen=True, slots=True)
class AlarmLevels:
    """Both levels, the loss under load (as measured and as the controller takes it), and whether the gap leads home."""

    level_1: Level
    level_2: Level
    loss_v: float
    taken_loss_v: float
    between_s: float
    warning: str
    curve: tuple[tuple[float, float], ...]


@formula("at rest = under load + loss", source=ALGEBRA, result="rest_v")
def rest_from_loaded_v(loaded_v: float, loss_v: float) -> float:
    """Return the resting volts that belong to volts under load. [V]"""
    return loaded_v + loss_v


def falling_curve(readings: Sequence[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
    """Return the least-squares curve through readings that never rises (pool adjacent violators)."""
    blocks: list[list[float]] = []  # sum of volts, count, first time index
    times = [t for t, _ in sorted(readings)]
    for _, v in sorted(readings):
        blocks.append([v, 1.0])
        while len(blocks) > 1 and blocks[-2][0] / blocks[-2][1] < blocks[-1][0] / blocks[-1][1]:
            total, count = blocks.pop()
            blocks[-1][0] += total
            blocks[-1][1] += count
    fitted = [b[0] / b[1] for b in blocks for _ in range(int(b[1]))]
    return tuple(zip(times, fitted, strict=True))


def propose_levels(
    chemistry: Chemistry,
    cells_count: int,
    readings: Sequence[AlarmReading],
    return_s: float,
    *,
    wanted_cell_v: float | None = None,
    floor_cell_v: float | None = None,
    most_loss_v: float | None = None,
) -> AlarmLevels:
    """Return both levels for a way home of ``return_s``.

    Level 1 stands at ``wanted_cell_v`` under load (default: where the chemistry should land). Level 2 lies where the
    curve is ``return_s`` later, but not below ``floor_cell_v`` under load (default 0.2 V lower); if it would, level 1
    is raised until the way home fits between.

    Raises
    ------
    BadReading
        Too few readings, none with both volts, volts that cannot be, or a curve that does not reach level 1.
    """
    require_range(cells_count, 1, 28, "cells_count", "Cells in series", "")
    require_range(return_s, 5.0, 3600.0, "return_s", "Time needed home", "s")
    wanted = wanted_cell_v if wanted_cell_v is not None else chemistry.land_loaded_v
    floor = floor_cell_v if floor_cell_v is not None else wanted - 0.2
    require_range(wanted, chemistry.least_v, chemistry.full_v, "wanted_cell_v", "Level 1 of one cell under load", "V")
    require_range(floor, chemistry.least_v, wanted, "floor_cell_v", "Floor of level 2 of one cell under load", "V")
    loss, curve = _curve(chemistry, cells_count, readings)
    taken = loss if most_loss_v is None else min(loss, most_loss_v)
    if taken < loss:
        note_step(given("taken_loss_v", taken, label="the controller accepts no larger loss", source=ENTERED, kind="limit"))
    first_v, floor_v = wanted * cells_count, floor * cells_count
    first_s = _time_at(curve, first_v)
    if first_s is None:
        raise BadReading(
            f"The readings end at {curve[-1][1]:.2f} V under load and do not reach {first_v:.2f} V. Fly the test on until they do.",
            "readings",
        )
    note_step(Step("first_s", first_s, "s", f"the curve under load reaches {first_v:.2f} V, level 1", source=LEAST_SQUARES))
    second_s = first_s + return_s
    second_v = _volts_at(curve, second_s)
    if second_v < floor_v - 1e-9:
        second_v = floor_v
        second_s = _time_at(curve, floor_v, beyond=True) or first_s
        first_s = max(0.0, second_s - return_s)
        first_v = _volts_at(curve, first_s)
        note_step(
            Step("first_v", first_v, "V", "raised so that the way home fits before the floor", kind="choice", source=PRACTICE)
        )
    between = second_s - first_s
    levels = [_level(v, t, taken, cells_count) for v, t in ((first_v, first_s), (second_v, second_s))]
    note_step(Step("between_s", between, "s", "time from level 1 to level 2 on the curve", source=ALGEBRA))
    return AlarmLevels(levels[0], levels[1], loss, taken, between, gap_warning(between, return_s), curve)


def time_between_s(curve: Sequence[tuple[float, float]], first_loaded_v: float, second_loaded_v: float) -> float:
    """Return the time that a curve under load leaves between two levels; beyond its end the last slope goes on. [s]"""
    line = tuple(curve)
    first, second = _time_at(line, first_loaded_v, beyond=True), _time_at(line, second_loaded_v, beyond=True)
    if first is None or second is None:
        raise BadReading("The curve does not fall: take more readings until it does.", "readings")
    return second - first


def gap_warning(between_s: float, return_s: float) -> str:
    """Return a warning if the time between the levels is shorter than the way home, else nothing."""
    if between_s >= return_s - 0.5:
        return ""
    return f"Level 2 comes {between_s:.0f} s after level 1, the way home takes {return_s:.0f} s: raise level 1 or lower level 2."


def _level(loaded_v: float, at_s: float, loss_v: float, cells_count: int) -> Level:
    rest = rest_from_loaded_v(loaded_v, loss_v)
    return Level(loaded_v, rest, loaded_v / cells_count, rest / cells_count, at_s)


def _curve(
    chemistry: Chemistry, cells_count: int, readings: Sequence[AlarmReading]
) -> tuple[float, tuple[tuple[float, float], ...]]:
    for k, r in enumerate(readings):
        for name, v in (("rest_v", r.rest_v), ("loaded_v", r.loaded_v)):
            if v is not None and not (chemistry.least_v - 1.0) * cells_count <= v <= (chemistry.full_v + 0.03) * cells_count:
                raise BadReading(
                    f"{v:g} V cannot be for {cells_count} cells of {chemistry.name}. Check the reading and the number of cells.",
                    f"readings.{k}.{name}",
                )
    both = [(r.rest_v, r.loaded_v) for r in readings if r.rest_v is not None and r.loaded_v is not None]
    if not both:
        raise BadReading(
            "No reading has volts at rest and under load: the loss cannot be told. Note both at least once.", "readings"
        )
    losses = [rest - loaded for rest, loaded in both]
    if min(losses) < 0:
        raise BadReading("A pack cannot show more under load than at rest. Check which reading is which.", "readings")
    loss = statistics.median(losses)
    note_step(Step("loss_v", loss, "V", f"at rest less under load, median of {len(both)}", source=ENTERED))
    points = [(r.at_s, r.loaded_v if r.loaded_v is not None else (r.rest_v or 0.0) - loss) for r in readings]
    if len({t for t, _ in points}) < 2:
        raise BadReading("Readings at two times at least are needed for a curve. Fly on and read again.", "readings")
    return loss, falling_curve(points)


def _volts_at(curve: tuple[tuple[float, float], ...], at_s: float) -> float:
    times, volts = zip(*curve, strict=True)
    if at_s <= times[-1]:
        return float(np.interp(at_s, times, volts))
    return float(volts[-1] + _last_slope(curve) * (at_s - times[-1]))


def _time_at(curve: tuple[tuple[float, float], ...], volts: float, *, beyond: bool = False) -> float | None:
    times, values = zip(*curve, strict=True)
    if volts >= values[0]:
        return float(times[0])
    if volts >= values[-1] - 1e-9:
        return float(np.interp(-volts, [-v for v in values], times))
    slope = _last_slope(curve)
    return float(times[-1] + (volts - values[-1]) / slope) if beyond and slope < 0 else None


def _last_slope(curve: tuple[tuple[float, float], ...]) -> float:
    (t0, v0), (t1, v1) = curve[-2], curve[-1]
    return (v1 - v0) / (t1 - t0) if t1 > t0 else 0.0


@dataclass(frozen=True, slots=True)
class FlightLevels:
    """At which volts of its lowest cell under load a pack in the air is spoken of, and from which it is to land. [V]

    ``cells_count``: cells in series, by which a total is divided where the aircraft shows no cells; 0 where that is not known.
    """

    soon_v: float
    now_v: float
    whose: str
    cells_count: int = 0


_USUAL_BEFORE_V = 0.1  # this much above where a chemistry lands, where no level of a load test is usual for it
LevelsSet = tuple[float, float, float | None]


def usual_levels_v(chemistry: Chemistry) -> tuple[float, float]:
    """Return the volts of a cell under load from which a chemistry is usually brought home, and landed. [V]"""
    soon = chemistry.test_bad_v if chemistry.test_bad_v is not None else chemistry.land_loaded_v + _USUAL_BEFORE_V
    return soon, chemistry.land_loaded_v


_WHY = {
    "lipo": "below this the volts of a LiPo fall away within a minute or two",
    "lihv": "at the end of its charge it falls like any LiPo: the higher full voltage buys nothing there",
    "liion": "it gives charge further down, and sags more on the way",
    "lfp": "its volts stay level for long and then fall off an edge",
}
SETTINGS: tuple[Setting, ...] = tuple(
    Setting(f"alarm.{c.key}_{level}_v", "Alarms in the air", f"{c.name}: {words}", volts, _WHY[c.key], "V", low=2.0, high=4.2)
    for c in CHEMISTRIES.values()
    for level, words, volts in zip(
        ("soon", "now"), ("bring it home at, a cell under load", "land at, a cell under load"), usual_levels_v(c), strict=True
    )
)


def check_alarms(own: Mapping[str, Value]) -> None:
    """Raise an error at the setting that cannot be, or where a pack would land before it is brought home."""
    for setting in SETTINGS:
        if setting.key in own:
            check_value(setting, own[setting.key])
    for chemistry in CHEMISTRIES.values():
        soon_v, now_v = _company_levels_v(chemistry, own)
        if soon_v <= now_v:
            raise OutOfRange(
                f"{chemistry.name}: bringing it home comes before landing. Give a higher level first.",
                f"alarm.{chemistry.key}_soon_v",
            )


def _company_levels_v(chemistry: Chemistry, own: Mapping[str, Value]) -> tuple[float, float]:
    usual = zip(("soon", "now"), usual_levels_v(chemistry), strict=True)
    soon_v, now_v = (float(own.get(f"alarm.{chemistry.key}_{level}_v", v)) for level, v in usual)
    return soon_v, now_v


def flight_levels(
    chemistry: Chemistry, cells_count: int, alarms_v: LevelsSet | None = None, own: Mapping[str, Value] | None = None
) -> FlightLevels:
    """Return the levels of a pack in the air: its own where they were set, else the company's for its chemistry.

    Parameters
    ----------
    alarms_v : (V, V, V or None), optional
        Both levels of the whole pack at rest and the loss under load that belongs to them, None where it is not known:
        then they are taken as they stand, which warns early and never late.
    own : mapping, optional
        What the company set itself, by the key of the setting.
    """
    if alarms_v is not None:
        first, second, loss = alarms_v[0], alarms_v[1], alarms_v[2] or 0.0
        return FlightLevels((first - loss) / cells_count, (second - loss) / cells_count, "its own levels", cells_count)
    levels = _company_levels_v(chemistry, own or {})
    whose = f"usual for {chemistry.name}" if levels == usual_levels_v(chemistry) else f"company level for {chemistry.name}"
    return FlightLevels(*levels, whose, cells_count)
