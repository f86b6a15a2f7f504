"""Rebuilds that somebody has under way: begun, found, answered, dropped."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.utils import timezone

from rulka.core.errors import NotFound, RulkaError
from rulka.core.rebuild.answering import RebuildAnswers
from rulka.core.rebuild.given import Given, joined
from rulka.core.rebuild.plain import given_again, given_plain
from rulka.formats.intake.finished_table import pasted, read_finished
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.rebuilds.models import Rebuild
from rulka.statements.library.shelves import required_editor
from rulka.work.services.jobs import Jobs

MOST_BYTES = 5_000_000
ENDINGS = (".csv", ".txt", ".tsv", ".xlsx", ".pdf")
MOST_TABLES, MOST_OPEN = 6, 20

JOBS = Jobs(Rebuild)


def table_of(data: bytes, name: str) -> Given:
    """A file's table; RulkaError in words where it holds none."""
    ending = Path(name).suffix.casefold()
    if ending not in ENDINGS:
        raise RulkaError("That is no table that can be read.", hint="Choose a .xlsx, .csv or .pdf file.", subject=name)
    if len(data) > MOST_BYTES:
        raise RulkaError(
            f"The file has more than {MOST_BYTES // 1_000_000} MB.", hint="Give the statement's sheet alone.",
            subject=name,
        )  # fmt: skip
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"table{'.csv' if ending in ('.txt', '.tsv') else ending}"
        path.write_bytes(data)
        try:
            return read_finished(path)
        except RulkaError as error:
            error.subject = error.subject.replace(path.name, name)
            raise


def table_from(text: str) -> Given:
    """A pasted table."""
    return pasted(text)


def begin(ledger: Ledger, person: Person, title: str, given: Given, name: str) -> Rebuild:
    """A new one, that waits for the worker."""
    required_editor(person)
    if Rebuild.objects.filter(ledger=ledger.code, person=person.pk).count() >= MOST_OPEN:
        raise RulkaError(f"You have {MOST_OPEN} tables under way.", hint="Drop one first.", subject="tables")
    title = " ".join(title.split())[:120] or Path(name).stem[:120] or "Rebuilt statement"
    return Rebuild.objects.create(
        ledger=ledger.code, person=person.pk, title=title, files=[name[:120]], tables=[given_plain(given)]
    )  # fmt: skip


def rebuilds_of(ledger: Ledger, person: Person) -> list[Rebuild]:
    """What somebody has under way, the newest first."""
    return list(Rebuild.objects.filter(ledger=ledger.code, person=person.pk).defer("tables", "found"))


def find_rebuild(ledger: Ledger, number: int, person: Person) -> Rebuild:
    """One's own; nobody else's is there."""
    found = Rebuild.objects.filter(pk=number, ledger=ledger.code, person=person.pk).first()
    if found is None:
        raise NotFound("There is no such table any more.", hint="Give it again.", subject="table")
    required_editor(person)
    return found


def given_in(rebuild: Rebuild) -> Given:
    """All its tables beside each other."""
    return joined([given_again(one) for one in rebuild.tables])


def add_table(rebuild: Rebuild, given: Given, name: str) -> None:
    """Another month of the statement; it is searched again."""
    if len(rebuild.tables) >= MOST_TABLES:
        raise RulkaError(f"{MOST_TABLES} months are taken.", hint="They say enough.", subject="table")
    tables = [*rebuild.tables, given_plain(given)]
    joined([given_again(one) for one in tables])
    Rebuild.objects.filter(pk=rebuild.pk).update(
        tables=tables, files=[*rebuild.files, name[:120]], answers={}, state=Rebuild.State.WAITING, done=0, cancel=False
    )  # fmt: skip


def search_again(rebuild: Rebuild, asked: Mapping[str, Any]) -> None:
    """What is known of node, scale and columns changes all that follows from it."""
    kept = {name: rebuild.answers[name] for name in ("node", "columns") if name in rebuild.answers}
    Rebuild.objects.filter(pk=rebuild.pk).update(
        asked=dict(asked), answers=kept, state=Rebuild.State.WAITING, done=0, cancel=False
    )  # fmt: skip


def keep_answers(rebuild: Rebuild, answers: Mapping[str, Any]) -> None:
    """Answers that need no new search."""
    Rebuild.objects.filter(pk=rebuild.pk).update(answers=dict(answers))


def drop(rebuild: Rebuild) -> None:
    rebuild.delete()


def answers_in(rebuild: Rebuild) -> RebuildAnswers:
    """What was answered, as the core takes it."""
    kept = rebuild.answers
    return RebuildAnswers(
        lines={int(row): text for row, text in kept.get("lines", {}).items()},
        cells=frozenset((int(row), int(column)) for row, column in kept.get("cells", ())),
        accounts=kept.get("accounts", {}),
        columns=frozenset(int(at) for at in kept.get("columns", ())),
        alone=bool(kept.get("alone")),
        node=bool(kept.get("node")),
    )


def forget_old() -> int:
    """Take away what was left alone for as long as outputs are kept."""
    old = Rebuild.objects.filter(created__lt=timezone.now() - timedelta(days=settings.OUTPUT_DAYS))
    return old.delete()[0]
