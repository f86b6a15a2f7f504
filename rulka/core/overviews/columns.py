"""The columns in which an overview reads a statement's lines: each window with actual, budget and year before, the
months of the year, the last twelve, and the same for each member.

A key says what a column holds: `date-budget` is the budget of the year to date, `months-2027-p07-actual` the actual
figure of a month, `member-tf-gap` how far an entity is from its budget in the window that is shown."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Final, Literal

import numpy as np

from rulka.core.books.balances import MovementSource
from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.books.chart import BoolArray
from rulka.core.books.selection import SelectionPart
from rulka.core.compute.nodes import Node
from rulka.core.definitions.spans import SpanDef, span_from
from rulka.core.definitions.spines import LineDef, SpineDef
from rulka.core.overviews.definitions import BY_CHILD, WINDOWS, Window

Raw = dict[str, Any]
Of = Literal["actual", "budget", "prior", "gap", "gap-part", "change", "change-part"]
READ: Final[dict[Window, str]] = {"month": "period", "date": "year to date", "year": "year"}
MONTHS, RUN, MEMBER = "months", "run", "member"
RUN_LENGTH = 12
UNPLANNED: Final = (
    RUN, *(name for window in ("", "month-", "date-", "year-") for name in
           (f"{window}actual", f"{window}prior", f"{window}change", f"{window}change-part")),
)  # fmt: skip
"""The columns that show lines which their statement limits to some of its own: what was, not what was planned."""

MOST_AT_ONCE = 15
"""Members whose months are read at once: two columns for each of twelve months stay below what a span may hold."""


@dataclass(frozen=True)
class Scenarios:
    """What figures are measured against: codes of the ledger, empty where there is none. `forecast` is empty too where
    nothing is forecast for the months after the reporting period. `no_year` says why the year as a whole can't be told,
    where that is so."""

    budget: str = ""
    forecast: str = ""
    no_year: str = ""


@dataclass(frozen=True)
class MemberDef:
    """One member of a series as columns narrow to it: an entity or a member by `narrow`, a child node by `inside`."""

    code: str
    by: str

    @property
    def raw(self) -> Raw:
        if self.by == BY_CHILD:
            return {"inside": self.code}
        return {"narrow": f"{self.by}: {SelectionPart('code', self.code).text()}"}


def whole_lines(spine: SpineDef) -> SpineDef:
    """A spine whose lines stand as one row each, since an overview shows lines as a whole."""
    return replace(spine, lines=tuple(_whole(line) for line in spine.lines))


def _whole(line: LineDef) -> LineDef:
    inner = tuple(_whole(inner) for inner in line.lines)
    return replace(line, expand=(), below=(), hide="", columns=UNPLANNED if line.columns else (), lines=inner)


def scenarios_for(view: View, period: Period, node: Node, budget: str, forecast: str, *, translated: bool) -> Scenarios:
    """The scenarios of a ledger that an overview compares with: those it names, else the first of each kind; something
    has to be forecast for the node."""
    kinds = view.frame.scenarios
    plan = budget or next((code for code, kind in kinds.items() if kind == "budget"), "")
    ahead = forecast or next((code for code, kind in kinds.items() if kind == "forecast"), "")
    ahead = ahead if ahead and _is_forecast(view, period, node.keys, ahead) else ""
    return Scenarios(plan, ahead, _no_rate(view, period, node) if translated else "")


def _no_rate(view: View, period: Period, node: Node) -> str:
    """Which rate is missing for the months to come, in words; nothing where none is."""
    frame = view.frame
    currencies = {frame.currencies[place] for place in np.flatnonzero(node.entities)} - {frame.group_currency}
    for later in frame.calendar.of_year(period.year):
        if later.index <= period.index or later.adjusting:
            continue
        for currency in sorted(currencies):
            if frame.rates.find("average", later.code, currency, frame.group_currency) is None:
                return f"The ledger has no rate for {currency} in {later.title}, so the year can't be added up."
    return ""


def _is_forecast(view: View, period: Period, keys: BoolArray, scenario: str) -> bool:
    """Whether anything is forecast after a period of its year; at the year's end there is nothing left to forecast."""
    last = view.frame.calendar.of_year(period.year)[-1]
    if period.index >= last.index:
        return True
    counts = view.balances_of(MovementSource(scenario)).counts
    return bool((counts[keys, last.index + 1] != counts[keys, period.index + 1]).any())


