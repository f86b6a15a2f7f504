"""Sets of rows that no table holds as they are: balances by period, what accounts, members and counterparties saw,
gaps in document numbers, rates, revisions; each written out as a person may see it."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from decimal import Decimal
from typing import Any

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.calendar import period_number
from rulka.core.books.chart import BoolArray, CodeList, IntArray
from rulka.core.books.frame import POSTED
from rulka.core.extracting.fields import Field, RowKind
from rulka.core.money import QUANTITY_DIGITS, parse_minor
from rulka.ledger.models import Ledger
from rulka.ledger.reading.history import rows_at
from rulka.ledger.reading.row_kinds import RATE_DIGITS, TITLES, key_fields

SEALED = "sealed"
"""What stands for a member that a seal doesn't tell."""


def factors(view: View, scale: int) -> IntArray:
    """By posting key, what brings its minor units to the decimals of all rows."""
    frame, keys = view.frame, view.keys
    quantity = frame.accounts.of_type("statistical")[keys.account]
    digits = np.where(quantity, QUANTITY_DIGITS, frame.digits[keys.entity])
    found: IntArray = 10 ** (scale - digits)
    return found


def currencies_by_key(view: View) -> list[str]:
    """What the amounts on each posting key are in: a currency, or the unit of a quantity."""
    frame, keys = view.frame, view.keys
    units = [(item.unit or "quantity") if item.type == "statistical" else "" for item in frame.accounts.items]
    return [
        units[account] or frame.currencies[entity]
        for account, entity in zip(keys.account.tolist(), keys.entity.tolist(), strict=True)
    ]


def codes_by_key(view: View) -> list[list[str]]:
    """Entity, account, partner and members of each posting key, as codes."""
    frame, keys = view.frame, view.keys

    def of(codes: CodeList, places: IntArray, none: str) -> list[str]:
        names = [item.code for item in codes.items]
        return [names[at] if at >= 0 else none for at in places.tolist()]

    return [
        of(frame.entities, keys.entity, ""),
        of(frame.accounts, keys.account, ""),
        of(frame.entities, keys.partner, ""),
        *(of(codes, keys.members[:, at], SEALED) for at, codes in enumerate(frame.dimensions.values())),
    ]


# balances -----------------------------------------------------------------------------------------------------------


def balances_set(view: View, scale: int) -> RowKind:
    """One row a scenario, posting key and period with anything in it."""
    fields = (
        Field("scenario", "Scenario", "Scenario", "code", "scenario"),
        Field("period", "Period", "Time", "period"),
        *key_fields(view),
        *(
            Field(name, name.capitalize(), "Balance", "amount", digits=scale)
            for name in ("opening", "debits", "credits", "activity", "closing")
        ),
    )
    identity = ("scenario", "period", "entity", "account", "partner", *view.frame.dimensions)
    return RowKind("balances", TITLES["balances"], fields, identity, ("period",), note="posted, as trial balances are")


def balance_rows(
    view: View, scale: int, chosen: BoolArray, periods: BoolArray, scenarios: Sequence[str]
) -> Iterator[tuple[Any, ...]]:
    """Balances of some posting keys in some periods, in the order of the set's fields."""
    codes, by, currencies = codes_by_key(view), factors(view, scale), currencies_by_key(view)
    numbers = [period_number(period.code) for period in view.frame.calendar.periods]
    shown = chosen & ~view.withheld[view.keys.account]
    for scenario in scenarios:
        balances = view.balances(scenario)
        for at in np.flatnonzero(periods).tolist():
            opening, closing = balances.opening[:, at] * by, balances.closing[:, at] * by
            debits = (balances.debits[:, at + 1] - balances.debits[:, at]) * by
            credits_ = (balances.credits[:, at + 1] - balances.credits[:, at]) * by
            any_of = shown & ((opening != 0) | (closing != 0) | (debits != 0) | (credits_ != 0))
            places = np.flatnonzero(any_of).tolist()
            amounts = [values.tolist() for values in (opening, debits, credits_, debits - credits_, closing)]
            for key in places:
                entity, account, partner, *members = (column[key] for column in codes)
                yield (
                    scenario, numbers[at], account, entity, partner, currencies[key], *members,
                    *(values[key] for values in amounts),
                )  # fmt: skip


# master data --------------------------------------------------------------------------------------------------------


def accounts_set() -> RowKind:
    fields = (
        Field("account", "Account", "Account", "code", "account"),
        Field("revision", "Since revision", "Account", "number", note="as it is"),
        Field("lines", "Lines", "Use", "number", adds=True, note="posted; none told of sealed ones"),
        Field("first used", "First used", "Use", "period"),
        Field("last used", "Last used", "Use", "period"),
        Field("used", "Used", "Use", "flag", note="anything posted, ever"),
    )
    return RowKind("accounts", TITLES["accounts"], fields, ("account",))


