"""Functions that ask the ledger beside statements and trial balances, for random arguments behind random fences and
seals; what lies outside makes no difference; periods as people write them."""

from __future__ import annotations

from decimal import Decimal
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import rulka.core.sheet.functions  # noqa: F401
from rulka.core.books.calendar import monthly_calendar
from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.books.trial_balance import trial_balance
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.core.errors import RulkaError
from rulka.core.proof.trace import trace_cell
from rulka.core.sheet.amounts import Amount, Amounts
from rulka.core.sheet.calculating import Calculation, SheetCells
from rulka.core.sheet.ledger_functions import LedgerSource
from rulka.core.sheet.periods import read_time, written_window
from rulka.core.sheet.surroundings import Surroundings
from rulka.core.sheet.tracing import computed_for, trace_cell_value
from rulka.core.sheet.values import Array, SheetError
from tests.books import book_of
from tests.core.compute.test_brute import ledgers
from tests.core.compute.test_non_interference import OUTSIDE, SEALED, altered, with_finer
from tests.lengths import several

ACCOUNTS = ["4*", "50", "5*", "10, 20 to 31", "type:asset", "30", "90", "9*", "*", "40 to 91", "under:4", "11"]
NARROWS = ["", "", "department: d", "department: under:s", "route: x", "department: not -; route: not y", "partner: A"]
WINDOWS = [("{p}", "period"), ("ytd {p}", "year to date"), ("{y}", "year"), ("last 3 to {p}", "last 3 periods"),
           ("{p} - 1 year", "shifted")]  # fmt: skip
FENCES = [NO_FENCE, Fence.of(sealed=SEALED), Fence.of("A"), Fence.of(members={"department": "under:s"}),
          Fence.of(accounts="4*, 5*, 30"), Fence.of(members={"route": "x"}, sealed=SEALED),
          Fence.of(members={"department": "d"}, sealed=SEALED)]  # fmt: skip


def sheet_of(works: Any, fence: Fence, cells: dict[tuple[int, int], str], at: str, node: str = "A") -> Calculation:
    view = book_of(works).within(fence)
    around = Surroundings(view, view.frame.calendar.period(at), node, "w")
    return Calculation([SheetCells(1, "S", cells)], source=LedgerSource(around), context=around)


@st.composite
def questions(draw: Any) -> dict[str, str]:
    year, number = draw(st.sampled_from([(2025, 3), (2026, 1), (2026, 12), (2027, 5)]))
    time, window = draw(st.sampled_from(WINDOWS))
    return {
        "measure": draw(st.sampled_from(["activity", "opening", "closing", "debits", "credits"])),
        "accounts": draw(st.sampled_from(ACCOUNTS)),
        "at": f"{year}-P{number:02d}",
        "period": time.format(p=f"{year}-P{number:02d}", y=year),
        "window": window,
        "scenario": draw(st.sampled_from(["actual", "actual", "budget"])),
        "node": draw(st.sampled_from(["A", "C", "group"])),
        "narrow": draw(st.sampled_from(NARROWS)),
        "entries": draw(st.sampled_from(["posted", "posted", "with pending", "pending only"])),
        "currency": draw(st.sampled_from(["own", "own", "group"])),
        "sign": draw(st.sampled_from(["as booked", "both positive", "effect on the result"])),
    }


def formula(asked: dict[str, str]) -> str:
    names = ("accounts", "period", "scenario", "node", "narrow", "entries", "currency", "sign")
    return f"=RULKA.{asked['measure'].upper()}(" + ",".join(f'"{asked[name]}"' for name in names) + ")"


def by_statement(works: Any, fence: Fence, asked: dict[str, str]) -> Any:
    """The same figure as a statement of one line and one column gives it: a fraction, `sealed`, or a refusal."""
    view = book_of(works).within(fence)
    signs = asked["sign"] if asked["sign"] != "as booked" else "both positive"
    line = {"line": "L", "accounts": asked["accounts"]}
    if asked["sign"] == "as booked":
        line["sign"] = "as booked"
    column = {"column": "c", "measure": asked["measure"], "scenario": asked["scenario"], "entries": asked["entries"]}
    column |= {"shift": "-1 year"} if asked["window"] == "shifted" else {"window": asked["window"]}
    if asked["narrow"]:
        column["narrow"] = asked["narrow"]
    body = {"statement": "t", "spine": "s", "span": "p", "currency": asked["currency"]}
    try:
        statement = statement_from(
            body,
            spine_from({"spine": "s", "signs": signs, "lines": [line]}),
            span_from({"span": "p", "columns": [column]}),
        )
        computed = run_statement(statement, view, view.frame.calendar.period(asked["at"]), asked["node"])
    except RulkaError as error:
        return str(error)
    row = computed.rows[0]
    return "sealed" if 0 in row.sealed_at else row.values[0]


