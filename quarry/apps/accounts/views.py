"""What the screens see of people's ways to sign in."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from uuid import UUID


@dataclass(frozen=True, slots=True)
class SecondStep:
    """An app of codes, or a passkey; ``kind`` is ``app`` or ``passkey``."""

    id: int
    kind: str
    name: str
    made_at: dt.datetime
    used_at: dt.datetime | None


@dataclass(frozen=True, slots=True)
class SecondSteps:
    """All second steps of a person, and how many spare codes are left."""

    steps: list[SecondStep]
    codes_left: int


@dataclass(frozen=True, slots=True)
class AppSecret:
    """A secret for an app of codes: as text, as an address, as a picture (a data address) to photograph."""

    secret: str
    address: str
    picture: str


@dataclass(frozen=True, slots=True)
class OpenSession:
    """A session of a person: where it was opened, when it was last used, whether it is the one that asks."""

    id: int
    device: str
    address: str
    opened_at: dt.datetime
    seen_at: dt.datetime
    here: bool


@dataclass(frozen=True, slots=True)
class TokenView:
    """A token of the API: never its secret."""

    id: UUID
    name: str
    scope: str
    scope_words: str
    day_id: UUID | None
    hint: str
    made_by: str
    made_at: dt.datetime
    expires_at: dt.datetime
    used_at: dt.datetime | None
    revoked_at: dt.datetime | None
    good: bool


@dataclass(frozen=True, slots=True)
class KeptKind:
    """A kind of data: after how many days it goes (None: never), how many rows would go now, and when the oldest is from."""

    name: str
    words: str
    stays: str
    days: int | None
    due: int
    oldest: dt.datetime | None


@dataclass(frozen=True, slots=True)
class HistoryLine:
    """A line of the history: who did what to which thing, from what to what."""

    id: int
    at: dt.datetime
    who: str
    action: str
    thing: str
    thing_id: str
    label: str
    before: dict[str, object] | None
    after: dict[str, object] | None
