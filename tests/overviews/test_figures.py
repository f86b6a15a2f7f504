"""Figures of overviews are those of their statements, for random nodes, periods, windows and fences: each tile is held
against the statement run with one plain column at a time, and some against loops over the generated files."""

from __future__ import annotations

from decimal import Decimal
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.spans import span_from
from rulka.core.errors import RulkaError
from rulka.core.overviews.definitions import WINDOWS, overview_from
from rulka.core.overviews.filling import TileQuestion
from rulka.core.overviews.reading import place_of
from rulka.core.overviews.tiles import Strip, TileContent
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import view_of
from rulka.overviews.running.readings import OverviewReader, StatementReadings
from rulka.overviews.running.tiles import filled, filled_page
from rulka.statements.library.assemble import assemble, definitions_of
from tests.lengths import several
from tests.oracle import Oracle

pytestmark = pytest.mark.django_db

LESS = [HealthCheck.function_scoped_fixture]
READ = {"month": "period", "date": "year to date", "year": "year"}
FENCES = {
    "open": NO_FENCE,
    "two companies": Fence.of(entities="TF, NF"),
    "ships": Fence.of(entities="TF", members={"department": "under:100"}),
    "no wages": Fence.of(sealed="5010 to 5040"),
    "some accounts": Fence.of(accounts="4*, 6*"),
}
RESULTS = ["Income", "Result before depreciation", "Operating result", "Net result", "Fuel", "Fares"]
PERIODS = ["2027-P07", "2027-P01", "2026-P11", "2026-P12", "2025-P06"]
BODY = {
    "overview": "tried", "of": "results", "choose": RESULTS,
    "pages": [{"tiles": [
        {"tile": "strip", "lines": RESULTS},
        {"tile": "bridge", "key": "by-line", "wide": "12"},
        {"tile": "bridge", "key": "since", "from": "prior", "wide": "12"},
        {"tile": "bridge", "key": "by-entity", "by": "entity", "wide": "12"},
        {"tile": "bridge", "key": "adds", "by": "crossing", "from": "nothing", "wide": "12"},
        {"tile": "bridge", "key": "down", "wide": "12",
         "through": ["Income", "Result before depreciation", "Operating result", "Net result"]},
        {"tile": "ranked", "by": "entity", "most": "90"},
        {"tile": "ranked", "key": "crossings", "by": "crossing", "most": "90"},
        {"tile": "multiples", "by": "entity", "most": "90", "wide": "12"},
        {"tile": "trend"},
    ]}],
}  # fmt: skip


@pytest.fixture(scope="module")
def oracle(demo_folder: Path) -> Oracle:
    return Oracle(demo_folder / "ledger", demo_folder / "news")


@pytest.fixture
def results(ternwick: Ledger) -> Ledger:
    return ternwick


def readings_of(ledger: Ledger, period: str, node: str, fence: Fence) -> StatementReadings:
    return StatementReadings(overview_from(BODY), OverviewReader(ledger, fence, None, period, node, node))


def plainly(ledger: Ledger, fence: Fence, period: str, node: str, label: str, **column: str) -> Fraction | None:
    """A line of the statement in one column, run by itself."""
    from dataclasses import replace

    definitions = definitions_of(ledger, "results")
    span = span_from({"span": "one", "columns": [{"column": "one", **column}]})
    view = view_of(ledger, fence)
    computed = run_statement(
        replace(assemble(definitions), span=span), view,
        view.frame.calendar.period(period), node,
    )  # fmt: skip
    line = computed.plan.names.find(label)
    return computed.cells[line.key][0]


CASES = st.tuples(
    st.sampled_from(sorted(FENCES)), st.sampled_from(PERIODS), st.sampled_from(["group", "TF", "NF"]),
    st.sampled_from(WINDOWS), st.sampled_from(RESULTS),
)  # fmt: skip


