"""People and sessions."""

from __future__ import annotations

from typing import Literal
from uuid import UUID

from ninja import Schema
from pydantic import Field

from quarry.api.schemas.base import In

DatesName = Literal["day", "month", "iso"]
RoleName = Literal["lead", "pilot", "handler", "viewer"]


class SignIn(In):
    """Name and password."""

    username: str = Field(min_length=1, max_length=150)
    password: str = Field(min_length=1, max_length=200)


class Me(Schema):
    """Who is signed in, and what this person may do; empty when nobody is."""

    signed_in: bool
    id: int | None
    username: str
    full_name: str
    role: RoleName | None
    organisation: str
    time_zone: str
    currency: str
    dates: DatesName
    map_address: str
    map_credit: str
    rights: list[str]
    units: Literal["metric", "imperial"]
    light: Literal["day", "sun", "night"]
    gloves: bool
    first_password: bool
    live_day: UUID | None


class CompanyOut(Schema):
    """What the screens of a company go by."""

    name: str
    time_zone: str
    currency: str
    dates: DatesName
    map_address: str
    map_credit: str


class CompanyIn(In):
    """A change of it; what is left out stays."""

    name: str | None = Field(default=None, max_length=120)
    time_zone: str | None = Field(default=None, max_length=40)
    currency: str | None = Field(default=None, max_length=3)
    dates: DatesName | None = None
    map_address: str | None = Field(default=None, max_length=400)
    map_credit: str | None = Field(default=None, max_length=200)


class PreferencesIn(In):
    """How a person wants to see things."""

    units: Literal["metric", "imperial"] | None = None
    light: Literal["day", "sun", "night"] | None = None
    gloves: bool | None = None


class PasswordIn(In):
    """A change of one's own password."""

    old: str
    new: str = Field(max_length=200)


class PersonOut(Schema):
    """A person of the organisation."""

    id: int
    username: str
    full_name: str
    role: RoleName
    active: bool


class PersonIn(In):
    """A new person."""

    username: str = Field(min_length=2, max_length=60, pattern=r"^[\w.@+-]+$")
    full_name: str = Field(max_length=120)
    role: RoleName


class PersonChange(In):
    """Changes of a person."""

    full_name: str | None = None
    role: RoleName | None = None
    active: bool | None = None


class FirstPassword(Schema):
    """A first password, shown once."""

    person: PersonOut
    password: str
