"""Choosing accounts: a selection's text with some accounts more or fewer, several selections joined, pasted codes read.

The text a person wrote stays as it is wherever that is possible; only what has to change is written anew.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from rulka.core.books.chart import BoolArray, CodeList
from rulka.core.books.narrowing import Narrowing, read_narrowing
from rulka.core.books.selection import NOTHING, Selection, SelectionPart, evaluate
from rulka.core.errors import NotFound, RulkaError, one_of

EMPTY = Selection(())


def accounts_clause(text: str) -> tuple[Selection, Narrowing]:
    """The accounts a line's text selects, and the text's other clauses; no accounts clause or NOTHING gives an empty
    selection."""
    narrowing = read_narrowing(text)
    first = next((clause for clause in narrowing.clauses if clause.name == "account" and not clause.negated), None)
    if first is None:
        return EMPTY, narrowing
    rest = Narrowing(tuple(clause for clause in narrowing.clauses if clause is not first))
    return (EMPTY if first.selection.text() == NOTHING else first.selection), rest


def text_of(selection: Selection, rest: Narrowing) -> str:
    """A line's text from its accounts and its other clauses."""
    accounts = selection.text() if selection.included else NOTHING
    return "; ".join(filter(None, (accounts, rest.text())))


def mask_of(selection: Selection, accounts: CodeList) -> BoolArray:
    """Which accounts a selection means now; an empty one means none."""
    return evaluate(selection, accounts).mask if selection.included else np.zeros(len(accounts), dtype=bool)


def with_accounts(text: str, codes: Iterable[str], accounts: CodeList) -> str:
    """The text so that it also means these accounts."""
    selection, rest = accounts_clause(text)
    for code in codes:
        selection = _added(selection, SelectionPart("code", code), accounts)
    return text_of(selection, rest)


def without_accounts(text: str, codes: Iterable[str], accounts: CodeList) -> str:
    """The text so that it doesn't mean these accounts any more."""
    selection, rest = accounts_clause(text)
    for code in codes:
        selection = _dropped(selection, code, accounts)
    return text_of(selection, rest)


def with_range(text: str, first: str, last: str, accounts: CodeList) -> str:
    """The text so that it also means all accounts from one to another, both included, whichever comes first."""
    selection, rest = accounts_clause(text)
    part = SelectionPart("range", min(first, last), max(first, last))
    return text_of(_added(selection, part, accounts), rest)


def with_below(text: str, code: str, accounts: CodeList) -> str:
    """The text so that it also means an account and everything below it."""
    selection, rest = accounts_clause(text)
    return text_of(_added(selection, SelectionPart("under", code), accounts), rest)


def without_below(text: str, code: str, accounts: CodeList) -> str:
    """The text so that it means neither an account nor anything below it."""
    selection, rest = accounts_clause(text)
    below = [accounts.items[place].code for place in accounts.below.get(code, [])]
    selection = replace(
        selection, included=tuple(part for part in selection.included if (part.kind, part.first) != ("under", code))
    )
    for inner in below:
        selection = _dropped(selection, inner, accounts)
    return text_of(selection, rest)


def _added(selection: Selection, part: SelectionPart, accounts: CodeList) -> Selection:
    before = mask_of(selection, accounts)
    wanted = before | mask_of(Selection((part,)), accounts)
    if (wanted == before).all():
        return selection
    excluded = tuple(
        other
        for other in selection.excluded
        if not (other.kind == "code" and wanted[accounts.index.get(other.first, 0)])
    )
    for candidate in (
        replace(selection, excluded=excluded),
        Selection((*selection.included, part), excluded, selection.only),
    ):
        if candidate.included and (mask_of(candidate, accounts) == wanted).all():
            return candidate
    return written_out(wanted, accounts)


def _dropped(selection: Selection, code: str, accounts: CodeList) -> Selection:
    before = mask_of(selection, accounts)
    place = accounts.index.get(code)
    if place is None or not before[place]:
        return selection
    wanted = before.copy()
    wanted[place] = False
    included = tuple(part for part in selection.included if not (part.kind == "code" and part.first == code))
    for candidate in (
        replace(selection, included=included),
        Selection(included, (*selection.excluded, SelectionPart("code", code)), selection.only),
    ):
        if (mask_of(candidate, accounts) == wanted).all():
            return candidate if candidate.included and wanted.any() else EMPTY
    return written_out(wanted, accounts)


def written_out(mask: BoolArray, accounts: CodeList) -> Selection:
    """The shortest plain selection of some accounts: neighbours as ranges, the others by code."""
    parts: list[SelectionPart] = []
    places = list(np.flatnonzero(mask))
    while places:
        length = next((at for at in range(1, len(places)) if places[at] != places[at - 1] + 1), len(places))
        run, places = places[:length], places[length:]
        codes = [accounts.items[place].code for place in run]
        parts += (
            [SelectionPart("range", codes[0], codes[-1])]
            if len(codes) > 2
            else [SelectionPart("code", code) for code in codes]
        )
    return Selection(tuple(parts))


def joined(texts: Sequence[str], accounts: CodeList) -> str:
    """One text for what several mean together; their clauses besides the accounts must be the same."""
    split = [accounts_clause(text) for text in texts]
    rests = {rest.text() for _, rest in split}
    if len(rests) > 1:
        raise RulkaError(
            f"They are narrowed differently: {' / '.join(sorted(rest or 'not at all' for rest in rests))}.",
            subject="line",
        )
    masks = [mask_of(selection, accounts) for selection, _ in split]
    wanted = np.any(masks, axis=0)
    included = dict.fromkeys(part for selection, _ in split for part in selection.included)
    excluded = dict.fromkeys(part for selection, _ in split for part in selection.excluded)
    selection = Selection(
        tuple(replace(part, position=0) for part in included), tuple(replace(part, position=0) for part in excluded)
    )
    selection = Selection(tuple(dict.fromkeys(selection.included)), tuple(dict.fromkeys(selection.excluded)))
    if not wanted.any() or not (mask_of(selection, accounts) == wanted).all():
        selection = written_out(wanted, accounts)
    return text_of(selection, split[0][1])


@dataclass(frozen=True)
class Pasted:
    """Codes read from pasted text: those that exist, each once, those that don't, and how many came twice."""

    codes: tuple[str, ...]
    unknown: tuple[str, ...]
    twice: int


def read_codes(text: str, accounts: CodeList) -> Pasted:
    """Account codes from a column of a spreadsheet: the first cell of each row, or all words of a single row."""
    rows = [row for row in re.split(r"[\r\n]+", text) if row.strip()]
    if len(rows) == 1:
        words = [word for word in re.split(r"[\s,;]+", rows[0]) if word]
    else:
        words = [row.split("\t")[0].strip() for row in rows]
        words = [word if word in accounts.index else word.split()[0] for word in words if word]
    words = [word.strip("\"'") for word in words]
    known = [word for word in words if word in accounts.index]
    return Pasted(
        tuple(dict.fromkeys(known)),
        tuple(dict.fromkeys(word for word in words if word not in accounts.index)),
        len(words) - len(set(words)),
    )


def check_code(code: str, accounts: CodeList) -> str:
    """The code again; NotFound when no account has it."""
    if code not in accounts.index:
        raise NotFound(f"Account '{code}' does not exist.", hint=one_of(code, accounts.index), subject="account")
    return code
