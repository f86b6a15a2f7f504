"""Odd requests at every address there is: what can't be done is refused in words, nothing breaks, nothing changes."""

from __future__ import annotations

import re
from collections.abc import Iterator
from decimal import Decimal
from functools import cache
from pathlib import Path

import pytest
from django.apps import apps
from django.db import transaction
from django.test import Client
from django.urls import NoReverseMatch, URLPattern, URLResolver, get_resolver, reverse
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rulka.core.compute.nodes import find_node
from rulka.core.rebuild.answering import sums_of
from rulka.core.rebuild.books import TableReading
from rulka.core.rebuild.given import given_from
from rulka.core.rebuild.plain import given_plain
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import view_of
from rulka.people.library.persons import make_person
from rulka.people.library.rights import fence_of, grant
from rulka.people.models import Person
from rulka.rebuilds.models import Rebuild
from rulka.rebuilds.output.finding import find
from tests.web.world import make_world

ROOT = Path(__file__).parent.parent.parent / "rulka"
ODD = (
    "",
    "0",
    "-1",
    "٣",
    "²",
    "9" * 19,
    "9" * 5000,
    "1e30",
    "NaN",
    "Infinity",
    "-0",
    "1_000",
    "0x10",
    "\x00",
    "a" * 400,
    "=1+1",
    "@x",
    "../../etc/passwd",
    "' OR 1=1 --",
    "{{ 7*7 }}",
    "<script>alert(1)</script>",
    "%",
    "[",
    "under:",
    "not",
    "4*; department: ",
    "\u202eevil",
    "٢٠٢٦-P01",
    "0_0000-00-00_9",
    "9999999999999999999_2026-01-01_1",
    '{"a": [',
    "[" * 3000,
)
GOOD = {
    "name": ("result", "by-department", "no-such", "sums", "rows", "pack"),
    "kind": ("statement", "spine", "span", "scope"),
    "form": ("xlsx", "csv", "json", "pdf"),
    "ledger": ("s", ""),
    "period": ("2026-P01", "2025-P02"),
    "node": ("A", "B", "group"),
    "row": ("sales", "wages", "result.total"),
    "column": ("now", "plan"),
    "account": ("4000", "5000"),
    "part": ("period:2026-P01", "year:2025"),
    "panel": ("line", "column", "page", "trace", "footing", "accounts", "versions", "nodes", "editions", "start"),
    "do": (
        "line-add", "line-change", "line-delete", "line-move", "line-paste", "line-freeze", "line-merge", "accounts",
        "place", "column-add", "column-change", "column-kind", "column-delete", "column-move", "column-drop",
        "column-paste", "series-add", "statement-change", "spine-change", "own-part", "scope-use", "scope-nodes",
        "start-kind", "start-columns", "start-pages", "again", "save", "load",
        "fields", "column", "formula", "remove", "left", "sort", "top", "condition", "ask", "unask", "copy-asks",
        "title", "copy", "shelf", "delete", "drop",
        "line", "leave", "cell", "node", "search", "column-read", "column-out", "alone", "afresh",
    ),
    "path": ("accounts", "title", "sign", "window", "narrow", "figures.decimals", "page.header", "top", "tolerance",
             "periods", "total", "label"),
    "lines": ("sales", "sales,wages"),
    "columns": ("now", "now,plan"),
    "value": ("4*", "Sales", "2", "last 3 periods", "{period.end:Oct 26}", "new department > entity"),
    "entity": ("A",),
    "entry": ("E1",),
    "number": ("1", "E1"),
    "who": ("person:amy", "group:x"),
    "level": ("see", "run", "edit"),
    "decision": ("accept", "drop", "cancel"),
    "table": ("entries", "accounts"),
    "status": ("posted", "pending"),
    "type": ("expense",),
    "sheet": ("1", "2"),
    "cell": ("F2", "A40", "B1", "Q42"),
    "ask": ("0", "1", "9"),
    "find": ("Sales",),
    "first": ("0", "200"),
    "code": ("A", "4000"),
    "key": ("x", "4000", "words", "result"),
    "section": ("words", "result", "slides"),
    "step": ("hold", "keep", "release", "hand in", "give up", "accept", "send back", "take back", "free"),
    "source": ("statement:result|wages|now###", "statement:result", "worksheet:sums|Sheet!A1:B4", "extract:rows"),
    "version": ("0", "1"),
    "concept": ("x:Wages", "x:Words"),
    "taxonomy": ("tiny",),
    "folio": ("pack",),
    "reported": ("yes", "no"),
    "sign": ("turned", "as shown"),
    "text": ("10\t4000\tSales", "=RULKA.ACTIVITY(A2)", "=1+1"),
    "function": ("RULKA.ACTIVITY", "SUM"),
    "helper": ("account", "period", "narrow"),
    "since": ("1", "0"),
    "into": ("rows", "statement"),
    "opening": ("newest", "asked", "stays"),
    "mode": ("values", "formulas"),
    "fields": ("date", "amount"),
    "field": ("account", "amount", "date"),
    "words": ("4*", "at least 1", "{accounts}", "this"),
    "formula": ("=amount*2", "=upper(account)"),
    "total": ("sum", "count", "average"),
    "order": ("rising", "falling"),
    "rows": ("journal lines", "balances", "figures result", "table berths"),
    "layout": ("By account",),
    "a-accounts": ("4*", "1000, 4000"),
    "a-period": ("2026-P01", "ytd this", "2025"),
    "down": ("account",),
    "tab": ("layout", "ask", "column", "runs", "text"),
}  # fmt: skip


