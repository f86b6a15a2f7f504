"""Every file that leaves names its origin; one that comes back is held against what it was, cell by cell."""

from __future__ import annotations

import csv
import io
import json
import re

import openpyxl
import pypdfium2
import pytest
from django.contrib.auth.models import Group
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management.base import CommandError
from django.test import Client
from django.urls import reverse
from openpyxl.styles import Font

from rulka.core.errors import NotFound, RulkaError
from rulka.core.proof.origin import ReadCell, ReadPart, altered, plain_number
from rulka.formats.intake.read_back import read_back
from rulka.ledger.models import Ledger
from rulka.people.library.persons import make_person
from rulka.people.library.rights import grant
from rulka.statements.library.shelves import set_right
from rulka.statements.models import Definition, Shelf
from rulka.statements.output.origins import verify
from rulka.work.models import LeftFile
from rulka.work.services import tidying
from tests.conftest import SMALL
from tests.pages import tight
from tests.web.world import make_world

pytestmark = pytest.mark.django_db
WHERE = "?ledger=s&period=2026-P01&node=A"
FORMS = ("xlsx", "pdf", "html", "csv", "json")


def client_of(name, role="accountant", entities="", **bounds):
    person = make_person(name, title=name.capitalize(), role=role)
    grant(person, "s", entities, "", {}, **{"opens_seals": True, **bounds})
    client = Client()
    client.force_login(person)
    return client, person


@pytest.fixture
def amy(small, command):
    make_world(small, command)
    return client_of("amy")


def taken(client, form, name="result", more=""):
    response = client.get(reverse("download", args=[name, form]) + WHERE + more)
    assert response.status_code == 200, response.content
    return response.content


def late(command, small):
    rows = "A,L1,1,2026-01-20,1000,,9.00,,Late sale,D-77,,,\nA,L1,2,2026-01-20,4100,11,,9.00,Late sale,D-77,,,\n"
    command("load_ledger", small(entries__csv=SMALL["entries.csv"] + rows), ledger="s")


@pytest.mark.parametrize("form", FORMS)
def test_every_form_names_what_it_is_of_and_verifies(form, amy, small, command):
    client, person = amy
    content = taken(client, form)
    found = verify(content, "x", person)
    left = found.left
    assert (found.state, list(found.altered)) == ("untouched", [])
    assert (left.name, left.node, left.period, left.form, left.person_name) == ("result", "A", "2026-P01", form, "Amy")
    assert [(one.name, one.moved.figures) for one in found.since] == [("result", 0)]
    read = read_back(content, "x")
    assert read.codes == (left.code,) and read.form == form
    foot = " ".join(cell.text for part in read.parts for cell in part.cells.values()).replace(";", ",")
    for fact in (left.code, "node A", "period 2026-P01", f"revision {left.revision}", left.figures, left.definitions):
        assert fact in foot or form == "json", fact
    again = taken(client, form)
    assert verify(again, "x", person).left.code != left.code, "each file is one of its own"
    assert verify(again, "x", person).left.figures == left.figures
    late(command, small)
    moved = verify(content, "x", person)
    assert moved.state == "untouched" and moved.moved > 0
    assert [entry.number for entry in moved.since[0].moved.entries] == ["L1"]


def test_properties_say_it_too(amy):
    client, _ = amy
    book = openpyxl.load_workbook(io.BytesIO(taken(client, "xlsx")))
    said = {one.name: one.value for one in book.custom_doc_props.props}
    left = LeftFile.objects.first()
    assert said["Rulka origin"] == left.code and said["Rulka figures"] == left.figures
    assert said["Rulka revision"] == str(left.revision)
    told = json.loads(taken(client, "json"))["origin"]
    left = LeftFile.objects.first()
    digests = {"definitions": left.definitions, "figures": left.figures}
    named = {"code": left.code, "statement": "result", "node": "A", "period": "2026-P01"}
    assert told == {**named, "revision": str(left.revision), **digests}
    document = pypdfium2.PdfDocument(taken(client, "pdf"))
    assert LeftFile.objects.first().code in document.get_metadata_value("Keywords")
    document.close()


