"""Starter sheets: usual values to begin with. Each says: check your law and the manual.

The limits of an aircraft are its maker's: wind, temperatures, load, and rain unless it is rated for it.
"""

from __future__ import annotations

from quarry.core.limits.sheets import Rule

CHECK = "starter value: check your law and the manual"

HOUSE: tuple[Rule, ...] = (
    Rule("gust_m_s", most=12.0, why=CHECK),
    Rule("air_c", least=-10.0, most=40.0, why=CHECK),
    Rule("spread_k", least=1.0, why=f"fog, wet lenses and ice below it; {CHECK}"),
    Rule("visibility_m", least=1500.0, why=f"the aircraft must stay in sight; {CHECK}"),
    Rule("ceiling_m", least=150.0, why=f"cloud well above flying height; {CHECK}"),
    Rule("thunder_count", most=0.0, why=CHECK),
    Rule("sun_deg", least=-6.0, why=f"civil twilight; {CHECK}"),
    Rule("chill_c", least=-27.0, why=f"bare skin freezes within half an hour below it; {CHECK}"),
    Rule("pack_c", least=5.0, most=45.0, why=f"cold packs sag, hot ones age; {CHECK}"),
    Rule("charge_frac", least=0.96, why="only a full pack takes off"),
    Rule("load_v", least=3.6, why="a cell below it under load is bad"),
    Rule("rest_v", least=4.10, why="a full pack rests above it"),
    Rule("satellites_count", least=12.0, why="fewer are not to be trusted"),
    Rule("controller_frac", least=0.5, why="cold drains it"),
    Rule("tablet_frac", least=0.4, why="cold drains it"),
    Rule("return_clear_m", least=20.0, why=f"above ground, trees and lines on the way; {CHECK}"),
    Rule("height_m", most=120.0, why=CHECK),
)
WORK: dict[str, tuple[Rule, ...]] = {
    "mapping": (
        Rule("wind_m_s", most=10.0, why=f"blur and tilt above it; {CHECK}"),
        Rule("visibility_m", least=3000.0, why=CHECK),
    ),
    "spraying": (
        Rule("spray_wind_m_s", least=3 / 3.6, most=15 / 3.6, why=f"drift above, still inverted air below; {CHECK} and the label"),
        Rule(
            "delta_t_k",
            least=2.0,
            most=10.0,
            why=f"from 8 marginal, droplets dry before they land above 10; {CHECK} and the label",
        ),
    ),
    "search": (Rule("visibility_m", least=2000.0, why=f"what is looked for must be seen; {CHECK}"),),
}
