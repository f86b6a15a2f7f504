"""The history of a thing, beside the thing itself."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django import template

from rulka.people.library.record import record_for
from rulka.people.models import Person

register = template.Library()
MOST = 30


@register.inclusion_tag("people/_history.html", takes_context=True)
def history(context: Mapping[str, Any], kind: str, name: str) -> dict[str, Any]:
    """What the record holds of a thing of the ledger at hand, as far as its reader may read the record."""
    seat, person = context["seat"], context["user"]
    whole = [seat.ledger.code] if seat.view.fence.hides_nothing else []
    assert isinstance(person, Person)
    rows = record_for(person, whole).filter(ledger=seat.ledger.code, thing=f"{kind} {name}")
    return {"rows": list(rows[:MOST]), "thing": f"{kind} {name}"}
