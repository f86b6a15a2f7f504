"""A journal that is written as it is kept: balanced entries to CSV rows, with running balances."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from datetime import date
from typing import NamedTuple, TextIO

from demo.chart import COUNTERPARTIES, TYPE

COLUMNS = [
    "entity",
    "entry",
    "line",
    "date",
    "account",
    "department",
    "crossing",
    "debit",
    "credit",
    "description",
    "source",
    "document",
    "counterparty",
    "counterparty_name",
    "partner_entity",
    "user",
    "status",
    "kind",
    "modified_at",
]
USERS = {
    "tickets": "till",
    "payables": "ap.desk",
    "receivables": "ar.desk",
    "payroll": "pay.desk",
    "fixed assets": "fa.desk",
    "bank": "treasury",
    "general": "gl.desk",
}


def amount_text(cents: int) -> str:
    """Cents as a plain decimal."""
    return f"{cents // 100}.{cents % 100:02d}"


class Line(NamedTuple):
    """One line; `cents` is debit positive."""

    account: str
    cents: int
    department: str = "-"
    crossing: str = "-"
    text: str = ""
    partner: str = ""


class Journal:
    """Writes entries and keeps balances by (entity, account) and by (entity, account, department, crossing,
    partner)."""

    def __init__(self, file: TextIO) -> None:
        self.writer = csv.writer(file, lineterminator="\n")
        self.writer.writerow(COLUMNS)
        self.balance: dict[tuple[str, str], int] = {}
        self.result: dict[tuple[str, str, str, str, str], int] = {}
        self.lines = 0
        self._numbers: dict[str, int] = {}

    def post(
        self,
        entity: str,
        module: str,
        day: date,
        text: str,
        lines: Sequence[Line],
        *,
        document: str = "",
        party: str = "",
        status: str = "",
        kind: str = "",
        number: str = "",
        modified: str = "",
    ) -> str:
        """Write one balanced entry; returns its number."""
        kept = [line for line in lines if line.cents]
        money = sum(line.cents for line in kept if TYPE[line.account] != "statistical")
        if money:
            raise ValueError(f"{entity} {day} {text} is {money} cents apart")
        if not kept:
            return ""
        if not number:
            prefix = f"{entity}-{module[:2].upper()}{day:%y%m}"
            self._numbers[prefix] = self._numbers.get(prefix, 0) + 1
            number = f"{prefix}-{self._numbers[prefix]:04d}"
        name = COUNTERPARTIES[party][0] if party else ""
        stamp = modified or f"{day.isoformat()}T18:30:00+00:00"
        for place, line in enumerate(kept, 1):
            debit, credit = (amount_text(line.cents), "") if line.cents > 0 else ("", amount_text(-line.cents))
            self.writer.writerow(
                [
                    *(entity, number, place, day.isoformat(), line.account, line.department, line.crossing),
                    *(debit, credit, line.text or text, module, document, party, name, line.partner, USERS[module]),
                    *(status, kind, stamp),
                ]
            )
            self._keep(entity, line, status, kind)
        self.lines += len(kept)
        return number

    def _keep(self, entity: str, line: Line, status: str, kind: str) -> None:
        if status == "pending":
            return
        key = (entity, line.account)
        self.balance[key] = self.balance.get(key, 0) + line.cents
        if TYPE[line.account] in ("revenue", "expense"):
            place = (entity, line.account, line.department, line.crossing, line.partner)
            self.result[place] = self.result.get(place, 0) + line.cents

    def of(self, entity: str, account: str) -> int:
        """The running balance of an account, debit positive, in cents."""
        return self.balance.get((entity, account), 0)
