"""Filters that write days and moments as their reader chose."""

from __future__ import annotations

from datetime import date, datetime

from django import template

from rulka.people.library.preferences import day_text, moment_text

register = template.Library()


@register.filter
def day(value: date | datetime | None) -> str:
    """A day; nothing for none."""
    return day_text(value or None)


@register.filter
def moment(value: datetime | None) -> str:
    """A day and the time of day; nothing for none."""
    return moment_text(value or None)
