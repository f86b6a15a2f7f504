"""Slides held against a master, put on it, laid together; parsed back by the package's own reader."""

from __future__ import annotations

import io

import pypdfium2
import pytest
from pptx import Presentation
from pptx.util import Emu

from rulka.core.folios.styles import differences
from rulka.formats.writing.slides import (
    new_slides,
    slide_lines,
    slides_looks,
    slides_merged,
    slides_told,
    slides_with_choices,
    usual_slides,
)
from rulka.formats.writing.suite import _slides, as_pdf, suite
from tests.formats.writing.world import own_slides

MASTER = usual_slides()


def told(data: bytes) -> dict[str, str]:
    return {one.key: one.told for one in differences(slides_looks(data), slides_looks(MASTER))}


def test_new_slides_have_the_masters_looks():
    made = new_slides(MASTER, "For the board", ["One", "Two"])
    assert told(made) == {} and slides_told(made) == [["For the board", "One", "Two"]]


def test_another_master_is_told():
    found = told(own_slides())
    assert list(found) == ["part:fonts", "part:colours", "part:size", "part:slide master"]
    assert found["part:fonts"] == "Calibri, Calibri, master Source Serif 4, Source Sans 3"


@pytest.mark.parametrize(
    ("chosen", "left"),
    [
        ({}, ["part:fonts", "part:colours", "part:size", "part:slide master"]),
        ({"part:fonts": "take"}, ["part:colours", "part:size", "part:slide master"]),
        ({"part:colours": "take", "part:fonts": "keep"}, ["part:fonts", "part:size", "part:slide master"]),
        ({"part:size": "take"}, ["part:fonts", "part:colours", "part:slide master"]),
        ({"part:slide master": "take", "part:size": "keep"}, ["part:size"]),
        ({"part:slide master": "take", "part:size": "take"}, []),
    ],
)
def test_what_is_taken_of_the_master_differs_no_more(chosen, left):
    made = slides_with_choices(own_slides(("A", "B")), chosen, MASTER)
    assert list(told(made)) == left
    assert slide_lines(made) == ["A", "1 234 sailings", "B", "1 234 sailings"]


def test_what_stands_on_slides_keeps_its_shape_in_another_size():
    deck = Presentation(io.BytesIO(own_slides(("A",))))
    deck.slides[0].shapes.add_textbox(Emu(900_000), Emu(900_000), Emu(3_000_000), Emu(1_000_000))
    table = deck.slides[0].shapes.add_table(2, 2, Emu(0), Emu(0), Emu(4_000_000), Emu(800_000))
    buffer = io.BytesIO()
    deck.save(buffer)
    size = (6_096_000, 3_429_000)  # half of the master's: 9,144,000 by 6,858,000 comes to a half by height
    small = Presentation(io.BytesIO(MASTER))
    small.slide_width, small.slide_height = size
    master = io.BytesIO()
    small.save(master)
    made = slides_with_choices(buffer.getvalue(), {"part:size": "take"}, master.getvalue())
    after = Presentation(io.BytesIO(made))
    assert (after.slide_width, after.slide_height) == size
    *_, box, grid = after.slides[0].shapes
    assert (box.width, box.height, box.top) == (1_500_000, 500_000, 450_000)
    assert box.left == 450_000 + (6_096_000 - 9_144_000 / 2) / 2
    assert sum(one.width for one in grid.table.columns) == table.width / 2


def test_decks_laid_together_keep_their_masters_or_share_one():
    ours, theirs = new_slides(MASTER, "Ours"), own_slides(("Theirs", "Too"))
    whole = slides_merged([ours, theirs, ours], MASTER, "All")
    deck = Presentation(io.BytesIO(whole))
    assert [lines[0] for lines in slides_told(whole)] == ["Ours", "Theirs", "Too", "Ours"]
    assert len(deck.slide_masters) == 2 and deck.core_properties.title == "All"
    names = [str(one.part.partname) for one in deck.slides]
    assert len(set(names)) == 4
    numbers = [layout.get("id") for master in deck.slide_masters for layout in master._element.iter()
               if str(layout.tag).endswith("}sldLayoutId")]  # fmt: skip
    assert len(numbers) == len(set(numbers)) == 22


def test_slides_by_their_words_where_no_office_suite_is():
    pdf = pypdfium2.PdfDocument(_slides(own_slides(("A", "B"))))
    assert len(pdf) == 2 and "1 234 sailings" in pdf[0].get_textpage().get_text_bounded()
    pdf.close()


if suite("pptx"):

    @pytest.mark.slow
    def test_an_office_suite_shows_each_slide():
        ours, theirs = new_slides(MASTER, "Ours"), own_slides(("Theirs", "Too"))
        pdf = pypdfium2.PdfDocument(as_pdf(slides_merged([ours, theirs], MASTER, "All"), "pptx")[0])
        words = [pdf[at].get_textpage().get_text_bounded() for at in range(len(pdf))]
        pdf.close()
        assert [any(title in one for one in words) for title in ("Ours", "Theirs", "Too")] == [True] * 3
        assert len(words) == 3
