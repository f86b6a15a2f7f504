"""Random statements over random ledgers, against loops over their journal lines (tests/brute.py)."""

from __future__ import annotations

import copy
from datetime import date
from decimal import Decimal
from fractions import Fraction
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from rulka.core.books.fence import NO_FENCE
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.scopes import scope_from
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.formats.definition_file import check_body
from tests.books import Line, Works, book_of
from tests.brute import Brute, Statement, days_between, figures, line_kind, text_of, walk
from tests.lengths import several

ACCOUNTS = [
    {"code": "10", "type": "asset"},
    {"code": "11", "type": "asset", "intercompany": "1"},
    {"code": "12", "type": "asset", "rate": "historical"},
    {"code": "20", "type": "liability"},
    {"code": "21", "type": "liability", "intercompany": "1"},
    {"code": "30", "type": "equity"},
    {"code": "31", "type": "equity"},
    {"code": "39", "type": "equity"},
    {"code": "4", "type": "revenue"},
    {"code": "40", "type": "revenue", "parent": "4"},
    {"code": "41", "type": "revenue", "parent": "4"},
    {"code": "42", "type": "revenue", "parent": "41", "rate": "closing"},
    {"code": "5", "type": "expense"},
    {"code": "50", "type": "expense", "parent": "5"},
    {"code": "51", "type": "expense", "parent": "5"},
    {"code": "90", "type": "statistical"},
    {"code": "91", "type": "statistical"},
]
ENTITIES = [{"code": "A", "currency": "EUR"}, {"code": "B", "currency": "EUR"}, {"code": "C", "currency": "SEK"}]
MEMBERS = [
    {"dimension": "department", "code": "s", "name": "S"},
    {"dimension": "department", "code": "d", "name": "D", "parent": "s"},
    {"dimension": "department", "code": "e", "name": "E", "parent": "s"},
    {"dimension": "department", "code": "o", "name": "O"},
]
CODES = [row["code"] for row in ACCOUNTS]


def _drawn_rates(draw: Any, periods):
    """Rates of each period, told either way round."""
    rates = []
    for (year, number), _, _, is_adjusting in periods:
        if not is_adjusting:
            turned = draw(st.booleans())
            average, closing = (
                str(draw(st.integers(8, 14)) if turned else Decimal(draw(st.integers(70, 140))).scaleb(-3))
                for _ in range(2)
            )
            pair = ("EUR", "SEK") if turned else ("SEK", "EUR")
            rates.append((f"{year}-P{number:02d}", *pair, average, closing))
    return rates


@st.composite
def ledgers(draw: Any, *, closing_rates_only: bool = False) -> Works:
    adjusting = draw(st.integers(0, 1))
    calendar = {
        "first_month": draw(st.sampled_from([1, 4])),
        "year_label": draw(st.sampled_from(["start", "end"])),
        "first_year": 2025,
        "last_year": 2027,
        "adjusting_periods": adjusting,
    }
    periods = Brute(Works(calendar, ENTITIES, ACCOUNTS, MEMBERS, [])).periods
    lines = []
    for number in range(draw(st.integers(3, 30))):
        at, start, end, is_adjusting = draw(st.sampled_from(periods))
        scenario = draw(st.sampled_from(["actual", "actual", "actual", "budget", "forecast"]))
        account = draw(st.sampled_from([code for code in CODES if code != "39"]))
        actual = scenario == "actual"
        day = end if is_adjusting else date(start.year, start.month, draw(st.integers(1, 28)))
        entity = draw(st.sampled_from("ABC"))
        historical = draw(st.none() | st.decimals(-500, 500, places=2)) if actual and account in ("31", "12") else None
        lines.append(
            Line(
                entity,
                account,
                draw(st.decimals(-1000, 1000, places=2)),
                day,
                {"department": draw(st.sampled_from("-sdeo"))},
                f"{at[0]}-P{at[1]:02d}",
                f"n{number}",
                draw(st.sampled_from(["", "A", "B"])) if account in ("11", "21") else "",
                draw(st.sampled_from(["normal", "normal", "normal", "opening", "closing"])) if actual else "normal",
                draw(st.sampled_from(["posted", "posted", "pending"])) if actual else "posted",
                historical=historical,
                scenario=scenario,
            )
        )
    rates = _drawn_rates(draw, periods)
    return Works(calendar, ENTITIES, ACCOUNTS, MEMBERS, lines, rates)


