"""The statement pages: page, fragment, bad input; editing, undo and the round trip through files."""

from __future__ import annotations

import io
import json
from fractions import Fraction
from urllib.parse import parse_qsl

import pytest
from django.urls import reverse
from pypdf import PdfReader

from rulka.people.models import Person
from rulka.statements.models import Change, Definition
from tests.lengths import few_of

NAME = "income-statement"
WHERE = {"period": "2027-P07", "node": "TF"}


@pytest.fixture
def accountant(client, ternwick):
    client.force_login(Person.objects.get(username="accountant"))
    return client


def url(name, *arguments, **query):
    from urllib.parse import urlencode

    return f"{reverse(name, args=[NAME, *arguments])}?{urlencode({**WHERE, **query})}"


def post(client, address, **data):
    return client.post(address, data, headers={"HX-Request": "true"})


def test_list_names_the_shipped_statements(accountant):
    text = accountant.get(reverse("statements")).content.decode()
    assert all(title in text for title in ("Income statement", "Balance sheet", "Trial balance"))


def test_page_holds_the_same_fragment_as_the_work_address(accountant):
    page = accountant.get(url("statement")).content.decode()
    fragment = accountant.get(url("statement-work")).content.decode()
    table = page[page.index('<table class="figures') : page.index("</table>")]
    assert table in fragment
    assert "Marine diesel" not in fragment
    assert 'id="bar" hx-swap-oob' in fragment and 'id="foot" hx-swap-oob' in fragment


def test_policy_lets_no_inline_script_run(accountant):
    response = accountant.get(url("statement"))
    policy = response["Content-Security-Policy"]
    assert "script-src 'self'" in policy and "unsafe-eval" not in policy
    assert "'unsafe-inline'" not in policy.split("style-src-attr")[0]
    text = response.content.decode()
    assert text.count("<script") == text.count("<script src=")
    assert "onclick" not in text and "hx-on" not in text


def test_latest_period_with_entries_is_the_first_one_shown(accountant):
    assert accountant.get(reverse("statement", args=[NAME])).context["seat"].period.code == "2027-P07"


def test_period_chosen_is_followed_by_other_pages(accountant):
    accountant.get(url("statement", period="2026-P03"))
    assert accountant.get(reverse("ledger")).context["seat"].period.code == "2026-P03"


@pytest.mark.parametrize(
    ("query", "message"),
    [
        ({"period": "2031-P01"}, "2031-P01"),
        ({"node": "XX"}, "Node &#x27;XX&#x27; does not exist"),
        ({"node": "group"}, "mixes currencies: EUR, SEK"),
        ({"ledger": "other"}, "Ledger &#x27;other&#x27; does not exist"),
    ],
)
def test_bad_address_is_told_as_a_page_and_as_a_fragment(query, message, accountant):
    for headers in ({}, {"HX-Request": "true"}):
        response = accountant.get(url("statement", **query), headers=headers)
        assert response.status_code in (404, 422)
        assert message in response.content.decode()
        assert ("<html" in response.content.decode()) == (not headers)


@pytest.mark.parametrize(
    "query",
    [
        {"row": "nowhere"},
        {"row": "fuel", "column": "nowhere"},
        {"row": "fuel", "column": "actual", "in": "account=9999"},
        {"row": "fuel", "column": "actual", "in": "account"},
        {"row": "fuel", "column": "actual", "in": "colour=red"},
        {"row": "fuel", "column": "actual", "in": "account=6110/period=1999-P01"},
        {"row": "fuel", "column": "actual", "in": "account=4110"},
        {"row": "fuel", "column": "actual", "by": "colour"},
        {"row": "fuel", "column": "percent", "by": "account"},
        {"row": "fuel", "column": "actual", "by": "sides"},
        {"row": "fuel", "column": "actual", "by": "line", "sort": "colour"},
        {"row": "fuel", "column": "actual", "by": "line", "values": "amount"},
        {"row": "fuel", "column": "actual", "by": "line", "cols": "colour"},
        {"row": "fuel", "column": "actual", "by": "line", "least": "1O0"},
        {"row": "fuel", "column": "actual", "by": "line", "first": "2026-13-01"},
        {"document": "none"},
        {"entry": "none", "entity": "TF"},
        {"row": "income", "column": "actual"},
        {"row": "fuel", "column": "actual", "in": "period=FYx result"},
    ],
)
def test_bad_trace_address_is_told_in_the_panel(query, accountant):
    response = accountant.get(url("statement-panel", panel="trace", **{"row": "fuel", "column": "actual", **query}))
    assert response.status_code == 200
    assert 'class="problem"' in response.content.decode()


