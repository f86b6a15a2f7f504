"""What lies outside of a person's bounds is altered in place, same revision and same times: no route, panel, file or
command of theirs answers otherwise than before."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable, Iterator
from typing import Any
from urllib.parse import urlencode

import numpy as np
import pytest
from django.test import Client
from django.urls import resolve, reverse

from rulka.core.proof.origin import CODE
from rulka.ledger.models import (
    Account,
    BalanceChangeChunk,
    BalanceChunk,
    BudgetLine,
    Entity,
    JournalEntry,
    JournalLine,
    JournalLineFormer,
    Ledger,
    Member,
    PostingKey,
)
from rulka.ledger.reading import history, queries
from rulka.people.library.persons import make_person
from rulka.people.library.rights import grant
from rulka.people.models import Person
from rulka.statements.models import Definition, Edition, Explanation
from rulka.worksheets.models import StoredSheet
from rulka.worksheets.running import live
from tests.web.test_fuzz import ROUTES
from tests.web.world import EXTRACT, FOLIO, OVERVIEW, load_filing, load_worksheet

LEDGER = {
    "name": "Three and Sons",
    "group_currency": "EUR",
    "calendar": {
        "first_month": 1, "year_label": "start", "first_year": 2025, "last_year": 2026, "adjusting_periods": 1,
    },
    "retained_earnings": "3200",
    "translation_reserve": "3900",
    "dimensions": ["department", "route"],
}  # fmt: skip
ENTITIES = "code,name,currency,parent\nG,Group house,EUR,\nA,Alder,EUR,G\nB,Birch,SEK,G\nC,Cedar,EUR,G\n"
ACCOUNTS = (
    "code,name,type,category,parent,intercompany\n1000,Bank,asset,cash and bank,,\n1200,Owed by sisters,asset,,,1\n"
    "2000,Suppliers,liability,,,\n3000,Capital,equity,,,\n3200,Earnings kept,equity,,,\n3900,Translation,equity,,,\n"
    "4000,Sales,revenue,,,\n4100,Other sales,revenue,,4000,\n5000,Wages,expense,,,\n5100,Rent,expense,,,\n"
    "9000,Hours,statistical,,,\n"
)
MEMBERS = (
    "dimension,code,name,parent\ndepartment,10,Shop,\ndepartment,11,Counter,10\ndepartment,20,Office,\n"
    "route,n,North,\nroute,s,South,\n"
)
RATES = "period,from,to,average,closing\n" + "".join(
    f"{year}-P{number:02d},SEK,EUR,0.09{number % 10},0.08{number % 10}\n"
    for year in (2025, 2026) for number in range(1, 13)
)  # fmt: skip
DEFINITIONS = """
spine: result
lines:
  - section: Result
    total: Result
    lines:
      - {line: Sales, accounts: "4*", expand: accounts}
      - {line: Wages, accounts: "5000", expand: [accounts, entries], rows: below}
      - {line: Rent, accounts: "5100", expand: counterparties, rows: below}
  - {calculation: Margin, formula: "Sales / Result"}
---
span: columns
columns:
  - {column: now, heading: "{window}"}
  - {column: to-date, window: year to date, entries: with pending}
  - {column: plan, scenario: budget}
  - {column: more, difference: [now, plan]}
  - {series: routes, each: route, total: All routes, none: On no route}
---
spine: stands
lines:
  - section: Assets
    total: Assets
    lines: [{line: Assets, accounts: "1*"}]
  - section: Claims
    total: Claims
    lines:
      - {line: Owed, accounts: "2*"}
      - {line: Equity, accounts: "3*"}
      - {line: Result so far, accounts: "4*, 5*"}
---
span: standing
columns:
  - {column: now, measure: closing}
  - {column: before, measure: closing, shift: -1 year}
---
scope: departments
nodes:
  - {grow: department}
