"""An extract as it is written: rows of a set, columns, conditions, questions, order, layouts. Texts are parsed once,
where they are read; what they mean in a ledger comes later."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Final, Literal

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.values import whole

Total = Literal["", "sum", "count", "distinct", "average", "least", "most"]
TOTALS: Final[tuple[Total, ...]] = ("sum", "count", "distinct", "average", "least", "most")
TOTAL_WORDS: Final = {
    "sum": "sum of", "count": "number of", "distinct": "different", "average": "average", "least": "least",
    "most": "most",
}  # fmt: skip
TYPES: Final = ("date", "period", "selection", "list", "number", "text", "yes or no")
MOST_COLUMNS = 100
MOST_CONDITIONS = 60
MOST_TOP = 1_000_000
NAME = re.compile(r"[a-z][a-z0-9_]{0,39}", re.ASCII)
ASKED = re.compile(r"\{([a-z][a-z0-9_]{0,39})\}", re.ASCII)
"""A question's place in a condition: `{supplier}`."""
YES = ("yes", "true", "1")


@dataclass(frozen=True)
class ExtractColumnDef:
    """One column: a field, or a formula over fields and other columns; `total` says what becomes of it where rows are
    put together."""

    field: str = ""
    formula: str = ""
    title: str = ""
    total: Total = ""
    kind: str = ""

    @property
    def key(self) -> str:
        """What sorts, layouts and pivots call it."""
        return self.title or (f"{TOTAL_WORDS[self.total]} {self.field}" if self.total else self.field)


@dataclass(frozen=True)
class ConditionDef:
    """Rows that count: what a field must be, in words; or, of several conditions, that any holds. `given` names the
    question without whose answer it is left out."""

    field: str = ""
    words: str = ""
    any_of: tuple[ConditionDef, ...] = ()
    given: str = ""

    @property
    def asks(self) -> tuple[str, ...]:
        """The questions that it needs answers to."""
        own = dict.fromkeys([*([self.given] if self.given else []), *ASKED.findall(self.words)])
        return tuple(own | dict.fromkeys(name for one in self.any_of for name in one.asks))


@dataclass(frozen=True)
class AskDef:
    """A question: what type its answer has, of which codes, whether it must be answered, what it is without one, and
    what of a page answers it."""

    name: str
    title: str
    type: str
    of: str = ""
    required: bool = False
    several: bool = False
    default: str = ""
    source: str = ""
    hint: str = ""

    @property
    def label(self) -> str:
        return self.title or self.name.replace("_", " ").capitalize()


@dataclass(frozen=True)
class SortDef:
    column: str
    falling: bool = False

    @property
    def words(self) -> str:
        return f"{self.column} falling" if self.falling else self.column


@dataclass(frozen=True)
class PivotDef:
    """Rows put together down and across by columns; `top` keeps the largest down, the others as one row."""

    down: tuple[str, ...] = ()
    across: tuple[str, ...] = ()
    value: str = ""
    how: Total = "sum"
    filters: tuple[str, ...] = ()
    top: int = 0
    chart: bool = False

    def __bool__(self) -> bool:
        return bool(self.value or self.down)


@dataclass(frozen=True)
class LayoutDef:
    """How an extract's columns lie in a file: which, in what order, how wide (characters) and in which format; sums
    above the rows, by the values of a column, a sheet for each value of one, a pivot, a chart of it. With `template`
    its workbook is filled into that of its name; `base` is the layout that this was made of."""

    name: str
    columns: tuple[str, ...] = ()
    widths: Mapping[str, int] = field(default_factory=dict)
    formats: Mapping[str, str] = field(default_factory=dict)
    titles: Mapping[str, str] = field(default_factory=dict)
    sums: bool = True
    by: str = ""
    each: str = ""
    pivot: PivotDef = PivotDef()
    template: bool = False
    base: str = ""


FORMATS: Final = {
    "amount": "#,##0.00;-#,##0.00", "whole": "#,##0;-#,##0", "thousands": "#,##0,;-#,##0,", "percent": "0.0%",
    "brackets": "#,##0.00;(#,##0.00)", "day": "yyyy-mm-dd", "day in words": "d mmmm yyyy", "month": "mmmm yyyy",
    "text": "@",
}  # fmt: skip
"""The formats that a layout may give to a column, by what they are called."""


