"""What can be done to the engine's statements: freeze, rename with shares, run for nodes, export, and their pages."""

from __future__ import annotations

import io
import json
import re
from collections import defaultdict
from itertools import takewhile

import openpyxl
import pytest
from django.core.management.base import CommandError

from rulka.core.books.fence import Fence
from rulka.core.edits.settings import set_line
from rulka.formats.definition_file import read_definitions
from rulka.ledger.reading.queries import view_of
from rulka.people.models import Person
from rulka.statements.editing import edit as editing
from rulka.statements.library.assemble import definitions_of
from tests.statements.test_demo_engine import SHIPPED

pytestmark = pytest.mark.django_db
OCTOBER = {"ledger": "ternwick", "period": "2027-P07"}


@pytest.fixture
def accountant(ternwick):
    return Person.objects.get(username="accountant")


@pytest.fixture
def signed_in(client, accountant):
    client.force_login(accountant)
    return client


def values(result, kind=None):
    return {
        line["label"]: line["values"]
        for line in result["lines"]
        if not line.get("hidden") and (kind is None or line["kind"] == kind)
    }


def test_frozen_line_shows_the_same_rows_and_no_new_ones(ternwick, command):
    before = json.loads(command("run_statement", "overhead-by-department", **OCTOBER))
    told = command("freeze_line", "overhead-by-department", "by-department", **OCTOBER)
    assert told.strip() == "By department frozen into 4 lines"
    after = json.loads(command("run_statement", "overhead-by-department", **OCTOBER))
    expanded = {
        line["label"]: line["values"]
        for line in before["lines"]
        if line["key"].startswith("by-department:") and not line.get("hidden")
    }
    assert len(expanded) == 4 and {label: values(after, "line")[label] for label in expanded} == expanded
    assert values(before)["Total office and systems"] == values(after)["Total office and systems"]
    assert "department: 410" in command("dump_statement", "overhead-by-department", ledger="ternwick")


@pytest.mark.parametrize(
    ("statement", "line", "message"),
    [
        ("income-statement", "fuel", "line Fuel: It doesn't expand, so there is nothing to freeze."),
        ("journal-listing", "accounts-and-entries", "Entries and counterparties can't be frozen."),
        (
            "overhead-by-department",
            "by-departmnt",
            "Line 'by-departmnt' does not exist. Perhaps somebody deleted it. Did you mean by-department",
        ),
    ],
)
def test_what_cannot_be_frozen_says_why_and_changes_nothing(statement, line, message, ternwick, command):
    before = command("dump_statement", statement, ledger="ternwick")
    with pytest.raises(CommandError, match=re.escape(message)):
        command("freeze_line", statement, line, **OCTOBER)
    assert command("dump_statement", statement, ledger="ternwick") == before


def test_share_follows_its_line_when_that_is_renamed_and_when_that_is_undone(ternwick, accountant, command):
    before = values(json.loads(command("run_statement", "outlook", **OCTOBER)))["Fuel"]
    view = view_of(ternwick, Fence())
    sight = editing.EditSight(view, view.frame.calendar.period("2027-P07"), "TF")

    def rename(parts):
        return set_line(parts.change("spine"), "income", "total", "All that came in", parts.beside())

    outlook = definitions_of(ternwick, "outlook")
    editing.change_statement(outlook, rename, person=accountant, sight=sight, share={"spine": "all"})
    assert values(json.loads(command("run_statement", "outlook", **OCTOBER)))["Fuel"] == before
    editing.undo(outlook["statement"], person=accountant)
    assert values(json.loads(command("run_statement", "outlook", **OCTOBER)))["Fuel"] == before


def _figures_by_label(sheet, labels):
    """The figures of each label, wherever it stands: those behind it up to the next label, and all of its row."""
    found = defaultdict(list)
    for row in sheet.iter_rows(min_row=8):
        for at, cell in enumerate(row):
            if cell.value in labels:
                behind = takewhile(lambda one: one.value not in labels, row[at + 1 :])
                for cells in (behind, row):
                    found[cell.value].append([one.value for one in cells if isinstance(one.value, (int, float))])
    return found


@pytest.mark.filterwarnings("ignore:Sparkline Group extension")  # the reader of this test can't, spreadsheets can
@pytest.mark.parametrize("name", SHIPPED)
@pytest.mark.parametrize("form", ["xlsx", "html", "csv"])
def test_every_shipped_statement_exports_with_its_figures(name, form, ternwick, signed_in):
    response = signed_in.get(f"/statements/{name}/export/{form}/?period=2027-P07&node=TF")
    assert response.status_code == 200
    exact = json.loads(signed_in.get(f"/statements/{name}/export/json/?period=2027-P07&node=TF").content)
    shown = [
        line
        for line in exact["lines"]
        if not line.get("hidden") and line["kind"] in ("line", "total", "calculation", "account", "member")
    ]
    if form == "xlsx":
        sheet = openpyxl.load_workbook(io.BytesIO(response.content), data_only=True).active
        told = _figures_by_label(sheet, {line["label"] for line in exact["lines"]})
        for line in exact["lines"]:
            wanted = [float(value) for value in line["values"] if value is not None]
            assert any(one == pytest.approx(wanted, rel=1e-12, abs=1e-6) for one in told[line["label"]]), line["label"]
    else:
        text = response.content.decode().replace("&#x27;", "'").replace("&amp;", "&")
        assert all(line["label"] in text for line in shown)


@pytest.mark.parametrize("name", SHIPPED)
def test_every_shipped_statement_has_its_page(name, ternwick, signed_in):
    page = signed_in.get(f"/statements/{name}/?period=2027-P07&node=TF").content.decode()
    assert 'id="figures"' in page and "incident" not in page


def test_page_of_a_node_of_the_scope_shows_that_node(ternwick, signed_in, command):
    page = signed_in.get("/statements/department-results/?period=2027-P07&node=TF&of=110").content.decode()
    assert re.search(r'<option value="110" selected>', page)
    exact = values(json.loads(command("run_statement", "department-results", node="110", **OCTOBER)))
    assert exact["Insurance"][0] == "-28000.00" and "−28.0" in page
    refused = signed_in.get("/statements/department-results/?period=2027-P07&of=999")
    assert refused.status_code == 404 and "Node &#x27;999&#x27; does not exist" in refused.content.decode()


def test_two_panels_stand_side_by_side_with_the_same_number_of_rows(ternwick, signed_in):
    page = signed_in.get("/statements/balance-sheet-sides/?period=2027-P07&node=TF").content.decode()
    left, right = page.split('<table class="figures')[1:3]
    assert (
        left.count("<tr ") == right.count("<tr ") and "Total assets" in left and "Total equity and liabilities" in right
    )


def test_scope_is_loaded_and_dumped_with_its_statement(ternwick, command):
    text = command("dump_statement", "department-results", ledger="ternwick")
    assert {"statement", "spine", "span", "scope"} == {next(iter(body)) for body in read_definitions(text)}


def test_ships_lead_sees_only_nodes_inside_of_the_fence(ternwick, client):
    client.force_login(Person.objects.get(username="ships-lead"))
    page = client.get("/statements/department-results/?period=2027-P07").content.decode()
    codes = re.findall(r'<option value="([^"]+)"', page)
    assert set(codes) == {"TF", "100", "110", "120", "130"}