@settings(max_examples=several(14), suppress_health_check=LESS)
@given(case=CASES)
def test_any_strip_shows_what_the_statement_does(results: Ledger, case: tuple[str, str, str, str, str]) -> None:
    name, period, node, window, label = case
    readings = readings_of(results, period, node, FENCES[name])
    try:
        readings.node  # noqa: B018  a fence may leave nothing of a node
    except RulkaError:
        return
    tile = filled(readings.definition.tile("strip"), readings, TileQuestion((window,), None))
    assert isinstance(tile.filled, Strip), tile.refused
    row = next(row for row in tile.filled.rows if row.line.label == label)
    one, time = row.windows[0], READ[window]
    ahead = {"then": readings.known.forecast} if window == "year" and readings.known.forecast else {}
    actual = plainly(results, FENCES[name], period, node, label, window=time, **ahead)
    budget = plainly(results, FENCES[name], period, node, label, window=time, scenario="budget")
    prior = plainly(results, FENCES[name], period, node, label, window=time, shift="-1 year")
    assert (one.actual.value, one.budget.value, one.prior.value) == (actual, budget, prior)
    if None not in (actual, budget, prior):
        assert one.gap.value == actual - budget and one.change.value == actual - prior
    target = plainly(results, FENCES[name], period, node, label, window="year", scenario="budget")
    to_date = plainly(results, FENCES[name], period, node, label, window="year to date")
    if target and to_date is not None:
        assert (row.reached.value, row.left.value) == (to_date / target, target - to_date)


@settings(max_examples=several(14), suppress_health_check=LESS)
@given(case=CASES)
def test_any_bridge_starts_and_ends_at_the_statement_and_adds_up(
    results: Ledger, case: tuple[str, str, str, str, str]
) -> None:
    name, period, node, window, label = case
    readings = readings_of(results, period, node, FENCES[name])
    chosen = readings.definition.chosen(f"results: {label}")
    try:
        readings.node  # noqa: B018
    except RulkaError:
        return
    ahead = {"then": readings.known.forecast} if window == "year" and readings.known.forecast else {}
    actual = plainly(results, FENCES[name], period, node, label, window=READ[window], **ahead)
    for key, other in (
        ("by-line", {"scenario": "budget"}), ("since", {"shift": "-1 year"}), ("by-entity", {"scenario": "budget"}),
        ("adds", None), ("down", None),
    ):  # fmt: skip
        tile = filled(readings.definition.tile(key), readings, TileQuestion((window,), chosen))
        start = plainly(results, FENCES[name], period, node, label, window=READ[window], **other) if other else None
        if tile.refused is not None:
            assert "has no" in tile.refused.message or "more than add" in tile.refused.message, tile.refused
            continue
        assert isinstance(tile.filled, TileContent)
        bars = [row.figures[0].value for row in tile.filled.tables[0].rows]
        assert all(value is not None for value in bars)
        if key == "down":
            names = [row.name for row in tile.filled.tables[0].rows]
            totals = ["Income", "Result before depreciation", "Operating result", "Net result"]
            expected = [
                plainly(results, FENCES[name], period, node, one, window=READ[window], **ahead) for one in totals
            ]
            places = [names.index(one) for one in totals]
            assert [bars[place] for place in places] == expected
            for first, last in pairwise(places):
                assert bars[first] + sum(bars[first + 1 : last]) == bars[last]
        else:
            begins = 0 if start is None else bars[0]
            assert bars[-1] == actual and (start is None or bars[0] == start), key
            assert begins + sum(bars[0 if start is None else 1 : -1]) == bars[-1], key


