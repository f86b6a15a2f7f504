"""What figures of every measure and time are made of by period, by hand: balances, means, days, plans, translations."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest

from rulka.core.books.fence import Fence
from rulka.core.proof.splits import directions, open_figure, split
from tests.books import Line
from tests.core.proof.small import small

SPINE = [
    {"line": "Sales", "accounts": "40"},
    {"line": "Cash", "accounts": "10", "sign": "as booked"},
    {"line": "Kept", "accounts": "30", "sign": "as booked"},
    {"line": "All", "accounts": "10, 30, 40, 50", "sign": "as booked"},
]
ENTRIES = [  # sales or costs against cash: account, day, amount
    ("40", "2025-11-03", "-100", {}),
    ("50", "2025-12-04", "40", {}),
    ("40", "2025-12-31", "-9", {"kind": "closing", "period": "2025-P12"}),
    ("40", "2026-01-05", "-20", {"source": "web"}),
    ("40", "2026-02-02", "-3", {"source": "web"}),
    ("40", "2026-02-09", "-5", {"source": "shop"}),
    ("40", "2026-02-10", "2", {"source": "shop"}),
    ("20", "2026-02-01", "-30", {"kind": "opening"}),
]


def lines(entity="A"):
    found = []
    for account, day, amount, more in ENTRIES:
        at = date.fromisoformat(day)
        found.append(Line(entity, account, Decimal(amount), at, **more))
        found.append(Line(entity, "10", -Decimal(amount), at, **more))
    plan = Line(entity, "40", Decimal(-28), date(2026, 2, 1), scenario="budget")
    return [*found, plan, Line(entity, "40", Decimal(-31), date(2026, 3, 1), scenario="budget")]


def opened(row, column, way=(), period="2026-P02", fence=Fence(), **more):  # noqa: B008
    return open_figure(small(lines(), SPINE, [{"column": "c", **column}], period, fence, **more), row, "c", way)


def told(figure, by="period"):
    """Parts of a split as (code, label, value, lines, why, whether more is below)."""
    found = split(figure, by)
    assert found.agrees
    return [(part.code, part.label, part.value, part.lines, part.reason, part.has_below) for part in found.parts]


def at(code, label, value, lines=0, *, below=False):
    return code, label, Fraction(value), lines, "", below


def untold(reason, label, value):
    return "", label, Fraction(value), 0, reason, False


JANUARY, FEBRUARY = at("2026-P01", "January 2026", 20, 1), at("2026-P02", "February 2026", 6, 3)
OPENED = at("2026-P02 opening entries", "Opening entries, February 2026", 30)
FORMER = at("FY2025", "All of FY2025", 69, 2, below=True)  # closing entries aren't counted


# balances -----------------------------------------------------------------------------------------------------------


def test_a_balance_is_former_years_and_this_years_periods():
    february = at("2026-P02", "February 2026", 6, 4)  # the opening entry is counted here
    assert told(opened("cash", {"measure": "closing"})) == [FORMER, JANUARY, OPENED, february]
    assert told(opened("cash", {"measure": "opening"})) == [FORMER, JANUARY, OPENED]
    assert told(opened("sales", {"measure": "closing"})) == [JANUARY, FEBRUARY]
    so_far = {"window": "year to date"}
    assert told(opened("cash", {"measure": "closing", **so_far})) == [FORMER, JANUARY, OPENED, february]
    assert told(opened("cash", {"measure": "opening", **so_far})) == [FORMER]


def test_a_former_year_opens_into_periods_and_closing_entries():
    year = opened("cash", {"measure": "closing"}, [("period", "FY2025")])
    assert year.steps[0][1] == "All of FY2025" and year.value == 69
    assert told(year) == [
        at("2025-P11", "November 2025", 100, 1), at("2025-P12", "December 2025", -40, 1),
        at("FY2025 closing entries", "Closing entries of FY2025", 9),
    ]  # fmt: skip


def test_a_result_that_rolled_is_told_by_its_accounts_and_months():
    kept = opened("kept", {"measure": "closing"})
    assert told(kept) == [at("FY2025 result", "Result of FY2025 rolled in", -69, below=True)]
    rolled = opened("kept", {"measure": "closing"}, [("period", "FY2025 result")])
    assert told(rolled, "account") == [at("40", "40 40", -109, 1), at("50", "50 50", 40, 1)]
    assert told(rolled)[0] == at("2025-P11", "November 2025", -100, 1)
    assert "account" in directions(rolled)
    ways = [("account", "30"), ("period", "FY2025 result")]
    assert "account" in directions(opened("kept", {"measure": "closing"}, ways))
    narrowed = opened("kept", {"measure": "closing"}, [("period", "FY2025 result"), ("account", "50")])
    assert told(narrowed) == [at("2025-P12", "December 2025", 40, 1)] and "account" not in directions(narrowed)


def test_all_accounts_together_stand_behind_a_balance_once():
    """Former years of what carries over, this year's of what doesn't."""
    figure = opened("all", {"measure": "closing"})
    assert told(figure, "account") == [
        at("10", "10 10", 125, 7), at("30", "30 30", -69, 0), at("40", "40 40", -26, 4)
    ]  # fmt: skip
    before = opened("all", {"measure": "opening"})
    assert before.value == 30 and told(before, "source") == [
        at("", "No source", 99, 4), at("web", "web", 0, 2), untold("rolled", "Results of former years rolled in", -69)
    ]  # fmt: skip


@pytest.mark.parametrize("open_at", ["d", "e"])
def test_retained_earnings_tell_no_department_that_a_seal_sums_over(open_at):
    """Whether an open account's result rolled into the sealed one's department or into another shows nowhere."""
    booked = [("50", "d", 2025, 70), ("51", open_at, 2025, 5), ("30", "d", 2026, 3)]
    each = [Line("A", code, Decimal(amount), date(year, 2, 5), {"department": department}, source="run", partner="B")
            for code, department, year, amount in booked]  # fmt: skip
    computed = small(each, SPINE, [{"column": "c", "measure": "closing"}, {"column": "moved"}], "2026-P02",
                     Fence.of(sealed="50", grain=()))  # fmt: skip
    kept = open_figure(computed, "kept", "c")
    assert told(kept, "department") == [untold("sealed", "Sealed detail", 78)] == told(kept, "partner")
    assert told(open_figure(computed, "kept", "moved"), "department") == [at("d", "d D", 3, 1)]
    assert told(open_figure(computed, "kept", "moved"), "partner") == [at("B", "B B", 3, 1)]
    costs = open_figure(computed, "all", "c", [("account", "30"), ("period", "FY2025 result")])
    assert [part[:3] for part in told(costs, "department")] == [(open_at, f"{open_at} {open_at.upper()}", 5),
                                                                ("", "Sealed detail", 70)]  # fmt: skip


def test_what_lies_beyond_a_fence_counts_in_the_whole_result_only():
    """Costs are outside of what may be seen: the year's result holds them, a part of it doesn't."""
    fence = Fence.of(accounts="30, 40")

    def rolled(*way):
        return opened("kept", {"measure": "closing"}, [("period", "FY2025 result"), *way], fence=fence)

    assert rolled().value == -69 and rolled(("account", "40")).value == -109
    assert rolled(("period", "2025-P11")).value == -100
    beyond = untold("beyond", "Outside of what you may see", 40)
    assert told(rolled(), "source") == [at("", "No source", -109, 2), beyond]
    assert told(rolled(), "account") == [at("40", "40 40", -109, 1), beyond]


# means, days, plans -------------------------------------------------------------------------------------------------


def test_a_mean_is_the_balances_it_is_of():
    figure = opened("cash", {"measure": "average"})
    assert figure.value == Fraction(119 + 125, 2)
    assert told(figure) == [
        at("2026-P02 opening balance", "Opening, February 2026", Fraction(119, 2)),
        at("2026-P02 closing balance", "Closing, February 2026", Fraction(125, 2)),
    ]
    assert told(figure, "source") == [untold("balance", "Balances that the mean is of", Fraction(119 + 125, 2))]


WEEKS = [{"series": "w", "each": "week", "within": "period"}]


def weekly(row, way=(), at=1, more=None):
    computed = small(lines(), SPINE, [{**WEEKS[0], **(more or {})}], "2026-P02")
    return open_figure(computed, row, computed.columns[at].key, way)


def test_days_are_one_part_whose_lines_are_told():
    """The second week: five sold, two given back."""
    second = weekly("sales")
    assert told(second) == [at("2026-02-08 to 2026-02-14", "8 to 14 February 2026", 3)]
    assert told(second, "source") == [at("shop", "shop", 3, 2)] and "counterparty" in directions(second)
    assert weekly("sales", [("source", "shop")]).value == 3


def test_balances_of_days_are_no_lines():
    figure = weekly("cash", more={"measure": "closing"})
    assert figure.value == 125 and "counterparty" not in directions(figure)
    assert told(figure, "source") == [untold("balance", "Balances that the mean is of", 125)]


def test_a_plan_spread_over_days_has_no_lines():
    figure = weekly("sales", more={"scenario": "budget", "by day": "spread"})
    assert figure.value == 7 and "counterparty" not in directions(figure)
    assert told(figure, "source") == [untold("planned", "A plan: held by account and period only", 7)]


def test_an_outlook_is_booked_so_far_and_planned_after():
    figure = opened("sales", {"window": "year", "then": "budget"})
    assert figure.value == 57
    assert told(figure) == [JANUARY, FEBRUARY, at("2026-P03", "March 2026", 31, 1)]
    assert told(figure, "source") == [
        at("web", "web", 23, 2), at("shop", "shop", 3, 2),
        untold("planned", "A plan: held by account and period only", 31),
    ]  # fmt: skip


def test_two_years_of_months_are_told_by_month():
    assert [code for code, *_ in told(opened("sales", {"window": "last 4 periods"}))] == [
        "2025-P11", "2026-P01", "2026-P02"]  # fmt: skip
    assert len(told(opened("sales", {"window": "last 24 periods"}, period="2026-P12"))) == 3


def test_more_than_two_years_of_months_are_gathered_by_year():
    figure = opened("sales", {"window": "last 26 periods"}, period="2027-P02")
    assert [code for code, *_ in told(figure)] == ["FY2025", "FY2026"]
    year = opened("sales", {"window": "last 26 periods"}, [("period", "FY2026")], period="2027-P02")
    assert told(year) == [JANUARY, FEBRUARY]
    month = opened("sales", {"window": "last 26 periods"}, [("period", "2026-P01")], period="2027-P02")
    assert month.value == 20


# translated ---------------------------------------------------------------------------------------------------------

RATES = [(f"2026-P{number:02d}", "SEK", "EUR", "0.10", "0.20") for number in range(1, 13)]
RATES += [(f"2025-P{number:02d}", "SEK", "EUR", "0.10", "0.10") for number in range(1, 13)]


def translated(row, column, way=()):
    works = {"rates": RATES}
    columns = [{"column": "c", **column}]
    computed = small(lines("C"), SPINE, columns, "2026-P02", of="entity: C", works=works, currency="group")
    return open_figure(computed, row, "c", way)


def test_translated_activity_is_told_by_text_at_its_rate():
    figure = translated("sales", {"window": "year to date"})
    assert figure.value == Fraction("2.6")
    assert told(figure, "source") == [at("web", "web", Fraction("2.3"), 2), at("shop", "shop", Fraction("0.3"), 2)]
    shop = translated("sales", {"window": "year to date"}, [("source", "shop")])
    assert shop.value == Fraction("0.3") and told(shop) == [at("2026-P02", "February 2026", Fraction("0.3"), 2)]


def test_a_balance_at_another_rate_says_what_the_rate_changed():
    figure = translated("cash", {"measure": "closing"})
    assert figure.value == Fraction(25)
    *_, restated = told(figure)
    assert restated[4] == "translation" and restated[1] == "Translated at another rate"


@pytest.mark.parametrize("by", ["counterparty", "source"])
def test_a_balance_at_another_rate_is_told_by_text_as_far_as_lines_go(by):
    found = told(translated("cash", {"measure": "closing"}), by)
    assert sum(part[2] for part in found) == 25 and found[-1][4] == "translation"


# scenarios and years ------------------------------------------------------------------------------------------------


def test_a_plan_of_balances_is_told_by_its_own_periods():
    """What a budget opens with, moves and closes, a former year of it gathered."""
    plan = [("10", 2025, 3, 70), ("10", 2026, 1, 5), ("10", 2026, 2, 8)]
    each = [
        Line("A", code, Decimal(amount), date(year, month, 1), scenario="budget") for code, year, month, amount in plan
    ]
    computed = small(each, SPINE, [{"column": "c", "measure": "closing", "scenario": "budget"}], "2026-P02")
    figure = open_figure(computed, "cash", "c")
    assert told(figure) == [at("FY2025", "All of FY2025", 70, 1, below=True), at("2026-P01", "January 2026", 5, 1),
                            at("2026-P02", "February 2026", 8, 1)]  # fmt: skip
    assert told(figure, "source") == [untold("planned", "A plan: held by account and period only", 83)]
    assert "counterparty" not in directions(figure)


def test_former_years_of_several_accounts_keep_apart_what_carries_over():
    """Cash and sales of one line: last year's sales are in retained earnings, its cash is here."""
    inner = [{"line": "Both", "accounts": "10, 40", "sign": "as booked"}]
    figure = open_figure(small(lines(), inner, [{"column": "c", "measure": "closing"}], "2026-P02"), "both", "c")
    assert figure.value == 125 - 26 == figure.total
    assert told(figure, "account") == [at("10", "10 10", 125, 7), at("40", "40 40", -26, 4)]
    year = open_figure(figure.computed, "both", "c", [("period", "FY2025")])
    assert year.value == 69 and told(year, "account") == [at("10", "10 10", 69, 2)]


