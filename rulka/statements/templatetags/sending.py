"""The forms that change a statement: where they send to, with what, and what their answer stands in for."""

from __future__ import annotations

from functools import lru_cache

from django import template
from django.template import Context
from django.urls import reverse
from django.utils.html import format_html
from django.utils.safestring import SafeString

register = template.Library()


@register.simple_tag(takes_context=True)
def sends(context: Context, view: str) -> SafeString:
    """The rest of a form's tag, and what each form holds: `<form class="field" {% sends "edit-statement" %}`."""
    token, stamp = context["csrf_token"], context.get("stamp", "")
    address = _address(view, context["name"], context["seat"].query)
    return format_html(
        'method="post" action="{}" hx-post="{}" hx-include="#stamp, #panel-state" hx-target="#work" '
        'hx-swap="morph:outerHTML" hx-sync="#work:queue all"><input type="hidden" name="csrfmiddlewaretoken" '
        'value="{}"><noscript><input type="hidden" name="stamp" value="{}"></noscript>',
        address,
        address,
        token,
        stamp,
    )


@register.simple_tag(takes_context=True)
def address(context: Context, view: str) -> str:
    """Where a view of the statement is, with what an address has to carry to show the same figures."""
    return _address(view, context["name"], context["seat"].query)


@lru_cache(maxsize=1024)
def _address(view: str, name: str, query: str) -> str:
    return f"{reverse(view, args=[name])}?{query}"
