"""What drives a variance: the fewest parts that make up four fifths of it, and what works against them."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest

from rulka.core.books.fence import Fence
from rulka.core.proof.drivers import drivers_of, taken
from rulka.core.proof.splits import SplitPart, open_figure
from tests.books import Line
from tests.core.proof.small import small


def parts(*values):
    return [SplitPart(f"{place:02d}", "", Fraction(value)) for place, value in enumerate(values)]


@pytest.mark.parametrize(
    ("values", "codes"),
    [
        ([80, 20], ["00"]), ([79, 21], ["00", "01"]), ([20, 80], ["01"]), ([10, 10, 80], ["02"]),
        ([50, 30, 20], ["00", "01"]), ([100], ["00"]), ([], []), ([-80, -20], ["00"]),
        # what works against the whole is taken until no more than a fifth of it is left
        ([120, -20], ["00"]), ([121, -21], ["00", "01"]), ([100, 50, -50], ["00", "01", "02"]),
        ([-121, 21], ["00", "01"]), ([60, 60, -10, -10], ["00", "01"]), ([70, 55, -15, -10], ["00", "01", "02"]),
        # of nothing, those that move four fifths of all
        ([50, -50], ["00", "01"]), ([40, -40, 10, -10], ["00", "01"]), ([0, 0], []),
        # alike ones come by their codes
        ([25, 25, 25, 25], ["00", "01", "02", "03"]), ([20, 20, 20, 20, 20], ["00", "01", "02", "03"]),
    ],
)  # fmt: skip
def test_the_fewest_parts_that_make_up_four_fifths(values, codes):
    whole = Fraction(sum(values))
    assert [part.code for part in taken(parts(*values), whole)] == codes


COLUMNS = [
    {"column": "now"},
    {"column": "before", "shift": "-1 period"},
    {"column": "gap", "difference": ["now", "before"]},
]
MONTHS = {"2026-P01": date(2026, 1, 5), "2026-P02": date(2026, 2, 5)}


def gap(*booked):
    """The difference of February to January: (account, department, January, February), credit positive."""
    lines = []
    for account, department, before, now in booked:
        for day, amount in ((MONTHS["2026-P01"], before), (MONTHS["2026-P02"], now)):
            if amount:
                lines.append(Line("A", account, Decimal(-amount), day, {"department": department}))
                lines.append(Line("A", "10", Decimal(amount), day))
    return open_figure(small(lines, [{"line": "Sales", "accounts": "4*"}], COLUMNS, "2026-P02"), "sales", "gap")


def told(drivers):
    return [(driver.by, driver.code, driver.value, driver.share) for driver in drivers.drivers]


def test_the_direction_with_the_fewest_drivers_is_chosen():
    """Four accounts moved alike, all of it in one department."""
    opened = gap(*((code, "d", 100, 110) for code in ("40", "41", "42")), ("4", "d", 0, 10), ("40", "e", 50, 49))
    drivers = drivers_of(opened)
    assert (drivers.by, drivers.variance, drivers.agrees, drivers.others) == ("department", 39, True, 1)
    assert told(drivers) == [("department", "d", 40, Fraction(40, 39))]
    assert (drivers.rest, drivers.total, drivers.count) == (-1, 40, 2)
    assert drivers.drivers[0].sides == (340, -300)
    by_account = drivers_of(opened, "account")
    assert by_account.by == "account" and by_account.agrees and by_account.count == 4
    assert [driver.code for driver in by_account.drivers] == ["4", "41", "42", "40"]
    assert by_account.rest == 0 and not any(driver.works_against for driver in by_account.drivers)


def test_what_works_against_the_variance_says_so():
    drivers = drivers_of(gap(("40", "d", 100, 200), ("41", "d", 100, 60)), "account")
    assert told(drivers) == [("account", "40", 100, Fraction(5, 3)), ("account", "41", -40, Fraction(-2, 3))]
    assert [driver.works_against for driver in drivers.drivers] == [False, True]
    assert drivers.variance == 60 and drivers.agrees


def test_a_variance_of_nothing_has_drivers_without_shares():
    drivers = drivers_of(gap(("40", "d", 100, 150), ("41", "d", 100, 50)), "account")
    assert told(drivers) == [("account", "40", 50, None), ("account", "41", -50, None)]
    assert not any(driver.works_against for driver in drivers.drivers) and drivers.rest == 0


def test_a_large_driver_is_told_further_where_few_make_it_up():
    """One account makes up the variance, and in it two departments, with what the third adds as the others."""
    opened = gap(("40", "d", 100, 160), ("40", "e", 100, 150), ("40", "o", 100, 101), ("41", "d", 10, 12))
    (driver,) = drivers_of(opened, "account").drivers
    assert (driver.code, driver.value) == ("40", 111)
    assert [(one.by, one.code, one.value) for one in driver.parts] == [
        ("department", "d", 60), ("department", "e", 50), ("department", "", 1)
    ]  # fmt: skip
    rest = driver.parts[-1]
    assert (rest.label, rest.reason, rest.share, rest.sides) == ("1 others", "rest", Fraction(1, 113), (101, -100))
    assert sum(one.value for one in driver.parts) == driver.value


def test_a_driver_that_one_part_makes_up_is_told_no_further():
    (driver,) = drivers_of(gap(("40", "d", 100, 160)), "account").drivers
    assert driver.parts == ()


# which direction ----------------------------------------------------------------------------------------------------


def texted(*booked):
    """The difference of February to January: (account, department, counterparty, January, February)."""
    lines = []
    for account, department, counterparty, before, now in booked:
        for day, amount in ((MONTHS["2026-P01"], before), (MONTHS["2026-P02"], now)):
            if amount:
                members = {"department": department}
                lines.append(Line("A", account, Decimal(-amount), day, members, counterparty=counterparty))
    return open_figure(small(lines, [{"line": "Sales", "accounts": "4*"}], COLUMNS, "2026-P02"), "sales", "gap")


def test_counterparties_are_tried_where_all_of_it_has_lines():
    """Three accounts and three departments moved alike, all by one customer; another moved a little."""
    booked = [(code, member, "C1", 0, 30) for code, member in zip(("40", "41", "42"), "deo", strict=True)]
    drivers = drivers_of(texted(*booked, ("4", "s", "C2", 0, 4)))
    assert drivers.by == "counterparty" and [driver.code for driver in drivers.drivers] == ["C1"]
    # a side that was planned has no lines
    plan = {"column": "plan", "scenario": "budget"}
    columns = [{"column": "now"}, plan, {"column": "gap", "difference": ["now", "plan"]}]
    day = MONTHS["2026-P02"]
    lines = [
        Line("A", code, Decimal(-30), day, {"department": member}, counterparty="C1") for code, member, *_ in booked
    ]
    lines.append(Line("A", "4", Decimal(-4), day, {"department": "s"}, scenario="budget"))
    opened = open_figure(small(lines, [{"line": "Sales", "accounts": "4*"}], columns, "2026-P02"), "sales", "gap")
    assert drivers_of(opened).by in ("account", "department")


def test_lines_without_a_counterparty_are_told_as_such():
    """A partner that most lines don't name tells no driver but that: what has none is a part all the same."""
    drivers = drivers_of(texted(("40", "d", "C1", 0, 50), ("41", "e", "C1", 0, 50), ("42", "o", "", 0, 9)))
    assert drivers.by == "counterparty" and drivers.count == 2
    assert [(driver.code, driver.reason) for driver in drivers.drivers] == [("C1", "")]


