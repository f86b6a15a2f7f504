"""Worksheets beside statements, bounded tables behind requests of all kinds, what is new for whom, who else works on
it, and how a worksheet leaves."""

from __future__ import annotations

import io
import json
import logging
import random
import re
from datetime import timedelta
from decimal import Decimal
from fractions import Fraction
from typing import Any

import openpyxl
import pytest
from django.core.management import call_command
from django.core.management.base import CommandError
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone

from rulka.core.books.fence import NO_FENCE
from rulka.core.compute.nodes import nodes_of
from rulka.core.errors import RulkaError
from rulka.core.sheet.from_statement import disagreeing, lay_down
from rulka.core.sheet.workbook import Cell
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import view_of
from rulka.people.models import Access, Person
from rulka.statements.library.opening import definitions_for
from rulka.statements.models import Definition, Shelf, ShelfRight
from rulka.statements.running.runs import page_nodes, run
from rulka.worksheets.editing import bringing
from rulka.worksheets.editing.bringing import laid_down
from rulka.worksheets.library import links
from rulka.worksheets.library.tables import save_table
from rulka.worksheets.models import BoundedTable, LiveLink, SheetStep, Worksheet
from rulka.worksheets.running import answering
from rulka.worksheets.running.live import WorksheetReader, calculated_for, opened
from tests.conftest import SMALL
from tests.pages import flat
from tests.web.world import DEFINITIONS
from tests.worksheets.test_worksheets import WHERE, house, post, shown, typed  # noqa: F401  the fixture of a house

# statements as worksheets -------------------------------------------------------------------------------------------


SHIPPED = ("income-statement", "balance-sheet", "trial-balance", "overhead-by-department", "income-by-entity",
           "key-results")  # fmt: skip


def hold_together(name: str, seed: int, count: int) -> int:
    """Open a statement as a worksheet at a random node and period, then hold it against the statement at others; how
    many cells that are."""
    ledger = Ledger.objects.get(code="ternwick")
    view = view_of(ledger, NO_FENCE)
    periods = [period for period in view.frame.calendar.periods if period.year in (2026, 2027)]
    definitions = definitions_for(ledger, name, None)
    chance = random.Random(f"{name}{seed}")
    compared = 0
    first = WorksheetReader(
        ledger, view, chance.choice(periods), chance.choice([n.code for n in nodes_of(view)][:4]), None
    )
    laid, node = None, ""
    for _ in range(8):
        try:
            laid = laid_down(first, definitions, node)
            break
        except RulkaError as error:
            assert "mixes currencies" in str(error) or "scope" in str(error), error
            first = WorksheetReader(ledger, view, chance.choice(periods), "TF", None)
    assert laid is not None
    assert set(laid.asking) == set(laid.places.values())
    statement = run(definitions, first.period.code, "" if laid.has_nodes else first.node, NO_FENCE).computed.statement
    nodes = [one.code for one in page_nodes(statement, view)]
    tries = [(first.period, first.node if not laid.has_nodes else nodes[0])]
    tries += [(chance.choice(periods), chance.choice(nodes)) for _ in range(count)]
    for period, code in tries:
        try:
            computed = run(definitions, period.code, code, NO_FENCE).computed
        except RulkaError:
            continue  # a group of several currencies has no page
        reader = WorksheetReader(ledger, view, period, first.node if laid.has_nodes else code, None)
        calculation = calculated_for(laid.at_node(code) if laid.has_nodes else laid.workbook, reader)
        wrong = disagreeing(laid, calculation, computed)
        cells = {place: key for key, place in laid.places.items()}
        told = [(cells[at], laid.sheet.cell(*at).input, calculation.shown_at((1, *at))) for at in wrong[:3]]
        assert not wrong, (name, period.code, code, told)
        compared += sum((row.key, c.key) in laid.places for row in computed.rows for c in computed.columns)
    return compared


@pytest.mark.parametrize("name", SHIPPED)
def test_a_statement_opened_as_a_worksheet_gives_its_figures(ternwick, name):
    assert hold_together(name, 1, 2) > 20


BY_MONTH = """
statement: by-month
spine: by-month
span: by-month
---
spine: by-month
lines:
  - {line: Sales, accounts: "4*", periods: year to date, total: All sales}
  - {line: "Fuel in {period.end:Oct 26}", accounts: "6110, 6120", periods: last 3 periods}
  - {calculation: Left, formula: '"All sales" - 2'}
---
span: by-month
columns:
  - {column: actual}
  - {column: prior, shift: -1 year, measure: closing}
  - {column: difference, difference: [actual, prior]}
"""


def test_rows_for_periods_opened_as_a_worksheet_give_their_figures(ternwick, tmp_path):
    (tmp_path / "by-month.yaml").write_text(BY_MONTH)
    call_command("load_statement", str(tmp_path / "by-month.yaml"), "--ledger", "ternwick")
    assert hold_together("by-month", 1, 2) > 20


@pytest.mark.slow
@pytest.mark.parametrize("seed", range(6))
def test_every_shipped_statement_gives_its_figures_for_random_nodes_and_periods(ternwick, seed):
    names = list(Definition.objects.filter(ledger=ternwick, kind="statement").values_list("name", flat=True))
    assert len(names) > 14
    for name in names:
        assert hold_together(name, seed, 5) > 0, name


def test_most_figures_ask_the_ledger_or_are_calculated_in_cells(ternwick):
    view = view_of(ternwick, NO_FENCE)
    reader = WorksheetReader(ternwick, view, view.frame.calendar.period("2027-P07"), "TF", None)
    laid = laid_down(reader, definitions_for(ternwick, "income-statement", None))
    texts = [laid.sheet.cell(*place).input for place in laid.places.values()]
    assert len(texts) > 200 and not any("RULKA.FIGURE" in text for text in texts)
    assert sum(text.startswith("=SUM(") for text in texts) >= 10
    month = laid_down(reader, definitions_for(ternwick, "income-by-month", None))
    asked = [month.sheet.cell(*place).input for place in month.places.values()]
    assert sum("RULKA.ACTIVITY" in text for text in asked) > len(asked) / 2


def test_from_the_statements_page_to_a_worksheet(ternwick, people, client):
    client.force_login(people["accountant"])
    where = "?ledger=ternwick&period=2027-P07&node=TF"
    page = client.get(reverse("statement", args=["income-statement"]) + where)
    assert "Open as a worksheet" in page.content.decode()
    answer = client.post(reverse("open-as-worksheet", args=["income-statement"]) + where)
    assert answer.status_code == 302 and "/worksheets/" in answer["Location"]
    client.force_login(people["director"])
    assert "Open as a worksheet" not in client.get(page.request["PATH_INFO"] + where).content.decode()
    refused = client.post(reverse("open-as-worksheet", args=["income-statement"]) + where)
    assert refused.status_code == 422 and "may change its parameters" in refused.content.decode()


def test_a_worksheet_that_would_differ_from_its_statement_is_refused(ternwick, monkeypatch):
    def astray(*given: Any, **more: Any) -> Any:
        laid = lay_down(*given, **more)
        place = min(laid.asking)
        del laid.asking[place]
        laid.sheet.cells[place] = Cell("1")
        return laid

    view = view_of(ternwick, NO_FENCE)
    reader = WorksheetReader(ternwick, view, view.frame.calendar.period("2027-P07"), "TF", None)
    monkeypatch.setattr(bringing, "lay_down", astray)
    with pytest.raises(RulkaError, match="doesn't give the statement's figure"):
        laid_down(reader, definitions_for(ternwick, "income-statement", None))


