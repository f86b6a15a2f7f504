"""A filing as a file: inline XBRL in the folio's look, or an XBRL instance. Both say the same."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from html import escape
from pathlib import Path
from typing import Final

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.filings.checking import verdict_on
from rulka.core.filings.facts import Fact, most_exact, text_facts_of
from rulka.core.money import as_usual
from rulka.filings.library.taxonomies import package_of
from rulka.filings.running.reading import FilingReading
from rulka.folios.output.making import html_pages
from rulka.folios.running.sections import SectionRead
from rulka.formats.filings.apart import judged_apart
from rulka.formats.filings.inline import FilingWriter, Inlined, InlinePage, InlineSection, inlined
from rulka.formats.filings.instance import instance
from rulka.formats.output.html import faces
from rulka.formats.writing import page as page_format
from rulka.formats.writing.docx_read import as_web_page

FORMS: Final = ("ixbrl", "xbrl")
TYPES: Final = {"ixbrl": "application/xhtml+xml", "xbrl": "application/xml"}
ENDINGS: Final = {"ixbrl": "xhtml", "xbrl": "xbrl"}
TITLES: Final = {"ixbrl": "Inline XBRL (.xhtml)", "xbrl": "XBRL instance (.xbrl)"}
STYLE: Final = Path(page_format.__file__).parent / "paper.css"
OWN_STYLE: Final = (
    "body { max-width: 62rem; margin: 2rem auto; padding: 0 1rem; background: #fdfcf8; } .wide { overflow-x: auto; } "
    "div.section { border-top: 1px solid #cfc7b4; padding-top: 1rem; margin-top: 2rem; } "
    "h2.of-section { font-size: 16pt; } .pages img { width: 100%; border: 1px solid #cfc7b4; } "
    ".says { color: #69706c; font-size: 8.5pt; }"
)
Tell = Callable[[int, int], None]


def quiet(done: int, of: int) -> None:
    """Nobody hears how far it is."""


@dataclass
class Filed:
    """A finished file, and what is to be said with it."""

    data: bytes
    says: list[str] = field(default_factory=list)
    facts: int = 0


class NotHeld(RulkaError):
    """A filing that its checks, or the validator, stand against."""

    code = "checks"


def required_checks(reading: FilingReading) -> None:
    """Refuse a filing whose checks fail, or that tags nothing; names what fails."""
    verdict = verdict_on(reading.checks)
    if verdict == "not judged":
        raise NotHeld("Nothing is tagged: there is nothing to file.", hint="Tag its lines first.", subject="filing")
    if verdict == "fails":
        failing = [one for one in reading.checks if one.state == "fails"]
        first = next(one for one in failing[0].problems if not one.warns)
        count = len(failing)
        raise NotHeld(
            f"{count} check{'s fail' if count > 1 else ' fails'}: {'; '.join(one.title for one in failing)}. "
            f"{first.message}",
            hint=first.hint or "Look at the checks.", subject="filing",
        )  # fmt: skip


@as_usual()
def filed(reading: FilingReading, form: str, tell: Tell = quiet, origin: str = "") -> Filed:
    """A filing whose checks hold, validated before it is handed out; `origin` is said in its foot."""
    if form not in FORMS:
        raise NotFound(f"There is no filing as '{form[:20]}'.", hint=one_of(form, FORMS), subject="format")
    tell(0, 3)
    required_checks(reading)
    tell(1, 3)
    made = written(reading, form, origin)
    tell(2, 3)
    told = judged_apart(made.data, form, package_of(reading.taxonomy_row))
    if told["messages"]:
        first = told["messages"][0]
        more = f" ... and {len(told['messages']) - 1} more" if len(told["messages"]) > 1 else ""
        raise NotHeld(
            f"The validator stands against it: {first['message'][:400]} [{first['code']}]{more}.",
            hint="Mend what it names, or ask the taxonomy's registry.", subject="filing",
        )  # fmt: skip
    made.facts = len(told["facts"])
    if not made.facts:
        raise NotHeld("The validator found no fact in it.", hint="Tag its lines.", subject="filing")
    tell(3, 3)
    return made


def written(reading: FilingReading, form: str, origin: str = "") -> Filed:
    """The file as it is, judged by nobody."""
    page, untold, says = _page(reading, origin)
    if form == "ixbrl":
        return Filed(page.data, [*says, *(f"In words, not reported: {one}." for one in untold)])
    definition = reading.definition
    data = instance(
        reading.taxonomy, (definition.scheme, definition.identifier), most_exact(reading.facts),
        text_facts_of(reading.material), page.words, f"{_about(reading)}. {origin}",
    )  # fmt: skip
    return Filed(data, says)


def _about(reading: FilingReading) -> str:
    folio = reading.reading
    about = (folio.period.title, folio.outline.node, folio.folio.ledger.name)
    return f"{', '.join(filter(None, about))}, revision {folio.places().view.revision}"


def _page(reading: FilingReading, origin: str) -> tuple[Inlined, list[str], list[str]]:
    sections: list[InlineSection] = []
    facts: list[Fact] = []
    untold: list[str] = []
    says: list[str] = []
    for number, read in enumerate(reading.sections, 1):
        writer = FilingWriter(
            read.filled, address=lambda address: "", prefix=f"n-{read.section.key}-",
            reported=reading.facts_by_source, facts=facts,
        )  # fmt: skip
        body = _body(read, writer, says)
        untold += writer.untold
        sections.append(InlineSection(read.section.key, f"{number} {read.section.title}", body))
    definition = reading.definition
    concepts = reading.taxonomy.concepts
    page = InlinePage(reading.filing.title, _about(reading), f"{faces(True)}{STYLE.read_text()}{OWN_STYLE}", origin)
    made = inlined(
        page, sections, reading.taxonomy, (definition.scheme, definition.identifier), facts,
        text_facts_of(reading.material), lambda name: concepts[name].kind == "block",
    )  # fmt: skip
    return made, untold, says


def _body(read: SectionRead, writer: FilingWriter, says: list[str]) -> str:
    if read.form == "docx":
        return as_web_page(read.file)
    if read.form in ("pptx", "pdf"):
        return html_pages(read, says)
    if read.form == "none":
        return f'<p class="problem">{escape("Nothing was written yet.")}</p>'
    return writer.document(read.document)
