"""Refusals: a code, a sentence for people, the field they belong to."""

from __future__ import annotations

from collections.abc import Mapping


class DomainError(Exception):
    """A refusal with a code, a sentence for people, and the field it belongs to."""

    def __init__(self, code: str, message: str, field: str = "", extra: Mapping[str, object] | None = None) -> None:
        super().__init__(message)
        self.code, self.message, self.field, self.extra = code, message, field, extra or {}


class Stale(DomainError):
    """Somebody else saved in the meantime; ``extra`` holds the version that stands."""

    def __init__(self, current: Mapping[str, object]) -> None:
        super().__init__(
            "stale",
            "Somebody else has saved this in the meantime. Choose which version shall stand.",
            extra={"current": current},
        )


class TooManyTries(DomainError):
    """Too many wrong passwords; waiting helps."""

    def __init__(self, wait_s: int) -> None:
        super().__init__("throttled", f"Too many wrong passwords. Wait {wait_s} seconds and try again.", "password")
        self.wait_s = wait_s
