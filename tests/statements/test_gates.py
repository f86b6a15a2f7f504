"""Gates of the library: closed detail, seals of editions, files after rights went, makers of shelves, who reaches what,
the same answer for what isn't there and what may not be seen."""

from __future__ import annotations

import json
from fractions import Fraction

import pytest
from django.test import Client
from django.urls import reverse

from rulka.core.books.fence import Fence
from rulka.core.errors import NotFound
from rulka.ledger.models import Ledger
from rulka.people.library.persons import make_person
from rulka.people.library.rights import grant
from rulka.people.models import Access
from rulka.statements.library.assemble import definitions_of
from rulka.statements.models import Change, Definition, Edit, Edition, SavedVersion, Shelf, ShelfRight
from rulka.statements.output.making import make
from rulka.statements.running.runs import run_pages
from rulka.work.models import Output
from tests.web.world import make_world

pytestmark = pytest.mark.django_db
WHERE = "?ledger=s&period=2026-P01&node=A"


@pytest.fixture
def people(small, command):
    make_world(small, command)
    Ledger.objects.update(sealed="5000")
    for username, role in (("amy", "accountant"), ("bob", "accountant"), ("dan", "director"), ("ada", "administrator")):
        person = make_person(username, title=username.capitalize(), role=role)
        grant(person, "s", "", "", {}, opens_seals=username == "amy")
    return {username: signed_in(username) for username in ("amy", "bob", "dan", "ada")}


def signed_in(username):
    client = Client()
    client.force_login(person(username))
    return client


def person(username):
    return make_person(
        username, title=username.capitalize(), role=Access.objects.get(person__username=username).person.role
    )


def close(name="result", *, to=("amy",)):
    shelf = Shelf.objects.get(name="Board")
    Definition.objects.filter(kind="statement", name=name).update(shelf=shelf)
    for username in to:
        ShelfRight.objects.create(shelf=shelf, person=person(username), level=3)
    return shelf


# what isn't there, and what may not be seen ---------------------------------------------------------------------------

SAME = (
    "statement", "statement-panel", "statement-work", "statement-table", "undo", "duplicate-statement",
    "edit-statement", "keep-edition", "save-version", "ask-output", "copy-lines", "check-edit", "name-statement",
)  # fmt: skip


@pytest.mark.parametrize("route", SAME)
@pytest.mark.parametrize("username", ["bob", "dan"])
def test_private_statement_answers_as_one_that_is_not_there(route, username, people):
    close()
    answers = []
    for name in ("result", "resulx"):
        client = people[username]
        address = reverse(route, args=[name]) + WHERE
        response = client.get(address)
        if response.status_code == 405:
            response = client.post(address, {"form": "csv", "title": "x"})
        answers.append((response.status_code, told(response).replace("resulx", "result")))
    assert answers[0] == answers[1] and answers[0][0] == 404
    assert "The result" not in answers[0][1]


def told(response):
    import re

    return re.sub(r"[A-Za-z0-9]{64}|[0-9]+\s(minute|hour)s?|nonce=\"[^\"]+\"", "", response.content.decode())


def test_title_of_a_private_statement_shows_nowhere(people):
    close()
    Definition.objects.filter(kind="statement", name="result").update(
        body={**Definition.objects.get(kind="statement", name="result").body, "title": "Secret plan"}
    )
    asked = [reverse(name) for name in ("ledger-accounts", "statements", "parts", "ledger")]
    asked += [reverse("ledger-accounts") + "?account=4000", reverse("statements") + "?search=Secret"]
    asked += [
        reverse("statement-panel", args=["by-department"]) + f"?panel={panel}" for panel in ("line", "page", "nodes")
    ]
    for address in asked:
        assert "Secret plan" not in people["bob"].get(address).content.decode(), address
        assert "Board" not in people["bob"].get(address).content.decode(), address
    refused = people["bob"].post(reverse("delete-definition", args=["spine", "result"]))
    assert "what you don&#x27;t see" in refused.content.decode() and "Secret" not in refused.content.decode()
    shared = (
        people["bob"]
        .post(
            reverse("edit-statement", args=["by-department"]) + WHERE,
            {"do": "line-change", "key": "rent", "path": "label", "value": "Hire"},
            headers={"HX-Request": "true"},
        )
        .content.decode()
    )
    assert "what you don&#x27;t see" in shared and "Secret plan" not in shared
    assert "Secret plan" in people["amy"].get(reverse("ledger-accounts") + "?account=4000").content.decode()
    begun = people["bob"].post(reverse("begin-statement"))["Location"].split("/")[2]
    start = people["bob"].get(reverse("statement", args=[begun]) + "?panel=start").content.decode()
    assert "Secret plan" not in start and "By department" in start
    stolen = people["bob"].post(
        reverse("edit-statement", args=[begun]),
        {"do": "start-kind", "value": "from result"},
        headers={"HX-Request": "true"},
    )
    assert "does not exist" in stolen.content.decode()


