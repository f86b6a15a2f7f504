"""Reads and checks a ledger's settings and master data against what is stored; writes nothing."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Final

from django.db.models import Model, QuerySet

from rulka.core.books.calendar import period_number
from rulka.core.books.chart import CARRYING, TYPES, Item, parent_errors
from rulka.core.errors import RulkaError, one_of
from rulka.core.intake.entries import NO_MEMBER, BookSoFar, code_problem, row_error
from rulka.core.money import AMOUNT
from rulka.formats.currencies import currency_digits, minor_digits
from rulka.formats.intake.ledger_folder import LedgerFolder, LedgerSettings, in_file
from rulka.ledger.models import Account, Counterparty, Entity, Ledger, Member, PostingKey, Rate, Scenario
from rulka.ledger.reading.queries import calendar_of

RATES = ("closing", "average", "historical")
USUAL_RATES: Final = {"revenue": "average", "expense": "average", "equity": "historical"}
"""The rate of an account of a type that says none; all others take the closing rate."""


@dataclass(frozen=True)
class WantedThings:
    """What a file says of one kind of thing: values by identity (the values of `fields`)."""

    what: str
    model: type[Model]
    fields: tuple[str, ...]
    rows: dict[Any, dict[str, Any]]

    def identity(self, thing: Any) -> Any:
        """A stored thing's identity, as `rows` is keyed."""
        values = tuple(getattr(thing, name) for name in self.fields)
        return values[0] if len(values) == 1 else values


def compare_wanted(wanted: WantedThings, ledger: Ledger | None) -> tuple[list[Any], dict[Any, Any], int]:
    """Identities that are new, stored things whose values change by identity, and how many stay the same."""
    model: Any = wanted.model
    stored = {wanted.identity(thing): thing for thing in model.objects.filter(ledger=ledger)} if ledger else {}
    new = [key for key in wanted.rows if key not in stored]
    changed = {
        key: stored[key]
        for key, values in wanted.rows.items()
        if key in stored and any(getattr(stored[key], name) != value for name, value in values.items())
    }
    return new, changed, len(wanted.rows) - len(new) - len(changed)


