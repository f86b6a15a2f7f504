"""What a sheet covers, what hides, bounded tables and blocks, row lists, the guide: over a small ledger in plain lines,
whose figures are added up here by hand."""

from __future__ import annotations

import itertools
from dataclasses import replace
from datetime import date
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import rulka.core.sheet.functions  # noqa: F401
from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.errors import RulkaError
from rulka.core.sheet import blocks, edits, guide, listed
from rulka.core.sheet.bounded import Bounded, BoundedPiece, bounded_from, check_bounded
from rulka.core.sheet.calculating import Calculation
from rulka.core.sheet.covering import coverage_of, groups_of
from rulka.core.sheet.differing import steps_between
from rulka.core.sheet.hiding import hidden_by
from rulka.core.sheet.ledger_functions import LedgerSource
from rulka.core.sheet.steps import apply, inverses
from rulka.core.sheet.surroundings import Surroundings
from rulka.core.sheet.tracing import trace_cell_value
from rulka.core.sheet.values import Array, SheetError
from rulka.core.sheet.workbook import Cell, Sheet, Workbook, copied
from tests.books import Line, Works, book_of
from tests.lengths import several

ACCOUNTS = [
    {"code": "4", "name": "Income", "type": "revenue"},
    {"code": "40", "name": "Fares", "type": "revenue", "parent": "4"},
    {"code": "41", "name": "Freight", "type": "revenue", "parent": "4"},
    {"code": "5", "name": "Costs", "type": "expense"},
    {"code": "50", "name": "Crew", "type": "expense", "parent": "5"},
    {"code": "51", "name": "Fuel", "type": "expense", "parent": "5"},
    {"code": "52", "name": "Rent", "type": "expense", "parent": "5"},
    {"code": "10", "name": "Bank", "type": "asset"},
    {"code": "30", "name": "Kept", "type": "equity"},
]
ENTITIES = [{"code": "A", "name": "Alba", "currency": "EUR"}, {"code": "B", "name": "Berth", "currency": "SEK"}]
MEMBERS = [
    {"dimension": "department", "code": "s", "name": "Ships"},
    {"dimension": "department", "code": "d", "name": "Deck", "parent": "s"},
    {"dimension": "department", "code": "e", "name": "Engine", "parent": "s"},
    {"dimension": "department", "code": "o", "name": "Office"},
]
CALENDAR = {"first_month": 1, "year_label": "end", "first_year": 2026, "last_year": 2026}


def works(*more: Line, accounts: Any = ACCOUNTS) -> Works:
    made = []
    for month, (account, amount, member, entity) in itertools.product(
        (1, 2, 3),
        [("40", -100, "d", "A"), ("40", -30, "o", "A"), ("41", -50, "d", "A"), ("50", 60, "e", "A"),
         ("51", 20, "d", "A"), ("40", -7, "d", "B")],
    ):  # fmt: skip
        entry = f"{account}{month}{member}{entity}"
        made.append(
            Line(entity, account, Decimal(amount * month), date(2026, month, 5), {"department": member}, "", entry)
        )
        made.append(Line(entity, "10", Decimal(-amount * month), date(2026, month, 5), {}, "", entry))
    return Works(CALENDAR, ENTITIES, accounts, MEMBERS, [*made, *more], reserve="")


TABLE = {
    "table": "t",
    "title": "T",
    "rows": [{"of": "account", "take": "4, 5", "level": "one below", "total": "All"}],
    "columns": [{"of": "time", "take": "2026-P01 to 2026-P02"}],
    "page": [{"of": "department", "default": "", "permitted": ["under:s"]}],
}


