"""What tests of folios share: the demo's board pack, its people, and what they do with it."""

from __future__ import annotations

import re
from html import unescape
from typing import Any

from django.test import Client
from django.urls import reverse

from rulka.core.folios.writing import document_to
from rulka.folios.editing.acting import act, keep_text
from rulka.folios.models import Folio, Section
from rulka.folios.output.background import reading_for
from rulka.folios.running.sections import SectionRead
from rulka.formats.writing.marked import document_marked
from rulka.people.models import Person

PACK = "board-pack"


def person(name: str) -> Person:
    return Person.objects.get(username=name)


def pack(name: str = PACK) -> Folio:
    return Folio.objects.select_related("ledger", "shelf", "owner").get(name=name)


def row(key: str, name: str = PACK) -> Section:
    return Section.objects.get(folio__name=name, key=key)


def do(step: str, key: str, who: str, **more: Any) -> Section:
    """A step by somebody, as it is stored."""
    return act(pack(), key, step, person(who), **more)


def write(key: str, who: str, text: str) -> None:
    """Keep a text in light marks."""
    keep_text(pack(), key, document_to(document_marked(text)), person(who))


def read(key: str, who: str, *, drafts: bool = False) -> SectionRead:
    """A section as somebody reads it."""
    return reading_for(pack(), person(who), drafts=drafts).section(key)


def finish(key: str, *who: str) -> None:
    """Hand a section in and accept it by those who follow."""
    do("hand in", key, who[0])
    for name in who[1:]:
        do("accept", key, name)


def signed_in(name: str) -> Client:
    client = Client()
    client.force_login(person(name))
    return client


def address(name: str = "folio", *arguments: Any, **asked: str) -> str:
    query = "&".join(f"{key}={value}" for key, value in {"ledger": "ternwick", **asked}.items())
    return f"{reverse(name, args=arguments or [PACK])}?{query}"


def text_of(response: Any) -> str:
    """What an answer says, without its marks."""
    page = re.sub(r"<script[^>]*>.*?</script>", " ", response.content.decode(), flags=re.S)
    return " ".join(unescape(re.sub(r"<[^>]+>", " ", page)).split())
