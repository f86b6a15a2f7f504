"""The pages of dispatches: what each does, and that what isn't somebody's answers as what isn't there."""

from __future__ import annotations

import html
import re

import pytest
from django.test import Client
from django.urls import reverse

from rulka.dispatch.library.storing import find_dispatch
from rulka.dispatch.models import Contact, Days, Delivery, Dispatch, MailAccount, Sending, Server
from rulka.dispatch.running.tasks import run_waiting
from rulka.people.library.persons import make_person, set_mail
from rulka.people.library.rights import grant
from rulka.people.models import Person, Recorded
from standins.file_server import SECRET, USER, SftpServer
from tests.dispatch.world import PERIOD
from tests.pages import flat

pytestmark = pytest.mark.django_db
WHERE = f"?ledger=s&period={PERIOD}&node=A"


@pytest.fixture
def clients(ledger):
    for name, role in (("con", "controller"), ("bob", "accountant"), ("root", "administrator")):
        person = make_person(name, title=name.capitalize(), role=role)
        grant(person, "s", "", "", {}, opens_seals=True)
        set_mail(person, f"{name}@ternwick.example")
    found = {}
    for person in Person.objects.filter(accesses__ledger=ledger):
        found[person.username] = Client()
        found[person.username].force_login(person)
    return found


def at(route, *arguments):
    return reverse(route, args=arguments) + WHERE


def text_of(response):
    return flat(html.unescape(re.sub(r"[A-Za-z0-9]{64}|nonce=\"[^\"]+\"", "", response.content.decode())))


def act(client, what, *, of="month-pack", code=302, **said):
    response = client.post(at("act-on-dispatch", of), {"do": what, **said})
    assert response.status_code == code, text_of(response)
    return response


def body(name="month-pack"):
    return Dispatch.objects.get(name=name).body


def _text_and_names(amy, one):
    """Its text, its name, a copy; what somebody else changed meanwhile is not written over."""
    version = Dispatch.objects.get(name="board-papers").version
    act(amy, "figures", **one, figures="as they are", version=str(version - 1), code=422)
    text = amy.get(at("dispatch", "board-papers") + "&tab=text").context["text"]
    act(amy, "text", **one, text=text.replace("Board papers", "Papers"))
    assert Dispatch.objects.get(name="board-papers").title == "Papers"
    act(amy, "text", **one, text=text.replace("board-papers", "other"), code=422)
    act(amy, "text", **one, text="dispatch: [", code=422)
    act(amy, "rename", **one, title="The papers")
    act(amy, "copy", **one, title="Other papers")
    act(amy, "delete", of="other-papers")
    act(amy, "nonsense", **one, code=422)


def _figures_and_times(amy, one):
    """Which figures go, whether somebody releases them, and when it goes by itself."""
    act(amy, "figures", **one, figures="edition")
    act(amy, "figures", **one, figures="as they are")
    act(amy, "release", **one, release="yes")
    act(amy, "release", **one)
    act(amy, "add-rule", **one, rule="Each Month on day 31 at 8:00")
    act(amy, "add-rule", **one, rule="each month on day 32 at 08:00", code=422)
    assert body("board-papers")["when"] == ["each month on day 31 at 08:00"]
    for tab in ("what", "who", "when", "letter", "text", "else"):
        page = amy.get(at("dispatch", "board-papers") + f"&tab={tab}")
        assert page.status_code == 200
    assert "each month on day 31" in text_of(amy.get(at("dispatches")))
    act(amy, "drop-rule", **one, at="0")
    assert "when" not in body("board-papers")


def _ways(amy, one):
    """Ways are added, switched, set and dropped; a figure is put into the subject."""
    act(amy, "add-way", **one, kind="folder", name="board", path="board/{period.code}")
    act(amy, "add-way", **one, kind="pigeon", code=422)
    act(amy, "add-way", **one, kind="folder", name="board", path="x", code=422)
    act(amy, "switch-way", **one, way="board")
    assert body("board-papers")["ways"][1] == {
        "way": "folder",
        "name": "board",
        "path": "board/{period.code}",
        "off": "yes",
    }
    act(amy, "switch-way", **one, way="board")
    act(amy, "switch-way", **one, way="nowhere", code=422)
    act(amy, "set-way", **one, way="board", path="board", exists="refuse")
    act(amy, "drop-way", **one, way="mail", code=422)
    act(amy, "drop-way", **one, way="board")
    act(amy, "set-way", **one, way="mail", subject="{node}", text="Hello\r\nyou", copy="", account="server")
    act(amy, "insert", **one, way="mail", into="subject", token="{figure result / result / now}")
    act(amy, "insert", **one, way="mail", into="name", token="x", code=422)
    act(amy, "set-way", **one, way="mail", subject="{knot}", code=422)
    assert body("board-papers")["ways"] == [
        {"way": "mail", "subject": "{node} {figure result / result / now}", "text": "Hello\nyou", "account": "server"}
    ]