# twenty ways to change a workbook by hand, and where each is found


def place(sheet, label):
    return [row[0].row for row in sheet.iter_rows(max_col=1) if row[0].value == label][-1]


def set_value(column, label, value):
    def change(book):
        sheet = book.worksheets[1]
        sheet[f"{column}{place(sheet, label)}"].value = value
        return sheet.title, f"{column}{place(sheet, label)}" if column != "A" else None

    return change


def on_sheet(do, told):
    def change(book):
        sheet = book.worksheets[1]
        at = told(sheet)
        do(sheet)
        return sheet.title, at

    return change


def row_of(label):
    return lambda sheet: f"row {place(sheet, label)}"


def cell_of(column, label):
    return lambda sheet: f"{column}{place(sheet, label)}"


def hide_row(label):
    return on_sheet(lambda sheet: setattr(sheet.row_dimensions[place(sheet, label)], "hidden", True), row_of(label))


def write(at, value):
    def change(book):
        book.worksheets[1][at].value = value
        return book.worksheets[1].title, at

    return change


def cover(at, value):
    def change(book):
        book.worksheets[0][at].value = value
        return book.worksheets[0].title, at

    return change


BY_HAND = {
    "a figure": set_value("B", "4100 Other sales", 51),
    "a figure by a cent": set_value("B", "4100 Other sales", 50.01),
    "a figure's sign": set_value("B", "4100 Other sales", -50),
    "a figure made text": set_value("B", "4100 Other sales", "fifty"),
    "a figure taken out": set_value("B", "4100 Other sales", None),
    "a budget": set_value("C", "Wages", 25),
    "a total as a number": set_value("B", "Result", 60),
    "a total's formula": on_sheet(
        lambda sheet: setattr(sheet[f"B{place(sheet, 'Result')}"], "value", "=1+1"), cell_of("B", "Result")
    ),
    "how a figure is shown": on_sheet(
        lambda sheet: setattr(sheet[f"B{place(sheet, '4100 Other sales')}"], "number_format", '"5 000"'),
        cell_of("B", "4100 Other sales"),
    ),
    "a label": set_value("A", "Wages", "Wages and bonuses"),
    "a label by a space": set_value("A", "Wages", "Wages "),
    "a hidden row": hide_row("Wages"),
    "a hidden figure": hide_row("4100 Other sales"),
    "a hidden column": on_sheet(
        lambda sheet: setattr(sheet.column_dimensions["B"], "hidden", True), lambda sheet: "column B"
    ),
    "a row taken out": on_sheet(lambda sheet: sheet.delete_rows(place(sheet, "Wages")), cell_of("A", "Wages")),
    "a row put in": on_sheet(lambda sheet: sheet.insert_rows(place(sheet, "Wages")), cell_of("A", "Wages")),
    "the period": write("A3", "February 2026 (2026-P02), EUR"),
    "whose figures": write("A2", "Sons"),
    "a note put in": write("H30", "audited"),
    "the verdict on the cover": cover("C99", "It foots."),
}


@pytest.mark.parametrize("what", BY_HAND)
def test_each_change_by_hand_is_found_with_its_cell(what, amy):
    client, person = amy
    book = openpyxl.load_workbook(io.BytesIO(taken(client, "xlsx")))
    sheet, at = BY_HAND[what](book)
    file = io.BytesIO()
    book.save(file)
    found = verify(file.getvalue(), "x", person)
    assert found.state == "changed"
    places = [(one.part, one.at) for one in found.altered]
    if at is None:
        assert places and all(part == sheet and at.startswith("A") for part, at in places)
    else:
        assert places[0] == (sheet, at) or (sheet, at) in places
    moving = what.startswith("a row ")
    assert moving or len(found.altered) == 1, [f"{one.at}: {one.was} -> {one.now}" for one in found.altered]


