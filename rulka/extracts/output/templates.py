"""Extracts and their templates: a workbook made around a run becomes a layout, and later runs are filled into it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.core.errors import NotFound, RulkaError
from rulka.core.extracting.definitions import LayoutDef, layout_mapping
from rulka.extracts.library.opening import may_change, open_extract
from rulka.extracts.library.storing import definition_of, keep_layout
from rulka.extracts.models import Extract
from rulka.extracts.running.asked import AskedExtract
from rulka.formats.refill.checking import Linking
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.models import Template
from rulka.statements.output.origins import Page
from rulka.statements.output.templates import Subject, newest

PIVOT = "Pivot"
"""The sheet of an output that its reader may do with as they like."""


def subject_for(extract: Extract, person: Person | None) -> Subject:
    """An extract as what templates are of."""
    layouts = tuple(one.name for one in definition_of(extract, person).layouts)
    return Subject(
        extract.ledger, "extract", extract.pk, extract.name, extract.title, may_change(person, extract), layouts
    )


def template_of(asked: AskedExtract) -> Template | None:
    """The workbook that the chosen layout is filled into; None of a layout without one. Raises where it isn't here."""
    if not asked.layout.template:
        return None
    extract = Extract.objects.filter(ledger=asked.rows.ledger, name=asked.extract.name).select_related("ledger").first()
    if extract is None:
        raise NotFound("The extract was deleted.", subject=asked.extract.name)
    return newest(subject_for(extract, asked.person), asked.layout.name, asked.person)


class OfExtracts:
    """What templates of extracts are."""

    route, bar = "extract", "extracts"

    def opened(self, ledger: Ledger, name: str, person: Person | None) -> Subject:
        return subject_for(open_extract(ledger, name, person=person), person)

    def linking(self, page: Page) -> Linking:
        if page.get("since") is not None:
            raise RulkaError("News can't become a template.", hint="Begin with a run of all rows.", subject="template")
        if "columns" not in page:
            raise RulkaError("It was run before there were templates.", hint="Run it again.", subject="template")
        return Linking(theirs=(PIVOT,), width=len(page["columns"]))

    def layout(self, subject: Subject, page: Page, person: Person | None) -> dict[str, Any]:
        definition = definition_of(open_extract(subject.ledger, subject.name, person=person), person)
        wanted = str(page.get("base") or page.get("layout") or "").casefold()
        base = next((one for one in definition.layouts if one.name.casefold() == wanted), LayoutDef(""))
        if base.each:
            raise RulkaError(
                f"The layout '{base.name}' writes a sheet for each {base.each}: their number is another one next time.",
                hint="Begin with a layout that writes all rows on one sheet.", subject="template",
            )  # fmt: skip
        found = layout_mapping(base)
        found.pop("pivot", None)
        return {**found, "columns": list(page["columns"]), "template": "yes", "base": base.name}

    def kept(self, template: Template, subject: Subject, person: Person | None) -> None:
        extract = open_extract(subject.ledger, subject.name, person=person)
        layout = {name: value for name, value in template.layout.items() if value}
        keep_layout(extract, {**layout, "layout": template.name}, person=person, shared=template.owner_id is None)

    def shows(self, template: Template | None) -> Mapping[str, str]:
        return {"tab": "layout", "layout": template.name if template else ""}
