"""What people write down about a pack: one record for each thing seen or done, checked when it is made.

A record holds readings alone; every judgement of them is made later, so that a new policy judges old readings anew.
"""

from __future__ import annotations

from dataclasses import MISSING, dataclass, field, fields
from typing import Any, Literal, get_args

from quarry.core.base.errors import BadReading, MissingInput, require_range
from quarry.core.cells.chemistry import Chemistry
from quarry.core.packs.care import TaskKind

Mishap = Literal["swelling", "damage", "hard landing", "water", "overheated", "other"]
FOR_GOOD: tuple[Mishap, ...] = ("swelling", "damage")


def _number(words: str, unit: str, low: float, high: float, *, needed: bool = False, many: bool = False) -> Any:
    meta = {"words": words, "unit": unit, "low": low, "high": high, "many": many}
    if needed:
        return field(metadata=meta)
    return field(default=() if many else None, metadata=meta)


def _text(words: str, length: int = 200) -> Any:
    return field(default="", metadata={"words": words, "length": length})


@dataclass(frozen=True, slots=True)
class Record:
    """Base of all records: each figure is checked against its plausible range."""

    def __post_init__(self) -> None:
        for name, meta, _needed in _spec(type(self)):
            value = getattr(self, name)
            if not value and value != 0:
                continue
            if "low" in meta:
                low, high = meta["low"], meta["high"]
                if meta["many"]:
                    if not all(low <= v <= high for v in value):
                        k = next(k for k, v in enumerate(value) if not low <= v <= high)
                        require_range(value[k], low, high, f"{name}.{k}", f"{meta['words']} {k + 1}", meta["unit"])
                else:
                    require_range(value, low, high, name, meta["words"], meta["unit"])
            elif "length" in meta and len(value) > meta["length"]:
                raise BadReading(f"{meta['words']} is too long: {len(value)} signs of {meta['length']}. Shorten it.", name)


_SPECS: dict[type[Record], tuple[tuple[str, Any, bool], ...]] = {}


def _spec(made: type[Record]) -> tuple[tuple[str, Any, bool], ...]:
    """Return name, meaning and whether it is needed of each figure of a kind of record."""
    found = _SPECS.get(made)
    if found is None:
        found = _SPECS[made] = tuple((f.name, f.metadata, f.default is MISSING) for f in fields(made))
    return found


@dataclass(frozen=True, slots=True)
class LoadTested(Record):
    """The lowest volts of a full-power climb, each cell or a total; neither where the aircraft shows none."""

    cell_v: tuple[float, ...] = _number("Cell", "V", 1.0, 4.6, many=True)
    total_v: float | None = _number("Total", "V", 1.0, 130.0)
    start_frac: float | None = _number("Charge at the start", "", 0.0, 1.0)
    rest_cell_v: float | None = _number("Resting voltage of a cell", "V", 1.0, 4.6)
    pack_c: float | None = _number("Pack temperature", "°C", -40.0, 90.0)


@dataclass(frozen=True, slots=True)
class ResistanceRead(Record):
    """Resistance of each cell by a meter, the whole pack if it was read, and how warm the pack was."""

    cell_ohm: tuple[float, ...] = _number("Cell", "Ω", 1e-4, 1.0, needed=True, many=True)
    pack_c: float = _number("Pack temperature", "°C", -40.0, 80.0, needed=True)
    pack_ohm: float | None = _number("Pack", "Ω", 1e-4, 10.0)


@dataclass(frozen=True, slots=True)
class CapacityMeasured(Record):
    """What a charge from empty to full, or a full discharge, counted."""

    capacity_ah: float = _number("Capacity", "Ah", 0.05, 400.0, needed=True)


@dataclass(frozen=True, slots=True)
class Rested(Record):
    """Volts at rest, each cell or a total."""

    cell_v: tuple[float, ...] = _number("Cell", "V", 0.0, 4.6, many=True)
    total_v: float | None = _number("Total", "V", 0.0, 130.0)
    pack_c: float | None = _number("Pack temperature", "°C", -40.0, 90.0)


@dataclass(frozen=True, slots=True)
class Flown(Record):
    """One flight on this pack, with the charge shown at its start and end."""

    flown_s: float = _number("Time flown", "s", 20.0, 4 * 3600.0, needed=True)
    from_frac: float | None = _number("Charge at take-off", "", 0.0, 1.0)
    to_frac: float | None = _number("Charge at landing", "", 0.0, 1.0)
    most_c: float | None = _number("Highest temperature", "°C", -40.0, 120.0)
    aircraft: str = _text("Aircraft", 60)
    air_c: float | None = _number("Air temperature", "°C", -60.0, 60.0)
    lowest_v: float | None = _number("Lowest cell under load", "V", 0.5, 5.0)


