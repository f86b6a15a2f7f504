"""Makes the database that `test_former_database.py` migrates, and what it showed then.

Run once, by the code of the commit whose databases must be taken over, from its own folder:

    RULKA_VAR=/tmp/former PYTHONPATH=.:/path/to/this/checkout python /path/to/this/checkout/tests/former/make.py
"""

from __future__ import annotations

import gzip
import json
import sys
from pathlib import Path
from typing import Any

import django

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE))

SPINE: dict[str, Any] = {
    "spine": "result",
    "lines": [
        {
            "section": "Result",
            "lines": [
                {"line": "Sales", "accounts": "under:4000", "key": "sales"},
                {"line": "Costs", "accounts": "5*", "sign": "flipped", "key": "costs"},
            ],
            "total": "Result for the period",
        },
        {"line": "Hours", "accounts": "9000"},
        {"calculation": "Sales by hour", "formula": "Sales / Hours"},
    ],
}
SPAN: dict[str, Any] = {
    "span": "two-years",
    "columns": [
        {"column": "now", "window": "year to date"},
        {"column": "plan", "scenario": "budget", "window": "year to date"},
        {"column": "before", "window": "year", "shift": "-1 year"},
        {"column": "gap", "difference": ["now", "plan"]},
    ],
}
DETAIL: dict[str, Any] = {
    "spine": "detail",
    "covers": "nothing",
    "lines": [{"line": "Wages", "accounts": "5000", "expand": ["accounts", "entries"]}],
}
SCOPE: dict[str, Any] = {
    "scope": "departments",
    "nodes": [{"node": "all", "of": "entity: *", "nodes": [{"grow": "department"}]}],
}


def _share(Feed, Definition, Shelf, ShelfRight, var, ledger, lea, vic, kim, post):
    """A shelf with rights on it, an output, a feed with a load that waits."""
    shelf = Shelf.objects.create(ledger=ledger, name="Board")
    ShelfRight.objects.create(shelf=shelf, person=lea, level=2)
    ShelfRight.objects.create(shelf=shelf, person=vic, level=1)
    Definition.objects.filter(ledger=ledger, kind="statement", name="by-department").update(shelf=shelf)
    post(kim, "result/outputs", form="csv")
    feed = Feed.objects.create(ledger=ledger, name="More", kind="ledger", location="more")
    from rulka.ledger import feeds

    (var / "feeds" / "more").mkdir(parents=True)
    feeds.ask(feed, unattended=True)


def _edit(Client, WHERE, client_of):
    """Edits, editions and versions, by people with and without all of it."""
    kim = client_of("kim")

    def post(client: Client, address: str, **values: str) -> None:
        response = client.post(f"/statements/{address}/{WHERE}", values)
        assert response.status_code in (200, 302), (address, response.status_code, response.content.decode()[-2000:])

    change = {"do": "line-change", "share-spine": "all"}
    post(kim, "result/edit", **change, key="costs", path="accounts", value="5000 to 5100")
    post(kim, "result/editions/keep", title="To the board")
    post(client_of("lea"), "result/editions/keep", title="My part")
    post(kim, "detail/editions/keep", title="With names")
    post(client_of("lea"), "detail/editions/keep", title="My part, sealed")
    post(kim, "result/versions/save", title="As sent")
    post(kim, "result/edit", **change, key="sales", path="accounts", value="4000, 4100")
    post(kim, "result/edit", **change, key="costs", path="label", value="What it cost")
    post(kim, "result/undo")
    post(
        kim, "result/edit", do="column-change", key="before", path="heading", value="Last year", **{"share-span": "all"}
    )
    post(kim, "result/edit", **change, key="sales", path="sign", value="as booked")
    return kim, post


def _load_statements(call_command, var):
    """The statements of the ledger."""
    files = {
        "result.yaml": [
            SPINE,
            SPAN,
            {"statement": "result", "spine": "result", "span": "two-years", "title": "Result"},
        ],
        "by-department.yaml": [
            SCOPE,
            {"statement": "by-department", "spine": "result", "span": "two-years", "scope": "departments"},
        ],
        "detail.yaml": [DETAIL, {"statement": "detail", "spine": "detail", "span": "two-years"}],
    }
    import yaml

    for name, bodies in files.items():
        path = var / name
        path.write_text(yaml.safe_dump_all(bodies, sort_keys=False))
        call_command("load_statement", str(path), ledger="s", verbosity=0)


def main() -> None:
    from django.core.management import call_command
    from django.db import connections
    from django.test import Client
    from watch import WHERE, client_of, watch

    from rulka.ledger.models import Feed, Ledger
    from rulka.people.models import Access, Person
    from rulka.statements.models import Definition, Shelf, ShelfRight
    from tests.conftest import SMALL

    var = Path(__import__("os").environ["RULKA_VAR"])
    call_command("migrate", verbosity=0)
    folder = var / "small"
    folder.mkdir(parents=True)
    for file, content in SMALL.items():
        (folder / file).write_text(json.dumps(content) if isinstance(content, dict) else content)
    call_command("load_ledger", str(folder), ledger="s", verbosity=0)
    ledger = Ledger.objects.get(code="s")
    ledger.sealed = "5000"
    ledger.save(update_fields=["sealed"])

    def person(name: str, role: str, **bounds: Any) -> Person:
        made = Person.objects.create(username=name, role=role, title=name.title())
        Access.objects.create(person=made, ledger=ledger, **bounds)
        return made

    person("kim", "accountant", opens_seals=True)
    lea = person("lea", "lead", members={"department": "under:20"})
    person("mia", "lead", members={"department": "under:20"})
    vic = person("vic", "director", accounts="1*, 4*")
    _load_statements(call_command, var)
    kim, post = _edit(Client, WHERE, client_of)
    _share(Feed, Definition, Shelf, ShelfRight, var, ledger, lea, vic, kim, post)
    for connection in connections.all():
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    for name in ("rulka", "work"):
        (HERE / f"{name}.sqlite3.gz").write_bytes(gzip.compress((var / f"{name}.sqlite3").read_bytes(), mtime=0))
    (HERE / "seen.json").write_text(json.dumps(watch(), ensure_ascii=False, indent=1, sort_keys=True) + "\n")


if __name__ == "__main__":
    django.setup()
    main()