@pytest.mark.parametrize(("sealed", "by"), [(20, "department"), (21, "account")])
def test_a_direction_that_leaves_more_than_a_fifth_untold_is_not_chosen(sealed, by):
    """One department moved it, told apart by four accounts; what is sealed has no department."""
    lines = [Line("A", code, Decimal(amount), MONTHS["2026-P02"], {"department": "d"})
             for code, amount in (("40", 20), ("41", 20), ("42", 20), ("4", 100 - 60 - sealed))]  # fmt: skip
    lines.append(Line("A", "50", Decimal(sealed), MONTHS["2026-P02"], {"department": "d"}))
    spine = [{"line": "All", "accounts": "4*, 50", "sign": "as booked"}]
    fence = Fence.of(sealed="50", grain=())
    opened = open_figure(small(lines, spine, COLUMNS, "2026-P02", fence), "all", "gap")
    assert opened.value == 100 and drivers_of(opened).by == by


def test_what_can_be_told_apart_by_nothing_is_told_by_the_first_direction():
    """One account, one department: it is a driver all the same."""
    drivers = drivers_of(gap(("40", "d", 10, 25)))
    assert (drivers.by, told(drivers), drivers.rest) == ("account", [("account", "40", 15, Fraction(1))], 0)
    empty = drivers_of(gap(("40", "d", 10, 10)))
    assert (empty.drivers, empty.variance, empty.rest) == ((), 0, 0)


