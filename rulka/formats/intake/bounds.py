"""Keeps a load within bounds of date, entity and account, so that balances still tie.

What lies before the first day comes as opening entries; what an entry posts outside the accounts is one line on a rest
account.
"""

from __future__ import annotations

import csv
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from itertools import groupby
from pathlib import Path

from rulka.core.errors import RulkaError

RESULT = ("revenue", "expense")


@dataclass(frozen=True)
class MemoryBounds:
    """Bounds of a feed; empty ones bind nothing. `first_day` is the first of a period, as YYYY-MM-DD."""

    first_day: str = ""
    entities: tuple[str, ...] = ()
    accounts: tuple[str, ...] = ()
    rest_account: str = ""

    @property
    def is_open(self) -> bool:
        return not (self.first_day or self.entities or self.accounts)


@dataclass(frozen=True)
class OpeningRules:
    """What openings need to know: the first day of the bound's fiscal year, account types, and where former results
    stand."""

    year_start: str
    types: Mapping[str, str]
    retained_earnings: str
    dimensions: Sequence[str]


def bound_entries(
    folder: Path, bounds: MemoryBounds, rules: OpeningRules, *, openings: Iterable[dict[str, str]] | None = None
) -> None:
    """Rewrite entries.csv within bounds.

    `openings` are sums before the first day that the source gave (rows with entity, account, members, status, debit,
    credit and `former` set where they lie before the fiscal year); where they are None, they are summed from the file's
    earlier rows.
    """
    path = folder / "entries.csv"
    target = folder / "entries.bounded"
    sums: dict[tuple[str, ...], Decimal] = {}
    with path.open(encoding="utf-8-sig", newline="") as file, target.open("w", encoding="utf-8", newline="") as out:
        reader = csv.DictReader(file)
        columns = list(reader.fieldnames or ())
        for name in ("status", "kind", "partner_entity", *rules.dimensions):
            if name not in columns:
                columns.append(name)
        writer = csv.DictWriter(out, columns, restval="", lineterminator="\r\n")
        writer.writeheader()
        kept: list[dict[str, str]] = []
        for row in reader:
            if bounds.entities and row["entity"] not in bounds.entities:
                continue
            if bounds.first_day and row["date"] < bounds.first_day:
                _add(sums, row, rules, former=row["date"] < rules.year_start)
            else:
                kept.append(row)
        for row in openings or ():
            _add(sums, row, rules, former=bool(row.get("former")))
        writer.writerows(_accounts(_opening_rows(sums, bounds, rules), bounds, rules))
        writer.writerows(_accounts(kept, bounds, rules))
    target.replace(path)


def _add(sums: dict[tuple[str, ...], Decimal], row: Mapping[str, str], rules: OpeningRules, *, former: bool) -> None:
    account, partner = row["account"], row.get("partner_entity") or ""
    if former and rules.types.get(account) in RESULT:  # what former years left in it is retained earnings now
        account, partner = rules.retained_earnings, ""
    members = tuple(row.get(key) or "" for key in rules.dimensions)
    place = (row["entity"], "pending" if row.get("status") == "pending" else "posted", account, partner, *members)
    try:
        amount = Decimal(row.get("debit") or 0) - Decimal(row.get("credit") or 0)
    except ArithmeticError:
        raise RulkaError(
            f"'{row.get('debit') or row.get('credit')}' is not a number.", subject=f"entry {row.get('entry', '')}"
        ) from None
    sums[place] = sums.get(place, Decimal(0)) + amount


def _opening_rows(
    sums: Mapping[tuple[str, ...], Decimal], bounds: MemoryBounds, rules: OpeningRules
) -> Iterator[dict[str, str]]:
    lines: dict[tuple[str, str], int] = {}
    for (entity, status, account, partner, *members), amount in sorted(sums.items()):
        if not amount:
            continue
        number = lines[entity, status] = lines.get((entity, status), 0) + 1
        side = {"debit": f"{amount:f}", "credit": ""} if amount > 0 else {"debit": "", "credit": f"{-amount:f}"}
        yield {
            "entity": entity,
            "entry": f"OPENING-{bounds.first_day}" + ("-PENDING" if status == "pending" else ""),
            "line": f"{number:05d}",
            "date": bounds.first_day,
            "account": account,
            "partner_entity": partner,
            "status": status,
            "kind": "opening",
            **side,
            **dict(zip(rules.dimensions, members, strict=True)),
        }


def _accounts(rows: Iterable[dict[str, str]], bounds: MemoryBounds, rules: OpeningRules) -> Iterator[dict[str, str]]:
    """Lines on the chosen accounts, and one on the rest account for what else their entry posts."""
    if not bounds.accounts:
        yield from rows
        return
    if not bounds.rest_account:
        raise RulkaError(
            "Bounds by account need an account for the rest of an entry.",
            hint="Name one as rest account.",
            subject="bounds",
        )
    chosen = set(bounds.accounts)
    for _, group in groupby(rows, key=lambda row: (row["entity"], row["entry"])):
        lines = [row for row in group if row["account"] in chosen]
        if not lines:
            continue
        yield from lines
        money = [row for row in lines if rules.types.get(row["account"]) != "statistical"]
        rest = sum((Decimal(row["credit"] or 0) - Decimal(row["debit"] or 0) for row in money), Decimal(0))
        if rest:
            side = {"debit": f"{rest:f}", "credit": ""} if rest > 0 else {"debit": "", "credit": f"{-rest:f}"}
            head: dict[str, str] = {
                name: lines[0].get(name, "")
                for name in ("entity", "entry", "date", "status", "kind", "period", "modified_at")
                if name in lines[0]
            }
            yield {
                **head,
                "line": "rest",
                "account": bounds.rest_account,
                "description": "Outside the feed's accounts",
                **side,
            }
