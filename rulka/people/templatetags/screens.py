"""Parts of pages in their templates, addresses that keep what a page shows, scripts; known to every template."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from pathlib import Path
from typing import Any
from urllib.parse import quote, urlencode

from django import template
from django.contrib.staticfiles import finders
from django.templatetags.static import static
from django.urls import reverse
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from rulka.screen import Screen

register = template.Library()


@register.simple_tag(takes_context=True)
def shows(context: Any, part: Screen) -> SafeString:
    """A part of a page by its own template, which names the part's fields, and what the page has."""
    with context.push(**part.context):
        found: SafeString = context.template.engine.get_template(part.html).render(context)
    return found


@register.simple_tag(takes_context=True)
def seated(context: Any, view: str, *arguments: object) -> str:
    """The address of a page for the same ledger, period and node: `href="{% seated 'dispatches' %}"`."""
    return f"{reverse(view, args=arguments)}?{context['seat'].query}"


@register.simple_tag(takes_context=True)
def keeping(context: Any, view: str, *arguments: object) -> str:
    """The address of a page that shows all that this one does: its own `query` goes along."""
    return f"{reverse(view, args=arguments)}?{context['query']}"


@register.simple_tag
def asking(address: str, **parts: object) -> str:
    """An address that asks for more: `{% asking address tab=name column=chosen %}`; what is empty isn't asked for."""
    more = urlencode({name: value for name, value in parts.items() if value not in ("", None)}, quote_via=quote)
    return f"{address}&{more}" if more else address


@register.simple_tag(takes_context=True)
def opens(context: Any, query: str = "", **parts: object) -> SafeString:
    """The attributes of a link that opens something in the panel, as the page's address and as a fragment's:
    `<a {% opens panel="line" row=key %}>`, or `{% opens query %}` with an address that was made already."""
    asked = query or urlencode(parts, quote_via=quote, safe="/")
    own, panel = context["seat"].query, context["panel_url"]
    return format_html('href="?{}&{}" hx-get="{}?{}&{}"', own, asked, panel, own, asked)


@register.simple_tag
def current(one: object, chosen: object = True) -> SafeString:
    """The attribute of the one link of several that leads to what shows: `<a href="…"{% current name tab %}>`."""
    is_chosen = bool(one) if chosen is True else one == chosen
    return CURRENT if is_chosen else NOTHING


CURRENT, NOTHING = SafeString(' aria-current="true"'), SafeString("")


@register.simple_tag
def options(choices: Iterable[Any], chosen: object = "") -> SafeString:
    """The options of a select, given as values, or as values with titles: `<select>{% options kinds one.kind %}`."""
    pairs = ((one[0], one[1]) if isinstance(one, (tuple, list)) else (one, one) for one in choices)
    return format_html_join(
        "",
        '<option value="{}"{}>{}</option>',
        ((value, SELECTED if value == chosen else NOTHING, title) for value, title in pairs),
    )


SELECTED = SafeString(" selected")
EVERYWHERE = ((",", "the period before"), (".", "the next period"))


@register.simple_tag(takes_context=True)
def keys_dialog(context: Any, *told: str) -> SafeString:
    """What a page is for and its keys, in the order of what they do, each followed by its words; those of every page
    come first."""
    about = context.template.engine.get_template("web/_about.html").render(context)
    pairs = [*EVERYWHERE, *zip(told[::2], told[1::2], strict=True)]
    listed = format_html_join("", "<dt>{}</dt><dd>{}</dd>", pairs)
    return format_html(
        '<dialog id="keys" class="keys" aria-label="Help">{}<h2>Keys</h2><dl>{}</dl><form method="dialog">'
        '<button class="button">Close</button></form></dialog>',
        about,
        listed,
    )


@register.simple_tag
def module(name: str, nonce: str = "") -> SafeString:
    """A script of modules: those in the folder of its name are asked for at once, not as each names the next."""
    parts = ((static(f"js/{name}/{part}"),) for part in _parts(name))
    preloaded = format_html_join("", '<link rel="modulepreload" href="{}">', parts)
    more = format_html(' data-nonce="{}"', nonce) if nonce else ""
    return format_html('{}<script src="{}" type="module"{}></script>', preloaded, static(f"js/{name}.js"), more)


@cache
def _parts(name: str) -> list[str]:
    folder = finders.find(f"js/{name}")
    return sorted(path.name for path in Path(str(folder)).glob("*.js")) if folder else []
