"""The second dozen of ready extracts, each against a plain data frame of the journal, for random periods and fences."""

from __future__ import annotations

from collections import defaultdict
from datetime import date
from decimal import Decimal

import pytest

from rulka.core.books.calendar import period_code, period_number
from rulka.ledger.reading.queries import view_of
from tests.extracts.test_ready import FENCES, choices, kept, lines, minor, seen
from tests.extracts.world import asking, below, frame, rows_of, total

pytestmark = pytest.mark.django_db
__all__ = ["kept", "lines"]
MONEY = ["asset", "liability", "equity", "revenue", "expense"]


def posted(lines, name, first, last):
    """The posted lines of some periods behind a fence, by plain filters."""
    own = seen(lines, name)
    return own[(own.period >= period_number(first)) & (own.period <= period_number(last)) & (own.status == 0)]


def asked_rows(ledger, extract, name, given):
    with asking(ledger, extract, given, fence=FENCES[name]) as asked:
        return rows_of(asked)


def keys_of(rows):
    return sorted((row["entity"], row["entry"], row["line"]) for row in rows)


def keys_in(own):
    return sorted(zip(own.entity, own.entry, own.line, strict=True))


@pytest.mark.parametrize("name", FENCES)
def test_samples_reviews_and_tax_lists_are_the_lines_that_they_name(ternwick, lines, name):
    for seed in range(2):
        _, first, last = choices(name, seed)
        own = posted(lines, name, first, last)
        given = {"period": f"{first} to {last}"}
        euro = own[own.currency == "EUR"]
        sample = euro[euro.account.str[0].isin(list("567")) & ((euro.debit >= 1_000_000) | (euro.credit >= 1_000_000))]
        rows = asked_rows(ternwick, "audit-sample", name, given)
        assert keys_of(rows) == keys_in(sample) and total(rows, "debit") == minor(sample.debit.sum())
        review = euro[(euro.type == "expense") & (euro.counterparty != "")]
        rows = asked_rows(ternwick, "supplier-review", name, given)
        assert len(rows) == len(review) and total(rows, "amount") == minor(review.amount.sum())
        tax = euro[euro.account.isin(["1550", "2320", "2350", "8110", "8120"])]
        rows = asked_rows(ternwick, "tax-list", name, given)
        assert keys_of(rows) == keys_in(tax) and total(rows, "amount") == minor(tax.amount.sum())
        travel = own[own.account.isin(["6530", "6640"])]
        rows = asked_rows(ternwick, "travel-and-events", name, given)
        assert len(rows) == len(travel) and total(rows, "amount") == minor(travel.amount.sum())


@pytest.mark.parametrize("name", FENCES)
def test_odd_entries_are_those_that_are_odd(ternwick, lines, name):
    modified = frame(
        "SELECT y.code AS entity, e.number AS entry, e.modified_at FROM ledger_journalentry e JOIN ledger_entity y ON "
        "y.id = e.entity_id WHERE e.ledger_id = %s", [ternwick.pk],
    )  # fmt: skip
    stamps = {(one.entity, one.entry): str(one.modified_at or "")[:10] for one in modified.itertuples()}
    weekend = {key for key, text in stamps.items() if text and date.fromisoformat(text).isoweekday() > 5}
    for seed in range(2):
        rng, first, last = choices(name, seed)
        own = posted(lines, name, first, last)
        given = {"period": f"{first} to {last}"}
        source = rng.choice(["general", "payables", "bank"])
        picked = own[own.source == source]
        on = [key in weekend for key in zip(picked.entity, picked.entry, strict=True)]
        rows = asked_rows(ternwick, "weekend-postings", name, {**given, "sources": source})
        assert keys_of(rows) == keys_in(picked[on])
        hundred = 100_000
        rounds = picked[picked.type.isin(MONEY) & (picked.amount % hundred == 0) & (picked.amount.abs() >= hundred)]
        rows = asked_rows(ternwick, "round-amounts", name, {**given, "sources": source})
        assert keys_of(rows) == keys_in(rounds)
        money = own[own.type.isin(MONEY) & (own.currency == "EUR")]
        sums = money.groupby(["entity", "entry", "period", "date", "effect"]).debit.sum().sort_values(ascending=False)
        rows = asked_rows(ternwick, "largest-entries", name, given)
        assert [Decimal(row["debits"]) for row in rows] == [minor(value) for value in sums.tolist()[:40]]


