"""The gate to query texts: used by whoever may run what is on their shelf, written by administrators alone."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.core.errors import RulkaError
from rulka.core.extracting.queries import QueryDef, query_from
from rulka.extracts.models import Extract, QueryStep, QueryText
from rulka.formats.query_file import QUERIES
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.on_shelves import found_among, may_run_among, required_on, seen_among
from rulka.statements.library.shelves import RUN
from rulka.statements.library.texts import Texts

ONLY_RUNS = "You may use this query in extracts, not change it."
RESERVED = ("new",)


def checked(body: Mapping[str, Any], where: str = "") -> QueryDef:
    """A mapping as a query text; raises RulkaError that says where what is wrong."""
    QUERIES.check(body, where)
    return query_from(body)


TEXTS: Texts[QueryText] = Texts("query", QueryText, QueryStep, checked, RESERVED, ONLY_RUNS)


def required_administrator(person: Person | None) -> None:
    """Refuse whoever may not write queries; a command for nobody may."""
    if person is not None and not person.administers:
        raise RulkaError("Only an administrator writes queries.", hint="Ask one.", code="rights")


def seen_queries(ledger: Ledger, person: Person | None) -> list[QueryText]:
    """The query texts that somebody may at least see."""
    return seen_among(_of(ledger), person)


def usable_queries(ledger: Ledger, person: Person) -> list[QueryText]:
    """The query texts that somebody may use in extracts."""
    return may_run_among(_of(ledger), person)


def _of(ledger: Ledger) -> Any:
    return QueryText.objects.filter(ledger=ledger).select_related("ledger", "shelf")


def open_query(ledger: Ledger, name: str, *, person: Person | None) -> QueryText:
    """A query text by its name, to be used; raises in words where it isn't there for somebody."""
    found = found_among(seen_queries(ledger, person), name, "query")
    required_on(person, found, RUN, "query", ONLY_RUNS)
    return found


def uses_of(ledger: Ledger) -> dict[str, list[Extract]]:
    """The extracts that are of queries' rows, by the query's name."""
    found: dict[str, list[Extract]] = {}
    for one in Extract.objects.filter(ledger=ledger):
        rows = one.body.get("rows")
        if isinstance(rows, dict) and "query" in rows:
            found.setdefault(str(rows["query"]), []).append(one)
    return found


def used_by(query: QueryText) -> list[Extract]:
    """The extracts that are of a query's rows."""
    return uses_of(query.ledger).get(query.name, [])


def store_query(ledger: Ledger, body: Mapping[str, Any], *, person: Person | None) -> tuple[QueryText, bool]:
    """Keep a query text by its name; one that bears it is replaced as a change. Whether anything moved."""
    required_administrator(person)
    return TEXTS.store(ledger, body, person)


def change_query(
    query: QueryText, body: Mapping[str, Any], what: str, *, person: Person | None, version: int | None = None
) -> QueryText:
    """Change a query text; refused where it isn't as the person saw it."""
    required_administrator(person)
    return TEXTS.change(query, body, what, person, version)


def delete_query(query: QueryText, *, person: Person | None) -> None:
    """Take a query text away that no extract is of."""
    required_administrator(person)
    extracts = used_by(query)
    if extracts:
        raise RulkaError(
            f"Extracts are of its rows: {', '.join(one.title for one in extracts[:5])}.", hint="Delete these first.",
            subject=query.title,
        )  # fmt: skip
    TEXTS.delete(query, person)
