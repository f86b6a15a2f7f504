"""Writes docs/worksheet-functions.md from the docstrings of the sheet's functions: `python -m docs.functions`."""

from __future__ import annotations

from pathlib import Path

import rulka.core.sheet.functions
import rulka.core.sheet.ledger_functions  # noqa: F401  registers them
from rulka.core.sheet.evaluating import SPECIAL_DOCS
from rulka.core.sheet.registry import FUNCTIONS

OUT = Path(__file__).parent / "worksheet-functions.md"
GROUPS = {
    "ledger": "Functions that ask the ledger",
    "math": "Math",
    "logic": "Logic",
    "information": "What a value is",
    "text": "Text",
    "dates": "Days and times",
    "lookup": "Lookup",
    "arrays": "Arrays that spill",
    "statistics": "Statistics",
    "finance": "Finance",
}
HEAD = """# Functions of worksheets

Made from the functions' own words by `python -m docs.functions`. An argument in brackets may be left out. Arguments
that are single values may be given as a range or a spilled list: the function then gives one value each.
"""


def text() -> str:
    """The whole page."""
    parts = [HEAD]
    for group, title in GROUPS.items():
        rows = [(f.name, f.signature, " ".join(f.doc.split())) for f in FUNCTIONS.values() if f.group == group]
        if group == "logic":
            rows += [(name, signature, doc) for name, (signature, doc) in SPECIAL_DOCS.items()]
        parts.append(
            f"## {title}\n\n| function | what it gives |\n|---|---|\n"
            + "".join(f"| `{signature}` | {doc.replace('|', chr(92) + '|')} |\n" for _, signature, doc in sorted(rows))
        )
    return "\n".join(parts)


if __name__ == "__main__":
    OUT.write_text(text())
