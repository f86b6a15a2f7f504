"""Journal entries: one as far as somebody may see it, with its former values, and as the rows of a file."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Final

from rulka.core.books.book import View
from rulka.core.books.calendar import period_code
from rulka.core.books.frame import Frame, Keys
from rulka.core.errors import NotFound
from rulka.core.intake.blocks import FIELDS
from rulka.core.intake.entries import BookSoFar, EntryRow
from rulka.core.money import QUANTITY_DIGITS, minor_text
from rulka.formats.currencies import currency_digits, minor_digits
from rulka.ledger.models import Account, JournalEntry, JournalLine, JournalLineFormer, Ledger, PostingKey, Scenario
from rulka.ledger.reading.queries import calendar_of, within
from rulka.ledger.reading.trace_columns import places


def find_entry(ledger: Ledger, entity: str, number: str) -> JournalEntry:
    """One journal entry by entity and number."""
    entry = (
        JournalEntry.objects.filter(ledger=ledger, entity__code=entity, number=number).select_related("entity").first()
    )
    if entry is None:
        raise NotFound(f"Entry '{number}' of {entity} does not exist.", subject="entry")
    return entry


def entries_in_sight(ledger: Ledger, view: View, names: Sequence[tuple[str, str]]) -> set[tuple[str, str]]:
    """Those of some entries, by entity and number, of which somebody sees a line."""
    if not names:
        return set()
    numbers = [number for _, number in names]
    mine = within("lines__key", view.keys.ids[view.keys.ids > 0].tolist())
    found = JournalEntry.objects.filter(ledger=ledger, number__in=numbers, **mine)
    return set(found.values_list("entity__code", "number")) & set(names)


def has_lines(account: Account) -> bool:
    """Whether anything was ever booked on an account."""
    return PostingKey.objects.filter(account=account).exists()


@dataclass(frozen=True)
class SeenLine:
    """A line that somebody may see, as stored: its posting key by place in the view, the decimals of its amounts."""

    line: JournalLine
    key: int
    digits: int


@dataclass(frozen=True)
class FormerLine:
    """What a line was before it changed or went."""

    line: JournalLineFormer
    key: int
    digits: int


@dataclass(frozen=True)
class SeenEntry:
    """An entry as far as somebody may see it; `hidden` says that lines of it lie outside the fence or under a seal."""

    entry: JournalEntry
    lines: tuple[SeenLine, ...]
    former: tuple[FormerLine, ...]
    hidden: bool


def seen_entry(ledger: Ledger, view: View, entity: str, number: str) -> SeenEntry:
    """An entry with its visible lines, as they were entered, and their former values, the latest first.

    Unknown to whom no line of it is visible, nor was before it was withdrawn.
    """
    entry = find_entry(ledger, entity, number)
    place = places(view)
    every = entry.lines.select_related("key__account", "key__partner").order_by("pk")
    lines = [
        SeenLine(line, place[line.key_id], view.digits_of(place[line.key_id])) for line in every if line.key_id in place
    ]
    former = JournalLineFormer.objects.filter(entry=entry).select_related("key__account")
    gone = [
        FormerLine(line, place[line.key_id], view.digits_of(place[line.key_id]))
        for line in former.order_by("-until_revision", "line")
        if line.key_id in place
    ]
    hidden = len(every) > len(lines)
    if not lines and (hidden or not gone):
        raise NotFound(f"Entry '{number}' of {entity} does not exist.", subject="entry")
    return SeenEntry(entry, tuple(lines), tuple(gone), hidden)


@dataclass(frozen=True)
class ShownEntryLine:
    line: str
    account: str
    name: str
    members: str
    partner: str
    debit: Fraction
    credit: Fraction
    description: str
    document: str
    counterparty: str
    source: str
    user: str


@dataclass(frozen=True)
class ShownEntry:
    """An entry as far as a person may see it; `hidden` when some of its lines lie outside the fence or under a seal."""

    entry: JournalEntry
    lines: tuple[ShownEntryLine, ...]
    debit: Fraction
    credit: Fraction
    hidden: bool
    period: str
    status: str
    digits: int
    file: str = ""
    """What the revision that brought it was loaded from."""

    @property
    def balances(self) -> bool:
        return self.debit == self.credit


def _members_of(frame: Frame, keys: Keys, key: int) -> str:
    """Codes and names of a key's members, one of each dimension that has one."""
    members = [codes.items[keys.members[key, at]] for at, codes in enumerate(frame.dimensions.values())]
    return ", ".join(f"{member.code} {member.name}" for member in members if member.code != "-")


