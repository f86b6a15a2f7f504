"""Answers to edits that carry changed rows only: put into the page that they were made for, they give the page that
anybody gets who asks for it anew."""

from __future__ import annotations

import re
from random import Random
from urllib.parse import urlencode

import lxml.html
import pytest
from django.urls import reverse

from rulka.core.books.few import Few
from rulka.core.compute import cells
from rulka.core.definitions import spines
from rulka.ledger.reading.queries import _BOOKS
from rulka.people.models import Person
from rulka.statements.library.storing import load_definitions
from rulka.statements.running import nodes
from tests.statements.test_editing import FRAGMENT, WHERE

pytestmark = pytest.mark.django_db
FIELDS = ("stamp", "window", "sent", "blocks")


class Window:
    """A browser's window on a statement: what it holds, and what it puts in its place."""

    def __init__(self, client, name, **query):
        self.client, self.name, self.asked = client, name, query
        self.query = urlencode({**WHERE, **query})
        self.parts = []
        self.show(client.get(f"{reverse('statement', args=[name])}?{self.query}").content.decode())

    def show(self, text):
        page = lxml.html.fromstring(text)
        self.rows = {row.get("data-row"): plain(row) for row in page.xpath("//tr[@data-row]")}
        self.heads = [plain(head) for head in page.xpath("//thead")]
        self.take(page)

    def take(self, page):
        self.held = {name: page.xpath(f"//form[@id='stamp']/input[@name='{name}']")[0].get("value") for name in FIELDS}
        self.around = [plain(page.xpath(f"//*[@id='{name}']")[0]) for name in ("title", "undo", "verdict-line")]

    def send(self, view, **values):
        """Whether the answer carried rows only; what it says is put into place as htmx does."""
        answer = self.client.post(
            f"{reverse(view, args=[self.name])}?{self.query}", {**self.held, **values}, headers=FRAGMENT
        )
        text = answer.content.decode()
        if "HX-Retarget" not in answer.headers:
            self.show(text)
            return False
        assert answer.headers["HX-Retarget"] == "#panel" and answer.headers["HX-Reswap"] == "morph:outerHTML"
        page = lxml.html.fromstring(f"<main>{text}</main>")
        assert not page.xpath("//table[contains(@class, 'figures')]") and page.xpath("//aside[@id='panel']")
        for row in page.xpath("//template/tr"):
            assert row.get("id") == f"row-{row.get('data-row')}" and row.attrib.pop("hx-swap-oob") == "morph"
            assert row.get("data-row") in self.rows
            self.rows[row.get("data-row")] = plain(row)
        self.parts.append(len(page.xpath("//template/tr")))
        self.take(page)
        return True

    def edit(self, **values):
        shared = {f"share-{kind}": "all" for kind in ("spine", "span", "scope")}
        return self.send("edit-statement", **shared, **values)

    def matches_the_page(self):
        """Read anew by somebody who knows nothing of what was shown, computed or read before."""
        for kept in (_BOOKS, cells._presented.cache_clear, spines._spine_of.cache_clear, spines._line_of.cache_clear):
            kept() if callable(kept) else kept.clear()
        nodes._SHOWN._kept.clear()
        anew = Window(self.client, self.name, **self.asked)
        assert (self.rows, self.heads, self.around) == (anew.rows, anew.heads, anew.around)


def plain(element):
    """An element as text; which rows and columns are chosen is marked by the page itself."""
    text = lxml.html.tostring(element, encoding="unicode", with_tail=False)
    return re.sub(r'( chosen|value="[^"]{40,}"|<i[^>]*>)', "", text)


@pytest.fixture
def accountant(ternwick, client):
    client.force_login(Person.objects.get(username="accountant"))
    return client


LINES = ["fuel", "repairs", "port-dues", "crew", "charter"]


@pytest.mark.parametrize("name", ["income-statement", "income-by-month", "balance-sheet-sides"])
def test_any_row_of_edits_leaves_what_a_new_page_shows(accountant, name):
    window, random = Window(accountant, name), Random(name)
    keys = [key for key in window.rows if "." not in key]
    partly = 0
    for _ in range(14):
        key = random.choice(keys)
        do = random.choice(
            [
                {"do": "line-change", "key": key, "path": "label", "value": f"Line {random.randrange(99)}"},
                {"do": "line-change", "key": key, "path": "accounts", "value": random.choice(["6110", "6*", "1210"])},
                {"do": "line-change", "key": key, "path": "look.bold", "value": random.choice(["yes", "no"])},
                {"do": "line-add", "lines": key, "where": "below"},
                {"do": "line-move", "lines": key, "way": "up"},
                {"do": "line-change", "key": key, "path": "accounts", "value": "6110 to"},
                {"do": "statement-change", "path": "title", "value": f"Title {random.randrange(99)}"},
            ]
        )
        partly += window.edit(**do)
        if random.random() < 0.3:
            partly += window.send("undo")
        window.matches_the_page()
    assert partly > 4 and any(0 < rows < len(window.rows) for rows in window.parts)


