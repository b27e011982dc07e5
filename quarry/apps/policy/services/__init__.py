"""What can be done here, one verb a file: right, lock, decide, save, history."""

from quarry.apps.policy.services.set_policy import Change, set_policy

__all__ = [
    "Change",
    "set_policy",
]
