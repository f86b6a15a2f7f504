"""Bounds by node, and how deep somebody gets."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
from django.contrib.auth.models import Group
from django.test import Client
from django.urls import reverse

from rulka.core.books.fence import LETS_NOTHING_THROUGH, NO_FENCE, Bounds, Fence
from rulka.core.errors import RulkaError
from rulka.ledger.feeds.owning import feeds_for
from rulka.ledger.models import Entity, Feed, Ledger, Member
from rulka.ledger.reading.queries import view_of
from rulka.people.library import keeping
from rulka.people.library.keeping import BY_COMMAND, keeper_of
from rulka.people.library.persons import make_person
from rulka.people.library.rights import access_of, bounds_now, grant
from rulka.people.models import Access
from rulka.statements.library.shelves import set_right
from rulka.statements.models import Definition, Edition, Shelf
from rulka.statements.output import making
from rulka.work.models import Output
from tests.web.world import make_world

pytestmark = pytest.mark.django_db
WHERE = "?ledger=s&period=2026-P01&node=A"


@pytest.fixture
def ledger(small, command):
    return make_world(small, command)


def client_of(name, role="accountant", **bounds):
    person = make_person(name, title=name.capitalize(), role=role)
    grant(person, "s", "", "", {}, opens_seals=True, **bounds)
    client = Client()
    client.force_login(person)
    return client


def said(page):
    """A page without its random tokens, in which anything may stand."""
    return re.sub(r"[A-Za-z0-9]{64}", "", page)


# nodes --------------------------------------------------------------------------------------------------------------


def bounds(**given):
    made = Access(ledger=ledger_of(), **given)
    return bounds_now(made)


def ledger_of():
    return Ledger.objects.get(code="s")


def test_a_node_is_what_it_is_now(ledger):
    assert bounds(node="A") == Bounds.written('under:"A"')
    assert bounds(node="departments/10") == Bounds.written("", "", {"department": "under:10"})
    Definition.objects.filter(kind="scope").update(
        body={"scope": "departments", "nodes": [
            {"node": "north", "of": "entity: A; department: not 20", "nodes": [{"node": "rest", "of": "4*"},
                                                                              {"grow": "department"}]}]}
    )  # fmt: skip
    assert bounds(node="departments/north") == Bounds.written("A", "", {"department": "* except 20"})
    assert bounds(node="departments/rest") == Bounds.written("A", "4*", {"department": "* except 20"})
    both = bounds(node="departments/10", members={"department": "10 to 19"}, accounts="5000")
    frame = view_of(ledger, NO_FENCE).frame
    inside = {
        name: {codes.items[at].code for at in np.flatnonzero(Fence.around([both]).codes_inside(name, codes))}
        for name, codes in (("entity", frame.entities), ("account", frame.accounts), *frame.dimensions.items())
    }
    assert (inside["entity"], inside["account"], inside["department"]) == ({"A"}, {"5000"}, {"10", "11"})
    for gone in ("departments/nowhere", "no-scope/10", "Z", "/", "departments/"):
        assert bounds(node=gone) == LETS_NOTHING_THROUGH, gone


def test_who_is_bounded_by_a_node_sees_it_and_nothing_once_it_is_gone(ledger):
    kim = client_of("kim", node="B")
    seen = kim.get(reverse("ledger-trial-balance") + "?ledger=s&period=2026-P01").content.decode()
    assert "Sons" in seen and "Small<" not in seen
    Entity.objects.filter(code="B").update(code="B2")
    assert access_of(make_person("kim", role="accountant"), "s").own_fence().bounds == (LETS_NOTHING_THROUGH,)
    lead = client_of("lee", node="departments/10")
    member = Member.objects.get(dimension="department", code="10")
    assert access_of(make_person("lee", role="lead"), "s").own_fence().bounds[0].of("department") == "under:10"
    assert lead.get(reverse("statement", args=["result"]) + WHERE).status_code == 200
    member.delete()
    assert access_of(make_person("lee", role="lead"), "s").own_fence().bounds == (LETS_NOTHING_THROUGH,)


def test_nodes_that_bound_nobody_are_refused_in_words(ledger, command):
    person = make_person("kim")
    Definition.objects.filter(kind="scope").update(
        body={
            "scope": "departments",
            "nodes": [{"node": "with-b", "of": "partner: B"}, {"node": "odd", "of": "not 4* except 4000"}],
        }
    )
    for node, told in (("nowhere", "no node"), ("departments/with-b", "partner"), ("departments/odd", "conditions")):
        with pytest.raises(RulkaError, match=told):
            grant(person, "s", "", "", {}, opens_seals=False, node=node)
    with pytest.raises(RulkaError, match="no depth"):
        grant(person, "s", "", "", {}, opens_seals=False, depth="pages")
    assert not Access.objects.filter(person=person).exists()
    told = command("set_fence", "kim", ledger="s", node="A", depth="accounts")
    assert "node A" in told and "down to accounts" in told
    assert Access.objects.get(person=person).depth == "accounts"


# depth --------------------------------------------------------------------------------------------------------------

LINES = ("ledger-journal", "ledger-wrong")
BOOKS = ("ledger", "ledger-accounts", "ledger-trial-balance", "revisions")


def trace(client, name="result", row="sales:4100", column="now", **more):
    asked = "&".join(f"{key}={value}" for key, value in {"row": row, "column": column, **more}.items())
    return client.get(reverse("statement-trace", args=[name]) + f"{WHERE}&{asked}")


def test_how_deep_somebody_gets(ledger):
    deep, middle, high = client_of("dee"), client_of("mia", depth="accounts"), client_of("hal", depth="figures")
    statement = reverse("statement", args=["result"]) + WHERE
    figures = [client.get(statement) for client in (deep, middle, high)]
    assert {answer.status_code for answer in figures} == {200}
    for address in LINES:
        codes = [client.get(reverse(address) + WHERE).status_code for client in (deep, middle, high)]
        assert codes == [200, 422, 422], address
    for address in BOOKS:
        codes = [client.get(reverse(address) + WHERE).status_code for client in (deep, middle, high)]
        assert codes == [200, 200, 422], address
    assert [trace(client).status_code for client in (deep, middle, high)] == [200, 200, 422]
    lines = [trace(client, by="line").content.decode() for client in (deep, middle)]
    entry = deep.get(reverse("ledger-entry", args=["A", "E1"]) + WHERE)
    assert entry.status_code == 200 and "E3" in said(lines[0]) and "E3" not in said(lines[1])
    panel = high.get(reverse("statement-panel", args=["result"]) + f"{WHERE}&panel=trace&row=sales:4100&column=now")
    assert "figures only" in panel.content.decode()
    found = [client.get(reverse("find") + "?ledger=s&q=40").content.decode() for client in (deep, high)]
    assert "4000" in found[0] and "4000" not in found[1]
    for name in ("begin-worksheet", "edit-worksheet", "edit-statement", "begin-statement"):
        kwargs = [] if name.startswith("begin") else ["sums" if "worksheet" in name else "result"]
        assert high.post(reverse(name, args=kwargs) + WHERE).status_code == 422, name


def test_lines_show_nowhere_to_who_sees_accounts(ledger):
    middle = client_of("mia", depth="accounts")
    sheet = middle.get(reverse("worksheet-cells", args=["sums"]) + WHERE + "&first=0&last=60").content.decode()
    deep = client_of("dee").get(reverse("worksheet-cells", args=["sums"]) + WHERE + "&first=0&last=60").content.decode()
    assert "E1" in said(deep) and "E1" not in said(sheet)
    assert middle.get(reverse("find") + "?ledger=s&q=E1").content.decode().count("/ledger/entry/") == 0


def test_a_shelf_says_how_deep_what_stands_on_it_leads(ledger, command):
    board = Shelf.objects.get(name="Board")
    Definition.objects.filter(kind="statement", name="result").update(shelf=board)
    dan = client_of("dan", "director")
    assert trace(dan).status_code == 200
    assert "given on Board" in command("set_right", "dan", "run", shelf="Board", depth="figures")
    assert trace(dan).status_code == 422 and trace(dan, "by-department", node="10").status_code in (200, 404)
    assert dan.get(reverse("statement", args=["result"]) + WHERE).status_code == 200
    assert dan.get(reverse("ledger-journal") + WHERE).status_code == 200, "only what stands on the shelf"
    group = Group.objects.create(name="Board members")
    make_person("dan", role="director").groups.add(group)
    set_right(board, "group:Board members", "run", person=None, depth="accounts")
    assert trace(dan).status_code == 200
    lines = trace(dan, by="line").content.decode()
    assert "E3" not in said(lines)
    assert "right taken back" in command("set_right", "dan", "run", shelf="Board", drop=True)
    with pytest.raises(Exception, match="no shelf"):
        command("set_right", "dan", "run", shelf="Nowhere")


def test_groups_go_deeper_and_eyes_no_deeper_than_their_own(ledger):
    client_of("hal", "director", depth="figures")
    person = make_person("hal", role="director")
    group = Group.objects.create(name="Deep")
    grant(group, "s", "A", "", {}, opens_seals=False, depth="accounts")
    assert access_of(person, "s").depth == "figures"
    person.groups.add(group)
    assert access_of(person, "s").depth == "accounts"
    ada = make_person("ada", role="administrator")
    grant(ada, "s", "", "", {}, opens_seals=False, depth="figures")
    person.looked_by = ada
    assert access_of(person, "s").depth == "figures"
    with pytest.raises(RulkaError, match="deeper than they get"):
        keeping.set_bounds(keeper_of(ada), make_person("new"), "s", entities="", accounts="", members={},
                           opens_seals=False, depth="accounts")  # fmt: skip
    keeping.set_bounds(BY_COMMAND, make_person("new"), "s", entities="", accounts="", members={}, opens_seals=False)


# feeds --------------------------------------------------------------------------------------------------------------


def test_a_feed_belongs_to_one_or_to_groups(ledger):
    amy, bob, ada = client_of("amy"), client_of("bob"), client_of("ada", "administrator")
    amy.post(reverse("feeds") + WHERE, {"name": "Mine", "kind": "ledger", "location": ""})
    feed = Feed.objects.get(name="Mine")
    assert feed.owner.username == "amy"
    for address in (reverse("feed", args=[feed.pk]), reverse("feed-pull", args=[feed.pk])):
        missing = address.replace(str(feed.pk), "999999")
        ask = bob.post if "pull" in address else bob.get
        told = [ask(one + WHERE).content.decode() for one in (address, missing)]
        assert "does not exist" in told[0] and "does not exist" in told[1]
    assert "Mine" not in bob.get(reverse("feeds") + WHERE).content.decode()
    assert "Mine" in ada.get(reverse("feeds") + WHERE).content.decode()
    Group.objects.create(name="Loaders")
    make_person("bob", role="accountant").groups.add(Group.objects.get(name="Loaders"))
    page = reverse("feed", args=[feed.pk]) + WHERE
    assert amy.post(page, {"do": "whose", "owner": "amy", "group": ["Loaders"]}).status_code == 302
    shown = bob.get(page).content.decode()
    assert "group Loaders" in shown and "Hand it on" not in shown
    assert bob.post(page, {"do": "whose", "owner": "bob"}).status_code == 422
    assert amy.post(page, {"do": "whose", "owner": "nobody"}).status_code == 422
    keeping.deactivate(BY_COMMAND, make_person("amy", role="accountant"), make_person("cid", role="accountant"))
    feed.refresh_from_db()
    assert feed.owner.username == "cid"
    assert not feeds_for(ledger, make_person("eve", role="accountant")).filter(name="Mine").exists()
    assert feeds_for(ledger, make_person("eve", role="accountant")).filter(name="Files").exists()


# editions -----------------------------------------------------------------------------------------------------------


def test_an_edition_that_shows_entries_opens_for_who_sees_them(ledger):
    deep, middle = client_of("dee"), client_of("mia", depth="accounts")
    spine = Definition.objects.get(kind="spine", name="result")
    sales = spine.body["lines"][0]["lines"][0]
    for expand, codes in (("accounts", (200, 200)), ("entries", (200, 404)), ("counterparties", (200, 404))):
        sales["expand"] = expand
        spine.save()
        deep.post(reverse("keep-edition", args=["result"]) + WHERE, {"title": f"By {expand}"})
        edition = Edition.objects.get(name=f"By {expand}")
        pages = [client.get(reverse("edition", args=[edition.pk]) + WHERE) for client in (deep, middle)]
        assert tuple(page.status_code for page in pages) == codes, expand
        listed = middle.get(reverse("statement-panel", args=["result"]) + f"{WHERE}&panel=editions").content.decode()
        assert (f"By {expand}" in listed) == (codes[1] == 200), expand
    # what they keep themselves has nothing that is too deep
    middle.post(reverse("keep-edition", args=["result"]) + WHERE, {"title": "Kept by mia"})
    kept = Edition.objects.get(name="Kept by mia")
    assert middle.get(reverse("edition", args=[kept.pk]) + WHERE).status_code == 200


def test_who_has_the_same_bounds_shares_editions_however_deep_they_get(ledger):
    def bounded(name, depth=""):
        person = make_person(name, title=name, role="accountant")
        grant(person, "s", "A", "4*", {}, opens_seals=True, depth=depth)
        client = Client()
        client.force_login(person)
        return client

    deep, middle = bounded("dee"), bounded("mia", "accounts")
    deep.post(reverse("keep-edition", args=["result"]) + WHERE, {"title": "Of sales"})
    page = reverse("edition", args=[Edition.objects.get().pk]) + WHERE
    assert [client.get(page).status_code for client in (deep, middle)] == [200, 200]


# other ways to the same figures -------------------------------------------------------------------------------------


def by_entries(ledger, **right):
    """The statement by entries, on a shelf."""
    spine = Definition.objects.get(kind="spine", name="result")
    spine.body["lines"][0]["lines"][0]["expand"] = "entries"
    spine.save()
    board = Shelf.objects.get(name="Board")
    Definition.objects.filter(kind="statement", name="result").update(shelf=board)
    set_right(board, "person:dan", "run", person=None, **right)


def taken(client, output):
    """How a file that was made in the background is handed out."""
    response = client.get(reverse("take-output", args=[output.pk]) + WHERE)
    for close in response._resource_closers:  # but for the connection, which the test still needs
        close()
    return response.status_code


def test_a_shelf_bounds_files_of_the_background_and_commands_too(ledger, command):
    dan = client_of("dan", "director")
    asked = {"ledger": "s", "period": "2026-P01", "node": "A", "person": "dan", "format": "csv"}
    by_entries(ledger)
    assert "E3" in command("run_statement", "result", **asked)
    dan.post(reverse("ask-output", args=["result"]) + WHERE, {"form": "csv"})
    deep = Output.objects.latest("pk")
    making.make(deep.pk)
    deep.refresh_from_db()
    assert "E3" in Path(deep.file).read_text()
    assert taken(dan, deep) == 200
    set_right(Shelf.objects.get(name="Board"), "person:dan", "run", person=None, depth="accounts")
    assert "E3" not in command("run_statement", "result", **asked)
    assert taken(dan, deep) == 404, "it goes deeper than they get now"
    dan.post(reverse("ask-output", args=["result"]) + WHERE, {"form": "csv"})
    flat = Output.objects.latest("pk")
    making.make(flat.pk)
    flat.refresh_from_db()
    assert "E3" not in Path(flat.file).read_text()
    assert taken(dan, flat) == 200


def test_whoever_looks_through_eyes_takes_no_file_past_their_own_seals(ledger):
    type(ledger).objects.update(sealed="4*")
    dan = client_of("dan", "director")
    ada, admin = Client(), make_person("ada", role="administrator")
    grant(admin, "s", "", "", {}, opens_seals=False)
    ada.force_login(admin)
    dan.post(reverse("ask-output", args=["result"]) + WHERE, {"form": "csv"})
    output = Output.objects.latest("pk")
    making.make(output.pk)
    assert taken(dan, output) == 200
    ada.post(reverse("look-through", args=["dan"]))
    assert taken(ada, output) == 404
