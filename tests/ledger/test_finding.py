"""Search over everything: what is found, by whom, and what stays unknown behind a fence or a seal."""

from __future__ import annotations

import pytest
from django.urls import reverse

from rulka.ledger.models import JournalLine
from rulka.people.models import Person

pytestmark = pytest.mark.django_db


@pytest.fixture
def find(client, ternwick):
    def found(text, who="accountant"):
        client.force_login(Person.objects.get(username=who))
        answer = client.get(reverse("find"), {"q": text, "ledger": "ternwick"}, headers={"HX-Request": "true"})
        assert answer.status_code == 200 and "<html" not in answer.content.decode()
        return {kind.kind: [one.title for one in kind.found] for kind in answer.context["kinds"]}

    return found


def test_everything_is_found_by_kind_the_closest_first(find):
    assert find("6110")["Accounts"] == ["6110 Marine diesel"]
    assert set(find("marine di")["Accounts"]) == {"1410 Marine diesel in tanks", "6110 Marine diesel"}
    fuel = find("fuel")
    assert fuel["Lines"][0] == "Fuel" and any("Fuel" in title for title in fuel["Accounts"])
    assert find("engine")["Department"] == ["120 Engine"]
    assert find("north")["Crossing"][0].endswith("North")
    assert "Income statement" in find("income stat")["Statements"]
    assert find("department")["Worksheets"] and "TQ Ternwick Quays" in find("quays")["Entities"]
    line = JournalLine.objects.filter(entry__entity__code="TF", key__account__code="6110").exclude(document="").first()
    assert find(line.document)["Documents"] == [line.document]
    assert line.document in find(line.document[:-1].lower())["Documents"]
    assert find(line.entry.number)["Entries"] == [f"TF {line.entry.number}"]
    assert find(line.counterparty)["Counterparties"][0].startswith(line.counterparty)


def test_amounts_are_found_as_people_type_them_and_about(find):
    line = JournalLine.objects.filter(entry__entity__code="TF", key__account__code="6110", debit__gt=1_000_000).first()
    whole, cents = divmod(line.debit, 100)
    for text in (f"{whole:,}.{cents:02d}", f"{whole}.{cents:02d}", f"{whole:,}.{cents:02d}".replace(",", " "),
                 f"-{whole}.{cents:02d}"):  # fmt: skip
        assert f"{whole:,}.{cents:02d}".replace(",", "\u00a0") in find(text)["Amounts"], text
    assert find(f"~{whole + 3}")["Amounts"] and "Amounts" not in find(f"{whole}.999")
    for nothing in ("", " ", "~", "-", "x", "1e9", "9" * 40, "~" + "9" * 24, "%", "'; DROP TABLE"):
        assert "Amounts" not in find(nothing)


def test_a_fence_finds_nothing_outside_of_it(find):
    ships = find("advertising", "ships-lead")
    assert "Documents" not in ships and "Entries" not in ships
    assert find("TF-TI2610-0001")["Entries"] and "Entries" not in find("TF-TI2610-0001", "ships-lead")
    own = JournalLine.objects.filter(key__account__code="6110").exclude(document="").first()
    other = JournalLine.objects.filter(entry__number="TF-TI2610-0001", debit__gt=0).first()
    assert find(own.document, "ships-lead")["Documents"] == [own.document]
    amount = f"{other.debit / 100:.2f}"
    assert find(amount)["Amounts"] and other.entry.number not in str(find(amount, "ships-lead"))
    assert "Department" not in find("ticketing", "ships-lead")


def test_sealed_detail_is_found_by_nobody_who_may_not_open_it(find):
    pay = JournalLine.objects.filter(key__account__code="5010", document__startswith="PAY-").first()
    assert find(pay.document)["Documents"] == [pay.document]
    seen = find(pay.document, "director").get("Documents", [])
    visible = JournalLine.objects.filter(document=pay.document).exclude(key__account__code__in=["5010", "5020"])
    assert bool(seen) == visible.exists()
    amount = f"{pay.debit / 100:.2f}"
    mine = JournalLine.objects.filter(debit=pay.debit).exclude(key__account__code__startswith="50").exists()
    assert find(amount)["Amounts"] and bool(find(amount, "director").get("Amounts")) == mine


def test_a_page_without_scripts_and_what_one_may_not_see(client, ternwick):
    client.force_login(Person.objects.get(username="accountant"))
    page = client.get(reverse("find"), {"q": "marine diesel"})
    assert "6110 Marine diesel" in page.content.decode() and "<html" in page.content.decode()
    assert client.get(reverse("find")).status_code == 200
    client.logout()
    assert client.get(reverse("find"), {"q": "fuel"}).status_code == 302
