"""What the panel shows of what is to be explained: the list, the one that was chosen, and what looks wrong there."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

import numpy as np

from rulka.core.compute.computed import Computed
from rulka.core.errors import RulkaError
from rulka.core.money import grouped
from rulka.core.proof.explaining import unexplained
from rulka.core.proof.terms import terms_of
from rulka.formats.figures import figure_text
from rulka.ledger.reading.entries import entries_in_sight
from rulka.ledger.reading.suspects import suspects
from rulka.ledger.seat import Seat
from rulka.people.models import Person
from rulka.screen import PanelBody
from rulka.statements.models import Explanation, ExplanationFile, ExplanationStep
from rulka.statements.running.explained import (
    Explained,
    Explainers,
    asks_anything,
    explained_of,
    figure_of,
    progress_of,
)

MOST_SUSPECTS = 5


@dataclass(frozen=True, eq=False)
class ShownItem:
    """Something to explain as the list shows it: figures in the statement's own words, addresses, who is meant."""

    one: Explained
    figure: str
    former: str
    percent: str
    query: str
    drivers: str
    chosen: bool
    mine: bool

    @property
    def state(self) -> str:
        """Its state in a word or two."""
        if self.one.item.state == "open" and self.one.item.former is not None:
            return "open again"
        if self.one.item.state == "open" and self.mine:
            return "open, you"
        return self.one.item.state

    @property
    def kind(self) -> str:
        return self.one.item.state.replace(" ", "-")

    @property
    def about(self) -> str:
        """Who it waits for, or who did what."""
        one, stored = self.one, self.one.stored
        if one.item.state == "closed":
            return one.item.why
        if one.item.state == "accepted" and stored and stored.judge:
            return f"by {stored.judge.called}, {stored.at:%-d %B}"
        if one.item.state == "explained" and stored:
            return f"by {_called(stored.explainer)}, waits for a controller"
        if one.item.state == "sent back" and stored:
            return f"{_called(stored.judge)}: {stored.remark}"
        owner = one.owner.called if one.owner else "nobody yet"
        return owner + (f", due {one.due:%-d %B}" if one.due else "")


def _called(person: Person | None) -> str:
    return person.called if person else "somebody who left"


@dataclass(frozen=True, kw_only=True)
class ExplainPanel(PanelBody):
    """What is to be explained of a run: how many of how many are left, by whom, and which one is open; `entry` is one
    that the address offers as proof, `wrong` what looks wrong there."""

    html = "statements/_panel_explain.html"
    asks: bool
    beyond: str
    items: Sequence[ShownItem]
    left: int
    count: int
    progress: Any
    in_room: bool
    entry: str
    chosen: ChosenItem | None
    wrong: Sequence[WrongHere]


def explain_panel(seat: Seat, computed: Computed, state: Mapping[str, str], *, room: bool) -> ExplainPanel:
    """What is to be explained of a run, with the one that the address chooses open."""
    explained = explained_of(seat.ledger, computed, seat.readers)
    chosen = next((one for one in explained if one.item.key == (state.get("row"), state.get("column"))), None)
    items = [_shown(one, seat, one is chosen) for one in explained]
    left = unexplained([one.item for one in explained])
    standing = [one for one in explained if one.item.state != "closed"]
    return ExplainPanel(
        asks=asks_anything(computed),
        beyond=computed.statement.explain.beyond.written,
        items=items,
        left=len(left),
        count=len(standing),
        progress=progress_of(explained),
        in_room=room,
        entry=f"{state['entity']} {state['entry']}" if state.get("entity") and state.get("entry") else "",
        chosen=_chosen(seat, computed, next(item for item in items if item.chosen)) if chosen else None,
        wrong=_wrong(seat, computed, chosen),
    )


def _shown(one: Explained, seat: Seat, is_chosen: bool) -> ShownItem:
    item = one.item
    row, column = item.key
    percent = item.variance.percent if item.variance else None
    return ShownItem(
        one,
        figure_of(one),
        figure_of(one, item.former) if item.former is not None and item.variance else "",
        ("" if item.variance is None else "nothing to compare with")
        if percent is None
        else f"{figure_text(percent * 100, digits=1)} %",
        urlencode({"panel": "explain", "row": row, "column": column}),
        urlencode({"panel": "trace", "row": row, "column": column, "by": "drivers", "room": "yes"}),
        is_chosen,
        one.owner is not None and one.owner.pk == seat.person.pk,
    )


