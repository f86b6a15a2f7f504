"""What of a month statements show: whether they hold, accounts without a place, variances that wait for somebody."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from urllib.parse import urlencode

from django.urls import reverse

from rulka.ledger.month import Item, MonthHolds, Used, Waits
from rulka.ledger.seat import Seat
from rulka.people.library.preferences import day_text
from rulka.statements.library.opening import seen_definitions
from rulka.statements.library.shelves import RUN
from rulka.statements.models import Visit
from rulka.statements.running.explained import Explained, explained_of, figure_of
from rulka.statements.running.monthly import MonthlyVerdict, judged_statements

MOST_UNPLACED = 5
MOST_VARIANCES = 8


def of_statements(seat: Seat) -> Iterator[Item]:
    """Whether statements hold, what they owe a place, what is to be explained or accepted."""
    every = judged_statements(seat)
    for one in every:
        address = f"{reverse('statement', args=[one.definition.name])}?{seat.query}&panel=footing"
        yield MonthHolds(one.title, one.state, one.detail, address)
    if seat.person.may_edit:
        yield from _unplaced(seat, every)
    for one in every:
        yield from _variances(seat, one)


def _unplaced(seat: Seat, every: list[MonthlyVerdict]) -> Iterator[Item]:
    """Accounts that statements owe a place, each once."""
    owing: dict[tuple[str, str], list[MonthlyVerdict]] = {}
    for one in every:
        for account in one.unplaced:
            owing.setdefault(account, []).append(one)
    for (code, name), judged in sorted(owing.items())[:MOST_UNPLACED]:
        where = judged[0].title if len(judged) == 1 else f"{len(judged)} statements"
        address = f"{reverse('statement', args=[judged[0].definition.name])}?{seat.query}&panel=footing"
        yield Waits("place", f"{code} {name} is on no line of {where}", address, "", "bad", 3)
    if len(owing) > MOST_UNPLACED:
        address = f"{reverse('statement', args=[every[0].definition.name])}?{seat.query}&panel=footing"
        yield Waits("place", f"{len(owing) - MOST_UNPLACED} more accounts are on no line", address, "", "bad", 3)


def _variances(seat: Seat, judged: MonthlyVerdict) -> Iterator[Item]:
    """Variances of a statement that somebody has to explain, or may accept."""
    person = seat.person
    if judged.outcome is None or not (person.may_explain or person.may_accept):
        return
    found = explained_of(seat.ledger, judged.outcome.computed, seat.readers)
    mine = [one for one in found if one.owner == person and one.item.state in ("open", "sent back")]
    others = [one for one in found if one.item.state == "explained"] if person.may_accept else []
    several = [*(("explain", one) for one in mine), *(("accept", one) for one in others)]
    for verb, one in several[:MOST_VARIANCES]:
        yield _waits(seat, judged, verb, one)
    if len(several) > MOST_VARIANCES:
        address = f"{reverse('statement-variances', args=[judged.definition.name])}?{seat.query}"
        yield Waits("explain", f"{len(several) - MOST_VARIANCES} more of {judged.title}", address, "", "", 4)


def _waits(seat: Seat, judged: MonthlyVerdict, verb: str, one: Explained) -> Waits:
    row, column = one.item.key
    query = urlencode({"panel": "explain", "row": row, "column": column})
    sent_back = f", sent back: {one.stored.remark}" if one.item.state == "sent back" and one.stored else ""
    title = f"{one.item.label}, {figure_of(one)} in {judged.title}{sent_back}"
    late = one.due is not None and one.due < date.today()
    when = f"was due {day_text(one.due)}" if late else f"due {day_text(one.due)}" if one.due else ""
    address = f"{reverse('statement', args=[judged.definition.name])}?{seat.query}&{query}"
    return Waits(
        verb, title, address, when if verb == "explain" else "", "bad" if late and verb == "explain" else "open", 4
    )


def used_statements(seat: Seat) -> Iterator[Item]:
    """The statements that somebody looked at last."""
    seen = {one.pk: one for one in seen_definitions(seat.ledger, seat.person, "statement", level=RUN)}
    for visit in Visit.objects.filter(person=seat.person, definition__in=seen)[:8]:
        one = seen[visit.definition_id]
        address = f"{reverse('statement', args=[one.name])}?{seat.query}"
        yield Used(one.title, "statement", address, visit.at)
