"""What shows of a trace at any level: parts of a figure in a direction, both sides of a difference, lines, an entry, a
document; see `trace_address` for how it is asked."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from fractions import Fraction
from typing import Any
from urllib.parse import urlencode

import numpy as np

from rulka.core.books.book import View
from rulka.core.compute.computed import Computed
from rulka.core.definitions.expressions import Value
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.proof.splits import (
    REASONS,
    OpenedFigure,
    Split,
    SplitPart,
    directions,
    next_direction,
    open_figure,
    sides,
    split,
    statement_split,
)
from rulka.core.proof.trace import Trace, TracePart, trace_cell
from rulka.formats.figures import figure_text
from rulka.ledger.models import Ledger
from rulka.ledger.reading.entries import show_entry
from rulka.ledger.reading.journal import Journal, JournalFilter
from rulka.ledger.reading.trace_address import NAMES, Address
from rulka.ledger.reading.trace_budgets import budget_page
from rulka.ledger.reading.trace_columns import LIST_COLUMNS, columns_of
from rulka.ledger.reading.trace_drivers import DRIVERS, drivers_level
from rulka.ledger.reading.trace_levels import (
    BothLevel,
    Crumb,
    DocumentLevel,
    EntryLevel,
    Level,
    LinesLevel,
    LinesTable,
    PartsLevel,
    ShownPart,
    SplitLevel,
    TraceAddresses,
    TracedFigure,
    TracePanel,
)
from rulka.ledger.reading.trace_lines import PLANNED, LinesPage, TraceLines, is_former, quantity_digits, refuse_former
from rulka.ledger.reading.trace_matching import matched_lines
from rulka.ledger.reading.trace_rates import rates_of
from rulka.ledger.reading.trace_words import text_of
from rulka.ledger.taking import takers

State = Mapping[str, str]
PARTS_PAGE = 100
MADE_OF = "part"
"""The direction of what a figure is made of on the statement."""
BOTH_SIDES = "sides"
LINE = "line"
ROOMY = ("date", "entry", "account", "document", "counterparty name", "text", "amount", "so far")
"""Columns of lines where the trace has the whole page and nobody chose."""
SHOWN_COLUMNS = {"counterparty name": "called", "so far": "so far", "text": "what"}
"""Headings of columns that read otherwise than their names."""


def trace_panel(ledger: Ledger, view: View, computed: Computed, state: State) -> Level:
    """The level of a trace that an address means, ready to be written."""
    return replace(_level(ledger, view, computed, state), asked=dict.fromkeys(NAMES, "") | dict(state))


def _level(ledger: Ledger, view: View, computed: Computed, state: State) -> Level:
    address = Address.of(state)
    if address.get("document"):
        return _document(ledger, view, computed, address)
    if address.get("entry"):
        return _entry(ledger, view, computed, address)
    if not address.row or not address.column:
        return Level()
    said = computed.row(address.row).texts
    if said and not address.way:
        entry = show_entry(ledger, view, said["entity"], said["number"])
        return EntryLevel(shown_entry=entry, wide=True, documents=_documents(entry, address))
    opened = open_figure(computed, address.row, address.column, address.way)
    by = address.by or default_direction(opened)
    if by == LINE and not address.by and is_former(ledger, view):
        by = "period"  # the journal is kept as it is now
    shown: Level
    if by == LINE:
        shown = _lines(ledger, view, opened, address)
    elif by == BOTH_SIDES:
        shown = _both(ledger, opened)
    elif by == DRIVERS:
        shown = drivers_level(ledger, opened, address)
    elif by == MADE_OF:
        shown = _made_of(opened, address)
    else:
        shown = _split(opened, address, split(opened, by))
    crumbs, standing = crumbs_of(computed, address, opened), standing_of(opened)
    return replace(shown, address=address, crumbs=crumbs, figure=_figure(opened, address, by), standing=standing)


def default_direction(opened: OpenedFigure) -> str:
    """The direction that shows where none was asked for."""
    if not opened.is_narrowed and _parts_of(opened) is not None:
        return MADE_OF
    return next_direction(opened) or MADE_OF


def _parts_of(opened: OpenedFigure) -> Split | Trace | None:
    """What a figure is made of on the statement itself; None where accounts stand behind it at once."""
    if opened.is_narrowed:
        return None
    found = statement_split(opened)
    if found is not None:
        return found
    if opened.pools is not None and not opened.closed:
        return None
    return trace_cell(opened.computed, opened.row.key, opened.column_key)


# what every level shows ---------------------------------------------------------------------------------------------


def _figure(opened: OpenedFigure, address: Address, by: str) -> TracedFigure:
    node = opened.computed.plan.node_of(opened.computed.column(opened.column_key))
    return TracedFigure(
        node,
        text_of(opened.value, opened.unit, node.digits),
        opened.unit == "money",
        bool(opened.value and opened.value < 0),
        quantity_digits(opened),
        by,
        _ways(opened, address),
        rates_of(opened),
    )


def standing_of(opened: OpenedFigure) -> dict[str, list[str]]:
    """The accounts, entities and periods that stand behind a figure."""
    view = opened.computed.view
    pools = [pool for pool in opened.pools or () if len(pool.keys)]
    if not pools:
        return {}
    keys = np.unique(np.concatenate([pool.keys for pool in pools]))
    accounts = np.unique(view.keys.account[keys])
    entities = np.unique(view.keys.entity[keys])
    return {
        "account": [view.frame.accounts.items[at].code for at in accounts],
        "entity": [view.frame.entities.items[at].code for at in entities],
        "period": [opened.computed.period.code],
    }


def _ways(opened: OpenedFigure, address: Address) -> list[tuple[str, str, bool]]:
    """The directions that are offered: words, address, whether it is the one shown."""
    offered = [MADE_OF] if _parts_of(opened) is not None else []
    offered += directions(opened)
    if sides(opened) is not None and opened.pools:
        offered = [DRIVERS, *offered, BOTH_SIDES]
    now = address.by or default_direction(opened)
    words = {MADE_OF: "what it is made of", BOTH_SIDES: "both sides", DRIVERS: "what drives it"}
    return [(words.get(name, name), address.at(address.way, name), name == now) for name in offered]


def crumbs_of(computed: Computed, address: Address, opened: OpenedFigure | None = None) -> list[Crumb]:
    """The way from the figure to here; going back a step shows what that step was chosen from."""
    if not address.row or not address.column:
        return []
    column = computed.column(address.column)
    window = f", {column.group}" if column.group else ""
    labels = [f"{computed.row(address.row).label}, {column.heading}{window}"]
    steps = opened.steps if opened is not None else tuple((step, step[1]) for step in address.way)
    labels += [label for _, label in steps]
    crumbs = []
    for at, label in enumerate(labels):
        following = address.way[at][0] if at < len(address.way) else ""
        by = {"row": "", "column": ""}.get(following, following)
        crumbs.append(Crumb(label, address.at(address.way[:at], by)))
    if address.get("entry") or address.get("document"):
        if address.by:
            crumbs[-1] = Crumb(crumbs[-1].label, address.with_(entry="", entity="", document=""))
        if address.get("entry"):
            crumbs.append(Crumb(f"{address.get('entity')} {address.get('entry')}", address.with_(document="")))
        if address.get("document"):
            crumbs.append(Crumb(address.get("document"), ""))
    return crumbs


def known_crumbs(computed: Computed, state: State) -> list[Crumb]:
    """The way back from a refused step, empty where the address itself is unknown."""
    rows, columns = {row.key for row in computed.rows}, {column.key for column in computed.columns}
    if state.get("row") not in rows or state.get("column") not in columns:
        return []
    try:
        return crumbs_of(computed, Address.of(state))
    except RulkaError:
        return []


# parts --------------------------------------------------------------------------------------------------------------


def _made_of(opened: OpenedFigure, address: Address) -> PartsLevel:
    found = _parts_of(opened)
    if isinstance(found, Split):
        return _split(opened, address, found)
    if found is None:
        raise NotFound("It is made of nothing else on the statement.", hint="Split it by account.", subject="by")
    computed = opened.computed
    digits = computed.plan.node_of(computed.column(opened.column_key)).digits
    return PartsLevel(
        how=found.how,
        total=text_of(found.total, found.unit, digits),
        agrees=found.agrees,
        adds_up=found.adds_up,
        parts=_traced_parts(found, computed, address, opened),
        count=len(found.parts),
    )


def _traced_parts(trace: Trace, computed: Computed, address: Address, opened: OpenedFigure) -> list[ShownPart]:
    unit = "money" if trace.unit in ("percent", "ratio", "rate", "plain") else trace.unit
    largest = max((abs(part.value) for part in trace.parts if part.value is not None), default=0) or 1
    column = computed.column(opened.column_key)
    shown = []
    for part in trace.parts:
        row = computed.rows_by_key.get(part.row)
        own = row.unit if row is not None and part.kind in ("row", "column") else unit
        label = f"less {part.label}" if part.adds < 0 and trace.unit != "percent" else part.label
        digits = computed.plan.node_of(computed.column(part.column) if part.column else column).digits
        width = 0 if part.value is None else int(abs(part.value) / largest * 100)
        text = text_of(part.value, own, digits)
        shown.append(ShownPart(label, text, _into(part, address, opened), width, bool(part.value and part.value < 0)))
    return shown


def _into(part: TracePart, address: Address, opened: OpenedFigure) -> str:
    way = address.way
    if part.kind == "row" and part.row and part.row != opened.row.key:
        way = (*way, ("row", part.row))
    if part.kind in ("row", "column") and part.column and part.column != opened.column_key:
        way = (*way, ("column", part.column))
    return address.at(way) if way != address.way else ""


def _split(opened: OpenedFigure, address: Address, found: Split) -> SplitLevel:
    search = address.get("search").casefold()
    parts = [part for part in found.parts if search in part.label.casefold()]
    parts = ordered(parts, address.get("sort"))
    of = sides(opened)
    start = (address.page - 1) * PARTS_PAGE
    page = parts[start : start + PARTS_PAGE]
    shown_sum = sum((part.value for part in parts), Fraction(0))
    step = "row" if found.by == MADE_OF else found.by
    node_digits = opened.computed.plan.node_of(opened.computed.column(opened.column_key)).digits

    def text(value: Value) -> str:
        return text_of(value, opened.unit, node_digits)

    return SplitLevel(
        wide=bool(of),
        how=_how(opened, found.by),
        total=text(found.total),
        total_sides=tuple(text(value) for value in _side_sums(found.parts)) if of else None,
        agrees=found.agrees,
        sides=of,
        parts=[*_shown_parts(page, found, address, step, text, start, parts)],
        count=len(parts),
        every=len(found.parts),
        filtered=bool(search),
        shown_sum=text(shown_sum),
        pages=-(-len(parts) // PARTS_PAGE) or 1,
        page=address.page,
        with_lines=any(part.lines for part in found.parts),
    )


def _side_sums(parts: Iterable[SplitPart]) -> tuple[Fraction, Fraction]:
    first = second = Fraction(0)
    for part in parts:
        first, second = first + part.sides[0], second - part.sides[1]
    return first, second


def ordered(parts: list[SplitPart], sort: str) -> list[SplitPart]:
    """Parts in the order that was asked for, else as they come."""
    column = sort.lstrip("-")
    keys: dict[str, Any] = {
        "amount": lambda part: part.value,
        "size": lambda part: abs(part.value),
        "label": lambda part: part.label.casefold(),
        "lines": lambda part: part.lines,
    }
    if column not in keys:
        return parts
    return sorted(parts, key=keys[column], reverse=sort.startswith("-"))


def _shown_parts(
    page: Sequence[SplitPart], found: Split, address: Address, step: str, text: Any, start: int, every: Any
) -> Iterable[ShownPart]:
    largest = max((abs(part.value) for part in found.parts), default=Fraction(0)) or Fraction(1)
    so_far = sum((part.value for part in every[:start]), Fraction(0))
    whole = found.total
    for part in page:
        so_far += part.value
        share = figure_text(part.value / whole * 100, digits=1) if whole else ""
        running = figure_text(so_far / whole * 100, digits=0) if whole else ""
        yield ShownPart(
            part.label,
            text(part.value),
            "" if part.reason else address.into(step, part.code, _on(step, part)),
            int(abs(part.value) / largest * 100),
            part.value < 0,
            share,
            running,
            (text(part.sides[0]), text(-part.sides[1])),
            part.lines,
            part.reason,
        )


def _on(step: str, part: SplitPart) -> str:
    """A part with others below it opens in the same direction."""
    return step if part.has_below and step not in ("row", "period") else ""


def _how(opened: OpenedFigure, by: str) -> str:
    column = opened.computed.column(opened.column_key)
    what = column.asked.measure if column.kind == "figures" else ""
    return ", ".join(filter(None, (what, f"by {by}" if by != MADE_OF else "lines added up")))


# lines --------------------------------------------------------------------------------------------------------------


def chosen_columns(view: View, address: Address) -> list[str]:
    """The columns of lines that an address asks for; raises NotFound for others."""
    known = columns_of(view)
    asked = [name for name in address.get("cols").split(",") if name]
    for name in asked:
        if name not in known:
            raise NotFound(f"'{name[:40]}' is no column of lines.", hint=one_of(name, known), subject="columns")
    return asked or list(ROOMY if address.get("room") else LIST_COLUMNS)


def _lines(ledger: Ledger, view: View, opened: OpenedFigure, address: Address) -> LinesLevel:
    columns, query = chosen_columns(view, address), address.query
    named = sides(opened)
    tables = []
    for side in (0, 1) if named else (None,):
        lines = TraceLines.of(ledger, opened, query, side)
        number = address.other_page if side else address.page
        has_any = lines.closed or any(pool.asked.pieces for pool in lines.pools)
        page = lines.page(number, columns) if has_any else None
        budget = budget_page(ledger, opened, side, number)
        title, page_name = named[side or 0] if named else "", "other" if side else "page"
        tables.append(LinesTable(title, page, budget, page_name, _untold(page)))
    ticks = TraceLines.of(ledger, opened, query).ticks(address.get("values")) if address.get("values") else None
    return LinesLevel(
        agrees=all(_table_agrees(table) for table in tables),
        wide=True,
        tables=tables,
        columns=[(name, SHOWN_COLUMNS.get(name, name)) for name in columns],
        all_columns=[(name, SHOWN_COLUMNS.get(name, name), name in columns) for name in columns_of(view)],
        query=query,
        ticks=ticks,
        ticked=address.get("values"),
        entry_base=urlencode({"panel": "trace", **address.hidden("page", "other", "values"), "by": LINE}),
    )


def _table_agrees(table: LinesTable) -> bool:
    """Whether lines, budget rows and what has none give the figure of their side."""
    page, budget = table.lines, table.budget
    return (page is None or page.agrees) and (budget is None or budget.agrees or budget.spread)


def _untold(page: LinesPage | None) -> list[tuple[str, Fraction]]:
    """What of the figure has no lines, in words; plans have rows of their own."""
    return [(REASONS[reason], value) for reason, value in page.untold if reason != PLANNED] if page else []


def _both(ledger: Ledger, opened: OpenedFigure) -> BothLevel:
    named = sides(opened)
    if named is None:
        raise NotFound("It has no two sides.", hint="Open a difference between two columns.", subject="by")
    matched = matched_lines(ledger, opened, named)
    return BothLevel(wide=True, sides=named, matched=matched, agrees=matched.agrees)


# entries and documents ----------------------------------------------------------------------------------------------


def _entry(ledger: Ledger, view: View, computed: Computed, address: Address) -> EntryLevel:
    refuse_former(ledger, view)
    entry = show_entry(ledger, view, address.get("entity"), address.get("entry"))
    opened = open_figure(computed, address.row, address.column, address.way) if address.row and address.column else None
    return EntryLevel(
        wide=True,
        address=address,
        shown_entry=entry,
        documents=_documents(entry, address),
        crumbs=crumbs_of(computed, address, opened),
    )


def _documents(entry: Any, address: Address) -> list[tuple[str, str]]:
    """The documents of an entry with the address of all their lines."""
    names = dict.fromkeys(line.document for line in entry.lines if line.document)
    return [(name, address.with_(document=name)) for name in names]


def _document(ledger: Ledger, view: View, computed: Computed, address: Address) -> DocumentLevel:
    """Every line of a document, whatever account it stands on, as far as somebody may see it."""
    refuse_former(ledger, view)
    name = address.get("document")
    found = Journal(view, ledger, JournalFilter(document=name)).page()
    if not found.rows:
        raise NotFound(f"Document '{name[:40]}' does not exist.", subject="document")
    opened = open_figure(computed, address.row, address.column, address.way) if address.row and address.column else None
    return DocumentLevel(
        wide=True,
        address=address,
        document=name,
        rows=[(row, address.with_(document="", entity=row.entity, entry=row.entry)) for row in found.rows],
        count=found.count,
        sums=found.sums,
        crumbs=crumbs_of(computed, address, opened),
    )


# what leads on ------------------------------------------------------------------------------------------------------


def leading(shown: Level, base: str, places: TraceAddresses, *, room: bool, may_take: bool) -> TracePanel:
    """A level with the ways from it."""
    query = f"{base}&{shown.address.with_(room='')}" if shown.address.said else base
    roomy = f"{query}&room=yes"
    here = roomy if room else query
    return TracePanel(
        trace=shown,
        wide=shown.wide,
        room=room,
        whole=("Back to the page", f"{places.page}?{query}") if room else ("Whole page", f"{places.whole}?{roomy}"),
        takes=[(title, f"{places.file(form)}?{here}") for form, title in (("xlsx", "Workbook"), ("csv", "CSV"))],
        into=[(taker.title, f"{places.taker(taker.address)}?{here}") for taker in takers() if may_take],
    )
