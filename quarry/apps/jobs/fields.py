"""What people enter of a job, read from its JSON fields: each with its default, one typed shape for each kind of work."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal, TypeVar, cast

from pydantic import TypeAdapter, ValidationError

from quarry.apps.jobs.models import Job
from quarry.core.base.errors import MissingInput
from quarry.core.base.shapes import plain
from quarry.core.defaults import AIR, CLEARANCE, FLOOR, LANDING, OVERLAP, PAYLOAD, SPARE, WIND_FROM, WIND_HEIGHT, WIND_SPEED
from quarry.core.ground.search import DetectionLaw

Place = tuple[float, float]
Kind = Literal["mapping", "spraying", "search"]
T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class AreaFields:
    """One area of a job: a ring, or the line of a corridor with its width; ``bearing_deg`` of its own lines, or None.

    ``rate_l_ha``: sprayed on it instead of the job's own rate, or None.
    """

    ring: list[Place]
    name: str = ""
    left_out: bool = False
    bearing_deg: float | None = None
    corridor_m: float | None = None
    rate_l_ha: float | None = None


@dataclass(frozen=True, slots=True)
class KeepOutFields:
    """A piece that is not worked."""

    ring: list[Place]
    crossing: Literal["never", "unworked"] = "never"
    margin_m: float = 0.0
    name: str = ""


@dataclass(frozen=True, slots=True)
class MappingWork:
    """What a mapping job asks for."""

    height_m: float = 80.0
    side_overlap_frac: float = 0.7
    forward_overlap_frac: float = 0.8
    speed_m_s: float = 9.0
    exposure_s: float = 0.001
    tolerance_m: float = 5.0


@dataclass(frozen=True, slots=True)
class SprayingWork:
    """What a spraying job asks for; ``nozzle_size`` of ISO 10625, empty where none is entered, between two pressures. [bar]

    Rotary atomisers have two flows of one instead. [L/min] ``nozzle``: its name in the fleet, ``droplets`` its class, as entered.
    """

    rate_l_ha: float = 15.0
    swath_m: float = 5.0
    tank_l: float = 16.0
    speed_m_s: float = 5.0
    height_m: float = 3.0
    tolerance_m: float = 1.5
    nozzle_size: str = ""
    nozzles_count: float = 4.0
    least_bar: float = 1.5
    most_bar: float = 5.0
    nozzle: str = ""
    nozzle_kind: Literal["hydraulic", "rotary"] = "hydraulic"
    least_l_min: float = 0.1
    most_l_min: float = 1.0
    droplets: str = ""


@dataclass(frozen=True, slots=True)
class SearchWork:
    """What a search asks for; ``pattern``: how its lines lie, see the core's `patterns`."""

    sweep_width_m: float = 60.0
    coverage: float = 1.0
    law: DetectionLaw = "random"
    speed_m_s: float = 9.0
    height_m: float = 60.0
    tolerance_m: float = 8.0
    pattern: Literal["parallel", "creeping", "square", "sector", "contour"] = "parallel"


Work = MappingWork | SprayingWork | SearchWork


@dataclass(frozen=True, slots=True)
class PassFields:
    """A further pass over the ground of a mapping job: its lines turned from the first ones, the camera tilted ahead. [°]"""

    turn_deg: float = 90.0
    tilt_deg: float = 0.0
    name: str = ""


@dataclass(frozen=True, slots=True)
class LineFields:
    """How lines are laid; a bearing of None takes the best. ``in_order``: areas one after the other as they are listed.

    ``passes``: further ones over the same ground. ``raised``: each line is flown as much higher, in steps, as the ground beside it asks.
    """

    ends: Literal["cover", "clip"] = "cover"
    bearing_deg: float | None = None
    in_order: bool = False
    passes: list[PassFields] = field(default_factory=list)
    raised: bool = False


@dataclass(frozen=True, slots=True)
class SortieFields:
    """How the route is cut; ``home_fast``: the way home is flown in the aircraft's fast mode."""

    landing_frac: float = LANDING.value
    floor_frac: float = FLOOR.value
    reserve_method: Literal["rated", "measured"] = "rated"
    breaks: Literal["anywhere", "line_ends"] = "anywhere"
    overlap_m: float = OVERLAP.value
    keep_spare_s: float = SPARE.value
    cut_for: Literal["weakest", "each"] = "each"
    return_m: float | None = None
    clearance_m: float = CLEARANCE.value
    load_kg: float = PAYLOAD.value
    home_fast: bool = False


