"""What is offered for what a page shows."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django import template

from rulka.ledger.offering import offered

register = template.Library()


@register.inclusion_tag("ledger/_offered.html", takes_context=True)
def offers(context: Mapping[str, Any], what: str = "", code: Any = "", **shown: Any) -> dict[str, Any]:
    """Extracts and the like for some codes: `{% offers account="6110" %}`, or `{% offers "department" "120" %}`."""
    told = {**({what: code} if what else {}), **shown}
    return {"offers": offered(context["seat"], told)}


@register.inclusion_tag("ledger/_offered.html", takes_context=True)
def offers_standing(context: Mapping[str, Any], standing: Mapping[str, Any]) -> dict[str, Any]:
    """The same for all that a page shows at once."""
    return {"offers": offered(context["seat"], standing)}
