"""The ready extracts of the demo against the journal, trial balances and data frames, for random answers and fences."""

from __future__ import annotations

import json
import random
from collections import defaultdict
from decimal import Decimal
from fractions import Fraction
from itertools import pairwise

import pytest

from rulka.core.books.calendar import period_code, period_number
from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.books.trial_balance import trial_balance
from rulka.core.errors import RulkaError
from rulka.extracts.models import Extract
from rulka.extracts.running.asked import Unbounded, check_bounds
from rulka.ledger.reading.journal import Journal, JournalFilter
from rulka.ledger.reading.queries import view_of
from tests.extracts.world import asking, below, frame, journal, rows_of, total

pytestmark = pytest.mark.django_db

FENCES = {
    "open": NO_FENCE,
    "one entity": Fence.of(entities="TF"),
    "ships": Fence.of(entities="TF, NF", members={"department": "100, 110, 120"}),
    "no wages": Fence.of(sealed="5010 to 5040"),
    "both": Fence.around(
        [*Fence.of(entities="TQ").bounds, *Fence.of(accounts="6*, 1*, 2*, 4*").bounds], "5010 to 5040"
    ),
}
SEALED = [str(code) for code in range(5010, 5041)]


def seen(lines, name):
    """The lines that a fence lets through, by plain filters."""
    mask = {
        "open": lines.index == lines.index,
        "one entity": lines.entity == "TF",
        "ships": lines.entity.isin(["TF", "NF"]) & lines.department.isin(["100", "110", "120"]),
        "no wages": ~lines.account.isin(SEALED),
        "both": ((lines.entity == "TQ") | lines.account.str[0].isin(list("6124"))) & ~lines.account.isin(SEALED),
    }[name]
    return lines[mask]


@pytest.fixture(scope="module")
def kept():
    return {}


@pytest.fixture
def lines(ternwick, kept):
    if "lines" not in kept:
        kept["lines"] = journal(ternwick)
    return kept["lines"]


def choices(name, seed):
    """Random periods for a test of a fence."""
    rng = random.Random(f"{name} {seed}")
    first = rng.randint(0, 40)
    codes = [f"{2024 + at // 12}-P{at % 12 + 1:02d}" for at in (first, min(first + rng.randint(0, 11), 42))]
    return rng, *codes


def minor(number) -> Decimal:
    return Decimal(int(number)).scaleb(-2)


@pytest.mark.parametrize("name", FENCES)
def test_journal_by_user_and_manual_entries_are_the_journal(ternwick, name):
    view = view_of(ternwick, FENCES[name])
    for seed in range(2):
        rng, first, last = choices(name, seed)
        entity = rng.choice(["", "TF", "NF"])
        wanted = JournalFilter(first=first, last=last, entities=entity, status="posted")
        count, sums = Journal(view, ternwick, wanted).totals()
        with asking(ternwick, "journal-by-user", {"period": f"{first} to {last}", "entities": entity},
                    fence=FENCES[name]) as asked:  # fmt: skip
            rows = rows_of(asked)
            told = asked.rows.sums(asked.query)
        assert len(rows) == told.count == count
        money = {code: (debit, credit) for code, debit, credit, _ in sums if code}
        for code, (debit, credit) in money.items():
            assert (total(rows, "debit", currency=code), total(rows, "credit", currency=code)) == (debit, credit)
        debits = told.sums.get([one.key for one in asked.query.columns].index("debit"), {})
        assert {code: minor(value) for code, value in debits.items() if code in money} == {
            code: debit for code, (debit, _) in money.items()
        }
        wanted = JournalFilter(first=first, last=last, source="general", status="posted")
        with asking(ternwick, "manual-entries", {"period": f"{first} to {last}"}, fence=FENCES[name]) as asked:
            rows = rows_of(asked)
        count, sums = Journal(view, ternwick, wanted).totals()
        assert len(rows) == count
        assert Fraction(total(rows, "debit")) == sum(debit for _, debit, _, _ in sums)


