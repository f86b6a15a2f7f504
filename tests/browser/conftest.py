"""Shared by browser tests: Chromium, and a page on a live server that holds the demo."""

from __future__ import annotations

import os

import pytest
from playwright.sync_api import sync_playwright

from tests.conftest import load_demo

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
ARGUMENTS = ["--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
             "--disable-component-update", "--disable-sync"]  # fmt: skip


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
    context = browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True, base_url=live_server.url)
    page = context.new_page()
    trouble: list[str] = []
    page.on("console", lambda message: trouble.append(message.text) if message.type == "error" and "404" not in message.text else None)
    page.on("pageerror", lambda error: trouble.append(str(error)))
    yield page
    context.close()
    assert trouble == []