@settings(max_examples=several(250))
@given(st.data(), ledgers(), questions(), st.sampled_from(FENCES))
def test_amounts_agree_with_statements(data, works, asked, fence):
    works = with_finer(data.draw, works)
    value = sheet_of(works, fence, {(0, 0): formula(asked)}, asked["at"]).shown_at((1, 0, 0))
    wanted = by_statement(works, fence, asked)
    visible = book_of(works).within(fence)
    if isinstance(value, SheetError):
        told = value.note
        if "mixes currencies" in told:
            assert isinstance(wanted, str) and "mixes currencies" in wanted
        elif told.startswith("Sealed"):
            assert wanted == "sealed" or "mixes currencies" in str(wanted), (asked, wanted)
        elif (
            "means no" in told
        ):  # nothing of it is inside of the fence: a statement says zero, a sheet that it isn't there
            assert wanted in (0, None) or isinstance(wanted, str)
        else:
            assert isinstance(wanted, str) or wanted is None, (asked, told, wanted)
        return
    if isinstance(wanted, str) and "mixes" in wanted:
        quantities = visible.frame.accounts.of_type("statistical")
        assert asked["accounts"] in ("90", "9*"), (asked, wanted, quantities)
        return
    assert isinstance(value, Decimal)
    assert Fraction(value) == wanted, (asked, wanted)


@settings(max_examples=several(60))
@given(st.data(), ledgers(), st.sampled_from(FENCES))
def test_whole_charts_agree_with_the_trial_balance(data, works, fence):
    works = with_finer(data.draw, works)
    entity = data.draw(st.sampled_from("ABC"))
    view = book_of(works).within(fence)
    calendar = view.frame.calendar
    first, last = calendar.period("2025-P02"), calendar.period("2026-P03")
    cells = {(0, 0): '=RULKA.LIST("accounts")'}
    for column, measure in enumerate(("OPENING", "DEBITS", "CREDITS", "CLOSING"), 1):
        cells[0, column] = f'=RULKA.{measure}(A1#,RULKA.BETWEEN("2025-P02","2026-P03"),,"{entity}")'
    calculation = sheet_of(works, fence, cells, "2026-P03")
    rows = (
        {row.account: row for row in trial_balance(view, first, last, entity=entity).rows()}
        if (view.visible_entities()[view.frame.entities.index[entity]])
        else {}
    )
    codes = calculation.values[1, 0, 0]
    assert isinstance(codes, Array)
    for place, (code,) in enumerate(codes.rows):
        values = [calculation.shown_at((1, place, column)) for column in range(1, 5)]
        row = rows.get(code)
        if row is not None and row.is_sealed:
            assert all(isinstance(value, SheetError) for value in values), code
        elif row is not None:
            assert values == [Decimal(amount).scaleb(-row.digits) for amount in row.amounts], code
        else:
            assert all(value == 0 or isinstance(value, SheetError) for value in values), (code, values)