def test_twenty_of_them():
    assert len(BY_HAND) == 20


def test_a_workbook_saved_again_is_what_it_was(amy):
    client, person = amy
    book = openpyxl.load_workbook(io.BytesIO(taken(client, "xlsx")))
    book.worksheets[1]["B9"].font = Font(bold=True)
    book.worksheets[1].column_dimensions["A"].width = 70
    file = io.BytesIO()
    book.save(file)
    found = verify(file.getvalue(), "x", person)
    assert (found.state, list(found.altered)) == ("same", [])
    # a sheet taken out, hidden, or put in
    for do, told in ((lambda book: book.remove(book.worksheets[0]), ("About", "")),
                     (lambda book: setattr(book.worksheets[0], "sheet_state", "hidden"), ("About", "the sheet")),
                     (lambda book: book.create_sheet("More"), ("More", ""))):  # fmt: skip
        book = openpyxl.load_workbook(io.BytesIO(taken(client, "xlsx")))
        do(book)
        file = io.BytesIO()
        book.save(file)
        assert [(one.part, one.at) for one in verify(file.getvalue(), "x", person).altered] == [told]


def test_text_pages_and_paper_changed_by_hand(amy):
    client, person = amy
    rows = list(csv.reader(io.StringIO(taken(client, "csv").decode())))
    target = io.StringIO()
    csv.writer(target, delimiter=";").writerows(rows)  # as another program saves it
    assert verify(target.getvalue().encode(), "x", person).state == "same"
    at = next(at for at, row in enumerate(rows, 1) if row[0] == "4100 Other sales")
    rows[at - 1][1] = "51.00"
    target = io.StringIO()
    csv.writer(target).writerows(rows)
    (one,) = verify(target.getvalue().encode(), "x", person).altered
    assert (one.at, one.was, one.now) == (f"row {at} cell 2", "50", "51")
    page = taken(client, "html").decode()
    for text, other, told in (("Other sales", "Shop sales", "text"), (">50.00<", ">51.00<", "figure"),
                              ('<tr class="line', '<tr style="display: none" class="line', "hidden"),
                              ("</style>", "tr { display: none }</style>", "text"),
                              ("January 2026", "February 2026", "text")):  # fmt: skip
        assert text in page, text
        found = verify(page.replace(text, other, 1).encode(), "x", person)
        assert found.state == "changed" and told in {one.what for one in found.altered}, (text, found.altered)
    told = json.loads(taken(client, "json"))
    assert verify(json.dumps(told).encode(), "x", person).state == "same"
    line = next(at for at, line in enumerate(told["lines"]) if line["label"] == "4100 Other sales")
    told["lines"][line]["values"][0] = "51.00"
    (one,) = verify(json.dumps(told).encode(), "x", person).altered
    assert (one.at, one.was, one.now) == (f"lines {line + 1}.values 1", "50", "51")
    # paper from which a figure was taken
    document = pypdfium2.PdfDocument(taken(client, "pdf"))
    page = document[0]
    for item in page.get_objects(filter=(pypdfium2.raw.FPDF_PAGEOBJ_TEXT,)):
        page.remove_obj(item)
        break
    page.gen_content()
    file = io.BytesIO()
    document.save(file)
    document.close()
    found = verify(file.getvalue(), "x", person)
    assert found.state == "changed" and all(one.part == "page 1" for one in found.altered)


# who may ask --------------------------------------------------------------------------------------------------------