SELECTIONS = [
    "*",
    "4*",
    "10, 20 to 31",
    "type:asset, type:liability",
    "under:4",
    "under:5 except 50",
    "9*",
    "40 to 91",
    "30",
    "1* except 11",
    "50, 51, 90",
]
CLAUSES = [
    "",
    "",
    "; department: d",
    "; department: under:s",
    "; department: not -",
    "; entity: A",
    "; entity: not B",
    "; partner: A",
    "; partner: not *",
]
WINDOWS = [
    "period",
    "quarter",
    "quarter to date",
    "year to date",
    "year",
    "remaining year",
    "from the beginning",
    "last 3 periods",
    "last 14 periods",
    "periods 2 to 13",
]
SHIFTS = ["", "", "-1 year", "-1 period", "+2 periods", "-1 quarter", "-3 years"]
MEASURES = ["activity", "activity", "opening", "closing", "debits", "credits", "average"]
HIDES = ["never", "when zero", "when nothing was booked"]


def some(draw: Any, **choices: list[Any]) -> dict[str, Any]:
    """A few of the settings, those that are drawn empty left out."""
    found = {name: draw(st.sampled_from(values)) for name, values in choices.items()}
    return {name: value for name, value in found.items() if value}


class _Drawn:
    """What is drawn for a spine, with the labels that it has by now."""

    def __init__(self, draw: Any, plain: bool) -> None:
        self.draw, self.plain = draw, plain
        self.labels: list[str] = []

    def name(self, word: str) -> str:
        self.labels.append(f"{word} {len(self.labels)}")
        return self.labels[-1]

    def line(self) -> dict[str, Any]:
        draw, plain = self.draw, self.plain
        selection = draw(st.sampled_from(SELECTIONS)) + ("" if plain else draw(st.sampled_from(CLAUSES)))
        if not plain and draw(st.integers(0, 5)) == 0:
            selection = "department: o, d"
        given: dict[str, Any] = {
            "accounts": selection,
            **some(draw, sign=["", "", "as booked", "flipped"], hide=["", *([] if plain else HIDES)]),
        }
        if draw(st.integers(0, 3)) == 0 and not plain:
            given |= some(
                draw,
                measure=["", *MEASURES],
                window=["", "period", "year"],
                shift=["", "-1 period", "-1 year"],
                scenario=["", "budget"],
            )
        return {"line": self.name("Line"), **given}

    def section(self, depth: int) -> dict[str, Any]:
        draw, label = self.draw, self.name("Section")
        inner = [
            self.section(depth - 1) if depth and draw(st.integers(0, 2)) == 0 else self.line()
            for _ in range(draw(st.integers(1, 3)))
        ]
        return {"section": label, "lines": inner, **({"total": f"Total of {label}"} if draw(st.booleans()) else {})}

    def calculation(self, known: list[str]) -> dict[str, Any]:
        draw = self.draw
        tree: Any = draw(st.sampled_from(known))
        for _ in range(draw(st.integers(1, 2))):
            tree = (draw(st.sampled_from("+-*/")), tree, draw(st.sampled_from(known) | st.integers(1, 3)))
        hide = draw(st.sampled_from(["never", "when nothing was booked"]))
        return {"calculation": self.name("Sum"), "formula": tree, "hide": hide}


@st.composite
def spines(draw: Any, *, plain: bool = False) -> dict[str, Any]:
    drawn = _Drawn(draw, plain)
    lines = [drawn.section(1) if draw(st.booleans()) else drawn.line() for _ in range(draw(st.integers(1, 4)))]
    known = list(drawn.labels)
    for _ in range(draw(st.integers(0, 3))):
        lines.append(drawn.calculation(known))
        known.append(drawn.labels[-1])
    return {"spine": "s", "signs": draw(st.sampled_from(["both positive", "effect on the result"])), "lines": lines}


