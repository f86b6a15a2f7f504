"""Filters that write counts."""

from __future__ import annotations

from django import template

from rulka.core.intake.pull_times import read_schedule
from rulka.core.money import grouped

register = template.Library()


@register.filter
def place_name(source: str) -> str:
    """A source as people know it: of a path on the server the last folder or file, anything else as it is."""
    return source.rstrip("/").rpartition("/")[2] if source.startswith("/") else source


@register.filter
def pull_words(schedule: str) -> str:
    """When a feed pulls by itself, in words; nothing for never."""
    return read_schedule(schedule).words if schedule else ""


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
