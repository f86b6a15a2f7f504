"""A ledger loaded in any blocks, over arrays or entry by entry: the same books, the same digests, the same messages."""

from __future__ import annotations

import csv
import random
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from django.db import connection

from bench.intake import write_ledger
from rulka.core.errors import RulkaErrors
from rulka.core.intake import blocks
from rulka.formats.intake import ledger_folder
from rulka.ledger.loading import bulk
from rulka.ledger.loading.load import load_folder

pytestmark = pytest.mark.django_db

SPOILT = [
    ("debit", "1,00"), ("debit", "-3.00"), ("account", "9999"), ("date", "2021-02-30"), ("line", ""), ("entry", " N1"),
    ("status", "?"), ("department", "999"), ("debit", "7.125"), ("credit", "0.01"), ("modified_at", "today"),
]  # fmt: skip
HELD = {
    "entries": "SELECT y.code, e.number, e.date, e.period, e.status, e.kind, e.modified_at, e.digest, e.row FROM "
    "ledger_journalentry e JOIN ledger_entity y ON y.id = e.entity_id JOIN ledger_ledger l ON l.id = e.ledger_id "
    "WHERE l.code = %s",
    "lines": "SELECT y.code, e.number, j.line, a.code, m.code, j.period, j.date, j.status, j.effect, j.debit, "
    "j.credit, j.description, j.source, j.document, j.counterparty, j.counterparty_name, j.user, j.batch, "
    "j.attributes FROM "
    "ledger_journalline j JOIN ledger_journalentry e ON e.id = j.entry_id JOIN ledger_entity y ON y.id = e.entity_id "
    "JOIN ledger_postingkey k ON k.id = j.key_id JOIN ledger_account a ON a.id = k.account_id JOIN ledger_member m ON "
    "m.id = k.members JOIN ledger_ledger l ON l.id = k.ledger_id WHERE l.code = %s",
    "balances": "SELECT y.code, a.code, m.code, b.period, b.status, b.effect, b.debit, b.credit, b.count FROM "
    "ledger_balance b JOIN ledger_postingkey k ON k.id = b.key_id JOIN ledger_entity y ON y.id = k.entity_id JOIN "
    "ledger_account a ON a.id = k.account_id JOIN ledger_member m ON m.id = k.members JOIN ledger_ledger l ON l.id = "
    "k.ledger_id WHERE l.code = %s",
}


def books(code: str) -> dict[str, list[tuple[Any, ...]]]:
    """All that a ledger holds, by what it is called."""
    found = {}
    with connection.cursor() as cursor:
        for what, sql in HELD.items():
            cursor.execute(sql, [code])
            found[what] = sorted(cursor.fetchall(), key=repr)
    return found


def loaded(code: str, folder: Path) -> dict[str, list[tuple[Any, ...]]] | list[str]:
    """What became of a load: the books, or the messages."""
    try:
        load_folder(code, folder)
    except RulkaErrors as error:
        return [str(one) for one in error.errors]
    return books(code)


def ways(patch: pytest.MonkeyPatch, dice: random.Random, way: str) -> None:
    """Read and write in other pieces, or doubt every entry."""
    if way == "pieces":
        patch.setattr(ledger_folder, "CHUNK", dice.randrange(300, 4_000))
        patch.setattr(bulk, "ROWS", dice.randrange(1, 90))
    elif way == "rows":
        patch.setattr(ledger_folder, "plain_table", lambda data, width: None)
        patch.setattr(ledger_folder, "BLOCK", dice.randrange(5, 200))
    else:
        amounts = blocks._amounts

        def doubted(column: Any, digits: Any, most: int) -> Any:
            found, odd = amounts(column, digits, most)
            return found, np.ones_like(odd)

        patch.setattr(blocks, "_amounts", doubted)


@pytest.mark.parametrize("spoilt", [False, True])
def test_books_and_messages_are_the_same_whatever_way_rows_take(tmp_path, spoilt):
    dice = random.Random(5)
    write_ledger(tmp_path / "ledger", 1_500)
    entries = tmp_path / "ledger" / "entries.csv"
    with entries.open(newline="") as file:
        header, *rows = list(csv.reader(file))
    header += ["modified_at", "status"]
    rows = [[*row, "2026-01-01T10:00:00+02:00", "pending" if int(row[1][1:]) % 7 == 0 else ""] for row in rows]
    if spoilt:
        for column, text in SPOILT:
            dice.choice(rows)[header.index(column)] = text
    with entries.open("w", newline="") as file:
        csv.writer(file).writerows([header, *rows])
    wanted = loaded("usual", tmp_path / "ledger")
    assert len(wanted) >= (len(SPOILT) if spoilt else 3) and isinstance(wanted, list) is spoilt
    for way in ("pieces", "rows", "doubt"):
        with pytest.MonkeyPatch.context() as patch:
            ways(patch, dice, way)
            assert loaded(way, tmp_path / "ledger") == wanted, way
    if not spoilt:
        dice.shuffle(rows)
        with entries.open("w", newline="") as file:
            csv.writer(file).writerows([header, *rows])
        apart = loaded("apart", tmp_path / "ledger")
        assert isinstance(apart, dict) and isinstance(wanted, dict)
        assert apart["balances"] == wanted["balances"] and apart["lines"] == wanted["lines"]
        assert [row[:-1] for row in apart["entries"]] == [row[:-1] for row in wanted["entries"]]
