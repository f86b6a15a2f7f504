"""Filings in and out of the database: texts to checked definitions, changes with both states."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.core.filings.definitions import FilingDef, filing_from
from rulka.filings.library.opening import ONLY_READS, RESERVED
from rulka.filings.models import Filing, FilingStep
from rulka.formats.filing_file import FILINGS
from rulka.statements.library.texts import Texts


def checked(body: Mapping[str, Any], where: str = "") -> FilingDef:
    """A mapping as a filing; raises RulkaError that says where what is wrong."""
    FILINGS.check(body, where)
    return filing_from(body)


TEXTS: Texts[Filing] = Texts("filing", Filing, FilingStep, checked, RESERVED, ONLY_READS)


def definition_of(filing: Filing) -> FilingDef:
    """A stored filing."""
    return filing_from(filing.body)
