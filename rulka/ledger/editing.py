"""What a person changes in a ledger by hand: master data, an entry's standing, closed periods. Every change makes a
revision."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.utils import timezone

from rulka.core.books.book import View
from rulka.core.books.calendar import period_code, period_number
from rulka.core.books.chart import TYPES, Item, parent_errors
from rulka.core.books.fence import NO_FENCE
from rulka.core.books.selection import select
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.intake.blocks import EntryBlock
from rulka.core.intake.entries import EntryRow
from rulka.ledger.loading.load import alone
from rulka.ledger.loading.master_data import WantedThings
from rulka.ledger.loading.report import LoadReport
from rulka.ledger.loading.staging import stage
from rulka.ledger.loading.writing import LoadWriter
from rulka.ledger.models import Account, ClosedPeriod, Entity, Ledger, Member
from rulka.ledger.reading.entries import books_of, entry_rows, find_entry, has_lines, seen_entry
from rulka.ledger.reading.queries import calendar_of, view_of
from rulka.people.duties import CHANGE, CLOSE
from rulka.people.library import record
from rulka.people.models import Person

ACCOUNT_FIELDS = ("name", "type", "category", "parent", "unit", "intercompany", "active")


@dataclass(frozen=True)
class Editor:
    """Somebody who changes a ledger by hand, with what they see of it; made by `editor_of` alone."""

    person: Person
    ledger: Ledger
    view: View

    def needs(self, right: str) -> None:
        """Refuse what somebody has no right to."""
        may(self.person, right)


def editor_of(person: Person, ledger: Ledger, view: View) -> Editor:
    """The one gate to changes by hand: nothing of the ledger hidden but sealed detail; each change asks for its own
    right, see `Editor.needs`."""
    if not view.fence.hides_nothing:
        raise RulkaError(
            "This is about the whole ledger; you see a part of it.",
            hint="Ask an accountant.",
            subject="rights",
            code="rights",
        )
    return Editor(person, ledger, view)


def may(person: Person, right: str) -> None:
    """Refuse what somebody has no right to."""
    if person.may(right):
        return
    if not person.rights:
        raise RulkaError(
            "You may read this ledger, not change it.", hint="Ask an accountant.", subject="rights", code="rights"
        )
    raise RulkaError(f"You may not {right}.", hint="Ask somebody who may.", subject="rights", code="rights")


def _write(ledger: Ledger, person: Person, source: str, **what: Any) -> LoadReport:
    report = LoadReport(ledger.code)
    with alone(ledger.code, wait=False), transaction.atomic():
        now = Ledger.objects.get(pk=ledger.pk)
        LoadWriter(now, source=source, person=person, report=report, by_hand=True).write(**what)
        record.note(person, "changed", ledger=ledger.code, thing="ledger", detail=source)
    return report


def change_account(editor: Editor, code: str, values: Mapping[str, Any]) -> LoadReport:
    """Change an account's name, type, category, parent, unit, intercompany mark or whether it is active."""
    editor.needs(CHANGE)
    ledger, person = editor.ledger, editor.person
    account = Account.objects.filter(ledger=ledger, code=code).first()
    if account is None:
        raise NotFound(f"Account '{code}' does not exist.", subject="account")
    wanted = {name: getattr(account, name) for name in ("code", *ACCOUNT_FIELDS)} | {
        name: values[name] for name in ACCOUNT_FIELDS if name in values
    }
    if not wanted["name"].strip():
        raise RulkaError("The name is empty.", hint="Write one.", subject="name")
    if wanted["type"] not in TYPES:
        raise RulkaError(f"'{wanted['type']}' is not a type.", hint="Choose " + ", ".join(TYPES) + ".", subject="type")
    used = has_lines(account)
    if used and (account.type == "statistical") != (wanted["type"] == "statistical"):
        raise RulkaError(
            f"{code} has lines and can't change between money and quantities.",
            hint="Use a new account.",
            subject="type",
        )
    if code in (ledger.retained_earnings, ledger.translation_reserve) and wanted["type"] not in (
        "asset",
        "liability",
        "equity",
    ):
        raise RulkaError(
            f"{code} takes former years' results and has to carry its balance.", hint="Leave it equity.", subject="type"
        )
    _check_parent("account", Account.objects.filter(ledger=ledger), code, wanted["parent"])
    return _write(
        ledger,
        person,
        f"account {code} changed by hand",
        wanted=[WantedThings("accounts", Account, ("code",), {code: wanted})],
    )


def change_member(editor: Editor, dimension: str, code: str, values: Mapping[str, str]) -> LoadReport:
    """Change a member's name or parent."""
    editor.needs(CHANGE)
    ledger, person = editor.ledger, editor.person
    member = Member.objects.filter(ledger=ledger, dimension=dimension, code=code).first()
    if member is None:
        raise NotFound(f"Member '{code}' of {dimension} does not exist.", subject="member")
    wanted = {
        "dimension": dimension,
        "code": code,
        "name": values.get("name", member.name).strip(),
        "parent": values.get("parent", member.parent).strip(),
    }
    if not wanted["name"]:
        raise RulkaError("The name is empty.", hint="Write one.", subject="name")
    _check_parent("member", Member.objects.filter(ledger=ledger, dimension=dimension), code, wanted["parent"])
    rows = {(dimension, code): wanted}
    return _write(
        ledger,
        person,
        f"member {code} of {dimension} changed by hand",
        wanted=[WantedThings("members", Member, ("dimension", "code"), rows)],
    )


