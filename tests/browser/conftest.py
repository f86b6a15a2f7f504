"""Shared by browser tests: Chromium, and a page on a live server that holds the demo."""

from __future__ import annotations

import os

import pytest
from playwright.sync_api import ConsoleMessage, expect, sync_playwright

from tests.conftest import load_demo

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
expect.set_options(timeout=30_000)  # a busy machine is no failure; what never comes still is
ABORTED = ("htmx:sendAbort", "htmx:afterRequest")
"""What htmx says of a request that a page gave up when another was opened; a failed one is told as another word."""

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


@pytest.fixture(scope="module")
def browser():
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
        yield chromium
        chromium.close()


@pytest.fixture
def page(browser, live_server, demo_folder, settings):
    settings.DEMO = True
    load_demo(demo_folder)
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, accept_downloads=True, base_url=live_server.url
    )
    page = context.new_page()
    trouble: list[str] = []

    def told(message: ConsoleMessage) -> None:
        refused = "404" in message.text or "status of 422" in message.text
        if message.type == "error" and not refused and not message.text.startswith(ABORTED):
            trouble.append(message.text)

    page.on("console", told)
    page.on("pageerror", lambda error: trouble.append(str(error)))
    yield page
    context.close()
    assert trouble == []
