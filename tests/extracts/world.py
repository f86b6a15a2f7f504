"""What tests of extracts share: the journal as plain rows, an extract asked, its rows as texts."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from contextlib import contextmanager
from decimal import Decimal
from typing import Any

import pandas as pd
from django.db import connection

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.extracting.definitions import extract_from
from rulka.core.extracting.query import plain
from rulka.extracts.models import Extract
from rulka.extracts.running.asked import AskedExtract, ExtractReader, opened

LINES = """
SELECT y.code AS entity, y.currency, e.number AS entry, l.line, l.date, l.period, l.status, l.effect, a.code AS account,
 a.name AS account_name, a.type, a.category, a.intercompany, k.members, p.code AS partner, l.debit, l.credit,
 l.description, l.source, l.document, l.counterparty, l."user" AS user, l.revision
FROM ledger_journalline l JOIN ledger_journalentry e ON e.id = l.entry_id JOIN ledger_postingkey k ON k.id = l.key_id
JOIN ledger_account a ON a.id = k.account_id JOIN ledger_entity y ON y.id = k.entity_id
LEFT JOIN ledger_entity p ON p.id = k.partner_id WHERE y.ledger_id = %s
"""


def frame(sql: str, values: Iterable[Any]) -> pd.DataFrame:
    """A plain query as a data frame."""
    with connection.cursor() as cursor:
        cursor.execute(sql, list(values))
        return pd.DataFrame(cursor.fetchall(), columns=[column[0] for column in cursor.description])


def journal(ledger: Any) -> pd.DataFrame:
    """Every journal line of a ledger with its codes; amounts are whole numbers."""
    found = frame(LINES, [ledger.pk])
    members = dict(ledger.members.values_list("pk", "code"))
    dimensions = dict(ledger.members.values_list("pk", "dimension"))
    for name in ledger.dimensions:
        found[name] = [
            next((members[int(part)] for part in text.split(",") if dimensions[int(part)] == name), "")
            for text in found["members"]
        ]
    found["partner"] = found["partner"].fillna("")
    found["amount"] = found["debit"] - found["credit"]
    found["date"] = found["date"].astype(str)
    return found


def below(ledger: Any, dimension: str, codes: Iterable[str]) -> set[str]:
    """Members with all below them."""
    parents = dict(ledger.members.filter(dimension=dimension).values_list("code", "parent"))
    found = set(codes)
    while more := {code for code, parent in parents.items() if parent in found} - found:
        found |= more
    return found


@contextmanager
def asking(
    ledger: Any, body: Mapping[str, Any] | str, given: Mapping[str, str] | None = None, *, fence: Fence = NO_FENCE,
    period: str = "2027-P07", layout: str = "", revision: int | None = None, since: int | None = None,
):  # fmt: skip
    """An extract by its name or its body, asked."""
    told = Extract.objects.get(ledger=ledger, name=body).body if isinstance(body, str) else {"extract": "x", **body}
    reader = ExtractReader(ledger, fence, period, revision=revision)
    with opened(extract_from(told), reader, given or {}, layout=layout, since=since) as asked:
        yield asked


def rows_of(asked: AskedExtract) -> list[dict[str, str]]:
    """All rows as plain texts by the columns' keys."""
    columns = asked.query.columns
    return [
        {one.key: plain(value, one.shows) for value, one in zip(row, columns, strict=True)}
        for row in asked.rows.rows(asked.query)
    ]


def total(rows: Iterable[Mapping[str, str]], column: str, **where: str) -> Decimal:
    """The sum of a column over the rows with some values."""
    chosen = (row for row in rows if all(row[name] == value for name, value in where.items()))
    return sum((Decimal(row[column]) for row in chosen), Decimal(0))
