"""The library around statements: rights of shelves, tags, favourites, pictures, files in the background, editions
behind fences."""

from __future__ import annotations

import io
import json
import re
import zipfile

import openpyxl
import pytest
from django.contrib.auth.models import Group
from django.core.management import call_command
from django.urls import reverse
from PIL import Image

from rulka.people.models import Person
from rulka.statements.library.shelves import level_of
from rulka.statements.models import Definition, Edition, Picture, Shelf, ShelfRight
from rulka.work.models import Output
from tests.statements.test_editing import address, edit, page, person

pytestmark = pytest.mark.django_db


PAYROLL = re.compile(r"Wages, [A-Z]\. ")
"""What a line of a pay run says: it names a person."""


@pytest.fixture
def accountant(ternwick, client):
    client.force_login(person("accountant"))
    return client


@pytest.fixture
def shelf(ternwick):
    shelf = Shelf.objects.create(ledger=ternwick, name="Board")
    Definition.objects.filter(kind="statement", name="balance-sheet").update(shelf=shelf)
    return shelf


def give(shelf, level, username="", group=""):
    who = {"person": person(username)} if username else {"group": Group.objects.get_or_create(name=group)[0]}
    ShelfRight.objects.create(shelf=shelf, level=level, **who)


# -- shelves ---------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("rights", "username", "level"),
    [
        ([], "accountant", 3),  # a shelf without rights: the role decides
        ([], "director", 2),
        ([("director", "", 2)], "accountant", 0),  # with rights, who has none is out
        ([("accountant", "", 1)], "accountant", 1),
        ([("", "board", 2)], "accountant", 2),  # through a group
        ([("accountant", "", 1), ("", "board", 3)], "accountant", 3),  # the most that is given
        ([("director", "", 3)], "director", 2),  # no right makes a reader an editor
        ([("director", "", 1)], "administrator", 3),
    ],
)
def test_rights_of_a_shelf_say_what_somebody_may_do(rights, username, level, shelf):
    for name, group, number in rights:
        give(shelf, number, name, group)
    somebody = person(username)
    if any(group for _, group, _ in rights):
        somebody.groups.add(Group.objects.get(name="board"))
    assert level_of(somebody, Definition.objects.get(kind="statement", name="balance-sheet")) == level


def test_what_is_out_of_reach_does_not_exist_anywhere(shelf, accountant):
    give(shelf, 2, "director")
    assert "Balance sheet</a>" not in accountant.get(reverse("statements")).content.decode()
    for where in (
        address("statement", "balance-sheet"),
        address("statement-panel", "balance-sheet"),
        address("download", "balance-sheet", "xlsx"),
        address("statement-table", "balance-sheet"),
        address("paper", "balance-sheet", 1),
        address("statement-block", "balance-sheet", 0),
    ):
        assert accountant.get(where).status_code == 404, where
    for where in ("ask-output", "keep-edition", "add-picture"):
        assert accountant.post(address(where, "balance-sheet"), {"form": "pdf", "title": "x"}).status_code == 404, where
    assert "does not exist" in edit(accountant, "balance-sheet", "line-delete", lines="leases").content.decode()


def test_who_may_only_see_is_told_and_cannot_run(shelf, accountant):
    give(shelf, 1, "accountant")
    response = page(accountant, "balance-sheet")
    assert (
        response.status_code == 422
        and "You may see what is on the shelf &#x27;Board&#x27;, not run it" in response.content.decode()
    )
    assert "(may not be opened)" in accountant.get(reverse("statements")).content.decode()


def test_shared_part_on_a_shelf_that_one_may_not_edit_stays(ternwick, accountant, shelf):
    Definition.objects.filter(kind="spine", name="income-statement").update(shelf=shelf)
    give(shelf, 2, "accountant")
    text = edit(
        accountant, "income-statement", "line-change", key="fuel", path="label", value="Oil", **{"share-spine": "all"}
    ).content.decode()
    assert "not edit it" in text
    text = edit(
        accountant, "income-statement", "line-change", key="fuel", path="label", value="Oil", **{"share-spine": "own"}
    ).content.decode()
    assert "Fuel: Oil." in text


