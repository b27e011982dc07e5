"""What turns the plan of a running day over, and how long the crew's answers put things off."""

from __future__ import annotations

# What may turn a plan over; what only moves its times is followed.
TURNING = frozenset(
    {
        "landed",
        "homing",
        "emergency",
        "emergency_over",
        "lost",
        "tested",
        "pack_out",
        "pack_back",
        "port_dead",
        "port_back",
        "power_out",
        "power_back",
        "hold",
        "gate",
        "dropped",
        "found",
        "undo",
        "answer",
    }
)
LONG_PLAYS = 100  # how often the worker plays the rest of a day, while the crew already goes by the first answer
SEARCH_S = 8.0  # and how long the solver then looks
NOT_NOW_S = 600.0  # “not now” to a call: it comes again after this
GATE_LOOK_S = 1800.0  # a window that a person closed by hand is looked at again after this
BEGINS_EARLY_S = 3600.0  # a day begun longer before it opens asks whether its times are to move


def turns_over(kind: str) -> bool:
    """Return whether an event of a kind has the rest of the day planned anew."""
    return kind in TURNING