class House:
    """A workbook over a small ledger, calculated again after each change."""

    def __init__(self, made: Works, table: dict[str, Any] | None = None, fence: Fence = NO_FENCE) -> None:
        self.workbook = Workbook([Sheet(1, "S")])
        self.table = table or TABLE
        self.fence = fence
        self.open(made)

    def open(self, made: Works) -> None:
        view = book_of(made).within(self.fence)
        period = view.frame.calendar.period("2026-P02")
        self.around = Surroundings(view, period, "A", "w", bounded=self.bounded)
        self.source = LedgerSource(self.around)
        self.calculate()

    def bounded(self, name: str) -> Any:
        if name != self.table["table"]:
            raise RulkaError("no table")
        return bounded_from(self.table)

    @property
    def sheet(self) -> Sheet:
        return self.workbook.sheets[0]

    def calculate(self) -> None:
        self.calculation = Calculation(self.workbook.inputs(), source=self.source, context=self.around)

    def do(self, steps: list[Any]) -> None:
        for step in steps:
            apply(self.workbook, step)
        self.calculate()

    def type(self, **cells: str) -> None:
        from rulka.core.sheet.addresses import read_cell

        places = {read_cell(at): text for at, text in cells.items()}
        self.do(edits.type_cells(self.workbook, self.sheet, places))  # type: ignore[arg-type]

    def at(self, cell: str) -> Any:
        from rulka.core.sheet.addresses import read_cell

        return self.calculation.shown_at((1, *read_cell(cell)))  # type: ignore[misc]

    def layout(self, choices: dict[str, str] | None = None) -> Any:
        piece = BoundedPiece(bounded_from(self.table), tuple((choices or {}).items()), self.source.amounts)
        return blocks.table_layout(piece, choices or {})

    def rows(self) -> dict[str, list[Any]]:
        """By what stands in column A the values beside it."""
        used = self.calculation.used_rows(1)
        found = {}
        for row in range(1, used + 1):
            values = [self.at(f"{column}{row}") for column in "BCDEF"]
            if any(value not in (None, "") for value in values) or self.at(f"A{row}"):
                found[str(self.at(f"A{row}") or "")] = values
        return found


# covering -----------------------------------------------------------------------------------------------------------


def test_what_a_sheet_misses_and_covers_twice_with_amounts():
    house = House(works())
    house.type(A1="40", B1='=RULKA.ACTIVITY(A1)', A2="50", B2="=RULKA.ACTIVITY(A2)", B3='=RULKA.ACTIVITY("5*")',
               C1='=RULKA.ACTIVITY(A1,"2026-P01")', B9="=1/0")  # fmt: skip
    groups = groups_of(house.calculation, 1, house.source)
    assert [(group.question.period, len(group.askers)) for group in groups] == [("2026-P02", 5), ("2026-P01", 1)]
    own = coverage_of(groups[0], "", house.source.amounts)
    assert own.words == "result accounts" and own.wanted == 5
    assert [(odd.code, odd.amount) for odd in own.missing] == [("41", Decimal(-100))]
    assert [(odd.code, odd.amount, len(odd.cells)) for odd in own.twice] == [("50", Decimal(120), 2)]
    assert not own.is_whole
    house.type(B3='=RULKA.ACTIVITY("41, 51, 52")')
    own = coverage_of(groups_of(house.calculation, 1, house.source)[0], "", house.source.amounts)
    assert own.is_whole
    by_selection = coverage_of(groups_of(house.calculation, 1, house.source)[0], "10, 40", house.source.amounts)
    assert [(odd.code, odd.amount) for odd in by_selection.missing] == [("10", Decimal(2 * (180 - 80)))]
    wrong = coverage_of(groups_of(house.calculation, 1, house.source)[0], "99", house.source.amounts)
    assert wrong.problem and not wrong.is_whole  # what was not judged does not hold
    assert groups_of(House(works()).calculation, 1, house.source) == []


@settings(max_examples=several(40), deadline=None)
@given(st.lists(st.sampled_from(["40", "41", "5*", "50, 51", "4", "under:5", "52", "10"]), max_size=6))
def test_coverage_counts_as_one_counts_by_hand(asked):
    house = House(works())
    house.type(**{f"A{at}": f'=RULKA.ACTIVITY("{text}")' for at, text in enumerate(asked, 1)})
    groups = groups_of(house.calculation, 1, house.source)
    meant = {"40": ["40"], "41": ["41"], "5*": ["5", "50", "51", "52"], "50, 51": ["50", "51"], "4": ["4"],
             "under:5": ["5", "50", "51", "52"], "52": ["52"], "10": ["10"]}  # fmt: skip
    counts: dict[str, int] = {}
    for text in asked:
        for code in meant[text]:
            counts[code] = counts.get(code, 0) + 1
    if not asked:
        assert not groups
        return
    own = coverage_of(groups[0], "*", house.source.amounts)
    able = {"40", "41", "50", "51", "52", "10", "30"}
    assert {odd.code for odd in own.missing} == able - set(counts)
    assert {odd.code for odd in own.twice} == {code for code, count in counts.items() if count > 1}


