"""Runs: asked for, made in the background as whoever asked may see it, taken."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.utils import timezone

from rulka.core.books.fence import Fence
from rulka.core.definitions.keys import slug
from rulka.core.errors import NotFound, RulkaError
from rulka.core.extracting.definitions import ExtractDef
from rulka.extracts.library.opening import extract_numbered, open_extract
from rulka.extracts.library.storing import definition_of
from rulka.extracts.models import Extract, ExtractRun
from rulka.extracts.output.templates import template_of
from rulka.extracts.output.writing import Written, workbook_order, write, write_news
from rulka.extracts.running import runs
from rulka.extracts.running.asked import AskedExtract, ExtractReader, check_bounds, opened
from rulka.extracts.running.news import news, news_of_table, packed_rows
from rulka.ledger.leaving import leave_rows
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import find_ledger
from rulka.people.library.persons import find_person
from rulka.people.library.rights import fence_of
from rulka.people.models import Person
from rulka.statements.library.shelves import depth_on
from rulka.statements.output.templates import of_origin
from rulka.work.services import files
from rulka.work.services.jobs import JobCancelled
from rulka.work.services.leaving import Left

GONE = "The extract was deleted, or is no longer yours to run."


def fence_for(extract: Extract, person: Person) -> Fence:
    """Behind which fence somebody reads an extract: no deeper than its shelf lets them."""
    return fence_of(person, extract.ledger.code).down_to(depth_on(person, extract.shelf_id))


def make(number: int) -> None:
    """Make a queued run."""
    run = runs.claim(number)
    if run is None:
        return
    try:
        values = _made(run)
    except JobCancelled:
        runs.end(number, ExtractRun.State.CANCELLED)
    except RulkaError as error:
        runs.end(number, ExtractRun.State.FAILED, problem=str(error))
    else:
        runs.end(number, ExtractRun.State.READY, **values)


def _made(run: ExtractRun) -> dict[str, Any]:
    ledger = find_ledger(run.ledger)
    person = find_person(run.person) if run.person else None
    extract = extract_numbered(ledger, run.extract, person=person) if person else None
    if extract is None or person is None:
        raise NotFound(GONE, hint="Run another one.", subject=run.name)
    definition = definition_of(extract, person)
    reader = ExtractReader(ledger, fence_for(extract, person), run.period, run.node, person)
    with files.writing(f"extract-{run.pk}.{run.form}") as (begun, path):
        if run.since is not None:
            told = _news(run, definition, reader, begun, extract)
        else:
            told = _rows(run, definition, reader, begun, extract)
    told["file"], told["size"] = str(path), path.stat().st_size
    return told


def _rows(
    run: ExtractRun, definition: ExtractDef, reader: ExtractReader, path: Path, extract: Extract
) -> dict[str, Any]:
    with opened(definition, reader, run.given, layout=run.layout) as asked:
        check_bounds(asked, whole=run.whole)
        of = asked.rows.count(asked.query)
        runs.tell(run.pk, 0, of)
        written: list[Written] = []
        at = timezone.localtime()

        def made(stamp: Any) -> int:
            done = write(asked, run.form, path, at, stamp=stamp, person=run.person_name,
                         tell=lambda count: runs.tell(run.pk, count, of))  # fmt: skip
            written.append(done)
            return done.rows

        leave_rows(left_of(asked, extract, reader, run.given), run.form, path, made)
        name = f"{slug(definition.title)[:60] or 'extract'} {asked.period.code}.{run.form}"
        return {
            "rows": written[0].rows, "sums": [list(one) for one in written[0].sums],
            "notes": [*asked.notes, *written[0].notes],
            "revision": asked.view.revision, "fence": asked.view.fence.digest, "file_name": name,
            "kept": packed_rows(asked), "done": written[0].rows, "of": written[0].rows, "version": extract.version,
        }  # fmt: skip


def _news(
    run: ExtractRun, definition: ExtractDef, reader: ExtractReader, path: Path, extract: Extract
) -> dict[str, Any]:
    assert run.since is not None
    if definition.rows == "table":
        former = runs.last_run(extract, reader.person)
        if former is None:
            raise RulkaError("It was never run, so all of it is new.", hint="Run it first.", subject="news")
        found = news_of_table(definition, reader, run.given, former)
    else:
        found = news(definition, reader, run.given, run.since)
    title = f"{definition.title}, news"

    def made(stamp: Any) -> int:
        return write_news(found, run.form, path, title, stamp).rows

    with opened(definition, reader, run.given) as asked:
        left = left_of(asked, extract, reader, run.given, since=run.since)
    leave_rows(left, run.form, path, made)
    told = found.found
    return {
        "rows": told.new + told.changed + told.gone, "revision": found.last, "fence": reader.fence.digest,
        "notes": [f"{told.new:,} new, {told.changed:,} changed, {told.gone:,} withdrawn since revision {found.first}",
                  *found.notes],
        "file_name": f"{slug(title)[:60]} {run.period}.{run.form}", "version": extract.version,
    }  # fmt: skip


def left_of(
    asked: AskedExtract, extract: Extract, reader: ExtractReader, given: dict[str, str], *, since: int | None = None
) -> Left:
    """What a file of an extract's rows is of: enough to ask the same again."""
    sums, template = asked.rows.sums(asked.query), template_of(asked)
    came_to = [["rows", str(sums.count)], *(
        [f"{asked.query.columns[at].key} {unit}".strip(), str(value)]
        for at, by_unit in sorted(sums.sums.items()) for unit, value in sorted(by_unit.items())
    )]  # fmt: skip
    page = {
        "extract": extract.name, "shelf": extract.shelf_id, "period": asked.period.code, "node": reader.node,
        "given": dict(given), "lines": True, "bodies": extract.body, "since": since, "run": {"lines": came_to},
        "layout": asked.layout.name, "columns": [asked.query.columns[at].key for at in workbook_order(asked)],
        **(of_origin(template) if template else {}),
    }  # fmt: skip
    person = reader.person
    return Left(
        reader.ledger.code, "extract", extract.name, asked.period.code, reader.node, asked.view.revision,
        asked.view.fence.all_the_way_down.digest, [page], person.pk if person else None,
        person.called if person else "",
    )  # fmt: skip


def may_take(run: ExtractRun, person: Person) -> bool:
    """Whether somebody still may have the file of a run of theirs: they may run its extract, within the bounds that it
    was made within."""
    try:
        ledger = find_ledger(run.ledger)
        extract = extract_numbered(ledger, run.extract, person=person)
        return extract is not None and fence_for(extract, person).digest == run.fence
    except RulkaError:
        return False


def open_named(ledger: Ledger, name: str, person: Person | None) -> tuple[Extract, ExtractDef]:
    """An extract by name with its definition, for whoever may run it."""
    extract = open_extract(ledger, name, person=person)
    return extract, definition_of(extract, person)
