"""Ways home that lead into a low sun, by the planned landings of a day."""

from __future__ import annotations

from quarry.core.air.low_sun import blinded
from quarry.core.dayplan.inputs import DayInputs, JobInput, SortieInput
from quarry.core.dayplan.task import DayTask
from quarry.core.ground.geodesy import azimuth_deg
from quarry.core.rotation.model import Rotation

_EARLY_S = 60.0  # a way home begins so much before it is counted: the turn, and the look ahead


def low_sun_cautions(day: DayTask, plan: Rotation) -> list[str]:
    """Return, for each sortie that comes home into a low sun, when its sensors are blinded and what to do."""
    inputs = day.inputs
    if inputs.sun is None:
        return []
    sorties = {(j.id, s.number): (j, s) for j in inputs.jobs for s in j.sorties}
    found = []
    for f in plan.flights:
        figures = day.flights[f.flight]
        job, sortie = sorties.get((figures.job, figures.number), (None, None))
        if job is None or sortie is None or job.home is None or sortie.leaves_at is None:
            continue
        words = _caution(inputs, job, sortie, f.flight, f.landing_s)
        found += [words] if words else []
    return found


def _caution(inputs: DayInputs, job: JobInput, sortie: SortieInput, flight: str, landing_s: float) -> str:
    sun, home, leaves = inputs.sun, job.home, sortie.leaves_at
    if sun is None or home is None or leaves is None or leaves == home:
        return ""
    bearing = azimuth_deg(*leaves, *home)
    to_utc_min = inputs.hours.opens_s / 60 - sun.utc_offset_min
    length_min = (inputs.hours.closes_s - inputs.hours.opens_s) / 60
    comes, lands = (landing_s - sortie.home_s - _EARLY_S) / 60, landing_s / 60
    for a, b in blinded(*home, sun.day, bearing, to_utc_min, to_utc_min + length_min, sun.policy):
        if a - to_utc_min < lands and comes < b - to_utc_min:
            begins, ends = (inputs.hours.clock(60 * (t - to_utc_min)) for t in (a, b))
            return (
                f"Low sun on the way home of {flight}, at {bearing:.0f}°: forward sensors are blinded {begins}–{ends}. Turn the "
                "lines, fly earlier or later, or be ready to bring it home by hand."
            )
    return ""