@pytest.mark.parametrize("what", [*OUTSIDE, "seal"])
@settings(max_examples=several(25))
@given(st.data(), ledgers(), st.lists(questions(), min_size=4, max_size=4))
def test_what_lies_outside_or_is_finer_than_a_seal_makes_no_difference(what, data, works, many):
    works = with_finer(data.draw, works)
    if what == "seal":
        fence, other = Fence.of(sealed=SEALED), altered(data.draw, works)
    else:
        from dataclasses import replace

        fence, inside = OUTSIDE[what]
        lines = [
            line
            if inside(line)
            else replace(line, amount=data.draw(st.decimals(-900, 900, places=2)), counterparty="K9")
            for line in works.lines
        ]
        other = replace(works, lines=lines)
    cells = {(row, 0): formula(asked) for row, asked in enumerate(many)}
    cells |= {
        (row, 1): formula(asked).replace(f".{asked['measure'].upper()}(", ".COUNT(") for row, asked in enumerate(many)
    }
    cells[0, 3] = '=RULKA.LIST("accounts",,"code, name")'
    cells[0, 6] = '=RULKA.LINES("*","ytd 2026-P12","date, entry, account, amount, counterparty, description")'
    cells[0, 20] = '=RULKA.NAME("K9","counterparty")'
    one, two = (sheet_of(ledger, fence, cells, "2026-P12") for ledger in (works, other))
    assert one.values == two.values


@settings(max_examples=several(60))
@given(st.data(), ledgers(), questions(), st.sampled_from(FENCES))
def test_a_trace_of_an_amount_gives_the_amount(data, works, asked, fence):
    works = with_finer(data.draw, works)
    calculation = sheet_of(works, fence, {(0, 0): formula(asked), (0, 1): "=A1*2"}, asked["at"])
    value = calculation.shown_at((1, 0, 0))
    trace = trace_cell_value(calculation, (1, 0, 0))
    assert [part.value for part in trace.parts] == [value]
    assert [part.cell for part in trace_cell_value(calculation, (1, 0, 1)).parts] == [(1, 0, 0)]
    if isinstance(value, Decimal):
        question = trace.parts[0].question
        computed = computed_for(question, calculation.source.amounts)
        found = trace_cell(computed, "figure", "figure")
        assert found.value == Fraction(value) and found.agrees


def test_a_spilled_cell_traces_to_its_own_question_and_row():
    from tests.books import Line, Works
    from tests.core.compute.test_brute import ACCOUNTS as CHART
    from tests.core.compute.test_brute import ENTITIES, MEMBERS

    calendar = {"first_month": 1, "year_label": "start", "first_year": 2025, "last_year": 2027, "adjusting_periods": 0}
    from datetime import date

    lines = [Line("A", code, Decimal(number), date(2026, 1, 5), {"department": "-"}, "2026-P01", f"e{number}")
             for number, code in enumerate(("40", "41", "50"), 1)]  # fmt: skip
    works = Works(calendar, ENTITIES, CHART, MEMBERS, lines)
    cells = {(0, 0): "'40", (1, 0): "'41", (2, 0): "'50", (0, 1): "=RULKA.ACTIVITY(A1:A3)", (0, 2): "=B1#*2",
             (0, 3): '=RULKA.ACTIVITY(A1:A3)-RULKA.ACTIVITY(A1:A3,,"budget")', (5, 1): "=SUM(B1#)"}  # fmt: skip
    calculation = sheet_of(works, NO_FENCE, cells, "2026-P01")
    assert [calculation.shown_at((1, row, 1)) for row in range(3)] == [1, 2, 3]
    parts = trace_cell_value(calculation, (1, 1, 1)).parts
    assert [part.question.accounts for part in parts if part.question] == ["41"]
    assert [part.cell for part in parts if part.cell] == []  # codes are texts, no figures
    assert [part.cell for part in trace_cell_value(calculation, (1, 2, 2)).parts] == [(1, 2, 1)]
    both = [part.question for part in trace_cell_value(calculation, (1, 1, 3)).parts if part.question]
    assert [(one.accounts, one.scenario) for one in both] == [("41", ""), ("41", "budget")]
    assert len(trace_cell_value(calculation, (1, 5, 1)).parts) == 3


