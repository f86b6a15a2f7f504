"""What lies outside of a fence, or under a seal finer than its grain, makes no difference to anything that shows."""

from __future__ import annotations

import json
from dataclasses import replace
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rulka.core.books.fence import NO_FENCE, Bounds, Fence
from rulka.core.books.trial_balance import trial_balance
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.scopes import scope_from
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.core.errors import RulkaError
from rulka.core.proof.footing import footing
from rulka.core.proof.splits import OpenedFigure, directions, open_figure, split, step_into
from rulka.core.proof.trace import trace_cell
from rulka.formats.output.text import as_json
from tests.books import Line, Works, book_of
from tests.core.compute.test_brute import ledgers, spans, spines, written
from tests.lengths import several

SEALED = "50, 11, 40"
IS_SEALED = ("50", "11", "40")
ROUTES = [{"dimension": "route", "code": code, "name": code.upper()} for code in "xyz"]
LINES = (
    {"line": "By route", "accounts": "4*, 5*", "expand": "route"},
    {"line": "By accounts and route", "accounts": "5*, 11", "expand": ["accounts", "route"], "rows": "below"},
    {"line": "By counterparty", "accounts": "4*, 5*", "expand": ["accounts", "counterparties"]},
    {"line": "By entry", "accounts": "5*", "expand": "entries", "rows": "below"},
    {"line": "On route", "accounts": "4*, 5*; route: x"},
    {"line": "Of a source", "accounts": "5*; source: pay"},
    {"line": "With partner", "accounts": "11, 5*; partner: A"},
    {"line": "Kept", "accounts": "30"},
    {"line": "Kept by route", "accounts": "30; route: not x"},
)
COLUMNS = (
    {"column": "route", "narrow": "route: x"},
    {"series": "routes", "each": "route", "total": "All", "none": "None"},
    {"column": "pending", "entries": "with pending", "window": "year to date"},
    {"column": "only", "entries": "pending only"},
    {"series": "weeks", "each": "week", "within": "period"},
    {"column": "stands", "measure": "closing"},
    {"column": "opened", "measure": "opening", "narrow": "route: not y"},
    {"column": "gone", "part": "after elimination", "measure": "closing"},
    {"column": "whole", "window": "year to date"},
)


def with_finer(draw: Any, works: Works) -> Works:
    """The ledger with a second dimension, sources and counterparties."""
    lines = [
        replace(
            line,
            members={**line.members, "route": draw(st.sampled_from("-xyz"))},
            source=draw(st.sampled_from(["pay", "bank"])) if line.scenario == "actual" else "",
            counterparty=draw(st.sampled_from(["", "K1", "K2"])) if line.scenario == "actual" else "",
        )
        for line in works.lines
    ]
    return replace(works, lines=lines, members=[*works.members, *ROUTES], dimensions=("department", "route"))


def altered(draw: Any, works: Works) -> Works:
    """The same ledger where nothing differs but what is finer than a seal's grain."""
    lines: list[Line] = []
    for number, line in enumerate(works.lines):
        if line.account not in IS_SEALED or line.scenario != "actual":
            lines.append(line)
            continue
        adjusting = line.day.day > 28
        day = line.day if adjusting else line.day.replace(day=draw(st.integers(1, 28)))
        finer = {
            "members": {**line.members, "route": draw(st.sampled_from("-xyz"))},
            "day": day,
            "entry": f"m{number}",
            "source": draw(st.sampled_from(["pay", "bank", "other"])),
            "counterparty": draw(st.sampled_from(["", "K1", "K3"])),
            "partner": draw(st.sampled_from(["", "A", "B"])) if line.account == "11" else "",
            "description": "altered",
            "historical": None,
        }
        if line.status == "pending":
            finer["amount"] = draw(st.decimals(-1000, 1000, places=2))
        changed = replace(line, **finer)
        if line.status == "posted" and draw(st.booleans()):
            half = (line.amount / 2).quantize(Decimal("0.01"))
            lines += [replace(changed, amount=half), replace(changed, amount=line.amount - half, entry=f"x{number}")]
        else:
            lines.append(changed)
    for number in range(draw(st.integers(0, 2))):  # one more that waits
        like = draw(st.sampled_from(works.lines))
        lines.append(
            replace(
                like, account="50", status="pending", scenario="actual", entry=f"w{number}", kind="normal", partner=""
            )
            if like.account != "50" and like.scenario == "actual"
            else replace(
                works.lines[0], amount=Decimal(0), account="50", status="pending", scenario="actual", entry="w"
            )
        )
    return replace(works, lines=lines)


def told(works: Works, fence: Fence, statement: Any, at: str) -> Any:
    """All that shows of a statement: figures, checks, traces down to periods."""
    view = book_of(works).within(fence)
    try:
        computed = run_statement(statement, view, view.frame.calendar.period(at), "n")
        checks = footing(computed)
    except RulkaError as error:
        return str(error)
    traces = []
    for row in computed.rows:
        for column in computed.columns:
            if row.has_figures and column.has_figures:
                traces.append(traced(computed, row.key, column.key))
    return json.loads(as_json(computed, checks, "t")), traces


def same(one: Any, other: Any) -> None:
    """Both alike, or the first place where they differ."""
    if isinstance(one, tuple) and isinstance(other, tuple):
        for part, again in zip(one[0]["lines"], other[0]["lines"], strict=False):
            assert part == again
        for part, again in zip(one[0]["footing"], other[0]["footing"], strict=False):
            assert part == again
        for part, again in zip(one[1], other[1], strict=False):
            assert part == again
    assert one == other


