"""A ledger web service that speaks OData v4 (OASIS) to the files of a plain ledger folder.

Pages are followed by their next link; a page that fails is asked for again, a service that contradicts itself is
refused.
"""

from __future__ import annotations

import csv
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Any
from urllib.parse import urljoin, urlsplit

from jsonschema import Draft202012Validator
from jsonschema.exceptions import best_match
from tenacity import Retrying, retry_if_exception_type, stop_after_attempt, wait_exponential

from rulka.core.errors import RulkaError
from rulka.core.later import later
from rulka.core.values import is_whole
from rulka.formats.intake.bounds import MemoryBounds
from rulka.formats.intake.ledger_folder import TABLES
from rulka.formats.intake.outside import Outside, body_of, client_for, read_json

if TYPE_CHECKING:
    import httpcore
    import httpx
else:
    httpx = later("httpx")
    httpcore = later("httpcore")

TRIES = 4
MOST_PAGES = 20_000
MOST_EMPTY = 20
"""Pages without a row that may follow each other."""
MOST_SECONDS = 4 * 3_600
"""How long one pull may ask a service."""
ACCEPT = "application/json;odata.metadata=minimal;IEEE754Compatible=true"


Watch = Callable[[int, int], None]
"""Told after each page how many rows have come, of how many; may raise to end the pull."""


NOWHERE_PRIVATE = Outside()


class Unsteady(Exception):
    """A request that may go right when it is repeated."""


@dataclass(frozen=True)
class ServiceSignIn:
    """How a service knows us: `basic` with user and secret, `bearer` with the secret as token, or nothing."""

    kind: str = ""
    user: str = ""
    secret: str = ""


@dataclass(frozen=True)
class SetMapping:
    """Which entity set a ledger file comes from, and which property is which column; `constants` fill what it has
    not."""

    name: str
    fields: Mapping[str, str]
    modified: str = ""
    keys: tuple[str, ...] = ()
    constants: Mapping[str, str] = field(default_factory=dict)


@dataclass
class Pulled:
    """What a pull brought: rows by file, and the newest modified-at seen."""

    rows: dict[str, int] = field(default_factory=dict)
    mark: str = ""


SET = {
    "type": "object",
    "required": ["set", "fields"],
    "properties": {
        "set": {"type": "string", "pattern": "^[A-Za-z_][A-Za-z0-9_./]{0,120}$"},
        "fields": {"type": "object", "minProperties": 1, "additionalProperties": {"$ref": "#/$defs/property"}},
        "modified": {"anyOf": [{"const": ""}, {"$ref": "#/$defs/property"}]},
        "keys": {"type": "array", "maxItems": 20, "items": {"$ref": "#/$defs/property"}},
        "constants": {"type": "object", "additionalProperties": {"type": "string", "maxLength": 200}},
    },
    "$defs": {"property": {"type": "string", "pattern": "^[A-Za-z_][A-Za-z0-9_/]{0,120}$"}},
}
"""What a set's mapping has to be, as a JSON Schema."""


def sets_from(data: Any) -> dict[str, SetMapping]:
    """The mapping of a service as a feed stores it."""
    sets = {}
    if not isinstance(data, dict):
        raise RulkaError("The mapping names no sets.", hint='Write {"entries": {...}}.', subject="mapping")
    for file, about in data.items():
        if f"{file}.csv" not in TABLES:
            raise RulkaError(
                f"'{file}' is no file of a ledger folder.", hint="Map entries, accounts and so on.", subject="mapping"
            )
        wrong = best_match(Draft202012Validator(SET).iter_errors(about))
        if wrong is not None:
            where = "/".join(map(str, wrong.absolute_path))
            what = f"has something wrong at {where}" if where else "names no set or no fields"
            raise RulkaError(
                f"The mapping of {file} {what}.",
                hint='Write {"set": "JournalLines", "fields": {"entity": "Company", ...}}.',
                subject="mapping",
            )
        sets[file] = SetMapping(
            about["set"],
            about["fields"],
            about.get("modified", ""),
            tuple(about.get("keys", ())),
            about.get("constants", {}),
        )
    return sets


