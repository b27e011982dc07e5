"""The fleet: one set of routes for every noun."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from ninja import Router, Schema

from quarry.api.auth import SignedIn
from quarry.api.schemas import fleet as s
from quarry.apps.care.services import register_changed
from quarry.apps.fleet import queries, services
from quarry.apps.fleet.models import PackModel, Thing
from quarry.apps.fleet.views import NounOut, forms

router = Router(tags=["fleet"])


def _out(row: Thing) -> dict[str, Any]:
    found = queries.thing_dict(row) | {"id": row.pk, "version": row.version, "archived": row.archived_at is not None}
    if isinstance(row, PackModel):
        found["rated_wh"] = row.rated_wh
    return found


@router.get("", response=s.FleetOut, operation_id="fleet", summary="The whole fleet")
def whole(request: SignedIn, archived: bool = False) -> object:
    """Return every model and item."""
    return {noun.replace("-", "_"): [_out(r) for r in rows] for noun, rows in queries.fleet(archived=archived).items()}


@router.get("/forms", response=list[NounOut], operation_id="fleet_forms", summary="Figures of the fleet")
def forms_of_nouns(request: SignedIn) -> object:
    """Return the fields of every noun: words, units, ranges, and what a new one begins with."""
    return forms()


@router.post("/samples", response={201: list[str]}, operation_id="add_samples", summary="Sample models to start from")
def samples(request: SignedIn) -> object:
    """Add a sample model of each kind that has none yet; returns their names."""
    return 201, [row.name for row in services.add_samples(actor=request.user)]


def _routes(noun: str, given: Any, shown: Any) -> None:
    model = queries.model_of(noun)
    tag = noun.replace("-", "_")

    def add(request: SignedIn, data: Schema) -> object:
        """Add one."""
        return 201, _out(services.add_thing(actor=request.user, model=model, figures=data.dict()))

    def alike(request: SignedIn, data: Schema) -> object:
        """Add several that differ in name and serial alone: all of them, or none."""
        asked = data.dict()
        figures, count = asked.pop("of"), asked.pop("count")
        made = services.add_alike(actor=request.user, model=model, figures=figures, count=count, **asked)
        return 201, [_out(row) for row in made]

    def change(request: SignedIn, thing_id: UUID, version: int, data: Schema) -> object:
        """Change one; ``version`` is the one that was seen."""
        row = services.change_thing(actor=request.user, model=model, thing_id=thing_id, version=version, figures=data.dict())
        register_changed(actor=request.user, row=row)
        row.refresh_from_db()
        return _out(row)

    def archive(request: SignedIn, thing_id: UUID) -> object:
        """Archive one."""
        return _out(services.set_archived(actor=request.user, model=model, thing_id=thing_id, archived=True))

    def restore(request: SignedIn, thing_id: UUID) -> object:
        """Restore one."""
        return _out(services.set_archived(actor=request.user, model=model, thing_id=thing_id, archived=False))

    for func in (add, change):
        func.__annotations__["data"] = given
    router.post(f"/{noun}", response={201: shown}, operation_id=f"add_{tag}", summary=f"Add to {noun}")(add)
    if noun in s.ALIKE:
        alike.__annotations__["data"] = s.ALIKE[noun]
        router.post(
            f"/{noun}/alike", response={201: list[shown]}, operation_id=f"add_{tag}_alike", summary=f"Add several to {noun}"
        )(alike)
    router.put(f"/{noun}/{{thing_id}}", response=shown, operation_id=f"change_{tag}", summary=f"Change in {noun}")(change)
    router.delete(f"/{noun}/{{thing_id}}", response=shown, operation_id=f"archive_{tag}", summary=f"Archive one of {noun}")(
        archive
    )
    router.post(f"/{noun}/{{thing_id}}/restore", response=shown, operation_id=f"restore_{tag}", summary=f"Restore one of {noun}")(
        restore
    )


for _noun, _given in s.INPUTS.items():
    _routes(_noun, _given, s.OUTPUTS[_noun])
