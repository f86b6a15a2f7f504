"""Spans: the columns that run across a statement, as a definition file writes them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, Literal

from rulka.core.books.frame import MEASURES
from rulka.core.books.narrowing import EVERYTHING, Narrowing, read_narrowing
from rulka.core.definitions.expressions import Formula, read_formula
from rulka.core.definitions.headings import check_heading
from rulka.core.definitions.keys import KeyGiver
from rulka.core.definitions.looks import ANY_STYLE, NumberStyle, number_from
from rulka.core.definitions.spines import PRINTS
from rulka.core.definitions.windows import NO_SHIFT, PERIOD, PIECE, WINDOWS, Shift, WindowDef, read_shift, read_window
from rulka.core.errors import RulkaError, one_of

ColumnKind = Literal["figures", "difference", "percent", "share", "sum", "check", "formula", "text", "series"]
COMPARED: tuple[ColumnKind, ...] = ("difference", "percent", "share", "sum", "check", "formula")
"""Kinds of columns that work on other columns."""

TIME = ("period", "quarter", "year", "week")
"""What a series goes through in time; the others are child, entity and each dimension of the ledger."""

INHERITED = (
    "scenario",
    "then",
    "window",
    "shift",
    "weeks",
    "by day",
    "measure",
    "credits",
    "entries",
    "part",
    "node",
    "inside",
    "calendar",
    "number",
    "width",
)
"""What the columns inside of a series take from it unless they say it themselves; its narrowing clause by clause
besides."""

TEXTS = ("label", "accounts", "note", "number", "date", "description", "document", "counterparty", "source", "trend")


@dataclass(frozen=True)
class ColumnDef:
    """One column of a span, or a series that becomes many.

    `kind` is figures, difference, percent, share, sum, check, formula, text or series; `of` names the columns it works
    on, for a check those that together must equal the last of them. `aggregates` is yes, no or empty for the default of
    its kind.
    """

    key: str
    kind: ColumnKind
    heading: str
    groups: tuple[str, ...] = ()
    scenario: str = "actual"
    then: str = ""
    window: WindowDef = PERIOD
    shift: Shift = NO_SHIFT
    weeks: str = "period"
    by_day: str = ""
    measure: str = "activity"
    credits: str = "positive"
    entries: str = "posted"
    narrow: Narrowing = EVERYTHING
    node: str = ""
    inside: str = ""
    calendar: str = ""
    part: str = ""
    of: tuple[str, ...] = ()
    base: str = ""
    line: str = ""
    formula: Formula | None = None
    text: str = ""
    aggregates: str = ""
    hide: str = ""
    number: NumberStyle = ANY_STYLE
    width: int = 0
    each: str = ""
    within: WindowDef | None = None
    columns: tuple[ColumnDef, ...] = ()
    totals: tuple[str, ...] = ()
    total: str = ""
    none: str = ""
    tolerance: Fraction = Fraction(0)
    prints: str = ""

    @property
    def does_aggregate(self) -> bool:
        """Whether calculated lines are derived again from this column's own figures."""
        if self.aggregates:
            return self.aggregates == "yes"
        if self.kind == "formula":
            return self.formula is not None and self.formula.operators <= {"+"}
        return self.kind in ("figures", "sum")


@dataclass(frozen=True)
class SpanDef:
    name: str
    title: str
    columns: tuple[ColumnDef, ...]

    def walk(self) -> Iterator[ColumnDef]:
        """Every column as written, a series before its own columns."""
        for column in self.columns:
            yield column
            yield from column.columns


def span_from(body: Mapping[str, Any]) -> SpanDef:
    """Build a span from a checked mapping; a column that another one works on must stand to its left."""
    where = f"span {body['span']}"
    return SpanDef(body["span"], body.get("title", body["span"]), _columns(body["columns"], KeyGiver(), (), where))


def _columns(
    raws: Sequence[Mapping[str, Any]], keys: KeyGiver, known: Sequence[ColumnDef], where: str
) -> tuple[ColumnDef, ...]:
    columns: list[ColumnDef] = []
    for raw in raws:
        is_series = "series" in raw
        key = keys.give(raw["series"] if is_series else raw["column"], "", where)
        column = _column(raw, key, f"{where}, column {key}")
        if is_series:
            _check_series(raw, f"{where}, series {key}")
            inner = _columns(
                [_inherited(inner, raw, f"{where}, column {key}") for inner in raw.get("columns", ())], keys, [], where
            )
            if any(part.kind == "series" for part in inner):
                raise RulkaError(
                    "A series holds another series.",
                    hint="Use its totals, or two series.",
                    subject=f"{where}, column {key}",
                )
            column = replace(column, columns=inner)
        _check_operands(column, [*known, *columns], f"{where}, column {key}")
        columns.append(column)
    return tuple(columns)


def _inherited(raw: Mapping[str, Any], series: Mapping[str, Any], where: str) -> dict[str, Any]:
    """A column inside of a series with what it takes from it.

    One with a scenario of its own is not changed into the series' other one. The pieces of a series through time are
    shifted already; such a column says what it shows of its piece, or by a window of its own what it sees from there.
    """
    if any(kind in raw for kind in (*COMPARED, "text", "series")):
        return dict(raw)
    if "calendar" in raw:
        raise RulkaError(
            "A column inside of a series keeps the series' calendar.", hint="Say it on the series.", subject=where
        )
    through_time = series["each"] in TIME
    left_out = {"then"} if "scenario" in raw else set()
    left_out |= {"shift", "window"} if through_time else set()
    taken = {name: series[name] for name in INHERITED if name in series and name not in left_out}
    found = {**taken, **raw}
    if through_time:
        found.setdefault("window", PIECE.written)
    try:
        narrow = _narrowed(str(raw.get("narrow", "")), str(series.get("narrow", "")), series["each"])
    except RulkaError as error:
        error.subject = error.subject or where
        raise
    return {**found, "narrow": narrow} if narrow else found