def _recipients(amy, one):
    """People and owners are put in and taken out."""
    act(amy, "add-recipient", **one, who="person lea", node="10", by=["mail"])
    act(amy, "add-recipient", **one, who="owners scope", owned="departments")
    act(amy, "add-recipient", **one, who="person lea", node="10", code=422)
    act(amy, "drop-recipient", **one, at="2")
    act(amy, "drop-recipient", **one, at="0")
    act(amy, "drop-recipient", **one, at="0", code=422)
    assert body("board-papers")["to"] == [{"person": "lea", "node": "10", "by": ["mail"]}]


def test_a_dispatch_is_made_by_the_pages_alone(clients, ledger, server, django_capture_on_commit_callbacks):
    amy = clients["amy"]
    response = amy.post(at("begin-dispatch"), {"title": "Board papers"})
    assert response.status_code == 302 and "board-papers" in response["Location"]
    assert clients["lea"].post(at("begin-dispatch"), {"title": "Mine"}).status_code == 422
    one = {"of": "board-papers"}
    act(amy, "send", **one, code=422)
    act(
        amy, "add-thing", **one, thing="statement result", **{"as": ["pdf", "csv"]}, node="A", pages="node", files="one"
    )
    act(
        amy,
        "add-thing",
        **one,
        thing="worksheet sums",
        **{"as": "workbook"},
        sheets="Sheet",
        files="each",
        file="{sheet}",
    )
    assert body("board-papers")["sends"] == [
        {"statement": "result", "as": ["pdf", "csv"], "node": "A"},
        {"worksheet": "sums", "as": ["workbook"], "files": "each", "file": "{sheet}", "sheets": ["Sheet"]},
    ]
    act(amy, "add-thing", **one, thing="statement nothing", code=422)
    act(amy, "add-thing", **one, code=422)
    act(amy, "drop-thing", **one, at="1")
    act(amy, "drop-thing", **one, at="7", code=422)
    _recipients(amy, one)
    _ways(amy, one)
    _figures_and_times(amy, one)
    _text_and_names(amy, one)
    with django_capture_on_commit_callbacks(execute=True):
        response = act(amy, "send", **one)
    run_waiting.call()
    page = text_of(amy.get(response["Location"]))
    assert "250 2.0.0 kept" in page and "delivered" in page and "All arrived" in page
    assert server.arrived[0].message["Subject"] == "Small 50.00"


def test_a_rehearsal_shows_each_letter_and_opens_their_files(
    clients, server, settings, django_capture_on_commit_callbacks
):
    amy = clients["amy"]
    assert "Not rehearsed for January 2026 yet" in text_of(amy.get(at("dispatch", "month-pack")))
    act(amy, "rehearse")
    page = amy.get(at("dispatch", "month-pack"))
    assert "It is being rehearsed" in text_of(page)
    assert amy.get(at("dispatch-rehearsed", "month-pack")).status_code == 200
    run_waiting.call()
    done = amy.get(at("dispatch-rehearsed", "month-pack"))
    assert (done.status_code, done["HX-Refresh"]) == (204, "true") and not server.arrived
    kim = Delivery.objects.get(person_name="kim")
    page = text_of(amy.get(at("dispatch", "month-pack") + f"&to={kim.identity}"))
    assert "As Kim reads it" in page and '<mark class="token">–</mark>' in page and "department 20" in page
    with django_capture_on_commit_callbacks(execute=True):
        taken = amy.get(at("delivery-file", kim.pk, 0))
    assert taken.status_code == 200 and taken["Content-Disposition"].startswith("attachment")
    assert Recorded.objects.filter(what="took", thing="dispatch month-pack").count() == 1
    assert amy.get(at("delivery-file", kim.pk, 99)).status_code == 404
    Person.objects.get(username="amy").accesses.update(members={"department": "20"})
    lea = Delivery.objects.get(person_name="lea", way="mail")
    assert amy.get(at("delivery-file", lea.pk, 0)).status_code == 422
    page = text_of(amy.get(at("dispatch", "month-pack") + f"&to={lea.identity}"))
    assert "aren't yours to open" in page and '<div class="letter">' not in page


