"""A small simulated ledger web service: OData v4 over a plain ledger folder. `python -m standins.ledger_service
FOLDER... --port N`

Sign-in is basic (`rulka` / `tides`) or bearer (`tides`). `POST /control/step` lets a day pass: new entries are posted,
one is corrected. `POST /control/fault?kind=K&times=N` makes the next N answers fail: error, timeout, cut, repeat, loop,
count, slow.
"""

from __future__ import annotations

import argparse
import base64
import csv
import json
import random
import re
import sqlite3
import sys
import threading
import time
from datetime import date, datetime, timedelta
from decimal import Decimal
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, quote, urlencode, urlsplit

from odata_query.exceptions import ODataException
from odata_query.grammar import ODataLexer, ODataParser
from odata_query.sql.sqlite import AstToSqliteSqlVisitor

USER, SECRET = "rulka", "tides"
PAGE = 2_000
SLOW = 0.4

SETS: dict[str, tuple[str, dict[str, str]]] = {
    "Companies": ("entities.csv", {"Code": "code", "Name": "name", "Currency": "currency", "ParentCode": "parent"}),
    "Accounts": (
        "accounts.csv",
        {
            "Number": "code",
            "Title": "name",
            "Class": "type",
            "Category": "category",
            "Parent": "parent",
            "Unit": "unit",
            "Intercompany": "intercompany",
        },
    ),
    "Members": ("members.csv", {"Dimension": "dimension", "Code": "code", "Name": "name", "Parent": "parent"}),
    "Scenarios": ("scenarios.csv", {"Code": "code", "Name": "name", "Kind": "kind"}),
    "Partners": ("counterparties.csv", {"Code": "code", "Name": "name", "Kind": "kind", "Address": "address"}),
    "Budgets": (
        "budgets.csv",
        {
            "Scenario": "scenario",
            "Company": "entity",
            "Account": "account",
            "Department": "department",
            "Crossing": "crossing",
            "Period": "period",
            "Amount": "amount",
            "Note": "note",
        },
    ),
    "Rates": (
        "rates.csv",
        {"Period": "period", "FromCurrency": "from", "ToCurrency": "to", "Average": "average", "Closing": "closing"},
    ),
    "JournalLines": (
        "entries.csv",
        {
            "Company": "entity",
            "Voucher": "entry",
            "LineNo": "line",
            "PostingDate": "date",
            "Account": "account",
            "Department": "department",
            "Crossing": "crossing",
            "Debit": "debit",
            "Credit": "credit",
            "Text": "description",
            "Origin": "source",
            "DocumentNo": "document",
            "PartnerCode": "counterparty",
            "PartnerName": "counterparty_name",
            "PartnerCompany": "partner_entity",
            "PostedBy": "user",
            "State": "status",
            "Kind": "kind",
            "ModifiedAt": "modified_at",
        },
    ),
}
"""Entity sets: the file each is read from, and its properties with the columns they hold."""

TYPES = {
    "PostingDate": "Edm.Date",
    "ModifiedAt": "Edm.DateTimeOffset",
    "Debit": "Edm.Decimal",
    "Credit": "Edm.Decimal",
    "Amount": "Edm.Decimal",
}


def selected(options: dict[str, str], properties: Any) -> tuple[str, str, str]:
    """The condition, columns and grouping of $apply or $filter as SQL."""
    if "$apply" not in options:
        where = condition(options["$filter"]) if options.get("$filter") else "1"
        return where, ", ".join(properties), ""
    match = re.fullmatch(
        r"(?:filter\((?P<f>.*)\)/)?groupby\(\((?P<g>[^()]*)\),aggregate\((?P<a>.*)\)\)", options["$apply"]
    )
    if not match:
        raise ValueError("only filter(...)/groupby((...),aggregate(... with sum as ...)) is understood")
    groups = [known(prop, properties) for prop in match["g"].split(",")]
    sums = []
    for part in match["a"].split(","):
        prop, _, alias = part.partition(" with sum as ")
        if not re.fullmatch(r"\w+", alias):
            raise ValueError(f"'{part}' is not understood")
        sums.append(f"SUM(CAST(ROUND({known(prop, properties)} * 100) AS INTEGER)) AS {alias}")
    where = condition(match["f"]) if match["f"] else "1"
    return where, ", ".join([*groups, *sums]), f" GROUP BY {', '.join(groups)}"