def test_what_an_author_closed_is_not_laid_open(house, command, tmp_path):  # noqa: F811
    """Whoever may run a statement but not edit it gets closed lines as figures of the statement, without accounts."""
    (tmp_path / "definitions.yaml").write_text(DEFINITIONS)
    command("load_statement", tmp_path / "definitions.yaml", ledger="s")
    amy, bob = (Person.objects.get(username=name) for name in ("amy", "bob"))
    shelf = Shelf.objects.create(ledger=Ledger.objects.get(code="s"), name="Board", maker=bob)
    ShelfRight.objects.create(shelf=shelf, person=amy, level=2)
    Definition.objects.filter(kind="statement", name="result").update(shelf=shelf)
    texts = {}
    for who in ("amy", "bob"):
        answer = house[who].post(reverse("open-as-worksheet", args=["result"]) + "?" + WHERE)
        name = answer["Location"].split("/worksheets/")[1].split("/")[0]
        texts[who] = command("dump_worksheet", name, ledger="s")
        assert "RULKA.ACTIVITY" in texts[who]
    assert "5100" not in texts["amy"] and 'RULKA.FIGURE("result","rent","now")' in texts["amy"]
    assert "5100" in texts["bob"] and 'RULKA.FIGURE("result","rent","now")' not in texts["bob"]


@pytest.fixture
def people(ternwick) -> dict[str, Person]:
    return {person.username: person for person in Person.objects.all()}


# bounded tables -------------------------------------------------------------------------------------------------------

TABLE = {
    "table": "bounded",
    "title": "Bounded",
    "rows": [{"of": "account", "take": "4*, 5*"}],
    "columns": [{"of": "time", "take": "2026-P01", "level": "as named"}],
    "page": [{"of": "department", "default": "10", "permitted": ["under:10"]}, {"of": "entity", "default": "A"}],
}


@pytest.fixture
def bounded(house) -> BoundedTable:  # noqa: F811
    ledger = Ledger.objects.get(code="s")
    view = view_of(ledger, NO_FENCE)
    bob = Person.objects.get(username="bob")
    return save_table(ledger, TABLE, view, view.frame.calendar.period("2026-P01"), "A", person=bob)


def value(client: Client, at: str) -> Any:
    """What a cell holds for somebody, as its file says it."""
    found = json.loads(client.get(reverse("worksheet-file", args=["sums", "json"]) + "?" + WHERE).content)
    cells = {cell["at"]: cell["value"] for cell in found["sheets"][0]["cells"]}
    return cells.get(at)


def test_only_who_has_the_right_makes_and_changes_one(house, bounded):  # noqa: F811
    address = reverse("bounded-table", args=["bounded"]) + "?" + WHERE
    assert house["bob"].get(address).status_code == 200
    assert ">Bounded<" in house["bob"].get(reverse("worksheets") + "?" + WHERE).content.decode()
    wider = {"do": "save", "title": "Wider", "rows-0-of": "account", "columns-0-of": "time"}
    for who in ("amy", "dan", "lea"):
        for sent in (wider, {"do": "delete"}):
            answer = house[who].post(address, sent)
            assert answer.status_code == 422 and "may place a bounded table" in answer.content.decode()
        assert house[who].get(address).status_code == 422
    bounded.refresh_from_db()
    assert bounded.body == TABLE and bounded.version == 1
    wrong = house["bob"].post(address, {"do": "save", "title": "T", "rows-0-of": "account", "columns-0-of": "account"})
    assert wrong.status_code == 422 and "lies in it twice" in wrong.content.decode()
    sent = {"do": "save", "title": "Bounded", "rows-0-of": "account", "rows-0-take": "4*", "columns-0-of": "time",
            "columns-0-take": "2026-P01", "columns-0-level": "as named", "rows-0-level": "posted"}  # fmt: skip
    assert house["bob"].post(address, sent).status_code == 302
    bounded.refresh_from_db()
    assert bounded.version == 2 and bounded.body["rows"][0]["take"] == "4*"


WIDER = ('"9000"', '"1000"', '"4000","2025-P01"', '"4000","2026-P01","department","20"',
         '"4000","2026-P01","department",""&"*"', '"4000","2026-P01","entity","B"', '"4000","2026-P01","time","2025"',
         '"","","department","20"', '"","","entity","group"', '"4000","this"', '"under:4000","2026-P01"')  # fmt: skip


def test_no_request_widens_a_bounded_table(house, bounded):  # noqa: F811
    """By a cell, by a parameter, by placing, by other choices, by the guide, by a live link, by the address."""
    amy, dan, lea = house["amy"], house["dan"], house["lea"]
    typed(amy, S1='=RULKA.BOUNDED("bounded","4100","2026-P01")', T1="11",
          S2='=RULKA.BOUNDED("bounded","4100","2026-P01","department",T1)')  # fmt: skip
    post(amy, do="parameter", box=[0, 19, 0, 19], kind="free", name="part", title="Part")
    assert value(dan, "S1") == "0.00" and Decimal(value(dan, "S2")) == -50
    for part in WIDER:
        typed(amy, S3=f'=RULKA.BOUNDED("bounded",{part})')
        assert value(dan, "S3") in ("#N/A", "#VALUE!"), part
    choose = reverse("worksheet-parameters", args=["sums"]) + "?" + WHERE
    for chosen in ("20", "*", "10, 20", "not 10", "under:20", "-", "11;entity: B", '11","entity","B'):
        dan.post(choose, {"value-part": chosen})
        assert value(dan, "S2") in ("#N/A", "#VALUE!"), chosen
    dan.post(choose, {"value-part": "11"})
    assert Decimal(value(dan, "S2")) == -50
    typed(amy, S9="20")
    tried = (("department", "20"), ("department", "*"), ("entity", "B"), ("time", "2025"), ("department", "=S9"))
    for of, chosen in tried:
        place = {"how": "place", "kind": "table", "name": "bounded", "box": [50, 0, 50, 0]}
        told = post(amy, do="block", choices={of: chosen}, expect=404, **place)
        assert ("be chosen here" if of == "time" else "not permitted") in told, chosen
    post(amy, do="block", how="place", kind="table", name="bounded", box=[200, 0, 200, 0])
    own = Worksheet.objects.get(name="sums").sheets.first().settings["blocks"][0]["id"]
    for of, chosen in (("department", "20"), ("entity", "B"), ("account", "1000")):
        told = post(amy, do="block", how="choose", id=own, choices={of: chosen}, expect=404)
        assert ("be chosen here" if of == "account" else "not permitted") in told
    # whoever only reads can't place, choose, try or write anything at all
    for client in (dan, lea):
        for asked in ({"do": "block", "how": "choose", "id": own, "choices": {"department": "11"}},
                      {"do": "type", "cells": [[0, 18, "=RULKA.ACTIVITY(1000)"]]},
                      {"do": "block", "how": "thaw", "id": own}, {"do": "blocks"}):  # fmt: skip
            assert "may" in post(client, expect=422, **asked)
        for name in ("worksheet-try", "worksheet-offer"):
            answer = client.get(reverse(name, args=["sums"]) + f"?{WHERE}&text==RULKA.ACTIVITY(1000)&helper=account")
            assert answer.status_code == 422
    # nor is it more than the reader's fence: lea sees departments 10 and 11 only, and the table makes that no wider
    assert Decimal(value(lea, "S2")) == -50
    Access.objects.filter(person__username="lea").update(members={"department": "20"})
    assert value(lea, "S2") == "#N/A"


def test_readers_choose_by_a_parameter_within_what_is_permitted(house, bounded):  # noqa: F811
    amy, dan = house["amy"], house["dan"]
    typed(amy, T1="10")
    post(amy, do="parameter", box=[0, 19, 0, 19], kind="free", name="part", title="Part")
    post(
        amy, do="block", how="place", kind="table", name="bounded", choices={"department": "=T1"}, box=[200, 0, 200, 0]
    )
    at = next(row for row in range(203, 210) if shown(dan, f"A{row}") == "4100")
    assert shown(dan, f"C{at}") == "–"
    dan.post(reverse("worksheet-parameters", args=["sums"]) + "?" + WHERE, {"value-part": "11"})
    assert shown(dan, f"C{at}") == "−50.00" and shown(amy, f"C{at}") == "–"
    # rows and columns put in: the cell that is chosen by goes along, in formulas and in what is kept of the block
    post(amy, do="remap", kind="insert", axis="rows", at=0, count=2)
    post(amy, do="remap", kind="insert", axis="columns", at=5, count=1)
    assert Worksheet.objects.get(name="sums").sheets.first().settings["blocks"][0]["choices"] == {"department": "=U3"}
    assert shown(dan, f"C{at + 2}") == "−50.00"
    assert post(amy, do="blocks")["done"] == "All blocks are as the ledger has them"
    dan.post(reverse("worksheet-parameters", args=["sums"]) + "?" + WHERE, {"value-part": "20"})
    assert shown(dan, f"C{at + 2}") == "#N/A"


