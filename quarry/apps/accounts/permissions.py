"""Rights by role, each with the sentence that a refusal shows."""

from __future__ import annotations

from dataclasses import dataclass

from quarry.apps.accounts.models import Role, User

_RANK = {Role.VIEWER: 0, Role.HANDLER: 1, Role.PILOT: 2, Role.LEAD: 3}


@dataclass(frozen=True, slots=True)
class Right:
    """A named right: the least role, and what it lets a person do."""

    name: str
    least: Role
    words: str


RIGHTS = {
    r.name: r
    for r in (
        Right("company:write", Role.LEAD, "set the company's name, time zone and currency"),
        Right("people:write", Role.LEAD, "add people, set roles and reset passwords"),
        Right("tokens:write", Role.LEAD, "make and revoke tokens for programs"),
        Right("history:read", Role.LEAD, "read the whole history with sign-ins and refusals"),
        Right("server:read", Role.LEAD, "see how the server does"),
        Right("company:move", Role.LEAD, "export or delete the company"),
        Right("fleet:write", Role.PILOT, "change aircraft, chargers and models"),
        Right("packs:write", Role.HANDLER, "change packs"),
        Right("packs:record", Role.HANDLER, "record tests, charges, flights and mishaps of packs"),
        Right("packs:retire", Role.LEAD, "retire packs or let a grounded one fly again"),
        Right("policy:write", Role.LEAD, "set the policy"),
        Right("jobs:write", Role.PILOT, "change jobs"),
        Right("weather:write", Role.HANDLER, "enter readings of the weather"),
        Right("limits:write", Role.LEAD, "set limits"),
        Right("limits:override", Role.PILOT, "override a no go"),
        Right("preflight:write", Role.PILOT, "work a preflight list"),
        Right("day:write", Role.PILOT, "plan days"),
        Right("records:write", Role.HANDLER, "enter spray records and what the store holds"),
        Right("records:correct", Role.PILOT, "correct a spray record after its day has closed"),
        Right("logs:read", Role.HANDLER, "import logs, and say which flight they are of"),
        Right("logs:delete", Role.PILOT, "delete a log with all that was read from it"),
        Right("calibrations:accept", Role.LEAD, "set what planning learns from flights"),
        Right("day:run", Role.HANDLER, "run a day and write down what happens"),
    )
}


class NotAllowed(Exception):
    """The person's role does not carry the right; ``reason`` says which would."""

    def __init__(self, right: Right) -> None:
        self.right = right
        self.reason = f"Your role cannot {right.words}. Ask a person with the role {right.least.label.lower()}."
        super().__init__(self.reason)


def may(user: User, right: str) -> bool:
    """Tell whether a person has a right; asking for an unknown right raises `KeyError`."""
    return _RANK[Role(user.role)] >= _RANK[RIGHTS[right].least]


def require(user: User, right: str) -> None:
    """Raise `NotAllowed` unless the person has the right."""
    if not may(user, right):
        raise NotAllowed(RIGHTS[right])


def rights_of(user: User) -> list[str]:
    """Return the names of all rights of a person."""
    return [name for name in RIGHTS if may(user, name)]