@dataclass(frozen=True, slots=True)
class Read(Record):
    """What was read of a pack before a flight: its charge as shown, how warm it is; ``of`` names the list it stood on."""

    charge_frac: float | None = _number("Charge", "", 0.0, 1.0)
    pack_c: float | None = _number("Pack temperature", "°C", -40.0, 90.0)
    of: str = _text("List", 40)


@dataclass(frozen=True, slots=True)
class Charged(Record):
    """One charge: from and to which share, what was put back, how, how long, how warm."""

    from_frac: float | None = _number("Charge before", "", 0.0, 1.0)
    to_frac: float | None = _number("Charge after", "", 0.0, 1.0)
    put_back_ah: float | None = _number("Charge put back", "Ah", 0.01, 400.0)
    charged_s: float | None = _number("Time on charge", "s", 30.0, 172_800.0)
    start_c: float | None = _number("Temperature at the start", "°C", -40.0, 90.0)
    most_c: float | None = _number("Highest temperature", "°C", -40.0, 120.0)
    mode: str = _text("Rate", 30)
    port: str = _text("Port", 60)
    charger_id: str = _text("Charger", 40)
    pack_w: float | None = _number("Power into the pack", "W", 0.1, 50_000.0)


@dataclass(frozen=True, slots=True)
class Stored(Record):
    """How a pack lay on its shelf."""

    charge_frac: float | None = _number("Charge", "", 0.0, 1.0)
    air_c: float | None = _number("Air temperature", "°C", -40.0, 80.0)
    humidity_frac: float | None = _number("Humidity", "", 0.0, 1.0)


@dataclass(frozen=True, slots=True)
class Happened(Record):
    """A mishap; swelling and damage ground a pack for good, the others until a lead releases it."""

    what: Mishap = field(metadata={"words": "What happened", "one_of": get_args(Mishap)})
    words: str = _text("Description", 400)


@dataclass(frozen=True, slots=True)
class Looked(Record):
    """A look after a flight: what was seen at pack and aircraft; a photo by its key. All well where nothing is ticked.

    ``of`` names the running day that it was recorded on.
    """

    props: bool = False
    moisture: bool = False
    damage: bool = False
    swelling: bool = False
    words: str = _text("What was seen", 300)
    photo: str = _text("Photo", 40)
    of: str = _text("Day", 40)


@dataclass(frozen=True, slots=True)
class GroundedBy(Record):
    """Somebody grounded it, and why."""

    words: str = _text("Reason", 160)


@dataclass(frozen=True, slots=True)
class ReleasedBy(Record):
    """A lead lets it fly again, and why."""

    words: str = _text("Reason", 160)


@dataclass(frozen=True, slots=True)
class Cared(Record):
    """A task of the care list was done."""

    task: TaskKind = field(metadata={"words": "Task", "one_of": get_args(TaskKind)})


@dataclass(frozen=True, slots=True)
class AlarmsSet(Record):
    """The levels entered in the aircraft, whole pack at rest, and whether a trial flight proved them."""

    first_v: float = _number("Level 1", "V", 1.0, 130.0, needed=True)
    second_v: float = _number("Level 2", "V", 1.0, 130.0, needed=True)
    loss_v: float | None = _number("Loss under load", "V", 0.0, 30.0)
    proven: bool = False
    words: str = _text("Note of the trial", 200)


@dataclass(frozen=True, slots=True)
class Withdrawn(Record):
    """Takes another record back and puts nothing in its place."""

    words: str = _text("Reason", 160)


KINDS: dict[str, type[Record]] = {
    "load test": LoadTested,
    "resistance": ResistanceRead,
    "capacity": CapacityMeasured,
    "rest volts": Rested,
    "flight": Flown,
    "charge": Charged,
    "storage": Stored,
    "reading": Read,
    "look": Looked,
    "mishap": Happened,
    "grounding": GroundedBy,
    "release": ReleasedBy,
    "care": Cared,
    "alarm levels": AlarmsSet,
    "withdrawal": Withdrawn,
}


def record_of(kind: str, figures: dict[str, Any]) -> Record:
    """Return a record from plain figures, as they are stored and sent.

    Raises
    ------
    MissingInput
        The kind is unknown, or a figure that it needs is missing or not a number.
    BadReading, OutOfRange
        A figure is not plausible; ``field`` names it.
    """
    made = KINDS.get(kind)
    if made is None:
        raise MissingInput(f"There is no record called {kind}. Choose one of: {', '.join(KINDS)}.", "kind")
    found: dict[str, Any] = {}
    for name, meta, needed in _spec(made):
        value = figures.get(name)
        if value is None or (needed and value in ("", [], ())):
            if needed:
                raise MissingInput(f"{meta['words']} is missing. A {kind} needs it.", name)
            continue
        found[name] = _typed(value, meta, name)
    if len(found) < len(figures):
        known = [name for name, _, _ in _spec(made)]
        stray = [name for name in figures if name not in known]
        if stray:
            raise BadReading(f"A {kind} has no figure called {stray[0]}. It has: {', '.join(known)}.", stray[0])
    return made(**found)


