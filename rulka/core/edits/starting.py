"""Starting a statement: a spine proposed from the accounts of a ledger, columns from ready patterns, nodes to make
pages for.

Proposed lines select by category where all accounts of the category are of one type, so that new accounts find their
place by themselves; otherwise by code. What no proposed line holds is left to the footing, which names it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from rulka.core.books.chart import CodeList, Item
from rulka.core.books.frame import Frame
from rulka.core.books.selection import NOTHING, SelectionPart, select
from rulka.core.definitions.expressions import quoted_name
from rulka.core.definitions.keys import numbered
from rulka.core.edits.choosing import written_out
from rulka.core.edits.lines import total_of
from rulka.core.edits.tree import Raw
from rulka.core.errors import RulkaError, one_of

KINDS = {
    "income by nature": "Income statement by nature",
    "income by function": "Income statement by function",
    "balance sheet": "Balance sheet",
    "cash roll-forward": "Cash roll-forward",
    "trial balance": "Trial balance",
    "department comparison": "Comparison of departments",
    "blank": "Blank",
}
"""What a statement can start as, with its title."""

AFTER_OPERATING = ("interest", "financ", "tax")
"""Categories of costs with one of these words stand below the operating result."""


@dataclass(frozen=True)
class _Group:
    """Accounts that make one line: a label, and how to select them."""

    label: str
    selection: str


def start_spine(kind: str, name: str, frame: Frame, sources: Sequence[str] = ()) -> Raw:
    """The spine that a statement starts with; `sources` are the modules that cash came from."""
    if kind not in KINDS:
        raise RulkaError(f"'{kind}' is nothing to start from.", hint=one_of(kind, KINDS), subject="start")
    spine: Raw = {"spine": name, "title": KINDS[kind]}
    if kind in ("income by nature", "department comparison"):
        return spine | {"signs": "effect on the result", "lines": _income(frame, _by_nature)}
    if kind == "income by function":
        # departments say what costs are for: its lines are narrowed by them, so what it owes a place is said in words
        return spine | {
            "signs": "effect on the result",
            "covers": "type:revenue, type:expense",
            "lines": _income(frame, _by_function),
        }
    if kind == "balance sheet":
        return spine | {
            "covers": "type:asset, type:liability, type:equity, type:revenue, type:expense",
            "lines": _balance_sheet(frame),
        }
    if kind == "cash roll-forward":
        return spine | {"covers": "nothing", "lines": _cash(frame, sources)}
    if kind == "trial balance":
        return spine | {"lines": _trial_balance(frame)}
    return spine | {"covers": "nothing", "lines": [{"line": "New line", "accounts": NOTHING}]}


def with_title(label: str) -> str:
    """A category as a label: its first letter large."""
    return label[:1].upper() + label[1:]


def grouped(accounts: CodeList, types: Sequence[str]) -> list[_Group]:
    """The accounts of some types as lines, in code order: by category, else by their head, else by the beginning of
    their code."""
    heads = {item.code for item in accounts.items if len(accounts.below[item.code]) > 1}
    items = [item for item in accounts.items if item.type in types and item.code not in heads]
    groups: dict[str, list[Item]] = {}
    for item in items:
        groups.setdefault(_group_name(item, accounts), []).append(item)
    return [_Group(_label(name, inside, accounts), _selection(inside, accounts)) for name, inside in groups.items()]


def _group_name(item: Item, accounts: CodeList) -> str:
    return item.category or (
        accounts[item.parent].name if item.parent in accounts.index else f"{item.code[: max(1, len(item.code) - 2)]}*"
    )


def _label(name: str, inside: Sequence[Item], accounts: CodeList) -> str:
    """A category's label; where one head holds just these accounts, the head's name says it better."""
    parents = {item.parent for item in inside}
    head = parents.pop() if len(parents) == 1 else ""
    if head in accounts.index and len(accounts.below[head]) == len(inside) + 1:
        return accounts[head].name
    return with_title(name)


def _selection(inside: Sequence[Item], accounts: CodeList) -> str:
    category, kind = inside[0].category, inside[0].type
    if category and all(
        item.type == kind for item in accounts.items if item.category.casefold() == category.casefold()
    ):
        return SelectionPart("category", category).text()
    mask = np.zeros(len(accounts), dtype=bool)
    mask[[accounts.index[item.code] for item in inside]] = True
    return written_out(mask, accounts).text()


def _lines(groups: Iterable[_Group], taken: Iterable[str] = ()) -> list[Raw]:
    """Account lines of groups, under labels that differ from each other and from those taken."""
    used = {label.casefold() for label in taken}
    lines = []
    for group in groups:
        label = group.label if group.label.casefold() not in used else f"{group.label} accounts"
        label = numbered(label, lambda label: label.casefold() in used, " ")
        used.add(label.casefold())
        lines.append({"line": label, "accounts": group.selection, "hide": "when nothing was booked"})
    return lines


def _income(frame: Frame, of_costs: Callable[[Frame], tuple[list[_Group], list[_Group]]]) -> list[Raw]:
    accounts = frame.accounts
    reserved = ["Income", "Costs", "Total income", "Total costs", "Operating result", "Result for the period"]
    income = _lines(grouped(accounts, ["revenue"]), reserved)
    running, below = of_costs(frame)
    costs = _lines(running, [*reserved, *(line["line"] for line in income)])
    after = _lines(below, [*reserved, *(line["line"] for line in [*income, *costs])])
    lines: list[Raw] = []
    parts = []
    for label, inner in (("Income", income), ("Costs", costs)):
        if inner:
            lines.append({"section": label, "lines": inner, "total": total_of(label)})
            parts.append(total_of(label))
    if after and parts:
        lines.append(
            {"calculation": "Operating result", "formula": " + ".join(map(quoted_name, parts)), "ruling": "single"}
        )
        parts = ["Operating result"]
    lines += after
    if parts or after:
        formula = " + ".join(map(quoted_name, [*parts, *(line["line"] for line in after)]))
        lines.append({"calculation": "Result for the period", "formula": formula, "ruling": "double"})
    return lines or [{"line": "New line", "accounts": NOTHING}]


def _by_nature(frame: Frame) -> tuple[list[_Group], list[_Group]]:
    groups = grouped(frame.accounts, ["expense"])
    later = [group for group in groups if _is_after(group)]
    return [group for group in groups if group not in later], later


def _is_after(group: _Group) -> bool:
    words = f"{group.label} {group.selection}".casefold()
    return any(word in words for word in AFTER_OPERATING)


def _by_function(frame: Frame) -> tuple[list[_Group], list[_Group]]:
    """Costs by what they are for: the outermost members of the first dimension that has a hierarchy, and what names
    none."""
    dimension = function_dimension(frame)
    running, after = _by_nature(frame)
    if not dimension:
        return running, after
    codes = frame.dimensions[dimension]
    tops = [item for item in codes.items if not item.parent and item.code != "-"]
    mask = np.zeros(len(frame.accounts), dtype=bool)
    for group in running:
        mask |= select(group.selection, frame.accounts).mask
    costs = written_out(mask & frame.accounts.of_type("expense"), frame.accounts).text()
    groups = [
        _Group(item.name or item.code, f"{costs}; {dimension}: {SelectionPart('under', item.code).text()}")
        for item in tops
    ]
    inside = ", ".join(SelectionPart("under", item.code).text() for item in tops)
    return [*groups, _Group("Not by function", f"{costs}; {dimension}: not {inside}")], after


def function_dimension(frame: Frame) -> str:
    """The dimension that says what costs are for: the first whose members have a hierarchy, else the first; none
    without dimensions."""
    deep = [name for name, codes in frame.dimensions.items() if any(item.parent for item in codes.items)]
    return (deep or list(frame.dimensions) or [""])[0]


def _balance_sheet(frame: Frame) -> list[Raw]:
    accounts = frame.accounts
    labels = ["Assets", "Equity and liabilities", "Equity", "Liabilities", "Result for the year"]
    labels += [total_of(label) for label in labels]
    assets = _lines(grouped(accounts, ["asset"]), labels)
    equity = _lines(grouped(accounts, ["equity"]), [*labels, *(line["line"] for line in assets)])
    owed = _lines(grouped(accounts, ["liability"]), [*labels, *(line["line"] for line in [*assets, *equity])])
    result = {"line": "Result for the year", "accounts": "type:revenue, type:expense", "sign": "flipped"}
    sections: list[Raw] = [{"section": "Equity", "lines": [*equity, result], "total": "Total equity"}]
    if owed:
        sections.append({"section": "Liabilities", "lines": owed, "total": "Total liabilities"})
    lines: list[Raw] = []
    if assets:
        lines.append({"section": "Assets", "lines": assets, "total": "Total assets", "ruling": "double"})
    lines.append(
        {
            "section": "Equity and liabilities",
            "lines": sections,
            "total": "Total equity and liabilities",
            "ruling": "double",
        }
    )
    if assets:
        lines.append(
            {"check": "Assets equal equity and liabilities", "agree": ["Total assets", "Total equity and liabilities"]}
        )
    return lines


def cash_selection(frame: Frame) -> str:
    """The accounts that hold cash: assets and overdrafts whose category or name says cash or bank."""
    mask = np.fromiter(
        (
            (item.type in ("asset", "liability") and "cash" in item.category.casefold())
            or (not item.category and item.name.casefold() in ("cash", "bank"))
            for item in frame.accounts.items
        ),
        dtype=bool,
        count=len(frame.accounts),
    )
    categories = {
        item.category for item, inside in zip(frame.accounts.items, mask, strict=True) if inside and item.category
    }
    if categories:
        return ", ".join(SelectionPart("category", category).text() for category in sorted(categories))
    return written_out(mask, frame.accounts).text() if mask.any() else NOTHING


def _cash(frame: Frame, sources: Sequence[str]) -> list[Raw]:
    cash = cash_selection(frame)
    as_booked = {"sign": "as booked"}
    named = [source for source in dict.fromkeys(sources) if source]
    inside: list[Raw] = [
        {
            "line": with_title(source),
            "accounts": f"{cash}; source: {SelectionPart('code', source).text()}",
            **as_booked,
            "hide": "when nothing was booked",
        }
        for source in named
    ]
    rest = (
        f"{cash}; source: not {', '.join(SelectionPart('code', source).text() for source in named)}" if named else cash
    )
    inside.append(
        {
            "line": "Everything else" if named else "Movements",
            "accounts": rest,
            **as_booked,
            "hide": "when nothing was booked",
        }
    )
    return [
        {"line": "Cash at the beginning", "accounts": cash, "measure": "opening", **as_booked},
        {"section": "Movements by source", "lines": inside, "total": "Change in cash"},
        {"calculation": "Cash at the end", "formula": '"Cash at the beginning" + "Change in cash"', "ruling": "double"},
        {"line": "Cash in the books", "accounts": cash, "measure": "closing", **as_booked, "hide": "always"},
        {"check": "Cash rolls forward", "agree": ["Cash at the end", "Cash in the books"]},
    ]


def _trial_balance(frame: Frame) -> list[Raw]:
    titles = {
        "asset": "Assets",
        "liability": "Liabilities",
        "equity": "Equity",
        "revenue": "Income",
        "expense": "Expenses",
    }
    present = [kind for kind in titles if frame.accounts.of_type(kind).any()]
    sections: list[Raw] = [
        {
            "section": titles[kind],
            "lines": [
                {
                    "line": f"Each of {titles[kind].lower()}",
                    "accounts": f"type:{kind}",
                    "expand": "accounts",
                    "sign": "as booked",
                }
            ],
            "total": total_of(titles[kind]),
        }
        for kind in present
    ]
    return (
        [
            {
                "section": "All accounts",
                "show": "total only",
                "lines": sections,
                "total": "All accounts",
                "ruling": "double",
            }
        ]
        if sections
        else [{"line": "New line", "accounts": NOTHING}]
    )


# columns --------------------------------------------------------------------------------------------------------------

PATTERNS = {
    "budget": "The period and the year to date against budget",
    "prior year": "The period and the year to date against the year before",
    "rolling": "The last twelve periods against the twelve before",
    "by month": "Each of the last twelve periods",
    "departments": "Each department, the last twelve periods against the twelve before",
    "companies": "Each company, year to date",
    "closing": "Closing balances against the end of the year before",
    "roll-forward": "Opening, debits, credits, closing",
}
"""Ready columns, with what they show."""

TWELVE = "Twelve periods to {period.end:Oct 26}"

NATURAL = {
    "balance sheet": "closing",
    "cash roll-forward": "prior year",
    "trial balance": "roll-forward",
    "department comparison": "departments",
}
"""The columns that a kind of statement starts with; the others start against budget or the year before."""


def natural_pattern(kind: str, frame: Frame) -> str:
    """The columns that suit what a statement starts as."""
    return NATURAL.get(kind, "budget" if budget_of(frame) else "prior year")


def budget_of(frame: Frame) -> str:
    """The first scenario that is a budget, empty when there is none."""
    return next((code for code, kind in frame.scenarios.items() if kind == "budget"), "")


def patterns_for(frame: Frame) -> dict[str, str]:
    """The ready columns that this ledger can fill."""
    missing = {
        "budget": not budget_of(frame),
        "departments": not frame.dimensions,
        "companies": len(frame.entities) < 2,
    }
    names = {name: title for name, title in PATTERNS.items() if not missing.get(name)}
    dimension = function_dimension(frame)
    if "departments" in names:
        names["departments"] = f"Each {dimension}, the last twelve periods against the twelve before"
    return names


SHOWS_BALANCES = ("balance sheet",)
"""Kinds of statements whose columns show what stands at their end, whichever ready ones are chosen."""


def start_span(pattern: str, name: str, frame: Frame, kind: str = "") -> Raw:
    """The span of a ready pattern for a statement of some kind."""
    ready = patterns_for(frame)
    if pattern not in ready:
        raise RulkaError(f"There are no ready columns '{pattern}'.", hint=one_of(pattern, ready), subject="start")
    columns = _ready_columns(pattern, frame)
    shown = _closing(columns) if kind in SHOWS_BALANCES else columns
    return {"span": name, "title": ready[pattern], "columns": shown}


ROLLING = {"window": "last 12 periods"}
MONTHS = {
    "series": "months",
    "each": "period",
    "within": "last 12 periods",
    "heading": "{period.end:Oct 26}",
    "total": "Twelve periods",
}
COMPANIES = {
    "series": "companies",
    "each": "entity",
    "window": "year to date",
    "heading": "{member}",
    "total": "Sum",
    "hide": "when empty",
}
SINCE_YEAR_END = (
    {"column": "now", "heading": "{period.end:05 Oct 26}", "measure": "closing"},
    {
        "column": "year-end",
        "heading": "{period.end:05 Oct 26}",
        "window": "year",
        "shift": "-1 year",
        "measure": "closing",
    },
    {"column": "change", "heading": "Change", "difference": ["now", "year-end"]},
)


def _ready_columns(pattern: str, frame: Frame) -> list[Raw]:
    year_before = {"shift": "-1 year"}
    match pattern:
        case "budget":
            return _month_and_date({"scenario": budget_of(frame)})
        case "prior year":
            return _month_and_date(year_before)
        case "rolling":
            return _against("", ROLLING, year_before, heading=TWELVE)
        case "by month":
            return [dict(MONTHS)]
        case "departments":
            return [_departments(function_dimension(frame), _against("", ROLLING, year_before, heading=TWELVE))]
        case "companies":
            return [dict(COMPANIES)]
        case "closing":
            return [dict(column) for column in SINCE_YEAR_END]
        case _:
            measures = ("opening", "debits", "credits", "closing")
            return [{"column": one, "heading": with_title(one), "measure": one} for one in measures]


def _month_and_date(against: Raw) -> list[Raw]:
    """A month and the year to date, each against something."""
    return [*_against("", {}, against), *_against("ytd-", {"window": "year to date"}, against)]


def _departments(dimension: str, inner: list[Raw]) -> Raw:
    return {
        "series": "departments",
        "each": dimension,
        **ROLLING,
        "group": "{member}",
        "none": f"No {dimension}",
        "total": "All",
        "hide": "when empty",
        "columns": inner,
    }


def _closing(columns: list[Raw]) -> list[Raw]:
    """Columns that show closing balances; the year to date closes where its period does and is left out."""
    found: list[Raw] = []
    for column in columns:
        if str(column.get("column", "")).startswith("ytd-"):
            continue
        works_on_others = "difference" in column or "percent" in column
        inner = {"columns": _closing(column["columns"])} if "columns" in column else {}
        found.append(column if works_on_others or "measure" in column else {**column, "measure": "closing", **inner})
    return found


def _against(prefix: str, window: Raw, other: Raw, *, heading: str = "{window}") -> list[Raw]:
    """Actual figures, what they are compared with, the difference and its percent."""
    scenario = other.get("scenario", "")
    now, before = f"{prefix}actual", f"{prefix}{'budget' if scenario else 'before'}"
    over: Raw = {"group": "{window}"} if scenario else {}
    return [
        {"column": now, "heading": "Actual" if scenario else heading, **over, **window},
        {"column": before, "heading": with_title(scenario) if scenario else heading, **over, **window, **other},
        {"column": f"{prefix}difference", "heading": "Difference", **over, "difference": [now, before]},
        {"column": f"{prefix}percent", "heading": "%", **over, "percent": [now, before]},
    ]


# nodes ----------------------------------------------------------------------------------------------------------------


WITHIN = " > "
"""Stands between a dimension and another one that pages grow from within it."""


def start_scope(grow: str, name: str, frame: Frame, entity: str) -> Raw:
    """A scope of one entity with a page for the whole of it and for each member of a dimension, or of one within
    another, outer > inner."""
    grown: list[Raw] = []
    for name_of in reversed(grow.split(WITHIN)):
        if name_of not in frame.dimensions:
            raise RulkaError(
                f"There are no pages by '{name_of}'.", hint=one_of(name_of, frame.dimensions), subject="start"
            )
        grown = [{"grow": name_of, **({"nodes": grown} if grown else {})}]
    whole = frame.entities[entity if entity in frame.entities.index else frame.first_entity]
    node: Raw = {
        "node": whole.code,
        "name": whole.name,
        "of": f"entity: {SelectionPart('under', whole.code).text()}",
        "nodes": grown,
    }
    return {"scope": name, "title": f"{whole.name} by {grow.replace(WITHIN, ' and ')}", "nodes": [node]}