def test_who_saw_it_before_reads_that_they_may_not_any_more(people):
    assert people["bob"].get(reverse("statement", args=["result"]) + WHERE).status_code == 200
    close()
    response = people["bob"].get(reverse("statement", args=["result"]) + WHERE)
    assert response.status_code == 422 and "You may not open this any more" in response.content.decode()


# shelves ------------------------------------------------------------------------------------------------------------


def test_maker_of_a_shelf_keeps_their_rights_and_a_page_says_who_reaches_it(people):
    people["amy"].post(reverse("make-shelf"), {"name": "Mine"})
    shelf = Shelf.objects.get(name="Mine")
    Definition.objects.filter(kind="statement", name="result").update(shelf=shelf)
    ShelfRight.objects.create(shelf=shelf, person=person("dan"), level=1)
    assert people["amy"].get(reverse("statement", args=["result"]) + WHERE).status_code == 200
    page = people["amy"].get(reverse("reach", args=["statement", "result"])).content.decode()
    for words in (
        "they made the shelf",
        "administrators may do all",
        "the shelf gives them nothing",
        "their own right",
    ):
        assert words in page
    assert people["bob"].get(reverse("reach", args=["statement", "result"])).status_code == 404
    assert people["bob"].get(reverse("shelf", args=[shelf.pk])).status_code == 404
    again = people["bob"].post(reverse("make-shelf"), {"name": "Mine"})  # that there is one isn't told
    assert again.status_code == 302 and Shelf.objects.filter(name="Mine").count() == 2


# closed detail ------------------------------------------------------------------------------------------------------


def test_line_that_its_author_closed_opens_for_nobody_who_only_reads(people, command):
    spine = Definition.objects.get(kind="spine", name="result")
    spine.body["lines"][0]["lines"][0] |= {"detail": "closed"}
    spine.save()
    trace = reverse("statement-panel", args=["result"]) + WHERE + "&panel=trace&column=now&row=sales"
    told = {username: people[username].get(trace).content.decode() for username in ("amy", "dan")}
    assert "author closed its detail" in told["dan"] and "closed its detail" not in told["amy"]
    for row in ("sales", "sales:4100"):
        for way in ("&by=account", "&in=account=4100", "&in=account=4100&by=period", "&by=line", "&by=counterparty"):
            told = people["dan"].get(trace.replace("row=sales", f"row={row}") + way).content.decode()
            assert "February" not in told and "4100" not in told.partition("<table")[2], way
    # behind a total its lines show as one part without detail, and with it all still adds up
    for way in ("&by=account", "&by=counterparty", "&by=line", "&by=period"):
        whole = people["dan"].get(trace.replace("row=sales", "row=result.total") + way)
        assert whole.context["agrees"] is True and "author" in whole.content.decode(), way
        assert "4100" not in whole.content.decode().partition("<table")[2]
    for username, opens in (("amy", True), ("dan", False)):
        for form in ("json", "csv", "html"):
            text = people[username].get(reverse("download", args=["result", form]) + WHERE).content.decode()
            assert ("4100" in text) is opens, form
        said = command("run_statement", "result", period="2026-P01", ledger="s", person=username)
        assert ("4100" in said) is opens
    total = json.loads(command("run_statement", "result", period="2026-P01", ledger="s", person="dan"))
    assert {line["key"] for line in total["lines"]} >= {"sales", "result.total"}
    people["amy"].post(reverse("keep-edition", args=["result"]) + WHERE, {"title": "With detail"})
    edition = Edition.objects.get()
    assert edition.closed and people["dan"].get(reverse("edition", args=[edition.pk])).status_code == 404
    assert people["amy"].get(reverse("edition", args=[edition.pk])).status_code == 200


# seals --------------------------------------------------------------------------------------------------------------


