"""Overviews as texts: what is refused says where and what to do; each edit changes what it names and nothing else."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.errors import RulkaError
from rulka.core.overviews import edits
from rulka.core.overviews.definitions import LineRef, figures_in, line_from, line_mapping, overview_from
from rulka.formats.overview_file import OVERVIEWS

BODY = {
    "overview": "tried", "title": "Tried", "of": "results", "choose": ["Income", "costs: Fuel: heavy"],
    "pages": [
        {"page": "One", "tiles": [
            {"tile": "strip", "lines": ["Income", {"line": "Cash", "as": "Cash left", "plan": "no"}]},
            {"tile": "bridge", "wide": "8"},
            {"tile": "bridge", "by": "entity"},
        ]},
        {"page": "Two", "tiles": [{"tile": "words", "text": "It is {Income} and {costs: Fuel, gap %}."}]},
    ],
}  # fmt: skip


def keys(body: dict) -> list[list[str]]:
    return [[tile.key for tile in page.tiles] for page in overview_from(body).pages]


def test_a_text_is_read_with_its_usual_statement() -> None:
    found = overview_from(BODY)
    assert [line.code for line in found.choices] == ["results: Income", "costs: Fuel: heavy"]
    strip = found.tile("strip")
    assert [(line.title, line.planned) for line in strip.lines] == [("Income", True), ("Cash left", False)]
    assert keys(BODY) == [["strip", "bridge", "bridge-2"], ["words"]]
    assert found.chosen("nothing") == found.choices[0]
    assert figures_in("a {Income} b {costs: Fuel, gap %} c {Port, dues, budget}", "results", "t") == [
        (LineRef("results", "Income"), "actual"), (LineRef("costs", "Fuel"), "gap %"),
        (LineRef("results", "Port, dues"), "budget"),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("tile", "told"),
    [
        ({"tile": "strip"}, "shows nothing without lines"),
        ({"tile": "words"}, "shows nothing without text"),
        ({"tile": "chart", "rows": ["a"]}, "without of, rows and columns"),
        ({"tile": "ranked", "wide": "5"}, "isn't 5 twelfths wide"),
        ({"tile": "bridge", "through": ["Income", "costs: Fuel"]}, "of one statement"),
        ({"tile": "words", "text": "{Income, gap %} {Income, much}"}, ""),
        ({"tile": "trend", "key": "strip"}, "Two tiles have the key 'strip'"),
    ],
)
def test_a_tile_that_lacks_something_is_refused(tile: dict, told: str) -> None:
    body = {
        "overview": "t",
        "of": "r",
        "choose": ["A"],
        "pages": [{"tiles": [{"tile": "strip", "lines": ["A"]}, tile]}],
    }
    if not told:
        assert overview_from(body).tile("words").text
        return
    with pytest.raises(RulkaError) as caught:
        overview_from(body)
    assert told in str(caught.value) and caught.value.hint and caught.value.subject.startswith("tile ")


def test_a_line_of_no_statement_and_a_tile_of_no_line_are_refused() -> None:
    with pytest.raises(RulkaError, match="a line of which statement"):
        overview_from({"overview": "t", "pages": [{"tiles": [{"tile": "trend", "line": "Income"}]}]})
    with pytest.raises(RulkaError, match="shows no line"):
        overview_from({"overview": "t", "of": "r", "pages": [{"tiles": [{"tile": "trend"}]}]})
    with pytest.raises(RulkaError, match="more than 24"):
        tiles = [{"tile": "findings"}] * 13
        overview_from({"overview": "t", "pages": [{"tiles": tiles}, {"tiles": tiles}]})


def test_a_file_says_where_it_is_wrong() -> None:
    with pytest.raises(RulkaError) as caught:
        OVERVIEWS.read("overview: t\npages:\n- tiles:\n  - {tile: pie}\n", "t.yaml")
    assert "pie" in str(caught.value) and "t.yaml, t, pages 1 tiles 1 tile" in caught.value.subject
    assert OVERVIEWS.read(OVERVIEWS.write(BODY), "again") == [BODY]


LABELS = st.text(st.sampled_from("ab :,{}"), min_size=1, max_size=12).map(str.strip).filter(bool)


@given(label=LABELS, name=st.sampled_from(["", "Named"]), planned=st.booleans(), usual=st.sampled_from(["r", "s", ""]))
def test_any_line_reads_back_as_it_was_written(label: str, name: str, planned: bool, usual: str) -> None:
    line = LineRef("r", label, name, planned)
    assert line_from(line_mapping(line, usual), usual, "t") == line


def test_tiles_are_added_moved_sized_and_taken_away() -> None:
    body, key = edits.add_tile(BODY, 2, {"tile": "trend"})
    assert key == "trend" and keys(body) == [["strip", "bridge", "bridge-2"], ["words", "trend"]]
    on = edits.move_tile(body, "bridge", 1)
    assert keys(on) == [["strip", "bridge-2", "bridge"], ["words", "trend"]]
    over = edits.move_tile(on, "bridge", 1)
    assert keys(over) == [["strip", "bridge-2"], ["bridge", "words", "trend"]]
    assert keys(edits.move_tile(over, "bridge", -1)) == [["strip", "bridge-2", "bridge"], ["words", "trend"]]
    with pytest.raises(RulkaError, match="at the end already"):
        edits.move_tile(over, "trend", 1)
    wider = edits.size_tile(over, "bridge", 1)
    assert overview_from(wider).tile("bridge").wide == 9
    assert overview_from(edits.size_tile(wider, "bridge", -1)).tile("bridge").wide == 8
    with pytest.raises(RulkaError, match="can't be wider"):
        edits.size_tile(over, "strip", 1)
    assert keys(edits.remove_tile(over, "words")) == [["strip", "bridge-2"], ["bridge", "trend"]]
    with pytest.raises(RulkaError, match="no tile 'pie'"):
        edits.remove_tile(over, "pie")
    with pytest.raises(RulkaError, match="no page 3"):
        edits.add_tile(BODY, 3, {"tile": "trend"})
    with pytest.raises(RulkaError, match="no tile 'pie'"):
        edits.add_tile(BODY, 1, {"tile": "pie"})
    assert keys(BODY) == [["strip", "bridge", "bridge-2"], ["words"]], "nothing is changed in place"


def test_settings_of_a_tile_go_through_its_form_unchanged() -> None:
    for key in ("strip", "bridge", "bridge-2", "words"):
        again = edits.set_tile(BODY, key, edits.fields_of(BODY, key))
        assert overview_from(again) == overview_from(BODY), key
    changed = edits.set_tile(BODY, "strip", {"title": " Key  figures ", "lines": "Cash\ncosts: Fuel\n\n"})
    strip = overview_from(changed).tile("strip")
    assert strip.title == "Key figures"
    assert [(line.code, line.name, line.planned) for line in strip.lines] == [
        ("results: Cash", "Cash left", False), ("costs: Fuel", "", True),
    ]  # fmt: skip
    through = edits.set_tile(BODY, "bridge", {"line": "Income", "through": "Income\nNet"})
    assert overview_from(through).tile("bridge").line is None


def test_title_choices_and_pages_change() -> None:
    changed = edits.set_about(
        BODY, {"title": "Other", "unit": "units", "decimals": "2", "choose": "costs: Fuel: heavy"}
    )
    found = overview_from(changed)
    assert (found.title, found.unit, found.decimals) == ("Other", "units", 2)
    assert [line.code for line in found.choices] == ["costs: Fuel: heavy"]
    with pytest.raises(RulkaError, match="needs a title"):
        edits.set_about(BODY, {"title": " "})
    more = edits.add_page(BODY, "")
    assert [page.title for page in overview_from(more).pages] == ["One", "Two", "Page 3"]
    assert keys(edits.remove_page(more, 1)) == [["words"], []]
    with pytest.raises(RulkaError, match="one page at least"):
        edits.remove_page({"overview": "t", "pages": [{"tiles": []}]}, 1)
