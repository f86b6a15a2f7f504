"""Pages of extracts: composed in place, questions answered, layouts kept, runs made in the background and taken."""

from __future__ import annotations

import html
import io
import re

import openpyxl
import pandas as pd
import pytest
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.extracts.library.storing import definition_of
from rulka.extracts.models import Extract, ExtractRun
from rulka.extracts.output import making
from rulka.extracts.running import runs
from rulka.ledger.models import JournalLine, Revision
from rulka.ledger.offering import offered
from rulka.people.library.persons import make_person
from rulka.people.library.rights import grant
from rulka.people.models import Access, Person
from rulka.statements.models import Shelf, ShelfRight
from tests.conftest import SMALL

pytestmark = pytest.mark.django_db
WHERE = "?ledger=s&period=2026-P01&node=A"
BODY = """
extract: sales
title: Sales
for: the auditor
rows: journal lines
columns: [date, entity, entry, line, account, amount, description]
where:
- {account: '{accounts}'}
- {period: '{period}'}
ask:
- {ask: accounts, type: selection, of: account, title: Accounts, default: '4*, 1000', from: account}
- {ask: period, type: period, required: 'yes', default: year of this, from: period}
layouts:
- {layout: By account, pivot: {down: account, value: amount}}
"""

WORKSHEET = """
worksheet: w
title: W
sheets:
- sheet: Sheet
  cells:
    A1: '=RULKA.TABLE("sales","account,amount")'
    E1: '=RULKA.TABLE("nothing")'
"""


@pytest.fixture
def world(small, command, db, tmp_path, settings):
    settings.VAR = tmp_path
    command("load_ledger", small(), ledger="s")
    file = tmp_path / "sales.yaml"
    file.write_text(BODY)
    command("load_extract", file, ledger="s")
    for name, role in (("amy", "accountant"), ("rob", "reader"), ("lea", "accountant")):
        person = make_person(name, title=name.capitalize(), role=role)
        grant(person, "s", "", "5100, 4*, 1*" if name == "lea" else "", {}, opens_seals=True)
    return lambda name="amy": signed_in(name)


def signed_in(name):
    client = Client()
    client.force_login(Person.objects.get(username=name))
    return client


def page(client, name="sales", more=""):
    return client.get(reverse("extract", args=[name]) + WHERE + more)


def act(client, do, name="sales", **sent):
    return client.post(reverse("edit-extract", args=[name]) + WHERE, {"do": do, **sent})


def extract(name="sales"):
    return Extract.objects.get(name=name)


def made(client, name="sales", more="", **sent):
    """A run that was asked for on the page, made as the worker does."""
    answer = client.post(reverse("run-extract", args=[name]) + WHERE + more, {"form": "csv", **sent})
    assert answer.status_code == 302, answer.content.decode()
    run = ExtractRun.objects.first()
    making.make(run.pk)
    return ExtractRun.objects.get(pk=run.pk)


def taken(client, run, name="sales"):
    """The status and the bytes of a run's file; closed as the server does it, which the client's close doesn't."""
    response = client.get(reverse("extract-file", args=[name, run.pk]) + WHERE)
    if not response.streaming:
        return response.status_code, response.content
    content = b"".join(response.streaming_content)
    for closer in response._resource_closers:
        closer()
    return response.status_code, content


