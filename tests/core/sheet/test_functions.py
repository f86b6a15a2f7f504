"""The functions of the sheet: beside another engine over the same cells, and worked cases where that one lacks or
errs."""

from __future__ import annotations

import re
from decimal import Decimal
from pathlib import Path
from typing import Any

import ironcalc
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import rulka.core.sheet.functions
import rulka.core.sheet.ledger_functions  # noqa: F401  registers them
from rulka.core.sheet.addresses import column_of
from rulka.core.sheet.calculating import Calculation, SheetCells
from rulka.core.sheet.evaluating import SPECIAL, SPECIAL_DOCS
from rulka.core.sheet.registry import FUNCTIONS
from rulka.core.sheet.showing import plain_value
from rulka.core.sheet.values import Array, SheetError
from tests.core.sheet.cells import CELLS
from tests.lengths import several

CASES = Path(__file__).parents[2] / "cases" / "sheet"
OUT = 19
"""The column the formulas stand in, from 0."""


def lines(name: str) -> list[str]:
    text = (CASES / name).read_text().splitlines()
    return [line for line in text if line.strip() and not line.startswith("#")]


def inputs(formulas: list[str]) -> dict[tuple[int, int], str]:
    cells = {(row, column_of(name)): text for name, texts in CELLS.items() for row, text in enumerate(texts)}
    return cells | {(row, OUT): f"={formula}" for row, formula in enumerate(formulas)}


def ours(formulas: list[str]) -> list[object]:
    calculation = Calculation([SheetCells(1, "Sheet1", inputs(formulas))])
    return [calculation.shown_at((1, row, OUT)) for row in range(len(formulas))]


def theirs(formulas: list[str]) -> list[object]:
    model = ironcalc.create("oracle", "en", "UTC", "en")
    for (row, column), text in inputs(formulas).items():
        model.set_user_input(0, row + 1, column + 1, text)
    model.evaluate()
    return [model.get_cell_value(0, row + 1, OUT + 1) for row in range(len(formulas))]


def agree(own: object, other: object) -> bool:
    if isinstance(own, SheetError):
        return own.code == other
    if isinstance(own, Decimal) and isinstance(other, (int, float)) and not isinstance(other, bool):
        return abs(float(own) - other) <= 1e-12 * max(1.0, abs(other))
    return own == other or (own is None and other in (None, "", 0))


def test_every_formula_agrees_with_another_engine() -> None:
    formulas = lines("oracle.txt")
    assert len(formulas) > 340
    differing = [
        (formula, own, other)
        for formula, own, other in zip(formulas, ours(formulas), theirs(formulas), strict=True)
        if not agree(own, other)
    ]
    assert differing == []


def test_worked_cases() -> None:
    cases = [line.rsplit(" -> ", 1) for line in lines("worked.txt")]
    values = ours([formula for formula, _ in cases])
    differing = []
    for (formula, wanted), value in zip(cases, values, strict=True):
        shown = plain_value(value)
        text = str(shown).upper() if isinstance(shown, bool) else str(shown)
        same = Decimal(text) == Decimal(wanted) if isinstance(value, Decimal) else text == wanted
        if not same:
            differing.append((formula, wanted, text))
    assert differing == []


def test_every_function_says_what_it_does_with_an_example_and_is_tried() -> None:
    tried = " ".join((CASES / name).read_text() for name in ("oracle.txt", "worked.txt"))
    names = {name for name in FUNCTIONS if not name.startswith("RULKA.")}
    assert len(names | set(SPECIAL)) >= 150
    assert {name for name, function in FUNCTIONS.items() if "`=" not in function.doc} == set()
    old = {"STDEV", "STDEVP", "VAR", "VARP", "MODE", "RANK", "PERCENTILE", "QUARTILE", "PEARSON", "FORECAST"}
    other = {"TODAY", "CLEAN", "ISFORMULA", "FORMULATEXT", "ISREF", "TOROW", "TRUE", "FALSE"}
    assert {name for name in names if f"{name}(" not in tried} == old | other


def test_the_reference_is_current() -> None:
    from docs.functions import OUT as page
    from docs.functions import text

    assert page.read_text() == text(), "run python -m docs.functions"
    assert set(SPECIAL) == set(SPECIAL_DOCS)


OPERATORS = st.sampled_from(["+", "-", "*", "=", "<", ">=", "<>"])
QUARTERS = st.integers(-48, 48).map(lambda number: f"{number / 4:g}")
LEAVES = st.one_of(QUARTERS, st.sampled_from(["A1", "A2", "B3", "A9", '"5"', '"x"', "TRUE", "(1/0)", "COUNT(D1:D4)"]))


WRONG = re.compile(r'\(1/0\)|"x"|A[0-9]|B3')
"""Parts of a random formula that may each give an error of their own."""


@st.composite
def formulas(draw: Any, depth: int = 3) -> str:
    """A random formula of operators and a few functions. All its numbers are short binary fractions, which decimals and
    binary fractions hold alike: nothing may differ."""
    kinds = ["leaf", "leaf", "operator", "minus", "half", "square", "joined", "round", "if", "iferror", "max"]
    kind = draw(st.sampled_from(kinds)) if depth else "leaf"
    if kind == "leaf":
        return draw(LEAVES)
    if kind == "square":
        return f"({draw(LEAVES)}^2)"
    if kind == "joined":
        return f"LEN({draw(LEAVES)}&{draw(LEAVES)})"
    one = draw(formulas(depth - 1))
    if kind in ("minus", "half", "round"):
        return {
            "minus": f"(-{one})",
            "half": f"({one}/{draw(st.sampled_from([2, 4, -8]))})",
            "round": f"ROUND({one},0)",
        }[kind]
    other = draw(formulas(depth - 1))
    if kind == "operator":
        return f"({one}{draw(OPERATORS)}{other})"
    if kind == "if":
        return f"IF({one}>{other},{draw(formulas(depth - 1))},{other})"
    return f"{kind.upper()}({one},{other})"


@settings(max_examples=several(150))
@given(formulas())
def test_random_formulas_agree(formula: str) -> None:
    own, other = ours([formula])[0], theirs([formula])[0]
    # where several arguments are wrong, which error goes first is each engine's own
    both = isinstance(own, SheetError) and str(other).startswith("#") and len(WRONG.findall(formula)) > 1
    assert both or agree(own, other), (formula, own, other)


@pytest.mark.parametrize("formula", ["=SEQUENCE(3)", "=A1:A3", "={1;2;3}"])
def test_an_array_spills_below_its_formula(formula: str) -> None:
    calculation = Calculation([SheetCells(1, "S", {(0, 0): "1", (1, 0): "2", (2, 0): "3", (0, 3): formula})])
    assert [calculation.shown_at((1, row, 3)) for row in range(4)] == [1, 2, 3, None]
    assert isinstance(calculation.values[1, 0, 3], Array)
