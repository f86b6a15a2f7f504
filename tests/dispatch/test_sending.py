"""A dispatch from text to the other side: each gets their own figures, each delivery is accounted for."""

from __future__ import annotations

import csv
import errno
import io
import json
import socket
from pathlib import Path

import openpyxl
import pandas
import pypdfium2
import pytest
from django.core.exceptions import ImproperlyConfigured
from django.core.management.base import CommandError
from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.dispatch.library.storing import find_dispatch
from rulka.dispatch.models import Delivery, Dispatch, Sending
from rulka.dispatch.running import delivering, folders, mail
from rulka.dispatch.running.delivering import deliver_all, prepare, recover, send_again
from rulka.people.library import keeping
from rulka.people.library.keeping import BY_COMMAND
from rulka.people.library.persons import make_person
from rulka.people.library.rights import grant
from rulka.people.models import Person, Recorded
from rulka.statements.library.shelves import set_right
from rulka.statements.models import Definition, Shelf
from rulka.statements.output.origins import verify
from rulka.web.settings import folders_from
from rulka.work.services import backups
from tests.dispatch.world import PACK, PERIOD, prepared, states

pytestmark = pytest.mark.django_db


def send(command, *, code=0, **options):
    try:
        told = command("send", "month-pack", ledger="s", period=PERIOD, person="amy", format="json", **options)
    except SystemExit as ended:
        assert ended.code == code == 4
        return list(Sending.objects.first().deliveries.all())
    assert not code
    return json.loads(told)


# to each their own --------------------------------------------------------------------------------------------------


def _neither_file_is_the_others(tmp_path, told):
    """One folder, two people: neither file is the other's."""
    names = sorted(path.name for path in (tmp_path / "board" / PERIOD).iterdir())
    assert (
        len(names) == 8 and "The result-A-2026-P01 (2).csv" in names and not any(name.startswith(".") for name in names)
    )
    assert Recorded.objects.filter(what="sent", thing="dispatch month-pack").count() == 1
    digests = {file["digest"] for one in told if one["to"] == "kim" for file in one["files"]}
    assert not digests & {file["digest"] for one in told if one["to"] != "kim" for file in one["files"]}


def test_each_gets_their_own_figures_by_each_way(ledger, server, command, tmp_path, django_capture_on_commit_callbacks):
    with django_capture_on_commit_callbacks(execute=True):
        told = send(command)
    assert [(one["to"], one["way"], one["state"]) for one in told] == [
        ("amy", "mail", "delivered"), ("amy", "board", "delivered"), ("lea", "mail", "delivered"),
        ("lea", "board", "delivered"), ("kim", "mail", "delivered"),
    ]  # fmt: skip
    assert {one["answer"] for one in told if one["way"] == "mail"} == {"250 2.0.0 kept"}
    mails = {one.to[0].partition("@")[0]: one.message for one in server.arrived}
    assert set(mails) == {"amy", "lea", "kim"}
    for name, arrived in mails.items():
        held = {part.get_filename(): part.get_payload(decode=True) for part in arrived.iter_attachments()}
        asked = {"ledger": "s", "period": PERIOD, "node": "A", "person": name}
        exact = json.loads(command("run_statement", "result", **asked))
        lines = {
            line["label"]: line["values"][0]
            for line in exact["lines"]
            if line["values"][0] is not None and not line.get("hidden")
        }
        rows = list(csv.reader(io.StringIO(held["The result-A-2026-P01.csv"].decode())))
        assert {row[0]: row[1] for row in rows[1:] if row[1] and row[0] in lines} == lines, name
        sheet = openpyxl.load_workbook(io.BytesIO(held["The result-A-2026-P01.xlsx"]), data_only=True).worksheets[1]
        cells = {row[0].value: row[1].value for row in sheet.iter_rows(min_row=8)}
        assert {label: float(value) for label, value in lines.items()} == {label: cells[label] for label in lines}
        paper = pypdfium2.PdfDocument(held["The result-A-2026-P01.pdf"])
        text = paper[0].get_textpage().get_text_bounded()
        paper.close()
        assert ("50.00" in text) == (lines["Result"] == "50.00")
        assert set(held) == {"The result-A-2026-P01.csv", "The result-A-2026-P01.xlsx", "The result-A-2026-P01.pdf",
                             f"{name.capitalize()} {'Office' if name == 'kim' else 'Shop'}- 2026-P01.csv"}  # fmt: skip
        for content in held.values():  # whoever got it verifies it
            assert verify(content, "x", Person.objects.get(username=name)).state == "untouched"
    assert mails["lea"]["Subject"] == "Small, January 2026: 50.00" and mails["kim"]["Subject"].endswith(": –")
    body = mails["lea"].get_body(("plain",)).get_content().replace("\r\n", "\n")
    assert body == "Good morning Lea,\nwages were – EUR, sheet A.\n"
    _neither_file_is_the_others(tmp_path, told)


