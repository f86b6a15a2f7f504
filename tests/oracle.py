"""An independent computation of balances: Decimal loops over the CSV files, nothing of Rulka's core."""

from __future__ import annotations

import csv
import json
from collections import defaultdict
from decimal import Decimal
from pathlib import Path

ZERO = Decimal(0)
RESULT = ("revenue", "expense")


def rows(folder: Path, name: str) -> list[dict[str, str]]:
    path = folder / name
    if not path.exists():
        return []
    with path.open(encoding="utf-8-sig", newline="") as file:
        return list(csv.DictReader(file))


class Oracle:
    """Reads one or more ledger folders, later ones replacing whole entries of earlier ones."""

    def __init__(self, *folders: Path) -> None:
        self.settings = json.loads((folders[-1] / "ledger.json").read_text())
        self.folder = folders[-1]
        self.accounts = {row["code"]: row for folder in folders for row in rows(folder, "accounts.csv")}
        self.entities = {row["code"]: row for folder in folders for row in rows(folder, "entities.csv")}
        self.listed = rows(folders[-1], "periods.csv")
        entries: dict[tuple[str, str], list[dict[str, str]]] = {}
        for folder in folders:
            fresh: dict[tuple[str, str], list[dict[str, str]]] = defaultdict(list)
            for row in rows(folder, "entries.csv"):
                fresh[row["entity"], row["entry"]].append(row)
            entries.update(fresh)
        self.lines = [line for lines in entries.values() for line in lines]
        for line in self.lines:
            line["p"] = self.period_of(line)  # type: ignore[assignment]
            line["amount"] = Decimal(line["debit"] or 0) - Decimal(line["credit"] or 0)  # type: ignore[assignment]
        self.budgets = [row for folder in folders for row in rows(folder, "budgets.csv")]

    def period_of(self, line: dict[str, str]) -> tuple[int, int]:
        if line.get("period"):
            return int(line["period"][:4]), int(line["period"][-2:])
        if self.listed:
            return next(
                (int(p["year"]), int(p["number"]))
                for p in self.listed
                if p.get("adjusting") != "1" and p["start"] <= line["date"] <= p["end"]
            )
        year, month = int(line["date"][:4]), int(line["date"][5:7])
        first = self.settings["calendar"]["first_month"]
        number = (month - first) % 12 + 1
        begins = year if month >= first else year - 1
        return begins + (1 if self.settings["calendar"]["year_label"] == "end" and first > 1 else 0), number

    def counted(self, entity: str, pending: bool, members: dict[str, set[str]] | None = None):
        for line in self.lines:
            if line["entity"] != entity or (line.get("status") == "pending" and not pending):
                continue
            if members and any((line[key] or "-") not in allowed for key, allowed in members.items()):
                continue
            yield line

    def trial_balance(
        self,
        entity: str,
        first: tuple[int, int],
        last: tuple[int, int],
        *,
        pending: bool = False,
        members: dict[str, set[str]] | None = None,
    ) -> dict[str, list[Decimal]]:
        """account -> [opening, debits, credits, closing] of one entity."""
        result: dict[str, list[Decimal]] = defaultdict(lambda: [ZERO, ZERO, ZERO, ZERO])
        kept = self.settings["retained_earnings"]
        for line in self.counted(entity, pending, members):
            account, period, amount, kind = line["account"], line["p"], line["amount"], line.get("kind") or "normal"
            is_result = self.accounts[account]["type"] in RESULT
            for place, at, whole in ((0, first, False), (3, last, True)):
                former_year = period[0] < at[0]
                if kind == "closing":
                    counts = former_year
                elif kind == "opening":
                    counts = period <= at
                else:
                    counts = period < at or (whole and period == at)
                if not counts:
                    continue
                if not is_result:
                    result[account][place] += amount
                elif former_year:  # what a former year left in it is retained earnings now
                    result[kept][place] += amount
                else:
                    result[account][place] += amount
            if kind in ("normal", "adjusting") and first <= period <= last:
                result[account][1] += Decimal(line["debit"] or 0)
                result[account][2] += Decimal(line["credit"] or 0)
        return {account: values for account, values in result.items() if any(values)}

    def activity(self, entity: str, codes: set[str], first: tuple[int, int], last: tuple[int, int]) -> Decimal:
        """Debit less credit of normal and adjusting posted lines."""
        wanted = ("", "normal", "adjusting")
        return sum(
            (
                line["amount"]
                for line in self.counted(entity, False)
                if line["account"] in codes and (line.get("kind") or "") in wanted and first <= line["p"] <= last
            ),
            ZERO,
        )  # type: ignore[return-value]

    def budget(
        self, scenario: str, entity: str, codes: set[str], first: tuple[int, int], last: tuple[int, int]
    ) -> Decimal:
        return sum(
            (
                Decimal(row["amount"])
                for row in self.budgets
                if row["scenario"] == scenario
                and row["entity"] == entity
                and row["account"] in codes
                and first <= (int(row["period"][:4]), int(row["period"][-2:])) <= last
            ),
            ZERO,
        )

    def between(self, first: str, last: str) -> set[str]:
        return {code for code in self.accounts if first <= code <= last}

    def of_type(self, *types: str) -> set[str]:
        return {code for code, row in self.accounts.items() if row["type"] in types}
