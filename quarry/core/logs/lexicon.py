"""Words and units of headers in many languages: looked up here, as data in `words.py`."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cache, lru_cache

from quarry.core.logs import words as data

_PLAIN = str.maketrans({"ł": "l", "Ł": "l", "ø": "o", "Ø": "o", "ß": "ss", "æ": "ae", "Æ": "ae", "đ": "d", "’": "'"})
_CAMEL = re.compile(r"(?<=[a-z]{2})(?=[A-Z])")  # “packVoltage” is two words, “mV” is one
_DOWN = ", downwards"
_WORD = re.compile(r"[a-z]+|\d+")
_BRACKET = re.compile(r"[\[(]\s*([^\])]*?)\s*[\])]")
_SCALED = re.compile(r"^(\d+(?:[.,]\d+)?(?:e[+-]?\d+)?)\s*[x*]?\s*(\D.*)$")


@dataclass(frozen=True, slots=True)
class Unit:
    """A unit of a log: canonical value = (value + ``offset``) × ``factor``; ``words`` as they stand in headers."""

    name: str
    factor: float
    words: tuple[str, ...] = ()
    offset: float = 0.0
    dimension: str = ""


def _phrases(text: str) -> tuple[str, ...]:
    return tuple(" ".join(p.split()) for p in text.split(",") if p.strip())


UNITS: dict[str, tuple[Unit, ...]] = {
    dimension: tuple(Unit(name, factor, _phrases(words), offset, dimension) for name, factor, offset, words in rows)
    for dimension, rows in data.UNITS.items()
}
WORDS: dict[str, tuple[str, ...]] = {name: _phrases(text) for name, (_, text) in data.QUANTITIES.items()}
DIMENSION: dict[str, str] = {name: dimension for name, (dimension, _) in data.QUANTITIES.items()}
_OWNERS, _PREAMBLE, _LEVELS = ({k: _phrases(v) for k, v in table.items()} for table in (data.OWNERS, data.ABOVE, data.LEVELS))
_NARROWER = {
    "altitude_m",
    "climb_m_s",
    "wind_m_s",
    "wind_from_deg",
    "cell_low_v",
    "cell_high_v",
}  # such a word says more than the plain one


def folded(text: str) -> str:
    """Return text without accents, in its own case."""
    apart = unicodedata.normalize("NFKD", text.translate(_PLAIN).replace("°", "\0"))
    return "".join(c for c in apart if not unicodedata.combining(c)).replace("\0", "°")


@lru_cache(maxsize=4096)
def words_of(text: str) -> tuple[str, ...]:
    """Return the words and numbers in a text: without accents, in lower case, camel case and digits apart."""
    return tuple(_WORD.findall(_CAMEL.sub(" ", folded(text)).lower()))


def _matches(stem: str, word: str) -> bool:
    bare = stem.strip("*")
    if stem.startswith("*") and stem.endswith("*"):
        return bare in word
    if stem.endswith("*"):
        return word.startswith(bare)
    if stem.startswith("*"):
        return word.endswith(bare)
    return word == bare


@lru_cache(maxsize=65_536)
def _found(phrase: str, words: tuple[str, ...]) -> int:
    """Return how many letters of a phrase stand in the words, one after the other; 0 where it does not."""
    stems = phrase.split()
    for k in range(len(words) - len(stems) + 1):
        if all(_matches(s, w) for s, w in zip(stems, words[k:], strict=False)):
            return sum(len(s.strip("*")) for s in stems)
    return 0


def _longest(phrases: Iterable[str], words: tuple[str, ...]) -> tuple[int, int]:
    """Return (letters, words) of the longest phrase that stands in words."""
    return max(((n, len(p.split())) for p in phrases if (n := _found(p, words))), default=(0, 0))


@lru_cache(maxsize=16_384)
def named(quantity: str, words: tuple[str, ...]) -> float:
    """Return how plainly words name a quantity: 0 for not at all, 3 to 7 for a name, more for longer ones."""
    letters, many = _longest(WORDS[quantity], words)
    if not letters:
        return 0.0
    return (
        2.5
        + min(letters, 8) / 4
        + 1.5 * (many - 1)
        + (0.5 if len(words) == many else 0.0)
        + (2.0 if quantity in _NARROWER else 0.0)
    )


@lru_cache(maxsize=4096)
def owners(words: tuple[str, ...]) -> frozenset[str]:
    """Return whose thing words say that a column is: pack, cell, remote, engine, board, air."""
    return frozenset(owner for owner, phrases in _OWNERS.items() if _longest(phrases, words)[0])


def level_of(text: str) -> int | None:
    """Return what a word of warning means: 0 all is well, 1 low, 2 critical; None where it is some other word."""
    words = words_of(text)
    if not words:
        return 0
    numbers = [int(w) for w in words if w.isdigit()]
    if numbers and (len(words) == 1 or "level" in words):
        return min(2, numbers[0])
    for level, kind in ((2, "critical"), (0, "calm"), (1, "low")):
        if _longest(_LEVELS[kind], words)[0]:
            return level
    return None


@cache
def _spelled() -> dict[str, tuple[Unit, ...]]:
    found: dict[str, list[Unit]] = {}
    for units in UNITS.values():
        for unit in units:
            for word in unit.words:
                found.setdefault(word, []).append(unit)
    return {k: tuple(v) for k, v in found.items()}


@lru_cache(maxsize=4096)
def units_spelled(text: str) -> tuple[Unit, ...]:
    """Return the units that a text may spell, of any dimension; none where it spells none."""
    word = " ".join(folded(text).lower().strip(" .:").replace("·", " ").split())
    if not word:
        return ()
    known = _spelled().get(word)
    if known:
        return known
    scaled = _SCALED.match(word)
    if scaled:
        times = float(scaled[1].replace(",", "."))
        return tuple(
            Unit(f"{times:g} {u.name}".replace("e-0", "e-"), u.factor * times, (), u.offset / times, u.dimension)
            for u in _spelled().get(scaled[2].strip(), ())
            if times > 0
        )
    return ()


def unit_named(dimension: str, name: str) -> Unit | None:
    """Return the unit of a dimension by its name, as it was told before; one that counts downwards ends with “down”."""
    if name.endswith(_DOWN):
        unit = unit_named(dimension, name.removesuffix(_DOWN))
        return None if unit is None else turned(unit)
    for unit in UNITS[dimension]:
        if unit.name == name:
            return unit
    return next((u for u in units_spelled(name) if u.dimension == dimension), None)


def turned(unit: Unit) -> Unit:
    """Return a unit that counts the other way."""
    return Unit(f"{unit.name}{_DOWN}", -unit.factor, (), unit.offset, unit.dimension)


@lru_cache(maxsize=4096)
def units_said(header: str, below: str = "") -> tuple[Unit, ...]:
    """Return the units that a header, or the row of units below it, may say: in brackets, after “in”, or as its last word."""
    if below.strip():
        apart = _BRACKET.sub("", below).strip() or below
        return units_spelled(below.strip("[]() ")) or units_spelled(apart)
    for inside in reversed(_BRACKET.findall(header)):
        found = units_spelled(inside)
        if found:
            return found
    bare = _CAMEL.sub(" ", _BRACKET.sub(" ", header)).strip()
    after = re.split(r"\s+(?:in|en|em|w)\s+", bare)
    if len(after) > 1 and (found := units_spelled(after[-1])):
        return found
    parts = [p for p in re.split(r"[\s_,;:]+", bare.replace("%", " % ").replace("°C", " °C")) if p]
    if parts and parts[-1] == "%":
        return units_spelled("%")
    if len(parts) < 2:
        return ()
    # “cell 1 mV” is the first cell in millivolts; “temp 0.1 K” is in tenths of a kelvin.
    scaled = not parts[-2].isdigit()
    return (units_spelled(" ".join(parts[-2:])) if scaled else ()) or units_spelled(parts[-1])


def name_part(header: str) -> tuple[str, ...]:
    """Return the words of a header without those that only say its unit."""
    words = words_of(_BRACKET.sub(lambda m: " " if units_spelled(m[1]) else f" {m[1]} ", header).replace("%", " "))
    parts = [p for p in re.split(r"[\s_,;:]+", _CAMEL.sub(" ", _BRACKET.sub(" ", header)).strip()) if p]
    if len(parts) > 1 and units_spelled(parts[-1]):
        tail = words_of(parts[-1])
        if tail and words[-len(tail) :] == tail and len(words) > len(tail):
            return words[: -len(tail)]
    return words


def declared_units(lines: Sequence[str]) -> dict[str, Unit]:
    """Return units that stand above a table by dimension or quantity: “currents dA, heights cm”."""
    found: dict[str, Unit] = {}
    for line in lines:
        if not _longest(_PREAMBLE["units"], words_of(line))[0]:
            continue
        for piece in re.split(r"[,;:|]+", line):
            tokens = piece.strip().split()
            for k in range(1, len(tokens)):
                units = (
                    units_spelled(" ".join(tokens[k:])) or units_spelled(" ".join(tokens[k : k + 2])) or units_spelled(tokens[k])
                )
                name = words_of(" ".join(tokens[:k]).removesuffix(" in"))
                if not units or not name:
                    continue
                for unit in units:
                    if unit.dimension == "position" and not any(w.startswith(("pos", "lat", "coord", "ort")) for w in name):
                        continue
                    if unit.dimension == "angle" and any(w.startswith(("pos", "coord")) for w in name):
                        continue
                    fits = any(named(q, name) for q, d in DIMENSION.items() if d == unit.dimension)
                    if fits or unit.dimension in ("angle", "position", "volts", "temperature"):
                        found.setdefault(unit.dimension, unit)
                break
    return found


def listed_units(lines: Sequence[str], columns: int) -> tuple[tuple[Unit, ...], ...]:
    """Return the units of a line above the table that lists them column by column; empty where there is no such line.

    A list that is shorter than the table says the same of the last columns.
    """
    for line in lines:
        if not _longest(_PREAMBLE["units"], words_of(line.split(",")[0].split(";")[0]))[0]:
            continue
        parts = [p.strip() for p in re.split(r"[;|\t]", line.split(",", 1)[-1])]
        if columns - 3 <= len(parts) <= columns and len(parts) > 3:
            said = [units_spelled(p) for p in parts]
            if sum(map(bool, said)) >= 0.7 * len(said):
                return tuple(said[min(k, len(said) - 1)] for k in range(columns))
    return ()


def cells_stated(lines: Sequence[str]) -> int | None:
    """Return how many cells in series the lines above a table tell; None where they tell none."""
    for line in lines:
        words = words_of(line)
        for k, word in enumerate(words):
            if not _longest(_OWNERS["cell"], (word,))[0]:
                continue
            for near in (words[k - 1 : k], words[k + 1 : k + 2], words[k + 3 : k + 4]):
                if near and near[0].isdigit() and 1 <= int(near[0]) <= 28:
                    return int(near[0])
    return None


def stated_above(lines: Sequence[str]) -> dict[str, str]:
    """Return what stands above a table: firmware, airframe, and the pack's own number, as far as they are told."""
    found: dict[str, str] = {}
    for line in lines:
        fields = [f.strip() for f in re.split(r"\s*[,;|\t=:]\s*|\s{2,}", line.strip(" #%")) if f.strip()]
        for k, field in enumerate(fields):
            words = words_of(field)
            for kind in ("firmware", "serial", "airframe"):
                if kind in found:
                    continue
                at = next((n for n in range(len(words)) if _longest(_PREAMBLE[kind], words[n : n + 1])[0]), None)
                whose = owners(words)
                if at is None or (kind == "airframe" and "pack" in whose) or (kind == "serial" and "cell" in whose):
                    continue
                value = _value_after(field, fields[k + 1 : k + 2], kind)
                if value:
                    found[kind] = value[:60]
                    break
    return found


def _value_after(field: str, following: Sequence[str], kind: str) -> str:
    """Return what a field says after its name, else the next field."""
    tokens = field.split()
    while tokens and not any(c.isdigit() for c in tokens[0]):
        tokens = tokens[1:]
    if tokens:
        return "" if kind == "serial" and len(tokens) > 1 and owners(words_of(tokens[1])) & {"cell"} else tokens[0].strip("()[]")
    if not following:
        return ""
    whole = following[0].split()
    if len(whole) == 1 and not any(_longest(_PREAMBLE[k], words_of(whole[0]))[0] for k in _PREAMBLE):
        return whole[0].strip("()[]")
    parts = [p for p in whole if any(c.isdigit() for c in p)]
    if not parts or (kind == "serial" and owners(words_of(following[0])) & {"cell"} and following[0].split()[0] == parts[0]):
        return ""
    return parts[0].strip("()[]")
