"""A small world for tests from outside: a ledger with one of everything that an address can name."""

from __future__ import annotations

import tempfile
from pathlib import Path

from rulka.filings.models import Taxonomy
from rulka.ledger.feeds.settings import save_feed
from rulka.ledger.models import Ledger
from rulka.statements.models import Definition, Explanation, Shelf
from rulka.work.models import Load, Output
from rulka.worksheets.models import BoundedTable

DEFINITIONS = """
spine: result
lines:
  - section: Result
    total: Result
    lines:
      - {line: Sales, accounts: "4*", expand: accounts}
      - {line: Wages, accounts: "5000"}
      - {line: Rent, accounts: "5100", detail: closed}
---
span: now-and-plan
columns:
  - {column: now, heading: "{window}"}
  - {column: plan, scenario: budget}
  - {column: more, difference: [now, plan]}
---
scope: departments
nodes:
  - {grow: department}
---
statement: result
title: The result
spine: result
span: now-and-plan
---
statement: by-department
title: By department
spine: result
span: now-and-plan
scope: departments
explain: {beyond: "0", columns: [more], due: "6"}
"""

WORKSHEET = """
worksheet: sums
title: Sums
names: {sales: =Sheet!$B$2}
parameters:
- {name: period, kind: period, cell: B1, title: Period, follows: 'yes'}
- {name: whose, kind: entity, cell: C1}
sheets:
- sheet: Sheet
  cells:
    A1: Period
    B1: '2026-P01'
    C1: A
    A2: '=RULKA.LIST("accounts", "*", "code")'
    AA2: '=RULKA.LIST("accounts", "*", "code, name, type, level")'
    F2: =RULKA.ACTIVITY(A2#, B1, , C1)
    G2: =RULKA.CLOSING(A2#, "ytd " & B1, , "group", , , "group")
    H2: =RULKA.COUNT(A2#, "2026")
    I2: '=RULKA.ACTIVITY(A2#, "2026", , , "department: under:10")'
    J2: '=RULKA.ACTIVITY(A2#, "2026", , , , "with pending")'
    K2: '=RULKA.ACTIVITY(A2#, "2026-01-15")'
    L2: =RULKA.OPENING(A2#, "2026") + RULKA.DEBITS(A2#, "2025") - RULKA.CREDITS(A2#, "2025-Q1")
    A40: '=RULKA.LINES("*", "2025-P01 to 2026-P12", "date, entry, account, name, amount, description, counterparty")'
    J40: '=RULKA.LIST("entities", , "code, name, currency")'
    N40: '=RULKA.LIST("department", , "code, name")'
    Q40: '=RULKA.FIGURE("result", "Sales", "now", "2026-P01")'
    Q41: =RULKA.FIGURE("result", "Wages", "now")
    Q42: '=RULKA.TABLE("berths")'
    Q43: =sales & RULKA.ABOUT("ledger") & RULKA.ABOUT("revision")
    Q44: =SUM(F2#)
    AG2: =RULKA.HEAD("bound")
    AG3: '=RULKA.BOUNDED("bound", "", "")'
    AN2: '=RULKA.STATEMENT("result", , , "2026-P01")'
"""
"""A worksheet that asks everything it can."""


EXTRACT = """
extract: rows
title: Rows
rows: journal lines
columns: [date, entity, entry, account, account name, department, amount, description, counterparty name]
where:
- {account: '{accounts}'}
- {period: '{period}'}
- {currency: EUR}
ask:
- {ask: accounts, type: selection, of: account, from: account}
- {ask: period, type: period, required: 'yes', default: 2025-P01 to 2026-P12, from: period}
layouts:
- {layout: By account, pivot: {down: account, across: department, value: amount}}
"""
"""Every line of the ledger with a pivot."""


OVERVIEW = """
overview: glance
title: Glance
of: result
choose: [Result, Sales]
pages:
- tiles:
  - {tile: strip, lines: [Result, Wages, Rent]}
  - {tile: bridge}
  - {tile: ranked, by: entity}
  - {tile: multiples, by: department}
  - {tile: trend}
  - {tile: part}
  - {tile: chart, rows: [Wages], columns: [now, plan]}
  - {tile: words, text: 'It is {Result}, {Wages, budget}.'}
  - {tile: explanations, of: by-department}
  - {tile: findings}
"""
"""An overview of everything it can show."""