def change_entity_calendar(editor: Editor, code: str, calendar: str) -> LoadReport:
    """Let an entity name one of the ledger's own calendars, or none."""
    editor.needs(CHANGE)
    ledger, person = editor.ledger, editor.person
    entity = Entity.objects.filter(ledger=ledger, code=code).first()
    if entity is None:
        raise NotFound(f"Entity '{code}' does not exist.", subject="entity")
    if calendar and calendar not in ledger.calendars:
        raise NotFound(
            f"Calendar '{calendar}' does not exist.", hint=one_of(calendar, ledger.calendars), subject="calendar"
        )
    names = ("code", "name", "currency", "parent", "position")
    rows = {code: {name: getattr(entity, name) for name in names} | {"calendar": calendar}}
    return _write(
        ledger, person, f"entity {code} changed by hand", wanted=[WantedThings("entities", Entity, ("code",), rows)]
    )


def _check_parent(kind: str, things: Any, code: str, parent: str) -> None:
    parents = dict(things.values_list("code", "parent")) | {code: parent}
    for error in parent_errors(kind, [Item(one, "", above) for one, above in parents.items()]):
        error.subject = "parent"
        raise error


def set_closed(editor: Editor, entity: str, period: str, closed: bool, *, reason: str = "") -> None:
    """Close an entity's period, or open it again, for a reason that is kept with who closed it."""
    editor.needs(CLOSE)
    ledger, person = editor.ledger, editor.person
    found = Entity.objects.filter(ledger=ledger, code=entity).first()
    if found is None:
        raise NotFound(f"Entity '{entity}' does not exist.", subject="entity")
    number = period_number(calendar_of(ledger).period(period).code)
    if not closed and not reason.strip():
        raise RulkaError(
            "Opening a closed period again needs a reason.", hint="Write one; it is kept.", subject="reason"
        )
    told = f"{entity} {period} closed" if closed else f"{entity} {period} opened again: {reason.strip()}"
    record.note(person, "closed", ledger=ledger.code, thing=f"period {entity} {period}", detail=told)
    if closed:
        ClosedPeriod.objects.standing().get_or_create(entity=found, period=number, defaults={"person": person})
        return
    ClosedPeriod.objects.standing().filter(entity=found, period=number).update(
        opened=timezone.now(), opener=person, reason=reason.strip()[:200]
    )


# an entry -----------------------------------------------------------------------------------------------------------


def _changed_row(row: EntryRow, values: Mapping[str, str], partners: Mapping[str, str]) -> EntryRow:
    status, kind, period = (values.get(name, getattr(row, name)) for name in ("status", "kind", "period"))
    return row._replace(
        status=status, kind=kind, period=period, partner_entity=partners.get(row.line, row.partner_entity)
    )


def change_entry(
    editor: Editor, entity: str, number: str, values: Mapping[str, str], partners: Mapping[str, str]
) -> LoadReport:
    """Change an entry's status, kind or period, and its lines' partner entities (by line code), by the rules that a
    load follows."""
    editor.needs(CHANGE)
    ledger, person = editor.ledger, editor.person
    if seen_entry(ledger, editor.view, entity, number).hidden:
        raise RulkaError(
            "A part of this entry lies outside of what you see.",
            hint="Ask somebody who sees all of it.",
            subject="rights",
            code="rights",
        )
    entry = find_entry(ledger, entity, number)
    rows = [_changed_row(row, values, partners) for row in entry_rows(ledger, entry)]
    calendar = calendar_of(ledger)
    with stage() as staged:
        block = EntryBlock.of(rows)
        errors = staged.fill(books_of(ledger), lambda _: [block])
        if errors:
            error = errors[0]
            error.subject = error.subject.rpartition("column ")[2] or "entry"
            raise error
        staged_period = rows[0].period or (calendar.on(entry.date) or calendar.periods[0]).code
        touched = {entry.period, period_number(staged_period)}
        closed = ClosedPeriod.objects.standing().filter(entity=entry.entity, period__in=touched).first()
        if closed is not None:
            raise RulkaError(
                f"{period_code(closed.period)} of {entity} is closed.",
                hint="Open it again first.",
                subject="period",
                code="closed",
            )
        return _write(ledger, person, f"entry {number} of {entity} changed by hand", stage=staged)


# seals --------------------------------------------------------------------------------------------------------------


def set_seal(ledger: Ledger, accounts: str, grain: str | None) -> str:
    """Seal some accounts (a selection, empty for none) down to a grain: names with commas between, `none` for nothing
    besides entity and period, None for the ledger's first dimension. Says what is sealed now."""
    matched = select(accounts, view_of(ledger, NO_FENCE).frame.accounts) if accounts.strip() else None
    if matched is not None and matched.warnings:
        raise RulkaError(f"{'; '.join(matched.warnings)}.", hint="Name accounts of this ledger.", subject="seal")
    known = [*ledger.dimensions, "partner"]
    named = None if grain is None else [name.strip() for name in grain.split(",") if name.strip() not in ("", "none")]
    for name in named or ():
        if name not in known:
            raise NotFound(f"'{name}' tells no accounts apart.", hint=one_of(name, known), subject="grain")
    ledger.sealed, ledger.seal_grain = accounts.strip(), named
    ledger.save(update_fields=["sealed", "seal_grain"])
    if matched is None:
        return "Nothing is sealed."
    told = ledger.dimensions[:1] if named is None else named
    return f"{int(matched.mask.sum())} accounts are sealed down to {', '.join(['entity', 'period', *told])}."
