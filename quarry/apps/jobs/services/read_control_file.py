from __future__ import annotations

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.jobs import mappers
from quarry.apps.jobs.formats.control import read_control
from quarry.apps.jobs.views import ControlPointOut


def read_control_file(*, actor: User, data: bytes, filename: str) -> list[ControlPointOut]:
    """Return the control points of a CSV or GeoJSON file; nothing is stored. Raises `DomainError` where it holds none."""
    require(actor, "jobs:write")
    try:
        found = read_control(data, filename)
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    return [ControlPointOut(p.at, p.name, p.check, p.height_m, p.why) for p in found]
