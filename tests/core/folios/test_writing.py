"""Texts as the editor has them, read strictly; outlines and their edits."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.errors import RulkaError
from rulka.core.folios import edits
from rulka.core.folios.filled import (
    Filled,
    FilledCell,
    FilledDrawing,
    FilledFigure,
    FilledProblem,
    FilledRow,
    FilledTable,
    FilledWords,
    filled_from,
    filled_to,
    moved,
)
from rulka.core.folios.outline import folio_from
from rulka.core.folios.styles import StyleLooks, differences, undecided
from rulka.core.folios.writing import (
    Document,
    FigureLook,
    FigurePlace,
    Footnote,
    Heading,
    LineBreak,
    Listing,
    LiveTable,
    PageBreak,
    Paragraph,
    TableCell,
    Text,
    TextTable,
    document_from,
    document_to,
    figure_named,
    plain_lines,
)

words = st.text(
    st.characters(min_codepoint=32, max_codepoint=0x2FFF, exclude_categories=["Cs"]), min_size=1, max_size=20
)
figures = st.builds(
    FigurePlace,
    st.sampled_from(["statement:a|b|c", "worksheet:m|S!B4"]),
    st.builds(
        FigureLook, st.sampled_from(["", "thousands", "millions"]), st.sampled_from(["", "0", "2"]), st.booleans()
    ),
)
inlines = st.one_of(
    st.builds(Text, words, st.frozensets(st.sampled_from(["strong", "em", "underline"])),
              st.sampled_from(["", "https://a.example"])),
    figures, st.builds(Footnote, words), st.just(LineBreak()),
)  # fmt: skip
lines = st.builds(tuple, st.lists(inlines, max_size=4))
leaves = st.one_of(
    st.builds(Paragraph, lines), st.builds(Heading, st.integers(1, 3), lines), st.just(PageBreak()),
    st.builds(LiveTable, st.just("statement:a")),
)  # fmt: skip
blocks = st.recursive(
    leaves,
    lambda inner: st.one_of(
        st.builds(Listing, st.booleans(), st.lists(st.lists(inner, min_size=1, max_size=2).map(tuple), min_size=1,
                                                   max_size=2).map(tuple)),
        st.builds(TextTable, st.lists(st.lists(st.builds(TableCell, st.lists(inner, min_size=1, max_size=2).map(tuple),
                                                     st.booleans(), st.integers(1, 2), st.integers(1, 2)),
                                           min_size=1, max_size=2).map(tuple), min_size=1, max_size=2).map(tuple)),
    ),
    max_leaves=6,
)  # fmt: skip


@given(st.lists(blocks, min_size=1, max_size=4).map(tuple))
def test_a_text_reads_back_as_it_was_written(made):
    document = Document(made)
    assert document_from(document_to(document)) == document


@given(figures)
def test_a_figure_is_found_by_its_key(figure):
    assert figure_named(figure.key) == figure


@pytest.mark.parametrize(
    ("raw", "why"),
    [
        (None, "holds nothing like"),
        ({"type": "paragraph"}, "holds nothing like"),
        ({"type": "doc", "content": "x"}, "content"),
        ({"type": "doc", "content": [{"type": "script"}]}, "'script'"),
        ({"type": "doc", "content": [{"type": "heading", "attrs": {"level": 9}}]}, "level 9"),
        ({"type": "doc", "content": [{"type": "heading", "attrs": {"level": True}}]}, "level True"),
        ({"type": "doc", "content": [{"type": "live_table", "attrs": {}}]}, "without a source"),
        ({"type": "doc", "content": [{"type": "table", "content": [{"type": "paragraph"}]}]}, "'paragraph'"),
        ({"type": "doc", "content": [{"type": "paragraph", "content": [{"type": "text", "text": 7}]}]}, "text"),
        ({"type": "doc", "content": [{"type": "paragraph", "content": [
            {"type": "text", "text": "x", "marks": [{"type": "link", "attrs": {"href": "javascript:alert(1)"}}]}]}]},
         "is no link"),
        ({"type": "doc", "content": [{"type": "paragraph", "content": [
            {"type": "figure", "attrs": {"source": "statement:a", "unit": "dozens"}}]}]}, "dozens"),
    ],
)  # fmt: skip
def test_what_is_no_text_is_refused_in_words(raw, why):
    with pytest.raises(RulkaError) as refused:
        document_from(raw)
    assert why in refused.value.message and refused.value.hint


def test_lists_and_tables_too_deep_and_texts_too_long_are_refused():
    deep = {"type": "paragraph"}
    for _ in range(30):
        deep = {"type": "bullet_list", "content": [{"type": "list_item", "content": [deep]}]}
    with pytest.raises(RulkaError, match="too deep"):
        document_from({"type": "doc", "content": [deep]})
    long = {"type": "paragraph", "content": [{"type": "text", "text": "x" * 2_100_000}]}
    with pytest.raises(RulkaError, match="too long"):
        document_from({"type": "doc", "content": [long]})


def test_signs_that_no_file_holds_are_left_out():
    raw = {"type": "doc", "content": [{"type": "paragraph", "content": [{"type": "text", "text": "a\x00b\x0bc"}]}]}
    assert plain_lines(document_from(raw)) == ["abc"]


def test_what_places_show_is_kept_and_read_again():
    table = FilledTable("T", "EUR", ("A",), (FilledRow("r", (FilledCell("1", "1.00"),), 1, "total", True, "single"),),
                        ((("over", 1),),), ("note",), "statement:a")  # fmt: skip
    filled = Filled(
        {"k": FilledFigure("1", "1.00", "n", "h")},
        {
            "statement:a": (table, FilledDrawing("d", "<svg/>", 4, 5)),
            "b": (FilledWords("w", ("p",)), FilledProblem("no")),
        },
    )
    again = filled_from(filled_to(filled))
    assert again == filled and moved(filled, again) == [] and filled.problems == 1
    other = Filled({"k": FilledFigure("2", "2.00", "n", "h")}, {**filled.tables, "statement:a": ()})
    assert moved(filled, other) == ["k", "statement:a"]
    assert filled.untitled("t").tables["statement:a"][0].title == ""


# outlines -------------------------------------------------------------------------------------------------------------

BODY = {
    "folio": "pack",
    "sections": [{"title": "One"}, {"section": "two", "title": "Two", "kind": "statement", "of": "s"}],
}


def test_an_outline_is_read_with_its_turns():
    body = {**BODY, "sections": [{"title": "One", "writers": ["ann", {"who": "bob", "due": "2026-11-09"}]}]}
    section = folio_from(body).section("one")
    assert [(turn.who, str(turn.due)) for turn in section.turns] == [("ann", "None"), ("bob", "2026-11-09")]
    assert folio_from(BODY).section("two").source == "statement:s" and folio_from(BODY).number("two") == 2


@pytest.mark.parametrize(
    ("section", "why", "where"),
    [
        ({"title": " "}, "needs a title", "section 1"),
        ({"title": "A", "kind": "poem"}, "'poem'", "section 1"),
        ({"title": "A", "kind": "statement"}, "doesn't say which statement", "section 1, A"),
        ({"title": "A", "of": "s"}, "is of nothing", "section 1, A"),
        ({"title": "A", "kind": "worksheet", "of": "w"}, "which part", "section 1, A"),
        ({"title": "A", "orientation": "askew"}, "no orientation", "section 1, A"),
        ({"title": "A", "writers": [{"due": "2026-11-09"}]}, "names nobody", "section 1, A, writers"),
        ({"title": "A", "reviewers": [{"who": "x", "due": "9 Nov"}]}, "is no day", "section 1, A, reviewers"),
    ],
)
def test_what_is_wrong_with_an_outline_is_said_with_its_place(section, why, where):
    with pytest.raises(RulkaError) as refused:
        folio_from({"folio": "pack", "sections": [section]})
    assert why in refused.value.message and refused.value.subject == where


def test_two_sections_of_a_key_are_refused():
    with pytest.raises(RulkaError, match="Two sections"):
        folio_from({"folio": "pack", "sections": [{"title": "A"}, {"title": "A"}]})


def test_sections_are_added_moved_set_and_taken_away():
    body, key = edits.add_section(BODY, {"title": "Two", "kind": "text"}, below="one")
    assert key == "two-2" and [one["section"] for one in body["sections"]] == ["one", "two-2", "two"]
    assert [one["section"] for one in edits.move_section(body, "two", -5)["sections"]] == ["two", "one", "two-2"]
    named = edits.set_section(body, "one", {"title": "First", "writers": "ann 2026-11-09\nbob", "reviewers": ""})
    assert named["sections"][0] == {
        "section": "one", "title": "First", "writers": [{"who": "ann", "due": "2026-11-09"}, {"who": "bob"}],
    }  # fmt: skip
    assert edits.turns_text(named["sections"][0]["writers"]) == "ann 2026-11-09\nbob"
    assert len(edits.remove_section(body, "two-2")["sections"]) == 2
    with pytest.raises(RulkaError, match="no section 'gone'"):
        edits.remove_section(body, "gone")
    with pytest.raises(RulkaError, match="names no turn"):
        edits.set_section(body, "one", {"writers": "ann on 2026-11-09"})
    assert edits.set_about(body, {"period": "2026-P01", "title": ""}) == {**body, "period": "2026-P01"}


def test_who_takes_over_has_no_two_turns_in_a_row():
    writers = ["bob", {"who": "ann", "due": "2026-11-09"}]
    body = {"folio": "p", "owner": "ann", "sections": [{"title": "A", "writers": writers}]}
    made = edits.handed_over(body, "ann", "bob")
    assert made["owner"] == "bob" and made["sections"][0]["writers"] == ["bob"]
    assert edits.handed_over(body, "eve", "bob") == body


# styles ---------------------------------------------------------------------------------------------------------------


def test_differences_from_a_master_style_by_style():
    own = StyleLooks({"Heading 2": {"size": "19 pt", "font": "A"}, "Quote": {"size": "9 pt"}, "Normal": {"font": "A"}},
                {"header": "Mine", "paper": "210 by 297 mm"})  # fmt: skip
    master = StyleLooks({"Heading 2": {"size": "17 pt", "font": "A", "bold": "yes"}, "Normal": {"font": "A"}},
                   {"header": "[TITLE]", "paper": "210 by 297 mm"})  # fmt: skip
    found = {one.key: one.told for one in differences(own, master)}
    assert found == {
        "style:Heading 2": "size 19 pt, master 17 pt; bold none, master yes",
        "style:Quote": "own style, master has none",
        "part:header": "Mine, master [TITLE]",
    }  # fmt: skip
    left = undecided(differences(own, master), {"style:Quote": "keep", "part:header": "perhaps"})
    assert [one.key for one in left] == ["style:Heading 2", "part:header"]
