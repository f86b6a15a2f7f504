"""Makes the database that `test_former_names.py` migrates, and reads what it shows: by pages and commands alone, so
that the same words are asked before and after.

Made once, by the code of the commit whose database must be taken over, from its own folder:

    RULKA_VAR=/tmp/former PYTHONPATH=. python /path/to/this/checkout/tests/former/names.py make

`python -m tests.former.names` prints what the database under RULKA_VAR shows, as JSON.
"""

from __future__ import annotations

import gzip
import io
import json
import os
import re
import sys
from pathlib import Path
from typing import Any

import django
import yaml

from tests.former.watch import as_framed_before

HERE = Path(__file__).parent
WHERE = "?ledger=s&period=2026-P01&node=A&of=A"
SPINE: dict[str, Any] = {
    "spine": "result",
    "title": "Result",
    "lines": [
        {
            "section": "Result",
            "lines": [
                {"line": "Sales", "accounts": "under:4000", "key": "sales"},
                {"line": "Costs", "accounts": "5*", "sign": "flipped", "key": "costs"},
            ],
            "total": "Result for the period",
        },
    ],
}
SPAN: dict[str, Any] = {
    "span": "plan",
    "columns": [
        {"column": "now", "window": "year to date"},
        {"column": "plan", "scenario": "budget", "window": "year to date"},
        {"column": "gap", "difference": ["now", "plan"]},
    ],
}
SCOPE: dict[str, Any] = {
    "scope": "departments",
    "nodes": [{"node": "A", "of": "entity: *", "nodes": [{"grow": "department"}]}],
}
EXPLAIN = {"beyond": "1", "columns": ["gap"], "owners": {"A": "kim"}}
TEXTS = {
    "result": [
        SPINE, SPAN, {"statement": "result", "spine": "result", "span": "plan", "title": "Result", "explain": EXPLAIN},
    ],
    "by-department": [SCOPE, {"statement": "by-department", "spine": "result", "span": "plan", "scope": "departments"}],
    "doomed": [{"statement": "doomed", "title": "Doomed", "spine": "result", "span": "plan"}],
}  # fmt: skip


def call(name: str, *arguments: str, **options: Any) -> str:
    from django.core.management import CommandError, call_command

    out = io.StringIO()
    try:
        call_command(name, *arguments, stdout=out, **options)
    except CommandError as error:
        return f"refused: {error}"
    return out.getvalue()


def client_of(name: str) -> Any:
    from django.test import Client

    from rulka.people.models import Person

    client = Client(HTTP_HOST="localhost")
    client.force_login(Person.objects.get(username=name))
    return client


def post(client: Any, address: str, **values: str) -> Any:
    response = client.post(f"/statements/{address}{WHERE}", values)
    assert response.status_code in (200, 302), (address, response.status_code, response.content.decode()[-2000:])
    return response


def first_line(client: Any, name: str) -> str:
    """The key of the first line that accounts can be put into."""
    page = client.get(f"/statements/{name}/{WHERE}").content.decode()
    return re.findall(r'id="row-([a-z0-9-]+)"', page)[1]


def _begin_and_delete(Person, Definition, Shelf, ShelfRight, ledger, kim, lea):
    """Statements begun, named and not named yet, duplicated, deleted."""
    begun = post(kim, "begin/").headers["Location"].split("/")[2]
    post(kim, f"{begun}/edit/", do="start-pages", value="department")
    post(kim, f"{begun}/edit/", do="line-change", key=first_line(kim, begun), path="label", value="Turnover")
    post(kim, f"{begun}/name/", title="Our departments")
    second = post(lea, "begin/").headers["Location"].split("/")[2]  # begun, and not named yet
    post(lea, f"{second}/edit/", do="start-kind", value="trial balance")
    post(lea, "result/duplicate/")
    shelf = Shelf.objects.create(ledger=ledger, name="Board")
    ShelfRight.objects.create(shelf=shelf, person=Person.objects.get(username="kim"), level=3)
    Definition.objects.filter(kind="statement", name="doomed").update(shelf=shelf)
    post(kim, "delete/statement/doomed/")
    post(kim, "result/outputs/", form="csv")


