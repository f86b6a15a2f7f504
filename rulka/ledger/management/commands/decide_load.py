"""Accepts or drops a load that waits for a decision."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.core.errors import NotFound
from rulka.ledger.commanding import RulkaCommand
from rulka.ledger.feeds import asking, pulling
from rulka.ledger.loading.report import LoadReport
from rulka.people.library.persons import person_named
from rulka.work.services import loads


class Command(RulkaCommand):
    help = __doc__
    writes_output = False

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("load", type=int, help="number of the load")
        parser.add_argument("decision", choices=["accept", "drop"])
        parser.add_argument("--withdraw", action="store_true", help="take out what the source no longer has")
        parser.add_argument("--as", dest="person", required=True, help="who decides")

    def run(self, **options: Any) -> None:
        job = loads.find(options["load"])
        person = person_named(options["person"])
        if job is None or person is None:
            raise NotFound(
                f"Load {options['load']} does not exist." if job is None else f"'{options['person']}' does not exist.",
                subject="decide_load",
            )
        if options["decision"] == "drop":
            asking.drop(job)
            self.stdout.write(f"Load {job.pk} is dropped.")
            return
        asking.accept(job, person=person, withdraw=options["withdraw"])
        pulling.run(job.pk)
        job.refresh_from_db()
        report = LoadReport.from_data(job.report)
        self.stdout.write(f"Load {job.pk} is {job.state}.\n{report.as_text()}")
