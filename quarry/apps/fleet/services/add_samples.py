from __future__ import annotations

from typing import Any

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.fleet.models import AircraftModel, Camera, ChargerModel, PackModel, SupplyModel, Thing
from quarry.apps.fleet.services.add_thing import add_thing

_NOTE = "A sample to start from: put the figures of your maker in their place before you plan with it."
_SAMPLES: tuple[tuple[type[Thing], dict[str, Any]], ...] = (
    (
        Camera,
        {
            "name": "Sample camera",
            "sensor_w_mm": 17.0,
            "sensor_h_mm": 13.0,
            "focal_mm": 12.0,
            "image_w_px": 5200,
            "image_h_px": 3900,
            "least_interval_s": 1.0,
        },
    ),
    (PackModel, {"name": "Sample pack, 6 cells", "chemistry": "lipo", "cells": 6, "capacity_ah": 10.0}),
    (
        AircraftModel,
        {
            "name": "Sample multirotor",
            "work": "any",
            "power_w": 480.0,
            "cruise_m_s": 9.0,
            "mass_kg": 4.2,
            "rotors": 4,
            "rotor_m": 0.44,
        },
    ),
    (
        ChargerModel,
        {
            "name": "Sample charger, 2 ports",
            "ports": 2,
            "least_cells": 3,
            "most_cells": 8,
            "modes": [{"name": "normal", "pack_w": 220.0, "wall_w": 250.0}],
        },
    ),
    (SupplyModel, {"name": "Sample mains outlet", "kind": "mains", "rated_w": 2300.0}),
)


@transaction.atomic
def add_samples(*, actor: User) -> list[Thing]:
    """Add a sample model of each kind that has no model yet, each marked as a sample in its notes.

    Raises
    ------
    DomainError
        Every kind has a model already.
    """
    require(actor, "fleet:write")
    made: dict[type[Thing], Thing] = {}
    for model, figures in _SAMPLES:
        if model.objects.filter(archived_at=None).exists():
            continue
        own = dict(figures) | {"notes": _NOTE}
        if model is AircraftModel:
            pack = PackModel.objects.filter(archived_at=None).order_by("name").first()
            camera = Camera.objects.filter(archived_at=None).order_by("name").first()
            own |= {"pack_model_id": pack.pk if pack else None, "camera_id": camera.pk if camera else None}
        made[model] = add_thing(actor=actor, model=model, figures=own)
    if not made:
        raise DomainError("there", "Every kind has a model already: change one of them, or add your own.", "")
    return list(made.values())