def test_opening_entries_of_former_years_count_once_for_what_carries_over():
    more = [
        Line("A", code, Decimal(amount), date(2025, 1, 1), kind="opening") for code, amount in (("10", 50), ("40", -50))
    ]
    inner = [{"line": "Both", "accounts": "10, 40", "sign": "as booked"}]
    computed = small([*lines(), *more], inner, [{"column": "c", "measure": "closing"}], "2026-P02")
    year = open_figure(computed, "both", "c", [("period", "FY2025")])
    assert year.value == 119 and [part[:3] for part in told(year)] == [
        ("2025-P01 opening entries", "Opening entries, January 2025", 50), ("2025-P11", "November 2025", 100),
        ("2025-P12", "December 2025", -40), ("FY2025 closing entries", "Closing entries of FY2025", 9),
    ]  # fmt: skip


def test_an_outlooks_week_is_booked_or_planned():
    """Booked to February, planned from March: a week of March is a plan."""
    plan = [Line("A", "40", Decimal(-31), date(2026, 3, 1), scenario="budget")]
    columns = [{"series": "w", "each": "week", "within": "year", "then": "budget", "by day": "spread"}]
    computed = small([*lines(), *plan], SPINE[:1], columns, "2026-P02")
    second = next(column for column in computed.columns if column.window.start == date(2026, 2, 8))
    march = next(column for column in computed.columns if column.window.start == date(2026, 3, 8))
    assert told(open_figure(computed, "sales", second.key), "source") == [at("shop", "shop", 3, 2)]
    assert told(open_figure(computed, "sales", march.key), "source")[0][4] == "planned"