@dataclass(frozen=True, slots=True)
class WindFields:
    """The wind and air planned with, and where they come from."""

    speed_m_s: float = WIND_SPEED.value
    from_deg: float = WIND_FROM.value
    height_m: float = WIND_HEIGHT.value
    assumed: bool = True
    origin: Literal["assumed", "entered", "forecast", "measured"] = "assumed"
    words: str = ""
    at: str | None = None
    cover: Literal["water", "grass", "crops", "hedges", "wood"] = "grass"
    gust_m_s: float | None = None
    air_c: float = AIR.value
    density_kg_m3: float | None = None
    into_m_s: float | None = None
    with_m_s: float | None = None


@dataclass(frozen=True, slots=True)
class ObstacleFields:
    """A mast, tree or house on a way home, as a circle with its top above the ground."""

    at: Place
    radius_m: float
    top_m: float
    name: str = ""


@dataclass(frozen=True, slots=True)
class NamedPlace:
    """A named place."""

    at: Place
    name: str = ""


@dataclass(frozen=True, slots=True)
class ControlFields:
    """A point on the ground that ties pictures to it, or is held back as a check; its height as surveyed, where it is."""

    at: Place
    name: str = ""
    check: bool = False
    height_m: float | None = None
    why: str = ""


@dataclass(frozen=True, slots=True)
class StructureFields:
    """A mound, building or tower that is photographed from around; see the core's `Structure`."""

    ring: list[Place]
    how: Literal["rings", "walls"] = "rings"
    top_m: float = 10.0
    stand_off_m: float = 20.0
    low_m: float = 15.0
    high_m: float = 15.0
    speed_m_s: float = 3.0
    name: str = ""
    facing_deg: float | None = None


@dataclass(frozen=True, slots=True)
class SensitiveFields:
    """Water, houses, a path, hives: what a spraying job stays off, always or where the wind blows towards it.

    ``table``: winds rising and the distance up to each, in place of ``distance_m``. [m/s, m]
    """

    ring: list[Place]
    closed: bool = False
    name: str = ""
    rule: Literal["always", "wind"] = "wind"
    distance_m: float = 20.0
    within_deg: float = 45.0
    table: list[tuple[float, float]] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class SiteFields:
    """What stands around: obstacles, fallback landing places, other homes, and where home may lie; ground control in walking order.

    ``correction``: how positions in flight are corrected; ``receiver``: by which base or network, in words; ``base_m``: how far
    away it is. ``structures``: what a mapping job photographs from around. ``sensitive``: what a spraying job stays off.
    ``datum``: the place that the pattern of a search starts from, None in the middle of its ground.
    """

    obstacles: list[ObstacleFields] = field(default_factory=list)
    fallbacks: list[NamedPlace] = field(default_factory=list)
    homes: list[NamedPlace] = field(default_factory=list)
    home_area: list[Place] = field(default_factory=list)
    control: list[ControlFields] = field(default_factory=list)
    receiver: str = ""
    correction: Literal["none", "base", "network"] = "none"
    base_m: float | None = None
    structures: list[StructureFields] = field(default_factory=list)
    sensitive: list[SensitiveFields] = field(default_factory=list)
    datum: Place | None = None


@dataclass(frozen=True, slots=True)
class MixItemFields:
    """A product in a mix; ``rate_amount`` None takes the rate and the basis of its label."""

    product_id: str
    rate_amount: float | None = None
    basis: Literal["ha", "100_l"] = "ha"


@dataclass(frozen=True, slots=True)
class MixFields:
    """What is sprayed on which crop, products in the order in which they are filled, and how it is mixed.

    ``harvest_on``: an ISO date, empty where it is not known. ``fill_s``: what mixing and filling one load takes.
    """

    crop: str = ""
    harvest_on: str = ""
    items: list[MixItemFields] = field(default_factory=list)
    vessel: bool = False
    vessel_l: float = 100.0
    evened: bool = True
    lines_l: float = 0.0
    fill_s: float = 180.0


