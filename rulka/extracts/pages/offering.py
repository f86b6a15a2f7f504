"""Extracts that are offered where one stands, and found by search."""

from __future__ import annotations

from collections.abc import Iterator
from urllib.parse import urlencode

from django.urls import reverse

from rulka.core.books.selection import SelectionPart
from rulka.core.errors import RulkaError
from rulka.core.extracting.definitions import AskDef, ExtractDef, extract_from
from rulka.extracts.library.opening import runnable, seen_extracts
from rulka.extracts.pages.readers import ANSWER
from rulka.ledger.finding import FoundKind, FoundThing, matching, shown
from rulka.ledger.offering import Offer, Standing
from rulka.ledger.seat import Seat

MOST_CODES = 400


def offered_extracts(seat: Seat, standing: Standing) -> list[Offer]:
    """The extracts whose questions a page answers, those with most answers first."""
    if not seat.view.fence.opens_figures:
        return []
    found = []
    for extract in runnable(seat.ledger, seat.person):
        try:
            definition = extract_from(extract.body)
        except RulkaError:
            continue  # one that a newer reader refuses is on its own page, with what is wrong
        answers = answers_for(definition, standing)
        own = [name for name in answers if definition.ask(name).source != "period"]
        if own:
            query = urlencode({f"{ANSWER}{name}": text for name, text in answers.items()})
            address = f"{reverse('extract', args=[extract.name])}?{seat.query}&{query}"
            found.append((-len(own), definition.title, address))
    return [Offer(title, address) for _, title, address in sorted(found)]


def answers_for(definition: ExtractDef, standing: Standing) -> dict[str, str]:
    """What a page answers of an extract's questions."""
    found = {}
    for ask in definition.asks:
        codes = standing.get(ask.source, ()) if ask.source else ()
        if codes and len(codes) <= MOST_CODES and (text := _answer(ask, codes)):
            found[ask.name] = text
    return found


def _answer(ask: AskDef, codes: tuple[str, ...]) -> str:
    if ask.type == "selection":
        return ", ".join(SelectionPart("code", code).text() for code in codes)
    if ask.type == "list" and ask.several:
        return ", ".join(codes)
    return codes[0] if len(codes) == 1 else ""


def found_extracts(seat: Seat, text: str) -> Iterator[FoundKind]:
    """Extracts by title, name or what they are for."""
    yield shown(
        "Extracts",
        matching(
            seen_extracts(seat.ledger, seat.person), text,
            lambda one: (one.name, one.title),
        ),
        lambda one: FoundThing(one.title, "extract", f"{reverse('extract', args=[one.name])}?{seat.query}"),
    )  # fmt: skip
