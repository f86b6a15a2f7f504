"""Takes the pictures of docs/screenshots from the demo data: `make screenshots`. Needs what bin/test installs."""

from __future__ import annotations

import csv
import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).parent.parent
OUT = ROOT / "docs" / "screenshots"
ARGUMENTS = [
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
WHERE = "period=2027-P07&node=TF"
FUEL = f"/statements/income-statement/?{WHERE}&panel=trace&row=fuel&column=actual"
VIEWS = {
    "statement": ("accountant", f"/statements/income-statement/?{WHERE}&panel=line&row=fuel"),
    "trace-lines": (
        "accountant",
        f"/statements/income-statement/trace/?{WHERE}&panel=trace&row=fuel&column=ytd-actual&in=crossing%3DN&by=line",
    ),
    "variance": (
        "accountant",
        f"/statements/income-statement/trace/?{WHERE}&panel=trace&row=fuel&column=ytd-difference&by=drivers",
    ),
    "group": ("accountant", f"/statements/income-by-entity/?{WHERE}&panel=footing"),
    "picker": (
        "accountant",
        f"/statements/balance-sheet/?{WHERE}&panel=accounts&row=receivables&lines=receivables&search=receivables",
    ),
    "ledger": ("accountant", "/ledger/?period=2027-P07"),
    "worksheet": ("controller", f"/worksheets/income-of-departments/?{WHERE}&panel=blocks&cell=C6"),
    "extract": ("accountant", "/extracts/supplier-spend/?period=2027-P07&node=TF"),
    "month": ("accountant", f"/month/?{WHERE}"),
    "overview": ("director", f"/overviews/group/?{WHERE}&of=group&window=date"),
    "folio": ("accountant", "/folios/board-pack/?ledger=ternwick&section=fuel"),
    "filing": ("accountant", "/filings/annual-return/?ledger=ternwick&part=annual-income&line=fuel"),
    "person": ("administrator", "/people/person/ships-lead/"),
}


def main() -> None:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    with tempfile.TemporaryDirectory() as var:
        server = subprocess.Popen(
            [str(ROOT / "bin" / "demo"), "--no-open", "--port", str(port)],
            env={**os.environ, "RULKA_VAR": var, "DATABASE_URL": ""},
            stdout=subprocess.DEVNULL,
            start_new_session=True,
        )
        try:
            take(f"http://127.0.0.1:{port}")
        finally:
            os.killpg(server.pid, signal.SIGTERM)
            server.wait()


def take(address: str) -> None:
    wait_for(address)
    wait_for(f"{address.rsplit(':', 1)[0]}:{int(address.rsplit(':', 1)[1]) + 10}")
    OUT.mkdir(exist_ok=True)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=address)
        now = ""
        for name, (person, path) in VIEWS.items():
            if person != now:
                sign_in(page, person)
                now = person
                if name == next(iter(VIEWS)):
                    explain(page)
            shoot(page, name, path)
        workbench(page)
        rebuilt(page)
        feeds(page, int(address.rsplit(":", 1)[1]) + 10)
        dispatched(page)
        browser.close()


HINTS = ["statement", "worksheet", "extract", "overview", "folio", "ledger-journal", "month"]
SEEN = """async (names) => {
  const token = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
  for (const name of names)
    await fetch(`/help/seen/${name}/`, { method: "POST", headers: { "X-CSRFToken": token } });
}"""
"""What newcomers are told once is taken as read."""


def sign_in(page: Page, person: str) -> None:
    page.context.clear_cookies()
    page.goto("/sign-in/")
    page.click(f"form[action='/sign-in/{person}/'] button")
    page.wait_for_load_state()
    page.evaluate(SEEN, HINTS)


SAID = {
    "fuel": "Diesel price up 16 % from June (two suppliers, all crossings). Volume is flat: 4 973 sailings for 4 985. "
    "No hedge in place before January.",
    "shop-and-galley": "Fares sold at the shop till while the ticket system was out in May.",
    "upkeep-and-dry-dock": "The dry-dock of Eider was planned for March.",
}


