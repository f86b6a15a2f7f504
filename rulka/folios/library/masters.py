"""The masters of a folio: the word file and the slides whose looks its sections follow."""

from __future__ import annotations

from django.db import transaction

from rulka.core.errors import RulkaError
from rulka.core.folios.styles import StyleLooks
from rulka.folios.library.opening import may_manage
from rulka.folios.models import Folio, SectionStep
from rulka.formats.writing.checking import checked_apart
from rulka.formats.writing.docx_looks import looks_of, master_looks
from rulka.formats.writing.docx_master import usual_master
from rulka.formats.writing.slides import slides_looks, usual_slides
from rulka.people.models import Person

FIELDS = {"docx": "word_master", "pptx": "slide_master"}


def master_of(folio: Folio, form: str) -> bytes:
    """A folio's master: its own file, else Rulka's."""
    own = Folio.objects.filter(pk=folio.pk).values_list(FIELDS[form], flat=True).first()
    return bytes(own) if own else (usual_master() if form == "docx" else usual_slides())


def looks_beside(folio: Folio, form: str, data: bytes) -> tuple[StyleLooks, StyleLooks]:
    """How a file looks, and how the folio's master does."""
    master = master_of(folio, form)
    if form == "docx":
        return looks_of(data), master_looks(master)
    return slides_looks(data), slides_looks(master)


@transaction.atomic
def set_master(folio: Folio, data: bytes | None, name: str, form: str, person: Person) -> None:
    """Give a folio another master, or Rulka's again without a file; checked as any upload is."""
    if not may_manage(person, folio):
        raise RulkaError("Only who keeps the folio changes its master.", hint="Ask its owner.", code="rights")
    if data is not None:
        checked_apart(data, name, (form,))
    stored = Folio.objects.select_for_update().get(pk=folio.pk)
    setattr(stored, FIELDS[form], data)
    stored.master_names = {**stored.master_names, form: name[:120]} if data is not None else {
        known: said for known, said in stored.master_names.items() if known != form
    }  # fmt: skip
    stored.save(update_fields=[FIELDS[form], "master_names"])
    folio.master_names = stored.master_names
    SectionStep.objects.create(folio=folio, person=person, what="master", detail=name[:120] or "Rulka's own")
