"""A day that sprayed to its record: what it tells by itself, what people entered over it, and what is still open."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, timedelta
from typing import Any, cast

from shapely import Polygon, make_valid
from shapely.ops import unary_union

from quarry.apps.day.fields import moments_of
from quarry.apps.day.mappers import Reading, sprayed_by
from quarry.apps.day.models import Day
from quarry.apps.fleet.mappers import mix_item
from quarry.apps.fleet.models import Product
from quarry.apps.jobs.fields import JobFields, SprayingWork
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.views import JobPlan
from quarry.apps.spraying.fields import LoadFact, ProductFact, RecordFacts, WeatherFact
from quarry.apps.spraying.models import RecordEntry, SprayRecord
from quarry.apps.spraying.views import EntryLine, RecordFieldOut, RecordProductOut, SprayRecordOut
from quarry.core.air.damp import delta_t_k, wet_bulb_c
from quarry.core.base.errors import CoreError, MissingInput, OutOfRange
from quarry.core.day.alerts import planned_work
from quarry.core.day.measured import measures_of, weather_due
from quarry.core.spraying.mix import StockBatch, Taken, amount_per_ha, from_stock
from quarry.core.spraying.record import ASKED, Measure, MeasureDue, MeasureKind, record_lacks
from quarry.core.spraying.season import Treatment

_OVERLAP_FRAC = 0.05  # less of a field in common is the edge of a neighbour


@dataclass(frozen=True, slots=True)
class _Field:
    label: str
    unit: str = ""
    low: float | None = None
    high: float | None = None

    @property
    def numeric(self) -> bool:
        return self.low is not None


_FIELDS: dict[str, _Field] = {
    "crop": _Field("Crop"),
    "growth": _Field("Growth stage"),
    "fields": _Field("Field"),
    "operator": _Field("Operator"),
    "licence": _Field("Licence of the operator"),
    "aircraft": _Field("Aircraft"),
    "nozzle": _Field("Nozzle"),
    "droplets": _Field("Droplets"),
    "pressure_bar": _Field("Pressure", "bar", 0.0, 20.0),
    "height_m": _Field("Height above the crop", "m", 0.1, 60.0),
    "area_ha": _Field("Area treated", "ha", 0.0, 10_000.0),
    "litres": _Field("Litres sprayed", "L", 0.0, 1_000_000.0),
    "notes": _Field("Notes"),
}
FIELD_WORDS = {key: f.label for key, f in _FIELDS.items()}
_NEEDED = {key for key, _ in ASKED}
_LONGEST = 200


@dataclass(frozen=True, slots=True)
class _Read:
    """A figure of the weather: what it is called in a message and in a line, its unit where it is shown, and its range."""

    label: str
    said: str
    unit: str
    low: float
    high: float
    scale: float = 1.0


_WEATHER: dict[str, _Read] = {
    "wind_m_s": _Read("Wind", "wind", "m/s", 0.0, 80.0),
    "gust_m_s": _Read("Gust", "gust", "m/s", 0.0, 80.0),
    "from_deg": _Read("Wind direction", "from", "°", 0.0, 360.0),
    "air_c": _Read("Air temperature", "air", "°C", -60.0, 60.0),
    "humidity_frac": _Read("Humidity", "humidity", "%", 0.0, 1.0, 100.0),
}


@dataclass(frozen=True, slots=True)
class _Entry:
    """An entry of a field: what, by whom, when, and why."""

    value: str
    by: str
    at: datetime
    why: str


@dataclass(frozen=True, slots=True)
class Entered:
    """What stands in a record by its keys, the newest entry of each; ``order``: all of them as they were made."""

    values: Mapping[str, object] = field(default_factory=dict)
    order: Sequence[tuple[str, _Entry]] = ()


def with_entries(rows: Iterable[RecordEntry]) -> Entered:
    """Return the entries of a record, folded."""
    values: dict[str, object] = {}
    order: list[tuple[str, _Entry]] = []
    for row in rows:
        values[row.key] = row.value
        order.append((row.key, _Entry(_text(row.value), row.by.full_name or row.by.username, row.at, row.why)))
    return Entered(values, order)


def _text(value: Any) -> str:
    if isinstance(value, dict):
        return ", ".join(
            f"{w.said} {v * w.scale:.3g} {w.unit}".strip() for k, w in _WEATHER.items() if (v := value.get(k)) is not None
        )
    return f"{value:g}" if isinstance(value, float) else str(value)


def check_entry(key: str, value: Any, facts: RecordFacts) -> Any:
    """Return what is kept of an entry; raises `SprayError` at its key where it cannot be.

    Raises
    ------
    MissingInput
        The record has no such field.
    OutOfRange
        A number lies outside its range, or a text is too long.
    """
    if key.startswith("weather:"):
        if key not in {w.key for w in facts.weather}:
            raise MissingInput("The record asks for no weather at that time.", key)
        return _weather_entry(key, value)
    if key.startswith("batch:"):
        if key.removeprefix("batch:") not in {p.product_id for p in facts.products}:
            raise MissingInput("This product was not in the mix.", key)
        return _line(value, key, "Batch")
    if key.startswith("load:"):
        if key.removeprefix("load:") not in {x.sortie for x in facts.loads}:
            raise MissingInput("This sortie did not spray that day.", key)
        return _number(value, key, _Field("Litres of the load", "L", 0.0, 10_000.0))
    found = _FIELDS.get(key)
    if found is None:
        raise MissingInput("A record has no such field.", key)
    return _number(value, key, found) if found.numeric else _line(value, key, found.label)


def _line(value: Any, key: str, label: str) -> str:
    text = value.strip() if isinstance(value, str) else ""
    if len(text) > _LONGEST or not text.isprintable():
        raise OutOfRange(f"{label}: enter one line of at most {_LONGEST} characters.", key)
    return text


def _number(value: Any, key: str, f: _Field) -> float:
    try:
        number = float(value.replace(",", ".") if isinstance(value, str) else value)
    except (TypeError, ValueError) as bad:
        raise OutOfRange(f"{f.label} is not a number.", key) from bad
    if not (f.low or 0.0) <= number <= (f.high or 0.0):
        raise OutOfRange(f"{f.label} is {number:g} {f.unit}; enter {f.low:g} to {f.high:g}.", key)
    return number


def _weather_entry(key: str, value: Any) -> dict[str, float | None]:
    given = value if isinstance(value, dict) else {}
    found: dict[str, float | None] = {}
    for name, w in _WEATHER.items():
        number = given.get(name)
        if number is not None and (
            isinstance(number, bool) or not isinstance(number, int | float) or not w.low <= number <= w.high
        ):
            raise OutOfRange(f"{w.label}: enter a number from {w.low * w.scale:g} to {w.high * w.scale:g} {w.unit}.", key)
        found[name] = None if number is None else float(number)
    if all(v is None for v in found.values()):
        raise MissingInput("Enter what was measured.", key)
    return found


def facts_of(r: Reading, job: Job, f: JobFields, plan: JobPlan | None, products: Mapping[str, Product]) -> RecordFacts:
    """Return what a day tells of a job that it sprayed."""
    work = f.work if isinstance(f.work, SprayingWork) else SprayingWork()
    names = sprayed_by(r.kept, job.letter)
    begins = moments_of(r.run.day)[0]
    bar = plan.figure("pressure_bar") if plan is not None else None
    rotary = work.nozzle_kind == "rotary"
    kind = f"size {work.nozzle_size}" if work.nozzle_size and not rotary else ""
    nozzle = ", ".join(x for x in (work.nozzle, kind, f"{work.nozzles_count:g} of them" if work.nozzle or kind else "") if x)
    rates = {a.rate_l_ha for a in f.taken if a.rate_l_ha is not None}
    return RecordFacts(
        job=job.name,
        letter=job.letter,
        place=job.place,
        fields=", ".join(a.name for a in f.taken if a.name) or job.name,
        crop=f.mix.crop,
        rate_l_ha=work.rate_l_ha,
        height_m=work.height_m,
        nozzle=nozzle,
        droplets=work.droplets,
        pressure_bar=bar,
        swath_m=work.swath_m,
        loads=_loads(r, names, begins, work.rate_l_ha if rates <= {work.rate_l_ha} else None),
        weather=_weather(r, names, begins),
        products=_products(f, work, products),
        kept_clear=_kept_clear(f, plan),
    )


def _kept_clear(f: JobFields, plan: JobPlan | None) -> list[str]:
    """Return what was kept clear of each sensitive place by the plan; of those that asked for nothing in its wind, that too."""
    kept = {k.name: f"{k.name}: {k.why}" for k in plan.kept} if plan is not None else {}
    wind = f"the wind planned with, from {f.wind.from_deg:.0f}°, does not blow towards it from the field"
    names = [s.name or f"sensitive place {k}" for k, s in enumerate(f.site.sensitive, start=1)]
    return [kept.get(n, f"{n}: {wind}") for n in names]


def _loads(r: Reading, names: Sequence[str], opens: datetime, rate_l_ha: float | None) -> list[LoadFact]:
    """Return the sorties that sprayed; ``rate_l_ha``: that of all areas, None where they differ."""
    found = []
    aircraft = {a.id: a.name for a in r.kept.aircraft}
    who = {e.get("flight"): e.who for e in r.events if e.kind == "launched"}
    for s in r.state.flights.values():
        route = r.kept.routes.get(s.id.rstrip("+"))
        if s.id.rstrip("+") not in names or s.word != "landed" or route is None:
            continue
        planned = planned_work(r.frame, r.state, s.id)
        flown = planned * s.done_frac
        share = flown / route.work if route.work else 0.0
        found.append(
            LoadFact(
                s.id,
                _at(opens, s.takeoff_s),
                _at(opens, s.landing_s),
                s.work if s.work is not None else flown,
                s.work is not None,
                # Where all gets one rate the ground is lines times swath, as the pump dosed it.
                flown / rate_l_ha if rate_l_ha is not None else route.area_ha * share,
                aircraft.get(s.aircraft, ""),
                who.get(s.id, ""),
            )
        )
    return sorted(found, key=lambda x: x.from_at)


def _at(opens: datetime, seconds: float) -> str:
    return (opens.astimezone(UTC) + timedelta(seconds=seconds)).isoformat(timespec="seconds")


def _weather(r: Reading, names: Sequence[str], opens: datetime) -> list[WeatherFact]:
    found: list[WeatherFact] = []
    # What a record lacks is asked before the day closes: also its end, while sorties are still planned.
    for d in weather_due(r.state, names, measures_of(r.events), r.now_s, closing=True):
        m = d.taken or Measure(0.0)
        fact = WeatherFact(
            f"weather:{d.kind}:{d.at_s:.0f}",
            d.words,
            _at(opens, d.at_s),
            None if d.taken is None else _at(opens, m.at_s),
            m.wind_m_s,
            m.gust_m_s,
            m.from_deg,
            m.air_c,
            m.humidity_frac,
            None,
            m.who,
        )
        found.append(_with_delta_t(fact))
    return found


def _with_delta_t(w: WeatherFact) -> WeatherFact:
    if w.air_c is None or w.humidity_frac is None:
        return w
    try:
        return replace(w, delta_t_k=delta_t_k(w.air_c, wet_bulb_c(w.air_c, w.humidity_frac)))
    except CoreError:
        return w


def _products(f: JobFields, work: SprayingWork, products: Mapping[str, Product]) -> list[ProductFact]:
    found = []
    for item in f.mix.items:
        row = products.get(item.product_id)
        if row is not None:
            made = mix_item(row, item.rate_amount, item.basis)
            found.append(ProductFact(str(row.pk), row.name, row.registration, made.unit, amount_per_ha(made, work.rate_l_ha)))
    return found


def _entered_over(facts: RecordFacts, entered: Entered) -> RecordFacts:
    """Return facts with the loads and the weather that people entered over them."""
    loads = []
    for x in facts.loads:
        given = entered.values.get(f"load:{x.sortie}")
        loads.append(replace(x, litres=float(given), counted=True) if isinstance(given, int | float) else x)
    weather = []
    for w in facts.weather:
        given = entered.values.get(w.key)
        if isinstance(given, dict):
            last = next(e for key, e in reversed(entered.order) if key == w.key)
            known = {k: v for k, v in given.items() if v is not None}
            w = _with_delta_t(replace(w, **known, taken_at=w.taken_at or w.due_at, who=f"{last.by}, entered afterwards"))  # noqa: PLW2901
        weather.append(w)
    return replace(facts, loads=loads, weather=weather)


def operators_of(facts: RecordFacts) -> str:
    """Return who flew the loads, each once."""
    return ", ".join(dict.fromkeys(x.who for x in facts.loads if x.who))


def _values(facts: RecordFacts, entered: Entered) -> dict[str, Any]:
    """Return what stands in each field: what was entered, else what the day told."""
    craft = list(dict.fromkeys(x.aircraft for x in facts.loads if x.aircraft))
    own: dict[str, Any] = {
        "crop": facts.crop,
        "growth": "",
        "fields": facts.fields,
        "operator": operators_of(facts),
        "licence": facts.licence,
        "aircraft": ", ".join(craft),
        "nozzle": facts.nozzle,
        "droplets": facts.droplets,
        "pressure_bar": facts.pressure_bar,
        "height_m": facts.height_m,
        "area_ha": facts.area_ha,
        "litres": facts.litres,
        "notes": "",
    }
    return own | {k: v for k, v in entered.values.items() if k in own}


def lacks_of(facts: RecordFacts, entered: Entered) -> list[str]:
    """Return what a record lacks, in words."""
    over = _entered_over(facts, entered)
    unbatched = [p.name for p in over.products if not entered.values.get(f"batch:{p.product_id}")]
    due = [_due(w) for w in over.weather]
    return record_lacks(_values(over, entered), unbatched, not over.products, due)


def _due(w: WeatherFact) -> MeasureDue:
    taken = None if w.taken_at is None else Measure(0.0, w.wind_m_s, w.gust_m_s, w.from_deg, w.air_c, w.humidity_frac)
    return MeasureDue(cast(MeasureKind, w.key.split(":")[1]), 0.0, taken, due=False, missed=taken is None)


def record_out(
    row: SprayRecord | None,
    job: Job,
    day: Day,
    facts: RecordFacts,
    entered: Entered,
    batches: Mapping[str, list[str]],
    choices: Mapping[str, list[str]],
) -> SprayRecordOut:
    """Return a record as it stands.

    ``batches``: by id of the product the names in the store; ``choices``: what was entered before, by field.
    """
    over = _entered_over(facts, entered)
    values = _values(over, entered)
    area, litres = (float(values.get(key, 0.0)) for key in ("area_ha", "litres"))
    return SprayRecordOut(
        number=row.number if row is not None else 0,
        job_id=job.pk,
        day_id=day.pk,
        job=over.job,
        letter=over.letter,
        day=day.name,
        date=day.date.isoformat(),
        time_zone=day.time_zone,
        place=over.place,
        closed_at=row.closed_at if row is not None else None,
        without=row.without if row is not None else "",
        area_ha=area,
        litres=litres,
        litres_counted=all(x.counted for x in over.loads),
        rate_l_ha=over.rate_l_ha,
        swath_m=over.swath_m,
        fields=[
            RecordFieldOut(
                key,
                f.label,
                _shown(values[key]),
                f.unit,
                key in _NEEDED,
                list(choices.get(key, [])),
            )
            for key, f in _FIELDS.items()
        ],
        loads=over.loads,
        weather=over.weather,
        products=[
            RecordProductOut(
                p.product_id,
                p.name,
                p.registration,
                p.unit,
                p.per_ha_amount,
                p.per_ha_amount * litres / over.rate_l_ha,
                str(entered.values.get(f"batch:{p.product_id}", "")),
                f"batch:{p.product_id}",
                batches.get(p.product_id, []),
                _unknown(str(entered.values.get(f"batch:{p.product_id}", "")), batches.get(p.product_id, [])),
            )
            for p in over.products
        ],
        kept_clear=over.kept_clear,
        lacks=lacks_of(facts, entered),
        entries=_lines(facts, entered),
    )


def _unknown(batch: str, known: Sequence[str]) -> list[str]:
    """Return the batches that are entered and that the store does not know; none where it holds nothing of the product at all."""
    return [b for b in batches_of(batch) if b not in known] if known else []


def batches_of(text: str) -> list[str]:
    """Return the batches that an entry names, apart by commas."""
    return [b.strip() for b in text.split(",") if b.strip()]


def _lines(facts: RecordFacts, entered: Entered) -> list[EntryLine]:
    """Return every entry with what stood there before it: the first stays to be read, also where the day told it."""
    stood = {key: _shown(v) for key, v in _values(facts, Entered()).items()}
    stood |= {f"load:{x.sortie}": f"{x.litres:.1f}{'' if x.counted else ' by the plan'}" for x in facts.loads}
    stood |= {w.key: _text({k: getattr(w, k) for k in _WEATHER}) for w in facts.weather}
    names = {f"batch:{p.product_id}": f"Batch of {p.name}" for p in facts.products}
    names |= {f"load:{x.sortie}": f"Litres of {x.sortie}" for x in facts.loads}
    names |= {w.key: f"Weather {w.words}" for w in facts.weather}
    found = []
    for key, e in entered.order:
        found.append(EntryLine(names.get(key) or FIELD_WORDS.get(key, key), stood.get(key, ""), e.value, e.by, e.at, e.why))
        stood[key] = e.value
    return found


def _shown(value: Any) -> str:
    if value is None:
        return ""
    return (
        f"{value:.3g}"
        if isinstance(value, float) and value < 10
        else (f"{value:.5g}" if isinstance(value, float) else str(value))
    )


def taken_from(batch: str, amount: float, stock: Sequence[StockBatch], on: date) -> list[Taken]:
    """Return what a record takes of the batches that it names, apart by commas; the last named takes what the others do not hold."""
    named = batches_of(batch)
    held = [b for b in stock if b.name in named]
    if not held:
        return []
    # A batch that was sprayed was sprayed, expired or not, whatever the store says is left of it.
    found = from_stock(amount, [replace(b, expires_day=None) for b in held], on.toordinal())
    taken = list(found.taken)
    if found.short_amount:
        taken.append(Taken(held[-1].name, found.short_amount))
    return taken


def treatments_of(
    ground: Sequence[Sequence[tuple[float, float]]], others: Iterable[tuple[SprayRecord, RecordFacts]]
) -> list[Treatment]:
    """Return what a piece of ground already got, by closed records of ground that lies over it; places in degrees."""
    mine = _joined(ground)
    found = []
    for row, facts in others:
        theirs = _joined(row.ground)
        least = min(mine.area, theirs.area)
        if least <= 0 or mine.intersection(theirs).area < _OVERLAP_FRAC * least or row.began_at is None:
            continue
        on = row.began_at.toordinal()
        found += [Treatment(on, p.product_id, p.per_ha_amount, facts.fields) for p in facts.products]
    return found


def _joined(rings: Sequence[Sequence[tuple[float, float]]]) -> Any:
    return unary_union([make_valid(Polygon(r)) for r in rings if len(r) > 2])
