"""What people do about a variance: explain it, prove it, accept it or send it back, put somebody down for it. The one
gate to changes of explanations."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date

from django.db import transaction

from rulka.core.errors import NotFound, RulkaError
from rulka.core.values import key_in
from rulka.ledger.models import Ledger
from rulka.ledger.reading.entries import seen_entry
from rulka.people.library import record
from rulka.people.models import Person
from rulka.statements.models import Explanation, ExplanationFile, ExplanationStep
from rulka.statements.running.bounds import bounds_of
from rulka.statements.running.explained import Explained, Explainers, explained_of
from rulka.statements.running.runs import RunOutcome

MOST_TEXT = 4_000
MOST_BYTES = 5_000_000
MOST_FILES = 20
MOST_PROOF = 200


@dataclass(frozen=True)
class ExplainRequest:
    """What somebody does something about: the variance of a row in a column of a run, as they saw it: which version of
    what is stored, and which figure (an exact fraction, empty where it doesn't matter)."""

    ledger: Ledger
    outcome: RunOutcome
    person: Person
    row: str
    column: str
    version: int
    figure: str = ""


def find(asked: ExplainRequest) -> Explained:
    """The item that is meant; NotFound where there is none."""
    for one in explained_of(asked.ledger, asked.outcome.computed):
        if one.item.key == (asked.row, asked.column):
            return one
    raise NotFound("There is nothing to explain here.", hint="Choose one of the list.", subject="explanation")


def _refuse_changed(asked: ExplainRequest, found: Explained) -> None:
    item = found.item
    if item.state == "closed" or item.variance is None:
        raise RulkaError(f"It is closed. {item.why}", hint="Nothing is left to say.", subject="explanation")
    if found.version != asked.version:
        raise RulkaError(
            "Somebody else did something about it since you opened it.",
            hint="What you wrote stands in the field; look at theirs, then do it again.",
            subject="explanation",
            code="changed-since",
        )
    if asked.figure and asked.figure != str(item.variance.value):
        raise RulkaError(
            "Its figure changed since you opened it.",
            hint="What you wrote stands in the field; look at the new figure, then do it again.",
            subject="explanation",
            code="changed-since",
        )


def _change(asked: ExplainRequest, what: str, do: Callable[[Explanation, Explained], None]) -> Explanation:
    """Do something about an item, kept with its history; refused where somebody else did in the meantime, or the figure
    is another one."""
    computed = asked.outcome.computed
    with transaction.atomic():
        found = find(asked)
        item = found.item
        _refuse_changed(asked, found)
        stored = found.stored or Explanation(
            ledger=asked.ledger,
            statement=asked.outcome.definitions["statement"],
            line=asked.row,
            column=asked.column,
            node=computed.node.code,
            period=computed.period.code,
            fence=bounds_of(asked.ledger, computed),
            owner=found.owner,
            due=found.due,
        )
        stored.label, stored.heading = item.label, item.heading
        do(stored, found)
        stored.version += 1
        stored.save()
        thing, ledger = f"statement {computed.statement.name}", asked.ledger.code
        record.note(asked.person, "explained", ledger=ledger, thing=thing, detail=f"{item.label}: {what}")
        ExplanationStep.objects.create(
            explanation=stored, person=asked.person, what=what, text=stored.text, value=stored.value
        )
    return stored


def _may(allowed: bool, what: str, who: str) -> None:
    if not allowed:
        raise RulkaError(f"You may not {what}.", hint=f"Ask {who}.", subject="rights", code="rights")


def explain(asked: ExplainRequest, text: str) -> Explanation:
    """Say what a variance is about; from then on it waits to be accepted."""
    _may(asked.person.may_explain, "explain variances", "an accountant")
    text = text.strip().replace("\r\n", "\n")
    if not text:
        raise RulkaError("Nothing is written.", hint="Say what it is about.", subject="text")
    if len(text) > MOST_TEXT:
        raise RulkaError(
            f"The text has {len(text)} characters; {MOST_TEXT} are the most.",
            hint="Shorten it, or attach a file.",
            subject="text",
        )

    def do(stored: Explanation, found: Explained) -> None:
        assert found.item.variance is not None
        stored.text, stored.state, stored.remark = text, Explanation.State.EXPLAINED, ""
        stored.value, stored.explainer, stored.judge = str(found.item.variance.value), asked.person, None

    return _change(asked, "explained", do)


def accept(asked: ExplainRequest) -> Explanation:
    """Accept what somebody else said."""
    _may_judge(asked)
    return _change(asked, "accepted", _judging(asked, Explanation.State.ACCEPTED, ""))


def send_back(asked: ExplainRequest, remark: str) -> Explanation:
    """Send back what somebody said, with what is missing."""
    _may_judge(asked)
    remark = remark.strip()[:1000]
    if not remark:
        raise RulkaError("It says nothing about why.", hint="Write what is missing.", subject="remark")
    return _change(asked, f"sent back: {remark}", _judging(asked, Explanation.State.SENT_BACK, remark))


def _may_judge(asked: ExplainRequest) -> None:
    _may(asked.person.may_accept, "accept explanations", "a controller")


def _judging(asked: ExplainRequest, state: str, remark: str) -> Callable[[Explanation, Explained], None]:
    def do(stored: Explanation, found: Explained) -> None:
        if found.item.state not in ("explained", "accepted"):
            raise RulkaError(
                "It is not explained as it stands.", hint="Wait until somebody explains it.", subject="explanation"
            )
        if stored.explainer_id == asked.person.pk:
            raise RulkaError(
                "You explained this yourself.",
                hint="Somebody else has to accept it or send it back.",
                subject="rights",
                code="rights",
            )
        stored.state, stored.remark, stored.judge = state, remark, asked.person

    return do


def assign(asked: ExplainRequest, owner: str, due: str) -> Explanation:
    """Put somebody down for it (by the name they sign in with, empty for nobody), until a day (empty for the usual)."""
    _may(asked.person.may_edit, "put people down for variances", "an accountant")
    people = Explainers(asked.ledger, asked.outcome.computed).every()
    if owner and owner not in people:
        raise NotFound(
            f"'{owner[:40]}' may not explain this, or doesn't see it.", hint="Choose one of the list.", subject="owner"
        )
    day = _day(due)

    def do(stored: Explanation, found: Explained) -> None:
        stored.owner, stored.due = people.get(owner), day

    named = people[owner].called if owner else "nobody"
    return _change(asked, f"put down for {named}" + (f" until {day:%-d %B %Y}" if day else ""), do)


def _day(text: str) -> date | None:
    if not text.strip():
        return None
    try:
        return date.fromisoformat(text.strip())
    except ValueError:
        raise RulkaError(f"'{text[:20]}' is no day.", hint="Write 2026-11-06.", subject="due") from None


def prove(asked: ExplainRequest, entity: str, number: str) -> Explanation:
    """Name an entry that proves what is said: one that the person sees."""
    _may(asked.person.may_explain, "explain variances", "an accountant")
    entry = seen_entry(asked.ledger, asked.outcome.computed.view, entity.strip(), number.strip()).entry
    link = [entry.entity.code, entry.number]

    def do(stored: Explanation, found: Explained) -> None:
        if link in stored.proof:
            raise RulkaError(f"{number} proves it already.", subject="entry")
        if len(stored.proof) >= MOST_PROOF:
            raise RulkaError(f"{MOST_PROOF} entries prove it already.", hint="Attach a list.", subject="entry")
        stored.proof = [*stored.proof, link]

    return _change(asked, f"entry {number} as proof", do)


def disprove(asked: ExplainRequest, entity: str, number: str) -> Explanation:
    """Take an entry out of what proves it."""
    _may(asked.person.may_explain, "explain variances", "an accountant")

    def do(stored: Explanation, found: Explained) -> None:
        stored.proof = [link for link in stored.proof if link != [entity, number]]

    return _change(asked, f"entry {number} no longer as proof", do)


def attach(asked: ExplainRequest, name: str, data: bytes) -> Explanation:
    """Attach a file."""
    _may(asked.person.may_explain, "explain variances", "an accountant")
    name = name.strip().rpartition("/")[2].rpartition("\\")[2][-120:] or "file"
    if not data:
        raise RulkaError("The file is empty.", hint="Choose another one.", subject="file")
    if len(data) > MOST_BYTES:
        raise RulkaError(
            "The file is larger than 5 MB.", hint="Attach a smaller one, or name entries as proof.", subject="file"
        )

    def do(stored: Explanation, found: Explained) -> None:
        if stored.pk is None:
            stored.save()
        if stored.files.count() >= MOST_FILES:
            raise RulkaError(f"It has {MOST_FILES} files already.", hint="Take one out first.", subject="file")
        ExplanationFile.objects.create(explanation=stored, name=name, data=data, size=len(data), person=asked.person)

    return _change(asked, f"attached {name}", do)


def detach(asked: ExplainRequest, number: str) -> Explanation:
    """Take a file away."""
    _may(asked.person.may_explain, "explain variances", "an accountant")
    file = find_file(asked, number)

    def do(stored: Explanation, found: Explained) -> None:
        file.delete()

    return _change(asked, f"took {file.name} away", do)


def find_file(asked: ExplainRequest, number: str) -> ExplanationFile:
    """A file of the item that is meant."""
    stored = find(asked).stored
    file = stored.files.filter(pk=key_in(number)).first() if stored else None
    if file is None:
        raise NotFound("This file isn't there.", hint="Load the page again.", subject="file")
    return file