# hiding -------------------------------------------------------------------------------------------------------------


def test_rows_hide_when_all_is_exactly_zero_and_show_again():
    house = House(works())
    house.type(A1="100", B1="-100", A2="0", B2="=A2*2", A3="", B3="=1/0", A4="text", B4="0", A6="0.0049", B6="0",
               A7="0", C7="=A7=0", C8="=1=2", C9="=1/0")  # fmt: skip
    rules = [{"kind": "empty", "axis": "rows", "box": [0, 0, 6, 1]}]
    assert hidden_by(rules, 1, house.calculation)[0] == {1, 6}
    house.type(A2="1")
    assert hidden_by(rules, 1, house.calculation)[0] == {6}
    by_condition = [{"kind": "condition", "axis": "rows", "box": [6, 2, 8, 2]}]
    assert hidden_by(by_condition, 1, house.calculation) == ({6}, set())
    house.type(A20="0", B20="=TRUE")
    columns = [{"kind": "condition", "axis": "columns", "box": [19, 0, 19, 1]}]
    assert hidden_by(columns, 1, house.calculation) == (set(), {1})


# states -------------------------------------------------------------------------------------------------------------


def test_steps_from_one_state_to_another_and_back():
    house = House(works())
    house.type(A1="1", B2="=A1*2")
    before = copied(house.workbook)
    before.looks = list(before.looks)
    house.do(edits.set_look(house.workbook, house.sheet, [blocks.Box(0, 0, 1, 1)], {"bold": True}))
    house.do(edits.add_sheet(house.workbook, "More"))
    house.do(edits.name_cells(house.workbook, house.sheet, blocks.Box(0, 0, 0, 0), "one"))
    house.type(A1="7", C9="text")
    after = copied(house.workbook)
    steps = steps_between(house.workbook, before)
    house.do(steps)
    assert {at: cell.input for at, cell in house.sheet.cells.items() if cell.input} == {(0, 0): "1", (1, 1): "=A1*2"}
    assert len(house.workbook.sheets) == 1 and not house.workbook.names and house.at("B2") == 2
    assert not any(house.workbook.look(cell.look) for cell in house.sheet.cells.values())
    house.do(inverses(steps))
    assert house.workbook.sheets == after.sheets and house.workbook.names == after.names
    assert steps_between(house.workbook, after) == []


# bounded tables -----------------------------------------------------------------------------------------------------


def by_hand(account: str, month: int, members: str = "deo") -> Decimal:
    return sum(
        (line.amount for line in works().lines if line.entity == "A" and line.account == account
         and line.day.month == month and (account == "10" or line.members.get("department") in tuple(members))),
        Decimal(0),
    )  # fmt: skip


def test_a_closed_piece_says_what_the_ledger_says():
    house = House(works())
    house.type(A1='=RULKA.HEAD("t")', A2='=RULKA.BOUNDED("t","","")')
    assert house.at("A1").startswith("Alba · every department · by time · actual · activity · EUR · as of revision 1")
    rows = house.rows()
    assert [rows["Account"][0], rows["Account"][1]] == ["Name", "January 2026"]
    for code in ("40", "41", "50", "51", "52"):
        assert rows[code][1:3] == [by_hand(code, 1), by_hand(code, 2)], code
    assert rows[""][:3] == ["All", *[sum(by_hand(c, m) for c in ("40", "41", "50", "51", "52")) for m in (1, 2)]]
    trace = trace_cell_value(house.calculation, (1, 2, 2))
    assert [part.question.accounts for part in trace.parts] == ["40"] and trace.parts[0].value == by_hand("40", 1)
    house.type(A2='=RULKA.BOUNDED("t","","","department","d")')
    assert house.rows()["40"][1] == by_hand("40", 1, "d") and house.rows()["50"][1] == 0