def _typed(value: Any, meta: Any, name: str) -> Any:
    if "low" in meta:
        try:
            if meta["many"]:
                return tuple(float(v) for v in value)
            return float(value)
        except (TypeError, ValueError):
            raise BadReading(f"{meta['words']} must be a number, not {value!r}. Type digits only.", name) from None
    if "one_of" in meta:
        if value not in meta["one_of"]:
            raise BadReading(f"{meta['words']} is {value!r}. Choose one of: {', '.join(meta['one_of'])}.", name)
        return value
    return str(value).strip() if "length" in meta else bool(value)


def check_record(record: Record, chemistry: Chemistry, cells_count: int, rated_ah: float) -> None:
    """Raise `BadReading` or `MissingInput` if a record cannot be of a pack of this kind."""
    cells = getattr(record, "cell_v", None) or getattr(record, "cell_ohm", ())
    if cells and len(cells) != cells_count:
        where = "cell_ohm" if isinstance(record, ResistanceRead) else "cell_v"
        raise BadReading(f"{len(cells)} cells were given, this pack has {cells_count}. Give one figure for each cell.", where)
    if isinstance(record, LoadTested | Rested):
        _check_volts(record, chemistry, cells_count)
    elif isinstance(record, AlarmsSet):
        _check_alarms(record, chemistry, cells_count)
    elif isinstance(record, Charged):
        _check_charge(record, rated_ah)
    elif isinstance(record, CapacityMeasured):
        _check_put_back(record.capacity_ah, rated_ah, "capacity_ah")
    elif isinstance(record, Flown):
        _check_falls(record)
    elif isinstance(record, Read) and record.charge_frac is None and record.pack_c is None:
        raise MissingInput("Give the charge or the temperature that was read.", "charge_frac")
    elif isinstance(record, GroundedBy | ReleasedBy) and not record.words:
        raise MissingInput("Say why: whoever finds this pack tomorrow needs the reason.", "words")


def _check_put_back(put_back_ah: float, rated_ah: float, where: str) -> None:
    if put_back_ah > 1.15 * rated_ah:
        raise BadReading(
            f"{put_back_ah * 1000:.0f} mAh do not fit into a pack of {rated_ah * 1000:.0f} mAh. "
            "Check the reading, and that it is this pack.",
            where,
        )


def _check_charge(record: Charged, rated_ah: float) -> None:
    if record.to_frac is None and record.put_back_ah is None:
        raise MissingInput("Say to what charge it was brought, or how much was put back.", "to_frac")
    if record.put_back_ah is not None:
        _check_put_back(record.put_back_ah, rated_ah, "put_back_ah")
    if record.from_frac is not None and record.to_frac is not None and record.to_frac < record.from_frac:
        raise BadReading("A charge ends higher than it begins. Check both figures.", "to_frac")


def _check_falls(record: Flown) -> None:
    if record.from_frac is not None and record.to_frac is not None and record.to_frac >= record.from_frac:
        raise BadReading("A flight ends lower than it begins. Check both figures.", "to_frac")


def _check_alarms(record: AlarmsSet, chemistry: Chemistry, cells_count: int) -> None:
    for name, volts in (("first_v", record.first_v), ("second_v", record.second_v)):
        _check_total(volts, chemistry, cells_count, name)
    if record.second_v >= record.first_v:
        raise BadReading("Level 2 lies below level 1: it lands by itself. Check both levels.", "second_v")


def _check_volts(record: LoadTested | Rested, chemistry: Chemistry, cells_count: int) -> None:
    least = chemistry.least_v - 1.5 if isinstance(record, LoadTested) else 0.0
    for k, v in enumerate(record.cell_v):
        if not least <= v <= chemistry.full_v + 0.05:
            raise BadReading(
                f"Cell {k + 1} at {v:.2f} V cannot be: {chemistry.name} is full at {chemistry.full_v:.2f} V. Read it again.",
                f"cell_v.{k}",
            )
    if record.total_v is not None:
        _check_total(record.total_v, chemistry, cells_count, "total_v", least)
    if isinstance(record, Rested) and not record.cell_v and record.total_v is None:
        raise MissingInput("Give the volts of each cell, or of the whole pack.", "cell_v")


def _check_total(volts: float, chemistry: Chemistry, cells_count: int, where: str, least: float = 1.0) -> None:
    if not least <= volts / cells_count <= chemistry.full_v + 0.05:
        raise BadReading(
            f"{volts:g} V over {cells_count} cells in series is {volts / cells_count:.2f} V a cell: that cannot be for "
            f"{chemistry.name}, full at {chemistry.full_v:.2f} V. Check the reading and the number of cells.",
            where,
        )
