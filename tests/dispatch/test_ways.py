"""Every way, every form: file servers that fail, links, copies, old workbooks, chosen sheets and nodes, editions."""

from __future__ import annotations

import io
import json
import zipfile

import openpyxl
import pytest
import xlrd
from django.core.management.base import CommandError

from rulka.core.books.fence import NO_FENCE
from rulka.core.errors import NotFound, RulkaError
from rulka.dispatch.library.book import save_account, save_contact
from rulka.dispatch.library.servers import forget_server, pin, save_server
from rulka.dispatch.library.storing import find_dispatch, save_dispatch
from rulka.dispatch.models import Dispatch, Sending, Server
from rulka.dispatch.running import delivering, servers
from rulka.dispatch.running.delivering import deliver_all, link_for, links_for, recall, send_again
from rulka.formats.dispatch_file import read_dispatches
from rulka.formats.output.old_workbook import as_old
from rulka.ledger.models import Ledger
from rulka.people.library.persons import make_person, set_mail
from rulka.people.library.rights import grant
from rulka.people.models import Person
from rulka.statements.library.assemble import definitions_of
from rulka.statements.models import Definition
from rulka.statements.output.editions import keep_edition
from rulka.statements.output.origins import verify
from rulka.statements.running.runs import run
from standins.file_server import SECRET, USER, FtpsServer, SftpServer
from tests.dispatch.world import PERIOD, prepared, states

pytestmark = pytest.mark.django_db
KINDS = {"sftp": SftpServer, "ftps": FtpsServer}


def kept(ledger, text, person="amy"):
    (body,) = read_dispatches(text, "test")
    return save_dispatch(ledger, body, "test", person=person and Person.objects.get(username=person))


def sent(ledger, text, occasion="once"):
    """The occasion of a dispatch that is loaded and sent."""
    dispatch = kept(ledger, text)
    deliver_all(sending := prepared(occasion, name=dispatch.name))
    return sending


# file servers -------------------------------------------------------------------------------------------------------

ONTO = """
dispatch: onto
sends:
- {statement: result, as: [workbook, csv], node: A}
to: [{person: lea, node: '10'}]
ways:
- {way: file server, name: files, server: auditor, path: 'a/{period.code}', exists: EXISTS}
"""


def into(folder, exists="number"):
    found = folder / "a" / PERIOD
    return sorted(path.name for path in found.iterdir() if path.name[0] != ".") if found.exists() else []


@pytest.fixture(params=sorted(KINDS))
def files(request, ledger, tmp_path):
    """A file server that an administrator named and pinned."""
    with KINDS[request.param](tmp_path / "files") as server:
        made = save_server(ledger, "auditor", kind=request.param, host="127.0.0.1", port=str(server.port), user=USER,
                           secret=SECRET, folder="", person=None)  # fmt: skip
        assert SECRET not in made.sealed
        pin(made, servers.key_of(servers.way_to(made)), person=None)
        yield server


def test_a_file_server_takes_files_whole_and_each_once(ledger, files, tmp_path):
    sending = sent(ledger, ONTO.replace("EXISTS", "number"))
    names = ["The result-A-2026-P01.csv", "The result-A-2026-P01.xlsx"]
    assert states(sending) == {("lea", "files"): ("delivered", ", ".join(reversed(names)))}
    assert into(tmp_path / "files") == names
    csv = (tmp_path / "files" / "a" / PERIOD / names[0]).read_bytes()
    assert verify(csv, "x", Person.objects.get(username="lea")).state == "untouched"
    # the same again is the same file; something else of that name is numbered, refused, or takes its place
    delivery = sending.deliveries.get()
    send_again(delivery, Dispatch.objects.get(name="onto"), person=Person.objects.get(username="amy"))
    assert into(tmp_path / "files") == names
    again = sent(ledger, ONTO.replace("EXISTS", "number"), "second")
    assert "The result-A-2026-P01 (2).xlsx" in states(again)["lea", "files"][1] and len(into(tmp_path / "files")) == 4
    third = sent(ledger, ONTO.replace("EXISTS", "refuse"), "third")
    assert states(third)["lea", "files"][0] == "refused" and "is there already" in states(third)["lea", "files"][1]
    fourth = sent(ledger, ONTO.replace("EXISTS", "overwrite"), "fourth")
    assert states(fourth)["lea", "files"][0] == "delivered" and len(into(tmp_path / "files")) == 4
    assert (tmp_path / "files" / "a" / PERIOD / names[0]).read_bytes() != csv


