"""Everything that people wait for, in one table: `python -m bench.table`, or some of it: `python -m bench.table pages`.

Each part runs in a process of its own. Machines are shared and noisy: ratios measured in one run mean more than times.
"""

from __future__ import annotations

import argparse
import json
import os
import shutil
import signal
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parent.parent
PORT = 8_460


@dataclass(frozen=True)
class Row:
    """One thing that was measured: what was aimed at, what was reached, and whether that is as good."""

    what: str
    aim: str
    reached: str
    is_met: bool


def at_most(what: str, limit: float, reached: float, unit: str = "ms") -> Row:
    """A row of what should not take longer."""
    return Row(what, f"at most {limit:g} {unit}", f"{reached:.{0 if reached >= 20 else 1}f} {unit}", reached <= limit)


# loading ------------------------------------------------------------------------------------------------------------


def loading(folder: Path) -> list[Row]:
    """A first load beside the ORM's bulk save, one five times as large, and a refresh."""
    from bench.intake import django_on, load_alone, migrate, orm_speed, write_ledger

    empty = folder / "empty"
    migrate(empty)
    write_ledger(folder / "first", 1_000_000)
    found = []
    for at in range(2):
        shutil.copytree(empty, folder / f"one{at}")
        found.append(load_alone(folder / f"one{at}", folder / "first"))
    seconds = min(taken for _, taken, _ in found)
    django_on(folder / "one0")
    bulk = orm_speed()
    speed = 1_000_000 / seconds
    beside = "The same beside bulk_create with the same indices"
    rows = [
        Row("First load of 1 million lines", "100,000 lines/s", f"{speed:,.0f} lines/s", speed >= 100_000),
        Row(beside, "6 times", f"{speed / bulk:.1f} times", speed >= 6 * bulk),
    ]
    from rulka.ledger.models import JournalEntry

    write_ledger(folder / "news", 11_200, first=JournalEntry.objects.count(), changed=200)
    _, taken, _ = load_alone(folder / "one0", folder / "news")
    news, part = "10,000 new lines and 200 changed entries", f"1/{seconds / taken:.0f}"
    rows.append(Row(news, "1/15 of a first load", part, taken * 15 <= seconds))
    write_ledger(folder / "many", 5_000_000)
    shutil.copytree(empty, folder / "large")
    lines, more, memory = load_alone(folder / "large", folder / "many")
    times = more / lines * speed
    rows.append(Row("5 million lines, each", "1.3 times as long as of 1 million", f"{times:.2f} times", times <= 1.3))
    rows.append(Row("5 million lines, memory", "1,500 MB", f"{memory:,.0f} MB", memory <= 1_500))
    return rows


# pages and edits ----------------------------------------------------------------------------------------------------


def pages(folder: Path) -> list[Row]:
    """Every page of the ledger, and an edit of a wide statement, at a million lines and 5,000 accounts."""
    from bench import pages as wide

    wide.build(folder, 1_000_000)
    found = wide.pages()
    slowest = max(found, key=lambda page: found[page][0])
    accounts = found["ledger/accounts/"][0]
    edit, size = wide.edits()
    return [
        at_most("Accounts, 5,000 of them, 1 million lines", wide.WANTED, accounts),
        at_most(f"The slowest of {len(found)} pages of the ledger ({slowest})", wide.WANTED, found[slowest][0]),
        at_most(f"Edit of 600 lines x 40 columns, 1 million lines ({size // 1000} kB)", wide.WANTED_EDIT, edit),
    ]


def statement(folder: Path) -> list[Row]:
    """The statement engine beside a columnar one, and footing of a node."""
    told = subprocess.run(
        [sys.executable, "-m", "bench.statement"], check=True, capture_output=True, text=True, cwd=ROOT
    ).stdout
    ratio = float(told.split("ratio 1/")[1].split()[0])
    footed = float(told.split("footing it: ")[1].split(" ms")[0])
    return [
        Row("All 33,600 cells of 40 nodes beside the faster duckdb form", "1/15", f"1/{ratio:.0f}", ratio >= 15),
        at_most("Footing of one node", 10, footed),
    ]


def demo(folder: Path) -> list[Row]:
    """Edits of the demo's income statement, and paper of many nodes."""
    os.environ |= {"RULKA_VAR": str(folder), "DATABASE_URL": "", "DJANGO_SETTINGS_MODULE": "rulka.web.settings"}
    import django

    django.setup()
    from bench import workbench

    workbench.load(folder, 60_000)
    taken, _ = workbench.edits("income-statement", "fuel", "6110 to 6199", "6110 to 6198")
    several, alone, count = _paper()
    return [
        at_most("Edit of the demo's income statement, on the server", 50, statistics.median(taken)),
        Row(
            f"Paper of {count} nodes beside one process",
            "0.55 of its time",
            f"{several / alone:.2f}",
            several <= 0.55 * alone,
        ),
    ]


