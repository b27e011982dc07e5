"""Preflight: ordered checks with ticks and measured entries, judged as they are made.

Once a day, once at a site, at every take-off; and after launch, in the first climb and hover, what only flight can show: that
part ends in go on or come back and holds up no launch. A check not done is no go. What an aircraft cannot show is
left out and said. Nobody overrides a grounded pack or a hard floor.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from quarry.core.base.errors import MissingInput, require_range
from quarry.core.limits.quantities import QUANTITIES
from quarry.core.limits.sheets import Limit
from quarry.core.limits.verdict import BandPolicy, Reading, Row, Verdict, Word, judge, worst

Part = Literal["day", "site", "take-off", "climb"]
Entry = Literal["tick", "number", "cells"]
Work = Literal["mapping", "spraying", "search"]
PARTS: tuple[tuple[Part, str], ...] = (
    ("day", "Once a day"),
    ("site", "Once at this site"),
    ("take-off", "Every take-off"),
    ("climb", "After launch: first climb and hover"),
)
Value = bool | float | list[float]
Answer = Literal["defect", "not applicable"]
_REMARK_MOST = 200
_FOLLOWS: Mapping[str, str] = {
    "contacts": "The pack does not fly: ground it and take another.",
    "props": "The aircraft stays on the ground until it is mended and checked again.",
    "hover": "Come back and land.",
    "cells": "Come back and land.",
}
_FOLLOWS_ELSE = "No go until it is put right and checked again, or overridden by name."
_NOBODY = frozenset({"contacts"})  # a defect here nobody may override


@dataclass(frozen=True, slots=True)
class Remark:
    """A check that is neither done nor open: a defect with what was seen, or not applicable with the reason."""

    answer: Answer
    words: str


@dataclass(frozen=True, slots=True)
class Check:
    """One line of a list. ``limits`` is the quantity that its number is judged by; ``caution`` is said beside it.

    ``likely``: numbers that are entered most often, in the unit that is shown, for one tap. ``because``: what of the weather
    has turned it on; empty where it is always on the list.
    """

    key: str
    part: Part
    words: str
    entry: Entry = "tick"
    limits: str = ""
    caution: str = ""
    work: tuple[Work, ...] = ("mapping", "spraying", "search")
    likely: tuple[float, ...] = ()
    because: str = ""

    @property
    def follows(self) -> str:
        """What a defect here means."""
        return _FOLLOWS.get(self.key, _FOLLOWS_ELSE)


Shows = Literal["cells", "total", "none"]


@dataclass(frozen=True, slots=True)
class AircraftTraits:
    """What of an aircraft model shapes its list: how it is powered up, what it shows, and cells of one pack."""

    name: str
    cells: int
    power_up: tuple[str, ...] = ()
    live_at_once: bool = False
    shows: Shows = "cells"
    packs_count: int = 1


_SHARES = (100.0, 95.0, 90.0, 80.0, 70.0, 60.0, 50.0)
_BEFORE: tuple[Check, ...] = (
    Check(
        "controller_frac",
        "day",
        "Controller charge",
        "number",
        "controller_frac",
        "Cold drains it: keep it on charge.",
        likely=_SHARES,
    ),
    Check("tablet_frac", "day", "Tablet charge", "number", "tablet_frac", likely=_SHARES),
    Check("fire_box", "day", "Fire-resistant box and extinguisher at the charging place"),
    Check("airspace", "day", "Airspace and permissions looked at", caution="Local law takes precedence over this list."),
    Check("crew", "day", "Roles told; relief from cold or heat agreed"),
    Check("props", "day", "Props, arms and frame without cracks, tight"),
    Check("fallback", "site", "Fallback landing place chosen and told to all"),
    Check("people", "site", "People, roads and lines around are clear"),
    Check(
        "return_clear_m",
        "site",
        "Return height above ground and obstacles",
        "number",
        "return_clear_m",
        likely=(20.0, 25.0, 30.0, 40.0, 50.0, 60.0),
    ),
    Check("compass", "site", "Compass set after a long move", caution="Needed after a move far away or to another height."),
)
_SPRAY: tuple[Check, ...] = (
    Check(
        "protect",
        "day",
        "Gloves, mask and goggles for the product",
        work=("spraying",),
        caution="The label of the product decides.",
    ),
    Check("rinse", "day", "Tank, filters and nozzles clean; flow proved", work=("spraying",)),
    Check("drift", "site", "Neighbours, water and bees: distances kept", work=("spraying",)),
)
_MAP: tuple[Check, ...] = (
    Check("exposure", "site", "Exposure tried on this ground, lens clear", work=("mapping",), caution="Snow and fog fool it."),
    Check("images_m", "take-off", "Card has room; last images looked at", work=("mapping",)),
)
_SEARCH: tuple[Check, ...] = (
    Check("brief", "site", "Search area and radio agreed with the leader", work=("search",)),
    Check("camera_live", "take-off", "Thermal and colour picture are live", work=("search",)),
)
_HEAD: tuple[Check, ...] = (
    Check(
        "contacts",
        "take-off",
        "Pack: contacts clean, no swelling, latched",
        caution="Swollen or damaged: out of service at once.",
    ),
    Check(
        "pack_c",
        "take-off",
        "Pack temperature",
        "number",
        "pack_c",
        "Warm it in the case or an inside pocket without metal.",
        likely=(5.0, 10.0, 15.0, 20.0, 25.0, 30.0, 35.0),
    ),
    Check("charge_frac", "take-off", "Charge", "number", "charge_frac", likely=(100.0, 99.0, 98.0, 95.0, 90.0)),
)
_TAIL: tuple[Check, ...] = (
    Check(
        "satellites_count",
        "take-off",
        "Satellites",
        "number",
        "satellites_count",
        likely=(12.0, 14.0, 15.0, 16.0, 18.0, 20.0, 24.0),
    ),
    Check("home", "take-off", "Home point set where you stand"),
    Check("payload", "take-off", "Load: sensors free, balanced, fixed, clear to launch and catch"),
    Check(
        "cells",
        "climb",
        "Cells in the first climb, full power",
        "cells",
        "load_v",
        "Watch each cell: one weak cell is enough.",
    ),
    Check("hover", "climb", "Hover holds its place, sounds right, answers the sticks"),
)


def checklist(
    work: Work, aircraft: AircraftTraits, warm_up_s: float = 30.0, by_weather: Sequence[Check] = ()
) -> tuple[Check, ...]:
    """Return the ordered list of checks for a kind of work with an aircraft, and those that the weather asks for.

    Search crews launch within a minute: their list is the same, with what takes longest first.
    """
    power_up = tuple(
        Check(
            f"power_{k}",
            "take-off",
            step,
            caution="Live the moment it is plugged in: props clear first." if aircraft.live_at_once and k == 1 else "",
        )
        for k, step in enumerate(aircraft.power_up, start=1)
    )
    tail = list(_TAIL)
    if aircraft.shows != "cells":
        total = aircraft.shows == "total"
        words = "Total volts in the first climb ÷ cells in series" if total else "First climb: power holds, no warning"
        hint = "A total hides a weak cell." if total else "This aircraft shows no volts: test its packs with a meter."
        tail[3] = Check("cells", "climb", words, "number" if total else "tick", "load_v" if total else "", hint)
    words = f"Hover {warm_up_s:.0f} s: holds its place, sounds right, answers the sticks"
    tail[-1] = Check("hover", "climb", words)
    body = (*_BEFORE, *_SPRAY, *_MAP, *_SEARCH, *_HEAD, *power_up, *tail)
    of_work = [c for c in body if work in c.work]
    if work == "search":
        slow = {"satellites_count": 0, "pack_c": 1}
        flights = [c for c in of_work if c.part == "take-off"]
        first = [c for c in flights if c.key.startswith("power_") or c.key in slow]
        of_work = (
            [c for c in of_work if c.part not in ("take-off", "climb")]
            + first
            + [c for c in flights if c not in first]
            + [c for c in of_work if c.part == "climb"]
        )
    order = {part: k for k, (part, _) in enumerate(PARTS)}
    return tuple(sorted([*by_weather, *of_work], key=lambda c: order[c.part]))


@dataclass(frozen=True, slots=True)
class Line:
    """A check as it stands: done or open, its verdict and the reason of each no."""

    check: Check
    done: bool
    verdict: Word
    reason: str
    row: Row | None = None
    remark: Remark | None = None


@dataclass(frozen=True, slots=True)
class Preflight:
    """A list as it stands. ``open_count`` checks before launch are not done; ``hard`` names what nobody may override.

    ``climb`` is the word of what is checked in flight (go on, go on with care, come back) with ``climb_reasons``;
    ``climb_open_count`` of its checks are not done.
    """

    word: Word
    lines: tuple[Line, ...]
    open_count: int
    weather: Verdict | None
    reasons: tuple[str, ...]
    hard: tuple[str, ...]
    climb: Word
    climb_open_count: int
    climb_reasons: tuple[str, ...]

    @property
    def may_override(self) -> bool:
        """Whether a person with the right may launch in spite of a no."""
        return self.word == "no" and not self.hard


def check_entry(check: Check, value: Value, cells: int) -> None:
    """Raise an error at the check's key unless the entry can be what it says."""
    q = QUANTITIES.get(check.limits)
    if check.entry == "tick":
        if not isinstance(value, bool):
            raise MissingInput(f"{check.words}: tick it, or leave it open.", check.key)
        return
    if check.entry == "cells":
        if not isinstance(value, list) or len(value) != cells:
            raise MissingInput(f"{check.words}: type the volts of all {cells} cells.", check.key)
        for v in value:
            require_range(v, 1.0, 4.5, check.key, "One cell", "V")
        return
    if isinstance(value, bool | list):
        raise MissingInput(f"{check.words}: type a number.", check.key)
    if q is not None:
        require_range(value * q.scale, q.low * q.scale, q.high * q.scale, check.key, q.words, q.unit)


