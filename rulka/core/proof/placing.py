"""Where an account that has no place most likely belongs: beside its neighbours in code order, category and
hierarchy."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rulka.core.books.chart import Item
from rulka.core.compute.computed import Computed
from rulka.core.definitions.spines import LineDef
from rulka.core.money import minor_text
from rulka.core.proof.placed import placing_leaves, unplaced


@dataclass(frozen=True)
class Suggestion:
    """An account without a place, what stands on it, and the line it most likely belongs to; no line where nothing
    speaks for one."""

    code: str
    name: str
    amount: str
    line: str
    label: str
    why: str


def suggestions(computed: Computed) -> list[Suggestion]:
    """Every account that is owed a place and has none, in code order."""
    frame = computed.view.frame
    accounts = frame.accounts.items
    held: dict[str, tuple[LineDef, list[int]]] = {}
    for leaf in placing_leaves(computed):
        if not leaf.is_quantity and leaf.names_accounts:
            held.setdefault(leaf.line.key, (leaf.line, []))[1].extend(
                int(place) for place in np.flatnonzero(leaf.accounts)
            )
    amounts = unplaced(computed)
    found = []
    for place, amount in amounts.items():
        ranked = sorted(
            ((_score(accounts, place, places), line) for line, places in held.values()),
            key=lambda scored: -scored[0][0],
        )
        item = accounts[place]
        text = minor_text(amount, computed.node.digits)
        if ranked and ranked[0][0][0] > 0:
            (_, why), line = ranked[0]
            found.append(Suggestion(item.code, item.name, text, line.key, line.label, why))
        else:
            found.append(Suggestion(item.code, item.name, text, "", "", ""))
    return found


def _score(accounts: tuple[Item, ...], place: int, places: list[int]) -> tuple[float, str]:
    """How much speaks for a line that holds some accounts, and what; another type speaks against it."""
    item = accounts[place]
    alike = [other for other in places if accounts[other].type == item.type]
    if not alike:
        return 0.0, ""
    below = max((other for other in alike if other < place), default=None)
    above = min((other for other in alike if other > place), default=None)
    gaps = [abs(other - place) for other in (below, above) if other is not None]
    score, why = 2.0 / min(gaps), f"beside {accounts[below if below is not None else above or 0].code}"
    if below is not None and above is not None:
        score, why = score + 1.0, f"between {accounts[below].code} and {accounts[above].code}"
    category = [other for other in alike if item.category and accounts[other].category == item.category]
    if category:
        score, why = score + 3.0 * len(category) / len(places), f"{why}, category {item.category}"
    parents = [other for other in alike if item.parent and accounts[other].parent == item.parent]
    return score + 0.5 * len(parents) / len(places), why