def account_rows(view: View, ledger: Ledger) -> Iterator[tuple[Any, ...]]:
    """Accounts that a person sees, with what was posted on them in the actuals."""
    uses = _uses(view, view.keys.account, len(view.frame.accounts))
    since = {one.code: one.revision for one in rows_at(ledger, "accounts", view.revision)}
    for at in np.flatnonzero(view.visible_accounts()).tolist():
        item = view.frame.accounts.items[at]
        count, first, last = uses[at]
        told = None if view.sealed[at] else count
        if view.withheld[at]:
            told = first = last = None
        used = None if view.withheld[at] else int(first is not None)
        yield (item.code, since.get(item.code, 0), told, first, last, used)


def members_set() -> RowKind:
    fields = (
        Field("dimension", "Dimension", "Member", "text"),
        Field("member", "Member", "Member", "text"),
        Field("name", "Name", "Member", "text"),
        Field("parent", "Parent", "Member", "text"),
        Field("lines", "Lines", "Use", "number", adds=True, note="posted; of accounts that aren't sealed"),
        Field("first used", "First used", "Use", "period"),
        Field("last used", "Last used", "Use", "period"),
    )
    return RowKind("members", TITLES["members"], fields, ("dimension", "member"))


def member_rows(view: View) -> Iterator[tuple[Any, ...]]:
    """Members that a person sees, with what was posted on them in the actuals."""
    for place, (dimension, codes) in enumerate(view.frame.dimensions.items()):
        of_key = np.where(view.coarse[view.keys.account], -1, view.keys.members[:, place])
        uses = _uses(view, of_key, len(codes))
        for at in np.flatnonzero(view.fence.codes_inside(dimension, codes)).tolist():
            item = codes.items[at]
            yield (dimension, item.code, item.name, item.parent, *uses[at])


Use = tuple[int | None, int | None, int | None]


def _uses(view: View, of_key: IntArray, size: int) -> list[Use]:
    """By code, how many posted lines it has, and in which first and last period."""
    moved = view.movements("actual")
    moved = moved.only((moved.status == POSTED) & (of_key[moved.key] >= 0))
    at = of_key[moved.key]
    counts = np.zeros(size, dtype=np.int64)
    np.add.at(counts, at, moved.count)
    first = np.full(size, len(view.frame.calendar.periods), dtype=np.int64)
    last = np.full(size, -1, dtype=np.int64)
    np.minimum.at(first, at, moved.period)
    np.maximum.at(last, at, moved.period)
    numbers = [period_number(period.code) for period in view.frame.calendar.periods]
    return [
        (int(counts[code]), numbers[first[code]], numbers[last[code]]) if last[code] >= 0 else (0, None, None)
        for code in range(size)
    ]


def counterparties_set() -> RowKind:
    fields = (
        Field("counterparty", "Counterparty", "Counterparty", "code", "counterparty"),
        Field("listed", "Listed", "Counterparty", "flag", note="in the master data"),
        Field("lines", "Lines", "Use", "number", adds=True),
        Field("first used", "First used", "Use", "period"),
        Field("last used", "Last used", "Use", "period"),
    )
    return RowKind("counterparties", TITLES["counterparties"], fields, ("counterparty",))


def counterparty_rows(view: View, ledger: Ledger) -> Iterator[tuple[Any, ...]]:
    """Counterparties of the lines that a person sees; for who sees all also those without a line."""
    grouped = view.grouped(("counterparty",))
    moved, labels = grouped.movements, grouped.labels["counterparty"]
    code = grouped.codes["counterparty"]
    listed = set(ledger.counterparties.values_list("code", flat=True))
    numbers = [period_number(period.code) for period in view.frame.calendar.periods]
    found: set[str] = set()
    for at, label in enumerate(labels):
        own = (code == at) & (moved.status == POSTED)
        if not label or not own.any():
            continue
        found.add(label)
        periods = moved.period[own]
        lines = int(moved.count[own].sum())
        yield (label, int(label in listed), lines, numbers[periods.min()], numbers[periods.max()])
    if view.fence.is_open:
        for label in sorted(listed - found):
            yield (label, 1, 0, None, None)


# rates and revisions ------------------------------------------------------------------------------------------------


def rates_set() -> RowKind:
    fields = (
        Field("period", "Period", "Time", "period"),
        Field("from", "From", "Rate", "text"),
        Field("to", "To", "Rate", "text"),
        Field("average", "Average", "Rate", "number", digits=RATE_DIGITS),
        Field("closing", "Closing", "Rate", "number", digits=RATE_DIGITS),
    )
    return RowKind("rates", TITLES["rates"], fields, ("period", "from", "to"))


def rate_rows(view: View, ledger: Ledger) -> Iterator[tuple[Any, ...]]:
    """The ledger's rates."""
    for one in rows_at(ledger, "rates", view.revision):
        yield (one.period, one.source, one.target, _scaled(one.average), _scaled(one.closing))


def _scaled(text: str) -> int | None:
    return int(Decimal(text).scaleb(RATE_DIGITS).to_integral_value()) if text else None