class Service:
    """One service; use it as a context manager."""

    def __init__(
        self,
        address: str,
        sign_in: ServiceSignIn,
        *,
        outside: Outside = NOWHERE_PRIVATE,
        seconds: float = 30,
        wait: float = 0.5,
        watch: Watch | None = None,
    ) -> None:
        outside.check(address)
        self.address = address.rstrip("/") + "/"
        self.seconds, self.until = seconds, time.monotonic() + MOST_SECONDS
        self.wait, self.watch = wait, watch
        headers = {"Accept": ACCEPT, "OData-Version": "4.0", "OData-MaxVersion": "4.01"}
        auth: Any = None
        if sign_in.kind == "basic":
            auth = httpx.BasicAuth(sign_in.user, sign_in.secret)
        elif sign_in.kind == "bearer":
            headers["Authorization"] = f"Bearer {sign_in.secret}"
        self.client = client_for(outside, seconds=seconds, headers=headers, auth=auth)

    def __enter__(self) -> Service:
        return self

    def __exit__(self, *_: object) -> None:
        self.client.close()

    def _page(self, url: str, params: Mapping[str, str] | None) -> dict[str, Any]:
        """One page; asked for again after a failure that may pass."""
        try:
            for attempt in Retrying(
                retry=retry_if_exception_type(Unsteady),
                stop=stop_after_attempt(TRIES),
                wait=wait_exponential(multiplier=self.wait, max=8),
                reraise=True,
            ):
                with attempt:
                    return self._once(url, params)
        except Unsteady as error:
            raise RulkaError(
                f"The service did not answer soundly in {TRIES} tries: {error}.",
                hint="Nothing was changed; try again later.",
                subject=self.address,
            ) from None
        raise AssertionError("unreachable")

    def _once(self, url: str, params: Mapping[str, str] | None) -> dict[str, Any]:
        try:
            with self.client.stream("GET", url, params=params) as answer:
                content = body_of(answer, until=time.monotonic() + 4 * self.seconds)
        except httpx.TimeoutException:
            raise Unsteady("it took too long") from None
        except (httpx.TransportError, httpx.DecodingError, httpcore.NetworkError):
            raise Unsteady("the connection could not be made, or broke") from None
        except httpx.InvalidURL:
            raise RulkaError("This is no web address.", hint="Write https://host/path/.", subject="address") from None
        if answer.status_code >= 500 or answer.status_code == 429:
            raise Unsteady(f"status {answer.status_code}")
        if answer.status_code in (401, 403):
            raise RulkaError(
                "The service refused the sign-in.",
                hint="Check user and secret of the feed.",
                subject=self.address,
                code="sign-in",
            )
        if answer.status_code != 200:
            raise RulkaError(
                f"The service answered with status {answer.status_code}.",
                hint="Check the feed's address and mapping.",
                subject="service",
            )
        try:
            page = read_json(content)
        except ValueError:
            raise Unsteady("the page is cut off, no JSON, or holds what is no amount") from None
        return _collection(page)

    def _following(self, name: str, url: str, following: str) -> str:
        """The address of the next page; refused where it is no address, or another server's."""
        try:
            found = urljoin(url if "/" in following else self.address, following)
            leads_away = urlsplit(found)[:2] != urlsplit(self.address)[:2]
        except ValueError:
            leads_away = True
        if leads_away:
            raise self._refused(name, "A page leads to another server.")
        return found

    def rows(self, name: str, options: Mapping[str, str], keys: Sequence[str] = ()) -> Iterator[dict[str, Any]]:
        """All rows of a set, page after page. Refused when pages go in a circle, keys repeat or the count moves."""
        where, params = urljoin(self.address, name), dict(options) | {"$count": "true"}
        url = where
        sent: dict[str, str] | None = params
        seen: set[str] = set()
        known: set[tuple[Any, ...]] = set()
        stated: int | None = None
        given = empty = 0
        for _ in range(MOST_PAGES):
            if time.monotonic() > self.until:
                raise self._refused(name, f"Reading it took more than {MOST_SECONDS // 3600} hours.")
            page = self._page(url, sent)
            empty = 0 if page["value"] else empty + 1
            if empty > MOST_EMPTY:
                raise self._refused(name, f"{empty} pages without a row follow each other.")
            count = page.get("@odata.count", stated)
            if stated is not None and count != stated:
                raise self._refused(name, f"The number of rows changed from {stated} to {count} while they were read.")
            stated = count
            for row in page["value"]:
                if keys:
                    key = tuple(_text(row.get(key), key) for key in keys)
                    if key in known:
                        raise self._refused(name, f"The row {', '.join(key)} came twice.")
                    known.add(key)
                given += 1
                yield row
            if self.watch:
                self.watch(given, max(given, stated or 0))
            following = page.get("@odata.nextLink")
            if not following:
                if stated is not None and given != stated:
                    raise self._refused(name, f"The service states {stated} rows and gave {given}.")
                return
            url, sent = self._following(name, url, following), None
            if url in seen:
                raise self._refused(name, "Its pages go in a circle.")
            seen.add(url)
        raise self._refused(name, f"It has more than {MOST_PAGES} pages.")

    def _refused(self, name: str, message: str) -> RulkaError:
        return RulkaError(
            message,
            hint="Nothing was changed; pull again, and tell the service's keeper if it comes back.",
            subject=name,
            code="service",
        )


def _collection(page: Any) -> dict[str, Any]:
    """An answer that is a page of rows, with its count and next link where it has them; refused otherwise."""
    whole = isinstance(page, dict) and isinstance(page.get("value"), list)
    if whole and all(isinstance(row, dict) for row in page["value"]):
        count, following = page.get("@odata.count", 0), page.get("@odata.nextLink") or ""
        if isinstance(count, str) and is_whole(count):
            page["@odata.count"] = count = int(count)
        if isinstance(count, int) and isinstance(following, str) and len(following) <= 4_000:
            return dict(page)
    raise RulkaError(
        "The answer is no OData collection.", hint="Check the address and the set's name.", subject="service"
    )


def literal(value: str) -> str:
    """A text as OData writes it in a filter."""
    return "'" + value.replace("'", "''") + "'"


