"""A statement over a few lines in memory, for tests of its proof."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType
from typing import Any

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.compute.computed import Computed
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.scopes import scope_from
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from tests.books import Line, Works, book_of
from tests.core.compute.test_brute import ACCOUNTS, ENTITIES, MEMBERS

CALENDAR = {"first_month": 1, "year_label": "start", "first_year": 2025, "last_year": 2027, "adjusting_periods": 0}


def small(
    lines: Sequence[Line],
    inner: Sequence[Mapping[str, Any]],
    columns: Sequence[Mapping[str, Any]],
    period: str,
    fence: Fence = NO_FENCE,
    *,
    of: str = "entity: A",
    others: Mapping[str, str] = MappingProxyType({}),
    inside: Mapping[str, str] = MappingProxyType({}),
    works: Mapping[str, Any] | None = None,
    by_reader: bool = False,
    covers: str = "",
    **more: Any,
) -> Computed:
    """A statement `t` of company A or what else (`others` are nodes beside it, `inside` its children), with these lines
    of its spine and columns of its span. `works` is what differs of the ledger besides its lines, `more` of the
    statement; `by_reader` is as somebody sees it who may not edit it."""
    nodes = {"n": of, **others}
    drawn: list[dict[str, Any]] = [{"node": code, "of": text} for code, text in nodes.items()]
    drawn[0] |= {"nodes": [{"node": code, "of": text} for code, text in inside.items()]} if inside else {}
    scope = scope_from({"scope": "n", "nodes": drawn})
    body = {"statement": "t", "spine": "s", "span": "p", "scope": "n", **more}
    owed = {"covers": covers} if covers else {}
    spine = spine_from({"spine": "s", "lines": list(inner), **owed})
    span = span_from({"span": "p", "columns": list(columns)})
    view = book_of(replace(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, lines), **works or {})).within(fence)
    statement = statement_from(body, spine, span, scope)
    asked = statement.for_readers() if by_reader else statement
    return run_statement(asked, view, view.frame.calendar.period(period), "n")
