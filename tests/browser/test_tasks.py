"""Ten tasks of an accountant, each by the keyboard alone and by the mouse alone; how many steps each takes is told."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from playwright.sync_api import Locator, Page, expect

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]
WHERE = "period=2027-P07&node=TF"
STATEMENT = f"/statements/income-statement/?{WHERE}"
MOST_TABS = 45


class Keys:
    """The keyboard: a key, or a word that is typed, is a step."""

    def __init__(self, page: Page) -> None:
        self.page, self.steps = page, 0

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)
            self.steps += 1

    def type(self, word: str) -> None:
        self.page.keyboard.type(word)
        self.steps += 1

    def tab_to(self, place: Locator, key: str = "Tab") -> None:
        """Tab, or back, until a place has the focus, which has to be within reach."""
        expect(place).to_be_visible()
        for _ in range(MOST_TABS):
            if place.evaluate("one => one === document.activeElement"):
                return
            self.press(key)
        raise AssertionError(f"{place} was not reached within {MOST_TABS} tabs.")

    def into_figures(self) -> None:
        self.press("Tab", "Enter")
        expect(self.page.locator("#figures a.figure:focus")).to_be_visible()

    def walk_to(self, key: str, place: Locator) -> None:
        for _ in range(MOST_TABS):
            if place.evaluate("one => one === document.activeElement"):
                return
            self.press(key)
        raise AssertionError(f"{place} was not reached by {key}.")


class Mouse:
    """The mouse: a click is a step."""

    def __init__(self, page: Page) -> None:
        self.page, self.steps = page, 0

    def click(self, place: Locator) -> None:
        place.click()
        self.steps += 1


def figure(page: Page, row: str, column: str) -> Locator:
    return page.locator(f'tr[data-row="{row}"] a.figure[data-column="{column}"]')


def link(page: Page, name: str) -> Locator:
    return page.get_by_role("link", name=name, exact=True)


def on_fuel(keys: Keys, column: str = "actual") -> None:
    keys.into_figures()
    keys.walk_to("ArrowDown", figure(keys.page, "fuel", "actual"))
    keys.walk_to("ArrowRight", figure(keys.page, "fuel", column))


# each task: where it begins, by key, by mouse, what shows that it is done ---------------------------------------------


def opened(page: Page) -> None:
    expect(page.get_by_role("heading", name="Income statement", exact=True)).to_be_visible()
    expect(page.locator("#figures a.figure[tabindex='0']")).to_have_count(1)


def open_by_keys(keys: Keys) -> None:
    keys.press("/")
    keys.type("income statement")
    expect(keys.page.locator("#found a").first).to_contain_text("Income statement")
    keys.press("Enter")


def open_by_mouse(mouse: Mouse) -> None:
    mouse.click(link(mouse.page, "Statements"))
    mouse.click(link(mouse.page, "Income statement"))


def explained(page: Page) -> None:
    expect(page.get_by_role("heading", name="What drives it")).to_be_visible()
    expect(page.locator(".drove .agrees").first).to_have_text("agrees with the figure")


def explain_by_keys(keys: Keys) -> None:
    on_fuel(keys, "ytd-difference")
    keys.press("y")


def explain_by_mouse(mouse: Mouse) -> None:
    mouse.click(figure(mouse.page, "fuel", "ytd-difference"))
    mouse.click(mouse.page.locator("#panel .ways").get_by_role("link", name="what drives it"))


def drilled(page: Page) -> None:
    expect(page.locator("#panel .parts.lines, #trace .parts.lines").first).to_be_visible()
    expect(page.locator("#panel .agrees, #trace .agrees").first).to_contain_text("agree with the figure")


def drill_by_keys(keys: Keys) -> None:
    on_fuel(keys)
    keys.press("Enter")
    expect(keys.page.locator("#panel .agrees")).to_be_visible()
    keys.press("Enter", "ArrowUp")
    keys.walk_to("ArrowRight", keys.page.locator("#panel .ways").get_by_role("link", name="line", exact=True))
    keys.press("Enter")


def drill_by_mouse(mouse: Mouse) -> None:
    mouse.click(figure(mouse.page, "fuel", "actual"))
    mouse.click(mouse.page.locator("#panel .ways").get_by_role("link", name="line", exact=True))


def built(page: Page) -> None:
    expect(page.locator("#panel .done")).to_be_visible()
    expect(page.locator("tr.groups").first).to_contain_text("Deck")


def build_by_keys(keys: Keys) -> None:
    keys.tab_to(keys.page.get_by_role("button", name="New statement"))
    keys.press("Enter")
    choice = keys.page.get_by_label("Each department, the last twelve periods")
    keys.page.locator("#panel [type=radio]:focus").wait_for()
    keys.tab_to(keys.page.locator("#panel [id^='start-columns-']:checked"))
    for _ in range(9):
        if choice.is_checked():
            break
        keys.press("ArrowDown")
        keys.page.locator("#panel .done").wait_for()
        expect(keys.page.locator(".htmx-request")).to_have_count(0)  # an answer on its way would show the choice before
        expect(keys.page.locator("#panel [id^='start-columns-']:focus")).to_be_checked()


def build_by_mouse(mouse: Mouse) -> None:
    mouse.click(mouse.page.get_by_role("button", name="New statement"))
    mouse.click(mouse.page.get_by_label("Each department, the last twelve periods"))


def narrowed(page: Page) -> None:
    expect(page.locator("#panel .crumbs")).to_contain_text("N")
    expect(page.locator("#panel .agrees").first).to_contain_text("agree with the figure")
    assert "in=crossing" in page.url


def narrow_by_keys(keys: Keys) -> None:
    on_fuel(keys)
    keys.press("Enter")
    expect(keys.page.locator("#panel .agrees")).to_be_visible()
    keys.press("Enter", "ArrowUp")
    keys.walk_to("ArrowRight", keys.page.locator("#panel .ways").get_by_role("link", name="crossing", exact=True))
    keys.press("Enter")
    north = keys.page.locator("#panel .parts").get_by_role("link", name="N North")
    expect(north).to_be_visible()
    keys.walk_to("ArrowDown", north)
    keys.press("Enter")


def narrow_by_mouse(mouse: Mouse) -> None:
    mouse.click(figure(mouse.page, "fuel", "actual"))
    mouse.click(mouse.page.locator("#panel .ways").get_by_role("link", name="crossing", exact=True))
    mouse.click(mouse.page.locator("#panel .parts").get_by_role("link", name="N North"))


def placed(page: Page) -> None:
    expect(page.locator("#panel .done")).to_contain_text("6815 Shore power placed")
    expect(page.locator("#foot")).to_contain_text("Foots: every check holds")
    expect(page.locator("#announce")).to_contain_text("6815 Shore power placed")
    expect(page.locator("#announce")).to_contain_text("Foots: every check holds")


def place_by_keys(keys: Keys) -> None:
    keys.into_figures()
    keys.press("+")
    keys.tab_to(keys.page.get_by_role("button", name="Make this one's own copy"))
    keys.press("Enter")


def place_by_mouse(mouse: Mouse) -> None:
    mouse.click(mouse.page.get_by_role("button", name="Place", exact=True))
    mouse.click(mouse.page.get_by_role("button", name="Make this one's own copy"))


def compared(page: Page) -> None:
    expect(page.locator("tr.groups").first).to_contain_text("Finance")


def compare_by_keys(keys: Keys) -> None:
    keys.into_figures()
    keys.press("o")
    expect(keys.page.get_by_placeholder("Search code or name")).to_be_focused()
    keys.type("fin")
    keys.tab_to(keys.page.get_by_label("Finance beside"))
    keys.press("Space")
    keys.tab_to(keys.page.get_by_role("button", name="Show them side by side"))
    keys.press("Enter")


def compare_by_mouse(mouse: Mouse) -> None:
    mouse.click(mouse.page.get_by_role("link", name="Find or compare"))
    mouse.click(mouse.page.get_by_label("Finance beside"))
    mouse.click(mouse.page.get_by_role("button", name="Show them side by side"))


def closed(page: Page) -> None:
    expect(page.get_by_role("button", name="Open again TQ")).to_be_visible()


def close_by_keys(keys: Keys) -> None:
    keys.tab_to(keys.page.get_by_role("link", name="To closing a period"))
    keys.press("Enter")
    keys.tab_to(keys.page.get_by_role("button", name="Close TQ"))
    keys.press("Enter")


def close_by_mouse(mouse: Mouse) -> None:
    mouse.click(mouse.page.get_by_role("button", name="Close TQ"))


def printed(page: Page) -> None:
    picture = page.locator("#papers img").first
    expect(picture).to_be_visible()
    page.wait_for_function("document.querySelector('#papers img').naturalWidth > 100")


def print_by_keys(keys: Keys) -> None:
    keys.press("w")


def print_by_mouse(mouse: Mouse) -> None:
    mouse.click(mouse.page.get_by_role("button", name="More", exact=True))
    mouse.click(link(mouse.page, "Print preview"))


def export_by_keys(keys: Keys) -> None:
    keys.press("x")
    expect(keys.page.locator("#export + .drop a[data-file]").first).to_be_focused()
    keys.press("Enter")


def export_by_mouse(mouse: Mouse) -> None:
    mouse.click(mouse.page.locator("#export"))
    mouse.click(mouse.page.locator("#export + .drop a[data-file]").first)


def exported(page: Page) -> None:
    """The download itself is waited for where the task is done."""


TASKS: dict[str, tuple[str, str, Callable[[Keys], None], Callable[[Mouse], None], Callable[[Page], None]]] = {
    "open a statement": ("accountant", f"/month/?{WHERE}", open_by_keys, open_by_mouse, opened),
    "explain a figure": ("accountant", STATEMENT, explain_by_keys, explain_by_mouse, explained),
    "drill to its lines": ("accountant", STATEMENT, drill_by_keys, drill_by_mouse, drilled),
    "build a statement": ("accountant", f"/statements/?{WHERE}", build_by_keys, build_by_mouse, built),
    "narrow a figure": ("accountant", STATEMENT, narrow_by_keys, narrow_by_mouse, narrowed),
    "place an account": ("accountant", STATEMENT, place_by_keys, place_by_mouse, placed),
    "compare nodes": (
        "accountant",
        "/statements/department-results/?period=2027-P07&of=TF",
        compare_by_keys,
        compare_by_mouse,
        compared,
    ),
    "print it": ("accountant", STATEMENT, print_by_keys, print_by_mouse, printed),
    "export it": ("accountant", STATEMENT, export_by_keys, export_by_mouse, exported),
    "close a period": ("controller", "/ledger/?period=2027-P07", close_by_keys, close_by_mouse, closed),
}
"""Who does it, where it begins, by key, by mouse, and what shows that it is done."""


def done_by(page: Page, by: type[Keys] | type[Mouse]) -> dict[str, int]:
    """Every task done by one hand; how many steps each took."""
    steps, now = {}, ""
    for task, (who, begins, by_keys, by_mouse, shows) in TASKS.items():
        if who != now:
            page.context.clear_cookies()
            page.goto("/sign-in/")
            page.click(f"form[action='/sign-in/{who}/'] button")
            page.wait_for_load_state()
            now = who
        page.goto(begins)
        page.wait_for_load_state()
        hand = by(page)
        act = by_keys if isinstance(hand, Keys) else by_mouse
        if shows is exported:
            with page.expect_download() as taken:
                act(hand)
            assert taken.value.suggested_filename.endswith(".xlsx")
        else:
            act(hand)
            shows(page)
        steps[task] = hand.steps
    return steps


@pytest.mark.parametrize("by", [Keys, Mouse])
def test_ten_tasks_by_one_hand(page: Page, by, capsys):
    steps = done_by(page, by)
    with capsys.disabled():
        print(
            f"\nSteps by {by.__name__.lower()} alone: {', '.join(f'{task} {count}' for task, count in steps.items())}"
        )
    assert len(steps) == 10 and all(0 < count <= MOST_TABS for count in steps.values()), steps