@st.composite
def spans(draw: Any, *, plain: bool = False) -> dict[str, Any]:
    columns: list[dict[str, Any]] = []
    for number in range(draw(st.integers(1, 4))):
        given = some(
            draw, window=WINDOWS, shift=SHIFTS, measure=["activity", "opening", "closing"] if plain else MEASURES
        )
        if not plain:
            given |= some(
                draw,
                scenario=["", "", "budget"],
                entries=["", "", "with pending", "pending only"],
                narrow=["", "", "department: d", "4*, 5*; entity: A"],
                credits=["", "negative"],
                hide=["", "", "always"],
                then=["", "", "", "forecast"],
            )
        columns.append({"column": f"c{number}", **given})
    keys = [column["column"] for column in columns]
    for kind in draw(st.lists(st.sampled_from(["difference", "percent", "sum"]), max_size=2)):
        a, b = draw(st.sampled_from(keys)), draw(st.sampled_from(keys))
        gross = [next(c for c in columns if c["column"] == key).get("measure", "activity") for key in (a, b)]
        if gross != ["debits", "credits"]:  # that difference is the net movement; its own cases are worked by hand
            columns.append({"column": f"{kind}{len(columns)}", kind: [a, b]})
    return {"span": "p", "columns": columns}


def written(spine: dict[str, Any]) -> dict[str, Any]:
    """The spine with its formulas as text."""
    spine = copy.deepcopy(spine)
    for line in walk(spine["lines"]):
        if "formula" in line:
            line["formula"] = text_of(line["formula"])
    return spine


def compute(
    works: Works, spine: dict[str, Any], span: dict[str, Any], at: tuple[int, int], node: str, *, currency: str = "own"
) -> Any:
    bodies = [written(spine), span, {"scope": "n", "nodes": [{"node": "n", "of": node}]}]
    statement = {"statement": "t", "spine": "s", "span": "p", "scope": "n", "currency": currency}
    for body in (*bodies, statement):
        assert not check_body(body), (body, check_body(body))
    view = book_of(works).within(NO_FENCE)
    definition = statement_from(statement, spine_from(bodies[0]), span_from(span), scope_from(bodies[2]))
    return run_statement(definition, view, view.frame.calendar.period(f"{at[0]}-P{at[1]:02d}"), "n")


def compare(computed: Any, wanted: Statement, *, hiding: bool = True) -> None:
    by_label = {computed.line(row.line).label: row for row in computed.rows if row.kind != "section"}
    for line in wanted.lines:
        row = by_label.get(line[line_kind(line)])
        if row is None:  # a section without a total
            assert line_kind(line) == "section" and "total" not in line
            continue
        for place, column in enumerate(wanted.span["columns"]):
            expected = (
                wanted.value(line, column) if figures(column) or "sum" in column else wanted.compared(line, column)
            )
            assert row.values[place] == expected, (row.label, column["column"], row.values[place], expected)
        if hiding and line_kind(line) != "section":
            assert row.hidden == hidden(wanted, line), row.label


def hidden(wanted: Statement, line: dict[str, Any]) -> bool:
    if line.get("hide", "never") == "when zero":
        shown = [
            column
            for column in wanted.span["columns"]
            if figures(column) and column.get("hide") != "always" and wanted.has_time(column)
        ]
        return not any(wanted.value(line, column) for column in shown)
    return line.get("hide") == "when nothing was booked" and not wanted.any_booked(line)


@settings(max_examples=several(150))
@given(st.data(), ledgers(), spines(), spans())
def test_random_statement_equals_loops_over_its_lines(data, works, spine, span):
    brute = Brute(works)
    at = data.draw(st.sampled_from([period[0] for period in brute.periods]))
    node = data.draw(
        st.sampled_from(
            [
                "entity: A",
                "entity: A, B",
                "entity: C",
                "entity: B; department: d, o",
                "entity: A; department: under:s",
                "entity: not C; 4*",
            ]
        )
    )
    if not any(brute.passes(node)(line.key) for line in brute.lines):
        return  # nothing was ever booked there: there is no such node
    compare(compute(works, spine, span, at, node), Statement(brute, spine, span, at, node))