def test_a_rehearsal_sends_nothing_and_says_all(ledger, server, command, tmp_path):
    told = send(command, rehearse=True)
    assert [one["state"] for one in told] == ["rehearsed"] * 5
    assert all(file["bytes"] > 100 for one in told for file in one["files"])
    assert not server.arrived and not list((tmp_path / "board").iterdir()) and not Sending.objects.exists()
    assert [one["to"] for one in send(command, rehearse=True, to="kim")] == ["kim"]
    with pytest.raises(CommandError, match="isn't among the recipients"):
        send(command, rehearse=True, to="nobody")


def test_dumped_it_reads_back_the_same(ledger, command, tmp_path):
    text = command("dump_dispatch", "month-pack", ledger="s", person="amy")
    (tmp_path / "again.yaml").write_text(text)
    assert command("load_dispatch", tmp_path / "again.yaml", ledger="s", person="amy").endswith("version 1\n")
    (tmp_path / "again.yaml").write_text(text.replace("Month pack", "Pack of the month"))
    assert command("load_dispatch", tmp_path / "again.yaml", ledger="s", person="amy").endswith("version 2\n")


def test_several_files_are_kept_all_or_none(ledger, command, tmp_path):
    (tmp_path / "good.yaml").write_text(PACK.replace("month-pack", "another-pack"))
    (tmp_path / "bad.yaml").write_text(PACK.replace("person: kim", "person: nobody"))
    files = (tmp_path / "good.yaml", tmp_path / "bad.yaml")
    with pytest.raises(CommandError, match="There is no person 'nobody'"):
        command("load_dispatch", *files, ledger="s", person="amy")
    assert set(Dispatch.objects.values_list("name", flat=True)) == {"month-pack"}
    files[1].write_text(PACK.replace("Month pack", "Pack of the month"))
    told = command("load_dispatch", *files, ledger="s", person="amy")
    assert told == "dispatch another-pack: version 1\ndispatch month-pack: version 2\n"


@pytest.mark.parametrize(
    ("text", "other", "told"),
    [
        ("result, as", "nothing, as", "does not exist"),
        ("person: kim", "person: nobody", "There is no person 'nobody'"),
        ("{figure result / result / now}", "{figure result}", "figure statement / line / column"),
        ("{node}, {period}", "{knot}, {period}", "is no token"),
        ("pdf, csv]", "picture, csv]", "Nothing goes as 'picture'"),
        ("by: mail", "by: pigeon", "There is no way 'pigeon'"),
        ("way: folder", "way: pigeon", "pigeon"),
        ("person: kim, node: '20'", "person: kim", "has no node"),
        ("person: kim", "person: lea, nodes: x", "Additional properties"),
        ("person: kim, node: '20'", "person: lea, node: '10'", "stands twice"),
        ("dispatch: month-pack", "dispatch: Month pack", "does not match"),
        ("path: 'board/{period.code}'", "exists: number", "has a path"),
        ("{period}: {figure", "{period: {figure", "brace"),
    ],
)
def test_what_means_nothing_is_refused_and_nothing_kept(text, other, told, ledger, command, tmp_path):
    assert PACK.count(text) >= 1
    (tmp_path / "bad.yaml").write_text(PACK.replace(text, other, 1).replace("Month pack", "Other"))
    with pytest.raises(CommandError, match=told):
        command("load_dispatch", tmp_path / "bad.yaml", ledger="s", person="amy")
    assert Dispatch.objects.get().version == 1


# what can't go ------------------------------------------------------------------------------------------------------