BEYOND = [
    '=RULKA.BOUNDED("t","10","2026-P01")', '=RULKA.BOUNDED("t","4","2026-P01")', '=RULKA.BOUNDED("t","*","2026-P01")',
    '=RULKA.BOUNDED("t","40","2026-P03")', '=RULKA.BOUNDED("t","40","this")', '=RULKA.BOUNDED("t","40","")',
    '=RULKA.BOUNDED("t","","2026-P03")', '=RULKA.BOUNDED("t","40","2026-P01","department","o")',
    '=RULKA.BOUNDED("t","40","2026-P01","department","*")', '=RULKA.BOUNDED("t","40","2026-P01","department","d, o")',
    '=RULKA.BOUNDED("t","40","2026-P01","entity","B")', '=RULKA.BOUNDED("t","40","2026-P01","scenario","budget")',
    '=RULKA.BOUNDED("t","40","2026-P01","time","2026-P03")', '=RULKA.BOUNDED("t","","","department","not d")',
    '=RULKA.BOUNDED("other","40","2026-P01")', '=RULKA.BOUNDED("t","40 > d","2026-P01")',
    '=RULKA.BOUNDED("t","40","2026-P01","department","d","department","o")', '=RULKA.BOUNDED("t","under:5","2026-P01")',
]  # fmt: skip


@pytest.mark.parametrize("formula", BEYOND)
def test_nothing_beyond_a_table_is_answered(formula):
    house = House(works())
    house.type(A1=formula)
    assert isinstance(house.at("A1"), SheetError) and house.at("A1").note, formula


def test_what_a_seal_gathers_is_posted_to_no_member():
    """A head that nothing is posted to is no row, wherever it stands among the codes."""
    members = [{"dimension": "department", "code": code, "name": code.upper(), "parent": parent}
               for code, parent in (("d", "z"), ("z", ""))]  # fmt: skip
    lines = [line for line in works().lines if line.members.get("department", "d") == "d"]
    raw = {**TABLE, "rows": [{"of": "department", "level": "posted"}], "page": [{"of": "account", "default": "4"}]}
    for fence in (NO_FENCE, Fence.of(sealed="51", grain=[])):
        piece = House(replace(works(), members=members, lines=lines), raw, fence).source.amounts
        assert [row.key for row in BoundedPiece(bounded_from(raw), (), piece).rows] == ["d"]


@settings(max_examples=several(60), deadline=None)
@given(
    st.sampled_from(["4", "5", "4, 5", "40, 51", "5*", ""]),
    st.sampled_from(["posted", "one below", "everything below", "as named"]),
    st.sampled_from(["", "Total"]),
    st.sampled_from([NO_FENCE, Fence.of(accounts="4*, 50"), Fence.of(members={"department": "d"}), Fence.of("B")]),
)
def test_random_tables_agree_with_formulas_and_never_leave_the_fence(take, level, total, fence):
    raw = {**TABLE, "rows": [{"of": "account", "take": take, "level": level, "total": total}]}
    house = House(works(), raw, fence)
    node = "B" if fence == Fence.of("B") else "A"
    house.around = Surroundings(house.around.view, house.around.period, node, "w", bounded=house.bounded)
    house.source = LedgerSource(house.around)
    try:
        piece = BoundedPiece(bounded_from(raw), (), house.source.amounts)
    except RulkaError as error:
        assert "means no" in str(error)
        return
    seen = house.around.view.visible_accounts()
    codes = {item.code for item, is_in in zip(house.around.view.frame.accounts.items, seen, strict=True) if is_in}
    for row in piece.rows:
        value = piece.figure(row, piece.columns[0])
        if row.is_total:
            parts = [
                piece.figure(line, piece.columns[0]) for line in piece.rows if not line.is_total and not line.depth
            ]
            assert isinstance(value, SheetError) or value == sum(parts)
            continue
        assert row.key in codes
        deep = level != "posted" and row.key in ("4", "5")
        text = f"under:{row.key}" if deep else row.key
        house.type(A1=f'=RULKA.ACTIVITY("{text}","2026-P01")')
        assert value == house.at("A1"), (row.key, level)


