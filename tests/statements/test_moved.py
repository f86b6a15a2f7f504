"""What moved: one row a line with the entries under it, between revisions, periods and editions."""

from __future__ import annotations

from decimal import Decimal

import pytest
from django.urls import reverse

from rulka.core.proof.moved import Moved, by_line
from rulka.people.models import Person
from rulka.statements.models import Edition
from tests.conftest import SMALL
from tests.web.world import DEFINITIONS

pytestmark = pytest.mark.django_db
WHERE = "?ledger=s&period=2026-P01&node=A"


def moved(row, label, was, now, column="c", unit="money", kind="line"):
    return Moved(row, label, kind, column, column, None if was is None else was, now, unit=unit)


def test_one_row_a_line_the_largest_first_its_columns_folded():
    found = by_line(
        [moved("a", "A", 1, 2), moved("a", "A", 1, 9, "d"), moved("a", "A", 1, 80, "p", "percent"),
         moved("b", "B", 5, -20), moved("t", "T", 0, 90, kind="total"), moved("x", "X", None, 4)],
        frozenset({"total"}),
    )  # fmt: skip
    assert [(line.row, line.is_sum, line.figure.column, len(line.others)) for line in found] == [
        ("t", True, "c", 0), ("b", False, "c", 0), ("a", False, "d", 2), ("x", False, "c", 0)
    ]  # fmt: skip


@pytest.fixture
def house(client, small, command, tmp_path):
    command("load_ledger", small(), ledger="s")
    (tmp_path / "definitions.yaml").write_text(DEFINITIONS)
    command("load_statement", tmp_path / "definitions.yaml", ledger="s")
    Person.objects.create(username="amy", role=Person.Role.ACCOUNTANT)
    return client


def opened(client, command):
    from rulka.ledger.models import Ledger
    from rulka.people.models import Access

    person = Person.objects.get(username="amy")
    Access.objects.get_or_create(person=person, ledger=Ledger.objects.get(code="s"))
    client.force_login(person)


def test_entries_come_first_then_the_lines_they_changed(house, small, command):
    opened(house, command)
    house.post(reverse("keep-edition", args=["result"]) + WHERE, {"title": "Kept"})
    command("load_ledger", small(entries__csv=SMALL["entries.csv"] + late_rows()), ledger="s")
    shown = house.get(reverse("edition", args=[Edition.objects.get().pk]) + WHERE + "&moved=yes")
    found = shown.context["moved"]
    assert [(entry.number, entry.document, entry.text) for entry in found.entries] == [("L1", "D-77", "Late sale")]
    assert {(one.account, one.net) for one in found.entries[0].sums} == {("1000", "9.00"), ("4100", "-9.00")}
    first = found.lines[0]
    assert first.line.figure.by == 9 and [one.entry.number for one in first.entries] == ["L1"]
    assert [(one.account, Decimal(one.net)) for one in first.entries[0].sums] == [("4100", Decimal(-9))]
    rows = [row.line.row for row in (*found.lines, *found.sums)]
    assert len(rows) == len(set(rows)) and all(row.line.is_sum for row in found.sums) and found.sums
    text = shown.content.decode()
    assert text.index('id="arrived"') < text.index('id="moved"')
    # of another company's entries nothing stands there
    other = house.get(
        reverse("statement-moved", args=["result"]) + WHERE.replace("node=A", "node=B") + "&first=1&last=2"
    )
    assert other.context["moved"].entries == () and other.context["moved"].lines == ()
    # the same view between two revisions, and two editions
    between = house.get(reverse("statement-moved", args=["result"]) + WHERE + "&first=1&last=2").context["moved"]
    assert [row.line for row in between.lines] == [row.line for row in found.lines]
    assert [entry.number for entry in between.entries] == ["L1"]
    house.post(reverse("keep-edition", args=["result"]) + WHERE, {"title": "Again"})
    again, kept = Edition.objects.all()
    compared = house.get(reverse("edition", args=[again.pk]) + WHERE + f"&with={kept.pk}").context["moved"]
    assert [row.line for row in compared.lines] == [row.line for row in found.lines]


def late_rows():
    heads = SMALL["entries.csv"].partition("\n")[0].split(",")
    made = []
    for line, account, debit, credit, department in (("1", "1000", "9.00", "", ""), ("2", "4100", "", "9.00", "11")):
        values = {
            "entity": "A", "entry": "L1", "line": line, "date": "2026-01-20", "account": account, "debit": debit,
            "credit": credit, "department": department, "description": "Late sale", "document": "D-77", "user": "amy",
        }  # fmt: skip
        made.append(",".join(values.get(head, "") for head in heads))
    return "\n".join(made) + "\n"


def test_an_entry_stands_only_under_the_lines_whose_members_it_has(house, small, command, tmp_path):
    opened(house, command)
    file = tmp_path / "split.yaml"
    file.write_text(
        "spine: split\ncovers: nothing\nlines:\n  - {line: Ten, accounts: '4100; department: 10'}\n"
        "  - {line: Eleven, accounts: '4100; department: 11'}\n---\nstatement: split\nspine: split\n"
        "span: now-and-plan\n"
    )
    command("load_statement", file, ledger="s")
    other = late_rows().replace("L1", "L2").replace(",11,", ",10,").replace("9.00", "5.00")
    command("load_ledger", small(entries__csv=SMALL["entries.csv"] + late_rows() + other), ledger="s")
    found = house.get(reverse("statement-moved", args=["split"]) + WHERE + "&first=1&last=2").context["moved"]
    under = {row.line.label: [one.entry.number for one in row.entries] for row in found.lines}
    assert under == {"Ten": ["L2"], "Eleven": ["L1"]}


def test_two_periods_show_the_largest_lines_of_the_later_one(house, command):
    opened(house, command)
    address = reverse("statement-moved", args=["result"]) + "?ledger=s&period=2026-P01&node=A"
    found = house.get(address + "&before=2025-P01&after=2026-P01").context["moved"]
    sizes = [row.line.size for row in found.lines]
    assert found.lines and sizes == sorted(sizes, reverse=True) and not found.entries
    assert [one.cells["document"] for row in found.lines for one in row.largest] == ["D3"]
    assert house.get(address + "&before=2026-P02&after=2026-P02").status_code == 422
    assert "smaller one" in house.get(address + "&first=2&last=1").content.decode()
    assert house.get(address + "&first=1&last=9").status_code == 422
    assert house.get(address).status_code == 200
