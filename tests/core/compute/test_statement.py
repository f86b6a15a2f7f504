"""Statements over a tiny book whose every figure is worked out beside it."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.books.book import Book
from rulka.core.books.calendar import monthly_calendar
from rulka.core.books.chart import Item, code_list
from rulka.core.books.fence import Fence
from rulka.core.books.frame import ACTIVITY, CLOSING, OPENING, PENDING, POSTED, Frame, Keys, Movements
from rulka.core.compute.comparing import percent
from rulka.core.compute.nodes import find_node
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.core.errors import RulkaError
from rulka.core.proof.checks import verdict_on
from rulka.core.proof.footing import footing
from rulka.core.proof.marks import marks
from rulka.core.proof.placing import suggestions
from rulka.core.proof.splits import open_figure, split
from rulka.core.proof.trace import trace_cell

CALENDAR = monthly_calendar(first_month=1, year_label="start", first_year=2025, last_year=2026)
ACCOUNTS = [
    Item("10", "Bank", type="asset"),
    Item("20", "Debts", type="liability"),
    Item("30", "Kept", type="equity"),
    Item("40", "Sales", type="revenue"),
    Item("41", "Other", type="revenue"),
    Item("50", "Wages", type="expense"),
    Item("51", "Rent", type="expense"),
    Item("90", "Hours", type="statistical"),
]


def frame(entities=(("A", "EUR", ""), ("B", "EUR", "A"), ("C", "SEK", ""))):
    codes = code_list("entity", [Item(code, f"Works {code}", parent) for code, _, parent in entities])
    return Frame(
        "Group",
        "EUR",
        CALENDAR,
        codes,
        code_list("account", ACCOUNTS),
        {"dept": code_list("dept", [Item("-", "none"), Item("x", "X"), Item("y", "Y")])},
        "30",
        {"actual": "actual", "budget": "budget"},
        tuple(currency for _, currency, _ in sorted(entities)),
        np.full(len(entities), 2),
        "A",
    )


def book(lines, scenario="actual"):
    """lines: (entity, account, dept, period code, amount debit positive[, effect[, status]])."""
    shape, keys, rows = frame(), {}, {"actual": [], "budget": []}
    for entity, account, dept, period, amount, *rest in lines:
        name = scenario
        if rest and rest[0] == "budget":
            name, rest = "budget", []
        key = (shape.entities.index[entity], shape.accounts.index[account], shape.dimensions["dept"].index[dept])
        place = keys.setdefault(key, len(keys))
        effect, status = [*rest, ACTIVITY, POSTED][:2] if len(rest) != 1 else (rest[0], POSTED)
        rows[name].append((place, CALENDAR.by_code[period].index, status, effect, max(amount, 0), max(-amount, 0), 1))
    found = np.array(list(keys), dtype=np.int64).reshape(-1, 3)
    moved = {name: Movements(*np.array(part, dtype=np.int64).T) for name, part in rows.items() if part}
    ids = np.arange(1, len(found) + 1)
    return Book(shape, Keys(ids, found[:, 0], found[:, 1], np.full(len(found), -1), found[:, 2:]), moved, 1)


LINES = [
    ("A", "10", "-", "2025-P03", 10_000),
    ("A", "40", "x", "2025-P03", -10_000),
    ("A", "50", "x", "2025-P12", 4_000),
    ("A", "10", "-", "2025-P12", -4_000),
    ("A", "10", "-", "2026-P01", 7_000),
    ("A", "40", "x", "2026-P01", -5_000),
    ("A", "41", "y", "2026-P01", -2_000),
    ("A", "51", "y", "2026-P02", 1_500),
    ("A", "20", "-", "2026-P02", -1_500),
    ("A", "51", "y", "2026-P02", 900, ACTIVITY, PENDING),
    ("A", "20", "-", "2026-P02", -900, ACTIVITY, PENDING),
    ("A", "90", "x", "2026-P02", 1_250),
    ("A", "40", "x", "2026-P01", -4_000, "budget"),
    ("A", "50", "x", "2026-P01", 1_000, "budget"),
    ("C", "10", "-", "2026-P01", 300),
    ("C", "40", "-", "2026-P01", -300),
]

SPINE = {
    "spine": "s",
    "signs": "both positive",
    "lines": [
        {
            "section": "Income",
            "lines": [{"line": "Sales", "accounts": "40"}, {"line": "Other", "accounts": "41"}],
            "total": "All income",
        },
        {
            "section": "Costs",
            "lines": [{"line": "Wages", "accounts": "50"}, {"line": "Rent", "accounts": "51"}],
            "total": "All costs",
        },
        {"calculation": "Result", "formula": '"All income" - "All costs"'},
        {"calculation": "Margin", "formula": 'Result / "All income"'},
        {"line": "Hours", "accounts": "90"},
        {"calculation": "Income an hour", "formula": '"All income" / Hours'},
    ],
}
SPAN = {
    "span": "p",
    "columns": [
        {"column": "now", "window": "year to date"},
        {"column": "plan", "window": "year to date", "scenario": "budget"},
        {"column": "gap", "difference": ["now", "plan"]},
        {"column": "share", "percent": ["now", "plan"]},
        {"column": "before", "window": "year", "shift": "-1 year"},
        {"column": "waiting", "window": "year to date", "entries": "with pending"},
    ],
}


def run(spine=SPINE, span=SPAN, period="2026-P02", node="A", fence=Fence(), lines=LINES):  # noqa: B008
    statement = statement_from({"statement": "t"}, spine_from(spine), span_from(span))
    return run_statement(statement, book(lines).within(fence), CALENDAR.period(period), node)


def texts(computed):
    return {row.key: [None if v is None else str(v) for v in row.values] for row in computed.rows if row.has_figures}


def test_lines_totals_and_calculations_have_their_values():
    # year to date February 2026: sales 50, other 20, rent 15 (24 with what is pending); the year before 100 and 40
    assert texts(run()) == {
        "sales": ["50", "40", "10", "1/4", "100", "50"],
        "other": ["20", "0", "20", None, "0", "20"],
        "income.total": ["70", "40", "30", "3/4", "100", "70"],
        "wages": ["0", "10", "-10", "-1", "40", "0"],
        "rent": ["15", "0", "15", None, "0", "24"],
        "costs.total": ["15", "10", "5", "1/2", "40", "24"],
        "result": ["55", "30", "25", "5/6", "60", "46"],
        "margin": ["11/14", "3/4", "1/28", "1/21", "3/5", "23/35"],
        "hours": ["25/2", "0", "25/2", None, "0", "25/2"],
        "income-an-hour": ["28/5", None, None, None, None, "28/5"],
    }


def test_effect_on_the_result_turns_costs_negative_and_results_add():
    lines = [*SPINE["lines"][:2], {"calculation": "Result", "formula": '"All income" + "All costs"'}]
    computed = run({**SPINE, "signs": "effect on the result", "lines": lines})
    assert texts(computed)["costs.total"] == ["-15", "-10", "-5", "-1/2", "-40", "-24"]
    assert texts(computed)["result"][0] == "55"
    assert [computed.row(key).direction for key in ("sales", "rent", "costs.total", "result")] == [1, 1, 1, 1]


def test_direction_says_whether_more_is_better():
    computed = run()
    wanted = {"sales": 1, "wages": -1, "income.total": 1, "costs.total": -1, "result": 1, "margin": 0, "hours": 0}
    assert {key: computed.row(key).direction for key in wanted} == wanted


@pytest.mark.parametrize(
    ("measure", "period", "values"),
    [
        # bank: 60 at the end of 2025, 130 in January; kept: nothing posted, 60 rolled in from 2025
        ("closing", "2026-P01", {"10": "130", "30": "-60", "40": "-50"}),
        ("opening", "2026-P01", {"10": "60", "30": "-60", "40": "0"}),
        ("closing", "2025-P12", {"10": "60", "30": "0", "40": "-100"}),
        ("debits", "2026-P01", {"10": "70", "30": "0", "40": "0"}),
        ("credits", "2026-P01", {"10": "0", "30": "0", "40": "50"}),
    ],
)
def test_measures_over_the_year_end(measure, period, values):
    spine = {"spine": "s", "lines": [{"line": code, "accounts": code, "sign": "as booked"} for code in values]}
    computed = run(spine, {"span": "p", "columns": [{"column": "c", "measure": measure}]}, period)
    assert {row.label: str(row.values[0]) for row in computed.rows} == values


def test_closing_entries_and_opening_entries_take_their_places():
    # 2025 left -60; a closing entry moves 25 of it by itself, so that 35 rolls; an opening entry of 8 stands in March's
    # opening
    lines = [
        *LINES,
        ("A", "40", "x", "2025-P12", 2_500, CLOSING),
        ("A", "30", "x", "2025-P12", -2_500, CLOSING),
        ("A", "10", "-", "2026-P03", 800, OPENING),
        ("A", "20", "-", "2026-P03", -800, OPENING),
    ]
    spine = {
        "spine": "s",
        "lines": [{"line": code, "accounts": code, "sign": "as booked"} for code in ("10", "30", "40")],
    }

    def values(measure, period):
        return [
            str(row.values[0])
            for row in run(
                spine, {"span": "p", "columns": [{"column": "c", "measure": measure}]}, period, lines=lines
            ).rows
        ]

    assert values("closing", "2025-P12") == ["60", "0", "-100"]
    assert values("opening", "2026-P01") == ["60", "-60", "0"]
    assert values("closing", "2026-P02") == ["130", "-60", "-50"]
    assert values("opening", "2026-P03") == ["138", "-60", "-50"]
    assert values("activity", "2026-P03") == ["0", "0", "0"]


def test_prior_year_outside_the_calendar_has_no_meaning():
    assert texts(run(period="2025-P03"))["sales"][4] is None


def test_node_holds_the_entities_below_and_refuses_mixed_currencies():
    view = book(LINES).within(Fence())
    assert find_node(view).code == "A"
    assert find_node(view, "A").entities.tolist() == [True, True, False]
    with pytest.raises(
        RulkaError, match="Group mixes currencies: EUR, SEK. Amounts in different currencies can't be added"
    ):
        find_node(view, "group")
    with pytest.raises(RulkaError, match="Node 'Q' does not exist. There are: A, A.rest, B, C, group."):
        find_node(view, "Q")


def test_fence_masks_keys_before_anything_else():
    computed = run(fence=Fence.of(members={"dept": "y"}))
    assert texts(computed)["sales"][0] == "0"
    assert texts(computed)["other"][0] == "20"
    states = {check.code: (check.state, check.detail) for check in footing(computed)}
    assert states["fence"] == ("not judged", "You see a part of the whole: dept Y.")
    of_whole = {states[code] for code in ("placed", "placed-once", "ledger-tie", "ledger-balance", "result")}
    assert of_whole == {("not judged", "It needs the whole, and you see a part.")}
    assert states["totals"][0] == "holds"
    assert verdict_on(footing(computed)).exit_code == 4


def expanded(**line):
    lines = [
        {
            "section": "All",
            "lines": [{"line": "Accounts", "accounts": "*", "expand": "accounts", "sign": "as booked", **line}],
            "total": "Sum",
        }
    ]
    return run(
        {"spine": "s", "covers": "*", "lines": lines},
        {"span": "p", "columns": [{"column": "c", "window": "year to date", "measure": "closing"}]},
    )


def test_expanding_line_has_a_row_for_each_account_and_totals_leave_quantities_out():
    computed = expanded()
    shown = {row.account: (str(row.values[0]), row.hidden) for row in computed.rows if row.kind == "account"}
    assert shown == {
        "10": ("130", False),
        "20": ("-15", False),
        "30": ("-60", False),
        "40": ("-50", False),
        "41": ("-20", False),
        "50": ("0", True),
        "51": ("15", False),
        "90": ("25/2", False),
    }
    assert texts(computed)["all.total"] == ["0"]
    assert all(check.ok for check in footing(computed))
    assert trace_cell(computed, "all.total", "c").agrees


def test_hidden_lines_stay_in_the_result_and_are_marked():
    lines = [
        {"line": "A", "accounts": "50", "hide": "when zero"},
        {"line": "B", "accounts": "51", "hide": "when zero"},
        {"line": "C", "accounts": "40", "hide": "always"},
        {"line": "D", "accounts": "50", "hide": "when nothing was booked"},
        {"line": "E", "accounts": "50"},
    ]
    computed = run(
        {"spine": "s", "lines": lines}, {"span": "p", "columns": [{"column": "c", "window": "year to date"}]}
    )
    assert {row.label: row.hidden for row in computed.rows} == {"A": True, "B": False, "C": True, "D": True, "E": False}


def test_plus_in_one_key_and_minus_in_another_is_still_booked():
    lines = [("A", "50", "x", "2026-P01", 100), ("A", "50", "y", "2026-P01", -100)]
    spine = {"spine": "s", "lines": [{"line": "W", "accounts": "50", "hide": "when nothing was booked"}]}
    assert not run(spine, {"span": "p", "columns": [{"column": "c"}]}, "2026-P01", lines=lines).rows[0].hidden


def test_footing_names_what_is_not_placed_and_what_twice():
    lines = [
        {
            "section": "S",
            "lines": [
                {"line": "Sales", "accounts": "40"},
                {"line": "Again", "accounts": "4*"},
                {"line": "W", "accounts": "50"},
            ],
            "total": "T",
        }
    ]
    computed = run(
        {"spine": "s", "lines": lines}, {"span": "p", "columns": [{"column": "c", "window": "year to date"}]}
    )
    checks = {check.check: check for check in footing(computed)}
    assert checks["Every account is placed"].detail == "3 of 4 accounts placed: 51 Rent (15.00) is not"
    assert checks["No account is placed twice"].detail == "Placed more than once: 40 Sales (−50.00), by Sales, Again"
    # the ledger has -55 on its result accounts; the lines hold 40 twice and leave 51 out: -120
    assert "65.00 EUR of the ledger is not on it" in checks["Ties to the ledger"].detail
    [open_one] = suggestions(computed)
    assert (open_one.code, open_one.amount, open_one.line) == ("51", "15.00", "w")
    told = marks(computed, checks.values(), [open_one])
    assert [mark.kind for mark in told["w"]] == ["unplaced"]
    assert [mark.kind for mark in told["sales"]] == [mark.kind for mark in told["again"]] == ["twice"]


def test_check_line_says_how_far_apart_two_lines_are():
    lines = [
        {"line": "Bank", "accounts": "10"},
        {"line": "Debts", "accounts": "20, 30"},
        {"check": "They agree", "agree": ["Bank", "Debts"]},
    ]
    computed = run({"spine": "s", "lines": lines}, {"span": "p", "columns": [{"column": "c", "measure": "closing"}]})
    check = next(check for check in footing(computed) if check.check == "They agree")
    assert (check.ok, check.detail) == (False, "c (February 2026): 55.00 apart")


@pytest.mark.parametrize(
    ("line", "message"),
    [
        ({"calculation": "X", "formula": "Salse + 1"}, "No line is called 'Salse'. Did you mean Sales?"),
        ({"calculation": "X", "formula": "X + 1"}, "Calculations go in a circle: X > X"),
        ({"check": "X", "agree": ["Sales", "Nowhere"]}, "No line is called 'Nowhere'"),
        ({"line": "X", "accounts": "40 to"}, "line X: At character 6 of the selection"),
    ],
)
def test_broken_line_is_refused_by_name(line, message):
    with pytest.raises(RulkaError) as caught:
        run({"spine": "s", "lines": [{"line": "Sales", "accounts": "40"}, line]})
    assert message in str(caught.value)


@pytest.mark.parametrize(
    ("a", "b", "wanted"),
    [
        (110, 100, "1/10"),
        (-110, -100, "-1/10"),
        (5, 0, None),
        (-5, 100, None),
        (5, -100, None),
        (0, 100, "-1"),
        (None, 1, None),
    ],
)
def test_percent_is_difference_per_absolute_base(a, b, wanted):
    value = percent(None if a is None else Fraction(a), Fraction(b))
    assert (None if value is None else str(value)) == wanted


def test_trace_of_rolled_result_opens_into_accounts():
    spine = {"spine": "s", "lines": [{"line": "Kept", "accounts": "30"}]}
    computed = run(spine, {"span": "p", "columns": [{"column": "c", "measure": "closing"}]})
    opened = open_figure(computed, "kept", "c", [("period", "FY2025 result")])
    trace = split(opened, "account")
    assert [(part.label, str(part.value)) for part in trace.parts] == [("40 Sales", "100"), ("50 Wages", "-40")]
    assert str(trace.value) == "60" and trace.agrees


AMOUNTS = st.lists(
    st.tuples(
        st.sampled_from(["40", "41", "50", "51"]),
        st.sampled_from(["x", "y"]),
        st.sampled_from(["2025-P02", "2025-P12", "2026-P01", "2026-P02"]),
        st.integers(-(2**50), 2**50),
    ),
    min_size=1,
    max_size=30,
)


@given(AMOUNTS)
def test_totals_foot_and_a_flip_flips_whatever_is_booked(amounts):
    lines = [
        line
        for account, dept, period, amount in amounts
        for line in (("A", account, dept, period, amount), ("A", "10", "-", period, -amount))
    ]
    computed = run(lines=lines)
    for place in range(len(SPAN["columns"]) - 1):
        if computed.columns[place].kind == "figures":
            income = [computed.row(key).values[place] for key in ("sales", "other", "income.total")]
            assert income[0] + income[1] == income[2]
    flipped = {
        "spine": "s",
        "lines": [{"line": "L", "accounts": "4*", "sign": sign} for sign in ("as booked", "flipped")],
    }
    booked, turned = run(flipped, lines=lines).rows
    assert [v and -v for v in booked.values[:2]] == [v and v for v in turned.values[:2]]
    closing = run(
        {"spine": "s", "lines": [{"line": "All", "accounts": "*", "sign": "as booked"}]},
        {"span": "p", "columns": [{"column": "c", "measure": "closing"}]},
        lines=lines,
    )
    assert closing.rows[0].values[0] == 0