def test_who_has_left_has_no_right_or_no_address_holds_up_nobody_else(ledger, server, command):
    Person.objects.filter(username="lea").update(is_active=False)
    Person.objects.filter(username="kim").update(email="")
    found = send(command, code=4)
    assert {(one.person_name, one.way): (one.state, one.answer) for one in found} == {
        ("amy", "mail"): ("delivered", "250 2.0.0 kept"),
        ("amy", "board"): ("delivered", ", ".join(file["name"] for file in found[0].files)),
        ("lea", "mail"): ("not sent", "lea: They have left. Say who gets it now."),
        ("lea", "board"): ("not sent", "lea: They have left. Say who gets it now."),
        ("kim", "mail"): ("not sent", "kim: They have no mail address. An administrator sets it."),
    }
    Person.objects.get(username="kim").accesses.all().delete()
    kim = send(command, code=4)[-1]
    assert kim.state == "not sent" and not kim.files
    # a line that was renamed by its label follows, one that is gone stops what names it
    spine = Definition.objects.get(kind="spine", name="result")
    spine.body["lines"][0]["total"] = "Profit"
    spine.save()
    assert send(command, code=4)[0].state == "delivered"
    spine.body["lines"][0]["lines"][1]["line"] = "Gone"
    spine.save()
    amy = send(command, code=4)
    assert "{figure result / wages / now} has no value" in amy[0].answer and amy[1].state == "delivered"


def test_only_its_owner_and_administrators_send(ledger, server, command):
    bob = make_person("bob", title="Bob", role="accountant")
    grant(bob, "s", "", "", {}, opens_seals=True)
    for name in ("bob", "kim"):
        with pytest.raises(CommandError, match="The dispatch 'month-pack' does not exist"):
            command("send", "month-pack", ledger="s", period=PERIOD, person=name)
    with pytest.raises(RulkaError, match="does not exist"):
        prepare(Dispatch.objects.get(), PERIOD, "x", person=bob)
    assert not server.arrived


def test_what_somebody_who_leaves_sent_their_heir_sends(ledger, server, command):
    bob = make_person("bob", title="Bob", role="accountant")
    grant(bob, "s", "", "", {}, opens_seals=True)
    keeping.deactivate(BY_COMMAND, Person.objects.get(username="amy"), bob)
    assert find_dispatch(ledger, "month-pack", person=bob).owner == bob
    with pytest.raises(CommandError, match="does not exist"):
        command("send", "month-pack", ledger="s", period=PERIOD, person="amy", rehearse=True)


def test_a_restored_copy_sends_nothing(ledger, server, settings, tmp_path):
    settings.VAR = tmp_path / "var"
    settings.VAR.mkdir()
    sending = prepared()
    (settings.VAR / backups.HELD).write_text("2026-11-26")
    deliver_all(sending)
    assert {one.state for one in sending.deliveries.all()} == {"waits"}
    assert recover(False) == 0
    delivering.deliver_waiting()
    assert not server.arrived
    with pytest.raises(RulkaError, match="restored copy"):
        prepared("another")


# the other side -----------------------------------------------------------------------------------------------------


def test_one_of_several_is_refused(ledger, server):
    server.fails.refuses = {"lea@ternwick.example"}
    deliver_all(sending := prepared())
    told = states(sending)
    assert told["lea", "mail"] == ("refused", "lea@ternwick.example: 550 5.1.1 nobody of that name here")
    assert told["kim", "mail"][0] == told["lea", "board"][0] == "delivered" and len(server.arrived) == 2


def test_a_full_server_refuses_and_one_that_isnt_there_gets_nothing(ledger, server, settings):
    server.fails.is_full = True
    deliver_all(sending := prepared())
    assert states(sending)["kim", "mail"] == ("refused", "452 4.3.1 no room") and not server.arrived
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        settings.MAIL_PORT = probe.getsockname()[1]
    deliver_all(again := prepared("again"))
    kim = again.deliveries.get(person_name="kim")
    assert kim.state == "not sent" and "refused" in kim.answer and kim.attempts == 3
    server.fails.is_full = False
    settings.MAIL_PORT = server.port
    send_again(kim, Dispatch.objects.get(), person=Person.objects.get(username="amy"))
    kim.refresh_from_db()
    assert kim.state == "delivered" and len(server.arrived) == 1
    server.fails.drops = True
    deliver_all(third := prepared("third"))
    assert states(third)["kim", "mail"][0] == "not sent"


