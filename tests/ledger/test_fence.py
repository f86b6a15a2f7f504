"""The fence, by route: the ships' lead sees the ships' departments and nothing else; seals keep payroll detail shut."""

from __future__ import annotations

import io
import json
from decimal import Decimal

import openpyxl
import pytest
from django.core.management.base import CommandError
from django.urls import reverse
from pypdf import PdfReader

from rulka.ledger.models import JournalLine, Ledger
from rulka.people.models import Access, Person
from tests.conftest import table
from tests.oracle import Oracle

SHIPS = {"100", "110", "120", "130"}
AT = (2027, 7)
FUEL = {"panel": "trace", "row": "fuel", "column": "actual"}
WAGES = {"panel": "trace", "row": "wages-and-social-costs", "column": "actual"}


@pytest.fixture
def sign_in(client, ternwick):
    def as_person(username):
        client.force_login(Person.objects.get(username=username))
        return client

    return as_person


@pytest.fixture(scope="module")
def oracle(demo_folder):
    return Oracle(demo_folder / "ledger", demo_folder / "news")


def ship_sum(oracle, codes):
    lines = oracle.counted("TF", False, {"department": SHIPS})
    return sum(
        (line["amount"] for line in lines if line["account"] in codes and line["p"] == AT and not line["kind"]),
        Decimal(0),
    )


def test_trial_balance_command_keeps_to_the_fence(ternwick, command, oracle):
    got = table(
        command("trial_balance", ledger="ternwick", first="2027-P07", last="2027-P07", entity="TF", person="ships-lead")
    )
    wanted = oracle.trial_balance("TF", AT, AT, members={"department": SHIPS})
    assert {
        row["account"]: [Decimal(row[name]) for name in ("opening", "debits", "credits", "closing")] for row in got
    } == wanted
    assert not any(row["account"] in ("1810", "4110", "8110") for row in got)


@pytest.mark.parametrize("form", ["json", "csv", "xlsx", "pdf", "html"])
def test_run_statement_command_keeps_to_the_fence(form, ternwick, command, oracle, tmp_path):
    out = tmp_path / f"run.{form}"
    command(
        "run_statement",
        "income-statement",
        ledger="ternwick",
        period="2027-P07",
        node="TF",
        person="ships-lead",
        format=form,
        out=out,
    )
    check_ships_only(out.read_bytes(), form, oracle)


@pytest.mark.parametrize("form", ["json", "csv", "xlsx", "pdf", "html"])
def test_download_keeps_to_the_fence(form, sign_in, oracle):
    response = sign_in("ships-lead").get(
        reverse("download", args=["income-statement", form]), {"period": "2027-P07", "node": "TF"}
    )
    assert response.status_code == 200
    check_ships_only(response.content, form, oracle)


def check_ships_only(data, form, oracle):
    """The wages shown are the ships' wages; no fare income of ticketing is anywhere."""
    wages = -ship_sum(oracle, oracle.between("5010", "5199"))
    assert wages < 0
    if form == "json":
        lines = {line["key"]: line["values"][0] for line in json.loads(data)["lines"]}
        assert Decimal(lines["wages-and-social-costs"]) == wages
        assert Decimal(lines["vehicles"]) == 0
    elif form == "csv":
        rows = {row["line"]: row["October 2026, Actual"] for row in table(data.decode())}
        assert Decimal(rows["Wages and social costs"]) == wages
        assert "Vehicles" not in rows
    elif form == "xlsx":
        sheet = openpyxl.load_workbook(io.BytesIO(data), data_only=True).active
        values = {row[0].value: row[1].value for row in sheet.iter_rows()}
        assert Decimal(str(values["Wages and social costs"])) == wages
        assert values["Vehicles"] == 0
    else:
        text = (
            data.decode()
            if form == "html"
            else "".join(page.extract_text() for page in PdfReader(io.BytesIO(data)).pages)
        )
        shown = f"\u2212{abs(wages / 1000):,.1f}".replace(",", "\u00a0")
        assert shown in text
        assert "Vehicles" not in text


