"""A request loads each definition once, whatever it does with it."""

from __future__ import annotations

from collections import Counter

import pytest

from rulka.statements.models import Definition
from tests.statements.test_editing import FRAGMENT, accountant, address, edit, page, value  # noqa: F401

pytestmark = pytest.mark.django_db
NAME = "income-statement"
PANELS = ("", "line", "column", "page", "footing", "versions", "nodes", "editions", "explain", "trace", "accounts")


@pytest.fixture
def loads(monkeypatch):
    """How often each definition is loaded, by kind and name."""
    found: Counter[str] = Counter()
    plain = Definition.from_db.__func__

    def from_db(cls, db, names, values):
        one = plain(cls, db, names, values)
        found[f"{one.kind} {one.name}"] += 1
        return one

    monkeypatch.setattr(Definition, "from_db", classmethod(from_db))
    return found


@pytest.mark.parametrize("panel", PANELS)
def test_a_page_loads_each_definition_once(accountant, loads, panel):  # noqa: F811
    response = accountant.get(address("statement", NAME, panel=panel, row="fuel", column="ytd-actual"))
    assert response.status_code == 200 and f"statement {NAME}" in loads and set(loads.values()) == {1}, loads


def test_edits_load_each_definition_once(accountant, loads):  # noqa: F811
    for values in (
        {"do": "line-change", "key": "fuel", "path": "label", "value": "Oil", "share-spine": "all"},
        {"do": "column-change", "key": "ytd-actual", "path": "heading", "value": "So far", "share-span": "own"},
        {"do": "statement-change", "path": "subtitle", "value": "Posted"},
    ):
        loads.clear()
        response = edit(accountant, NAME, **values)
        assert response.status_code == 200 and 'class="problem"' not in response.content.decode()
        assert f"statement {NAME}" in loads and set(loads.values()) == {1}, (values, loads)
    for way in ("undo", "undo", "undo", "redo", "redo"):
        loads.clear()
        response = accountant.post(address(way, NAME), headers=FRAGMENT)
        assert ("Undone: " if way == "undo" else "Done again: ") in response.content.decode()
        assert f"statement {NAME}" in loads and set(loads.values()) == {1}, (way, loads)


def test_an_edit_that_was_refused_shows_what_is_stored(accountant):  # noqa: F811
    """Not what it had begun to write."""
    before = value(page(accountant, NAME), "fuel")
    asked = {"key": "fuel", "path": "accounts", "value": "under:", "share-spine": "all"}
    refused = edit(accountant, NAME, "line-change", **asked)
    assert refused.status_code == 200 and 'class="problem"' in refused.content.decode()
    assert before and value(refused, "fuel") == value(page(accountant, NAME), "fuel") == before