def test_what_a_file_server_does_wrong_is_told_and_never_half(ledger, files, tmp_path):
    told = {}
    for name in ("refuses", "is_full", "drops", "drops_at_rename"):
        setattr(files.fails, name, True)
        sending = sent(ledger, ONTO.replace("EXISTS", "number"), name)
        told[name] = sending.deliveries.get().state
        setattr(files.fails, name, False)
        halves = [path for path in (tmp_path / "files").rglob("*.*") if path.suffix in (".csv", ".xlsx")]
        for path in halves:
            assert path.read_bytes() in [delivering.content_of(file) for file in sending.deliveries.get().files]
    assert told == {"refuses": "refused", "is_full": "refused", "drops": "not sent", "drops_at_rename": "not known"}
    unknown = Sending.objects.get(occasion="drops_at_rename").deliveries.get()
    assert delivering.recover(False) == 0
    delivering.deliver_waiting()
    unknown.refresh_from_db()
    assert unknown.state == "not known", "it goes again by a person's choice only"
    send_again(unknown, Dispatch.objects.get(name="onto"), person=Person.objects.get(username="amy"))
    unknown.refresh_from_db()
    assert unknown.state == "delivered" and len(into(tmp_path / "files")) == 2, "what had arrived is that file"


def test_a_server_that_changes_its_key_gets_nothing(ledger, tmp_path):
    with SftpServer(tmp_path / "files") as server:
        made = save_server(ledger, "auditor", kind="sftp", host="127.0.0.1", port=str(server.port), user=USER,
                           secret=SECRET, folder="", person=None)  # fmt: skip
        unpinned = sent(ledger, ONTO.replace("EXISTS", "number"), "unpinned").deliveries.get()
        assert unpinned.state == "refused" and "isn't pinned yet" in unpinned.answer
        pin(made, servers.key_of(servers.way_to(made)), person=None)
        server.port, port = 0, server.port
        server.change_key()
        Server.objects.update(port=server.port)
        changed = sent(ledger, ONTO.replace("EXISTS", "number"), "changed").deliveries.get()
        assert port != server.port and changed.state == "refused" and "another key" in changed.answer
        assert not list((tmp_path / "files").rglob("*.csv"))


def test_a_secret_goes_to_no_other_host_and_plain_ftp_needs_to_be_allowed(ledger, settings):
    about = {"user": "u", "folder": "", "person": None}
    made = save_server(ledger, "one", kind="sftp", host="a.example", port="", secret="s", **about)
    pin(made, "ssh-ed25519 AAAA", person=None)
    same = save_server(ledger, "one", kind="sftp", host="a.example", port="22", secret="", **about)
    assert same.sealed and same.pinned
    other = save_server(ledger, "one", kind="sftp", host="b.example", port="", secret="", **about)
    assert not other.sealed and not other.pinned
    plain = save_server(ledger, "two", kind="ftp", host="a.example", port="", secret="", **about)
    with pytest.raises(RulkaError, match="Plain FTP isn't allowed"):
        servers.way_to(plain)
    settings.SEND_PLAIN = True
    assert servers.way_to(plain).port == 21
    settings.SECRET_KEY = "another one"
    Server.objects.filter(pk=plain.pk).update(sealed=same.sealed)
    with pytest.raises(RulkaError, match="can't be read any more"):
        servers.way_to(Server.objects.get(pk=plain.pk))
    for bad in (
        {"host": "a b"},
        {"host": ""},
        {"host": "x@y"},
        {"port": "70000"},
        {"kind": "gopher"},
        {"secret": "a\nb"},
    ):
        said = {"kind": "sftp", "host": "a.example", "port": "", "secret": "", **about, **bad}
        with pytest.raises(RulkaError):
            save_server(ledger, "bad", **said)
    with pytest.raises(RulkaError, match="administrator"):
        save_server(ledger, "x", kind="sftp", host="a", port="", secret="", user="", folder="",
                    person=Person.objects.get(username="amy"))  # fmt: skip
    kept(ledger, ONTO.replace("EXISTS", "number").replace("auditor", "two"))
    with pytest.raises(RulkaError, match="is used by onto"):
        forget_server(plain, person=None)