@dataclass
class MasterData:
    """Settings and master data of a load; errors collect in the folder."""

    ledger: Ledger | None
    folder: LedgerFolder
    settings: LedgerSettings
    wanted: list[WantedThings] = field(default_factory=list)

    @property
    def values(self) -> dict[str, Any]:
        """The ledger's own fields as ledger.json and periods.csv have them."""
        settings = self.settings
        return {
            "name": settings.name,
            "group_currency": settings.group_currency,
            "calendar": settings.calendar_text,
            "calendars": settings.calendars,
            "retained_earnings": settings.retained_earnings,
            "translation_reserve": settings.translation_reserve,
            "dimensions": list(settings.dimensions),
        }

    def read(self) -> BookSoFar:
        """Read and check every file of master data; what entries may use afterwards."""
        self._check_settings()
        self._entities()
        self._accounts()
        self._members()
        self._scenarios()
        self._rates()
        self._counterparties()
        self.folder.refuse_if_errors()
        members = self._merged("members", "code")
        return BookSoFar(
            calendar=self.settings.calendar,
            digits={code: minor_digits(currency) for code, currency in self._merged("entities", "currency").items()},
            accounts=self._merged("accounts", "type"),
            members={
                key: frozenset(code for dimension, code in members if dimension == key)
                for key in self.settings.dimensions
            },
            scenarios=self._merged("scenarios", "kind"),
            group_digits=minor_digits(self.settings.group_currency),
            currencies=currency_digits(),
        )

    def _stored(self, model: Any, **narrowed: Any) -> QuerySet[Any]:
        stored: QuerySet[Any] = (
            model.objects.filter(ledger=self.ledger, **narrowed) if self.ledger else model.objects.none()
        )
        return stored

    def _want(self, what: str, model: type[Model], fields: tuple[str, ...], rows: dict[Any, dict[str, Any]]) -> None:
        self.wanted.append(WantedThings(what, model, fields, rows))

    def _merged(self, what: str, name: str) -> dict[Any, Any]:
        """One field by identity: as stored, and as this load will have it."""
        wanted = next(found for found in self.wanted if found.what == what)
        stored = {wanted.identity(thing): getattr(thing, name) for thing in self._stored(wanted.model)}
        return stored | {identity: values[name] for identity, values in wanted.rows.items()}

    def _check_settings(self) -> None:
        try:
            minor_digits(self.settings.group_currency)
        except RulkaError as error:
            self.folder.errors.append(in_file("ledger.json", error))
        if self.ledger is None or (
            self.ledger.calendar == self.settings.calendar_text
            and self.ledger.dimensions == list(self.settings.dimensions)
        ):
            return
        self._check_calendar(self.ledger)
        former = list(self.ledger.dimensions)
        if list(self.settings.dimensions)[: len(former)] != former:
            raise RulkaError(
                f"The dimensions were {', '.join(former) or 'none'}.",
                hint="Keep these in this order; new ones can be added at the end.",
                subject="ledger.json, dimensions",
            )

    def _check_calendar(self, ledger: Ledger) -> None:
        for period in calendar_of(ledger).periods:
            kept = self.settings.calendar.by_code.get(period.code)
            if kept is None or (kept.start, kept.end, kept.adjusting) != (period.start, period.end, period.adjusting):
                raise RulkaError(
                    f"Period {period.code} is missing or has other dates than before.",
                    hint="A calendar can be made longer, its periods stay as they are.",
                    subject="ledger.json, calendar",
                )

    def _error(self, file: str, message: str, row: int, column: str = "", hint: str = "") -> None:
        self.folder.errors.append(in_file(file, row_error(message, row, column, hint)))

    def _coded_rows(self, file: str, *, within: str = "") -> Iterable[tuple[int, dict[str, str]]]:
        """Rows whose code is sound and stands once (in its dimension)."""
        seen: dict[tuple[str, str], int] = {}
        for row, values in self.folder.table(file):
            code, identity = values["code"], (values.get(within, "") if within else "", values["code"])
            if problem := code_problem(code):
                self._error(file, f"The code '{code[:60]}' {problem}.", row, "code", "Correct it and load again.")
            elif identity in seen:
                self._error(
                    file, f"The code '{code}' stands in row {seen[identity]} already.", row, "code", "Keep one row."
                )
            else:
                seen[identity] = row
                yield row, values

    def _counterparties(self) -> None:
        rows = {
            values["code"]: dict(
                code=values["code"], name=values["name"], kind=values.get("kind", ""), address=values.get("address", "")
            )
            for _, values in self._coded_rows("counterparties.csv")
        }
        self._want("counterparties", Counterparty, ("code",), rows)

    def _entities(self) -> None:
        file = "entities.csv"
        stored = {e.code: e for e in self._stored(Entity)}
        used = set(self._stored(PostingKey).values_list("entity__code", flat=True))
        wanted: dict[str, dict[str, Any]] = {}
        for row, values in self._coded_rows(file):
            code, currency = values["code"], values["currency"]
            try:
                minor_digits(currency)
            except RulkaError as error:
                self._error(file, error.message, row, "currency", error.hint)
                continue
            if code in used and stored[code].currency != currency:
                told = f"{code} has lines in {stored[code].currency} and can't change to {currency}."
                self._error(file, told, row, "currency", "Use a new entity.")
                continue
            position = stored[code].position if code in stored else len(stored) + len(wanted)
            calendar = values.get("calendar", "")
            if calendar and calendar not in self.settings.calendars:
                hint = one_of(calendar, self.settings.calendars)
                self._error(file, f"Calendar '{calendar}' does not exist.", row, "calendar", hint)
            wanted[code] = dict(
                code=code,
                name=values["name"],
                currency=currency,
                parent=values.get("parent", ""),
                position=position,
                calendar=calendar,
            )
        self._check_parents(file, "entity", stored, wanted)
        self._want("entities", Entity, ("code",), wanted)

    def _check_parents(self, file: str, kind: str, stored: dict[str, Any], wanted: dict[str, dict[str, Any]]) -> None:
        parents = {code: thing.parent for code, thing in stored.items()} | {
            code: v["parent"] for code, v in wanted.items()
        }
        items = [Item(code, "", parent) for code, parent in parents.items()]
        self.folder.errors += [in_file(file, error) for error in parent_errors(kind, items)]

    def _accounts(self) -> None:
        file = "accounts.csv"
        stored = {a.code: a for a in self._stored(Account)}
        used = set(self._stored(PostingKey).values_list("account__code", flat=True))
        wanted: dict[str, dict[str, Any]] = {}
        for row, values in self._coded_rows(file):
            code, type_ = values["code"], values["type"]
            rate = values.get("rate", "") or USUAL_RATES.get(type_, "closing")
            for column, value, allowed in (
                ("type", type_, TYPES),
                ("rate", rate, RATES),
                ("intercompany", values.get("intercompany", ""), ("", "0", "1")),
                ("active", values.get("active", ""), ("", "0", "1")),
            ):
                if value not in allowed:
                    hint = "Write " + ", ".join(filter(None, allowed)) + "."
                    self._error(file, f"'{value}' is not allowed here.", row, column, hint)
            if code in used and (stored[code].type == "statistical") != (type_ == "statistical"):
                told = f"{code} has lines and can't change between money and quantities."
                self._error(file, told, row, "type", "Use a new account.")
            wanted[code] = dict(
                code=code,
                name=values["name"],
                type=type_,
                category=values.get("category", ""),
                parent=values.get("parent", ""),
                unit=values.get("unit", ""),
                intercompany=values.get("intercompany") == "1",
                rate=rate,
                active=values.get("active") != "0",
            )
        self._check_parents(file, "account", stored, wanted)
        self._check_named(
            {code: a.type for code, a in stored.items()} | {code: v["type"] for code, v in wanted.items()}
        )
        self._want("accounts", Account, ("code",), wanted)

    def _check_named(self, types: Mapping[str, str]) -> None:
        """The accounts that the ledger itself names are there, by `types` of all accounts, and are equity."""
        for setting in ("retained_earnings", "translation_reserve"):
            code = getattr(self.settings, setting)
            if code and types.get(code) not in CARRYING[:3]:
                what = "is no account" if code not in types else f"is of type {types[code]}"
                hint = "Name an equity account of accounts.csv."
                self.folder.errors.append(RulkaError(f"{setting} '{code}' {what}.", hint=hint, subject="ledger.json"))
        if not self.settings.retained_earnings:
            self.folder.errors.append(
                RulkaError("retained_earnings is empty.", hint="Name an equity account.", subject="ledger.json")
            )

    def _members(self) -> None:
        file = "members.csv"
        wanted: dict[Any, dict[str, Any]] = {}
        for row, values in self._coded_rows(file, within="dimension"):
            if values["dimension"] not in self.settings.dimensions:
                self._error(
                    file,
                    f"'{values['dimension']}' is no dimension of this ledger.",
                    row,
                    "dimension",
                    f"ledger.json lists {', '.join(self.settings.dimensions) or 'none'}.",
                )
                continue
            wanted[values["dimension"], values["code"]] = dict(
                dimension=values["dimension"], code=values["code"], name=values["name"], parent=values.get("parent", "")
            )
        stored = {(m.dimension, m.code): m for m in self._stored(Member)}
        for dimension in self.settings.dimensions:
            if (dimension, NO_MEMBER) not in stored:
                wanted.setdefault(
                    (dimension, NO_MEMBER), dict(dimension=dimension, code=NO_MEMBER, name="none", parent="")
                )
            self._check_parents(
                file,
                dimension,
                {code: m for (key, code), m in stored.items() if key == dimension},
                {code: v for (key, code), v in wanted.items() if key == dimension},
            )
        self._want(
            "members",
            Member,
            (
                "dimension",
                "code",
            ),
            wanted,
        )

    def _scenarios(self) -> None:
        file = "scenarios.csv"
        wanted: dict[str, dict[str, Any]] = {}
        for row, values in self._coded_rows(file):
            if values["kind"] not in ("actual", "budget", "forecast"):
                self._error(
                    file, f"'{values['kind']}' is not a kind.", row, "kind", "Write actual, budget or forecast."
                )
            elif values["code"] == "actual" and values["kind"] != "actual":
                self._error(
                    file,
                    f"Scenario '{values['code']}' is of kind {values['kind']}.",
                    row,
                    "kind",
                    "The scenario actual is of kind actual.",
                )
            wanted[values["code"]] = dict(code=values["code"], name=values["name"], kind=values["kind"])
        if not self._stored(Scenario, code="actual").exists():
            wanted.setdefault("actual", dict(code="actual", name="Actual", kind="actual"))
        self._want("scenarios", Scenario, ("code",), wanted)

    def _rates(self) -> None:
        file = "rates.csv"
        wanted: dict[Any, dict[str, Any]] = {}
        for row, values in self.folder.table(file):
            if values["period"] not in self.settings.calendar.by_code:
                self._error(
                    file, f"Period '{values['period']}' does not exist.", row, "period", "Write it as 2027-P07."
                )
                continue
            for column in ("from", "to"):
                try:
                    minor_digits(values[column])
                except RulkaError as error:
                    self._error(file, error.message, row, column, error.hint)
            for column in ("average", "closing"):
                text = values.get(column, "")
                if (text or column == "closing") and (
                    not AMOUNT.fullmatch(text) or text.startswith("-") or not text.strip("0.")
                ):
                    self._error(file, f"'{text}' is not a rate.", row, column, "Write a decimal above zero.")
            identity = (period_number(values["period"]), values["from"], values["to"])
            if identity in wanted:
                self._error(file, "This period and pair of currencies stands twice.", row, "period", "Keep one row.")
            wanted[identity] = dict(
                period=identity[0],
                source=identity[1],
                target=identity[2],
                average=values.get("average", ""),
                closing=values["closing"],
            )
        self._want(
            "rates",
            Rate,
            (
                "period",
                "source",
                "target",
            ),
            wanted,
        )