def show_entry(ledger: Ledger, view: View, entity: str, number: str) -> ShownEntry:
    """An entry with all its visible lines and document fields; unknown to whom no line of it is visible."""
    seen = seen_entry(ledger, view, entity, number)
    entry, frame, keys = seen.entry, view.frame, view.keys
    if not seen.lines:
        raise NotFound(f"Entry '{number}' of {entity} does not exist.", subject="entry")
    lines, debit, credit = [], Fraction(0), Fraction(0)
    for one in seen.lines:
        line, key = one.line, one.key
        account = frame.accounts.items[keys.account[key]]
        scale = 10**one.digits
        if account.type != "statistical":
            debit, credit = debit + Fraction(line.debit, scale), credit + Fraction(line.credit, scale)
        lines.append(
            ShownEntryLine(
                line.line,
                account.code,
                account.name,
                _members_of(frame, keys, key),
                frame.entities.items[keys.partner[key]].code if keys.partner[key] >= 0 else "",
                Fraction(line.debit, scale),
                Fraction(line.credit, scale),
                line.description,
                line.document,
                " ".join(filter(None, (line.counterparty, line.counterparty_name))),
                line.source,
                line.user,
            )
        )
    return ShownEntry(
        entry,
        tuple(lines),
        debit,
        credit,
        seen.hidden,
        period_code(entry.period),
        "pending" if entry.status else "posted",
        int(frame.digits[frame.entities.index[entity]]),
        ledger.revisions.filter(number=entry.revision).values_list("source", flat=True).first() or "",
    )


def books_of(ledger: Ledger) -> BookSoFar:
    """The codes that entries of a ledger may use, as stored."""
    members = ledger.members.values_list("dimension", "code")
    return BookSoFar(
        calendar=calendar_of(ledger),
        digits={code: minor_digits(currency) for code, currency in ledger.entities.values_list("code", "currency")},
        accounts=dict(ledger.accounts.values_list("code", "type")),
        members={key: frozenset(code for dimension, code in members if dimension == key) for key in ledger.dimensions},
        scenarios=dict(Scenario.objects.filter(ledger=ledger).values_list("code", "kind")),
        group_digits=minor_digits(ledger.group_currency),
        currencies=currency_digits(),
    )


AS_WRITTEN: Final = ("description", "source", "document", "counterparty", "counterparty_name", "user", "batch")
"""Fields of a line that a file has as they are."""


def entry_rows(ledger: Ledger, entry: JournalEntry) -> list[EntryRow]:
    """A stored entry as the rows that a file would have."""
    books = books_of(ledger)
    codes = {str(pk): code for pk, code in ledger.members.values_list("pk", "code")}
    calendar = calendar_of(ledger)
    period = period_code(entry.period)
    stated = period if calendar.by_code[period].adjusting else ""
    rows = []
    for at, line in enumerate(entry.lines.select_related("key__account", "key__partner").order_by("line"), 2):
        digits = QUANTITY_DIGITS if line.key.account.type == "statistical" else books.digits[entry.entity.code]
        values = (
            dict.fromkeys(FIELDS, "")
            | {name: getattr(line, name) for name in AS_WRITTEN}
            | {
                "entity": entry.entity.code,
                "entry": entry.number,
                "line": line.line,
                "date": entry.date.isoformat(),
                "account": line.key.account.code,
                "debit": minor_text(line.debit, digits) if line.debit else "",
                "credit": minor_text(line.credit, digits) if line.credit else "",
                "partner_entity": line.key.partner.code if line.key.partner else "",
                "status": "pending" if entry.status else "posted",
                "kind": entry.kind,
                "period": stated,
                "modified_at": entry.modified_at.isoformat() if entry.modified_at else "",
                "attributes": line.attributes,
                "transaction_currency": line.transaction_currency,
            }
        )
        if line.historical_amount is not None:
            values["historical_amount"] = minor_text(line.historical_amount, books.group_digits)
        if line.transaction_amount is not None:
            values["transaction_amount"] = minor_text(
                line.transaction_amount, books.currencies[line.transaction_currency]
            )
        members = tuple(codes[pk] for pk in line.key.members.split(",")) if line.key.members else ()
        rows.append(EntryRow._make((at, *(values[name] for name in FIELDS), members)))
    return rows
