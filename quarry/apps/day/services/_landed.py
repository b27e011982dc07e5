"""The sorties of a day that have landed are rows, brought to what its events tell."""

from __future__ import annotations

from quarry.apps.day import mappers
from quarry.apps.day.fields import moments_of
from quarry.apps.day.models import DayRun, LandedSortie
from quarry.apps.day.repository import flown_json

_FIGURES = [f.attname for f in LandedSortie._meta.concrete_fields if f.name not in ("id", "organisation", "run", "sortie")]


def keep_landed(run: DayRun, reading: mappers.Reading) -> None:
    """Set how the day kept to its plan on its row, unsaved, and write the sorties that landed or changed. Rehearsals have none."""
    landed = mappers.landed_sorties(reading, moments_of(run.day)[0])
    run.flown = flown_json(mappers.flown_day(reading, landed))
    if run.day.rehearsal_of_id is not None:
        return
    before = {row.sortie: row for row in LandedSortie.objects.filter(run=run)}
    gone = before.keys() - {row.sortie for row in landed}
    if gone:
        LandedSortie.objects.filter(run=run, sortie__in=gone).delete()
    changed = [row for row in landed if row.sortie not in before or _figures(row) != _figures(before[row.sortie])]
    if changed:
        LandedSortie.objects.bulk_create(changed, update_conflicts=True, unique_fields=["run", "sortie"], update_fields=_FIGURES)


def _figures(row: LandedSortie) -> list[object]:
    return [getattr(row, name) for name in _FIGURES]
