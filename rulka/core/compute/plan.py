"""What is to be computed: a statement for a node at a period, with the columns and leaves that follow from it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from rulka.core.books.book import View
from rulka.core.books.calendar import FiscalCalendar, Period
from rulka.core.books.chart import BoolArray
from rulka.core.books.frame import QUANTITIES
from rulka.core.compute.columns import Column, period_in
from rulka.core.compute.leaves import Leaves, leaves_of
from rulka.core.compute.nodes import Node
from rulka.core.compute.series import build_columns
from rulka.core.definitions.naming import Names, check_names
from rulka.core.definitions.spines import LineDef
from rulka.core.definitions.statements import StatementDef
from rulka.core.errors import NotFound, one_of


@dataclass(frozen=True, eq=False)
class Plan:
    """A statement for one node at a period; nothing is read yet."""

    statement: StatementDef
    view: View
    period: Period
    node: Node
    columns: tuple[Column, ...]
    leaves: Leaves
    names: Names

    @property
    def translated(self) -> bool:
        """Whether its figures are in the group's currency."""
        return self.statement.currency == "group"

    def line(self, key: str) -> LineDef:
        return self.names.lines[key]

    def column(self, key: str) -> Column:
        return self.columns[self.place(key)]

    def place(self, key: str) -> int:
        """Where a column stands, from 0."""
        found = self._places.get(key)
        if found is None:
            raise NotFound(f"Column '{key}' does not exist.", hint=one_of(key, self._places), subject="column")
        return found

    @cached_property
    def _places(self) -> Mapping[str, int]:
        return {column.key: place for place, column in enumerate(self.columns)}

    def node_of(self, column: Column) -> Node:
        """Whose figures a column shows: the page's node, or the one that the column names."""
        return column.node or self.node

    def calendar_of(self, column: Column) -> FiscalCalendar:
        """The calendar whose periods a column's window counts."""
        return self.view.in_calendar(column.calendar).frame.calendar

    def period_of(self, column: Column) -> Period:
        """The period a column is seen from, in its own calendar."""
        return period_in(self.view, column.calendar, self.period)

    def keys_of(self, column: Column) -> BoolArray:
        """Mask of the posting keys that a column shows of its node."""
        keys = self.node_of(column).keys
        return keys if column.keys is None else keys & column.keys


def plan_for(statement: StatementDef, view: View, period: Period, nodes: Sequence[Node]) -> list[Plan]:
    """A plan for each of some nodes; raises RulkaError on what the ledger doesn't have."""
    spine, translated = statement.spine, statement.currency == "group"
    names = view.kept(("names", spine), lambda: check_names(spine))
    asked = [column.measure for column in statement.span.walk()]
    asked += [line.override.measure for line in spine.walk() if line.override]
    leaves = leaves_of(spine, view, period, has_quantities=any(measure in QUANTITIES for measure in asked))
    return [
        Plan(
            statement,
            view,
            period,
            node,
            build_columns(
                statement.span, statement.scope, view, period, node, translated=translated, calendar=statement.calendar
            ),
            leaves,
            names,
        )
        for node in nodes
    ]