def text_of(response):
    """What an answer says, without its marks."""
    return html.unescape(re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", response.content.decode())))


def test_the_page_shows_the_first_rows_their_count_and_their_sum(world):
    shown = page(world())
    assert shown.status_code == 200
    told = text_of(shown)
    assert "2 rows" in told and "in bounds" in told and "10 Jan 2026" in told
    shown = page(world(), more="&a-period=2025-P01 to 2026-P12&a-accounts=4*")
    assert "2 rows" in text_of(shown) and "150.00" in text_of(shown).replace("\u2212", "")
    assert "No rows." in text_of(page(world(), more="&a-accounts=5100"))
    listed = world().get(reverse("extracts") + WHERE)
    assert "For the auditor" in text_of(listed) and "Sales" in text_of(listed)
    assert "Sales" not in text_of(world().get(reverse("extracts") + WHERE + "&search=wages"))


def test_a_bad_answer_says_which_and_what_to_do(world):
    shown = page(world(), more="&a-period=someday")
    assert shown.status_code == 200 and "Period: 'someday' is not a period of this ledger" in text_of(shown)
    assert "Find a field" in shown.content.decode()  # the page stands, to be mended


def test_columns_conditions_and_questions_are_changed_in_place_and_taken_back(world):
    amy = world()
    chosen = ["date", "entity", "entry", "line", "account", "amount", "description", "document", "user"]
    assert act(amy, "fields", fields=chosen).status_code == 302
    assert definition_of(extract()).column_keys == chosen
    assert act(amy, "column", column="amount", title="Net", total="").status_code == 302
    assert act(amy, "formula", title="Twice", formula="=net*2").status_code == 302
    shown = page(amy, more="&tab=column&column=Twice")
    assert " 100 " in text_of(shown).replace("\u2212", "") and "Twice" in text_of(shown)
    act(amy, "condition", at="999", field="document", words="not empty")
    act(amy, "sort", column="Net", order="falling")
    act(amy, "top", top="1")
    assert "1 row" in text_of(page(amy))
    act(amy, "ask", ask="doc", type="list", of="document", several="yes", title="Documents")
    act(amy, "condition", at="999", field="document", words="{doc}")
    assert "0 rows" in text_of(page(amy, more="&a-doc=D1")) or "No rows." in text_of(page(amy, more="&a-doc=D1"))
    body = extract().body
    amy.post(reverse("undo-extract", args=["sales"]) + WHERE)
    assert extract().body != body
    amy.post(reverse("undo-extract", args=["sales"]) + WHERE, {"redo": "yes"})
    assert extract().body == body
    for _ in range(8):
        amy.post(reverse("undo-extract", args=["sales"]) + WHERE)
    assert definition_of(extract()).column_keys == [
        "date",
        "entity",
        "entry",
        "line",
        "account",
        "amount",
        "description",
    ]
    refused = amy.post(reverse("undo-extract", args=["sales"]) + WHERE)
    assert refused.status_code == 422 and "nothing to take back" in text_of(refused)


@pytest.mark.parametrize(
    ("do", "sent", "told"),
    [
        ("formula", {"title": "Odd", "formula": "=amont*2"}, "Nothing is called 'amont'"),
        ("condition", {"at": "999", "field": "colour", "words": "red"}, "Journal lines have no 'colour'"),
        ("condition", {"at": "999", "field": "amount", "words": "much"}, "'much' is not a number"),
        ("column", {"column": "account", "total": "sum"}, "'Account' has no sum"),
        ("fields", {"fields": ["nothing"]}, "have no 'nothing'"),
        ("ask", {"ask": "Bad name", "type": "text"}, "does not match"),
        ("top", {"top": "many"}, "does not match"),
        ("dance", {}, "Nothing is called 'dance'"),
    ],
)
def test_what_cant_be_is_refused_and_changes_nothing(world, do, sent, told):
    before = extract().body
    answer = act(world(), do, **sent)
    assert answer.status_code == 422 and told in answer.content.decode().replace("&#x27;", "'")
    assert extract().body == before


def test_either_of_two_conditions_is_enough_and_goes_as_one(world):
    amy, both = (
        world(),
        {"at": "999", "field": "account", "words": "5000", "field-2": "amount", "words-2": "at least 90"},
    )
    act(amy, "condition", at="0", field="account", words="")
    assert act(amy, "condition", **both).status_code == 302
    assert extract().body["where"][1] == {"any": [{"account": "5000"}, {"amount": "at least 90"}]}
    shown = text_of(page(amy, more="&a-period=2025-P01 to 2026-P12"))
    assert "2 rows" in shown and "any of account 5000 , amount at least 90" in shown
    act(amy, "condition", at="1", field="any", words="")
    assert len(extract().body["where"]) == 1
    refused = act(amy, "condition", **{**both, "words-2": "much"})
    assert refused.status_code == 422 and "'much' is not a number" in text_of(refused)


def test_who_changed_it_since_is_told(world):
    version = extract().version
    act(world(), "sort", column="date", order="falling")
    answer = act(world(), "sort", column="entry", order="rising", version=str(version))
    assert answer.status_code == 422 and "Somebody changed it since" in text_of(answer)


def test_readers_run_and_keep_layouts_and_change_nothing(world):
    rob = world("rob")
    assert "Run" in text_of(page(rob)) and 'name="fields"' not in page(rob).content.decode()
    assert act(rob, "sort", column="date", order="falling").status_code == 422
    sent = {"name": "Mine", "for": "me", "shown-5": "1", "at-5": "1", "shown-0": "1", "at-0": "2", "width-5": "30"}
    answer = rob.post(reverse("extract-layout", args=["sales"]) + WHERE, sent)
    assert answer.status_code == 302 and "layout=Mine" in answer["Location"]
    layout = definition_of(extract(), Person.objects.get(username="rob")).layout("Mine")
    assert layout.columns == ("amount", "date") and layout.widths == {"amount": 30}
    assert [one.name for one in definition_of(extract(), Person.objects.get(username="amy")).layouts] == ["By account"]
    answer = rob.post(reverse("extract-layout", args=["sales"]) + WHERE, {**sent, "for": "everybody"})
    assert answer.status_code == 422 and "keep layouts for yourself" in text_of(answer)
    run = made(rob, more="&layout=Mine", form="xlsx")
    found = pd.read_excel(io.BytesIO(taken(rob, run)[1]), header=1)
    assert list(found.columns) == ["Amount", "Date"]
    rob.post(reverse("extract-layout", args=["sales"]) + WHERE, {"do": "drop", "former": "Mine"})
    assert [one.name for one in definition_of(extract(), Person.objects.get(username="rob")).layouts] == ["By account"]


def test_a_run_is_made_in_the_background_and_its_file_is_the_rows(world):
    amy = world()
    run = made(amy, more="&a-accounts=4*&layout=By account", form="xlsx")
    assert (run.state, run.rows, run.revision, run.given) == ("ready", 1, 1, {"accounts": "4*"})
    content = taken(amy, run)[1]
    book = openpyxl.load_workbook(io.BytesIO(content), data_only=True)
    assert book.sheetnames == ["Sales", "Pivot", "Asked"] and book["Sales"]["F3"].value == -50
    shown = text_of(amy.get(reverse("extract-runs", args=["sales"]) + WHERE))
    assert "1 row" in shown and "revision 1" in shown and "accounts 4*" in shown
    assert run.file_name in shown
    again = amy.post(reverse("run-again", args=["sales", run.pk]) + "?ledger=s&period=2025-P01&node=A")
    assert again.status_code == 302
    newest = ExtractRun.objects.first()
    making.make(newest.pk)
    newest.refresh_from_db()
    assert newest.given == {"accounts": "4*"} and newest.period == "2025-P01" and newest.rows == 1
    compared = amy.get(reverse("compare-runs", args=["sales"]) + WHERE + f"&run={run.pk}&run={newest.pk}")
    assert "1 new, 1 gone, 0 changed" in text_of(compared)
    assert amy.get(reverse("compare-runs", args=["sales"]) + WHERE + f"&run={run.pk}").status_code == 422
    # it names its origin, and is found again by it
    verified = amy.post(reverse("verify") + WHERE, {"file": io.BytesIO(content)})
    assert verified.status_code == 200 and "sales" in text_of(verified)


def test_nobody_elses_run_is_theirs(world):
    run = made(world())
    assert taken(world("rob"), run)[0] == 404
    assert world("rob").post(reverse("cancel-run", args=["sales", run.pk]) + WHERE).status_code == 404
    assert taken(world(), run)[0] == 200


def test_rights_taken_away_between_asking_and_fetching_close_the_file(world):
    run = made(world("lea"))
    assert run.rows == 2 and taken(world("lea"), run)[0] == 200
    Access.objects.filter(person__username="lea").update(accounts="5100")
    status, content = taken(world("lea"), run)
    assert status == 422 and b"What you may see changed" in content
    # and between asking and making: it is made of what they see then
    asked = world("lea").post(reverse("run-extract", args=["sales"]) + WHERE, {"form": "csv"})
    assert asked.status_code == 302
    Access.objects.filter(person__username="lea").update(accounts="4*")
    run = ExtractRun.objects.first()
    making.make(run.pk)
    run.refresh_from_db()
    assert run.rows == 1 and b"4100" in taken(world("lea"), run)[1]
    asked = world("lea").post(reverse("run-extract", args=["sales"]) + WHERE, {"form": "csv"})
    Access.objects.filter(person__username="lea").delete()
    run = ExtractRun.objects.first()
    making.make(run.pk)
    run.refresh_from_db()
    assert run.state == "failed" and not run.file


def test_what_stands_on_a_shelf_is_theirs_who_may(world):
    ledger = extract().ledger
    shelf = Shelf.objects.create(ledger=ledger, name="Closed", maker=Person.objects.get(username="amy"))
    ShelfRight.objects.create(shelf=shelf, person=Person.objects.get(username="amy"), level=3)
    run = made(world("rob"))
    Extract.objects.update(shelf=shelf)
    assert page(world("rob")).status_code == 404 and taken(world("rob"), run)[0] == 404
    assert "Sales" not in text_of(world("rob").get(reverse("extracts") + WHERE))
    assert page(world()).status_code == 200
    ShelfRight.objects.create(shelf=shelf, person=Person.objects.get(username="rob"), level=2, depth="accounts")
    assert "You see accounts" in text_of(page(world("rob")))


def test_news_are_what_came_since_the_last_run(world, small, command):
    amy = world()
    refused = amy.post(reverse("run-extract", args=["sales"]) + WHERE, {"form": "csv", "news": "yes"})
    assert refused.status_code == 422 and "never run" in text_of(refused)
    made(amy)
    lines = SMALL["entries.csv"].replace("50.00", "60.00")
    lines += "A,E9,1,2026-01-20,1000,,9.25,,B,,,,\nA,E9,2,2026-01-20,4100,11,,9.25,B,,,,\n"
    command("load_ledger", small(entries__csv=lines), ledger="s")
    run = made(amy, news="yes")
    assert (run.rows, run.since) == (4, 1) and run.notes[0] == "2 new, 2 changed, 0 withdrawn since revision 1"
    text = taken(amy, run)[1].decode()
    assert text.splitlines()[0].startswith("News,Date,Entity") and "Amount was 50.00" in text
    assert made(amy, news="yes").rows == 0


def test_a_run_can_be_cancelled_and_taken_up_again(world, monkeypatch):
    amy = world()
    amy.post(reverse("run-extract", args=["sales"]) + WHERE, {"form": "csv"})
    run = ExtractRun.objects.first()
    amy.post(reverse("cancel-run", args=["sales", run.pk]) + WHERE)
    run.refresh_from_db()
    assert run.state == "cancelled"
    making.make(run.pk)
    run.refresh_from_db()
    assert run.state == "cancelled" and not run.file
    # one that runs stops at its next block, and leaves nothing behind
    amy.post(reverse("run-extract", args=["sales"]) + WHERE, {"form": "xlsx"})
    run = ExtractRun.objects.first()
    real = runs.tell

    def cancelled(number, done, of):
        ExtractRun.objects.filter(pk=number).update(cancel=True)
        real(number, done, of)

    monkeypatch.setattr(runs, "tell", cancelled)
    making.make(run.pk)
    run.refresh_from_db()
    assert run.state == "cancelled"
    from django.conf import settings

    assert not list((settings.VAR / "outputs").glob("*"))


def test_what_a_dead_worker_left_is_queued_again(world):
    from rulka.extracts.output.asking import recover

    amy = world()
    amy.post(reverse("run-extract", args=["sales"]) + WHERE, {"form": "csv"})
    run = ExtractRun.objects.first()
    ExtractRun.objects.filter(pk=run.pk).update(state="running", worker="elsewhere:999999:1")
    assert recover(False) == 1
    making.make(run.pk)
    run.refresh_from_db()
    assert run.state == "ready"


def test_a_run_over_everything_asks_first_and_is_run_all_the_same(world, monkeypatch):
    monkeypatch.setattr("rulka.extracts.running.asked.UNBOUNDED", 3)
    amy = world()
    act(amy, "condition", at="1", field="period", words="")
    act(amy, "condition", at="0", field="account", words="")
    asked = amy.post(reverse("run-extract", args=["sales"]) + WHERE, {"form": "csv"})
    assert (
        asked.status_code == 422 and "it would give 7 rows" in text_of(asked) and "Run all the same" in text_of(asked)
    )
    assert not ExtractRun.objects.exists()
    assert made(amy, whole="yes").rows == 7


def test_extracts_are_offered_where_one_stands(world):
    amy = world()
    shown = amy.get(reverse("ledger-accounts") + WHERE + "&account=4100").content.decode()
    found = re.search(r'href="(/extracts/sales/[^"]+)"', shown)
    assert found, shown
    rows = amy.get(found[1].replace("&amp;", "&"))
    assert "4100" in text_of(rows) and "1 row" in text_of(rows)
    assert "/extracts/sales/" in amy.get(reverse("ledger-journal") + WHERE + "&accounts=4*").content.decode()
    assert "a-accounts=4000%2C+4100" in amy.get(reverse("ledger-journal") + WHERE + "&accounts=4*").content.decode()
    assert "/extracts/sales/" in amy.get(reverse("ledger-entry", args=["A", "E3"]) + WHERE).content.decode()
    assert "/extracts/sales/" not in amy.get(reverse("ledger-journal") + WHERE).content.decode()
    found = amy.get(reverse("find") + WHERE + "&q=sal", headers={"HX-Request": "true"})
    assert "Sales" in text_of(found)
    assert offered(None, {"account": ""}) == []


def test_a_worksheet_reads_an_extract_as_its_reader_sees_it(world, command, tmp_path):
    file = tmp_path / "w.yaml"
    file.write_text(WORKSHEET)
    command("load_worksheet", file, ledger="s")
    import json

    told = json.loads(command("run_worksheet", "w", ledger="s", period="2026-P01"))
    cells = {cell["at"]: cell["value"] for cell in told["sheets"][0]["cells"]}
    assert (cells["A1"], cells["B1"]) == ("Account", "Amount") and {cells["B2"], cells["B3"]} == {"50.00", "-50.00"}
    assert cells["E1"] == "#N/A"
    for who, expected in (("lea", {"1000", "4100"}), ("amy", {"1000", "4100"})):
        told = json.loads(command("run_worksheet", "w", ledger="s", period="2026-P01", person=who))
        cells = {cell["at"]: cell["value"] for cell in told["sheets"][0]["cells"]}
        assert {cells["A2"], cells["A3"]} == expected
    Access.objects.filter(person__username="lea").update(accounts="4*")
    told = json.loads(command("run_worksheet", "w", ledger="s", period="2026-P01", person="lea"))
    cells = {cell["at"]: cell["value"] for cell in told["sheets"][0]["cells"]}
    assert cells["A2"] == "4100" and "A3" not in cells


def test_an_extract_is_sent_for_each_recipient(world):
    from rulka.people.library.rights import fence_of
    from rulka.statements.output.sendable import SendRequest, kind_named

    kind = kind_named("extract")
    assert kind.names(extract().ledger, Person.objects.get(username="amy")) == [("sales", "Sales")]
    Access.objects.filter(person__username="lea").update(accounts="4*")
    found = {}
    for who in ("amy", "lea"):
        person = Person.objects.get(username=who)
        asked = SendRequest(
            extract().ledger,
            person,
            fence_of(person, "s"),
            "sales",
            "2026-P01",
            "",
            1,
            timezone.localtime(),
            leaves=True,
        )
        (piece,) = kind.pieces(asked)
        assert piece.values["statement"] == "Sales" and piece.values["period"] == "January 2026"
        found[who] = piece.content("csv").decode()
        with pytest.raises(RulkaError, match="is rows"):
            piece.content("pdf")
    assert "1000" in found["amy"] and ",1000," not in found["lea"] and "Origin R-" in found["lea"]


def test_the_commands_load_dump_and_run(world, command, tmp_path):
    text = command("run_extract", "sales", ledger="s", period="2026-P01", values=["accounts=4100"])
    assert text.splitlines()[1].startswith("2026-01-10,A,E3,2,4100,-50.00")
    assert ",4100," in command("run_extract", "sales", ledger="s", period="2026-P01", person="lea")
    from django.core.management import CommandError

    for values, told in ((["accounts"], "sets nothing"), (["colour=red"], "asks no 'colour'")):
        with pytest.raises(CommandError, match=told):
            command("run_extract", "sales", ledger="s", values=values)
    out = tmp_path / "x.parquet"
    command("run_extract", "sales", ledger="s", period="2026-P01", format="parquet", out=out)
    assert len(pd.read_parquet(out)) == 2
    dumped = tmp_path / "again.yaml"
    dumped.write_text(command("dump_extract", "sales", ledger="s"))
    assert "as it was" in command("load_extract", dumped, ledger="s")
    dumped.write_text(dumped.read_text().replace("amount", "amont"))
    with pytest.raises(CommandError, match="Journal lines have no 'amont'"):
        command("load_extract", dumped, ledger="s")
    dumped.write_text("extract: a\nrows: journal lines\ncolumns: []\n")
    with pytest.raises(CommandError, match=r"again.yaml, a, columns.*See docs/guides/extracts.md"):
        command("load_extract", dumped, ledger="s")


def test_figures_tables_and_new_ones_from_a_list(world, command, tmp_path):
    file = tmp_path / "contracts.csv"
    file.write_text("account,Owner,Limit,Ends\n4100,Ann,12.50,2026-12-31\n1000,Bob,7,2027-01-31\n")
    command("load_table", file, "--name", "Contracts", ledger="s")
    amy = world()
    for rows, title in (("table Contracts", "Contracts"), ("journal lines", "Lines"), ("accounts", "All accounts"),
                        ("documents", "Numbers"), ("balances", "Balances"), ("revisions", "Loads")):  # fmt: skip
        answer = amy.post(reverse("begin-extract") + WHERE, {"rows": rows, "title": title})
        assert answer.status_code == 302
        assert amy.get(answer["Location"]).status_code == 200
    act(amy, "fields", "lines", fields=["account", "amount", "currency", "contracts owner", "contracts limit"])
    shown = text_of(page(amy, "lines"))
    assert "Ann" in shown and "12.5" in shown
    file.write_text("account,Owner\n4100,Ann\n4100,Cy\n")
    command("load_table", file, "--name", "Contracts", ledger="s")
    act(amy, "fields", "lines", fields=["account", "amount", "currency", "contracts owner"])
    assert "amounts would count more than once" in text_of(page(amy, "lines"))
    # a table that doesn't say what a fence goes by isn't there for whoever has one
    file.write_text("name,Owner\nX,Ann\n")
    command("load_table", file, "--name", "Loose", ledger="s")
    answer = world("lea").post(reverse("begin-extract") + WHERE, {"rows": "table Loose", "title": "Loose"})
    assert answer.status_code == 404 and "There is no table" in text_of(answer)
    rob = world("rob").post(reverse("begin-extract") + WHERE, {"rows": "accounts", "title": "Mine"})
    assert rob.status_code == 422


def test_an_extract_is_copied_changed_as_text_and_deleted_once_its_title_is_typed(world):
    amy, manage = world(), reverse("manage-extract", args=["sales"]) + WHERE
    assert amy.post(manage, {"do": "copy", "title": "Other sales"}).status_code == 302
    assert extract("other-sales").title == "Other sales"
    shown = page(amy, more="&tab=text").content.decode()
    assert "rows: journal lines" in shown and reverse("send-extract", args=["sales"]) in shown
    assert amy.get(reverse("send-extract", args=["sales"]) + WHERE).status_code == 200
    assert reverse("send-extract", args=["sales"]) not in page(world("rob"), more="&tab=text").content.decode()
    text = BODY.replace("title: Sales", "title: All sales")
    assert amy.post(manage, {"do": "text", "text": text}).status_code == 302 and extract().title == "All sales"
    refused = amy.post(manage, {"do": "text", "text": text.replace("amount", "amont")})
    assert refused.status_code == 422 and extract().title == "All sales"
    assert world("rob").post(manage, {"do": "text", "text": BODY}).status_code == 422
    assert amy.post(manage, {"do": "delete", "title": "no"}).status_code == 422
    assert amy.post(manage, {"do": "delete", "title": "All sales"}).status_code == 302
    assert not Extract.objects.filter(name="sales").exists()


def test_news_of_a_table_need_its_keys_and_are_held_against_the_last_run(world, command, tmp_path):
    file = tmp_path / "contracts.csv"
    file.write_text("account,Owner,Limit\n4100,Ann,12.50\n1000,Bob,7\n")
    command("load_table", file, "--name", "Contracts", ledger="s")
    amy = world()
    amy.post(reverse("begin-extract") + WHERE, {"rows": "table Contracts", "title": "Contracts"})
    made(amy, "contracts")
    file.write_text("account,Owner,Limit\n4100,Ann,13.00\n5100,Cy,1\n")
    command("load_table", file, "--name", "Contracts", ledger="s")
    run = made(amy, "contracts", news="yes")
    assert run.state == "failed" and "Say its keys" in run.problem
    body = {**extract("contracts").body, "keys": ["account"]}
    Extract.objects.filter(name="contracts").update(body=body)
    run = made(amy, "contracts", news="yes")
    assert run.notes[0].startswith("1 new, 1 changed, 1 withdrawn")
    assert "Limit was 12.50" in taken(amy, run, "contracts")[1].decode()


def test_rates_stand_beside_amounts(world, command, small):
    rates = "period,from,to,average,closing\n2026-P01,SEK,EUR,0.0871234567,0.088\n"
    entities = SMALL["entities.csv"].replace("B,Sons,EUR,A", "B,Sons,SEK,")
    lines = SMALL["entries.csv"] + "B,S1,1,2026-01-20,1000,,9.25,,B,,,,\nB,S1,2,2026-01-20,4100,11,,9.25,B,,,,\n"
    command("load_ledger", small(rates__csv=rates, entities__csv=entities, entries__csv=lines), ledger="s")
    answer = act(world(), "fields", fields=["entity", "account", "amount", "currency", "rate average", "rate closing"])
    assert answer.status_code == 302, text_of(answer)[-900:]
    text = command("run_extract", "sales", ledger="s", period="2026-P01", values=["accounts=4100"])
    told = {row.split(",")[0]: row.split(",")[4:] for row in text.splitlines()[1:]}
    assert told == {"A": ["1.000000000000", "1.000000000000"], "B": ["0.087123456700", "0.088000000000"]}


def test_columns_that_a_source_kept_are_fields_for_who_sees_such_lines(world, command):
    JournalLine.objects.filter(entry__number="E3").update(attributes='{"Ship": "Tern", "it\'s": "x", "50%": "y"}')
    JournalLine.objects.filter(key__account__code="5000").update(attributes='{"Person": "Ann"}')
    Revision.objects.update(at=timezone.now())  # another state of the ledger: what is kept of it is made anew
    shown = page(world()).content.decode()
    assert 'value="kept ship"' in shown and 'value="kept person"' in shown and "it&#x27;s" not in shown
    assert 'value="kept person"' not in page(world("lea")).content.decode()
    act(world(), "fields", fields=["entry", "amount", "kept ship"])
    act(world(), "condition", at="999", field="kept ship", words="T*")
    text = command("run_extract", "sales", ledger="s", period="2026-P01")
    assert text.splitlines() == ["Entry,Amount,Ship", "E3,50.00,Tern", "E3,-50.00,Tern"]
    former = command("run_extract", "sales", ledger="s", period="2026-P01", person="lea")
    assert former == text