def test_a_rolled_result_of_one_minor_unit_is_one():
    each = [Line("A", code, Decimal(amount), date(2025, 3, 5), {"department": member})
            for code, member, amount in (("40", "d", "-0.01"), ("40", "e", "0.01"), ("41", "o", -5))]  # fmt: skip
    computed = small(each, SPINE, [{"column": "c", "measure": "closing"}], "2026-P02")
    rolled = open_figure(computed, "kept", "c", [("period", "FY2025 result")])
    assert rolled.value == -5
    assert [part[:4] for part in told(rolled, "account")] == [("40", "40 40", 0, 2), ("41", "41 41", -5, 1)]


def test_a_translated_result_that_rolled_says_what_the_rate_changed():
    figure = translated("kept", {"measure": "closing"}, [("period", "FY2025 result")])
    assert figure.value == -6
    assert told(figure, "account") == [at("40", "40 40", -10, 1), at("50", "50 50", 4, 1)]
    assert translated("kept", {"measure": "closing"}).value == Fraction("-6.9")  # the closing entry stands on it itself


def translated_lines(row, way=(), *lines, measure="activity"):
    computed = small([Line("C", *line[:3], **line[3]) for line in lines], [*SPINE, {"line": "Stated", "accounts": "31",
                     "sign": "as booked"}], [{"column": "c", "measure": measure, "window": "year to date"}], "2026-P02",
                     of="entity: C", works={"rates": RATES}, currency="group")  # fmt: skip
    return open_figure(computed, row, "c", way)