def _edit(load):
    """Texts loaded again, edits, editions and versions."""
    kim, lea, cora = client_of("kim"), client_of("lea"), client_of("cora")
    change = {"do": "line-change", "share-spine": "all"}
    load("result", [{**SPINE, "title": "Result, loaded again"}])  # an entry of a part's history
    post(kim, "result/versions/save/", title="As loaded")
    post(kim, "result/edit/", **change, key="costs", path="accounts", value="5000 to 5100")
    post(cora, "result/editions/keep/", title="To the board", reason="Before all is explained")
    post(kim, "result/explain/", do="explain", row="sales", column="gap", version="0", text="More than planned.")
    post(kim, "result/edit/", **change, key="sales", path="sign", value="as booked")
    post(kim, "result/edit/", **change, key="costs", path="label", value="What it cost")
    post(kim, "result/undo/")
    post(
        lea,
        "by-department/edit/",
        do="column-change",
        key="now",
        path="heading",
        value="This year",
        **{"share-span": "own"},
    )
    post(lea, "by-department/versions/save/", title="With a span of its own")
    post(kim, "doomed/editions/keep/", title="Last words")
    return kim, lea


def _people(Access, Person, ledger):
    """People of each role."""
    for name, role in (("kim", "accountant"), ("lea", "accountant"), ("cora", "controller"), ("vic", "director")):
        person = Person.objects.create(username=name, role=role, title=name.title())
        Access.objects.create(person=person, ledger=ledger)
    return name


def main() -> None:
    """Make it, on a ledger with little in it."""
    from django.core.management import call_command
    from django.db import connections

    from rulka.ledger.models import Ledger
    from rulka.people.models import Access, Person
    from rulka.rebuilds.models import Rebuild
    from rulka.statements.models import Definition, Shelf, ShelfRight
    from tests.conftest import SMALL

    var = Path(os.environ["RULKA_VAR"])
    call_command("migrate", verbosity=0)
    folder = var / "small"
    folder.mkdir(parents=True)
    for file, content in SMALL.items():
        (folder / file).write_text(json.dumps(content) if isinstance(content, dict) else content)
    call_command("load_ledger", str(folder), ledger="s", verbosity=0)
    ledger = Ledger.objects.get(code="s")
    name = _people(Access, Person, ledger)

    def load(name: str, texts: list[dict[str, Any]]) -> None:
        path = var / f"{name}.yaml"
        path.write_text(yaml.safe_dump_all(texts, sort_keys=False))
        call_command("load_statement", str(path), ledger="s", verbosity=0)

    for name, texts in TEXTS.items():
        load(name, texts)
    kim, lea = _edit(load)
    _begin_and_delete(Person, Definition, Shelf, ShelfRight, ledger, kim, lea)
    Rebuild.objects.create(ledger="s", person=1, title="From paper", statement="result", state="ready")
    (var / "left.csv").write_bytes(kim.get(f"/statements/by-department/export/csv/{WHERE}").content)
    for connection in connections.all():
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    for name, path in (("rulka", var / "rulka.sqlite3"), ("work", var / "work.sqlite3"), ("left", var / "left.csv")):
        (HERE / f"names_{name}.gz").write_bytes(gzip.compress(path.read_bytes(), mtime=0))
    seen = json.dumps(watch(), ensure_ascii=False, indent=1, sort_keys=True) + "\n"
    (HERE / "names_seen.json.gz").write_bytes(gzip.compress(seen.encode(), mtime=0))


def words(html: str) -> str:
    """The text of a page, without tags, moments and how long it took."""
    html = as_framed_before(html)
    text = re.sub(r"<(script|style|svg).*?</\1>|<[^>]*>", " ", html, flags=re.S)
    text = re.sub(r"\d{1,2} \w+ 20\d\d,? \d\d:\d\d|\b\d+ ms\b|\d\d:\d\d", "", text)
    return " ".join(text.split())


def read(client: Any, address: str, more: str = "") -> list[Any]:
    response = client.get(f"/statements/{address}{WHERE}{more}", headers={"HX-Request": "true"})
    return [response.status_code, words(response.content.decode())]


