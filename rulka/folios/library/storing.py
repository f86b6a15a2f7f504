"""Folios in and out of the database: texts to checked outlines, changes with both states."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.core.folios.outline import FolioDef, folio_from
from rulka.folios.library.opening import ONLY_READS, RESERVED
from rulka.folios.models import Folio, FolioStep
from rulka.formats.folio_file import FOLIOS
from rulka.formats.writing.marked import document_marked
from rulka.statements.library.texts import Texts


def checked(body: Mapping[str, Any], where: str = "") -> FolioDef:
    """A mapping as an outline; raises RulkaError that says where what is wrong."""
    FOLIOS.check(body, where)
    outline = folio_from(body)
    for section in outline.sections:
        document_marked(section.begins)
    return outline


TEXTS: Texts[Folio] = Texts("folio", Folio, FolioStep, checked, RESERVED, ONLY_READS)


def outline_of(folio: Folio) -> FolioDef:
    """A stored folio's outline."""
    return folio_from(folio.body)