@dataclass(frozen=True)
class ChosenItem:
    """The item that is open: its text, proof, files, history, and what the person may do about it."""

    item: ShownItem
    stored: Explanation | None
    figure: str
    threshold: str
    by: str
    proof: Sequence[tuple[str, str, bool]]
    files: Sequence[ExplanationFile]
    steps: Sequence[ExplanationStep]
    may_explain: bool
    may_judge: bool
    may_assign: bool
    own: bool
    people: Sequence[Person]


@dataclass(frozen=True)
class WrongHere:
    """What looks wrong on the accounts of a variance: in words, how much, and where it is looked into."""

    title: str
    amount: str
    query: str


def _chosen(seat: Seat, computed: Computed, item: ShownItem) -> ChosenItem:
    """The one that is open: its text, proof, files, history, and what the person may do about it."""
    stored, person, state = item.one.stored, seat.person, item.one.item.state
    own = stored is not None and stored.explainer_id == person.pk
    is_open = state != "closed"
    variance = item.one.item.variance
    return ChosenItem(
        item=item,
        stored=stored,
        figure=str(variance.value) if variance else "",
        threshold=variance.threshold.written if variance and variance.threshold else "",
        by=variance.by if variance else "",
        proof=_proof(seat, stored),
        files=list(stored.files.select_related("person").defer("data")) if stored else [],
        steps=list(stored.steps.select_related("person")[:30]) if stored else [],
        may_explain=person.may_explain and is_open,
        may_judge=person.may_accept and state in ("explained", "accepted") and not own,
        may_assign=person.may_edit and is_open,
        own=own,
        people=list(Explainers(seat.ledger, computed, seat.readers).every().values()) if person.may_edit else [],
    )


def _proof(seat: Seat, stored: Explanation | None) -> list[tuple[str, str, bool]]:
    """(entity, number, whether it shows) of the entries that prove it."""
    names = [(entity, number) for entity, number in stored.proof] if stored else []
    seen = entries_in_sight(seat.ledger, seat.view, names)
    return [(entity, number, (entity, number) in seen) for entity, number in names]


def _wrong(seat: Seat, computed: Computed, chosen: Explained | None) -> list[WrongHere]:
    """What looks wrong in the month on the accounts of the chosen line, or of the whole statement."""
    try:
        found = suspects(seat.ledger, seat.view, computed.period)
    except RulkaError as error:
        if error.code not in ("empty", "no-journal"):
            raise
        return []
    accounts = _accounts(computed, chosen)
    entities = {
        item.code for item, inside in zip(seat.view.frame.entities.items, computed.node.entities, strict=True) if inside
    }
    return [
        WrongHere(
            one.finding.title,
            grouped(one.finding.amount, one.finding.digits),
            urlencode({"rule": one.finding.rule, "subject": one.finding.subject}),
        )
        for one in found
        if one.stands and one.finding.entity in entities and accounts & set(one.finding.accounts)
    ][:MOST_SUSPECTS]


def _accounts(computed: Computed, chosen: Explained | None) -> set[str]:
    """The codes of the accounts behind a variance, or of all that the statement places."""
    items = computed.view.frame.accounts.items
    mask = np.zeros(len(items), dtype=bool)
    if chosen is not None and chosen.item.variance is not None:
        for term in terms_of(computed, *chosen.item.key) or ():
            mask |= term.leaf.accounts
    else:
        for leaves in computed.plan.leaves.by_line.values():
            for leaf in leaves:
                mask |= leaf.of_line
    return {items[place].code for place in np.flatnonzero(mask)}


def named_explainers(seat: Seat) -> list[tuple[str, str]]:
    """(name they sign in with, what they are called) of the people of a ledger who may explain variances."""
    return [(person.username, person.called) for person, _ in seat.readers if person.may_explain]


def waiting(explained: Sequence[Explained]) -> int:
    """How many variances keep an edition from being kept."""
    return len(unexplained([one.item for one in explained]))
