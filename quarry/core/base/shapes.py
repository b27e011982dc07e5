"""Plain data from frozen records, for JSON at the borders."""

from __future__ import annotations

from dataclasses import fields, is_dataclass
from typing import Any


def plain(value: Any) -> Any:
    """Return nested dataclasses, tuples and numbers as dicts, lists and numbers."""
    if is_dataclass(value) and not isinstance(value, type):
        return {f.name: plain(getattr(value, f.name)) for f in fields(value)}
    if isinstance(value, dict):
        return {str(k): plain(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [plain(v) for v in value]
    return value
