"""Fleet: models and items. Each has an input, a change (with the version seen) and an output."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal
from uuid import UUID

from ninja import Schema
from pydantic import Field, create_model

from quarry.api.schemas.base import In
from quarry.apps.fleet.figures import BY_NOUN, ITEMS, MOST_ALIKE, MOST_LINES, Figure, Noun, NounFigures


class Stored(Schema):
    """What every stored thing shows."""

    id: UUID
    version: int
    archived: bool


class ModeIn(In):
    """A rate of a charger."""

    name: str = Field(min_length=1, max_length=30)
    pack_w: float
    wall_w: float


_TYPES: dict[str, Any] = {
    "text": str,
    "number": float,
    "whole": int,
    "thing": UUID,
    "yes": bool,
    "date": date,
    "rates": Annotated[list[ModeIn], Field(max_length=6)],
    "lines": Annotated[list[str], Field(max_length=MOST_LINES)],
}


def _type_of(figure: Figure) -> Any:
    if not figure.choices:
        return _TYPES[figure.kind]
    one: Any = Literal[tuple(value for value, _ in figure.choices)]
    return one if figure.kind == "choice" else Annotated[list[one], Field(max_length=len(figure.choices))]


def _input(noun: NounFigures, name: str) -> Any:
    """Return the input of a noun: its fields, their words, units and ranges from the description of its figures."""
    given: dict[str, Any] = {}
    for f in noun.figures:
        kind = _type_of(f)
        # What is shown at another scale is sent in the unit of its name.
        known = {"unit": f.unit if f.scale == 1.0 else "", "minimum": f.low, "maximum": f.high}
        extra = {k: v for k, v in known.items() if v not in (None, "")}
        more: dict[str, Any] = {"title": f.label, "json_schema_extra": extra or None}
        if f.kind == "text":
            more |= {"max_length": f.longest, "min_length": 1 if f.needed else 0}
        if f.needed:
            given[f.key] = (kind, Field(**more))
        elif f.kind in ("lines", "several"):
            given[f.key] = (kind, Field(default_factory=list, **more))
        else:
            given[f.key] = (kind | None if f.default is None else kind, Field(default=f.default, **more))
    return create_model(name, __base__=In, __doc__=f"{noun.title}: one of them.", **given)


def _output(given: Any, name: str, **more: Any) -> Any:
    return create_model(name, __base__=(Stored, given), __doc__=given.__doc__, **more)


_PACK_MORE = {"grounded": (bool, ...), "grounded_why": (str, ...)}  # whether a pack is grounded follows from its records
_MORE: dict[str, dict[str, Any]] = {"pack-models": {"rated_wh": (float, ...)}, "packs": _PACK_MORE}
_STEMS: dict[Noun, str] = {
    "cameras": "Camera",
    "nozzles": "Nozzle",
    "products": "Product",
    "pack-models": "PackModel",
    "aircraft-models": "AircraftModel",
    "charger-models": "ChargerModel",
    "supply-models": "SupplyModel",
    "aircraft": "Aircraft",
    "packs": "Pack",
    "chargers": "Charger",
    "supplies": "Supply",
}
INPUTS: dict[Noun, Any] = {noun: _input(BY_NOUN[noun], f"{stem}In") for noun, stem in _STEMS.items()}
OUTPUTS: dict[Noun, Any] = {noun: _output(INPUTS[noun], f"{stem}Out", **_MORE.get(noun, {})) for noun, stem in _STEMS.items()}


def _alike(noun: NounFigures) -> Any:
    """Several alike: the first as given, names running on; serial numbers, where it has them, in the same order."""
    given: dict[str, Any] = {"of": (INPUTS[noun.noun], ...), "count": (int, Field(ge=1, le=MOST_ALIKE))}
    if any(f.key == "serial" for f in noun.figures):
        serial = Annotated[str, Field(max_length=40)]
        given["serials"] = (list[serial], Field(default=[], max_length=MOST_ALIKE))
    return create_model(f"{_STEMS[noun.noun]}Several", __base__=In, __doc__=_alike.__doc__, **given)


ALIKE: dict[str, Any] = {noun.noun: _alike(noun) for noun in ITEMS}
FleetOut: Any = create_model(
    "FleetOut",
    __base__=Schema,
    __doc__="The whole fleet.",
    **{noun.replace("-", "_"): (list[shown], ...) for noun, shown in OUTPUTS.items()},  # type: ignore[call-overload, valid-type]
)
