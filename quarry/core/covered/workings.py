"""How the figures of a job as flown come about, each by its key."""

from __future__ import annotations

from quarry.core.base.sources import ALGEBRA, ENTERED, KOOPMAN
from quarry.core.base.working import Quantity, Step, Working
from quarry.core.covered.flown import AsFlown, Enough, Pictures, Rule, Swath, Sweep
from quarry.core.covered.settings import CoveredPolicy
from quarry.core.ground.overlap import SHORT_FRAC

_RULE: dict[type, str] = {
    Pictures: "each picture stands for the part of its footprint that keeps both overlaps within ten points of those wanted",
    Swath: "the swath along the track while it sprayed, moved by the drift",
    Sweep: "strips as wide as the lines lie apart, and a tenth more",
}


def workings_of(made: AsFlown, rule: Rule, policy: CoveredPolicy, enough: Enough) -> dict[str, Working]:
    """Return the working of each figure of a job as flown."""
    c, m = made.cover, made.measured
    cells = int(m.raster.inside.sum())
    edge = Step(
        "edge_m",
        made.error_m,
        "m",
        "error of a position + smoothing of the track",
        (Quantity("position_m", policy.position_m, "m"),),
        kind="run",
    )
    ground = Step("ground_m2", c.ground_m2, "m²", "fields without their keep-outs", source=ENTERED, kind="input")
    strips = Step("covered_m2", c.covered_m2, "m²", f"area of all strips over the ground: {_RULE[type(rule)]}", kind="run")
    share = Step(
        "covered_frac",
        c.covered_frac,
        "",
        "covered ÷ ground",
        (Quantity("covered_m2", c.covered_m2, "m²"), Quantity("ground_m2", c.ground_m2, "m²")),
        source=ALGEBRA,
        uses=("covered_m2", "ground_m2"),
    )
    sure = [
        Step(f"{name}_covered_m2", value, "m²", f"if every edge lay the edge {word}", kind="run")
        for name, value, word in (("least", c.least_m2, "further in"), ("most", c.most_m2, "further out"))
    ]
    found = {"covered_frac": Working("covered", c.covered_frac, "", (ground, strips, share, edge, *sure))}
    left_m2 = c.ground_m2 - c.covered_m2
    gaps_m2 = sum(g.area_m2 for g in c.gaps)
    parts = (Quantity("ground_m2", c.ground_m2, "m²"), Quantity("covered_m2", c.covered_m2, "m²"))
    found["left_m2"] = Working(
        "not covered",
        left_m2,
        "m²",
        (
            ground,
            strips,
            Step("left_m2", left_m2, "m²", "ground − covered", parts, source=ALGEBRA, uses=("ground_m2", "covered_m2")),
            Step("gaps_m2", gaps_m2, "m²", f"of it in {len(c.gaps)} gaps wider than twice the edge", kind="run"),
            Step("slivers_m2", c.slivers_m2, "m²", "of it too narrow to be told from the error of positions", kind="run"),
        ),
    )
    counted = f"share of {cells:,} cells of {m.raster.cell_m:.2f} m whose middle"
    words = {Pictures: "pictures see", Swath: "swaths lie over", Sweep: "sweeps lie over"}[type(rule)]
    for key, n, title in (("once_frac", 1, "once or more"), ("twice_frac", 2, "twice or more")):
        found[key] = Working(title, m.share(n), "", (Step(key, m.share(n), "", f"{counted} at least {n} {words}", kind="run"),))
    found |= _enough(made, rule, enough, f"share of {cells:,} cells whose")
    if isinstance(rule, Swath) and m.dose_l_ha is not None:
        found["dose_l_ha"] = Working(
            "mean dose",
            m.mean_dose_l_ha,
            "l/ha",
            (
                Step(
                    "rate_l_ha",
                    rule.rate_l_ha,
                    "l/ha",
                    "asked for where a field has no rate of its own; taken where no flow was recorded",
                    source=ENTERED,
                    kind="input",
                ),
                Step("dose_l_ha", m.mean_dose_l_ha, "l/ha", f"mean over {cells:,} cells of the doses of all swaths", kind="run"),
            ),
        )
    if isinstance(rule, Sweep) and made.planned_frac is not None:
        found["detection_frac"] = Working(
            "detection",
            m.mean_detection_frac,
            "",
            (
                Step("sweep_width_m", rule.sweep_width_m, "m", "entered", source=ENTERED, kind="input"),
                Step(
                    "detection_frac",
                    m.mean_detection_frac,
                    "",
                    "mean over the cells of 1 − the product of what each pass leaves unseen, by the inverse-cube law sideways",
                    source=KOOPMAN,
                    kind="run",
                ),
                Step("planned_frac", made.planned_frac, "", "midway between two planned lines", source=KOOPMAN, kind="run"),
            ),
        )
    return found


def _enough(made: AsFlown, rule: Rule, enough: Enough, counted: str) -> dict[str, Working]:
    """Return the working of the share that got enough, where a record of doses or detection tells."""
    value = made.measured.enough_frac(rule, enough, made.planned_frac)
    if value is None:
        return {}
    if isinstance(rule, Swath):
        limit = Step("tolerance_frac", enough.dose_tolerance_frac, "", "a dose may be off by", source=ENTERED, kind="limit")
        words = "dose lies so near to what was asked for"
    else:
        limit = Step("planned_frac", made.planned_frac, "", "midway between two planned lines", source=KOOPMAN, kind="run")
        words = f"detection is that, less {SHORT_FRAC:.0%} of it, or more"
    return {
        "enough_frac": Working("enough", value, "", (limit, Step("enough_frac", value, "", f"{counted} {words}", kind="run")))
    }


def figure_values(made: AsFlown, rule: Rule, enough: Enough) -> dict[str, tuple[float, float | None, float | None]]:
    """Return the figures of a job as flown by their keys, each with its least and most where that is known."""
    c, m = made.cover, made.measured
    whole = c.ground_m2 or 1.0
    found: dict[str, tuple[float, float | None, float | None]] = {
        "covered_frac": (c.covered_frac, c.least_m2 / whole, c.most_m2 / whole),
        "left_m2": (c.ground_m2 - c.covered_m2, c.ground_m2 - c.most_m2, c.ground_m2 - c.least_m2),
        "once_frac": (m.share(1), None, None),
        "twice_frac": (m.share(2), None, None),
    }
    enough_frac = m.enough_frac(rule, enough, made.planned_frac)
    if enough_frac is not None:
        found["enough_frac"] = (enough_frac, None, None)
    if m.mean_dose_l_ha is not None:
        found["dose_l_ha"] = (m.mean_dose_l_ha, None, None)
    if m.mean_detection_frac is not None:
        found["detection_frac"] = (m.mean_detection_frac, None, None)
    return found