@dataclass(frozen=True)
class ExtractDef:
    """An extract. `rows` names its set; of statement figures `of` names the statement."""

    name: str
    title: str
    rows: str
    of: str = ""
    asked_by: str = ""
    about: str = ""
    columns: tuple[ExtractColumnDef, ...] = ()
    where: tuple[ConditionDef, ...] = ()
    asks: tuple[AskDef, ...] = ()
    keep: tuple[ConditionDef, ...] = ()
    sort: tuple[SortDef, ...] = ()
    top: int = 0
    keys: tuple[str, ...] = ()
    layouts: tuple[LayoutDef, ...] = ()

    @property
    def is_grouped(self) -> bool:
        return any(column.total for column in self.columns)

    def column(self, key: str) -> ExtractColumnDef:
        """A column by what it is called."""
        return next(one for one in self.columns if one.key.casefold() == matched(key, self.column_keys).casefold())

    @property
    def column_keys(self) -> list[str]:
        return [one.key for one in self.columns]

    def ask(self, name: str) -> AskDef:
        """A question by its name."""
        for one in self.asks:
            if one.name == name:
                return one
        raise NotFound(f"It asks no '{name[:40]}'.", hint=one_of(name, [one.name for one in self.asks]), subject=name)

    def layout(self, name: str) -> LayoutDef:
        """A layout by its name; without one the first, or the extract as it is."""
        if not name:
            return self.layouts[0] if self.layouts else LayoutDef("")
        for one in self.layouts:
            if one.name.casefold() == name.casefold():
                return one
        raise NotFound(
            f"There is no layout '{name[:60]}'.", hint=one_of(name, [one.name for one in self.layouts]),
            subject="layout",
        )  # fmt: skip


def matched(key: str, keys: Sequence[str]) -> str:
    """A column's key as it is written there, whatever its capitals; NotFound where there is none."""
    wanted = " ".join(key.split()).casefold()
    for one in keys:
        if one.casefold() == wanted:
            return one
    raise NotFound(f"There is no column '{key[:60]}'.", hint=one_of(key, list(keys)), subject="column")


# reading ------------------------------------------------------------------------------------------------------------


def extract_from(raw: Mapping[str, Any]) -> ExtractDef:
    """An extract from its mapping, checked in itself; raises RulkaError that says where what is wrong."""
    rows = raw.get("rows", "")
    of = ""
    if isinstance(rows, Mapping):
        kind, of = next(iter(rows.items()))
        rows = {"figures": "statement figures"}.get(str(kind), str(kind))
        of = str(of)
    found = ExtractDef(
        str(raw.get("extract", "")),
        " ".join(str(raw.get("title", raw.get("extract", ""))).split()),
        str(rows),
        of,
        str(raw.get("for", "")),
        str(raw.get("about", "")),
        tuple(_column(one) for one in raw.get("columns", ())),
        tuple(_condition(one) for one in raw.get("where", ())),
        tuple(ask_from(one) for one in raw.get("ask", ())),
        tuple(_condition(one) for one in raw.get("keep", ())),
        tuple(read_sort(str(one)) for one in raw.get("sort", ())),
        whole(str(raw["top"]), "top", least=1, most=MOST_TOP) if raw.get("top") else 0,
        tuple(str(one) for one in raw.get("keys", ())),
        tuple(layout_from(one) for one in raw.get("layouts", ())),
    )
    _check(found)
    return found


