"""How large files are, as people read it."""

from __future__ import annotations

from django import template

register = template.Library()


@register.filter
def size(value: int) -> str:
    """Bytes as `412 kB` or `1.2 MB`; nothing for none."""
    if not value:
        return ""
    if value < 1_000_000:
        return f"{max(1, round(value / 1_000))} kB"
    return f"{value / 1_000_000:.1f} MB"