def totals_span(known: Scenarios) -> SpanDef:
    """The columns of a whole: every window, what is left of the year, the months of the year and the last twelve."""
    columns: list[Raw] = []
    for window in WINDOWS if not known.no_year else WINDOWS[:2]:
        columns += _window(window, window, known)
    if known.budget and not known.no_year:
        columns.append({"column": "left", "heading": "Still to come", "difference": ["year-budget", "date-actual"]})
        columns.append(
            {
                "column": "reached",
                "heading": "Of target",
                "formula": '"date-actual" / "year-budget"',
                "number": {"style": "percent", "decimals": "0"},
            }
        )
    if known.forecast and not known.no_year:
        columns.append({"column": "coming", "heading": "Forecast", "difference": ["year-actual", "date-actual"]})
    month: list[Raw] = [_figures("actual", {}, {})]
    month += [_figures("budget", {}, {"scenario": known.budget})] if known.budget else []
    month += [_figures("prior", {}, {"shift": "-1 year"})]
    ahead = {"then": known.forecast} if known.forecast else {}
    columns.append(
        {
            "series": MONTHS,
            "each": "period",
            "within": "year" if not known.no_year else "year to date",
            "heading": "{period.end:Oct}",
            "columns": [{**one, **(ahead if one["column"] == "actual" else {})} for one in month],
        }
    )
    columns.append(
        {
            "series": RUN,
            "each": "period",
            "within": f"last {RUN_LENGTH} periods",
            "heading": "{period.end:Oct}",
        }
    )
    return span_from({"span": "overview", "columns": columns})


def members_span(known: Scenarios, by: str, window: Window) -> SpanDef:
    """One window for each entity, member or child that has anything."""
    inner = _window("", window, known)
    inner = [{**one, "column": one["column"].removeprefix("-")} for one in inner]
    for one in inner:
        for kind in ("difference", "percent"):
            if kind in one:
                one[kind] = [key.removeprefix("-") for key in one[kind]]
        one["heading"] = "{member.code}" if one["column"] == "actual" else one["heading"]
    own = {} if by in (BY_CHILD, "entity") else {"none": "None"}
    ahead = {"window": READ[window]}
    raw: Raw = {"series": MEMBER, "each": by, "heading": "{member}", **own, **ahead, "columns": inner}
    return span_from({"span": "overview-members", "columns": [raw]})


def member_months_span(known: Scenarios, members: Sequence[MemberDef]) -> SpanDef:
    """The last twelve months of some members, actual and budget."""
    columns: list[Raw] = []
    for place, member in enumerate(members):
        inner: list[Raw] = [{"column": f"m{place}-actual", "heading": "Actual"}]
        if known.budget:
            inner.append({"column": f"m{place}-budget", "heading": "Budget", "scenario": known.budget})
        columns.append(
            {
                "series": months_of(place),
                "each": "period",
                "within": f"last {RUN_LENGTH} periods",
                "heading": "{period.end:Oct}",
                **member.raw,
                "columns": inner,
            }
        )
    return span_from({"span": "overview-months", "columns": columns})


def months_of(place: int) -> str:
    """The series of a member's months, by its place among those that are read at once."""
    return f"{MONTHS}-{place}"


def _figures(key: str, window: Raw, given: Raw) -> Raw:
    heading = {"actual": "Actual", "budget": "Budget", "prior": "Year before"}[key]
    return {"column": key, "heading": heading, **window, **given}


def _window(prefix: str, window: Window, known: Scenarios) -> list[Raw]:
    """A window's figures with what they are compared with."""
    time: Raw = {"window": READ[window]}
    ahead = {"then": known.forecast} if window == "year" and known.forecast else {}

    def key(name: str) -> str:
        return f"{prefix}-{name}"

    def compared(name: str, heading: str, other: str) -> list[Raw]:
        pair = [key("actual"), key(other)]
        return [
            {"column": key(name), "heading": heading, "difference": pair},
            {"column": key(f"{name}-part"), "heading": "%", "percent": pair},
        ]

    made = [{**_figures("actual", time, ahead), "column": key("actual"), "heading": "Actual"}]
    if window == "year" and known.forecast:
        made[0]["heading"] = "Outlook"
    if known.budget:
        made.append({**_figures("budget", time, {"scenario": known.budget}), "column": key("budget")})
        made += compared("gap", "To budget", "budget")
    made.append({**_figures("prior", time, {"shift": "-1 year"}), "column": key("prior")})
    return [*made, *compared("change", "To the year before", "prior")]
