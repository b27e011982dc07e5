"""What imports keep as JSON, typed: the wrong cells of a table."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter

from quarry.apps.care.models import TableImport
from quarry.apps.care.views import ProblemCell

_PROBLEMS = TypeAdapter(list[ProblemCell])


def problems_of(row: TableImport) -> list[ProblemCell]:
    """Return the wrong cells of a table."""
    return _PROBLEMS.validate_python(row.problems)


def problems_json(problems: list[ProblemCell]) -> Any:
    """Return wrong cells as they are kept."""
    return _PROBLEMS.dump_python(problems, mode="json")
