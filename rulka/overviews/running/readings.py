"""What an overview reads: its statements over their lines, in its own columns, as one person may see them. What was
computed is kept with the view, by fence, period and node."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import cached_property, partial

from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.books.fence import Fence
from rulka.core.books.few import Few
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.nodes import REST, Node, find_node
from rulka.core.compute.rows import Row
from rulka.core.compute.statement import run_nodes
from rulka.core.definitions.looks import NumberStyle
from rulka.core.definitions.scopes import ScopeDef, scope_from
from rulka.core.definitions.spans import SpanDef
from rulka.core.definitions.statements import NOTHING_ASKED, StatementDef
from rulka.core.definitions.windows import read_window, window_at
from rulka.core.errors import NotFound, RulkaError
from rulka.core.money import GAP
from rulka.core.overviews.columns import (
    MONTHS,
    MOST_AT_ONCE,
    READ,
    MemberDef,
    Scenarios,
    member_months_span,
    members_span,
    months_of,
    scenarios_for,
    totals_span,
    whole_lines,
)
from rulka.core.overviews.definitions import BY_CHILD, BY_ENTITY, WINDOWS, OverviewDef, Window
from rulka.core.overviews.reading import OverviewMember, OverviewReading, Write
from rulka.core.values import is_whole
from rulka.formats.figures import style_of, written
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.assemble import Definitions
from rulka.statements.library.opening import definition_for, definitions_for
from rulka.statements.running.runs import page_nodes, read_by, view_by

MOST_KEPT = 24
"""Readings that are kept of each fence: of some megabytes together."""

OWN = "own"
"""What addresses call a statement in its own columns."""


@dataclass(frozen=True)
class OverviewReader:
    """For whom an overview is read: whose fence, at which period and node, which revision (None for the newest)."""

    ledger: Ledger
    fence: Fence
    person: Person | None
    period: str
    node: str = ""
    of: str = ""
    revision: int | None = None


@dataclass(eq=False)
class StatementReadings:
    """The statements of an overview as one reader sees them; each is opened by their rights once."""

    definition: OverviewDef
    reader: OverviewReader
    _opened: dict[str, Definitions] = field(default_factory=dict)
    _read: dict[tuple[str, str], OverviewReading] = field(default_factory=dict)

    # statements -------------------------------------------------------------------------------------------------------

    def opened(self, name: str) -> Definitions:
        """A statement with its parts; raises where the reader may not run it."""
        if name not in self._opened:
            self._opened[name] = definitions_for(self.reader.ledger, name, self.reader.person)
        return self._opened[name]

    @cached_property
    def main(self) -> str:
        """The statement whose nodes the overview is shown for, where it names no scope of its own."""
        lines = [tile.line or (tile.lines or tile.through or (None,))[0] for tile in self.definition.tiles]
        named = [self.definition.statement, *(line.statement for line in self.definition.choices)]
        named += [line.statement for line in lines if line] + [tile.of for tile in self.definition.tiles]
        found = next(filter(None, named), "")
        if not found:
            raise RulkaError("The overview names no statement.", hint="Give a tile a line.", subject="overview")
        return found

    @cached_property
    def _own(self) -> tuple[ScopeDef | None, str]:
        """The scope and currency that all statements are read with."""
        asked = self.definition
        if asked.scope or asked.currency:
            scope = None
            if asked.scope:
                found = definition_for(self.reader.ledger, "scope", asked.scope, self.reader.person)
                scope = scope_from(found.text)
            return scope, asked.currency
        statement = read_by(self.opened(self.main), self.reader.person)
        return statement.scope, statement.currency

    @property
    def has_own_nodes(self) -> bool:
        """Whether the overview's nodes are others than the entities in their own currencies."""
        scope, currency = self._own
        return scope is not None or currency == "group"

    @property
    def is_translated(self) -> bool:
        """Whether all figures are in the group's currency."""
        return self._own[1] == "group"

    def view_of(self, name: str) -> View:
        """What the reader sees of a statement's ledger."""
        return view_by(self.opened(name), self.reader.fence, self.reader.person, self.reader.revision)

    @cached_property
    def view(self) -> View:
        """What the reader sees behind the main statement's fence."""
        return self.view_of(self.main)

    @cached_property
    def period(self) -> Period:
        return self.view.frame.calendar.period(self.reader.period)

    def statement(self, name: str, span: SpanDef) -> StatementDef:
        """A statement's lines over the overview's columns, for its nodes, in its unit."""
        scope, currency = self._own
        own = read_by(self.opened(name), self.reader.person)
        return replace(
            own, spine=whole_lines(own.spine), span=span, scope=scope, currency=currency, unit=self.definition.unit,
            decimals=self.definition.decimals, rounding="exact", rest="", explain=NOTHING_ASKED, calendar="",
            number=NumberStyle(negative="minus", zero="dash", currency="never"), grouping="space",
            decimal_mark="point", depth="figures",
        )  # fmt: skip

    @cached_property
    def nodes(self) -> list[Node]:
        """The nodes that the overview can be shown for."""
        return page_nodes(self.statement(self.main, totals_span(Scenarios())), self.view)

    @cached_property
    def node(self) -> Node:
        """The node that is shown: the one asked for, else the first whose figures can be added up."""
        asked = self.reader.of if self.has_own_nodes else self.reader.node
        scope, currency = self._own
        if not asked and currency != "group":
            asked = next((node.code for node in self.nodes if not node.is_mixed), "")
        return find_node(self.view, asked, scope, translated=currency == "group")

    @cached_property
    def known(self) -> Scenarios:
        asked, translated = self.definition, self.is_translated
        return scenarios_for(self.view, self.period, self.node, asked.budget, asked.forecast, translated=translated)

    # readings ---------------------------------------------------------------------------------------------------------

    def reading(self, name: str, source: str, span: Callable[[], SpanDef]) -> OverviewReading:
        """A statement computed in a span that addresses call by its source; each once for a request."""
        if (name, source) not in self._read:
            view, statement = self.view_of(name), self.statement(name, span())
            key = (statement.spine, statement.span, statement.scope, statement.currency, statement.unit,
                   statement.decimals, self.period.code, self.node.code)  # fmt: skip
            few: Few[Computed] = view.kept("overviews", lambda: Few(MOST_KEPT))
            computed = few.get(key, lambda: self._computed(statement, view))
            self._read[name, source] = OverviewReading(computed, writer_of(computed), source)
        return self._read[name, source]

    def _computed(self, statement: StatementDef, view: View) -> Computed:
        scope, currency = self._own
        node = find_node(view, self.node.code, scope, translated=currency == "group")
        return run_nodes(statement, view, self.period, [node])[0]

    def own(self, name: str) -> OverviewReading:
        """A statement in its own columns, for the overview's nodes."""
        if (name, OWN) not in self._read:
            scope, currency = self._own
            statement = replace(read_by(self.opened(name), self.reader.person), scope=scope, currency=currency)
            computed = self._computed(statement, self.view_of(name))
            self._read[name, OWN] = OverviewReading(computed, writer_of(computed), OWN)
        return self._read[name, OWN]

    def whole(self, statement: str) -> OverviewReading:
        return self.reading(statement, "", lambda: totals_span(self.known))

    def members(self, statement: str, by: str, window: Window) -> OverviewReading:
        self.check_by(by)
        return self.reading(statement, f"{by}.{window}", lambda: members_span(self.known, by, window))

    def months(
        self, statement: str, by: str, members: Sequence[OverviewMember]
    ) -> Callable[[OverviewMember], tuple[OverviewReading, str]]:
        found: dict[str, tuple[OverviewReading, str]] = {}
        named = list(members)
        for first in range(0, len(named), MOST_AT_ONCE):
            own = [MemberDef(self._code(member, by), by) for member in named[first : first + MOST_AT_ONCE]]
            reading = self.reading(statement, f"{by}.{MONTHS}.{first}", partial(member_months_span, self.known, own))
            for place, member in enumerate(named[first : first + MOST_AT_ONCE]):
                found[member.code] = reading, months_of(place)
        return lambda member: found[member.code]

    def sourced(self, statement: str, source: str) -> OverviewReading:
        """A reading by what addresses call it; NotFound for what is none."""
        if source in ("", OWN):
            return self.own(statement) if source else self.whole(statement)
        by, _, rest = source.partition(".")
        if rest in WINDOWS:
            return self.members(statement, by, rest)
        kind, _, first = rest.partition(".")
        if kind != MONTHS or not is_whole(first):
            raise NotFound("There is no such figure.", hint="Open the overview again.", subject="source")
        members = self.members(statement, by, "date").members()
        of_months = self.months(statement, by, members)
        for member in members:
            if (found := of_months(member)[0]).source == source:
                return found
        raise NotFound("There is no such figure.", hint="Open the overview again.", subject="source")

    def _code(self, member: OverviewMember, by: str) -> str:
        """What narrows to a member; to what belongs to none its own code, of a node what none of its children holds."""
        return member.code or (f"{self.node.code}{REST}" if by == BY_CHILD else "-")

    def check_by(self, by: str) -> None:
        """Refuse members that the ledger doesn't have."""
        known = [BY_CHILD, BY_ENTITY, *self.view.frame.dimensions]
        if by not in known:
            raise RulkaError(
                f"The ledger has no {by}.", hint=f"Use {', '.join(known[:-1])} or {known[-1]}.", subject="by"
            )

    def window_title(self, window: Window) -> str:
        found = window_at(self.view.frame.calendar, read_window(READ[window]), self.period)
        return found.title if found else self.period.title

    def node_of(self, by: str, code: str) -> str:
        """The node that a member is: of the overview's own nodes the one below or with this code."""
        known = self._node_codes
        if not code or code not in known or code == self.node.code:
            return ""
        return code if by == BY_CHILD or by in known[code].by else ""

    @cached_property
    def _node_codes(self) -> Mapping[str, Node]:
        return {node.code: node for node in self.nodes}


def writer_of(computed: Computed) -> Write:
    """Writes figures as an overview's page does; how a row is written in a column is found out once."""
    styles: dict[tuple[str, str], NumberStyle] = {}

    def write(row: Row, column: Column, value: Fraction) -> str:
        style = styles.get((row.key, column.key))
        if style is None:
            style = styles[row.key, column.key] = style_of(row, column, computed)
        text = written(value, style)
        return f"{text}{GAP}%" if style.style == "percent" and value else text

    return write
