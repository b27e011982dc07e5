"""The demo's search exercise: invented tables of distances, a walker overdue on the moor, a team, one segment looked over."""

from __future__ import annotations

from typing import Any
from uuid import UUID, uuid5

from django.utils import timezone

from quarry.apps.accounts.models import User
from quarry.apps.search.models import PersonKind
from quarry.apps.search.queries import search_of
from quarry.apps.search.services import add_report, add_search, lay_segments
from quarry.simulators import scene

# Made up, and marked so on screens: a service enters the table that it goes by.
_KINDS = {
    "Walker, moorland": [(0.25, 420.0), (0.5, 950.0), (0.75, 1800.0), (0.95, 4200.0)],
    "Child, up to ten": [(0.25, 180.0), (0.5, 460.0), (0.75, 1100.0), (0.95, 2600.0)],
    "Forager": [(0.25, 350.0), (0.5, 800.0), (0.75, 1500.0), (0.95, 3300.0)],
}
_NET_M = 320.0


def search_exercise(lead: User, aircraft: dict[str, Any]) -> None:
    """Make the exercise: begun in its search, not yet in the air."""
    kinds = [
        PersonKind.objects.create(
            organisation=lead.organisation, name=name, within=[list(x) for x in within], example=True, note="made up for the demo"
        )
        for name, within in _KINDS.items()
    ]
    what = {
        "point": scene.LAST_SEEN,
        "home": scene.SEARCH_HOME,
        "radius_m": 900.0,
        "seen_at": "by the sheepfold, an hour before dusk",
        "aircraft_ids": [str(aircraft["Wren"])],
        "speed_m_s": 10.0,
        "paths": [scene.SEARCH_PATH],
        "weights": {"rings": 1.0, "travel": 1.0},
        "teams": [
            {"name": "Fell team", "kind": "team", "speed_m_s": 0.6},
            {"name": "Dog Bracken", "kind": "dog", "speed_m_s": 0.9},
        ],
    }
    person = "grey coat, yellow pack; answers to a whistle"
    row = add_search(actor=lead, name="Walker overdue, exercise", what=what, person=person, kind_id=kinds[0].pk)
    lay_segments(actor=lead, search_id=row.pk, how="net", side_m=_NET_M, bearing_deg=20.0)
    fullest = max(search_of(row.pk).segments, key=lambda s: s.share_frac)
    add_report(
        actor=lead,
        search_id=row.pk,
        key=uuid5(UUID(str(row.pk)), "first look"),
        kind="searched",
        at=timezone.now(),
        figures={"segment": fullest.id, "who": "Fell team", "detection_frac": 0.4, "words": "along the wall only"},
    )
