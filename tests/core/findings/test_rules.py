"""Each rule on a ledger made for it: the sound one finds nothing, the spoilt one what was spoilt and nothing else."""

from __future__ import annotations

import calendar
from collections.abc import Callable
from dataclasses import replace
from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.errors import RulkaError
from rulka.core.findings.evidence import Arrivals, Evidence
from rulka.core.findings.finding import RULES, Finding, Tuned, Tuning, find_rule
from rulka.core.findings.judging import JUDGES, findings_of
from tests.books import Line, Works, book_of

CALENDAR = {"first_month": 1, "year_label": "start", "first_year": 2024, "last_year": 2026, "adjusting_periods": 0}
ACCOUNTS = [
    {"code": "10", "name": "Bank", "type": "asset"},
    {"code": "11", "name": "Customers", "type": "asset"},
    {"code": "12", "name": "Wear", "type": "asset"},
    {"code": "15", "name": "Current account", "type": "asset", "intercompany": "1"},
    {"code": "20", "name": "Suppliers", "type": "liability"},
    {"code": "30", "name": "Kept", "type": "equity"},
    {"code": "40", "name": "Sales", "type": "revenue"},
    {"code": "45", "name": "Fees from the group", "type": "revenue", "intercompany": "1"},
    {"code": "50", "name": "Wages", "type": "expense"},
    {"code": "51", "name": "Rent", "type": "expense"},
    {"code": "52", "name": "Wear of the year", "type": "expense"},
    {"code": "55", "name": "Fees to the group", "type": "expense", "intercompany": "1"},
    {"code": "59", "name": "Power", "type": "expense"},
]
MEMBERS = [{"dimension": "department", "code": code, "name": code} for code in ("deck", "office", "shop")]
MONTHS = [(year, month) for year in (2025, 2026) for month in range(1, 13)][:20]
"""January 2025 to August 2026."""
NOW = (2026, 8)


def entry(day: date, number: str, *lines: tuple[str, int], entity: str = "A", **fields: str) -> list[Line]:
    department, partner = fields.pop("department", "-"), fields.pop("partner", "")
    return [
        Line(entity, account, Decimal(amount), day, {"department": department}, entry=number,
             partner=partner if account in ("15", "45", "55") else "", **fields)
        for account, amount in lines
    ]  # fmt: skip


def weekday(year: int, month: int, day: int) -> date:
    """A day of the month that is none of a weekend."""
    found = date(year, month, day)
    return found.replace(day=day - 2) if found.weekday() >= 5 and day > 2 else found


def month_of(year: int, month: int) -> list[Line]:
    """A sound month: sales, wages of two departments, rent, wear, an invoice paid in the next month, fees in the group.
    Amounts move a little, so that none is the other's."""
    at = year * 12 + month
    salt = at * 37 % 29
    name = f"{year}{month:02d}"
    paid = (year, month - 1) if month > 1 else (year - 1, 12)
    lines = []
    for number, day in enumerate((3, 10, 17, 24), 1):
        lines += entry(weekday(year, month, day), f"s{name}{number}", ("11", 9_011 + salt), ("40", -9_011 - salt),
                       source="sales", document=f"S{name}{number}", counterparty="C1")  # fmt: skip
        lines += entry(weekday(year, month, day), f"r{name}{number}", ("10", 9_011 + salt), ("11", -9_011 - salt),
                       source="bank", document=f"S{name}{number}", counterparty="C1")  # fmt: skip
    lines += entry(weekday(year, month, 25), f"w1{name}", ("50", 8_003 + salt), ("10", -8_003 - salt), source="pay",
                   department="deck")  # fmt: skip
    lines += entry(weekday(year, month, 25), f"w2{name}", ("50", 3_007 + salt), ("10", -3_007 - salt), source="pay",
                   department="office")  # fmt: skip
    lines += entry(weekday(year, month, 20), f"i{name}", ("51", 2_517 + salt), ("20", -2_517 - salt), source="bills",
                   document=f"I{name}", counterparty="V1")  # fmt: skip
    if paid in MONTHS:
        before = (paid[0] * 12 + paid[1]) * 37 % 29
        former = f"I{paid[0]}{paid[1]:02d}"
        lines += entry(weekday(year, month, 19), f"p{name}", ("20", 2_517 + before), ("10", -2_517 - before),
                       source="bank", document=former, counterparty="V1")  # fmt: skip
    lines += entry(weekday(year, month, 26), f"d{name}", ("52", 1_203), ("12", -1_203), source="wear")
    for entity, partner, fee in (("A", "B", "55"), ("B", "A", "45")):
        sign = 1 if fee == "55" else -1
        lines += entry(weekday(year, month, 27), f"f{name}{entity}", (fee, sign * (5_003 + salt)),
                       ("15", -sign * (5_003 + salt)), entity=entity, source="group", partner=partner)  # fmt: skip
    return lines


def sound() -> list[Line]:
    return [line for year, month in MONTHS for line in month_of(year, month)]


