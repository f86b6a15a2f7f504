"""A look into a strange file, in a process of its own with bounds on time and memory: what a mapping could be, the
first rows, and what becomes of them.

`look_into` asks; the module run as a program answers.
"""

from __future__ import annotations

import csv
import tempfile
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from rulka.core.errors import RulkaError
from rulka.formats.intake.apart import answer, ask, words_of
from rulka.formats.intake.guessing import KnownCodes, guess
from rulka.formats.intake.mapping import MappingDefinition, convert, preview_rows
from rulka.formats.intake.table_file import TableLook, is_workbook, sheets_of

SECONDS = 30
"""How long a look may take: twice what the process may compute."""
BELOW = 8
MADE = 6
MOST_TOLD = 8
SHOWN_FIRST = ("scenario", "entity", "entry", "line", "date", "period", "account", "debit", "credit", "amount")


@dataclass(frozen=True)
class FirstLook:
    """What was found: the mapping (as data), the rows around the header with their numbers, the sheets of a workbook,
    what the mapping makes of the first rows, the first errors and how many there are; `trouble` is what kept it from
    more, as message, hint and subject."""

    mapping: dict[str, Any] | None
    rows: list[tuple[int, list[str]]]
    sheets: list[str]
    heads: list[str]
    made: list[list[str]]
    errors: list[dict[str, str]]
    error_count: int
    trouble: dict[str, str] | None = None


def look_into(
    path: Path,
    table: str,
    known: KnownCodes,
    dimensions: Sequence[str],
    *,
    mapping: MappingDefinition | None = None,
    look: TableLook | None = None,
) -> FirstLook:
    """Look into a file with a mapping, or with the one that is guessed for a kind of table; RulkaError where that is
    refused, or takes too long."""
    asked = {
        "path": str(path),
        "table": table,
        "known": [sorted(known.entities), sorted(known.accounts), {k: sorted(v) for k, v in known.members.items()}],
        "dimensions": list(dimensions),
        "mapping": mapping.as_data() if mapping else None,
        "look": asdict(look) if look else None,
    }
    told = ask("rulka.formats.intake.peek", asked, seconds=SECONDS, too_much=_too_much(path))
    return FirstLook(**{**told, "rows": [(number, cells) for number, cells in told["rows"]]})


def _too_much(path: Path) -> RulkaError:
    return RulkaError(
        "Looking into the file takes more time or memory than a look may.",
        hint="Map a part of it first; the whole is read in the background.",
        subject=path.name,
        code="too-large",
    )


def _looked(asked: dict[str, Any]) -> FirstLook:
    path = Path(asked["path"])
    entities, accounts, members = asked["known"]
    codes = KnownCodes(
        frozenset(entities), frozenset(accounts), {name: frozenset(those) for name, those in members.items()}
    )
    look = TableLook(**asked["look"]) if asked["look"] else None
    if asked["mapping"]:
        mapping = MappingDefinition.from_data(asked["mapping"])
    else:
        mapping = guess(path, asked["table"], codes, look=look) if look else guess(path, asked["table"], codes)
    trouble: RulkaError | None = None
    rows: list[tuple[int, list[str]]] = []
    heads: list[str] = []
    made: list[list[str]] = []
    errors: list[RulkaError] = []
    try:
        rows = list(preview_rows(path, mapping.look, mapping.look.header + BELOW))
        if mapping.table != "side":
            heads, made, errors = _tried(path, mapping, asked["dimensions"])
    except RulkaError as error:
        trouble = error
    return FirstLook(
        mapping.as_data(),
        rows,
        sheets_of(path) if is_workbook(path) else [],
        heads,
        made,
        [words_of(error) for error in errors[:MOST_TOLD]],
        len(errors),
        words_of(trouble) if trouble else None,
    )


def _tried(
    path: Path, mapping: MappingDefinition, dimensions: Sequence[str]
) -> tuple[list[str], list[list[str]], list[RulkaError]]:
    """What the mapping makes of the file: heads, the first rows, and every error."""
    with tempfile.TemporaryDirectory(prefix="rulka-map-") as name:
        converted = convert(path, mapping, Path(name), dimensions)
        with (Path(name) / converted.file).open(encoding="utf-8", newline="") as file:
            reader = csv.reader(file)
            heads = next(reader, [])
            order = sorted(
                range(len(heads)),
                key=lambda at: (SHOWN_FIRST.index(heads[at]) if heads[at] in SHOWN_FIRST else len(SHOWN_FIRST), at),
            )
            rows = [[row[at] for at in order] for _, row in zip(range(MADE), reader, strict=False)]
            return [heads[at] for at in order], rows, converted.errors


if __name__ == "__main__":
    answer(lambda asked: asdict(_looked(asked)), seconds=SECONDS // 2)