CALENDAR = monthly_calendar(first_month=4, year_label="end", first_year=2025, last_year=2028)
WRITTEN = {
    "2027-P07": "2027-P07",
    "2027-p7": "2027-P07",
    "P07 2027": "2027-P07",
    "FY2027 P7": "2027-P07",
    "2026-10": "2027-P07",
    "10/2026": "2027-P07",
    "October 2026": "2027-P07",
    "oct 26": "2027-P07",
    "2026-10-31": "2027-P07",
    "2026-10-15": "2026-10-15",
    "2027-Q3": "2027-P07 to 2027-P09",
    "Q3 2027": "2027-P07 to 2027-P09",
    "2027": "2027-P01 to 2027-P12",
    "FY2027": "2027-P01 to 2027-P12",
    "2027-P01 to 2027-P07": "2027-P01 to 2027-P07",
    "2027-Q1 to 2027-Q2": "2027-P01 to 2027-P06",
    "ytd 2027-P07": "2027-P01 to 2027-P07",
    "year to date October 2026": "2027-P01 to 2027-P07",
    "ytd 2026-10-15": "2026-04-01 to 2026-10-15",
    "last 12 to 2027-P07": "2026-P08 to 2027-P07",
    "last 3": "2027-P05 to 2027-P07",
    "this": "2027-P07",
    "": "2027-P07",
    "this - 1 year": "2026-P07",
    "this + 2 periods": "2027-P09",
    "ytd this - 1 year": "2026-P01 to 2026-P07",
    "2027-P01 - 1 period": "2026-P12",
    "2026-10-05 to 2026-11-11": "2026-10-05 to 2026-11-11",
}


@pytest.mark.parametrize("text", WRITTEN)
def test_periods_as_people_write_them(text):
    time = read_time(CALENDAR, text, CALENDAR.period("2027-P07"))
    assert written_window(CALENDAR, time.window) == WRITTEN[text]


@pytest.mark.parametrize(
    "text", ["2027-P13", "2031", "soon", "2027-Q5", "2026-02-30", "2027-P07 to 2027-P01", "last 0 to 2027-P07",
             "2026-10-15 to 2026-10-01", "this - 9 years", "last 3 to 2026-10-15", "1.5", "x" * 500]
)  # fmt: skip
def test_what_is_no_period_says_what_is_expected(text):
    with pytest.raises(RulkaError) as raised:
        read_time(CALENDAR, text, CALENDAR.period("2027-P07"))
    assert raised.value.hint


def small() -> Any:
    from datetime import date

    from tests.books import Line, Works
    from tests.core.compute.test_brute import ACCOUNTS as CHART
    from tests.core.compute.test_brute import ENTITIES, MEMBERS

    calendar = {"first_month": 1, "year_label": "start", "first_year": 2025, "last_year": 2027, "adjusting_periods": 0}
    lines = [
        Line("A", "50", Decimal(number), date(2026, 1, 1 + number % 28), {"department": "d"}, "2026-P01", f"e{number}",
             source="pay", counterparty="K1", description=f"line {number}") for number in range(1, 41)
    ]  # fmt: skip
    return Works(calendar, ENTITIES, CHART, MEMBERS, lines)


WRONG = {
    '=RULKA.ACTIVITY("777")': ("#N/A", "accounts"),
    '=RULKA.ACTIVITY("5* only")': ("#VALUE!", "accounts"),
    '=RULKA.ACTIVITY("50","2099-P01")': ("#N/A", "period"),
    '=RULKA.ACTIVITY("50",,"plan")': ("#N/A", "scenario"),
    '=RULKA.ACTIVITY("50",,,"Z")': ("#N/A", "node"),
    '=RULKA.ACTIVITY("50",,,"group")': ("#VALUE!", "mixes currencies"),
    '=RULKA.ACTIVITY("50",,,,"colour: red")': ("#N/A", "narrow"),
    '=RULKA.ACTIVITY("50",,,,"department: zz")': ("#N/A", "narrow"),
    '=RULKA.ACTIVITY("50",,,,,"some")': ("#N/A", "entries"),
    '=RULKA.ACTIVITY("50",,,,,,"USD")': ("#N/A", "currency"),
    '=RULKA.ACTIVITY("50",,,,,,,"upside")': ("#VALUE!", "sign"),
    '=RULKA.ACTIVITY("50",,,,,,,,"other")': ("#N/A", "ledger"),
    "=RULKA.ACTIVITY()": ("#VALUE!", "accounts"),
    '=RULKA.ACTIVITY("50",TRUE)': ("#VALUE!", "period"),
    '=RULKA.NAME("777")': ("#N/A", "account"),
    '=RULKA.NAME("50","colour")': ("#VALUE!", "of"),
    '=RULKA.LIST("colours")': ("#N/A", "of"),
    '=RULKA.LIST("accounts","777")': ("#N/A", "selection"),
    '=RULKA.LIST("accounts",,"weight")': ("#N/A", "columns"),
    '=RULKA.LINES("50",,"weight")': ("#N/A", "columns"),
    '=RULKA.LINES("50",,,"amount")': ("#VALUE!", "where"),
    '=RULKA.LINES("50",,,,"weight")': ("#N/A", "sort"),
    '=RULKA.LINES("50",,,,,-1)': ("#VALUE!", "limit"),
    "=RULKA.PERIOD(2027,19)": ("#N/A", "period"),
    '=RULKA.NARROW("department; x","1")': ("#VALUE!", "one word"),
    '=RULKA.BETWEEN("1","")': ("#VALUE!", "Both ends"),
    '=RULKA.ABOUT("weather")': ("#VALUE!", "what"),
}


