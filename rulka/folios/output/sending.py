"""Folios that are sent: read by each recipient, behind their fence, at one revision."""

from __future__ import annotations

from dataclasses import replace

from rulka.core.books.fence import DEPTHS
from rulka.core.errors import RulkaError
from rulka.folios.library.opening import open_folio, readable
from rulka.folios.output.leaving import leave
from rulka.folios.output.making import FORMS, Making, made
from rulka.folios.running.sections import FolioReading
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.shelves import depth_on, level_on
from rulka.statements.output.sendable import SendRequest, SentFile


class Folios:
    """Folios as a kind of thing that can be sent: what was released, at the folio's own period and node."""

    def pieces(self, asked: SendRequest) -> list[SentFile]:
        folio = open_folio(asked.ledger, asked.name, person=asked.person)
        reading = FolioReading(folio, asked.fence, asked.person)
        if reading.outline.revision is None:
            reading.outline = replace(reading.outline, revision=asked.revision)
        period, view = reading.period, reading.places().view
        names = {
            "statement": folio.title, "node": reading.outline.node, "node.code": reading.outline.node,
            "period": period.title, "period.code": period.code, "currency": "", "ledger": asked.ledger.name,
            "revision": str(view.revision), "date": f"{asked.at.day} {asked.at:%B %Y}",
            "time": f"{asked.at:%H:%M %Z}".strip(),
        }  # fmt: skip

        def content(form: str) -> bytes:
            if form not in FORMS:
                raise RulkaError(
                    f"'{folio.title}' is a document: it goes as PDF, word file, slides, HTML or JSON.",
                    hint="Choose one of these.", subject="sends",
                )  # fmt: skip
            if asked.leaves:
                return leave(reading, form, [], at=asked.at)
            return made(Making(reading, [], asked.at), form)

        return [SentFile(names, content)]

    def edition(self, ledger: Ledger, name: str, period: str) -> int | None:
        return None

    def check(self, ledger: Ledger, name: str, person: Person | None) -> None:
        open_folio(ledger, name, person=person)

    def level(self, ledger: Ledger, name: str, person: Person) -> tuple[int, int]:
        shelf = open_folio(ledger, name, person=None).shelf_id
        return level_on(person, shelf), DEPTHS.index(depth_on(person, shelf))

    def names(self, ledger: Ledger, person: Person) -> list[tuple[str, str]]:
        return sorted(((one.name, one.title) for one in readable(ledger, person)), key=lambda pair: pair[1])
