"""Filings as text, see `checked_file`."""

from __future__ import annotations

from rulka.formats.checked_file import CheckedFile

FILINGS = CheckedFile("filing.schema.json", "filing", "docs/guides/filings.md")
"""Text files of filings."""
