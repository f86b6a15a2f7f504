"""Makes what the demo sends: addresses of its people, heads of departments, file servers with pinned keys, holidays,
dispatches. It can be run again: what is there stays."""

from __future__ import annotations

import time
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from rulka.dispatch.library import book
from rulka.dispatch.library.days import holidays_from, set_holidays, set_zone
from rulka.dispatch.library.servers import pin, save_server
from rulka.dispatch.library.storing import save_dispatch
from rulka.dispatch.models import Days, Dispatch, Server
from rulka.dispatch.running.servers import NotReached, key_of, way_to
from rulka.formats.dispatch_file import read_dispatches
from rulka.ledger.commanding import RulkaCommand
from rulka.ledger.reading.queries import find_ledger
from rulka.people.library.persons import make_person, people_of, person_named, set_mail
from rulka.people.library.rights import grant
from rulka.people.models import Person

DOMAIN = "ternwick.example"
LEADS = {
    "deck-lead": ("Deck lead", "110"),
    "engine-lead": ("Engine lead", "120"),
    "galley-lead": ("Galley lead", "130"),
    "ticketing-lead": ("Ticketing lead", "210"),
    "workshop-lead": ("Workshop lead", "310"),
}
"""Heads of departments, who are bounded by their node and get its statement."""


SECONDS = 15
"""How long a server that was just started may take until it answers."""


def _key(server: Server) -> str:
    for _ in range(SECONDS):
        try:
            return key_of(way_to(server))
        except NotReached:
            time.sleep(1)
    return key_of(way_to(server))


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("folder", type=Path, help="the texts of the dispatches and the holidays")
        parser.add_argument("--sftp", type=int, default=0, help="the port of the auditor's file server")
        parser.add_argument("--ftps", type=int, default=0, help="the port of the archive's")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        owner = person_named("accountant")
        assert owner is not None  # the demo's people come first
        for name, (title, node) in LEADS.items():
            person = make_person(name, title=title, role=Person.Role.LEAD)
            grant(person, ledger.code, "", "", {}, opens_seals=False, node=f"departments/{node}")
        for person in people_of(ledger.code):
            set_mail(person, f"{person.username.replace('-', '.')}@{DOMAIN}")
        for name, kind, port in (("auditor", "sftp", options["sftp"]), ("archive", "ftps", options["ftps"])):
            if port:
                server = save_server(ledger, name, kind=kind, host="127.0.0.1", port=str(port), user="rulka",
                                     secret="harbour", folder="", person=None)  # fmt: skip
                pin(server, _key(server), person=None)
        book.save_contact(ledger, "Auditor", f"auditor@{DOMAIN}", person=owner)
        if not Days.objects.filter(ledger=ledger).exists():
            set_zone(ledger, "Europe/Dublin", person=owner)
            set_holidays(ledger, holidays_from((options["folder"] / "holidays.txt").read_text()), person=owner)
        for path in sorted(options["folder"].glob("*.yaml")):
            for body in read_dispatches(path.read_bytes(), path.name):
                if not Dispatch.objects.filter(ledger=ledger, name=body["dispatch"]).exists():
                    save_dispatch(ledger, body, path.name, person=owner)
                    self.stdout.write(f"dispatch {body['dispatch']}")
