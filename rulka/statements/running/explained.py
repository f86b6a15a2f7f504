"""What is to be explained of a run, with what people said about it: the one reader of explanations."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from fractions import Fraction
from functools import cached_property

from rulka.core.books.book import View
from rulka.core.books.fence import Fence
from rulka.core.compute.computed import Computed
from rulka.core.definitions.expressions import Value
from rulka.core.definitions.looks import ANY_STYLE, NumberStyle
from rulka.core.proof.explaining import (
    ExplainItem,
    ExplainNote,
    Notes,
    SaidBefore,
    State,
    due_of,
    items_of,
    proposed_owners,
)
from rulka.formats.figures import style_of, written
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import views_of
from rulka.people.library.persons import Readers
from rulka.people.library.rights import LedgerAccess
from rulka.people.models import Person
from rulka.statements.models import Explanation
from rulka.statements.running.bounds import bounds_of, bounds_within

STATES: dict[str, State] = {
    "open": "open",
    "explained": "explained",
    "accepted": "accepted",
    "sent back": "sent back",
}


@dataclass(frozen=True, eq=False)
class Explained:
    """Something to explain, with what is stored about it: nothing as long as nobody did anything. `owner` is who was
    put down, or who is proposed; `last` what was said of an earlier period."""

    item: ExplainItem
    stored: Explanation | None
    owner: Person | None
    due: date | None
    last: Explanation | None
    style: NumberStyle | None = None

    @property
    def text(self) -> str:
        return self.stored.text if self.stored else ""

    @property
    def offered(self) -> str:
        """What an explanation begins with: what was written, else what was said last time."""
        return self.text or (self.last.text if self.last else "")

    @property
    def is_from_last(self) -> bool:
        return not self.text and self.last is not None

    @property
    def version(self) -> int:
        return self.stored.version if self.stored else 0

    @property
    def is_late(self) -> bool:
        """Whether it should have been explained by now."""
        return self.due is not None and not self.item.is_done and self.due < date.today()


def exact_value(text: str) -> Value:
    """A figure as it is stored: an exact fraction, None where there is none."""
    return Fraction(text) if text else None


def explained_of(ledger: Ledger, computed: Computed, readers: Readers | None = None) -> list[Explained]:
    """What is to be explained of a statement at its node and period, within the reader's bounds; nothing where it asks
    for nothing. `readers` are the ledger's, where several ask for them."""
    if not asks_anything(computed):
        return []
    stored = _stored(ledger, computed)
    period = computed.period.code
    now = {(one.line, one.column): one for one in stored if one.period == period}
    former: dict[tuple[str, str], Explanation] = {}
    for one in stored:  # by period, so that the latest stays
        if one.period < period and one.text:
            former[(one.line, one.column)] = one
    said = {key: _said(one) for key, one in now.items()}
    people = Explainers(ledger, computed, readers)
    found = []
    for item in items_of(computed, said):
        own, last = now.get(item.key), former.get(item.key)
        owner = own.owner if own else None
        if owner is None and item.variance is not None:
            usual = last.owner.username if last and last.owner else ""
            proposed = proposed_owners(computed, item.variance, usual)
            owner = next(filter(None, map(people.find, proposed)), None)
        due = own.due if own and own.due else due_of(computed)
        style = style_of(item.variance.row, item.variance.column, computed) if item.variance else None
        found.append(Explained(item, own, owner, due, last, style))
    return found


class Explainers:
    """Who may explain the variances of a run: whose role lets them, and who sees its figures. Each is judged when
    somebody asks for them."""

    def __init__(self, ledger: Ledger, computed: Computed, readers: Readers | None = None) -> None:
        self.ledger, self.computed = ledger, computed
        self._every = readers or Readers(ledger.code)
        self._found: dict[str, Person | None] = {}

    def find(self, name: str) -> Person | None:
        """Whoever signs in with a name; None where they may not explain it, or don't see it."""
        if name not in self._found:
            person, access = self._readers.get(name, (None, None))
            sees = person is not None and access is not None and person.may_explain and self._sees(access)
            self._found[name] = person if sees else None
        return self._found[name]

    def every(self) -> dict[str, Person]:
        """All of them, by the names they sign in with."""
        return {name: person for name in self._readers if (person := self.find(name)) is not None}

    @cached_property
    def _readers(self) -> dict[str, tuple[Person, LedgerAccess]]:
        return {person.username: (person, access) for person, access in self._every}

    @cached_property
    def _through(self) -> Callable[[Fence], View]:
        return views_of(self.ledger)

    @cached_property
    def _bounds(self) -> str:
        return bounds_within(self.computed.view, self.computed, self._through)

    def _sees(self, access: LedgerAccess) -> bool:
        return bounds_within(self._through(access.own_fence()), self.computed, self._through) == self._bounds


def asks_anything(computed: Computed) -> bool:
    """Whether a statement, or any of its lines, has a threshold."""
    asked = computed.statement.explain
    return bool(asked.beyond.written or asked.types or any(line.explain for line in computed.statement.spine.walk()))


def _stored(ledger: Ledger, computed: Computed) -> list[Explanation]:
    return list(
        Explanation.objects.filter(
            ledger=ledger,
            statement__kind="statement",
            statement__name=computed.statement.name,
            node=computed.node.code,
            fence=bounds_of(ledger, computed),
            period__lte=computed.period.code,
        )
        .select_related("owner", "explainer", "judge")
        .order_by("period", "pk")
    )


def _said(one: Explanation) -> SaidBefore:
    return SaidBefore(STATES[one.state], exact_value(one.value), one.label, one.heading)


def notes_of(explained: Iterable[Explained]) -> Notes:
    """The explanations as the statement prints them; those that are missing only where any was given."""
    notes, missing = [], []
    for one in explained:
        item = one.item
        if item.variance is None or item.state == "closed":
            continue
        if item.is_done and one.text:
            row, column = item.key
            text = " ".join(one.text.split())
            notes.append(ExplainNote(item.number, row, column, item.label, item.heading, figure_of(one), text))
        else:
            missing.append(f"{item.number} {item.label}")
    return Notes(tuple(notes), tuple(missing) if notes else ())


def figure_of(one: Explained, value: Value = None) -> str:
    """A variance, or another value in its place, as the statement writes it."""
    variance = one.item.variance
    if variance is None:
        return ""
    return written(variance.value if value is None else value, one.style or ANY_STYLE)


def progress_of(explained: Sequence[Explained]) -> list[tuple[str, int, int]]:
    """(owner, how many are done, of how many), whoever has most left first; what nobody owns last."""
    every = [one for one in explained if one.item.state != "closed"]
    total = Counter(one.owner.called if one.owner else "" for one in every)
    done = Counter(one.owner.called if one.owner else "" for one in every if one.item.is_done)
    return sorted(
        ((name, done[name], count) for name, count in total.items()),
        key=lambda row: (not row[0], row[1] - row[2], row[0]),
    )
