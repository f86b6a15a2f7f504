"""What is uploaded as a section: everything that stands against it is said, and what to do."""

from __future__ import annotations

import io

import pikepdf
import pytest

from rulka.core.errors import RulkaError
from rulka.formats.writing.checking import check, checked_apart
from rulka.formats.writing.docx_read import as_web_page
from tests.formats.writing.world import altered, own_slides, own_word_file

DOCX, PPTX = own_word_file(), own_slides()
MAIN = "word/document.xml"
RELS = "word/_rels/document.xml.rels"


def body(xml: str):
    return lambda data: data.replace(b"<w:body>", b"<w:body>" + xml.encode(), 1)


def relation(kind: str, target: str):
    made = (
        '<Relationship Id="rIdX" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/'
        f'{kind}" Target="{target}" TargetMode="External"/></Relationships>'
    )
    return lambda data: data.replace(b"</Relationships>", made.encode())


TRACKED = '<w:p><w:ins w:id="1" w:author="Bo" w:date="2026-11-01T00:00:00Z"><w:r><w:t>new</w:t></w:r></w:ins></w:p>'
BREAK = '<w:p><w:r><w:br w:type="page"/></w:r></w:p>'
BAD = [
    ("tracked changes", "a.docx", altered(DOCX, MAIN, body(TRACKED)), "1 tracked change by Bo", "Accept or reject"),
    ("embedded objects", "a.docx", altered(DOCX, MAIN, bytes, word__embeddings__sheet1=b"PK"),
     "1 embedded file", "Paste them"),
    ("macros", "a.docx", altered(DOCX, MAIN, bytes, word__vbaProject=b"x"), "macros", "without them"),
    ("a remote template", "a.docx", altered(DOCX, RELS, relation("attachedTemplate", "https://evil.example/t.dotm")),
     "fetches a template from elsewhere (https://evil.example/t.dotm)", "take the link out"),
    ("a remote picture", "a.docx", altered(DOCX, RELS, relation("image", "http://evil.example/p.png")),
     "fetches a picture", "take the link out"),
    ("a strange link", "a.docx", altered(DOCX, RELS, relation("hyperlink", "file:///etc/passwd")), "links to file:",
     "https://"),
    ("another file taken in", "a.docx", altered(DOCX, MAIN, body('<w:altChunk r:id="rId1"/>')), "taken in", "again"),
    ("500 pages", "a.docx", altered(DOCX, MAIN, body(BREAK * 499)), "It has 500 pages; a section has 300", "several"),
    ("broken XML", "a.docx", altered(DOCX, MAIN, lambda data: data[:-9]), "word/document.xml is broken", "again"),
    ("entities", "a.docx",
     altered(DOCX, MAIN, lambda data: b'<!DOCTYPE x [<!ENTITY a "b">]>' + data.split(b"?>", 1)[1]), "declares entities",
     "again"),
    ("slides that say they are words", "a.docx", PPTX, "isn't a word file (.docx). It is slides", "Choose"),
    ("words that say they are slides", "a.pptx", DOCX, "isn't slides (.pptx). It is a word file", "Choose"),
    ("a picture that says it is words", "a.docx", b"\x89PNG....", "isn't a word file (.docx), whatever its name says",
     "Save it"),
    ("an old file", "a.docx", bytes.fromhex("d0cf11e0a1b11ae1") + b"0" * 600,
     "locked with a password, or of an old kind", "Save it"),
    ("another ending", "a.odt", DOCX, "isn't a word file (.docx) or slides (.pptx) or a PDF", "Save it as one"),
    ("150 slides and more", "a.pptx", own_slides(tuple("x" * 1 for _ in range(151))), "151 slides", "two sections"),
    ("no PDF", "a.pdf", b"%PDX", "isn't a PDF", "Save it"),
    ("a broken PDF", "a.pdf", b"%PDF-1.7 nothing", "is broken", "again"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "data", "why", "hint"), [case[1:] for case in BAD], ids=[case[0] for case in BAD])
def test_what_stands_against_an_upload_is_said(name, data, why, hint):
    with pytest.raises(RulkaError) as refused:
        check(data, name, ("docx", "pptx", "pdf"))
    assert why in refused.value.message and hint in refused.value.hint and refused.value.subject == name


def pdf_with(change) -> bytes:
    buffer = io.BytesIO()
    with pikepdf.new() as pdf:
        pdf.add_blank_page()
        change(pdf)
        pdf.save(buffer)
    return buffer.getvalue()


def test_a_pdf_that_does_something_is_refused_and_a_plain_one_taken():
    def scripted(pdf):
        pdf.Root.OpenAction = pikepdf.Dictionary(S=pikepdf.Name.JavaScript, JS="app.alert(1)")

    def holding(pdf):
        pdf.attachments["x.exe"] = b"x"

    for change, why in ((scripted, "scripts or actions"), (holding, "other files")):
        with pytest.raises(RulkaError, match=why):
            check(pdf_with(change), "a.pdf", ("pdf",))
    assert check(pdf_with(lambda pdf: None), "a.pdf", ("pdf",)) == {"form": "pdf", "pages": 1}


def test_several_things_are_said_at_once():
    data = altered(DOCX, MAIN, body(TRACKED), word__vbaProject=b"x")
    with pytest.raises(RulkaError, match="macros or controls. It holds 1 tracked"):
        check(data, "a.docx", ("docx",))


def test_good_files_are_taken_in_a_process_of_its_own():
    assert checked_apart(DOCX, "Ships.DOCX", ("docx",)) == {"form": "docx", "pages": 0}
    assert checked_apart(PPTX, "a.pptx", ("pptx",))["form"] == "pptx"
    with pytest.raises(RulkaError, match="tracked"):
        checked_apart(altered(DOCX, MAIN, body(TRACKED)), "a.docx", ("docx",))
    with pytest.raises(RulkaError, match="20,000,000 are taken"):
        checked_apart(b"x" * 20_000_001, "a.docx", ("docx",))


def test_a_bomb_is_refused():
    data = altered(DOCX, MAIN, bytes, word__media__big=b"\0" * 120_000_000)
    with pytest.raises(RulkaError, match="unpack"):
        check(data, "a.docx", ("docx",))


def test_a_web_page_of_a_word_file_leads_nowhere_strange():
    said = '<w:p><w:hyperlink r:id="rIdX"><w:r><w:t>&lt;script&gt;here</w:t></w:r></w:hyperlink></w:p>'
    linked = altered(DOCX, RELS, relation("hyperlink", "javascript:alert(1)"))
    page = as_web_page(altered(linked, MAIN, body(said)))
    assert "javascript" not in page and "<script" not in page and "&lt;script&gt;here" in page
    assert "<h1>From the ships</h1>" in page and "<table>" in page
