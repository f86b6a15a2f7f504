"""Pages of the ledger: figures against the oracle, every filter, paging by key, exports, fences and seals."""

from __future__ import annotations

import csv
import html
import io
import json
import re
from decimal import ROUND_HALF_UP, Decimal
from urllib.parse import parse_qsl

import lxml.html
import openpyxl
import pytest
from django.urls import reverse

from rulka.core.books.fence import NO_FENCE
from rulka.core.proof.splits import open_figure, split
from rulka.core.proof.trace import trace_cell
from rulka.ledger.models import ClosedPeriod, JournalEntry, JournalLine, Ledger
from rulka.ledger.pages import pieces
from rulka.ledger.reading.history import view_at
from rulka.ledger.reading.journal import Journal, JournalFilter
from rulka.ledger.reading.queries import view_of
from rulka.ledger.reading.trace_lines import LineQuery, TraceLines
from rulka.people.models import Person
from rulka.statements.library.assemble import definitions_of
from rulka.statements.running.runs import run
from tests.conftest import SMALL
from tests.oracle import Oracle
from tests.pages import flat, tight

pytestmark = pytest.mark.django_db


@pytest.fixture
def lines(demo_folder):
    return Oracle(demo_folder / "ledger", demo_folder / "news").lines


def as_(client, username):
    client.force_login(Person.objects.get(username=username))
    return client


def get(client, name, *arguments, status=200, **query):
    response = client.get(reverse(name, args=arguments), query)
    assert response.status_code == status
    page = response.content.decode()
    return flat(page) if response["Content-Type"].startswith("text/html") else page


FILTERS = {
    "accounts": ({"accounts": "61*"}, lambda one: one["account"].startswith("61")),
    "entity and periods": (
        {"entities": "NF", "first": "2026-P11", "last": "2027-P02"},
        lambda one: one["entity"] == "NF" and (2026, 11) <= one["p"] <= (2027, 2),
    ),
    "member": ({"members": {"department": "under:200"}}, lambda one: one["department"] in ("200", "210", "220", "230")),
    "document": ({"document": "I-1481"}, lambda one: one["document"] == "I-1481"),
    "counterparty": ({"counterparty": "K002"}, lambda one: one["counterparty"] == "K002"),
    "counterparty and account": (
        {"counterparty": "K002", "accounts": "6120"},
        lambda one: one["counterparty"] == "K002" and one["account"] == "6120",
    ),
    "text": (
        {"search": "lubricants"},
        lambda one: any(
            "lubricants" in one[name].lower()
            for name in ("description", "document", "counterparty", "counterparty_name", "entry")
        ),
    ),
    "text with a percent sign": ({"search": "100%"}, lambda one: "100%" in one["description"]),
    "pending": ({"status": "pending"}, lambda one: one["status"] == "pending"),
    "posted of a user": (
        {"status": "posted", "user": "gl.desk"},
        lambda one: one["status"] != "pending" and one["user"] == "gl.desk",
    ),
    "openings": ({"kind": "opening"}, lambda one: one["kind"] == "opening"),
    "closings": ({"kind": "closing"}, lambda one: one["kind"] == "closing"),
    "amounts": (
        {"least": "250000.5", "most": "400000"},
        lambda one: Decimal("250000.5") <= abs(one["amount"]) <= 400000,
    ),
    "partner": ({"partner": "TQ"}, lambda one: one["partner_entity"] == "TQ"),
    "source": ({"source": "bank", "first": "2027-P07"}, lambda one: one["source"] == "bank" and one["p"] >= (2027, 7)),
    "entry": ({"entry": "TF-GE2304-0001"}, lambda one: one["entry"] == "TF-GE2304-0001"),
    "all": ({}, lambda one: True),
}


