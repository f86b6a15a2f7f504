"""What of a ledger can be found by its code, name, number or amount, within a fence and outside of seals."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from django.db import connection

from rulka.core.books.book import View
from rulka.core.money import QUANTITY_DIGITS
from rulka.ledger.models import Counterparty, Ledger
from rulka.ledger.reading.trace_columns import places

MOST_ROWS = 60
"""Lines of an amount that are looked at."""
NEAR = Fraction(1, 100)
"""How far an amount may lie from one that is written with ~."""


@dataclass(frozen=True)
class FoundLine:
    """A journal line of an amount: its entry, account and texts; `amount` in major units."""

    entity: str
    number: str
    date: str
    account: str
    document: str
    text: str
    amount: Fraction
    digits: int


def line_keys(view: View) -> str:
    """The ids of the posting keys whose lines somebody may see, as JSON; kept."""
    return view.kept(
        ("keys of lines",),
        lambda: json.dumps(
            [int(key) for key, sealed in zip(view.keys.ids, view.sealed_keys, strict=True) if key and not sealed]
        ),
    )


def _mine(ledger: Ledger, view: View) -> tuple[str, str | int]:
    """What says of a line `l` that somebody may see it, and its value."""
    if _sees_every_line(view):
        return "EXISTS (SELECT 1 FROM ledger_postingkey k WHERE k.id = l.key_id AND k.ledger_id = %s)", ledger.pk
    return "+l.key_id IN (SELECT value FROM json_each(%s))", line_keys(view)


def _sees_every_line(view: View) -> bool:
    return view.fence.is_open


def _beginnings(text: str) -> list[tuple[str, str]]:
    """Bounds of what begins with a text, as it is typed and in capitals."""
    return [(begin, begin[:-1] + chr(ord(begin[-1]) + 1)) for begin in dict.fromkeys((text, text.upper()))]


def _rows(sql: str, values: Sequence[Any]) -> list[tuple[Any, ...]]:
    with connection.cursor() as cursor:
        cursor.execute(sql, values)
        return list(cursor.fetchall())


def documents(ledger: Ledger, view: View, text: str, most: int) -> list[tuple[str, int]]:
    """Documents whose number begins with a text, and how many visible lines each has."""
    found: dict[str, int] = {}
    mine, keys = _mine(ledger, view)
    for first, last in _beginnings(text):
        rows = _rows(
            "SELECT l.document, COUNT(*) FROM ledger_journalline l WHERE NOT (l.document = '') AND l.document >= %s "
            f"AND l.document < %s AND {mine} GROUP BY l.document ORDER BY l.document LIMIT %s",
            [first, last, keys, most],
        )
        found.update(rows)
    return sorted(found.items())[:most]


def entries(ledger: Ledger, view: View, text: str, most: int) -> list[tuple[str, str, str]]:
    """(entity, number, date) of entries whose number begins with a text and that have a visible line."""
    found: dict[tuple[str, str], str] = {}
    mine, keys = _mine(ledger, view)
    for first, last in _beginnings(text):
        rows = _rows(
            "SELECT y.code, e.number, e.date FROM ledger_entity y JOIN ledger_journalentry e ON e.entity_id = y.id "
            "WHERE y.ledger_id = %s AND e.number >= %s AND e.number < %s AND EXISTS (SELECT 1 FROM ledger_journalline "
            f"l WHERE l.entry_id = e.id AND {mine}) ORDER BY e.number LIMIT %s",
            [ledger.pk, first, last, keys, most],
        )
        found.update({(code, number): str(day) for code, number, day in rows})
    return [(*name, day) for name, day in sorted(found.items(), key=lambda pair: pair[0][1])][:most]


def counterparties(ledger: Ledger, view: View, text: str) -> list[tuple[str, str]]:
    """(code, name) of counterparties that hold every word of a text; of those with a visible line only, where somebody
    doesn't see all lines."""
    chosen = Counterparty.objects.filter(ledger=ledger)
    for word in text.split():
        chosen = chosen.filter(code__icontains=word) | chosen.filter(name__icontains=word)
    rows = list(chosen.values_list("code", "name")[:400])
    if _sees_every_line(view):
        return rows
    keys = line_keys(view)
    return [row for row in rows if _has_line(row[0], keys)]


def _has_line(code: str, keys: str) -> bool:
    sql = (
        "SELECT 1 FROM ledger_journalline l WHERE NOT (l.counterparty = '') AND l.counterparty = %s AND +l.key_id IN "
        "(SELECT value FROM json_each(%s)) LIMIT 1"
    )
    return bool(_rows(sql, [code, keys]))


def amounts(ledger: Ledger, view: View, amount: Fraction, *, near: bool) -> list[FoundLine]:
    """Journal lines of an amount in whole units, the newest first; within a hundredth of it, the closest first, where
    only that is asked."""
    digits = {QUANTITY_DIGITS, *view.frame.digits.tolist()}
    span = (abs(amount) * (1 - NEAR), abs(amount) * (1 + NEAR)) if near else (abs(amount), abs(amount))
    place = places(view)
    mine, keys = _mine(ledger, view)
    found = []
    for decimals in sorted(digits):
        low, high = (end * 10**decimals for end in span)
        first, last = -(-low.numerator // low.denominator), high.numerator // high.denominator
        if last >= 2**62 or first > last:
            continue
        rows = _rows(
            "SELECT y.code, e.number, l.date, l.key_id, l.document, l.description, l.debit - l.credit FROM "
            "ledger_journalline l CROSS JOIN ledger_journalentry e ON e.id = l.entry_id CROSS JOIN ledger_entity y ON "
            f"y.id = e.entity_id WHERE l.debit + l.credit BETWEEN %s AND %s AND y.ledger_id = %s AND {mine} LIMIT %s",
            [int(first), int(last), ledger.pk, keys, MOST_ROWS],
        )
        for code, number, day, key, document, text, net in rows:
            at = place[key]
            if view.digits_of(at) == decimals:
                account = view.frame.accounts.items[view.keys.account[at]]
                value = Fraction(net, 10**decimals)
                label = f"{account.code} {account.name}"
                found.append(FoundLine(code, number, str(day), label, document, text, value, decimals))
    found.sort(key=lambda line: line.date, reverse=True)
    return sorted(found, key=lambda line: abs(abs(line.amount) - abs(amount))) if near else found
