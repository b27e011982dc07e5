from __future__ import annotations

from dataclasses import asdict
from uuid import UUID

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.fleet.models import Calibration, Pack
from quarry.apps.fleet.services.accept_calibration import accept_calibration
from quarry.apps.logbook.queries.learning import lessons
from quarry.apps.logbook.services._flights import SAME_FACTOR


def accept_lesson(*, actor: User, subject: str, thing: str, thing_id: UUID | None, factor: float) -> Calibration:
    """Let planning go by what flights teach; ``factor`` is the one that was seen, so that nobody accepts what they did not see."""
    require(actor, "calibrations:accept")
    lesson = next(
        (x for x in lessons() if x.subject == subject and x.thing == thing and x.thing_id == thing_id),
        None,
    )
    if lesson is None or lesson.factor is None or lesson.figures is None:
        raise DomainError("not_found", "No flight teaches this any more. Look again.", "subject")
    if abs(lesson.factor - factor) > SAME_FACTOR:
        raise DomainError(
            "changed", f"More flights have come in: it is {lesson.factor:.3f} now. Look again and accept that.", "factor"
        )
    of = {"of": {"of": Pack.objects.get(pk=thing_id or "").health_frac}} if subject == "capacity" else {}
    return accept_calibration(
        actor=actor,
        subject=subject,
        thing=thing,
        thing_id=thing_id,
        label=lesson.name,
        factor=lesson.factor,
        figures=asdict(lesson.figures) | of,
    )