@pytest.mark.parametrize("route", ["statement", "statement-work", "statement-panel"])
def test_statement_pages_keep_to_the_fence(route, sign_in, oracle):
    page = sign_in("ships-lead").get(
        reverse(route, args=["income-statement"]),
        {"period": "2027-P07", "node": "TF", "panel": "trace", "row": "marketing", "column": "actual"},
    )
    text = page.content.decode()
    assert page.status_code == 200
    assert "Nothing is booked behind this figure" in text
    assert "Advertising" not in text.replace("Advertising on board", "")
    if route != "statement-panel":
        wages = -ship_sum(oracle, oracle.between("5010", "5199"))
        assert f"\u2212{abs(wages / 1000):,.1f}" in text


def test_trace_of_retained_earnings_keeps_to_the_fence(sign_in, oracle):
    client = sign_in("ships-lead")
    asked = {
        "period": "2027-P07",
        "node": "TF",
        "panel": "trace",
        "row": "retained-earnings",
        "column": "now",
        "in": "account=3210/period=FY2026 result",
    }
    text = client.get(reverse("statement-panel", args=["balance-sheet"]), asked).content.decode()
    assert "6110 Marine diesel" in text
    assert "4110 Cars" not in text
    assert "agrees with the figure" in text


def test_trace_lines_and_entry_keep_to_the_fence(sign_in):
    client = sign_in("ships-lead")
    url = reverse("statement-panel", args=["income-statement"])
    lines = client.get(url, {**FUEL, "period": "2027-P07", "node": "TF", "in": "account=6110", "by": "line"})
    shown = lines.context["tables"][0].lines
    assert lines.context["agrees"] and shown.count > 5
    line = shown.lines[0]
    entry = client.get(url, {**FUEL, "period": "2027-P07", "entity": line.entity, "entry": line.entry})
    text = entry.content.decode()
    assert "6110 Marine diesel" in text
    assert "2210 Suppliers" not in text  # payables carry no department
    assert "Other lines of this entry lie outside of what you may see" in text
    tickets = client.get(url, {**FUEL, "period": "2027-P07", "entity": "TF", "entry": "TF-TI2610-0001"})
    assert "Entry &#x27;TF-TI2610-0001&#x27; of TF does not exist" in tickets.content.decode()


@pytest.mark.parametrize(
    ("person", "opens"),
    [("accountant", True), ("controller", True), ("director", False), ("ships-lead", False), ("administrator", False)],
)
def test_payroll_detail_is_sealed_but_for_accountant_and_controller(person, opens, sign_in):
    client = sign_in(person)
    url = reverse("statement-panel", args=["income-statement"])
    accounts = client.get(url, {**WAGES, "period": "2027-P07", "node": "TF"}).content.decode()
    assert "5010 Wages, permanent crew and staff" in accounts  # the total shows to all
    detail = client.get(
        url,
        {
            **WAGES,
            "period": "2027-P07",
            "node": "TF",
            "in": "account=5010/period=2027-P07",
            "by": "line",
            "search": "A. Marren",
        },
    ).content.decode()
    assert ("Wages, A. Marren" in detail) == opens
    assert ("is sealed" in detail) != opens
    pay_run = (
        JournalLine.objects.filter(entry__ledger__code="ternwick", document="PAY-2026-10-110").first().entry.number
    )
    entry = client.get(url, {**WAGES, "period": "2027-P07", "entity": "TF", "entry": pay_run}).content.decode()
    assert ("Wages, A. Marren" in entry) == opens
    assert "5110 Social costs" in entry  # what is not sealed shows to all who may see the department


def test_person_without_access_sees_no_ledger(client, ternwick):
    stranger = Person.objects.create(username="stranger")
    client.force_login(stranger)
    for name in ("statements", "ledger"):
        page = client.get(reverse(name))
        assert page.status_code == 404
        assert "You have no ledger yet" in page.content.decode()


