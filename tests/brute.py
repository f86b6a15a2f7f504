"""Statements by brute force: loops over journal lines with fractions, straight from LEDGER_FORMAT.md and
docs/definition-format.md.

No arrays, and nothing of `rulka`: its own reading of periods, selections, formulas' results, signs, year ends,
translation and hiding. It reads definitions as plain mappings and a ledger as `tests.books.Works`.
"""

from __future__ import annotations

import fnmatch
import re
from calendar import monthrange
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from fractions import Fraction
from typing import Any

RESULT = ("revenue", "expense")
OF_LINES = ("source: ", "kind: ", "counterparty: ")
"""Clauses that only journal lines can answer; plans hold none of it."""
Key = tuple[str, str, str, tuple[str, ...]]  # entity, account, partner, members
At = tuple[int, int]


def half_away(value: Fraction) -> int:
    whole = abs(value) + Fraction(1, 2)
    return (whole.numerator // whole.denominator) * (1 if value >= 0 else -1)


@dataclass(frozen=True)
class Booked:
    """A line as the brute force counts it: amounts in units of the entity's currency, exact."""

    key: Key
    at: At
    day: date
    amount: Fraction
    kind: str
    status: str
    source: str
    counterparty: str
    historical: Fraction | None
    scenario: str


class Brute:
    def __init__(self, works: Any) -> None:
        self.works = works
        self.accounts = {row["code"]: row for row in works.accounts}
        self.entities = {row["code"]: row for row in works.entities}
        self.parents = {
            name: {m["code"]: m.get("parent", "") for m in works.members if m["dimension"] == name}
            for name in works.dimensions
        }
        self.periods = self._periods()
        self.lines = [self._line(line) for line in works.lines]
        self.kept: dict[Any, dict[str, dict[str, list[Fraction]]]] = {}

    def _periods(self) -> list[tuple[At, date, date, bool]]:
        c, found = self.works.calendar, []
        for year in range(c["first_year"], c["last_year"] + 1):
            month, calendar_year = (
                c["first_month"],
                year - 1 if c["year_label"] == "end" and c["first_month"] > 1 else year,
            )
            for number in range(1, 13):
                found.append(
                    (
                        (year, number),
                        date(calendar_year, month, 1),
                        date(calendar_year, month, monthrange(calendar_year, month)[1]),
                        False,
                    )
                )
                month, calendar_year = (1, calendar_year + 1) if month == 12 else (month + 1, calendar_year)
            last = found[-1][2]
            found += [((year, 12 + extra), last, last, True) for extra in range(1, c.get("adjusting_periods", 0) + 1)]
        return found

    def _line(self, line: Any) -> Booked:
        key = (
            line.entity,
            line.account,
            line.partner,
            tuple(line.members.get(name, "-") for name in self.works.dimensions),
        )
        at = (
            (int(line.period[:4]), int(line.period[6:]))
            if line.period
            else next(p[0] for p in self.periods if not p[3] and p[1] <= line.day <= p[2])
        )
        historical = None if line.historical is None else Fraction(line.historical)
        return Booked(
            key,
            at,
            line.day,
            Fraction(line.amount),
            line.kind,
            line.status,
            line.source,
            line.counterparty,
            historical,
            line.scenario,
        )

    # selections -----------------------------------------------------------------------------------------------------

    def chosen(self, text: str, codes: dict[str, dict[str, str]]) -> set[str]:
        """The codes that a selection means; `codes` maps a code to its parent, type and category."""
        included, _, excluded = text.partition(" except ")
        included, *conditions = included.split(" only ")
        found = set().union(*(self._part(part.strip(), codes) for part in included.split(",")))
        for condition in conditions:
            found &= set().union(*(self._part(part.strip(), codes) for part in condition.split(",")))
        return found.difference(*(self._part(part.strip(), codes) for part in excluded.split(",") if part.strip()))

    def _part(self, part: str, codes: dict[str, dict[str, str]]) -> set[str]:
        if part.startswith("under:"):
            top = part[6:]
            return {code for code in codes if self._is_below(code, top, codes)}
        if part.startswith("type:"):
            return {code for code, row in codes.items() if row.get("type") == part[5:]}
        if match := re.fullmatch(r"(\S+) to (\S+)", part):
            return {code for code in codes if match[1] <= code <= match[2]}
        return {code for code in codes if fnmatch.fnmatchcase(code, part)}

    def _is_below(self, code: str, top: str, codes: dict[str, dict[str, str]]) -> bool:
        while code:
            if code == top:
                return True
            code = codes[code].get("parent", "")
        return False

    def passes(self, text: str) -> Callable[[Key], bool]:
        """Whether a posting key passes a narrowing (clauses on account, entity, partner and members)."""
        tests: list[Callable[[Key], bool]] = []
        for clause in filter(None, (part.strip() for part in text.split(";"))):
            if clause.startswith(OF_LINES):
                continue
            name, _, selection = clause.rpartition(": ") if re.match(r"\w+: ", clause) else ("account", "", clause)
            negated = selection.startswith("not ")
            selection = selection.removeprefix("not ")
            tests.append(self._clause(name, selection, negated))
        return lambda key: all(test(key) for test in tests)

    def _clause(self, name: str, selection: str, negated: bool) -> Callable[[Key], bool]:
        if name == "account":
            wanted = self.chosen(selection, self.accounts)
            return lambda key: (key[1] in wanted) != negated
        if name in ("entity", "partner"):
            entities = self.chosen(selection, self.entities)
            return lambda key: ((key[0] if name == "entity" else key[2]) in entities) != negated
        place = self.works.dimensions.index(name)
        codes = {code: {"parent": parent} for code, parent in self.parents[name].items()} | {"-": {}}
        members = self.chosen(selection, codes)
        return lambda key: (key[3][place] in members) != negated

    def line_passes(self, text: str) -> Callable[[Booked], bool] | None:
        """Whether a journal line passes the clauses that only journal lines can answer; None where there are none."""
        tests: list[Callable[[Booked], bool]] = []
        for clause in filter(None, (part.strip() for part in text.split(";"))):
            if clause.startswith(OF_LINES):
                name, _, selection = clause.partition(": ")
                negated = selection.startswith("not ")
                patterns = [part.strip() for part in selection.removeprefix("not ").split(",")]
                tests.append(
                    lambda line, name=name, patterns=patterns, negated=negated: (
                        any(fnmatch.fnmatchcase(getattr(line, name), pattern) for pattern in patterns) != negated
                    )
                )
        return (lambda line: all(test(line) for test in tests)) if tests else None

    # time -----------------------------------------------------------------------------------------------------------

    def index(self, at: At) -> int:
        return [p[0] for p in self.periods].index(at)

    def is_adjusting(self, at: At) -> bool:
        return self.periods[self.index(at)][3]

    def moved(self, at: At, shift: str) -> At | None:
        if not shift:
            return at
        count, unit = shift.split()
        n = int(count)
        if unit.startswith("year"):
            wanted = (at[0] + n, at[1])
            return wanted if wanted in [p[0] for p in self.periods] else None
        n *= 3 if unit.startswith("quarter") else 1
        ordinary = [p[0] for p in self.periods if not p[3]]
        own = at if at in ordinary else (at[0], 12)
        place = ordinary.index(own) + n
        return ordinary[place] if 0 <= place < len(ordinary) else None

    def window(self, text: str, at: At) -> list[At] | None:
        """The periods of a window, in order."""
        every = [p[0] for p in self.periods]
        year = [one for one in every if one[0] == at[0]]
        quarter = (min(at[1], 12) - 1) // 3
        of_quarter = [one for one in year if (min(one[1], 12) - 1) // 3 == quarter]
        if text == "period":
            return [at]
        if text in ("year", "year to date", "remaining year"):
            picked = {
                "year": year,
                "year to date": [o for o in year if o <= at],
                "remaining year": [o for o in year if o > at],
            }[text]
            return picked or None
        if text == "quarter":
            return of_quarter
        if text == "quarter to date":
            return [one for one in of_quarter if one <= at]
        if text == "from the beginning":
            return [one for one in every if one <= at]
        if match := re.fullmatch(r"last (\d+) periods", text):
            first = self.moved(at, f"{1 - int(match[1])} periods")
            return [one for one in every if first <= one <= at] if first else None
        low, high = re.fullmatch(r"periods (\d+) to (\d+)", text).groups()  # type: ignore[union-attr]
        return [one for one in year if int(low) <= one[1] <= int(high)] or None

    # amounts --------------------------------------------------------------------------------------------------------

    def translation(
        self, scenario: str, status: str, then: str, until: At, entity: str
    ) -> dict[str, dict[str, list[Fraction]]]:
        """The translated books of an entity, computed once for each way of reading."""
        name = (scenario, status, then, until, entity)
        if name not in self.kept:
            self.kept[name] = self.translated(self.movements(scenario, status, then, until), entity)
        return self.kept[name]

    def movements(self, scenario: str, status: str, then: str, until: At) -> list[Booked]:
        wanted = {"posted": ("posted",), "with pending": ("posted", "pending"), "pending only": ("pending",)}[status]
        found = [
            line
            for line in self.lines
            if line.scenario == scenario and line.status in wanted and (not then or line.at <= until)
        ]
        return found + [
            line for line in self.lines if then and line.scenario == then and line.status in wanted and line.at > until
        ]

    def balance(self, lines: list[Booked], at: At, *, whole: bool) -> dict[Key, Fraction]:
        """What stands on each posting key: before a period, its opening entries included, or after it."""
        found: dict[Key, Fraction] = {}
        for line in lines:
            former = line.at[0] < at[0]
            if line.kind == "closing":
                counts = former
            elif line.kind == "opening":
                counts = line.at <= at
            else:
                counts = line.at < at or (whole and line.at == at)
            if not counts:
                continue
            key = line.key
            if former and self.accounts[key[1]]["type"] in RESULT:
                key = (key[0], self.works.kept, "", key[3])
            found[key] = found.get(key, Fraction(0)) + line.amount
        return found

    def measured(self, lines: list[Booked], measure: str, window: list[At]) -> dict[Key, Fraction]:
        """The measure of each posting key over a window, debit positive."""
        if measure == "opening":
            return self.balance(lines, window[0], whole=False)
        if measure == "closing":
            return self.balance(lines, window[-1], whole=True)
        if measure == "average":
            balances = [self.balance(lines, window[0], whole=False)]
            balances += [self.balance(lines, at, whole=True) for at in window if not self.periods[self.index(at)][3]]
            keys = {key for one in balances for key in one}
            return {
                key: sum((one.get(key, Fraction(0)) for one in balances), Fraction(0)) / len(balances) for key in keys
            }
        found: dict[Key, Fraction] = {}
        for line in lines:
            if line.at in window and line.kind in ("normal", "adjusting"):
                amount = {"debits": max(line.amount, Fraction(0)), "credits": max(-line.amount, Fraction(0))}.get(
                    measure, line.amount
                )
                found[line.key] = found.get(line.key, Fraction(0)) + amount
        return found

    def touched(self, lines: list[Booked], window: list[At]) -> set[Key]:
        """Posting keys with a line in the window, or a balance at either end."""
        found = {line.key for line in lines if line.at in window and line.kind != "closing"}
        for balance in (self.balance(lines, window[0], whole=False), self.balance(lines, window[-1], whole=True)):
            found |= {key for key, amount in balance.items() if amount}
        return found

    # translation ----------------------------------------------------------------------------------------------------

    def rate(self, kind: str, at: At, currency: str) -> Fraction | None:
        at = (at[0], min(at[1], 12))
        code, place = f"{at[0]}-P{at[1]:02d}", 3 if kind == "average" else 4
        for rate in self.works.rates:
            if rate[:3] == (code, currency, self.works.currency) and rate[place]:
                return Fraction(rate[place])
        for rate in self.works.rates:
            if rate[:3] == (code, self.works.currency, currency) and rate[place]:
                return 1 / Fraction(rate[place])
        return None

    def translated(self, lines: list[Booked], entity: str) -> dict[str, dict[str, list[Fraction]]]:
        """account -> opening, activity and closing by period, in the group's currency, rounded once each."""
        own = [line for line in lines if line.key[0] == entity]
        table: dict[str, dict[str, list[Fraction]]] = {}
        codes = [code for code, row in self.accounts.items() if row["type"] != "statistical"]
        codes.sort(key=lambda code: code == self.works.kept)  # retained earnings last: it takes what the others left
        left: dict[int, Fraction] = {}
        for code in codes:
            table[code] = self._translated_account(own, entity, code, left)
        others = [code for code in codes if code != self.works.reserve]
        table[self.works.reserve] = {
            name: [-sum((table[code][name][at] for code in others), Fraction(0)) for at in range(len(self.periods))]
            for name in ("opening", "activity", "closing")
        }
        return table

    def _rounded(self, entity: str, amount: Fraction, kind: str, at: At) -> Fraction:
        """An amount at a rate of a period; nothing without one."""
        rate = self.rate(kind, at, self.entities[entity]["currency"]) if amount else None
        unit = Fraction(10 ** self.works.digits[self.works.currency])
        return Fraction(half_away(amount * rate * unit)) / unit if rate is not None else Fraction(0)

    def _of_lines(self, entity: str, chosen: list[Booked], at: At, historical: bool) -> Fraction:
        """Lines at the average rate, but for the amounts that they say themselves."""
        said = [line for line in chosen if historical and line.historical is not None]
        rest = sum((line.amount for line in chosen if line not in said), Fraction(0))
        return self._rounded(entity, rest, "average", at) + sum(
            (line.historical for line in said if line.historical is not None), Fraction(0)
        )

    def _rate_kind(self, code: str) -> str:
        of_type = {"asset": "closing", "liability": "closing", "equity": "historical"}
        kind = self.accounts[code].get("rate") or of_type.get(self.accounts[code]["type"], "average")
        return "historical" if code == self.works.kept and kind == "closing" else kind

    def _closers(self, own: list[Booked], code: str, year: int) -> list[Booked]:
        """A year's closing entries of an account; those of result accounts meet those of retained earnings in local
        currency."""
        closing = [line for line in own if line.kind == "closing" and line.at[0] == year]
        if code != self.works.kept:
            return [line for line in closing if line.key[1] == code]
        return [line for line in closing if line.key[1] == code or self.accounts[line.key[1]]["type"] in RESULT]

    def _translated_account(
        self, own: list[Booked], entity: str, code: str, left: dict[int, Fraction]
    ) -> dict[str, list[Fraction]]:
        """The columns of one account; results of ended years are added to `left`, and taken from it."""
        kind, result = self._rate_kind(code), self.accounts[code]["type"] in RESULT
        mine = [line for line in own if line.key[1] == code]
        columns: dict[str, list[Fraction]] = {"opening": [], "activity": [], "closing": []}
        carried = Fraction(0)
        every = [p[0] for p in self.periods]
        for place, at in enumerate(every):
            if place and every[place - 1][0] < at[0]:
                if result:
                    ended = columns["closing"][-1] if kind == "closing" else carried
                    left[at[0]] = left.get(at[0], Fraction(0)) + ended
                    carried = Fraction(0)
                else:
                    closed = sum((line.amount for line in self._closers(own, code, at[0] - 1)), Fraction(0))
                    if code == self.works.kept:
                        carried += left.get(at[0], Fraction(0))
                    carried += self._rounded(entity, closed, "average", every[place - 1])
            opened = [line for line in mine if line.kind == "opening" and line.at == at]
            moved = [line for line in mine if line.kind in ("normal", "adjusting") and line.at == at]
            activity = self._of_lines(entity, moved, at, kind == "historical")
            opening = carried + self._of_lines(entity, opened, at, kind == "historical")
            carried = opening + activity
            stood = (opening, carried)
            if kind == "closing":
                before, after = (
                    sum((a for key, a in self.balance(own, at, whole=whole).items() if key[1] == code), Fraction(0))
                    for whole in (False, True)
                )
                former = every[max(place - 1, 0)]
                stood = (
                    self._rounded(entity, before, "closing", former),
                    self._rounded(entity, after, "closing", at),
                )
            for name, amount in zip(("opening", "activity", "closing"), (stood[0], activity, stood[1]), strict=True):
                columns[name].append(amount)
        return columns

    def in_group_currency(
        self, lines: list[Booked], asked: tuple[str, str, str, At], measure: str, window: list[At]
    ) -> dict[Key, Fraction]:
        """Like `measured`, with whole accounts of foreign entities translated (members left off)."""
        every = [p[0] for p in self.periods]
        found = {key: amount for key, amount in self.measured(lines, measure, window).items() if self._keeps(key)}
        for entity, row in self.entities.items():
            if row["currency"] == self.works.currency:
                continue
            for code, columns in self.translation(*asked, entity).items():
                places = [every.index(at) for at in window]
                amount = {"opening": columns["opening"][places[0]], "closing": columns["closing"][places[-1]]}.get(
                    measure
                )
                if amount is None:
                    amount = sum((columns["activity"][place] for place in places), Fraction(0))
                found[entity, code, "", ("*",)] = amount
        return found

    def _keeps(self, key: Key) -> bool:
        return (
            self.entities[key[0]]["currency"] == self.works.currency or self.accounts[key[1]]["type"] == "statistical"
        )


# statements -----------------------------------------------------------------------------------------------------------


class Statement:
    """One statement at a period for a node, from plain mappings."""

    def __init__(
        self, brute: Brute, spine: dict[str, Any], span: dict[str, Any], at: At, node: str, *, translated: bool = False
    ) -> None:
        self.brute, self.spine, self.span, self.at = brute, spine, span, at
        self.in_node = brute.passes(node)
        self.translated = translated
        self.lines = list(walk(spine["lines"]))
        self.by_label = {line[line_kind(line)]: line for line in self.lines}
        self.values: dict[tuple[str, str], Fraction | None] = {}

    def statistical(self, code: str) -> bool:
        return self.brute.accounts[code]["type"] == "statistical"

    def accounts_of(self, line: dict[str, Any]) -> set[str]:
        """The accounts a line may hold: money only where it selects both."""
        clauses = [part.strip() for part in line["accounts"].split(";")]
        text = [clause for clause in clauses if not re.match(r"\w+: ", clause)]
        found = self.brute.chosen(text[0], self.brute.accounts) if text else set(self.brute.accounts)
        money = {code for code in found if not self.statistical(code)}
        return money or found

    def sign(self, line: dict[str, Any], column: dict[str, Any]) -> int:
        if line.get("sign"):
            return -1 if line["sign"] == "flipped" else 1
        codes = self.accounts_of(line)
        if not any(not re.match(r"\w+: ", part.strip()) for part in line["accounts"].split(";")):
            of_column = [
                part.strip()
                for part in column.get("narrow", "").split(";")
                if part.strip() and not re.match(r"\w+: ", part.strip())
            ]
            if of_column:
                codes = self.brute.chosen(of_column[0], self.brute.accounts)
        types = {self.brute.accounts[code]["type"] for code in codes}
        types = types - {"statistical"} or types
        flipped = {"liability", "equity", "revenue"} | (
            {"expense"} if self.spine.get("signs") == "effect on the result" else set()
        )
        return -1 if types & flipped and not types & {"asset", "statistical"} else 1

    def reading(self, line: dict[str, Any], column: dict[str, Any]) -> tuple[list[Booked], str, list[At] | None]:
        at = self.brute.moved(self.at, column.get("shift", ""))
        at = self.brute.moved(at, line.get("shift", "")) if at else None
        window = self.brute.window(line.get("window") or column.get("window", "period"), at) if at else None
        if "_periods" in column:
            window = self.own_window(line, column)
        lines = self.brute.movements(*self.source(line, column))
        test = self.brute.line_passes("; ".join((line["accounts"], column.get("narrow", ""))))
        if test is not None:
            lines = [one for one in lines if one.scenario == "actual" and test(one)]
        return lines, line.get("measure") or column.get("measure", "activity"), window

    def own_window(self, line: dict[str, Any], column: dict[str, Any]) -> list[At] | None:
        """The window of a line in a piece of a series: the piece, moved at both ends; a window of its own from the
        piece's end."""
        piece, brute = column["_periods"], self.brute
        if piece is None:
            return None
        seen = column["_at"]
        if column["_cut"] and not line.get("window"):
            ends = [brute.moved(end, line.get("shift", "")) for end in (piece[0], piece[-1])]
            every = [p[0] for p in brute.periods]
            return None if None in ends else every[every.index(ends[0]) : every.index(ends[1]) + 1]
        at = brute.moved(seen, line.get("shift", ""))
        return brute.window(line.get("window") or column.get("window", "period"), at) if at else None

    def is_quantities(self, line: dict[str, Any], column: dict[str, Any]) -> bool:
        """Whether statistical accounts are shown: by the measure, or a column names no others and the line none."""
        if (line.get("measure") or column.get("measure", "")).endswith("quantity"):
            return True
        named = [
            part.strip()
            for part in column.get("narrow", "").split(";")
            if part.strip() and not re.match(r"\w+: ", part.strip())
        ]
        of_line = any(not re.match(r"\w+: ", part.strip()) for part in line["accounts"].split(";"))
        codes = self.brute.chosen(named[0], self.brute.accounts) if named else set()
        return not of_line and bool(codes) and all(self.statistical(code) for code in codes)

    def shows_quantities(self, column: dict[str, Any]) -> bool:
        if "sum" in column:
            return bool(column["sum"]) and all(self.shows_quantities(self.column(key)) for key in column["sum"])
        return self.is_quantities({"accounts": "entity: *"}, column)

    def source(self, line: dict[str, Any], column: dict[str, Any]) -> tuple[str, str, str, At]:
        """Scenario, status, the scenario after it and up to when."""
        then = "" if line.get("scenario") else column.get("then", "")
        status = line.get("entries") or column.get("entries", "posted")
        return line.get("scenario") or column.get("scenario", "actual"), status, then, self.at

    def keys(self, line: dict[str, Any], column: dict[str, Any]) -> Callable[[Key], bool]:
        own, of_column, accounts = (
            self.brute.passes(line["accounts"]),
            self.brute.passes(column.get("narrow", "")),
            self.accounts_of(line),
        )
        if self.is_quantities(line, column):
            named = [part.strip() for part in line["accounts"].split(";") if not re.match(r"\w+: ", part.strip())]
            every = self.brute.chosen(named[0], self.brute.accounts) if named else set(self.brute.accounts)
            accounts = {code for code in every if self.statistical(code)}
        only, node = column.get("_only", lambda key: True), column.get("_node", self.in_node)
        return lambda key: key[1] in accounts and own(key) and of_column(key) and node(key) and only(key)

    def leaf(
        self, line: dict[str, Any], column: dict[str, Any], only: Callable[[Key], bool] = lambda key: True
    ) -> Fraction | None:
        if "sum" in column:
            values = [
                self.leaf(line, self.column(key), only) for key in column["sum"] if self.has_time(self.column(key))
            ]
            return (
                None
                if None in values or not values
                else sum((value for value in values if value is not None), Fraction(0))
            )
        lines, measure, window = self.reading(line, column)
        if window is None or not self.has_time(
            column
        ):  # a column without a time shows nothing, whatever the line reads
            return None
        of_lines = self.brute.line_passes("; ".join((line["accounts"], column.get("narrow", ""))))
        if of_lines is not None and self.source(line, column)[0] != "actual":
            return None
        passes, quantities = self.keys(line, column), self.is_quantities(line, column)
        measure = {"quantity": "activity"}.get(measure, measure.removesuffix(" quantity"))
        if "_days" in column:
            lines = [
                one
                for one in lines
                if column["_days"][0] <= one.day <= column["_days"][1] and not self.brute.is_adjusting(one.at)
            ]
        table = self.brute.measured(lines, measure, window)
        if self.translated:
            table = self.brute.in_group_currency(lines, self.source(line, column), measure, window)
        total = sum((amount for key, amount in table.items() if passes(key) and only(key)), Fraction(0))
        if measure in ("debits", "credits"):
            return -total if measure == "credits" and column.get("credits") == "negative" else total
        if quantities:
            return -total if line.get("sign") == "flipped" else total
        return total * self.sign(line, column)

    def booked(self, line: dict[str, Any], only: Callable[[Key], bool] = lambda key: True) -> bool:
        """Whether anything was booked behind a line in any shown column."""
        for column in self.span["columns"]:
            if figures(column) and column.get("hide") != "always" and self.has_time(column):
                lines, _, window = self.reading(line, column)
                passes = self.keys(line, column)
                if window and any(passes(key) and only(key) for key in self.brute.touched(lines, window)):
                    return True
        return False

    def value(self, line: dict[str, Any], column: dict[str, Any]) -> Fraction | None:
        """A line, total or calculation in a column of figures."""
        name = (line[line_kind(line)], column["column"])
        if name not in self.values:
            kind = line_kind(line)
            if kind == "line":
                self.values[name] = self.leaf(line, column)
            elif kind == "section":
                parts = [part for part in line["lines"] if line_kind(part) in ("line", "section")]
                money = [part for part in parts if self.unit(part) == "money"]
                values = [
                    self.value(part, column) for part in (parts if self.shows_quantities(column) else money or parts)
                ]
                self.values[name] = (
                    None
                    if None in values or not self.has_time(column)
                    else sum((v for v in values if v is not None), Fraction(0))
                )
            else:
                self.values[name] = self.formula(line["formula"], column) if self.has_time(column) else None
        return self.values[name]

    def column(self, key: str) -> dict[str, Any]:
        return next(column for column in self.span["columns"] if column["column"] == key)

    def compared(self, line: dict[str, Any], column: dict[str, Any]) -> Fraction | None:
        """A line in a difference or percent column: what its results in two others are apart."""
        a, b = (self.value(line, self.column(key)) for key in column.get("difference") or column["percent"])
        if a is None or b is None:
            return None
        if "difference" in column:
            return a - b
        return None if b == 0 or ((a > 0) != (b > 0) and a != 0) else (a - b) / abs(b)

    def any_booked(self, line: dict[str, Any]) -> bool:
        """Whether anything was booked behind a line, or behind anything that a section or calculation is made of."""
        kind = line_kind(line)
        if kind == "line":
            return self.booked(line)
        parts = line["lines"] if kind == "section" else [self.by_label[name] for name in names_of(line["formula"])]
        return any(self.any_booked(part) for part in parts)

    def has_time(self, column: dict[str, Any]) -> bool:
        if "sum" in column:
            return any(self.has_time(self.column(key)) for key in column["sum"])
        if "_periods" in column:
            return column["_periods"] is not None
        at = self.brute.moved(self.at, column.get("shift", ""))
        return at is not None and self.brute.window(column.get("window", "period"), at) is not None

    def unit(self, line: dict[str, Any]) -> str:
        if line_kind(line) == "line" and line.get("measure", "").endswith("quantity"):
            return "quantity"
        if line_kind(line) == "line":
            return "quantity" if all(self.statistical(code) for code in self.accounts_of(line)) else "money"
        units = [self.unit(part) for part in line["lines"] if line_kind(part) in ("line", "section")]
        return "money" if "money" in units or not units else units[0]

    def formula(self, tree: Any, column: dict[str, Any]) -> Fraction | None:
        """A formula as the tests build it: a name, a number, or (operator, left, right); see `text_of`."""
        if isinstance(tree, str):
            return self.value(self.by_label[tree], column)
        if isinstance(tree, int):
            return Fraction(tree)
        sign, left, right = tree
        a, b = self.formula(left, column), self.formula(right, column)
        if a is None or b is None or (sign == "/" and b == 0):
            return None
        return {"+": a + b, "-": a - b, "*": a * b}[sign] if sign != "/" else a / b


def figures(column: dict[str, Any]) -> bool:
    return not {"difference", "percent", "sum"} & set(column)


def line_kind(line: dict[str, Any]) -> str:
    return next(kind for kind in ("section", "line", "calculation") if kind in line)


def walk(lines: Iterable[dict[str, Any]]) -> Iterable[dict[str, Any]]:
    for line in lines:
        yield line
        yield from walk(line.get("lines", ()))


def names_of(tree: Any) -> list[str]:
    if isinstance(tree, tuple):
        return names_of(tree[1]) + names_of(tree[2])
    return [tree] if isinstance(tree, str) else []


def text_of(tree: Any) -> str:
    """The formula of a tree as a definition writes it."""
    if isinstance(tree, str):
        return f'"{tree}"'
    return str(tree) if isinstance(tree, int) else f"({text_of(tree[1])} {tree[0]} {text_of(tree[2])})"


def days_between(brute: Brute, start: date, end: date, passes: Callable[[Key], bool]) -> Fraction:
    """Posted activity of ordinary periods between two days, both included."""
    adjusting = {p[0] for p in brute.periods if p[3]}
    return sum(
        (
            line.amount
            for line in brute.lines
            if line.scenario == "actual"
            and line.status == "posted"
            and line.kind in ("normal", "adjusting")
            and start <= line.day <= end
            and line.at not in adjusting
            and passes(line.key)
        ),
        Fraction(0),
    )


# spans with series ----------------------------------------------------------------------------------------------------

TAKEN = ("scenario", "then", "window", "shift", "measure", "credits", "entries")


class Pieces:
    """A span's columns one by one, series cut into pieces, in the order they stand."""

    def __init__(
        self, brute: Brute, span: dict[str, Any], at: At, nodes: dict[str, Callable[[Key], bool]], node: str
    ) -> None:
        self.brute, self.at, self.nodes, self.node = brute, at, nodes, node
        self.columns: list[dict[str, Any]] = []
        for column in span["columns"]:
            if "series" not in column:
                self.add(column["column"], column)
            elif column["each"] in ("period", "quarter", "year", "week"):
                self.through_time(column)
            else:
                self.over_members(column)

    def add(self, key: str, given: dict[str, Any], **more: Any) -> None:
        column = {**given, **more, "column": key}
        for name, wanted in (("node", "_node"), ("inside", "_only")):
            if name in given:
                column[wanted] = self.nodes[given[name]]
        self.columns.append(column)

    def inner(self, series: dict[str, Any], *, through_time: bool) -> list[dict[str, Any]]:
        """The columns of each piece with what they take from the series."""
        if "columns" not in series:
            return [{name: series[name] for name in (*TAKEN, "narrow", "node", "inside") if name in series}]
        found = []
        for column in series["columns"]:
            if not figures(column):
                found.append(column)
                continue
            left_out = {"window", "shift"} if through_time else set()
            left_out |= {"then"} if "scenario" in column else set()
            taken = {
                name: series[name] for name in (*TAKEN, "node", "inside") if name in series and name not in left_out
            }
            found.append(
                {
                    **taken,
                    **column,
                    "narrow": self.narrowed(column.get("narrow", ""), series.get("narrow", ""), series["each"]),
                }
            )
        return found

    @staticmethod
    def narrowed(own: str, series: str, each: str) -> str:
        def name(clause: str) -> str:
            return clause.partition(": ")[0] if re.match(r"\w+: ", clause) else "account"

        clauses = [part.strip() for part in own.split(";") if part.strip()]
        named = {name(clause) for clause in clauses} | {each}
        return "; ".join(
            [
                *clauses,
                *(part.strip() for part in series.split(";") if part.strip() and name(part.strip()) not in named),
            ]
        )

    def piece(self, series: dict[str, Any], code: str, periods: list[At] | None, **more: Any) -> None:
        """One piece of a series through time."""
        made: dict[str, str] = {}
        for column in self.inner(series, through_time=True):
            key = f"{series['series']}-{code}" + (f"-{column['column']}" if "columns" in series else "")
            if not figures(column):
                kind = "difference" if "difference" in column else "percent"
                self.add(key, {kind: [made[one] for one in column[kind]]})
            else:
                shift = column.get("shift", "") if "columns" in series else ""
                ends = [self.brute.moved(end, shift) for end in (periods[0], periods[-1])] if periods else [None]
                every = [p[0] for p in self.brute.periods]
                shown = None if None in ends else every[every.index(ends[0]) : every.index(ends[1]) + 1]
                own, seen = column.get("window") if "columns" in series else None, shown[-1] if shown else None
                window = (self.brute.window(own, seen) if own else shown) if seen else None
                rest = {name: value for name, value in column.items() if name != "shift"}
                self.add(key, rest, **more, _periods=window, _at=seen, _cut=not own)
            made[column.get("column", "")] = key

    def through_time(self, series: dict[str, Any]) -> None:
        brute = self.brute
        at = brute.moved(self.at, series.get("shift", ""))
        within = series.get("within", "period" if series["each"] == "week" else "year to date")
        whole = brute.window(within, at) if at else None
        if whole is None:
            self.blank(series, within, at)
            return
        if series["each"] == "week":
            self.weeks(series, whole)
            return
        pieces: list[list[At]] = []
        for one in whole:
            level = self.level(one, series["each"])
            if pieces and self.level(pieces[-1][0], series["each"]) == level:
                pieces[-1].append(one)
            else:
                pieces.append([one])
        for number, piece in enumerate(pieces):
            self.piece(series, f"p{number}", piece)
            for level in series.get("totals", ()):
                last = number + 1 == len(pieces) or self.level(pieces[number + 1][0], level) != self.level(
                    piece[0], level
                )
                if last:
                    same = [
                        one
                        for other in pieces[: number + 1]
                        if self.level(other[0], level) == self.level(piece[0], level)
                        for one in other
                    ]
                    every = [p[0] for p in brute.periods]
                    self.piece(series, f"t{number}-{level}", every[every.index(same[0]) : every.index(same[-1]) + 1])
        if "total" in series:
            self.piece(series, "total", whole)

    def blank(self, series: dict[str, Any], within: str, at: At | None) -> None:
        """Periods before the calendar are blank columns, as many as there would be; what else has no time is one of
        them."""
        match = re.fullmatch(r"last (\d+) periods", within)
        ordinary = [p[0] for p in self.brute.periods if not p[3]]
        if not match or at is None:
            self.piece(series, "before", None)
        else:
            own = at if at in ordinary else (at[0], 12)
            has = ordinary.index(own) + 1
            for number in range(int(match[1]) - has if series["each"] == "period" else 1):
                self.piece(series, f"before-{number}", None)
            known = {name: value for name, value in series.items() if name not in ("total", "shift")} | {
                "within": "from the beginning"
            }
            former, self.at = self.at, at
            self.through_time(known)
            self.at = former
        if "total" in series:
            self.piece(series, "total", None)

    def weeks(self, series: dict[str, Any], whole: list[At]) -> None:
        ordinary = [p for p in self.brute.periods if p[0] in whole and not p[3]]
        if not ordinary:
            self.piece(series, "none", None)
            if "total" in series:
                self.piece(series, "total", None)
            return
        for at, start, end, _ in ordinary:
            while start <= end:
                last = min(start + timedelta(days=6), end)
                self.piece(series, f"w{start}", [at], _days=(start, last))
                start = last + timedelta(days=1)
        if "total" in series:
            every = [p[0] for p in self.brute.periods]
            self.piece(series, "total", every[every.index(ordinary[0][0]) : every.index(ordinary[-1][0]) + 1])

    def level(self, at: At, each: str) -> Any:
        return {"period": at, "quarter": (at[0], (min(at[1], 12) - 1) // 3), "year": at[0]}[each]

    def over_members(self, series: dict[str, Any]) -> None:
        each = series["each"]
        place = None if each == "entity" else self.brute.works.dimensions.index(each)

        def member(key: Key) -> str:
            return key[0] if place is None else key[3][place]

        own = "; ".join(
            part.strip() for part in series.get("narrow", "").split(";") if part.strip().startswith(f"{each}: ")
        )
        rest = "; ".join(
            part.strip()
            for part in series.get("narrow", "").split(";")
            if part.strip() and not part.strip().startswith(f"{each}: ")
        )
        node, passes = self.nodes[series.get("node", self.node)], self.brute.passes(own)
        present = sorted(
            {member(line.key) for line in self.brute.lines if node(line.key) and passes(line.key)}
            - ({"-"} if "none" in series else set())
        )
        pieces: list[tuple[str, Callable[[Key], bool]]] = [
            (code, lambda key, code=code: member(key) == code) for code in present
        ]
        if "none" in series:
            pieces.append(("none", lambda key: member(key) not in present))
        made: dict[str, list[str]] = {}
        for code, only in pieces:
            self.members_piece(series, rest, code, only, made)
        if "total" in series:
            self.members_total(series, made)

    def members_piece(
        self, series: dict[str, Any], rest: str, code: str, only: Callable[[Key], bool], made: dict[str, list[str]]
    ) -> None:
        of_piece: dict[str, str] = {}
        for column in self.inner(series, through_time=False):
            name = column.get("column", "")
            key = f"{series['series']}-{code}" + (f"-{name}" if "columns" in series else "")
            if not figures(column):
                kind = "difference" if "difference" in column else "percent"
                self.add(key, {kind: [of_piece[one] for one in column[kind]]})
            else:
                narrow = column.get("narrow", "") if "columns" in series else rest
                inside = self.nodes[column["inside"]] if "inside" in column else (lambda key: True)
                given = {one: value for one, value in column.items() if one != "inside"} | {"narrow": narrow}
                self.add(key, given, _only=lambda key, only=only, inside=inside: only(key) and inside(key))
            of_piece[name] = key
            made.setdefault(name, []).append(key)

    def members_total(self, series: dict[str, Any], made: dict[str, list[str]]) -> None:
        totals: dict[str, str] = {}
        for column in self.inner(series, through_time=False):
            name = column.get("column", "")
            key = f"{series['series']}-total" + (f"-{name}" if "columns" in series else "")
            if figures(column):
                self.columns.append({"column": key, "sum": made.get(name, [])})
            else:
                kind = "difference" if "difference" in column else "percent"
                self.columns.append({"column": key, kind: [totals[one] for one in column[kind]]})
            totals[name] = key
