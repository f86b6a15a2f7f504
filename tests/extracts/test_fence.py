"""No extract, preview, count, sum, pivot or file gives a row beyond a fence or a seal; former states read as they were;
news are what moved."""

from __future__ import annotations

import csv
import io
from collections import Counter
from decimal import Decimal

import pytest
from django.utils import timezone
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.errors import RulkaError
from rulka.core.extracting.definitions import extract_from
from rulka.core.extracting.pivots import asked_pivot
from rulka.extracts.output.writing import write
from rulka.extracts.running.asked import ExtractReader
from rulka.extracts.running.news import news
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import view_of
from tests.conftest import SMALL
from tests.extracts.world import asking, below, journal, rows_of, total
from tests.lengths import several

pytestmark = pytest.mark.django_db

ENTITIES = ["", "TF", "NF, TQ"]
DEPARTMENTS = ["", "under:100", "210, 410", "* except under:400"]
ACCOUNTS = ["", "6*, 7*", "1000 to 4999", "* except 5*"]
SEALS = ["", "5010 to 5040", "6*"]
SETS = {
    "journal lines": ["date", "period", "entity", "account", "account type", "department", "crossing", "entry", "line",
                      "amount", "debit", "currency", "source", "user", "document", "counterparty", "counterparty name",
                      "description", "status", "kind", "revision", "after close", "period title"],
    "entries": ["date", "entity", "entry", "period", "lines", "source", "status", "revision"],
    "budgets": ["scenario", "period", "entity", "account", "department", "amount", "currency"],
}  # fmt: skip
WHERE = [
    {"period": "2027-P07"}, {"period": "2027-P05 to 2027-P06, 2026-P12"}, {"account": "5*, 6*"}, {"account": "not 1*"},
    {"date": "2026-08-01 to 2026-09-10"}, {"source": "pay*"}, {"amount": "at least 10000"}, {"department": "under:100"},
    {"any": [{"user": "till"}, {"counterparty": "K00*"}, {"account type": "revenue"}]},
    {"description": "contains fuel"}, {"entity": "TF"}, {"crossing": "N, S"}, {"document": "not empty"},
    {"account category": "wages, fuel"},
    {"counterparty": "empty"},
]  # fmt: skip


@st.composite
def fences(draw):
    entity, department = draw(st.sampled_from(ENTITIES)), draw(st.sampled_from(DEPARTMENTS))
    members = {"department": department} if department else {}
    return Fence.of(entity, draw(st.sampled_from(ACCOUNTS)), members, sealed=draw(st.sampled_from(SEALS)))


def visible(ledger, fence):
    """Which rows lie inside of a fence, by a second reading of its words."""
    under = below(ledger, "department", ["100"])
    rest = set(ledger.members.filter(dimension="department").values_list("code", flat=True))
    departments = {
        "": rest, "under:100": under, "210, 410": {"210", "410"},
        "* except under:400": rest - below(ledger, "department", ["400"]),
    }  # fmt: skip
    codes = {
        "": lambda code: True, "6*, 7*": lambda code: code[0] in "67",
        "1000 to 4999": lambda code: "1000" <= code <= "4999", "* except 5*": lambda code: code[0] != "5",
    }  # fmt: skip
    sealed = {"": lambda code: False, "5010 to 5040": lambda code: "5010" <= code <= "5040",
              "6*": lambda code: code[0] == "6"}  # fmt: skip
    bounds = fence.bounds[0] if fence.bounds else None
    entity, account, department = (bounds.of(name) if bounds else "" for name in ("entity", "account", "department"))

    def inside(row):
        return (
            (not entity or row["entity"] in [one.strip() for one in entity.split(",")])
            and row["department"] in departments[department]
            and codes[account](row["account"])
            and not sealed[fence.sealed](row["account"])
        )

    return inside


KEYS = ["entity", "account", "department", "entry", "line"]


LESS = [HealthCheck.function_scoped_fixture]


@settings(max_examples=several(8), suppress_health_check=LESS)
@given(data=st.data())
def test_lines_behind_a_fence_are_those_inside_of_it(ternwick, data):
    ask_behind(ternwick, data)


@pytest.mark.slow
@settings(max_examples=several(150), suppress_health_check=LESS)
@given(data=st.data())
def test_lines_behind_many_fences_are_those_inside_of_them(ternwick, data):
    ask_behind(ternwick, data)


