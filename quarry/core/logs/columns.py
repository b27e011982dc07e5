"""Which column of a log is what: by its name, by its unit and by its values; what is not certain is asked."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from quarry.core.logs.quantities import BY_NAME, QUANTITIES, Quantity, Unit, plain_words, unit_word

Floats = NDArray[np.float64]
_FIT_FRAC = 0.9  # so many of the values must lie where values of a quantity lie
_CELL = re.compile(
    r"(?:cell|zelle|cellule|celda)s?\s*(?:voltage|volt|v|spannung)?\s*#?\s*(\d{1,2})\b|\bc(\d{1,2})\s*(?:v|volt|voltage|mv)?$"
)
_FOLLOWS = 0.9  # squared correlation with the charge drawn from which a percent is the pack's
_FOLLOWS_BETTER = 0.03
_OTHERS = re.compile(
    r"\b(controller|remote|tablet|handset|phone|transmitter|tx|rc|camera|gimbal|goggles|fernsteuerung|sender|handy|"
    r"télécommande|telecommande|radiocommande|mando|emisora|radiocomando|telecomando|pilot|afstandsbediening)\b"
)
_UNITS_OF_OTHERS = {x for q in QUANTITIES if q.name != "left_frac" for u in q.units for x in (u.name.lower(), *u.words) if x}
_SAYS_PERCENT = ("%", "percent", "pct", "soc")


@dataclass(frozen=True, slots=True)
class Column:
    """One column of a log and what it is taken for.

    ``quantity`` and ``unit`` are empty where it is not used; ``cell`` counts from one; ``certain`` is False where a person
    is asked, and ``why`` says what spoke for it.
    """

    index: int
    header: str
    quantity: str = ""
    unit: str = ""
    cell: int = 0
    certain: bool = True
    why: str = ""


def unit_of(column: Column) -> Unit:
    """Return the unit of a column that is used."""
    return next(u for u in BY_NAME[column.quantity].units if u.name == column.unit)


def recognise(headers: Sequence[str], units: Sequence[str], samples: Sequence[Floats | None]) -> tuple[Column, ...]:
    """Return what each column is taken for.

    Parameters
    ----------
    headers, units : sequences of str
        The header row, and the row of units below it (empty strings where there is none).
    samples : sequence
        Numbers of each column from the rows looked at; None where they are words.
    """
    found = [_one(k, h, u, s) for k, (h, u, s) in enumerate(zip(headers, units, samples, strict=True))]
    found = _by_values(found, samples)
    found = _percent_by_what_it_does(found, units, samples)
    best: dict[tuple[str, int], int] = {}
    for column, score in found:
        key = (column.quantity, column.cell)
        if column.quantity and score > (found[best[key]][1] if key in best else 0):
            best[key] = column.index
    columns = []
    for column, score in found:
        winner = best.get((column.quantity, column.cell))
        if column.quantity and winner != column.index:
            again = f"“{headers[winner or 0]}” is taken for it"
            columns.append(Column(column.index, column.header, why=again))
        else:
            rivals = [s for c, s in found if c.quantity == column.quantity and c.cell == column.cell and c.index != column.index]
            doubtful = bool(column.quantity) and any(s >= score for s in rivals)
            columns.append(replace(column, certain=column.certain and not doubtful))
    return tuple(columns)


def _percent_by_what_it_does(
    found: list[tuple[Column, int]], units: Sequence[str], samples: Sequence[Floats | None]
) -> list[tuple[Column, int]]:
    """Take for the pack's percent the column that falls as charge is drawn, whatever others are called.

    A remote control, a tablet or a camera has a battery too; its percent does not follow the pack's current or volts.
    Where the name pointed at another column, or none was named, it is asked with the better one preset.
    """
    drawn = _drawn(found, samples)
    taken = [place for place, (c, _) in enumerate(found) if c.quantity == "left_frac"]
    if drawn is None:
        # Nothing to hold it against: one that is plainly of something else is asked, never taken.
        return [
            (replace(c, certain=False), s) if c.quantity == "left_frac" and _OTHERS.search(plain_words(c.header)) else (c, s)
            for c, s in found
        ]
    fits = {}
    for place, (column, _) in enumerate(found):
        sample = samples[place]
        unit_said = (units[place] or unit_word(column.header)).strip().lower().strip("[]() ")
        of_other = unit_said in _UNITS_OF_OTHERS
        if column.quantity in ("", "left_frac") and sample is not None and not of_other:
            unit = _percent_unit(sample)
            if unit:
                fits[place] = (_follows(sample, drawn), unit, float(np.nanmax(sample) - np.nanmin(sample)))
    top = max((f for f, _, _ in fits.values()), default=0.0)
    if top < _FOLLOWS:
        return found
    # Of those that follow about as well, the one that is not called another thing's, that is named, and that falls farthest.
    near = [place for place, (f, _, _) in fits.items() if f >= top - _FOLLOWS_BETTER]
    own = [place for place in near if not _OTHERS.search(plain_words(found[place][0].header))] or near
    best = max(own, key=lambda place: (place in taken, fits[place][2]))
    made = []
    for place, (column, score) in enumerate(found):
        if place in taken and place not in own:
            made.append(
                (Column(place, column.header, why=f"it does not follow the charge drawn as “{found[best][0].header}” does"), 0)
            )
        elif place == best and place not in taken:
            named = next((found[t][0].header for t in taken), "")
            why = "it falls as charge is drawn" + (f"; “{named}” does not" if named else "")
            made.append((Column(place, column.header, "left_frac", fits[place][1], certain=False, why=why), 100))
        else:
            made.append((column, score))
    return made


def _drawn(found: list[tuple[Column, int]], samples: Sequence[Floats | None]) -> Floats | None:
    """Return what grows as a pack is emptied: charge drawn, else current added up, else how far the volts have fallen."""
    by = {c.quantity: samples[k] for k, (c, _) in enumerate(found) if c.quantity in ("used_ah", "current_a", "pack_v", "cell_v")}
    for quantity in ("used_ah", "current_a", "pack_v", "cell_v"):
        sample = by.get(quantity)
        if sample is None or np.isfinite(sample).sum() < 20:
            continue
        values = np.nan_to_num(sample, nan=float(np.nanmedian(sample)))
        grown: Floats = values if quantity == "used_ah" else np.cumsum(np.abs(values)) if quantity == "current_a" else -values
        if float(np.ptp(grown)) > 0:
            return grown
    return None


def _percent_unit(sample: Floats) -> str:
    """Return the unit in which values can be a percent that falls; empty where they cannot."""
    values = sample[np.isfinite(sample)]
    if values.size < 20 or values.min() < 0 or values[-1] >= values[0]:
        return ""
    unit, scale = ("share", 1.0) if values.max() <= 1.0 else ("%", 100.0)
    fell = float(values.max() - values[-1]) / scale
    return unit if 0.3 <= values.max() / scale <= 1.005 and fell >= 0.05 else ""


def _follows(sample: Floats, drawn: Floats) -> float:
    """Return how well a column falls as charge is drawn: the squared correlation of the two."""
    both = np.isfinite(sample) & np.isfinite(drawn)
    a, b = sample[both], drawn[both]
    if a.size < 20 or np.ptp(a) == 0 or np.ptp(b) == 0:
        return 0.0
    r = float(np.corrcoef(a, b)[0, 1])
    return r * r if r < 0 else 0.0


def _by_values(found: list[tuple[Column, int]], samples: Sequence[Floats | None]) -> list[tuple[Column, int]]:
    """Take for time, and for percent, the first column whose values behave so where none has the name; both are asked."""
    made = list(found)
    for quantity, fits in (("time_s", _like_a_clock), ("left_frac", _like_percent)):
        if any(c.quantity == quantity for c, _ in made):
            continue
        for place, (column, _) in enumerate(made):
            sample = samples[place]
            fit = fits(sample) if not column.quantity and sample is not None else None
            if fit is not None:
                unit, why = fit
                made[place] = (Column(place, column.header, quantity, unit, certain=False, why=why), 1)
                break
    return made


def _like_a_clock(sample: Floats) -> tuple[str, str] | None:
    steps = np.diff(sample[np.isfinite(sample)])
    if steps.size < 20 or np.mean(steps > 0) < 0.99:
        return None
    step = float(np.median(steps))
    if np.mean(np.abs(steps - step) < 0.5 * step) < 0.8:
        return None
    unit = next((u for u in BY_NAME["time_s"].units if 0.02 <= step * u.factor <= 10.0), None)
    return (unit.name, f"it rises steadily by {step:g}, as a clock does") if unit is not None else None


def _like_percent(sample: Floats) -> tuple[str, str] | None:
    values = sample[np.isfinite(sample)]
    if values.size < 20 or values.min() < 0 or values.max() > 100 or values.max() < 30:
        return None
    whole = bool(np.all(values == np.round(values)))
    falls = float(np.mean(np.diff(values) <= 0)) > 0.98
    if not whole or not falls or values[0] - values[-1] < 5:
        return None
    return "%", "whole numbers that only fall, as percent left do"


def _one(index: int, header: str, unit_row: str, sample: Floats | None) -> tuple[Column, int]:
    words = plain_words(header)
    cell = _CELL.search(words)
    unit_said = (unit_row or unit_word(header)).strip().lower().strip("[]() ")
    best: tuple[Column, int] = (Column(index, header, why="no quantity is known by this name"), 0)
    for q in QUANTITIES:
        if q.text != (sample is None) and not (
            q.text and q.name in ("firmware", "serial", "mode") and _like_a_number_plate(sample)
        ):
            continue
        if q.name == "cell_v" and cell is None:
            continue
        if cell is not None and q.name != "cell_v":
            continue
        score = _named(q, words, unit_said)
        if score <= best[1]:
            continue
        if q.text:
            best = (Column(index, header, q.name, "", why=f"named “{header}”"), score)
            continue
        unit, certain, why = _unit(q, unit_said, sample if sample is not None else np.empty(0))
        if unit is None:
            continue
        number = int(next(g for g in cell.groups() if g)) if cell and q.name == "cell_v" else 0
        best = (Column(index, header, q.name, unit.name, number, certain, why), score)
    return best


def _like_a_number_plate(sample: Floats | None) -> bool:
    """Return whether numbers can be a name: whole, and few different ones."""
    if sample is None:
        return True
    values = sample[np.isfinite(sample)]
    return bool(np.all(values == np.round(values))) and np.unique(values).size <= 20


def _named(q: Quantity, words: str, unit_said: str) -> int:
    """Return how well a header names a quantity: the longest of its words that is in it, more if it is all of it."""
    score = 12 if q.name == "cell_v" else 0  # known by its number: “cell1” is one word
    for w in q.words:
        if re.search(rf"\b{re.escape(w)}\b", words):
            score = max(score, 10 * len(w.split()) + len(w) + (20 if words == w else 0))
    known = {x for u in q.units for x in (u.name.lower(), *u.words) if x}
    if score and unit_said in known:
        score += 15
    elif q.name == "left_frac" and (unit_said in _SAYS_PERCENT or any(w in words.split() for w in _SAYS_PERCENT)):
        score = max(score, 12) + 20
    elif (
        score
        and unit_said
        and any(unit_said in {x for u in o.units for x in (u.name.lower(), *u.words)} for o in QUANTITIES if o is not q)
    ):
        score //= 2  # its unit is that of another quantity
    return score


def _unit(q: Quantity, unit_said: str, sample: Floats) -> tuple[Unit | None, bool, str]:
    """Return the unit of a column, whether that is certain, and what spoke for it."""
    values = sample[np.isfinite(sample)]
    said = next((u for u in q.units if unit_said and unit_said in {u.name.lower(), *u.words}), None)
    fits = [u for u in q.units if _fits(q, u, values)]
    if said is not None and (said in fits or not values.size):
        return said, True, f"the header says {said.name}"
    if said is not None and fits:
        return fits[0], False, f"the header says {said.name}, the values are those of {fits[0].name}"
    if not fits:
        return (said, False, "its values are beyond what is usual") if said is not None else (None, False, "")
    if q.name == "time_s":
        return _time_unit(fits, values)
    if q.name in ("lat_deg", "lon_deg"):
        return fits[0], True, f"its values are those of {fits[0].name}"
    return fits[0], len(fits) == 1 or not _far(fits[0], fits[1]), f"its values are those of {fits[0].name}"


def _fits(q: Quantity, unit: Unit, values: Floats) -> bool:
    if not values.size:
        return True
    canonical = (values + unit.offset) * unit.factor
    inside = float(np.mean((canonical >= q.low) & (canonical <= q.high)))
    # A share that never leaves one percent is a percent that was taken for a share the wrong way round.
    large = float(np.max(np.abs(canonical))) if q.name in ("left_frac", "cell_v", "pack_v") else 1.0
    return inside >= _FIT_FRAC and not (q.name == "left_frac" and large < 0.03)


def _far(a: Unit, b: Unit) -> bool:
    return abs(a.factor - b.factor) > 0.05 * a.factor or a.offset != b.offset


def _time_unit(fits: list[Unit], values: Floats) -> tuple[Unit, bool, str]:
    """Tell seconds from milliseconds by the step: a log writes between fifty times a second and once in ten seconds."""
    steps = np.diff(values)
    steps = steps[steps > 0]
    step = float(np.median(steps)) if steps.size else 1.0
    good = [u for u in fits if 0.02 <= step * u.factor <= 10.0]
    if not good:
        return fits[0], False, f"a step of {step:g} fits no unit"
    return good[0], len(good) == 1 or good[0].name == "s", f"a step of {step:g} is one of {good[0].name}"