class Books:
    """The service's own tables, in memory; one lock, one connection."""

    def __init__(self, *folders: Path) -> None:
        self.lock = threading.Lock()
        self.data = sqlite3.connect(":memory:", check_same_thread=False)
        self.data.row_factory = sqlite3.Row
        self.day = date(2026, 11, 5)
        self.steps = 0
        for name, (_, properties) in SETS.items():
            self.data.execute(f"CREATE TABLE {name} ({', '.join(f'{prop} TEXT' for prop in properties)})")
        self.data.execute("CREATE INDEX voucher ON JournalLines (Company, Voucher)")
        self.data.execute("CREATE INDEX modified ON JournalLines (ModifiedAt, Company, Voucher, LineNo)")
        for folder in folders:
            self.take(folder)

    def take(self, folder: Path) -> None:
        """Read a ledger folder; entries and codes of a later one replace those of an earlier one."""
        for name, (file, properties) in SETS.items():
            path = folder / file
            if not path.exists():
                continue
            with path.open(encoding="utf-8-sig", newline="") as source:
                rows = list(csv.DictReader(source))
            if name == "JournalLines":
                vouchers = sorted({(row["entity"], row["entry"]) for row in rows})
                self.data.executemany("DELETE FROM JournalLines WHERE Company = ? AND Voucher = ?", vouchers)
                for row in rows:
                    moment = row.get("modified_at")
                    row["modified_at"] = datetime.fromisoformat(moment).strftime("%Y-%m-%d %H:%M:%S") if moment else ""
            elif name != "Budgets":
                self.data.execute(f"DELETE FROM {name}")
            values = [[row.get(column, "") for column in properties.values()] for row in rows]
            self.data.executemany(f"INSERT INTO {name} VALUES ({', '.join('?' * len(properties))})", values)
        self.data.commit()

    def step(self) -> dict[str, Any]:
        """Let a day pass: a dozen new entries like those of a month before, and one former entry corrected."""
        with self.lock:
            self.steps += 1
            dice = random.Random(self.steps)
            self.day += timedelta(days=1)
            moment = f"{self.day.isoformat()} 18:30:00"
            month_ago = (self.day - timedelta(days=30)).isoformat()
            vouchers = self.data.execute(
                "SELECT DISTINCT Company, Voucher FROM JournalLines WHERE PostingDate BETWEEN ? AND ? AND State <> "
                "'pending' ORDER BY 1, 2",
                [(date.fromisoformat(month_ago) - timedelta(days=7)).isoformat(), month_ago],
            ).fetchall()
            posted, corrected = [], []
            for at, (company, voucher) in enumerate(dice.sample(vouchers, min(12, len(vouchers)))):
                lines = self.data.execute(
                    "SELECT * FROM JournalLines WHERE Company = ? AND Voucher = ? ORDER BY LineNo", [company, voucher]
                ).fetchall()
                number = f"{company}-NEW{self.steps:03d}-{at + 1:02d}"
                for line in lines:
                    values = dict(line) | {"Voucher": number, "PostingDate": self.day.isoformat(), "ModifiedAt": moment}
                    self.data.execute(
                        f"INSERT INTO JournalLines VALUES ({', '.join('?' * len(values))})", list(values.values())
                    )
                posted.append(number)
            company, voucher = dice.choice(vouchers)
            self._correct(company, voucher, moment)
            corrected.append(voucher)
            self.data.commit()
            return {"day": self.day.isoformat(), "posted": posted, "corrected": corrected}

    def _correct(self, company: str, voucher: str, moment: str) -> None:
        """Add a tenth to the largest debit and the largest credit of an entry, both the same amount."""
        rows = self.data.execute(
            "SELECT rowid, * FROM JournalLines WHERE Company = ? AND Voucher = ?", [company, voucher]
        ).fetchall()
        debit = max(rows, key=lambda row: Decimal(row["Debit"] or 0))
        credit = max(rows, key=lambda row: Decimal(row["Credit"] or 0))
        more = (Decimal(debit["Debit"] or 0) / 10).quantize(Decimal("0.01"))
        for row, side in ((debit, "Debit"), (credit, "Credit")):
            if Decimal(row[side] or 0):
                self.data.execute(
                    f"UPDATE JournalLines SET {side} = ? WHERE rowid = ?",
                    [str(Decimal(row[side]) + more), row["rowid"]],
                )
        self.data.execute(
            "UPDATE JournalLines SET ModifiedAt = ?, Text = Text || ' (corrected)' WHERE Company = ? AND Voucher = ?",
            [moment, company, voucher],
        )

    def remove(self, company: str, voucher: str) -> None:
        """Lose an entry, as a source sometimes does."""
        with self.lock:
            self.data.execute("DELETE FROM JournalLines WHERE Company = ? AND Voucher = ?", [company, voucher])
            self.data.commit()

    def ask(self, name: str, options: dict[str, str]) -> tuple[list[dict[str, Any]], int]:
        """Rows of a set after $apply or $filter, $orderby, $skip and $top, and how many there are without paging."""
        properties = SETS[name][1]
        given: list[Any] = []
        where, columns, group = selected(options, properties)
        order = ""
        if options.get("$orderby"):
            parts = [part.split() for part in options["$orderby"].split(",")]
            order = " ORDER BY " + ", ".join(
                f"{known(part[0], properties)} {'DESC' if part[1:] == ['desc'] else 'ASC'}" for part in parts
            )
        with self.lock:
            count = self.data.execute(
                f"SELECT COUNT(*) FROM (SELECT {columns} FROM {name} WHERE {where}{group})", given
            ).fetchone()[0]
            skip = int(options.get("$skiptoken", options.get("$skip", "0")))
            top = min(int(options.get("$top", PAGE)), PAGE)
            rows = self.data.execute(
                f"SELECT {columns} FROM {name} WHERE {where}{group}{order} LIMIT {top} OFFSET {skip}", given
            ).fetchall()
        chosen = options.get("$select")
        wanted = [known(prop, properties) for prop in chosen.split(",")] if chosen else None
        return [shown(dict(row), wanted) for row in rows], count


