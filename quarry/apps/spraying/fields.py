"""What a spray record keeps as JSON, in typed shapes: what the day told of a spraying."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from pydantic import TypeAdapter

from quarry.apps.spraying.models import SprayRecord
from quarry.core.base.shapes import plain

Place = tuple[float, float]


@dataclass(frozen=True, slots=True)
class LoadFact:
    """A sortie that sprayed: when, how much; ``counted``: read at its landing, else as planned for what it flew."""

    sortie: str
    from_at: str
    to_at: str
    litres: float
    counted: bool
    area_ha: float
    aircraft: str
    who: str


@dataclass(frozen=True, slots=True)
class WeatherFact:
    """The weather at a moment at which the record asks for it; None was not read."""

    key: str
    words: str
    due_at: str
    taken_at: str | None = None
    wind_m_s: float | None = None
    gust_m_s: float | None = None
    from_deg: float | None = None
    air_c: float | None = None
    humidity_frac: float | None = None
    delta_t_k: float | None = None
    who: str = ""


@dataclass(frozen=True, slots=True)
class ProductFact:
    """A product as it was mixed."""

    product_id: str
    name: str
    registration: str
    unit: Literal["L", "kg"]
    per_ha_amount: float


@dataclass(frozen=True, slots=True, kw_only=True)
class RecordFacts:
    """What a day tells of a spraying; ``licence``: the one that its operators entered last, as it was known then."""

    job: str
    letter: str
    place: str
    fields: str
    crop: str
    rate_l_ha: float
    height_m: float
    nozzle: str
    droplets: str
    pressure_bar: float | None
    swath_m: float
    licence: str = ""
    loads: list[LoadFact] = field(default_factory=list)
    weather: list[WeatherFact] = field(default_factory=list)
    products: list[ProductFact] = field(default_factory=list)
    kept_clear: list[str] = field(default_factory=list)

    @property
    def litres(self) -> float:
        """Litres of all loads. [L]"""
        return sum(x.litres for x in self.loads)

    @property
    def area_ha(self) -> float:
        """Ground that all loads treated. [ha]"""
        return sum(x.area_ha for x in self.loads)


_FACTS = TypeAdapter(RecordFacts)


def facts_of_row(row: SprayRecord) -> RecordFacts | None:
    """Return the facts that a closed record keeps."""
    return None if row.facts is None else _FACTS.validate_python(row.facts)


def facts_json(facts: RecordFacts) -> object:
    """Return facts as they are kept."""
    return plain(facts)