def test_a_server_that_hangs_is_waited_for_no_longer_than_set(ledger, server, monkeypatch):
    monkeypatch.setattr(mail, "SECONDS", 0.3)
    server.fails.hangs, server.pause = True, 0.8
    deliver_all(sending := prepared(only="kim"))
    assert states(sending)["kim", "mail"][0] == "not known", "it may have it"
    monkeypatch.setattr(mail, "SECONDS", 30)


def test_a_full_disk_is_tried_again_and_told(ledger, server, monkeypatch, tmp_path):
    def full(*_):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(folders.os, "fsync", full)
    deliver_all(sending := prepared(only="lea"))
    board = sending.deliveries.get(way="board")
    assert (board.state, board.answer, board.attempts) == ("not sent", "No space left on device.", 3)
    assert not list((tmp_path / "board").rglob("*.*")), "never half a file"
    # long pauses are the worker's: it comes again when one is over
    monkeypatch.setattr(delivering, "PAUSES", (0, 3_600))
    deliver_all(again := prepared("again", only="lea"))
    board = again.deliveries.get(way="board")
    assert board.state == "waits" and board.again > timezone.now()
    monkeypatch.undo()
    delivering.deliver_waiting()
    board.refresh_from_db()
    assert board.state == "waits", "not before its pause is over"
    Delivery.objects.filter(pk=board.pk).update(again=timezone.now())
    delivering.deliver_waiting()
    board.refresh_from_db()
    assert board.state == "delivered" and board.again is None


def test_files_open_with_other_readers(ledger, server, command):
    deliver_all(prepared(only="lea"))
    held = {part.get_filename(): part.get_payload(decode=True) for part in server.arrived[0].message.iter_attachments()}
    told = json.loads(command("run_statement", "result", ledger="s", period=PERIOD, node="A", person="lea"))
    exact = {line["label"]: float(line["values"][0]) for line in told["lines"] if line["values"][0] is not None}
    book = pandas.read_excel(io.BytesIO(held["The result-A-2026-P01.xlsx"]), sheet_name=1, header=None)
    cells = {row[0]: row[1] for row in book.itertuples(index=False) if isinstance(row[1], int | float)}
    assert {label: value for label, value in cells.items() if label in exact} == exact
    rows = pandas.read_csv(io.BytesIO(held["The result-A-2026-P01.csv"]))
    column = rows.set_index(rows.columns[0])[rows.columns[1]].dropna()
    assert {label: float(column[label]) for label in exact if label in column} == exact


def test_a_line_cut_after_the_mail_is_not_known_and_never_sent_again_by_itself(ledger, server):
    server.fails.drops_after_data = True
    deliver_all(sending := prepared())
    kim = sending.deliveries.get(person_name="kim")
    assert kim.state == "not known" and len(server.arrived) == 3
    server.fails.drops_after_data = False
    deliver_all(sending)
    assert recover(False) == recover(True) == 0
    delivering.deliver_waiting()
    assert len(server.arrived) == 3
    # by a person's choice, with the same identity
    send_again(kim, Dispatch.objects.get(), person=Person.objects.get(username="amy"))
    kim.refresh_from_db()
    first, second = (one.message["Message-ID"] for one in server.arrived if one.to == ["kim@ternwick.example"])
    assert kim.state == "delivered" and first == second == f"<{kim.identity}@ternwick.example>"
    with pytest.raises(RulkaError, match="went on this occasion already"):
        prepared()


def test_what_a_dead_worker_left_is_told_or_goes_on(ledger, server, tmp_path):
    sending = prepared()
    Delivery.objects.update(state="under way", worker="elsewhere:1")
    board = sending.deliveries.get(person_name="lea", way="board")
    folder = tmp_path / "board" / PERIOD
    folder.mkdir()
    for file in board.files[:2]:  # it had written two of its files
        folder.joinpath(file["name"]).write_bytes(delivering.content_of(file))
    assert recover(False) == 5
    delivering.deliver_waiting()
    told = states(sending)
    assert told["lea", "board"][0] == "delivered" and told["kim", "mail"][0] == "not known"
    assert not server.arrived, "a mail that may have been handed over goes by a person's choice only"
    assert len(list(folder.iterdir())) == 8, "none twice"