def _paper(count: int = 60) -> tuple[float, float, int]:
    """Seconds for paper of many nodes, drawn by several processes and by one."""
    from django.utils import timezone

    from rulka.core.books.fence import NO_FENCE
    from rulka.formats.output import html
    from rulka.formats.output.page import HtmlPage
    from rulka.ledger.models import Ledger
    from rulka.statements.library.assemble import definitions_of
    from rulka.statements.running.runs import run_pages

    definitions = definitions_of(Ledger.objects.get(code="ternwick"), "department-results")
    outcomes = run_pages(definitions, "2027-P07", "TF", NO_FENCE, pages="all")
    given = [HtmlPage(one.computed, one.checks) for one in outcomes] * count
    taken = []
    for many in (html.MANY, sys.maxsize):
        html.MANY = many
        before = time.perf_counter()
        html.as_pdf_pages(given[:count], ledger="Ternwick", at=timezone.localtime())
        taken.append(time.perf_counter() - before)
    return taken[0], taken[1], count


# starting, and what the browser sees --------------------------------------------------------------------------------


def start(folder: Path) -> list[Row]:
    """`bin/demo` until its first page, the first time and later; keys in Chromium until their result is painted."""
    first, later = _started(folder), _started(folder, _keys)
    return [
        at_most("bin/demo to its first page, packages installed", 10, first[0], "s"),
        at_most("the same later", 2, later[0], "s"),
        at_most("An edit of the demo, from key to paint in Chromium", 100, later[1]),
    ]


def _started(folder: Path, do: Callable[[str], float] | None = None) -> tuple[float, float]:
    """Seconds until the first page answers, and what was measured with it."""
    import httpx

    address = f"http://127.0.0.1:{PORT}/"
    before = time.perf_counter()
    process = subprocess.Popen(
        ["bin/demo", "--no-open", "--port", str(PORT)],
        cwd=ROOT, env={**os.environ, "RULKA_VAR": str(folder / "var")}, stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL, start_new_session=True,
    )  # fmt: skip
    try:
        while True:
            try:
                if httpx.get(f"{address}sign-in/", timeout=5).status_code == 200:
                    break
            except httpx.TransportError:
                time.sleep(0.05)
            if process.poll() is not None or time.perf_counter() - before > 180:
                raise SystemExit("The demo did not start.")
        taken = time.perf_counter() - before
        while not (folder / "var" / "demo-loaded").exists():
            time.sleep(0.2)
        time.sleep(5)
        return taken, do(address) if do else 0.0
    finally:
        os.killpg(process.pid, signal.SIGTERM)
        process.wait()
        time.sleep(1)


MARKS = """
addEventListener("keydown", (event) => { if (event.key === "Enter") performance.mark("key"); }, true);
addEventListener("htmx:afterSettle", () => requestAnimationFrame(() => setTimeout(() => {
  if (performance.getEntriesByName("key").length) performance.measure("key to paint", "key");
})));
"""


def _keys(address: str) -> float:
    """Milliseconds from Enter in a line's accounts to the frame that shows the figures, the middle of several."""
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        arguments = ["--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"]
        arguments += ["--disable-background-networking", "--disable-component-update", "--disable-sync"]
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=arguments)
        page = chromium.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script(MARKS)
        page.goto(f"{address}sign-in/")
        page.get_by_role("button", name="Accountant").first.click()
        page.wait_for_url(lambda url: "sign-in" not in url)
        page.goto(f"{address}statements/balance-sheet/?period=2027-P07&node=TF&panel=line&row=prepaid-costs")
        taken = []
        for turn in range(8):
            field = page.locator("#set-accounts")
            wanted = "1610 to 1698" if turn % 2 == 0 else "1610 to 1699"
            field.fill(wanted)
            page.evaluate("performance.clearMarks(); performance.clearMeasures()")
            field.press("Enter")
            for _ in range(500):
                found = page.evaluate("performance.getEntriesByName('key to paint').map((one) => one.duration)")
                if found:
                    break
                page.wait_for_timeout(20)
            else:
                raise SystemExit("The edit was never painted.")
            taken.append(found[0])
            page.wait_for_timeout(300)
        chromium.close()
        return statistics.median(taken[1:])


PARTS: dict[str, Callable[[Path], list[Row]]] = {
    "loading": loading, "pages": pages, "statement": statement, "demo": demo, "start": start,
}  # fmt: skip


def measured(part: str) -> list[Row]:
    """A part's rows, measured in a process of its own."""
    done = subprocess.run(
        [sys.executable, "-m", "bench.table", "--alone", part], cwd=ROOT, capture_output=True, text=True
    )
    if done.returncode:
        raise SystemExit(f"{part} could not be measured: {done.stderr[-2_000:]}")
    return [Row(**row) for row in json.loads(done.stdout.splitlines()[-1])]


def written(rows: list[Row]) -> str:
    """The table as text that documents can hold too."""
    lines = ["| what | aim | reached | |", "|---|---|---|---|"]
    return "\n".join(
        lines + [f"| {row.what} | {row.aim} | {row.reached} | {'' if row.is_met else 'missed'} |" for row in rows]
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("parts", nargs="*", help=f"which parts, of {', '.join(PARTS)}; without any, all")
    parser.add_argument("--alone", choices=list(PARTS), help=argparse.SUPPRESS)
    asked = parser.parse_args()
    if asked.alone:
        with tempfile.TemporaryDirectory(prefix="rulka-bench-") as name:
            rows: list[Any] = [asdict(row) for row in PARTS[asked.alone](Path(name))]
        print(json.dumps(rows))
        return
    before, rows = time.perf_counter(), []
    for part in asked.parts or PARTS:
        rows += measured(part)
        print(f"{part} measured after {time.perf_counter() - before:.0f} s", file=sys.stderr, flush=True)
    print(written(rows))


if __name__ == "__main__":
    main()