def test_behind_a_fence_only_what_was_computed_within_it(amy):
    client, person = amy
    content = taken(client, "csv")
    kim, kim_person = client_of("kim", entities="A")
    own = taken(kim, "csv")
    assert verify(own, "x", kim_person).state == "untouched" and verify(own, "x", person).state == "untouched"
    unknown = re.sub(rb"R-\w{5}-\w{5}", b"R-22222-22222", content)
    told = []
    for file in (content, unknown):
        with pytest.raises(NotFound) as refused:
            verify(file, "x", kim_person)
        told.append(str(refused.value))
    assert told[0] == told[1], "what may not be seen answers as what isn't there"
    _, lee_person = client_of("lee", entities="A", depth="accounts")
    assert verify(own, "x", lee_person).state == "untouched", "the same bounds, and no journal lines in it"
    # a file with two origins: the one of its properties counts, the other is told
    found = verify(content.replace(b"Origin", LeftFile.objects.first().code.encode() + b" Origin"), "x", person)
    assert len(found.other_codes) == 1


def test_shelves_count_and_what_an_author_closed(amy, command):
    client, _ = amy
    content = taken(client, "csv")
    dan, dan_person = client_of("dan", "director")
    with pytest.raises(NotFound):  # the accountant sees detail that its author closed for readers
        verify(content, "x", dan_person)
    own = taken(dan, "csv")
    assert verify(own, "x", dan_person).state == "untouched"
    board = Shelf.objects.create(ledger=Ledger.objects.get(code="s"), name="Closed")
    Definition.objects.filter(kind="statement", name="result").update(shelf=board)
    group = Group.objects.create(name="Others")
    set_right(board, f"group:{group.name}", "run", person=None)
    with pytest.raises(NotFound):
        verify(own, "x", dan_person)


def test_a_file_of_several_nodes_and_statements(amy, settings):
    client, person = amy
    content = taken(client, "xlsx", "by-department", "&pages=all&of=10")
    found = verify(content, "x", person)
    assert found.state == "untouched" and [one.node for one in found.since] == ["10", "11", "10.rest"]
    book = client.get(reverse("workbook") + WHERE + "&name=result&name=by-department&of=10").content
    found = verify(book, "x", person)
    assert {one.name for one in found.since} == {"result", "by-department"}
    assert found.left.name == "2 statements"


# pages, commands, keeping -------------------------------------------------------------------------------------------


def test_page_and_command(amy, command, tmp_path):
    client, _ = amy
    rows = taken(client, "csv").decode()
    page = reverse("verify") + WHERE
    assert client.get(page).status_code == 200

    def dropped(text):
        return client.post(page, {"file": SimpleUploadedFile("mine.csv", text.encode())})

    assert "mine.csv is what left, byte for byte." in dropped(rows).content.decode()
    changed = dropped(rows.replace("50.00", "51.00"))
    told = tight(changed.content.decode())
    assert "was changed by hand: " in told and ">50<" in told and ">51<" in told
    assert "<td>4100 Other sales</td>" in told
    for content, words in ((b"a,b\n1,2\n", "names no origin"), (b"PK\x03\x04nothing", "be read"),
                           (b"%PDF-1.7 nothing", "be read"), (b'{"a": ', "Not readable as JSON"),
                           (b"\x00\x01\x02", "none of the forms"), (b"[" * 5_000, "JSON")):  # fmt: skip
        refused = client.post(page, {"file": SimpleUploadedFile("x", content)})
        assert refused.status_code == 422 and words in refused.content.decode(), (content[:10], words)
    assert "No file came" in client.post(page).content.decode()
    path = tmp_path / "result.csv"
    command("run_statement", "result", ledger="s", period="2026-P01", node="A", format="csv", out=path)
    assert "byte for byte" in command("verify", path)
    path.write_text(path.read_text().replace("50.00", "51.00"))
    with pytest.raises(SystemExit) as ended:
        command("verify", path, format="json")
    assert ended.value.code == 4
    path.write_text("a,b\n")
    with pytest.raises(CommandError, match="names no origin"):
        command("verify", path)
    plain = command("run_statement", "result", ledger="s", period="2026-P01", node="A", format="json")
    assert "origin" not in json.loads(plain), "what another program reads at once is no file"