def condition(text: str) -> str:
    """An OData filter as SQL; names and literals are checked by the grammar."""
    return str(AstToSqliteSqlVisitor().visit(ODataParser().parse(ODataLexer().tokenize(text))))


def known(prop: str, properties: dict[str, str]) -> str:
    if prop.strip() not in properties:
        raise ValueError(f"there is no property '{prop.strip()}'")
    return prop.strip()


def shown(row: dict[str, Any], wanted: list[str] | None) -> dict[str, Any]:
    """A row as the service tells it: moments with their offset, sums as decimals, amounts as text."""
    told = {}
    for prop, value in row.items():
        if wanted is not None and prop not in wanted:
            continue
        if prop == "ModifiedAt" and value:
            value = value.replace(" ", "T") + "Z"
        elif isinstance(value, int):
            value = f"{value // 100}.{value % 100:02d}"
        told[prop] = value
    return told


def metadata() -> str:
    """The service's model as CSDL."""
    types, sets = [], []
    for name, (_, properties) in SETS.items():
        listed = "".join(f'<Property Name="{prop}" Type="{TYPES.get(prop, "Edm.String")}"/>' for prop in properties)
        types.append(f'<EntityType Name="{name}Row">{listed}</EntityType>')
        sets.append(f'<EntitySet Name="{name}" EntityType="Ledger.{name}Row"/>')
    return (
        '<?xml version="1.0" encoding="utf-8"?><edmx:Edmx xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx" '
        'Version="4.0"><edmx:DataServices>'
        f'<Schema xmlns="http://docs.oasis-open.org/odata/ns/edm" Namespace="Ledger">{"".join(types)}'
        f'<EntityContainer Name="Container">{"".join(sets)}</EntityContainer></Schema></edmx:DataServices></edmx:Edmx>'
    )


class LedgerService(ThreadingHTTPServer):
    """The running service; `faults` are what its next answers do wrong."""

    daemon_threads = True

    def __init__(self, books: Books, port: int = 0) -> None:
        super().__init__(("127.0.0.1", port), Handler)
        self.books = books
        self.faults: list[str] = []
        self.asked: list[str] = []

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.server_address[1]}/odata/"


