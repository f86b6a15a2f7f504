"""What all of Rulka's commands share: the ledger, the person, where output goes, and one clear error."""

from __future__ import annotations

import sys
from argparse import ArgumentParser
from pathlib import Path
from typing import Any, Protocol

from django.core.management.base import BaseCommand, CommandError
from django.db import transaction

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.errors import NotFound, RulkaError
from rulka.formats.checked_file import CheckedFile
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import find_ledger
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
        if options.get("out"):
            options["out"].write_bytes(data)
        elif isinstance(content, str):
            self.stdout.write(content, ending="")
        else:
            sys.stdout.buffer.write(data)


class Versioned(Protocol):
    """Something that is kept as a text, with its versions."""

    name: Any
    version: Any


class LoadCommand(RulkaCommand):
    """A command that loads texts from files, all or none; one that bears the name is replaced. One whose
    `writes_output` is set keeps them as the person of `--as` does."""

    writes_output = False
    texts: CheckedFile
    what = ""
    """The word before each name in what it says."""

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("files", nargs="+", type=Path)

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        bodies = [(file.name, body) for file in options["files"] for body in self.read(file.read_bytes(), file.name)]
        told, word = [], self.what and f"{self.what} "
        with transaction.atomic():
            for where, body in bodies:
                thing, moved = self.keep(ledger, body, {**options, "where": where})
                told.append(f"{word}{thing.name}: version {thing.version}{'' if moved else ', as it was'}\n")
        self.deliver("".join(told), options)

    def read(self, data: bytes, where: str) -> list[dict[str, Any]]:
        """The texts of a file; raises RulkaError with the place of what is wrong."""
        return self.texts.read(data, where)

    def keep(self, ledger: Ledger, body: dict[str, Any], options: dict[str, Any]) -> tuple[Versioned, bool]:
        """Keep one text of the file `where`; with it, whether it is another than before."""
        raise NotImplementedError


class DumpCommand(RulkaCommand):
    """A command that writes one thing as a text, which its load command reads back the same; `what` it is, in words."""

    what: str

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help=f"the {self.what}")

    def run(self, **options: Any) -> None:
        ledger, person = find_ledger(options["ledger"]), person_asked(options["person"])
        self.deliver(self.text(ledger, options["name"], person), options)

    def text(self, ledger: Ledger, name: str, person: Person | None) -> str:
        """The text of what bears the name; raises NotFound where the person sees none."""
        raise NotImplementedError


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