@pytest.mark.parametrize("case", FILTERS)
def test_count_and_sums_of_any_filter_equal_loops_over_the_files(case, ternwick, lines):
    asked, fits = FILTERS[case]
    journal = Journal(view_of(ternwick, NO_FENCE), ternwick, JournalFilter(**asked))
    expected = [one for one in lines if fits(one)]
    count, sums = journal.totals()
    assert count == len(expected)
    types = {account.code: account.type for account in ternwick.accounts.all()}
    currency = {"TF": "EUR", "TQ": "EUR", "NF": "SEK"}
    for code, debit, credit, _ in sums:
        own = [
            one
            for one in expected
            if (types[one["account"]] == "statistical") == (code == "")
            and (not code or currency[one["entity"]] == code)
        ]
        assert Decimal(debit.numerator) / debit.denominator == sum(
            (Decimal(one["debit"] or 0) for one in own), Decimal(0)
        )
        assert Decimal(credit.numerator) / credit.denominator == sum(
            (Decimal(one["credit"] or 0) for one in own), Decimal(0)
        )
    page = journal.page(size=40)
    assert len(page.rows) == min(40, len(expected))


def test_pages_by_key_go_through_everything_once_and_back(ternwick):
    journal = Journal(view_of(ternwick, NO_FENCE), ternwick, JournalFilter(accounts="6*", entities="TF"))
    seen, key, pages = [], "", []
    while True:
        page = journal.page(after=key, size=700)
        pages.append(page)
        seen += [(row.entry, row.line) for row in page.rows]
        key = page.after
        if not key:
            break
    assert len(seen) == len(set(seen)) == journal.totals()[0] > 1_900
    assert [(row.date) for page in pages for row in page.rows] == sorted(
        row.date for page in pages for row in page.rows
    )
    assert journal.page(end=True, size=700).rows[-1] == pages[-1].rows[-1]
    assert journal.page(before=pages[2].before, size=700).rows == pages[1].rows
    assert [(row.entry, row.line) for row in journal.every(size=999)] == seen


def test_journal_page_shows_filter_sums_and_errors(ternwick, client):
    page = get(as_(client, "accountant"), "ledger-journal", accounts="6110", first="2027-P07", last="2027-P07")
    assert "Northpier Bunkers" in page and "Later lines" not in page
    assert "is not a period of this ledger" in get(client, "ledger-journal", first="2031-P01", status=422)
    assert "is not a number" in get(client, "ledger-journal", least="x", status=422)
    assert "No line fits" in get(client, "ledger-journal", document="nothing")
    assert "is no place in the journal" in get(client, "ledger-journal", after="x", status=422)


def test_journal_exports_what_is_shown(ternwick, client, lines):
    expected = [one for one in lines if one["account"] == "6120" and one["p"] >= (2027, 1)]
    response = as_(client, "accountant").get(
        reverse("journal-export", args=["csv"]), {"accounts": "6120", "first": "2027-P01"}
    )
    *rows, foot = csv.DictReader(io.StringIO(b"".join(response.streaming_content).decode()))
    assert foot["entity"].startswith("Origin R-") and not any(list(foot.values())[1:])
    assert sum(Decimal(row["debit"] or 0) for row in rows) == sum(Decimal(one["debit"] or 0) for one in expected)
    assert {row["entry"] for row in rows} == {one["entry"] for one in expected}
    response = client.get(reverse("journal-export", args=["xlsx"]), {"accounts": "6120", "first": "2027-P01"})
    book = openpyxl.load_workbook(io.BytesIO(response.content))
    assert book.active.max_row == len(expected) + 2 and isinstance(book.active["I2"].value, (int, float))
    book.close()


def test_sealed_lines_are_in_no_journal_page_csv_or_workbook(ternwick, client, lines):
    """5010 to 5040 are sealed for the director; 5110 is not."""
    asked = {"accounts": "5010 to 5110", "first": "2027-P07", "last": "2027-P07"}
    inside = [one for one in lines if "5010" <= one["account"] <= "5110" and one["p"] == (2027, 7)]
    sealed = [one for one in inside if one["account"] <= "5040"]
    open_ones = [one for one in inside if one["account"] > "5040"]
    assert sealed and open_ones

    def told(username):
        as_(client, username)
        page = get(client, "ledger-journal", **asked)
        text = b"".join(client.get(reverse("journal-export", args=["csv"]), asked).streaming_content).decode()
        book = openpyxl.load_workbook(io.BytesIO(client.get(reverse("journal-export", args=["xlsx"]), asked).content))
        rows = [[str(cell) for cell in row] for row in book.active.iter_rows(min_row=2, values_only=True)]
        book.close()
        accounts = [row["account"] for row in csv.DictReader(io.StringIO(text))]
        return page, accounts[:-1], [row[5] for row in rows[:-1]], text

    page, of_csv, of_book, text = told("director")
    assert sorted(of_csv) == sorted(of_book) == sorted(one["account"] for one in open_ones)
    assert f"<b>{len(open_ones)}</b> line" in page and "lines of sealed accounts are not listed" in page
    assert f"{len(sealed)} line" not in page  # how many there are is finer than the grain
    for one in sealed:
        assert one["description"] not in text or one["description"] in {other["description"] for other in open_ones}
    assert not any(
        one["description"] in page
        for one in sealed
        if one["description"] not in {other["description"] for other in open_ones}
    )
    _, of_csv, of_book, _ = told("accountant")  # who may open the seal
    assert sorted(of_csv) == sorted(of_book) == sorted(one["account"] for one in inside)


