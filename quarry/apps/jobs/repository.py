"""Cached plans of jobs: one typed shape to JSON and back, a few for each job."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter, ValidationError

from quarry.apps.jobs.models import CachedPlan, Job
from quarry.apps.jobs.views import JobPlan

_PLAN = TypeAdapter(JobPlan)
_KEPT = 8  # of each job: what was undone is there again at once


def plan_json(plan: JobPlan) -> Any:
    """Return a plan as it is kept."""
    return _PLAN.dump_python(plan, mode="json")


def plan_from(kept: Any) -> JobPlan | None:
    """Return a plan that was kept; None where another version kept it in another shape: it is made anew."""
    try:
        return _PLAN.validate_python(kept)
    except ValidationError:
        return None


def cached_plan(job: Job, mark: str) -> JobPlan | None:
    """Return the plan made from what a mark stands for, if it is cached."""
    row = CachedPlan.objects.filter(job=job, fingerprint=mark).first()
    return plan_from(row.plan) if row is not None else None


def cache_plan(job: Job, mark: str, plan: JobPlan) -> None:
    """Cache a plan under the mark of what it was made from; the oldest of the job go. A job that is not saved caches none."""
    if job._state.adding:
        return
    old = CachedPlan.objects.filter(job=job).order_by("-made_at").values_list("pk", flat=True)[_KEPT:]
    CachedPlan.objects.filter(pk__in=list(old)).delete()
    made = {"organisation": job.organisation, "plan": plan_json(plan)}
    CachedPlan.objects.update_or_create(job=job, fingerprint=mark, defaults=made)
