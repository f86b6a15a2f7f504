"""The formula guide: functions by purpose in words, a formula taken apart into its arguments, and what an argument may
be chosen from."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from rulka.core.books.book import View
from rulka.core.books.frame import STATUS_CHOICES
from rulka.core.compute.nodes import nodes_of
from rulka.core.sheet.amounts import CURRENCIES, SIGNS, visible_codes
from rulka.core.sheet.evaluating import SPECIAL_DOCS
from rulka.core.sheet.ledger_functions import ABOUT
from rulka.core.sheet.listing import LISTED
from rulka.core.sheet.registry import FUNCTIONS, Function
from rulka.core.sheet.tokens import FormulaFault, Token, tokens_of

PURPOSES = {
    "ledger": "Ask the ledger",
    "math": "Calculate",
    "logic": "Decide",
    "information": "Ask what a value is",
    "text": "Work with text",
    "dates": "Work with days",
    "lookup": "Look something up",
    "arrays": "Work with lists",
    "statistics": "Count and average",
    "finance": "Interest and depreciation",
}
MOST_OFFERED = 60


@dataclass(frozen=True)
class ArgumentHelp:
    """One argument: its name, what it takes in words, whether it may be left out or repeats, what helps with it."""

    name: str
    takes: str
    optional: bool
    repeats: bool
    helper: str


@dataclass(frozen=True)
class FunctionHelp:
    """A function in the guide: one line on what it gives, an example, its arguments."""

    name: str
    purpose: str
    signature: str
    line: str
    example: str
    arguments: tuple[ArgumentHelp, ...]


TAKES = {
    "Number": "a number",
    "Whole": "a whole number",
    "Text": "a text",
    "Flag": "TRUE or FALSE",
    "Single": "one value",
    "Cells": "cells",
    "Given": "cells or a value",
}
HELPERS = {
    "accounts": "account",
    "period": "period",
    "scenario": "scenario",
    "node": "node",
    "entries": "entries",
    "currency": "currency",
    "sign": "sign",
    "narrow": "narrow",
    "of": "kinds",
    "what": "about",
}
"""What helps with an argument of the ledger's functions, by its name."""


def _help(function: Function) -> FunctionHelp:
    line, example = _worded(function.doc)
    arguments = tuple(
        ArgumentHelp(
            parameter.name,
            TAKES[parameter.kind],
            parameter.is_optional,
            parameter.repeats,
            _helper(function, parameter.name, parameter.kind),
        )
        for parameter in function.parameters
    )
    return FunctionHelp(function.name, function.group, function.signature, line, example, arguments)


def _worded(doc: str) -> tuple[str, str]:
    text = " ".join(doc.split())
    found = re.search(r"`(=[^`]*)`", text)
    return re.sub(r"\s*`=[^`]*`", "", text).strip(), found[1] if found else ""


def _helper(function: Function, name: str, kind: str) -> str:
    if function.group == "ledger":
        if function.name == "RULKA.NAME" and name == "code":
            return "account"
        if function.name in ("RULKA.NARROW", "RULKA.BETWEEN"):
            return "cells"
        return HELPERS.get(name, "cells")
    return "" if kind == "Flag" else "cells"


def functions_by_purpose(search: str = "") -> list[tuple[str, list[FunctionHelp]]]:
    """The functions of each purpose whose name or words have all words of a search."""
    words = search.casefold().split()
    found: dict[str, list[FunctionHelp]] = {}
    for name in sorted(FUNCTIONS):
        one = _help(FUNCTIONS[name])
        if all(word in f"{one.name} {one.line}".casefold() for word in words):
            found.setdefault(one.purpose, []).append(one)
    for name, (signature, doc) in SPECIAL_DOCS.items():
        line, example = _worded(doc)
        if all(word in f"{name} {line}".casefold() for word in words):
            found.setdefault("logic", []).append(FunctionHelp(name, "logic", signature, line, example, ()))
    return [(title, found[purpose]) for purpose, title in PURPOSES.items() if purpose in found]


