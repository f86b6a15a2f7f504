"""What a database shows, by commands, pages and tables alone: the same script reads it before and after migrating.

`python -m tests.former.watch` prints it as JSON for the database under RULKA_VAR.
"""

from __future__ import annotations

import io
import json
import re
from typing import Any

import django

PEOPLE = ("kim", "lea", "mia", "vic")
STATEMENTS = ("result", "by-department")
WHERE = "?ledger=s&period=2026-P01&node=A"


def command(name: str, *arguments: str, **options: Any) -> str:
    from django.core.management import CommandError, call_command

    out = io.StringIO()
    try:
        call_command(name, *arguments, stdout=out, **options)
    except CommandError as error:
        return f"refused: {error}"
    return out.getvalue()


def runs(person: str = "") -> dict[str, Any]:
    found = {}
    for name in STATEMENTS:
        text = command("run_statement", name, ledger="s", period="2026-P01", node="", person=person, format="json")
        found[name] = json.loads(text) if text.startswith("{") else text
    return found


def client_of(name: str) -> Any:
    from django.test import Client

    from rulka.people.models import Person

    client = Client(HTTP_HOST="localhost")
    client.force_login(Person.objects.get(username=name))
    return client


def as_framed_before(html: str) -> str:
    """A page without what its frame gained: skip links, help, hints."""
    html = re.sub(r'<nav class="skips".*?</nav>', " Skip to the page ", html, flags=re.S)
    html = re.sub(r'<button[^>]* id="help".*?</button>|<a href="/help/">Guides</a>', " ", html, flags=re.S)
    html = re.sub(r'<aside class="firsthint".*?</aside>|<p class="(purpose|guides)">.*?</p>', " ", html, flags=re.S)
    html = re.sub(r'<dialog id="keys" class="keys" aria-label="Help">.*?</dialog>', " ", html, flags=re.S)
    html = re.sub(
        r'(<span aria-hidden="true">\w+</span>)<span class="sr-only">[^<]*</span>\s*</button>', r"\1 </button>", html
    )
    return html


def words(html: str) -> str:
    """The text of a page, without tags, moments and how long it took, and without the bar, which gains places."""
    html = as_framed_before(html)
    html = re.sub(r"<nav aria-label=\"(?:Sections|Places)\">.*?</nav>", " Ledger Statements ", html, flags=re.S)
    html = re.sub(r"<form class=\"find\".*?</form>", " ", html, flags=re.S)
    html = re.sub(r"<a href=\"/people/[^\"]*\">[^<]*</a>", " ", html)
    text = re.sub(r"<(script|style|svg).*?</\1>|<[^>]*>", " ", html, flags=re.S)
    text = re.sub(r"\d{1,2} \w+ 20\d\d,? \d\d:\d\d|\b\d+ ms\b|\d\d:\d\d", "", text)
    return " ".join(text.split())


def history() -> list[Any]:
    from rulka.statements.models import Change, Edit

    def text(definition: Any, state: Any) -> Any:
        definition.take(state)
        return None if state is None else definition.text

    edits = [
        [
            edit.statement.name if edit.statement else "",
            edit.what,
            edit.state,
            edit.person.username if edit.person else "",
        ]
        for edit in Edit.objects.order_by("pk").select_related("person", "statement")
    ]
    changes = [
        [
            one.definition.kind,
            one.definition.name,
            one.version,
            text(one.definition, one.before),
            text(one.definition, one.after),
        ]
        for one in Change.objects.order_by("pk").select_related("definition")
    ]
    return [edits, changes]


def rights() -> dict[str, Any]:
    """What each person may open, and finds on the list of statements."""
    found: dict[str, Any] = {}
    for name in PEOPLE:
        client = client_of(name)
        codes = {one: client.get(f"/statements/{one}/{WHERE}").status_code for one in STATEMENTS}
        edit = client.post(f"/statements/result/check/{WHERE}", {"do": "line-change", "key": "sales", "path": "sign"})
        listed = client.get(f"/statements/{WHERE}").content.decode()
        found[name] = [codes, edit.status_code, sorted(one for one in STATEMENTS if f"/statements/{one}/" in listed)]
    return found


def editions() -> dict[str, Any]:
    from rulka.statements.models import Edition

    found: dict[str, Any] = {}
    for name in PEOPLE:
        client = client_of(name)
        found[name] = {}
        for edition in Edition.objects.order_by("pk"):
            page = client.get(f"/statements/editions/{edition.pk}/{WHERE}")
            found[name][edition.name] = [
                page.status_code,
                words(page.content.decode()) if page.status_code == 200 else "",
            ]
    return found


def turned() -> dict[str, Any]:
    """Undo, then redo, with what the statement says after each."""
    client = client_of("kim")
    found = {}
    for way in ("undo", "undo", "redo"):
        client.post(f"/statements/result/{way}/{WHERE}")
        found[f"{len(found)} {way}"] = runs()["result"]
    return found


def watch() -> dict[str, Any]:
    seen = {
        "runs": {name or "all": runs(name) for name in ("", "kim", "lea", "vic")},
        "trial balance": {
            name or "all": command("trial_balance", ledger="s", first="2025-P01", last="2026-P13", person=name)
            for name in ("", "lea")
        },
        "history": history(),
        "rights": rights(),
        "editions": editions(),
    }
    return {**seen, "turned": turned()}


if __name__ == "__main__":
    django.setup()
    print(json.dumps(watch(), ensure_ascii=False, indent=1, sort_keys=True))