def test_what_a_table_cannot_be_is_told():
    view = book_of(works()).within(NO_FENCE)
    around = Surroundings(view, view.frame.calendar.period("2026-P02"), "A", "w")
    for change, told in (
        ({"rows": []}, "no rows"), ({"measure": "weight"}, "no measure"), ({"colour": "red"}, "nothing a bounded"),
        ({"columns": [{"of": "account"}]}, "twice"), ({"columns": [{"of": "time"}]}, "which time"),
        ({"columns": [{"of": "scenario", "take": "actual", "total": "x"}]}, "means nothing"),
        ({"narrow": "department: d"}, "lies in it too"), ({"accounts": "4*"}, "lie in it too"),
        ({"columns": [{"of": "colour", "take": "x"}]}, "no 'colour'"),
        ({"rows": [{"of": "account", "level": "far"}]}, "is none"), ({"table": ""}, "no name"),
        ({"beside": [{"title": "x", "formula": "{nothing}"}]}, "no column"),
        ({"rows": [{"of": "account", "take": "99"}]}, "means no account"),
    ):  # fmt: skip
        with pytest.raises(RulkaError, match=told):
            check_bounded(bounded_from({**TABLE, **change}), view, around)


def test_totals_refuse_what_they_would_count_twice_and_mixed_currencies():
    twice = {**TABLE, "rows": [{"of": "account", "take": "4, 40", "level": "as named", "total": "All"}]}
    house = House(works(), twice)
    house.type(A1='=RULKA.BOUNDED("t","total","2026-P01")')
    assert "count 40 twice" in house.at("A1").note
    mixed = {**TABLE, "page": [], "columns": [{"of": "entity", "total": "Both"}]}
    house = House(works(), mixed)
    house.type(A1='=RULKA.BOUNDED("t","40","total")', A2='=RULKA.BOUNDED("t","41","total")')
    assert "mix currencies" in house.at("A1").note and house.at("A2") == -100


def test_formulas_beside_and_empty_rows():
    raw = {**TABLE, "empty rows": "dropped", "beside": [{"title": "More", "formula": "{2026-P02}-{2026-P01}"}]}
    house = House(works(), raw)
    house.type(A1='=RULKA.BOUNDED("t","","")')
    rows = house.rows()
    assert "52" not in rows and rows["Account"][3] == "More" and rows["40"][3] == by_hand("40", 2) - by_hand("40", 1)
    house.type(A1="")
    house.do(blocks.place(house.workbook, house.sheet, 0, 0, house.layout()).steps)
    assert house.rows()["40"][:4] == rows["40"][:4]


# blocks -------------------------------------------------------------------------------------------------------------


def placed(house: House, **block: Any) -> dict[str, Any]:
    house.do(blocks.place(house.workbook, house.sheet, 0, 0, house.layout(block.get("choices")), **block).steps)
    return house.sheet.settings["blocks"][-1]


def refreshed(house: House, choices: dict[str, str] | None = None) -> list[str]:
    block = dict(house.sheet.settings["blocks"][0])
    if choices is not None:
        block |= {"former": block["choices"], "choices": choices}
    done = blocks.refresh(house.workbook, house.sheet, block, house.layout(block["choices"]))
    house.do(done.steps)
    return done.told


def test_rows_stay_with_their_member_as_the_block_grows_and_shrinks():
    house = House(works())
    placed(house)
    house.type(E2="Note", E3="=C3*2", E4="=C4*2", E5="=C5*2", F5="by hand", A12="below the block")
    assert refreshed(house) == []
    # a row put in beside a member, an account that comes to the ledger, a row that is deleted
    house.do(edits.remap(house.workbook, house.sheet, "insert", "rows", 4, 1))
    house.type(A5="my own row", C5="=C4+1")
    row = next(at for at in range(1, 20) if house.at(f"A{at}") == "51")
    house.do(edits.remap(house.workbook, house.sheet, "delete", "rows", row - 1, 1))
    more = [{"code": "42", "name": "Berths", "type": "revenue", "parent": "4"}, *ACCOUNTS]
    line = Line("A", "42", Decimal(-9), date(2026, 1, 9), {"department": "d"}, "", "x")
    bank = Line("A", "10", Decimal(9), date(2026, 1, 9), {}, "", "x")
    house.open(works(line, bank, accounts=more))
    told = refreshed(house)
    assert sorted(told) == ["42 is new", "51 is new"]
    rows = house.rows()
    keys = list(rows)
    assert rows["42"][1] == -9 and rows["51"][1:3] == [20, 40] and rows["50"][4] == "by hand"
    assert keys.index("my own row") == keys.index("41") + 1 and keys.index("42") == keys.index("my own row") + 1
    assert rows["my own row"][1] == rows["41"][1] + 1
    assert rows["42"][3] == -18, "formulas beside go on in a new row"
    assert rows["50"][3] == 120 and "below the block" in rows
    assert rows[""][1] == sum(rows[code][1] for code in ("40", "41", "42", "50", "51", "52"))
    assert refreshed(house) == [] and house.rows() == rows  # twice is as once
    # the account goes again, and another one beside which somebody wrote
    house.open(works(accounts=[one for one in ACCOUNTS if one["code"] not in ("42", "52")]))
    house.type(**{f"F{keys.index('52') + 1}": "why?"})
    told = refreshed(house)
    assert "42 is gone" in told and any("52 is gone; its row stays" in one for one in told)
    rows = house.rows()
    assert "42" not in rows and rows["52 (gone)"][1] is None and rows["52 (gone)"][4] == "why?"
    assert refreshed(house) == []