def change(client, key, **values):
    """Change settings of a line one by one, for all statements that share it; returns the last answer."""
    sent = {"share-spine": "all", "share-span": "all"}
    for path, value in values.items():
        response = post(client, url("edit-statement"), do="line-change", key=key, path=path, value=value, **sent)
    return response


def change_column(client, key, **values):
    for path, value in values.items():
        sent = {"do": "column-change", "key": key, "path": path, "value": value, "share-span": "all"}
        response = post(client, url("edit-statement"), **sent)
    return response


def figure(client, row, column):
    computed = client.get(url("statement")).context["outcome"].computed
    return computed.row(row).values[computed.place(column)]


def test_changed_selection_shows_at_once_is_saved_and_undone(accountant):
    before = figure(accountant, "fuel", "actual"), figure(accountant, "running-costs.total", "actual")
    response = change(accountant, "fuel", accounts="6110 to 6199, 6815")
    assert response.status_code == 200 and "Fuel: accounts to 6110 to 6199, 6815." in response.content.decode()
    after = figure(accountant, "fuel", "actual"), figure(accountant, "running-costs.total", "actual")
    assert [b - a for a, b in zip(before, after, strict=True)] == [Fraction(-14025)] * 2
    assert all(check.ok for check in accountant.get(url("statement")).context["outcome"].checks)
    undone = post(accountant, url("undo")).content.decode()
    assert "Undone: " in undone
    assert (figure(accountant, "fuel", "actual"), figure(accountant, "running-costs.total", "actual")) == before
    assert "There is nothing to undo" in post(accountant, url("undo")).content.decode()


def test_changed_definition_survives_and_round_trips_through_files(accountant, command, ternwick, tmp_path):
    change(accountant, "income", label="Income", total="All our income")
    change_column(
        accountant,
        "prior-year",
        heading="The year before",
        scenario="actual",
        window="period",
        shift="-1 year",
        measure="activity",
    )
    text = command("dump_statement", NAME, ledger="ternwick")
    assert '"All our income" + "Total running costs"' in text  # the reference followed
    bodies = {
        d.kind: d.body for d in Definition.objects.filter(ledger=ternwick, name__in=[NAME, "actual-against-budget"])
    }
    file = tmp_path / "out.yaml"
    file.write_text(text)
    assert command("load_statement", file, ledger="ternwick").count(": same") == 3
    Definition.objects.filter(ledger=ternwick).delete()
    assert command("load_statement", file, ledger="ternwick").count(": new") == 3
    assert {d.kind: d.body for d in Definition.objects.filter(ledger=ternwick)} == bodies
    assert command("dump_statement", NAME, ledger="ternwick") == text


@pytest.mark.parametrize(
    ("key", "values", "message"),
    [
        ("fuel", {"accounts": "6110 to"}, "At character 8 of the selection: expected the code that ends the range"),
        ("fuel", {"label": ""}, "This must not be empty"),
        ("fuel", {"sign": "upside down"}, "is not one of as booked, flipped"),
        ("operating-result", {"formula": "Fule + 1"}, "No line is called &#x27;Fule&#x27;. Did you mean Fuel?"),
        (
            "operating-result",
            {"formula": '"Result for the period"'},
            "Calculations go in a circle: Operating result &gt; Result for the period &gt; Operating result",
        ),
        ("interest", {"label": "Tax"}, "2 lines are called &#x27;Tax&#x27;"),
        ("nowhere", {"label": "x"}, "Line &#x27;nowhere&#x27; does not exist"),
    ],
)
def test_refused_change_is_told_beside_the_form_and_changes_nothing(key, values, message, accountant, ternwick):
    before = {d.pk: d.body for d in Definition.objects.all()}
    response = change(accountant, key, **values)
    assert message in response.content.decode()
    assert {d.pk: d.body for d in Definition.objects.all()} == before
    assert not Change.objects.exists()


def test_refused_change_keeps_what_was_typed(accountant):
    text = change(accountant, "fuel", label="Fuel", accounts="6110 too 6120").content.decode()
    assert "6110 too 6120</textarea>" in text


@pytest.mark.parametrize("values", [{"scenario": "nowhere"}, {"window": "decade"}, {"shift": "last year"}])
def test_refused_change_of_a_column_changes_nothing(values, accountant):
    before = Definition.objects.get(kind="span", name="actual-against-budget").body
    response = change_column(accountant, "ytd-actual", **values)
    assert '<p class="problem" role="alert">' in response.content.decode()
    assert Definition.objects.get(kind="span", name="actual-against-budget").body == before