@settings(max_examples=several(80))
@given(st.data(), ledgers(), spines(plain=True), spans(plain=True))
def test_random_translated_statement_equals_loops_over_its_lines(data, works, spine, span):
    brute = Brute(works)
    at = data.draw(st.sampled_from([period[0] for period in brute.periods]))
    node = data.draw(st.sampled_from(["entity: *", "entity: C", "entity: B, C"]))
    if not any(brute.passes(node)(line.key) for line in brute.lines):
        return
    computed = compute(works, spine, span, at, node, currency="group")
    compare(computed, Statement(brute, spine, span, at, node, translated=True), hiding=False)


@settings(max_examples=several(60))
@given(ledgers())
def test_translated_books_of_a_foreign_entity_sum_to_zero_and_share_without_loss(works):
    from rulka.core.books.balances import MovementSource

    book = book_of(works)
    money = ~book.frame.accounts.of_type("statistical")[book.keys.account]
    keys = money & (book.keys.entity == book.frame.entities.index["C"])
    balances = book.balances_of(MovementSource(translated=True))
    assert not balances.opening[keys].sum(axis=0).any() and not balances.closing[keys].sum(axis=0).any()
    assert (balances.debits[keys].sum(axis=0) == balances.credits[keys].sum(axis=0)).all()


@settings(max_examples=several(80))
@given(
    st.data(),
    ledgers(),
    st.sampled_from(["accounts", "children", "department", "entities"]),
    st.sampled_from(SELECTIONS),
)
def test_expanded_rows_equal_loops_and_add_up(data, works, kind, selection):
    brute = Brute(works)
    at = data.draw(st.sampled_from([period[0] for period in brute.periods]))
    line = {
        "line": "All",
        "accounts": selection,
        "expand": kind,
        "sign": data.draw(st.sampled_from(["as booked", "flipped"])),
    }
    spine, span = (
        {"spine": "s", "lines": [line]},
        {
            "span": "p",
            "columns": [{"column": "c", "window": "year to date", "measure": data.draw(st.sampled_from(MEASURES))}],
        },
    )
    node = "entity: A, B"
    if not any(brute.passes(node)(one.key) for one in brute.lines):
        return
    computed, wanted = compute(works, spine, span, at, node), Statement(brute, spine, span, at, node)
    column, total = span["columns"][0], Fraction(0)
    for row in computed.rows:
        if row.account and row.kind == "account":
            if not {row.account} <= wanted.accounts_of(line):
                continue
            own = wanted.leaf(line, column, lambda key, code=row.account: key[1] == code)
        elif row.member:
            own = wanted.leaf(
                line, column, lambda key, code=row.member: (key[0] if kind == "entities" else key[3][0]) == code
            )
        else:
            codes = set(row.codes)
            own = wanted.leaf(line, column, lambda key, codes=codes: key[1] in codes)
        assert row.values[0] == own, (row.label, row.values[0], own)
        total += row.values[0] if row.kind != "subtotal" else 0
    assert total == wanted.leaf(line, column) == computed.cells["all"][0]


@settings(max_examples=several(60))
@given(st.data(), ledgers(), st.sampled_from(["period", "monday", "sunday"]))
def test_weeks_equal_loops_and_add_up_to_their_period(data, works, start):
    brute = Brute(works)
    at = data.draw(st.sampled_from([period[0] for period in brute.periods if not period[3]]))
    spine = {"spine": "s", "lines": [{"line": "L", "accounts": "*; department: not e", "sign": "as booked"}]}
    span = {
        "span": "p",
        "columns": [{"series": "w", "each": "week", "weeks": start, "total": "All"}, {"column": "whole"}],
    }
    node = "entity: B"
    if not any(brute.passes(node)(one.key) for one in brute.lines):
        return
    computed = compute(works, spine, span, at, node)
    values = computed.rows[0].values
    assert sum(values[:-2]) == values[-2] == values[-1]
    passes = brute.passes("*; department: not e; entity: B")

    def money(key):
        return passes(key) and brute.accounts[key[1]]["type"] != "statistical"

    for place, column in enumerate(computed.columns[:-2]):
        assert values[place] == days_between(brute, column.window.start, column.window.end, money)


