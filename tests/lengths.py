"""How much is tried: a usual run takes a third of what is random and few of many cases, `bin/test --all` all of it, the
run over each mutant as little as still finds what is wrong."""

from __future__ import annotations

import os
from collections.abc import Iterable
from typing import Any

import pytest

ALL = os.environ.get("RULKA_TESTS") == "all"
FEW = os.environ.get("RULKA_TESTS") == "few"
LEAST = 12
FEWEST = 3


def several(most: int) -> int:
    """How many random examples are tried, of so many at length."""
    return most if ALL else min(most, FEWEST) if FEW else max(min(most, LEAST), most // 3)


def few_of(cases: Iterable[Any], *, each: int) -> list[Any]:
    """Cases for `parametrize`: of which a usual run takes the first of `each` so many; the others are slow ones."""
    return [
        case
        if at % each == 0
        else pytest.param(*(case if isinstance(case, tuple) else (case,)), marks=pytest.mark.slow)
        for at, case in enumerate(cases)
    ]