def test_fence_and_seal_hold_in_every_page(ternwick, client, lines):
    """The ships' lead sees the ships' departments only, the director everything but what is sealed."""
    page = get(as_(client, "ships-lead"), "ledger-journal", accounts="7*")
    inside = [
        one for one in lines if one["account"].startswith("7") and one["department"] in ("100", "110", "120", "130")
    ]
    assert inside and f"<b>{len(inside)}</b> line" in page
    assert "sealed accounts are not listed" in get(client, "ledger-journal", accounts="5010")
    for name in ("feeds", "load"):
        assert "you see a part of it" in get(client, name, *([1] if name == "load" else []), status=422)
    ships = {(one["entity"], one["entry"]) for one in lines if one["department"] in ("100", "110", "120", "130")}
    other = next(one for one in lines if one["department"] == "410" and (one["entity"], one["entry"]) not in ships)
    get(client, "ledger-entry", other["entity"], other["entry"], status=404)
    as_(client, "director")
    wages = next(one for one in lines if one["account"] == "5010")
    page = get(client, "ledger-entry", wages["entity"], wages["entry"])
    assert wages["description"] not in page and "outside of what you see" in page
    assert (
        "You may read this ledger"
        in client.post(reverse("close-period"), {"entity": "TF", "of": "2027-P07", "closed": "1"}).content.decode()
    )
    assert not ClosedPeriod.objects.exists()
    as_(client, "administrator")  # may edit, but opens no seals
    refused = client.post(reverse("ledger-entry", args=[wages["entity"], wages["entry"]]), {"status": "pending"})
    assert refused.status_code == 422 and "outside of what you see" in refused.content.decode()
    assert JournalEntry.objects.get(number=wages["entry"]).status == 0
    assert "Master data" not in get(as_(client, "ships-lead"), "revisions", **{"from": "0", "to": "1"})
    lead = Person.objects.get(username="ships-lead")
    lead.role = Person.Role.ACCOUNTANT
    lead.save()
    assert (
        "you see a part of it"
        in client.post(reverse("ledger-accounts") + "?account=6815", {"name": "x", "type": "expense"}).content.decode()
    )


def test_overview_counts_lines_and_closes_periods(ternwick, client, lines):
    page = get(as_(client, "accountant"), "ledger", period="2027-P06")
    count = sum(1 for one in lines if one["entity"] == "TQ" and one["p"] == (2027, 6))
    assert f">{count}</a>" in tight(page) and "Debits equal credits in every period" in page and "4 pending" in page
    types = {account.code: account.type for account in ternwick.accounts.all()}
    debit = sum(
        Decimal(one["debit"] or 0)
        for one in lines
        if one["entity"] == "TQ" and one["p"] == (2027, 6) and types[one["account"]] != "statistical"
    )
    assert f"{debit.quantize(Decimal(1), ROUND_HALF_UP):,}".replace(",", "\u00a0") in get(
        client, "ledger", period="2027-P06", show="debits"
    )
    client.post(
        reverse("close-period") + "?period=2027-P06", {"entity": "TQ", "of": "2027-P06", "closed": "1", "year": "2027"}
    )
    assert ClosedPeriod.objects.get().period == 202706
    assert "<small>closed</small>" in get(client, "ledger", period="2027-P06")
    asked = {"entity": "TQ", "of": "2027-P06", "closed": "0", "year": "2027"}
    refused = client.post(reverse("close-period") + "?period=2027-P06", asked)
    assert refused.status_code == 422 and "needs a reason" in refused.content.decode()
    client.post(reverse("close-period") + "?period=2027-P06", {**asked, "reason": "a late bill"})
    again = ClosedPeriod.objects.get()  # who closed it is kept, with who opened it and why
    assert again.opened and again.person == again.opener and again.reason == "a late bill"
    assert not ClosedPeriod.objects.standing().exists()
    page = get(client, "ledger", period="2027-P06")
    assert "a late bill" in page and "<small>closed</small>" not in page


