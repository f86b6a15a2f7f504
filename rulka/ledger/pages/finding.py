"""Search over everything, as a list that drops below the field and as a page."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import compress
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse
from django.urls import reverse
from django.views.decorators.http import require_GET

from rulka.core.books.chart import Item
from rulka.core.errors import RulkaError
from rulka.core.money import grouped, round_half_away
from rulka.core.values import typed_amount
from rulka.ledger.finding import MOST, FoundKind, FoundThing, find, matching, shown
from rulka.ledger.reading import found
from rulka.ledger.seat import Seat, seat_of
from rulka.screen import Screen


@require_GET
def find_page(request: HttpRequest) -> HttpResponse:
    """What is found for a text."""
    seat = seat_of(request)
    text = request.GET.get("q", "")
    screen = FoundPage(seat=seat, q=text[:100], kinds=find(seat, text))
    if request.headers.get("HX-Request"):
        return replace(screen, place="found").response(request, template="ledger/_found.html")
    return screen.response(request)


@dataclass(frozen=True, kw_only=True)
class FoundPage(Screen):
    """What is found for a text, by kind; `place` is the id of the list."""

    html = "ledger/found.html"
    where: str = ""
    seat: Seat
    q: str
    kinds: Sequence[FoundKind]
    place: str = "found-all"


def _address(seat: Seat, name: str, *args: str, **query: str) -> str:
    return f"{reverse(name, args=args)}?{seat.query}&{urlencode(query)}"


def of_ledger(seat: Seat, text: str) -> Iterator[FoundKind]:
    """Accounts, members, entities, counterparties, documents, entries and amounts."""
    view, frame = seat.view, seat.view.frame
    if not view.fence.opens_figures:
        return
    accounts = list(compress(frame.accounts.items, view.visible_accounts()))
    yield shown(
        "Accounts",
        matching(accounts, text, _known_by),
        lambda item: _thing(seat, " ".join(_known_by(item)), item.type, "ledger-accounts", account=item.code),
    )
    for name in frame.dimensions:
        yield _of_dimension(seat, name, text)
    entities = list(compress(frame.entities.items, view.visible_entities()))
    yield shown(
        "Entities",
        matching(entities, text, _known_by),
        lambda item: _thing(seat, " ".join(_known_by(item)), "entity", "ledger-trial-balance", entity=item.code),
    )
    yield shown(
        "Counterparties",
        matching(found.counterparties(seat.ledger, view, text), text, lambda pair: pair),
        lambda pair: _thing(seat, " ".join(pair), "journal lines", "ledger-journal", counterparty=pair[0]),
    )
    yield shown(
        "Documents",
        found.documents(seat.ledger, view, text, MOST + 1),
        lambda pair: _thing(
            seat, pair[0], f"{pair[1]} line{'s' if pair[1] != 1 else ''}", "ledger-journal", document=pair[0]
        ),
    )
    yield shown(
        "Entries",
        found.entries(seat.ledger, view, text, MOST + 1),
        lambda one: FoundThing(f"{one[0]} {one[1]}", one[2], _address(seat, "ledger-entry", one[0], one[1])),
    )
    yield from _amounts(seat, text)


def _thing(seat: Seat, called: str, kind: str, page: str, **asked: str) -> FoundThing:
    return FoundThing(called, kind, _address(seat, page, **asked))


def _known_by(item: Item) -> tuple[str, str]:
    return item.code, item.name


def _of_dimension(seat: Seat, name: str, text: str) -> FoundKind:
    def written(item: Item) -> FoundThing:
        address = _address(seat, "ledger-members", dimension=name, member=item.code)
        return FoundThing(f"{item.code} {item.name}", name, address)

    found_members = matching(_members(seat, name), text, lambda item: (item.code, item.name))
    return shown(name.capitalize(), found_members, written)


def _members(seat: Seat, dimension: str) -> list[Item]:
    """The members of a dimension that somebody may see anything of."""
    frame, view = seat.view.frame, seat.view
    codes = frame.dimensions[dimension]
    if view.fence.leaves_open(dimension):
        return [item for item in codes.items if item.code != "-"]
    return [item for item in codes.items if item.code != "-" and item.name]


def _amounts(seat: Seat, text: str) -> Iterator[FoundKind]:
    near = text.startswith("~")
    try:
        amount = Fraction(typed_amount(text.removeprefix("~"), "amount"))
    except RulkaError:
        return  # no amount: it is looked for as a text alone
    lines = found.amounts(seat.ledger, seat.view, amount, near=near)
    note = f"within 1 % of {grouped(round_half_away(abs(amount), 2), 2)}" if near else ""

    def written(line: found.FoundLine) -> FoundThing:
        words = (line.date, line.account, line.document, line.text)
        return FoundThing(
            grouped(round_half_away(line.amount, line.digits), line.digits),
            ", ".join(filter(None, words)),
            _address(seat, "ledger-entry", line.entity, line.number),
        )

    yield shown("Amounts", lines, written, note)
