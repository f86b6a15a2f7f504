"""Statements and their templates: a workbook made around an exported statement, filled again by later exports."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.formats.refill.checking import Linking
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.opening import definitions_for
from rulka.statements.library.shelves import EDIT, level_of
from rulka.statements.models import Definition, Template
from rulka.statements.output.origins import Page
from rulka.statements.output.templates import Subject


def subject_for(definition: Definition, person: Person | None) -> Subject:
    """A statement as what templates are of."""
    may_change = person is None or level_of(person, definition) >= EDIT
    return Subject(definition.ledger, "statement", definition.pk, definition.name, definition.title, may_change)


class OfStatements:
    """What templates of statements are."""

    route, bar = "statement", "statements"

    def opened(self, ledger: Ledger, name: str, person: Person | None) -> Subject:
        return subject_for(definitions_for(ledger, name, person)["statement"], person)

    def linking(self, page: Page) -> Linking:
        return Linking()

    def layout(self, subject: Subject, page: Page, person: Person | None) -> dict[str, Any]:
        return {}

    def kept(self, template: Template, subject: Subject, person: Person | None) -> None:
        """Nothing follows: its name stands among the exports."""

    def shows(self, template: Template | None) -> Mapping[str, str]:
        return {}
