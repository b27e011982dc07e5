"""Before a cold launch: whether a pack may go, how long each way of warming it takes, what to do meanwhile."""

from __future__ import annotations

from dataclasses import dataclass

from quarry.core.base.errors import require_range
from quarry.core.base.sources import ASSUMED, ENTERED
from quarry.core.base.working import Step, given, note_step
from quarry.core.cells.thermal import CELL_J_K_AH, STILL_W_K_AH, preheat_time_s
from quarry.core.flight.energy import ReservePolicy
from quarry.core.flight.usable_energy import ColdMethod, Demand, PackToday, TooCold, UsableEnergy, usable_energy

_POCKET_C, _VEHICLE_C = 30.0, 20.0
_POCKET_W_K_AH = 2 * STILL_W_K_AH  # pressed against cloth it takes heat from both sides
MEANWHILE = (
    "Fly first with a pack that is warm; leave the others in their case until they are fitted.",
    "Warm it slowly, never on a heater or in the sun behind glass, and never charge it below 0 °C.",
    "Let the aircraft stay as cold as the air, so that its lens does not fog.",
    "Put controller and tablet on charge: cold drains them too.",
)


@dataclass(frozen=True, slots=True)
class WayToWarm:
    """One way of warming a pack; ``time_s`` None where it never gets warm enough."""

    words: str
    at_c: float
    time_s: float | None


@dataclass(frozen=True, slots=True)
class ColdStart:
    """Whether a pack may be launched as cold as it is; if not, from which temperature it may, and how it gets there.

    ``target_c`` is None where warmth alone does not help. ``usable`` is None where nothing can be flown.
    """

    launch: bool
    words: str
    target_c: float | None
    ways: tuple[WayToWarm, ...]
    meanwhile: tuple[str, ...]
    usable: UsableEnergy | None


def cold_start(
    pack: PackToday, demand: Demand, policy: ReservePolicy, launch_c: float, case_c: float, method: ColdMethod = "model"
) -> ColdStart:
    """Return whether a pack may be launched at its temperature, and what to do where it may not.

    Parameters
    ----------
    launch_c : float
        The pack does not take off below: its maker's figure, or the usual one of its chemistry. [°C]
    case_c : float
        Temperature inside the heated case. [°C]
    """
    require_range(launch_c, -40.0, 40.0, "launch_c", "Launch temperature", "°C")
    note_step(given("launch_c", launch_c, label="no take-off below", source=ENTERED, kind="limit"))
    try:
        usable = usable_energy(pack, demand, policy, method)
    except TooCold as bad:
        if bad.warm_c is None:
            return ColdStart(False, f"Do not launch. {bad.message}", None, (), MEANWHILE[:1], None)
        needs_c = max(launch_c, bad.warm_c)
        words = f"Do not launch. {bad.said} Warm it to {needs_c:.0f} °C first."
        return ColdStart(False, words, needs_c, _ways(pack.start_c, needs_c, case_c), MEANWHILE, None)
    if pack.start_c >= launch_c:
        return ColdStart(True, "", launch_c, (), (), usable)
    words = f"Do not launch. The pack is at {pack.start_c:.0f} °C; it does not take off below {launch_c:.0f} °C."
    return ColdStart(False, words, launch_c, _ways(pack.start_c, launch_c, case_c), MEANWHILE, usable)


def _ways(start_c: float, target_c: float, case_c: float) -> tuple[WayToWarm, ...]:
    found = []
    for words, at_c, cooling in (
        (f"in the heated case at {case_c:.0f} °C", case_c, STILL_W_K_AH),
        (f"in an inside pocket without metal, some {_POCKET_C:.0f} °C", _POCKET_C, _POCKET_W_K_AH),
        (f"in a vehicle heated to {_VEHICLE_C:.0f} °C", _VEHICLE_C, STILL_W_K_AH),
    ):
        time_s = preheat_time_s(start_c, target_c, at_c, CELL_J_K_AH / cooling)
        note_step(
            Step(
                "way_s",
                time_s if time_s is not None else "never",
                "s" if time_s is not None else "",
                words,
                source=ASSUMED,
                kind="assumption",
                note=f"heat held {CELL_J_K_AH:g} J/K over {cooling:g} W/K for each Ah of a cell",
            )
        )
        found.append(WayToWarm(words, at_c, time_s))
    return tuple(sorted(found, key=lambda w: (w.time_s is None, w.time_s or 0.0)))
