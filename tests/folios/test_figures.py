"""Figures of a folio: live with its period, frozen once done, each behind their own fence; every kind of place against
what its own page says; typed numbers pointed out."""

from __future__ import annotations

import io
import json

import pytest
from docx import Document

from rulka.core.errors import RulkaError
from rulka.core.folios.filled import Filled
from rulka.core.folios.writing import Document as Written
from rulka.core.folios.writing import LiveTable, figure_named
from rulka.folios.editing.acting import leave_typed
from rulka.folios.editing.outlining import change
from rulka.folios.models import Section
from rulka.folios.output.background import reading_for
from rulka.formats.writing.docx_master import usual_master
from rulka.formats.writing.docx_write import write_docx
from rulka.people.library.rights import fence_of
from rulka.statements.models import Definition, Shelf, ShelfRight
from tests.folios.world import do, finish, pack, person, read, row, write

pytestmark = pytest.mark.django_db

PLACES = """
{{statement:income-statement|fuel|ytd-actual}} and {{statement:income-statement|fuel|ytd-actual; millions; 2; unsigned}}
and {{overview:group|Income|date-actual}} and {{worksheet:income-of-departments|Income!C5}} and
{{extract:intercompany-pairs|rows}}

{{statement:income-statement|fuel,insurance|ytd-actual,ytd-budget}}

{{overview:group|bridge}}

{{worksheet:income-of-departments|Income!A4:D8}}

{{extract:loan-interest}}
"""


def to_period(period: str) -> None:
    accountant = person("accountant")
    change(pack(), "about", {"period": period}, fence=fence_of(accountant, "ternwick"), person=accountant)


def shown(key: str, who: str) -> dict[str, object]:
    found = read(key, who).filled
    return {**{name: one.text for name, one in found.figures.items()}, **dict(found.tables)}


def test_each_kind_of_place_reads_what_its_own_page_says(ternwick, command):
    do("hold", "month", "accountant")
    write("month", "accountant", PLACES)
    do("release", "month", "accountant")
    filled = read("month", "controller").filled
    texts = {key: (one.text, one.value) for key, one in filled.figures.items()}
    run = json.loads(command("run_statement", "income-statement", ledger="ternwick", period="2027-P07", node="TF",
                             format="json"))  # fmt: skip
    place = [one["key"] for one in run["columns"]].index("ytd-actual")
    fuel = next(one for one in run["lines"] if one["key"] == "fuel")["values"][place]
    assert texts["statement:income-statement|fuel|ytd-actual###"] == ("−2\u00a0636.7", fuel)
    assert texts["statement:income-statement|fuel|ytd-actual#millions#2#unsigned"] == ("2.64", fuel)
    overview = json.loads(command("run_overview", "group", ledger="ternwick", period="2027-P07", node="TF"))
    strip = next(one for one in overview["pages"][0]["tiles"] if one["tile"] == "strip")
    income = next(one for one in strip["rows"] if one["line"].endswith(": Income"))["date-actual"]
    assert texts["overview:group|Income|date-actual###"][1] == income
    asked = {"ledger": "ternwick", "period": "2027-P07", "node": "TF", "format": "json"}
    sheet = json.loads(command("run_worksheet", "income-of-departments", **asked))
    assert texts["worksheet:income-of-departments|Income!C5###"][1] in json.dumps(sheet)
    rows = json.loads(command("run_extract", "intercompany-pairs", ledger="ternwick", period="2027-P07", format="json"))
    count = len(rows["rows"]) if isinstance(rows, dict) else len(rows)
    assert texts["extract:intercompany-pairs|rows###"] == (str(count), str(count))
    table = filled.tables["statement:income-statement|fuel,insurance|ytd-actual,ytd-budget"][0]
    assert (table.rows[0].label, table.rows[0].cells[0].value) == ("Fuel", fuel)
    bridge = filled.tables["overview:group|bridge"]
    assert bridge and bridge[0].svg.startswith("<svg")
    cells = filled.tables["worksheet:income-of-departments|Income!A4:D8"][0]
    assert cells.corner == "Account" and cells.rows[0].label == "4010" and cells.rows[0].cells[1].value
    loans = filled.tables["extract:loan-interest"][0]
    assert loans.title and loans.rows and len(loans.columns) >= 2


def test_a_bounded_table_of_a_worksheet_is_a_table_of_its_own(ternwick):
    source = "worksheet:income-of-departments|Income!income-of-departments"
    table = read("month", "accountant").reading.places().filled((), [source]).tables[source][0]
    assert table.corner == "Account" and [one.label for one in table.rows[:2]] == ["4010", "4020"]
    cell = table.rows[0].cells[1]
    assert cell.value and cell.source == "worksheet:income-of-departments|Income!C5"
    data = write_docx(Written((LiveTable(source),)), Filled({}, {source: (table,)}), usual_master())
    docx = Document(io.BytesIO(data))
    assert docx.tables[0].rows[1].cells[0].text == "4010"


@pytest.mark.parametrize(
    ("source", "why"),
    [
        ("statement:no-such|a|b", "does not exist"),
        ("statement:income-statement|no such line|actual", "no line 'no such line'"),
        ("statement:income-statement|fuel|never", "no column 'never'"),
        ("overview:group|Income|never", "no column 'never'"),
        ("overview:group|Nothing|date-actual", "no line 'Nothing'"),
        ("worksheet:month-pack|Nowhere!B4", "no sheet 'Nowhere'"),
        ("worksheet:month-pack|Six months!ZZ", "has no cells 'ZZ'"),
        ("extract:open-items|nothing", "No column 'nothing'"),
        ("poem:x", "names no figure"),
    ],
)
def test_a_place_that_can_t_be_filled_says_why_and_the_others_stand(ternwick, source, why):
    places = read("month", "accountant").reading.places()
    good = figure_named("statement:income-statement|fuel|actual###")
    filled = places.filled([figure_named(f"{source}###"), good], [source.partition("|")[0] + "|nope|nope|"])
    assert why in filled.figure(f"{source}###").problem and filled.figure(good.key).text
    assert filled.problems == 2