def _put_together_behind(ternwick, fence, fields, where, columns, expected, rows):
    """Put together: what is inside, added up."""
    body = {"rows": "journal lines", "columns": ["currency", *[name for name in ("source", "period") if name in fields],
            {"column": "amount", "total": "sum", "as": "Sum"}, {"column": "line", "total": "count", "as": "Lines"},
            {"column": "account", "total": "distinct", "as": "Accounts"}], "where": where}  # fmt: skip
    by = [one for one in body["columns"] if isinstance(one, str)]
    extra = [name for name in by if name not in columns]
    assert not extra
    with asking(ternwick, body, fence=fence) as asked:
        rows = rows_of(asked)
    groups: dict[tuple[str, ...], list[dict[str, str]]] = {}
    for row in expected:
        groups.setdefault(tuple(row[name] for name in by), []).append(row)
    assert {tuple(row[name] for name in by): (Decimal(row["Sum"]), int(row["Lines"]), int(row["Accounts"]))
            for row in rows} == {
        key: (total(own, "amount"), len(own), len({row["account"] for row in own})) for key, own in groups.items()
    }  # fmt: skip


def ask_behind(ternwick, data):
    fence = data.draw(fences())
    fields = data.draw(st.lists(st.sampled_from(SETS["journal lines"]), min_size=1, max_size=5, unique=True))
    where = data.draw(st.lists(st.sampled_from(WHERE), min_size=1, max_size=3, unique_by=str))
    sort = data.draw(st.lists(st.sampled_from(fields), max_size=2, unique=True))
    columns = list(dict.fromkeys([*fields, *KEYS, "amount", "currency"]))
    body = {"rows": "journal lines", "columns": columns, "where": where, "sort": [f"{name} falling" for name in sort]}
    with asking(ternwick, body) as asked:
        everything = rows_of(asked)
    inside = visible(ternwick, fence)
    expected = [row for row in everything if inside(row)]
    with asking(ternwick, body, fence=fence) as asked:
        rows = rows_of(asked)
        assert Counter(map(str, rows)) == Counter(map(str, expected))
        assert rows == expected  # in the same order too
        assert asked.rows.count(asked.query) == len(expected)
        sums = asked.rows.sums(asked.query, different=True)
        assert sums.count == len(expected)
        place = columns.index("amount")
        told = {unit: Decimal(value).scaleb(-2) for unit, value in sums.sums.get(place, {}).items()}
        units = {row["currency"] for row in expected}
        assert told == {unit: total(expected, "amount", currency=unit) for unit in units}
        first = list(asked.rows.rows(asked.query, 7))
        assert len(first) == min(7, len(expected))
        values = asked.rows.values(asked.query, columns.index("account"), 10_000)
        assert {value for value, _ in values} == {row["account"] for row in expected}
    _put_together_behind(ternwick, fence, fields, where, columns, expected, rows)


@settings(max_examples=several(3), suppress_health_check=LESS)
@given(fence=fences())
def test_other_rows_behind_a_fence_are_of_what_is_inside(ternwick, fence, kept):
    ask_others(ternwick, fence, kept)


@pytest.mark.slow
@settings(max_examples=several(60), suppress_health_check=LESS)
@given(fence=fences())
def test_other_rows_behind_many_fences_are_of_what_is_inside(ternwick, fence, kept):
    ask_others(ternwick, fence, kept)


@pytest.fixture(scope="module")
def kept():
    return {}


def _counterparties_inside(ternwick, fence, kept, inside, every, own):
    """Counterparties are those of lines inside."""
    with asking(ternwick, {"rows": "counterparties", "columns": ["counterparty", "lines"]}, fence=fence) as asked:
        seen = {row["counterparty"] for row in rows_of(asked) if int(row["lines"])}
    if "lines" not in kept:
        every = journal(ternwick)
        own = every[(every.counterparty != "") & (every.status == 0)]
        kept["lines"] = own[["entity", "account", "department", "counterparty"]].drop_duplicates().to_dict("records")
    assert seen == {row["counterparty"] for row in kept["lines"] if inside(row)}


def _balances_at_the_grain(ternwick, fence):
    """Balances show at the grain of a seal and no finer; without one they add up to the lines."""
    wanted = {"rows": "balances", "columns": ["scenario", *KEYS[:3], "crossing", "activity"],
              "where": [{"scenario": "actual"}, {"period": "2027-P01 to 2027-P07"}]}  # fmt: skip
    with asking(ternwick, wanted, fence=fence) as asked:
        balances = rows_of(asked)
    view = view_of(ternwick, fence)
    items = view.frame.accounts.items
    closed = {item.code for item, hit in zip(items, view.sealed, strict=True) if hit}
    coarse = {item.code for item, hit in zip(items, view.coarse, strict=True) if hit}
    assert all(row["crossing"] == "sealed" for row in balances if row["account"] in closed)
    bare = visible(ternwick, Fence(fence.bounds))
    assert all(bare({**row, "entry": "", "line": ""}) for row in balances)
    posted = {"rows": "journal lines", "columns": [*KEYS, "amount", "status", "kind"], "where": wanted["where"][1:]}
    with asking(ternwick, posted, fence=fence) as asked:
        own = [row for row in rows_of(asked) if row["status"] == "posted" and row["kind"] in ("normal", "adjusting")]
    plain = [row for row in balances if row["account"] not in coarse]
    assert total(plain, "activity") == total([row for row in own if row["account"] not in coarse], "amount")
    return own


