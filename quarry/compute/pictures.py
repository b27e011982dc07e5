"""The curve that belongs to a calculator's answer, as plain data: lines and marks in the units that people read."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

from quarry.core.cells.chemistry import Chemistry
from quarry.core.cells.resistance import HEAT_W_AH, heat_w
from quarry.core.packs.alarms import AlarmLevels
from quarry.core.packs.charge_back import ChargeBack
from quarry.core.packs.depth import DepthTable

Point = tuple[float, float]
Tone = Literal["plain", "good", "watch", "bad"]


def line(name: str, points: Sequence[Point], *, dashed: bool = False) -> dict[str, Any]:
    """Return a line of a picture; what is inferred is dashed."""
    return {"name": name, "points": [list(p) for p in points], "dashed": dashed}


def mark(words: str, *, x: float | None = None, y: float | None = None, tone: Tone = "plain") -> dict[str, Any]:
    """Return a mark: a point with both, a level with ``y`` alone, an upright with ``x`` alone."""
    return {"words": words, "x": x, "y": y, "tone": tone}


def picture(x: str, y: str, lines: list[dict[str, Any]], marks: list[dict[str, Any]]) -> dict[str, Any]:
    """Return a picture with the names of its axes."""
    return {"x": x, "y": y, "lines": lines, "marks": marks}


def of_load_test(
    cell_volts: Sequence[float], total_cell_v: float | None, levels: tuple[float | None, float | None]
) -> dict[str, Any]:
    """Return the lowest volts of each cell against the two levels."""
    volts = list(cell_volts) or ([total_cell_v] if total_cell_v is not None else [])
    marks = [mark(f"{v:.2f}", x=float(k), y=v) for k, v in enumerate(volts, start=1)]
    for value, words, tone in ((levels[0], "good from here", "watch"), (levels[1], "never fly again below", "bad")):
        if value is not None:
            marks.append({**mark(f"{words} {value:.2f} V", y=value), "tone": tone})
    return picture("cell", "V", [], marks)


def of_current(capacity_ah: float, cell_25_ohm: float, current_a: float, label_a: float | None) -> dict[str, Any]:
    """Return the heat of one cell over the current."""
    end = 1.25 * max(current_a, label_a or 0.0)
    points = [(end * k / 40, heat_w(end * k / 40, cell_25_ohm)) for k in range(41)]
    marks = [mark(f"{current_a:.1f} A can be borne", x=current_a, y=heat_w(current_a, cell_25_ohm), tone="good")]
    marks.append(mark(f"{HEAT_W_AH * capacity_ah:.0f} W, 6 W for each Ah", y=HEAT_W_AH * capacity_ah, tone="watch"))
    if label_a is not None:
        marks.append(mark(f"label {label_a:.0f} A", x=label_a, y=heat_w(label_a, cell_25_ohm), tone="bad"))
    return picture("A", "W in one cell", [line("heat", points)], marks)


def of_charge_back(found: ChargeBack) -> dict[str, Any]:
    """Return the charge left over the minutes, down to the reserve."""
    empty_s = found.capacity_ah * 3600 / found.draw_a
    left = [(0.0, found.capacity_ah), (found.plan_s / 60, found.reserve_ah)]
    rest = [left[1], (empty_s / 60, 0.0)]
    marks = [
        mark(f"land at {found.plan_s / 60:.1f} min", x=found.plan_s / 60, y=found.reserve_ah, tone="good"),
        mark(f"reserve {found.reserve_ah * 1000:.0f} mAh", y=found.reserve_ah, tone="bad"),
    ]
    return picture("min", "Ah left", [line("planned", left), line("not planned", rest, dashed=True)], marks)


def of_alarms(found: AlarmLevels, rested: Sequence[Point]) -> dict[str, Any]:
    """Return volts under load over the minutes with both levels."""
    curve = [(t / 60, v) for t, v in found.curve]
    marks = [mark("", x=t / 60, y=v) for t, v in rested]
    for level, words, tone in ((found.level_1, "level 1", "watch"), (found.level_2, "level 2", "bad")):
        marks.append({**mark(f"{words}: {level.loaded_v:.2f} V under load", x=level.at_s / 60, y=level.loaded_v), "tone": tone})
    end = [(found.curve[-1][0] / 60, found.curve[-1][1]), (found.level_2.at_s / 60, found.level_2.loaded_v)]
    ahead = [line("beyond the readings", end, dashed=True)] if found.level_2.at_s > found.curve[-1][0] else []
    return picture("min", "V", [line("under load", curve), *ahead], marks)


def of_rest(chemistry: Chemistry, cell_v: float, low: float, high: float) -> dict[str, Any]:
    """Return rested volts over the charge for the published cells of a chemistry."""
    scale = chemistry.full_v / chemistry.curves[0].points[-1][1] if chemistry.stretched else 1.0
    lines = [line(c.name, [(100 * q, v * scale) for q, v in c.points]) for c in chemistry.curves]
    marks = [
        mark(f"{cell_v:.2f} V", y=cell_v, tone="watch"),
        mark(f"{low:.0%}", x=100 * low, y=cell_v),
        mark(f"{high:.0%}", x=100 * high, y=cell_v),
    ]
    return picture("% charged", "V of one cell", lines, marks)


def of_transport(energy_wh: float, steps: Sequence[tuple[float, str]]) -> dict[str, Any]:
    """Return where a pack stands among the limits of the classes."""
    marks = [mark(words, x=wh, tone="watch") for wh, words in steps]
    return picture("Wh", "", [], [*marks, mark(f"{energy_wh:.0f} Wh", x=energy_wh, y=0.5, tone="good")])


def of_depths(table: DepthTable) -> dict[str, Any]:
    """Return the hours over a life and the flights against the share used."""
    hours = [(100 * r.used_frac, r.life_s / 3600) for r in table.rows]
    marks = [mark(f"{r.flights_count:.0f} flights", x=100 * r.used_frac, y=r.life_s / 3600) for r in table.rows]
    return picture("% used in a flight", "hours over its life", [line("hours", hours)], marks)


def of_offers(names: tuple[str, str], one: tuple[float, float], flights: tuple[float | None, float | None]) -> dict[str, Any]:
    """Return what a minute has cost after so many flights, falling to the end of each pack's life."""
    lines: list[dict[str, Any]] = []
    marks: list[dict[str, Any]] = []
    for name, cost, count in zip(names, one, flights, strict=True):
        end = int(count or 100)
        step = max(1, end // 40)
        points = [(float(n), cost / n) for n in [*range(step, end, step), end]]
        lines.append(line(name, points, dashed=count is None))
        marks.append(mark(f"{name} {points[-1][1]:.3f}", x=points[-1][0], y=points[-1][1], tone="bad" if marks else "plain"))
    return picture("flights", "for each minute", lines, marks)