@settings(max_examples=several(7), suppress_health_check=LESS)
@given(case=CASES)
def test_any_member_shows_what_its_own_run_does(results: Ledger, case: tuple[str, str, str, str, str]) -> None:
    name, period, _, window, label = case
    fence = FENCES[name]
    readings = readings_of(results, period, "group", fence)
    chosen = readings.definition.chosen(f"results: {label}")
    ahead = {"then": readings.known.forecast} if window == "year" and readings.known.forecast else {}
    tile = filled(readings.definition.tile("ranked"), readings, TileQuestion((window,), chosen))
    if tile.refused is not None:  # nothing of the line is there at all
        assert tile.refused.message == "Nothing was booked or planned here in this time."
        assert not plainly(results, fence, period, "group", label, window=READ[window], **ahead)
        return
    assert isinstance(tile.filled, TileContent)
    codes = {item.name: item.code for item in readings.view.frame.entities.items}
    for row in tile.filled.tables[0].rows:
        own = {"window": READ[window], "narrow": f"entity: {codes[row.name]}"}
        expected = [
            plainly(results, fence, period, "group", label, **own, **ahead),
            plainly(results, fence, period, "group", label, **own, scenario="budget"),
            plainly(results, fence, period, "group", label, **own, shift="-1 year"),
        ]
        assert [shown.value for shown in row.figures] == expected, row.name
    months = filled(readings.definition.tile("multiples"), readings, TileQuestion((window,), chosen))
    if months.refused is not None:
        assert months.refused.message == "Nothing was booked or planned here in these months."
        return
    assert isinstance(months.filled, TileContent)
    calendar = readings.view.frame.calendar
    last = calendar.period(period)
    for row in months.filled.tables[0].rows:
        for back, shown in zip(range(len(row.figures) - 1, -1, -1), row.figures, strict=True):
            at = calendar.moved(last, periods=-back)
            narrow = f"entity: {codes[row.name]}"
            assert shown.value == plainly(results, fence, at.code, "group", label, narrow=narrow), (row.name, at.code)


def test_crossings_and_what_names_none_add_up_to_the_whole(results: Ledger) -> None:
    readings = readings_of(results, "2027-P07", "group", NO_FENCE)
    chosen = readings.definition.chosen("results: Income")
    tile = filled(readings.definition.tile("crossings"), readings, TileQuestion(("date",), chosen))
    assert isinstance(tile.filled, TileContent)
    rows = tile.filled.tables[0].rows
    assert {row.name for row in rows} == {"North", "Islands", "Sound", "None"}
    whole = plainly(results, NO_FENCE, "2027-P07", "group", "Income", window="year to date")
    assert sum(row.figures[0].value for row in rows) == whole
    assert not any("belongs" in note or "together" in note for note in tile.filled.notes)


def test_a_strip_agrees_with_loops_over_the_files(results: Ledger, oracle: Oracle) -> None:
    """Fuel of Ternwick Ferries in October, and from April on, added up line by line from what was generated."""
    readings = readings_of(results, "2027-P07", "TF", NO_FENCE)
    accounts = oracle.between("6110", "6199")
    for window, first in (("month", 7), ("date", 1)):
        tile = filled(readings.definition.tile("strip"), readings, TileQuestion((window,), None))
        assert isinstance(tile.filled, Strip)
        fuel = next(row for row in tile.filled.rows if row.line.label == "Fuel").windows[0]
        expected = -oracle.activity("TF", accounts, (2027, first), (2027, 7))
        assert Decimal(fuel.actual.value.numerator) / fuel.actual.value.denominator == expected


def test_the_trend_is_actual_then_forecast_and_adds_up_to_the_outlook(results: Ledger) -> None:
    readings = readings_of(results, "2027-P07", "group", NO_FENCE)
    tile = filled(readings.definition.tile("trend"), readings, TileQuestion(("date",), readings.definition.chosen("")))
    assert isinstance(tile.filled, TileContent)
    rows = tile.filled.tables[0].rows
    assert len(rows) == 12
    outlook = dict(tile.filled.headline)["Year"].value
    assert sum(row.figures[0].value for row in rows) == outlook
    kinds = [mark.kind for mark in tile.filled.pictures[0].drawing.marks]
    assert kinds.count("actual") == 7 and kinds.count("forecast") == 5