def test_what_left_long_ago_is_forgotten(amy, settings):
    client, person = amy
    content = taken(client, "csv")
    settings.LEFT_DAYS = 1
    assert tidying.tidy()["left files"] == 0
    LeftFile.objects.update(at="2020-01-01T00:00:00Z")
    assert tidying.tidy()["left files"] == 1
    with pytest.raises(RulkaError, match="names no origin"):
        verify(content, "x", person)


# the comparison itself ----------------------------------------------------------------------------------------------


def test_numbers_are_the_same_however_they_were_saved():
    for one, other in (("50.00", "50"), ("1e3", "1000"), ("0.1", "0.10000000000000001"), ("-0", "0"), ("+5", "5")):
        assert plain_number(one) == plain_number(other)
    assert plain_number("2026-P01") == "2026-P01" and plain_number("1" * 60) == "1" * 60
    assert plain_number("12345678901.23") != plain_number("12345678901.24")


def test_what_followed_from_others_comes_after_them():
    kept = [ReadPart("S", {"B2": ReadCell("1"), "B1": ReadCell("1", "=B2"), "B10": ReadCell("2")})]
    found = [ReadPart("S", {"B2": ReadCell("3"), "B1": ReadCell("3", "=B2"), "B10": ReadCell("4")})]
    assert [(one.at, one.follows) for one in altered(kept, found)] == [("B2", False), ("B10", False), ("B1", True)]
    unsaved = [ReadPart("S", {"B2": ReadCell("1"), "B1": ReadCell("", "=B2"), "B10": ReadCell("2")})]
    assert altered(kept, unsaved) == []


def test_depth_counts_where_a_file_shows_journal_lines(amy):
    client, person = amy
    spine = Definition.objects.get(kind="spine", name="result")
    spine.body["lines"][0]["lines"][0]["expand"] = "entries"
    spine.save()
    content = taken(client, "csv")
    mia, mia_person = client_of("mia", "controller", depth="accounts")
    assert b"E3" in content.rsplit(b"\r\n", 2)[0] and verify(content, "x", person).state == "untouched"
    with pytest.raises(NotFound):
        verify(content, "x", mia_person)
    own = taken(mia, "csv")
    assert b"E3" not in own.rsplit(b"\r\n", 2)[0], "but for its origin, whose code may hold any letters"
    assert verify(own, "x", mia_person).state == "untouched"
    # a shelf bounds depth too
    board = Shelf.objects.create(ledger=Ledger.objects.get(code="s"), name="Shallow")
    Definition.objects.filter(kind="statement", name="result").update(shelf=board)
    set_right(board, "person:amy", "edit", person=None, depth="accounts")
    with pytest.raises(NotFound):
        verify(content, "x", person)
    own = taken(client, "csv")
    assert b"E3" not in own and verify(own, "x", person).state == "untouched"


# worksheets ---------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("form", FORMS)
def test_files_of_worksheets_verify_too(form, amy, small, command):
    client, person = amy
    response = client.get(reverse("worksheet-file", args=["sums", form]) + WHERE)
    assert response.status_code == 200
    content = response.content
    found = verify(content, "x", person)
    assert (found.state, found.left.kind, found.left.name, found.moved) == ("untouched", "worksheet", "sums", 0)
    late(command, small)
    moved = verify(content, "x", person)
    assert moved.state == "untouched" and moved.moved > 0
    page = client.post(reverse("verify") + WHERE, {"file": SimpleUploadedFile("x", content)}).content.decode()
    assert "byte for byte" in page and "moved in the ledger since" in page
    kim, kim_person = client_of("kim", entities="A")
    with pytest.raises(NotFound):
        verify(content, "x", kim_person)
    own = kim.get(reverse("worksheet-file", args=["sums", form]) + WHERE).content
    assert verify(own, "x", kim_person).state == "untouched"
    if form == "xlsx":
        book = openpyxl.load_workbook(io.BytesIO(content))
        book.worksheets[0]["A1"].value = "When"
        file = io.BytesIO()
        book.save(file)
        (one,) = verify(file.getvalue(), "x", person).altered
        assert (one.part, one.at, one.was, one.now) == ("Sheet", "A1", "Period", "When")