@pytest.mark.parametrize("name", FENCES)
def test_supplier_spend_and_revenue_are_what_a_data_frame_says(ternwick, lines, name):
    own = seen(lines, name)
    for seed in range(2):
        _, first, last = choices(name, seed)
        low, high = period_number(first), period_number(last)
        chosen = own[(own.period >= low) & (own.period <= high) & (own.status == 0)]
        spend = chosen[(chosen.type == "expense") & (chosen.counterparty != "") & (chosen.currency == "EUR")]
        with asking(ternwick, "supplier-spend", {"period": f"{first} to {last}"}, fence=FENCES[name]) as asked:
            rows = rows_of(asked)
            pivot = asked.rows.pivot(asked.query, _pivot(asked)) if rows else None
        assert len(rows) == len(spend) and total(rows, "amount") == minor(spend.amount.sum())
        if pivot is not None:
            assert minor(pivot.total) == total(rows, "amount")
            by_month = spend.groupby("period").amount.sum()
            assert {labels[0]: int(v) for labels, v in pivot.column_totals.items()} == by_month.to_dict()
        revenue = chosen[chosen.type == "revenue"]
        with asking(ternwick, "revenue-by-counterparty", {"period": f"{first} to {last}"}, fence=FENCES[name]) as asked:
            rows = rows_of(asked)
        expected = revenue.groupby(["counterparty", "currency"]).amount.sum()
        found = {(row["counterparty"], row["currency"]): Decimal(row["Revenue"]) for row in rows}
        assert found == {key: -minor(value) for key, value in expected.items()}
        documents = revenue[revenue.document != ""].groupby(["counterparty", "currency"]).document.nunique().to_dict()
        assert all(int(row["Documents"]) == documents.get((row["counterparty"], row["currency"]), 0) for row in rows)


def _pivot(asked):
    from rulka.core.extracting.pivots import asked_pivot

    return asked_pivot(asked.extract.layouts[0].pivot, asked.query)


@pytest.mark.parametrize("name", FENCES)
def test_pairs_and_open_items_are_what_a_data_frame_says(ternwick, lines, name):
    own = seen(lines, name)
    for seed in range(2):
        _, first, last = choices(name, seed)
        low, high = period_number(first), period_number(last)
        inside = own[
            (own.period >= low)
            & (own.period <= high)
            & (own.partner != "")
            & (own.intercompany == 1)
            & (own.status == 0)
        ].copy()
        inside["pair"] = [" and ".join(sorted(pair)) for pair in zip(inside.entity, inside.partner, strict=True)]
        inside["of"] = ["results" if one in ("revenue", "expense") else "balances" for one in inside.type]
        with asking(ternwick, "intercompany-pairs", {"period": f"{first} to {last}"}, fence=FENCES[name]) as asked:
            rows = rows_of(asked)
        expected = inside.groupby(["pair", "of", "currency"]).amount.sum().to_dict()
        found = {(row["Pair"], row["Of"], row["currency"]): Decimal(row["Difference"]) for row in rows}
        assert found == {key: minor(value) for key, value in expected.items()}

        day = f"{2023 + int(last[:4]) - 2024}-12-15"
        items = own[own.account.isin(["1510", "1520", "1530", "2210"]) & (own.date <= day) & (own.status == 0)]
        by = ["account", "entity", "counterparty", "document"]
        sums = items.groupby(by).amount.sum()
        for only in ("yes", "no"):
            with asking(ternwick, "open-items", {"day": day, "open_only": only}, fence=FENCES[name]) as asked:
                rows = rows_of(asked)
            wanted = sums[sums != 0] if only == "yes" else sums
            assert {tuple(row[key] for key in by): Decimal(row["Open"]) for row in rows} == {
                key: minor(value) for key, value in wanted.to_dict().items()
            }
            # what is open adds up to the balances of the accounts
            assert total(rows, "Open", currency="EUR") == minor(items[items.currency == "EUR"].amount.sum())