def test_folders_take_a_file_whole_or_not_at_all(ledger, server, tmp_path, settings, command):
    settings.SEND_FOLDERS = {"board": tmp_path / "nowhere"}
    found = send(command, code=4)
    assert {one.answer for one in found if one.way == "board"} == {
        "path: The folder 'board' isn't there. Look whether it is mounted."
    }
    settings.SEND_FOLDERS = {"other": tmp_path / "board"}
    assert "no folder that may be sent into" in next(one.answer for one in send(command, code=4) if one.way == "board")
    settings.SEND_FOLDERS = {"board": tmp_path / "board"}
    (tmp_path / "elsewhere").mkdir()
    (tmp_path / "board" / PERIOD).symlink_to(tmp_path / "elsewhere")
    found = send(command, code=4)
    assert any("leads out of its folder" in one.answer for one in found)
    assert not list((tmp_path / "elsewhere").iterdir())


def test_a_kept_file_that_was_changed_does_not_go(ledger, server, settings):
    sending = prepared()
    kim = sending.deliveries.get(person_name="kim")
    path = Path(kim.files[0]["place"])
    path.write_bytes(path.read_bytes() + b"x")
    deliver_all(sending)
    assert states(sending)["kim", "mail"][0] == "refused" and len(server.arrived) == 2


def test_what_was_sent_long_ago_is_forgotten_with_its_files(ledger, server):
    old, new = prepared("old"), prepared("new")
    Sending.objects.filter(pk=old.pk).update(at="2020-01-01T00:00:00Z")
    places = {one: [Path(file["place"]) for delivery in one.deliveries.all() for file in delivery.files]
              for one in (old, new)}  # fmt: skip
    assert delivering.forget_old() == 5
    assert not any(path.exists() for path in places[old]) and all(path.exists() for path in places[new])
    assert list(Sending.objects.all()) == [new]


def test_nobodys_file_takes_the_place_of_anothers(ledger, server, command, tmp_path):
    text = PACK.replace("path: 'board/{period.code}'", "path: 'board/{period.code}', exists: overwrite")
    (tmp_path / "pack.yaml").write_text(text)
    command("load_dispatch", tmp_path / "pack.yaml", ledger="s", person="amy")
    found = {(one.person_name, one.way): one for one in send(command, code=4)}
    assert found["amy", "board"].state == "delivered" and found["lea", "board"].state == "not sent"
    assert "take the place of what goes to amy" in found["lea", "board"].answer
    (tmp_path / "pack.yaml").write_text(text.replace("board/{period.code}", "board/{name}"))
    command("load_dispatch", tmp_path / "pack.yaml", ledger="s", person="amy")
    assert {one["state"] for one in send(command)} == {"delivered"}


def test_a_shelf_bounds_what_is_sent(ledger, server):
    spine = Definition.objects.get(kind="spine", name="result")
    spine.body["lines"][0]["lines"][0]["expand"] = "entries"
    spine.save()
    board = Shelf.objects.get(name="Board")
    Definition.objects.filter(kind="statement", name="result").update(shelf=board)
    for name, depth in (("amy", "entries"), ("lea", "accounts"), ("kim", "entries")):
        set_right(board, f"person:{name}", "run", person=None, depth=depth)
    deliver_all(prepared())
    sent = {one.to[0].partition("@")[0]: next(
        part.get_content() for part in one.message.iter_attachments() if part.get_filename().startswith("The result")
        and part.get_filename().endswith("csv")) for one in server.arrived}  # fmt: skip
    assert "E3" in sent["amy"] and "E3" not in sent["lea"]


@pytest.mark.parametrize("text", ["board", "=/x", "board=", "a=/b,c"])
def test_folders_are_set_by_name_and_path(text):
    assert folders_from(" board = /srv/board , x=/y,") == {"board": "/srv/board", "x": "/y"}
    with pytest.raises(ImproperlyConfigured, match="names no folder"):
        folders_from(text)
