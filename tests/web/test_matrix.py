"""Every address, for every role, with things inside and outside of what they may see: what may not be seen answers as
what isn't there, and shows nowhere."""

from __future__ import annotations

import html
import re
from urllib.parse import unquote

import pytest
from django.test import Client
from django.urls import reverse

from rulka.core.proof.origin import CODE
from rulka.dispatch.models import Delivery, Dispatch, Sending
from rulka.extracts.models import Extract, ExtractRun
from rulka.filings.models import Filing, FilingJob
from rulka.folios.models import Content, Folio, FolioJob, Section
from rulka.ledger.models import Feed
from rulka.overviews.models import Overview
from rulka.people.library.persons import make_person
from rulka.people.library.rights import grant
from rulka.people.models import Person
from rulka.rebuilds.models import Rebuild
from rulka.statements.models import Definition, Edition, Shelf, ShelfRight
from rulka.work.models import Load, Output
from rulka.worksheets.models import BoundedTable, Worksheet
from tests.conftest import SMALL
from tests.web.test_fuzz import ROUTES, state
from tests.web.world import make_world

pytestmark = pytest.mark.django_db
SLOW = ("controller", "lead", "director")
ROLES = ["accountant", "administrator", *(pytest.param(role, marks=pytest.mark.slow) for role in SLOW)]
HIDDEN = "Hidden"
OPEN = {"sign-in", "second-step", "demo-sign-in", "join", "health", "health-worker", "live-root", "live-figure",
        "desk-root", "desk"}  # fmt: skip
"""Addresses that ask for no person; what they open is tried where they are made."""

NOT_HERE = OPEN | {"sign-out", "home"}


NAMES = {"extracts": ("rows", "secret-rows"), "dispatch": ("no-pack", "hidden-pack"),
                 "overviews": ("glance", "secret-board"), "folios": ("pack", "secret-pack"),
                 "filings": ("return", "secret-duty"), "worksheets": ("sums", "private"),
                 "statements": ("result", "board"), "tables": ("bound", "closed"),
                 "people": ("nobody", "nobody")}  # fmt: skip
"""One that is there or isn't, and one that is hidden, by app."""


def hidden_sheets(ledger, shelf, zoe):
    """A worksheet and a bounded table."""
    private = Worksheet.objects.create(ledger=ledger, name="private", title="Hidden sums", shelf=shelf, person=zoe)
    for sheet in Worksheet.objects.get(name="sums").sheets.all():
        sheet.pk, sheet.worksheet = None, private
        sheet.save()
    table = BoundedTable.objects.get(name="bound").body
    BoundedTable.objects.create(ledger=ledger, name="closed", shelf=shelf, body={**table, "title": "Hidden table"})


def hidden_dispatch(ledger, zoe):
    """A pack that is held, with what went by it; its sending and delivery."""
    pack = Dispatch.objects.create(
        ledger=ledger, name="hidden-pack", title="Hidden pack", owner=zoe,
        body={"dispatch": "hidden-pack", "title": "Hidden pack", "sends": [{"statement": "board"}],
              "to": [{"person": "zoe"}], "ways": [{"way": "link"}]},
    )  # fmt: skip
    sending = Sending.objects.create(ledger="s", dispatch=pack.name, occasion="once", period="2026-P01", body=pack.body,
                                     person=zoe.pk, state="held")  # fmt: skip
    files = [{"name": "Hidden.csv", "bytes": 1, "digest": "", "place": ""}]
    delivery = Delivery.objects.create(sending=sending, identity="a" * 24, person=zoe.pk, person_name="zoe", way="link",
                                       state="delivered", answer="Hidden answer", files=files)  # fmt: skip
    return sending, delivery


def hidden_rows(ledger, shelf, zoe):
    """An extract and its run; an overview."""
    rows = Extract.objects.get(name="rows").body
    secret = Extract.objects.create(ledger=ledger, name="secret-rows", shelf=shelf, person=zoe,
                                    body={**rows, "extract": "secret-rows", "title": "Hidden rows"})  # fmt: skip
    run = ExtractRun.objects.create(ledger="s", extract=secret.pk, name="secret-rows", version=1, person=zoe.pk,
                                    period="2026-P01", node="A", form="csv", state="ready",
                                    file_name="Hidden rows.csv")  # fmt: skip
    glance = Overview.objects.get(name="glance").body
    Overview.objects.create(ledger=ledger, name="secret-board", shelf=shelf, person=zoe,
                            body={**glance, "overview": "secret-board", "title": "Hidden glance"})  # fmt: skip
    return run