FOLIO = """
folio: pack
title: Pack
period: 2026-P01
node: A
sections:
- section: words
  title: Words
  begins: |
    It is {{statement:result|wages|now}}, {{overview:glance|Wages|date-actual}}, {{worksheet:sums|Sheet!Q44}},
    {{extract:rows|rows}}.

    {{statement:result|wages,rent|now,plan}}
- {section: result, title: The result, kind: statement, of: result}
- {section: glance, title: Glance, kind: overview, of: glance, part: 'strip,bridge,ranked,multiples'}
- {section: sheet, title: Sheet, kind: worksheet, of: sums, part: 'Sheet!A1:M12'}
- {section: rows, title: Rows, kind: extract, of: rows}
- {section: slides, title: Slides, kind: slides}
"""
"""A folio of everything it can show, open for writing."""


TOLD = {
    "title": "Tiny", "version": "1", "identifier": "tiny", "entry": "http://tiny.example/tiny.xsd",
    "namespaces": {"x": "http://tiny.example/tiny"}, "roles": {}, "arcs": {}, "cubes": [], "within": "scenario",
    "concepts": [
        {"name": "x:Wages", "label": "Wages", "kind": "money", "period": "duration", "balance": "debit",
         "abstract": False, "labels": [], "about": ""},
        {"name": "x:Words", "label": "Words", "kind": "block", "period": "duration", "balance": "", "abstract": False,
         "labels": [], "about": ""},
    ],
}  # fmt: skip
"""A taxonomy as its reader tells it."""

FILING = """
filing: return
title: Return
folio: pack
taxonomy: tiny
scheme: http://tiny.example
identifier: "7"
statements:
- statement: result
  lines: [{line: wages, label: Wages, concept: "x:Wages"}]
  columns: [{column: now}]
texts: [{concept: "x:Words", sections: [words]}]
"""


def load_filing(command, ledger: str) -> None:
    """A filing of the folio by a tiny taxonomy, whose package isn't there."""
    Taxonomy.objects.create(
        ledger=Ledger.objects.get(code=ledger), name="tiny", title="Tiny", version="1", entry=TOLD["entry"],
        digest=ledger, data=b"", told=TOLD,
    )  # fmt: skip
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "return.yaml"
        path.write_text(FILING)
        command("load_filing", path, ledger=ledger)


BOUNDED = {
    "table": "bound",
    "rows": [{"of": "account", "level": "posted", "total": "All"}],
    "columns": [{"of": "time", "take": "2026-P01, 2026-P02", "level": "as named"}],
    "page": [{"of": "department", "permitted": ["*"]}],
}


def load_worksheet(command, ledger: str) -> None:
    """The worksheet of everything in a ledger, and the bounded table that it places."""
    BoundedTable.objects.create(ledger=Ledger.objects.get(code=ledger), name="bound", body=BOUNDED)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "sums.yaml"
        path.write_text(WORKSHEET)
        command("load_worksheet", path, ledger=ledger)


def make_world(small, command) -> Ledger:
    """The ledger `s` with statements, a shelf, a feed, a load, a file that waits."""
    command("load_ledger", small(), ledger="s")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "definitions.yaml"
        path.write_text(DEFINITIONS)
        command("load_statement", path, ledger="s")
    load_worksheet(command, "s")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "rows.yaml"
        path.write_text(EXTRACT)
        command("load_extract", path, ledger="s")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "glance.yaml"
        path.write_text(OVERVIEW)
        command("load_overview", path, ledger="s")
        path.write_text(FOLIO)
        command("load_folio", path, ledger="s", open=True)
    load_filing(command, "s")
    ledger = Ledger.objects.get(code="s")
    Shelf.objects.create(ledger=ledger, name="Board")
    save_feed(ledger, {"name": "Files", "kind": "table", "location": ""})
    Load.objects.create(ledger="s", feed=None, feed_name="load_ledger", source="x", state=Load.State.REFUSED)
    result, listed = (Definition.objects.get(kind="statement", name=name) for name in ("result", "by-department"))
    Output.objects.create(
        ledger="s", person=1, statement="result", of_definition=result.pk, form="csv", period="2026-P01", node="A",
    )  # fmt: skip
    Explanation.objects.create(
        ledger=ledger, statement=listed, line="sales/4000", column="more", node="10", period="2026-P01",
        state="explained", text="As planned.", value="1", proof=[["A", "E3"]],
    )  # fmt: skip
    assert Definition.objects.filter(ledger=ledger).count() == 5
    return ledger
