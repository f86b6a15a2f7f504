"""The month: each sees what waits for them and leads there; a new person is told what to do first; nothing of what
lies outside of somebody's bounds or rights shows."""

from __future__ import annotations

import re
from html import unescape

import pytest
from django.test import Client
from django.urls import reverse

from rulka.core.books.fence import Fence
from rulka.ledger.models import ClosedPeriod, Ledger
from rulka.ledger.reading.queries import view_of
from rulka.ledger.seat import Seat
from rulka.people.library.persons import make_person
from rulka.people.library.rights import grant
from rulka.people.models import Person
from rulka.statements.models import Definition, Explanation, Shelf, ShelfRight
from rulka.statements.running.monthly import judged_statements
from rulka.work.models import Load
from tests.pages import tight

pytestmark = pytest.mark.django_db
WHERE = "?ledger=ternwick&period=2027-P07&node=TF"


def signed_in(name: str) -> Client:
    client = Client()
    client.force_login(Person.objects.get(username=name))
    return client


def page(name: str, where: str = WHERE) -> str:
    response = signed_in(name).get(reverse("month") + where)
    assert response.status_code == 200
    return response.content.decode()


def text_of(page: str) -> str:
    return " ".join(unescape(re.sub(r"<[^>]+>", " ", page)).split())


def section(page: str, title: str) -> str:
    """What a section of the page says."""
    found = re.search(rf"<section[^>]*><h2[^>]*>{title}</h2>(.*?)</section>", tight(page))
    assert found, f"no section {title}"
    return text_of(found[1])


def test_signing_in_opens_the_month(ternwick: Ledger) -> None:
    response = signed_in("accountant").get("/")
    assert response.status_code == 302 and response["Location"] == reverse("month")
    assert ">Month</a>" in page("accountant")


def test_an_accountant_sees_what_waits_and_each_thing_leads_there(ternwick: Ledger) -> None:
    shown = page("accountant")
    waits = section(shown, "Waits for you")
    assert "6815 Shore power is on no line of 5 statements" in waits and "was due 6 Nov 2026" in waits
    assert "explain Upkeep and dry-dock, \u2212387.0 in Income statement" in waits and "look at TF and TQ" in waits
    holds = section(shown, "What holds")
    assert "Income statement fails 6815 not placed" in holds and "Balance sheet holds" in holds
    books = section(shown, "The books")
    assert "Ternwick Ferries , EUR 8 258 4 pending loaded" in books
    assert "The group at a glance" in section(shown, "Results of the month")
    client = signed_in("accountant")
    for address in re.findall(r'<td><a (?:class="open" )?href="([^"]+)"', shown):
        assert client.get(unescape(address)).status_code == 200, address


def test_a_controller_accepts_what_others_explained(ternwick: Ledger) -> None:
    lead, where = signed_in("accountant"), "?ledger=ternwick&period=2027-P07&node=TF"
    shown = page("accountant")
    assert "accept" not in section(shown, "Waits for you")
    explanation = {
        "row": "fuel",
        "column": "ytd-difference",
        "text": "Diesel is dearer.",
        "version": "0",
        "do": "explain",
    }
    answer = lead.post(reverse("statement-explain", args=["income-statement"]) + where, explanation)
    assert answer.status_code in (200, 302), answer.content[:400]
    assert Explanation.objects.get().state == "explained"
    assert "accept Fuel, \u2212216.7 in Income statement" in section(page("controller"), "Waits for you")
    assert "Fuel" not in section(page("accountant"), "Waits for you")


def test_loads_wait_for_who_may_decide(ternwick: Ledger) -> None:
    Load.objects.create(ledger="ternwick", feed_name="Ledger service", source="x", state=Load.State.HELD)
    assert "accept A load from Ledger service" in section(page("accountant"), "Waits for you")
    assert "Ledger service" not in page("director")
    Load.objects.create(ledger="ternwick", feed_name="Shop tills", source="x", state=Load.State.REFUSED)
    assert "look The last load from Shop tills was refused" in section(page("accountant"), "Waits for you")


