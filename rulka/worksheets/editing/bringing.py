"""Statements brought over: laid down as a worksheet, held against the statement at several nodes and periods first."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from rulka.core.books.calendar import Period
from rulka.core.compute.computed import Computed
from rulka.core.definitions.keys import slug
from rulka.core.errors import RulkaError
from rulka.core.sheet.addresses import cell_text
from rulka.core.sheet.from_statement import LaidDown, ask_instead, disagreeing, lay_down
from rulka.core.sheet.listed import Brought, statement_lines
from rulka.formats.definition_file import check_body
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.assemble import Definitions
from rulka.statements.library.assemble import free_name as free_statement_name
from rulka.statements.library.opening import definitions_for
from rulka.statements.library.storing import load_definitions
from rulka.statements.running.runs import node_asked, page_nodes, run
from rulka.worksheets.library.opening import required_editor
from rulka.worksheets.library.storing import store_workbook
from rulka.worksheets.models import Worksheet
from rulka.worksheets.running.live import WorksheetReader, calculated_for

MOST_ROUNDS = 4


def open_as_worksheet(reader: WorksheetReader, name: str, *, of: str = "", title: str = "") -> Worksheet:
    """A new worksheet that gives a statement's figures; `of` is the node of a statement that has nodes of its own."""
    required_editor(reader.person)
    definitions = definitions_for(reader.ledger, name, reader.person)
    laid = laid_down(reader, definitions, of)
    title = title or f"{definitions['statement'].title}, worksheet"
    return store_workbook(reader.ledger, title, laid.workbook, person=reader.person)


def laid_down(reader: WorksheetReader, definitions: Definitions, of: str = "") -> LaidDown:
    """A statement as a workbook. Where a formula of its own gives another figure than the statement, for this node and
    period or for others tried beside it, the cell asks the statement instead."""
    statement = definitions["statement"]
    node = node_asked(statement, node=reader.node, of=of)
    computed = _run(definitions, reader, reader.period, node)
    laid = lay_down(computed, statement.name, statement.title, scoped=bool(computed.statement.scope))
    tried = [(reader.period, computed.node.code, computed), *_others(definitions, reader, computed)]
    for _ in range(MOST_ROUNDS):
        wrong = {place for one in tried for place in _wrong(laid, reader, *one)}
        if not wrong:
            return laid
        if not ask_instead(laid, wrong):
            break
    still = _wrong(laid, reader, *tried[0])
    if still:
        raise RulkaError(
            f"{cell_text(*still[0])} and {len(still) - 1} more cells don't give the statement's figures."
            if len(still) > 1
            else f"{cell_text(*still[0])} doesn't give the statement's figure.",
            hint="Place the statement as a block instead, and say what it is of.",
            subject=statement.title,
        )
    return laid


def _wrong(
    laid: LaidDown, reader: WorksheetReader, period: Period, node: str, computed: Computed
) -> list[tuple[int, int]]:
    own = WorksheetReader(reader.ledger, reader.view, period, reader.node if laid.has_nodes else node, reader.person)
    workbook = laid.at_node(node) if laid.has_nodes else laid.workbook
    return disagreeing(laid, calculated_for(workbook, own), computed)


def _others(definitions: Definitions, reader: WorksheetReader, first: Computed) -> list[tuple[Period, str, Computed]]:
    """The statement at other periods and nodes, as far as it can be run for them."""
    periods = reader.view.frame.calendar.periods
    at = reader.period.index
    near = [periods[place] for place in (at - 1, at - 5, at - 12, at + 1) if 0 <= place < len(periods)]
    here = first.node.code
    nodes = [node.code for node in page_nodes(first.statement, reader.view) if node.code != here]
    asked = [(period, here) for period in near]
    asked += [(reader.period, node) for node in nodes[:2]] + [
        (period, node) for period in near[:1] for node in nodes[-1:]
    ]
    found = []
    for period, node in asked:
        try:
            found.append((period, node, _run(definitions, reader, period, node)))
        except RulkaError:
            continue  # it can't be run there, so nothing is shown there that could differ
    return found


def _run(definitions: Definitions, reader: WorksheetReader, period: Period, node: str) -> Computed:
    return run(definitions, period.code, node, reader.view.fence, reader.person).computed


def statement_from_rows(ledger: Ledger, title: str, brought: Sequence[Brought], *, person: Person) -> str:
    """A new statement of rows that were brought over: its name."""
    required_editor(person)
    title = " ".join(title.split())[:120]
    name = free_statement_name(ledger, "statement", slug(title)[:60] or "rows")
    spine, span = free_statement_name(ledger, "spine", name), free_statement_name(ledger, "span", name)
    lines = statement_lines(brought)
    bodies: list[dict[str, Any]] = [
        {"spine": spine, "title": title, "lines": lines},
        {"span": span, "title": title, "columns": COLUMNS},
        {"statement": name, "title": title, "spine": spine, "span": span},
    ]
    problems = [problem for body in bodies for problem in check_body(body, title)]
    if problems:
        raise problems[0]
    load_definitions(ledger, bodies, person=person)
    return name


COLUMNS: list[dict[str, Any]] = [
    {"column": "now", "heading": "{window}"},
    {"column": "ytd", "window": "year to date", "heading": "{window}"},
]