def test_accounts_page_shows_use_and_placement_and_edits(ternwick, client):
    page = get(as_(client, "accountant"), "ledger-accounts", account="6815", period="2027-P07", node="TF")
    assert "Shore power" in page and "2027-P06" in page and "polyline" in page
    done = client.post(
        reverse("ledger-accounts") + "?account=6815",
        {"name": "Shore power", "type": "expense", "category": "energy", "parent": "6815"},
    )
    assert done.status_code == 422 and "circle" in done.content.decode()
    done = client.post(
        reverse("ledger-accounts") + "?account=6815",
        {"name": "Quay power", "type": "expense", "category": "energy", "parent": "6000", "active": "on"},
    )
    assert done.status_code == 302
    assert "Quay power" in get(client, "ledger-accounts", search="quay power")
    assert view_at(Ledger.objects.get(pk=ternwick.pk), 2, NO_FENCE).frame.accounts["6815"].name == "Shore power"
    assert "No account fits" in get(client, "ledger-accounts", search="zzz")


def test_members_scenarios_and_rates(ternwick, client):
    as_(client, "accountant")
    assert "Fleet workshop" in get(client, "ledger-members", dimension="department", member="310")
    done = client.post(
        reverse("ledger-members") + "?dimension=department&member=310", {"name": "Yard", "parent": "300"}
    )
    assert done.status_code == 302 and "Yard" in get(client, "ledger-members")
    assert (
        "circle"
        in client.post(
            reverse("ledger-members") + "?dimension=department&member=310", {"name": "Yard", "parent": "310"}
        ).content.decode()
    )
    page = get(client, "ledger-scenarios", one="budget", other="forecast", period="2027-P07", node="TF", whole="1")
    assert "Revenue and expense together" in page
    assert "11.2534" in get(client, "ledger-rates")


def test_trial_balance_leads_to_the_lines_that_make_up_each_amount(ternwick, client):
    """Every third account's debits and credits are what the journal behind their link adds up to, by department too."""
    as_(client, "accountant")
    for more in ({}, {"by": "department"}, {"pending": "1"}):
        asked = {"from": "2027-P06", "to": "2027-P07", "entity": "TF", **more}
        shown = lxml.html.fromstring(client.get(reverse("ledger-trial-balance"), asked).content)
        rows = shown.xpath("//table[contains(@class, 'rows tb')]/tbody/tr")
        followed = 0
        for row in rows[:: 3 if not more else 25]:
            debit, credit = (cell.text_content().strip() for cell in row.xpath("td[@class='n']")[1:3])
            ways = {link.get("href") for link in row.xpath("td[@class='n']/a")}
            if not ways:
                assert debit == credit == "\u2013", row.text_content()
                continue
            (way,) = ways
            sums = client.get(way).context["shown"].sums
            digits = [[re.sub(r"[^0-9]", "", text) for text in pair[1:]] for pair in sums]
            assert [re.sub(r"[^0-9]", "", text) or "0" for text in (debit, credit)] in digits, row.text_content()
            followed += 1
        assert followed > 2
    assert (
        "ledger/journal/?" not in get(client, "ledger-trial-balance", revision="1").partition('class="list rows tb')[2]
    )
    budget = get(client, "ledger-trial-balance", scenario="budget").partition('class="list rows tb')[2]
    assert budget and "kind=normal" not in budget, "the journal has no lines of a budget"