def test_only_controllers_and_administrators_give_rights(shelf, accountant, client):
    refused = accountant.post(address("set-right", shelf.pk), {"who": "person:director", "level": "run"})
    assert "You may not give rights" in refused.content.decode()
    client.force_login(person("controller"))
    asked = {"who": "person:director", "level": "run"}
    question = client.post(address("set-right", shelf.pk), asked)
    told = question.content.decode()
    assert question.status_code == 409 and not ShelfRight.objects.exists()
    assert (
        "Accountant doesn&#x27;t see it any more" in told
        and "Administrator" not in told.split("closed to others")[1][:200]
    )
    client.post(address("set-right", shelf.pk), {**asked, "knows": "yes"})
    assert ShelfRight.objects.get().level == 2
    # who shuts themselves out comes to it no more; administrators do
    assert client.get(address("shelf", shelf.pk)).status_code == 404
    client.force_login(person("administrator"))
    assert "administrators may do all" in client.get(address("shelf", shelf.pk)).content.decode()
    client.post(address("set-right", shelf.pk), {"who": "person:director", "level": ""})
    assert not ShelfRight.objects.exists()
    assert (
        "is no right"
        in client.post(address("set-right", shelf.pk), {"who": "person:director", "level": "own"}).content.decode()
    )
    assert (
        "neither a person nor a group"
        in client.post(address("set-right", shelf.pk), {"who": "person:kim", "level": "run"}).content.decode()
    )


def test_library_finds_by_words_and_tags_and_remembers_what_was_used(accountant):
    accountant.post(address("place-definition", "statement", "cash-flow"), {"tags": "board, cash , board"})
    accountant.post(address("place-definition", "statement", "cash-flow"), {"favourite": "yes"})
    page(accountant, "outlook")
    library = accountant.get(reverse("statements")).context["library"]
    assert [one.name for one in library.favourites] == ["cash-flow"] and library.tags == ("board", "cash")
    assert library.recent[0].name == "outlook"
    found = accountant.get(reverse("statements"), {"search": "cash-flow board"}).context["library"]
    assert [one.name for _, _, inside in found.shelves for one in inside] == ["cash-flow"]
    assert "No statement fits" in accountant.get(reverse("statements"), {"search": "zebra"}).content.decode()
    accountant.post(address("make-shelf"), {"name": "Month end"})
    assert "There is a shelf" in accountant.post(address("make-shelf"), {"name": "month END"}).content.decode()


@pytest.mark.parametrize("username", ["director", "ships-lead"])
def test_reader_changes_nothing_in_the_library(username, client, ternwick):
    client.force_login(person(username))
    for view, arguments, posted in (
        ("make-shelf", [], {"name": "x"}),
        ("place-definition", ["statement", "cash-flow"], {"tags": "x"}),
        ("begin-statement", [], {}),
        ("duplicate-statement", ["cash-flow"], {}),
        ("delete-definition", ["statement", "cash-flow"], {}),
        ("add-picture", ["cash-flow"], {}),
    ):
        assert client.post(address(view, *arguments), posted).status_code == 422, view
    assert not Shelf.objects.exists() and Definition.objects.filter(name="cash-flow").exists()


def test_parts_stand_on_shelves_too_and_are_seen_with_their_rights(accountant, client, shelf):
    accountant.post(address("place-definition", "spine", "cash-by-source"), {"shelf": shelf.pk, "back": "parts"})
    assert Definition.objects.get(kind="spine", name="cash-by-source").shelf == shelf
    give(shelf, 2, "director")
    assert "Cash and bank by source of the entries" not in accountant.get(address("parts")).content.decode()
    client.force_login(person("director"))
    assert "Cash and bank by source of the entries" in client.get(address("parts")).content.decode()


# -- pictures --------------------------------------------------------------------------------------


def png(size=(40, 20)):
    data = io.BytesIO()
    Image.new("RGB", size).save(data, "PNG")
    return data.getvalue()


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (b"<svg onload=alert(1)>", "This is no picture that can be used"),
        (b"\x89PNG\r\n\x1a\n broken", "This is no picture that can be used"),
        (b"x" * 400_001, "larger than 400 kB"),
        (png((4000, 2000)), "4000 x 2000 pixels"),
    ],
)
def test_picture_that_is_none_or_too_large_is_refused(data, message, accountant):
    upload = io.BytesIO(data)
    upload.name = "logo.png"
    assert message in accountant.post(address("add-picture", "balance-sheet"), {"picture": upload}).content.decode()
    assert not Picture.objects.exists()