def test_translated_amounts_are_exact_by_text_however_large_or_small():
    day = date(2026, 2, 5)
    large = [
        ("40", Decimal("-90071992547409.93"), day, {"source": "web"}),
        ("40", Decimal(-7), day, {"source": "shop"}),
    ]
    figure = translated_lines("sales", (), *large)
    found = told(figure, "source")
    assert [part[0] for part in found] == ["web", "shop"]
    # the cents of the group are whole: each line counts its part of them
    share = figure.value / Fraction(9007199254741693)
    assert [part[2] for part in found] == [share * 9007199254740993, share * 700]
    assert translated_lines("sales", [("source", "web")], *large).value == share * 9007199254740993
    tiny = [("40", Decimal("-0.07"), day, {"source": "web"}), ("40", Decimal("-0.08"), day, {"source": "shop"})]
    web = translated_lines("sales", [("source", "web")], *tiny)
    whole = translated_lines("sales", (), *tiny)
    assert whole.value == Fraction(2, 100) and web.value == Fraction(2, 100) * Fraction(7, 15)
    assert told(web) == [at("2026-P02", "February 2026", web.value, 1)]


def test_lines_that_cancel_out_and_were_worth_something_are_a_matter_of_rates():
    """Stated at what they were worth: ten in for three, ten out for one."""
    day = date(2026, 2, 5)
    lines = [("31", Decimal(10), day, {"source": "web", "historical": Decimal(3)}),
             ("31", Decimal(-10), day, {"source": "shop", "historical": Decimal(-1)})]  # fmt: skip
    figure = translated_lines("stated", (), *lines)
    assert figure.value == 2
    found = told(figure, "source")
    assert sum(part[2] for part in found) == 2 and found[-1] == untold("translation", "Translated at another rate", 2)


