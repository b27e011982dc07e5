"""What a day keeps as JSON, typed: its breaks, what people fixed, how it is planned, and what its plans were made from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, time, timedelta
from typing import Annotated, Any
from uuid import UUID
from zoneinfo import ZoneInfo

from pydantic import Field, TypeAdapter, ValidationError

from quarry.apps.day.models import Day, DayPlan
from quarry.core.base.errors import MissingInput, OutOfRange
from quarry.core.base.shapes import plain
from quarry.core.dayplan.differences import PlanInput
from quarry.core.dayplan.hours import DayHours, clock_of, seconds_of
from quarry.core.dayplan.inputs import Methods
from quarry.core.dayplan.pins import Pin, PinKind, check_pins

METHODS: dict[str, tuple[str, ...]] = {"packs": ("full", "need"), "rates": ("any", "gentle"), "aim": ("finish", "sure")}

_QUARTER_S = 900.0
_LOOKED_AHEAD = 4 * 30  # quarters of an hour in which a day ends, late as it may be


@dataclass(frozen=True, slots=True)
class Pause:
    """A break, as it is entered: hours of the day as 12:00."""

    from_: Annotated[str, Field(alias="from")]
    to: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PinFields:
    """What a person has fixed, as it is entered; times of the day's clock as 10:00."""

    kind: PinKind
    flight: str = ""
    set: str = ""
    port: int = 0
    from_: Annotated[str, Field(alias="from")] = ""
    to: str = ""


_PAUSES = TypeAdapter(list[Pause])
_PINS = TypeAdapter(list[PinFields])
_METHODS = TypeAdapter(Methods)
_INPUTS = TypeAdapter(dict[str, PlanInput])


_ENTERED: TypeAdapter[Pause | PinFields] = TypeAdapter(Pause | PinFields)


def entered_json(thing: Pause | PinFields) -> Any:
    """Return a break or a pin as it is kept."""
    return _ENTERED.dump_python(thing, by_alias=True)


def clock_of_day(at_s: float) -> str:
    """Return seconds since midnight as a time of day."""
    return clock_of(at_s)


def seconds_of_day(clock: str, field: str) -> float:
    """Return seconds since midnight of a time of day; raises `CoreError` at ``field``."""
    return seconds_of(clock, field)


def later(opens: datetime, seconds: float) -> datetime:
    """Return the moment so many seconds after another, in its zone: true seconds, also in a night whose clocks change."""
    return (opens.astimezone(UTC) + timedelta(seconds=seconds)).astimezone(opens.tzinfo)


def pauses_of(kept: Any) -> list[Pause]:
    """Return breaks that were kept or entered."""
    return _PAUSES.validate_python(kept)


def true_s(begin: datetime, end: datetime) -> float:
    """Return the seconds from one moment to another: true ones, also in a night whose clocks change."""
    return (end.astimezone(UTC) - begin.astimezone(UTC)).total_seconds()


def moments_of(day: Day) -> tuple[datetime, datetime]:
    """Return the moments at which a day opens and closes: one that closes no later than it opens does so on the next date."""
    opens = datetime.combine(day.date, day.opens, ZoneInfo(day.time_zone))
    return opens, _on_clock(day, day.closes)


def _on_clock(day: Day, clock: time) -> datetime:
    past = day.closes <= day.opens and clock <= day.opens
    return datetime.combine(day.date + timedelta(days=int(past)), clock, ZoneInfo(day.time_zone))


def seconds_in_day(day: Day, clock: str, field: str) -> float:
    """Return a time on the clock of a day as in `DayHours`; raises `MissingInput` at ``field``.

    Raises
    ------
    MissingInput
        It is no time of day.
    """
    seconds_of(clock, field)
    opens, _ = moments_of(day)
    at = time.fromisoformat(clock[:8])
    return seconds_of(day.opens.isoformat(), "opens") + (0.0 if at == day.opens else true_s(opens, _on_clock(day, at)))


def hours_of(day: Day) -> DayHours:
    """Return the hours of a day."""
    spans = [
        (seconds_in_day(day, p.from_, f"pauses.{k}"), seconds_in_day(day, p.to, f"pauses.{k}"))
        for k, p in enumerate(pauses_of(day.pauses))
    ]
    opens, closes = moments_of(day)
    opens_s = seconds_of(day.opens.isoformat(), "opens")
    return DayHours(opens_s, opens_s + true_s(opens, closes), tuple(spans), _jumps(opens))


