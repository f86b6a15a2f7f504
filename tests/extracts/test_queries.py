"""Query texts: written by administrators, read by each behind their own fence; lists brought over."""

from __future__ import annotations

import html
from decimal import Decimal

import pytest
from django.core.management.base import CommandError
from django.urls import reverse

from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError
from rulka.extracts.models import Extract, QueryText
from rulka.people.models import Person
from rulka.statements.models import Shelf, ShelfRight
from tests.extracts.test_pages import signed_in
from tests.extracts.world import asking, journal, rows_of

pytestmark = pytest.mark.django_db
WHERE = "?ledger=ternwick&period=2027-P07&node=TF"
SPEND = """
query: spend-by-supplier
title: Spend by supplier
about: What each supplier billed, and how many invoices.
sql: |
  SELECT counterparty, counterparty_name AS name, period, sum(amount) AS spent, count(DISTINCT document) AS invoices,
    round(1.0 * sum(amount) / count(DISTINCT document), 2) AS each
  FROM lines
  WHERE account_type = 'expense' AND counterparty <> '' AND currency = 'EUR' AND status = 'posted'
    AND period BETWEEN :period_from AND :period_to
    AND (:accounts IS NULL OR account IN (SELECT value FROM json_each(:accounts)))
    AND (:least IS NULL OR abs(amount) >= 100 * :least)
  GROUP BY counterparty, period
columns:
- {column: counterparty, holds: counterparty}
- name
- {column: period, holds: period}
- {column: spent, holds: amount, title: Spent}
- {column: invoices, holds: number}
- {column: each, holds: number}
ask:
- {ask: period, type: period, required: 'yes', default: this}
- {ask: accounts, type: selection, of: account}
- {ask: least, type: number}
"""
BODY = {
    "rows": {"query": "spend-by-supplier"},
    "columns": ["counterparty", "counterparty name", "period", "spent", "invoices", "each"],
    "sort": ["counterparty", "period"],
    "ask": [
        {"ask": "period", "type": "period", "default": "last 2"},
        {"ask": "accounts", "type": "selection", "of": "account"},
        {"ask": "least", "type": "number"},
    ],
}


@pytest.fixture
def spend(ternwick, tmp_path, command):
    file = tmp_path / "q.yaml"
    file.write_text(SPEND)
    command("load_query", file, ledger="ternwick")
    return ternwick


@pytest.mark.parametrize(("fence", "mask"), [
    (Fence.of(), lambda own: own.entity == own.entity), (Fence.of(entities="TQ"), lambda own: own.entity == "TQ"),
    (Fence.of(accounts="6*", sealed="6110"), lambda own: own.account.str.startswith("6") & (own.account != "6110")),
], ids=["open", "one entity", "some accounts"])  # fmt: skip
def test_an_extract_of_a_query_is_what_a_data_frame_says(spend, fence, mask):
    lines = journal(spend)
    own = lines[
        (lines.type == "expense") & (lines.counterparty != "") & (lines.currency == "EUR") & (lines.status == 0)
    ]
    own = own[(own.period >= 202706) & (own.period <= 202707)]
    own = own[mask(own)]
    told = own.groupby(["counterparty", "period"]).agg(spent=("amount", "sum"), invoices=("document", "nunique"))
    with asking(spend, BODY, fence=fence) as asked:
        rows = rows_of(asked)
        sums = asked.rows.sums(asked.query)
    found = {
        (row["counterparty"], row["period"]): (Decimal(row["spent"]), int(Decimal(row["invoices"]))) for row in rows
    }
    assert found == {
        (code, f"{period // 100}-P{period % 100:02d}"): (Decimal(int(one.spent)).scaleb(-2), int(one.invoices))
        for (code, period), one in told.iterrows()
    } and found  # fmt: skip
    for row in rows:
        exact = Decimal(row["spent"]) * 100 / int(Decimal(row["invoices"]))
        assert abs(Decimal(row["each"]) - exact) <= Decimal("0.006"), row
    assert sum(value for value, _ in found.values()) == Decimal(
        next(iter(sums.sums[[one.key for one in asked.query.columns].index("spent")].values()))
    ).scaleb(-2)