# links --------------------------------------------------------------------------------------------------------------

LINKED = """
dispatch: linked
title: Linked
sends: [{statement: result, as: csv, node: A}]
to: [{person: lea, node: '10'}, {person: kim, node: '20', by: mail}]
ways:
- {way: mail, text: 'Here: {link}'}
- {way: link, name: library}
"""


def test_a_link_opens_for_whom_it_was_sent_until_it_is_called_back(ledger, server, settings):
    settings.ADDRESS = "https://rulka.example.org/"
    dispatch = kept(ledger, LINKED)
    assert not delivering.rehearse(dispatch, PERIOD, person=None)[0].problem
    deliver_all(sending := prepared(name="linked"))
    told = states(sending)
    assert told["lea", "library"][0] == told["lea", "mail"][0] == "delivered"
    assert told["kim", "mail"][0] == "not sent" and "{link} has no value" in told["kim", "mail"][1]
    people = {name: Person.objects.get(username=name) for name in ("amy", "lea", "kim")}
    link = sending.deliveries.get(way="library")
    body = server.arrived[0].message
    assert f"https://rulka.example.org/dispatch/for/{link.identity}/" in body.get_body(("plain",)).get_content()
    assert f'href="https://rulka.example.org/dispatch/for/{link.identity}/"' in body.get_body(("html",)).get_content()
    assert link_for(link.identity, people["lea"]).pk == link.pk and links_for(ledger, people["lea"]) == [link]
    for name in ("amy", "kim"):
        with pytest.raises(NotFound):
            link_for(link.identity, people[name])
    with pytest.raises(NotFound):
        link_for(sending.deliveries.get(way="mail", person_name="lea").identity, people["lea"])
    with pytest.raises(RulkaError, match="Only a link"):
        recall(sending.deliveries.get(way="mail", person_name="lea"), dispatch, person=people["amy"])
    with pytest.raises(NotFound):
        recall(link, dispatch, person=people["lea"])
    recall(link, dispatch, person=people["amy"])
    with pytest.raises(RulkaError, match="called back"):
        link_for(link.identity, people["lea"])
    assert not links_for(ledger, people["lea"])
    link.refresh_from_db()
    send_again(link, dispatch, person=people["amy"])
    assert link_for(link.identity, people["lea"])
    people["lea"].accesses.all().delete()
    with pytest.raises(NotFound):
        link_for(link.identity, people["lea"])
    settings.ADDRESS = ""
    again = sent(ledger, LINKED, "later")
    assert (
        "doesn't know its own address" in states(again)["lea", "library"][1]
        or "no access" in (states(again)["lea", "library"][1])
    )


# letters ------------------------------------------------------------------------------------------------------------

LETTER = """
dispatch: letter
sends: [{statement: result, as: csv, node: A, file: '{node}'}]
to: [{person: lea, node: '10'}]
ways:
- way: mail
  subject: 'Größe *{node}*, {period}'
  text: |
    Dear **{name}**,
    <b>not marks</b>

    {table result}

    - cells {cell sums / B1:C1}
  copy: Auditor, x@y.example
  hidden: z@y.example
"""


