"""Journal lines for the core: sums by day, source, kind or counterparty, single lines, and what lines say they were
worth."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from django.db import connection

from rulka.core.books.calendar import period_number
from rulka.core.books.chart import IntArray
from rulka.core.books.frame import Frame, Movements
from rulka.core.books.journal import EntryLine, Grouped, Historical, LinesAsked, LineSums, Texts
from rulka.core.errors import RulkaError
from rulka.ledger.models import Counterparty, Ledger

COLUMNS = {
    "counterparty": "l.counterparty",
    "day": "l.date",
    "document": "l.document",
    "kind": "e.kind",
    "source": "l.source",
    "user": 'l."user"',
}
JOINED = "FROM ledger_journalline l JOIN ledger_journalentry e ON e.id = l.entry_id"


@dataclass(frozen=True)
class KeyPiece:
    """Lines of an effect in some stored periods, between two days where these are said, both included."""

    effect: int
    periods: tuple[int, ...]
    start: date | None = None
    end: date | None = None


def condition(
    ids: Sequence[int],
    pieces: Sequence[KeyPiece],
    statuses: Sequence[int],
    texts: Sequence[tuple[str, Sequence[str]]] = (),
) -> tuple[str, list[Any]]:
    """Lines of some posting keys by their ids and of any of some pieces, as a condition on `l` (and `e` where kinds are
    asked) and its values."""
    every = sorted({period for piece in pieces for period in piece.periods})
    parts = [
        "l.key_id IN (SELECT value FROM json_each(%s))",
        "l.period IN (SELECT value FROM json_each(%s))",
        f"l.status IN ({', '.join(str(int(status)) for status in statuses)})",
    ]
    values: list[Any] = [json.dumps(list(ids)), json.dumps(every)]
    any_of = []
    for piece in pieces:
        own = [f"l.effect = {int(piece.effect)}"]
        if sorted(piece.periods) != every:
            own.append("l.period IN (SELECT value FROM json_each(%s))")
            values.append(json.dumps(sorted(piece.periods)))
        if piece.start and piece.end:
            own.append("l.date BETWEEN %s AND %s")
            values += [piece.start.isoformat(), piece.end.isoformat()]
        any_of.append(f"({' AND '.join(own)})")
    parts.append(f"({' OR '.join(any_of) or '0'})")
    for name, wanted in texts:
        parts.append(f"{COLUMNS[name]} IN (SELECT value FROM json_each(%s))")
        values.append(json.dumps(list(wanted)))
    return " AND ".join(parts), values


class LineReader:
    """Reads the lines of one ledger as they are now; `ids` are its posting keys in the order of the book's, rising."""

    def __init__(self, ledger: Ledger, frame: Frame, ids: IntArray) -> None:
        self.ledger, self.frame, self.ids = ledger, frame, ids
        self.place = {int(key): at for at, key in enumerate(ids)}
        self.periods = {period_number(period.code): period.index for period in frame.calendar.periods}

    def _numbers(self, first: int, last: int) -> str:
        return json.dumps([period_number(period.code) for period in self.frame.calendar.periods[first : last + 1]])

    def grouped(self, fields: tuple[str, ...], first: int, last: int) -> Grouped:
        """Sums over the periods `first` to `last`, both included, by posting key, period, status, effect and these
        fields."""
        by = ", ".join(["l.key_id", "l.period", "l.status", "l.effect", *(COLUMNS[name] for name in fields)])
        joined = JOINED if "kind" in fields else "FROM ledger_journalline l"
        sql = (
            f"SELECT {by}, SUM(l.debit), SUM(l.credit), COUNT(*) {joined} JOIN ledger_postingkey k ON k.id = l.key_id "
            f"WHERE k.ledger_id = %s AND l.period IN (SELECT value FROM json_each(%s)) GROUP BY {by}"
        )
        with connection.cursor() as cursor:
            cursor.execute(sql, [self.ledger.pk, self._numbers(first, last)])
            rows = [row for row in cursor.fetchall() if row[0] in self.place and row[1] in self.periods]
        width = 4 + len(fields)
        fixed = np.array(
            [[self.place[row[0]], self.periods[row[1]], row[2], row[3], *row[width:]] for row in rows], dtype=np.int64
        ).reshape(-1, 7)
        codes: dict[str, IntArray] = {}
        labels: dict[str, tuple[str, ...]] = {}
        for at, name in enumerate(fields, 4):
            texts = [str(row[at]) for row in rows]
            labels[name] = tuple(sorted(set(texts)))
            place = {text: number for number, text in enumerate(labels[name])}
            codes[name] = np.array([place[text] for text in texts], dtype=np.int64)
        names = (
            dict(Counterparty.objects.filter(ledger=self.ledger).values_list("code", "name"))
            if "counterparty" in fields
            else {}
        )
        return Grouped(Movements(*(np.ascontiguousarray(column) for column in fixed.T)), codes, labels, names)

    def lines(self, keys: IntArray, first: int, last: int, most: int, texts: Texts = ()) -> Sequence[EntryLine]:
        """The lines of some posting keys by day and entry; refused when there are more than `most`."""
        ids = json.dumps([int(self.ids[key]) for key in keys if key < len(self.ids)])
        entity = {
            int(pk): self.frame.entities.index[code] for pk, code in self.ledger.entities.values_list("pk", "code")
        }
        also = "".join(f"AND {COLUMNS[name]} IN (SELECT value FROM json_each(%s)) " for name, _ in texts)
        sql = (
            "SELECT e.entity_id, e.number, l.line, l.date, l.key_id, l.period, l.status, l.effect, l.debit, l.credit, "
            "l.description, l.document, "
            f"l.counterparty, l.source, e.kind, l.revision {JOINED} "
            "WHERE l.key_id IN (SELECT value FROM json_each(%s)) "
            f"AND l.period IN (SELECT value FROM json_each(%s)) {also}ORDER BY l.date, e.number, l.id LIMIT %s"
        )
        with connection.cursor() as cursor:
            asked = [json.dumps(list(wanted)) for _, wanted in texts]
            cursor.execute(sql, [ids, self._numbers(first, last), *asked, most + 1])
            rows = cursor.fetchall()
        if len(rows) > most:
            raise RulkaError(
                f"More than {most} journal lines stand behind it.",
                hint="Narrow the line or its columns before expanding it into entries.",
                code="too-much",
            )
        return [
            EntryLine(
                entity[row[0]],
                row[1],
                row[2],
                row[3] if isinstance(row[3], date) else date.fromisoformat(row[3]),
                self.place[row[4]],
                self.periods[row[5]],
                *row[6:],
            )
            for row in rows
        ]

    def sums(self, asked: LinesAsked, fields: tuple[str, ...], *, by_key: bool) -> LineSums:
        """Sums of some lines by posting key, period and effect, or all together, and by fields."""
        by = [*(("l.key_id", "l.period", "l.effect") if by_key else ()), *(COLUMNS[name] for name in fields)]
        where, values = self.where(asked)
        joined = JOINED if "kind" in (*fields, *dict(asked.texts)) else "FROM ledger_journalline l"
        grouped = f"GROUP BY {', '.join(by)}" if by else ""
        sql = f"SELECT {', '.join([*by, 'SUM(l.debit)', 'SUM(l.credit)', 'COUNT(*)'])} {joined} WHERE {where} {grouped}"
        with connection.cursor() as cursor:
            cursor.execute(sql, values)
            rows = [row for row in cursor.fetchall() if row[-1]]
        first = 3 if by_key else 0
        places = (
            [[self.place[row[0]], self.periods[row[1]], row[2]] for row in rows] if by_key else [[-1] * 3] * len(rows)
        )
        fixed = np.array([[*place, *row[-3:]] for place, row in zip(places, rows, strict=True)], dtype=np.int64)
        codes = [row[first + fields.index("counterparty")] for row in rows] if "counterparty" in fields else []
        key, period, effect, debit, credit, count = fixed.reshape(-1, 6).T
        texts = {name: [str(row[at]) for row in rows] for at, name in enumerate(fields, first)}
        return LineSums(key, period, effect, debit, credit, count, texts, self.names(codes) if codes else {})

    def names(self, codes: Sequence[str]) -> dict[str, str]:
        """What some counterparties are called, by their code."""
        known = Counterparty.objects.filter(ledger=self.ledger, code__in=set(codes)) if len(codes) < 500 else None
        found = Counterparty.objects.filter(ledger=self.ledger) if known is None else known
        return dict(found.values_list("code", "name"))

    def where(self, asked: LinesAsked) -> tuple[str, list[Any]]:
        """Which lines, as a condition on `l` (and `e` where kinds are asked) and its values."""
        numbers = [period_number(period.code) for period in self.frame.calendar.periods]
        pieces = [
            KeyPiece(effect, tuple(numbers[place] for place in places), asked.start, asked.end)
            for effect, places in asked.pieces
        ]
        ids = [int(self.ids[key]) for key in asked.keys if key < len(self.ids)]
        where, values = condition(ids, pieces, asked.statuses, asked.texts)
        return where + "".join(f" AND {COLUMNS[name]} <> ''" for name in asked.filled), values

    def historical(self) -> Historical:
        """All lines with a historical amount, summed by key, period, status and effect."""
        sql = (
            "SELECT l.key_id, l.period, l.status, l.effect, SUM(l.debit - l.credit), SUM(l.historical_amount) FROM "
            "ledger_journalline l "
            "JOIN ledger_postingkey k ON k.id = l.key_id WHERE k.ledger_id = %s AND l.historical_amount IS NOT NULL "
            "GROUP BY 1, 2, 3, 4"
        )
        with connection.cursor() as cursor:
            cursor.execute(sql, [self.ledger.pk])
            rows = [row for row in cursor.fetchall() if row[0] in self.place and row[1] in self.periods]
        table = np.array(
            [[self.place[row[0]], self.periods[row[1]], *row[2:]] for row in rows], dtype=np.int64
        ).reshape(-1, 6)
        return Historical(*table.T)
