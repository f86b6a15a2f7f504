"""The forms that change a statement: where they send to, with what, and what their answer stands in for."""

from __future__ import annotations

from functools import lru_cache
from urllib.parse import urlencode

from django import template
from django.template import Context
from django.urls import reverse
from django.utils.html import format_html
from django.utils.safestring import SafeString

from rulka.statements.pages.fields import Setting

register = template.Library()


WORK = format_html('hx-target="#work" hx-swap="{}"', "morph:outerHTML")
SENT = format_html('hx-include="#stamp, #panel-state" {} hx-sync="#work:queue all"', WORK)
FETCHED = format_html('hx-include="#panel-state, #stamp" {}', WORK)


@register.simple_tag(takes_context=True)
def sends(context: Context, view: str) -> SafeString:
    """The attributes of a form that changes the statement: `<form class="field" {% sends "edit-statement" %}>`. In the
    room, where one trace is a page of its own, it is a plain form."""
    address = _address(view, context["name"], context["seat"].query)
    if context.get("in_room"):
        return format_html('method="post" action="{}"', address)
    return format_html('method="post" action="{}" hx-post="{}" {}', address, address, SENT)


@register.simple_tag(takes_context=True)
def stamped(context: Context) -> SafeString:
    """What each such form holds: the token, and without scripts the stamp of what the page shows."""
    return format_html(
        '<input type="hidden" name="csrfmiddlewaretoken" value="{}"><noscript><input type="hidden" name="stamp" '
        'value="{}"></noscript>',
        context["csrf_token"],
        context.get("stamp", ""),
    )


@register.simple_tag(takes_context=True)
def shows_for(context: Context, field: str, code: str) -> SafeString:
    """The attributes of a link to the statement for another node, as a page's address and as a fragment's."""
    query = f"{context['seat'].query}&{urlencode({field: code})}"
    return format_html('href="?{}" {}', query, fetches(context, query))


@register.simple_tag(takes_context=True)
def fetches(context: Context, query: str) -> SafeString:
    """The attributes of what fetches the statement for an address, in the place of what is shown."""
    return format_html('hx-get="{}" {}', _address("statement-work", context["name"], query), FETCHED)


@register.simple_tag(takes_context=True)
def address(context: Context, view: str) -> str:
    """Where a view of the statement is, with what an address has to carry to show the same figures."""
    return _address(view, context["name"], context["seat"].query)


@lru_cache(maxsize=1024)
def _address(view: str, name: str, query: str) -> str:
    return f"{reverse(view, args=[name])}?{query}"


@register.simple_tag(takes_context=True)
def held(context: Context, setting: Setting) -> str:
    """What a setting's field holds: what was entered and refused, else what is written."""
    entered = context["entered"]
    return entered.get("value", "") if context["problem"] and entered.get("path") == setting.path else setting.value