def test_a_letter_is_plain_and_a_page_and_says_what_stands_in_it(ledger, server):
    lea = Person.objects.get(username="lea")
    lea.title = "L*e*a <img src=x>"
    lea.save()
    amy = Person.objects.get(username="amy")
    save_contact(ledger, "Auditor", "audit@firm.example", person=amy)
    sending = sent(ledger, LETTER)
    assert states(sending)["lea", "mail"] == ("delivered", "250 2.0.0 kept")
    (one,) = server.arrived
    assert one.to == ["lea@ternwick.example", "audit@firm.example", "x@y.example", "z@y.example"]
    message = one.message
    assert message["Subject"] == "Größe *Small*, January 2026" and message["Cc"] == "audit@firm.example, x@y.example"
    assert "z@y.example" not in one.content.decode("utf-8", "replace"), "a blind copy stands nowhere"
    page = message.get_body(("html",)).get_content()
    assert "<strong>L*e*a &lt;img src=x&gt;</strong>" in page and "&lt;b&gt;not marks&lt;/b&gt;" in page
    assert "<li>cells 2026-P01, A</li>" in page and "<img" not in page
    assert (
        '<td style="padding:3px 10px;border-bottom:1px solid #e0d9c6;text-align:right;white-space:nowrap">50.00</td>'
        in page
    )
    plain = message.get_body(("plain",)).get_content()
    rows = [line for line in plain.splitlines() if line.strip().startswith(("EUR", "Result", "4000"))]
    assert [row.split()[-3:] for row in rows if len(row.split()) > 1] == [
        ["2026", "plan", "more"], ["–", "40.00", "−40.00"], ["50.00", "40.00", "10.00"]
    ]  # fmt: skip
    assert len({len(row) for row in rows if len(row.split()) > 1}) == 1, "its columns stand below each other"
    (name,) = [part.get_filename() for part in message.iter_attachments()]
    assert name == "Small.csv"


def test_a_copy_never_goes_to_somebody_who_may_not_see_it(ledger, server):
    text = LETTER.replace("copy: Auditor, x@y.example", "copy: KIM@ternwick.example").replace(
        "  hidden: z@y.example\n", ""
    )
    assert "may not see all of this" in states(sent(ledger, text))["lea", "mail"][1] and not server.arrived
    wide = text.replace("KIM@ternwick.example", "amy@ternwick.example")
    assert states(sent(ledger, wide, "wide"))["lea", "mail"][0] == "delivered"
    assert (
        "'Nobody' is no mail address"
        in states(sent(ledger, text.replace("KIM@ternwick.example", "Nobody"), "x"))["lea", "mail"][1]
    )


def test_an_own_account_is_used_and_its_absence_told(ledger, server, settings):
    text = LETTER.replace("copy: Auditor, x@y.example", "account: own")
    assert "no mail account of their own" in states(sent(ledger, text))["lea", "mail"][1]
    amy = Person.objects.get(username="amy")
    about = {"tls": False, "user": "", "secret": "", "sender": "amy@office.example"}
    for bad in ({"host": "a b"}, {"sender": "nobody"}, {"port": "0"}, {"secret": "a\nb"}):
        with pytest.raises(RulkaError):
            save_account(amy, **{"host": "127.0.0.1", "port": "25", **about, **bad})
    save_account(amy, host="127.0.0.1", port=str(server.port), **about)
    settings.FEED_PRIVATE = False
    inside = sent(ledger, text, "inside")
    assert "private network" in states(inside)["lea", "mail"][1], "whoever sends doesn't knock at what is inside"
    settings.FEED_PRIVATE = True
    settings.MAIL_HOST = ""
    sending = sent(ledger, text, "own")
    assert states(sending)["lea", "mail"][0] == "delivered"
    message = server.arrived[0].message
    assert message["From"] == "amy@office.example" and message["Message-ID"].endswith("@office.example>")


def test_a_range_that_is_too_large_is_told(ledger, server):
    assert "more than 100 cells" in states(sent(ledger, LETTER.replace("B1:C1", "A1:Z999")))["lea", "mail"][1]


# forms, sheets and nodes --------------------------------------------------------------------------------------------


