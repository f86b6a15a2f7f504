"""Django's own `migrate`, over both databases where none is named."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.management.base import CommandParser
from django.core.management.commands import migrate


class Command(migrate.Command):
    def add_arguments(self, parser: CommandParser) -> None:
        super().add_arguments(parser)
        parser.set_defaults(database="")

    def get_check_kwargs(self, options: Any) -> Any:
        return {**super().get_check_kwargs(options), "databases": self._named(options)}

    def _named(self, options: dict[str, Any]) -> list[str]:
        return [options["database"]] if options["database"] else list(settings.DATABASES)

    def handle(self, *args: Any, **options: Any) -> None:
        for database in self._named(options):
            super().handle(*args, **options | {"database": database})