def test_logo_stands_in_the_file(accountant):
    upload = io.BytesIO(png())
    upload.name = "Our Logo.png"
    accountant.post(address("add-picture", "balance-sheet"), {"picture": upload})
    assert Definition.objects.get(kind="statement", name="balance-sheet").body["page"] == {"logo": "our-logo"}
    assert (
        '<p class="logo right"><img style="height:16mm" src="data:image/png;base64,'
        in accountant.get(address("download", "balance-sheet", "html")).content.decode()
    )
    for place, height in (("left", "30"), ("centre", "8")):
        edit(accountant, "balance-sheet", "statement-change", path="page.logo place", value=place)
        edit(accountant, "balance-sheet", "statement-change", path="page.logo height", value=height)
        page = accountant.get(address("download", "balance-sheet", "html")).content.decode()
        assert f'<p class="logo {place}"><img style="height:{height}mm"' in page
        file = accountant.get(address("download", "balance-sheet", "xlsx")).getvalue()
        book = openpyxl.load_workbook(io.BytesIO(file))
        (picture,) = book["Balance sheet"]._images
        assert picture.anchor._from.col == {"left": 0, "centre": 1}[place]
        drawing = zipfile.ZipFile(io.BytesIO(file)).read("xl/drawings/drawing1.xml").decode()
        high = int(re.search(r'<a:ext cx="[0-9]+" cy="([0-9]+)"', drawing)[1])
        assert high == pytest.approx(int(height) * 36_000, rel=0.05), "a millimetre has 36 000 units"
    refused = edit(accountant, "balance-sheet", "statement-change", path="page.logo height", value="61")
    assert "problem" in refused.content.decode()
    assert Definition.objects.get(kind="statement", name="balance-sheet").body["page"]["logo height"] == "8"


# -- output ----------------------------------------------------------------------------------------


def test_output_goes_as_deep_as_the_statement_says_and_seals_hold(accountant, client):
    edit(accountant, "income-statement", "statement-change", path="depth", value="accounts")
    lines = json.loads(accountant.get(address("download", "income-statement", "json")).content)["lines"]
    at = next(place for place, line in enumerate(lines) if line["key"] == "fuel")
    below = [line for line in lines[at + 1 : at + 4] if not line.get("hidden")]
    assert [line["label"] for line in below] == ["6110 Marine diesel", "6120 Lubricants", "6130 Fuel tax returned"]
    assert sum(float(line["values"][0]) for line in below) == pytest.approx(float(lines[at]["values"][0]), abs=1e-9)
    edit(accountant, "income-statement", "statement-change", path="depth", value="entries")
    assert PAYROLL.search(accountant.get(address("download", "income-statement", "csv")).content.decode())
    client.force_login(person("director"))
    text = client.get(address("download", "income-statement", "csv")).content.decode()
    assert (
        "TF-PA2610" in text and "Sealed detail" in text and not PAYROLL.search(text)
    )  # payroll is sealed for the director: it stands in one row


def test_several_statements_make_one_workbook_with_a_sheet_each(accountant):
    page(accountant, "balance-sheet")
    response = accountant.get(reverse("workbook"), {"name": ["balance-sheet", "income-statement"]})
    book = openpyxl.load_workbook(io.BytesIO(response.content), data_only=True)
    assert book.sheetnames == ["About", "Balance sheet", "Income statement"]
    links = [row[0].hyperlink.location for row in book["About"].iter_rows() if row[0].hyperlink]
    assert links == ["'Balance sheet'!A1", "'Income statement'!A1"]
    assert "No statement is chosen" in accountant.get(reverse("workbook")).content.decode()


def test_cancelled_and_failed_files_say_so(accountant, open_database):
    accountant.post(address("ask-output", "department-results", of="TF"), {"form": "pdf"})
    output = Output.objects.get()
    accountant.post(address("cancel-output", output.pk))
    call_command("work", once=True, verbosity=0)
    output.refresh_from_db()
    assert output.state == "cancelled" and not output.file
    accountant.post(address("ask-output", "department-results", of="TF"), {"form": "xlsx"})
    accountant.post(address("delete-definition", "statement", "department-results"))
    call_command("work", once=True, verbosity=0)
    failed = Output.objects.first()
    assert failed.state == "failed" and "does not exist" in failed.problem
    assert "does not exist" in accountant.get(address("output", failed.pk)).content.decode()
    assert accountant.get(address("take-output", failed.pk)).status_code == 404


