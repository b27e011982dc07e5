"""What goes into each load: water and products, in the order in which they are filled, with nothing over at the end.

The label of each product stands above every figure here: rates, water and order are entered, none is proposed but the usual order of forms.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from quarry.core.base.errors import Infeasible, MissingInput, OutOfRange, require_range
from quarry.core.base.sources import ALGEBRA
from quarry.core.base.working import formula
from quarry.core.spraying.rate import check_rate

Basis = Literal["ha", "100_l"]
Unit = Literal["L", "kg"]
FormKey = Literal[
    "conditioner", "bag", "granules", "powder", "suspension", "emulsion", "concentrate", "soluble", "adjuvant", "feed", "other"
]
_EPS = 1e-9
_MOST_LOADS = 400


@dataclass(frozen=True, slots=True)
class Form:
    """What a product is, in words; forms are filled in the order of `FORMS`."""

    key: FormKey
    words: str


# The usual order: common practice, no source. A label that says otherwise is followed by moving the product in the mix.
FORMS: tuple[Form, ...] = (
    Form("conditioner", "water conditioner"),
    Form("bag", "soluble bag"),
    Form("granules", "dispersible granules"),
    Form("powder", "wettable powder"),
    Form("suspension", "suspension"),
    Form("emulsion", "emulsion in water"),
    Form("concentrate", "emulsifiable"),
    Form("soluble", "soluble"),
    Form("feed", "leaf feed"),
    Form("adjuvant", "oil or wetter"),
    Form("other", "other"),
)
_ORDER = {f.key: k for k, f in enumerate(FORMS)}


@dataclass(frozen=True, slots=True)
class MixItem:
    """One product of a mix: its rate for each hectare, or for each 100 L of the spray liquid, in litres or kilograms."""

    product: str
    rate_amount: float
    basis: Basis = "ha"
    unit: Unit = "L"
    form: FormKey = "other"
    least_water_l_ha: float | None = None


@formula("per hectare = rate for 100 L × litres per hectare ÷ 100", source=ALGEBRA, result="per_ha_amount")
def per_ha_of_100_l(rate_amount: float, water_l_ha: float) -> float:
    """Return what a rate for 100 L of the spray liquid comes to on a hectare, in its unit."""
    return rate_amount * water_l_ha / 100.0


@formula("product = per hectare × litres of the load ÷ litres per hectare", source=ALGEBRA, result="load_amount")
def amount_in_load(per_ha_amount: float, load_l: float, water_l_ha: float) -> float:
    """Return what of a product goes into a load, in its unit."""
    return per_ha_amount * load_l / water_l_ha


@formula("to mix = to spray + what stays in pump and lines", source=ALGEBRA, result="mix_l")
def to_mix_l(spray_l: float, lines_l: float) -> float:
    """Return what has to be mixed. [L]"""
    return spray_l + lines_l


def amount_per_ha(item: MixItem, rate_l_ha: float) -> float:
    """Return what of a product a hectare gets, in its unit."""
    return per_ha_of_100_l(item.rate_amount, rate_l_ha) if item.basis == "100_l" else item.rate_amount


def usual_order(items: Sequence[MixItem]) -> list[MixItem]:
    """Return products in the usual order of their forms; of one form they stay as they are."""
    return sorted(items, key=lambda i: _ORDER[i.form])


@dataclass(frozen=True, slots=True)
class MixTask:
    """What is mixed, for which fillings.

    ``items`` in the order in which they are filled. ``sorties``: name and litres sprayed of each, in the order flown. ``lines_l``
    stay in pump and lines at the end. ``vessel_l``: mixed in a vessel of this size and filled from there; None: each sortie's load
    by itself in the tank. ``evened``: all batches alike, else full ones and a smaller last one.
    """

    items: tuple[MixItem, ...]
    sorties: tuple[tuple[str, float], ...]
    rate_l_ha: float
    lines_l: float = 0.0
    vessel_l: float | None = None
    evened: bool = True


@dataclass(frozen=True, slots=True)
class Load:
    """One filling: its litres, the water in them, what of each product, and the sorties that it is for."""

    number: int
    load_l: float
    water_l: float
    amounts: tuple[float, ...]
    sorties: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class MixSheet:
    """All loads. ``per_ha`` and ``totals`` belong to the products of the task, one each; ``lines_l`` are left at the end."""

    loads: tuple[Load, ...]
    per_ha: tuple[float, ...]
    totals: tuple[float, ...]
    spray_l: float
    mix_l: float
    lines_l: float


def mix_sheet(t: MixTask) -> MixSheet:
    """Return what goes into each load, to the last one without remainder.

    Raises
    ------
    MissingInput, OutOfRange, Infeasible
        A product without a rate, a rate or vessel that cannot be, products that leave no room for water; at its field.
    """
    _check(t)
    spray_l = sum(litres for _, litres in t.sorties)
    mix_l = to_mix_l(spray_l, t.lines_l)
    per_ha = tuple(amount_per_ha(i, t.rate_l_ha) for i in t.items)
    liquid_l_ha = sum(a for a, i in zip(per_ha, t.items, strict=True) if i.unit == "L")
    if liquid_l_ha >= t.rate_l_ha * (1 - _EPS):
        raise Infeasible(
            f"The products alone come to {liquid_l_ha:.2f} L/ha, and {t.rate_l_ha:g} L/ha are sprayed: nothing is left for water. "
            "Spray more litres per hectare, or check the rates.",
            "work.mix",
        )
    loads = []
    for k, (litres, names) in enumerate(_fillings(t, mix_l), start=1):
        amounts = tuple(amount_in_load(a, litres, t.rate_l_ha) for a in per_ha)
        wet = sum(a for a, i in zip(amounts, t.items, strict=True) if i.unit == "L")
        loads.append(Load(k, litres, litres - wet, amounts, names))
    totals = tuple(sum(x.amounts[k] for x in loads) for k in range(len(t.items)))
    return MixSheet(tuple(loads), per_ha, totals, spray_l, mix_l, t.lines_l)


def _check(t: MixTask) -> None:
    check_rate(t.rate_l_ha, "work.rate_l_ha")
    if not t.sorties:
        raise MissingInput("There is no plan yet that says how much is sprayed. Complete the job first.", "work.mix")
    require_range(t.lines_l, 0.0, 50.0, "work.lines_l", "Left in pump and lines", "L")
    if t.vessel_l is not None:
        require_range(t.vessel_l, 1.0, 20_000.0, "work.vessel_l", "Mixing vessel", "L")
    names = [i.product for i in t.items]
    for k, item in enumerate(t.items):
        at = f"work.mix.{k}"
        if names.index(item.product) != k:
            raise OutOfRange(f"{item.product} is in the mix twice. Remove one.", f"{at}.product_id")
        if not item.rate_amount:
            raise MissingInput(f"{item.product} has no rate. Enter what the label says.", f"{at}.rate_amount")
        require_range(item.rate_amount, 1e-4, 1000.0, f"{at}.rate_amount", f"Rate of {item.product}", item.unit)
        if item.least_water_l_ha is not None and t.rate_l_ha < item.least_water_l_ha * (1 - _EPS):
            raise OutOfRange(
                f"{item.product} wants at least {item.least_water_l_ha:g} L/ha, and {t.rate_l_ha:g} are sprayed. "
                "Spray more, or leave it out.",
                "work.rate_l_ha",
            )


def _fillings(t: MixTask, mix_l: float) -> list[tuple[float, tuple[str, ...]]]:
    """Return litres of each filling with the sorties that it is for."""
    if t.vessel_l is None:
        # Pump and lines are filled with the first tank and stay full until the last is empty.
        return [(litres + (t.lines_l if k == 0 else 0.0), (name,)) for k, (name, litres) in enumerate(t.sorties)]
    count = math.ceil(mix_l / t.vessel_l - _EPS)
    if count > _MOST_LOADS:
        raise OutOfRange(
            f"{mix_l:.0f} L would take {count} fillings of {t.vessel_l:g} L. Enter a larger mixing vessel.", "work.vessel_l"
        )
    sizes = [mix_l / count] * count if t.evened else [t.vessel_l] * (count - 1) + [mix_l - t.vessel_l * (count - 1)]
    found, begins = [], 0.0
    for size in sizes:
        names, at = [], 0.0
        for k, (name, litres) in enumerate(t.sorties):
            ends = at + litres + (t.lines_l if k == 0 else 0.0)
            if at < begins + size - _EPS * mix_l and ends > begins + _EPS * mix_l:
                names.append(name)
            at = ends
        found.append((size, tuple(names)))
        begins += size
    return found


@dataclass(frozen=True, slots=True)
class StockBatch:
    """A batch in the store: what is left of it, and the day on which it expires as an ordinal, None where it does not."""

    name: str
    left_amount: float
    expires_day: int | None = None


@dataclass(frozen=True, slots=True)
class Taken:
    """What is taken of a batch."""

    batch: str
    taken_amount: float


@dataclass(frozen=True, slots=True)
class FromStock:
    """Which batches a need is taken from, the one that expires first before the others, and what the store is short of."""

    taken: tuple[Taken, ...]
    short_amount: float
    expired: tuple[str, ...]


def from_stock(need_amount: float, batches: Sequence[StockBatch], on_day: int) -> FromStock:
    """Return which batches give a need on a day; expired ones are named and not taken from."""
    expired = tuple(b.name for b in batches if b.expires_day is not None and b.expires_day < on_day and b.left_amount > _EPS)
    usable = [b for b in batches if b.name not in expired and b.left_amount > _EPS]
    usable.sort(key=lambda b: (b.expires_day if b.expires_day is not None else math.inf, b.name))
    taken, left = [], need_amount
    for b in usable:
        if left <= _EPS:
            break
        part = min(left, b.left_amount)
        taken.append(Taken(b.name, part))
        left -= part
    return FromStock(tuple(taken), max(0.0, left) if left > 1e-6 else 0.0, expired)
