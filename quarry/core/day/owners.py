"""Whose a call or an alert is: the pilot at the aircraft, the handler at the bench, or the lead."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

Owner = Literal["pilot", "handler", "lead"]
# A call of a kind that is not named is the lead's.
OF_CALL: Mapping[str, Owner] = {
    "launch": "pilot",
    "land": "pilot",
    "turn_back": "pilot",
    "call_home": "pilot",
    "fit": "pilot",
    "preflight": "pilot",
    "on_port": "handler",
    "off_port": "handler",
    "test": "handler",
    "warm": "handler",
    "refuel": "handler",
}


def owner_of(kind: str) -> Owner:
    """Return whose a call of a kind is."""
    return OF_CALL.get(kind, "lead")