def help_on(name: str) -> FunctionHelp | None:
    """One function; None for one that isn't there."""
    upper = name.upper()
    if upper in FUNCTIONS:
        return _help(FUNCTIONS[upper])
    if upper in SPECIAL_DOCS:
        signature, doc = SPECIAL_DOCS[upper]
        line, example = _worded(doc)
        names = re.findall(r"\[?([\w]+)\]?(\.\.\.)?", signature.partition("(")[2])
        arguments = tuple(
            ArgumentHelp(word, "a value", f"[{word}]" in signature, bool(dots), "cells") for word, dots in names
        )
        return FunctionHelp(upper, "logic", signature, line, example, arguments)
    return None


# apart and together ---------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class TakenApart:
    """The call that a formula, or the place in it, is about: its function, its arguments as they are written, and what
    stands before and after it."""

    function: str
    arguments: tuple[str, ...]
    before: str
    after: str


def taken_apart(text: str, at: int | None = None) -> TakenApart | None:
    """The innermost call around a place of a formula (counted in its text with the `=`), without one its first call;
    None where there is none or the formula can't be read."""
    if not text.startswith("="):
        return None
    try:
        tokens = tokens_of(text[1:])
    except FormulaFault:
        return None
    calls = _calls(tokens, len(text) - 1)
    if not calls:
        return None
    inside = [call for call in calls if at is not None and call[0] <= at - 1 <= call[1]]
    start, end, splits = max(inside) if inside else min(calls)
    body = text[1:]
    head = body.index("(", start)
    cuts = [head, *splits, end]
    arguments = tuple(body[cuts[n] + 1 : cuts[n + 1]].strip() for n in range(len(cuts) - 1))
    if arguments == ("",):
        arguments = ()
    return TakenApart(body[start:head].upper(), arguments, text[: start + 1], body[end + 1 :])


def _calls(tokens: Sequence[Token], length: int) -> list[tuple[int, int, list[int]]]:
    """(where it begins, where its bracket closes, its commas) of each call; one that isn't closed ends with the
    text."""
    found: list[tuple[int, int, list[int]]] = []
    opened: list[tuple[bool, int, list[int]]] = []
    arrays = 0
    for token in tokens:
        if token.kind in ("call", "open"):
            opened.append((token.kind == "call", token.start, []))
        elif token.kind == "open array":
            arrays += 1
        elif token.kind == "close array":
            arrays -= 1
        elif token.kind == "comma" and opened and not arrays:
            opened[-1][2].append(token.start)
        elif token.kind == "close" and opened:
            is_call, start, commas = opened.pop()
            if is_call:
                found.append((start, token.start, commas))
    found += [(start, length, commas) for is_call, start, commas in opened if is_call]
    return found


def offered(helper: str, view: View, search: str = "") -> list[tuple[str, str]]:
    """What an argument may be chosen from: (as it is written, in words), inside of the fence."""
    words = search.casefold().split()
    found: list[tuple[str, str]] = []
    frame = view.frame
    if helper == "account":
        seen = view.visible_accounts()
        found = [(item.code, item.name) for item, is_in in zip(frame.accounts.items, seen, strict=True) if is_in]
    elif helper == "node":
        found = [(node.code, node.name) for node in nodes_of(view)]
    elif helper == "scenario":
        found = [(code, kind) for code, kind in frame.scenarios.items()]
    elif helper == "period":
        found = [("this", "the reporting period"), ("ytd", "year to date"), ("this - 1 year", "a year ago")]
        found += [(period.code, period.title) for period in reversed(frame.calendar.periods)]
    elif helper == "narrow":
        for name in frame.dimensions:
            seen = visible_codes(view, name)
            items = frame.dimensions[name].items
            found += [(f"{name}: {i.code}", i.name) for i, is_in in zip(items, seen, strict=True) if is_in]
    else:
        lists = {
            "entries": tuple(STATUS_CHOICES), "currency": CURRENCIES, "sign": SIGNS, "about": ABOUT,
            "kinds": (*LISTED, *frame.dimensions),
        }  # fmt: skip
        found = [(word, "") for word in lists.get(helper, ())]
    fitting = [(code, name) for code, name in found if all(word in f"{code} {name}".casefold() for word in words)]
    return fitting[:MOST_OFFERED]
