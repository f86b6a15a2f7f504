"""The accounts to choose from for a line: the hierarchy with balances, what is chosen, and what is placed where."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from rulka.core.books.chart import BoolArray, CodeList, Item
from rulka.core.compute.computed import Computed
from rulka.core.edits.choosing import accounts_clause, mask_of
from rulka.core.money import QUANTITY_DIGITS
from rulka.core.proof.placed import placing_leaves

MOST_ROWS = 400


@dataclass(frozen=True)
class Pick:
    """One account to choose: `amount` is its closing balance at the period, minor units, debit positive.

    `below` is the number of accounts below it, `chosen_below` how many of them are chosen; `lines` are the labels of
    other lines that hold it.
    """

    code: str
    name: str
    type: str
    category: str
    depth: int
    amount: int
    digits: int
    chosen: bool
    below: int
    chosen_below: int
    lines: tuple[str, ...]


@dataclass(frozen=True)
class Picks:
    """The accounts shown, how many fit the search, how many are chosen in all, and what one can filter by."""

    rows: tuple[Pick, ...]
    fitting: int
    chosen: int
    types: tuple[str, ...]
    categories: tuple[str, ...]


def picks(
    computed: Computed, key: str, text: str, *, search: str = "", kind: str = "", category: str = "", only: str = ""
) -> Picks:
    """The accounts that fit, each below its visible heads; `only` is empty, chosen or unplaced."""
    view = computed.view
    accounts = view.frame.accounts
    seen = view.visible_accounts()
    chosen = mask_of(accounts_clause(text)[0], accounts) & seen
    lines = _lines_by_account(computed, key)
    count = len(accounts)
    fits = seen & np.fromiter((_fits(one, search, kind, category) for one in accounts.items), dtype=bool, count=count)
    if only == "chosen":
        fits &= chosen
    elif only == "unplaced":
        fits &= ~chosen & np.fromiter((not lines.get(place) for place in range(count)), dtype=bool, count=count)
    shown = fits & True
    for place in np.flatnonzero(fits):
        for head in _heads(accounts, int(place)):
            shown[head] = seen[head]
    balances = view.balances("actual")
    amounts = view.by_account(balances.closing[:, computed.period.index], computed.node.keys)
    rows = [
        _row(computed, int(place), chosen, lines, int(amounts[place])) for place in np.flatnonzero(shown)[:MOST_ROWS]
    ]
    items = [item for item, visible in zip(accounts.items, seen, strict=True) if visible]
    types = tuple(dict.fromkeys(item.type for item in items))
    categories = {item.category for item in items if item.category and (not kind or item.type == kind)}
    named = tuple(sorted(categories, key=str.casefold))
    return Picks(tuple(rows), int(fits.sum()), int(chosen.sum()), types, named)


def _row(computed: Computed, place: int, chosen: BoolArray, lines: dict[int, list[str]], amount: int) -> Pick:
    accounts = computed.view.frame.accounts
    item = accounts.items[place]
    below = [at for at in accounts.below[item.code] if at != place]
    digits = QUANTITY_DIGITS if item.type == "statistical" else computed.node.digits
    return Pick(
        item.code,
        item.name,
        item.type,
        item.category,
        sum(1 for _ in _heads(accounts, place)),
        amount,
        digits,
        bool(chosen[place]),
        len(below),
        int(chosen[below].sum()) if below else 0,
        tuple(lines.get(place, ())),
    )


def _heads(accounts: CodeList, place: int) -> Iterator[int]:
    item = accounts.items[place]
    while item.parent in accounts.index:
        yield accounts.index[item.parent]
        item = accounts[item.parent]


def _fits(item: Item, search: str, kind: str, category: str) -> bool:
    words = search.casefold().split()
    text = f"{item.code} {item.name} {item.category}".casefold()
    return all(word in text for word in words) and kind in ("", item.type) and category in ("", item.category)


def _lines_by_account(computed: Computed, key: str) -> dict[int, list[str]]:
    """The other lines that hold each account, by its place in the chart."""
    found: dict[int, list[str]] = {}
    for leaf in placing_leaves(computed):
        if leaf.line.key != key and leaf.names_accounts:
            for place in np.flatnonzero(leaf.accounts):
                labels = found.setdefault(int(place), [])
                if leaf.line.label not in labels:
                    labels.append(leaf.line.label)
    return found
