"""Links and cells of a trace: each link works as a page's address and as a fragment's."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import Any
from urllib.parse import urlencode

from django import template
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from rulka.core.money import exact_text
from rulka.ledger.reading.trace_address import Address
from rulka.ledger.reading.trace_lines import ShownLine
from rulka.ledger.templatetags.figures import amount, amount_or_blank

register = template.Library()
Context = Any


def _link(context: Context, query: str) -> SafeString:
    base = context["trace_base"]
    return format_html('href="?{}&{}" hx-get="{}?{}&{}"', base, query, context["panel_url"], base, query)


@register.simple_tag(takes_context=True)
def to(context: Context, query: str) -> SafeString:
    """The attributes of a link to another place of the trace."""
    return _link(context, query)


@register.simple_tag(takes_context=True)
def to_sort(context: Context, column: str) -> SafeString:
    """... ordered by a column."""
    address: Address = context["address"]
    now = address.get("sort")
    other = column.removeprefix("-") if column.startswith("-") else f"-{column}"
    return _link(context, address.with_(sort=other if now == column else column, page="", other=""))


@register.simple_tag(takes_context=True)
def to_values(context: Context, column: str) -> SafeString:
    """... with the values of a column to tick."""
    return _link(context, context["address"].with_(values=column))


@register.simple_tag(takes_context=True)
def to_close(context: Context) -> SafeString:
    """... without them."""
    return _link(context, context["address"].with_(values=""))


@register.simple_tag(takes_context=True)
def to_tick(context: Context, column: str, value: str) -> SafeString:
    """... with a value ticked, or no longer."""
    return _link(context, context["address"].ticked(column, value))


@register.simple_tag(takes_context=True)
def to_earlier(context: Context, column: str) -> SafeString:
    """... with a column moved one place to the left."""
    names = [name for name, _ in context["columns"]]
    at = names.index(column)
    names[at - 1], names[at] = names[at], names[at - 1]
    return _link(context, context["address"].with_(cols=",".join(names)))


@register.simple_tag(takes_context=True)
def send(context: Context) -> SafeString:
    """The attributes of a form that asks the trace for something else."""
    return format_html('hx-get="{}?{}"', context["panel_url"], context["trace_base"])


@register.simple_tag(takes_context=True)
def stay(context: Context, *left_out: str) -> SafeString:
    """Hidden fields that keep a form at this place, but for some names."""
    kept = {"panel": "trace", **context["address"].hidden(*left_out)}
    return format_html_join("", '<input type="hidden" name="{}" value="{}">', kept.items())


@register.simple_tag(takes_context=True)
def pager(context: Context, number: int, pages: int, name: str) -> SafeString:
    """Links to the pages around."""
    address: Address = context["address"]

    def link(page: int, words: str) -> SafeString | str:
        if not 1 <= page <= pages or page == number:
            return ""
        return format_html("<a {}>{}</a>", _link(context, address.with_(**{name: str(page)})), words)

    return format_html(
        '<p class="pager"><span>{} {}</span><span>page {} of {}</span><span>{} {}</span></p>',
        link(1, "« first"), link(number - 1, "‹ former"), number, pages, link(number + 1, "next ›"),
        link(pages, "last »"),
    )  # fmt: skip


@register.simple_tag(takes_context=True)
def line_cell(context: Context, line: ShownLine, name: str) -> SafeString:
    """One cell of a journal line; what tells it from others leads to its entry."""
    value: Any = line.cells.get(name)
    if name in ("debit", "credit"):
        return format_html('<td class="n">{}</td>', amount_or_blank(value, line.digits))
    if name in ("amount", "so far"):
        return format_html('<td class="n">{}</td>', amount(value, context["figure"].digits))
    text = "" if value is None else str(value)
    if name == _leading(context) and line.entry:
        query = f"{context['entry_base']}&{_entry_query(line)}"
        return format_html('<td><a class="line-entry" {}>{}</a>{}</td>', _link(context, query), text or line.entry,
                           _pending(line, context))  # fmt: skip
    kept = ' class="whitespace-nowrap"' if name in ("date", "period", "entry") else ""
    return format_html("<td{}>{}</td>", SafeString(kept), text)


def _pending(line: ShownLine, context: Context) -> SafeString | str:
    shown = any(name == "status" for name, _ in context["columns"])
    return format_html(' <i class="soft">{}</i>', "pending") if not shown and line.cells["status"] == "pending" else ""


def _leading(context: Context) -> str:
    """The column whose cells lead on: entry, document or text, whichever shows, else the first."""
    names = [name for name, _ in context["columns"]]
    return next((name for name in ("entry", "text", "document") if name in names), names[0])


def _entry_query(line: ShownLine) -> str:
    return urlencode({"entity": line.entity, "entry": line.entry})


@register.simple_tag(takes_context=True)
def to_entry(context: Context, line: ShownLine) -> SafeString:
    """The attributes of a link to the entry of a line, out of a level that shows more than lines."""
    address: Address = context["address"]
    return _link(context, f"{address.with_(by='line')}&{_entry_query(line)}")


@register.simple_tag
def side_line(line: ShownLine) -> SafeString:
    """A row of one side of a difference, in a few words."""
    cells = line.cells
    words = [cells.get("date") or "plan", cells.get("document") or cells.get("text") or cells.get("note")]
    return format_html("{}", " ".join(str(word) for word in words if word))


@register.filter
def item(cells: Mapping[str, Any], name: str) -> Any:
    """A cell by a name that templates can't write; nothing where it isn't there."""
    return cells.get(name, "")


@register.filter
def rate(value: Fraction) -> str:
    """A rate with up to six decimals."""
    return exact_text(value, 2, 6)
