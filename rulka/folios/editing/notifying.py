"""Words to people about a folio: on their month page until they saw it, and by mail where there is any."""

from __future__ import annotations

from functools import partial
from urllib.parse import urlencode

from django.db import transaction
from django.urls import reverse

from rulka.folios.models import Folio, Notice
from rulka.people.library.notices import tell
from rulka.people.models import Person


def address_of(folio: Folio, section: str = "") -> str:
    """Where a folio, or one of its sections, is read."""
    asked = {"ledger": folio.ledger.code, **({"section": section} if section else {})}
    return f"{reverse('folio', args=[folio.name])}?{urlencode(asked)}"


def notify(folio: Folio, person: Person | None, text: str, section: str = "") -> None:
    """Tell somebody; once what it is about is written down for good."""
    if person is None or not person.is_active:
        return
    Notice.objects.create(folio=folio, section=section, person=person, text=text)
    transaction.on_commit(partial(tell, person, f"{folio.title}: {text}"[:150], text, address_of(folio, section)))


def saw(folio: Folio, person: Person) -> None:
    """Somebody saw what there is to know of a folio."""
    if person.looked_by is None:
        Notice.objects.filter(folio=folio, person=person, seen=False).update(seen=True)