@pytest.mark.parametrize("name", FENCES)
def test_payroll_and_fixed_assets_are_trial_balances(ternwick, name):
    view = view_of(ternwick, FENCES[name])
    calendar = view.frame.calendar
    wages = [item.code for item in view.frame.accounts.items if item.category == "wages" and item.type == "expense"]
    for seed in range(2):
        _, first, last = choices(name, seed)
        first = last if first[:4] != last[:4] else first  # a year starts its results at nothing
        balances = trial_balance(view, calendar.period(first), calendar.period(last)).rows()
        with asking(ternwick, "payroll-totals", {"period": f"{first} to {last}"}, fence=FENCES[name]) as asked:
            rows = rows_of(asked)
        expected: dict[tuple[str, str], Decimal] = defaultdict(Decimal)
        for one in balances:
            if one.account in wages and one.entity != "NF" and not one.is_sealed:
                expected[one.entity, one.account] += minor(one.debits - one.credits)
        found: dict[tuple[str, str], Decimal] = defaultdict(Decimal)
        for row in rows:
            found[row["entity"], row["account"]] += Decimal(row["activity"])
        assert {key: value for key, value in found.items() if value} == {
            key: value for key, value in expected.items() if value
        }
        with asking(ternwick, "fixed-asset-moves", {"period": f"{first} to {last}"}, fence=FENCES[name]) as asked:
            rows = rows_of(asked)
        for one in balances:
            if "1000" <= one.account <= "1339":
                own = [row for row in rows if (row["entity"], row["account"]) == (one.entity, one.account)]
                assert total(own, "debits") - total(own, "credits") == minor(one.debits - one.credits)
                if own and own[0]["period"] == first:
                    assert Decimal(own[0]["opening"]) == minor(one.opening)
                if own and own[-1]["period"] == last:
                    assert Decimal(own[-1]["closing"]) == minor(one.closing)


def _budget_check(ternwick, rows):
    """Periods, sums and least amounts of budgets."""
    budgets = frame(
        "SELECT s.code AS scenario, y.code AS entity, a.code AS account, b.period, b.amount, "
        "CASE a.type WHEN 'statistical' THEN a.unit ELSE y.currency END AS currency FROM ledger_budgetline b JOIN "
        "ledger_postingkey k ON k.id = b.key_id JOIN ledger_account a ON a.id = k.account_id JOIN ledger_entity y ON "
        "y.id = k.entity_id JOIN ledger_scenario s ON s.id = b.scenario_id WHERE y.ledger_id = %s AND b.period BETWEEN "
        "202701 AND 202712", [ternwick.pk],
    )  # fmt: skip
    told = budgets.groupby(["scenario", "entity", "account", "currency"])
    expected = told.agg(periods=("period", "nunique"), total=("amount", "sum"), least=("amount", "min"))
    with asking(ternwick, "budget-check") as asked:
        rows = rows_of(asked)
    assert len(rows) == len(expected)
    for row in rows:
        one = expected.loc[row["scenario"], row["entity"], row["account"], row["currency"]]
        assert int(row["Periods"]) == one.periods
        assert (Decimal(row["Sum"]), Decimal(row["Least"])) == (minor(one.total), minor(one.least))
    return rows


def _document_gaps(ternwick, lines, rows):
    """What is missing between the numbers of a series."""
    with asking(ternwick, "document-gaps", {"days": "year of 2027-P07", "most": "20"}) as asked:
        rows = rows_of(asked)
    own = lines[(lines.date >= "2026-04-01") & (lines.document != "")]
    series: dict[tuple[str, str], set[int]] = defaultdict(set)
    for entity, document in set(zip(own.entity, own.document, strict=True)):
        digits = len(document) - len(document.rstrip("0123456789"))
        if digits:
            series[entity, document[:-digits]].add(int(document[-digits:]))
    gaps = {}
    for key, numbers in series.items():
        ordered = sorted(numbers)
        for before, after in pairwise(ordered):
            if 1 <= after - before - 1 <= 20:
                gaps[(*key, after)] = after - before - 1
    found = {}
    for row in rows:
        digits = len(row["document"]) - len(row["series"])
        found[row["entity"], row["series"], int(row["document"][-digits:])] = int(row["missing"])
    assert found == gaps and gaps