def test_what_is_not_somebodys_answers_as_what_is_not_there(clients, server):
    act(clients["amy"], "send")
    run_waiting.call()
    sending, delivery = Sending.objects.get(), Delivery.objects.first()
    for name in ("bob", "lea", "con"):
        client = clients[name]
        for route, there, missing in (
            ("dispatch", ("month-pack",), ("month-pick",)),
            ("dispatch-rehearsed", ("month-pack",), ("month-pick",)),
            ("sending", (sending.pk,), (99999,)),
            ("delivery-file", (delivery.pk, 0), (99999, 0)),
            ("sent-to-me", (delivery.identity,), ("0" * 24,)),
            ("take-sent", (delivery.identity, 0), ("0" * 24, 0)),
        ):
            own, other = client.get(at(route, *there)), client.get(at(route, *missing))
            assert own.status_code == other.status_code == 404, (name, route)
            words = text_of(own).replace("'month-pack'", "'month-pick'")
            for sign in ("/", "%2F"):
                words = words.replace(f"{sign}{there[0]}{sign}", f"{sign}{missing[0]}{sign}")
            assert words == text_of(other), (name, route)
        acts = (("act-on-dispatch", "month-pack", "month-pick"), ("act-on-sending", sending.pk, 9999))
        for route, there, missing in acts:
            for what in ("send", "release", "delete", "again", "recall"):
                said = {"do": what, "delivery": delivery.pk}
                codes = {client.post(at(route, one), said).status_code for one in (there, missing)}
                assert codes == {404}
    assert Sending.objects.count() == 1 and clients["root"].get(at("dispatch", "month-pack")).status_code == 200
    assert "of Amy" in text_of(clients["root"].get(at("dispatches")))
    assert Client().get(at("dispatches")).status_code == 302


def test_released_resent_called_back_by_the_pages(clients, server, settings, ledger):
    settings.ADDRESS = "https://rulka.example.org"
    amy, con, lea = clients["amy"], clients["con"], clients["lea"]
    act(amy, "add-way", kind="link", name="library")
    act(amy, "release", release="yes")
    response = act(amy, "send")
    sending = Sending.objects.get()
    moving = amy.get(at("sending", sending.pk), headers={"HX-Request": "true"})
    assert moving.status_code == 200 and "moving" in text_of(moving)
    run_waiting.call()
    still = amy.get(at("sending", sending.pk), headers={"HX-Request": "true"})
    assert (still.status_code, still["HX-Refresh"]) == (204, "true")
    assert "It waits for release" in text_of(amy.get(response["Location"]))
    assert "waits for your release" in text_of(con.get(at("dispatches")))
    assert "waits for your release" not in text_of(amy.get(at("dispatches")))
    assert amy.post(at("act-on-sending", sending.pk), {"do": "release"}).status_code == 422
    assert con.post(at("act-on-sending", sending.pk), {"do": "decline"}).status_code == 422
    assert con.post(at("act-on-sending", sending.pk), {"do": "release"}).status_code == 302
    run_waiting.call()
    mail = sending.deliveries.get(person_name="kim", way="mail")
    count = len(server.arrived)
    amy.post(at("act-on-sending", sending.pk), {"do": "again", "delivery": mail.pk})
    run_waiting.call()
    assert len(server.arrived) == count + 1
    link = sending.deliveries.get(person_name="lea", way="library")
    assert "Sent to you by link" in text_of(lea.get(at("dispatches")))
    page = lea.get(at("sent-to-me", link.identity))
    assert page.status_code == 200 and "The result-A-2026-P01.xlsx" in text_of(page)
    assert lea.get(at("take-sent", link.identity, 0)).status_code == 200
    assert clients["kim"].get(at("sent-to-me", link.identity)).status_code == 404
    Person.objects.get(username="lea").accesses.update(members={"department": "20"})
    narrowed = lea.get(at("take-sent", link.identity, 0))
    assert narrowed.status_code == 422 and "any more" in text_of(narrowed), "what she doesn't see any more is closed"
    Person.objects.get(username="lea").accesses.update(members={"department": "under:10"})
    assert lea.get(at("take-sent", link.identity, 0)).status_code == 200
    amy.post(at("act-on-sending", sending.pk), {"do": "recall", "delivery": link.pk})
    assert "called back" in text_of(lea.get(at("sent-to-me", link.identity)))
    assert lea.get(at("take-sent", link.identity, 0)).status_code == 422
    assert amy.post(at("act-on-sending", sending.pk), {"do": "nonsense"}).status_code == 422