@settings(max_examples=several(60))
@given(st.data(), ledgers(), st.sampled_from(["department", "entity"]))
def test_members_and_none_of_these_add_up_to_the_whole(data, works, each):
    brute = Brute(works)
    at = data.draw(st.sampled_from([period[0] for period in brute.periods]))
    narrow = (
        data.draw(st.sampled_from(["", "department: d", "department: under:s; 4*, 5*"])) if each == "department" else ""
    )
    whole = "; ".join(part for part in narrow.split("; ") if part and not part.startswith("department"))
    spine = {"spine": "s", "lines": [{"line": "L", "accounts": "*", "sign": "as booked"}]}
    series = {
        "series": "m",
        "each": each,
        "none": "None of these",
        "total": "All",
        "window": "year to date",
        **({"narrow": narrow} if narrow else {}),
    }
    column = {"column": "c", "window": "year to date", **({"narrow": whole} if whole else {})}
    node = "entity: A, B"
    if not any(brute.passes(node)(one.key) for one in brute.lines):
        return
    computed = compute(works, spine, {"span": "p", "columns": [series, column]}, at, node)
    values = computed.rows[0].values
    assert sum(values[:-2]) == values[-2] == values[-1]
    wanted = Statement(brute, spine, {"span": "p", "columns": [column]}, at, node)
    assert values[-1] == wanted.value(spine["lines"][0], column)
    for place, one in enumerate(computed.columns[:-3]):
        code = one.key.removeprefix("m-") if each == "department" else one.key.removeprefix("m-").upper()
        own = wanted.leaf(
            spine["lines"][0], column, lambda key, code=code: (key[3][0] if each == "department" else key[0]) == code
        )
        assert values[place] == own, one.key


@settings(max_examples=several(60))
@given(st.data(), ledgers())
def test_eliminations_add_up_and_what_is_left_between_companies_stands_on_its_line(data, works):
    brute = Brute(works)
    at = data.draw(st.sampled_from([period[0] for period in brute.periods]))
    measure = data.draw(st.sampled_from(["activity", "opening", "closing", "debits", "credits"]))
    node = "entity: A, B"
    if not any(brute.passes(node)(one.key) for one in brute.lines):
        return
    lines = [
        {"line": "Own", "accounts": "*", "sign": "as booked"},
        {"line": "Between", "accounts": "*", "sign": "as booked", "intercompany": "difference"},
    ]
    parts = ["before elimination", "eliminations", "after elimination"]
    span = {
        "span": "p",
        "columns": [{"column": f"c{n}", "part": part, "measure": measure} for n, part in enumerate(parts)],
    }
    computed = compute(works, {"spine": "s", "lines": lines}, span, at, node)
    own, between = (computed.row(key).values for key in ("own", "between"))
    table = brute.measured(brute.movements("actual", "posted", "", at), measure, [at])
    inside = {
        key: amount
        for key, amount in table.items()
        if key[0] in "AB" and brute.accounts[key[1]]["type"] != "statistical"
    }
    gone = sum(
        (a for key, a in inside.items() if key[1] in ("11", "21") and key[2] in ("A", "B") and key[2] != key[0]),
        Fraction(0),
    )
    assert own == (sum(inside.values(), Fraction(0)), -gone, sum(inside.values(), Fraction(0)) - gone)
    assert between == (0, gone, gone)


@settings(max_examples=several(60))
@given(st.data(), ledgers(), spines(plain=True), spans(plain=True))
def test_every_traced_figure_agrees_with_its_parts(data, works, spine, span):
    from rulka.core.proof.splits import open_figure, split
    from rulka.core.proof.trace import trace_cell

    brute = Brute(works)
    at = data.draw(st.sampled_from([period[0] for period in brute.periods]))
    node, currency = data.draw(st.sampled_from([("entity: A, B", "own"), ("entity: *", "group")]))
    if not any(brute.passes(node)(one.key) for one in brute.lines):
        return
    span["columns"].append({"column": "after", "part": "after elimination", "measure": "closing"})
    computed = compute(works, spine, span, at, node, currency=currency)
    for row in computed.rows:
        for column in computed.columns:
            if not row.has_figures or not column.has_figures:
                continue
            trace = trace_cell(computed, row.key, column.key)
            assert trace.agrees, (row.label, column.key, trace)
            for part in trace.parts:
                if part.kind == "account":
                    inner = split(open_figure(computed, row.key, column.key, [("account", part.account)]), "period")
                    assert inner.agrees and inner.value == part.value, (row.label, column.key, inner)