def ask_others(ternwick, fence, kept):
    inside = visible(ternwick, fence)
    body = {"rows": "journal lines", "columns": [*KEYS, "amount", "document", "counterparty", "period"],
            "where": [{"period": "2027-P01 to 2027-P07"}]}  # fmt: skip
    with asking(ternwick, body) as asked:
        lines = [row for row in rows_of(asked) if inside(row)]
    with asking(ternwick, {**body, "rows": "entries", "columns": ["entity", "entry", "lines"]}, fence=fence) as asked:
        entries = rows_of(asked)
    assert Counter({(row["entity"], row["entry"]): int(row["lines"]) for row in entries}) == Counter(
        (row["entity"], row["entry"]) for row in lines
    )
    told = {
        "rows": "documents",
        "columns": ["entity", "document", "lines"],
        "where": [{"date": "2027-P01 to 2027-P07"}],
    }
    with asking(ternwick, told, fence=fence) as asked:
        documents = rows_of(asked)
    assert Counter({(row["entity"], row["document"]): int(row["lines"]) for row in documents}) == Counter(
        (row["entity"], row["document"]) for row in lines if row["document"]
    )
    with asking(ternwick, {"rows": "budgets", "columns": ["scenario", "period", *KEYS[:3], "amount"]}) as asked:
        every = rows_of(asked)
    with asking(
        ternwick, {"rows": "budgets", "columns": ["scenario", "period", *KEYS[:3], "amount"]}, fence=fence
    ) as asked:
        assert Counter(map(str, rows_of(asked))) == Counter(str(row) for row in every if inside(row))
    own = _balances_at_the_grain(ternwick, fence)
    _counterparties_inside(ternwick, fence, kept, inside, every, own)


def test_files_hold_what_the_rows_are(ternwick, tmp_path):
    fence = Fence.of("TF", "* except 5*", {"department": "under:100"}, sealed="6*")
    inside = visible(ternwick, fence)
    body = {"rows": "journal lines", "columns": [*KEYS, "amount"], "where": [{"period": "2027-P03 to 2027-P07"}]}
    with asking(ternwick, body) as asked:
        expected = Counter(tuple(row[name] for name in KEYS) for row in rows_of(asked) if inside(row))
    with asking(ternwick, body, fence=fence) as asked:
        path = tmp_path / "rows.csv"
        assert write(asked, "csv", path, timezone.localtime()).rows == sum(expected.values()) > 0
        found = list(csv.DictReader(io.StringIO(path.read_text())))
    assert Counter(
        tuple(row[name] for name in ("Entity", "Account", "Department", "Entry", "Line")) for row in found
    ) == (expected)


def test_who_gets_no_deeper_than_accounts_gets_balances_only(ternwick):
    deep = Fence(depth="accounts")
    for name in ("journal lines", "entries", "documents", "budgets"):
        told = pytest.raises(RulkaError, match="You see accounts, not")
        with told, asking(ternwick, {"rows": name, "columns": ["entity"]}, fence=deep):
            pass
    with asking(
        ternwick, {"rows": "balances", "columns": ["account"], "where": [{"period": "this"}]}, fence=deep
    ) as asked:
        assert asked.rows.count(asked.query) > 100