def hidden_folio(ledger, shelf, zoe):
    """A folio with a released section and pages; its filing and the file that was made of it."""
    whole = Folio.objects.get(name="pack")
    folio = Folio.objects.create(ledger=ledger, name="secret-pack", shelf=shelf, person=zoe, state="writing",
                                 body={**whole.body, "folio": "secret-pack", "title": "Hidden pack"})  # fmt: skip
    words = Section.objects.create(folio=folio, key="words")
    version = Content.objects.create(section=words, person=zoe, state="released", form="docx", data=b"x",
                                     file_name="Hidden.docx")  # fmt: skip
    pages = FolioJob.objects.create(ledger="s", folio=folio.pk, name="secret-pack", person=zoe.pk, form="pdf",
                                    state="ready", file_name="Hidden pack.pdf")  # fmt: skip
    Filing.objects.create(ledger=ledger, name="secret-duty", shelf=shelf, person=zoe, body={
        **Filing.objects.get(name="return").body, "filing": "secret-duty", "title": "Hidden return",
        "folio": "secret-pack"})  # fmt: skip
    made = FilingJob.objects.create(ledger="s", filing=Filing.objects.get(name="secret-duty").pk, person=zoe.pk,
                                    name="secret-duty", form="xbrl", period="2026-P01", state="ready",
                                    file_name="Hidden return.xbrl")  # fmt: skip
    return version, pages, made


def hidden_rebuild(zoe):
    """A rebuild that failed."""
    table = {"headings": ["Now"], "decimals": [2], "tables": [0],
             "rows": [{"caption": "Hidden caption", "values": ["1.00"]}]}  # fmt: skip
    rebuild = Rebuild.objects.create(ledger="s", person=zoe.pk, title="Hidden table", files=["Hidden.csv"],
                                     tables=[table], state="failed", problem="Hidden problem")  # fmt: skip
    return rebuild


def hidden_statement(shelf, zoe):
    """A statement on a shelf, with an edition and an output."""
    board = Definition.objects.get(kind="statement", name="result")
    board.pk, board.name, board.shelf, board.body = None, "board", shelf, {**board.body, "title": "Hidden plan"}
    board.save()
    kim = Client()
    kim.force_login(zoe)
    where = "?ledger=s&period=2026-P01&node=A"
    kim.post(reverse("keep-edition", args=["board"]) + where, {"title": "Hidden edition"})
    asked = {"ledger": "s", "person": zoe.pk, "form": "csv", "period": "2026-P01", "node": "A"}
    output = Output.objects.create(statement="board", of_definition=board.pk, name="Hidden file", **asked)
    return Edition.objects.get(), output


