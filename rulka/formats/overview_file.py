"""Overviews as text, see `checked_file`."""

from __future__ import annotations

from rulka.formats.checked_file import CheckedFile

OVERVIEWS = CheckedFile("overview.schema.json", "overview", "docs/guides/overviews.md")
"""Text files of overviews."""
