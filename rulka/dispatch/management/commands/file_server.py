"""Names a file server that dispatches may go to, or changes one; --pin pins the key that it shows now. Its secret is
read from the environment, as RULKA_FILE_SECRET."""

from __future__ import annotations

import os
from argparse import ArgumentParser
from typing import Any

from rulka.core.errors import RulkaError
from rulka.dispatch.library.servers import pin, save_server
from rulka.dispatch.models import Server
from rulka.dispatch.running.servers import NotReached, key_of, told, way_to
from rulka.ledger.commanding import RulkaCommand, person_asked
from rulka.ledger.reading.queries import find_ledger


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name")
        parser.add_argument("--kind", choices=Server.Kind.values, default=Server.Kind.SFTP.value)
        parser.add_argument("--host", required=True)
        parser.add_argument("--port", default="")
        parser.add_argument("--user", default="")
        parser.add_argument("--folder", default="")
        parser.add_argument("--pin", action="store_true", help="pin the key that it shows now; compare what is printed")

    def run(self, **options: Any) -> None:
        person = person_asked(options["person"])
        about = {name: options[name] for name in ("kind", "host", "port", "user", "folder")}
        secret = os.environ.get("RULKA_FILE_SECRET", "")
        made = save_server(find_ledger(options["ledger"]), options["name"], secret=secret, person=person, **about)
        key = made.pinned
        if options["pin"]:
            try:
                key = key_of(way_to(made))
            except NotReached as error:
                raise RulkaError(f"It isn't reached: {error}", hint="Look at host and port.",
                                 subject=made.name) from error  # fmt: skip
            pin(made, key, person=person)
        self.deliver(f"{made.name}: {told(key) or 'its key is not pinned yet'}\n", options)
