"""What refers to a line by its label: formulas, checks, shares and the line that takes roundings."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from rulka.core.definitions.expressions import names_in, parse_formula, renamed
from rulka.core.definitions.spines import raw_lines
from rulka.core.edits.tree import Raw, label_of, quoted
from rulka.core.errors import RulkaError

FORMULAS = ("formula", "holds")


def rename_in_spine(body: Raw, old: str, new: str) -> None:
    """Every formula and check of a spine that names `old` names `new` from now on."""
    for raw in raw_lines(body["lines"]):
        for field in FORMULAS:
            if raw.get(field):
                raw[field] = renamed(raw[field], old, new)
        if raw.get("agree"):
            raw["agree"] = [new if label.casefold() == old.casefold() else label for label in raw["agree"]]


def rename_beside(bodies: Iterable[Raw], old: str, new: str, key: str) -> None:
    """Shares and roundings that name the line go on: a share by the line's key, since its span may serve other
    spines."""
    for body in bodies:
        for column in raw_columns(body.get("columns", ())):
            if column.get("line", "").casefold() == old.casefold():
                column["line"] = key
        figures = body.get("figures", {})
        if figures.get("rest", "").casefold() == old.casefold():
            figures["rest"] = new


def raw_columns(columns: Iterable[Raw]) -> Iterator[Raw]:
    """All columns of a span's body, those inside of series too."""
    for column in columns:
        yield column
        yield from column.get("columns", ())


def users_of(body: Raw, labels: Iterable[str], leaving: Iterable[Raw] = ()) -> list[str]:
    """Labels of the lines that refer to one of these, besides lines that leave together with it."""
    wanted = {label.casefold() for label in labels if label}
    going = {id(raw) for raw in leaving}
    found = []
    for raw in raw_lines(body["lines"]):
        if id(raw) in going:
            continue
        named = {
            name.text.casefold() for field in FORMULAS if raw.get(field) for name in names_in(parse_formula(raw[field]))
        }
        named |= {label.casefold() for label in raw.get("agree", ())}
        if named & wanted:
            found.append(label_of(raw))
    return found


def refuse_if_used(body: Raw, leaving: Iterable[Raw]) -> None:
    """Refuse that lines go which others work on, with the list of those."""
    gone = [inner for raw in leaving for inner in (raw, *raw_lines(raw.get("lines", ())))]
    labels = [label for raw in gone for label in (label_of(raw), raw.get("total", ""))]
    users = users_of(body, labels, gone)
    if users:
        raise RulkaError(
            f"{quoted([label_of(raw) for raw in leaving])} is used by {quoted(users)}.",
            hint="Change that first.",
            subject="line",
            code="used",
        )