@pytest.mark.parametrize("name", FENCES)
def test_loans_cash_and_receivables_add_up(ternwick, lines, name):
    for seed in range(2):
        _, first, last = choices(name, seed)
        own = posted(lines, name, first, last)
        given = {"period": f"{first} to {last}"}
        cash = own[own.account.isin(["1810", "1820", "2610"])]
        sums = cash.groupby(["date", "account", "entity"]).agg(debit=("debit", "sum"), credit=("credit", "sum"))
        rows = asked_rows(ternwick, "cash-moves", name, given)
        found = {
            (row["date"], row["account"], row["entity"]): (Decimal(row["In"]), Decimal(row["Out"])) for row in rows
        }
        assert found == {key: (minor(one.debit), minor(one.credit)) for key, one in sums.iterrows()}
        owed = own[own.account.isin(["1510", "1520", "1530"]) & (own.counterparty != "") & (own.currency == "EUR")]
        change = owed.groupby(["counterparty", "period"]).amount.sum()
        rows = asked_rows(ternwick, "receivables-by-month", name, given)
        assert {(row["counterparty"], row["period"]): Decimal(row["Change"]) for row in rows} == {
            (code, period_code(period)): minor(value) for (code, period), value in change.items()
        }
        loans = own[own.account.isin(["2010", "2020", "2030", "2040", "8010"]) & (own.effect == 0)]
        rows = asked_rows(ternwick, "loan-interest", name, given)
        moved = total(rows, "debits", currency="EUR") - total(rows, "credits", currency="EUR")
        assert moved == minor(loans[loans.currency == "EUR"].amount.sum())
        by: dict[tuple[str, str], list[dict[str, str]]] = defaultdict(list)
        for row in rows:
            by[row["account"], row["entity"]].append(row)
        for own_rows in by.values():
            for row in own_rows:
                moved = Decimal(row["debits"]) - Decimal(row["credits"])
                assert Decimal(row["closing"]) == Decimal(row["opening"]) + moved


@pytest.mark.parametrize("name", FENCES)
def test_costs_and_counts_of_departments(ternwick, lines, name):
    inside = below(ternwick, "department", ["100"])
    for seed in range(2):
        _, first, last = choices(name, seed)
        own = posted(lines, name, first, last)
        given = {"period": f"{first} to {last}"}
        costs = own[(own.type == "expense") & own.department.isin(inside) & (own.currency == "EUR")]
        rows = asked_rows(ternwick, "department-costs", name, given)
        assert len(rows) == len(costs) and total(rows, "amount") == minor(costs.amount.sum())
        counts = own[own.account.isin(["9010", "9020", "9030"])]
        sums = counts.groupby(["period", "account", "crossing"]).amount.sum()
        rows = asked_rows(ternwick, "statistics-by-month", name, given)
        found: dict[tuple[str, str, str], Decimal] = defaultdict(Decimal)
        for row in rows:
            found[row["period"], row["account"], row["crossing"]] += Decimal(row["activity"])
        assert {key: value for key, value in found.items() if value} == {
            (period_code(period), account, crossing): minor(value)
            for (period, account, crossing), value in sums.items() if value
        }  # fmt: skip


def test_loads_say_what_came_and_nothing_of_it_to_who_sees_a_part(ternwick):
    with asking(ternwick, "loads") as asked:
        rows = rows_of(asked)
    assert [row["revision"] for row in rows] == ["2", "1"]
    assert int(rows[1]["new lines"]) > int(rows[0]["new lines"]) > 0
    part = asked_rows(ternwick, "loads", "one entity", {})
    assert [row["revision"] for row in part] == ["2", "1"] and not any(row["new lines"] for row in part)
    assert view_of(ternwick, FENCES["one entity"]).is_part
