"""Times a page of an overview beside a general-purpose engine, in one run: `python -m bench.overview --lines N`.

The demo's ledger with N journal lines whose departments are cut into forty, in a database file of its own. An overview
of twelve tiles (key figures, bridges, contributors and small charts of the forty departments) is fetched from the
server: the first time after the ledger was opened, switched to another window for the first time, and switched back.
Beside it duckdb adds up the same lines by department, account and period, from a table in memory. These machines are
shared and noisy, so only the ratios mean something.
"""

from __future__ import annotations

import argparse
import csv
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median

WHERE = "?ledger=ternwick&period=2027-P07&node=TF"
DEPARTMENTS = 40
OVERVIEW = """
overview: large
of: income-statement
choose: [Operating result, Total income]
pages:
- tiles:
  - {tile: strip, lines: [Total income, Wages and social costs, Fuel, Total running costs, Operating result, Interest]}
  - {tile: bridge, wide: "8"}
  - {tile: ranked, by: department, wide: "4", most: "20"}
  - {tile: bridge, from: prior, by: department, wide: "12"}
  - {tile: multiples, by: department, wide: "12", most: "16"}
  - {tile: trend}
  - {tile: ranked, line: Total running costs, by: department, most: "20"}
  - {tile: bridge, line: Total running costs, by: department, wide: "6"}
  - {tile: multiples, line: Total running costs, by: crossing}
  - {tile: trend, line: Total income}
  - {tile: part, of: income-statement}
  - {tile: words, text: "It is {Operating result}, {Operating result, gap} from budget."}
"""


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--lines", type=int, default=1_000_000)
    parser.add_argument("--var", type=Path, help="keep the ledger here, and use it where it is already")
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        var = asked.var or Path(scratch)
        var.mkdir(parents=True, exist_ok=True)
        os.environ |= {"RULKA_VAR": str(var), "DJANGO_SETTINGS_MODULE": "rulka.web.settings", "DATABASE_URL": ""}
        if not (var / "rulka.sqlite3").exists():
            load(var, asked.lines)
        pages(var)


def load(var: Path, lines: int) -> None:
    """The demo's ledger with its departments cut up, and the overview."""
    manage = [sys.executable, "manage.py"]
    subprocess.run([sys.executable, "-m", "demo.generate", str(var / "demo"), "--lines", str(lines)], check=True)
    folder = var / "demo" / "ledger"
    for name in ("entries.csv", "budgets.csv"):
        cut_up(folder / name)
    with (folder / "members.csv").open("a", newline="") as file:
        write = csv.writer(file)
        for code in sorted(CUT):
            write.writerow(("department", code, f"Department {code}", code.partition("-")[0]))
    (var / "large.yaml").write_text(OVERVIEW)
    for command in (
        ["migrate", "--verbosity", "0"],
        ["load_ledger", "--ledger", "ternwick", str(folder)],
        ["load_statement", "--ledger", "ternwick", *map(str, sorted(Path("demo/definitions").glob("*.yaml")))],
        ["load_overview", "--ledger", "ternwick", str(var / "large.yaml")],
        ["load_demo_people", "--ledger", "ternwick"],
    ):
        subprocess.run([*manage, *command], check=True, stdout=subprocess.DEVNULL)


CUT: set[str] = set()


def cut_up(path: Path) -> None:
    """Give each row's department one of a few parts below it, in turn, so that there are about forty."""
    other = path.with_suffix(".cut")
    with path.open(newline="") as source, other.open("w", newline="") as target:
        rows = csv.reader(source)
        head = next(rows)
        at = head.index("department")
        write = csv.writer(target)
        write.writerow(head)
        for number, row in enumerate(rows):
            if row[at] not in ("", "-"):
                row[at] = f"{row[at]}-{number % (DEPARTMENTS // 11 + 1) + 1}"
                CUT.add(row[at])
            write.writerow(row)
    other.replace(path)


def pages(var: Path) -> None:
    """Fetch the page as the browser does, and add the same lines up elsewhere."""
    import django

    django.setup()
    from django.test import Client

    from rulka.people.models import Person

    client = Client(HTTP_HOST="localhost")
    client.force_login(Person.objects.get(username="accountant"))
    client.get(f"/ledger/{WHERE}")

    def fetch(more: str) -> Callable[[], None]:
        def one() -> None:
            response = client.get(f"/overviews/large/{WHERE}{more}")
            text = response.content.decode()
            if response.status_code != 200 or "can't be shown" in text:
                raise SystemExit("The overview was refused.")

        return one

    told = {
        "a page of twelve tiles, the first time": timed(fetch("&window=date"), 1),
        "switched to the month, the first time": timed(fetch("&window=month"), 1),
        "switched back": timed(fetch("&window=date"), 7),
        "another line": timed(fetch("&window=date&line=income-statement: Total income"), 1),
    }
    engine = by_duckdb(var)
    for says, taken in told.items():
        print(f"{says}: {taken:.0f} ms, {taken / engine:.2f} of what duckdb takes to add up the lines")


def timed(call: Callable[[], None], times: int) -> float:
    """Milliseconds, the middle of several."""
    found = []
    for _ in range(times):
        before = time.perf_counter()
        call()
        found.append((time.perf_counter() - before) * 1000)
    return median(found)


def by_duckdb(var: Path) -> float:
    """Milliseconds for the sums of all lines by department, account and period, the middle of five."""
    import duckdb

    base = duckdb.connect()
    base.execute(f"""CREATE TABLE lines AS SELECT * FROM read_csv('{var / "demo" / "ledger" / "entries.csv"}')""")

    def add() -> None:
        base.execute(
            "SELECT department, account, date_trunc('month', date), SUM(coalesce(debit, 0) - coalesce(credit, 0)) "
            "FROM lines GROUP BY ALL"
        ).fetchall()

    return timed(add, 5)


if __name__ == "__main__":
    main()
