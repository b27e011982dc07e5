"""Limits, the gate, preflight."""

from __future__ import annotations

from datetime import date
from typing import Literal
from uuid import UUID

from ninja import Schema
from pydantic import Field

from quarry.api.schemas.base import In
from quarry.api.schemas.weather import DeskOut, ReadingOut

LevelName = Literal["organisation", "aircraft", "work", "job"]
WordName = Literal["go", "care", "no"]


class LimitQuantity(Schema):
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


class LevelOut(Schema):
    """A level of limits."""

    key: LevelName
    words: str


class LimitRule(Schema):
    """A limit with its reason, and who set it when."""

    key: str
    least: float | None
    most: float | None
    why: str
    by: str = ""
    at: str = ""


class SheetOut(Schema):
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


class LimitsPage(Schema):
    """All sheets and what can be limited."""

    quantities: list[LimitQuantity]
    levels: list[LevelOut]
    sheets: list[SheetOut]


class LimitRuleIn(In):
    """A limit in SI with its reason."""

    key: str = Field(max_length=40)
    least: float | None = None
    most: float | None = None
    why: str = Field(default="", max_length=300)


class SheetIn(In):
    """The limits of a level as they stand on the screen; version 0 for a new sheet."""

    level: LevelName
    aircraft_model_id: UUID | None = None
    work: str = Field(default="", max_length=10)
    job_id: UUID | None = None
    version: int
    rules: list[LimitRuleIn] = Field(max_length=60)


class SheetChange(Schema):
    """A change of a sheet."""

    at: str
    who: str
    before: list[LimitRule]
    after: list[LimitRule]


class BoundOut(Schema):
    """One side of the strictest limit and whose it is."""

    value: float
    sheet: str
    level: LevelName
    why: str


class VerdictRow(Schema):
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


class LimitVerdict(Schema):
    """The worst of all rows; ``unknown``: a no for want of readings alone."""

    word: WordName
    words: str
    rows: list[VerdictRow]
    reasons: list[str]
    may_override: bool
    unknown: bool


class HourWind(Schema):
    """Wind and air of an hour on one word, at flying height."""

    wind_m_s: float | None
    gust_m_s: float | None
    gust_assumed: bool
    from_deg: float | None
    air_c: float | None
    dew_point_c: float | None
    words: str
    age_s: float | None = None


class GateHour(Schema):
    """An hour of the gate."""

    at: str
    verdict: LimitVerdict
    forecast: HourWind | None
    measured: list[HourWind]


class GateSpan(Schema):
    """A stretch under one verdict, in seconds from the gate's beginning."""

    start_s: float
    end_s: float
    word: WordName
    reasons: list[str]


class WindowOut(Schema):
    """A window."""

    from_at: str
    to_at: str


class LimitLine(Schema):
    """The strictest limit of a quantity."""

    key: str
    least: BoundOut | None
    most: BoundOut | None


class SunOut(Schema):
    """The sun of the date, in minutes from 00:00 UTC; None where it does not cross that line."""

    dawn: float | None
    sunrise: float | None
    noon: float
    sunset: float | None
    dusk: float | None


class GateOut(Schema):
    """The gate of a date for a job; ``sun_offset_min`` is what local time lies behind UTC."""

    job_id: UUID
    job: str
    date: str
    time_zone: str
    begins: str
    height_m: float
    cover: str
    desk: DeskOut
    hours: list[GateHour]
    spans: list[GateSpan]
    next: WindowOut | None
    limits: list[LimitLine]
    sun: SunOut
    sun_offset_min: float
    readings: list[ReadingOut]


class PreflightStart(In):
    """What a list is begun for; the key is made by the sender."""

    key: UUID | None = None
    job_id: UUID
    aircraft_id: UUID | None = None
    pack_ids: list[UUID] = Field(max_length=8)
    sortie: int = Field(default=1, ge=1, le=500)
    on: date | None = None


class EntriesIn(In):
    """Entries of a list by key: a tick, a number in SI, volts of all cells; null opens a check again."""

    entries: dict[str, bool | float | list[float] | None] = Field(max_length=40)


class OverrideIn(In):
    """Who overrides a no go, and why."""

    name: str = Field(max_length=120)
    reason: str = Field(max_length=500)


class ClimbIn(In):
    """Whether the sortie goes on after the first climb and hover."""

    go_on: bool


class EntryOut(Schema):
    """An entry with who and when."""

    value: bool | float | list[float] | None
    by: str
    at: str


class CheckLine(Schema):
    """A check as it stands."""

    key: str
    words: str
    entry: Literal["tick", "number", "cells"]
    caution: str
    done: bool
    verdict: WordName
    reason: str
    unit: str
    scale: float
    decimals: int
    least: BoundOut | None
    most: BoundOut | None


class CheckPart(Schema):
    """A part of a list."""

    part: Literal["day", "site", "take-off", "climb"]
    words: str
    lines: list[CheckLine]
    open: int


class PreflightPack(Schema):
    """A pack of a list."""

    id: UUID
    name: str
    grounded: bool


class PeopleCold(Schema):
    """Wind chill, and after how long the crew should be relieved."""

    chill_c: float
    relief_s: float | None


class OverrideOut(Schema):
    """An override as it was given."""

    name: str
    reason: str
    by: str
    at: str
    in_spite_of: list[str]


class PreflightOut(Schema):
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
    state: Literal["open", "cleared", "overridden", "went on", "came back"]
    override: OverrideOut | None
    closed_at: str | None
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
    entries: dict[str, EntryOut]
    cells: int
    packs: list[PreflightPack]
    hour: GateHour | None
    people: PeopleCold | None
    minutes: float | None
    power_up: list[str]


class PreflightLine(Schema):
    """A list in the list of lists."""

    id: UUID
    job: str
    label: str
    aircraft: str
    packs: list[str]
    on: str
    state: Literal["open", "cleared", "overridden", "went on", "came back"]
    word: WordName
    made_at: str
