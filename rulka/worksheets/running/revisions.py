"""Which ledger revision a reader sees on a worksheet, taking the newest, and what changed for them by that."""

from __future__ import annotations

from dataclasses import replace

from django.db import transaction

from rulka.core.errors import RulkaError
from rulka.core.sheet.addresses import Key
from rulka.core.sheet.amounts import NO_LINES
from rulka.core.sheet.differing import changed_texts
from rulka.ledger.models import Ledger
from rulka.ledger.reading.history import find_revision, view_at
from rulka.people.models import Person
from rulka.work.services.waiting import aside
from rulka.worksheets.models import ReaderMarks, Worksheet
from rulka.worksheets.running.live import Live, WorksheetReader, opened

MOST_MARKS = 5_000
"""Changed cells that are remembered for a reader."""


def revision_for(worksheet: Worksheet, person: Person | None, newest: int) -> int:
    """The revision whose figures somebody sees: the one the worksheet stays at, the one they last took, or the
    newest."""
    if worksheet.opening == Worksheet.Opening.STAYS and worksheet.revision:
        return min(worksheet.revision, newest)
    if worksheet.opening == Worksheet.Opening.ASKED and person is not None:
        taken = ReaderMarks.objects.filter(worksheet=worksheet, person=person).values_list("revision", flat=True)
        return min(next(iter(taken), newest), newest)
    return newest


def reader_at(reader: WorksheetReader, revision: int) -> WorksheetReader:
    """A reader who sees the ledger as at a revision."""
    if revision == reader.view.revision:
        return reader
    view = view_at(reader.ledger, revision, reader.view.fence)
    period = view.frame.calendar.by_code.get(reader.period.code, view.frame.calendar.periods[-1])
    return replace(reader, view=view, period=period)


def newest_for(worksheet: Worksheet, reader: WorksheetReader) -> WorksheetReader:
    """A reader at the newest revision that a worksheet shows to anybody, whatever they last took themselves."""
    return reader_at(reader, revision_for(worksheet, None, reader.view.revision))


def reader_for(worksheet: Worksheet, reader: WorksheetReader) -> WorksheetReader:
    """A reader at the revision whose figures they see on a worksheet."""
    return reader_at(reader, revision_for(worksheet, reader.person, reader.view.revision))


def take_newest(worksheet: Worksheet, reader: WorksheetReader) -> int:
    """Let a reader see the newest revision, with marks on what changed for them since the one they saw; how many cells
    that are."""
    if reader.person is None:
        return 0
    if worksheet.opening == Worksheet.Opening.STAYS:
        raise RulkaError(
            f"This worksheet stays at revision {worksheet.revision}.",
            hint="Whoever edits it may let it go on, under How old.",
            code="stays",
        )
    marks = ReaderMarks.objects.filter(worksheet=worksheet, person=reader.person).first()
    newest = reader.view.revision
    seen = marks.revision if marks else newest
    if marks is not None and seen >= newest:
        return len(marks.changed)  # it is the newest already: what is marked stays marked
    changed = _changed(worksheet, reader, seen) if seen < newest else {}
    values = {"revision": newest, "former": seen if seen < newest else 0, "changed": changed}
    with aside():
        ReaderMarks.objects.update_or_create(worksheet=worksheet, person=reader.person, defaults=values)
    return len(changed)


def note_seen(worksheet: Worksheet, reader: WorksheetReader) -> None:
    """Remember the revision that somebody opened a worksheet at, so that it can be told what changes for them later.
    On a worksheet that takes the newest on opening this marks what changed since they last had it open."""
    if reader.person is None or reader.person.looked_by is not None:
        return
    marks = ReaderMarks.objects.filter(worksheet=worksheet, person=reader.person).first()
    if marks is None:
        with aside():
            ReaderMarks.objects.get_or_create(
                worksheet=worksheet, person=reader.person, defaults={"revision": reader.view.revision}
            )
    elif worksheet.opening == Worksheet.Opening.NEWEST and marks.revision < reader.view.revision:
        take_newest(worksheet, reader)


def _changed(worksheet: Worksheet, reader: WorksheetReader, revision: int) -> dict[str, str]:
    """Cells that show something else than at a revision, with what they showed."""
    try:
        former = reader_at(reader, revision)
    except RulkaError:
        return {}  # that revision isn't kept any more: nothing can be said to have changed
    with opened(worksheet, former) as live:
        before = texts_of(live)
        unread = {key for key in live.calculation.errors if live.calculation.shown_at(key) == NO_LINES}
    with opened(worksheet, reader) as live:
        after = texts_of(live)
        anchor_of = live.calculation.anchor_of
        found = changed_texts(before, after)
        # what needs journal lines couldn't be read as it was: nothing is said of it
        found = {key: text for key, text in found.items() if key not in unread and anchor_of(key) not in unread}
    return {f"{key[0]},{key[1]},{key[2]}": found[key] for key in sorted(found)[:MOST_MARKS]}


def texts_of(live: Live) -> dict[Key, str]:
    """What every filled cell shows."""
    shower = live.shower()
    return {key: shower.shown(key).text for key, value in live.calculation.values.items() if value is not None}


def marks_of(worksheet: Worksheet, person: Person | None, sheet: int) -> dict[str, str]:
    """The changed cells of a sheet for a reader: `row,column` with what stood there before."""
    marks = ReaderMarks.objects.filter(worksheet=worksheet, person=person).first() if person else None
    start = f"{sheet},"
    return {
        at.removeprefix(start): text for at, text in (marks.changed if marks else {}).items() if at.startswith(start)
    }


def drop_marks(worksheet: Worksheet, person: Person) -> None:
    """The reader has seen what changed."""
    ReaderMarks.objects.filter(worksheet=worksheet, person=person).update(changed={}, former=0)


@transaction.atomic
def set_opening(worksheet: Worksheet, opening: str, revision: int, ledger: Ledger) -> None:
    """What a worksheet does about new revisions: take the newest on opening, when asked, or stay at one."""
    if opening not in Worksheet.Opening.values:
        raise RulkaError(f"'{opening[:20]}' is nothing it can do.", hint="Choose from the list.", subject="revision")
    if opening == Worksheet.Opening.STAYS:
        find_revision(ledger, revision)
    worksheet.opening = opening
    worksheet.revision = revision if opening == Worksheet.Opening.STAYS else None
    worksheet.save(update_fields=["opening", "revision"])
