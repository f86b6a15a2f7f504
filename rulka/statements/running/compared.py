"""A statement with the columns of a comparison that somebody looks at, instead of its own."""

from __future__ import annotations

from rulka.core.books.book import View
from rulka.core.edits.comparing import Comparison, compared_span, comparison_from
from rulka.ledger.reading.queries import scenario_titles
from rulka.statements.library.assemble import Definitions, made_up

MADE_UP = 0
"""The key of a definition that nothing stores."""


def compared(definitions: Definitions, text: str, view: View) -> Definitions:
    """The parts of a statement with its span replaced; as they are where nothing is compared."""
    if not text:
        return definitions
    return with_comparison(definitions, comparison_from(text, view.frame.scenarios))


def with_comparison(definitions: Definitions, asked: Comparison) -> Definitions:
    """The parts of a statement, its span replaced by that of a comparison."""
    ledger = definitions["statement"].ledger
    body = compared_span(asked, scenario_titles(ledger))
    return {**definitions, "span": made_up(ledger, body, MADE_UP)}
