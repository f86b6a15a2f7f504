"""A newcomer builds a departmental income statement from the bare demo ledger: by keyboard alone, by what the screen
says."""

from __future__ import annotations

import io
import json
from decimal import Decimal
from pathlib import Path

import pytest
from django.core.management import call_command
from playwright.sync_api import Page, expect

from tests.oracle import Oracle

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]
CASE = Path(__file__).parent.parent / "cases" / "workbench" / "departments-rolling.yaml"
A_KEY, A_LOOK = 0.35, 4.0
"""Seconds that a person takes for a key, and for looking what to do next."""


class Newcomer:
    """Presses keys one at a time and finds the way by the labels on the screen; counts what it takes."""

    def __init__(self, page: Page) -> None:
        self.page, self.keys, self.steps = page, 0, []

    def press(self, key: str, times: int = 1) -> None:
        for _ in range(times):
            self.page.keyboard.press(key)
            self.keys += 1

    def type(self, text: str) -> None:
        self.page.keyboard.type(text)
        self.keys += len(text)

    def look(self, what: str) -> None:
        """A step begins: what the person wants now."""
        self.steps.append(what)

    def reach(self, role: str, name: str, *, key: str = "Tab", most: int = 60) -> None:
        """Go on with one key until the focus is on what has this role and label."""
        target = self.page.get_by_role(role, name=name, exact=True).first
        expect(target).to_be_visible()
        for _ in range(most):
            if target.evaluate("spot => spot === document.activeElement"):
                return
            self.press(key)
        raise AssertionError(f"{name} can't be reached by {key}")

    def settled(self, told: str) -> None:
        expect(self.page.locator("#panel .done")).to_have_text(told)

    @property
    def seconds(self) -> float:
        return self.keys * A_KEY + len(self.steps) * A_LOOK


def run(name: str) -> dict:
    out = io.StringIO()
    call_command("run_statement", name, ledger="ternwick", period="2027-P07", node="TF", stdout=out)
    return json.loads(out.getvalue())


def figures(result: dict) -> dict[str, list[str | None]]:
    return {line["label"]: line["values"] for line in result["lines"] if line["values"] and not line.get("hidden")}


def _begun(page: Page, me):
    """Signed in and begun, with what is proposed."""
    me.look("sign in")
    page.goto("/sign-in/")
    me.reach("button", "Accountant builds statements")
    me.press("Enter")
    expect(page.get_by_text("No statement yet.")).to_be_visible()
    me.reach("link", "Begin one")
    me.press("Enter")
    expect(page.get_by_text("This ledger has no statement yet.")).to_be_visible()

    me.look("begin a statement; an income statement by nature is proposed")
    me.reach("button", "New statement")
    me.press("Enter")
    expect(page.get_by_role("radio", name="Income statement by nature")).to_be_focused()
    expect(page.locator("#foot")).to_contain_text("80 of 80 accounts placed")


def _columns_by_department(me):
    """Columns for each department."""
    me.look("choose columns for each department")
    me.reach("radio", "The period and the year to date against budget")
    for name in (
        "The period and the year to date against the year before",
        "The last twelve periods against the twelve before",
        "Each of the last twelve periods",
        "Each department, the last twelve periods against the twelve before",
    ):
        me.press("ArrowDown")
        me.settled(f"Columns: {name}.")


def _two_lines_merged_and_named(page: Page, me):
    """IT with Office, under a new name."""
    me.look("go to the figures, to the line Office")
    while not page.evaluate("document.activeElement.closest('#figures') !== null"):
        me.press("Shift+Tab")
    me.press("Home")
    while page.evaluate("document.activeElement.textContent") != "Office":
        me.press("ArrowDown")

    me.look("choose IT with it and merge the two")
    me.press("Shift+ArrowDown")
    expect(page.get_by_role("heading", name="2 lines")).to_be_visible()
    me.press("m")
    me.settled("IT merged into Office.")

    me.look("give it another name")
    me.press("e")
    expect(page.get_by_label("Label", exact=True)).to_be_focused()
    me.type("Office and systems")
    me.press("Enter")
    me.settled("Office: Office and systems.")


