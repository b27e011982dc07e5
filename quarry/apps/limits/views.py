"""What screens show of limits, the weather window and preflight: one frozen shape for each thing."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Literal
from uuid import UUID

from quarry.apps.weather.views import HourWind, ReadingOut, SunOut, WeatherServiceOut

LevelName = Literal["organisation", "aircraft", "work", "job"]
WordName = Literal["go", "care", "no"]
State = Literal["open", "cleared", "overridden", "went on", "came back"]
EntryValue = bool | int | float | list[float] | None


@dataclass(frozen=True, slots=True, kw_only=True)
class LimitQuantity:
    """Something that can be limited; shown value = value × scale in unit."""

    key: str
    words: str
    unit: str
    scale: float
    decimals: int
    sides: Literal["most", "least", "both"]
    when: Literal["hour", "take-off"]
    how: str
    low: float
    high: float


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelOut:
    """A level of limits."""

    key: LevelName
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LimitRule:
    """A limit with its reason, and who set it when."""

    key: str
    least: float | None = None
    most: float | None = None
    why: str
    by: str = ""
    at: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class SheetOut:
    """The limits of a level; those of the maker are not kept here but with the model in the fleet."""

    id: str
    level: LevelName
    name: str
    rules: list[LimitRule]
    version: int
    kept: bool
    aircraft_model_id: UUID | None
    work: str
    job_id: UUID | None


@dataclass(frozen=True, slots=True, kw_only=True)
class LimitsPage:
    """All sheets and what can be limited."""

    quantities: list[LimitQuantity]
    levels: list[LevelOut]
    sheets: list[SheetOut]


@dataclass(frozen=True, slots=True, kw_only=True)
class SheetChange:
    """A change of a sheet."""

    at: str
    who: str
    before: list[LimitRule]
    after: list[LimitRule]


@dataclass(frozen=True, slots=True, kw_only=True)
class BoundOut:
    """One side of the strictest limit and whose it is."""

    value: float
    sheet: str
    level: LevelName
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class VerdictRow:
    """A limit judged."""

    key: str
    words: str
    verdict: WordName
    reason: str
    value: float | None
    origin: Literal["measured", "entered", "forecast", "computed"] | None
    least: BoundOut | None
    most: BoundOut | None
    margin: float | None
    whose: str
    may_override: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class LimitVerdict:
    """The worst of all rows; ``unknown``: a no for want of readings alone."""

    word: WordName
    words: str
    rows: list[VerdictRow]
    reasons: list[str]
    may_override: bool
    unknown: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class GateHour:
    """An hour of a weather window."""

    at: str
    verdict: LimitVerdict
    forecast: HourWind | None
    measured: list[HourWind]


@dataclass(frozen=True, slots=True, kw_only=True)
class GateSpan:
    """A stretch under one verdict, in seconds from its beginning."""

    start_s: float
    end_s: float
    word: WordName
    reasons: list[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class WindowOut:
    """A window."""

    from_at: dt.datetime
    to_at: dt.datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class LimitLine:
    """The strictest limit of a quantity."""

    key: str
    least: BoundOut | None
    most: BoundOut | None


@dataclass(frozen=True, slots=True, kw_only=True)
class GateOut:
    """The weather window of a date for a job; ``sun_offset_min`` is what local time lies behind UTC."""

    job_id: UUID
    job: str
    date: str
    time_zone: str
    begins: str
    height_m: float
    cover: str
    service: WeatherServiceOut
    hours: list[GateHour]
    spans: list[GateSpan]
    next: WindowOut | None
    limits: list[LimitLine]
    sun: SunOut
    sun_offset_min: float
    readings: list[ReadingOut]


@dataclass(frozen=True, slots=True)
class EntryOut:
    """An entry with who and when; ``record``: the key of the record of the pack that it was written into.

    ``answer`` and ``words``: a defect and what was seen, or not applicable and why.
    """

    value: EntryValue
    by: str
    at: str
    record: str = ""
    answer: Literal["", "defect", "not applicable"] = ""
    words: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckLine:
    """A check as it stands; ``because``: what of the weather has turned it on."""

    key: str
    words: str
    entry: Literal["tick", "number", "cells"]
    caution: str
    because: str
    follows: str
    likely: list[float]
    done: bool
    verdict: WordName
    reason: str
    answer: Literal["", "defect", "not applicable"]
    remark: str
    unit: str
    scale: float
    decimals: int
    least: BoundOut | None
    most: BoundOut | None


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckPart:
    """A part of a list."""

    part: Literal["day", "site", "take-off", "climb"]
    words: str
    lines: list[CheckLine]
    open: int


@dataclass(frozen=True, slots=True, kw_only=True)
class PreflightPack:
    """A pack of a list."""

    id: UUID
    name: str
    grounded: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class PeopleCold:
    """Wind chill, and after how long the crew should be relieved."""

    chill_c: float
    relief_s: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class OverrideOut:
    """An override as it was given."""

    name: str
    reason: str
    by: str
    at: str
    in_spite_of: list[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class PreflightBody:
    """What the judge says of a list, by parts."""

    word: WordName
    words: str
    parts: list[CheckPart]
    open_count: int
    reasons: list[str]
    hard: list[str]
    may_override: bool
    climb_word: WordName
    climb_words: str
    climb_open_count: int
    climb_reasons: list[str]
    weather: LimitVerdict | None


@dataclass(frozen=True, slots=True, kw_only=True)
class PreflightOut(PreflightBody):
    """A list with its verdict as it stands."""

    id: UUID
    version: int
    job_id: UUID
    job: str
    letter: str
    kind: Literal["mapping", "spraying", "search"]
    aircraft_id: UUID
    aircraft: str
    sortie: int
    on: str
    state: State
    override: OverrideOut | None
    closed_at: str | None
    entries: dict[str, EntryOut]
    cells: int
    packs: list[PreflightPack]
    hour: GateHour | None
    people: PeopleCold | None
    minutes: float | None
    power_up: list[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class PreflightLine:
    """A list in the list of lists."""

    id: UUID
    job: str
    label: str
    aircraft: str
    packs: list[str]
    on: str
    state: State
    word: WordName
    made_at: dt.datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class HourOfDay:
    """An hour of a job's weather window as a day keeps it, in seconds from the day's opening."""

    start_s: float
    word: WordName
    unknown: bool
    reasons: list[str]
    gust_m_s: float | None
    wind_m_s: float | None
    from_deg: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class WindowsOfDay:
    """The windows that limits leave of a day, in seconds from its opening, and what a day draws of them.

    ``charge_least_frac``: the least charge at which it may take off, where a limit says so.
    """

    windows: list[tuple[float, float]]
    limit_m_s: float | None
    height_m: float
    hours: list[HourOfDay]
    charge_least_frac: float | None
