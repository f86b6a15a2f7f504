"""A variance as price, volume and mix, where its line says what is paid for. The parts add up to the variance exactly.

With a and b the money of both sides by member and q and r their quantities, B and R the sums of b and r over what is
measured: price is the sum of a - p q (p = b / r, or B / R where the compared side has no quantity), volume is
(sum of q - R) B / R, mix is the sum of p q less (sum of q) B / R. Money of members without any quantity stands apart.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from rulka.core.books.chart import BoolArray
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.readings import finer_than_seal
from rulka.core.definitions.keys import inside_words
from rulka.core.definitions.spines import LineDef
from rulka.core.money import QUANTITY_DIGITS
from rulka.core.proof.splits import OpenedFigure, places_of
from rulka.core.proof.terms import sides_of

By = dict[int, Fraction]


@dataclass(frozen=True)
class UnitRate:
    """Money and quantity of a member, or of all, on both sides."""

    label: str
    shown: Fraction
    compared: Fraction
    quantity: Fraction
    compared_quantity: Fraction

    @property
    def price(self) -> Fraction | None:
        return self.shown / self.quantity if self.quantity else None

    @property
    def compared_price(self) -> Fraction | None:
        return self.compared / self.compared_quantity if self.compared_quantity else None


@dataclass(frozen=True)
class PriceVolume:
    """A variance by price, volume and mix, in presented sign and major units; `unit` is what is counted, `by` the
    dimension whose members are told apart, empty where only one is. `why` says why it can't be told; the parts are
    nothing then."""

    value: Fraction
    unit: str
    by: str = ""
    price: Fraction = Fraction(0)
    volume: Fraction = Fraction(0)
    mix: Fraction = Fraction(0)
    unmeasured: Fraction = Fraction(0)
    total: UnitRate | None = None
    members: tuple[UnitRate, ...] = ()
    why: str = ""

    @property
    def agrees(self) -> bool:
        return not self.why and self.price + self.volume + self.mix + self.unmeasured == self.value


def price_volume(opened: OpenedFigure) -> PriceVolume | None:
    """The difference that was opened by price, volume and mix; None where its line names nothing that is counted, or it
    is no difference."""
    computed, row = opened.computed, opened.row
    line = computed.line(row.line)
    sides = sides_of(computed, opened.column_key)
    if line.volume is None or line.kind != "line" or sides is None or opened.value is None or opened.is_narrowed:
        return None
    view = computed.view
    statistical = view.frame.accounts.of_type("statistical")
    counted = view.mask(line.volume).keys & statistical[view.keys.account]
    unit = _unit(computed, line, counted)
    if not counted.any():
        return PriceVolume(opened.value, unit, why="Nothing that it is counted by was ever booked.")
    if opened.pools is None or opened.closed:
        return PriceVolume(opened.value, unit, why="The figure is no sum of what was booked.")
    by = _dimension(computed, counted)
    quantities = [_quantities(computed, side, counted, by) for side in sides]
    if quantities[0] is None or quantities[1] is None:
        return PriceVolume(opened.value, unit, why="One of its columns shows nothing that could be counted alike.")
    return parted(opened.value, unit, by, _money(opened, by), (quantities[0], quantities[1]), _labels(computed, by))


def parted(
    value: Fraction, unit: str, by: str, money: tuple[By, By], counted: tuple[By, By], labels: Mapping[int, str]
) -> PriceVolume:
    """Price, volume and mix of money and quantities by member (its place)."""
    places = sorted(set(money[0]) | set(money[1]) | set(counted[0]) | set(counted[1]))
    none = Fraction(0)
    rates = {
        place: UnitRate(labels.get(place, ""), *(side.get(place, none) for side in (*money, *counted)))
        for place in places
    }
    measured = {place: rate for place, rate in rates.items() if rate.quantity or rate.compared_quantity}
    unmeasured = sum((r.shown - r.compared for place, r in rates.items() if place not in measured), none)
    whole = UnitRate(
        "",
        *(
            sum((getattr(rate, name) for rate in measured.values()), none)
            for name in ("shown", "compared", "quantity", "compared_quantity")
        ),
    )
    mean = whole.compared_price
    if mean is None:
        told = f"There are no {inside_words(unit)} on the side that it is compared with."
        return PriceVolume(value, unit, by, why=told)
    price = mixed = none
    for rate in measured.values():
        at_former = (mean if rate.compared_price is None else rate.compared_price) * rate.quantity
        price += rate.shown - at_former
        mixed += at_former
    return PriceVolume(
        value,
        unit,
        by if len(measured) > 1 else "",
        price,
        (whole.quantity - whole.compared_quantity) * mean,
        mixed - mean * whole.quantity,
        unmeasured,
        whole,
        tuple(measured.values()),
    )


def _unit(computed: Computed, line: LineDef, counted: BoolArray) -> str:
    """What is counted, as its accounts are called."""
    frame, view = computed.view.frame, computed.view
    places = np.unique(view.keys.account[counted])
    names = [frame.accounts.items[int(place)].name for place in places]
    assert line.volume is not None
    return names[0] if len(names) == 1 else line.volume.written


def _dimension(computed: Computed, counted: BoolArray) -> str:
    """The dimension whose members tell quantities apart the most; empty where none does."""
    view = computed.view
    own = counted & computed.node.keys
    found, most = "", 1
    for at, name in enumerate(view.frame.dimensions):
        members = np.unique(view.keys.members[own, at])
        if len(members) > most and (members >= 0).all():
            found, most = name, len(members)
    return found


def _labels(computed: Computed, by: str) -> dict[int, str]:
    if not by:
        return {}
    items = computed.view.frame.dimensions[by].items
    return {at: f"No {by}" if item.code == "-" else item.name or item.code for at, item in enumerate(items)}


def _money(opened: OpenedFigure, by: str) -> tuple[By, By]:
    """The two sides of a difference by member, the second as it stands there and not as it counts."""
    sides: tuple[By, By] = ({}, {})
    for pool in opened.pools or ():
        members = places_of(pool, by) if by else np.zeros(len(pool.keys), dtype=np.int64)
        sums = pool.amounts.sum(axis=0)
        for place in np.unique(members):
            amount = pool.factor * Fraction(int(sums[members == place].sum()))
            side = sides[pool.side]
            side[int(place)] = side.get(int(place), Fraction(0)) + (-amount if pool.side else amount)
    return sides


def _quantities(computed: Computed, column: Column, counted: BoolArray, by: str) -> By | None:
    """Quantities by member that stand in a column; None where it shows no such or may not tell them."""
    if column.kind == "sum":
        added: By = {}
        for key in column.of:
            part = _quantities(computed, computed.column(key), counted, by)
            if part is None:
                return None
            for member, quantity in part.items():
                added[member] = added.get(member, Fraction(0)) + quantity
        return added
    if not column.has_figures or column.asked.part:
        return None
    reading, vector = computed.readings.plain(column)
    narrowed_by = column.by | computed.plan.node_of(column).by | ({by} if by else set())
    sealed = (computed.view.coarse[computed.view.keys.account] & counted).any()
    if vector is None or (sealed and finer_than_seal(computed.view, narrowed_by, reading.source, reading.window)):
        return None
    keys = np.flatnonzero(counted & computed.plan.keys_of(column))
    own = computed.view.keys.members[keys]
    members = own[:, list(computed.view.frame.dimensions).index(by)] if by else np.zeros(len(keys), dtype=np.int64)
    scale = Fraction(1, 10**QUANTITY_DIGITS * vector.divisor)
    return {int(member): int(vector.amounts[keys[members == member]].sum()) * scale for member in np.unique(members)}
