"""A day being flown. Times are seconds from the opening of the day; events carry the clock of their device."""

from __future__ import annotations

from typing import Annotated, Any

from ninja import Schema
from pydantic import AwareDatetime, Field, ValidationError, ValidatorFunctionWrapHandler, WrapValidator

from quarry.api.schemas.base import In
from quarry.apps.day.views.live import LiveOut, RehearsalOut


class EventIO(In):
    """Something that happened, as a device tells it; ``key`` is made by the device, ``at`` is on its clock."""

    key: str = Field(min_length=1, max_length=64)
    kind: str = Field(max_length=16)
    at: AwareDatetime
    under: int = Field(default=0, ge=0, le=2_000_000_000)
    figures: dict[str, Any] = Field(default_factory=dict, max_length=40)


class Unreadable:
    """An event that is not even of the form of one: refused by itself, so that the rest of the batch stands."""

    def __init__(self, key: str, detail: str, field: str) -> None:
        self.key, self.detail, self.field = key, detail, field


def _by_itself(value: Any, read: ValidatorFunctionWrapHandler) -> Any:
    try:
        return read(value)
    except ValidationError as bad:
        first = bad.errors()[0]
        key = value.get("key") if isinstance(value, dict) else None
        field = ".".join(str(part) for part in first["loc"])
        return Unreadable(key if isinstance(key, str) else "", f"{first['msg']}.", field)


class EventsIn(In):
    """What a device has to tell, with its own clock at the moment of sending."""

    device: str = Field(default="", max_length=60)
    device_now: AwareDatetime
    events: list[Annotated[EventIO, WrapValidator(_by_itself)]] = Field(max_length=400)


class TelemetryIO(In):
    """What an aircraft tells from the air; volts are the lowest cell's, or of the whole pack where it shows no cells."""

    flight: str = Field(max_length=16)
    at: AwareDatetime
    left_frac: float | None = Field(default=None, ge=0, le=1)
    lowest_v: float | None = Field(default=None, ge=0, le=5)
    total_v: float | None = Field(default=None, ge=0, le=130)
    pack_c: float | None = Field(default=None, ge=-40, le=120)
    home_frac: float | None = Field(default=None, ge=0, le=1)
    satellites: int | None = Field(default=None, ge=0, le=60)
    from_home_m: float | None = Field(default=None, ge=0, le=200_000)
    cells_v: list[Annotated[float, Field(ge=0, le=5)]] | None = Field(default=None, max_length=28)
    lon_deg: float | None = Field(default=None, ge=-180, le=180)
    lat_deg: float | None = Field(default=None, ge=-90, le=90)
    height_m: float | None = Field(default=None, ge=-1000, le=6000)
    works: bool | None = None


class PortIO(In):
    """What a charger tells of a port."""

    port: int = Field(ge=1, le=200)
    at: AwareDatetime
    pack_v: float | None = Field(default=None, ge=0, le=120)
    into_a: float | None = Field(default=None, ge=0, le=200)
    frac: float | None = Field(default=None, ge=0, le=1)


class TelemetryIn(In):
    """Readings of aircraft in the air and of chargers, from a bridge, with its own clock at the moment of sending."""

    device_now: AwareDatetime | None = None
    readings: list[TelemetryIO] = Field(max_length=40)
    ports: list[PortIO] = Field(default_factory=list, max_length=200)


class LiveAnswer(Schema):
    """A day as it stands, or none while it has not begun."""

    live: LiveOut | None


class FaultIn(In):
    """Something that goes wrong in a rehearsal; ``about`` names a sortie, pack or port, where it is empty the next one."""

    kind: str = Field(max_length=20)
    at_s: float
    about: str = Field(default="", max_length=16)
    length_s: float = 1200.0


class FaultNow(In):
    """Something that goes wrong now."""

    kind: str = Field(max_length=20)
    about: str = Field(default="", max_length=16)
    length_s: float = 1200.0


class RehearsalIn(In):
    """How a day is rehearsed: how many times as fast as time, who answers the calls, what goes wrong."""

    speed: float = 30.0
    by_hand: bool = True
    seed: int = Field(default=1, ge=0, le=1_000_000)
    faults: list[FaultIn] = Field(default_factory=list, max_length=20)


class SteerIn(In):
    """A change of clock or crew; a speed of 0 lets the clock stand."""

    speed: float | None = None
    by_hand: bool | None = None


class RehearsalAnswer(Schema):
    """A rehearsal as it stands, or none where a day is flown and not rehearsed."""

    rehearsal: RehearsalOut | None


class CloseIn(In):
    """Why a day is closed although its spray records lack something."""

    without: str = Field(default="", max_length=300)