def test_trial_balance_page_breaks_down_goes_back_and_exports(ternwick, client, command):
    as_(client, "accountant")
    asked = {"entity": "TF", "from": "2027-P01", "to": "2027-P07"}
    assert "Debits equal credits" in get(client, "ledger-trial-balance", **asked)
    *rows, foot = csv.DictReader(io.StringIO(get(client, "trial-balance-export", "csv", **asked)))
    plain = {row["account"]: row for row in rows}
    assert foot["entity"].startswith("Origin R-")
    told = {
        row["account"]: row
        for row in csv.DictReader(
            io.StringIO(
                command("trial_balance", "--from", "2027-P01", "--to", "2027-P07", ledger="ternwick", entity="TF")
            )
        )
    }
    assert plain == told
    *parts, _ = csv.DictReader(io.StringIO(get(client, "trial-balance-export", "csv", **asked, by="department")))
    for name in ("opening", "debits", "credits", "closing"):
        for code, row in plain.items():
            assert sum(Decimal(part[name]) for part in parts if part["account"] == code) == Decimal(row[name])
    assert get(client, "trial-balance-export", "csv", **asked, revision="1") != get(
        client, "trial-balance-export", "csv", **asked
    )
    assert "as at revision 1" in get(client, "ledger-trial-balance", **asked, revision="1")
    assert "Revision 9 does not exist" in get(client, "ledger-trial-balance", **asked, revision="9", status=422)
    assert "is no dimension" in get(client, "ledger-trial-balance", **asked, by="ship", status=422)
    response = client.get(reverse("trial-balance-export", args=["xlsx"]), asked)
    book = openpyxl.load_workbook(io.BytesIO(response.content))
    assert book.active.max_row == len(plain) + 2
    book.close()


def test_revisions_page_compares(ternwick, client):
    page = get(as_(client, "accountant"), "revisions", **{"from": "1", "to": "2"})
    assert "TF-PA2607-L001" in page and "TF-GE2610-P001" in page
    assert "3 entries" in page and "Totals read" in page
    assert "is no whole number from 0 on" in get(client, "revisions", **{"from": "x", "to": "2"}, status=422)


def test_entity_with_a_calendar_of_its_own_is_read_by_either(small, command, client):
    calendars = {
        "April year": {
            "first_month": 4,
            "year_label": "end",
            "first_year": 2025,
            "last_year": 2027,
            "adjusting_periods": 1,
        }
    }
    entities = "code,name,currency,parent,calendar\nA,Small,EUR,,April year\nB,Sons,EUR,A,\n"
    command(
        "load_ledger",
        small(ledger__json={**SMALL["ledger.json"], "calendars": calendars}, entities__csv=entities),
        ledger="s",
    )
    own = {
        row["account"]: row["opening"]
        for row in csv.DictReader(
            io.StringIO(
                command(
                    "trial_balance", "--from", "2026-P01", "--to", "2026-P12", ledger="s", entity="A", calendar="own"
                )
            )
        )
    }
    # April 2025 to March 2026: the sale of January 2025 and the pay of February 2025 lie in the year before
    assert own == {"1000": "70.00", "3200": "-70.00", "4100": "0.00", "9000": "0.00"}
    group = {
        row["account"]: row["opening"]
        for row in csv.DictReader(
            io.StringIO(command("trial_balance", "--from", "2025-P01", "--to", "2025-P12", ledger="s", entity="A"))
        )
    }
    assert group == {"1000": "0.00", "4000": "0.00", "5000": "0.00"}
    with pytest.raises(Exception, match="B names no calendar of its own"):
        command("trial_balance", "--from", "2026-P01", "--to", "2026-P12", ledger="s", entity="B", calendar="own")
    assert JournalLine.objects.filter(entry__ledger__code="s").count() == 7


def _each_period_traces(ledger, computed):
    """Each figure and each period of it has its lines."""
    traced = 0
    for row in computed.rows:
        for column in computed.columns:
            assert trace_cell(computed, row.key, column.key).agrees
            whole = open_figure(computed, row.key, column.key)
            assert TraceLines.of(ledger, whole, LineQuery()).page().agrees
            for part in split(whole, "period").parts:
                opened = open_figure(computed, row.key, column.key, [("period", part.code)])
                page = TraceLines.of(ledger, opened, LineQuery()).page()
                assert page.agrees and page.count, (row.key, column.key, part)
                traced += 1
    return traced


