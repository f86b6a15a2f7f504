"""Times a large worksheet in a browser: opening, far jumps, typed cells. `python -m bench.grid` starts its own demo.

10,000 rows x 20 columns, every tenth a formula. Prints milliseconds beside the aims; machines are shared and noisy.
"""

from __future__ import annotations

import os
import signal
import socket
import statistics
import subprocess
import tempfile
import time
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from docs.screenshots import ARGUMENTS, ROOT, wait_for
from rulka.core.sheet.addresses import letters

ROWS, COLUMNS = 10_000, 20
SHOWN = """([row, column, text]) => new Promise((done) => {
  const begun = performance.now();
  const look = () => {
    const place = `.rgRow[data-rgrow="${row}"] .rgCell[data-rgcol="${column}"]`;
    const cell = document.querySelector(`revogr-data[type="rgRow"][col-type="rgCol"] ${place}`);
    if (cell && cell.textContent.includes(text)) done(performance.now() - begun); else requestAnimationFrame(look);
  };
  look();
})"""


def written() -> str:
    """The worksheet as text."""
    lines = ["worksheet: large", "title: Large", "sheets:", "- sheet: Large", "  cells:"]
    for row in range(1, ROWS + 1):
        for column in range(COLUMNS):
            name = letters(column)
            formula = f"'=A{row}+{column}'" if column and row % 10 == 0 else str(row * 100 + column)
            lines.append(f"    {name}{row}: {formula}")
    return "\n".join(lines) + "\n"


def main() -> None:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    with tempfile.TemporaryDirectory() as var:
        environment = {**os.environ, "RULKA_VAR": var, "DATABASE_URL": "", "RULKA_DEMO": "1"}
        command = [str(ROOT / "bin" / "demo"), "--no-open", "--port", str(port)]
        server = subprocess.Popen(command, env=environment, stdout=subprocess.DEVNULL, start_new_session=True)
        try:
            wait_for(f"http://127.0.0.1:{port}")
            path = Path(var) / "large.yaml"
            path.write_text(written())
            load = [".venv/bin/python", "manage.py", "load_worksheet", "--ledger", "ternwick", str(path)]
            subprocess.run(load, env=environment, cwd=ROOT, check=True)
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
                page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=f"http://127.0.0.1:{port}")
                page.goto("/sign-in/")
                page.click("form[action='/sign-in/accountant/'] button")
                times(page)
                browser.close()
        finally:
            os.killpg(server.pid, signal.SIGTERM)
            server.wait()


def times(page: Page) -> None:
    for which in ("cold", "warm"):
        before = time.perf_counter()
        page.goto("/worksheets/large/?panel=sheet")
        page.evaluate(SHOWN, [0, 0, "100"])
        print(f"opening to first paint, {which:5} {(time.perf_counter() - before) * 1000:8.0f} ms   aim 2000")
    page.locator("revo-grid[data-ready]").wait_for()
    jumps = []
    for row in (9_000, 40, 5_000, 7_500, 2_500, 9_900):
        page.evaluate("row => document.querySelector('revo-grid').scrollToRow(row)", row)
        jumps.append(page.evaluate(SHOWN, [row + 2, 0, str((row + 3) * 100)]))
    told = [round(jump) for jump in jumps]
    print(f"a far row shown, median       {statistics.median(jumps):8.0f} ms   aim 100   {told}")
    page.evaluate("row => document.querySelector('revo-grid').scrollToRow(row)", 0)
    page.evaluate(SHOWN, [1, 0, "200"])
    typed = []
    for number in range(6):
        page.locator('[type="rgRow"][col-type="rgCol"] .rgRow[data-rgrow="9"] .rgCell[data-rgcol="0"]').click()
        page.keyboard.type(str(7_000 + number))
        page.keyboard.press("Enter")
        typed.append(page.evaluate(SHOWN, [9, 3, str(7_003 + number)]))
    print(
        f"what follows a typed cell     {statistics.median(typed):8.0f} ms   aim 100   {[round(one) for one in typed]}"
    )


if __name__ == "__main__":
    main()
