"""An entity's books by a calendar of its own."""

from __future__ import annotations

from rulka.core.books.book import Book
from rulka.core.errors import NotFound, RulkaError
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import book_of


def own_calendar_book(ledger: Ledger, entity: str) -> Book:
    """The books in the calendar that an entity names; entities that keep another one are not in it."""
    book = book_of(ledger)
    if entity not in book.frame.entities.index:
        raise NotFound(f"Entity '{entity}' does not exist.", subject="entity")
    name = book.frame.entity_calendars[book.frame.entities.index[entity]]
    if not name:
        raise RulkaError(
            f"{entity} names no calendar of its own.", hint="Its calendar is the group's.", subject="calendar"
        )
    return book.in_calendar(name)
