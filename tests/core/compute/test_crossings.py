"""Features crossed in pairs at random: series x columns, then x narrowing, node x scope, quantity x member, week x
total, against loops."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rulka.core.books.fence import NO_FENCE
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.scopes import scope_from
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.core.definitions.windows import read_window, window_at
from rulka.core.proof.footing import footing
from rulka.core.proof.trace import trace_cell
from rulka.formats.definition_file import check_body
from tests.books import Works, book_of
from tests.brute import Brute, Pieces, Statement
from tests.core.compute.test_brute import compare, ledgers, some, spines, written
from tests.lengths import several

NODES = {
    "n": "entity: A, B",
    "m": "entity: B; department: d, o",
    "c": "entity: C",
    "s": "entity: A; department: under:s",
}
TEXTS = ["source: t", "source: not t", "counterparty: k1, k2", "kind: normal", "kind: not adjusting; source: t"]
KEYED = [
    "department: d",
    "department: not -",
    "4*, 5*",
    "40 to 51 only type:revenue",
    "entity: A",
    "90",
    "9*",
    "4*; partner: not *",
]
LINE_SELECTIONS = [
    "*",
    "4*",
    "under:5 only 50, 51",
    "9*",
    "10, 20 to 31",
    "department: d",
    "department: o, -; entity: not B",
    "entity: A",
    "40 to 91",
]


def noted(works: Works, draw: Any) -> Works:
    """The ledger with sources and counterparties on its journal lines."""
    lines = [
        line
        if line.scenario != "actual"
        else type(line)(
            **{
                **line.__dict__,
                "source": draw(st.sampled_from(["t", "u", ""])),
                "counterparty": draw(st.sampled_from(["k1", "k3", ""])),
                "kind": "adjusting" if line.kind == "normal" and line.period.endswith("P13") else line.kind,
            }
        )
        for line in works.lines
    ]
    return type(works)(**{**works.__dict__, "lines": lines})


def figure(draw: Any, *, series: bool = False, plain: bool = False) -> dict[str, Any]:
    """What a column of figures or a series says, drawn from all of it."""
    given = some(
        draw,
        measure=[
            "",
            "",
            "activity",
            "closing",
            "opening",
            "debits",
            "credits",
            "average",
            "quantity",
            "closing quantity",
            "average quantity",
        ],
        scenario=["", "", "", "budget"],
        then=["", "", "", "forecast"],
        entries=["", "", "with pending"],
        credits=["", "negative"],
        shift=["", "", "", "-1 year", "-1 period", "+2 periods"],
        narrow=["", "", *KEYED, *TEXTS, "department: under:s; source: t"],
    )
    if not plain:
        given |= some(draw, node=["", "", "", "m", "s"], inside=["", "", "", "m"])
    if not series:
        given |= some(draw, window=["", "quarter", "year to date", "year", "last 3 periods", "remaining year"])
    return given


def inner(draw: Any, tag: str) -> list[dict[str, Any]]:
    """Columns of each piece: some take all from the series, some say a few things themselves."""
    columns: list[dict[str, Any]] = [{"column": f"{tag}a"}]
    for name in (f"{tag}b", f"{tag}c")[: draw(st.integers(0, 2))]:
        own = figure(draw, plain=True)
        kept = draw(st.sets(st.sampled_from([*own] or ["-"]), max_size=3))
        columns.append({"column": name, **{key: value for key, value in own.items() if key in kept}})
    if len(columns) > 1 and draw(st.booleans()):
        gross = [column.get("measure", "") for column in columns]
        if not {"debits", "credits"} & set(gross):  # debits less credits is the net movement, worked by hand elsewhere
            columns.append(
                {"column": f"{tag}gap", draw(st.sampled_from(["difference", "percent"])): [f"{tag}a", f"{tag}b"]}
            )
    return columns


@st.composite
def crossed_spans(draw: Any) -> dict[str, Any]:
    columns: list[dict[str, Any]] = []
    for number in range(draw(st.integers(1, 3))):
        kind = draw(st.sampled_from(["figures", "members", "time", "time", "members"]))
        if kind == "figures":
            columns.append({"column": f"c{number}", **figure(draw)})
            continue
        series: dict[str, Any] = {"series": f"s{number}", **figure(draw, series=kind == "time", plain=kind == "time")}
        if draw(st.booleans()):
            series["columns"] = inner(draw, f"s{number}")
        of_series = [series.get("measure", ""), *(column.get("measure", "") for column in series.get("columns", ()))]
        if "columns" in series and {"debits", "credits"} & set(of_series):
            series["columns"] = [column for column in series["columns"] if not column["column"].endswith("gap")]
        if kind == "members":
            series |= {
                "each": draw(st.sampled_from(["department", "entity"])),
                **some(draw, none=["", "Others"], total=["", "All"]),
            }
        else:
            within = ["year to date", "year", "last 4 periods", "last 14 periods", "quarter", "remaining year"]
            series |= {
                "each": draw(st.sampled_from(["period", "quarter", "year"])),
                "within": draw(st.sampled_from(within)),
                **some(draw, total=["", "All"]),
            }
            if series["each"] == "period" and draw(st.booleans()):
                series["totals"] = ["quarter"]
        columns.append(series)
    return {"span": "p", "columns": columns}


def crossed_spine(draw: Any) -> dict[str, Any]:
    """Lines that choose by accounts, by members alone, by what journal lines carry; some read something else than their
    column."""
    lines = []
    for number in range(draw(st.integers(2, 4))):
        line = {
            "line": f"L{number}",
            "accounts": draw(st.sampled_from(LINE_SELECTIONS))
            + draw(st.sampled_from(["", "", "", "; source: t", "; kind: normal"])),
        }
        line |= some(draw, sign=["", "", "as booked", "flipped"])
        if draw(st.integers(0, 4)) == 0:
            line |= some(
                draw,
                measure=["", "closing", "closing quantity"],
                window=["", "year"],
                shift=["", "-1 period"],
                scenario=["", "", "budget"],
            )
        lines.append(line)
    return {
        "spine": "s",
        "lines": [
            {"section": "All", "lines": lines, "total": "Sum"},
            {"calculation": "Twice", "formula": ("*", "L0", 2)},
        ],
    }


def compute(works: Works, spine: dict[str, Any], span: dict[str, Any], at: tuple[int, int], node: str) -> Any:
    scope = {"scope": "n", "nodes": [{"node": code, "of": of} for code, of in NODES.items()]}
    statement = {"statement": "t", "spine": "s", "span": "p", "scope": "n"}
    for body in (written(spine), span, scope, statement):
        assert not check_body(body), (body, check_body(body))
    view = book_of(works).within(NO_FENCE)
    definition = statement_from(statement, spine_from(written(spine)), span_from(span), scope_from(scope))
    return run_statement(definition, view, view.frame.calendar.period(f"{at[0]}-P{at[1]:02d}"), node)


def against_loops(works: Works, spine: dict[str, Any], span: dict[str, Any], at: tuple[int, int], node: str) -> Any:
    """The computed statement, every cell of it compared; None where one of its nodes has nothing, so that there is
    none."""
    brute = Brute(works)
    tests = {code: brute.passes(of) for code, of in NODES.items()}
    if any(not any(tests[code](line.key) for line in brute.lines) for code in ("n", "m", "s")):
        return None
    pieces = Pieces(brute, span, at, tests, node)
    computed = compute(works, spine, span, at, node)
    assert len(computed.columns) == len(pieces.columns), (
        [c.key for c in computed.columns],
        [c["column"] for c in pieces.columns],
    )
    compare(computed, Statement(brute, spine, {"columns": pieces.columns}, at, NODES[node]), hiding=False)
    return computed


def agree_with_traces(computed: Any) -> None:
    for row in computed.rows:
        for column in computed.columns:
            if row.has_figures and column.kind != "text":
                assert trace_cell(computed, row.key, column.key).agrees, (row.label, column.key)


def crossed_at_random(data: Any, works: Works, span: dict[str, Any]) -> Any:
    works, spine = noted(works, data.draw), crossed_spine(data.draw)
    at = data.draw(st.sampled_from([period[0] for period in Brute(works).periods]))
    return against_loops(works, spine, span, at, data.draw(st.sampled_from(["n", "m"])))


@settings(max_examples=several(120))
@given(st.data(), ledgers(), crossed_spans())
def test_crossed_features_equal_loops_and_agree_with_their_traces(data, works, span):
    computed = crossed_at_random(data, works, span)
    if computed is None:
        return
    agree_with_traces(computed)
    assert not [check for check in footing(computed) if check.state == "fails" and check.code in ("totals", "columns")]


@pytest.mark.slow
@settings(max_examples=several(2500))
@given(st.data(), ledgers(), crossed_spans())
def test_crossed_features_equal_loops_at_length(data, works, span):
    computed = crossed_at_random(data, works, span)
    if computed is not None:
        agree_with_traces(computed)


@settings(max_examples=several(50))
@given(st.data(), ledgers(), spines(plain=True))
def test_weeks_with_columns_and_totals_equal_loops(data, works, spine):
    works = noted(works, data.draw)
    at = data.draw(st.sampled_from([period[0] for period in Brute(works).periods]))
    series: dict[str, Any] = {
        "series": "w",
        "each": "week",
        **some(
            data.draw,
            total=["", "All"],
            measure=["", "debits", "credits"],
            then=["", "", "forecast"],
            narrow=["", *TEXTS, "department: d"],
        ),
    }
    # a whole quarter reaches weeks after the period, where the forecast takes over: it is held by period, not by day
    series |= some(data.draw, within=["", "year to date"] if series.get("then") else ["", "quarter", "year to date"])
    if data.draw(st.booleans()):
        series["columns"] = [
            {"column": "a"},
            {"column": "b", **some(data.draw, entries=["", "with pending"], narrow=["", "entity: A"])},
        ]
    computed = against_loops(works, spine, {"span": "p", "columns": [series, {"column": "whole"}]}, at, "n")
    if computed is not None:
        states = [check.state for check in footing(computed) if check.code == "columns"]
        assert states and "fails" not in states


def _figures_in(computed: Any, key: str) -> list[Any]:
    row = next(row for row in computed.rows if row.line == "it" and row.key == key)
    return [None if place in row.blank else row.values[place] for place in range(len(computed.columns))]


@settings(max_examples=several(240))
@given(st.data(), ledgers())
def test_a_row_for_each_period_equals_the_line_seen_from_it_and_the_rows_add_up(data, works):
    """Each row is what the line reads of one period where the whole statement is run at it; the total what it reads of
    the window."""
    works, draw = noted(works, data.draw), data.draw
    columns = [
        {
            "column": f"c{number}",
            **some(draw, measure=["", "closing", "opening", "debits", "closing quantity"], shift=["", "-1 year"]),
            **some(draw, scenario=["", "", "budget"], narrow=["", *KEYED], window=["", "year to date"]),
        }
        for number in range(draw(st.integers(1, 3)))
    ]
    window = draw(st.sampled_from(["year to date", "year", "last 3 periods", "from the beginning", "periods 2 to 13"]))
    line = {"line": "It", "key": "it", "accounts": draw(st.sampled_from(LINE_SELECTIONS))}
    at, node = data.draw(st.sampled_from([period[0] for period in Brute(works).periods])), draw(st.sampled_from("nm"))
    calendar = book_of(works).within(NO_FENCE).frame.calendar

    def run(more: dict[str, str], at: tuple[int, int]) -> Any:
        return compute(works, {"spine": "s", "lines": [line | more]}, {"span": "p", "columns": columns}, at, node)

    brute = Brute(works)
    if any(not any(brute.passes(of)(key.key) for key in brute.lines) for of in NODES.values()):
        return
    made = run({"periods": window, "total": "All of it"}, at)
    each = [row for row in made.rows if row.kind == "period"]
    for row in each:
        period = calendar.by_code[row.key.partition(":")[2].upper()]
        alone = run({"window": "period"}, (period.year, period.number))
        assert _figures_in(made, row.key) == _figures_in(alone, "it"), (row.label, window)
    if not each:
        return
    whole = run({"window": window if window_at_all(calendar, window, at) else "from the beginning"}, at)
    assert _figures_in(made, "it") == _figures_in(whole, "it")
    for place, column in enumerate(made.columns):
        if column.asked.measure in ("activity", "debits"):
            values = [row.values[place] for row in each if place not in row.blank]
            told = made.rows_by_key["it"]
            assert place in told.blank or sum(values) == told.values[place], column.key
            assert place not in told.blank or len(values) < len(each), column.key
    agree_with_traces(made)


def window_at_all(calendar: Any, window: str, at: tuple[int, int]) -> bool:
    return window_at(calendar, read_window(window), calendar.by_code[f"{at[0]}-P{at[1]:02d}"]) is not None
