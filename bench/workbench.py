"""Times an edit from the request to the page that shows its result: `python -m bench.workbench --lines N`.

Loads the demo with about N journal lines into a database of its own, then changes the accounts of a line of the income
statement, and of a statement of 600 lines x 40 columns, as the page does. Prints milliseconds of the server; machines
are shared and noisy.
"""

from __future__ import annotations

import argparse
import os
import tempfile
import time
from pathlib import Path
from typing import Any

WHERE = "?period=2027-P07&node=TF"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--lines", type=int, default=60_000, help="journal lines, about")
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        os.environ |= {"RULKA_VAR": folder, "DATABASE_URL": "", "DJANGO_SETTINGS_MODULE": "rulka.web.settings"}
        import django

        django.setup()
        load(Path(folder), options.lines)
        for name, key, first, other in (
            ("income-statement", "fuel", "6110 to 6199", "6110 to 6198"),
            ("large", "line-7", "6110", "6120"),
        ):
            times, size = edits(name, key, first, other)
            print(
                f"{name}: an edit takes {min(times):.0f} ms at best, {sorted(times)[len(times) // 2]:.0f} ms in the "
                f"middle; {size // 1000} kB"
            )


def load(folder: Path, lines: int) -> None:
    from django.core.management import call_command

    from demo.generate import generate
    from rulka.ledger.models import Ledger
    from rulka.statements.library.storing import load_definitions

    call_command("migrate", verbosity=0)
    generate(folder / "demo", lines=lines)
    began = time.perf_counter()
    with (folder / "out").open("w") as out:
        for part in ("ledger", "news"):
            call_command("load_ledger", str(folder / "demo" / part), ledger="ternwick", stdout=out)
        call_command(
            "load_statement", *map(str, sorted(Path("demo/definitions").glob("*.yaml"))), ledger="ternwick", stdout=out
        )
        call_command("load_demo_people", ledger="ternwick", stdout=out)
    rows: list[dict[str, Any]] = [{"line": f"Line {at}", "accounts": "6110" if at % 2 else "6120"} for at in range(600)]
    columns = [{"series": "months", "each": "period", "within": "last 40 periods"}]
    bodies = [{"spine": "large", "covers": "nothing", "lines": rows}, {"span": "large", "columns": columns}]
    load_definitions(
        Ledger.objects.get(code="ternwick"), [*bodies, {"statement": "large", "spine": "large", "span": "large"}]
    )
    print(f"loaded in {time.perf_counter() - began:.0f} s")


def edits(name: str, key: str, first: str, other: str) -> tuple[list[float], int]:
    """Milliseconds of nine edits after a first one, and the bytes that come back."""
    from django.test import Client

    from bench.pages import held_in
    from rulka.people.models import Person

    client = Client(HTTP_HOST="localhost")
    client.force_login(Person.objects.get(username="accountant"))
    times, size, held = [], 0, dict[str, str]()
    for at in range(10):
        values = {
            "do": "line-change",
            "key": key,
            "path": "accounts",
            "value": other if at % 2 == 0 else first,
            "share-spine": "all",
            **held,
        }
        before = time.perf_counter()
        response = client.post(f"/statements/{name}/edit/{WHERE}", values, headers={"HX-Request": "true"})
        times.append((time.perf_counter() - before) * 1000)
        if f"accounts to {values['value']}" not in response.content.decode():
            raise SystemExit(f"The edit of {name} was refused.")
        size, held = len(response.content), held_in(response.content.decode())
    return times[1:], size


if __name__ == "__main__":
    main()