def test_a_pivot_adds_up_on_both_sides(ternwick):
    body = {
        "rows": "journal lines", "columns": ["account", "crossing", "amount", "document"],
        "where": [{"period": "2027-P05 to 2027-P07"}, {"account": "6*"}, {"entity": "TF"}],
        "layouts": [{"layout": how, "pivot": {"down": "account", "across": "crossing", "value": value, "how": how,
                                             "top": "5"}}
                    for how, value in (("sum", "amount"), ("count", "document"), ("distinct", "document"),
                                       ("average", "amount"), ("least", "amount"), ("most", "amount"))],
    }  # fmt: skip
    with asking(ternwick, body) as asked:
        rows = rows_of(asked)
        for layout in asked.extract.layouts:
            pivot = asked.rows.pivot(asked.query, asked_pivot(layout.pivot, asked.query))
            how, value = layout.pivot.how, layout.pivot.value
            assert len(pivot.down) == 5 and pivot.others == len({row["account"] for row in rows}) - 5
            for (account,) in pivot.down:
                own = [row for row in rows if row["account"] == account]
                assert pivot.row_totals[account,] == came_to(own, how, value)
                for (crossing,) in pivot.across:
                    cell = [row for row in own if row["crossing"] == crossing]
                    assert pivot.cells.get(((account,), (crossing,))) == (came_to(cell, how, value) if cell else None)
            assert pivot.total == came_to(rows, how, value)
            rest = [row for row in rows if (row["account"],) not in pivot.down]
            assert pivot.other_total == came_to(rest, how, value)
            for (crossing,) in pivot.across:
                of_rest = [row for row in rest if row["crossing"] == crossing]
                assert pivot.other_cells.get((crossing,)) == (came_to(of_rest, how, value) if of_rest else None)


def came_to(rows, how, value):
    """What a column of rows comes to, in minor units."""
    if how in ("count", "distinct"):
        texts = [row[value] for row in rows if row[value]]
        return len(texts) if how == "count" else len(set(texts))
    numbers = [int(Decimal(row[value]).scaleb(2)) for row in rows]
    if how == "sum":
        return sum(numbers)
    if how == "average":
        mean = Decimal(sum(numbers)) / len(numbers)
        return int(mean.quantize(Decimal(1), rounding="ROUND_HALF_UP"))
    return min(numbers) if how == "least" else max(numbers)


# former states ------------------------------------------------------------------------------------------------------


def test_a_former_revision_reads_as_it_was_and_news_are_what_moved(small, command, db):
    command("load_ledger", small(), ledger="s")
    ledger = Ledger.objects.get(code="s")
    body = {"rows": "journal lines", "columns": ["date", "entity", "entry", "line", "account", "amount"],
            "where": [{"account": "1*, 4*, 5*"}]}  # fmt: skip
    with asking(ledger, body, period="2026-P01") as asked:
        before = rows_of(asked)
    changed = SMALL["entries.csv"].replace("30.00", "31.00").replace(
        "A,E3,1,2026-01-10,1000,,50.00,,Sale,D3,,,\nA,E3,2,2026-01-10,4100,11,,50.00,Sale,D3,,,\n", ""
    )  # fmt: skip
    changed += "A,E4,1,2026-01-11,1000,,7.00,,Sale,D4,,,\nA,E4,2,2026-01-11,4100,11,,7.00,Sale,D4,,,\n"
    changed += "A,E3,1,2026-01-10,1000,,50.00,,Sale,D3,,,\nA,E3,2,2026-01-10,4000,11,,50.00,Sale,D3,,,\n"
    command("load_ledger", small(entries__csv=changed), ledger="s")
    ledger.refresh_from_db()
    assert ledger.revision == 2
    with asking(ledger, body, period="2026-P01", revision=1) as asked:
        assert sorted(map(str, rows_of(asked))) == sorted(map(str, before))
    definition = extract_from({"extract": "x", **body})
    for fence, expected in (
        (NO_FENCE, {("new", "E4"): 2, ("changed", "E2"): 2, ("changed", "E3"): 1}),
        (Fence.of(accounts="1000"), {("new", "E4"): 1, ("changed", "E2"): 1}),
    ):
        found = news(definition, ExtractReader(ledger, fence, "2026-P01"), {}, 1)
        told = Counter((one.what, one.row[2]) for one in found.found.rows)
        assert told == expected
        assert (found.first, found.last) == (1, 2)
    at = next(at for at, one in enumerate(found.found.rows) if one.what == "changed")
    assert found.was(at) == "Amount was -30.00"
    # what a condition lets through no more is gone from there, and comes where it now is
    sales = extract_from({"extract": "x", **body, "where": [{"account": "4100"}]})
    found = news(sales, ExtractReader(ledger, NO_FENCE, "2026-P01"), {}, 1)
    assert sorted((one.what, one.row[2]) for one in found.found.rows) == [("gone", "E3"), ("new", "E4")]
    # rows put together are compared by what they are put together by
    sums = extract_from({"extract": "x", **body, "columns": ["account", {"column": "amount", "total": "sum"}]})
    found = news(sums, ExtractReader(ledger, NO_FENCE, "2026-P01"), {}, 1)
    assert {one.row[0]: one.what for one in found.found.rows} == {
        "1000": "changed", "4000": "changed", "4100": "changed", "5000": "changed",
    }  # fmt: skip
