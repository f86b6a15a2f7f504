"""What can be done to an extract on its page: each action changes its text through `core/extracting/edits.py`."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from rulka.core.books.fence import Fence
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.extracting import edits
from rulka.core.extracting.fields import RowKind
from rulka.core.values import whole
from rulka.extracts.library.opening import open_extract
from rulka.extracts.library.storing import change_extract
from rulka.extracts.models import Extract
from rulka.extracts.running.checking import check_in, row_kind_of
from rulka.people.models import Person

Sent = Mapping[str, str]
Change = Callable[[Extract, Sent, Sequence[str], RowKind, Person], dict[str, Any]]


def _fields(extract: Extract, sent: Sent, several: Sequence[str], rows: RowKind, person: Person) -> dict[str, Any]:
    return edits.choose_fields(extract.body, rows, several)


def _column(extract: Extract, sent: Sent, several: Sequence[str], rows: RowKind, person: Person) -> dict[str, Any]:
    return edits.change_column(
        extract.body, sent.get("column", ""), title=sent.get("title", ""), total=sent.get("total", ""),
        formula=sent.get("formula", ""), kind=sent.get("kind", ""),
    )  # fmt: skip


def _formula(extract: Extract, sent: Sent, several: Sequence[str], rows: RowKind, person: Person) -> dict[str, Any]:
    return edits.add_formula(extract.body, sent.get("title", ""), sent.get("formula", ""))


def _remove(extract: Extract, sent: Sent, several: Sequence[str], rows: RowKind, person: Person) -> dict[str, Any]:
    return edits.remove_column(extract.body, sent.get("column", ""))


def _left(extract: Extract, sent: Sent, several: Sequence[str], rows: RowKind, person: Person) -> dict[str, Any]:
    return edits.move_column(extract.body, sent.get("column", ""), -1)


def _right(extract: Extract, sent: Sent, several: Sequence[str], rows: RowKind, person: Person) -> dict[str, Any]:
    return edits.move_column(extract.body, sent.get("column", ""), 1)


def _sort(extract: Extract, sent: Sent, several: Sequence[str], rows: RowKind, person: Person) -> dict[str, Any]:
    return edits.sort_by(extract.body, sent.get("column", ""), sent.get("order", ""))


def _top(extract: Extract, sent: Sent, several: Sequence[str], rows: RowKind, person: Person) -> dict[str, Any]:
    return edits.set_top(extract.body, sent.get("top", ""))


def _condition(extract: Extract, sent: Sent, several: Sequence[str], rows: RowKind, person: Person) -> dict[str, Any]:
    name = "keep" if sent.get("of") == "keep" else "where"
    at = whole(sent.get("at", "999"), "condition")
    return edits.set_condition(
        extract.body, name, at, sent.get("field", ""), sent.get("words", ""), sent.get("if", ""),
        other=(sent.get("field-2", ""), sent.get("words-2", "")),
    )  # fmt: skip


def _ask(extract: Extract, sent: Sent, several: Sequence[str], rows: RowKind, person: Person) -> dict[str, Any]:
    raw = {name: sent.get(name, "") for name in ("ask", "title", "type", "of", "default", "from", "hint")}
    raw["required"] = "yes" if sent.get("required") else ""
    raw["several"] = "yes" if sent.get("several") else ""
    return edits.set_ask(extract.body, sent.get("former", ""), raw)


def _unask(extract: Extract, sent: Sent, several: Sequence[str], rows: RowKind, person: Person) -> dict[str, Any]:
    return edits.remove_ask(extract.body, sent.get("former", ""))


def _copy_asks(extract: Extract, sent: Sent, several: Sequence[str], rows: RowKind, person: Person) -> dict[str, Any]:
    other = open_extract(extract.ledger, sent.get("from", ""), person=person)
    names = [one["ask"] for one in other.body.get("ask", ())]
    if not names:
        raise RulkaError(f"'{other.title}' asks nothing.", hint="Choose another extract.", subject="questions")
    return edits.copied_asks(extract.body, other.body, names)


def _title(extract: Extract, sent: Sent, several: Sequence[str], rows: RowKind, person: Person) -> dict[str, Any]:
    title = " ".join(sent.get("title", "").split())
    if not title:
        raise RulkaError("An extract needs a title.", hint="Write one.", subject="title")
    body = {**extract.body, "title": title, "about": " ".join(sent.get("about", "").split()),
            "for": " ".join(sent.get("for", "").split())}  # fmt: skip
    return {name: value for name, value in body.items() if value}


ACTIONS: Mapping[str, tuple[str, Change]] = {
    "fields": ("columns chosen", _fields),
    "column": ("column {column}", _column),
    "formula": ("computed column {title}", _formula),
    "remove": ("column {column} away", _remove),
    "left": ("column {column} moved", _left),
    "right": ("column {column} moved", _right),
    "sort": ("order by {column}", _sort),
    "top": ("first rows only", _top),
    "condition": ("condition on {field}", _condition),
    "ask": ("question {ask}", _ask),
    "unask": ("question {former} away", _unask),
    "copy-asks": ("questions of {from}", _copy_asks),
    "title": ("title", _title),
}


def act(extract: Extract, name: str, sent: Sent, several: Sequence[str], *, fence: Fence, person: Person) -> Extract:
    """Do an action of the page; the extract is checked in its ledger before it is kept."""
    if name not in ACTIONS:
        raise NotFound(f"Nothing is called '{name[:30]}' here.", hint=one_of(name, ACTIONS), subject="action")
    words, change = ACTIONS[name]
    rows = row_kind_of(extract.ledger, fence, person, extract.body)
    body = change(extract, sent, several, rows, person)
    version = sent.get("version", "")
    check_in(extract.ledger, fence, person, body)
    told = words.format(**{key: sent.get(key, "") for key in ("column", "title", "field", "ask", "former", "from")})
    seen = whole(version, "version") if version else None
    return change_extract(extract, body, told, person=person, version=seen)