def test_a_line_of_a_source_is_told_by_its_lines_alone():
    """February's sales by web: the shop's stand on the same key."""
    computed = small(lines(), [{"line": "Web", "accounts": "40; source: web"}], [{"column": "c"}], "2026-P02")
    figure = open_figure(computed, "web", "c")
    assert figure.value == 3 and told(figure, "counterparty") == [at("", "No counterparty", 3, 1)]
    assert open_figure(computed, "web", "c", [("counterparty", "")]).value == 3


def test_a_result_that_rolled_shows_all_that_it_netted():
    """On d sales and costs were alike, and something else is kept there since."""
    booked = [("40", "d", 2025, -5), ("50", "d", 2025, 5), ("41", "e", 2025, -3), ("30", "d", 2026, 2)]
    each = [
        Line("A", code, Decimal(amount), date(year, 2, 5), {"department": member})
        for code, member, year, amount in booked
    ]
    computed = small(each, SPINE, [{"column": "c", "measure": "closing"}], "2026-P02")
    rolled = open_figure(computed, "kept", "c", [("period", "FY2025 result")])
    assert [part[:3] for part in told(rolled, "account")] == [
        ("40", "40 40", -5),
        ("41", "41 41", -3),
        ("50", "50 50", 5),
    ]


def test_what_the_first_line_of_a_book_was_worth_counts_behind_a_fence():
    day = date(2026, 2, 5)
    each = [Line("C", "31", Decimal(10), day, historical=Decimal(3)), Line("C", "50", Decimal(4), day)]
    inner = [{"line": "Stated", "accounts": "31", "sign": "as booked"}]
    for fence in (Fence(), Fence.of(sealed="50"), Fence.of(entities="C")):
        whole = small(each, inner, [{"column": "c"}], "2026-P02", fence, of="entity: C", works={"rates": RATES},
                      currency="group")  # fmt: skip
        assert whole.row("stated").values == (3,)
