"""Folios as text, see `checked_file`."""

from __future__ import annotations

from rulka.formats.checked_file import CheckedFile

FOLIOS = CheckedFile("folio.schema.json", "folio", "docs/guides/folios.md")
"""Text files of folios' outlines."""