def test_a_bounded_table_lives_with_the_ledger(house, bounded, small, command):  # noqa: F811
    amy = house["amy"]
    post(amy, do="block", how="place", kind="table", name="bounded", choices={"department": "11"}, box=[200, 0, 200, 0])
    assert shown(amy, "A201").startswith("Small · department 11 Counter")
    rows = {shown(amy, f"A{row}"): shown(amy, f"C{row}") for row in range(203, 209)}
    assert rows["4100"] == "−50.00" and "4200" not in rows
    # a row put in beside a member, a row taken out, an account that comes to the ledger
    at = next(row for row in range(203, 209) if shown(amy, f"A{row}") == "4100")
    typed(amy, **{f"F{at}": "=C" + str(at) + "*2"})
    post(amy, do="remap", kind="insert", axis="rows", at=at, count=1)
    typed(amy, **{f"B{at + 1}": "my own"})
    gone = next(row for row in range(203, 212) if shown(amy, f"A{row}") == "5100")
    post(amy, do="remap", kind="delete", axis="rows", at=gone - 1, count=1)
    more = SMALL["accounts.csv"] + "4200,Berths,revenue,,\n"
    lines = SMALL["entries.csv"] + "A,E9,1,2026-01-20,1000,,9.00,,B,,,,\nA,E9,2,2026-01-20,4200,11,,9.00,B,,,,\n"
    command("load_ledger", small(accounts__csv=more, entries__csv=lines), ledger="s")
    assert "refresh" in shown(amy, "A201")
    told = post(amy, do="blocks")["done"]
    assert "4200 is new" in told and "5100 is new" in told
    found = {shown(amy, f"A{row}") or shown(amy, f"B{row}"): row for row in range(203, 214)}
    assert shown(amy, f"C{found['4200']}") == "−9.00" and shown(amy, f"F{found['4100']}") == "−100.00"
    assert found["my own"] == found["4100"] + 1 and found["4200"] == found["my own"] + 1
    assert "as the ledger has them" in post(amy, do="blocks")["done"]
    # the table is gone: cells say so
    house["bob"].post(reverse("bounded-table", args=["bounded"]) + "?" + WHERE, {"do": "delete"})
    assert shown(amy, f"C{found['4200']}") == "#N/A"


def test_a_block_sorted_undone_and_brought_back(house, bounded):  # noqa: F811
    amy = house["amy"]
    post(amy, do="block", how="place", kind="table", name="bounded", choices={"department": "11"}, box=[200, 0, 200, 0])
    rows = [shown(amy, f"A{row}") for row in range(203, 208)]
    figures = {shown(amy, f"A{row}"): shown(amy, f"C{row}") for row in range(203, 208)}
    amy.post(reverse("worksheet-state", args=["sums"]) + "?" + WHERE, {"name": "placed"})
    last = 202 + len([code for code in rows if code])
    post(amy, do="sort", box=[202, 0, last - 1, 2], column=0, falling=True)
    falling = sorted(filter(None, rows), reverse=True) + [""] * rows.count("")
    assert [shown(amy, f"A{row}") for row in range(203, 208)] == falling
    assert post(amy, do="blocks")["done"] == "All blocks are as the ledger has them", "rows know what they are"
    assert {shown(amy, f"A{row}"): shown(amy, f"C{row}") for row in range(203, 208)} == figures
    own = Worksheet.objects.get(name="sums").sheets.first().settings["blocks"][0]["id"]
    assert "plain values now" in post(amy, do="block", how="freeze", id=own)["done"]
    post(amy, do="undo")
    assert "RULKA.BOUNDED" in command_text(amy)
    post(amy, do="block", how="remove", id=own)
    assert "RULKA.BOUNDED" not in command_text(amy)
    post(amy, do="restore", number=1)
    assert [shown(amy, f"A{row}") for row in range(203, 208)] == rows
    assert Worksheet.objects.get(name="sums").sheets.first().settings["blocks"][0]["id"] == own


def command_text(client: Client) -> str:
    """All inputs of rows 200 on, as the page has them."""
    found = client.get(reverse("worksheet-cells", args=["sums"]) + f"?{WHERE}&first=200&last=260").json()["rows"]
    return " ".join(cell[5] for cell in found)


def test_a_closed_piece_and_a_statements_piece(house, bounded, command, tmp_path):  # noqa: F811
    amy = house["amy"]
    (tmp_path / "definitions.yaml").write_text(DEFINITIONS)
    command("load_statement", tmp_path / "definitions.yaml", ledger="s")
    post(amy, do="block", how="place", kind="table", piece="closed", name="bounded", box=[200, 0, 200, 0])
    assert shown(amy, "A202") == "Account" and shown(amy, "B203") == "Sales"
    of_statement = {"kind": "statement", "name": "result", "lines": "result", "columns": "now"}
    post(amy, do="block", how="place", box=[300, 0, 300, 0], **of_statement)
    own = json.loads(command("run_statement", "result", ledger="s", period="2026-P01", node="A"))
    figures = {line["label"]: line["values"][0] for line in own["lines"] if line.get("values")}
    rows = {shown(amy, f"A{row}"): shown(amy, f"B{row}") for row in range(303, 309)}
    assert rows["4100 Other sales"] == "50.00" and Decimal(figures["4100 Other sales"]) == 50
    post(amy, do="block", how="place", kind="statement", piece="closed", name="result", box=[400, 0, 400, 0])
    assert shown(amy, "B402") and any(shown(amy, f"A{row}") == "Wages" for row in range(402, 410))
    blocks = Worksheet.objects.get(name="sums").sheets.first().settings["blocks"]
    post(amy, do="block", how="freeze", id=blocks[1]["id"])
    assert "No row differs" in post(amy, do="block", how="thaw", id=blocks[1]["id"])["done"]
    page = amy.get(reverse("worksheet-panel", args=["sums"]) + f"?{WHERE}&panel=blocks&cell=A1").content.decode()
    assert page.count("data-block=") == 3 and 'data-choose="department"' in page


# what is new ----------------------------------------------------------------------------------------------------------


def _staying(amy, dan, page, opening):
    """Nobody gets past where a worksheet stays, until its author lets it go on."""
    amy.post(opening, {"opening": "stays", "revision": "1"})
    assert shown(amy, "S1") == "−50.00" and "it stays here" in amy.get(page).content.decode()
    panel = reverse("worksheet-panel", args=["sums"]) + f"?{WHERE}&cell=S1&panel=trace&ask=0&row=figure&column=figure"
    assert "agrees with the figure" in dan.get(panel + "&in=account%3D4100").content.decode()
    lines_of = dan.get(panel + "&in=account%3D4100/period%3D2026-P01&by=line").content.decode()
    assert "figures are of revision 1; the journal has gone on since" in lines_of
    stays = dan.post(reverse("worksheet-refresh", args=["sums"]) + "?" + WHERE)
    assert stays.status_code == 422 and "stays at revision 1" in stays.content.decode()
    assert amy.post(opening, {"opening": "stays", "revision": "77"}).status_code == 404
    assert dan.post(opening, {"opening": "newest"}).status_code == 422
    amy.post(opening, {"opening": "newest"})
    assert shown(dan, "S1") == "−59.00"