# told further -------------------------------------------------------------------------------------------------------


def inner(*booked, by="account"):
    return {driver.code: driver.parts for driver in drivers_of(gap(*booked), by).drivers}


def test_only_a_driver_of_a_quarter_or_more_is_told_further():
    halves = [("40", "d", 0, 60), ("40", "e", 0, 15)]
    least = [("41", "d", 0, 13), ("41", "e", 0, 12)]
    parts = inner(*halves, *least)
    assert [part.code for part in parts["40"]] == ["d", ""]
    assert [part.code for part in parts["41"]] == ["d", "e"]  # a quarter exactly
    fewer = inner(*halves, ("41", "d", 0, 12), ("41", "e", 0, 12))
    assert fewer["41"] == () and fewer["40"]


def test_what_works_against_is_told_no_further():
    parts = inner(("40", "d", 0, 100), ("40", "e", 0, 50), ("41", "d", 40, 0), ("41", "e", 30, 0))
    assert parts["41"] == () and [part.code for part in parts["40"]] == ["d", "e"]


def test_drivers_of_nothing_are_told_further_whatever_they_are():
    parts = inner(("40", "d", 0, 6), ("40", "e", 0, 5), ("41", "d", 7, 0), ("41", "e", 4, 0))
    assert [part.code for part in parts["40"]] == ["d", "e"] and [part.code for part in parts["41"]] == ["d", "e"]
    assert {part.share for part in parts["40"]} == {None}
    leaving = inner(("40", "d", 0, 80), ("40", "e", 0, 15), ("41", "d", 80, 0), ("41", "e", 15, 0))
    assert [(part.code, part.value, part.share) for part in leaving["40"]] == [("d", 80, None), ("", 15, None)]


def test_a_sealed_driver_is_told_no_further():
    lines = [Line("A", "50", Decimal(60), MONTHS["2026-P02"], {"department": member}) for member in "de"]
    lines.append(Line("A", "40", Decimal(5), MONTHS["2026-P02"], {"department": "d"}))
    spine = [{"line": "All", "accounts": "4*, 50", "sign": "as booked"}]
    opened = open_figure(
        small(lines, spine, COLUMNS, "2026-P02", Fence.of(sealed="50", grain=())), "all", "gap"
    )  # fmt: skip
    (driver,) = drivers_of(opened, "department").drivers
    assert (driver.code, driver.value, driver.reason, driver.parts) == ("", 120, "sealed", ())
    (account,) = drivers_of(opened, "account").drivers
    assert (account.code, account.reason, account.parts) == ("50", "", ())


def test_a_driver_made_up_by_many_is_told_no_further():
    many = [{"dimension": "department", "code": f"m{at}", "name": f"M{at}"} for at in range(9)]

    def of(count):
        day = MONTHS["2026-P02"]
        lines = [Line("A", "40", Decimal(-10), day, {"department": f"m{at}"}) for at in range(count)]
        opened = open_figure(
            small(lines, [{"line": "Sales", "accounts": "4*"}], COLUMNS, "2026-P02", works={"members": many}),
            "sales", "gap",
        )  # fmt: skip
        (driver,) = drivers_of(opened, "account").drivers
        return len(driver.parts)

    assert of(7) == 7  # six make up four fifths, with one other
    assert of(9) == 0  # it takes eight


