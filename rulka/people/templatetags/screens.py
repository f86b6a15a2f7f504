"""Parts of pages in their templates; known to every template."""

from __future__ import annotations

from typing import Any

from django import template
from django.utils.safestring import SafeString

from rulka.screen import Screen

register = template.Library()


@register.simple_tag(takes_context=True)
def shows(context: Any, part: Screen) -> SafeString:
    """A part of a page by its own template, which names the part's fields, and what the page has."""
    with context.push(**part.context):
        found: SafeString = context.template.engine.get_template(part.html).render(context)
    return found