def _column(raw: Any) -> ExtractColumnDef:
    if isinstance(raw, str):
        return ExtractColumnDef(field=" ".join(raw.split()))
    total = str(raw.get("total", ""))
    if total and total not in TOTALS:
        raise NotFound(f"'{total[:20]}' is no total.", hint=one_of(total, TOTALS), subject="columns")
    formula = str(raw.get("formula", "")).strip().removeprefix("=")
    found = ExtractColumnDef(
        " ".join(str(raw.get("column", "")).split()), formula, " ".join(str(raw.get("as", "")).split()),
        total, str(raw.get("type", "")),
    )  # fmt: skip
    if found.formula and not found.title:
        raise RulkaError("A formula needs a title.", hint="Say as: and what it is called.", subject="columns")
    if bool(found.field) == bool(found.formula):
        raise RulkaError("A column is a field or a formula.", hint="Write column: or formula:.", subject="columns")
    if found.formula and found.total:
        raise RulkaError(
            "A formula is not put together by itself.", hint="Put together what it is made of.", subject=found.title
        )
    return found


def _condition(raw: Mapping[str, Any]) -> ConditionDef:
    given = str(raw.get("if", ""))
    if "any" in raw:
        return ConditionDef(any_of=tuple(_condition(one) for one in raw["any"]), given=given)
    named = [(str(name), value) for name, value in raw.items() if name != "if"]
    if len(named) != 1:
        raise RulkaError(
            "A condition is about one field.", hint="Write one field and what it must be.", subject="where"
        )
    name, value = named[0]
    words = ", ".join(str(one) for one in value) if isinstance(value, list) else str(value)
    return ConditionDef(" ".join(name.split()), " ".join(words.split()), given=given)


def ask_from(raw: Mapping[str, Any]) -> AskDef:
    """A question from its mapping."""
    name, type_ = str(raw.get("ask", "")), str(raw.get("type", "text"))
    if not NAME.fullmatch(name):
        raise RulkaError(
            f"'{name[:40]}' can't name a question.", hint="Use small letters, digits and _, such as from_day.",
            subject="ask",
        )  # fmt: skip
    if type_ not in TYPES:
        raise NotFound(f"'{type_[:20]}' is no type.", hint=one_of(type_, TYPES), subject=name)
    return AskDef(
        name, " ".join(str(raw.get("title", "")).split()), type_, str(raw.get("of", "")),
        str(raw.get("required", "")).casefold() in YES, str(raw.get("several", "")).casefold() in YES,
        str(raw.get("default", "")), str(raw.get("from", "")), str(raw.get("hint", "")),
    )  # fmt: skip


def read_sort(text: str) -> SortDef:
    """`Amount falling`, `Supplier`, `Date rising`."""
    words = text.split()
    if len(words) > 1 and words[-1].casefold() in ("falling", "rising"):
        return SortDef(" ".join(words[:-1]), words[-1].casefold() == "falling")
    return SortDef(" ".join(words))


def layout_from(raw: Mapping[str, Any]) -> LayoutDef:
    """A layout from its mapping."""
    name = " ".join(str(raw.get("layout", "")).split())[:80]
    if not name:
        raise RulkaError("A layout needs a name.", hint="Such as 'By supplier'.", subject="layouts")
    widths = {
        str(key): whole(str(value), f"width of {key}", least=1, most=255)
        for key, value in raw.get("widths", {}).items()
    }
    formats = {str(key): str(value) for key, value in raw.get("formats", {}).items()}
    for key, value in formats.items():
        if value not in FORMATS:
            raise NotFound(f"'{value[:30]}' is no format.", hint=one_of(value, FORMATS), subject=f"format of {key}")
    pivot = raw.get("pivot") or {}
    how = str(pivot.get("how", "sum"))
    if how not in TOTALS:
        raise NotFound(f"'{how[:20]}' is no total.", hint=one_of(how, TOTALS), subject="pivot")
    return LayoutDef(
        name, _names(raw.get("columns", ())), widths, formats,
        {str(key): " ".join(str(value).split())[:80] for key, value in raw.get("titles", {}).items()},
        str(raw.get("sums", "yes")).casefold() in YES, str(raw.get("subtotals", "")), str(raw.get("sheets", "")),
        PivotDef(
            _names(pivot.get("down", ())), _names(pivot.get("across", ())), str(pivot.get("value", "")),
            how, _names(pivot.get("filters", ())),
            whole(str(pivot["top"]), "pivot's top", least=1, most=10_000) if pivot.get("top") else 0,
            str(pivot.get("chart", "")).casefold() in YES,
        ),
        str(raw.get("template", "")).casefold() in YES, str(raw.get("base", "")),
    )  # fmt: skip