def test_the_period_moves_every_live_figure_and_none_of_a_done_section(ternwick):
    do("hand in", "income", "accountant")
    do("hold", "month", "accountant")
    write("month", "accountant", "{{statement:income-statement|fuel|ytd-actual}}\n\n{{statement:cash-flow}}")
    finish("month", "accountant", "controller")
    keys = ("results", "month", "traffic", "income", "fuel", "balance", "cash")
    before = {key: shown(key, "controller") for key in keys}
    to_period("2027-P06")
    after = {key: shown(key, "controller") for key in keys}
    for key in ("income", "month"):
        assert after[key] == before[key], key
    for key in ("results", "traffic", "fuel", "balance", "cash"):
        for place in before[key]:
            assert after[key][place] != before[key][place], place
    assert read("income", "controller").row.period == "2027-P07"


def test_a_done_section_stays_although_its_statement_is_changed(ternwick):
    do("hand in", "income", "accountant")
    before = {who: shown("income", who) for who in ("accountant", "controller", "ships-lead", "director")}
    spine = Definition.objects.get(ledger=ternwick, kind="spine", name="income-statement")
    spine.body = {**spine.body, "lines": spine.body["lines"][:2]}
    spine.save()
    assert {who: shown("income", who) for who in before} == before
    assert shown("results", "accountant")  # others read on


def test_nobody_gets_frozen_figures_of_other_bounds(ternwick):
    do("hand in", "income", "accountant")
    whole, part = shown("income", "accountant"), shown("income", "ships-lead")
    assert whole != part
    live = reading_for(pack(), person("ships-lead")).section("balance").live()
    assert live is not None
    lead = person("ships-lead")
    access = lead.accesses.get()
    access.members = {"department": "under:200"}
    access.save()
    now = shown("income", "ships-lead")
    assert now not in (part, whole)  # their bounds moved: what they see is read again, at the same revision
    access.members = {"department": "under:100"}
    access.save()
    assert shown("income", "ships-lead") == part


def test_who_may_no_longer_run_a_statement_sees_nothing_frozen_of_it(ternwick):
    do("hand in", "income", "accountant")
    assert read("income", "director").own_frozen is not None
    shelf = Shelf.objects.create(ledger=ternwick, name="Closed", maker=person("accountant"))
    ShelfRight.objects.create(shelf=shelf, person=person("controller"), level=2)
    Definition.objects.filter(ledger=ternwick, kind="statement", name="income-statement").update(shelf=shelf)
    found = read("income", "director")
    assert found.own_frozen is None and found.filled.problems == 1
    assert read("income", "controller").own_frozen is not None


def test_another_revision_is_another_figure(ternwick):
    accountant = person("accountant")
    now = shown("balance", "accountant")
    change(pack(), "about", {"revision": "1"}, fence=fence_of(accountant, "ternwick"), person=accountant)
    then = shown("balance", "accountant")
    assert read("balance", "accountant").reading.places().view.revision == 1 and then.keys() == now.keys()
    with pytest.raises(RulkaError, match="Revision 99"):
        change(pack(), "about", {"revision": "99"}, fence=fence_of(accountant, "ternwick"), person=accountant)


def test_typed_numbers_are_pointed_out_when_they_equal_or_contradict(ternwick):
    do("hold", "traffic", "ships-lead")
    total = read("fuel", "ships-lead").filled
    fuel = next(one for row_ in total.tables.values() for piece in row_ for one in piece.rows if one.label == "Fuel")
    now = fuel.cells[-3].text
    write(
        "traffic", "ships-lead", f"Fuel came to {now} EUR.\n\nFuel for each sailing cost 612.50 EUR.\n\nOn 3 May 2026."
    )
    found = read("traffic", "ships-lead", drafts=True).typed
    assert [(one.judgement, one.typed.text, one.fact.name) for one in found] == [
        ("equal", now, "Fuel"), ("contradicts", "612.50", "Fuel for each sailing"),
    ]  # fmt: skip
    leave_typed(pack(), "traffic", found[1].key, person("ships-lead"))
    assert len(read("traffic", "ships-lead", drafts=True).typed) == 1


def test_numbers_of_the_month_before_are_stale(ternwick):
    do("hold", "month", "accountant")
    to_period("2027-P06")
    then = read("cash", "accountant").filled
    cash = next(iter(then.figures.values())).text
    to_period("2027-P07")
    write("month", "accountant", f"Cash at the end of the period was {cash} thousand.")
    assert [(one.judgement, one.typed.text) for one in read("month", "accountant", drafts=True).typed] == [
        ("stale", f"{cash} thousand")
    ]


def test_a_reader_of_figures_only_gets_no_way_further(ternwick):
    access = person("director").accesses.get()
    access.depth = "figures"
    access.save()
    assert {one.address for one in read("traffic", "director").filled.figures.values()} == {""}
    assert all("/statements/" in one.address for one in read("traffic", "accountant").filled.figures.values())


def test_sections_are_stored_once_they_are_touched(ternwick):
    assert not Section.objects.filter(folio=pack(), key="board").exclude(state="to write").exists()
    assert row("traffic").version == 0
