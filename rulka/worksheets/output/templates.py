"""Worksheets and their templates: a workbook made around a worksheet's, filled again by later ones."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.core.errors import RulkaError
from rulka.formats.refill.checking import Linking
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.models import Template
from rulka.statements.output.origins import Page
from rulka.statements.output.templates import Subject
from rulka.worksheets.library.opening import may_change, open_worksheet
from rulka.worksheets.models import Worksheet


def subject_for(worksheet: Worksheet, person: Person | None) -> Subject:
    """A worksheet as what templates are of."""
    changes = may_change(person, worksheet)
    return Subject(worksheet.ledger, "worksheet", worksheet.pk, worksheet.name, worksheet.title, changes)


class OfWorksheets:
    """What templates of worksheets are."""

    route, bar = "worksheet", "worksheets"

    def opened(self, ledger: Ledger, name: str, person: Person | None) -> Subject:
        return subject_for(open_worksheet(ledger, name, person=person), person)

    def linking(self, page: Page) -> Linking:
        if page.get("mode", "") not in ("values", "formulas"):
            raise RulkaError(
                "A workbook with live links can't become a template: whoever has its key reads figures.",
                hint="Begin with the workbook of values or formulas.", subject="template",
            )  # fmt: skip
        if page.get("drawn"):
            raise RulkaError(
                "Its sheets hold drawings of figures, which a template would keep as they are now.",
                hint="Take the drawings off the worksheet first, or draw the cells.", subject="template",
            )  # fmt: skip
        return Linking(by_place=True)

    def layout(self, subject: Subject, page: Page, person: Person | None) -> dict[str, Any]:
        return {"mode": page["mode"]}

    def kept(self, template: Template, subject: Subject, person: Person | None) -> None:
        """Nothing follows: its name stands among the exports."""

    def shows(self, template: Template | None) -> Mapping[str, str]:
        return {}