AS_IT_COMES, ALL_AT_ONCE = Tuning(), Arrivals()


def found_in(
    lines: list[Line],
    at: tuple[int, int] = NOW,
    tuning: Tuning = AS_IT_COMES,
    arrivals: Arrivals = ALL_AT_ONCE,
    fence: Fence = NO_FENCE,
) -> list[Finding]:
    entities = [{"code": "A", "currency": "EUR"}, {"code": "B", "currency": "EUR"}]
    works = Works(CALENDAR, entities, ACCOUNTS, MEMBERS, lines, reserve="")
    view = book_of(works).within(fence)
    return findings_of(Evidence(view, view.frame.calendar.period(f"{at[0]}-P{at[1]:02d}"), tuning, arrivals))


def test_nothing_is_found_in_a_sound_ledger_in_any_month():
    lines = sound()
    for year, month in MONTHS:
        assert found_in(lines, (year, month)) == []


def without(lines: list[Line], number: str) -> list[Line]:
    return [line for line in lines if line.entry != number]


def changed(lines: list[Line], number: str, change: Callable[[Line], Line]) -> list[Line]:
    return [change(line) if line.entry == number else line for line in lines]


def only(lines: list[Line], rule: str, at: tuple[int, int] = NOW, **more: object) -> Finding:
    """The one finding of a spoilt ledger."""
    (finding,) = found_in(lines, at, **more)  # type: ignore[arg-type]
    assert finding.rule == rule, finding
    return finding


def test_a_balance_on_the_other_side_is_found_and_one_that_always_stands_there_is_not():
    overdrawn = [*sound(), *entry(date(2026, 8, 12), "x1", ("10", -900_000), ("30", 900_000), source="bank")]
    finding = next(one for one in found_in(overdrawn) if one.rule == "sign" and one.accounts == ("10",))
    assert finding.title.endswith("stands on the credit side") and finding.entries[0].number == "x1"
    assert finding.sure == 75 and finding.entity == "A"
    # wear is an asset that always stands on the credit side: the sound ledger above has it, and finds nothing


def test_silence_names_each_account_that_kept_still():
    found = found_in(without(sound(), "d202608"))
    assert {(one.rule, one.accounts, one.amount) for one in found} == {
        ("silent", ("12",), 120_300), ("silent", ("52",), 120_300),
    }  # fmt: skip
    assert all(one.entries == () for one in found)
    # the month after the entity stopped altogether says nothing: nothing of it was booked yet
    assert found_in([line for line in sound() if line.entity == "A" or line.day < date(2026, 8, 1)]) != []


def test_the_first_use_of_an_account_is_found_once():
    first = [*sound(), *entry(date(2026, 7, 14), "x1", ("59", 1_316), ("10", -1_316), source="bills")]
    again = [*first, *entry(date(2026, 8, 14), "x2", ("59", 1_402), ("10", -1_402), source="bills")]
    finding = only(again, "first", (2026, 7))
    assert (finding.accounts, finding.amount, finding.entries[0].number) == (("59",), 131_600, "x1")
    assert found_in(again) == []
    early = [line for line in again if line.day >= date(2026, 5, 1)]
    assert [one.rule for one in found_in(early, (2026, 7))] == []  # the ledger is too young to tell


def test_a_bill_that_was_booked_twice_is_found_and_one_that_was_taken_back_is_not():
    double = [replace(line, entry="x1", day=date(2026, 8, 21)) for line in sound() if line.entry == "i202608"]
    found = [one for one in found_in([*sound(), *double]) if one.rule == "twice"]
    assert found and {name.number for one in found for name in one.entries} == {"i202608", "x1"}
    assert all("I202608" in one.title and one.sure == 95 for one in found)
    back = [replace(line, entry="x2", amount=-line.amount, day=date(2026, 8, 24)) for line in double]
    assert not [one for one in found_in([*sound(), *double, *back]) if one.rule == "twice"]
    # the same without a document within days is perhaps the same thing; what comes each month is not
    bare = [replace(line, entry=name, document="", day=date(2026, 8, day), amount=line.amount * 3)
            for name, day in (("x3", 11), ("x4", 13)) for line in sound() if line.entry == "i202608"]  # fmt: skip
    assert {one.sure for one in found_in([*sound(), *bare]) if one.rule == "twice"} == {50}
    far = [replace(line, day=date(2026, 8, 28)) if line.entry == "x4" else line for line in bare]
    assert not [one for one in found_in([*sound(), *far]) if one.rule == "twice"]


def test_entries_that_came_late_or_into_a_closed_period_are_found():
    came = changed(sound(), "i202605", lambda line: replace(line, revision=2))
    late = Arrivals({2: 12 + 12 + 7})  # August 2026 was booked already
    finding = only(came, "late", (2026, 5), arrivals=late)
    assert "3 later periods" in finding.detail and finding.entries[0].number == "i202605"
    assert found_in(came, (2026, 5), arrivals=Arrivals({2: 12 + 12 + 5})) == []  # a month later is usual
    shut = only(came, "late", (2026, 5), arrivals=Arrivals({2: 28}, {(0, 28): 2}))
    assert "closed" in shut.detail and shut.sure == 98
    assert found_in(came, (2026, 5), arrivals=Arrivals({2: 28}, {(0, 28): 3})) == []
    away = changed(sound(), "i202608", lambda line: replace(line, day=date(2026, 5, 20), period="2026-P08"))
    assert "days outside" in only(away, "late").detail


