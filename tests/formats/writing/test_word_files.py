"""Word files written, read, filled again, held against a master, laid together; parsed back by the package's own
reader, laid out by an office suite where one is installed."""

from __future__ import annotations

import io

import pypdfium2
import pytest
from docx import Document
from docx.enum.section import WD_ORIENT

from rulka.core.folios.styles import differences
from rulka.formats.writing.docx_looks import looks_of, master_looks
from rulka.formats.writing.docx_master import usual_master
from rulka.formats.writing.docx_merge import DocxPart, merged
from rulka.formats.writing.docx_read import is_landscape, lines_of, tags_of
from rulka.formats.writing.docx_write import refilled, tag_of, write_docx
from rulka.formats.writing.page import as_page, as_paper
from rulka.formats.writing.suite import SAYS, _words, as_pdf, suite
from rulka.formats.writing.xml import field
from tests.formats.writing.world import FIGURE, TABLE, filled, own_word_file, written

LIVE = write_docx(written(), filled(), usual_master(), live=True, title="Pack", remarks=[("Cat", "0.4 %", "Sure?")])


def opened(data: bytes):
    return Document(io.BytesIO(data))


def test_a_text_as_a_word_file_holds_all_of_it():
    docx = opened(write_docx(written(), filled(), usual_master(), heading="3 Traffic", title="Pack"))
    named = [(one.style.name, one.text) for one in docx.paragraphs if one.text]
    assert named[:3] == [
        ("Heading 1", "3 Traffic"), ("Heading 2", "How it went"),
        ("Normal", "The ships carried 46 512 passengers, 0.4 % fewer (more)."),
    ]  # fmt: skip
    assert ("List Bullet", "one") in named and ("Figure Title", "Fares") in named
    live, typed = docx.tables
    assert [cell.text for cell in live.rows[-1].cells] == ["Fares", "11 539.5", "12 246.6"]
    assert [cell.text for cell in typed.rows[1].cells] == ["Sound", "12"]
    blob = next(one.target_part.blob for one in docx.part.rels.values() if one.reltype.endswith("/footnotes"))
    assert b"Than planned." in blob and docx.core_properties.title == "Pack"


def test_live_places_are_found_again_and_nothing_else_moves():
    assert tags_of(LIVE) == [tag_of(FIGURE), tag_of("statement:fares")]
    assert "46 512" not in " ".join(lines_of(LIVE, typed=True)) and "0.4 %" in " ".join(lines_of(LIVE, typed=True))
    other = filled("50 000")
    again = refilled(LIVE, {tag_of(FIGURE): FIGURE}, {tag_of("statement:fares"): "statement:fares"}, other)
    before, after = lines_of(LIVE), lines_of(again)
    assert [line.replace("50 000", "46 512") for line in after] == before and before != after
    assert tags_of(again) == tags_of(LIVE)
    assert lines_of(refilled(LIVE, {}, {}, other)) == before  # what this folio doesn't know stays


def test_remarks_stand_at_their_words():
    comments = list(opened(LIVE).comments)
    assert [(one.author, one.text) for one in comments] == [("Cat", "Sure?")]


def test_the_masters_looks_have_no_difference_from_the_master():
    assert differences(looks_of(LIVE), master_looks(usual_master())) == []


def test_a_files_own_looks_are_told_style_by_style():
    found = {one.key: one.told for one in differences(looks_of(own_word_file()), master_looks(usual_master()))}
    assert "size 31 pt, master 17 pt" in found["style:Heading 1"] and "font Cantarell" in found["style:Heading 1"]
    assert "colour C01010, master 20292B" in found["style:Heading 1"]
    assert "font Cambria, master Source Sans 3" in found["style:Normal"]  # from the theme
    assert found["part:header"] == "The ships' own head, master [TITLE]" and "part:paper" in found