def _named_and_kept(page: Page, me):
    """It foots, and is named and kept."""
    me.look("see that it foots")
    expect(page.locator("#foot")).to_contain_text("Foots: every check holds")
    expect(page.locator("#foot")).to_contain_text("80 of 80 accounts placed")

    me.look("name and keep it")
    me.press("Escape")
    me.reach("link", "Start")
    me.press("Enter")
    me.reach("textbox", "Name")
    me.type("Departments, rolling")
    me.press("Enter")
    expect(page.get_by_role("heading", name="Departments, rolling")).to_be_visible()
    assert me.seconds < 300, f"{me.keys} keys and {len(me.steps)} steps take a person {me.seconds:.0f} s"


def _equal_to_the_case():
    """The same figures as the case, all of them, in every column."""
    call_command("load_statement", str(CASE), ledger="ternwick")
    built, expected = run("departments-rolling"), run("expected-departments")
    assert [column.get("hidden") for column in built["columns"]] == [
        column.get("hidden") for column in expected["columns"]
    ]
    assert figures(built) == figures(expected)
    assert all(check["ok"] for check in built["footing"])
    return built


def _equal_to_loops(demo_folder, built):
    """And as loops over the files have them."""
    oracle = Oracle(demo_folder / "ledger", demo_folder / "news")
    keys = [column["key"] for column in built["columns"]]
    for member in ("110", "130", "410"):
        for label, first, last in (
            ("Wages", "5010", "5199"),
            ("Office and systems", "6610", "6799"),
            ("Shop and galley", "4410", "4499"),
        ):
            codes = oracle.between(first, last)
            own = {"department": {member}}
            now = oracle.trial_balance("TF", (2026, 8), (2027, 7), members=own)
            total = -sum((now[code][1] - now[code][2] for code in codes if code in now), Decimal(0))
            shown = figures(built)[label][keys.index(f"departments-{member}-actual")]
            assert Decimal(shown) == total, (member, label)
    return oracle


def _marked(page: Page):
    """Marks by what is favourable: deck wages rose, which is worse; the shop earned more, which is better."""
    wages = page.locator('tr[data-row="wages"] a[data-column="departments-110-difference"] .tri')
    shop = page.locator('tr[data-row="shop-and-galley"] a[data-column="departments-130-difference"] .tri')
    expect(wages).to_have_attribute("aria-label", "worse:")
    expect(shop).to_have_attribute("aria-label", "better:")


def _only_departments_used(page: Page, capsys, me, oracle):
    """Departments that nothing was booked on have no column."""
    results = [line for line in oracle.lines if oracle.accounts[line["account"]]["type"] in ("revenue", "expense")]
    used = {
        line["department"] or "-" for line in results if line["entity"] == "TF" and (2025, 8) <= line["p"] <= (2027, 7)
    }
    headings = page.locator("tr.groups th[scope=colgroup]").all_inner_texts()
    assert (
        len(headings) == len(used) + 1 and headings[0] == "Deck" and headings[-1] == "All" and "Ships" not in headings
    )
    with capsys.disabled():
        print(
            f"\nA departmental income statement from a bare ledger: {len(me.steps)} steps, {me.keys} keys, "
            f"{me.seconds:.0f} s at a person's pace."
        )
        for number, step in enumerate(me.steps, 1):
            print(f"  {number}. {step}")


def test_newcomer_builds_a_departmental_income_statement_in_under_five_minutes(page: Page, demo_folder, capsys):
    from rulka.statements.models import Definition

    Definition.objects.all().delete()
    me = Newcomer(page)
    _begun(page, me)
    _columns_by_department(me)
    _two_lines_merged_and_named(page, me)
    _named_and_kept(page, me)
    built = _equal_to_the_case()
    oracle = _equal_to_loops(demo_folder, built)
    _marked(page)
    _only_departments_used(page, capsys, me, oracle)