def test_plain_request_without_scripts_changes_too(accountant):
    asked = {"do": "line-change", "key": "fuel", "path": "label", "value": "Oil", "share-spine": "all"}
    response = accountant.post(url("edit-statement"), asked, follow=True)
    assert response.status_code == 200 and ">Oil</a>" in response.content.decode()
    assert accountant.post(url("edit-statement"), asked | {"path": "accounts", "value": "6110 to"}).status_code == 422


@pytest.mark.parametrize("person", ["director", "ships-lead"])
def test_reader_changes_nothing(person, client, ternwick):
    client.force_login(Person.objects.get(username=person))
    text = change(client, "fuel", accounts="6110").content.decode()
    assert "You may read this statement, not change it" in text
    assert not Change.objects.exists()
    assert 'id="undo"' not in client.get(url("statement")).content.decode()


def test_undo_is_refused_when_somebody_else_changed_the_part_since(accountant, client, ternwick):
    change(accountant, "fuel", accounts="6110")
    client.force_login(Person.objects.get(username="controller"))
    change(client, "tax", label="Income tax")
    client.force_login(Person.objects.get(username="accountant"))
    assert "Somebody else changed the spine income-statement since" in post(client, url("undo")).content.decode()


def walk(client, query, depth=0):
    """Open a trace, every direction of its first steps and what is below, each level saying that it agrees; returns how
    many were opened."""
    response = client.get(url("statement-panel", **dict(parse_qsl(query))))
    context, text = response.context, response.content.decode()
    if "lines are set next to each other" in text:
        return 1  # too many to be matched: refused in words
    assert 'class="agrees no"' not in text and 'class="problem"' not in text, query
    assert context["agrees"] is True, (query, context["level"])
    ways = [way for _, way, now in context["figure"].ways if not now] if depth in (0, 1) else []
    listed = context["level"] in ("lines", "both")
    below = [part.query for part in context["parts"][:3] if part.query] if depth < 5 and not listed else []
    return 1 + sum(walk(client, way, 5) for way in ways) + sum(walk(client, part, depth + 1) for part in below)


@pytest.mark.parametrize(
    ("row", "column"),
    few_of([
        ("fuel", "actual"),
        ("fuel", "budget"),
        ("fuel", "ytd-difference"),
        ("fuel", "ytd-percent"),
        ("income.total", "ytd-actual"),
        ("income.total", "ytd-percent"),
        ("operating-result", "difference"),
        ("result-for-the-period", "prior-year"),
        ("sailings", "actual"),
    ], each=3),
)  # fmt: skip
def test_every_level_of_a_trace_adds_up_to_the_figure_above(row, column, accountant):
    assert walk(accountant, f"panel=trace&row={row}&column={column}") >= 3


@pytest.mark.parametrize(
    ("row", "column"),
    few_of([
        ("retained-earnings", "now"),
        ("retained-earnings", "prior-year-end"),
        ("cash-and-bank", "now"),
        ("equity.total", "change"),
        ("result-for-the-year", "now"),
    ], each=3),
)  # fmt: skip
def test_traces_of_balances_add_up(row, column, accountant, monkeypatch):
    monkeypatch.setattr("tests.statements.test_statement_pages.NAME", "balance-sheet")
    assert walk(accountant, f"panel=trace&row={row}&column={column}") >= 4


@pytest.mark.parametrize(
    "column", ["closing", *(pytest.param(name, marks=pytest.mark.slow) for name in ("opening", "debits", "credits"))]
)
def test_traces_of_the_trial_balance_add_up(column, accountant, monkeypatch):
    monkeypatch.setattr("tests.statements.test_statement_pages.NAME", "trial-balance")
    for row in ("balance-sheet-accounts:3210", "balance-sheet-accounts:1810", "accounts.total"):
        assert walk(accountant, f"panel=trace&row={row}&column={column}") >= 1