def test_sealed_wages_stay_sealed_in_every_tile(results: Ledger) -> None:
    """The seal keeps totals down to entity and period: what a crossing tells finer shows no figure."""
    body = {
        "overview": "sealed", "of": "results",
        "pages": [{"tiles": [
            {"tile": "ranked", "line": "Wages and social costs", "by": "crossing"},
            {"tile": "ranked", "key": "whole", "line": "Wages and social costs", "by": "entity"},
        ]}],
    }  # fmt: skip
    fence = Fence.of(sealed="5010 to 5040")
    definition = overview_from(body)
    readings = StatementReadings(definition, OverviewReader(results, fence, None, "2027-P07", "group", "group"))
    finer = filled(definition.tile("ranked"), readings, TileQuestion(("date",), None)).filled
    whole = filled(definition.tile("whole"), readings, TileQuestion(("date",), None)).filled
    open_one = StatementReadings(definition, OverviewReader(results, NO_FENCE, None, "2027-P07", "group", "group"))
    seen = filled(definition.tile("ranked"), open_one, TileQuestion(("date",), None)).filled
    assert isinstance(finer, TileContent) and isinstance(whole, TileContent) and isinstance(seen, TileContent)
    told = {row.name: row.figures[0].value for row in seen.tables[0].rows}
    own = {row.name: row.figures[0].value for row in finer.tables[0].rows}
    assert any(told.values()) and set(own.values()) == {None}, "the seal keeps apart what an open view shows"
    assert all(row.figures[0].text == "sealed" for row in finer.tables[0].rows if told.get(row.name))
    words = [words.text for words in finer.pictures[0].drawing.words]
    assert "sealed" in words and not finer.pictures[0].drawing.marks
    assert all(row.figures[0].value is not None for row in whole.tables[0].rows)


def test_no_mark_tells_of_what_lies_behind_a_fence(results: Ledger) -> None:
    readings = readings_of(results, "2027-P07", "group", Fence.of(entities="TF, NF"))
    chosen = readings.definition.chosen("")
    for key in ("ranked", "by-entity", "multiples"):
        tile = filled(readings.definition.tile(key), readings, TileQuestion(("date",), chosen))
        assert isinstance(tile.filled, TileContent)
        names = {row.name for row in tile.filled.tables[0].rows}
        assert "Ternwick Quays" not in names
        said = " ".join(mark.said for picture in tile.filled.pictures for mark in picture.drawing.marks)
        assert "Quays" not in said


def test_every_mark_of_every_tile_is_a_figure_that_can_be_traced(results: Ledger) -> None:
    readings = readings_of(results, "2027-P07", "group", NO_FENCE)
    chosen = readings.definition.chosen("results: Operating result")
    count = 0
    for asked in readings.definition.tiles:
        tile = filled(asked, readings, TileQuestion(("date",), chosen))
        if not isinstance(tile.filled, TileContent):
            continue
        for picture in tile.filled.pictures:
            for mark in picture.drawing.marks:
                source, row, column = place_of(mark.key)
                if not row:
                    continue  # what stands for several, or for what no step accounts for
                reading = readings.sourced(tile.filled.statement, source)
                value = reading.computed.row(row).values[reading.computed.place(column)]
                text = reading.write(reading.computed.row(row), reading.computed.column(column), value)
                assert mark.said.endswith(text), (mark, text)
                count += 1
    assert count > 150


def test_months_of_the_same_size_share_one_scale_on_a_page_and_others_say_nothing_of_it(results: Ledger) -> None:
    body = {
        "overview": "scales", "of": "results",
        "pages": [{"tiles": [
            {"tile": "trend", "line": "Income"}, {"tile": "trend", "key": "fares", "line": "Fares"},
            {"tile": "multiples", "line": "Income", "by": "crossing"},
        ]}, {"tiles": [
            {"tile": "trend", "key": "large", "line": "Income"}, {"tile": "trend", "key": "small", "line": "Marketing"},
        ]}],
    }  # fmt: skip
    definition = overview_from(body)
    readings = StatementReadings(definition, OverviewReader(results, NO_FENCE, None, "2027-P07", "group", "group"))
    both, apart = (filled_page(definition, page, readings, "date", None) for page in definition.pages)
    contents = [one.filled for one in both if isinstance(one.filled, TileContent)]
    assert contents[0].ends == contents[1].ends and contents[0].ends is not None
    assert all("one scale with its like on this page" in content.notes for content in contents[:2])
    per_unit = set()
    for content in contents[:2]:
        for mark in content.pictures[0].drawing.marks:
            if mark.kind == "actual" and mark.height > 40:
                source, row, column = place_of(mark.key)
                reading = readings.sourced("results", source)
                per_unit.add(mark.height / float(reading.value(reading.computed.row(row), column)))
    assert max(per_unit) <= min(per_unit) * 1.01, per_unit
    assert not any("its like" in note for one in (*apart, both[2]) for note in one.filled.notes)