def test_round_amounts_and_weekends_are_found_only_where_their_source_hardly_has_any():
    many = [line for at in range(1, 61) for line in entry(weekday(2026, 8, max(at % 28, 3)), f"m{at}", ("51", 117 + at),
            ("10", -117 - at), source="bills")]  # fmt: skip
    plain = [*sound(), *many]
    assert [one for one in found_in(plain) if one.rule == "unusual"] == []
    by_hand = entry(date(2026, 8, 12), "x1", ("51", 20_000), ("10", -20_000), source="bills")
    found = [one for one in found_in([*plain, *by_hand]) if one.rule == "unusual"]
    assert [one.entries[0].number for one in found] == ["x1"] and "round" in found[0].title
    always = [replace(line, amount=line.amount.copy_sign(line.amount) * 0 + Decimal(20_000).copy_sign(line.amount))
              for line in many]  # fmt: skip
    assert not [one for one in found_in([*sound(), *always, *by_hand]) if one.rule == "unusual"]
    sunday = entry(date(2026, 8, 9), "x2", ("40", -7_013), ("10", 7_013), source="till")
    assert calendar.weekday(2026, 8, 9) == 6
    days = [date(2026, month, day) for month in range(2, 9) for day in range(1, 29)]
    open_days = [day for day in days if day.weekday() < 5]

    def tills(days: list[date]) -> list[Line]:
        return [line for day in days for line in entry(day, f"t{day:%m%d}", ("40", -3), ("10", 3), source="till")]

    found = [one for one in found_in([*plain, *tills(open_days), *sunday]) if one.rule == "unusual"]
    assert [one.entries[0].number for one in found] == ["x2"] and "Sunday" in found[0].title
    # a till that is open every day has Sundays too, and of one that hardly books anything nothing is known
    for usual in (days, open_days[::5]):
        assert not [one for one in found_in([*plain, *tills(usual), *sunday]) if one.rule == "unusual"]


def test_a_pay_run_in_another_department_is_found():
    elsewhere = changed(sound(), "w1202608", lambda line: replace(line, members={"department": "shop"}))
    finding = only(elsewhere, "moved")
    assert finding.title == "50 Wages of deck in shop" and finding.entries[0].number == "w1202608"
    # a department that grew, without another one that shrank, moved nothing
    grown = changed(sound(), "w2202608", lambda line: replace(line, amount=line.amount * 2))
    assert found_in(grown) == []


def test_companies_that_do_not_agree_are_found_with_the_entries_that_have_no_answer():
    short = changed(sound(), "f202608A", lambda line: replace(line, amount=line.amount - (1 if line.amount > 0 else -1)
                    * 400))  # fmt: skip
    finding = only(short, "apart")
    assert (finding.amount, finding.currency) == (40_000, "EUR")
    assert {name.number for name in finding.entries} == {"f202608A", "f202608B"}


def test_a_bill_that_nobody_paid_is_found_after_the_usual_time():
    unpaid = without(sound(), "p202606")  # the invoice of May
    assert not [one for one in found_in(unpaid, (2026, 6)) if one.rule == "old"]
    found = [one for one in found_in(unpaid) if one.rule == "old"]
    assert [(one.accounts, one.entries[0].number) for one in found] == [(("20",), "i202605")]
    assert "I202605" in found[0].title


def test_rules_can_be_tuned_and_switched_off():
    spoilt = without(sound(), "d202608")
    off = Tuning({"silent": Tuned(False, Fraction(0), 12)})
    assert found_in(spoilt, tuning=off) == []
    dear = Tuning({"silent": Tuned(True, Fraction(5_000), 12)})
    assert found_in(spoilt, tuning=dear) == []
    assert set(RULES) == set(JUDGES)
    with pytest.raises(RulkaError, match="no rule"):
        find_rule("nothing")


def test_a_fence_shows_what_lies_inside_and_scores_are_in_order():
    spoilt = [
        *without(sound(), "d202608"),
        *entry(date(2026, 8, 14), "x1", ("59", 150_000), ("10", -150_000), source="bills"),
    ]
    found = found_in(spoilt)
    assert [one.score for one in found] == sorted((one.score for one in found), reverse=True)
    assert all(0 < one.score < 1 for one in found)
    inside = found_in(spoilt, fence=Fence.of(accounts="50 to 52"))
    assert {one.accounts for one in inside} == {("52",)}
    assert found_in(spoilt, fence=Fence.of(entities="B")) == []


def test_an_empty_month_is_no_sound_one():
    with pytest.raises(RulkaError, match="Nothing is booked"):
        found_in(sound(), (2026, 11))