def test_sealed_cells_say_so_in_every_form(people, command):
    spine = Definition.objects.get(kind="spine", name="result")
    spine.body["lines"][0]["lines"][1]["accounts"] = "5000; source: pay"
    spine.save()
    run = json.loads(command("run_statement", "result", period="2026-P01", ledger="s", person="dan"))
    lines = {line["key"]: line for line in run["lines"]}
    assert lines["wages"]["notes"]["now"] == "sealed" and lines["result.total"]["notes"]["now"] == "sealed"
    assert lines["wages"]["values"][0] is None and lines["sales:4100"]["values"][0] == "50.00"
    for form in ("csv", "html"):
        assert "sealed" in people["dan"].get(reverse("download", args=["result", form]) + WHERE).content.decode()
    assert (
        "sealed" in json.loads(people["dan"].get(reverse("statement-table", args=["result"]) + WHERE).content)["text"]
    )
    page = people["dan"].get(reverse("statement", args=["result"]) + WHERE).content.decode()
    assert ">sealed" in page.replace("\n", "")
    refused = (
        people["dan"]
        .get(reverse("statement-panel", args=["result"]) + WHERE + "&panel=trace&row=wages&column=now")
        .content.decode()
    )
    assert "would tell apart what shows together only" in refused
    checks = {check["code"]: check["state"] for check in run["footing"]}
    assert "fails" not in checks.values() and checks["totals"] != "fails"


def test_grain_is_set_with_the_seal(people):
    definitions = definitions_of(Ledger.objects.get(code="s"), "by-department")

    def wages(grain):
        outcome = run_pages(definitions, "2025-P02", "20", Fence.of(sealed="5000", grain=grain))[0]
        row = outcome.computed.row("wages")
        return row.values[0], row.word_at(0)

    assert wages(["department"]) == wages(None) == (Fraction(30), "n/m")
    with pytest.raises(NotFound):  # nothing but wages stands on it
        wages([])
    whole = run_pages(
        definitions_of(Ledger.objects.get(code="s"), "result"), "2025-P02", "A", Fence.of(sealed="5000", grain=[])
    )
    assert whole[0].computed.row("wages").values[0] == 30


def test_edition_with_sealed_detail_or_finer_figures_is_for_those_who_open_the_seal(people):
    people["amy"].post(reverse("keep-edition", args=["result"]) + WHERE, {"title": "Plain"})
    spine = Definition.objects.get(kind="spine", name="result")
    spine.body["lines"][0]["lines"][1]["accounts"] = "5000; source: pay"
    spine.save()
    people["amy"].post(reverse("keep-edition", args=["result"]) + WHERE, {"title": "Finer"})
    for edition in Edition.objects.all():
        codes = {name: people[name].get(reverse("edition", args=[edition.pk])).status_code for name in ("amy", "bob")}
        assert codes == {"amy": 200, "bob": 200 if edition.name == "Plain" else 404}, edition.name
    Ledger.objects.update(sealed="5000", seal_grain=[])  # told apart by less later: judged anew
    Edition.objects.update(closed=False)
    plain, finer = (Edition.objects.get(name=name) for name in ("Plain", "Finer"))
    codes = [people["bob"].get(reverse("edition", args=[edition.pk])).status_code for edition in (plain, finer)]
    assert codes == [200, 404]
    Edition.objects.update(node="20")  # on which only sealed accounts stand then: can't be judged, so it stays closed
    assert people["bob"].get(reverse("edition", args=[plain.pk])).status_code == 404
    assert people["bob"].get(reverse("statements")).status_code == 200
    Edition.objects.update(node="A", seals="5000", judged="")  # kept behind the seal before figures were judged
    codes = [people["bob"].get(reverse("edition", args=[edition.pk])).status_code for edition in (plain, finer)]
    assert codes == [200, 404]


# editions and files -------------------------------------------------------------------------------------------------


def test_editions_outlive_their_statement_and_stay_as_private_as_it_was(people):
    close(to=("amy",))
    people["amy"].post(reverse("keep-edition", args=["result"]) + WHERE, {"title": "Kept"})
    edition = Edition.objects.get()
    people["amy"].post(reverse("delete-definition", args=["statement", "result"]))
    page = people["amy"].get(reverse("edition", args=[edition.pk]))
    assert page.status_code == 200 and "its statement was deleted" in page.content.decode()
    assert "The result: Kept" in people["amy"].get(reverse("statements")).content.decode()
    assert people["bob"].get(reverse("edition", args=[edition.pk])).status_code == 404
    assert "Kept" not in people["bob"].get(reverse("statements")).content.decode()


def test_edition_of_a_statement_that_one_may_only_see_is_closed(people):
    shelf = close(to=("amy",))
    people["amy"].post(reverse("keep-edition", args=["result"]) + WHERE, {"title": "Kept"})
    ShelfRight.objects.create(shelf=shelf, person=person("bob"), level=1)
    assert people["bob"].get(reverse("edition", args=[Edition.objects.get().pk])).status_code == 404