---
{statement: result, title: The result, spine: result, span: columns}
---
statement: by-department
title: By department
spine: result
span: columns
scope: departments
explain: {beyond: "0", columns: [more]}
---
{statement: balance, title: What stands, spine: stands, span: standing}
---
{statement: group-balance, title: The group, spine: stands, span: standing, currency: group}
"""


def entries() -> str:
    rows = [
        "entity,entry,line,date,account,department,route,partner_entity,debit,credit,description,document,counterparty,"
        "counterparty_name,source,user,kind,status"
    ]
    number = 0
    for entity in "ABC":
        for year in (2025, 2026):
            for month in (1, 2, 3):
                for account, department, route, partner in (
                    ("4000", "10", "n", ""), ("4100", "11", "s", ""), ("5000", "20", "n", ""), ("5000", "10", "s", ""),
                    ("5000", "20", "s", ""), ("5100", "20", "", ""), ("5100", "11", "n", ""),
                    ("1200", "", "", "B" if entity == "A" else "A"), ("3000", "", "", ""),
                ):  # fmt: skip
                    number += 1
                    status = "pending" if number % 7 == 0 else "posted"
                    amount = f"{100 + number * 13 % 97}.{number % 100:02d}"
                    debit = account[0] in "15"
                    source = "pay" if account == "5000" else "bank"
                    told = f"text {number},D{number},K{number % 5},Name {number % 5},{source},u{number % 3}"
                    sides = (amount, "") if debit else ("", amount)
                    head = f"{entity},E{number},{{}},{year}-{month:02d}-{1 + number % 27:02d},{{}}"
                    rows.append(
                        head.format(1, account)
                        + f",{department},{route},{partner},{','.join(sides)},{told},normal,{status}"
                    )
                    rows.append(head.format(2, "1000") + f",,,,{','.join(reversed(sides))},{told},normal,{status}")
    rows.append("A,H1,1,2026-01-10,9000,10,n,,7.50,,Hours,,,,,,normal,posted")
    return "\n".join(rows) + "\n"


BUDGETS = "scenario,entity,account,department,route,period,amount,note\n" + "".join(
    f"budget,{entity},{account},{department},n,2026-P0{month},{amount},plan {entity}{month}\n"
    for entity in "ABC" for month in (1, 2)
    for account, department, amount in (("4000", "10", "-40.00"), ("5000", "20", "25.00"), ("5100", "11", "9.00"))
)  # fmt: skip


@pytest.fixture
def house(small, command, db, tmp_path) -> Ledger:
    folder = small(
        ledger__json=LEDGER, entities__csv=ENTITIES, accounts__csv=ACCOUNTS, members__csv=MEMBERS, rates__csv=RATES,
        entries__csv=entries(), budgets__csv=BUDGETS,
    )  # fmt: skip
    command("load_ledger", folder, ledger="h")
    changed = entries().replace("text 100,", "text 100 corrected,").replace("text 25,", "text 25 corrected,")
    command(
        "load_ledger",
        small("again", ledger__json=LEDGER, entities__csv=ENTITIES, accounts__csv=ACCOUNTS, members__csv=MEMBERS,
              rates__csv=RATES, entries__csv=changed, budgets__csv=BUDGETS),
        ledger="h",
    )  # fmt: skip
    file = tmp_path / "definitions.yaml"
    file.write_text(DEFINITIONS)
    command("load_statement", file, ledger="h")
    load_worksheet(command, "h")
    file.write_text(OVERVIEW)
    command("load_overview", file, ledger="h")
    file.write_text(EXTRACT)
    command("load_extract", file, ledger="h")
    file.write_text(FOLIO.replace("period: 2026-P01", "period: 2026-P02"))
    command("load_folio", file, ledger="h", open=True)
    load_filing(command, "h")
    ledger = Ledger.objects.get(code="h")
    sheet = StoredSheet.objects.get(worksheet__ledger=ledger, number=1)
    sizes = {"box": [60, 60, 60, 60], "width": 480, "height": 200}
    sheet.settings["pictures"] = [
        {"picture": "d1", "of": [1, 5, 8, 6], **sizes},
        {"picture": "d2", "kind": "overview", "name": "glance", "piece": "multiples", **sizes},
    ]
    sheet.save()
    listed = Definition.objects.get(kind="statement", name="by-department")
    for node in ("10", "20"):  # somebody who sees the whole said something about each department
        for period in ("2026-P01", "2026-P02"):
            Explanation.objects.create(
                ledger=ledger, statement=listed, line="sales/4000", column="more", node=node, period=period,
                state="explained", text=f"said of {node}", value="1", proof=[["A", "E1"], ["B", "E2"]],
            )  # fmt: skip
    return ledger


PEOPLE: dict[str, tuple[dict[str, object], Callable[[dict[str, str]], bool]]] = {
    "entity": ({"entities": "A"}, lambda key: key["entity"] == "A"),
    "member": ({"members": {"department": "under:10"}}, lambda key: key["department"] in ("10", "11")),
    "route": ({"members": {"route": "n"}}, lambda key: key["route"] == "n"),
    "account": ({"accounts": "4*, 5100"}, lambda key: key["account"][0] == "4" or key["account"] == "5100"),
}


def keys_of(house: Ledger) -> dict[int, dict[str, str]]:
    """Every posting key in words, read from the tables."""
    members = {
        str(pk): (dimension, code) for pk, dimension, code in house.members.values_list("pk", "dimension", "code")
    }
    found = {}
    for key in PostingKey.objects.filter(ledger=house).select_related("entity", "account"):
        named = dict(members[one] for one in key.members.split(",") if one)
        found[key.pk] = {
            "entity": key.entity.code,
            "account": key.account.code,
            "department": "-",
            "route": "-",
            **named,
        }
    return found


def forget() -> None:
    """What the process keeps of ledgers: they were altered behind its back."""
    queries._BOOKS.clear()
    history._book_at.cache_clear()
    live._KEPT.clear()


def alter_outside(house: Ledger, inside: Callable[[dict[str, str]], bool], bounds: dict[str, object]) -> None:
    out = {pk for pk, key in keys_of(house).items() if not inside(key)}
    assert out and len(out) < PostingKey.objects.filter(ledger=house).count()
    for model in (JournalLine, JournalLineFormer):
        for line in model.objects.filter(key__in=out):
            line.debit, line.credit = line.debit * 3 + 7, line.credit * 3
            line.description, line.document, line.counterparty = "ALTERED", "ALTERED", "ALTERED"
            line.counterparty_name, line.source, line.user, line.batch = "ALTERED", "ALTERED", "ALTERED", "ALTERED"
            line.save()
    for entry in JournalEntry.objects.filter(ledger=house):
        if not any(key not in out for key in entry.lines.values_list("key", flat=True)):
            entry.number = f"ALTERED-{entry.pk}"
            entry.save()
    for row in BudgetLine.objects.filter(key__in=out):
        row.amount, row.note = row.amount * 5 + 1, "ALTERED"
        row.save()
    for chunks in (BalanceChunk, BalanceChangeChunk):
        for chunk in chunks.objects.all():
            keys = np.frombuffer(chunk.keys, dtype=np.int64)
            mask = np.isin(keys, list(out))
            for name, by in (("debits", 3), ("credits", 2), ("counts", 4)):
                values = np.frombuffer(getattr(chunk, name), dtype=np.int64).copy()
                values[mask] = values[mask] * by + 1
                setattr(chunk, name, values.tobytes())
            chunk.save()
    inner = named_inside(house, inside)
    for said in Explanation.objects.exclude(node__in=inner):
        said.text, said.proof = "ALTERED", [["ALTERED", "ALTERED"]]
        said.save()
    if "entities" in bounds:
        Entity.objects.filter(ledger=house).exclude(code__in=["A", "G"]).update(name="ALTERED")
    if "accounts" in bounds:
        Account.objects.filter(ledger=house, code__in=["1000", "1200", "2000", "3000", "5000", "9000"]).update(
            name="ALTERED"
        )
    if "members" in bounds:
        names = ["20"] if "department" in bounds["members"] else ["s"]
        Member.objects.filter(ledger=house, code__in=names).update(name="ALTERED")
    forget()


def named_inside(house: Ledger, inside: Callable[[dict[str, str]], bool]) -> list[str]:
    """The departments of which all that was ever booked lies inside."""
    below = {"10": ("10", "11"), "20": ("20",)}
    keys = list(keys_of(house).values())
    return [code for code, own in below.items() if all(inside(key) for key in keys if key["department"] in own)]


def alter_sealed(house: Ledger) -> None:
    """Wages move between routes, days, texts and entries, waiting ones change; what was posted by entity, period and
    department stays."""
    named = keys_of(house)
    wages = {pk: key for pk, key in named.items() if key["account"] == "5000"}
    by_grain: dict[tuple[str, str], list[int]] = {}
    for pk, key in wages.items():
        by_grain.setdefault((key["entity"], key["department"]), []).append(pk)
    assert any(len(those) > 1 for those in by_grain.values())
    for line in JournalLine.objects.filter(key__in=wages):
        line.description, line.counterparty, line.source, line.user = "ALTERED", "ALTERED", "ALTERED", "ALTERED"
        line.counterparty_name, line.document = "ALTERED", "ALTERED"
        line.save()
    for chunk in BalanceChunk.objects.all():
        keys = np.frombuffer(chunk.keys, dtype=np.int64)
        values = {
            name: np.frombuffer(getattr(chunk, name), dtype=np.int64).copy() for name in ("debits", "credits", "counts")
        }
        for those in by_grain.values():
            at = np.flatnonzero(np.isin(keys, those))
            if chunk.status:  # pending
                values["debits"][at] = values["debits"][at] * 3 + 11
            elif len(at) > 1:  # one of them takes from another
                values["debits"][at[0]] += 17
                values["debits"][at[1]] -= 17
            values["counts"][at] += 2
        for name, table in values.items():
            setattr(chunk, name, table.tobytes())
        chunk.save()
    forget()


def of_overviews(route: str) -> Iterator[tuple[list[str], dict[str, str]]]:
    """What can be asked of an overview: its windows, nodes and lines, its files, and traces of its figures."""
    if route == "overview":
        for window in ("month", "date", "year", "beside"):
            yield ["glance"], {"window": window}
        for given in ({"node": "G"}, {"node": "B"}, {"line": "result: Sales"}, {"arrange": "yes", "tile": "bridge"}):
            yield ["glance"], given
    elif route == "overview-file":
        for form in ("json", "html"):
            yield ["glance", form], {"window": "beside"}
    else:
        for source, row, column in (
            ("", "result.total", "date-gap"), ("", "wages", "month-actual"), ("", "rent", "reached"),
            ("department.date", "wages", "member-20-actual"), ("entity.date", "sales", "member-b-actual"),
            ("department.months.0", "result.total", "months-0-2026-p01-m0-actual"), ("own", "wages", "routes-s"),
        ):  # fmt: skip
            given = {"statement": "result", "source": source, "row": row, "column": column}
            for by in ("", "account", "line") if route == "overview-trace" else ("account",):
                yield ["glance", *(["csv"] if route == "overview-take" else [])], {**given, "by": by, "panel": "trace"}


def of_folios(route: str) -> Iterator[tuple[list[str], dict[str, str]]]:
    """What can be asked of a folio: its sections with each panel, what places read, its texts as files."""
    if route == "folio":
        for section in ("words", "result", "glance", "sheet", "rows"):
            for panel in ("section", "figures", "history"):
                yield ["pack"], {"section": section, "panel": panel}
    elif route == "fill-place":
        for source in ("statement:result|wages|now###", "statement:balance", "overview:glance|ranked",
                       "overview:glance|Wages|year-actual###", "worksheet:sums|Sheet!A1:M12", "extract:rows",
                       "extract:rows|rows###", "extract:rows|amount###"):  # fmt: skip
            yield ["pack", "words"], {"source": source}
    elif route == "take-section":
        yield ["pack", "words"], {}
    else:
        for kind in ("statement", "overview", "worksheet", "extract"):
            yield ["pack"], {"kind": kind}


LEFT = ("month", "sign-in", "sign-out", "demo-sign-in", "home", "paper", "feeds", "feed", "feed-map", "load",
        "statement-work", "health-worker")  # fmt: skip


def worksheet_queries() -> Iterator[dict[str, str]]:
    yield {"first": "0", "last": "399", "state": "1"}
    yield {"find": "ALTERED"}
    for cell in ("F6", "G6", "H9", "I9", "J4", "K4", "L9", "Q40", "Q44", "A41"):
        for panel in ("cell", "trace", "parameters", "sheet", "check", "blocks"):
            yield {"cell": cell, "panel": panel}
        yield {"cell": cell, "panel": "trace", "ask": "0"}
        yield {"cell": cell, "panel": "trace", "ask": "0", "in": "account=5000/period=2026-P02", "by": "line"}


FINDING = ("ALTERED", "text", "K1", "D1", "E1", "pay", "5000", "wag", "100", "~100", "~17", "20", "A")


QUERIES: dict[str, list[dict[str, str]]] = {
    "ledger-journal": [{}, {"accounts": "5000"}, {"search": "ALTERED"}, {"search": "text"}, {"counterparty": "K1"},
                       {"source": "pay"}, {"status": "pending"}, {"m-route": "s"}, {"end": "1"}, {"least": "100"}],
    "journal-export": [{}, {"status": "pending"}],
    "ledger-trial-balance": [{}, {"pending": "1"}, {"by": "route"}, {"by": "department"}, {"scenario": "budget"},
                             {"revision": "1"}, {"entity": "B"}],
    "trial-balance-export": [{"pending": "1"}, {"by": "route"}],
    "ledger-accounts": [{}, {"account": "5000"}, {"account": "1200"}, {"search": "ALTERED"}, {"unused": "1"}],
    "ledger-members": [{}, {"dimension": "department", "member": "20"}],
    "ledger-scenarios": [{}, {"one": "actual", "other": "budget"}],
    "revisions": [{}, {"from": "0", "to": "2"}, {"from": "1", "to": "2"}],
    "ledger": [{}, {"show": "debits"}],
    "statements": [{}, {"search": "ALTERED"}],
    "find": [{"q": text} for text in FINDING],
    "ledger-wrong": [{}, {"period": "2026-P01"}, {"rule": "first", "subject": "A 5000"}],
    "statement-variances": [{}, {"against": "budget"}, {"against": "year before", "every": "yes"},
                            {"of": "10"}, {"of": "20"}],
    "statement-trace": [{}, *({"row": row, "column": "more", "by": "drivers", **of}
                              for row in ("result.total", "rent", "sales") for of in ({}, {"of": "10"}))],
}  # fmt: skip
"""What is asked of pages besides the usual."""
Asked = Iterator[tuple[list[Any], dict[str, str]]]
"""The arguments of a route with what is asked."""


def of_taken(route: str) -> Asked:
    for args, given in taken():
        if (args[0] == "sums") == (route == "worksheet-take"):
            yield args, given


def of_panels(route: str) -> Asked:
    for name in ("result", "balance"):
        for panel in panels(name):
            yield [name], panel
    for node in ("10", "20"):
        yield ["by-department"], {"panel": "explain", "row": "sales/4000", "column": "more", "of": node}


def of_worksheet_files(route: str) -> Asked:
    for form, mode in (("json", ""), ("csv", ""), ("html", ""), ("xlsx", "values"), ("xlsx", "formulas")):
        yield ["sums", form], {"mode": mode} if mode else {}


def of_filing(route: str) -> Asked:
    for given in ({"part": "result", "line": "wages"}, {"panel": "checks"}, {"part": "words", "line": "words"},
                  {"part": "result", "at": "2026-P01"}):  # fmt: skip
        yield ["return"], given


def of_tries(route: str) -> Asked:
    for text in ('=RULKA.LIST("accounts")', '=RULKA.ACTIVITY("5*")', '=RULKA.BOUNDED("bound","","")'):
        yield ["sums"], {"text": text, "cell": "ZZ9"}


def of_downloads(route: str) -> Asked:
    for name in ("result", "balance"):
        for form in ("csv", "json", "html", "xlsx"):
            yield [name, form], {"pages": "all"}


def of_worksheets(route: str) -> Asked:
    for query in worksheet_queries():
        yield ["sums"], query


ASKED_OF: dict[str, Callable[[str], Asked]] = {
    **dict.fromkeys(("statement-take", "worksheet-take"), of_taken),
    "statement-panel": of_panels,
    "worksheet-file": of_worksheet_files,
    "worksheet-drawing": lambda route: ((["sums", drawing], {"sheet": "1"}) for drawing in ("d1", "d2")),
    **dict.fromkeys(("overview", "overview-file", "overview-trace", "overview-take"), of_overviews),
    **dict.fromkeys(("folio", "fill-place", "take-section", "folio-places"), of_folios),
    "filing": of_filing,
    "search-concepts": lambda route: iter([(["return"], {"part": "result", "line": "wages", "q": "wages"})]),
    "worksheet-offer": lambda route: (
        (["sums"], {"helper": helper}) for helper in ("account", "node", "narrow", "period")
    ),
    "worksheet-try": of_tries,
    "download": of_downloads,
}
SILENT = ("worksheet-from-trace", "worksheet-picture", "worksheet-fetching")
"""One is posted to, with what the file of a trace has; the others know pictures and loads, no figures."""


def addresses(house: Ledger, editions: list[Edition]) -> Iterator[tuple[str, str]]:
    """(route, address) of everything that somebody can ask for."""
    where = {"ledger": "h", "period": "2026-P02", "node": "A"}
    kwargs: dict[str, list[dict[str, object]]] = {
        "name": [{"name": name} for name in ("result", "by-department", "balance", "group-balance", "nothing")],
        "form": [{"form": form} for form in ("csv", "xlsx")],
        "number": [{"number": str(edition.pk)} for edition in editions],
    }
    for route, held in ROUTES:
        if route in LEFT or route in SILENT:
            continue
        if route == "ledger-entry":
            for entry in JournalEntry.objects.filter(ledger=house).select_related("entity")[:30]:
                yield route, reverse(route, args=[entry.entity.code, entry.number]) + "?" + urlencode(where)
            continue
        of_route = ASKED_OF.get(route)
        if of_route is None and held and (route.startswith("worksheet-") or route == "worksheet"):
            of_route = of_worksheets
        if of_route is not None:
            for args, given in of_route(route):
                yield route, reverse(route, args=args) + "?" + urlencode({**where, **given})
        elif not held or (len(held) == 1 and held[0] in kwargs):
            for named in kwargs[held[0]] if held else [{}]:
                for query in QUERIES.get(route, [{}]):
                    yield route, reverse(route, kwargs=named) + "?" + urlencode({**where, **query})
    yield "month", reverse("month") + "?" + urlencode(where)  # it says what was used last: all of the above


def taken() -> Iterator[tuple[list[str], dict[str, str]]]:
    """Rows of traces as files: whose, and of what."""
    for name, row in (("result", "sales"), ("result", "wages"), ("balance", "equity"), ("sums", "figure")):
        for by in ("account", "route", "counterparty", "line"):
            given = {"row": row, "column": "now", "by": by, "cols": ",".join(COLUMNS)}
            for form in ("csv", "xlsx") if row == "wages" and by == "line" else ("csv",):
                yield [name, form], {**given, **({"cell": "F6", "ask": "0"} if name == "sums" else {})}


DIRECTIONS = ("account", "period", "department", "route", "entity", "partner", "counterparty", "source", "document",
              "user", "line", "sides")  # fmt: skip


def traces(asked: dict[str, str], account: str) -> Iterator[dict[str, str]]:
    """A figure in every direction, behind an account and a period too; of wages its lines in every order and by every
    value."""
    way = f"account={account}"
    is_sealed = account == "5000"
    for by in DIRECTIONS if is_sealed else ("", "route", "line"):
        yield {**asked, "by": by}
        yield {**asked, "in": f"{way}/period=2026-P02", "by": by}
    for deeper in (f"{way}/period=FY2025", f"{way}/period=FY2025 result", "counterparty=K1", "route=s"):
        yield {**asked, "in": deeper}
    if not is_sealed:
        return
    lines = {**asked, "in": way, "by": "line", "cols": ",".join(COLUMNS)}
    for column in COLUMNS:
        yield {**lines, "sort": column, "values": column}
    for query in ({"search": "ALTERED"}, {"least": "1"}, {"room": "yes"}, {"ticks": "document=ALTERED"}):
        yield {**lines, **query}
    yield {**asked, "document": "ALTERED"}


COLUMNS = ("date", "period", "entry", "account", "entity", "department", "route", "partner", "document", "counterparty",
           "text", "source", "user", "kind", "status", "debit", "credit", "amount", "so far", "revision", "feed",
           "file", "row")  # fmt: skip


def is_read(address: str) -> bool:
    """Whether an address answers to reading; the others only take what is sent."""
    view = resolve(address.partition("?")[0]).func
    return not any(cell.cell_contents == ["POST"] for cell in view.__closure__ or ())


OF_BALANCE = ("equity", "assets")


def panels(statement: str) -> Iterator[dict[str, str]]:
    for panel in ("line", "column", "page", "footing", "versions", "nodes", "editions"):
        yield {"panel": panel}
    for row, account in (
        ("sales", "4000"),
        ("wages", "5000"),
        ("result.total", ""),
        ("equity", "3200"),
        ("assets", "1000"),
    ):
        yield {"panel": "accounts", "row": row}
        for column in ("now", "to-date", "plan", "routes-n"):
            yield {"panel": "trace", "row": row, "column": column}
        if account and (row in OF_BALANCE) == (statement == "balance"):
            yield from traces({"panel": "trace", "row": row, "column": "now"}, account)


CHANGING = re.compile(
    r'[A-Za-z0-9]{64}|name="(window|sent)" value="[^"]+"|nonce="[^"]+"|/static/[^"]+|'
    r"[0-9]{2}:[0-9]{2} UTC|[0-9]{4}, [0-9]{2}:[0-9]{2}|"
    r"printed [0-9]+ [A-Z][a-z]+ [0-9]{4}|[0-9]+\s+ms|[0-9]+\s(minute|second|hour)s?(\sago| old)?"
    rf"|{CODE.pattern}"
)
"""Tokens, codes of origin, and how long something took or is ago."""


def plain(response) -> object:
    """What an answer says, without what is another one each time."""
    content = b"".join(response.streaming_content) if response.streaming else response.content
    if content[:2] == b"PK":
        with zipfile.ZipFile(io.BytesIO(content)) as book:
            names = [name for name in book.namelist() if not name.startswith("docProps")]
            return {name: CHANGING.sub("", book.read(name).decode("utf-8", "replace")) for name in names}
    return response.status_code, CHANGING.sub("", content.decode())


def everything(client: Client, asked: list[tuple[str, str]], command, username: str) -> dict[str, object]:
    found = {address: plain(client.get(address)) for _, address in asked}
    for name in ("result", "by-department", "balance", "group-balance"):
        for node in ("", "A", "group", "10"):
            found[f"run {name} {node}"] = told(
                command, "run_statement", name, period="2026-P02", node=node, ledger="h", person=username
            )
    for form in ("json", "csv"):
        found[f"worksheet {form}"] = told(
            command, "run_worksheet", "sums", period="2026-P02", ledger="h", person=username, format=form
        )
    for options in ({}, {"with_pending": True}, {"revision": 1}):
        found[f"tb {options}"] = told(
            command, "trial_balance", ledger="h", first="2025-P01", last="2026-P02", person=username, **options
        )
    for text in ("5*", "department: 20", "1000", "ALTERED", "entity: B", "source: pay", "counterparty: K1"):
        sent = {"do": "line-change", "key": "rent", "path": "accounts", "value": text}
        address = reverse("check-edit", args=["result"]) + "?ledger=h&period=2026-P02&node=A"
        found[f"check {text}"] = plain(client.post(address, sent))
    return found


def told(command, *arguments: str, **options: object) -> str:
    try:
        return command(*arguments, **options)
    except Exception as error:
        return str(error)


def asking(house: Ledger, bounds: dict[str, object], *, opens_seals: bool) -> tuple[Client, Person]:
    person = make_person("fay", title="Fay", role="accountant")
    given = {"entities": "", "accounts": "", "members": {}, **bounds}
    grant(person, "h", **given, opens_seals=opens_seals)
    client = Client()
    client.force_login(person)
    return client, person


def kept_editions(client: Client) -> list[Edition]:
    for name in ("result", "balance", "group-balance"):
        client.post(reverse("keep-edition", args=[name]) + "?ledger=h&period=2026-P02&node=A", {"title": "Kept"})
    return list(Edition.objects.all())


STEPS = [6, *(pytest.param(step, marks=pytest.mark.slow) for step in (3, 1))]
"""Every sixth address is read each time, all of them in the long runs."""


def read_by(client: Client, house: Ledger, editions: list[Edition], step: int) -> list[tuple[str, str]]:
    """The addresses that are read, one for each step."""
    return [one for one in addresses(house, editions) if is_read(one[1])][::step]


@pytest.mark.parametrize("step", STEPS)
@pytest.mark.parametrize(
    "who", ["entity", *(pytest.param(who, marks=pytest.mark.slow) for who in ("member", "route", "account"))]
)
def test_nothing_outside_of_a_fence_shows_anywhere(who, step, house, command):
    bounds, inside = PEOPLE[who]
    client, _ = asking(house, bounds, opens_seals=True)
    asked = read_by(client, house, kept_editions(client), step)
    before = everything(client, asked, command, "fay")
    alter_outside(house, inside, bounds)
    compare(before, everything(client, asked, command, "fay"), step)


@pytest.mark.parametrize("step", STEPS)
def test_nothing_finer_than_a_seal_shows_anywhere(step, house, command):
    Ledger.objects.update(sealed="5000")
    client, _ = asking(house, {}, opens_seals=False)
    asked = read_by(client, house, kept_editions(client), step)
    before = everything(client, asked, command, "fay")
    assert sum("sealed" in str(answer) for answer in before.values()) > 20 // step
    alter_sealed(house)
    compare(before, everything(client, asked, command, "fay"), step)


@pytest.mark.parametrize("step", STEPS)
def test_whoever_sees_all_does_see_the_difference(step, house, command):
    """The test itself: what is altered shows to those who may see it."""
    client, _ = asking(house, {}, opens_seals=True)
    asked = read_by(client, house, [], step)
    before = everything(client, asked, command, "fay")
    alter_outside(house, PEOPLE["entity"][1], PEOPLE["entity"][0])
    after = everything(client, asked, command, "fay")
    differing = [name for name in before if before[name] != after[name]]
    assert len(differing) > 40 // step and "ALTERED" in str(after)
    assert sum("/worksheets/" in name for name in differing) > 10 // step - 2 and "worksheet csv" in differing
    assert "SPILL" not in after["worksheet csv"]


def compare(before: dict[str, object], after: dict[str, object], step: int) -> None:
    assert len(before) > 150 // step and before.keys() == after.keys()
    differing = [name for name in before if before[name] != after[name]]
    if differing:
        one, other = str(before[differing[0]]), str(after[differing[0]])
        at = next((n for n, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), 0)
        pytest.fail(
            f"{len(differing)}: {differing[:12]}\n--- {one[max(0, at - 200) : at + 150]}\n"
            f"+++ {other[max(0, at - 200) : at + 150]}"
        )
