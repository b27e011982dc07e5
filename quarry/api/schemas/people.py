"""People and sessions."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from ninja import Schema
from pydantic import Field

from quarry.api.schemas.base import In
from quarry.apps.accounts.views import HistoryLine, TokenView

DatesName = Literal["day", "month", "iso"]
RoleName = Literal["lead", "pilot", "handler", "viewer"]


class SignIn(In):
    """Name, or address of mail, and password; the company where several have a person of the name."""

    username: str = Field(min_length=1, max_length=150)
    password: str = Field(min_length=1, max_length=200)
    company: str = Field(default="", max_length=120)


class AppCode(In):
    """A code of an app, or a spare code."""

    code: str = Field(min_length=4, max_length=20)


class Passkey(In):
    """What a passkey has signed, as the browser hands it over."""

    credential: dict[str, Any]


class NewPasskey(In):
    """A passkey that the browser has made, and a name to tell it apart by."""

    name: str = Field(default="", max_length=60)
    credential: dict[str, Any]


class PasskeyQuestion(Schema):
    """What a browser needs to ask for, or make, a passkey."""

    options: dict[str, Any]


class OwnPasswordIn(In):
    """One's own password, asked for before what guards it is changed."""

    password: str = Field(min_length=1, max_length=200)


class CodesOut(Schema):
    """Spare codes, shown once."""

    codes: list[str]


class ForgottenIn(In):
    """Where a link for a new password is to be sent."""

    email: str = Field(min_length=3, max_length=254)


class LetterPassword(In):
    """The key of a letter, and the new password."""

    key: str = Field(min_length=3, max_length=200)
    password: str = Field(min_length=1, max_length=200)


class TokenIn(In):
    """A token to be made: what it is for, what it opens, for how many days; ``day_id``: for that day alone."""

    name: str = Field(min_length=1, max_length=80)
    scope: Literal["telemetry", "logs", "read"]
    days: int = Field(ge=1, le=400)
    day_id: UUID | None = None


class NewToken(Schema):
    """A token with its secret, shown once."""

    token: TokenView
    secret: str


class DayNow(Schema):
    """A day that runs."""

    id: UUID
    name: str


class TokenSelf(Schema):
    """What a token says of itself to the program that shows it, with the days that run now."""

    name: str
    scope: str
    day_id: UUID | None
    expires_at: datetime
    running: list[DayNow]


class ServerCheck(Schema):
    """One thing that was looked at: whether it stands, what was found, and what helps where it does not."""

    name: str
    ok: bool
    found: str
    mend: str


class ServerOut(Schema):
    """How the server does."""

    version: str
    checks: list[ServerCheck]


class HistoryQuery(In):
    """Which lines of the history are wanted."""

    thing: str = Field(default="", max_length=40)
    thing_id: str = Field(default="", max_length=40)
    who: str = Field(default="", max_length=150)
    words: str = Field(default="", max_length=100)
    begins: date | None = None
    ends: date | None = None


class HistoryPageQuery(HistoryQuery):
    """Which page of them."""

    cursor: str = Field(default="", max_length=200)
    size: int = Field(default=100, ge=1, le=500)


class HistoryPage(Schema):
    """Lines of the history, newest first, and how many there are in all."""

    items: list[HistoryLine]
    next: str | None
    total: int


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
    second_step: list[Literal["app", "codes", "passkey"]]
    mail: bool
    email: str


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


class RetentionIn(In):
    """After how many days a kind of data goes, by its name; null keeps it for ever."""

    days: dict[str, Annotated[int, Field(ge=1, le=36_500)] | None]


class PreferencesIn(In):
    """How a person wants to see things."""

    units: Literal["metric", "imperial"] | None = None
    light: Literal["day", "sun", "night"] | None = None
    gloves: bool | None = None


class PasswordIn(In):
    """A change of one's own password."""

    old: str = Field(max_length=200)
    new: str = Field(max_length=200)


class PersonOut(Schema):
    """A person of the organisation."""

    id: int
    username: str
    full_name: str
    email: str
    role: RoleName
    active: bool
    second_steps: int


class PersonIn(In):
    """A new person."""

    username: str = Field(min_length=2, max_length=60, pattern=r"^[\w.@+-]+$")
    full_name: str = Field(max_length=120)
    email: str = Field(default="", max_length=254)
    role: RoleName


class PersonChange(In):
    """Changes of a person."""

    full_name: str | None = Field(default=None, max_length=120)
    email: str | None = Field(default=None, max_length=254)
    role: RoleName | None = None
    active: bool | None = None


class FirstPassword(Schema):
    """A first password, shown once."""

    person: PersonOut
    password: str
