"""Texts on shelves, kept with every change: stored by their names, changed as long as nobody else did, taken back and
done again. Extracts, overviews and whatever else is a text keep theirs here."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from django.db import transaction

from rulka.core.definitions.keys import slug
from rulka.core.errors import RulkaError
from rulka.ledger.models import Ledger
from rulka.people.library import record
from rulka.people.models import Person
from rulka.statements.library.on_shelves import required_on, shelf_for
from rulka.statements.library.shelves import EDIT
from rulka.statements.models import TextOnShelf

MOST_STEPS = 500
Text = TypeVar("Text", bound=TextOnShelf)


@dataclass(frozen=True)
class Texts(Generic[Text]):
    """One kind of texts: what it is called, its models, what checks a body, the names that addresses need, and what
    whoever doesn't edit may do instead."""

    what: str
    model: type[Text]
    step: Any
    check: Callable[[Mapping[str, Any]], object]
    reserved: tuple[str, ...]
    only_runs: str

    def required(self, person: Person | None, text: Text, level: int) -> None:
        """Refuse what role and shelf don't give."""
        required_on(person, text, level, self.what, self.only_runs)

    def required_maker(self, person: Person | None) -> None:
        """Refuse whoever makes none."""
        if person is not None and not person.may_edit:
            raise RulkaError(f"You may look at {self.what}s, not make them.", hint="Ask an accountant.", code="rights")

    @transaction.atomic
    def store(self, ledger: Ledger, body: Mapping[str, Any], person: Person | None) -> tuple[Text, bool]:
        """Keep a text by its name; one that bears it is replaced as a change. Whether anything moved."""
        plain = dict(body)
        self.check(plain)
        name = str(plain[self.what])
        if name in self.reserved:
            raise RulkaError(f"An {self.what} can't be named '{name}'.", hint="Choose another name.", subject="name")
        found = self._rows.select_for_update().filter(ledger=ledger, name=name).first()
        if found is None:
            self.required_maker(person)
            made: Text = self._rows.create(ledger=ledger, name=name, body=plain, person=person)
            self._noted(made, person, "made")
            return made, True
        if found.body == plain:
            return found, False
        self.change(found, plain, "loaded", person)
        return found, True

    @property
    def _rows(self) -> Any:
        return self.model._default_manager

    def _of(self, text: Text) -> dict[str, Text]:
        return {self.what: text}

    def _noted(self, text: Text, person: Person | None, what: str) -> None:
        thing = f"{self.what} {text.name}"
        record.note(person, "changed", ledger=text.ledger.code, thing=thing, detail=what)

    @transaction.atomic
    def change(
        self, text: Text, body: Mapping[str, Any], what: str, person: Person | None, version: int | None = None
    ) -> Text:
        """Change a text, with the state before; refused where it isn't as the person saw it."""
        self.required(person, text, EDIT)
        stored: Text = self._rows.select_for_update().get(pk=text.pk)
        if version is not None and stored.version != version:
            raise RulkaError(
                "Somebody changed it since you opened it.", hint="Look at it as it is now, then change it again.",
                code="stale",
            )  # fmt: skip
        plain = {**body, self.what: stored.name}
        self.check(plain)
        if plain == stored.body:
            return stored
        steps = self.step.objects.filter(**self._of(stored))
        steps.filter(undone=True).delete()
        stored.version += 1
        self.step.objects.create(
            **self._of(stored), version=stored.version, what=what[:200], before=stored.body, after=plain, person=person
        )
        self.step.objects.filter(pk__in=list(steps.values_list("pk", flat=True)[MOST_STEPS:])).delete()
        stored.body = plain
        stored.save()
        self._noted(stored, person, what)
        text.body, text.version = stored.body, stored.version
        return stored

    @transaction.atomic
    def undo(self, text: Text, person: Person, *, redo: bool = False) -> str:
        """Take the last change back, or do it again; what it was."""
        self.required(person, text, EDIT)
        stored: Text = self._rows.select_for_update().get(pk=text.pk)
        steps = self.step.objects.filter(**self._of(stored), undone=redo)
        step = steps.order_by("version").first() if redo else steps.first()
        if step is None:
            nothing = "There is nothing to do again." if redo else "There is nothing to take back."
            raise RulkaError(nothing, code="refused")
        wanted, other = (step.before, step.after) if redo else (step.after, step.before)
        if stored.body != wanted:
            raise RulkaError("It was changed otherwise since.", hint="Change it by hand.", code="stale")
        stored.body = other
        stored.save()
        step.undone = not redo
        step.save(update_fields=["undone"])
        text.body = stored.body
        return str(step.what)

    def can_undo(self, text: Text) -> tuple[str, str]:
        """What could be taken back, and what done again; empty for nothing."""
        steps = self.step.objects.filter(**self._of(text))
        back, again = steps.filter(undone=False).first(), steps.filter(undone=True).order_by("version").first()
        return back.what if back else "", again.what if again else ""

    def copy(self, text: Text, title: str, person: Person) -> Text:
        """Another one with the same text."""
        self.required_maker(person)
        name = self.free_name(text.ledger, title)
        return self.store(text.ledger, {**text.body, self.what: name, "title": " ".join(title.split())[:120]}, person)[
            0
        ]

    def delete(self, text: Text, person: Person | None) -> None:
        """Take a text away."""
        self.required(person, text, EDIT)
        self._noted(text, person, "deleted")
        text.delete()

    def delete_typed(self, text: Text, title: str, typed: str, person: Person | None) -> None:
        """Take a text away for good, once somebody typed its title."""
        if typed.strip() != title:
            raise RulkaError(
                f"'{title}' was not deleted.", hint="Type its title; this can't be undone.", subject="title"
            )
        self.delete(text, person)

    def only_body(self, bodies: Sequence[Mapping[str, Any]], text: Text) -> dict[str, Any]:
        """The one body of a written text, under the name of the text whose place it takes."""
        if len(bodies) != 1:
            raise RulkaError(f"It holds several {self.what}s.", hint="Keep one here.", subject="text")
        return {**bodies[0], self.what: text.name}

    def put_on_shelf(self, text: Text, shelf: str, person: Person) -> None:
        """Put a text on a shelf by the shelf's number, or on none."""
        self.required(person, text, EDIT)
        text.shelf = shelf_for(text, shelf, person=person)
        text.save(update_fields=["shelf"])

    def free_name(self, ledger: Ledger, title: str) -> str:
        """A name made from a title that no other one has."""
        base = slug(title)[:70] or self.what
        taken = set(self._rows.filter(ledger=ledger, name__startswith=base).values_list("name", flat=True))
        taken |= set(self.reserved)
        return next(name for name in (base, *(f"{base}-{number}" for number in range(2, 10_000))) if name not in taken)