def test_new_and_unused_budgets_and_gaps_are_what_plain_queries_say(ternwick, lines):
    used = lines[lines.status == 0].groupby("account").agg(lines=("line", "size"), first=("period", "min"))
    since = dict(ternwick.accounts.values_list("code", "revision"))
    with asking(ternwick, "new-and-unused", {"since": "1", "first": "2027-P06"}) as asked:
        rows = rows_of(asked)
    expected = {
        code for code, revision in since.items()
        if revision > 1 or code not in used.index or used.loc[code, "first"] == 202706
    }  # fmt: skip
    assert {row["account"] for row in rows} == expected and "6815" in expected
    assert all(int(row["lines"]) == (used.loc[row["account"], "lines"] if row["used"] == "yes" else 0) for row in rows)
    rows = _budget_check(ternwick, rows)
    _document_gaps(ternwick, lines, rows)


def test_postings_after_close_are_those_that_came_later(ternwick, lines, command, tmp_path):
    from rulka.ledger.models import ClosedPeriod, Entity

    entity = Entity.objects.get(ledger=ternwick, code="TF")
    ClosedPeriod.objects.create(entity=entity, period=202704)
    assert not [row for row in _after(ternwick) if row["period"] == "2027-P04"]
    # the same lines, had they come later: their revision is put after the close
    from django.utils import timezone

    ternwick.revisions.filter(number=2).update(at=timezone.now() + timezone.timedelta(hours=1))
    expected = lines[(lines.entity == "TF") & (lines.period == 202704) & (lines.revision == 2)]
    rows = _after(ternwick)
    assert len(rows) == len(expected) > 0
    assert total(rows, "debit") == minor(expected.debit.sum())


def _after(ledger):
    with asking(ledger, "after-close", {"period": "2027-P04"}) as asked:
        return rows_of(asked)


def test_all_twenty_five_are_there_and_each_reads_as_it_was_written(ternwick, command):
    every = list(Extract.objects.filter(ledger=ternwick))
    assert len(every) == 25
    for one in every:
        text = command("dump_extract", one.name, ledger="ternwick")
        from rulka.formats.extract_file import EXTRACTS

        assert EXTRACTS.read(text, "text") == [one.body]


def test_a_run_over_all_there_is_asks_first(ternwick):
    body = {"rows": "journal lines", "columns": ["date", "amount"], "where": [{"user": "till"}]}
    with asking(ternwick, body) as asked:
        with pytest.raises(Unbounded, match="it would give 36,228 rows"):
            check_bounds(asked, whole=False)
        check_bounds(asked, whole=True)
    with asking(ternwick, {**body, "where": [{"user": "till"}, {"period": "this"}]}) as asked:
        check_bounds(asked, whole=False)


def test_money_of_two_currencies_is_never_one_sum(ternwick):
    body = {"rows": "journal lines", "columns": ["account", {"column": "amount", "total": "sum"}],
            "where": [{"account": "6110"}]}  # fmt: skip
    with asking(ternwick, body) as asked, pytest.raises(RulkaError, match="It would add amounts in EUR, SEK"):
        asked.rows.check_currencies(asked.query)
    for more in ({"where": [{"account": "6110"}, {"entity": "TF"}]}, {"columns": ["currency", *body["columns"]]}):
        with asking(ternwick, {**body, **more}) as asked:
            asked.rows.check_currencies(asked.query)
    # one entity, but money and a quantity
    mixed = {**body, "columns": ["entity", body["columns"][1]], "where": [{"entity": "TF"}]}
    with asking(ternwick, mixed) as asked, pytest.raises(RulkaError, match="It would add amounts in"):
        asked.rows.check_currencies(asked.query)


