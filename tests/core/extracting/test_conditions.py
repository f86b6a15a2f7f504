"""What a row must be, in words; formulas over rows; questions and their answers."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

import rulka.core.sheet.functions  # noqa: F401
from rulka.core.books.calendar import monthly_calendar
from rulka.core.errors import RulkaError
from rulka.core.extracting.asking import answers_of, pasted, quoted_lists, with_answers
from rulka.core.extracting.conditions import (
    Between,
    ChosenCodes,
    Clock,
    Either,
    Empty,
    HoldsText,
    Not,
    bounded_by,
    read_condition,
)
from rulka.core.extracting.definitions import extract_from
from rulka.core.extracting.fields import Field
from rulka.core.extracting.formulas import read_formula

CALENDAR = monthly_calendar(first_month=4, year_label="end", first_year=2026, last_year=2027, adjusting_periods=1)
CLOCK = Clock(CALENDAR, CALENDAR.period("2027-P07"))
AMOUNT = Field("amount", "Amount", "Line", "amount", digits=2)
DAY = Field("date", "Date", "Line", "date")
MOMENT = Field("arrived", "Arrived", "Line", "moment")
PERIOD = Field("period", "Period", "Time", "period")
TEXT = Field("description", "Text", "Line", "text")
ACCOUNT = Field("account", "Account", "Account", "code", "account")
FLAG = Field("late", "Late", "Line", "flag")


@pytest.mark.parametrize(
    ("field", "words", "low", "high"),
    [
        (AMOUNT, "12.5", 1250, 1250),
        (AMOUNT, "-3 to 4.00", -300, 400),
        (AMOUNT, "at least 1 000", 100_000, None),
        (AMOUNT, "1,000", 100_000, 100_000),
        (AMOUNT, "more than 0", 1, None),
        (AMOUNT, "less than 0", None, -1),
        (DAY, "2026-10-05", "2026-10-05", "2026-10-05"),
        (DAY, "2026-10-05 to 2026-11-02", "2026-10-05", "2026-11-02"),
        (DAY, "this", "2026-10-01", "2026-10-31"),
        (DAY, "until last day of this - 1 period", None, "2026-09-30"),
        (DAY, "first day of this", "2026-10-01", "2026-10-01"),
        (MOMENT, "2026-10-05", "2026-10-05", "2026-10-05\uffff"),
        (PERIOD, "2027-P07", 202707, 202707),
        (PERIOD, "ytd this", 202701, 202707),
        (PERIOD, "2027-Q3", 202707, 202709),
        (PERIOD, "from 2027-P03", 202703, None),
        (PERIOD, "2026-10", 202707, 202707),
        (FLAG, "yes", 1, 1),
    ],
)
def test_words_mean_bounds(field, words, low, high):
    assert read_condition(field, words, CLOCK) == Between(field, low, high)


def test_not_turns_and_commas_mean_any():
    assert read_condition(AMOUNT, "not 0", CLOCK) == Not(Between(AMOUNT, 0, 0))
    assert read_condition(AMOUNT, "1, 2", CLOCK) == Either((Between(AMOUNT, 100, 100), Between(AMOUNT, 200, 200)))
    assert read_condition(TEXT, "not empty", CLOCK) == Not(Empty(TEXT))
    assert read_condition(TEXT, 'contains "a, b"', CLOCK) == HoldsText(TEXT, "contains", "a, b")
    plain = read_condition(TEXT, "Fuel of the month", CLOCK)
    assert isinstance(plain, ChosenCodes) and plain.selection.text() == '"Fuel of the month"'
    chosen = read_condition(ACCOUNT, "6*, 7000 to 7099 except 6250", CLOCK)
    assert isinstance(chosen, ChosenCodes) and chosen.selection.text() == "6*, 7000 to 7099 except 6250"


@pytest.mark.parametrize(
    ("field", "words", "told"),
    [
        (AMOUNT, "twelve", "'twelve' is not a number"),
        (AMOUNT, "1.234", "has more than 2 decimals"),
        (AMOUNT, "5 to 1", "runs backwards"),
        (DAY, "2026-02-31", "is no day"),
        (DAY, "yesterday", "is not a period"),
        (PERIOD, "P99", "is not a period"),
        (FLAG, "perhaps", "yes or no"),
        (ACCOUNT, "6*,,", "expected a code"),
        (AMOUNT, "", "says nothing"),
    ],
)
def test_what_cant_be_read_is_refused_with_its_field(field, words, told):
    with pytest.raises(RulkaError) as caught:
        read_condition(field, words, CLOCK)
    assert told in str(caught.value) and field.title in caught.value.subject


def test_only_both_ends_or_values_bound():
    def bounds(*pairs):
        return bounded_by([read_condition(field, words, CLOCK) for field, words in pairs])

    assert bounds((PERIOD, "this"), (AMOUNT, "at least 5")) == {"period"}
    assert bounds((PERIOD, "from 2027-P01")) == set()
    assert bounds((TEXT, "*")) == set()
    assert bounds((TEXT, "I-12, I-13")) == {"description"}
    assert bounds((PERIOD, "this, 2027-P01")) == {"period"}
    assert bounds((PERIOD, "not this")) == set()


# questions ----------------------------------------------------------------------------------------------------------

EXTRACT = extract_from(
    {
        "extract": "x", "title": "X", "rows": "journal lines", "columns": ["date", "amount"],
        "where": [
            {"period": "{period}"}, {"account": "6*, {accounts}"}, {"counterparty": "{suppliers}"},
            {"any": [{"amount": "at least {least}"}, {"amount": "at most -{least}"}]},
            {"description": "x", "if": "mine"},
        ],
        "ask": [
            {"ask": "period", "type": "period", "required": "yes"},
            {"ask": "accounts", "type": "selection", "of": "account"},
            {"ask": "suppliers", "type": "list", "of": "counterparty", "several": "yes", "title": "Suppliers"},
            {"ask": "least", "type": "number"}, {"ask": "mine", "type": "yes or no"},
        ],
    }
)  # fmt: skip
CODES = {"K1": "One", "K2": "Two", "to": "An odd code", "K*": "Another"}


def asked(**given):
    answers = answers_of(EXTRACT, given, CLOCK, lambda of: CODES if of == "counterparty" else None)
    return answers, with_answers(EXTRACT.where, quoted_lists(EXTRACT, answers))


def test_unanswered_conditions_are_left_out_and_defaults_follow_the_period():
    answers, conditions = asked()
    assert answers.texts["period"] == ("this",)
    assert [(one.field, one.words) for one in conditions] == [("period", "this")]
    _, conditions = asked(accounts="7000", least="10", mine="yes", period="2027-P01")
    told = [(one.field, one.words) for one in conditions]
    assert told == [("period", "2027-P01"), ("account", "6*, 7000"), ("", ""), ("description", "x")]
    assert [one.words for one in conditions[2].any_of] == ["at least 10", "at most -10"]


def test_a_pasted_list_is_taken_once_and_unknown_ones_are_told():
    answers, conditions = asked(suppliers="K1\nK2, K1;K9\tto\r\nK*")
    assert answers.texts["suppliers"] == ("K1", "K2", "to", "K*")
    assert list(answers.notes) == [
        "Suppliers: 1 value came more than once", "Suppliers: 1 not known, left out: K9",
    ]  # fmt: skip
    assert conditions[-1].words == 'K1, K2, "to", "K*"'  # codes, not a range and not a pattern


def test_two_thousand_codes_are_read_and_all_unknown_ones_refused():
    _, conditions = asked(suppliers="\n".join(["K1", "K2"] * 1_000))
    assert conditions[-1].words == "K1, K2"
    with pytest.raises(RulkaError, match="None of 2,000 is known: N0, N1"):
        asked(suppliers="\n".join(f"N{at}" for at in range(2_000)))


@pytest.mark.parametrize(
    ("given_", "told"),
    [
        ({"period": "next week"}, "Period"),
        ({"least": "much"}, "Least: 'much' is not a number"),
        ({"least": "1; 2"}, "takes one value"),
        ({"mine": "maybe"}, "neither yes nor no"),
        ({"accounts": "6* 7*"}, "expected"),
        ({"other": "1"}, "It asks no 'other'"),
        ({"suppliers": "K7"}, "'K7' is not known"),
    ],
)
def test_bad_answers_are_refused_with_their_question(given_, told):
    with pytest.raises(RulkaError) as caught:
        asked(**given_)
    assert told in str(caught.value)


@given(st.lists(st.text(st.characters(min_codepoint=33, max_codepoint=126, exclude_characters=',;"'), min_size=1)))
def test_what_is_pasted_comes_out_in_order_each_once(values):
    once, again = pasted("\n".join(values))
    assert once == list(dict.fromkeys(values)) and again == len(values) - len(once)


# formulas -----------------------------------------------------------------------------------------------------------

FIELDS = {"amount": AMOUNT, "date": DAY, "account name": Field("account name", "Account name", "Account", "text"),
          "debit": Field("debit", "Debit", "Line", "amount", digits=2), "late": FLAG, "period": PERIOD}  # fmt: skip


@pytest.mark.parametrize(
    ("text", "values", "kind", "digits", "result"),
    [
        ("amount - debit", [1250, 50], "amount", 2, 1200),
        ("-amount", [1250], "amount", 2, -1250),
        ("amount * 1.1", [1001], "number", 8, 1_101_100_000),  # 10.01 * 1.1 = 11.011
        ("amount / debit", [100, 300], "number", 8, 33_333_333),
        ("amount / debit", [100, 0], "number", 8, None),
        ('if(amount>0,"debit","credit")', [-1], "text", 0, "credit"),
        ("if(amount>0,amount,0)", [250], "amount", 2, 250),
        ("upper(account_name)", ["Bank"], "text", 0, "BANK"),
        ("month(date)", ["2026-10-05"], "number", 0, 10),
        ("date + 30", ["2026-10-05"], "date", 0, "2026-11-04"),
        ("amount > 5", [600], "flag", 0, 1),
        ('left(period, 4) & "!"', [202707], "text", 0, "2027!"),
        ("eomonth(date, 0)", ["2026-10-05"], "date", 0, "2026-10-31"),
    ],
)
def test_formulas_are_exact_and_know_what_they_give(text, values, kind, digits, result):
    formula = read_formula(text, FIELDS)
    assert (formula.kind, formula.digits) == (kind, digits)
    assert formula.run(values) == result


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("amount + A1", "knows no cells"),
        ("amont", "Nothing is called 'amont'"),
        ("amount +", "can't be read"),
        ("frobnicate(amount)", "can't be read"),
        ('rulka.activity("4*")', "reads its own row only"),
        ("today() - date", "reads its own row only"),
        ("__import__", "Nothing is called"),
    ],
)
def test_formulas_that_cant_be_are_refused(text, told):
    with pytest.raises(RulkaError) as caught:
        read_formula(text, FIELDS, where="Odd")
    assert told in str(caught.value)


@given(st.integers(-(10**14), 10**14), st.integers(-(10**14), 10**14))
def test_sums_of_amounts_are_those_of_decimals(one, other):
    formula = read_formula("amount + debit", FIELDS)
    assert Decimal(formula.run([one, other])).scaleb(-2) == Decimal(one).scaleb(-2) + Decimal(other).scaleb(-2)


def test_a_number_too_large_is_none_and_never_wrong():
    formula = read_formula("amount * amount", FIELDS)
    assert formula.run([10**17]) is None


def test_days_are_days():
    assert read_formula("date", FIELDS).run(["2026-10-05"]) == date(2026, 10, 5).isoformat()
