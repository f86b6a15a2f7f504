"""What a narrowing's text means in a ledger: how many accounts, which, and what of it means nothing."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

import pytest

from rulka.core.books.fence import Fence
from rulka.core.proof.meaning import Meant, meant_by, of_columns, of_selections
from tests.books import Line, Works, book_of
from tests.core.compute.test_brute import ACCOUNTS, ENTITIES, MEMBERS
from tests.core.proof.small import CALENDAR, small


def meant(text, fence=Fence(), **more):  # noqa: B008
    lines = [Line("A", "40", Decimal(-1), date(2026, 2, 5), {"department": "d"}, source="shop")]
    return meant_by(text, book_of(Works(CALENDAR, ENTITIES, ACCOUNTS, MEMBERS, lines)).within(fence), **more)


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("40", Meant(True, 1, ("40 40",), ())),
        ("40, 41", Meant(True, 2, ("40 40", "41 41"), ())),
        ("1*, 2*", Meant(True, 5, ("10 10", "11 11", "12 12"), ())),
        ("department: d", Meant(False, 17, ("10 10", "11 11", "12 12"), ())),
        ("* except *", Meant(True, 0, (), ())),  # nothing, on purpose
        ("7*", Meant(True, 0, (), ("'7*' matches no account",))),
        ("4* except 4*", Meant(True, 0, (), ("'4* except 4*' leaves no account",))),
        ("40; department: x", Meant(True, 1, ("40 40",), ("'x' matches no department",))),
        ("40; source: shop", Meant(True, 1, ("40 40",), ())),
    ],
)
def test_a_text_is_told_by_the_accounts_it_means_and_what_of_it_means_none(text, found):
    assert meant(text) == found


def test_as_many_are_named_as_are_asked_for():
    assert meant("1*", most=1).first == ("10 10",) and meant("1*", most=1).count == 3
    assert len(meant("*").first) == 3


def test_accounts_outside_a_fence_are_none():
    only = Fence.of(accounts="40, 50")
    assert meant("4*", only) == Meant(True, 1, ("40 40",), ())
    beyond = meant("41", only)
    assert (beyond.names_accounts, beyond.count, beyond.first) == (True, 0, ())
    assert len(beyond.warnings) == 1 and "41" in beyond.warnings[0]
    assert meant("department: d", only).count == 2


# statements ---------------------------------------------------------------------------------------------------------

UNITS = {"90": "h", "91": "kg", "92": "", "93": "h"}
COUNTED = [
    *(row for row in ACCOUNTS if row["code"] not in UNITS),
    *({"code": code, "type": "statistical", "unit": unit} for code, unit in UNITS.items()),
]
NOW, BEFORE = {"column": "now"}, {"column": "before", "shift": "-1 period"}


def statement(inner, columns, booked, covers=""):
    lines = [Line("A", code, Decimal(amount), date(2026, month, 5)) for code, month, amount in booked]
    return small(lines, inner, columns, "2026-P02", works={"accounts": COUNTED}, covers=covers)


def summed(*codes):
    return [{"section": "All", "total": "Sum", "lines": [{"line": f"L{code}", "accounts": code} for code in codes]}]


@pytest.mark.parametrize(
    ("codes", "columns", "booked", "told"),
    [
        (("90", "91"), [NOW], [("90", 2, 3), ("91", 2, 4)], ["Sum: adds up different units: h, kg"]),
        (
            ("90", "91"),
            [NOW, BEFORE],
            [("90", 2, 3), ("91", 2, 4), ("90", 1, 3)],
            ["Sum: adds up different units: h, kg"],
        ),
        (("90", "91"), [NOW], [("90", 2, 3), ("91", 3, 4)], []),  # not in the same column
        (("90", "93"), [NOW], [("90", 2, 3), ("93", 2, 4), ("91", 2, 1)], []),
        (("90", "92"), [NOW], [("90", 2, 3), ("92", 2, 4), ("91", 2, 1)], []),  # one of them says no unit
        (("40", "50"), [NOW], [("40", 2, -3), ("50", 2, 4), ("90", 2, 3), ("91", 2, 4)], []),
    ],
)
def test_a_total_of_different_units_is_told(codes, columns, booked, told):
    found = of_selections(statement(summed(*codes), columns, booked))
    assert (list(found.warnings), found.lines) == (told, ("all",) * len(told))


def test_units_of_accounts_beside_money_are_told_where_quantities_show():
    """In a column of money the line shows money alone."""
    booked = [("40", 2, -3), ("90", 2, 3), ("91", 2, 4)]
    inner = [{"line": "Mixed", "accounts": "40, 90, 91"}]
    counted = {"column": "counted", "measure": "quantity"}
    told = ("Mixed: adds up different units: h, kg",)
    assert of_selections(statement(inner, [NOW, counted], booked)).warnings == told
    plain = {"column": "plain", "narrow": "department: -"}
    gap = {"column": "gap", "difference": ["plain", "plain"]}
    assert of_selections(statement(summed("90", "91"), [{**plain, "hide": "always"}, gap], booked)).warnings == (
        "Sum: adds up different units: h, kg",
    )


def test_what_columns_show_besides_is_noted():
    """Under its heading, or its key where it has none."""
    spread = {"scenario": "budget", "window": "2026-01-31 to 2026-02-02", "by day": "spread"}
    columns = [
        {"column": "days", **spread}, {"column": "named", "heading": "Three days", **spread},
        {"column": "month", "scenario": "budget", "by day": "spread"},
        {"column": "done", "window": "2026-01-31 to 2026-02-02", "by day": "spread"},
        {"column": "early", "shift": "-5 years", "heading": "Long ago"}, {"column": "earlier", "shift": "-6 years"},
    ]  # fmt: skip
    notes = of_selections(statement(summed("40"), columns, [("40", 2, -3)])).notes
    held = "'budget' is held by period and spread evenly over its days"
    assert [note for note in notes if "spread" in note] == [f"Column days: {held}", f"Column Three days: {held}"]
    assert [note.split(" is empty")[0] for note in notes if "is empty" in note] == ["Column Long ago", "Column earlier"]


ONLY_MOVED = "It places balance sheet accounts, and no column shows what stands on them, only what moved"


@pytest.mark.parametrize(
    ("codes", "columns", "told"),
    [
        (("10",), [NOW], True),
        (("20",), [NOW], True),
        (("30",), [NOW], False),
        (("40", "50"), [NOW], False),
        (("10",), [NOW, {"column": "end", "measure": "closing"}], False),
        (("10",), [NOW, {"column": "end", "measure": "closing", "hide": "always"}], True),
        (("10",), [{"column": "word", "text": "so far"}], False),
        (("10",), [NOW, {"column": "moved", "measure": "debits"}], True),
        (("12",), [NOW], False),  # nothing is booked on it
    ],
)
def test_movements_alone_of_a_balance_sheet_are_told(codes, columns, told):
    booked = [("10", 2, 5), ("20", 2, -5), ("30", 2, -1), ("40", 2, -3), ("50", 2, 4)]
    found = of_columns(statement(summed(*codes), columns, booked))
    assert found.warnings == ((ONLY_MOVED,) if told else ())


def test_what_reads_balances_itself_or_owes_no_account_a_place_is_not_told_so():
    booked = [("10", 2, 5), ("20", 2, -5)]
    own = [{"line": "Cash", "accounts": "10"}, {"line": "Owed", "accounts": "20", "measure": "closing"}]
    assert of_columns(statement(own, [NOW], booked)).warnings == ()
    some = [{"line": "Cash", "accounts": "10; department: d"}]
    assert of_columns(statement(some, [NOW], booked)).warnings == ()
    assert of_columns(statement(some, [NOW], booked, covers="nothing")).warnings == ()
    each = [Line("A", "10", Decimal(5), date(2026, 2, 5), {"department": "d"})]
    assert of_columns(small(each, some, [NOW], "2026-P02")).warnings == ()


def test_columns_that_mean_nothing_are_named():
    """By their heading, or their key."""
    inner = [{"line": "Sales", "accounts": "40"}]
    each = [Line("A", "40", Decimal(-5), date(2026, 2, 3)), Line("C", "40", Decimal(-5), date(2026, 2, 3))]
    columns = [{"column": "a", "node": "a"}, {"column": "c", "node": "c"},
               {"column": "gap", "difference": ["a", "c"]},
               {"column": "sum", "formula": "a + c", "heading": "Both"}]  # fmt: skip
    computed = small(each, inner, columns, "2026-P02", of="entity: A", others={"a": "entity: A", "c": "entity: C"})
    mixed = "has no meaning: it works on columns in different currencies: EUR, SEK"
    assert of_columns(computed).warnings == (f"Column gap {mixed}", f"Column Both {mixed}")
    assert not [note for note in of_selections(computed).notes if "is empty" in note]


def test_a_text_that_no_line_bears_is_named():
    booked = [
        Line("A", "40", Decimal(-5), date(2026, 2, 3), source="shop"),
        Line("A", "40", Decimal(-5), date(2026, 2, 3)),
    ]
    inner = [{"line": "Web", "accounts": "40; source: web"}, {"line": "Shop", "accounts": "40; source: shop"}]
    assert of_selections(small(booked, inner, [NOW], "2026-P02")).warnings == ("Web: 'web' matches no source",)