def test_other_choices_and_columns_are_taken_in():
    house = House(works())
    placed(house)
    house.type(E3="=C3*2", D20="='S'!C3")
    refreshed(house, {"department": "d"})
    assert house.rows()["50"][1] == 0 and house.rows()["40"][1] == by_hand("40", 1, "d")
    assert '"department","d"' in house.sheet.cell(2, 2).input
    with pytest.raises(RulkaError, match="not permitted"):
        refreshed(house, {"department": "o"})
    house.table = {**TABLE, "columns": [{"of": "time", "take": "2026-P01 to 2026-P03"}]}
    house.open(works())
    assert refreshed(house) == ["Column 2026-P03 is new"]
    assert house.rows()["40"][3] == by_hand("40", 3, "d") and house.rows()["40"][4] == by_hand("40", 1, "d") * 2
    house.table = {**TABLE, "columns": [{"of": "time", "take": "2026-P02"}]}
    house.open(works())
    assert sorted(refreshed(house)) == ["Column 2026-P01 is gone", "Column 2026-P03 is gone"]
    assert house.rows()["40"][1] == by_hand("40", 2, "d")


def test_a_block_moved_elsewhere_goes_on_there():
    house = House(works())
    placed(house)
    house.do(edits.comment(house.sheet, 2, 2, "why?", "Amy", ""))
    house.do(edits.add_sheet(house.workbook, "More"))
    more = house.workbook.sheets[1]
    box = blocks.Box(0, 0, 7, 3)
    house.do(edits.cut(house.workbook, house.sheet, box, more, 4, 1))
    assert "blocks" not in house.sheet.settings and more.settings["comments"] == {
        "6,3": {"text": "why?", "who": "Amy", "at": ""}
    }
    assert more.settings["blocks"][0]["box"] == [4, 1, 11, 4]
    line = Line("A", "51", Decimal(5), date(2026, 1, 9), {"department": "d"}, "", "x")
    house.open(works(line))
    block = more.settings["blocks"][0]
    done = blocks.refresh(house.workbook, more, block, house.layout())
    assert done.told == [] and house.calculation.shown_at((2, 6, 3)) == by_hand("40", 1)


def test_a_block_frozen_and_live_again_says_which_rows_differ():
    house = House(works())
    block = placed(house)
    house.type(C3='=-RULKA.BOUNDED("t","40","2026-P01")')
    before = house.rows()
    done = blocks.freeze(house.sheet, block, lambda row, column: house.calculation.shown_at((1, row, column)))
    house.do(done.steps)
    assert house.rows() == before and not any("BOUNDED" in cell.input for cell in house.sheet.cells.values())
    house.do(edits.remap(house.workbook, house.sheet, "insert", "rows", 0, 2))  # above it: it moves along
    house.open(works(Line("A", "51", Decimal(5), date(2026, 1, 9), {"department": "d"}, "", "x")))
    block = house.sheet.settings["blocks"][0]
    done = blocks.thaw(
        house.workbook,
        house.sheet,
        block,
        house.layout(),
        lambda text, row, column: house.calculation.tried((1, row, column), text),
    )
    house.do(done.steps)
    assert done.told[0] == "2 rows differ from what was frozen" and "51: 20.00 is now 25.00" in done.told[1]
    rows = house.rows()
    assert rows["51"][1] == 25 and rows["40"][1] == -before["40"][1] * -1
    assert house.sheet.settings["blocks"][0]["piece"] == "live"