def _names(raw: Any) -> tuple[str, ...]:
    return (raw,) if isinstance(raw, str) and raw else tuple(str(one) for one in raw)


def _check(found: ExtractDef) -> None:
    where = found.name or found.title
    if not found.title:
        raise RulkaError("An extract needs a title.", hint="Such as 'Supplier spend'.", subject="title")
    if not found.columns:
        raise RulkaError("It has no columns.", hint="Choose at least one.", subject=where)
    if len(found.columns) > MOST_COLUMNS or len(found.where) > MOST_CONDITIONS:
        raise RulkaError(
            f"It has more than {MOST_COLUMNS} columns or {MOST_CONDITIONS} conditions.", hint="Take some away.",
            subject=where,
        )  # fmt: skip
    seen: set[str] = set()
    for key in found.column_keys:
        if key.casefold() in seen:
            raise RulkaError(f"Two columns are called '{key[:60]}'.", hint="Name one of them otherwise.", subject=where)
        seen.add(key.casefold())
    asks = [one.name for one in found.asks]
    if len(set(asks)) < len(asks):
        raise RulkaError("Two questions have one name.", hint="Name one of them otherwise.", subject=where)
    for condition in (*found.where, *found.keep):
        for name in condition.asks:
            if name not in asks:
                raise NotFound(f"It asks no '{name}'.", hint=one_of(name, asks), subject=f"{where}, conditions")
    for sort in found.sort:
        matched(sort.column, found.column_keys)
    names = [one.name.casefold() for one in found.layouts]
    if len(set(names)) < len(names):
        raise RulkaError("Two layouts have one name.", hint="Name one of them otherwise.", subject=where)
    for layout in found.layouts:
        check_layout(layout, found)


def check_layout(layout: LayoutDef, extract: ExtractDef) -> None:
    """Refuse a layout that names columns which the extract hasn't."""
    pivot = layout.pivot
    named = [*layout.columns, *layout.widths, *layout.formats, *layout.titles, *filter(None, (layout.by, layout.each)),
             *pivot.down, *pivot.across, *pivot.filters, *filter(None, (pivot.value,))]  # fmt: skip
    for key in named:
        try:
            matched(key, extract.column_keys)
        except RulkaError as error:
            error.subject = f"layout {layout.name}"
            raise
    if pivot:
        if not pivot.down or not pivot.value:
            raise RulkaError("A pivot needs what goes down and a value.", hint="Choose both.", subject="pivot")
        axes = [key.casefold() for key in (*pivot.down, *pivot.across, *pivot.filters)]
        if len(set(axes)) < len(axes):
            raise RulkaError("A column stands in a pivot once.", hint="Take it away from one side.", subject="pivot")


def with_layouts(extract: ExtractDef, more: Sequence[LayoutDef]) -> ExtractDef:
    """The extract with further layouts; of two of one name the later counts."""
    names = {one.name.casefold() for one in more}
    return replace(extract, layouts=(*(one for one in extract.layouts if one.name.casefold() not in names), *more))


def layout_mapping(layout: LayoutDef) -> dict[str, Any]:
    """A layout as it is written; `layout_from` reads it back the same."""
    pivot = layout.pivot
    found: dict[str, Any] = {
        "layout": layout.name, "columns": list(layout.columns),
        "widths": {key: str(value) for key, value in layout.widths.items()}, "formats": dict(layout.formats),
        "titles": dict(layout.titles), "sums": "" if layout.sums else "no", "subtotals": layout.by,
        "sheets": layout.each,
        "pivot": {
            "down": list(pivot.down), "across": list(pivot.across), "value": pivot.value, "how": pivot.how,
            "filters": list(pivot.filters), "top": str(pivot.top) if pivot.top else "",
            "chart": "yes" if pivot.chart else "",
        } if pivot else {},
        "template": "yes" if layout.template else "", "base": layout.base,
    }  # fmt: skip
    found["pivot"] = {key: value for key, value in found["pivot"].items() if value}
    return {key: value for key, value in found.items() if value}