def test_a_reader_takes_the_newest_and_sees_what_changed(house, small, command, tmp_path):  # noqa: F811
    (tmp_path / "definitions.yaml").write_text(DEFINITIONS)
    command("load_statement", tmp_path / "definitions.yaml", ledger="s")
    amy, dan = house["amy"], house["dan"]
    page = reverse("worksheet", args=["sums"]) + "?" + WHERE
    typed(amy, S1='=RULKA.ACTIVITY("4*","2026-P01")', S2='=RULKA.FIGURE("result","result.total","now","2026-P01")',
          S3='=INDEX(RULKA.STATEMENT("result",,"now","2026-P01"),4,2)')  # fmt: skip
    opening = reverse("worksheet-opening", args=["sums"]) + "?" + WHERE
    assert amy.post(opening, {"opening": "asked"}).status_code == 302
    for client in (amy, dan):
        assert "as of revision 1" in flat(client.get(page).content.decode())
    lines = SMALL["entries.csv"] + "A,E9,1,2026-01-20,1000,,9.00,,B,,,,\nA,E9,2,2026-01-20,4100,11,,9.00,B,,,,\n"
    command("load_ledger", small(entries__csv=lines), ledger="s")
    told = flat(amy.get(page).content.decode())
    assert "as of revision 1" in told and "1 newer revision" in told and shown(amy, "S1") == "−50.00"
    assert (shown(amy, "S2"), shown(amy, "S3")) == ("50.00", "50"), "statements are asked of the same state"
    for _ in range(2):  # two refreshes at once are as one
        assert amy.post(reverse("worksheet-refresh", args=["sums"]) + "?" + WHERE).status_code == 302
    assert shown(amy, "S1") == "−59.00" and shown(dan, "S1") == "−50.00", "each for themselves"
    assert shown(amy, "S2") == "59.00" and shown(dan, "S2") == "50.00"
    told = flat(amy.get(page).content.decode())
    assert "as of revision 2" in told
    assert "cells changed since revision 1" in told, "the second refresh takes no marks away"
    dan.post(reverse("worksheet-refresh", args=["sums"]) + "?" + WHERE)
    cells = dan.get(reverse("worksheet-cells", args=["sums"]) + f"?{WHERE}&first=0&last=0&state=1").json()
    assert cells["marks"]["0,18"] == "−50.00"
    # journal lines of a former revision can't be read: of what needs them nothing is said to have changed
    assert shown(dan, "A41") and not any(at.startswith(("39,", "40,", "41,")) for at in cells["marks"])
    assert "cells changed since revision 1" in dan.get(page).content.decode()
    dan.post(reverse("worksheet-refresh", args=["sums"]) + "?" + WHERE, {"how": "seen"})
    assert "changed since" not in dan.get(page).content.decode()
    _staying(amy, dan, page, opening)


def test_on_opening_the_newest_is_taken_with_its_marks(house, small, command):  # noqa: F811
    dan, page = house["dan"], reverse("worksheet", args=["sums"]) + "?" + WHERE
    typed(house["amy"], S1='=RULKA.ACTIVITY("4*","2026-P01")')
    dan.get(page)
    lines = SMALL["entries.csv"] + "A,E9,1,2026-01-20,1000,,9.00,,B,,,,\nA,E9,2,2026-01-20,4100,11,,9.00,B,,,,\n"
    command("load_ledger", small(entries__csv=lines), ledger="s")
    assert "changed since revision 1" in dan.get(page).content.decode()
    panel = dan.get(reverse("worksheet-panel", args=["sums"]) + f"?{WHERE}&panel=cell&cell=S1").content.decode()
    assert "Before: −50.00" in panel


# others ---------------------------------------------------------------------------------------------------------------


def test_two_people_cell_by_cell_the_last_writer_wins_and_is_told(house):  # noqa: F811
    amy, bob = house["amy"], house["bob"]
    seen = Worksheet.objects.get(name="sums").version
    assert shown(bob, "S1") == ""
    typed(amy, S1="1", S2="2")
    since = amy.get(reverse("worksheet-cells", args=["sums"]) + f"?{WHERE}&since={seen + 1}").json()
    assert since == {"version": seen + 1}
    answer = post(bob, do="type", version=seen, cells=[[0, 18, "100"]])
    assert "Amy had put '1' into S1" in answer["done"] and "theirs is in the history" in answer["done"]
    assert {(cell[0], cell[1]): cell[2] for cell in answer["cells"]}[1, 18] == "2", "what amy did comes along"
    since = amy.get(reverse("worksheet-cells", args=["sums"]) + f"?{WHERE}&since={seen + 1}").json()
    assert [cell[:3] for cell in since["cells"]] == [[0, 18, "100"]] and since["done"] == "Bob: typed into S1"
    again = post(bob, do="type", version=seen + 2, cells=[[0, 18, "101"]])
    assert again["done"] == ""
    assert SheetStep.objects.filter(worksheet__name="sums", steps__icontains='"1"').exists()
    told = post(amy, do="undo", expect=422)
    assert "Bob" in told and "changed S1" in told


def test_on_a_shelf_with_rights_as_statements(house):  # noqa: F811
    ledger = Ledger.objects.get(code="s")
    amy, bob, dan = (Person.objects.get(username=name) for name in ("amy", "bob", "dan"))
    shelf = Shelf.objects.create(ledger=ledger, name="Board", maker=bob)
    ShelfRight.objects.create(shelf=shelf, person=amy, level=2)
    address = reverse("worksheet", args=["sums"]) + "?" + WHERE
    put = house["amy"].post(reverse("worksheet-shelf", args=["sums"]) + "?" + WHERE, {"shelf": str(shelf.pk)})
    assert put.status_code == 422 and "may not edit what is on that shelf" in put.content.decode()
    worksheet = Worksheet.objects.get(name="sums")
    given = {"period": "2026-P01", "node": "A", "values": {}, "days": 5, "follows": False}
    key = links.make_link(worksheet, person=dan, **given)
    moved = house["bob"].post(reverse("worksheet-shelf", args=["sums"]) + "?" + WHERE, {"shelf": str(shelf.pk)})
    assert moved.status_code == 302
    assert house["amy"].get(address).status_code == 200 and "may run" in typed(house["amy"], S1="1", expect=422)
    assert 'data-look="number"' not in house["amy"].get(address + "&panel=cell").content.decode()
    for path in (address, reverse("worksheet-cells", args=["sums"]) + "?" + WHERE,
                 reverse("worksheet-file", args=["sums", "csv"]) + "?" + WHERE,
                 reverse("worksheet-panel", args=["sums"]) + "?" + WHERE):  # fmt: skip
        assert house["dan"].get(path).status_code == 404, path
    assert "Sums" not in house["dan"].get(reverse("worksheets") + "?" + WHERE).content.decode()
    assert house["dan"].get(reverse("live-figure", args=[key, "1", "F2"])).status_code == 403
    assert "Board" in house["bob"].get(reverse("worksheets") + "?" + WHERE).content.decode()
    ShelfRight.objects.create(shelf=shelf, person=dan, level=1)
    assert house["dan"].get(address).status_code == 422
    assert "Sums" in house["dan"].get(reverse("worksheets") + "?" + WHERE).content.decode()


def test_states_are_kept_and_brought_back(house):  # noqa: F811
    amy = house["amy"]
    typed(amy, S1="1", S2="=S1*2")
    post(amy, do="look", box=[0, 18, 0, 18], look={"bold": True})
    keep = reverse("worksheet-state", args=["sums"]) + "?" + WHERE
    assert amy.post(keep, {"name": "October, as sent"}).status_code == 302
    typed(amy, S1="9", S3="more")
    post(amy, do="sheet", how="add")
    post(amy, do="comment", box=[0, 18, 0, 18], text="why?")
    panel = amy.get(reverse("worksheet-panel", args=["sums"]) + f"?{WHERE}&panel=sheet").content.decode()
    assert "October, as sent" in panel and "wrote a comment at S1" in panel
    post(amy, do="restore", number=1)
    assert [shown(amy, at) for at in ("S1", "S2", "S3")] == ["1", "2", ""]
    assert Worksheet.objects.get(name="sums").sheets.count() == 1
    post(amy, do="undo")
    assert [shown(amy, at) for at in ("S1", "S2", "S3")] == ["9", "18", "more"]
    assert "no state 7" in post(amy, do="restore", number=7, expect=404)
    assert house["dan"].post(keep, {"name": "mine"}).status_code == 422
    assert amy.post(keep, {"name": " "}).status_code == 422


