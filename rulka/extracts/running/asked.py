"""An extract asked by somebody: its answers, its rows behind their fence, at one revision; the one way to its rows."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field, replace

from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError
from rulka.core.extracting.asking import AskedAnswers, answers_of, default_of, quoted_lists
from rulka.core.extracting.conditions import Clock, periods_of
from rulka.core.extracting.definitions import ExtractDef, LayoutDef
from rulka.core.extracting.queries import SET as QUERY
from rulka.core.extracting.query import Query, query_of
from rulka.extracts.running.given import FIGURES, statement_figures
from rulka.extracts.running.queries import QueryRows, query_named
from rulka.ledger.models import Ledger
from rulka.ledger.reading.row_reader import GivenRows, RowReader, reading
from rulka.people.models import Person

UNBOUNDED = 20_000
"""Rows beyond which a run without bounds asks first."""


@dataclass(frozen=True)
class ExtractReader:
    """For whom rows are read: the ledger behind their fence (no deeper than the extract's shelf lets them), by which
    period, at which revision (the newest without one)."""

    ledger: Ledger
    fence: Fence
    period: str
    node: str = ""
    person: Person | None = None
    revision: int | None = None


@dataclass(frozen=True)
class AskedExtract:
    """An extract with its answers, ready to be read."""

    extract: ExtractDef
    rows: RowReader
    answers: AskedAnswers
    query: Query
    period: Period
    layout: LayoutDef = field(default_factory=lambda: LayoutDef(""))
    person: Person | None = None

    @property
    def view(self) -> View:
        return self.rows.view

    @property
    def notes(self) -> list[str]:
        """What a person should know of the answers and conditions."""
        return [*self.answers.notes, *self.rows.warnings]

    def order(self) -> list[int]:
        """The places of the columns that the layout shows, in its order."""
        chosen = [self.query.place(key) for key in self.layout.columns]
        return chosen or list(range(len(self.query.columns)))


@contextmanager
def opened(
    extract: ExtractDef,
    reader: ExtractReader,
    given: Mapping[str, str],
    *,
    layout: str | LayoutDef = "",
    since: int | None = None,
) -> Iterator[AskedExtract]:
    """An extract with some answers, to be read until the block ends; raises RulkaError for what can't be answered."""
    clock: list[Clock] = []

    queried: list[QueryRows] = []

    def sets(view: View) -> Iterable[GivenRows]:
        calendar = view.frame.calendar
        clock.append(Clock(calendar, calendar.period(reader.period)))
        if extract.rows == QUERY:
            query = query_named(reader.ledger, extract.of, reader.person)
            queried.append(QueryRows(query, reader.ledger, view))
            return [queried[0].given]
        if extract.rows != FIGURES:
            return ()
        period = _figures_period(extract, given, clock[0])
        return [statement_figures(reader.ledger, view, reader.person, extract.of, period, _nodes(extract, given))]

    with reading(reader.ledger, reader.fence, reader.revision, given=sets, since=since) as rows:
        row_kind = rows.row_kind(extract.rows, extract.of)
        answers = answers_of(extract, given, clock[0], rows.known)
        for one in queried:
            one.ask(_answered(extract, given), clock[0], rows)
        query = query_of(extract, row_kind, quoted_lists(extract, answers), clock[0])
        if extract.keys:
            keys = tuple(row_kind.field(name).name for name in extract.keys)
            query = replace(query, rows=replace(row_kind, identity=keys))
        chosen = layout if isinstance(layout, LayoutDef) else extract.layout(layout)
        yield AskedExtract(extract, rows, answers, query, clock[0].reporting, chosen, reader.person)


def _answered(extract: ExtractDef, given: Mapping[str, str]) -> dict[str, str]:
    """What is answered, or is the answer where nobody gives one, by question."""
    found = {ask.name: given.get(ask.name, "").strip() or default_of(ask) for ask in extract.asks}
    return {name: text for name, text in found.items() if text}


def _figures_period(extract: ExtractDef, given: Mapping[str, str], clock: Clock) -> Period:
    """The period whose figures are asked for: what answers the first question for one, else the reporting period."""
    for ask in extract.asks:
        if ask.type == "period":
            text = given.get(ask.name) or default_of(ask)
            if text:
                _, last = periods_of(text, clock)
                code = f"{last // 100}-P{last % 100:02d}"
                return clock.calendar.period(code)
    return clock.reporting


def _nodes(extract: ExtractDef, given: Mapping[str, str]) -> list[str]:
    """The nodes whose figures are asked for: what answers a question for the node."""
    found: list[str] = []
    for ask in extract.asks:
        if ask.source == "node" and (text := given.get(ask.name) or ask.default):
            found += [part.strip() for part in text.split(",") if part.strip()]
    return found


class Unbounded(RulkaError):
    """A run that nothing bounds, and that gives many rows; `count` says how many."""

    code = "unbounded"

    def __init__(self, count: int, bounds: str) -> None:
        self.count = count
        super().__init__(
            f"Nothing bounds it: it would give {count:,} rows.",
            hint=f"Answer or add a condition on {bounds}, or run it all the same.", code="unbounded",
        )  # fmt: skip


def check_bounds(asked: AskedExtract, *, whole: bool) -> None:
    """Refuse a run over all there is, unless somebody wants just that."""
    query = asked.query
    if whole or query.is_bounded or query.is_grouped:
        return
    count = asked.rows.count(query)
    if count > UNBOUNDED:
        raise Unbounded(count, " or ".join(query.rows.bounds[:3]))
