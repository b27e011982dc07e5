"""Plans of jobs as they are kept: one typed shape to JSON and back."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter, ValidationError

from quarry.apps.jobs.views import JobPlan

_PLAN = TypeAdapter(JobPlan)


def plan_json(plan: JobPlan) -> Any:
    """Return a plan as it is kept."""
    return _PLAN.dump_python(plan, mode="json")


def plan_from(kept: Any) -> JobPlan | None:
    """Return a plan that was kept; None where another version kept it in another shape: it is made anew."""
    try:
        return _PLAN.validate_python(kept)
    except ValidationError:
        return None
