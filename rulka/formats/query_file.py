"""Query texts as text, see `checked_file`."""

from __future__ import annotations

from rulka.formats.checked_file import CheckedFile

QUERIES = CheckedFile("query.schema.json", "query", "docs/guides/queries.md")
