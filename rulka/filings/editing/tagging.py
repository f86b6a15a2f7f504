"""Tags, changed: each edit is checked against statement and taxonomy before it is kept."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from django.db import transaction

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.filings import edits
from rulka.core.filings.checking import turned_for
from rulka.core.filings.definitions import filing_from
from rulka.core.filings.proposing import all_proposals
from rulka.core.filings.reported import Reported, ReportedLine
from rulka.core.filings.taxonomy import Concept
from rulka.filings.library.opening import seen_filings
from rulka.filings.library.storing import TEXTS, definition_of
from rulka.filings.library.taxonomies import find_taxonomy
from rulka.filings.models import Filing
from rulka.filings.running.reading import FilingReading
from rulka.folios.library.opening import open_folio
from rulka.folios.models import Folio
from rulka.ledger.models import Ledger
from rulka.people.models import Person

Sent = Mapping[str, str]
Body = dict[str, Any]


def begin(folio: Folio, taxonomy: str, title: str, person: Person) -> Filing:
    """A new filing of a folio by a taxonomy, without a tag."""
    TEXTS.required_maker(person)
    find_taxonomy(folio.ledger, taxonomy)
    title = " ".join(title.split())[:120] or f"{folio.title}, filing"
    body = {"filing": TEXTS.free_name(folio.ledger, title), "title": title, "folio": folio.name, "taxonomy": taxonomy}
    return TEXTS.store(folio.ledger, body, person)[0]


def store(ledger: Ledger, body: Mapping[str, Any], person: Person | None) -> tuple[Filing, bool]:
    """Keep a filing by its name, as a command does; its folio and taxonomy have to be there."""
    TEXTS.check(body)
    definition = filing_from(body)
    open_folio(ledger, definition.folio, person=person)
    find_taxonomy(ledger, definition.taxonomy)
    return TEXTS.store(ledger, body, person)


def former_tags(ledger: Ledger, person: Person | None) -> dict[str, str]:
    """What lines were tagged as, by their label in small letters, in all filings that somebody sees."""
    found: dict[str, str] = {}
    for filing in seen_filings(ledger, person):
        for tags in definition_of(filing).statements:
            for line in tags.lines:
                if line.concept and line.label:
                    found.setdefault(line.label.casefold(), line.concept)
    return found


def side_of(reported: Reported, line: str) -> int:
    """Whether a line shows debits (1) or credits (-1) as positive in the first column that says so; 0 otherwise."""
    return next((cell.side for (key, _), cell in reported.cells.items() if key == line and cell.side), 0)


def tag_for(reported: Reported, line: ReportedLine, concept: Concept, given: Mapping[str, Any] | None = None) -> Body:
    """A line's tag as it is written; its sign as the accounts and the concept's balance say, where nobody said one."""
    tag: Body = {"label": line.label, "concept": concept.name, **(given or {})}
    side = side_of(reported, line.key)
    if "sign" not in tag and concept.balance and side and turned_for(side, concept.balance):
        tag["sign"] = "turned"
    return tag


def _statement(reading: FilingReading, name: str) -> Reported:
    found = reading.material.statement(name)
    if found is None:
        known = [one.name for one in reading.material.statements]
        raise NotFound(f"The folio shows no statement '{name[:60]}'.", hint=one_of(name, known), subject="statement")
    return found


def line_of(reported: Reported, name: str) -> ReportedLine:
    """A line by its key, or by its label; NotFound otherwise."""
    found = reported.line(name) or next(
        (one for one in reported.lines if one.label.casefold() == name.casefold()), None
    )  # fmt: skip
    if found is None:
        labels = [one.label for one in reported.lines if one.has_figures]
        raise NotFound(f"The statement shows no line '{name[:60]}'.", hint=one_of(name, labels), subject="line")
    return found


def _concept(reading: FilingReading, name: str) -> Concept:
    found = reading.taxonomy.concept(name)
    if found.abstract:
        raise RulkaError(f"'{found.label}' is a heading.", hint="Choose one of those below it.", subject="concept")
    return found


def members_from(text: str) -> dict[str, str]:
    """`axis = member` pairs, one a line or with semicolons between them."""
    found = {}
    for part in text.replace("\n", ";").split(";"):
        if not part.strip():
            continue
        axis, mark, member = (one.strip() for one in part.partition("="))
        if not mark or not axis or not member:
            raise RulkaError(f"'{part.strip()[:60]}' names no member.", hint="Write axis = member.", subject="members")
        found[axis] = member
    return found


def _members(reading: FilingReading, sent: Sent) -> dict[str, str]:
    members = members_from(sent.get("members", ""))
    members |= {name.removeprefix("axis:"): value for name, value in sent.items() if name.startswith("axis:") and value}
    for axis, member in members.items():
        reading.taxonomy.check_member(axis, member)
    return members


def _tag(reading: FilingReading, body: Body, sent: Sent) -> tuple[Body, str]:
    reported = _statement(reading, sent.get("statement", ""))
    line = line_of(reported, sent.get("line", ""))
    concept = _concept(reading, sent.get("concept", "").strip())
    if not concept.is_numeric:
        raise RulkaError(
            f"'{concept.label}' is for words; a line shows figures.", hint="Choose another concept.", subject="concept"
        )
    given: Body = {name: sent[name].strip() for name in ("scale", "unit") if sent.get(name, "").strip()}
    given |= {"members": _members(reading, sent)} if _members(reading, sent) else {}
    given |= {"sign": sent["sign"]} if sent.get("sign") in ("as shown", "turned") else {}
    given |= {"sure": "yes"} if sent.get("sure") == "yes" else {}
    tag = tag_for(reported, line, concept, given)
    if tag.get("sign") == "as shown":
        del tag["sign"]
    return edits.tagged_line(body, reported.name, line.key, tag), f"{line.label}: {concept.label}"


def _leave_out(reading: FilingReading, body: Body, sent: Sent) -> tuple[Body, str]:
    reported = _statement(reading, sent.get("statement", ""))
    line = line_of(reported, sent.get("line", ""))
    tag = {"label": line.label, "left out": "yes"}
    return edits.tagged_line(body, reported.name, line.key, tag), f"{line.label} left out"


def _untag(reading: FilingReading, body: Body, sent: Sent) -> tuple[Body, str]:
    """Take a tag away, also one of a line that is gone."""
    name, line, column = sent.get("statement", ""), sent.get("line", ""), sent.get("column", "")
    made = edits.untagged(body, name, line=line, column=column)
    if made == body:
        raise RulkaError("It has no tag.", hint="Load the page again.", subject="tag")
    return made, f"tag of {line or column} away"


def _column(reading: FilingReading, body: Body, sent: Sent) -> tuple[Body, str]:
    reported = _statement(reading, sent.get("statement", ""))
    key = sent.get("column", "")
    column = reported.column(key) or next((one for one in reported.columns if one.title == key), None)
    if column is None:
        raise NotFound(
            f"The statement shows no column '{key[:60]}'.", hint=one_of(key, [one.key for one in reported.columns]),
            subject="column",
        )  # fmt: skip
    if sent.get("reported") == "no":
        return edits.tagged_column(body, reported.name, column.key, {"reported": "no"}), f"{column.title} left out"
    tag: Body = {"reported": "yes", "members": _members(reading, sent)}
    if sent.get("concept", "").strip():
        tag["concept"] = _concept(reading, sent["concept"].strip()).name
    return edits.tagged_column(body, reported.name, column.key, tag), f"{column.title} reported"


def _text(reading: FilingReading, body: Body, sent: Sent) -> tuple[Body, str]:
    key, name = sent.get("section", ""), sent.get("concept", "").strip()
    words = next((one for one in reading.material.words if one.key == key and one.is_written), None)
    if words is None and name:
        raise NotFound(f"The folio has no section of words '{key[:60]}'.", hint="Choose another.", subject="section")
    if name:
        concept = _concept(reading, name)
        if concept.kind not in ("block", "text"):
            raise RulkaError(f"'{concept.label}' isn't for words.", hint="Choose a text concept.", subject="concept")
    title = words.title if words is not None else key
    return edits.tagged_text(body, key, name), f"{title}: {reading.taxonomy.concepts[name].label if name else 'no tag'}"


def _proposals(reading: FilingReading, body: Body, sent: Sent) -> tuple[Body, str]:
    """Take what is proposed for every line of a statement, or of all, of which nothing was said."""
    former, count, made = former_tags(reading.filing.ledger, reading.person), 0, body
    for reported, line, proposal in all_proposals(reading.material, former):
        if sent.get("statement") in (None, "", reported.name):
            tag = tag_for(reported, line, proposal.concept)
            made, count = edits.tagged_line(made, reported.name, line.key, tag), count + 1
    if not count:
        raise RulkaError("Nothing is proposed for what isn't tagged yet.", hint="Search for its concept.")
    return made, f"{count} proposals taken"


def _taxonomy(reading: FilingReading, body: Body, sent: Sent) -> tuple[Body, str]:
    name = sent.get("taxonomy", "")
    find_taxonomy(reading.filing.ledger, name)
    return edits.by_taxonomy(body, name), f"by {name}"


def _move(reading: FilingReading, body: Body, sent: Sent) -> tuple[Body, str]:
    old, new = sent.get("old", ""), _concept(reading, sent.get("concept", "").strip())
    return edits.moved_concept(body, old, new.name), f"{old} becomes {new.name}"


def _about(reading: FilingReading, body: Body, sent: Sent) -> tuple[Body, str]:
    made = edits.set_about(body, sent)
    if made["folio"] != body["folio"]:
        open_folio(reading.filing.ledger, made["folio"], person=reading.person)
    return made, "title, who files, period and node"


ACTIONS: Mapping[str, Callable[[FilingReading, Body, Sent], tuple[Body, str]]] = {
    "tag": _tag, "leave out": _leave_out, "untag": _untag, "column": _column, "text": _text,
    "proposals": _proposals, "taxonomy": _taxonomy, "move": _move, "about": _about,
}  # fmt: skip


@transaction.atomic
def change(reading: FilingReading, name: str, sent: Sent, seen: int | None = None) -> str:
    """Do an edit of a filing; what was done, in words."""
    if name not in ACTIONS:
        raise NotFound(f"Nothing is called '{name[:30]}' here.", hint=one_of(name, ACTIONS), subject="action")
    body, told = ACTIONS[name](reading, dict(reading.filing.body), sent)
    TEXTS.change(reading.filing, body, told, reading.person, seen)
    return told
