"""Django's own `migrate`, over both databases where none is named; a database without tables is made at once, and one
that took every step already is let alone."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.management.base import CommandParser
from django.core.management.commands import migrate

from rulka.work.fresh import is_current, is_fresh, make_tables


class Command(migrate.Command):
    def add_arguments(self, parser: CommandParser) -> None:
        super().add_arguments(parser)
        parser.set_defaults(database="")

    def get_check_kwargs(self, options: Any) -> Any:
        return {**super().get_check_kwargs(options), "databases": self._named(options)}

    def _named(self, options: dict[str, Any]) -> list[str]:
        return [options["database"]] if options["database"] else list(settings.DATABASES)

    def handle(self, *args: Any, **options: Any) -> None:
        chosen = ("app_label", "migration_name", "fake", "fake_initial", "plan", "check_unapplied", "prune")
        whole = not any(options.get(name) for name in chosen)
        for database in self._named(options):
            if whole and is_fresh(database):
                make_tables(database, options["verbosity"])
                continue
            if whole and is_current(database):
                continue
            super().handle(*args, **options | {"database": database})