@pytest.fixture
def world(small, command, settings):
    settings.TASKS = {"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}
    files = {**SMALL}
    files["entries.csv"] += (
        "B,X9,1,2026-01-12,1000,,7.00,,Hidden sale,D9,,,\nB,X9,2,2026-01-12,4000,10,,7.00,Hidden sale,D9,,,\n"
    )
    ledger = make_world(lambda: small(**files), command)
    other = {**SMALL, "ledger.json": {**SMALL["ledger.json"], "name": "Hidden ledger"}}
    command("load_ledger", small(**other), ledger="tee")
    zoe = make_person("zoe", title="Zoe", role="accountant")
    grant(zoe, "s", "", "", {}, opens_seals=True)
    shelf = Shelf.objects.create(ledger=ledger, name="Hidden shelf")
    ShelfRight.objects.create(shelf=shelf, person=zoe, level=3)
    edition, output = hidden_statement(shelf, zoe)
    hidden_sheets(ledger, shelf, zoe)
    feed = Feed.objects.create(ledger=ledger, name="Hidden feed", kind="table", owner=zoe)
    load = Load.objects.create(ledger="t", feed_name="Hidden feed", source="Hidden path", state="refused")
    sending, delivery = hidden_dispatch(ledger, zoe)
    run = hidden_rows(ledger, shelf, zoe)
    version, pages, made = hidden_folio(ledger, shelf, zoe)
    rebuild = hidden_rebuild(zoe)
    return {
        "identity": ("f" * 24, delivery.identity),
        "name": NAMES,
        "kind": ("statement", "statement"),
        "of": ("statement", "statement"),
        "form": ("csv", "csv"),
        "code": ("A", "B"),
        "entity": ("A", "B"),
        "number": {"shelf": shelf.pk, "edition": edition.pk, "output": output.pk, "entry": "X9",
                   "sending": sending.pk, "delivery": delivery.pk, "run": run.pk,
                   "version": version.pk, "page": pages.pk, "filing": made.pk, "rebuild": rebuild.pk,
                   "rebuilt": rebuild.pk},
        "folio": ("pack", "secret-pack"),
        "key": ("words", "words"),
        "pk": {"feed": feed.pk, "load": load.pk},
        "username": ("zoe", "zoe"),
    }  # fmt: skip


def part_of(route):
    address = ADDRESSES[route]
    return "tables" if "/tables/" in address else address.split("/")[0]


def address_of(world, route, held, which):
    """The address with things inside (0), outside (1), or that aren't there (2); None where nothing is told apart."""
    values, told_apart = [], []
    for name in held:
        given = world.get(name)
        if name == "name":
            of_statement = "of-trace" in ADDRESSES[route] or ADDRESSES[route].startswith("overviews/of/")
            given = given.get("statements" if of_statement else part_of(route), ("x", "x"))
        if name in ("number", "pk"):
            kind = next((kind for kind in given if kind in route or f"{kind}s" in ADDRESSES[route]), "")
            given = ("1", str(given[kind])) if kind else ("1", "1")
        inside, outside = given or ("1", "1")
        apart = inside != outside or name == "username"
        gone = ("999999" if outside.isdigit() else "Zz9") if apart else inside
        values.append((inside, outside, gone)[which])
        told_apart += [values[-1]] if apart else []
    return (reverse(route, args=values), told_apart) if told_apart or not which else None


def every_address():
    from django.urls import URLResolver, get_resolver

    def walk(patterns, before=""):
        for one in patterns:
            if isinstance(one, URLResolver):
                yield from walk(one.url_patterns, before + str(one.pattern))
            elif one.name:
                yield one.name, before + str(one.pattern)

    return dict(walk(get_resolver().url_patterns))


ADDRESSES = every_address()


def asked(client, address, query="ledger=s&period=2026-P01&node=A"):
    """What somebody is answered, as (status, text); asked by GET, and by POST where that is the way."""
    response = client.get(f"{address}?{query}")
    if response.status_code == 405:
        response = client.post(f"{address}?{query}", {"form": "csv", "title": "x", "do": "x", "what": "x"})
    content = b"".join(response.streaming_content) if response.streaming else response.content
    return response.status_code, f"{response.headers.get('Location', '')} {content.decode(errors='replace')}"


def plain(text, values):
    """A text without what differs from one request to the next, and without what was asked for."""
    text = CODE.sub("", html.unescape(unquote(text)))
    text = re.sub(r'[A-Za-z0-9]{64}|nonce="[^"]+"|[0-9]+\s(minute|hour|second)s?|revision-[0-9]+', "", text)
    for value in sorted((str(value) for value in values), key=len, reverse=True):
        text = re.sub(rf"(?<= of ){re.escape(value)}(?= )|(?<=['/=]){re.escape(value)}(?=['/&\"?])", "…", text)
    return re.sub(r"Did you mean [^?]*\?", "", text)


@pytest.mark.parametrize("role", ROLES)
def test_what_lies_outside_answers_as_what_isnt_there(role, world):
    person = make_person(f"a-{role}", title="Somebody", role=role)
    grant(person, "s", "A", "", {}, opens_seals=True)
    client = Client(raise_request_exception=False)
    client.force_login(person)
    all_shelves = role == "administrator"
    before, tried, wrong = state(), 0, []
    for route, held in ROUTES:
        if route in NOT_HERE or (all_shelves and route == "look-through"):  # they see what others see on purpose
            continue
        address, _ = address_of(world, route, held, 0)
        inside = client.get(f"{address}?ledger=s&period=2026-P01&node=A")
        assert inside.status_code < 500, address
        shown = inside.getvalue().decode(errors="replace")
        if (not all_shelves and HIDDEN in shown) or "Hidden ledger" in shown or "Hidden sale" in shown:
            wrong.append(f"{address} shows what is hidden")
        if not held or address_of(world, route, held, 1) is None:
            continue
        pairs = [address_of(world, route, held, which) for which in (1, 2)]
        answers = [asked(client, address) for address, _ in pairs]
        told = [(status, plain(text, values)) for (status, text), (_, values) in zip(answers, pairs, strict=True)]
        keeps_people = person.may_give and ADDRESSES[route].startswith("people/")
        belongs = all_shelves and route not in ("load", "load-progress", "load-decide")
        tried += 1
        if not keeps_people and not belongs and told[0] != told[1]:
            wrong.append(f"{pairs[0][0]}: {told[0][0]} and {told[1][0]}\n{differing(told[0][1], told[1][1])}")
        if not belongs and HIDDEN in answers[0][1]:
            wrong.append(f"{pairs[0][0]} shows what is hidden")
    assert not wrong, "\n".join(wrong)
    assert tried > 50
    if not all_shelves:
        assert {key: count for key, count in state().items() if before[key] > count} == {}, "something was taken away"


def differing(one, other):
    places = (at for at, (a, b) in enumerate(zip(one, other, strict=False)) if a != b)
    at = next(places, min(len(one), len(other)))
    return f"  {one[max(0, at - 60) : at + 80]!r}\n  {other[max(0, at - 60) : at + 80]!r}"


@pytest.mark.parametrize(
    ("outside", "missing"),
    [
        pytest.param("ledger=tee", "ledger=uee", marks=pytest.mark.slow),
        ("node=B", "node=C"),
        pytest.param("node=group", "node=C", marks=pytest.mark.slow),
    ],
)
def test_ledgers_and_nodes_outside_are_as_such_that_arent_there(outside, missing, world):
    person = make_person("amy", title="Amy", role="accountant")
    grant(person, "s", "A", "", {}, opens_seals=True)
    wrong = []
    for route, held in ROUTES:
        if route in NOT_HERE or ADDRESSES[route].startswith("people/") or "progress" in route:
            continue
        address, _ = address_of(world, route, held, 0)
        client = Client(raise_request_exception=False)
        client.force_login(person)
        told = []
        for query in (outside, missing):
            response = client.get(f"{address}?period=2026-P01&{query}")
            assert response.status_code < 500, address
            content = response.getvalue().decode(errors="replace")
            told.append((response.status_code, plain(content, [query.partition("=")[2]])))
        if outside == "node=group":  # of the whole they see their part
            if HIDDEN in told[0][1]:
                wrong.append(f"{address} shows what is hidden")
        elif told[0] != told[1]:
            wrong.append(f"{address}: {told[0][0]} and {told[1][0]}\n{differing(told[0][1], told[1][1])}")
    assert not wrong, "\n".join(wrong)


def test_nobody_is_let_in_without_a_person(world):
    client = Client(raise_request_exception=False)
    for route, held in ROUTES:
        if route in OPEN or route == "sign-out":
            continue
        address, _ = address_of(world, route, held, 0)
        for ask in (client.get, client.post):
            response = ask(address)
            assert response.status_code == 302 and response["Location"].startswith("/sign-in/"), (address, response)


def test_whoever_was_deactivated_sees_nothing_at_once(world):
    person = make_person("amy", title="Amy", role="accountant")
    grant(person, "s", "", "", {}, opens_seals=True)
    client = Client()
    client.force_login(person)
    assert client.get("/ledger/").status_code == 200
    Person.objects.filter(pk=person.pk).update(is_active=False)
    response = client.get("/ledger/")
    assert response.status_code == 302 and response["Location"].startswith("/sign-in/")
