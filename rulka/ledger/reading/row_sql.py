"""A query over a set of rows as SQL: expressions and conditions from parsed parts only, every value bound."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from rulka.core.books.chart import BoolArray, CodeList
from rulka.core.books.selection import Selection, SelectionPart, evaluate
from rulka.core.errors import RulkaError
from rulka.core.extracting.conditions import Between, ChosenCodes, Condition, Either, Empty, Every, HoldsText, Not
from rulka.core.extracting.fields import Field

CodesOf = Callable[[str], CodeList | None]
"""The codes that a field of some kind takes, for selections over hierarchies; None for free texts."""


@dataclass(frozen=True)
class Sql:
    text: str
    values: tuple[Any, ...] = ()

    def __add__(self, other: Sql) -> Sql:
        return Sql(self.text + other.text, self.values + other.values)


def joined(parts: Sequence[Sql], mark: str) -> Sql:
    """Parts with a word between them."""
    return Sql(mark.join(part.text for part in parts), tuple(value for part in parts for value in part.values))


class Conditions:
    """Writes conditions; `expression` says what a field is in SQL, `codes` which codes it takes. Warnings say what of a
    selection matches nothing."""

    def __init__(self, expression: Callable[[Field], str], codes: CodesOf) -> None:
        self.expression, self.codes = expression, codes
        self.warnings: list[str] = []

    def every(self, conditions: Sequence[Condition]) -> Sql:
        """All of some conditions; true for none."""
        return joined([self.one(condition) for condition in conditions], " AND ") if conditions else Sql("1")

    def one(self, condition: Condition) -> Sql:
        """A condition; where it can't be judged it doesn't hold."""
        match condition:
            case Not(of):
                inner = self.one(of)
                return Sql(f"NOT COALESCE({inner.text}, 0)", inner.values)
            case Either(of):
                return self._bracketed([self.one(one) for one in of], " OR ", "0")
            case Every(of):
                return self._bracketed([self.one(one) for one in of], " AND ", "1")
            case Empty(field):
                text = self.expression(field)
                return Sql(f"({text} IS NULL OR {text} = '')")
            case Between(field, low, high):
                return self._between(self.expression(field), low, high)
            case HoldsText(field, how, text):
                escaped = text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
                pattern = {"contains": f"%{escaped}%", "begins with": f"{escaped}%", "ends with": f"%{escaped}"}[how]
                return Sql(f"({self.expression(field)} LIKE %s ESCAPE '\\')", (pattern,))
            case ChosenCodes(field, selection):
                return self._chosen(field, selection)

    @staticmethod
    def _bracketed(parts: Sequence[Sql], mark: str, none: str) -> Sql:
        if not parts:
            return Sql(none)
        inner = joined([Sql(f"COALESCE({part.text}, 0)", part.values) for part in parts], mark)
        return Sql(f"({inner.text})", inner.values)

    @staticmethod
    def _between(text: str, low: int | str | None, high: int | str | None) -> Sql:
        if low is not None and low == high:
            return Sql(f"({text} = %s)", (low,))
        if low is not None and high is not None:
            return Sql(f"({text} BETWEEN %s AND %s)", (low, high))
        if low is not None:
            return Sql(f"({text} >= %s)", (low,))
        return Sql(f"({text} <= %s AND {text} <> '')", (high,))

    def _chosen(self, field: Field, selection: Selection) -> Sql:
        codes = self.codes(field.of)
        if codes is not None:
            found = evaluate(selection, codes)
            self.warnings += found.warnings
            chosen = [item.code for item, is_in in zip(codes.items, found.mask, strict=True) if is_in]
            return Sql(f"({self.expression(field)} IN (SELECT value FROM json_each(%s)))", (json.dumps(chosen),))
        text = self.expression(field)
        parts = [self._any_of(text, selection.included, field)]
        parts += [self._any_of(text, only, field) for only in selection.only]
        if selection.excluded:
            excluded = self._any_of(text, selection.excluded, field)
            parts.append(Sql(f"NOT COALESCE({excluded.text}, 0)", excluded.values))
        inner = joined(parts, " AND ")
        return Sql(f"({inner.text})", inner.values)

    @staticmethod
    def _any_of(text: str, parts: Sequence[SelectionPart], field: Field) -> Sql:
        plain = [part.first for part in parts if part.kind == "code"]
        found = [Sql(f"{text} IN (SELECT value FROM json_each(%s))", (json.dumps(plain),))] if len(plain) > 1 else [
            Sql(f"{text} = %s", (code,)) for code in plain
        ]  # fmt: skip
        for part in parts:
            if part.kind == "pattern":
                # an empty text is nothing, and matches no pattern
                found.append(Sql(f"({text} <> '' AND {text} GLOB %s)", (part.first.replace("[", "[[]"),)))
            elif part.kind == "range":
                found.append(Sql(f"{text} BETWEEN %s AND %s", (part.first, part.last)))
            elif part.kind != "code":
                raise RulkaError(
                    f"'{part.text()}' means nothing of {field.title}: it has no such order.",
                    hint="Write values, patterns or ranges.", subject=field.title,
                )  # fmt: skip
        inner = joined(found, " OR ")
        if len(plain) == len(parts) and "" not in plain:
            # so that an index over what is filled knows it
            return Sql(f"(({inner.text}) AND NOT ({text} = ''))", inner.values)
        return Sql(f"({inner.text})", inner.values)


def mask_of(selection: Selection, codes: CodeList, warnings: list[str]) -> BoolArray:
    """The codes that a selection means; what of it matches nothing is added to the warnings."""
    found = evaluate(selection, codes)
    warnings += found.warnings
    return found.mask