def test_a_later_sections_own_head_is_told_too():
    docx = opened(own_word_file(across=True))
    section = docx.sections[-1]
    section.header.is_linked_to_previous = False
    section.header.paragraphs[0].text = "Across only"
    section.different_first_page_header_footer = True
    section.first_page_header.paragraphs[0].text = "Cover"
    buffer = io.BytesIO()
    docx.save(buffer)
    found = {one.key: one.told for one in differences(looks_of(buffer.getvalue()), master_looks(usual_master()))}
    told = "The ships' own head; later first page: Cover; later Across only, master [TITLE]"
    assert found["part:header"] == told
    chosen = {**choices(buffer.getvalue(), "keep"), "part:header": "take"}
    made = opened(merged([DocxPart(buffer.getvalue(), "3 Own", "3", chosen, own=True)], usual_master(), title="P"))
    assert "Across only" not in made.sections[-1].header.paragraphs[0].text
    assert made.sections[-1].first_page_header.paragraphs[0].text == made.sections[0].header.paragraphs[0].text


def choices(data: bytes, choice: str) -> dict[str, str]:
    return {one.key: choice for one in differences(looks_of(data), master_looks(usual_master()))}


def laid(choice: str) -> bytes:
    """Three sections together: one of ours, one across, one that somebody brought, and ours again."""
    own = own_word_file(across=True)
    ours = write_docx(written(), filled(), usual_master(), heading="1 Ours")
    last = write_docx(written(), filled(), usual_master(), heading="4 Last")
    wide = write_docx(written(), filled(), usual_master(), heading="2 Wide", landscape=True)
    parts = [
        DocxPart(ours, "1 Ours", "1"),
        DocxPart(wide, "2 Wide", "2"),
        DocxPart(own, "3 From elsewhere", "3", choices(own, choice), own=True),
        DocxPart(last, "4 Last", "4"),
    ]
    return merged(parts, usual_master(), title="Pack", about="TF")


@pytest.mark.parametrize("choice", ["keep", "take"])
def test_sections_laid_together_keep_what_they_are(choice):
    docx = opened(laid(choice))
    headings = [one.text for one in docx.paragraphs if one.style.name.startswith("Heading")]
    theirs = ["3 From elsewhere", "From the ships", "Across"]
    assert headings == ["1 Ours", "How it went", "2 Wide", "How it went", *theirs, "4 Last", "How it went"]
    assert len(docx.tables) == 7
    across = [section.orientation == WD_ORIENT.LANDSCAPE for section in docx.sections]
    assert across == [False, True, False, True, False]
    heads = [section.header.paragraphs[0].text for section in docx.sections]
    feet = [section.footer.paragraphs[0].text for section in docx.sections]
    own = choice == "keep"
    first = opened(own_word_file()).sections[0]
    a4, theirs = {210, 297}, {round(side / 36_000) for side in (first.page_width, first.page_height)}
    papers = [{round(side / 36_000) for side in (one.page_width, one.page_height)} for one in docx.sections]
    assert theirs != a4 and papers == [a4, a4, theirs if own else a4, theirs if own else a4, a4]
    assert [("own head" in head) for head in heads] == [False, False, own, own, False]
    assert [("own foot" in foot) for foot in feet] == [False, False, own, own, False]
    assert [("Page" in foot) for foot in feet] == [True, True, not own, not own, True]
    style = next(one.style for one in docx.paragraphs if one.text == "From the ships")
    assert (style.font.size.pt, style.font.name) == ((31, "Cantarell") if own else (17, "Source Serif 4"))
    ours = next(one.style for one in docx.paragraphs if one.text == "4 Last")
    assert (ours.name, ours.font.size.pt) == ("Heading 1", 17)
    assert not [one for one in docx.element.body.iter() if one.tag.endswith("}sdt")]