def test_a_block_live_again_has_its_captions_and_what_stands_beside_as_formulas():
    table = {**TABLE, "beside": [{"title": "More", "formula": "{2026-P02}-{2026-P01}"}]}
    house = House(works(), table)
    block = placed(house)
    house.type(B3="Fares, by hand")
    formulas = {place: cell.input for place, cell in house.sheet.cells.items()}
    done = blocks.freeze(house.sheet, block, lambda row, column: house.calculation.shown_at((1, row, column)))
    house.do(done.steps)
    assert not any(cell.input.startswith("=") for cell in house.sheet.cells.values())
    done = blocks.thaw(
        house.workbook,
        house.sheet,
        house.sheet.settings["blocks"][0],
        house.layout(),
        lambda text, row, column: house.calculation.tried((1, row, column), text),
    )
    house.do(done.steps)
    assert {place: cell.input for place, cell in house.sheet.cells.items()} == formulas
    assert done.told == ["No row differs from what was frozen"]
    assert house.rows()["40"][3] == by_hand("40", 2) - by_hand("40", 1)


def test_a_block_goes_only_where_it_is_empty_and_undo_brings_all_back():
    house = House(works())
    house.type(B4="taken")
    with pytest.raises(RulkaError, match="B4 is not empty"):
        placed(house)
    house.type(B4="")
    state = copied(house.workbook)
    done = blocks.place(house.workbook, house.sheet, 0, 0, house.layout())
    house.do(done.steps)
    done = blocks.remove(house.workbook, house.sheet, house.sheet.settings["blocks"][0])
    house.do(done.steps)
    assert "blocks" not in house.sheet.settings
    house.do(inverses(done.steps))
    assert house.rows()["40"][1] == by_hand("40", 1)
    assert state.sheets[0].cells == {}


def test_the_chart_of_accounts_in_one_step():
    house = House(works())
    house.do(blocks.chart_steps(house.workbook, house.sheet, 0, 0, house.around.view, ""))
    assert [(house.at(f"A{row}"), house.at(f"B{row}")) for row in (1, 3, 4)] == [
        ("10", "Bank"), ("4", "Income"), ("40", "Fares")
    ]  # fmt: skip
    with pytest.raises(RulkaError, match="A1 is not empty"):
        blocks.chart_steps(house.workbook, house.sheet, 0, 0, house.around.view, "4*")


# row lists ----------------------------------------------------------------------------------------------------------

ROWS = [
    ["10", "Fares and freight", "40", "41", "-", ""],
    ["20", "Crew", "50", "50", "", ""],
    ["30", "Fuel and rent", "51", "52", "+", ""],
    ["40", "Strange", "zz", "zz", "?", ""],
    ["50", "Result", "", "", "", "10-20..30"],
    ["60", "Wrong total", "", "", "", "10+99"],
]
ROLES = ["number", "caption", "low", "high", "sign", "total"]


def test_a_row_list_becomes_working_rows_and_lines():
    house = House(works())
    view = house.around.view
    assert listed.guessed_roles(ROWS[:3] + ROWS[4:5], view) == ROLES
    brought = listed.bring(ROWS, ROLES, view)
    assert [one.problem for one in brought] == [
        "", "", "", "zz names no account; '?' is no sign", "", "there is no row 99"
    ]  # fmt: skip
    house.do(listed.rows_steps(house.workbook, house.sheet, 0, 0, brought))
    assert [house.at(f"C{row}") for row in (2, 3, 4, 5)] == [-(by_hand("40", 2) + by_hand("41", 2)), 120, 40, None]
    assert house.at("C6") == house.at("C2") - house.at("C3") - house.at("C4")
    lines = listed.statement_lines(brought)
    assert lines[0] == {
        "line": "Fares and freight",
        "key": "fares-and-freight",
        "accounts": "40 to 41",
        "sign": "flipped",
    }
    assert lines[4]["formula"] == '"Fares and freight" - "Crew" - "Fuel and rent"'
    assert lines[3] == {"heading": "Strange", "key": "strange"}


