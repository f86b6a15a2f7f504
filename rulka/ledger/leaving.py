"""Files with figures leave by one gate: each is written with its origin, and kept as it stood so that one that comes
back is held against it. Rows of a journal or a trace leave here too."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from hashlib import sha256
from pathlib import Path
from typing import Any

from rulka.core.books.book import View
from rulka.formats.figures import plain_text
from rulka.formats.intake.read_back import read_back
from rulka.formats.output.row_sheet import rows_workbook
from rulka.formats.output.stamp import Stamp
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.work.services import leaving
from rulka.work.services.leaving import Left

LONG = 4_000_000
"""Bytes of a workbook with rows beyond which it is known by its digest only."""

MOST_ROWS = 20_000
"""Rows beyond which a file is known by its digest only: whether it was changed, not where."""

Cells = Sequence[str]


def leave_as(left: Left, form: str, write: Callable[[Stamp], str | bytes], *, by_digest: bool = False) -> bytes:
    """A file that leaves: written with its origin, read back and kept as it stands; `by_digest` where nothing in it can
    be read back, as in pictures."""
    stamp = _stamp_of(left)
    content = write(stamp)
    data = content if isinstance(content, bytes) else content.encode()
    if by_digest:
        leaving.keep(stamp.code, left, form, b"", (), digest=sha256(data).hexdigest(), whole=False)
    else:
        # a workbook is kept as it is: it may become a template, and is read only when one comes back
        leaving.keep(stamp.code, left, form, data, None if form == "xlsx" else read_back(data, stamp.code).parts)
    return data


def _stamp_of(left: Left) -> Stamp:
    facts = (
        (left.kind.capitalize(), left.name),
        ("Node", left.node),
        ("Period", left.period),
        ("Revision", str(left.revision)),
        ("Definitions", left.definitions),
        ("Figures", left.figures),
    )
    return Stamp(leaving.new_code(), tuple(fact for fact in facts if fact[1]))


# rows ---------------------------------------------------------------------------------------------------------------


def left_rows(
    ledger: Ledger, view: View, person: Person, kind: str, name: str, period: str, page: Mapping[str, Any], *,
    node: str = "",
) -> Left:  # fmt: skip
    """What a file of rows is of; `page` says how they were found, and under `run` what they came to."""
    return Left(
        ledger.code, kind, name, period, node, view.revision, view.fence.all_the_way_down.digest,
        [{"lines": True, "bodies": "", "period": period, "node": node, **page}], person.pk, person.called,
    )  # fmt: skip


def rows_as_csv(left: Left, headings: Cells, rows: Iterable[Cells], *, end: str = "\r\n") -> Iterator[str]:
    """Rows as the lines of a CSV file, its origin last; kept once all of it was taken."""
    stamp, digest, held = _stamp_of(left), sha256(), io.StringIO(newline="")
    foot = [plain_text(stamp.line), *("" for _ in headings[1:])]
    for count, cells in enumerate(_with_foot(headings, rows, foot), 1):
        text = _line(cells, end)
        digest.update(text.encode())
        if count <= MOST_ROWS:
            held.write(text)
        if cells is foot:  # before the last line goes: who has all of it finds it known
            parts = read_back(held.getvalue().encode(), stamp.code).parts if count <= MOST_ROWS else ()
            leaving.keep(stamp.code, left, "csv", b"", parts, digest=digest.hexdigest(), whole=count <= MOST_ROWS)
        yield text


def _with_foot(headings: Cells, rows: Iterable[Cells], foot: Cells) -> Iterator[Cells]:
    yield headings
    yield from rows
    yield foot


def _line(cells: Cells, end: str) -> str:
    target = io.StringIO(newline="")
    csv.writer(target, lineterminator=end).writerow(cells)
    return target.getvalue()


def rows_as_workbook(left: Left, title: str, headings: Cells, rows: Iterable[Cells], amounts: set[int]) -> bytes:
    """Rows as a workbook, its origin in the properties and below the last row."""
    stamp, counted = _stamp_of(left), _Counted(rows)
    data = rows_workbook(title, headings, counted, amounts=amounts, stamp=stamp)
    whole = counted.count <= MOST_ROWS
    leaving.keep(stamp.code, left, "xlsx", data if whole else b"", None if whole else (),
                 digest=sha256(data).hexdigest(), whole=whole)  # fmt: skip
    return data


def leave_rows(left: Left, form: str, path: Path, write: Callable[[Stamp], int]) -> None:
    """A file of rows that is written to a place: with its origin, and kept as it stands once it does; beyond so many
    rows, or where its cells can't be read back, by its digest alone. `write` says how many rows it wrote."""
    stamp = _stamp_of(left)
    count = write(stamp)
    digest = sha256()
    with path.open("rb") as file:
        while block := file.read(1 << 20):
            digest.update(block)
    whole = count <= MOST_ROWS and form in ("csv", "xlsx") and path.stat().st_size <= LONG
    data = path.read_bytes() if whole else b""
    parts = read_back(data, stamp.code).parts if whole and form == "csv" else None if whole else ()
    leaving.keep(stamp.code, left, form, data, parts, digest=digest.hexdigest(), whole=whole)


class _Counted:
    def __init__(self, rows: Iterable[Cells]) -> None:
        self.rows, self.count = rows, 0

    def __iter__(self) -> Iterator[Cells]:
        for row in self.rows:
            self.count += 1
            yield row