def runs() -> dict[str, Any]:
    every = ("result", "by-department", "our-departments", "new-statement", "named-later", "result-copy", "doomed")
    found: dict[str, Any] = {}
    for name in every:
        found[name] = call("run_statement", name, ledger="s", period="2026-P01", node="", format="json")
        text = call("dump_statement", name, ledger="s")
        found[f"{name} as text"] = text if text.startswith("refused") else [*yaml.safe_load_all(text)]
    return found


def listed() -> dict[str, Any]:
    found: dict[str, Any] = {}
    for name in ("kim", "lea", "vic"):
        client = client_of(name)
        found[name] = [read(client, ""), read(client, "parts/")]
    return found


def histories() -> dict[str, Any]:
    kim = client_of("kim")
    names = ("result", "by-department", "our-departments", "new-statement", "result-copy")
    return {name: read(kim, f"{name}/panel/", "&panel=versions") for name in names}


def versions() -> dict[str, Any]:
    """Each saved version held against now, by the numbers that the panel offers."""
    kim, found = client_of("kim"), {}
    for name in ("result", "by-department"):
        page = kim.get(f"/statements/{name}/panel/{WHERE}&panel=versions").content.decode()
        for number in sorted(set(re.findall(r"panel=versions&amp;one=(\d+)", page))):
            found[f"{name} {number}"] = read(kim, f"{name}/panel/", f"&panel=versions&one={number}&other=now")
    return found


def editions() -> dict[str, Any]:
    found: dict[str, Any] = {}
    for name in ("kim", "lea"):
        client = client_of(name)
        for number in ("1", "2"):
            found[f"{name} {number}"] = read(client, f"editions/{number}/", "&moved=yes")
    return found


def explained() -> list[Any]:
    kim = client_of("kim")
    return [read(kim, "result/variances/"), read(kim, "result/panel/", "&panel=explain&row=sales&column=gap")]


def turned() -> dict[str, Any]:
    """Undone and done again, a version restored, a name given, one brought back: with what is there after each."""
    kim, lea = client_of("kim"), client_of("lea")
    found: dict[str, Any] = {}

    def told(what: str, client: Any, address: str, **values: str) -> None:
        response = client.post(f"/statements/{address}{WHERE}", values)
        found[f"{len(found):02} {what}"] = [response.status_code, runs()]

    told("redo", kim, "result/redo/")
    told("undo", kim, "result/undo/")
    told("undo", kim, "result/undo/")
    told("undo own span", lea, "by-department/undo/")
    told("redo own span", lea, "by-department/redo/")
    told("undo after naming", kim, "our-departments/undo/")
    told("redo after naming", kim, "our-departments/redo/")
    told("named", lea, "new-statement/name/", title="Named later")
    told("restored", kim, "result/versions/restore/", version="1")
    told("restored undone", kim, "result/undo/")
    found["brought back"] = [brought_back(), runs(), read(kim, ""), read(lea, "doomed/"), read(kim, "editions/2/")]
    begun = post(kim, "begin/").headers["Location"].split("/")[2]
    told("another begun", kim, f"{begun}/edit/", do="start-pages", value="department")
    told("and deleted", kim, f"delete/statement/{begun}/")
    found["in the end"] = [read(kim, ""), read(kim, "parts/")]
    return found


def brought_back() -> str:
    """Undo the deletion that was made with it."""
    from rulka.ledger.models import Ledger
    from rulka.people.models import Person
    from rulka.statements.library.catalogue import bring_back
    from rulka.statements.models import Edit

    number = Edit.objects.filter(what__endswith="Doomed deleted").values_list("pk", flat=True).get()
    return bring_back(Ledger.objects.get(code="s"), number, person=Person.objects.get(username="kim"))


def watch() -> dict[str, Any]:
    seen = {
        "runs": runs(), "listed": listed(), "histories": histories(), "versions": versions(), "editions": editions(),
        "explained": explained(),
    }  # fmt: skip
    return {**seen, "turned": turned()}


if __name__ == "__main__":
    django.setup()
    if sys.argv[1:] == ["make"]:
        main()
    else:
        print(json.dumps(watch()))