def test_values_formulas_looks_alone_and_looks_of_columns(house):  # noqa: F811
    amy = house["amy"]
    typed(amy, S1="2", S2="=S1*3")
    post(amy, do="look", box=[1, 18, 1, 18], look={"bold": True, "number": "0.00"})
    for what, column in (("values", 20), ("inputs", 21), ("looks", 22)):
        post(amy, do="copy", what=what, **{"from": 1}, source=[1, 18, 1, 18], target=[1, column, 1, column])
    typed(amy, V1="5")
    assert [shown(amy, at) for at in ("S2", "U2", "V2", "W2")] == ["6.00", "6", "15", ""]
    odd = {"from": 1, "what": "odd", "source": [0, 0, 0, 0], "target": [0, 0, 0, 0]}
    assert "be pasted" in post(amy, do="copy", expect=404, **odd)
    post(amy, do="column look", first=21, last=21, look={"number": "0.0", "bold": True})
    assert [shown(amy, at) for at in ("V1", "V2", "S2")] == ["5.0", "15.0", "6.00"]
    post(amy, do="undo")
    assert shown(amy, "V1") == "5"


def test_rows_hide_by_themselves_on_the_page_and_in_files(house):  # noqa: F811
    amy = house["amy"]
    typed(amy, S1="0", T1="secret row", S2="1", S3="=S2=1", T3="told row", S20="0.001")
    post(amy, do="hiding", kind="empty", axis="rows", box=[0, 18, 1, 18])
    post(amy, do="hiding", kind="condition", axis="rows", box=[2, 18, 2, 18])
    layout = amy.get(reverse("worksheet-cells", args=["sums"]) + f"?{WHERE}&state=1").json()["layout"]
    assert layout["hiddenRows"] == [0, 2]
    every = amy.get(reverse("worksheet-cells", args=["sums"]) + f"?{WHERE}&state=1&every=yes").json()["layout"]
    assert every["hiddenRows"] == []
    readers = house["dan"].get(reverse("worksheet-cells", args=["sums"]) + f"?{WHERE}&state=1&every=yes").json()
    assert readers["layout"]["hiddenRows"] == [0, 2]
    page = amy.get(reverse("worksheet-file", args=["sums", "html"]) + "?" + WHERE).content.decode()
    assert "secret row" not in page and "told row" not in page
    book = openpyxl.load_workbook(
        io.BytesIO(amy.get(reverse("worksheet-file", args=["sums", "xlsx"]) + "?" + WHERE).content)
    )
    assert book.worksheets[0].row_dimensions[1].hidden and not book.worksheets[0].row_dimensions[2].hidden
    answer = typed(amy, S1="5", S2="2")
    assert answer["layout"]["hiddenRows"] == []


# covering, rows, pictures ---------------------------------------------------------------------------------------------


def test_the_status_line_says_what_is_covered_and_one_step_adds_the_rest(house):  # noqa: F811
    amy = house["amy"]
    post(amy, do="sheet", how="add")
    number = Worksheet.objects.get(name="sums").sheets.last().number
    cells = [[0, 0, "4000"], [0, 1, "=RULKA.NAME(A1)"], [0, 2, "=RULKA.ACTIVITY(A1)"], [1, 0, "5000"],
             [1, 1, "=RULKA.NAME(A2)"], [1, 2, "=RULKA.ACTIVITY(A2)"], [2, 2, "=SUM(C1:C2)"]]  # fmt: skip
    answer = post(amy, do="type", sheet=number, cells=cells)
    assert answer["covers"] == {"text": "2 of 4 result accounts: 4100, 5100 are missing", "whole": False}
    panel = amy.get(reverse("worksheet-panel", args=["sums"]) + f"?{WHERE}&panel=check&sheet={number}").content.decode()
    assert "4100 Other sales" in panel and "−50.00" in panel and "Put 2 rows in" in panel
    answer = post(amy, do="add missing", sheet=number, group=0)
    assert answer["covers"]["whole"] and "2 accounts put in: 4100, 5100" in answer["done"]
    rows = [[shown(amy, f"{column}{row}", number) for column in "ABC"] for row in range(1, 6)]
    assert rows[1] == ["4100", "Other sales", "−50.00"] and rows[4][2] == "−50.00", rows
    post(amy, do="check", sheet=number, selection="1000, 4*")
    answer = post(amy, do="add missing", sheet=number, group=0)
    assert "1 account put in: 1000" in answer["done"] and answer["covers"]["whole"]
    assert "something else now" in post(amy, do="add missing", sheet=number, group=9, expect=404)


LIST = "10\tTakings\t4000\t4100\t-\t\n20\tPay\t5000\t5000\t\t\n30\tOdd\tzz\tzz\t\t\n40\tResult\t\t\t\t10-20"


def test_rows_from_elsewhere_become_rows_or_a_statement(house, command):  # noqa: F811
    amy, address = house["amy"], reverse("worksheet-bring", args=["sums"]) + f"?{WHERE}&cell=S1&sheet=1"
    assert amy.get(address).status_code == 200 and house["dan"].get(address).status_code == 422
    version = Worksheet.objects.get(name="sums").version
    page = amy.post(address, {"text": LIST, "at": "S1", "sheet": "1"}).content.decode()
    assert "zz names no account" in page and page.count("selected>lowest code") == 1
    assert Worksheet.objects.get(name="sums").version == version, "a look changes nothing"
    roles = {f"role-{at}": role for at, role in enumerate(("number", "caption", "low", "high", "sign", "total"))}
    sent = {"text": LIST, "at": "S1", "sheet": "1", **roles}
    none = {**sent, "role-2": "", "role-3": "", "role-5": ""}
    assert "No column has codes" in amy.post(address, none).content.decode()
    done = amy.post(address, {**sent, "into": "rows"})
    assert done.status_code == 302
    assert [shown(amy, f"U{row}") for row in (2, 3, 4, 5)] == ["50.00", "–", "", "50.00"]
    assert "not empty" in amy.post(address, {**sent, "into": "rows"}).content.decode()
    made = amy.post(address, {**sent, "into": "statement", "title": "Brought"})
    assert made.status_code == 302 and "/statements/brought/" in made["Location"]
    lines = json.loads(command("run_statement", "brought", ledger="s", period="2026-P01", node="A"))["lines"]
    values = {line["label"]: line["values"][0] for line in lines if line.get("values")}
    assert Decimal(values["Takings"]) == 50 and Decimal(values["Result"]) == 50
    part = {"text": "10\tTakings\t4000\t4000\t-\t", "at": "S1", "into": "statement", "title": "Part", **roles}
    assert amy.post(address, part).status_code == 302
    checks = json.loads(command("run_statement", "part", ledger="s", period="2026-P01", node="A"))["footing"]
    placed = next(check for check in checks if check["code"] == "placed")
    assert placed["state"] == "fails" and "4100" in placed["detail"], "what was brought over is judged like any other"
    assert amy.post(address, {"text": "x\ty", "at": "S1", "into": "rows"}).status_code == 422


def picture(form: str = "PNG") -> io.BytesIO:
    from PIL import Image

    target = io.BytesIO()
    Image.new("RGB", (40, 20), "#1f5a4d").save(target, form)
    target.seek(0)
    target.name = f"logo.{form.lower()}"
    return target


def test_pictures_and_comments_go_along(house):  # noqa: F811
    amy = house["amy"]
    address = reverse("worksheet-pictures", args=["sums"]) + "?" + WHERE
    kept = amy.post(address, {"picture": picture()}).json()
    post(amy, do="picture", box=[0, 18, 0, 18], **kept)
    post(amy, do="comment", box=[1, 18, 1, 18], text="=cmd|' /C calc'!A0 <script>")
    post(amy, do="picture", picture=kept["picture"], width=80, height=40)
    assert "there. Add it again" in post(amy, do="picture", picture=999, box=[0, 0, 0, 0], expect=404)
    shown_by = house["dan"].get(reverse("worksheet-picture", args=["sums", kept["picture"]]) + "?" + WHERE)
    assert shown_by["Content-Type"] == "image/png" and shown_by.content[:4] == b"\x89PNG"
    wrong = io.BytesIO(b"<svg onload=alert(1)>")
    wrong.name = "x.png"
    assert amy.post(address, {"picture": wrong}).status_code == 422
    assert house["dan"].post(address, {"picture": picture()}).status_code == 422
    book = openpyxl.load_workbook(
        io.BytesIO(amy.get(reverse("worksheet-file", args=["sums", "xlsx"]) + "?" + WHERE).content)
    )
    assert len(book.worksheets[0]._images) == 1 and "script" in book.worksheets[0]["S2"].comment.text
    page = amy.get(reverse("worksheet-file", args=["sums", "html"]) + "?" + WHERE).content.decode()
    assert 'width="80"' in page and "<script>" not in page and "&lt;script&gt;" in page
    pdf = amy.get(reverse("worksheet-file", args=["sums", "pdf"]) + "?" + WHERE)
    assert pdf.content[:5] == b"%PDF-"


