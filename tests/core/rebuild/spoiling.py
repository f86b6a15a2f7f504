"""A table with one figure mistyped."""

from __future__ import annotations

import random
from decimal import Decimal

from rulka.core.rebuild.given import Given, GivenRow


def mistyped(given: Given, seed: str) -> tuple[Given, int, int]:
    """Another digit in one figure, not the last one; with its row and column."""
    chance = random.Random(seed)
    rows = [at for at, row in enumerate(given.rows) if all(row.values)]
    row, column = chance.choice(rows), chance.randrange(len(given.headings))
    text = list(str(given.rows[row].values[column]))
    digits = [at for at, one in enumerate(text) if one.isdigit()][:-1]
    at = chance.choice(digits)
    text[at] = str((int(text[at]) + chance.randrange(1, 9)) % 10)
    values = list(given.rows[row].values)
    values[column] = Decimal("".join(text))
    every = list(given.rows)
    every[row] = GivenRow(every[row].caption, tuple(values))
    return Given(given.headings, tuple(every), given.decimals), row, column