def closed(response):
    """The file of an answer closed, as the server does it; the client's close would end the database's connection."""
    for closer in response._resource_closers:
        closer()


def test_file_is_not_handed_out_after_rights_were_taken_away(people):
    Output.objects.all().delete()
    people["bob"].post(reverse("ask-output", args=["result"]) + WHERE, {"form": "csv"})
    output = Output.objects.get()
    make(output.pk)
    file = reverse("take-output", args=[output.pk])
    response = people["bob"].get(file)
    assert response.status_code == 200 and b"Sales" in b"".join(response.streaming_content)
    closed(response)
    Access.objects.filter(person__username="bob").update(entities="B")
    assert people["bob"].get(file).status_code == 404
    Access.objects.filter(person__username="bob").update(entities="")
    again = people["bob"].get(file)
    assert again.status_code == 200
    closed(again)
    close(to=("amy",))
    assert people["bob"].get(file).status_code == 404


# without scripts ----------------------------------------------------------------------------------------------------


def test_questions_are_asked_without_scripts_too(people):
    asked = {"do": "line-change", "key": "rent", "path": "label", "value": "Hire"}
    shared = people["amy"].post(reverse("edit-statement", args=["result"]) + WHERE, asked)
    assert shared.status_code == 409 and "Change it for all?" in shared.content.decode()
    stamp = people["amy"].get(reverse("statement", args=["result"]) + WHERE).context["stamp"]
    assert (
        f'name="stamp" value="{stamp}"'
        in people["amy"].get(reverse("statement", args=["result"]) + WHERE + "&panel=line&row=rent").content.decode()
    )
    people["ada"].post(
        reverse("edit-statement", args=["result"]) + WHERE, {**asked, "value": "Lease", "share-spine": "all"}
    )
    conflict = people["amy"].post(
        reverse("edit-statement", args=["result"]) + WHERE, {**asked, "stamp": stamp, "share-spine": "all"}
    )
    assert conflict.status_code == 409 and "Ada changed this statement" in conflict.content.decode()


def test_a_stamp_tells_nothing_of_what_the_statement_never_had(people):
    """A browser may send any keys: only changes of the statement and of its own parts count as changed since."""
    private = Definition.objects.get(kind="statement", name="by-department")
    close("by-department", to=("bob",))
    Definition.objects.filter(pk=private.pk).update(version=2)
    edit = Edit.objects.create(ledger=private.ledger, statement=private, what="Secret doing")
    Change.objects.create(edit=edit, definition=private, version=2, before=private.state, after=private.state)
    page = reverse("edit-statement", args=["result"]) + WHERE
    sent = {"do": "statement-change", "path": "subtitle", "value": "Posted", "stamp": f"{private.pk}:0"}
    answer = people["amy"].post(page, sent, headers={"HX-Request": "true"})
    assert answer.status_code == 200 and "Secret doing" not in answer.content.decode()


def test_who_may_not_edit_a_part_can_neither_undo_nor_redo_nor_restore_it(people):
    """A part stands on a shelf of its own: each way to write it asks there, whatever the statement allows."""
    amy = people["amy"]
    spine = Definition.objects.get(kind="spine", name="result")

    def send(route, **values):
        return amy.post(reverse(route, args=["result"]) + WHERE, values)

    def label():
        return Definition.objects.get(pk=spine.pk).body["lines"][0]["lines"][0]["line"]

    key = spine.body["lines"][0]["lines"][0].get("key", "sales")
    send("save-version", title="As it was")
    edit = {"do": "line-change", "key": key, "path": "label", "share-spine": "all"}
    before = label()
    send("edit-statement", **edit, value="Turnover")
    assert label() == "Turnover" != before
    shelf = Shelf.objects.create(ledger=Ledger.objects.get(code="s"), name="Of parts")
    Definition.objects.filter(pk=spine.pk).update(shelf=shelf)
    right = ShelfRight.objects.create(shelf=shelf, person=person("amy"), level=2)
    for refused in (send("undo"), send("restore-version", version=SavedVersion.objects.get().pk)):
        assert refused.status_code == 422 and "not edit it" in told(refused)
        assert label() == "Turnover"
    assert "not edit it" in told(send("edit-statement", **edit, value="Sold")) and label() == "Turnover"
    ShelfRight.objects.filter(pk=right.pk).update(level=3)
    send("undo")
    assert label() == before
    ShelfRight.objects.filter(pk=right.pk).update(level=2)
    assert "not edit it" in told(send("redo")) and label() == before
    ShelfRight.objects.filter(pk=right.pk).update(level=3)
    send("redo")
    assert label() == "Turnover"
