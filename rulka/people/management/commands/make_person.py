"""Makes or changes a person: role, and what they may see of a ledger. The password is read from standard input."""

from __future__ import annotations

import sys
from argparse import ArgumentParser
from typing import Any

from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError

from rulka.core.errors import RulkaError
from rulka.people.library import record, steps
from rulka.people.library.persons import make_person, set_mail
from rulka.people.library.rights import grant
from rulka.people.models import Person


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("name", help="what they sign in with")
        parser.add_argument("--title", default="", help="what others call them")
        parser.add_argument("--role", choices=Person.Role.values, default=Person.Role.DIRECTOR)
        parser.add_argument("--ledger", default="", help="a ledger they may see")
        parser.add_argument("--entities", default="", help="only these entities, as a selection")
        parser.add_argument("--accounts", default="", help="only these accounts, as a selection")
        parser.add_argument(
            "--members",
            action="append",
            default=[],
            metavar="DIMENSION=SELECTION",
            help="only these members; may be repeated",
        )
        parser.add_argument("--opens-seals", action="store_true")
        parser.add_argument(
            "--group", action="append", default=[], help="a group they belong to, made when it is new; may be repeated"
        )
        parser.add_argument("--mail", default="", help="the address by which mail reaches them")
        parser.add_argument("--one-step", action="store_true", help="switch their second step of signing in off")
        parser.add_argument("--password", action="store_true", help="read a new password from standard input")

    def handle(self, *args: Any, **options: Any) -> None:
        password = sys.stdin.readline().rstrip("\n") if options["password"] else None
        members = dict(pair.partition("=")[::2] for pair in options["members"])
        try:
            person = make_person(
                options["name"],
                title=options["title"],
                role=options["role"],
                password=password,
                groups=options["group"],
            )
            if options["mail"]:
                set_mail(person, options["mail"])
            if options["ledger"]:
                grant(
                    person,
                    options["ledger"],
                    options["entities"],
                    options["accounts"],
                    members,
                    opens_seals=options["opens_seals"],
                )
        except RulkaError as error:
            raise CommandError(str(error)) from error
        except ValidationError as error:
            raise CommandError(" ".join(error.messages)) from error
        if options["one_step"]:
            steps.drop(person)
        told = [f"made or changed by command, {person.role}", *(["password set"] if password is not None else []),
                *(["second step switched off"] if options["one_step"] else []),
                *([f"sees {options['ledger']}"] if options["ledger"] else [])]  # fmt: skip
        record.note(None, "people", thing=f"person {person.username}", detail=", ".join(told), name="command")
        self.stdout.write(f"{person.username}: {person.get_role_display()}")