def _jumps(opens: datetime) -> tuple[tuple[float, float], ...]:
    """Return when after an opening clocks change, and by how much; looked for a quarter of an hour at a time. [s]"""
    found, before = [], opens.utcoffset() or timedelta()
    for k in range(1, _LOOKED_AHEAD):
        at = later(opens, k * _QUARTER_S)
        now = at.utcoffset() or timedelta()
        if now != before:
            found.append((k * _QUARTER_S - at.minute % 15 * 60.0 - at.second, (now - before).total_seconds()))
            before = now
    return tuple(found)


def pin_fields_of(kept: Any) -> list[PinFields]:
    """Return what people fixed, as it was entered; raises `MissingInput` at the pin that is none."""
    try:
        return _PINS.validate_python([{k: v for k, v in p.items() if v is not None} for p in kept])
    except ValidationError as bad:
        where = bad.errors(include_url=False)[0]["loc"]
        words = ", ".join(("set", "takeoff", "port", "charge", "supply"))
        raise MissingInput(f"A pin is one of {words}.", f"pins.{where[0] if where else 0}") from bad


def pins_of(day: Day) -> tuple[Pin, ...]:
    """Return what people fixed in a day; raises `MissingInput` at the pin that cannot be."""
    found = []
    for k, p in enumerate(pin_fields_of(day.pins)):
        begins, ends = (seconds_in_day(day, t, f"pins.{k}") if t else None for t in (p.from_, p.to))
        clocks = (p.from_, p.to)
        found.append(Pin(kind=p.kind, flight=p.flight, set=p.set, port=p.port, from_s=begins, to_s=ends, clocks=clocks))
    check_pins(found)
    return tuple(found)


def check_methods(kept: dict[str, str]) -> None:
    """Raise `OutOfRange` at a method that is not known."""
    for key, value in kept.items():
        if key not in METHODS or value not in METHODS[key]:
            raise OutOfRange(f"{key} may be one of {', '.join(METHODS.get(key, ('nothing',)))}.", f"methods.{key}")


def methods_of(kept: dict[str, str]) -> Methods:
    """Return how a day is planned; the default where nothing known is chosen."""
    return _METHODS.validate_python({k: v for k, v in kept.items() if v in METHODS.get(k, ())})


def crews_of(kept: Any) -> tuple[tuple[str, ...], ...]:
    """Return for each crew that flies several aircraft the ids of these, as they were kept."""
    return tuple(tuple(str(a) for a in crew) for crew in kept)


def inputs_json(inputs: dict[str, PlanInput]) -> Any:
    """Return what a plan was made from, as it is kept."""
    return plain(inputs)


def inputs_from(row: DayPlan | None) -> dict[str, PlanInput]:
    """Return what a plan was made from; nothing where an older version kept it by names."""
    try:
        return _INPUTS.validate_python(row.inputs) if row is not None else {}
    except ValidationError:
        return {}


@dataclass(frozen=True, slots=True)
class JobEntry:
    """A job in a day; an aircraft of None takes one that fits."""

    job_id: UUID
    aircraft_id: UUID | None


@dataclass(frozen=True, slots=True)
class PackEntry:
    """A pack in a day with its charge when the day opens."""

    pack_id: UUID
    start_frac: float


@dataclass(frozen=True, slots=True, kw_only=True)
class DayEntry:
    """What was entered of a day; ``said`` names the fields that were: the others stay as they stand."""

    said: frozenset[str]
    name: str = ""
    date: str = ""
    time_zone: str = ""
    opens: str = ""
    closes: str = ""
    pauses: list[Pause] = field(default_factory=list)
    swap_s: float = 0.0
    rest_after_flight_s: float = 0.0
    rest_after_charge_s: float = 0.0
    elevation_m: float = 0.0
    bench_c: float = 0.0
    methods: dict[str, str] = field(default_factory=dict)
    pins: list[Any] = field(default_factory=list)
    supply_id: UUID | None = None
    more_supply_ids: list[UUID] = field(default_factory=list)
    charger_ids: list[UUID] = field(default_factory=list)
    crew_ids: list[int] = field(default_factory=list)
    crews: list[list[UUID]] = field(default_factory=list)
    jobs: list[JobEntry] = field(default_factory=list)
    packs: list[PackEntry] = field(default_factory=list)


_ENTRY = TypeAdapter(DayEntry)


def read_entry(figures: Mapping[str, Any]) -> DayEntry:
    """Return what was entered of a day, typed.

    Raises
    ------
    MissingInput
        A figure is not of its kind; at its field.
    """
    try:
        return _ENTRY.validate_python({**figures, "said": frozenset(figures)})
    except ValidationError as bad:
        first = bad.errors(include_url=False, include_input=False)[0]
        where = ".".join(str(part) for part in first["loc"])
        raise MissingInput(f"This cannot be read: {first['msg'].lower()}. Enter it again.", where) from bad