def attached(server):
    return {
        part.get_filename(): part.get_payload(decode=True) for part in server.arrived[-1].message.iter_attachments()
    }


def mailed(ledger, server, sends, occasion="once"):
    text = f"dispatch: m\nsends: [{sends}]\nto: [{{person: amy, node: '10'}}]\nways: [{{way: mail}}]\n"
    sending = sent(ledger, text, occasion)
    return states(sending)["amy", "mail"], attached(server) if states(sending)["amy", "mail"][0] == "delivered" else {}


def test_an_old_workbook_holds_the_same_values_and_verifies(ledger, server):
    _, files = mailed(ledger, server, "{statement: result, as: [workbook, old workbook], node: A}")
    new = openpyxl.load_workbook(io.BytesIO(files["The result-A-2026-P01.xlsx"]), data_only=True)
    old = xlrd.open_workbook(file_contents=files["The result-A-2026-P01.xls"], formatting_info=True)
    assert old.sheet_names() == new.sheetnames
    for sheet in new.worksheets[1:]:
        other = old.sheet_by_name(sheet.title)
        for row in sheet.iter_rows():
            for cell in row:
                if isinstance(cell.value, int | float):
                    assert other.cell_value(cell.row - 1, cell.column - 1) == cell.value
    assert any(cell == 50 for sheet in old.sheets() for at in range(sheet.nrows) for cell in sheet.row_values(at))
    amy = Person.objects.get(username="amy")
    assert verify(files["The result-A-2026-P01.xls"], "x.xls", amy).state == "untouched"


def test_an_old_workbook_changed_by_hand_is_found_out(ledger, server):
    import xlwt

    _, files = mailed(ledger, server, "{statement: result, as: old workbook, node: A}")
    book = xlrd.open_workbook(file_contents=files["The result-A-2026-P01.xls"], formatting_info=True)
    copy = xlwt.Workbook()
    for sheet in book.sheets():
        target = copy.add_sheet(sheet.name)
        for row in range(sheet.nrows):
            for column in range(sheet.ncols):
                value = sheet.cell_value(row, column)
                look = xlwt.XFStyle()
                place = sheet.cell_xf_index(row, column)
                look.num_format_str = book.format_map[book.xf_list[place].format_key].format_str
                if value != "":
                    target.write(row, column, 51.0 if value == 50.0 else value, look)
    changed = io.BytesIO()
    copy.save(changed)
    found = verify(changed.getvalue(), "x.xls", Person.objects.get(username="amy"))
    assert found.state == "changed"
    assert {(one.was, one.now) for one in found.altered if one.what == "figure"} == {("50", "51")}


@pytest.mark.parametrize(
    ("fill", "told"),
    [
        (lambda sheet: sheet.cell(65_537, 1, 1), "65,537 rows"),
        (lambda sheet: sheet.cell(1, 257, 1), "257 columns"),
        (lambda sheet: sheet.cell(1, 1, "x" * 32_768), "32,768 characters in A1"),
    ],
)  # fmt: skip
def test_what_an_old_workbook_cannot_hold_is_refused_in_words(fill, told):
    book = openpyxl.Workbook()
    fill(book.active)
    target = io.BytesIO()
    book.save(target)
    content = target.getvalue()
    if "characters" in told:  # the writer cuts longer texts
        content = _longer(content)
    with pytest.raises(RulkaError, match=told):
        as_old(content)


def _longer(content):
    target = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as source, zipfile.ZipFile(target, "w") as made:
        for name in source.namelist():
            data = source.read(name)
            made.writestr(name, data.replace(b"x" * 32_767, b"x" * 32_768))
    return target.getvalue()