def explain(page: Page) -> None:
    """Some variances of October are explained, one is sent back."""
    address = f"/statements/income-statement/?{WHERE}&panel=explain&column=ytd-difference&row="
    for row, text in SAID.items():
        page.goto(address + row)
        page.get_by_label("What it is about").fill(text)
        page.get_by_role("button", name="Explain", exact=True).click()
        page.locator("section.item.explained").wait_for()
    sign_in(page, "controller")
    page.goto(address + "upkeep-and-dry-dock")
    page.get_by_label("What is missing").fill("Which yard, and why not in March?")
    page.get_by_role("button", name="Send back").click()
    page.locator("section.item.sent-back").wait_for()
    page.goto(address + "shop-and-galley")
    page.get_by_role("button", name="Accept").click()
    page.locator("section.item.accepted").wait_for()
    sign_in(page, "accountant")


def dispatched(page: Page) -> None:
    """A dispatch that was rehearsed and sent before."""
    sign_in(page, "accountant")
    page.goto(f"/dispatch/department-packs/?{WHERE}")
    page.get_by_role("button", name="Send", exact=True).click()
    page.locator("#foot", has_text="All arrived").wait_for()
    page.goto(f"/dispatch/department-packs/?{WHERE}")
    page.get_by_role("button", name="Rehearse", exact=True).click()
    page.locator(".deliveries").wait_for()
    page.screenshot(path=OUT / "dispatch.png")
    print("dispatch")


def workbench(page: Page) -> None:
    """A statement that was just begun, and an edition from before the last load that is asked what moved."""
    page.goto(f"/statements/?{WHERE}")
    page.get_by_role("button", name="New statement").click()
    page.get_by_label("Each department, the last twelve periods").check()
    page.locator("#panel .done").wait_for()
    page.screenshot(path=OUT / "start.png")
    print("start")
    page.get_by_role("button", name="More", exact=True).click()
    page.get_by_role("button", name="Delete the statement").click()
    shoot(page, "paper", f"/statements/income-statement/?{WHERE}&panel=page&paper=yes")
    sign_in(page, "controller")
    page.goto("/statements/income-statement/?period=2027-P08&node=TF&panel=editions&paper=no")
    page.get_by_label("Keep this run under the name").fill("November, first look")
    page.get_by_label("Keep it without, because").fill("A first look, before the month is complete.")
    page.get_by_role("button", name="Keep", exact=True).click()
    page.locator("#panel .done").wait_for()


def rebuilt(page: Page) -> None:
    """A finished table with a figure mistyped, and what it is made of."""
    sign_in(page, "accountant")
    text = page.request.get(f"/statements/income-statement/export/csv/?{WHERE}").text()
    rows = [row[:7] for row in csv.reader(text.lstrip("\ufeff").splitlines()) if len(row) > 6]
    for row in rows:
        del row[4:5]
        if row[0] == "Fuel":
            row[1] = row[1].replace("376", "367")
    page.goto(f"/rebuilds/?{WHERE}")
    page.locator("#table-text").fill("\n".join("\t".join(row) for row in rows))
    page.get_by_label("Title").fill("October as it was printed")
    page.locator("#give-table").click()
    page.locator("#given").wait_for(timeout=60_000)
    page.screenshot(path=OUT / "rebuild.png")
    print("rebuild")


def feeds(page: Page, service: int) -> None:
    """A day passes at the ledger service; its news wait for a decision."""
    sign_in(page, "accountant")
    urllib.request.urlopen(
        urllib.request.Request(f"http://127.0.0.1:{service}/control/step", method="POST", data=b"")
    ).close()
    page.goto("/ledger/feeds/")
    page.get_by_role("button", name="Pull the news of Ledger service").click()
    page.locator("#load .state.held").wait_for()
    page.get_by_role("button", name="Accept", exact=True).click()
    page.locator("#load .state.accepted").wait_for()
    page.goto("/statements/income-statement/?period=2027-P08&node=TF&panel=editions")
    page.get_by_role("link", name="November, first look").click()
    page.get_by_role("link", name="What moved since?").click()
    shoot(page, "edition", page.url)
    shoot(page, "feeds", "/ledger/feeds/")


def shoot(page: Page, name: str, path: str) -> None:
    page.goto(path)
    page.evaluate("document.fonts.ready")
    if "/worksheets/" in path:
        page.locator("revo-grid[data-ready] .rgCell.number").first.wait_for()
    page.screenshot(path=OUT / f"{name}.png")
    print(name)


def wait_for(address: str) -> None:
    port = int(address.rsplit(":", 1)[1])
    until = time.monotonic() + 120
    while time.monotonic() < until:
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                return
        time.sleep(0.5)
    sys.exit("The demo did not start within two minutes.")


if __name__ == "__main__":
    main()