def traced(computed: Any, row: str, column: str) -> Any:
    try:
        return trace_cell(computed, row, column), ways(open_figure(computed, row, column), 2)
    except RulkaError as error:
        return str(error)


def ways(opened: OpenedFigure, depth: int) -> Any:
    """All that a figure tells in every direction, and behind each part of it."""
    found = []
    for by in directions(opened) if opened.pools is not None else ():
        if by == "line":
            continue
        told = split(opened, by)
        inside = [part for part in told.parts if not part.reason] if depth > 1 else []
        found.append((told, [ways(step_into(opened, by, part.code), depth - 1) for part in inside[:4]]))
    return found


def statement_of(draw: Any, spine: Any, span: Any) -> Any:
    spine = {**spine, "lines": [*spine["lines"], *draw(st.lists(st.sampled_from(LINES), max_size=3, unique_by=str))]}
    span = {**span, "columns": [*span["columns"], *draw(st.lists(st.sampled_from(COLUMNS), max_size=3, unique_by=str))]}
    nodes = [
        {
            "node": "n",
            "of": draw(st.sampled_from(["entity: A", "entity: A, B", "entity: A; route: x", "department: d"])),
        }
    ]
    currency = draw(st.sampled_from(["own", "group"]))
    body = {"statement": "t", "spine": "s", "span": "p", "scope": "n", "currency": currency}
    return statement_from(body, spine_from(written(spine)), span_from(span), scope_from({"scope": "n", "nodes": nodes}))


def asked(draw: Any, works: Works) -> str:
    year, number = draw(st.sampled_from([(2025, 3), (2026, 1), (2026, 12), (2027, 5)]))
    return f"{year}-P{number:02d}"


@settings(max_examples=several(60))
@given(st.data(), ledgers(), spines(), spans())
def test_what_is_finer_than_a_seals_grain_makes_no_difference(data, works, spine, span):
    works = with_finer(data.draw, works)
    other = altered(data.draw, works)
    statement, at = statement_of(data.draw, spine, span), asked(data.draw, works)
    fence = Fence.of(members=data.draw(st.sampled_from([{}, {}, {"route": "x"}, {"department": "d"}])), sealed=SEALED)
    same(told(works, fence, statement, at), told(other, fence, statement, at))
    for pending, by in ((False, ""), (False, "department"), (True, ""), (False, "route")):
        rows = [
            trial_balance(
                view, *(view.frame.calendar.period(code) for code in ("2025-P01", at)), pending=pending, by=by
            ).rows()
            for view in (book_of(works).within(fence), book_of(other).within(fence))
        ]
        assert rows[0] == rows[1]


@settings(max_examples=several(60))
@given(st.data(), ledgers(), spines(), spans())
def test_what_shows_under_a_seal_is_what_shows_without(data, works, spine, span):
    """A seal leaves figures out; it never changes one."""
    works = with_finer(data.draw, works)
    statement, at = statement_of(data.draw, spine, span), asked(data.draw, works)
    views = [book_of(works).within(fence) for fence in (NO_FENCE, Fence.of(sealed=SEALED))]
    try:
        whole, sealed = (run_statement(statement, view, view.frame.calendar.period(at), "n") for view in views)
    except RulkaError:
        return
    columns = [column.key for column in sealed.columns]
    for row in sealed.rows:
        former = whole.rows_by_key.get(row.key)
        for place, value in enumerate(row.values):
            if former is not None and place not in row.sealed_at and columns[place] in {c.key for c in whole.columns}:
                if row.kind in ("member", "account", "subtotal", "others", "counterparty", "entry"):
                    continue  # rows of what is open only; their line has the whole
                assert value == former.values[whole.place(columns[place])], (row.key, columns[place])


OUTSIDE = {
    "entity": (Fence.of("A"), lambda line: line.entity == "A"),
    "member": (Fence.of(members={"department": "under:s"}), lambda line: line.members["department"] in "sde"),
    "second dimension": (Fence.of(members={"route": "x"}), lambda line: line.members["route"] == "x"),
    "account": (Fence.of(accounts="4*, 5*"), lambda line: line.account[0] in "45"),
    "either": (
        Fence.around([Bounds.written("A", "4*, 5*"), Bounds.written(members={"department": "d", "route": "x"})]),
        lambda line: (
            (line.entity == "A" and line.account[0] in "45")
            or (line.members["department"] == "d" and line.members["route"] == "x")
        ),
    ),
}


@pytest.mark.parametrize("what", OUTSIDE)
@settings(max_examples=several(25))
@given(st.data(), ledgers(), spines(), spans())
def test_what_lies_outside_of_a_fence_makes_no_difference(what, data, works, spine, span):
    fence, inside = OUTSIDE[what]
    works = with_finer(data.draw, works)
    lines = [
        line
        if inside(line)
        else replace(
            line,
            amount=data.draw(st.decimals(-900, 900, places=2)),
            description="altered",
            source="else",
            counterparty="K9",
        )
        for line in works.lines
    ]
    entities = [
        {**row, "name": "Altered"} if what == "entity" and row["code"] != "A" else row for row in works.entities
    ]
    other = replace(works, lines=lines, entities=entities)
    statement, at = statement_of(data.draw, spine, span), asked(data.draw, works)
    same(told(works, fence, statement, at), told(other, fence, statement, at))