def test_what_did_not_arrive_waits_for_its_owner(clients, server):
    server.fails.refuses = {"kim@ternwick.example"}
    amy = clients["amy"]
    act(amy, "send")
    run_waiting.call()
    bad = Delivery.objects.get(state="refused")
    assert "nobody of that name here" in text_of(amy.get(at("dispatches")))
    amy.post(at("act-on-sending", bad.sending_id), {"do": "noted", "delivery": bad.pk, "back": "list"})
    assert "nobody of that name here" not in text_of(amy.get(at("dispatches")))


def test_a_statement_is_sent_from_where_one_works(clients, server, ledger):
    amy = clients["amy"]
    amy.post(at("begin-dispatch"), {"title": "Chosen"})
    address = at("send-statement", "result")
    assert address.split("?")[0] in text_of(amy.get(at("statement", "result")))
    assert at("send-worksheet", "sums").split("?")[0] in text_of(amy.get(at("worksheet", "sums")))
    assert (
        clients["lea"].get(address).status_code == 422 and amy.get(at("send-statement", "nothing")).status_code == 404
    )
    assert amy.post(address, {"do": "send"}).status_code == 422
    chosen = {"do": "choose", "dispatch": "chosen", "as": ["csv"], "node": "A", "pages": "node", "files": "one"}
    assert amy.post(address, chosen).status_code == 302
    assert "Chosen" in text_of(amy.get(address))
    amy.post(at("send-worksheet", "sums"), {**chosen, "sheets": "Sheet", "node": ""})
    page = amy.post(address, {"do": "send"})
    assert page.status_code == 200 and "On its way" in text_of(page)
    run_waiting.call()
    names = [part.get_filename() for part in server.arrived[0].message.iter_attachments()]
    assert names == ["The result-A-2026-P01.csv"], "this statement alone"
    amy.post(address, {"do": "leave", "dispatch": "chosen"})
    assert find_dispatch(ledger, "chosen", person=None).uses.get().thing == "sums"


def test_what_dispatches_share_is_kept_by_who_may(clients, tmp_path, ledger):
    amy, root, lea = clients["amy"], clients["root"], clients["lea"]
    for route in ("address-book", "sending-days", "mail-account", "file-servers"):
        assert lea.get(at(route)).status_code == 422
        assert root.get(at(route)).status_code == 200
    assert amy.get(at("file-servers")).status_code == 422
    amy.post(at("address-book"), {"name": "Auditor", "address": "a@firm.example"})
    assert amy.post(at("address-book"), {"name": "Bad", "address": "a b"}).status_code == 422
    amy.post(at("address-book"), {"do": "forget", "contact": Contact.objects.get().pk})
    assert not Contact.objects.exists()
    amy.post(at("sending-days"), {"zone": "Europe/Dublin", "holidays": "2026-12-25 Christmas Day"})
    assert Days.objects.get().holidays == {"2026-12-25": "Christmas Day"}
    wrong = amy.post(at("sending-days"), {"zone": "", "holidays": "2026-02-30 Never"})
    assert wrong.status_code == 422 and "2026-02-30 Never" in text_of(wrong)
    account = {"host": "mail.example.org", "port": "", "sender": "amy@office.example", "secret": "s3cret", "tls": "yes"}
    amy.post(at("mail-account"), account)
    kept = MailAccount.objects.get()
    assert kept.port == 587 and "s3cret" not in kept.sealed and "s3cret" not in text_of(amy.get(at("mail-account")))
    assert amy.post(at("mail-account"), {**account, "sender": "x"}).status_code == 422
    amy.post(at("mail-account"), {"do": "forget"})
    assert not MailAccount.objects.exists()
    with SftpServer(tmp_path / "files") as server:
        about = {"do": "save", "name": "auditor", "kind": "sftp", "host": "127.0.0.1", "port": server.port}
        root.post(at("file-servers"), {**about, "user": USER, "secret": SECRET, "folder": ""})
        shown = root.post(at("file-servers"), {"do": "test", "name": "auditor"})
        assert "Ask its keeper" in text_of(shown)
        root.post(at("file-servers"), {"do": "pin", "name": "auditor", "key": shown.context["shown"][1]})
        assert Server.objects.get().pinned
        assert "takes the sign-in" in text_of(root.post(at("file-servers"), {"do": "test", "name": "auditor"}))
        server.fails.refuses = True
        assert root.post(at("file-servers"), {"do": "test", "name": "auditor"}).status_code == 422
    assert "isn't reached" in text_of(root.post(at("file-servers"), {"do": "test", "name": "auditor"}))
    assert root.post(at("file-servers"), {**about, "host": "a b"}).status_code == 422
    root.post(at("file-servers"), {"do": "forget", "name": "auditor"})
    assert not Server.objects.exists() and Server.objects.filter(ledger=ledger).count() == 0
