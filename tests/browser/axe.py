"""Judges a page as a screen reader and other aids meet it. Source: axe-core, in `vendor/`, by its rules of WCAG
2.2 A and AA and of good practice."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Page

SOURCE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text(encoding="utf-8")
JUDGE = """async (within) => {
  const found = await axe.run(within, { resultTypes: ["violations"] });
  return found.violations
    .filter((one) => one.impact !== "minor")
    .map((one) => ({ ...one, first: one.nodes[0] }))
    .map((one) => `${one.impact} ${one.id} (${one.nodes.length}): ${one.first.target} ${one.first.html.slice(0, 200)}`);
}"""


def problems_of(page: Page, within: str = "html") -> list[str]:
    """What is moderate, serious or critical on the page as it stands or in a part of it, each with its first place."""
    if not page.evaluate("typeof axe === 'object'"):
        page.evaluate(SOURCE)
    found: list[str] = page.evaluate(JUDGE, within)
    return found
