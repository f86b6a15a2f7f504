"""What the databases have to be: the SQL of Rulka is SQLite's."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.checks import Error, register

TAG = "rulka"


@register(TAG)
def databases_are_supported(app_configs: Any, **kwargs: Any) -> list[Error]:
    """Refuse a database that the SQL doesn't support, before anything is written to it."""
    return [
        Error(
            f"The database '{name}' is {database['ENGINE'].rpartition('.')[2]}; Rulka's SQL is SQLite's.",
            hint="Leave DATABASE_URL and RULKA_WORK_URL out, or write sqlite:///PATH.",
            id="rulka.E001",
        )
        for name, database in settings.DATABASES.items()
        if not str(database["ENGINE"]).endswith("sqlite3")
    ]
