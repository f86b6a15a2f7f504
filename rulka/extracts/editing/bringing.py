"""Lists from elsewhere brought over: a query text or a headed list as a draft extract, looked at before it is made."""

from __future__ import annotations

from collections.abc import Mapping

from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError
from rulka.core.extracting.bringing import Draft, draft
from rulka.core.extracting.fields import RowKind
from rulka.extracts.library.storing import TEXTS, store_extract
from rulka.extracts.models import Extract
from rulka.extracts.running.checking import check_in
from rulka.formats.intake.guessing import WORDS
from rulka.ledger.models import Ledger
from rulka.ledger.reading.row_reader import reading
from rulka.people.models import Person

USUAL_TITLE = "Brought over"


def sets_of(ledger: Ledger, fence: Fence) -> Mapping[str, RowKind]:
    """The sets of rows that somebody may ask for, by name."""
    with reading(ledger, fence) as rows:
        found = {}
        for name, _ in rows.names():
            kind, _, of = name.partition(" ")
            try:
                found[name] = rows.row_kind("table", of) if kind == "table" else rows.row_kind(name)
            except RulkaError:
                continue  # rows that this person's bounds don't show
        return found


def drafted(ledger: Ledger, fence: Fence, text: str, title: str = "") -> Draft:
    """What a query or list from elsewhere becomes, and what of it is unknown; nothing is made yet."""
    from rulka.formats.intake.foreign_query import read_foreign  # its parser takes long to read

    return draft(read_foreign(text), sets_of(ledger, fence), WORDS, " ".join(title.split())[:120] or USUAL_TITLE)


def bring(ledger: Ledger, fence: Fence, text: str, title: str, *, person: Person | None) -> tuple[Extract, Draft]:
    """Make the draft extract of a query or list from elsewhere."""
    TEXTS.required_maker(person)
    found = drafted(ledger, fence, text, title)
    body = {"extract": TEXTS.free_name(ledger, str(found.body["title"])), **found.body}
    check_in(ledger, fence, person, body)
    return store_extract(ledger, body, person=person)[0], found