def test_members_below_are_meant_by_a_parent(ternwick, lines):
    parents = [code for code, parent in ternwick.members.filter(dimension="department").values_list("code", "parent")
               if not parent and code != "-"]  # fmt: skip
    inside = below(ternwick, "department", parents[:1])
    body = {"rows": "journal lines", "columns": ["entity", "entry", "line"],
            "where": [{"department": f"under:{parents[0]}"}, {"period": "2027-P07"}]}  # fmt: skip
    with asking(ternwick, body) as asked:
        assert len(rows_of(asked)) == len(lines[lines.department.isin(inside) & (lines.period == 202707)]) > 0


def test_period_codes_come_back():
    assert period_code(202707) == "2027-P07"


def test_figures_of_a_statement_are_those_of_its_run(ternwick, command):
    told = json.loads(command("run_statement", "income-statement", ledger="ternwick", period="2027-P06", node="TF"))
    body = {"rows": {"figures": "income-statement"}, "columns": ["node", "line", "column", "value", "note"],
            "where": [{"node": "TF"}],
            "ask": [{"ask": "period", "type": "period", "default": "this - 1 period"},
                    {"ask": "who", "from": "node"}]}  # fmt: skip
    with asking(ternwick, body) as asked:
        rows = {(row["line"], row["column"]): row for row in rows_of(asked)}
    expected = {}
    for line in told["lines"]:
        for column, value in zip(told["columns"], line["values"], strict=True):
            if value is not None:
                expected[line["key"], column["key"]] = Decimal(value)
    found = {key: Decimal(row["value"]) for key, row in rows.items() if row["value"]}
    assert expected.keys() <= found.keys() and len(expected) > 100
    for key, value in expected.items():
        assert abs(found[key] - value) <= Decimal("0.0000005"), key
    with asking(ternwick, body, {"who": "nowhere"}) as asked, pytest.raises(RulkaError, match="'nowhere' is no node"):
        rows_of(asked)
    wages = {"rows": {"figures": "income-statement"}, "columns": ["line", "value"]}
    with asking(ternwick, wages, fence=FENCES["ships"]) as asked:
        told = asked.rows.count(asked.query)
    assert told > 0


def test_the_top_rows_are_the_first_in_order_and_alone_are_counted(ternwick):
    body = {"rows": "journal lines", "columns": ["entry", "line", "amount", "currency"],
            "where": [{"period": "this"}, {"entity": "TF"}], "sort": ["amount falling"]}  # fmt: skip
    with asking(ternwick, body) as asked:
        every = rows_of(asked)
    with asking(ternwick, {**body, "top": "7"}) as asked:
        assert rows_of(asked) == every[:7] and asked.rows.count(asked.query) == 7
        sums = asked.rows.sums(asked.query)
        assert sums.count == 7
        assert sum(minor(value) for value in sums.sums[2].values()) == total(every[:7], "amount")
        assert len(list(asked.rows.rows(asked.query, 3))) == 3
        assert [row[2] for row in asked.rows.rows(asked.query, first=0)] != []
    with asking(ternwick, {**body, "sort": [], "top": "5"}) as asked:
        assert asked.rows.sums(asked.query).count == len(rows_of(asked)) == 5


def test_many_lines_by_date_come_period_by_period_in_one_order(ternwick, monkeypatch):
    body = {"rows": "journal lines", "columns": ["date", "entry", "line"], "where": [{"account": "1810"}]}
    for sort in ([], ["date falling"], ["date", "entry falling"]):
        with asking(ternwick, {**body, "sort": sort}) as asked:
            plain = rows_of(asked)
        monkeypatch.setattr("rulka.ledger.reading.row_reader.MANY", 10)
        with asking(ternwick, {**body, "sort": sort}) as asked:
            assert len(asked.rows._blocks(asked.query)) == 43
            assert rows_of(asked) == plain
            first = [tuple(row) for row in asked.rows.rows(asked.query, 9)]
            assert first == [(row["date"], row["entry"], row["line"]) for row in plain[:9]]
        monkeypatch.undo()
