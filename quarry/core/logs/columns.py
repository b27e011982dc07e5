"""Which column of a log is what: one assignment over all columns, by name, unit and what the values do together.

Each column may be one of a few quantities, or nothing; each quantity is in one column (cells in several). What speaks for a
candidate is added up in natural logarithms of odds: its name, its unit, its values, and pairs that must agree, such as charge
drawn and current over time. The best assignments are searched for together; the share of their odds in which a column is the
same is its probability.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from quarry.core.logs import together
from quarry.core.logs.candidates import Above, Candidate, Column, Sample, values_in
from quarry.core.logs.lexicon import Unit, level_of, name_part, named, owners, turned, unit_named, units_said
from quarry.core.logs.quantities import BY_NAME, QUANTITIES, Quantity

Floats = NDArray[np.float64]
_FIT_FRAC = 0.9  # so many of the values must lie where values of a quantity lie
_SURE = 0.9
_BEAM = 160
_OF_CAMERA = frozenset({"camera_pitch_deg", "photos"})
_UNIT_FITS, _UNIT_OTHER, _OWN, _ANOTHERS = 3.0, -7.0, 1.5, -9.0
_LEAST = 2.0  # a candidate that has less for it is none
_NAMED_ONCE = 3.0
_NOTHING = 0.6  # what speaks for a column being nothing that is known
_BY_VALUES, _BY_UNIT = 2.6, 1.5  # for what has no name: by what its values do, by its unit alone
_LEAST_A = 0.8  # what flies draws more than this most of the time
_NEAR_DEG = 0.5  # a flight stays within so much of latitude and longitude; an attitude seldom does
_BY_OWNER = ("left_frac", "pack_v", "current_a", "used_ah", "pack_c")  # “battery V” names none of them, and is one
_FEW = {"serial": 5, "firmware": 3, "airframe": 1}  # so many numbers of a kind there may be in one log
_OWNS = {"pack_v": {"pack"}}  # volts of a cell are not those of the pack
_CELL_STEMS = ("u", "v", "z", "c", "ucell", "vcell")


@dataclass(frozen=True, slots=True)
class _State:
    odds: float
    taken: tuple[tuple[int, Candidate], ...] = ()

    def of(self, quantity: str) -> tuple[int, Candidate] | None:
        return next(((k, c) for k, c in self.taken if c.quantity == quantity), None)


def recognise(samples: Sequence[Sample], above: Above | None = None) -> tuple[Column, ...]:
    """Return what each column is taken for."""
    given = above or Above()
    found: dict[int, Column] = {}
    offered = {k: candidates_of(s, given.listed[k] if k < len(given.listed) else (), given) for k, s in enumerate(samples)}
    clock = _clock(offered, samples, found)
    cells = _cells(samples, given, found)
    rest = {k: [c for c in of if c.quantity not in ("time_s", "date_s", "cell_v")] for k, of in offered.items() if k not in found}
    facts = together.Facts(clock, cells, *_position(rest, samples))
    rest = _by_behaviour(rest, samples, facts)
    best = search(rest, samples, facts)
    taken = {c.quantity: samples[k].header for k, c in best[0][1].items()}
    for k, sample in enumerate(samples):
        if k not in found:
            found[k] = _settled(k, sample, rest.get(k, []), best, taken)
    return tuple(found[k] for k in range(len(samples)))


def candidates_of(sample: Sample, listed: tuple[Unit, ...], above: Above) -> list[Candidate]:
    """Return what a column by itself may be, best first."""
    words = name_part(sample.header)
    whose = owners(words)
    said = units_said(sample.header, sample.below) or listed or (units_said("x %") if sample.percent else ())
    found = [c for q in QUANTITIES if q.name != "cell_v" and (c := _one(q, sample, words, whose, said, above)) is not None]
    return sorted(found, key=lambda c: -c.odds_nat)


def _one(
    q: Quantity, sample: Sample, words: tuple[str, ...], whose: frozenset[str], said: tuple[Unit, ...], above: Above
) -> Candidate | None:
    odds = _named(q, words, whose)
    by_name = bool(odds)
    if q.text:
        return _of_words(q, sample, odds, whose, above)
    if sample.numbers is None or sample.parts or (sample.clock and q.name not in ("time_s", "date_s")):
        return None
    if (q.name == "date_s") != (sample.clock == "date"):
        return None
    if sample.place and (q.dimension != "position" or sample.place[-1:] not in ("NS" if q.name == "lat_deg" else "EWO")):
        return None
    mine = [u for u in said if u.dimension == q.dimension]
    if not sample.clock:
        more, by_unit = _of_unit(q, mine, said, whose, by_name=by_name)
        odds, by_name = odds + more, by_name or by_unit
    if odds <= 0 and not sample.clock and not sample.place:
        return None
    odds += _of_owner(q, whose)
    if sample.clock:
        odds += 6.0
    unit, certain, why = _unit(q, mine, sample, above)
    if unit is None or odds < _BY_UNIT:
        return None
    odds += 0.0 if certain else -0.5
    if q.name in ("height_m", "altitude_m"):
        first = values_in(sample.known[:1], unit)
        low = bool(first.size and abs(first[0]) < 5.0)
        odds += 1.0 if low == (q.name == "height_m") else -1.0
    if q.dimension in ("position", "angle"):
        known = values_in(sample.known, unit)
        still = bool(known.size) and float(np.ptp(known)) < _NEAR_DEG
        odds += 1.0 if still == (q.dimension == "position") else -2.5
    return Candidate(q.name, unit, odds, by_name, certain, why)


def _named(q: Quantity, words: tuple[str, ...], whose: frozenset[str]) -> float:
    """Return how plainly a header names a quantity; a temperature of the air is one by whose it is."""
    odds = named(q.name, words)
    if q.name == "air_c" and "air" in whose:
        return max(odds, named("pack_c", words))
    return odds


def _of_unit(
    q: Quantity, mine: Sequence[Unit], said: Sequence[Unit], whose: frozenset[str], *, by_name: bool
) -> tuple[float, bool]:
    """Return what the unit that is said speaks for a quantity, and whether it stands for its name."""
    if said and not mine:
        return _UNIT_OTHER, False
    if not mine:
        return 0.0, False
    if by_name or (q.name in _BY_OWNER and whose & _OWNS.get(q.name, {"pack", "cell"})):
        return _UNIT_FITS, bool(whose & {"pack"}) and q.name in _BY_OWNER
    if q.name == "time_s":  # what says that it is in seconds, and runs as a clock does, is one
        return _UNIT_FITS, True
    return (_BY_UNIT, bool(whose & {"pack"})) if q.name in _BY_OWNER else (0.0, False)


def _of_owner(q: Quantity, whose: frozenset[str]) -> float:
    """Return what it says for a quantity whose thing the column is: another's battery is never the pack's."""
    if q.name in _OF_CAMERA:
        return 0.0
    if whose & {"remote"} or (whose & {"gap"} and q.dimension == "volts"):
        return _ANOTHERS
    if q.name == "air_c":
        return 3.5 if "air" in whose else -4.0
    if q.of_pack and whose & {"engine", "board", "air"}:
        return _ANOTHERS
    if q.of_pack:
        return _OWN if whose & {"pack", "cell"} else 0.0
    return -2.0 if whose & {"pack", "cell"} and q.name not in ("warning", "mode") else 0.0


def _of_words(q: Quantity, sample: Sample, odds: float, whose: frozenset[str], above: Above) -> Candidate | None:
    """Return a candidate for a column of words, or of numbers that stand for words."""
    if not odds or sample.clock or sample.place or sample.parts or sample.percent:
        return None
    unit = q.units[0]
    if "remote" in whose:
        return None
    if sample.numbers is None:
        few = len(set(sample.words))
        if q.name == "warning":
            known = [w for w in set(sample.words) if level_of(w) is not None]
            odds += 1.5 if len(known) >= 0.6 * max(1, few) else 0.0
        if q.name in ("firmware", "airframe", "serial"):
            odds += 1.0 if few <= 6 and all(any(c.isdigit() for c in w) for w in set(sample.words)) else -1.0
        # A number that does not say whose it is is none of the pack's.
        if (q.name == "serial") != bool(whose & {"pack"}) and q.name in ("serial", "airframe"):
            return None
        return Candidate(q.name, unit, odds, True, True, f"named “{sample.header}”")
    values = sample.known
    distinct = np.unique(values)
    if not values.size and q.name in ("warning", "mode"):
        return Candidate(q.name, unit, odds, True, True, f"named “{sample.header}”; nothing stands in it")
    if not values.size or (np.any(values != np.round(values)) and q.name != "firmware"):
        return None
    if q.name == "warning":
        # Levels rise and stay few; flags are said to be such.
        if (distinct.size <= 6 and distinct.min() >= 0 and distinct.max() <= 9) or (above.flags and distinct.size <= 64):
            return Candidate(q.name, unit, odds, True, True, "levels" if distinct.size <= 6 else "flags")
        return None
    if q.name in ("serial", "firmware", "airframe") and distinct.size <= _FEW[q.name]:
        pack_said = q.name == "firmware" or (q.name == "serial") == bool(whose & {"pack"})
        return Candidate(q.name, unit, odds, True, True, f"named “{sample.header}”, and it stays") if pack_said else None
    return None


def _unit(q: Quantity, said: Sequence[Unit], sample: Sample, above: Above) -> tuple[Unit | None, bool, str]:
    """Return the unit of a column, whether that is certain, and what spoke for it."""
    values = sample.known
    if sample.clock:
        return q.units[0], True, "it holds moments"
    if sample.place:
        return unit_named("position", "°, minutes"), True, "it holds degrees and minutes"
    declared = above.declared.get(q.dimension)
    stated = [*said, *((declared,) if declared is not None and not said else ())]
    fits = [u for u in (*stated, *q.units) if _fits(q, u, values)]
    for unit in stated:
        if unit in fits or not values.size:
            return unit, True, f"the header says {unit.name}" if said else f"above the table it says {unit.name}"
    if stated and fits:
        return fits[0], False, f"the header says {stated[0].name}, the values are those of {fits[0].name}"
    if not fits:
        return (stated[0], False, "its values are beyond what is usual") if stated and not q.text else (None, False, "")
    if q.name == "time_s":
        return _time_unit(fits, values)
    if q.name in ("lat_deg", "lon_deg", "left_frac", "throttle_frac"):
        return fits[0], True, f"its values are those of {fits[0].name or q.name}"
    if q.name == "current_a" and fits[0].name == "A":
        return fits[0], True, "its values are those of A"
    alike = len(fits) == 1 or (abs(fits[0].factor - fits[1].factor) < 0.05 * fits[0].factor and fits[0].offset == fits[1].offset)
    return fits[0], alike or q.name in ("pack_c", "air_c", "heading_deg"), f"its values are those of {fits[0].name or q.name}"


def _fits(q: Quantity, unit: Unit, values: Floats) -> bool:
    if not values.size:
        return True
    canonical = values_in(values, unit)
    inside = float(np.mean((canonical >= q.low) & (canonical <= q.high)))
    # A share that never leaves one percent is a percent that was taken for a share the wrong way round.
    large = float(np.max(np.abs(canonical))) if q.name in ("left_frac", "cell_v", "pack_v") else 1.0
    if q.name == "current_a" and values.size >= 20 and float(np.percentile(np.abs(canonical), 90)) < _LEAST_A:
        return False
    return inside >= _FIT_FRAC and not (q.name == "left_frac" and large < 0.03)


def _time_unit(fits: list[Unit], values: Floats) -> tuple[Unit, bool, str]:
    """Tell seconds from milliseconds by the step: a log writes between fifty times a second and once in ten seconds."""
    steps = np.diff(values)
    steps = steps[steps > 0]
    step = float(np.median(steps)) if steps.size else 1.0
    good = [u for u in fits if u.name in ("s", "ms", "µs", "min") and 0.015 <= step * u.factor <= 15.0]
    if not good:
        return fits[0], False, f"a step of {step:g} fits no unit"
    return good[0], len(good) == 1 or good[0].name == "s", f"a step of {step:g} is one of {good[0].name}"


def _clock(offered: Mapping[int, list[Candidate]], samples: Sequence[Sample], found: dict[int, Column]) -> Floats | None:
    """Settle which column is the clock, and which the date; return thinned seconds."""
    scored = []
    for k, of in offered.items():
        for c in of:
            if c.quantity == "time_s":
                odds = c.odds_nat + _runs(samples[k], c.unit)
                if odds >= _LEAST:
                    scored.append((odds, k, c))
    scored.sort(key=lambda x: (-x[0], x[1]))
    dates = sorted((-c.odds_nat, k, c) for k, of in offered.items() for c in of if c.quantity == "date_s")
    for _, k, _ in dates[:1]:
        found[k] = _dated(samples[k], Column(k, samples[k].header, "date_s", why="it holds dates"))
    if not scored:
        guess = next(((k, u) for k, s in enumerate(samples) if k not in found and (u := like_a_clock(s)) is not None), None)
        if guess is None:
            return None
        k, (unit, why) = guess
        found[k] = Column(k, samples[k].header, "time_s", unit.name, certain=False, why=why)
        return samples[k].canonical(unit)
    odds, k, c = scored[0]
    rival = scored[1][0] if len(scored) > 1 else -math.inf
    plain = bool(samples[k].clock) or c.said
    sure = plain and c.certain and odds - rival > 0.4
    found[k] = _dated(samples[k], Column(k, samples[k].header, "time_s", c.unit.name, certain=sure, why=c.why))
    return samples[k].canonical(c.unit)


def _dated(sample: Sample, column: Column) -> Column:
    """Return a column of dates with which comes first in them; a person is asked where only custom tells it."""
    if not sample.order:
        return column
    asked = "" if sample.order_sure else ": say whether the day or the month comes first"
    return replace(column, unit=sample.order, certain=column.certain and sample.order_sure, why=f"{column.why}{asked}")


def _runs(sample: Sample, unit: Unit) -> float:
    """Return what it says for a clock how its values run: forward, by steps that a log takes."""
    steps = np.diff(values_in(sample.known, unit))
    if steps.size < 3:
        return 0.0
    forward = float(np.mean(steps >= 0))
    usual = float(np.median(np.abs(steps[steps != 0]))) if np.any(steps != 0) else 0.0
    if usual == 0.0:
        return -6.0
    # One that only runs backwards is a clock all the same: such a log is held.
    return (
        (2.0 if not 0.1 < forward <= 0.75 else -5.0)
        + (0.0 if 0.01 <= usual <= 20.0 else -3.0)
        - 2.0 * float(np.mean(steps == 0) > 0.5)
    )


def like_a_clock(sample: Sample) -> tuple[Unit, str] | None:
    """Return the unit in which a nameless column counts as a clock does; None where it does not."""
    said = units_said(sample.header, sample.below)
    if sample.numbers is None or (said and all(u.dimension != "time" for u in said)):
        return None
    steps = np.diff(sample.known)
    if steps.size < 20 or np.mean(steps > 0) < 0.99:
        return None
    step = float(np.median(steps))
    if np.mean(np.abs(steps - step) < 0.5 * step) < 0.8:
        return None
    unit = next((u for u in BY_NAME["time_s"].units[:4] if 0.02 <= step * u.factor <= 10.0), None)
    return (unit, f"it rises steadily by {step:g}, as a clock does") if unit is not None else None


def _cells(samples: Sequence[Sample], above: Above, found: dict[int, Column]) -> Floats | None:
    """Settle which columns are the cells: alike in name but for a number or letter, near each other, between 2.4 and 4.5 V.

    Returns what they add up to, thinned.
    """
    for k, s in enumerate(samples):
        if s.parts and "remote" not in owners(name_part(s.header)):
            unit = _cell_unit(s, above, np.concatenate(s.parts))
            if unit is not None:
                found[k] = Column(k, s.header, "cell_v", unit.name, 0, why="all cells in one column")
                return values_in(np.sum(s.parts, axis=0), unit)
    groups: dict[tuple[tuple[str, ...], str], list[tuple[int, int]]] = {}
    for k, s in enumerate(samples):
        if k in found or s.numbers is None or s.clock:
            continue
        number, stem = _numbered(name_part(s.header))
        if number is None or "remote" in owners(stem):
            continue
        unit = _cell_unit(s, above, s.numbers)
        if unit is not None:
            groups.setdefault((stem, unit.name), []).append((number, k))
    alike = [g for (stem, unit), g in groups.items() if _are_cells(stem, unit, g, samples)]
    if not alike:
        return None
    group = max((sorted(g) for g in alike), key=lambda g: (len(g), g[0][1]))
    unit_name = next(u for (_, u), g in groups.items() if sorted(g) == group)
    first = group[0][0]
    volts = unit_named("volts", unit_name) or BY_NAME["cell_v"].units[0]
    total: Floats = np.zeros(1)
    for place, (number, k) in enumerate(group):
        cell = number + 1 if first == 0 else number
        cell = cell if len({n for n, _ in group}) == len(group) else place + 1
        found[k] = Column(k, samples[k].header, "cell_v", unit_name, cell, why="one of columns alike but for their number")
        total = np.add(total, samples[k].canonical(volts))
    return total


def _are_cells(stem: tuple[str, ...], unit_name: str, group: list[tuple[int, int]], samples: Sequence[Sample]) -> bool:
    """Return whether columns that lie where cells lie are such: by name, or because they add up to another column."""
    if "cell" in owners(stem):
        return True
    if len(group) < 2:
        return False
    if stem and stem[-1] in _CELL_STEMS:
        return True
    unit = unit_named("volts", unit_name) or BY_NAME["cell_v"].units[0]
    mine = {k for _, k in group}
    total = np.sum([samples[k].canonical(unit) for k in mine], axis=0)
    others = (s for k, s in enumerate(samples) if k not in mine and s.numbers is not None and not s.clock)
    return any(together.same_volts(o.canonical(u), total) > 0 for o in others for u in BY_NAME["pack_v"].units)


def _numbered(words: tuple[str, ...]) -> tuple[int | None, tuple[str, ...]]:
    """Return the number (or letter, from a = 1) at the end of a name, and the name without it."""
    for place in range(len(words) - 1, -1, -1):
        word = words[place]
        if word.isdigit() and int(word) <= 28:
            return int(word), (*words[:place], *words[place + 1 :])
        if place == len(words) - 1 and len(words) > 1 and len(word) == 1 and "a" <= word <= "n":
            return ord(word) - ord("a") + 1, words[:-1]
    return None, words


def _cell_unit(sample: Sample, above: Above, values: Floats) -> Unit | None:
    q = BY_NAME["cell_v"]
    said = [u for u in units_said(sample.header, sample.below) if u.dimension == "volts"]
    other = [u for u in units_said(sample.header, sample.below) if u.dimension != "volts"]
    if other and not said:
        return None
    declared = above.declared.get("volts")
    known = values[np.isfinite(values) & (values != 0)]
    if not known.size:
        return None
    stated: tuple[Unit, ...] = (*said, *((declared,) if declared is not None else ()), *q.units)
    return next((unit for unit in stated if _fits(q, unit, known)), None)


def _position(rest: Mapping[int, list[Candidate]], samples: Sequence[Sample]) -> tuple[Floats | None, Floats | None]:
    """Return thinned metres to the east and north by the likeliest columns of a position; None where there are none."""
    found = []
    for quantity in ("lon_deg", "lat_deg"):
        best = max(
            ((c.odds_nat, k, c) for k, of in rest.items() for c in of if c.quantity == quantity and c.said),
            default=None,
            key=lambda x: x[0],
        )
        if best is None:
            return None, None
        found.append(samples[best[1]].canonical(best[2].unit))
    lon, lat = found
    middle = math.radians(float(np.nanmedian(lat))) if np.isfinite(lat).any() else 0.0
    return lon * together.EARTH_M * math.cos(middle), lat * together.EARTH_M


def _by_behaviour(
    rest: dict[int, list[Candidate]], samples: Sequence[Sample], facts: together.Facts
) -> dict[int, list[Candidate]]:
    """Offer what has no name for it and yet behaves so: a percent that falls with the charge, volts that are the sum of cells."""
    made = {k: list(of) for k, of in rest.items()}
    drawn = _drawn(made, samples, facts)
    for k, of in made.items():
        s = samples[k]
        if s.numbers is None or s.parts or s.clock or s.place or "remote" in owners(name_part(s.header)):
            continue
        names = {c.quantity for c in of}
        said = units_said(s.header, s.below)
        if "left_frac" not in names and (not said or said[0].dimension == "percent"):
            guess = _like_percent(s.numbers, drawn)
            if guess is not None:
                of.append(Candidate("left_frac", guess[0], _BY_VALUES, False, False, guess[1]))
        if "pack_v" not in names and facts.cells_sum_v is not None and (not said or said[0].dimension == "volts"):
            for unit in BY_NAME["pack_v"].units:
                if _fits(BY_NAME["pack_v"], unit, s.known) and together.same_volts(s.canonical(unit), facts.cells_sum_v) > 0:
                    of.append(Candidate("pack_v", unit, 0.0, False, True, "it is the sum of the cells"))
                    break
    return made


def _drawn(rest: Mapping[int, list[Candidate]], samples: Sequence[Sample], facts: together.Facts) -> Floats | None:
    """Return what grows as the pack is emptied, by the likeliest column for it."""
    for quantity in ("used_ah", "current_a", "pack_v"):
        best = max(
            ((c.odds_nat, k, c) for k, of in rest.items() for c in of if c.quantity == quantity and c.odds_nat >= _LEAST),
            default=None,
            key=lambda x: x[0],
        )
        if best is not None:
            return together.drawn(quantity, samples[best[1]].canonical(best[2].unit), facts)
    return None if facts.cells_sum_v is None else -facts.cells_sum_v


def _like_percent(sample: Floats, drawn: Floats | None) -> tuple[Unit, str] | None:
    values = sample[np.isfinite(sample)]
    if values.size < 20 or values.min() < 0 or values[-1] >= values[0]:
        return None
    units = BY_NAME["left_frac"].units
    unit, scale = (units[1], 1.0) if values.max() <= 1.0 else (units[0], 100.0)
    if not 0.3 <= values.max() / scale <= 1.005 or (values[0] - values[-1]) / scale < 0.05:
        return None
    if drawn is not None:
        return (unit, "it falls as charge is drawn") if together.falls_with(sample, drawn) >= together.FOLLOWS else None
    whole = bool(np.all(values == np.round(values)))
    falls = float(np.mean(np.diff(values) <= 0)) > 0.98
    return (unit, "whole numbers that only fall, as percent left do") if whole and falls and scale == 100.0 else None


def search(
    rest: Mapping[int, list[Candidate]], samples: Sequence[Sample], facts: together.Facts, beam: int = _BEAM
) -> list[tuple[float, dict[int, Candidate]]]:
    """Return the best assignments found, each with its odds, best first; a beam that is wide enough has them all."""
    agree = together.Agreement(samples, facts)
    only = _named_once(rest)
    states = [_State(0.0)]
    order = sorted((k for k, of in rest.items() if of), key=lambda k: -rest[k][0].odds_nat)
    for k in order:
        longer = list(states)
        for state in states:
            for c in _turned_too(rest[k]):
                if state.of(c.quantity) is not None:
                    continue
                sole = c.said and c.quantity in only
                gain = c.odds_nat - _NOTHING + max(agree.alone(k, c), 0.0 if sole else -math.inf)
                for other, d in state.taken:
                    both = agree.pair(k, c, other, d)
                    gain += max(both, 0.0) if sole and d.said and d.quantity in only else both
                if sole:
                    gain = max(gain, _NAMED_ONCE)
                longer.append(_State(state.odds + gain, (*state.taken, (k, c))))
        longer.sort(key=lambda s: -s.odds)
        states = longer[:beam]
    return [(s.odds, dict(s.taken)) for s in states]


def _named_once(rest: Mapping[int, list[Candidate]]) -> set[str]:
    """Return essential quantities that one column alone is named for.

    Where such a column does not do what it should, the log contradicts itself and is held: it is not left unused in silence.
    """
    named_for: dict[str, set[int]] = {}
    for k, of in rest.items():
        for c in of:
            if BY_NAME[c.quantity].essential and (c.odds_nat >= _LEAST or not c.said):
                named_for.setdefault(c.quantity, set()).add(k)
    return {q for q, columns in named_for.items() if len(columns) == 1}


def _turned_too(of: Sequence[Candidate]) -> list[Candidate]:
    """Return candidates, and for vertical speed the same counted downwards."""
    return [*of, *(replace(c, unit=turned(c.unit)) for c in of if c.quantity == "climb_m_s")]


def _settled(
    k: int,
    sample: Sample,
    of: Sequence[Candidate],
    best: Sequence[tuple[float, Mapping[int, Candidate]]],
    taken: Mapping[str, str],
) -> Column:
    """Return what a column is by the best assignment, and how sure that is by the odds of the others."""
    c = best[0][1].get(k)
    if c is None:
        return Column(k, sample.header, why=_why_not(sample, of, taken))
    weights = [(math.exp(max(-60.0, odds - best[0][0])), others.get(k)) for odds, others in best]
    alike = sum(w for w, other in weights if other is not None and other.quantity == c.quantity and other.unit == c.unit)
    share = alike / sum(w for w, _ in weights)
    essential = BY_NAME[c.quantity].essential
    sure = share >= _SURE and c.said and c.certain
    if share < _SURE and not essential:
        return Column(k, sample.header, why="what it holds is not sure enough")
    return Column(
        k, sample.header, c.quantity, c.unit.name, certain=sure or not essential, why=c.why or f"named “{sample.header}”"
    )


def _why_not(sample: Sample, of: Sequence[Candidate], taken: Mapping[str, str]) -> str:
    """Return why a column is not used."""
    named_for = next((c.quantity for c in of if c.odds_nat >= _LEAST and c.said), "")
    if named_for:
        return f"“{taken[named_for]}” is taken for it" if named_for in taken else "its values do not go with its name"
    whose = owners(name_part(sample.header))
    if "remote" in whose:
        return "it is of another battery than the pack's" if sample.numbers is not None else "it is not of the aircraft"
    if whose & {"engine", "board"}:
        return "it is of the motors or the electronics, not of the pack"
    return "no quantity is known by this name"