def test_closed_months_say_so(ternwick: Ledger) -> None:
    ClosedPeriod.objects.create(entity=ternwick.entities.get(code="TQ"), period=202707)
    assert re.search(r"Ternwick Quays , EUR \d+ closed \d", section(page("director"), "The books"))


def test_a_director_reads_and_nothing_waits(ternwick: Ledger) -> None:
    shown = page("director")
    assert "Nothing waits for you in October 2026." in section(shown, "Waits for you")
    assert "Nothing yet." in section(shown, "Last used")
    director = signed_in("director")
    director.get(reverse("overview", args=["group"]) + WHERE)
    director.get(reverse("statement", args=["balance-sheet"]) + WHERE)
    used = section(page("director"), "Last used")
    assert used.split(" \u00b7 ") == ["Balance sheet", "The group at a glance"]


def test_a_lead_sees_their_part(ternwick: Ledger) -> None:
    shown = page("ships-lead")
    assert "Part of the whole: department Ships" in text_of(shown)
    assert "Norrsund" not in section(shown, "The books") or "0" in section(shown, "The books")
    shelf = Shelf.objects.create(ledger=ternwick, name="Board")
    ShelfRight.objects.create(shelf=shelf, person=Person.objects.get(username="accountant"), level=3)
    Definition.objects.filter(kind="statement", name="balance-sheet").update(shelf=shelf)
    assert "Balance sheet holds" not in section(page("ships-lead"), "What holds")


def test_figures_only_see_no_books_and_no_findings(ternwick: Ledger) -> None:
    person = make_person("fig", title="Fig", role="lead")
    grant(person, "ternwick", "", "", {}, opens_seals=False, depth="figures")
    shown = page("fig")
    assert "The books" not in shown and "look at" not in section(shown, "Waits for you")


def test_a_new_ledger_says_what_to_do_first(small, command, db: None) -> None:
    command("load_ledger", small(), ledger="s")
    for name, role in (("amy", "accountant"), ("rob", "reader")):
        grant(make_person(name, title=name, role=role), "s", "", "", {}, opens_seals=True)
    where = "?ledger=s&period=2026-P01&node=A"
    assert "No statement yet. Begin one" in section(page("amy", where), "What holds")
    assert "No statement is open to you yet. Ask an accountant." in section(page("rob", where), "What holds")
    assert "Nothing yet." in section(page("amy", where), "Last used")


def test_what_is_pressing_comes_first_and_nothing_twice(ternwick: Ledger) -> None:
    Load.objects.create(ledger="ternwick", feed_name="Shop tills", source="x", state=Load.State.FAILED)
    shown = page("accountant")
    rows = re.findall(r'<tr><td class="soft">([^<]+)</td><td><a href="[^"]+">([^<]+)</a>', tight(shown))
    assert len(rows) == len(set(rows)) and rows[0][0] == "look"
    verbs = [verb for verb, _ in rows]
    assert verbs.index("place") < verbs.index("explain") < verbs.index("look at")
    states = re.findall(r'<b class="is-([a-z-]+)">', shown)
    assert states == sorted(states, key=["fails", "warns", "not-judged", "holds"].index)


def test_closed_detail_stays_closed_beside_an_editor_behind_the_same_fence(ternwick: Ledger) -> None:
    """Both edit elsewhere; on the shelf of this statement only one of them may."""
    spine = Definition.objects.get(ledger=ternwick, kind="spine", name="income-statement")
    spine.body["lines"][0]["lines"][0]["detail"] = "closed"
    spine.save()
    shelf = Shelf.objects.create(ledger=ternwick, name="Results")
    Definition.objects.filter(kind="statement", name="income-statement").update(shelf=shelf)
    view, seen = view_of(ternwick, Fence()), []
    for name, level in (("writes", 3), ("reads", 2)):
        person = make_person(name, title=name, role="accountant")
        ShelfRight.objects.create(shelf=shelf, person=person, level=level)
        seat = Seat(person, ternwick, view, view.frame.calendar.period("2027-P07"), "TF")
        one = next(one for one in judged_statements(seat) if one.definition.name == "income-statement")
        assert one.outcome
        seen.append([line.is_closed for line in one.outcome.computed.statement.spine.walk()])
    assert not any(seen[0]) and any(seen[1])