@pytest.mark.parametrize("query", [{"beside": "NF,TQ"}, {"hidden": "yes"}])
def test_nodes_side_by_side_and_hidden_lines_get_their_rows_too(accountant, query):
    window = Window(accountant, "income-statement", **query)
    assert window.edit(do="line-change", key="fuel", path="accounts", value="6110 to 6120")
    assert 0 < window.parts[-1] < len(window.rows)
    window.matches_the_page()
    window.edit(do="line-change", key="fuel", path="hide", value="always")
    window.matches_the_page()
    assert ("fuel" in window.rows) == ("hidden" in query)
    assert not window.edit(do="statement-change", path="title", value="Another")  # the table says it too
    window.matches_the_page()


def test_only_what_changed_is_sent(accountant):
    window = Window(accountant, "income-statement")
    assert window.edit(do="line-change", key="fuel", path="label", value="Bunkers") and window.parts == [1]
    assert window.edit(do="line-change", key="fuel", path="label", value="Bunkers") and window.parts == [1, 0]
    assert window.edit(do="line-change", key="fuel", path="accounts", value="6110 to 6198")
    assert not window.edit(do="line-delete", lines="fuel")  # a row is gone: the whole is sent
    assert "fuel" not in window.rows
    window.matches_the_page()


def test_window_that_shows_something_else_gets_the_whole(accountant):
    first, second = Window(accountant, "income-statement"), Window(accountant, "income-statement")
    change = {"do": "line-change", "key": "fuel", "path": "label"}
    assert first.edit(**change, value="Oil")
    # an answer that never arrived: the window still says the number of the one before
    before = dict(first.held)
    first.edit(**change, value="Gas")
    first.held = before | {"stamp": first.held["stamp"]}
    first.rows = {}
    assert not first.edit(**change, value="Coal")
    first.matches_the_page()
    # another window knows nothing of it
    second.held |= {"stamp": first.held["stamp"], "sent": first.held["sent"]}
    assert not second.edit(**change, value="Peat")
    second.matches_the_page()
    # what another person holds helps nobody
    first.held["window"] = "w" * 12
    assert not first.edit(**change, value="Wood")


@pytest.fixture
def large(accountant, ternwick):
    rows = [{"line": f"Line {at}", "accounts": "6110" if at % 2 else "6120"} for at in range(300)]
    columns = [{"series": "months", "each": "period", "within": "last 20 periods"}]
    load_definitions(
        ternwick,
        [
            {"spine": "large", "covers": "nothing", "lines": rows},
            {"span": "large", "columns": columns},
            {"statement": "large", "spine": "large", "span": "large"},
        ],
    )
    return Window(accountant, "large")


def test_rows_of_a_block_that_came_later_are_sent_once_the_window_holds_it(large):
    whole = dict(large.rows)
    assert large.held["blocks"] == "0,1," and len(whole) < 300
    assert large.edit(do="line-change", key="line-7", path="label", value="Seven") and large.parts == [1]
    block = large.client.get(f"{reverse('statement-block', args=['large', 2])}?{large.query}").content.decode()
    for row in lxml.html.fromstring(f"<table>{block}</table>").xpath("//tr[@data-row]"):
        large.rows[row.get("data-row")] = plain(row)
    large.held["blocks"] += "2"
    far = list(large.rows)[-1]
    assert large.edit(do="line-change", key=far, path="label", value="Far away")
    assert "Far away" in large.rows[far] and large.held["blocks"] == "0,1,2,"
    assert large.edit(do="line-change", key=far, path="label", value="Further") and large.parts[-1] == 1
    # a row in a block that the window doesn't hold has to come with its block
    assert not large.edit(do="line-change", key="line-290", path="label", value="Last", row="line-290")
    assert "Last" in large.rows["line-290"]


def test_few_things_are_kept_the_last_ones():
    few = Few(2)
    for name in ("a", "b", "c"):
        few.put(name, name * 2)
    few.put("c", "new")
    assert [few.find(name) for name in "abc"] == [None, "bb", "new"] and len(few) == 2
