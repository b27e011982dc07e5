"""Everything a day is planned from, as records."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Literal

from quarry.core.air.low_sun import LowSunPolicy
from quarry.core.cells.chemistry import Chemistry
from quarry.core.dayplan.hours import DayHours, Windows
from quarry.core.dayplan.pins import Pin
from quarry.core.power.charging import ChargeLaw, ChargerRange
from quarry.core.power.outlets import Drawn, Outlet
from quarry.core.rotation.model import Mode
from quarry.core.rotation.people import PeopleLimits
from quarry.core.rotation.scatter import LearnedScatter, PromiseKept

if TYPE_CHECKING:
    from datetime import date

Place = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Methods:
    """How a day is planned.

    ``packs``: only full packs fly, or each is charged to what its next sortie needs. ``rates``: the slowest that makes
    nobody wait, or never faster than the gentlest. ``aim``: the earliest last landing, or the earliest kept nine days in ten.
    """

    packs: Literal["full", "need"] = "full"
    rates: Literal["any", "gentle"] = "any"
    aim: Literal["finish", "sure"] = "finish"


@dataclass(frozen=True, slots=True)
class SortieFigures:
    """What a plan knows of a sortie beyond its times, from the plan of its job.

    ``rings``: for falling charges how far out home is still reached. [share, m]
    """

    job: str
    letter: str
    number: int
    landing_frac: float
    reserve_frac: float
    floor_v: float
    fixed_s: float = 0.0
    settles_c: float = 25.0
    rings: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True, slots=True)
class Route:
    """Where a sortie works: home and the lines in order as (longitude, latitude) [°], and what it is to bring or spread.

    ``work``: images or litres of the whole sortie; ``what`` says which, empty where nothing is counted; ``area_ha`` that
    it covers.
    """

    home: tuple[float, float]
    lines: tuple[tuple[tuple[float, float], ...], ...]
    work: float = 0.0
    what: str = ""
    area_ha: float = 0.0


@dataclass(frozen=True, slots=True)
class SortieInput:
    """A sortie as the plan of its job cut it; ``worked``: its stretches on lines, in degrees. ``set``: whom it was cut for.

    ``leaves_at``: where its way home begins, which takes ``home_s``.
    """

    number: int
    time_s: float
    fixed_s: float
    energy_wh: float
    energy_frac: float
    landing_frac: float
    turn_back_s: float
    set: str
    worked: tuple[tuple[Place, Place], ...]
    worked_m: float
    begins_at: Place
    leaves_at: Place | None = None
    home_s: float = 0.0


@dataclass(frozen=True, slots=True)
class SetInput:
    """What a set can give a job today, by its name; an empty name stands for a new one."""

    name: str
    usable_wh: float
    energy_wh: float
    floor_v: float
    settles_c: float


@dataclass(frozen=True, slots=True)
class AircraftInput:
    """An aircraft of the day: its model, and what it flies on."""

    id: str
    name: str
    model: str
    pack_model: str
    packs_count: int

    @property
    def kind(self) -> str:
        """The type of set that it flies: the pack model and how many."""
        return f"{self.pack_model}/{self.packs_count}"


@dataclass(frozen=True, slots=True)
class JobInput:
    """A job of the day with its plan and what limits leave of its hours.

    ``windows``: in seconds from the day's opening, None where nothing limits it. ``weather_unknown``: of no hour anything is
    known. ``fill_s``: what mixing and filling one load takes. ``work``: how many of ``what`` the whole job is to bring or spread; ``spacing_m`` between its lines.
    """

    id: str
    name: str
    letter: str
    home: Place | None
    aircraft: AircraftInput
    sorties: tuple[SortieInput, ...]
    sets: tuple[SetInput, ...]
    sets_out: dict[str, str]
    sets_assumed: bool
    reserve_frac: float
    air_c: float
    wind_assumed: bool
    spacing_m: float
    work: float
    what: str
    windows: Windows | None
    charge_least_frac: float
    weather_unknown: bool
    rings: tuple[tuple[float, float], ...] = ()
    fill_s: float = 0.0


@dataclass(frozen=True, slots=True)
class PackInput:
    """A pack of the day as it stands; ``mates`` names the set that it flies with; ``slowness`` multiplies its charge time."""

    id: str
    name: str
    model: str
    model_name: str
    chemistry: Chemistry
    cells: int
    mates: str
    start_frac: float
    capacity_wh: float
    law: ChargeLaw
    balance_s: float
    slowness: float = 1.0
    slowness_words: str = ""
    grounded: bool = False
    grounded_why: str = ""


@dataclass(frozen=True, slots=True)
class ChargerInput:
    """A charger of the day: its ports and rates, what it takes, and what its outlet sees."""

    id: str
    name: str
    model_name: str
    ports: int
    modes: tuple[Mode, ...]
    cap_w: float | None
    takes: ChargerRange
    drawn: Drawn


@dataclass(frozen=True, slots=True)
class SupplyInput:
    """A supply of the day; its outlets where they are known."""

    name: str
    rated_w: float
    headroom_frac: float
    generator: bool
    fuel: str
    tank_l: float | None
    outlets: tuple[Outlet, ...]


@dataclass(frozen=True, slots=True)
class Learned:
    """What a company has set or learnt: spread of times and how its forecasts were kept, limits of people, what its swaps took; and in words what was learnt."""

    scatter: LearnedScatter = field(default_factory=LearnedScatter)
    promise: PromiseKept = field(default_factory=PromiseKept)
    people: PeopleLimits = field(default_factory=PeopleLimits)
    swap_ratio: float = 1.0
    refuel_min: float = 10.0
    words: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class SunOfDay:
    """The date of a day for the sun: what local time is ahead of UTC, and from when a low sun blinds."""

    day: date
    utc_offset_min: float
    policy: LowSunPolicy = field(default_factory=LowSunPolicy)


@dataclass(frozen=True, slots=True, kw_only=True)
class DayInputs:
    """A day: its hours, times and place, and all that takes part; ``crews``: ids of the aircraft that each of them flies."""

    hours: DayHours
    swap_s: float
    rest_after_flight_s: float
    rest_after_charge_s: float
    bench_c: float
    elevation_m: float
    methods: Methods
    pins: tuple[Pin, ...]
    jobs: tuple[JobInput, ...]
    packs: tuple[PackInput, ...]
    chargers: tuple[ChargerInput, ...]
    supplies: tuple[SupplyInput, ...]
    learned: Learned
    sun: SunOfDay | None = None
    crews: tuple[tuple[str, ...], ...] = ()