# how it leaves --------------------------------------------------------------------------------------------------------


def test_a_workbook_with_live_formulas_reads_back_equal(house):  # noqa: F811
    amy = house["amy"]
    typed(amy, S1="3", S2="=S1*2", S3='=RULKA.ACTIVITY("4*","2026-P01")', S4="=S3*2", S5="=SUM(F2#)", S6="'=1+1",
          S7='=TEXT(S1,"0.00")', S8="=IF(S2>5,S3,0)", T1="=SEQUENCE(3)", T5="=SUM(T1#)")  # fmt: skip
    before = json.loads(amy.get(reverse("worksheet-file", args=["sums", "json"]) + "?" + WHERE).content)
    data = amy.get(reverse("worksheet-file", args=["sums", "xlsx"]) + f"?{WHERE}&mode=formulas").content
    formulas = openpyxl.load_workbook(io.BytesIO(data))
    cached = openpyxl.load_workbook(io.BytesIO(data), data_only=True)
    compared = 0
    for cell in before["sheets"][0]["cells"]:
        own, text = cached.worksheets[0][cell["at"]].value, cell["value"]
        if text is None or text == "" or own is None:
            assert own in (None, "") and text in (None, ""), cell
        elif isinstance(own, (int, float)) and not isinstance(own, bool):
            assert abs(Fraction(str(own)) - Fraction(text)) < Fraction(1, 10**9), cell
        elif hasattr(own, "isoformat"):
            assert cell["text"]
        else:
            assert str(own).upper() == str(text).upper(), cell
        compared += 1
    assert compared > 60
    page = formulas.worksheets[0]
    assert page["S2"].value == "=S1*2" and page["S4"].value == "=S3*2" and page["S8"].value == "=IF(S2>5,S3,0)"
    assert page["S3"].value == -50 and "RULKA.ACTIVITY" in page["S3"].comment.text
    assert re.fullmatch(r"=SUM\(\$F\$2:\$F\$\d+\)", page["S5"].value), page["S5"].value
    assert page["S6"].value == "=1+1" and page["S6"].data_type == "s", "a text stays one"
    assert (
        page["T1"].value.ref == "T1:T3"
        and "SEQUENCE" in page["T1"].value.text
        and page["T5"].value == "=SUM($T$1:$T$3)"
    )
    for form, status in (("odd", 404), ("xlsx", 200)):
        assert amy.get(reverse("worksheet-file", args=["sums", form]) + "?" + WHERE).status_code == status
    assert amy.get(reverse("worksheet-file", args=["sums", "xlsx"]) + f"?{WHERE}&mode=links").status_code == 404


def test_cells_from_data_that_read_like_formulas_stay_texts(small, command, house):  # noqa: F811
    amy = house["amy"]
    lines = SMALL["entries.csv"].replace("Sale,D3", '"=1+1",@D3')
    command("load_ledger", small(entries__csv=lines), ledger="s")
    typed(amy, S1='=RULKA.LINES("4100","2026-P01","description, document")')
    for mode in ("values", "formulas"):
        data = amy.get(reverse("worksheet-file", args=["sums", "xlsx"]) + f"?{WHERE}&mode={mode}").content
        own = openpyxl.load_workbook(io.BytesIO(data)).worksheets[0]["S2"]
        assert (own.value, own.data_type) == ("=1+1", "s")
    csv_text = amy.get(reverse("worksheet-file", args=["sums", "csv"]) + "?" + WHERE).content.decode()
    assert ",=1+1" not in csv_text and ",@D3" not in csv_text


def linked(client: Client, **sent: str) -> tuple[str, openpyxl.Workbook]:
    """The key of a new workbook with live links, and the workbook."""
    data = client.post(reverse("worksheet-linked", args=["sums"]) + "?" + WHERE, {"days": "30", **sent}).content
    book = openpyxl.load_workbook(io.BytesIO(data))
    address = book["Live"]["B1"].value
    return address.rstrip("/").rpartition("/")[2], book


def _rights_that_end(house, amy, key, asked, part):  # noqa: F811
    """Links end with their owner's rights, with their time, and by hand."""
    Access.objects.filter(person__username="lea").delete()
    assert asked(part)[0] == 403
    Person.objects.filter(username="amy").update(is_active=False)
    assert asked(key)[0] == 403
    Person.objects.filter(username="amy").update(is_active=True)
    LiveLink.objects.filter(digest=links.digest_of(key)).update(expires=timezone.now() - timedelta(seconds=1))
    assert asked(key)[0] == 403
    other, _ = linked(amy)
    number = LiveLink.objects.get(digest=links.digest_of(other)).pk
    revoke = reverse("worksheet-revoke", args=["sums"]) + "?" + WHERE
    assert house["bob"].post(revoke, {"link": number}).status_code == 404
    assert amy.post(revoke, {"link": number}).status_code == 302
    assert asked(other)[0] == 403 and asked("nothing")[0] == 403
    for days in ("0", "401", "x"):
        sent = amy.post(reverse("worksheet-linked", args=["sums"]) + "?" + WHERE, {"days": days})
        assert sent.status_code == 422


def _asked_wrongly(out, key, asked):
    """What is asked wrongly is refused."""
    assert asked(key, "ZZZ99999")[0] == 404 and out.get(reverse("live-root", args=[key])).status_code == 404
    assert out.get(reverse("live-figure", args=[key, "7", "A1"])).status_code == 404
    assert out.post(reverse("live-figure", args=[key, "1", "S1"])).status_code == 405


def test_live_links_answer_behind_their_owners_fence_until_they_end(house, small, command, monkeypatch):  # noqa: F811
    monkeypatch.setattr(answering, "FRESH", 0.0)
    amy, lea, out = house["amy"], house["lea"], Client()
    typed(amy, S1='=RULKA.ACTIVITY("4*","2026-P01")', S2="a text", S3="=1/0", S4="=TRUE")
    key, book = linked(amy)
    assert book.worksheets[0]["S1"].value == """=_xlfn.NUMBERVALUE(_xlfn.WEBSERVICE('Live'!$B$1&"1/S1"),".",",")"""
    assert key not in str(LiveLink.objects.values_list("digest", flat=True))

    def asked(key: str, at: str = "S1") -> tuple[int, str]:
        answer = out.get(reverse("live-figure", args=[key, "1", at]))
        return answer.status_code, answer.content.decode()

    assert asked(key) == (200, "-50.00") and asked(key, "S2") == (200, "a text") and asked(key, "S4") == (200, "TRUE")
    assert asked(key, "S3")[1].startswith("#DIV/0!") and asked(key, "S99") == (200, "")
    part, _ = linked(lea)
    whole = asked(key, "F6")
    Access.objects.filter(person__username="lea").update(members={"department": "20"})
    typed(amy, S5='=RULKA.ACTIVITY("*","2025")')
    assert asked(part, "S1") == (200, "0.00"), "as the owner's fence is now"
    assert whole == asked(key, "F6")
    # the figures move with the ledger
    lines = SMALL["entries.csv"] + "A,E9,1,2026-01-20,1000,,9.00,,B,,,,\nA,E9,2,2026-01-20,4100,11,,9.00,B,,,,\n"
    command("load_ledger", small(entries__csv=lines), ledger="s")
    assert asked(key) == (200, "-59.00")
    # rows that move in the worksheet move nothing in the workbook
    post(amy, do="remap", kind="insert", axis="rows", at=0, count=2)
    assert asked(key) == (200, "-59.00") and asked(key, "S2") == (200, "a text")
    post(amy, do="remap", kind="delete", axis="rows", at=3, count=1)
    assert asked(key, "S2")[1].startswith("#REF!") and asked(key) == (200, "-59.00")
    post(amy, do="undo")
    post(amy, do="undo")
    assert asked(key, "S2") == (200, "a text") and asked(key) == (200, "-59.00"), "what was undone moved nothing"
    _asked_wrongly(out, key, asked)
    _rights_that_end(house, amy, key, asked, part)