def test_chosen_sheets_and_one_file_each(ledger, server, command, tmp_path):
    (tmp_path / "two.yaml").write_text(
        "worksheet: two\ntitle: Two\nsheets:\n- sheet: One\n  cells: {A1: '1', B1: '=A1+1'}\n"
        "- sheet: Other\n  cells: {A1: '=One!B1*10'}\n"
    )
    command("load_worksheet", tmp_path / "two.yaml", ledger="s")
    _, files = mailed(ledger, server, "{worksheet: two, as: [workbook, csv], files: each}")
    assert sorted(files) == [
        "Two-One-2026-P01.csv",
        "Two-One-2026-P01.xlsx",
        "Two-Other-2026-P01.csv",
        "Two-Other-2026-P01.xlsx",
    ]
    book = openpyxl.load_workbook(io.BytesIO(files["Two-Other-2026-P01.xlsx"]), data_only=True)
    assert book.sheetnames == ["Other"] and book["Other"]["A1"].value == 20
    amy = Person.objects.get(username="amy")
    found = verify(files["Two-Other-2026-P01.xlsx"], "x", amy)
    assert found.state == "untouched" and found.since[0].why == "" and not found.since[0].cells
    _, one = mailed(ledger, server, "{worksheet: two, as: workbook, sheets: Other}", "one")
    assert openpyxl.load_workbook(io.BytesIO(next(iter(one.values())))).sheetnames == ["Other"]
    assert "2 sheets, and a CSV file holds one" in mailed(ledger, server, "{worksheet: two, as: csv}", "csv")[0][1]
    assert "There is no sheet 'Third'" in mailed(ledger, server, "{worksheet: two, sheets: Third}", "third")[0][1]


def test_nodes_below_in_one_file_or_one_each(ledger, server):
    _, one = mailed(ledger, server, "{statement: by-department, as: workbook, node: '10', pages: all}")
    (content,) = one.values()
    below = len(openpyxl.load_workbook(io.BytesIO(content)).sheetnames) - 1
    _, each = mailed(ledger, server, "{statement: by-department, as: csv, node: '10', pages: all, files: each}", "each")
    assert len(each) == below > 1
    _, several = mailed(ledger, server, "{statement: by-department, as: csv, node: ['10', '20']}", "several")
    assert sorted(several) == ["By department-10-2026-P01.csv", "By department-20-2026-P01.csv"]


# editions and revisions ---------------------------------------------------------------------------------------------


PLAIN = """
dispatch: NAME
figures: FIGURES
sends: [{statement: result, as: csv, node: A}]
to: [{person: amy, node: '10'}, {person: kim, node: '20'}]
ways: [{way: mail}]
"""


def test_an_edition_is_sent_as_it_was_kept_to_each_their_own(ledger, server, command, small):
    text = PLAIN.replace("NAME", "kept").replace("FIGURES", "edition").replace("csv", "json")
    with pytest.raises(RulkaError, match="No edition of 'result' is kept"):
        kept(ledger, text) and prepared("none", name="kept")
    amy = Person.objects.get(username="amy")
    definitions = definitions_of(ledger, "result")
    keep_edition(definitions, "January", run(definitions, PERIOD, "A", NO_FENCE, amy), person=amy)
    before = json.loads(command("run_statement", "result", ledger="s", period=PERIOD, node="A", person="kim"))
    revision = Ledger.objects.get(code="s").revision
    spine = Definition.objects.get(kind="spine", name="result")
    spine.body["lines"][0]["lines"][1]["line"] = "Pay"
    spine.save()
    entry = "A,E9,1,2026-01-20,4000,20,,999.00,moved,D9,,,\nA,E9,2,2026-01-20,1000,,999.00,,moved,D9,,,\n"
    command("load_ledger", small(entries__csv=added(entry)), ledger="s")
    assert Ledger.objects.get(code="s").revision == revision + 1
    deliver_all(sending := prepared("kept", name="kept"))
    assert sending.revision == revision and {state for state, _ in states(sending).values()} == {"delivered"}
    kim = next(one.message for one in server.arrived if one.to == ["kim@ternwick.example"])
    (held,) = [json.loads(part.get_content()) for part in kim.iter_attachments()]
    assert [line["values"] for line in held["lines"]] == [line["values"] for line in before["lines"]]
    assert "Wages" in [line["label"] for line in held["lines"]] and held["revision"] == revision


