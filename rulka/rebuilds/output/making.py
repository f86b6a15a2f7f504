"""A rebuilt table as a stored statement, with a note of what was sure."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

from django.db import transaction
from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.core.rebuild.answering import Question, RebuildAnswers, questions, with_answers
from rulka.core.rebuild.given import Given
from rulka.core.rebuild.plain import proposal_again
from rulka.core.rebuild.proposing import TableProposal
from rulka.core.rebuild.statement import Bodies, OddCell, bodies_of, differences, of_whole_rows
from rulka.ledger.models import Ledger
from rulka.ledger.seat import Seat
from rulka.people.models import Person
from rulka.rebuilds.library.keeping import answers_in, given_in
from rulka.rebuilds.models import Rebuild
from rulka.statements.library.opening import seen_definitions
from rulka.statements.library.shelves import required_editor
from rulka.statements.library.storing import entry, reserve, state_in, write
from rulka.statements.models import Definition


class ShownRebuild:
    """A rebuild as its page shows it and as it is stored: table, proposal with its answers, what the engine makes of
    it, what is asked."""

    def __init__(self, rebuild: Rebuild, seat: Seat, answers: RebuildAnswers | None = None) -> None:
        self.rebuild = rebuild
        self.given: Given = given_in(rebuild)
        self.answers = answers_in(rebuild) if answers is None else answers
        if rebuild.state != Rebuild.State.READY:
            raise RulkaError(
                "Nothing is found yet.", hint="Wait for the search, or search again.", subject=rebuild.title
            )
        if rebuild.found is None or rebuild.fence != seat.view.fence.digest:
            raise RulkaError("What you may see has changed since.", hint="Search again.", subject=rebuild.title)
        self.proposal: TableProposal = with_answers(self.given, proposal_again(rebuild.found), self.answers, seat.view)
        self.bodies: Bodies = bodies_of(self.given, self.proposal, seat.view, rebuild.title, self.answers.accounts)
        self.off: list[OddCell] = differences(self.given, self.proposal, self.bodies, seat.view)
        self.odd: list[OddCell] = of_whole_rows(self.proposal, self.off)
        self.questions: list[Question] = questions(self.given, self.proposal, self.answers, self.odd, seat.view)

    @property
    def states(self) -> Counter[str]:
        return Counter(line.state for line in self.proposal.lines if line.kind == "line")


def make(ledger: Ledger, shown: ShownRebuild, title: str, person: Person) -> Definition:
    """Store what was found under a title; refused while anything is asked."""
    required_editor(person)
    title = " ".join(title.split())
    if not title:
        raise RulkaError("A statement needs a name.", hint="Write what it shows.", subject="name")
    if shown.questions:
        raise RulkaError(
            f"{len(shown.questions)} questions are open.", hint="Answer them; nothing doubtful is taken by itself.",
            subject=title,
        )  # fmt: skip
    if any(one.title.casefold() == title.casefold() for one in seen_definitions(ledger, person, "statement")):
        raise RulkaError(f"Another statement is called '{title}'.", hint="Choose another name.", subject="name")
    with transaction.atomic():
        made = reserve(ledger, "statement", title)
        parts = {kind: reserve(ledger, kind, title, owner=made) for kind in ("spine", "span")}
        edit = entry(ledger, made, person, _note(shown))
        for part, text in ((parts["spine"], shown.bodies.spine), (parts["span"], shown.bodies.span)):
            write(part, {**state_in(ledger, text), "title": title}, edit)
        own = {name: value for name, value in shown.bodies.statement.items() if name not in ("statement", *parts)}
        write(made, {**own, "title": title, **{kind: part.pk for kind, part in parts.items()}}, edit)
    return made


def _note(shown: ShownRebuild) -> str:
    """What the history says of it."""
    states, answers = shown.states, shown.answers
    lines = shown.proposal.lines
    told = [lines[row].caption for row in sorted(answers.lines) if lines[row].state == "told"]
    left = [line.caption for line in lines if line.state == "not found"]
    parts = [f"rebuilt from {', '.join(shown.rebuild.files)}: {states['sure']} lines sure"]
    if told:
        parts.append(f"{len(told)} chosen ({', '.join(told[:8])}{' ...' if len(told) > 8 else ''})")
    if left:
        parts.append(f"{len(left)} left out ({', '.join(left[:8])}{' ...' if len(left) > 8 else ''})")
    if answers.cells:
        given = shown.given
        cells = [f"{given.rows[row].caption}, {given.headings[column]}" for row, column in sorted(answers.cells)]
        parts.append(f"mistyped in the table: {'; '.join(cells[:6])}{' ...' if len(cells) > 6 else ''}")
    return "; ".join(parts)


def mark_made(rebuild: Rebuild, statement: Definition) -> None:
    """Remember what became of it."""
    Rebuild.objects.filter(pk=rebuild.pk).update(made=statement.pk, ended=timezone.now())


def tried(shown: ShownRebuild, seat: Seat, row: int, text: str) -> ShownRebuild:
    """The same with a row's accounts tried, nothing kept."""
    answers = replace(shown.answers, lines={**shown.answers.lines, row: text})
    return ShownRebuild(shown.rebuild, seat, answers)