def test_answers_bind_its_parameters(spend):
    with asking(spend, BODY, {"period": "2027-P07", "accounts": "6110", "least": "30000"}) as asked:
        some = rows_of(asked)
    with asking(spend, {**BODY, "where": [{"name": "Sound*"}], "columns": ["spent", "name"], "sort": []},
                {"period": "2027-P07", "accounts": "under:6000 only 61*"}) as asked:  # fmt: skip
        others = rows_of(asked)
    own = journal(spend)
    own = own[(own.account == "6110") & (own.period == 202707) & (own.amount.abs() >= 3_000_000) & (own.status == 0)]
    own = own[own.currency == "EUR"]
    assert sum(Decimal(row["spent"]) for row in some) == Decimal(int(own.amount.sum())).scaleb(-2) > 0
    assert [row["name"] for row in others] == ["Sound Oil"]
    with pytest.raises(RulkaError, match="period"), asking(spend, BODY, {"period": "nonsense"}) as asked:
        rows_of(asked)


OTHER = "SELECT account AS counterparty, account_name AS name,"


@pytest.mark.parametrize(("change", "said"), [
    ({"sql": "SELECT 1 AS a"}, "gives other columns than it was kept with"),
    ({"sql": f"{OTHER} 202707 AS period, 1.5 AS spent, 1 AS invoices, 1 AS each FROM accounts", "ask": []},
     "It gives 1.5, no whole number of the smallest unit"),
    ({"sql": f"{OTHER} 'x' AS period, 1 AS spent, 1 AS invoices, 1 AS each FROM accounts", "ask": []},
     "Periods are numbers such as 202707"),
])  # fmt: skip
def test_what_its_columns_can_not_hold_is_said(spend, change, said):
    query = QueryText.objects.get(name="spend-by-supplier")
    query.body = {**query.body, **change}
    query.save()
    with pytest.raises(RulkaError, match=said), asking(spend, {**BODY, "ask": []}) as asked:
        rows_of(asked)


SQL = """SELECT account, sum(amount) AS amount, count(*) AS n FROM lines
WHERE period BETWEEN :period_from AND :period_to AND currency = 'EUR' GROUP BY account"""


def test_an_administrator_writes_tries_and_publishes_one(ternwick):
    adam = signed_in("administrator")
    assert "New query" in adam.get(reverse("queries") + WHERE).content.decode()
    where = reverse("query", args=["new"]) + WHERE
    tried = adam.post(where, {"do": "try", "title": "Sums", "sql": SQL}).content.decode()
    assert 'name="holds-amount"' in tried and 'name="type-period"' in tried and QueryText.objects.count() == 1
    sent = {"title": "Sums", "sql": SQL, "type-period": "period", "default-period": "this", "holds-account": "account",
            "holds-amount": "amount", "holds-n": "number", "as-n": "Lines"}  # fmt: skip
    kept = adam.post(where, {"do": "keep", **sent})
    assert kept.status_code == 302, html.unescape(kept.content.decode())[-1500:]
    query = QueryText.objects.get(name="sums")
    assert query.body["columns"][2] == {"column": "n", "holds": "number", "title": "Lines"}
    accountant = signed_in("accountant")
    assert "query sums" in accountant.get(reverse("extracts") + WHERE).content.decode()
    made = accountant.post(reverse("begin-extract") + WHERE, {"title": "Of sums", "rows": "query sums"})
    assert made.status_code == 302
    shown = accountant.get(made.url).content.decode()
    assert "6110" in shown and "1810" in shown
    assert Extract.objects.get(name="of-sums").body["ask"][0]["ask"] == "period"
    lead = signed_in("ships-lead").get(made.url).content.decode()
    assert "6110" in lead and ">1810<" not in lead and ">1810<" in shown
    where = reverse("query", args=["sums"]) + WHERE
    told = adam.post(where, {"do": "delete", "typed": "Sums", "sql": SQL})
    assert told.status_code == 422 and "Extracts are of its rows: Of sums." in told.content.decode()
    Extract.objects.filter(name="of-sums").delete()
    gone = adam.post(where, {"do": "delete", "typed": "Sums", "sql": SQL})
    assert gone.status_code == 302 and not QueryText.objects.filter(name="sums").exists()