def _narrowed(own: str, series: str, each: str) -> str:
    """A column's narrowing with the series' clauses on whatever it doesn't narrow itself; what chooses members stays
    the series' own."""
    taken = read_narrowing(series).without(each)
    for clause in read_narrowing(own).clauses:
        taken = taken.without(clause.name)
    return "; ".join(filter(None, (own, taken.written)))


def _check_series(raw: Mapping[str, Any], where: str) -> None:
    """A series through time is cut from `within`; one over members, entities or children looks through `window`."""
    through_time = raw["each"] in TIME
    wrong = [name for name in (("window",) if through_time else ("within", "totals", "weeks")) if name in raw]
    wrong += ["none"] if through_time and "none" in raw else []
    if wrong:
        hint = "Say what is cut into pieces by 'within'." if through_time else "Say what time it shows by 'window'."
        raise RulkaError(f"A series of each {raw['each']} takes no '{wrong[0]}'.", hint=hint, subject=where)
    if raw["each"] == "week" and "totals" in raw:
        raise RulkaError("Weeks have no totals by quarter or year.", hint="Give the series a total.", subject=where)


def _column(raw: Mapping[str, Any], key: str, where: str) -> ColumnDef:
    kinds: tuple[ColumnKind, ...] = (*COMPARED, "text", "series")
    kind: ColumnKind = next((kind for kind in kinds if kind in raw), "figures")
    try:
        column = _read_column(raw, key, kind)
        for heading in (column.heading, *column.groups, column.total, column.none):
            check_heading(heading)
    except RulkaError as error:
        error.subject = where
        raise
    return column


def _compared(raw: Mapping[str, Any], kind: ColumnKind) -> tuple[str, ...]:
    """The keys of the columns that a column is made of."""
    if kind == "share":
        return (raw["share"],)
    if kind not in ("difference", "percent", "sum", "check"):
        return ()
    return (*raw.get(kind, ()), raw["equals"]) if kind == "check" else tuple(raw.get(kind, ()))


def _read_column(raw: Mapping[str, Any], key: str, kind: ColumnKind) -> ColumnDef:
    groups = raw.get("group", ())
    formula = read_formula(raw["formula"]) if raw.get("formula") else None
    return ColumnDef(
        key=key,
        kind=kind,
        heading=raw.get("heading", "" if kind in ("text", "series") else key),
        groups=(groups,) if isinstance(groups, str) else tuple(groups),
        scenario=raw.get("scenario", "actual"),
        then=raw.get("then", ""),
        window=_window(raw.get("window", WINDOWS[0])),
        within=read_window(raw["within"]) if raw.get("within") else None,
        shift=read_shift(raw.get("shift", "")),
        weeks=raw.get("weeks", "period"),
        by_day=raw.get("by day", ""),
        measure=raw.get("measure", MEASURES[0]),
        credits=raw.get("credits", "positive"),
        entries=raw.get("entries", "posted"),
        narrow=read_narrowing(raw.get("narrow", "")),
        node=raw.get("node", ""),
        inside=raw.get("inside", ""),
        calendar=raw.get("calendar", ""),
        part=raw.get("part", ""),
        of=formula.names if formula else _compared(raw, kind),
        base=raw.get("base", ""),
        line=raw.get("line", ""),
        formula=formula,
        text=raw.get("text", ""),
        aggregates=raw.get("aggregates", ""),
        hide=raw.get("hide", ""),
        number=number_from(raw.get("number", {})),
        width=int(raw.get("width", "0")),
        each=raw.get("each", ""),
        totals=tuple(raw.get("totals", ())),
        total=raw.get("total", ""),
        none=raw.get("none", ""),
        tolerance=Fraction(raw.get("tolerance", "0")),
        prints=raw.get("print", PRINTS[0] if kind == "check" else ""),
    )


def _window(text: str) -> WindowDef:
    return read_window(text) if text else PIECE


def _check_operands(column: ColumnDef, known: Sequence[ColumnDef], where: str) -> None:
    """Every column that this one works on stands to the left and holds figures."""
    by_key = {former.key: former for former in known if former.kind != "text"}
    for former in known:
        if former.total:
            by_key |= {f"{former.key}-total-{inner.key}": inner for inner in former.columns}
            by_key |= {} if former.columns else {f"{former.key}-total": replace(former, kind="figures")}
    for wanted in (*column.of, *filter(None, (column.base,))):
        if wanted not in by_key:
            raise RulkaError(
                f"It works on '{wanted}', which is no column to the left of it.",
                hint=one_of(wanted, by_key),
                subject=where,
            )
        if by_key[wanted].kind in ("percent", "share") and column.kind != "formula":
            raise RulkaError(
                f"It compares the {by_key[wanted].kind} column {wanted}.",
                hint="Compare amounts, or write a formula.",
                subject=where,
            )
    if column.kind == "formula":
        return
    single = column.of[-1:] if column.kind == "check" else () if column.kind == "sum" else column.of
    if any(by_key[wanted].kind == "series" for wanted in single):
        raise RulkaError(
            f"A {column.kind} can't take a whole series.",
            hint="Only a sum, or what a check adds up, can.",
            subject=where,
        )
