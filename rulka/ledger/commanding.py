"""What all of Rulka's commands share: the ledger, the person, where output goes, and one clear error."""

from __future__ import annotations

import sys
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.errors import NotFound, RulkaError
from rulka.ledger.models import Ledger
from rulka.people.library.persons import person_named
from rulka.people.library.rights import fence_of
from rulka.people.models import Person


class RulkaCommand(BaseCommand):
    """A command that ends with exit code 0, or non-zero with one message on standard error and nothing changed."""

    requires_system_checks: Any = ("rulka",)
    writes_output = True

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--ledger", default="", help="code of the ledger")
        if self.writes_output:
            parser.add_argument("--out", type=Path, help="write to this file instead of standard output")
            parser.add_argument("--as", dest="person", default="", help="see it through this person's fence")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            self.run(**options)
        except RulkaError as error:
            raise CommandError(str(error)) from error
        except OSError as error:
            raise CommandError(f"{error.filename or 'file'}: {error.strerror}.") from error

    def run(self, **options: Any) -> None:
        raise NotImplementedError

    def deliver(self, content: str | bytes, options: dict[str, Any]) -> None:
        """Write to `--out` or standard output."""
        data = content.encode() if isinstance(content, str) else content
        if options["out"]:
            options["out"].write_bytes(data)
        elif isinstance(content, str):
            self.stdout.write(content, ending="")
        else:
            sys.stdout.buffer.write(data)


def fence_asked(username: str, ledger: Ledger) -> Fence:
    """The fence of the person named; commands without a person see all."""
    return fence_of(username, ledger.code) if username else NO_FENCE


def person_asked(username: str) -> Person | None:
    """The person named; None for commands without one."""
    if not username:
        return None
    found = person_named(username)
    if found is None:
        raise NotFound(f"There is no person '{username}'.", subject="person")
    return found