def test_what_was_found_of_a_key_stands_for_a_moment_only(house, monkeypatch):  # noqa: F811
    typed(house["amy"], S1="1")
    key, _ = linked(house["amy"])
    address, out = reverse("live-figure", args=[key, "1", "S1"]), Client()
    assert out.get(address).content == b"1"
    with CaptureQueriesContext(connection) as queries:
        assert out.get(address).content == b"1"
    assert len(queries) == 0, "from memory"
    LiveLink.objects.update(revoked=timezone.now())
    monkeypatch.setattr(answering.time, "monotonic", lambda: 10**9)
    assert out.get(address).status_code == 403


def test_live_links_have_a_pace_and_stay_out_of_logs(house, monkeypatch, settings, capsys):  # noqa: F811
    key, _ = linked(house["amy"])
    monkeypatch.setattr(links, "_PACE", links.Pace(3))
    monkeypatch.setattr(links, "_WRONG", links.Pace(2))
    out = Client()
    address = reverse("live-figure", args=[key, "1", "F2"])
    assert [out.get(address).status_code for _ in range(5)] == [200, 200, 200, 429, 429]
    wrong = reverse("live-figure", args=["wrong", "1", "F2"])
    assert [out.get(wrong).status_code for _ in range(4)] == [403, 403, 429, 429]
    from rulka.web.logs import WithoutKeys

    told: list[str] = []

    class Keep(logging.Handler):
        def emit(self, record: logging.LogRecord) -> None:
            told.append(self.format(record))

    handler = Keep()
    handler.addFilter(WithoutKeys())
    for name in settings.LOGGING["loggers"]:
        assert settings.LOGGING["handlers"]["console"]["filters"] == ["without-keys"]
        logging.getLogger(name).addHandler(handler)
    try:
        out.get(address)
        logging.getLogger("rulka.web").error("Incident %s at %s", "x", address)
    finally:
        for name in settings.LOGGING["loggers"]:
            logging.getLogger(name).removeHandler(handler)
    assert any("/live/…" in one for one in told) and not any(key in one for one in told)


# as text --------------------------------------------------------------------------------------------------------------


def test_all_of_it_reads_back_as_it_was_written(house, bounded, command, tmp_path):  # noqa: F811
    amy = house["amy"]
    typed(amy, S1="0", S2="1")
    post(amy, do="block", how="place", kind="table", name="bounded", choices={"department": "11"}, box=[200, 0, 200, 0])
    post(amy, do="block", how="place", kind="table", name="bounded", box=[220, 0, 220, 0])
    blocks = Worksheet.objects.get(name="sums").sheets.first().settings["blocks"]
    post(amy, do="block", how="freeze", id=blocks[1]["id"])
    post(amy, do="hiding", kind="empty", axis="rows", box=[0, 18, 1, 18])
    post(amy, do="comment", box=[1, 18, 1, 18], text="why?\nbecause: x")
    post(amy, do="column look", first=18, last=19, look={"number": "0.0", "bold": True})
    post(amy, do="setting", name="height", first=3, last=4, height=48)
    post(amy, do="setting", name="gridlines", on=False)
    post(amy, do="setting", name="print", paper="A3", way="portrait", head="Head", foot="", cells="A1:H40", fit=True)
    post(amy, do="check", selection="4*")
    text = command("dump_worksheet", "sums", ledger="s")
    (tmp_path / "again.yaml").write_text(text)
    before = Worksheet.objects.get(name="sums").sheets.first().settings
    command("load_worksheet", tmp_path / "again.yaml", ledger="s")
    assert command("dump_worksheet", "sums", ledger="s") == text
    assert Worksheet.objects.get(name="sums").sheets.first().settings == before
    assert "No row differs" in post(amy, do="block", how="thaw", id="b2")["done"]
    wrong = (("blocks: x", "can't be read"), ("hiding: [{kind: odd}]", "What hides"), ("comments: [x]", "names with"),
             ("print: {colour: red}", "nothing of print"), ("heights: {x: 3}", "no whole number"))  # fmt: skip
    for line, told in wrong:
        (tmp_path / "wrong.yaml").write_text(f"worksheet: wrong\nsheets:\n- sheet: S\n  {line}\n")
        with pytest.raises(CommandError, match=told):
            command("load_worksheet", tmp_path / "wrong.yaml", ledger="s")


def test_bounded_tables_as_text(house, bounded, command, tmp_path):  # noqa: F811
    text = command("dump_bounded", "bounded", ledger="s")
    path = tmp_path / "table.yaml"
    path.write_text(text)
    assert "table bounded: version 1" in command("load_bounded", path, ledger="s")
    path.write_text(text.replace("4*, 5*", "4*"))
    assert "version 2" in command("load_bounded", path, ledger="s", person="bob")
    time = "table: x\nrows: [{of: account}]\ncolumns: [{of: time, take: soon}]"
    for wrong, told in (("table: x\nrows: 4", "can't be read"), ("rows: []", "no rows"), ("[", "no YAML"),
                        ("", "says nothing"), (time, "not a period")):  # fmt: skip
        path.write_text(wrong)
        with pytest.raises(CommandError, match=told):
            command("load_bounded", path, ledger="s")
    (tmp_path / "more.yaml").write_text(text.replace("table: bounded", "table: more"))
    with pytest.raises(CommandError, match="not a period"):  # all or none
        command("load_bounded", tmp_path / "more.yaml", path, ledger="s")
    assert not BoundedTable.objects.filter(name="more").exists()
    path.write_text(text)
    with pytest.raises(CommandError, match="may place a bounded table"):
        command("load_bounded", path, ledger="s", person="amy")