def test_long_workbooks_are_read_when_one_comes_back(amy, monkeypatch):
    client, person = amy
    monkeypatch.setattr("rulka.ledger.leaving.LONG", 100)
    content = taken(client, "xlsx")
    assert verify(content, "x", person).state == "untouched"
    book = openpyxl.load_workbook(io.BytesIO(content))
    sheet, at = BY_HAND["a figure"](book)
    file = io.BytesIO()
    book.save(file)
    assert [(one.part, one.at) for one in verify(file.getvalue(), "x", person).altered] == [(sheet, at)]


# rows of the journal, of traces and of trial balances ---------------------------------------------------------------

ROWS = {
    "journal": ("journal-export", (), "&accounts=4*"),
    "trace": ("statement-take", ("result",), "&row=result.total&column=now&by=line"),
    "trial balance": ("trial-balance-export", (), "&from=2026-P01&to=2026-P01"),
}


def rows_taken(client, kind, form):
    route, before, more = ROWS[kind]
    response = client.get(reverse(route, args=[*before, form]) + WHERE + more)
    assert response.status_code == 200, response.content
    return b"".join(response.streaming_content) if response.streaming else response.content


@pytest.mark.parametrize("form", ["csv", "xlsx"])
@pytest.mark.parametrize("kind", ROWS)
def test_files_of_rows_name_their_origin_and_verify(kind, form, amy, small, command):
    client, person = amy
    content = rows_taken(client, kind, form)
    found = verify(content, "x", person)
    assert (found.state, found.left.kind, found.left.form, found.left.person_name) == ("untouched", kind, form, "Amy")
    read = read_back(content, "x")
    assert read.codes[0] == found.left.code
    if form == "csv":
        changed = content.replace(b"50.00", b"51.00", 1)
        assert changed != content
    else:
        book = openpyxl.load_workbook(io.BytesIO(content))
        cell = next(one for row in book.active.iter_rows() for one in row if one.value == 50)
        cell.value = 51
        target = io.BytesIO()
        book.save(target)
        changed = target.getvalue()
    told = verify(changed, "x", person)
    assert told.state == "changed"
    assert ("50", "51") in {(one.was, one.now) for one in told.altered} or ("50.00", "51.00") in {
        (one.was, one.now) for one in told.altered
    }  # fmt: skip
    late(command, small)
    since = verify(content, "x", person).since[0]
    if kind == "journal":
        assert {(one.part, one.at, one.was, one.now) for one in since.cells} == {
            ("lines", "how many", "2", "3"), ("EUR", "credit", "150.00", "159.00")
        }  # fmt: skip
    else:
        assert since.figures is None and "as it is now" in since.why
    _, kim = client_of("kim", entities="B")
    with pytest.raises(NotFound):
        verify(content, "x", kim)


def test_rows_beyond_a_bound_are_known_by_their_digest(amy, monkeypatch):
    client, person = amy
    monkeypatch.setattr("rulka.ledger.leaving.MOST_ROWS", 1)
    for form in ("csv", "xlsx"):
        content = rows_taken(client, "journal", form)
        assert verify(content, "x", person).state == "untouched"
        if form == "csv":
            told = verify(content.replace(b"50.00", b"51.00", 1), "x", person)
            assert told.state == "changed" and "only its digest is kept" in told.altered[0].was


def test_who_sees_figures_only_verifies_no_lines(amy):
    client, _ = amy
    content = rows_taken(client, "journal", "csv")
    _, dan = client_of("dan", depth="figures")
    with pytest.raises(NotFound):
        verify(content, "x", dan)