def test_one_part_that_leaves_something_is_told():
    """Of 40 one department makes up four fifths and more; it is named with what the other adds."""
    parts = inner(("40", "d", 0, 90), ("40", "e", 0, 10))
    assert [(part.code, part.value, part.share) for part in parts["40"]] == [
        ("d", 90, Fraction(9, 10)), ("", 10, Fraction(1, 10))
    ]  # fmt: skip


def test_small_amounts_are_taken_as_large_ones():
    assert [part.code for part in taken(parts("0.5", "0.3", "0.1"), Fraction("0.9"))] == ["00", "01"]
    assert [part.code for part in taken(parts("-0.5", "-0.3", "-0.1"), Fraction("-0.9"))] == ["00", "01"]
    # of nothing, a fifth of all that moved may be left of a side
    assert [part.code for part in taken(parts("29.9", "20.1", "-50"), Fraction(0))] == ["02", "00", "01"]
    assert [part.code for part in taken(parts("30", "20", "-50"), Fraction(0))] == ["02", "00"]


def test_of_nothing_the_direction_with_the_fewest_that_move_it_is_chosen():
    """Two accounts moved it and two hardly; three departments did."""
    booked = [("40", "d", 0, 30), ("40", "e", 0, 20), ("41", "o", 50, 0), ("42", "o", 0, 1), ("4", "o", 1, 0)]
    drivers = drivers_of(gap(*booked))
    assert (drivers.variance, drivers.by, len(drivers.drivers)) == (0, "account", 2)


@pytest.mark.parametrize(("sealed", "by"), [(53, "department"), (54, "account")])
def test_of_nothing_a_fifth_of_all_that_moved_may_be_untold(sealed, by):
    """d moved by eighty, e by that and what is sealed the other way: a fifth of it all is just over fifty-three."""
    booked = [
        ("40", "d", 40),
        ("41", "d", 40),
        ("42", "e", -40),
        ("4", "e", -40),
        ("50", "d", sealed),
        ("51", "e", -sealed),
    ]
    lines = [Line("A", account, Decimal(amount), MONTHS["2026-P02"], {"department": department})
             for account, department, amount in booked]  # fmt: skip
    spine = [{"line": "All", "accounts": "4*, 5*", "sign": "as booked"}]
    opened = open_figure(small(lines, spine, COLUMNS, "2026-P02", Fence.of(sealed="50", grain=())), "all", "gap")
    assert opened.value == 0 and drivers_of(opened).by == by


def test_what_has_no_partner_is_told_as_such():
    """Two partners and those without one are fewer than accounts and departments."""
    spread = zip(("10", "11", "20", "21"), ("d", "e", "o", "s"), ("B", "", "B", "B"), (25, 30, 25, 20), strict=True)
    lines = [Line("A", account, Decimal(amount), MONTHS["2026-P02"], {"department": department}, partner=partner)
             for account, department, partner, amount in spread]  # fmt: skip
    spine = [{"line": "All", "accounts": "1*, 2*", "sign": "as booked"}]
    drivers = drivers_of(open_figure(small(lines, spine, COLUMNS, "2026-P02"), "all", "gap"))
    assert drivers.by == "partner" and [(one.code, one.value, one.reason) for one in drivers.drivers] == [
        ("B", 70, ""), ("", 30, "none")
    ]  # fmt: skip


def test_a_figure_that_is_no_sum_has_no_drivers():
    columns = [*COLUMNS, {"column": "half", "formula": "now * before"}]
    lines = [Line("A", "40", Decimal(-3), day) for day in MONTHS.values()]
    opened = open_figure(small(lines, [{"line": "Sales", "accounts": "4*"}], columns, "2026-P02"), "sales", "half")
    drivers = drivers_of(opened)
    assert (drivers.by, drivers.drivers, drivers.variance, drivers.rest) == ("", (), 9, 9)


def test_one_part_that_is_all_of_a_driver_is_told_no_further_whatever_cancels_out():
    parts = inner(("40", "d", 0, 60), ("40", "e", 0, 5), ("40", "o", 5, 0))
    assert parts["40"] == ()
    several = inner(("40", "d", 0, 60), ("40", "e", 0, 50), ("40", "o", 50, 0))
    assert [part.code for part in several["40"]] == ["d", "e", "o"]
