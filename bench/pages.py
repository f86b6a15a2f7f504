"""Times every page of the ledger, and edits of a wide statement, at a million lines: `python -m bench.pages`.

The ledger has 5,000 accounts and about 15,000 posting keys; the wide statement 600 lines x 40 columns. Milliseconds of
the server, from the request to its answer, the middle of several; machines are shared and noisy.
"""

from __future__ import annotations

import argparse
import os
import re
import statistics
import tempfile
import time
from pathlib import Path
from typing import Any

from bench.intake import write_ledger

PERIOD = "period=2025-P11"
PAGES = (
    "ledger/", "ledger/find/?q=1234", "ledger/periods/?to=/ledger/", "ledger/accounts/",
    "ledger/accounts/?search=account%2012",
    "ledger/accounts/?account=11200", "ledger/accounts/?unused=1", "ledger/members/", "ledger/scenarios/",
    "ledger/scenarios/?one=actual&other=actual", "ledger/rates/", "ledger/journal/", "ledger/journal/?accounts=12*",
    "ledger/entry/E03/N00000003/", "ledger/trial-balance/", "ledger/wrong/", "ledger/feeds/", "ledger/revisions/",
)  # fmt: skip
WANTED, WANTED_EDIT = 150, 150


def build(folder: Path, lines: int, accounts: int = 5_000) -> None:
    """A ledger `wide` with a reader `bench` and the wide statement, in a database of the folder's own."""
    os.environ |= {"RULKA_VAR": str(folder), "DATABASE_URL": "", "DJANGO_SETTINGS_MODULE": "rulka.web.settings"}
    import django

    django.setup()
    from django.core.management import call_command

    from rulka.ledger.loading.load import load_folder
    from rulka.ledger.models import Ledger
    from rulka.people.models import Access, Person
    from rulka.statements.library.storing import load_definitions

    call_command("migrate", verbosity=0)
    write_ledger(folder / "wide", lines, accounts=accounts)
    load_folder("wide", folder / "wide")
    ledger = Ledger.objects.get(code="wide")
    person = Person.objects.create_user("bench", role=Person.Role.ADMINISTRATOR)
    Access.objects.create(person=person, ledger=ledger)
    first = 2 * accounts
    rows: list[dict[str, Any]] = [
        {"line": f"Line {at}", "accounts": f"{first + 8 * at} to {first + 8 * at + 7}"} for at in range(600)
    ]
    columns = [{"series": "months", "each": "period", "within": "last 40 periods"}]
    bodies = [{"spine": "wide", "covers": "nothing", "lines": rows}, {"span": "wide", "columns": columns}]
    load_definitions(ledger, [*bodies, {"statement": "wide", "spine": "wide", "span": "wide"}])


def client() -> Any:
    """A browser's stand-in, signed in."""
    from django.test import Client

    from rulka.people.models import Person

    one = Client(HTTP_HOST="localhost")
    one.force_login(Person.objects.get(username="bench"))
    return one


def middle(run: Any, times: int = 5) -> float:
    """Milliseconds, the middle of several after a first that nobody counts."""
    run()
    taken = []
    for _ in range(times):
        before = time.perf_counter()
        run()
        taken.append((time.perf_counter() - before) * 1000)
    return statistics.median(taken)


def pages() -> dict[str, tuple[float, int]]:
    """Milliseconds and bytes of each page."""
    browser, found = client(), {}
    for page in PAGES:
        address = f"/{page}{'&' if '?' in page else '?'}{PERIOD}"
        answer = browser.get(address)
        if answer.status_code != 200:
            raise SystemExit(f"{address} answers {answer.status_code}.")
        found[page] = (middle(lambda address=address: browser.get(address)), len(answer.content))  # type: ignore[misc]
    return found


def edits() -> tuple[float, int]:
    """Milliseconds of an edit of the wide statement's accounts, and the bytes that come back."""
    browser, size, turn = client(), 0, 0
    held: dict[str, str] = {}

    def edit() -> None:
        nonlocal size, turn, held
        turn += 1
        # others each time, of those that no other line has: nothing is known of them
        accounts = ", ".join(str(10_056 + bit) for bit in range(8) if turn >> bit & 1)
        asked = {"do": "line-change", "key": "line-7", "path": "accounts", "value": accounts, "share-spine": "all"}
        values = {**asked, **held}
        answer = browser.post(f"/statements/wide/edit/?{PERIOD}", values, headers={"HX-Request": "true"})
        if f"accounts to {accounts}" not in answer.content.decode():
            raise SystemExit("The edit was refused.")
        size, held = len(answer.content), held_in(answer.content.decode())

    edit()
    return middle(edit, 7), size


def held_in(page: str) -> dict[str, str]:
    """What a window of a browser holds after an answer, and says with its next edit."""
    fields = ("stamp", "window", "sent", "blocks")
    return {name: re.search(f'name="{name}" value="([^"]*)"', page)[1] for name in fields}  # type: ignore[index]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--lines", type=int, default=1_000_000)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as name:
        build(Path(name), asked.lines)
        for page, (taken, size) in pages().items():
            print(f"{page}: {taken:.0f} ms, {size // 1000} kB (wanted: {WANTED})")
        taken, size = edits()
        print(f"an edit of 600 lines x 40 columns: {taken:.0f} ms, {size // 1000} kB (wanted: {WANTED_EDIT})")


if __name__ == "__main__":
    main()
