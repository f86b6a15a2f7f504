"""What the commands about people share: one clear error, and a keeper that needs no right."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError

from rulka.core.errors import RulkaError


class PeopleCommand(BaseCommand):
    """A command that ends with exit code 0, or non-zero with one message on standard error and nothing changed."""

    requires_system_checks: Any = ("rulka",)

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            if told := self.run(**options):
                self.stdout.write(told)
        except RulkaError as error:
            raise CommandError(str(error)) from error
        except ValidationError as error:
            raise CommandError(" ".join(error.messages)) from error
        except OSError as error:
            raise CommandError(f"{error.filename or 'file'}: {error.strerror}.") from error

    def run(self, **options: Any) -> str:
        raise NotImplementedError