def test_nobody_else_writes_and_a_shelf_says_who_uses_it(ternwick, command, tmp_path):
    accountant, adam = signed_in("accountant"), signed_in("administrator")
    new = reverse("query", args=["new"]) + WHERE
    refused = accountant.post(new, {"do": "keep", "title": "X", "sql": "SELECT 1 AS a"})
    assert refused.status_code in (403, 422) and "Only an administrator writes queries" in refused.content.decode()
    adam.post(new, {"do": "keep", "title": "Codes", "sql": "SELECT account FROM accounts"})
    accountant.post(reverse("begin-extract") + WHERE, {"title": "Of codes", "rows": "query codes"})
    assert ">1010<" in accountant.get(reverse("extract", args=["of-codes"]) + WHERE).content.decode()
    shelf = Shelf.objects.create(ledger=ternwick, name="Own")
    ShelfRight.objects.create(shelf=shelf, person=Person.objects.get(username="administrator"), level=3)
    QueryText.objects.filter(name="codes").update(shelf=shelf)
    told = html.unescape(accountant.get(reverse("extract", args=["of-codes"]) + WHERE).content.decode())
    assert "The query 'codes' does not exist." in told and ">1010<" not in told
    assert accountant.get(reverse("query", args=["codes"]) + WHERE).status_code == 404
    good, bad = tmp_path / "good.yaml", tmp_path / "q.yaml"
    good.write_text("query: good\nsql: SELECT account FROM accounts\n")
    bad.write_text("query: x\nsql: SELECT :p AS a\n")
    with pytest.raises(CommandError, match="It takes :p, which is not asked"):
        command("load_query", good, bad, ledger="ternwick")
    assert not QueryText.objects.filter(name="good").exists(), "all of the files, or none"
    assert "sql: SELECT account FROM accounts" in command("dump_query", "codes", ledger="ternwick")


@pytest.mark.parametrize(("sql", "said"), [
    ("DELETE FROM lines", "A query begins with SELECT or WITH"), ("", "A query needs its SQL"),
    ("SELECT * FROM people_person", "It reads or does what no query may"),
    ("SELECT sum(amount) FROM lines", "A column is called"), ("SELECT nobody FROM lines", "no such column: nobody"),
    ("SELECT 1 AS a, 2 AS a", "A column is called 'a'"),
])  # fmt: skip
def test_what_can_not_be_a_query_is_said_and_nothing_is_lost(ternwick, sql, said):
    adam = signed_in("administrator")
    sent = {"do": "keep", "title": "Mine", "about": "Why", "sql": sql}
    told = adam.post(reverse("query", args=["new"]) + WHERE, sent)
    shown = html.unescape(told.content.decode())
    assert told.status_code == 422 and said in shown and 'value="Mine"' in shown and 'value="Why"' in shown
    assert (sql in shown) and QueryText.objects.count() == 1


# lists brought over ---------------------------------------------------------------------------------------------------

ELSEWHERE = """SELECT PostingDate, GLAccount, Supplier, SUM(Amount) AS Total, Colour FROM GL_Lines JOIN Ships ON 1 = 1
WHERE PostingDate BETWEEN @from AND @to AND GLAccount LIKE '6%' AND Colour = @colour AND Currency = 'EUR'
GROUP BY PostingDate ORDER BY PostingDate"""


def test_a_query_from_elsewhere_becomes_a_draft_and_what_is_unknown_is_listed(ternwick, command, tmp_path):
    accountant = signed_in("accountant")
    where, count = reverse("bring-list") + WHERE, Extract.objects.count()
    looked = accountant.post(where, {"do": "look", "text": ELSEWHERE, "title": "Fuel list"})
    unknown = html.unescape(looked.content.decode()).partition('id="unknown"')[2].partition("</table>")[0]
    assert all(one in unknown for one in ("Ships", "Colour", "colour")) and "GL_Lines" not in unknown
    assert Extract.objects.count() == count
    made = accountant.post(where, {"do": "make", "text": ELSEWHERE, "title": "Fuel list"})
    assert made.status_code == 302
    body = Extract.objects.get(name="fuel-list").body
    assert body["where"] == [{"date": "{from} to {to}"}, {"account": "6*"}, {"currency": "EUR"}]
    assert [one["ask"] for one in body["ask"]] == ["from", "to"]
    shown = accountant.get(made.url + "&a-from=2026-10-01&a-to=2026-10-31").content.decode()
    assert ">6110<" in shown and 'id="refused"' not in shown
    file = tmp_path / "Supplier list.csv"
    file.write_text("Buchungsdatum;Konto;Betrag;Farbe\n2026-01-01;4100;5,00;rot\n")
    told = command("bring_list", file, ledger="ternwick", dry_run=True)
    assert "  Konto is Account\n" in told and "unknown column Farbe" in told and Extract.objects.count() == count + 1
    assert command("bring_list", file, ledger="ternwick").startswith("supplier-list: version 1\n")
    assert signed_in("director").post(where, {"do": "make", "text": ELSEWHERE}).status_code in (403, 422)
    assert "Nothing was given." in accountant.post(where, {"do": "look", "text": " "}).content.decode()
