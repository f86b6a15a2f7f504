"""Extracts as text, see `checked_file`."""

from __future__ import annotations

from rulka.formats.checked_file import CheckedFile

EXTRACTS = CheckedFile("extract.schema.json", "extract", "docs/guides/extracts.md")