def test_own_calendar_on_a_statement_traces_to_its_journal_lines(small, command, tmp_path):
    calendars = {
        "April year": {
            "first_month": 4,
            "year_label": "end",
            "first_year": 2025,
            "last_year": 2027,
            "adjusting_periods": 1,
        }
    }
    entities = "code,name,currency,parent,calendar\nA,Small,EUR,,April year\nB,Sons,EUR,A,\n"
    command(
        "load_ledger",
        small(ledger__json={**SMALL["ledger.json"], "calendars": calendars}, entities__csv=entities),
        ledger="s",
    )
    file = tmp_path / "own.yaml"
    file.write_text(
        "spine: own\ncovers: nothing\nlines:\n  - {line: Cash, accounts: '1000'}\n  - {line: Sales, accounts: "
        "'4*'}\n---\n"
        "span: own\ncolumns:\n  - {column: own, window: year to date, calendar: own}\n  - {column: stands, measure: "
        "closing, calendar: own}\n---\n"
        "statement: own\nspine: own\nspan: own\n"
    )
    command("load_statement", file, ledger="s")
    ledger = Ledger.objects.get(code="s")
    computed = run(definitions_of(ledger, "own"), "2026-P03", "A.rest", NO_FENCE).computed
    traced = _each_period_traces(ledger, computed)
    assert traced >= 3
    told = json.loads(command("run_statement", "own", ledger="s", period="2026-P03", node="A.rest"))
    assert [column["heading"] for column in told["columns"]] == [
        "own, calendar April year",
        "stands, calendar April year",
    ]


# long lists ---------------------------------------------------------------------------------------------------------

LISTS = {
    "accounts": ("ledger-accounts", {"unused": ""}),
    "trial balance": ("ledger-trial-balance", {}),
    "two scenarios": ("ledger-scenarios", {"one": "actual", "other": "budget", "whole": "1"}),
}


def body_rows(page: str) -> list[list[str]]:
    """The cells of all rows that are written, in their order."""
    tables = lxml.html.fromstring(f"<html><body><table>{page}</table></body></html>" if "<html" not in page else page)
    return [
        [" ".join(cell.text_content().split()) for cell in row]
        for row in tables.xpath("//table[not(@class) or contains(@class, 'rows')]/tbody[not(@class)]/tr")
    ]


@pytest.mark.parametrize("username", ["accountant", "ships-lead"])
@pytest.mark.parametrize("name", LISTS)
def test_pieces_of_a_long_list_are_the_whole_list(ternwick, client, monkeypatch, name, username):
    where, query = LISTS[name]
    query = query | {"period": "2027-P07"}
    person = as_(client, username)
    if username == "ships-lead" and name == "two scenarios":
        query |= {"node": "TF"}
    monkeypatch.setattr(pieces, "MANY", 10_000)
    whole = body_rows(get(person, where, **query))
    monkeypatch.setattr(pieces, "MANY", 8)
    monkeypatch.setattr(pieces, "SIZE", 7)
    first = get(person, where, **query)
    waiting = re.findall(r'<tbody class="waiting" hx-get="\?([^"]*)', first)
    assert len(whole) > 8 and waiting
    assert body_rows(get(person, where, **query, piece="all")) == whole
    found = {}
    for address in waiting:
        asked = dict(parse_qsl(html.unescape(address)))
        found[int(asked["piece"])] = body_rows(person.get(reverse(where), asked).content.decode())
    assert (0 not in found and sorted(found) == list(range(1, len(waiting) + 1))) or name == "trial balance"
    written = body_rows(first)
    assert sorted(written + [row for rows in found.values() for row in rows]) == sorted(whole)
    assert person.get(reverse(where), query | {"piece": "9999"}).status_code == 204
    assert person.get(reverse(where), query | {"piece": "x"}).status_code == 422


def test_the_account_that_was_chosen_is_written_wherever_it_stands(ternwick, client, monkeypatch):
    monkeypatch.setattr(pieces, "MANY", 10)
    monkeypatch.setattr(pieces, "SIZE", 7)
    page = get(as_(client, "accountant"), "ledger-accounts", period="2027-P07", account="6110")
    assert any(row[0].startswith("6110 ") for row in body_rows(page))
