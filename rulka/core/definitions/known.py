"""Names that a definition takes from its ledger: scenarios, dimensions, expansions. Refused where a definition is read,
not where it runs."""

from __future__ import annotations

from collections.abc import Iterator

from rulka.core.books.frame import Frame
from rulka.core.books.narrowing import LINE_FIELDS, Narrowing, codes_of
from rulka.core.definitions.scopes import ScopeDef
from rulka.core.definitions.spans import TIME, SpanDef
from rulka.core.definitions.spines import DETAIL, EXPANSIONS, LineDef, SpineDef
from rulka.core.errors import NotFound, RulkaError, one_of


def unknown_in_spine(spine: SpineDef, frame: Frame) -> Iterator[RulkaError]:
    """What a spine names that its ledger doesn't have, each with its line."""
    for line in spine.walk():
        yield from _placed(_of_line(line, frame), f"line {line.label or line.key}")


def unknown_in_span(span: SpanDef, frame: Frame) -> Iterator[RulkaError]:
    """What a span names that its ledger doesn't have, each with its column."""
    for column in span.walk():
        where = f"column {column.key}"
        yield from _placed(_of_scenarios((column.scenario, column.then), frame), where)
        yield from _placed(_of_narrowing(column.narrow, frame), where)
        known = (*TIME, "child", "entity", *frame.dimensions)
        if column.each and column.each not in known:
            yield NotFound(
                f"There is no series of each '{column.each}'.", hint=one_of(column.each, known), subject=where
            )


def unknown_in_scope(scope: ScopeDef, frame: Frame) -> Iterator[RulkaError]:
    """What a scope names that its ledger doesn't have, each with its node."""
    for node in scope.walk():
        where = f"node {node.code or node.grow}"
        yield from _placed(_of_narrowing(node.of, frame), where)
        known = ("entity", *frame.dimensions)
        if node.grow and node.grow not in known:
            yield NotFound(f"No nodes grow from '{node.grow}'.", hint=one_of(node.grow, known), subject=where)


def _of_line(line: LineDef, frame: Frame) -> Iterator[RulkaError]:
    yield from _of_narrowing(line.accounts, frame)
    if line.volume is not None:
        yield from _of_narrowing(line.volume, frame)
    yield from _of_scenarios((line.override.scenario,), frame)
    known = (*EXPANSIONS, *frame.dimensions)
    kinds = line.expand or line.below
    for place, kind in enumerate(kinds):
        if kind not in known:
            yield RulkaError(f"It can't be expanded by '{kind}'.", hint=one_of(kind, known), code="expand")
        elif kind in DETAIL and place != len(kinds) - 1:
            yield RulkaError(f"Nothing expands {kind} further.", hint=f"Put {kind} last.", code="expand")


def _of_scenarios(names: tuple[str, ...], frame: Frame) -> Iterator[RulkaError]:
    for name in filter(None, names):
        if name not in frame.scenarios:
            yield NotFound(f"Scenario '{name}' does not exist in this ledger.", hint=one_of(name, frame.scenarios))


def _of_narrowing(narrowing: Narrowing, frame: Frame) -> Iterator[RulkaError]:
    for clause in narrowing.clauses:
        if clause.name not in LINE_FIELDS:
            try:
                codes_of(clause.name, frame)
            except NotFound as error:
                error.subject = ""
                yield error


def _placed(errors: Iterator[RulkaError], where: str) -> Iterator[RulkaError]:
    for error in errors:
        error.subject = where
        yield error
