"""A small world for tests from outside: a ledger with one of everything that an address can name."""

from __future__ import annotations

import tempfile
from pathlib import Path

from rulka.ledger.feeds.settings import save_feed
from rulka.ledger.models import Ledger
from rulka.statements.models import Definition, Shelf
from rulka.work.models import Load, Output

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
"""


def make_world(small, command) -> Ledger:
    """The ledger `s` with statements, a shelf, a feed, a load, a file that waits."""
    command("load_ledger", small(), ledger="s")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "definitions.yaml"
        path.write_text(DEFINITIONS)
        command("load_statement", path, ledger="s")
    ledger = Ledger.objects.get(code="s")
    Shelf.objects.create(ledger=ledger, name="Board")
    save_feed(ledger, {"name": "Files", "kind": "table", "location": ""})
    Load.objects.create(ledger="s", feed=None, feed_name="load_ledger", source="x", state=Load.State.REFUSED)
    Output.objects.create(ledger="s", person=1, statement="result", form="csv", period="2026-P01", node="A")
    assert Definition.objects.filter(ledger=ledger).count() == 5
    return ledger
