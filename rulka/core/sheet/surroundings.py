"""What formulas of the ledger find around them: the reader's view, the reporting period, the node, and who asks."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.errors import NotFound
from rulka.core.sheet.periods import SheetTime, read_time
from rulka.core.sheet.values import Value


def _no_ledger(code: str) -> View:
    raise NotFound(
        f"Ledger '{code}' does not exist.", hint="Leave it out for the worksheet's ledger.", subject="ledger"
    )


@dataclass(eq=False)
class Surroundings:
    """One reader's sight of a worksheet's ledger.

    `other_ledger` gives the view of another ledger, as far as the reader may see it, and raises NotFound otherwise;
    `figures` and `tables` answer what is kept outside of the core; `about` are words on the ledger by name.
    """

    view: View
    period: Period
    node: str
    ledger: str = ""
    person: str = ""
    other_ledger: Callable[[str], View] = _no_ledger
    counterparties: Mapping[str, str] = field(default_factory=dict)
    figures: Callable[[Any], Value] | None = None
    tables: Callable[[Any], Value] | None = None
    about: Mapping[str, Any] = field(default_factory=dict)
    bounded: Callable[[str], Any] | None = None
    """Gives the definition of a bounded table that the reader may place, and raises NotFound otherwise."""
    statement_head: Callable[[str], str] | None = None
    """Whose figures a statement shows, in words; raises NotFound where there is none."""
    _times: dict[tuple[str, str, str], SheetTime] = field(default_factory=dict)

    def view_of(self, ledger: str) -> View:
        """The view of the ledger named, the worksheet's own without a name."""
        if not ledger or ledger == self.ledger:
            return self.view
        return self.other_ledger(ledger)

    def time(self, view: View, text: str, calendar: str = "") -> SheetTime:
        """What a period argument means in a ledger, by the group's calendar or another one."""
        name = (view.frame.name, text, calendar)
        if name not in self._times:
            own = view.frame.calendars[calendar] if calendar else view.frame.calendar
            self._times[name] = read_time(own, text, self._reporting(view, calendar))
        return self._times[name]

    def _reporting(self, view: View, calendar: str) -> Period:
        """The reporting period in a calendar: the one that is current on its last day."""
        if view is self.view and not calendar:
            return self.period
        own = view.frame.calendars[calendar] if calendar else view.frame.calendar
        found = own.on(self.period.end)
        if found is None:
            raise NotFound(f"The calendar has no period on {self.period.end}.", hint="Name a period.", subject="period")
        return found
