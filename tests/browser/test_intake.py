"""What an accountant does with feeds, in a real browser against the demo as bin/demo starts it: server, worker and
ledger service."""

from __future__ import annotations

import os
import re
import signal
import socket
import subprocess
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect, sync_playwright

from tests.browser.conftest import ARGUMENTS

pytestmark = pytest.mark.browser
ROOT = Path(__file__).parent.parent.parent
STRANGE = (
    "Till listing;;;;;\n"
    "Slip;Rung up;Goes to;In;Out;Said\n"
    "S1;31/10/2026;1840;1 020,40;;Ice cream\nS1;31/10/2026;4410;;1 020,40;Ice cream\n"
    "S2;31/10/2026;1840;80,00;;Maps\nS2;31/10/2026;4410;;80,00;Maps\n"
)


def free_port() -> int:
    """A port whose neighbour ten up, where the ledger service goes, is free too."""
    while True:
        with socket.socket() as one, socket.socket() as other:
            one.bind(("127.0.0.1", 0))
            port = one.getsockname()[1]
            try:
                other.bind(("127.0.0.1", port + 10))
            except OSError:
                continue
            return port


def answers(port: int) -> bool:
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) == 0


@pytest.fixture(scope="module")
def demo(tmp_path_factory) -> Iterator[int]:
    port = free_port()
    environment = {**os.environ, "RULKA_VAR": str(tmp_path_factory.mktemp("demo")), "DATABASE_URL": ""}
    process = subprocess.Popen(
        [str(ROOT / "bin" / "demo"), "--no-open", "--port", str(port)],
        env=environment,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        start_new_session=True,
    )
    until = time.monotonic() + 180
    while not (answers(port) and answers(port + 10)):
        assert process.poll() is None and time.monotonic() < until, "the demo did not start"
        time.sleep(0.3)
    yield port
    os.killpg(process.pid, signal.SIGTERM)
    process.wait()


def control(port: int, path: str) -> None:
    urllib.request.urlopen(
        urllib.request.Request(f"http://127.0.0.1:{port + 10}/control/{path}", method="POST", data=b"")
    ).close()


@pytest.fixture
def page(demo) -> Iterator[Page]:
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
        page = chromium.new_context(
            viewport={"width": 1280, "height": 800}, base_url=f"http://127.0.0.1:{demo}"
        ).new_page()
        page.set_default_timeout(20_000)
        expect.set_options(timeout=20_000)
        trouble: list[str] = []
        # a mapping's newer change ends the request of the one before: htmx tells that as an error
        expected = re.compile(r"422|^htmx:(afterRequest|sendAbort)")
        page.on(
            "console",
            lambda message: (
                trouble.append(message.text) if message.type == "error" and not expected.search(message.text) else None
            ),
        )
        page.on("pageerror", lambda error: trouble.append(str(error)))
        page.goto("/sign-in/")
        page.get_by_role("button", name="Accountant").click()
        yield page
        chromium.close()
        assert trouble == []


def test_refresh_from_the_service_shows_what_is_new_before_it_counts(demo, page: Page):
    control(demo, "step")
    page.get_by_role("link", name="Ledger", exact=True).click()
    page.get_by_role("link", name="Feeds").click()
    page.get_by_role("button", name="Pull the news of Ledger service").click()
    expect(page.locator("#load .bigstate", has_text="Waits for a decision")).to_be_visible()
    entries = page.get_by_role("row", name="Entries")
    expect(entries.get_by_role("cell").nth(0)).to_have_text("12")
    expect(entries.get_by_role("cell").nth(1)).to_have_text("1")
    expect(page.locator("#foot")).to_contain_text("revision 2")
    page.get_by_role("button", name="Accept").click()
    expect(page.locator("#load")).to_contain_text("Accepted")
    expect(page.locator("#foot")).to_contain_text("revision 3")
    page.locator("#load").get_by_role("link", name="3").click()
    expect(page.get_by_text("13 entries")).to_be_visible()