def test_file_stops_at_its_next_block_when_it_is_cancelled_while_it_runs(accountant, open_database, monkeypatch):
    from rulka.work.services.outputs import OUTPUTS

    accountant.post(address("ask-output", "department-results", of="TF"), {"form": "csv"})
    output = Output.objects.get()
    seen = []
    original = OUTPUTS.tell

    def tell(number, done, of):
        seen.append(done)
        OUTPUTS.cancel(output.pk)
        original(number, done, of)

    monkeypatch.setattr(OUTPUTS, "tell", tell)
    call_command("work", once=True, verbosity=0)
    output.refresh_from_db()
    assert output.state == "cancelled" and seen == [0]


def test_nobody_takes_the_file_of_another(accountant, client):
    accountant.post(address("ask-output", "department-results", of="TF"), {"form": "csv"})
    client.force_login(person("controller"))
    assert client.get(address("output", Output.objects.get().pk)).status_code == 404


def test_text_of_pages_is_never_a_formula_in_a_workbook(accountant):
    edit(accountant, "balance-sheet", "statement-change", path="page.notes", value="=1+1\n{entity}")
    book = openpyxl.load_workbook(io.BytesIO(accountant.get(address("download", "balance-sheet", "xlsx")).content))
    notes = [row[0].value for row in book.worksheets[1].iter_rows() if row[0].value][-3:]
    assert notes[:2] == ["'=1+1", "Ternwick Ferries"] and notes[2].startswith("Origin R-")


# -- editions --------------------------------------------------------------------------------------


def test_edition_stays_as_it_was_when_the_statement_changes(accountant):
    accountant.post(address("keep-edition", "balance-sheet"), {"title": "One"})
    first = Edition.objects.get()
    edit(accountant, "balance-sheet", "line-change", key="receivables", path="accounts", value="1510 to 1599, 1610")
    accountant.post(address("keep-edition", "balance-sheet"), {"title": "Two"})
    second = Edition.objects.first()
    shown = accountant.get(address("edition", first.pk, moved="yes"))
    assert shown.context["moved"].figures == 0  # its own definitions over the same ledger give the same figures
    compared = accountant.get(address("edition", second.pk, **{"with": first.pk})).context["moved"]
    assert {"receivables"} <= {row.line.row for row in compared.lines}
    assert {"current-assets.total", "assets.total"} <= {row.line.row for row in compared.sums}
    assert (
        "An edition needs a name"
        in accountant.post(address("keep-edition", "balance-sheet"), {"title": ""}).content.decode()
    )


def test_edition_of_somebody_who_sees_more_is_closed(accountant, client):
    accountant.post(address("keep-edition", "balance-sheet"), {"title": "All"})
    client.force_login(person("ships-lead"))
    assert client.get(address("edition", Edition.objects.get().pk)).status_code == 404
    assert page(client, "balance-sheet", panel="editions").context["editions"] == []
    client.post(address("keep-edition", "balance-sheet"), {"title": "Ours"})
    assert client.get(address("edition", Edition.objects.first().pk)).status_code == 200
    client.force_login(Person.objects.get(username="director"))  # sees all of the ledger
    assert len(page(client, "balance-sheet", panel="editions").context["editions"]) == 2


def test_edition_with_detail_stays_closed_to_those_for_whom_it_is_sealed(accountant, client):
    edit(
        accountant,
        "journal-listing",
        "line-change",
        key="accounts-and-entries",
        path="accounts",
        value="5010",
        **{"share-spine": "all"},
    )
    accountant.post(address("keep-edition", "journal-listing"), {"title": "Pay runs"})
    kept = Edition.objects.get()
    assert kept.seals == "nothing" and PAYROLL.search(json.dumps(kept.shown))
    client.force_login(person("director"))
    assert client.get(address("edition", kept.pk)).status_code == 404
    client.force_login(person("controller"))
    assert client.get(address("edition", kept.pk)).status_code == 200
