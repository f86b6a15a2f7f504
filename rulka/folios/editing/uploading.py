"""Sections that were written elsewhere: taken away as files, judged and kept when they come back."""

from __future__ import annotations

from dataclasses import dataclass

from rulka.core.errors import RulkaError
from rulka.folios.editing.acting import keep_file, required
from rulka.folios.library.masters import master_of
from rulka.folios.library.opening import actor_of, draft_of, row_of, section_of, standing_of
from rulka.folios.models import Content, Folio
from rulka.folios.running.comparing import beside_master
from rulka.folios.running.sections import SectionRead, tags_for
from rulka.formats.writing.checking import checked_apart
from rulka.formats.writing.docx_read import tags_of
from rulka.formats.writing.docx_write import write_docx
from rulka.formats.writing.slides import new_slides
from rulka.people.models import Person

FORMS = {"text": ("docx",), "slides": ("pptx",), "document": ("docx", "pptx", "pdf")}
"""What may be uploaded for a kind of section."""

TYPES = {
    "docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
    "pptx": "application/vnd.openxmlformats-officedocument.presentationml.presentation",
    "pdf": "application/pdf",
}


@dataclass(frozen=True)
class Uploaded:
    """What came of an upload: what is kept, how much differs from the master, what should be known."""

    content: Content
    differs: int
    notes: tuple[str, ...]


def upload(folio: Folio, key: str, data: bytes, name: str, person: Person, *, seen: int | None = None) -> Uploaded:
    """Judge a file and keep it as somebody's own; raises RulkaError for what can't be a section, or isn't theirs to
    write now. What was chosen before for the same differences stays chosen."""
    section = section_of(folio, key)
    if section.kind not in FORMS:
        raise RulkaError(
            "This section is made of figures; nothing is uploaded for it.", hint="Change its source in the outline.",
            subject=section.title,
        )  # fmt: skip
    row = row_of(folio, key)
    draft = draft_of(row, person)
    required("keep", standing_of(folio, section, row, draft), actor_of(person, folio))
    told = checked_apart(data, name, FORMS[section.kind])
    former = draft or row.released
    chosen = dict(former.chosen) if former is not None and former.form == told["form"] else {}
    content = keep_file(folio, key, data, name, told["form"], person, chosen=chosen, seen=seen)
    found = beside_master(folio, content)
    notes = []
    if told["form"] == "docx":
        tags = tags_of(data)
        known = [tag for tag in tags if tag in folio.sources]
        if known:
            notes.append(f"{len(known)} live place{'s' if len(known) > 1 else ''} found again")
        if len(tags) > len(known):
            notes.append(f"{len(tags) - len(known)} that this folio doesn't know stay as they are typed")
    return Uploaded(content, sum(one.key not in content.chosen for one in found), tuple(notes))


def written_elsewhere(read: SectionRead) -> tuple[bytes, str]:
    """A section as a file to be edited elsewhere, and its form; its live places are found again once it comes back."""
    folio, section = read.reading.folio, read.section
    if section.kind not in FORMS:
        raise RulkaError("This section is made of figures.", hint="Take the folio as a file.", subject=section.title)
    if section.kind == "slides":
        return (read.raw or new_slides(master_of(folio, "pptx"), section.title)), "pptx"
    if read.form in ("docx", "pptx", "pdf"):
        return read.file, read.form
    document = read.document
    tags = tags_for(document)
    if not tags.keys() <= folio.sources.keys():
        stored = Folio.objects.get(pk=folio.pk)
        folio.sources = stored.sources = {**stored.sources, **tags}
        stored.save(update_fields=["sources"])
    remarks = [
        (one.person.called if one.person is not None else "somebody", one.quote, one.text)
        for one in (read.row.remarks.filter(settled=False).select_related("person") if read.row.pk else ())
    ]
    data = write_docx(
        document, read.filled, master_of(folio, "docx"), title=folio.title,
        landscape=section.orientation == "landscape", live=True, remarks=remarks,
    )  # fmt: skip
    return data, "docx"


def file_name(read: SectionRead, form: str) -> str:
    """What a section's file is called."""
    return f"{read.reading.folio.name}-{read.section.key}.{form}"