def added(entry):
    from tests.conftest import SMALL

    return SMALL["entries.csv"] + entry


def test_figures_are_fetched_first_or_nothing_goes(ledger, server, settings, command, tmp_path):
    text = PLAIN.replace("NAME", "fresh").replace("FIGURES", "fetched first")
    with pytest.raises(RulkaError, match="no feed that its owner may pull"):
        kept(ledger, text) and prepared("one", name="fresh")
    assert not Sending.objects.filter(dispatch="fresh").exists()


# people by rule -----------------------------------------------------------------------------------------------------


def test_owners_and_groups_are_who_they_are_when_it_is_sent(ledger, server):
    text = """
dispatch: rule
sends: [{statement: by-department, as: csv, node: theirs}]
to: [{owners: departments}, {owner: departments/11}, {group: board, node: '20'}]
ways: [{way: mail}]
"""
    sending = sent(ledger, text, "nobody")
    assert {name for name, _ in states(sending)} == {
        "owners of the nodes of departments", "owner of departments/11", "group board"
    }  # fmt: skip
    assert all("Nobody answers to this rule" in answer for _, answer in states(sending).values())
    for name, node in (("one", "departments/10"), ("two", "departments/20"), ("three", "departments/11")):
        person = make_person(name, title=name, role="lead", groups=["board"] if name == "three" else [])
        grant(person, "s", "", "", {}, opens_seals=True, node=node)
        set_mail(person, f"{name}@ternwick.example")
    again = sent(ledger, text, "three")
    got = sorted((one.person_name, one.node, one.state) for one in again.deliveries.all())
    assert got == [
        ("one", "10", "delivered"),
        ("three", "11", "delivered"),
        ("three", "20", "not sent"),
        ("two", "20", "delivered"),
    ]
    Person.objects.filter(username="two").update(is_active=False)
    assert "two" not in {name for name, _ in states(sent(ledger, text, "left"))}


def test_what_goes_is_one_revision_or_made_anew(ledger, server, monkeypatch):
    calls = []

    def moving(dispatch, one, period):
        calls.append(1)
        return len(calls)

    monkeypatch.setattr(delivering, "revision_of", moving)
    monkeypatch.setattr(delivering, "plan", lambda occasion, only="": [])
    with pytest.raises(RulkaError, match="moves faster"):
        prepared()
    assert len(calls) == 6 and not Sending.objects.exists()


def test_names_that_no_dispatch_has_and_things_of_no_kind(ledger, command, tmp_path):
    amy, mail = "to: [{person: amy}]", "ways: [{way: mail}]"
    twice = "[when an edition is kept, When an edition is kept]"
    for lines, told in (
        (("dispatch: book", amy, mail), "No dispatch is called 'book'"),
        (("sends: [{picture: x}]", amy, mail), "names one thing"),
        (("sends: [{statement: result, sheets: x}]", amy, mail), "has no sheets"),
        (("sends: [{worksheet: sums, pages: all}]", amy, mail), "no pages"),
        (("to: [{person: amy, group: x}]", mail), "one person or one rule"),
        (("to: [{owner: departments/10, node: '10'}]", mail), "the one they own"),
        ((amy, "ways: [{way: file server}]"), "has a server"),
        ((amy, "ways: [{way: file server, server: x}]"), "no file server 'x'"),
        ((amy, "ways: [{way: link, text: x}]"), "has no text"),
        ((amy, "when: at noon", mail), "says no occasion"),
        ((amy, f"when: {twice}", mail), "stands twice"),
    ):
        text = "\n".join(lines if lines[0].startswith("dispatch") else ("dispatch: a", *lines))
        (tmp_path / "bad.yaml").write_text(text)
        with pytest.raises(CommandError, match=told):
            command("load_dispatch", tmp_path / "bad.yaml", ledger="s", person="amy")
    assert find_dispatch(ledger, "month-pack", person=None) == Dispatch.objects.get()