def _columns(file: str, mapping: SetMapping, dimensions: Sequence[str], signed: bool) -> list[str]:
    """The columns that a mapped set fills; `signed` ones give debit and credit by the amount's sign."""
    table = TABLES[f"{file}.csv"]
    known = (*table.required, *table.optional, *dimensions)
    columns = [name for name in known if name in mapping.fields or name in mapping.constants]
    if signed:
        columns += ["debit", "credit"]
    missing = [name for name in table.required if name not in columns]
    if missing:
        told = f"Nothing is mapped to {', '.join(missing)}."
        raise RulkaError(told, hint="Name a property for each.", subject=f"mapping, {file}")
    return columns


def _options(mapping: SetMapping, clauses: Sequence[str]) -> dict[str, str]:
    """What a service is asked for: the mapped properties, in the order of when they changed and of their keys."""
    order = [name for name in (mapping.modified, *mapping.keys) if name]
    options = {"$select": ",".join(dict.fromkeys([*mapping.fields.values(), *order]))}
    if order:
        options["$orderby"] = ",".join(dict.fromkeys(order))
    if clauses:
        options["$filter"] = " and ".join(clauses)
    return options


def pull(
    service: Service,
    sets: Mapping[str, SetMapping],
    folder: Path,
    dimensions: Sequence[str],
    *,
    since: str = "",
    bounds: MemoryBounds | None = None,
) -> Pulled:
    """Write every mapped set as a file of the folder; of entries only those modified at or after `since`, where it is
    given."""
    pulled = Pulled(mark=since)
    for file, mapping in sets.items():
        signed = file == "entries" and "amount" in mapping.fields
        columns = _columns(file, mapping, dimensions, signed)
        clauses = _clauses(mapping, since if file == "entries" else "", bounds if file == "entries" else None)
        options = _options(mapping, clauses)
        count = 0
        with (folder / f"{file}.csv").open("w", encoding="utf-8", newline="") as target:
            writer = csv.writer(target)
            writer.writerow(columns)
            for row in service.rows(mapping.name, options, mapping.keys):
                values = {name: _text(row.get(prop), prop) for name, prop in mapping.fields.items()} | dict(
                    mapping.constants
                )
                if signed:
                    amount = values["amount"]
                    values["debit"], values["credit"] = ("", amount[1:]) if amount.startswith("-") else (amount, "")
                writer.writerow([values[name] for name in columns])
                if file == "entries" and mapping.modified:
                    pulled.mark = max(pulled.mark, _text(row.get(mapping.modified), mapping.modified))
                count += 1
        pulled.rows[file] = count
    return pulled


def pull_openings(
    service: Service, mapping: SetMapping, dimensions: Sequence[str], before: str, since: str, bounds: MemoryBounds
) -> list[dict[str, str]]:
    """Sums of all lines dated before a day (and not before `since`), by entity, account, partner, members and status,
    through `$apply`."""
    wanted = [name for name in ("entity", "account", "partner_entity", "status", *dimensions) if name in mapping.fields]
    day = mapping.fields["date"]
    clauses = [f"{day} lt {before}", *([f"{day} ge {since}"] if since else []), *_entities(mapping, bounds)]
    groups = ",".join(mapping.fields[name] for name in wanted)
    sums = ",".join(f"{mapping.fields[name]} with sum as {name}_sum" for name in ("debit", "credit"))
    apply = f"filter({' and '.join(clauses)})/groupby(({groups}),aggregate({sums}))"
    found = []
    for row in service.rows(mapping.name, {"$apply": apply}):
        values = {name: _text(row.get(mapping.fields[name]), name) for name in wanted}
        found.append(
            values | {"debit": _text(row.get("debit_sum"), "debit"), "credit": _text(row.get("credit_sum"), "credit")}
        )
    return found


def _entities(mapping: SetMapping, bounds: MemoryBounds | None) -> list[str]:
    if bounds is None or not bounds.entities:
        return []
    return ["(" + " or ".join(f"{mapping.fields['entity']} eq {literal(code)}" for code in bounds.entities) + ")"]


def _clauses(mapping: SetMapping, since: str, bounds: MemoryBounds | None) -> list[str]:
    clauses = _entities(mapping, bounds)
    if bounds is not None and bounds.first_day:
        clauses.append(f"{mapping.fields['date']} ge {bounds.first_day}")
    if bounds is not None and bounds.accounts and len(bounds.accounts) <= 60:
        clauses.append(
            "(" + " or ".join(f"{mapping.fields['account']} eq {literal(code)}" for code in bounds.accounts) + ")"
        )
    if since and mapping.modified:
        clauses.append(f"{mapping.modified} ge {since}")
    return clauses


def _text(value: Any, name: str) -> str:
    """A JSON value as the CSV holds it; numbers as plain decimals."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "1" if value else "0"
    if isinstance(value, (int, str)):
        return str(value)
    if isinstance(value, Decimal):
        return f"{value:f}"
    raise RulkaError(
        f"The property {name} holds {type(value).__name__} where one value is wanted.",
        hint="Map another property.",
        subject="mapping",
    )