@pytest.mark.parametrize("text", WRONG)
def test_a_wrong_argument_is_an_error_that_says_which(text):
    value = sheet_of(small(), NO_FENCE, {(0, 0): text}, "2026-P01").shown_at((1, 0, 0))
    assert isinstance(value, SheetError)
    code, word = WRONG[text]
    assert value.code == code and word in value.note, value


def test_lines_are_chosen_sorted_and_never_cut_silently():
    where = '"amount > 5; description <> line 7","amount down"'
    text = f'=RULKA.LINES("50",,"date, description, amount",{where},{{limit}},{{header}})'
    cells = {(0, 0): text.format(limit=3, header="TRUE"), (9_990, 5): text.format(limit=0, header="FALSE")}
    calculation = sheet_of(small(), NO_FENCE, cells, "2026-P01")
    first = calculation.values[1, 0, 0]
    assert [list(row) for row in first.rows[:2]] == [["date", "description", "amount"], [46035, "line 40", 40]]
    total = sum(range(6, 41)) - 7
    assert list(first.rows[-1]) == ["and 31 more lines", "", total - 40 - 39 - 38]
    last = calculation.values[1, 9_990, 5]
    assert last.height == 10 and last.rows[-1][0] == "and 25 more lines"
    assert sum(row[2] for row in last.rows) == total
    assert first.looks[0] == "yyyy-mm-dd"


def test_between_is_never_meant_by_a_range():
    cells = {
        (0, 0): "50",
        (0, 1): "51",
        (1, 0): "=RULKA.ACTIVITY(A1:B1)",
        (3, 0): "=RULKA.ACTIVITY(RULKA.BETWEEN(A1,B1))",
    }
    calculation = sheet_of(small(), NO_FENCE, cells, "2026-P01")
    assert [calculation.shown_at((1, 1, column)) for column in range(2)] == [820, 0]
    assert calculation.shown_at((1, 3, 0)) == 820


def test_twelve_thousand_questions_are_one_batch():
    works = small()
    view = book_of(works).within(NO_FENCE)
    around = Surroundings(view, view.frame.calendar.period("2026-P01"), "A", "w")
    batches: list[int] = []

    class Counting(LedgerSource):
        def answers(self, questions):
            batches.append(len(questions))
            return super().answers(questions)

    periods = [period.code for period in view.frame.calendar.periods]
    cells = {(0, column): code for column, code in enumerate(periods[:30], 1)}
    cells |= {(row, 0): ("40", "41", "50", "51", "10")[row % 5] for row in range(1, 101)}
    cells |= {
        (row, column): f"=RULKA.CLOSING($A{row + 1},{chr(65 + column) if column < 26 else 'A' + chr(39 + column)}$1)"
        for row in range(1, 101)
        for column in range(1, 31)
    }
    calculation = Calculation([SheetCells(1, "S", cells)], source=Counting(around), context=around)
    assert batches == [5 * 30]
    assert calculation.shown_at((1, 2, 13)) == 820


def test_an_answer_is_kept_for_the_same_question_only():
    view = book_of(small()).within(NO_FENCE)
    amounts = Amounts(Surroundings(view, view.frame.calendar.period("2026-P01"), "A", "w"))
    assert amounts.answer(Amount("activity", "50")) == 820
    assert amounts.answer(Amount("activity", "50", sign="effect on the result")) == -820
    assert amounts.answer(Amount("activity", "50", "2026-P02")) == 0
