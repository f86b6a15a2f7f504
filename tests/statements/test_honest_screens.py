"""What screens and files say of what they show: a part of the whole, several currencies, selections without a meaning,
periods beyond the calendar."""

from __future__ import annotations

import csv
import io
import json
from fractions import Fraction

import openpyxl
import pytest
from django.core.management import call_command
from django.urls import reverse
from pypdf import PdfReader

from rulka.people.models import Person
from rulka.work.models import Output
from tests.pages import flat
from tests.statements.test_editing import FRAGMENT, address, body, edit, page

pytestmark = pytest.mark.django_db


def sign_in(client, username):
    client.force_login(Person.objects.get(username=username))
    return client


@pytest.fixture
def accountant(ternwick, client):
    return sign_in(client, "accountant")


# a part of the whole --------------------------------------------------------------------------------------------------

PART = "Part of the whole: department Ships"


def contents(client, form, name="balance-sheet"):
    response = client.get(address("download", name, form))
    assert response.status_code == 200
    if form == "pdf":
        return " ".join(PdfReader(io.BytesIO(response.content)).pages[0].extract_text().split())
    if form == "xlsx":
        book = openpyxl.load_workbook(io.BytesIO(response.content))
        text = " | ".join(
            str(cell) for sheet in book for row in sheet.iter_rows(values_only=True) for cell in row if cell
        )
        book.close()
        return text
    return response.content.decode()


def test_a_reader_of_a_part_sees_so_on_every_page_and_in_every_file(ternwick, client):
    lead = sign_in(client, "ships-lead")
    for path in (
        address("statement", "balance-sheet"),
        address("ledger-journal"),
        address("ledger"),
        address("statement", "balance-sheet", period="2099-P01"),
    ):
        assert "<b>Part of the whole:</b> department Ships" in lead.get(path).content.decode(), path
    assert PART in contents(lead, "pdf") and PART in contents(lead, "html") and PART in contents(lead, "csv")
    told = contents(lead, "xlsx")
    assert "part of the whole: department Ships" in told and "Not judged: Every account is placed" in told
    run = json.loads(contents(lead, "json"))
    assert run["part"] == "department Ships"
    states = {check["code"]: check["state"] for check in run["footing"]}
    assert {
        states[code]
        for code in ("placed", "placed-once", "ledger-tie", "ledger-balance", "result", "own-check", "fence")
    } == {"not judged"}
    shown = lead.get(address("statement", "balance-sheet")).content.decode()
    assert "Not judged: " in shown and "Foots" not in shown
    sign_in(client, "accountant")
    assert "Part of the whole" not in client.get(address("statement", "balance-sheet")).content.decode()
    assert "part of the whole" not in contents(client, "xlsx") and "part" not in json.loads(contents(client, "json"))


def test_a_part_is_never_told_to_place_what_it_may_not_see(ternwick, client):
    lead = sign_in(client, "ships-lead")
    assert lead.get(address("statement", "income-statement")).context["marks"].get("office-and-systems") is None


# periods --------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "typed", ["Oct 2026", "october 2026", "oct 26", "2027-P07", "2027-p07", "2026-10", " October  2026 "]
)
def test_a_period_is_found_by_name_or_code(typed, accountant):
    to = reverse("statement", args=["balance-sheet"])
    response = accountant.get(
        reverse("periods"), {"go": "yes", "typed": typed, "to": to, "node": "TF", "panel": "footing"}
    )
    assert response.status_code == 302 and response["Location"] == f"{to}?node=TF&panel=footing&period=2027-P07"


def test_what_is_no_period_is_said_beside_the_field_with_a_list(accountant):
    response = accountant.get(reverse("periods"), {"go": "yes", "typed": "Okt 2026", "to": "/statements/"})
    text = response.content.decode()
    assert (
        response.status_code == 422
        and "&#x27;Okt 2026&#x27; is not a period of this ledger. Its calendar runs from 2024-P01, April 2023" in text
    )
    assert sum(len(inside) for _, inside in response.context["years"]) == 48 and 'aria-invalid="true"' in text
    listed = accountant.get(reverse("periods"), {"typed": "Oct", "to": "/statements/"}, headers=FRAGMENT).context[
        "years"
    ]
    assert [period.code for _, inside in listed for period in inside] == [
        "2027-P07",
        "2026-P07",
        "2025-P07",
        "2024-P07",
    ]
    away = accountant.get(reverse("periods"), {"go": "yes", "typed": "2027-P07", "to": "https://example.org/"})
    assert away["Location"] == "/statements/?period=2027-P07"


def test_error_pages_have_the_period_to_step(accountant):
    accountant.get(address("statement", "balance-sheet"))
    text = accountant.get(address("statement", "balance-sheet", period="2031-P01")).content.decode()
    assert "This can&#x27;t be shown" in text or "This can't be shown" in text
    assert 'id="step-back"' in text and "September 2026" in text and 'id="period-open"' in text
    assert 'id="step-back"' in accountant.get(address("statement", "nothing-of-that-name")).content.decode()


