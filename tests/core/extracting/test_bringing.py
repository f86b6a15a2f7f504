"""Queries and lists from elsewhere as draft extracts: what is found, what is listed as unknown."""

from __future__ import annotations

import pytest

from rulka.core.errors import RulkaError
from rulka.core.extracting.bringing import Foreign, Limit, WantedField, draft, field_named, plain
from rulka.core.extracting.fields import Field, RowKind

LINES = RowKind(
    "journal lines",
    "Journal lines",
    (
        Field("date", "Date", "", "date"),
        Field("period", "Period", "", "period"),
        Field("account", "Account", "", "code", "account"),
        Field("account name", "Account name", "", "text"),
        Field("amount", "Amount", "", "amount", digits=2),
        Field("description", "Text", "", "text"),
        Field("document", "Document", "", "text"),
        Field("line", "Line", "", "text"),
        Field("entity", "Entity", "", "code", "entity"),
        Field("after close", "After close", "", "flag"),
    ),
    ("entity", "line"),
)
ACCOUNTS = RowKind(
    "accounts",
    "Accounts",
    (
        Field("account", "Account", "", "code", "account"),
        Field("account name", "Account name", "", "text"),
        Field("account type", "Account type", "", "text"),
    ),
    ("account",),
)
SETS = {"journal lines": LINES, "accounts": ACCOUNTS}
WORDS = {
    "date": ("posting date", "buchungsdatum"),
    "entity": ("company", "mandant"),
    "code": ("code", "number"),
    "name": ("name", "bezeichnung"),
    "type": ("type",),
    "document": ("doc no",),
}


def of(*columns, limits=(), **more):
    return Foreign(columns=tuple(WantedField(one) for one in columns), limits=tuple(limits), **more)


@pytest.mark.parametrize(
    ("name", "rows", "field"),
    [
        ("PostingDate", LINES, "date"),
        ("POSTING_DATE", LINES, "date"),
        ("Buchungsdatum", LINES, "date"),
        ("t.Company", LINES, "entity"),
        ("account", LINES, "account"),
        ("Text", LINES, "description"),
        ("DocNo", LINES, "document"),
        ("amounts", LINES, None),
        ("x", LINES, None),
        ("code", ACCOUNTS, "account"),
        ("Name", ACCOUNTS, "account name"),
        ("type", ACCOUNTS, "account type"),
    ],
)
def test_names_elsewhere_mean_fields_here(name, rows, field):
    found = field_named(name, rows, WORDS)
    assert (found.name if found else None) == field


def test_plain_names():
    assert (
        plain("GLAccountNo") == "gl account no" and plain("[Posting Date]") == "posting date" and plain("a__b") == "a b"
    )


CONDITIONS = {
    Limit("account", "begins", ("6",)): {"account": "6*"},
    Limit("account", "in", ("6110", "6120")): {"account": "6110, 6120"},
    Limit("account", "between", ("6000", "6999")): {"account": "6000 to 6999"},
    Limit("amount", ">=", ("1000",)): {"amount": "at least 1000"},
    Limit("amount", "<", ("-5.5",)): {"amount": "less than -5.5"},
    Limit("date", ">=", ("2026-10-01",)): {"date": "from 2026-10-01"},
    Limit("date", "<", ("2026-10-01 00:00",)): {"date": "before 2026-10-01"},
    Limit("period", "=", ("202707",)): {"period": "2027-P07"},
    Limit("period", "between", ("2027-01", "2027-07")): {"period": "2027-P01 to 2027-P07"},
    Limit("description", "contains", ("fuel",)): {"description": "contains fuel"},
    Limit("description", "empty", (), True): {"description": "not empty"},
    Limit("after close", "=", ("1",)): {"after close": "yes"},
    Limit("Company", "<>", ("TF",)): {"entity": "not TF"},
    Limit("account", "in", ("1 2", "a,b")): {"account": '"1 2", "a,b"'},
}


@pytest.mark.parametrize("limit", CONDITIONS, ids=lambda one: one.words)
def test_conditions_elsewhere_are_conditions_here(limit):
    found = draft(of("account", limits=[limit]), SETS, WORDS, "T")
    assert found.body["where"] == [CONDITIONS[limit]] and found.is_whole


@pytest.mark.parametrize(
    "limit",
    [
        Limit("account", ">=", ("6000",)),
        Limit("date", "=", ("10/01/2026",)),
        Limit("amount", "contains", ("5",)),
        Limit("amount", "=", ("five",)),
        Limit("period", "=", ("July",)),
    ],
)
def test_what_can_not_be_said_is_left_and_told(limit):
    found = draft(of("account", limits=[limit]), SETS, WORDS, "T")
    assert "where" not in found.body and found.left == (limit.words,)


def test_parameters_are_questions_of_the_kind_that_they_are_compared_with():
    limits = [
        Limit("date", ">=", ("{From}",)),
        Limit("date", "<=", ("{To}",)),
        Limit("account", "=", ("{acct}",)),
        Limit("amount", ">", ("{Least}",)),
        Limit("nowhere", "=", ("{lost}",)),
    ]
    found = draft(
        of("account", limits=limits, parameters=("From", "To", "acct", "Least", "lost", "idle")), SETS, WORDS, "T"
    )
    assert [(one["ask"], one["type"]) for one in found.body["ask"]] == [
        ("from", "date"),
        ("to", "date"),
        ("acct", "list"),
        ("least", "number"),
    ]
    assert found.body["where"][0] == {"date": "from {from}"} and found.body["where"][3] == {
        "amount": "more than {least}"
    }
    assert [name for name, _ in found.columns] == ["nowhere"]
    assert [name for name, _ in found.parameters] == ["lost", "idle"] and not found.is_whole


def test_tables_choose_the_rows_and_unknown_ones_are_listed():
    found = draft(of("code", "name", tables=("dbo.Ships", "GLAccounts")), SETS, WORDS, "T")
    assert found.body["rows"] == "accounts" and [name for name, _ in found.tables] == ["dbo.Ships"]
    assert found.body["columns"] == [{"column": "account", "as": "code"}, {"column": "account name", "as": "name"}]
    assert draft(of("amount", "document"), SETS, WORDS, "T").body["rows"] == "journal lines"
    with pytest.raises(RulkaError, match="None of its columns is known here: x, y"):
        draft(of("x", "y"), SETS, WORDS, "T")


def test_totals_titles_and_order_come_along():
    foreign = Foreign(
        columns=(WantedField("account"), WantedField("amount", "Spent", "sum"), WantedField("amount", "", "most")),
        order=(("Spent", True), ("account", False), ("nowhere", False)),
        top=10,
    )
    found = draft(foreign, SETS, WORDS, "T").body
    assert found["columns"] == [
        "account",
        {"column": "amount", "total": "sum", "as": "Spent"},
        {"column": "amount", "total": "most"},
    ]
    assert found["sort"] == ["Spent falling", "account"] and found["top"] == "10"
