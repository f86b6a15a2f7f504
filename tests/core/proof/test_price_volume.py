"""A variance by price, volume and mix, worked by hand; why there is none where nothing is counted."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.proof.price_volume import UnitRate, price_volume
from rulka.core.proof.splits import open_figure
from tests.books import Line
from tests.core.proof.small import small

SPINE = [
    {"line": "Fuel", "accounts": "50, 51", "sign": "as booked", "volume": "90"},
    {"line": "Both", "accounts": "50", "sign": "as booked", "volume": "90, 91"},
    {"line": "Plain", "accounts": "50", "sign": "as booked"},
]
COLUMNS = [
    {"column": "now"},
    {"column": "plan", "scenario": "budget"},
    {"column": "gap", "difference": ["now", "plan"]},
    {"column": "before", "shift": "-1 period"},
    {"column": "two", "sum": ["now", "before"]},
    {"column": "wide", "difference": ["two", "plan"]},
    {"column": "change", "percent": ["now", "plan"]},
]


def lines_of(booked):
    """Of (account, department, scenario, month, amount)."""
    return [
        Line("A", account, Decimal(amount), date(2026, month, 5), {"department": department}, f"2026-P{month:02d}",
             scenario=scenario)
        for account, department, scenario, month, amount in booked
    ]  # fmt: skip


def parted(row, column, *booked, fence=NO_FENCE, **narrow):
    lines = lines_of(booked)
    return price_volume(open_figure(small(lines, SPINE, COLUMNS, "2026-P03", fence), row, column, **narrow))


USUAL = [
    ("50", "d", "actual", 3, 120), ("50", "e", "actual", 3, 90), ("51", "-", "actual", 3, 8),
    ("50", "d", "budget", 3, 100), ("50", "e", "budget", 3, 60),
    ("90", "d", "actual", 3, 12), ("90", "e", "actual", 3, 30),
    ("90", "d", "budget", 3, 10), ("90", "e", "budget", 3, 30),
]  # fmt: skip


def test_price_volume_and_mix_by_member():
    """d costs as planned for each, e a third more; two more of d, which is dearer than the mean; 8 are counted by
    nothing."""
    found = parted("fuel", "gap", *USUAL)
    assert found is not None and (found.value, found.by, found.unit, found.why) == (58, "department", "90", "")
    assert found.members == (
        UnitRate("D", Fraction(120), Fraction(100), Fraction(12), Fraction(10)),
        UnitRate("E", Fraction(90), Fraction(60), Fraction(30), Fraction(30)),
    )
    assert found.total == UnitRate("", Fraction(210), Fraction(160), Fraction(42), Fraction(40))
    assert (found.price, found.volume, found.mix, found.unmeasured) == (30, 8, 12, 8)
    assert found.agrees and found.price + found.volume + found.mix + found.unmeasured == found.value


def test_what_stands_on_no_member_is_called_so():
    found = parted("fuel", "gap", *USUAL, ("90", "-", "actual", 3, 4), ("90", "-", "budget", 3, 4))
    assert found is not None and [rate.label for rate in found.members] == ["No department", "D", "E"]
    assert found.agrees and found.unmeasured == 0


def test_one_member_alone_tells_nothing_apart():
    one = [row for row in USUAL if row[1] == "d"]
    found = parted("fuel", "gap", *one)
    assert found is not None and (found.by, found.mix, found.agrees) == ("", 0, True)
    assert (found.price, found.volume, found.unmeasured) == (0, 20, 0)
    assert [rate.label for rate in found.members] == [""]


def test_columns_that_add_up_others_add_up_what_is_counted():
    found = parted("fuel", "wide", *USUAL, ("50", "d", "actual", 2, 30), ("90", "d", "actual", 2, 3))
    assert found is not None and found.total is not None
    assert (found.total.shown, found.total.quantity, found.total.compared_quantity) == (240, 45, 40)
    assert found.agrees and found.members[0].quantity == 15


def test_several_units_are_called_as_they_are_written():
    found = parted("both", "gap", *USUAL, ("91", "d", "actual", 3, 1))
    assert found is not None and found.unit == "90, 91"


@pytest.mark.parametrize(
    ("booked", "why"),
    [
        ([row for row in USUAL if row[0] != "90"], "Nothing that it is counted by was ever booked."),
        ([row for row in USUAL if row[0] != "90" or row[2] == "actual"],
         "There are no 90 on the side that it is compared with."),
    ],
)  # fmt: skip
def test_why_there_is_none(booked, why):
    found = parted("fuel", "gap", *booked)
    assert found is not None and (found.value, found.why, found.agrees) == (58, why, False)


def test_only_a_difference_of_a_line_that_is_counted_is_parted():
    assert parted("plain", "gap", *USUAL) is None
    assert parted("fuel", "now", *USUAL) is None
    assert parted("fuel", "change", *USUAL) is None
    assert parted("fuel", "gap", *USUAL, way=[("department", "d")]) is None


def test_behind_a_seal_it_is_parted_no_finer_than_its_grain():
    found = parted("fuel", "gap", *USUAL, fence=Fence.of(sealed="90", grain=[]))
    assert found is not None and (found.by, len(found.members), found.agrees) == ("", 1, True)
    assert (found.price, found.volume, found.mix) == (50, 8, 0)


def test_money_on_other_members_than_what_is_counted_is_told_by_none():
    """Trips stand on d alone: nothing is told apart, and all money is per trip."""
    rows = [("50", "d", "actual", 3, 60), ("50", "e", "actual", 3, 20), ("50", "d", "budget", 3, 50),
            ("90", "d", "actual", 3, 4), ("90", "d", "budget", 3, 5)]  # fmt: skip
    found = parted("fuel", "gap", *rows)
    assert found is not None and (found.by, [rate.label for rate in found.members]) == ("", [""])
    assert found.total == UnitRate("", Fraction(80), Fraction(50), Fraction(4), Fraction(5))
    assert (found.price, found.volume, found.mix, found.unmeasured) == (40, -10, 0, 0)


def test_a_member_that_is_counted_in_another_month_only_is_measured_by_nothing():
    rows = [("50", "d", "actual", 3, 60), ("50", "e", "actual", 3, 20), ("50", "d", "budget", 3, 50),
            ("90", "d", "actual", 3, 4), ("90", "d", "budget", 3, 5), ("90", "e", "actual", 1, 9)]  # fmt: skip
    found = parted("fuel", "gap", *rows)
    assert found is not None and (found.by, [rate.label for rate in found.members]) == ("", ["D"])
    assert found.unmeasured == 20 and found.agrees


def test_only_what_a_line_names_is_counted():
    """Hours stand beside trips, a cost is no quantity."""
    found = parted("fuel", "gap", *USUAL, ("91", "d", "actual", 3, 77), ("91", "o", "budget", 3, 5))
    assert found is not None and found.total is not None and found.total.quantity == 42 and found.unit == "90"
    assert found.agrees and found == parted("fuel", "gap", *USUAL)


def test_a_member_counted_on_the_shown_side_only_is_measured_at_the_mean():
    rows = [("50", "d", "actual", 3, 60), ("50", "d", "budget", 3, 50), ("90", "d", "budget", 3, 5),
            ("90", "d", "actual", 3, 5), ("90", "e", "actual", 3, 2)]  # fmt: skip
    found = parted("fuel", "gap", *rows)
    assert found is not None and [(rate.label, rate.quantity) for rate in found.members] == [("D", 5), ("E", 2)]
    assert (found.price, found.volume, found.mix) == (10 - 20, 20, 0)


@pytest.mark.parametrize(
    ("row", "column", "why"),
    [
        ("shut", "gap", "The figure is no sum of what was booked."),
        ("fuel", "on-plan", "One of its columns shows nothing that could be counted alike."),
    ],
)
def test_why_it_is_not_told_is_said(row, column, why):
    lines = lines_of(USUAL)
    spine = [*SPINE, {"line": "Shut", "accounts": "50", "sign": "as booked", "volume": "90", "detail": "closed"}]
    columns = [
        *COLUMNS,
        {"column": "twice", "formula": "now * 2"},
        {"column": "on-plan", "difference": ["twice", "plan"]},
    ]
    found = price_volume(open_figure(small(lines, spine, columns, "2026-P03", by_reader=True), row, column))
    assert found is not None and (found.why, found.unit, found.agrees) == (why, "90", False)


def test_nothing_on_the_compared_side_is_said_with_what_is_counted():
    rows = [row for row in USUAL if not (row[0] == "90" and row[2] == "budget")]
    found = parted("fuel", "gap", *rows)
    assert found is not None and (found.unit, found.by) == ("90", "department")
    assert found.why == "There are no 90 on the side that it is compared with."


def sealed(row, fence, *more, of="entity: A", narrow=""):
    lines = lines_of([*USUAL, *more])
    own = {"narrow": narrow} if narrow else {}
    columns = [{"column": "now", **own}, {"column": "plan", "scenario": "budget", **own},
               {"column": "gap", "difference": ["now", "plan"]}]  # fmt: skip
    return price_volume(open_figure(small(lines, SPINE, columns, "2026-P03", fence, of=of), row, "gap"))


NOT_ALIKE = "One of its columns shows nothing that could be counted alike."


def test_a_column_that_is_finer_than_the_seal_counts_nothing():
    trips = Fence.of(sealed="90", grain=[])
    found = sealed("fuel", trips, narrow="department: d")
    assert found is not None and found.why == NOT_ALIKE
    node = sealed("fuel", trips, of="department: d")
    assert node is not None and node.why == NOT_ALIKE
    # what is sealed besides is no matter
    others = sealed("fuel", Fence.of(sealed="40", grain=[]), ("40", "d", "actual", 3, -5), narrow="department: d")
    assert others is not None and (others.why, others.agrees) == ("", True)


def test_a_week_of_what_is_sealed_counts_nothing():
    """Days are finer than what a seal shows: by week there are no trips to tell."""
    week = {"series": "w", "each": "week", "within": "period", "columns": [
        {"column": "now"}, {"column": "plan", "scenario": "budget", "by day": "spread"},
        {"column": "gap", "difference": ["now", "plan"]}]}  # fmt: skip
    lines = lines_of(USUAL)

    def why(fence):
        whole = small(lines, SPINE, [week], "2026-P03", fence)
        gaps = [column.key for column in whole.columns if column.kind == "difference"]
        (key,) = [key for key in gaps if whole.row("fuel").values[whole.place(key)] not in (None, 0)][:1]
        found = price_volume(open_figure(whole, "fuel", key))
        return found.why if found is not None else None

    assert why(NO_FENCE) == "" and why(Fence.of(sealed="90", grain=[])) == NOT_ALIKE


def test_retained_earnings_are_parted_no_finer_than_the_seal():
    """In which department an open account's result rolled in beside a sealed one's shows in no price either."""

    def found(open_at):
        trips = [("90", member, month, 4) for member in "de" for month in (2025, 2026)]
        booked = [("50", "d", 2025, 70), ("51", open_at, 2025, 5), *trips]
        each = [Line("A", code, Decimal(amount), date(year, 3, 5), {"department": member})
                for code, member, year, amount in booked]  # fmt: skip
        columns = [{"column": "now", "measure": "closing"},
                   {"column": "then", "measure": "closing", "shift": "-1 year"},
                   {"column": "gap", "difference": ["now", "then"]}]  # fmt: skip
        spine = [{"line": "Kept", "accounts": "30", "sign": "as booked", "volume": "90"}]
        whole = small(each, spine, columns, "2026-P03", Fence.of(sealed="50", grain=[]))
        return price_volume(open_figure(whole, "kept", "gap"))

    at_d, at_e = found("d"), found("e")
    assert at_d is not None and at_d == at_e and at_d.value == 75 and at_d.unmeasured == 75