def test_the_source_is_asked_first_by_those_who_may(house, settings):  # noqa: F811
    from rulka.ledger.feeds.settings import save_feed
    from rulka.work.models import Load

    settings.TASKS = {"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}
    feed = save_feed(Ledger.objects.get(code="s"), {"name": "Files", "kind": "table", "location": "x.csv"})
    page = reverse("worksheet", args=["sums"]) + "?" + WHERE
    assert "Fetch its news first" in flat(house["amy"].get(page).content.decode())
    assert "Fetch its news first" not in flat(house["dan"].get(page).content.decode())
    address = reverse("worksheet-fetch", args=["sums"]) + "?" + WHERE
    answer = house["amy"].post(address, {"feed": feed.pk, "how": "all"})
    load = Load.objects.get(pk=answer.json()["load"])
    assert load.full and load.feed == feed.pk and load.person_name == "Amy"
    follow = reverse("worksheet-fetching", args=["sums"]) + f"?{WHERE}&load={load.pk}"
    assert house["amy"].get(follow).json()["over"] is False
    assert house["dan"].post(address, {"feed": feed.pk}).status_code == 422
    assert house["lea"].get(follow).status_code == 404
    assert house["amy"].post(address, {"feed": "99"}).status_code == 404


# traces ---------------------------------------------------------------------------------------------------------------


def test_a_cells_trace_on_the_whole_page_as_files_and_as_a_worksheet(house):  # noqa: F811
    amy, dan = house["amy"], house["dan"]
    typed(amy, S1='=RULKA.ACTIVITY("4*","2026-P01")')
    asked = f"?{WHERE}&sheet=1&cell=S1&panel=trace&ask=0"
    page = amy.get(reverse("worksheet-trace", args=["sums"]) + asked + "&by=account")
    assert page.context["agrees"] is True and page.context["level"] == "split"
    parts = {part.label: part.amount for part in page.context["parts"]}
    assert parts and all("4" in label for label in parts)
    text = amy.get(reverse("worksheet-take", args=["sums", "csv"]) + asked + "&by=account").content.decode()
    rows = [line.split(",") for line in text.splitlines()[1:-1]]
    assert len(rows) == len(parts)
    lines = amy.get(reverse("worksheet-take", args=["sums", "csv"]) + asked + "&by=line&cols=document,amount")
    assert sum(Decimal(line.split(",")[1]) for line in lines.content.decode().splitlines()[1:-1]) == sum(
        Decimal(row[-1]) for row in rows
    )
    book = amy.get(reverse("worksheet-take", args=["sums", "xlsx"]) + asked + "&by=line")
    assert openpyxl.load_workbook(io.BytesIO(book.content)).active.max_row > 2
    made = amy.post(reverse("worksheet-from-trace", args=["worksheet", "sums"]) + asked + "&by=line")
    assert made.status_code == 302
    name = made["Location"].split("/worksheets/")[1].split("/")[0]
    sheet = Worksheet.objects.get(name=name)
    assert sheet.title == "4*, actual, activity"
    for wrong in ("&ask=9&by=line", "&by=colour", "&in=account%3D9999"):
        assert amy.get(reverse("worksheet-take", args=["sums", "csv"]) + asked + wrong).status_code in (404, 422)
    assert amy.get(reverse("worksheet-take", args=["sums", "doc"]) + asked).status_code == 404
    refused = dan.post(reverse("worksheet-from-trace", args=["worksheet", "sums"]) + asked + "&by=line")
    assert (
        refused.status_code == 422
        and amy.post(reverse("worksheet-from-trace", args=["ledger", "sums"]) + asked).status_code == 404
    )


def test_rows_of_a_trace_become_a_worksheet_whose_sum_is_the_figure(ternwick, people, client):
    client.force_login(people["accountant"])
    where = "?ledger=ternwick&period=2027-P07&node=TF&row=fuel&column=ytd-difference&panel=trace"
    for by in ("account", "line", "sides"):
        made = client.post(
            reverse("worksheet-from-trace", args=["statement", "income-statement"]) + where + f"&by={by}"
        )
        assert made.status_code == 302, by
        name = made["Location"].split("/worksheets/")[1].split("/")[0]
        view = view_of(ternwick, NO_FENCE)
        reader = WorksheetReader(ternwick, view, view.frame.calendar.period("2027-P07"), "TF", people["accountant"])
        worksheet = Worksheet.objects.get(name=name)
        with opened(worksheet, reader) as live:
            sums = [
                live.calculation.shown_at((1, row, column))
                for (row, column), cell in live.workbook.sheets[0].cells.items()
                if cell.input.startswith("=SUM(")
            ]
        figure = Decimal("-216730.29")
        assert figure in sums, (by, sums)
    client.force_login(people["director"])
    assert (
        client.post(
            reverse("worksheet-from-trace", args=["statement", "income-statement"]) + where + "&by=line"
        ).status_code
        == 422
    )


# drawings -------------------------------------------------------------------------------------------------------------


def _what_cant_be_drawn(amy, address):
    """An error in a cell, cells without figures, what isn't there."""
    typed(amy, T4="=1/0")
    assert "A cell says #DIV/0!" in amy.get(address).content.decode()
    typed(amy, **{f"T{row}": "1" for row in range(60, 160)})
    for asked, told in (
        ({"of": [40, 18, 42, 20]}, "no figures in these cells"),
        ({}, "Nothing is chosen to draw"),
        ({"drawn": "pie|x|y"}, "Nothing of the kind"),
        ({"picture": "d9"}, "there any more"),
        ({"of": [58, 19, 165, 19]}, "A drawing holds 60 rows"),
        ({"of": [0, 0, 9_000, 20]}, "A drawing is of 10,000 cells at most"),
    ):
        expect = 404 if told.startswith(("Nothing of", "there")) else 422
        assert told in post(amy, do="drawing", box=[9, 18, 9, 18], expect=expect, **asked)


def test_cells_are_drawn_where_they_are_go_along_and_leave_with_the_sheet(house):  # noqa: F811
    amy = house["amy"]
    typed(amy, S1="Month", T1="Plan", U1="Fact", S2="Jan", T2="10", U2="-4", S3="Feb", T3="20.5", U3="7")
    post(amy, do="drawing", of=[0, 18, 2, 20], box=[5, 18, 5, 18])
    address = reverse("worksheet-drawing", args=["sums", "d1"]) + "?" + WHERE + "&sheet=1"
    svg = amy.get(address)
    assert svg["Content-Type"] == "image/svg+xml" and svg.content[:4] == b"<svg"
    said = re.findall(r"<title>([^<]+)</title>", svg.content.decode())
    assert said[:2] == ["Jan, actual: 10.0", "Feb, actual: 20.5"] and "one scale for all 2" in svg.content.decode()
    typed(amy, T2="15")
    assert "Jan, actual: 15.0" in amy.get(address).content.decode()
    post(amy, do="remap", kind="insert", axis="rows", at=1, count=2)  # its cells are others now, it lies elsewhere
    kept = Worksheet.objects.get(name="sums").sheets.get(number=1).settings["pictures"]
    assert (kept[0]["of"], kept[0]["box"]) == ([0, 18, 4, 20], [7, 18, 7, 18])
    assert "Jan, actual: 15.0" in amy.get(address).content.decode()
    post(amy, do="drawing", how="size", picture="d1", width=300, height=200)
    book = openpyxl.load_workbook(
        io.BytesIO(amy.get(reverse("worksheet-file", args=["sums", "xlsx"]) + "?" + WHERE).content)
    )
    assert len(book.worksheets[0]._charts) == 1
    html = amy.get(reverse("worksheet-file", args=["sums", "html"]) + "?" + WHERE).content.decode()
    assert "data:image/svg+xml;base64," in html
    assert amy.get(reverse("worksheet-file", args=["sums", "pdf"]) + "?" + WHERE).content[:5] == b"%PDF-"
    panel = amy.get(
        reverse("worksheet-panel", args=["sums"]) + f"?{WHERE}&sheet=1&cell=S8&panel=sheet"
    ).content.decode()
    assert "A drawing of S1:U5" in panel
    _what_cant_be_drawn(amy, address)
    post(amy, do="drawing", how="remove", picture="d1")
    assert "isn" in amy.get(address).content.decode() and amy.get(address).status_code == 404


def test_tiles_of_overviews_lie_on_a_sheet_as_each_reader_sees_them(house, command, tmp_path):  # noqa: F811
    definitions, overview = tmp_path / "d.yaml", tmp_path / "o.yaml"
    definitions.write_text(DEFINITIONS)
    command("load_statement", definitions, ledger="s")
    overview.write_text("overview: glance\nof: result\ntitle: Glance\npages: [{tiles: [{tile: ranked, line: Result, "
                        "by: department}, {tile: strip, lines: [Wages]}]}]\n")  # fmt: skip
    command("load_overview", overview, ledger="s")
    amy = house["amy"]
    panel = amy.get(
        reverse("worksheet-panel", args=["sums"]) + f"?{WHERE}&sheet=1&cell=S8&panel=sheet"
    ).content.decode()
    assert 'value="overview|glance|ranked"' in panel and "overview|glance|strip" not in panel
    post(amy, do="drawing", drawn="overview|glance|ranked", box=[3, 18, 3, 18])
    address = reverse("worksheet-drawing", args=["sums", "d1"]) + "?" + WHERE + "&sheet=1"
    whole, part = (house[name].get(address).content.decode() for name in ("amy", "lea"))
    assert "<rect" in whole and "<rect" in part and whole != part
    book = openpyxl.load_workbook(
        io.BytesIO(amy.get(reverse("worksheet-file", args=["sums", "xlsx"]) + "?" + WHERE).content)
    )
    assert len(book.worksheets[0]._images) == 1
    shelf = Shelf.objects.create(ledger=Ledger.objects.get(code="s"), name="Closed")
    ShelfRight.objects.create(shelf=shelf, person=Person.objects.get(username="amy"), level=3)
    Definition.objects.filter(kind="statement", name="result").update(shelf=shelf)
    told = house["dan"].get(address).content.decode()
    assert "<rect" not in told and "does not exist" in told