@cache
def names() -> tuple[str, ...]:
    """Every name that a form or address of Rulka sends, read from templates and pages."""
    found: set[str] = set()
    for path in ROOT.rglob("*.html"):
        found |= set(re.findall(r'name="([a-z0-9_-]{1,24})"', path.read_text()))
    for path in ROOT.rglob("pages/*.py"):
        found |= set(re.findall(r'(?:get|getlist)\("([a-z0-9_-]{1,24})"', path.read_text()))
    return tuple(sorted(found | set(GOOD) - {"csrfmiddlewaretoken"}))


def routes(patterns: list[URLPattern | URLResolver] | None = None, before: str = "") -> Iterator[tuple[str, list[str]]]:
    """(name, names of what its address holds) of every address."""
    for pattern in get_resolver().url_patterns if patterns is None else patterns:
        if isinstance(pattern, URLResolver):
            yield from routes(pattern.url_patterns)
        elif pattern.name:
            yield pattern.name, list(pattern.pattern.converters)


ROUTES = sorted(routes())
LEAVE = ("sign-out", "sign-in", "demo-sign-in", "home", "health-worker")
"""Addresses that end the visit, or are tried by name and password elsewhere."""


def value_of(name: str) -> st.SearchStrategy[str]:
    return st.one_of(st.sampled_from(GOOD.get(name, ("1",))), st.sampled_from(ODD))


APPS = (
    "ledger",
    "statements",
    "worksheets",
    "extracts",
    "overviews",
    "folios",
    "filings",
    "rebuilds",
    "people",
    "work",
)


def state() -> dict[str, int]:
    """How many rows each table holds, but for what every visit leaves behind."""
    beside = {"statements.visit", "sessions.session", "worksheets.readermarks", "people.visit", "people.recorded",
              "work.leftfile"}  # fmt: skip
    return {
        model._meta.label_lower: model._default_manager.count()
        for model in apps.get_models()
        if model._meta.label_lower not in beside and model._meta.app_label in APPS
    }


@pytest.fixture
def world(small, command, db, settings, tmp_path):
    settings.TASKS = {"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}
    make_world(small, command)
    for username, role in (("amy", "accountant"), ("dan", "director"), ("lea", "lead")):
        person = make_person(username, title=username.capitalize(), role=role)
        members = {"department": "10"} if username == "lea" else {}
        grant(person, "s", "", "", members, opens_seals=username == "amy")
    Ledger.objects.update(sealed="5000")
    rebuilt("amy")


def rebuilt(username: str) -> None:
    """A table of somebody's, found."""
    person = Person.objects.get(username=username)
    view = view_of(Ledger.objects.get(code="s"), fence_of(person, "s"))
    node, reading = find_node(view, "A"), TableReading("A", "actual", "closing", 12, 12)
    sums = sums_of(reading, view, node)
    rows = [(item.name, [Decimal(int(sums[at])).scaleb(-2)]) for at, item in enumerate(view.frame.accounts.items)]
    table = given_plain(given_from(["Now"], rows))
    made = Rebuild.objects.create(ledger="s", person=person.pk, title="T", files=["t.csv"], tables=[table])
    find(made.pk)
    made.refresh_from_db()
    assert made.state == "ready", made.problem


def test_odd_requests_are_refused_in_words(world, caplog):
    for route, held in ROUTES:
        if route not in LEAVE:
            ask_oddly(route, held, 2)
    assert "Incident" not in caplog.text


@pytest.mark.slow
@pytest.mark.parametrize(("route", "held"), [pair for pair in ROUTES if pair[0] not in LEAVE], ids=lambda v: str(v))
def test_many_odd_requests_are_refused_in_words(route, held, world, caplog):
    ask_oddly(route, held, 200)
    assert "Incident" not in caplog.text


def ask_oddly(route: str, held: list[str], examples: int) -> None:
    people = {username: Person.objects.get(username=username) for username in ("amy", "dan", "lea")}

    @settings(
        max_examples=examples, deadline=None, database=None, derandomize=examples < 20,
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(
        st.fixed_dictionaries({name: value_of(name) for name in held}),
        st.lists(st.sampled_from(names()), max_size=6, unique=True).flatmap(
            lambda chosen: st.fixed_dictionaries({name: value_of(name) for name in chosen})
        ),
        st.sampled_from(["GET", "POST"]),
        st.sampled_from(["amy", "dan", "lea"]),
        st.booleans(),
    )
    def ask(kwargs, sent, method, username, fragment):
        try:
            address = reverse(route, kwargs=kwargs)
        except NoReverseMatch:
            return  # no such address can be written
        with transaction.atomic(), transaction.atomic(using="work"):
            check(address, sent, method, people[username], fragment)
            transaction.set_rollback(True)
            transaction.set_rollback(True, using="work")

    ask()


def check(address: str, sent: dict[str, str], method: str, person: Person, fragment: bool) -> None:
    before = state()
    client = Client(raise_request_exception=False)
    client.force_login(person)
    headers = {"HX-Request": "true"} if fragment else {}
    response = getattr(client, method.lower())(address, {**sent, "ledger": "s"}, headers=headers)
    content = b"".join(response.streaming_content) if response.streaming else response.content
    told = f"{person} {method} {address} {sent}"
    assert response.status_code < 500 and b"Incident" not in content, told
    if response.status_code >= 400 or method == "GET":
        assert state() == before, told


def test_every_address_is_known_to_the_fuzz():
    assert {route for route, _ in ROUTES} >= {
        "statement",
        "edit-statement",
        "feed-map",
        "journal-export",
        "edition",
        "edit-worksheet",
    }
    assert len(names()) > 80
