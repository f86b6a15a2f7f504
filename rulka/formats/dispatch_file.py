"""Dispatches as text, see `checked_file`."""

from __future__ import annotations

from rulka.formats.checked_file import CheckedFile

DISPATCHES = CheckedFile("dispatch.schema.json", "dispatch", "docs/guides/dispatch.md")
read_dispatches, check, write_dispatch = DISPATCHES.read, DISPATCHES.check, DISPATCHES.write