def test_lines_are_sorted_filtered_and_paged_on_the_server(accountant, monkeypatch):
    monkeypatch.setattr("tests.statements.test_statement_pages.NAME", "balance-sheet")
    asked = {"panel": "trace", "row": "cash-and-bank", "column": "now", "in": "account=1810/period=2027-P07"}

    def page(**more):
        context = accountant.get(url("statement-panel", **asked, by="line", **more)).context
        assert context["agrees"], more
        return context["tables"][0].lines

    first = page()
    assert len(first.lines) == 40 and first.count > 60
    days = [line.cells["date"] for line in first.lines]
    assert days == sorted(days, reverse=True)
    every = [line for number in range(1, first.pages + 1) for line in page(page=number).lines]
    assert len({(line.entry, line.value, line.cells["text"]) for line in every}) == first.count == len(every)
    assert sum(line.value for line in every) == first.total == first.figure
    for sort, of in (("-amount", lambda line: -abs(line.value)), ("document", lambda line: line.cells["document"])):
        shown = [of(line) for number in (1, 2) for line in page(sort=sort, page=number).lines]
        assert shown == sorted(shown), sort
    some = [line for line in every if "Card payments" in line.cells["text"]]
    filtered = page(search="card payments")
    assert 0 < len(some) == filtered.count < first.count and filtered.total == sum(line.value for line in some)
    least = page(least="10,000.00", first="2026-10-05", last="2026-10-20")
    fits = [one for one in every if abs(one.value) >= 10_000 and "2026-10-05" <= one.cells["date"] <= "2026-10-20"]
    assert 0 < len(fits) == least.count and least.total == sum(line.value for line in fits)
    # the values that occur, and ticking some of them
    context = accountant.get(url("statement-panel", **asked, by="line", values="source", cols="date,source,amount"))
    ticks = {tick.value: (tick.count, tick.total) for tick in context.context["ticks"][0]}
    sources = {line.cells["source"] for line in page(cols="date,source,amount").lines}
    assert sources <= set(ticks) and sum(count for count, _ in ticks.values()) == first.count
    assert sum(total for _, total in ticks.values()) == first.total
    name = min(ticks, key=lambda value: ticks[value][0])
    ticked = page(ticks=f"source={name}")
    assert (ticked.count, ticked.total) == ticks[name] and ticked.behind == first.total
    running = page(cols="amount,so far", sort="date").lines
    assert [line.cells["so far"] for line in running] == [
        sum(line.value for line in running[: at + 1]) for at in range(len(running))
    ]


def test_unknown_export_and_statement_are_told(accountant):
    assert "There is no export as &#x27;doc&#x27;" in accountant.get(url("download", "doc")).content.decode()
    response = accountant.get(reverse("statement", args=["nowhere"]))
    assert (
        response.status_code == 404 and "The statement &#x27;nowhere&#x27; does not exist" in response.content.decode()
    )


def test_figures_on_paper_and_in_html_lead_to_their_trace(accountant):
    pdf = PdfReader(io.BytesIO(accountant.get(url("download", "pdf")).content))
    links = [note.get_object()["/A"]["/URI"] for page in pdf.pages for note in page.get("/Annots", ())]
    wanted = "period=2027-P07&node=TF&panel=trace&row=fuel&column=ytd-difference"
    (link,) = [link for link in links if link.endswith(wanted)]
    assert link in accountant.get(url("download", "html")).content.decode().replace("&amp;", "&")
    page = accountant.get("/" + link.partition("//")[2].partition("/")[2])
    assert "Split by" in page.content.decode()
    assert not any("row=income&" in link for link in links), "headings show no figures"


def test_download_is_named_after_what_it_is(accountant):
    response = accountant.get(url("download", "json"))
    assert response["Content-Disposition"] == 'attachment; filename="income-statement-TF-2027-P07.json"'
    assert json.loads(response.content)["revision"] == 2


def test_ledger_whose_first_entity_mixes_currencies_opens_on_another_one(client, small, command, ternwick):
    from rulka.ledger.models import Ledger
    from rulka.people.models import Access
    from tests.conftest import ROOT, SMALL

    command("load_ledger", small(entities__csv=SMALL["entities.csv"].replace("Sons,EUR", "Sons,SEK")), ledger="mixed")
    command("load_statement", ROOT / "demo" / "definitions" / "trial-balance.yaml", ledger="mixed")
    person = Person.objects.create(username="kim", role=Person.Role.ACCOUNTANT)
    Access.objects.create(person=person, ledger=Ledger.objects.get(code="mixed"))
    client.force_login(person)
    page = client.get(reverse("statement", args=["trial-balance"]))
    assert (page.status_code, page.context["seat"].node) == (200, "A.rest")
    asked = {"do": "line-change", "key": "result-accounts", "path": "label", "value": "Result"}
    changed = client.post(reverse("edit-statement", args=["trial-balance"]), asked, headers={"HX-Request": "true"})
    assert "Result accounts: Result." in changed.content.decode()
