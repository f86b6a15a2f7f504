"""Makes a folio, or some of its sections, as PDF, word file, slides, HTML page or JSON."""

from __future__ import annotations

from argparse import ArgumentParser
from dataclasses import replace
from typing import Any

from django.utils import timezone

from rulka.folios.library.opening import open_folio
from rulka.folios.output.leaving import leave
from rulka.folios.output.making import FORMS, Making, made
from rulka.folios.running.sections import FolioReading
from rulka.ledger.commanding import RulkaCommand, fence_asked, person_asked
from rulka.ledger.reading.queries import find_ledger


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the folio")
        parser.add_argument("--period", default="", help="another period than the folio's; done sections stay")
        parser.add_argument("--section", action="append", default=[], help="a section; all without it")
        parser.add_argument("--format", choices=FORMS, default="json")

    def run(self, **options: Any) -> None:
        ledger, person = find_ledger(options["ledger"]), person_asked(options["person"])
        folio = open_folio(ledger, options["name"], person=person)
        reading = FolioReading(folio, fence_asked(options["person"], ledger), person)
        if options["period"]:
            reading.outline = replace(reading.outline, period=options["period"])
        form, at = options["format"], timezone.localtime()
        if options["out"]:
            data = leave(reading, form, options["section"], at=at)
        else:
            data = made(Making(reading, options["section"], at), form)
        self.deliver(data.decode() if form in ("json", "html") else data, options)
