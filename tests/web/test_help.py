"""Guides that ship with the application: each reads, leads on and is found; hints go away for one person for good."""

from __future__ import annotations

import re

import pytest
from django.test import Client
from django.urls import reverse

from rulka.people.library.persons import make_person
from rulka.web.help import ABOUT, GUIDES, HINTS, anchor_of, page_of, told_in
from tests.web.test_fuzz import ROUTES

pytestmark = pytest.mark.django_db


@pytest.fixture
def amy():
    return make_person("amy", title="Amy", role="accountant")


@pytest.fixture
def client(amy):
    client = Client()
    client.force_login(amy)
    return client


@pytest.mark.parametrize("name", GUIDES)
def test_a_guide_reads_and_all_that_it_leads_to_is_there(client, name):
    response = client.get(reverse("guide", args=[name]))
    text = response.content.decode()
    assert response.status_code == 200 and text.count("<h1") == 1
    guide = text[text.index('class="guide"') : text.index("</main>")]
    for address, anchor in re.findall(r'href="([^"#]*)(?:#([^"]*))?"', guide):
        found = client.get(address) if address else response
        assert found.status_code == 200, address
        assert not anchor or f'id="{anchor}"' in found.content.decode(), (address, anchor)
    for address in re.findall(r'src="([^"]+)"', guide):
        assert client.get(address)["Content-Type"] == "image/png", address


def test_links_that_lead_nowhere_here_are_words_and_html_stays_text(monkeypatch):
    from rulka.web import help as shipped

    text = "# One\n\n[out](https://x.example) [file](../../a.py) [in](tracing.md#lines) <b>bold</b>\n"
    monkeypatch.setattr(shipped, "guides", lambda: {"one": shipped.Guide("one", "One", text)})
    page = page_of.__wrapped__("one")
    assert page == (
        '<h1 id="one">One</h1>\n<p>out file <a href="/help/tracing/#lines">in</a> &lt;b&gt;bold&lt;/b&gt;</p>\n'
    )


def test_what_is_told_somewhere_is_found_with_its_words():
    found = told_in("price volume")
    assert found and found[0][0].guide.name == "variances"
    for section, piece in found:
        assert "price" in f"{section.title} {section.words}".casefold() and piece
    assert told_in("") == [] and told_in("no-such-word-anywhere") == []
    assert "lines" in told_in("lines")[0][0].title.casefold(), "titles come first"


def test_the_help_page_finds_and_says_when_it_finds_nothing(client):
    page = client.get(reverse("help"), {"for": "tolerance"}).content.decode()
    assert "Told in" in page and anchor_of("7. Checks, and lines limited to columns") in page
    assert "Nothing is told of that" in client.get(reverse("help"), {"for": "<zzz>"}).content.decode()


def test_what_is_not_there_is_refused(client):
    for address in (reverse("guide", args=["no-such"]), reverse("help-picture", args=["..png"])):
        assert client.get(address).status_code == 404
    assert client.post(reverse("hint-seen", args=["nothing"])).status_code == 404
    assert Client().get(reverse("help")).status_code == 302, "help is for those who are signed in"


def test_a_hint_goes_away_for_good_for_one_person(client, amy, small, command):
    command("load_ledger", small(), ledger="s")
    from rulka.people.library.rights import grant

    grant(amy, "s", "", "", {}, opens_seals=True)
    other = Client()
    bob = make_person("bob", title="Bob", role="accountant")
    grant(bob, "s", "", "", {}, opens_seals=True)
    other.force_login(bob)
    address = reverse("ledger-journal")
    assert "firsthint" in client.get(address).content.decode()
    assert client.post(reverse("hint-seen", args=["ledger-journal"])).status_code == 200
    assert "firsthint" not in client.get(address).content.decode()
    assert "firsthint" in client.get(reverse("month")).content.decode(), "each hint goes by itself"
    assert "firsthint" in other.get(address).content.decode()


def test_help_and_hints_are_of_screens_that_there_are():
    names = {name for name, _ in ROUTES}
    assert set(ABOUT) <= names and set(HINTS) <= set(ABOUT)
    assert {guide for _, guide in ABOUT.values()} <= set(GUIDES)
