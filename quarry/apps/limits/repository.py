"""What preflight lists keep as JSON, typed: entries by the key of their check, and an override."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter

from quarry.apps.limits.models import Preflight
from quarry.apps.limits.views import EntryOut, OverrideOut

_ENTRIES = TypeAdapter(dict[str, EntryOut])
_OVERRIDE: TypeAdapter[OverrideOut | None] = TypeAdapter(OverrideOut | None)


def entries_of(row: Preflight) -> dict[str, EntryOut]:
    """Return the entries of a list, each with who and when."""
    return _ENTRIES.validate_python(row.entries)


def entries_json(entries: dict[str, EntryOut]) -> Any:
    """Return entries as they are kept."""
    return _ENTRIES.dump_python(entries, mode="json")


def override_of(row: Preflight) -> OverrideOut | None:
    """Return the override of a list, where there was one."""
    return _OVERRIDE.validate_python(row.override)


def override_json(override: OverrideOut) -> Any:
    """Return an override as it is kept."""
    return _OVERRIDE.dump_python(override, mode="json")