def test_an_adjusting_period_stands_among_the_months_where_it_holds_something(small, command, db, tmp_path) -> None:
    """A thirteenth period of the small ledger: the months of the year, and of each company, hold it once it has
    anything, and add up to the year."""
    from tests.conftest import SMALL

    late = (
        "A,Z1,1,2026-12-31,1000,,9.00,,Late,D9,adjusting,,2026-P13\n"
        "A,Z1,2,2026-12-31,4000,10,,9.00,Late,D9,adjusting,,2026-P13\n"
    )
    command("load_ledger", small(entries__csv=SMALL["entries.csv"] + late), ledger="s")
    definitions = tmp_path / "d.yaml"
    definitions.write_text("""
spine: r
covers: nothing
lines: [{line: Sales, accounts: "4*"}]
---
span: r
columns: [{column: now}]
---
statement: r
spine: r
span: r
""")
    command("load_statement", definitions, ledger="s")
    ledger = Ledger.objects.get(code="s")
    body = {"overview": "t", "of": "r", "pages": [{"tiles": [
        {"tile": "trend", "line": "Sales"}, {"tile": "multiples", "line": "Sales", "by": "department"}]}]}  # fmt: skip
    definition = overview_from(body)
    readings = StatementReadings(definition, OverviewReader(ledger, NO_FENCE, None, "2026-P13", "A", ""))
    trend = filled(definition.tile("trend"), readings, TileQuestion(("year",), None))
    assert isinstance(trend.filled, TileContent), trend.refused
    whole = readings.whole("r")
    sales = definition.tile("trend").line
    row = whole.row(sales)
    assert sum(one.figures[0].value or 0 for one in trend.filled.tables[0].rows) == whole.value(row, "year-actual")
    several = filled(definition.tile("multiples"), readings, TileQuestion(("year",), None))
    assert isinstance(several.filled, TileContent), several.refused
    assert all(len(one.figures) == len(several.filled.tables[0].heads) for one in several.filled.tables[0].rows)
    total = sum(shown.value or 0 for one in several.filled.tables[0].rows for shown in one.figures)
    assert total == whole.value(row, "year-actual")


def test_a_missing_rate_leaves_the_year_out_and_says_so(results: Ledger) -> None:
    """Without rates for the months to come the month and the year to date stand, and the year says what is missing."""
    from rulka.ledger.models import Rate

    Rate.objects.filter(ledger=results, period__gt=202707).delete()
    Ledger.objects.filter(pk=results.pk).update(revision=9_999)  # what is kept of the revision before isn't read
    results.refresh_from_db()
    readings = readings_of(results, "2027-P07", "group", NO_FENCE)
    chosen = readings.definition.chosen("")
    for key in ("strip", "by-line", "ranked"):
        assert filled(readings.definition.tile(key), readings, TileQuestion(("date",), chosen)).refused is None, key
        refused = filled(readings.definition.tile(key), readings, TileQuestion(("year",), chosen)).refused
        assert refused and "no rate for SEK in November 2026" in refused.message, key
    trend = filled(readings.definition.tile("trend"), readings, TileQuestion(("year",), chosen))
    assert isinstance(trend.filled, TileContent) and len(trend.filled.tables[0].rows) == 7
    assert any("no rate for SEK" in note for note in trend.filled.notes)
