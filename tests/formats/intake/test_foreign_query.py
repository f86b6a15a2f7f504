"""Queries of several dialects and headed lists, read for what they want; none of it is run."""

from __future__ import annotations

import pytest

from rulka.core.errors import RulkaError
from rulka.core.extracting.bringing import Limit, WantedField
from rulka.formats.intake.foreign_query import is_query, read_foreign


def test_a_query_with_parameters_totals_and_what_can_not_be_told():
    found = read_foreign(
        "-- monthly list\nSELECT t.PostingDate, GLAccount AS [Account], SUM(t.Amount) AS Total, COUNT(DISTINCT "
        "DocNo) docs, COUNT(*), dbo.fn(x) AS y FROM dbo.GL_Lines t JOIN Vendors v ON v.id = t.vendor WHERE "
        "t.CompanyCode = 'TF' AND "
        "PostingDate BETWEEN @from AND @to AND GLAccount LIKE '6%' AND (Amount > 1000) AND NOT Status IN "
        "('X', 'Y') AND "
        "(a = 1 OR b = 2) GROUP BY GLAccount ORDER BY Total DESC"
    )
    assert found.tables == ("GL_Lines", "Vendors") and found.parameters == ("from", "to")
    assert found.columns == (
        WantedField("PostingDate"),
        WantedField("GLAccount", "Account"),
        WantedField("Amount", "Total", "sum"),
        WantedField("DocNo", "docs", "distinct"),
        WantedField("line", "Lines", "count"),
    )
    assert found.limits == (
        Limit("CompanyCode", "=", ("TF",)),
        Limit("PostingDate", "between", ("{from}", "{to}")),
        Limit("GLAccount", "begins", ("6",)),
        Limit("Amount", ">", ("1000",)),
        Limit("Status", "in", ("X", "Y"), True),
    )
    assert found.left == ("dbo.fn(x) AS y", "a = 1 OR b = 2") and found.order == (("Total", True),)


@pytest.mark.parametrize(
    ("text", "limit"),
    [
        ("SELECT a FROM x WHERE b >= :p", Limit("b", ">=", ("{p}",))),
        ("SELECT a FROM x WHERE ? < b", Limit("b", ">", ("{p1}",))),
        ("SELECT a FROM x WHERE b = {who}", Limit("b", "=", ("{who}",))),
        ("SELECT a FROM x WHERE b IS NOT NULL", Limit("b", "empty", (), True)),
        ("SELECT a FROM x WHERE b = ':p'", Limit("b", "=", (":p",))),
        ("SELECT a FROM x WHERE b = -5", Limit("b", "=", ("-5",))),
        ("SELECT a FROM x WHERE CAST(b AS int) = 5", None),
        ("SELECT a FROM x WHERE b = c", None),
        ("SELECT a FROM x WHERE b LIKE '_x%'", None),
        ("SELECT a FROM x WHERE b IN (SELECT c FROM y)", None),
    ],
)
def test_conditions(text, limit):
    found = read_foreign(text)
    assert found.limits == ((limit,) if limit else ()) and bool(found.left) == (limit is None)


@pytest.mark.parametrize(
    "text",
    [
        "SELECT TOP 5 a FROM x",
        "SELECT a FROM x LIMIT 5",
        "WITH y AS (SELECT 1) SELECT a FROM x LIMIT 5",
        "select `a` from x limit 5",
        'SELECT "a" FROM x FETCH FIRST 5 ROWS ONLY',
    ],
)
def test_dialects(text):
    found = read_foreign(text)
    assert is_query(text) and [one.name for one in found.columns] == ["a"] and found.tables == ("x",)
    assert found.top == (0 if "FETCH" in text else 5)


def test_lists_with_headings():
    found = read_foreign("Posting date;Account;Company\n2026-10-01;6110;TF\n2026-10-02;6120;TF\n2026-10-03;6130;TF\n")
    assert [one.name for one in found.columns] == ["Posting date", "Account", "Company"]
    assert found.limits == (Limit("Company", "=", ("TF",)),)
    assert [one.name for one in read_foreign("Date\tText, long\n1\t2").columns] == ["Date", "Text, long"]
    assert [one.name for one in read_foreign("Account,Amount").columns] == ["Account", "Amount"]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "Nothing was given."),
        ("   \n", "Nothing was given."),
        ("1,2,3\n4,5,6", "It has no headings."),
        ("SELECT (((", "The query can't be read."),
        ("SELECT a FROM x; SELECT b FROM y", "It holds several queries."),
        ("x" * 200_001, "It is longer than 200,000 signs."),
        ("SELECT * FROM x", None),
        ("with", "The query can't be read."),
    ],
)
def test_what_is_neither_says_so(text, said):
    if said is None:
        assert read_foreign(text).left == ("* for all columns: name those that are wanted",)
        return
    with pytest.raises(RulkaError) as raised:
        read_foreign(text)
    assert said in str(raised.value)