def test_strange_file_is_mapped_by_hand_and_loaded(demo, page: Page, tmp_path):
    file = tmp_path / "slips.csv"
    file.write_text(STRANGE, encoding="utf-8")
    page.goto("/ledger/feeds/")
    page.get_by_label("Name").fill("Slips")
    page.get_by_label("Source").select_option("table")
    page.get_by_role("button", name="Set up").click()
    page.get_by_label("A file to look at").set_input_files(file)
    page.get_by_role("button", name="Look at it").click()
    mapping = page.locator("#mapping")
    expect(mapping).to_contain_text("Nothing is mapped to")
    page.get_by_label("Header in row").fill("2")
    page.get_by_label("Header in row").blur()
    expect(page.get_by_role("columnheader", name="Goes to")).to_be_visible()
    page.get_by_label("amounts as").select_option("debit and credit")
    for field, column in (
        ("entry", "Slip"),
        ("date", "Rung up"),
        ("account", "Goes to"),
        ("debit", "In"),
        ("credit", "Out"),
        ("description", "Said"),
    ):
        page.get_by_label(f"Column of {field}", exact=True).select_option(column)
        expect(page.get_by_label(f"Column of {field}", exact=True)).to_have_value(column)
    page.get_by_label("Constant of entity", exact=True).fill("TF")
    page.get_by_label("Constant of entity", exact=True).blur()
    page.get_by_label("Dates are written").select_option("DD/MM/YYYY")
    page.get_by_label("numbers").select_option("1 234,56")
    expect(mapping).to_contain_text("Every row can be read so.")
    page.get_by_role("button", name="Save and load").click()
    expect(page.locator("#load .bigstate", has_text="Waits for a decision")).to_be_visible()
    page.get_by_role("button", name="Accept").click()
    expect(page.locator("#load")).to_contain_text("Accepted")
    page.goto("/ledger/journal/?search=Ice+cream")
    expect(page.get_by_role("row", name="S1").first).to_contain_text("1\u00a0020.40")


def test_refused_load_explains_itself(demo, page: Page, tmp_path):
    file = tmp_path / "shops.csv"
    text = (ROOT / "demo" / "files" / "harbour-shops.csv").read_text(encoding="utf-8")
    file.write_text(text.replace("TF/4410/130;;962,00", "TF/4411/130;;962,00"), encoding="utf-8")
    page.goto("/ledger/feeds/")
    page.get_by_role("link", name="Harbour shop tills").click()
    page.get_by_role("link", name="build it").click()
    page.get_by_label("A file to look at").set_input_files(file)
    page.get_by_role("button", name="Look at it").click()
    expect(page.locator("#mapping")).to_contain_text(
        "Every row can be read so."
    )  # the guess cut the account into its segments
    page.get_by_role("button", name="Save and load").click()
    expect(page.locator("#load")).to_contain_text("Refused, nothing was changed")
    row = page.get_by_role("row", name="Account '4411' does not exist.")
    expect(row).to_contain_text("row 7, column account")
    expect(row).to_contain_text("Did you mean")


def test_running_load_shows_its_progress_and_can_be_cancelled(demo, page: Page):
    control(demo, "fault?kind=slow&times=60")
    page.goto("/ledger/feeds/")
    page.get_by_role("button", name="Pull all of Ledger service").click()
    expect(page.get_by_role("status")).to_contain_text("rows")
    expect(page.get_by_role("progressbar")).to_have_attribute("aria-valuenow", re.compile(r"[1-9]\d?"))
    before = page.locator("#foot").text_content().split("revision ")[1][:2]
    page.get_by_role("button", name="Cancel the load").click()
    expect(page.locator("#load")).to_contain_text("Cancelled, nothing was changed")
    expect(page.locator("#foot")).to_contain_text(f"revision {before}")