def test_steps_keep_node_and_what_stands_beside(accountant):
    text = accountant.get(address("statement", "balance-sheet", beside="TQ")).content.decode()
    assert "beside=TQ&amp;period=2027-P08" in text


# nodes side by side ---------------------------------------------------------------------------------------------------


def test_nodes_in_different_currencies_say_them_on_page_trace_clipboard_and_files(accountant):
    shown = page(accountant, "balance-sheet", beside="NF,TQ").context["shown"]
    assert [group.title for group in shown.heads[0]] == [
        "Ternwick Ferries, EUR",
        "Norrsund Fraktlinje, SEK",
        "Ternwick Quays, EUR",
    ] and shown.unit == "EUR | SEK"
    traced = accountant.get(
        address("statement-panel", "balance-sheet", panel="trace", row="cash-and-bank", column="now", at="NF")
    ).content.decode()
    assert "Norrsund Fraktlinje, SEK" in traced
    table = accountant.get(address("statement-table", "balance-sheet", beside="NF")).json()["text"]
    head = table.splitlines()[0].split("\t")
    assert (
        sum("Ternwick Ferries, EUR" in cell for cell in head)
        == sum("Norrsund Fraktlinje, SEK" in cell for cell in head)
        > 0
    )
    own = [
        json.loads(accountant.get(address("download", "balance-sheet", "json", node=node)).content)
        for node in ("TF", "NF")
    ]
    both = json.loads(accountant.get(address("download", "balance-sheet", "json", beside="NF")).content)["pages"]
    assert [one["lines"] for one in both] == [one["lines"] for one in own] and [one["currency"] for one in both] == [
        "EUR",
        "SEK",
    ]
    cash = next(line for line in own[1]["lines"] if line["key"] == "cash-and-bank")["values"][0]
    row = next(line.split("\t") for line in table.splitlines() if "Cash and bank" in line)
    assert Fraction(row[1 + (len(row) - 1) // 2]) == round(
        Fraction(cash), 0 if "." not in row[1] else len(row[1].split(".")[1])
    )


def test_translation_is_offered_where_a_group_mixes_currencies(accountant):
    text = flat(page(accountant, "balance-sheet", panel="nodes").content.decode())
    assert (
        "Ternwick Ferries group (mixed currencies)" in text
        and text.count("Translate into EUR") == 1
        and "Translate groups into EUR" in text
    )
    after = edit(accountant, "balance-sheet", "statement-change", path="currency", value="group")
    assert body("statement", "balance-sheet")["currency"] == "group" and "into EUR<" not in after.content.decode()
    group = page(accountant, "balance-sheet").context["outcome"].computed.node
    assert (group.code, group.currency) == ("group", "EUR")
    sign_in(accountant, "director")
    assert "into EUR<" not in page(accountant, "income-statement").content.decode()  # who only reads changes nothing


# selections -----------------------------------------------------------------------------------------------------------

MEANT = {
    "4000-4999": "&#x27;4000-4999&#x27; matches no account; did you mean 4000 to 4999?",
    "4000..4999": "&#x27;4000..4999&#x27; matches no account; did you mean 4000 to 4999?",
    "66xx": "&#x27;66xx&#x27; matches no account; did you mean 66*?",
    "6110; department: 110-120": "&#x27;110-120&#x27; matches no department; did you mean 110 to 120?",
    "6110; source: tickts": "&#x27;tickts&#x27; matches no source; did you mean tickets?",
}


@pytest.mark.parametrize("text", MEANT)
def test_text_that_means_nothing_is_told_while_it_is_typed_and_when_it_is_set(text, accountant):
    given = {"do": "line-change", "path": "accounts", "key": "fuel", "value": text}
    note = accountant.post(address("check-edit", "income-statement"), given, headers=FRAGMENT).content.decode()
    assert MEANT[text] in note and 'class="warned"' in note
    after = edit(
        accountant, "income-statement", "line-change", key="fuel", path="accounts", value=text, **{"share-spine": "all"}
    ).content.decode()
    assert 'class="done"' not in after and MEANT[text] in after and "Every selection means something" in after
    assert (
        "such as 1010 to" in page(accountant, "income-statement", panel="line", row="fuel").content.decode()
    )  # an example beside the field


def test_a_selection_says_how_many_accounts_it_means(accountant):
    given = {"do": "line-change", "path": "accounts", "key": "fuel", "value": "6110 to 6199 only category:fuel"}
    note = flat(accountant.post(address("check-edit", "income-statement"), given, headers=FRAGMENT).content.decode())
    assert "3 accounts: 6110 Marine diesel, 6120 Lubricants" in note and "warned" not in note


def test_a_column_narrowed_to_nobody_is_told(accountant):
    after = edit(
        accountant,
        "income-statement",
        "column-change",
        key="actual",
        path="narrow",
        value="department: 999",
        **{"share-span": "all"},
    ).content.decode()
    assert "matches no department" in after and 'class="done"' not in after


def test_the_journal_says_what_its_filter_means_nothing_by(accountant):
    text = accountant.get(reverse("ledger-journal"), {"accounts": "6110-6120"}).content.decode()
    assert "matches no account; did you mean 6110 to 6120?" in text and "No line fits" in text


# the page -------------------------------------------------------------------------------------------------------------


def test_the_preview_ends_with_its_statement(accountant):
    assert page(accountant, "balance-sheet", paper="yes").context["paper_pages"]
    assert page(accountant, "balance-sheet").context["paper_pages"]
    assert not page(accountant, "income-statement").context["paper_pages"]


def test_depth_that_is_chosen_is_printed_in_the_background_where_it_is_long(accountant):
    edit(accountant, "income-statement", "statement-change", path="depth", value="accounts")
    pages = PdfReader(io.BytesIO(accountant.get(address("download", "income-statement", "pdf")).content)).pages
    assert "6110 Marine diesel" in " ".join(" ".join(one.extract_text() for one in pages).split())
    edit(accountant, "income-statement", "statement-change", path="depth", value="entries")
    preview = page(accountant, "income-statement", paper="yes")
    assert 3 < len(preview.context["paper_pages"]) < 40  # the first rows only: nobody waits for all of it
    response = accountant.get(address("download", "income-statement", "pdf"))
    output = Output.objects.get()
    assert (
        response.status_code == 302
        and reverse("output", args=[output.pk]) in response["Location"]
        and (output.pages, output.node) == ("node", "TF")
    )


def test_add_right_of_a_series_total_adds_there(accountant):
    shown = page(accountant, "income-by-department").context["shown"]
    total = next(column for column in shown.columns if column.key.startswith("departments-total"))
    after = edit(
        accountant,
        "income-by-department",
        "column-add",
        where="below",
        columns=total.written,
        kind="figures",
        **{"share-span": "all"},
    )
    columns = [
        raw.get("column", raw.get("series"))
        for raw in body("span", body("statement", "income-by-department")["span"])["columns"]
    ]
    keys = [column.key for column in after.context["outcome"].computed.columns]
    assert (
        columns.index("figures") == columns.index("departments") + 1
        and keys.index("figures") == keys.index(total.key) + 1
    )


def test_a_line_that_expands_keeps_its_own_row_and_total(accountant):
    before = page(accountant, "income-statement").context["outcome"].computed.row("fuel").values
    after = edit(
        accountant,
        "income-statement",
        "line-change",
        key="fuel",
        path="expand",
        value="accounts",
        **{"share-spine": "all"},
    )
    computed = after.context["outcome"].computed
    below = [row for row in computed.rows if row.line == "fuel" and row.account]
    assert computed.row("fuel").values == before and len(below) == 3
    assert sum(row.values[0] for row in below) == before[0]
    assert "rows" in next(
        line
        for section in body("spine", "income-statement")["lines"]
        for line in section.get("lines", ())
        if line.get("line") == "Fuel"
    )
    whole = (
        edit(accountant, "income-statement", "line-change", key="fuel", path="expand", value="")
        .context["outcome"]
        .computed
    )
    assert [row.key for row in whole.rows if row.line == "fuel"] == ["fuel"]


def test_an_edition_tells_how_it_footed_then(accountant):
    accountant.post(address("keep-edition", "income-by-month"), {"title": "October"})
    from rulka.statements.models import Edition

    edition = Edition.objects.get()
    text = accountant.get(reverse("edition", args=[edition.pk])).content.decode()
    assert "Fails: Every account is placed, Ties to the ledger" in text
    edition.run["footing"] = [
        {"check": "Totals foot", "ok": True, "detail": ""},
        {"check": "Fence", "ok": True, "detail": "You see a part."},
    ]
    edition.save()
    assert "Not judged: Fence" in accountant.get(reverse("edition", args=[edition.pk])).content.decode()


def test_csv_of_a_part_says_so_in_its_last_rows(ternwick, client):
    rows = list(csv.reader(io.StringIO(contents(sign_in(client, "ships-lead"), "csv"))))
    assert rows[-2][0] == PART and len(rows[-2]) == len(rows[-1]) == len(rows[0])


def test_footing_command_tells_states_codes_and_the_sentence(ternwick, command):
    told = command("footing", "cash-flow", ledger="ternwick", period="2027-P07")
    assert "holds       totals          Totals foot" in told and told.endswith("Foots: every check holds\n")
    adds_up = command("footing", "cash-roll-forward", ledger="ternwick", period="2027-P07")
    assert adds_up.endswith("Adds up; places no accounts by design\n")
    with pytest.raises(SystemExit) as caught:
        call_command(
            "footing", "cash-flow", ledger="ternwick", period="2027-P07", person="ships-lead", stdout=io.StringIO()
        )
    assert caught.value.code == 4
