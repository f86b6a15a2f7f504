"""Filters that write counts."""

from __future__ import annotations

from django import template

from rulka.core.money import grouped

register = template.Library()


@register.filter
def amount_text(text: str) -> str:
    """A plain decimal with its thousands apart, nothing for zero."""
    whole, _, part = text.partition(".")
    minor = int(whole + part)
    return grouped(minor, len(part)) if minor else ""


@register.filter
def thousands(count: int) -> str:
    """A count with its thousands apart, nothing for none."""
    return grouped(count, 0) if count else ""
