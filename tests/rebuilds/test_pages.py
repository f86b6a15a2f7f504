"""Pages of rebuilds: a table given, found in the background, asked about, made into a statement; what is refused."""

from __future__ import annotations

import html
import io
import json
from datetime import timedelta

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from rulka.people.models import Person
from rulka.rebuilds.library.keeping import MOST_BYTES, forget_old
from rulka.rebuilds.models import Rebuild
from rulka.rebuilds.output.finding import find, recover
from rulka.statements.models import Definition, Edit
from rulka.work.services.loads import this_worker

pytestmark = pytest.mark.django_db
WHERE = "?ledger=ternwick&period=2027-P07&node=TF"


def signed_in(username: str = "accountant") -> Client:
    client = Client()
    client.force_login(Person.objects.get(username=username))
    return client


@pytest.fixture
def table(ternwick, command, tmp_path, settings):
    """The income statement of the demo as a .csv."""
    settings.TASKS = {"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}
    path = tmp_path / "result.csv"
    command(
        "run_statement", "income-statement", ledger="ternwick", node="TF", period="2027-P07", format="csv", out=path
    )
    return path.read_text()


def given(client: Client, text: str, name: str = "result.csv", **values: str) -> Rebuild:
    file = SimpleUploadedFile(name, text.encode())
    answer = client.post(reverse("rebuilds") + WHERE, {"file": file, **values})
    assert answer.status_code == 302, answer.content.decode()[:2000]
    return Rebuild.objects.latest("pk")


def asked(client: Client, rebuild: Rebuild, **values: object) -> str:
    answer = client.post(reverse("answer-rebuild", args=[rebuild.pk]) + WHERE, values)
    assert answer.status_code in (302, 422), answer.status_code
    return plain(client.get(answer.url) if answer.status_code == 302 else answer)


def page(client: Client, rebuild: Rebuild, **values: object) -> str:
    answer = client.get(reverse("rebuild", args=[rebuild.pk]) + WHERE, values)
    assert answer.status_code == 200
    return plain(answer)


def plain(answer) -> str:
    """The page as text, with plain spaces in figures."""
    return html.unescape(answer.content.decode()).replace("\u202f", " ").replace("\xa0", " ")


def test_a_table_is_found_asked_about_and_made(table):
    lines = table.splitlines()
    lines.insert(3, "Freight," + ",".join(["0.00"] * 9))
    fuel = next(at for at, line in enumerate(lines) if line.startswith("Fuel,"))
    lines[fuel] = lines[fuel].replace("-376679.52", "-367679.52", 1)
    client = signed_in()
    rebuild = given(client, "\n".join(lines), title="Result, rebuilt")
    assert "waits its turn" in page(client, rebuild)
    find(rebuild.pk)
    rebuild.refresh_from_db()
    assert rebuild.state == "ready" and rebuild.done >= 90
    shown = page(client, rebuild)
    assert "Question 1 of 3" in shown and "Which accounts are Freight?" in shown and "ledger \u2212376 679.52" in shown
    # nothing is made while anything is open
    refused = client.post(reverse("make-rebuilt", args=[rebuild.pk]) + WHERE, {"title": "Too soon"})
    assert refused.status_code == 422 and "3 questions are open" in refused.content.decode()
    assert not Definition.objects.filter(name="too-soon").exists()
    row = next(at for at, line in enumerate(json.loads(json.dumps(rebuild.found))["lines"]) if line["zeros"])
    assert "expected" in asked(client, rebuild, do="line", row=row, selection="5010 to")
    assert "selects no account" in asked(client, rebuild, do="line", row=row, selection="no-such")
    assert "Mistyped? Fuel" in asked(client, rebuild, do="line", row=row, candidate='category:"freight income"')
    cells = [at for at, line in enumerate(rebuild.found["lines"]) if line["caption"] == "Fuel"]
    shown = asked(client, rebuild, do="cell", row=cells[0], column=0)
    assert "Where do these accounts belong?" in shown and "6815" in shown
    codes = [one.split('"')[0] for one in shown.split('name="code" value="')[1:]]
    open_ones = asked(client, rebuild, do="accounts", code=codes, **{f"to-{code}": "?" for code in codes})
    assert "say where they belong" in open_ones
    shown = asked(client, rebuild, do="accounts", code=codes, **{f"to-{code}": "" for code in codes})
    assert "Nothing is open" in shown
    made = client.post(reverse("make-rebuilt", args=[rebuild.pk]) + WHERE, {"title": "Result, rebuilt"})
    assert made.status_code == 302 and "/statements/result-rebuilt/" in made.url and "node=TF" in made.url
    statement = plain(client.get(made.url))
    assert "Foots: every check holds" in statement and "\u2212376 679.52" in statement
    note = Edit.objects.get(ledger__code="ternwick", statement__name="result-rebuilt").what
    assert "rebuilt from result.csv" in note and "lines sure" in note and "1 chosen (Freight)" in note
    assert "mistyped in the table: Fuel" in note
    again = client.post(reverse("make-rebuilt", args=[rebuild.pk]) + WHERE, {"title": "result, REBUILT"})
    assert again.status_code == 422 and "Another statement is called" in again.content.decode()


def test_what_is_known_is_looked_for_again(table):
    client = signed_in()
    rebuild = given(client, table)
    find(rebuild.pk)
    asked(client, rebuild, do="search", node="TF", period="October 2026", scale="0")
    rebuild.refresh_from_db()
    assert rebuild.state == "waiting" and rebuild.asked == {"node": "TF", "period": "October 2026", "scale": 0}
    assert "still being looked for" in asked(client, rebuild, do="alone")
    made = client.post(reverse("make-rebuilt", args=[rebuild.pk]) + WHERE, {"title": "Of what was found before"})
    assert made.status_code == 422 and "Nothing is found yet" in plain(made)
    month = client.post(reverse("rebuild-month", args=[rebuild.pk]) + WHERE, {"text": table})
    assert month.status_code == 422 and "still being looked for" in plain(month)
    find(rebuild.pk)
    rebuild.refresh_from_db()
    assert rebuild.state == "ready"
    assert "Octember" in asked(client, rebuild, do="search", node="TF", period="Octember")
    asked(client, rebuild, do="column-read", column=0, scenario="budget", window="year", of="2027-P07")
    find(rebuild.pk)
    rebuild.refresh_from_db()
    assert rebuild.found["readings"][0]["scenario"] == "budget" and rebuild.found["readings"][0]["first"] == 36
    asked(client, rebuild, do="search", node="NF", period="", scale="6")
    find(rebuild.pk)
    rebuild.refresh_from_db()
    assert rebuild.state == "failed" and "No column" in rebuild.problem and "No column" in page(client, rebuild)


def test_a_line_is_tried_without_keeping_it_and_another_month_is_added(table, command, tmp_path):
    client = signed_in()
    rebuild = given(client, table)
    find(rebuild.pk)
    rebuild.refresh_from_db()
    row = next(at for at, line in enumerate(rebuild.found["lines"]) if line["caption"] == "Fuel")
    assert "Choose others, if you know better" in page(client, rebuild, row=row)
    difference = client.get(
        reverse("rebuild-difference", args=[rebuild.pk]) + WHERE, {"row": row, "account": ["5110", "5120"]}
    )  # fmt: skip
    assert difference.status_code == 200 and "October 2026" in difference.content.decode()
    rebuild.refresh_from_db()
    assert rebuild.answers == {}
    path = tmp_path / "other.csv"
    command(
        "run_statement", "income-statement", ledger="ternwick", node="TF", period="2027-P06", format="csv", out=path
    )
    file = SimpleUploadedFile("september.csv", path.read_bytes())
    assert client.post(reverse("rebuild-month", args=[rebuild.pk]) + WHERE, {"file": file}).status_code == 302
    find(rebuild.pk)
    rebuild.refresh_from_db()
    assert rebuild.state == "ready" and len(rebuild.tables) == 2 and rebuild.files == ["result.csv", "september.csv"]
    other = SimpleUploadedFile("other.csv", b"Line,A\nThis,1\nThat,2\nAll,3\n")
    refused = client.post(reverse("rebuild-month", args=[rebuild.pk]) + WHERE, {"file": other})
    assert refused.status_code == 422 and "captions in common" in refused.content.decode()


REFUSED: list[tuple[dict[str, object], str]] = [
    ({"file": SimpleUploadedFile("a.csv", b"only,words\nin,it\n")}, "No column of figures"),
    ({"file": SimpleUploadedFile("a.doc", b"x")}, "no table that can be read"),
    ({"file": SimpleUploadedFile("a.xlsx", b"no workbook")}, "workbook can&#x27;t be read"),
    ({"file": SimpleUploadedFile("a.pdf", b"%PDF-1.4 no")}, "can&#x27;t be read"),
    ({"text": "  "}, "No table came"),
]


@pytest.mark.parametrize(("sent", "said"), REFUSED, ids=lambda value: str(value)[:20])
def test_what_is_no_table_is_refused_in_words(ternwick, sent, said):
    answer = signed_in().post(reverse("rebuilds") + WHERE, sent)
    assert answer.status_code == 422 and said in answer.content.decode()
    assert not Rebuild.objects.exists()


def test_a_file_that_is_too_large_is_refused(ternwick):
    file = io.BytesIO(b"a,1\n" * (MOST_BYTES // 4 + 2))
    file.name = "large.csv"
    answer = signed_in().post(reverse("rebuilds") + WHERE, {"file": file})
    assert answer.status_code == 422 and "5 MB" in answer.content.decode()


def test_only_whoever_gave_it_sees_it_and_only_within_the_same_bounds(table):
    rebuild = given(signed_in(), table)
    find(rebuild.pk)
    for username in ("controller", "director", "ships-lead"):
        other = signed_in(username)
        for name in ("rebuild", "rebuild-difference"):
            answer = other.get(reverse(name, args=[rebuild.pk]) + WHERE)
            assert answer.status_code in (403, 404) and "result" not in answer.content.decode(), (username, name)
        for name in ("answer-rebuild", "rebuild-month", "stop-rebuild", "make-rebuilt", "drop-rebuild"):
            answer = other.post(reverse(name, args=[rebuild.pk]) + WHERE, {"do": "alone"})
            assert answer.status_code in (403, 404), (username, name)
    assert "result" not in signed_in("controller").get(reverse("rebuilds") + WHERE).content.decode().split("<h1>")[1]
    Rebuild.objects.filter(pk=rebuild.pk).update(fence="another")
    assert "What you may see has changed" in page(signed_in(), rebuild)


def test_it_is_stopped_taken_up_again_dropped_and_forgotten(table):
    client = signed_in()
    rebuild = given(client, table)
    client.post(reverse("stop-rebuild", args=[rebuild.pk]) + WHERE)
    find(rebuild.pk)
    rebuild.refresh_from_db()
    assert rebuild.state == "cancelled" and rebuild.found is None
    # running, it stops at its next step
    Rebuild.objects.filter(pk=rebuild.pk).update(state="waiting", cancel=True)
    find(rebuild.pk)
    rebuild.refresh_from_db()
    assert rebuild.state == "cancelled"
    # what a dead worker left waits again
    Rebuild.objects.filter(pk=rebuild.pk).update(state="running", worker=this_worker())
    assert recover(own=True) == 1
    rebuild.refresh_from_db()
    assert rebuild.state == "waiting"
    assert client.post(reverse("drop-rebuild", args=[rebuild.pk]) + WHERE).status_code == 302
    assert not Rebuild.objects.exists()
    old = given(client, table)
    Rebuild.objects.filter(pk=old.pk).update(created=timezone.now() - timedelta(days=400))
    assert forget_old() == 1