def check_remark(check: Check, remark: Remark) -> None:
    """Raise an error at the check's key unless a defect says what was seen, and what is not applicable says why."""
    if not 3 <= len(remark.words.strip()) <= _REMARK_MOST or not remark.words.isprintable():
        what = "what is wrong" if remark.answer == "defect" else "why it does not apply here"
        raise MissingInput(f"{check.words}: say {what}, in 3 to {_REMARK_MOST} characters.", check.key)


def judge_preflight(  # noqa: PLR0913 - all that a list is judged by
    checks: Sequence[Check],
    entries: Mapping[str, Value],
    limits: Mapping[str, Limit],
    *,
    cells: int,
    weather: Verdict | None,
    computed: Mapping[str, float] | None = None,
    grounded: str = "",
    cannot_fly: str = "",
    watched: Sequence[str] = (),
    cells_test: tuple[Word, str] | None = None,
    remarks: Mapping[str, Remark] | None = None,
    policy: BandPolicy | None = None,
) -> Preflight:
    """Judge a list as it stands.

    Parameters
    ----------
    checks, entries : the list, and what was entered by key
        Entries that cannot be raise, see `check_entry`.
    limits : mapping
        Strictest limits by quantity.
    cells : int
        Cells in series of one pack.
    weather : Verdict or None
        The verdict of the hour; None is no go: nothing is known of the air.
    computed : mapping, optional
        Values known without entry, such as the load or the greatest height of the job.
    grounded, cannot_fly : str
        Why the pack is grounded; why it cannot fly the sortie today. Neither can be overridden.
    watched : sequence of str, optional
        What the pages of its packs say where they do not say that all is well: then it is a go with care at best.
    cells_test : (word, reason), optional
        What the load test makes of the cells entered: this list never says go where the page of the pack would not.
    remarks : mapping, optional
        Checks by key that are a defect, or not applicable.
    """
    lines: list[Line] = []
    hard: list[str] = []
    for check in checks:
        remark = (remarks or {}).get(check.key)
        if remark is not None:
            lines.append(_remarked(check, remark, limits))
            if remark.answer == "defect" and check.key in _NOBODY:
                hard.append(lines[-1].reason)
            continue
        value = entries.get(check.key)
        if value is None or value is False:
            lines.append(Line(check, False, "no", f"{check.words}: not done yet."))
            continue
        check_entry(check, value, cells)
        line = _judged(check, value, limits, policy)
        if check.key == "cells" and cells_test is not None and cells_test[0] != "go":
            both = worst([line.verdict, cells_test[0]])
            line = Line(check, True, both, " ".join(x for x in (cells_test[1], line.reason) if x), line.row)
        lines.append(line)
    climb = [x for x in lines if x.check.part == "climb"]
    ground = [x for x in lines if x.check.part != "climb"]
    known = {k: [Reading(v, "computed", "from the plan")] for k, v in (computed or {}).items() if k in limits}
    more = judge({k: limits[k] for k in known}, known, policy) if known else None
    for line in ground:
        if line.row is not None and line.row.verdict == "no" and not line.row.may_override:
            hard.append(line.reason)
    if grounded:
        hard.append(f"The pack is grounded: {grounded}.")
    if cannot_fly:
        hard.append(cannot_fly)
    rows = list(more.rows) if more else []
    words: list[Word] = [x.verdict for x in ground] + [r.verdict for r in rows]
    words.append(weather.word if weather is not None else "no")
    words += ["care"] * bool(watched)
    if hard:
        words.append("no")
    word = worst(words)
    reasons = [x.reason for x in ground if x.done and x.verdict != "go"] + [r.reason for r in rows if r.verdict != "go"]
    if weather is None:
        reasons.insert(0, "Nothing is known of the weather of this hour. Enter a reading, or paste a report.")
    else:
        reasons = [r.reason for r in weather.deciding] + reasons
    extra = [x for x in (f"The pack is grounded: {grounded}." if grounded else "", cannot_fly, *watched) if x]
    return Preflight(
        word,
        tuple(lines),
        sum(not x.done for x in ground),
        weather,
        tuple(dict.fromkeys(extra + reasons)),
        tuple(dict.fromkeys(hard)),
        worst([x.verdict for x in climb]) if climb else "go",
        sum(not x.done for x in climb),
        tuple(x.reason for x in climb if x.done and x.verdict != "go"),
    )


def _remarked(check: Check, remark: Remark, limits: Mapping[str, Limit]) -> Line:
    """Return a check that was answered in words: a defect is no go; a number that a limit asks for is missed with care."""
    check_remark(check, remark)
    if remark.answer == "defect":
        return Line(check, True, "no", f"{check.words}: defect: {remark.words}. {check.follows}", remark=remark)
    if check.limits in limits and check.entry != "tick":
        return Line(
            check, True, "care", f"{check.words}: not applicable: {remark.words}. Its limit is not checked.", remark=remark
        )
    return Line(check, True, "go", "", remark=remark)


def _judged(check: Check, value: Value, limits: Mapping[str, Limit], policy: BandPolicy | None) -> Line:
    if check.limits not in limits or check.entry == "tick":
        return Line(check, True, "go", "")
    number = min(value) if isinstance(value, list) else float(value)
    words = "entered at preflight"
    if isinstance(value, list):
        words = f"lowest of {len(value)}: cell {value.index(number) + 1}"
    verdict = judge({check.limits: limits[check.limits]}, {check.limits: [Reading(number, "measured", words)]}, policy)
    row = verdict.rows[0]
    return Line(check, True, row.verdict, "" if row.verdict == "go" else row.reason, row)