def test_entity_fence_hides_the_other_entities(client, ternwick, command):
    person = Person.objects.create(username="quays")
    Access.objects.create(person=person, ledger=ternwick, entities="TQ")
    client.force_login(person)
    page = client.get(reverse("statement", args=["income-statement"]), {"period": "2027-P07"})
    assert page.context["seat"].node == "TQ"
    assert "Norrsund" not in page.content.decode()
    assert client.get(reverse("statement", args=["income-statement"]), {"node": "TF"}).status_code == 404
    rows = table(command("trial_balance", ledger="ternwick", first="2027-P01", last="2027-P01", person="quays"))
    assert {row["entity"] for row in rows} == {"TQ"}
    with pytest.raises(CommandError, match="Entity 'NF' does not exist. There are: TQ."):
        command("trial_balance", ledger="ternwick", first="2027-P01", last="2027-P01", person="quays", entity="NF")


def test_account_fence_names_no_account_outside_of_it(client, ternwick, command):
    person = Person.objects.create(username="fuel")
    Access.objects.create(person=person, ledger=ternwick, accounts="6110 to 6199")
    client.force_login(person)
    for query in (
        {"panel": "line", "row": "office-and-systems"},
        {"panel": "footing"},
        {"panel": "trace", "row": "operating-result", "column": "actual"},
    ):
        text = client.get(
            reverse("statement", args=["income-statement"]), {"period": "2027-P07", **query}
        ).content.decode()
        assert "6815" not in text and "6710" not in text and "Ticket system" not in text
    result = json.loads(
        command("run_statement", "income-statement", ledger="ternwick", period="2027-P07", person="fuel")
    )
    assert {code for line in result["lines"] for code in line["codes"]} == {"6110", "6120", "6130"}
    shown = command("run_statement", "trial-balance", ledger="ternwick", period="2027-P07", person="fuel", format="csv")
    assert "6110 Marine diesel" in shown and "4110 Cars" not in shown


def test_every_route_needs_a_sign_in(client, ternwick):
    routes = [
        ("home", []),
        ("statements", []),
        ("ledger", []),
        *[(name, ["income-statement"]) for name in ("statement", "statement-work", "statement-panel")],
        ("download", ["income-statement", "xlsx"]),
    ]
    for name, arguments in routes:
        response = client.get(reverse(name, args=arguments))
        assert response.status_code == 302 and response["Location"].startswith("/sign-in/"), name
    one = ["income-statement"]
    posted = [
        "edit-statement",
        "check-edit",
        "copy-lines",
        "undo",
        "redo",
        "name-statement",
        "duplicate-statement",
        "save-version",
        "restore-version",
    ]
    for name, arguments in [
        *[(name, one) for name in posted],
        ("begin-statement", []),
        ("delete-definition", ["statement", *one]),
    ]:
        assert "/sign-in/" in client.post(reverse(name, args=arguments))["Location"]


def test_demo_sign_in_exists_under_the_demo_settings_only(client, ternwick, settings):
    settings.DEMO = False
    assert client.post(reverse("demo-sign-in", args=["director"])).status_code == 404
    assert "demo-people" not in client.get(reverse("sign-in")).content.decode()
    settings.DEMO = True
    assert "demo-people" in client.get(reverse("sign-in")).content.decode()
    assert client.post(reverse("demo-sign-in", args=["director"])).status_code == 302
    assert client.post(reverse("demo-sign-in", args=["stranger"])).status_code == 404


@pytest.mark.django_db
def test_seal_is_set_by_command_with_its_grain(small, command):
    command("load_ledger", small(), ledger="s")
    assert command("seal", "5*", ledger="s") == "2 accounts are sealed down to entity, period, department.\n"
    assert Ledger.objects.get(code="s").seal_grain is None
    assert command("seal", "5000", "--grain", "none", ledger="s") == "1 accounts are sealed down to entity, period.\n"
    assert Ledger.objects.get(code="s").seal_grain == []
    for wrong, message in ((["9999"], "matches no"), (["5*", "--grain", "ship"], "tells no accounts apart")):
        with pytest.raises(CommandError, match=message):
            command("seal", *wrong, ledger="s")
    assert Ledger.objects.get(code="s").sealed == "5000"
    assert command("seal", "", ledger="s") == "Nothing is sealed.\n"
