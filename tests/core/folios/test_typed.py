"""Typed numbers against figures: each judged by hand."""

from __future__ import annotations

from decimal import ROUND_HALF_UP, Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.folios.filled import FolioFact
from rulka.core.folios.typed import judge, numbers_in
from rulka.core.money import grouped

FARES = FolioFact("Fares per sailing", "Actual", "2320.49", "money")
VEHICLES = FolioFact("Vehicles", "Difference", "-261512.20", "money")
PASSENGERS = FolioFact("Passengers", "Actual", "46512", "quantity")
SHARE = FolioFact("Part of income", "Actual", "35.8512", "percent")
NOW = [FARES, VEHICLES, PASSENGERS, SHARE]


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("46 512 passengers", [("46 512", "46512", "1")]),
        ("1,234,567.50 EUR", [("1,234,567.50", "1234567.50", "0.01")]),
        ("1.234.567,5", [("1.234.567,5", "1234567.5", "0.1")]),
        ("1,234 and 1.5", [("1,234", "1234", "1"), ("1.5", "1.5", "0.1")]),
        ("261.5 thousand", [("261.5 thousand", "261500.0", "100.0")]),
        ("3.6 million, 2 bn, 12k", [("3.6 million", "3600000.0", "100000.0"), ("2 bn", "2E+9", "1E+9"),
                                    ("12k", "12E+3", "1E+3")]),
        ("\u2212449.4 thousand", [("\u2212449.4 thousand", "-449400.0", "100.0")]),
        ("0.4 % fewer, 5 per cent", [("0.4 %", "0.4", "0.1"), ("5 per cent", "5", "1")]),
        ("on 3 May 2026 and 14 Nov, in 2027", []),
        ("section 4.2.1, at 12:30, TF-PA2610-0012, 5010/20", []),
        ("12 ships", []),
        ("٣٤٥ and ²", []),
    ],
)  # fmt: skip
def test_numbers_that_may_be_figures(text, found):
    made = [(one.text, one.value, one.step) for one in numbers_in(text)]
    assert made == [(shown, Decimal(value), Decimal(step)) for shown, value, step in found]


@pytest.mark.parametrize(
    ("line", "judged"),
    [
        ("The ships carried 46 512 passengers.", [("equal", "46 512", PASSENGERS)]),
        ("Vehicles are 261.5 thousand behind.", [("equal", "261.5 thousand", VEHICLES)]),
        ("Vehicles are 0.26 million behind.", [("equal", "0.26 million", VEHICLES)]),
        ("Vehicles are 261.4 thousand behind.", [("contradicts", "261.4 thousand", VEHICLES)]),
        ("Fares per sailing were 2 360 EUR.", [("contradicts", "2 360", FARES)]),
        ("The fare per sailing was 2 320.", [("equal", "2 320", FARES)]),
        ("Fares per sailing rose. Then 2 360 people came.", []),
        ("35.9 % of income.", [("equal", "35.9 %", SHARE)]),
        ("35.9 thousand of income.", []),
        ("Passengers were 46 100.5 then.", []),
        ("Passengers were 46 100 then.", [("contradicts", "46 100", PASSENGERS)]),
        ("Fares per sailing were 90 000 EUR.", []),
    ],
)
def test_typed_numbers_beside_figures(line, judged):
    assert [(one.judgement, one.typed.text, one.fact) for one in judge([line], NOW, [])] == judged


def test_what_was_right_once_is_stale_and_what_still_is_isnt():
    former = [FolioFact("Passengers", "Actual", "44102", "quantity"), PASSENGERS]
    found = judge(["In all 44 102 passengers came.", "46 512 passengers"], NOW, former)
    assert [(one.line, one.judgement) for one in found] == [(0, "stale"), (1, "equal")]


@given(st.decimals("-99999999", "99999999", places=2), st.sampled_from([0, 3, 6]), st.integers(0, 2))
def test_a_figure_written_in_any_unit_is_found_equal(value, scale, digits):
    shown = (abs(value) / 10**scale).quantize(Decimal(1).scaleb(-digits), ROUND_HALF_UP)
    if len(str(shown).replace(".", "").strip("0")) < 3 or 1900 <= shown <= 2100:
        return
    text = grouped(int(shown.scaleb(digits)), digits)
    unit = {0: "", 3: " thousand", 6: " million"}[scale]
    found = judge([f"It was {text}{unit} then."], [FolioFact("Some", "", str(value), "money")], [])
    assert [one.judgement for one in found] == ["equal"]