class Handler(BaseHTTPRequestHandler):
    server: LedgerService
    protocol_version = "HTTP/1.1"

    def log_message(self, format: str, *args: Any) -> None:
        pass

    def _send(self, status: int, body: str, kind: str = "application/json") -> None:
        data = body.encode()
        self.send_response(status)
        self.send_header("Content-Type", f"{kind}; charset=utf-8")
        self.send_header("OData-Version", "4.0")
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    def _problem(self, status: int, message: str) -> None:
        self._send(status, json.dumps({"error": {"code": str(status), "message": message}}))

    def _signed_in(self) -> bool:
        basic = "Basic " + base64.b64encode(f"{USER}:{SECRET}".encode()).decode()
        return self.headers.get("Authorization") in (basic, f"Bearer {SECRET}")

    def do_POST(self) -> None:
        parts = urlsplit(self.path)
        asked = {name: values[0] for name, values in parse_qs(parts.query).items()}
        self.rfile.read(int(self.headers.get("Content-Length") or 0))
        if parts.path == "/control/step":
            self._send(200, json.dumps(self.server.books.step()))
        elif parts.path == "/control/fault":
            self.server.faults += [asked["kind"]] * int(asked.get("times", "1"))
            self._send(200, json.dumps(self.server.faults))
        elif parts.path == "/control/remove":
            self.server.books.remove(asked["company"], asked["voucher"])
            self._send(200, "{}")
        else:
            self._problem(404, "no such control")

    def do_GET(self) -> None:
        parts = urlsplit(self.path)
        if not self._signed_in():
            self._problem(401, "sign in")
            return
        self.server.asked.append(self.path)
        name = parts.path.removeprefix("/odata").strip("/")
        if name == "$metadata":
            self._send(200, metadata(), "application/xml")
            return
        if not name:
            sets = [{"name": one, "kind": "EntitySet", "url": one} for one in SETS]
            self._send(200, json.dumps({"@odata.context": "$metadata", "value": sets}))
            return
        if name not in SETS:
            self._problem(404, f"there is no set '{name}'")
            return
        options = {key: values[0] for key, values in parse_qs(parts.query).items()}
        fault = self.server.faults.pop(0) if self.server.faults else ""
        if fault == "error":
            self._problem(500, "the ledger is busy")
            return
        if fault == "timeout":
            time.sleep(3)
        if fault == "slow":
            time.sleep(SLOW)
        try:
            rows, count = self.server.books.ask(name, options)
        except (ValueError, ODataException, sqlite3.Error) as error:
            self._problem(400, str(error))
            return
        body = json.dumps(self._page(name, options, rows, count, fault))
        if fault == "cut":
            self._cut(body.encode())
        else:
            self._send(200, body)

    def _page(
        self, name: str, options: dict[str, str], rows: list[dict[str, Any]], count: int, fault: str
    ) -> dict[str, Any]:
        """Rows with their count where it was asked for, and the way to those that follow."""
        page: dict[str, Any] = {"@odata.context": f"$metadata#{name}"}
        skip = int(options.get("$skiptoken", options.get("$skip", "0")))
        if options.get("$count") == "true":
            page["@odata.count"] = count + (7 if fault == "count" else 0)
        page["value"] = rows
        onward = skip + len(rows)
        if onward < count and "$top" not in options:
            following = skip if fault == "loop" else max(0, onward - 5) if fault == "repeat" else onward
            page["@odata.nextLink"] = f"{name}?{urlencode(options | {'$skiptoken': str(following)}, quote_via=quote)}"
        return page

    def _cut(self, data: bytes) -> None:
        """An answer that ends in its middle."""
        self.send_response(200)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data[: len(data) // 2])
        self.close_connection = True


def start(*folders: Path, port: int = 0) -> LedgerService:
    """Serve ledger folders in a thread; stop it with `shutdown()`."""
    service = LedgerService(Books(*folders), port)
    threading.Thread(target=service.serve_forever, daemon=True).start()
    return service


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folders", nargs="+", type=Path)
    parser.add_argument("--port", type=int, default=8010)
    asked = parser.parse_args()
    service = LedgerService(Books(*asked.folders), asked.port)
    print(f"The stand-in ledger service answers at {service.address}", file=sys.stderr, flush=True)
    try:
        service.serve_forever()
    except KeyboardInterrupt:
        service.server_close()


if __name__ == "__main__":
    main()