@pytest.mark.parametrize(
    ("cell", "meant"),
    [("40-41", "40 to 41"), ("40..41", "40 to 41"), ("40, 50", "40, 50"), ("5xx", "5??"), ("5x", "5?"),
     ("40 41", "40, 41"),
     ("under:5", "under:5"), ("40 – 41", "40 to 41"), ("4%", "4*"), ("50;51", "50, 51")],
)  # fmt: skip
def test_codes_as_people_write_them(cell, meant):
    brought = listed.bring([["x", cell]], ["caption", "codes"], book_of(works()).within(NO_FENCE))
    if cell == "5xx":  # no account has three figures here
        assert brought[0].problem
    else:
        assert (brought[0].accounts, brought[0].problem) == (meant, "")


def test_bad_lists_are_refused_in_words():
    view = book_of(works()).within(NO_FENCE)
    for rows, roles, told in (
        ([], [], "nothing to bring"), ([["a"]], ["caption"], "No column has codes"),
        ([["a", "40", "41"]], ["caption", "codes", "codes"], "Several columns"),
        ([["a"]] * 3000, ["codes"], "too many"), ([["a"]], ["colour"], "nothing a column"),
    ):  # fmt: skip
        with pytest.raises(RulkaError, match=told):
            listed.bring(rows, roles, view)
    behind = listed.bring([["x", "50"]], ["caption", "codes"], book_of(works()).within(Fence.of(accounts="4*")))
    assert behind[0].problem == "50 names no account"


# the guide ----------------------------------------------------------------------------------------------------------


def test_every_function_has_words_and_an_example_in_the_guide():
    every = [one for _, functions in guide.functions_by_purpose() for one in functions]
    assert len(every) > 240 and all(one.line for one in every)
    assert all(one.example.startswith("=") for one in every), [one.name for one in every if not one.example]
    assert [one.name for _, found in guide.functions_by_purpose("booked in a time") for one in found]


@pytest.mark.parametrize(
    ("text", "at", "name", "arguments"),
    [
        ('=RULKA.ACTIVITY(A5#, "2027-P07", , B2)', None, "RULKA.ACTIVITY", ("A5#", '"2027-P07"', "", "B2")),
        ("=1+SUM(A1,MAX(B1,B2),{1,2})*2", None, "SUM", ("A1", "MAX(B1,B2)", "{1,2}")),
        ("=1+SUM(A1,MAX(B1,B2))", 14, "MAX", ("B1", "B2")),
        ("=SUM(A1,MAX(B1,", 15, "MAX", ("B1", "")),
        ('=IF(A1="a,b",(1+2),3)', None, "IF", ('A1="a,b"', "(1+2)", "3")),
        ("=NOW()", None, "NOW", ()),
    ],
)
def test_a_formula_is_taken_apart(text, at, name, arguments):
    apart = guide.taken_apart(text, at)
    assert apart is not None and (apart.function, apart.arguments) == (name, arguments)
    if text.count("(") == text.count(")"):
        again = f"{apart.before}{apart.function}({', '.join(apart.arguments)}){apart.after}"
        assert again.replace(" ", "") == text.replace(" ", "")


def test_what_an_argument_is_chosen_from_lies_inside_of_the_fence():
    view = book_of(works()).within(Fence.of(accounts="4*", members={"department": "d"}))
    assert [code for code, _ in guide.offered("account", view)] == ["4", "40", "41"]
    assert guide.offered("narrow", view) == [("department: d", "Deck")]
    assert guide.offered("account", view, "frei") == [("41", "Freight")]
    assert ("this", "the reporting period") in guide.offered("period", view)
    assert guide.taken_apart("=1+2") is None and guide.taken_apart('="open') is None


def test_a_formula_is_tried_without_a_trace_left():
    house = House(works())
    house.type(A1="40", B1="=RULKA.ACTIVITY(A1)")
    before = dict(house.calculation.values), {key: dict(value) for key, value in house.calculation.questions.items()}
    assert house.calculation.tried((1, 0, 1), "=RULKA.ACTIVITY(A1)*2") == by_hand("40", 2) * 2
    value = house.calculation.tried((1, 8, 8), '=RULKA.LIST("accounts","4*")')
    assert isinstance(value, Array) and value.height == 3
    assert (house.calculation.values, house.calculation.questions) == before
    answer = house.source.answers([Bounded("t", "40", "2026-P01")])
    assert answer[Bounded("t", "40", "2026-P01")] == by_hand("40", 1)
    assert Cell("", 0).is_nothing