def test_remarks_stay_behind_and_places_are_plain_in_what_is_final():
    docx = opened(merged([DocxPart(LIVE, "3 Ships", "3", {}, own=True)], usual_master(), title="P"))
    names = {str(one.tag).rpartition("}")[2] for one in docx.element.body.iter()}
    assert not names & {"sdt", "commentRangeStart", "commentRangeEnd", "commentReference"}
    assert "The ships carried 46 512 passengers" in " ".join(one.text for one in docx.paragraphs)


def test_what_was_written_elsewhere_beginning_with_its_title_gets_no_second_one():
    own = own_word_file()
    docx = opened(
        merged([DocxPart(own, "3 From the ships", "3", choices(own, "take"), own=True)], usual_master(), title="P")
    )
    assert [one.text for one in docx.paragraphs].count("From the ships") == 1
    assert "3 From the ships" not in [one.text for one in docx.paragraphs]


def test_a_foot_of_its_own_counts_through_the_whole():
    own = opened(own_word_file(foot=False))
    foot = own.sections[0].footer.paragraphs[0]
    foot.add_run("Sheet ")
    for run in (*field("PAGE"), *field("NUMPAGES")):
        foot._p.append(run)
    buffer = io.BytesIO()
    own.save(buffer)
    chosen = choices(buffer.getvalue(), "keep")
    docx = opened(merged([DocxPart(buffer.getvalue(), "3 Own", "3", chosen, True, 41, 99)], usual_master(), title="P",
                         bare=True))  # fmt: skip
    section = docx.sections[0]
    numbers = section._sectPr.find("{http://schemas.openxmlformats.org/wordprocessingml/2006/main}pgNumType")
    assert numbers is not None and list(numbers.attrib.values()) == ["41"]
    assert section.footer.paragraphs[0].text.endswith("99")
    assert b"NUMPAGES" not in section.footer.part.blob and b"PAGE" in section.footer.part.blob


def test_pages_say_where_no_office_suite_made_them():
    pdf = pypdfium2.PdfDocument(_words(own_word_file()))
    text = pdf[0].get_textpage().get_text_bounded()
    assert "From the ships" in text and " ".join(SAYS.split()[:6]) in " ".join(text.split())
    pdf.close()


def test_a_page_and_paper_write_the_same_words():
    page, paper = as_page(written(), filled()), as_paper(written(), filled())
    assert '<span class="live" title="Passengers, Actual">46 512</span>' in page
    assert '<td class="f bad">12 246.6</td>' in page and '<sup><a href="#n1">1</a></sup>' in page
    assert '<span class="footnote">Than planned.</span>' in paper and is_landscape(LIVE) is False
    assert as_page(written(), filled(table=TABLE)).count("<table") == 2


if suite("docx"):

    @pytest.mark.slow
    def test_an_office_suite_lays_out_what_came_back_with_remarks():
        data, _ = as_pdf(
            merged([DocxPart(LIVE, "3 Ships", "3", {}, own=True)], usual_master(), title="P", bare=True), "docx"
        )
        pdf = pypdfium2.PdfDocument(data)
        assert "46 512" in pdf[0].get_textpage().get_text_bounded()
        pdf.close()

    @pytest.mark.slow
    @pytest.mark.parametrize("choice", ["keep", "take"])
    def test_an_office_suite_lays_out_the_whole(choice):
        data, says = as_pdf(laid(choice), "docx")
        pdf = pypdfium2.PdfDocument(data)
        sizes = [pdf[at].get_size() for at in range(len(pdf))]
        words = [pdf[at].get_textpage().get_text_bounded() for at in range(len(pdf))]
        pdf.close()
        assert says == "" and len(sizes) == 5
        assert [wide > high for wide, high in sizes] == [False, True, False, True, False]
        assert "1 Ours" in words[0] and "From the ships" in words[2] and "A wide page" in words[3]
        assert "Page 1 of 5" in words[0] and "Page 5 of 5" in words[4]
        assert ("own foot" in words[2]) == (choice == "keep") and ("Page 3 of 5" in words[2]) == (choice == "take")