@dataclass(frozen=True, slots=True, kw_only=True)
class JobFields:
    """Everything of a job that people enter, but for its name and what flies it."""

    kind: Kind
    areas: list[AreaFields]
    keep_outs: list[KeepOutFields]
    home: Place | None
    work: Work
    lines: LineFields
    sorties: SortieFields
    wind: WindFields
    site: SiteFields
    mix: MixFields = field(default_factory=MixFields)

    @property
    def taken(self) -> list[AreaFields]:
        """The areas that are not left out and hold places."""
        return [a for a in self.areas if not a.left_out and a.ring]

    @property
    def place(self) -> Place | None:
        """Home, or where there is none a corner of an area: the weather is asked for there."""
        return self.home or next((a.ring[0] for a in self.areas if a.ring), None)


_WORK: dict[str, TypeAdapter[Work]] = {
    "mapping": TypeAdapter(MappingWork),
    "spraying": TypeAdapter(SprayingWork),
    "search": TypeAdapter(SearchWork),
}
_AREAS: TypeAdapter[list[AreaFields]] = TypeAdapter(list[AreaFields])
_KEEP_OUTS: TypeAdapter[list[KeepOutFields]] = TypeAdapter(list[KeepOutFields])
_HOME: TypeAdapter[Place | None] = TypeAdapter(Place | None)
_LINES = TypeAdapter(LineFields)
_SORTIES = TypeAdapter(SortieFields)
_WIND = TypeAdapter(WindFields)
_SITE = TypeAdapter(SiteFields)
_MIX = TypeAdapter(MixFields)
_WORK_DEFAULTS = {
    "mapping": plain(MappingWork()),
    "spraying": plain(SprayingWork()),
    "search": plain(SearchWork()),
}
_AREA_DEFAULTS = plain(AreaFields([]))
SORTIE_DEFAULTS = plain(SortieFields())
_OTHER_DEFAULTS = {
    "lines": plain(LineFields()),
    "sorties": SORTIE_DEFAULTS,
    "wind": plain(WindFields()),
    "site": plain(SiteFields()),
    "mix": plain(MixFields()),
}


def with_defaults(job: Job) -> None:
    """Fill in what a job leaves open; figures that do not belong to its kind of work are dropped."""
    job.areas = [{**_AREA_DEFAULTS, **area} for area in job.areas]
    own = _WORK_DEFAULTS[job.kind]
    job.work = {**own, **{k: v for k, v in job.work.items() if k in own}}
    for name, defaults in _OTHER_DEFAULTS.items():
        setattr(job, name, {**defaults, **getattr(job, name)})
    origin, assumed = job.wind.get("origin"), bool(job.wind.get("assumed"))
    if origin == "assumed" and not assumed:
        origin = "entered"
    job.wind = {**job.wind, "origin": origin, "assumed": assumed and origin == "assumed"}


def fields_of(job: Job) -> JobFields:
    """Return what people entered of a job, typed.

    Raises
    ------
    MissingInput
        A figure is not of its kind; at its field.
    """
    with_defaults(job)
    return JobFields(
        kind=cast(Kind, job.kind),
        areas=_read(_AREAS, job.areas, "areas"),
        keep_outs=_read(_KEEP_OUTS, job.keep_outs, "keep_outs"),
        home=_read(_HOME, job.home or None, "home"),
        work=_read(_WORK[job.kind], job.work, "work"),
        lines=_read(_LINES, job.lines, "lines"),
        sorties=_read(_SORTIES, job.sorties, "sorties"),
        wind=_read(_WIND, job.wind, "wind"),
        site=_read(_SITE, job.site, "site"),
        mix=_read(_MIX, job.mix, "mix"),
    )


def _read(shape: TypeAdapter[T], value: Any, name: str) -> T:
    try:
        return shape.validate_python(value)
    except ValidationError as bad:
        first = bad.errors(include_url=False, include_input=False)[0]
        where = ".".join([name, *(str(part) for part in first["loc"] if isinstance(part, str))])
        raise MissingInput(f"This cannot be read: {first['msg'].lower()}. Enter it again.", where) from bad
