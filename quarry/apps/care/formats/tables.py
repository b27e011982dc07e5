"""The columns of the three tables, in the order in which they are written."""

from __future__ import annotations

import math
from dataclasses import dataclass, fields
from datetime import UTC, date, datetime
from typing import Any, Literal

from quarry.apps.fleet.figures import PACK_MODELS, PACKS, NounFigures
from quarry.core.packs.records import KINDS

Kind = Literal["text", "number", "whole", "yes", "date", "moment", "numbers"]
What = Literal["models", "packs", "records"]
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


class CellError(ValueError):
    """A cell cannot be read; the message says what to do."""


@dataclass(frozen=True, slots=True)
class Column:
    """One column: its head, what its cells hold, and whether a row needs it."""

    name: str
    kind: Kind
    needed: bool = False


_CELLS: dict[str, Kind] = {"text": "text", "choice": "text", "number": "number", "whole": "whole", "yes": "yes", "date": "date"}


def _of_noun(noun: NounFigures) -> tuple[Column, ...]:
    """Return the columns of a noun of the fleet; its model goes by name."""
    return tuple(
        Column("model", "text", needed=True) if f.key == "model_id" else Column(f.key, _CELLS[f.kind], f.needed)
        for f in noun.figures
    )


MODEL_COLUMNS = _of_noun(PACK_MODELS)
PACK_COLUMNS = (*_of_noun(PACKS), Column("put_away", "yes"))


def _figure_columns() -> tuple[Column, ...]:
    found: dict[str, Column] = {}
    for record in KINDS.values():
        for f in fields(record):
            kind: Kind = "yes" if f.type == "bool" else "text"
            if "low" in f.metadata:
                kind = "numbers" if f.metadata["many"] else "number"
            found.setdefault(f.name, Column(f.name, kind))
    return tuple(found.values())


FIGURES = _figure_columns()
RECORD_COLUMNS = (
    Column("pack", "text", needed=True),
    Column("kind", "text", needed=True),
    Column("at", "moment", needed=True),
    Column("by", "text"),
    Column("note", "text"),
    Column("key", "text"),
    Column("corrects", "text"),
    *FIGURES,
)
TABLES: dict[What, tuple[Column, ...]] = {"models": MODEL_COLUMNS, "packs": PACK_COLUMNS, "records": RECORD_COLUMNS}


def written(value: Any, kind: Kind) -> str:
    """Return a value as the text of a cell; text that a spreadsheet would run as a formula is guarded by a quote."""
    if value is None or value == "":
        return ""
    if kind == "yes":
        return "yes" if value else "no"
    if kind == "numbers":
        return " ".join(_digits(v) for v in value)
    if kind in ("number", "whole"):
        return _digits(value)
    if isinstance(value, datetime):
        return value.astimezone(UTC).isoformat()
    text = value.isoformat() if isinstance(value, date) else str(value)
    return f"'{text}" if text.startswith((*_FORMULA, "'")) else text


def _digits(value: float) -> str:
    return str(int(value)) if float(value).is_integer() and abs(value) < 1e15 else repr(float(value))


def read(text: str, column: Column, comma: bool) -> Any:
    """Return the value of a cell, None if it is empty; raises `CellError`."""
    text = text.strip()
    if not text:
        return None
    if column.kind == "text":
        return text[1:] if text.startswith("'") and text[1:2] in (*_FORMULA, "'") else text
    if column.kind == "yes":
        if text.lower() not in ("yes", "no", "true", "false", "1", "0"):
            raise CellError(f"{text!r} is neither yes nor no.")
        return text.lower() in ("yes", "true", "1")
    if column.kind in ("date", "moment"):
        return _moment(text, column.kind)
    if column.kind == "numbers":
        return [_number(part, comma) for part in text.split()]
    value = _number(text, comma)
    if column.kind == "whole":
        if not value.is_integer():
            raise CellError(f"{text!r} must be a whole number.")
        return int(value)
    return value


def _number(text: str, comma: bool) -> float:
    try:
        value = float(text.replace(",", ".") if comma else text)
    except ValueError:
        raise CellError(f"{text!r} is not a number. Type digits only, without a unit.") from None
    if not math.isfinite(value):
        raise CellError(f"{text!r} is not a number.")
    return value


def _moment(text: str, kind: Kind) -> date | datetime:
    try:
        if kind == "date":
            return date.fromisoformat(text)
        at = datetime.fromisoformat(text)
    except ValueError:
        form = "2031-05-06" if kind == "date" else "2031-05-06 14:30"
        raise CellError(f"{text!r} is not a date. Write it as {form}.") from None
    return at if at.tzinfo else at.replace(tzinfo=UTC)