def revisions_set() -> RowKind:
    fields = (
        Field("revision", "Revision", "Revision", "number"),
        Field("arrived", "Arrived", "Revision", "moment"),
        Field("person", "Person", "Revision", "text"),
        Field("from", "From", "Revision", "text"),
        Field("feed", "Feed", "Revision", "text"),
        Field("new lines", "New lines", "News", "number", adds=True),
        Field("changed lines", "Changed lines", "News", "number", adds=True),
        Field("withdrawn lines", "Withdrawn lines", "News", "number", adds=True),
    )
    return RowKind("revisions", TITLES["revisions"], fields, ("revision",))


def revision_rows(view: View, ledger: Ledger) -> Iterator[tuple[Any, ...]]:
    """Every load that changed something; how many lines it brought is finer than a seal, and others' than a fence."""
    whole = view.fence.is_open
    for one in ledger.revisions.filter(number__lte=view.revision).select_related("person", "feed"):
        counts = one.counts.get("entries", {}) if whole else {}
        person = one.person.called if one.person else ""
        yield (
            one.number, f"{one.at:%Y-%m-%d %H:%M}", person if whole else "", one.source if whole else "",
            one.feed.name if one.feed and whole else "",
            *(counts.get(what) for what in ("new", "changed", "withdrawn")),
        )  # fmt: skip


# document numbers ---------------------------------------------------------------------------------------------------

NUMBERED = re.compile(r"(.*?)([0-9]{1,15})", re.ASCII)


def documents_set() -> RowKind:
    fields = (
        Field("entity", "Entity", "Entity", "code", "entity"),
        Field("series", "Series", "Document", "text", note="what stands before its number"),
        Field("document", "Document", "Document", "text"),
        Field("number", "Number", "Document", "number"),
        Field("source", "Source", "Document", "text"),
        Field("date", "Date", "Document", "date", note="its first line's"),
        Field("lines", "Lines", "Document", "number", adds=True),
        Field("former", "Former number", "Gap", "number", note="of the same entity and series"),
        Field("missing", "Missing", "Gap", "number", adds=True, note="how many numbers lie between"),
        Field("missing from", "Missing from", "Gap", "text"),
        Field("missing to", "Missing to", "Gap", "text"),
    )
    return RowKind(
        "documents", TITLES["documents"], fields, ("entity", "series", "document"), ("date",),
        note="numbers that others see may be missing here",
    )  # fmt: skip


def document_rows(found: Sequence[tuple[Any, ...]]) -> Iterator[tuple[Any, ...]]:
    """Documents (entity, document, source, first day, lines) with the gap before each in its series."""
    parts = []
    for entity, document, source, day, lines in found:
        match = NUMBERED.fullmatch(document)
        series, number = (match[1], match[2]) if match else (document, "")
        parts.append((entity, series, int(number) if number else None, number, document, source, day, lines))
    parts.sort(key=lambda one: (one[0], one[1], one[2] if one[2] is not None else -1, one[4]))
    before: tuple[str, str, int | None] = ("", "", None)
    for entity, series, number, text, document, source, day, lines in parts:
        former = before[2] if before[:2] == (entity, series) else None
        missing = number - former - 1 if number is not None and former is not None else 0
        width = len(text)
        yield (
            entity, series, document, number, source, day, lines, former, max(missing, 0),
            f"{series}{former + 1:0{width}d}" if missing > 0 and former is not None else "",
            f"{series}{number - 1:0{width}d}" if missing > 0 and number is not None else "",
        )  # fmt: skip
        before = (entity, series, number)


# tables beside the ledger -------------------------------------------------------------------------------------------

DAY = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}", re.ASCII)
NUMBER = re.compile(r"-?(?:0|[1-9][0-9]{0,14})(?:\.[0-9]{1,8})?", re.ASCII)


def side_fields(columns: Sequence[Any], rows: Sequence[Sequence[Any]], known: Sequence[str]) -> tuple[Field, ...]:
    """The columns of a table as fields: codes where they are called like what the ledger knows, else days or numbers
    where all their cells are, else texts."""
    found = []
    for at, title in enumerate(columns):
        name = " ".join(str(title).split()).casefold()
        cells = [str(row[at]) for row in rows if str(row[at])]
        if name in known:
            found.append(Field(name, str(title), "Columns", "code", name))
        elif cells and all(DAY.fullmatch(cell) for cell in cells):
            found.append(Field(name, str(title), "Columns", "date"))
        elif cells and all(NUMBER.fullmatch(cell) for cell in cells):
            digits = max(len(cell.partition(".")[2]) for cell in cells)
            found.append(Field(name, str(title), "Columns", "number", digits=digits))
        else:
            found.append(Field(name, str(title), "Columns", "text"))
    return tuple(found)


def side_rows(fields: Sequence[Field], rows: Sequence[Sequence[Any]]) -> Iterator[tuple[Any, ...]]:
    """A table's rows as its fields hold them."""
    for row in rows:
        yield tuple(
            (parse_minor(str(cell), field.digits) if str(cell) else None) if field.kind == "number" else str(cell)
            for cell, field in zip(row, fields, strict=True)
        )
