"""What can be set of a line, a column and a statement, in the order people think of it: what it shows, from where, how
it looks. `LINE`, `COLUMN` and `STATEMENT` are the tables; `_written` makes the fields of the panel of their rows."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from rulka.core.books.frame import MEASURES, Frame
from rulka.core.books.selection import NOTHING
from rulka.core.definitions.headings import by_example
from rulka.core.definitions.keys import slug
from rulka.core.definitions.looks import RULED, UNITS
from rulka.core.definitions.pages import DEPTHS, FOOTER, ORIENTATIONS, PAPERS, PLACES
from rulka.core.definitions.spans import TEXTS, TIME
from rulka.core.definitions.spines import CONVENTIONS, EXPANSIONS, HIDING, PRINTS, SIGNS, SORTS, UNLABELLED
from rulka.core.definitions.statements import ROUNDINGS
from rulka.core.definitions.windows import WEEKDAYS, WINDOWS
from rulka.core.edits import columns, lines
from rulka.core.edits.settings import value_of
from rulka.core.edits.tree import Raw, line_kind

SHIFTS = ("-1 year", "-2 years", "-1 period", "-1 quarter", "+1 period")
ENTRIES = ("posted", "with pending", "pending only")
CURRENCIES = ("never", "first and totals", "sections and totals")
RULES = ("none", "single", "double", "thick", "dotted")
YES_NO = ("yes", "no")
BY_PERIOD = ("year to date", "year", "quarter", "last 12 periods")
COLUMN_HIDING = ("never", "always", "when empty", "when zero")

IN_WORDS = {"child": "what is below the node"}
"""Choices that read otherwise than they are written."""

EFFECTS = {
    "total": "such as Total income",
    "show": "total only: no heading above the lines",
    "panel": "second: from here on in the right half",
    "tolerance": "0.50: cents may be apart",
    "print": "it is judged whether it shows or not",
    "sign": "as booked: debits are positive",
    "detail": "closed: readers get no further than the line",
    "rows": "below: the line stays, with its own figures",
    "sort": "amount: the largest first",
    "top": "10: the ten largest, the others in one row",
    "measure": "closing: what stands at the end",
    "window": "period: the month, also beside a year to date",
    "shift": "-1 year: the year before",
    "scenario": "budget: what was planned",
    "entries": "pending only: what isn't posted yet",
    "intercompany": "difference: what two companies don't agree on",
    "owner": "asked first why it moved",
    "hide": "when zero: it shows once there is something",
    "favourable": "says which way is green",
    "ruling": "double: closes the statement",
    "shade": "light: as a total often is",
    "above": "single: as over a total",
    "below": "double: as under a result",
    "align": "left: beside its label",
    "indent": "2: two steps to the right",
    "note": "4.1: where the notes say more",
    "break": "before: it begins a page",
    "keep": "with next: no page ends between",
    "rounding": "exempt: it takes no difference",
    "number.style": "percent: 0.125 is 12.5 %",
    "number.decimals": "1: 1 234.5",
    "number.unit": "thousands: 1 234 500 is 1 234.5",
    "number.negative": "brackets: (120)",
    "number.zero": "dash: \u2013",
    "number.currency": "beside the first figure and on totals",
    "column kind": "figures of the ledger, or worked out of columns",
    "each": "period: a column for each month",
    "column total": "such as All departments",
    "within": "year: all its months, also those to come",
    "none": "such as No department",
    "equals": "total: the key of the one that holds all",
    "base": "budget: the key of what is 100 %",
    "share": "actual: the key of its figures",
    "line": "Total income: each line as a part of it",
    "formula": "actual / sailings: keys of columns",
    "text": "note: the numbers of notes",
    "credits": "negative: they stand with a minus",
    "node": "TF: this company on every page",
    "inside": "110: of the page, what is of Deck",
    "calendar": "own: as the company's year runs",
    "part": "eliminations: what is taken out between companies",
    "weeks": "monday: weeks from Monday to Sunday",
    "by day": "spread: a month's budget, day by day",
    "group": "such as October 2026",
    "column hide": "when empty: it shows once something was booked",
    "width": "such as 14",
    "subtitle": "such as Posted entries, in full",
    "figures.decimals": "1: 1 234.5",
    "figures.zero": "dash: \u2013",
    "figures.rounding": "so that it foots: shown figures add up",
    "figures.rest": "a line such as Other costs",
    "figures.grouping": "space: 1 234 567",
    "figures.decimal mark": "comma: 1 234,5",
    "figures.totals shaded": "light: each total on a tint",
    "page.paper": "A3 holds twice as many columns",
    "page.orientation": "landscape: for many columns",
    "page.fit": "width: columns shrink to one sheet",
    "page.heads": "once: not again on each sheet",
    "page.breaks": "before sections: each on its own sheet",
    "page.logo": "a picture from the ledger's shelf",
    "page.logo place": "centre: over the title",
    "page.title": "left out: figures alone, to be put into another paper",
    "page.checks": "left out: not told under the figures",
    "page.notes": "such as 1 At cost, less depreciation",
    "explain.due": "5: by the fifth day of the next month",
    "explain.types.revenue": "such as 50 000, or never",
    "explain.types.expense": "such as 50 000, or never",
    "explain.types.asset": "such as 50 000, or never",
    "explain.types.liability": "such as 50 000, or never",
}
"""What a setting does where nothing else stands beside it, by its path: a value and what comes of it."""

Widget = Literal["text", "area", "tokens", "suggest", "choice", "person"]
"""How a field is filled in: `suggest` takes any text and offers the usual ones, `person` one of the people."""


@dataclass(frozen=True)
class Setting:
    """One field of the panel, with its value; `default` says what an empty one means."""

    path: str
    label: str
    value: str
    widget: str = "text"
    choices: tuple[tuple[str, str], ...] = ()
    default: str = ""
    hint: str = ""
    do: str = ""
    required: bool = False
    example: str = ""
    """What stands beside the field whatever is typed."""

    @property
    def slug(self) -> str:
        """What names the field on the page."""
        return slug(self.path)


@dataclass(frozen=True)
class SettingGroup:
    """Fields that belong together; `open` groups are unfolded at first."""

    title: str
    settings: tuple[Setting, ...]
    open: bool = True

    @property
    def paths(self) -> set[str]:
        return {setting.path for setting in self.settings}


# the tables ---------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Of:
    """What a row leaves to its surroundings, by a name that `_line`, `_column` or `_page` gives a value."""

    name: str


@dataclass(frozen=True)
class SettingRow:
    """One setting: where it is written, what it is called, how it is filled in, for which kinds of lines or columns
    there is it (for all where none is named), and `when`."""

    path: str | Of
    label: str | Of
    widget: Widget = "text"
    choices: Iterable[str] | Of = ()
    default: str | Of = ""
    kinds: tuple[str, ...] = ()
    when: Of | None = None
    hint: str | Of = ""
    example: str | Of = ""
    required: bool = False
    do: str = ""
    """What an edit of it is called, where not as of the whole table."""


@dataclass(frozen=True)
class SettingRows:
    """Settings that belong together: folded at first where `folded`, but for when one of the settings that it `opens`
    for is written."""

    title: str
    rows: tuple[SettingRow, ...]
    folded: bool = False
    opens: tuple[str, ...] = ()


def _numbers(prefix: str, kinds: tuple[str, ...] = ()) -> SettingRows:
    """How figures are written, of a line or a column."""
    styles, as_statement = ("amount", "percent", "per unit", "quantity"), "as the statement"
    return SettingRows("Numbers", (
        SettingRow(f"{prefix}.style", "Written as", "choice", styles, "as they are", kinds),
        SettingRow(f"{prefix}.decimals", "Decimals", "choice", "0123456", as_statement, kinds),
        SettingRow(f"{prefix}.unit", "Unit", "choice", UNITS, as_statement, kinds),
        SettingRow(f"{prefix}.negative", "Negative", "choice", ("minus", "brackets", "red"), as_statement, kinds),
        SettingRow(f"{prefix}.zero", "Zero", "choice", ("dash", "0", "blank"), as_statement, kinds),
        SettingRow(f"{prefix}.currency", "Currency", "choice", CURRENCIES, as_statement, kinds),
        SettingRow(f"{prefix}.word", "Word behind", default="none", kinds=kinds, example="times or points"),
    ), folded=True)  # fmt: skip


LIN, CAL, SEC, CHECK = ("line",), ("calculation",), ("section",), ("check",)
VALUED = ("line", "calculation", "section")
LABELLED = tuple(kind for kind in lines.NEW if kind not in UNLABELLED)
WORDED = tuple(kind for kind in lines.NEW if kind not in ("spacer", "page break"))
EXPANDED, ITS_COLUMN, QUOTES = (
    Of("expanded"),
    "as the column",
    'Labels as you read them, those of several words in "quotes"',
)

LINE = (
    SettingRows(
        "What it shows",
        (
            SettingRow("kind", "Kind", "choice", Of("kinds"), do="line-kind"),
            SettingRow("label", Of("label"), kinds=LABELLED, required=True, hint=Of("tokens")),
            SettingRow("accounts", "Accounts", "area", default="none yet", kinds=LIN, example=Of("example")),
            SettingRow("formula", "Formula", "area", kinds=CAL, hint=QUOTES),
            SettingRow("total", "Label of its total", default="no total", kinds=SEC),
            SettingRow("show", "Its heading", "choice", ("total only",), "shown", SEC),
            SettingRow("panel", "Half of the page", "choice", ("second",), "goes on", SEC),
            SettingRow(
                "holds",
                "What must be true",
                "area",
                default="or name below what must be equal",
                kinds=CHECK,
                example='"Total assets" = "Total equity and liabilities"',
            ),
            SettingRow(
                "agree",
                "Or lines that must be equal",
                "area",
                default="or write above what must be true",
                kinds=CHECK,
                hint="One line of the statement in each row",
            ),
            SettingRow("tolerance", "Tolerance", default="0", kinds=CHECK),
            SettingRow("print", "On the page", "choice", PRINTS, "when it fails", CHECK),
        ),
    ),
    SettingRows(
        "From where",
        (
            SettingRow("sign", "Sign", "choice", SIGNS, Of("sign"), LIN),
            SettingRow("expand", "One row for each of", default="one row for all", kinds=LIN, hint=Of("expansions")),
            SettingRow("detail", "Detail for readers", "choice", ("closed",), "open", LIN),
            SettingRow(
                "periods",
                "One row for each period of",
                "suggest",
                BY_PERIOD,
                "one row for all",
                LIN,
                Of("unexpanded"),
                example="last 12 periods",
            ),
            SettingRow("total", "Label of its total", default="its label and the time", kinds=LIN, when=Of("periods")),
            SettingRow("rows", "Its rows stand", "choice", ("below",), "in its place", LIN, EXPANDED),
            SettingRow("sort", "Rows sorted by", "choice", SORTS, "code", LIN, EXPANDED),
            SettingRow("top", "Only the largest", default="all", kinds=LIN, when=EXPANDED),
            SettingRow("others", "Label of the others", default="All others", kinds=LIN, when=EXPANDED),
        ),
    ),
    SettingRows(
        "Other than its columns",
        (
            SettingRow("measure", "Measure", "choice", MEASURES, ITS_COLUMN, LIN),
            SettingRow("window", "Window of time", "suggest", WINDOWS, ITS_COLUMN, LIN, Of("of one time")),
            SettingRow("shift", "Shifted by", "suggest", SHIFTS, "not shifted", LIN, Of("of one time")),
            SettingRow("scenario", "Scenario", "choice", Of("scenarios"), ITS_COLUMN, LIN),
            SettingRow("entries", "Entries", "choice", ENTRIES, ITS_COLUMN, LIN),
            SettingRow("intercompany", "Intercompany", "choice", ("difference",), "no", LIN),
        ),
        folded=True,
        opens=("measure", "window", "shift", "scenario", "entries", "intercompany"),
    ),
    SettingRows(
        "Variances",
        (
            SettingRow(
                "explain",
                "To explain beyond",
                default="as the statement",
                kinds=VALUED,
                example="100 000 and 5 %, or never",
            ),
            SettingRow("owner", "Explained by", "person", Of("people"), "by node", VALUED),
            SettingRow("volume", "Counted by", default="nothing", kinds=LIN, example="a statistical account, 9030"),
        ),
        folded=True,
        opens=("explain",),
    ),
    SettingRows(
        "How it looks",
        (
            SettingRow("hide", "Hide", "choice", HIDING, "by default", VALUED),
            SettingRow(
                "favourable", "Better when", "choice", ("higher", "lower", "neither"), "by account type", VALUED
            ),
            SettingRow("ruling", "Ruling", "choice", ("single", "double"), "by kind", VALUED),
            SettingRow("hide", "Hide", "choice", HIDING, "never", ("heading", "text", "spacer")),
            SettingRow("look.bold", "Bold", "choice", YES_NO, "by kind", WORDED),
            SettingRow("look.italic", "Italic", "choice", YES_NO, "no", WORDED),
            SettingRow("look.shade", "Shaded", "choice", ("light", "strong"), "no", WORDED),
            SettingRow("look.above", "Line above", "choice", RULES, "by kind", WORDED),
            SettingRow("look.below", "Line below", "choice", RULES, "by kind", WORDED),
            SettingRow("look.box", "Boxed", "choice", YES_NO, "no", WORDED),
            SettingRow("look.align", "Figures", "choice", ("left", "right", "centre"), "right", WORDED),
            SettingRow("look.indent", "Indented further by", "choice", "1234", "0", WORDED),
            SettingRow("look.note", "Note", default="none", kinds=WORDED),
            SettingRow("look.break", "Page break", "choice", ("before", "after"), "none", WORDED),
            SettingRow("look.keep", "Keep together", "choice", ("with next",), "no", WORDED),
            SettingRow("rounding", "Rounding", "choice", ("exempt",), "as the statement", VALUED),
        ),
        folded=True,
    ),
    _numbers("look.number", VALUED),
    SettingRows(
        "Only in some columns",
        (
            SettingRow(
                "columns", "Columns by key", default="all", kinds=("line", "calculation", "check"), hint=Of("columns")
            ),
        ),
        folded=True,
    ),
)
"""The settings of a line."""

READING, SERIES, DIFFERENCES = ("figures", "series"), ("series",), ("difference", "percent", "sum")
TIMED, COUNTED, NODES = Of("timed"), Of("counted"), Of("nodes")
CONSOLIDATION = ("before elimination", "eliminations", "after elimination")
HEADING = "Tokens: {scenario} {window} {year} {period.end:Oct 26} {member} …"
AGAIN = "yes: derived again from this column's own lines"
TOGETHER = "with commas between, a series with all its columns"

COLUMN = (
    SettingRows("What it shows", (
        SettingRow("kind", "Kind", "choice", Of("kinds"), do="column-kind"),
        SettingRow("heading", "Heading", default="by its key", hint=HEADING),
        SettingRow("each", "One for each", "choice", Of("each"), kinds=SERIES),
        SettingRow("total", "Heading of its total", default="no total", kinds=SERIES),
        SettingRow("within", "Cut from", "suggest", WINDOWS, Of("within"), SERIES, TIMED),
        SettingRow("totals", "Totals after each", default="none", kinds=SERIES, when=TIMED, hint="quarter, year"),
        SettingRow("none", "Heading of what is none of these", default="left out", kinds=SERIES, when=COUNTED),
    )),
    SettingRows("From where", (
        SettingRow("scenario", "Scenario", "choice", Of("scenarios"), "actual", READING),
        SettingRow("window", "Window of time", "suggest", WINDOWS, "period", READING, Of("windowed")),
        SettingRow("shift", "Shifted by", "suggest", SHIFTS, "not shifted", READING, hint="-1 year: the year before"),
        SettingRow("measure", "Measure", "choice", MEASURES, "activity", READING,
                   hint="closing: what stands at the end"),
        SettingRow("narrow", "Narrowed to", default="everything", kinds=READING, example=Of("example")),
        SettingRow("check", "Columns that together, by key", kinds=CHECK, hint=TOGETHER),
        SettingRow("equals", "must equal the column", kinds=CHECK),
        SettingRow("tolerance", "Tolerance", default="0", kinds=CHECK),
        SettingRow("print", "On the page", "choice", PRINTS, "when it fails", CHECK),
        SettingRow(Of("kind"), "Of columns, by key", kinds=("difference", "percent"), hint="the first less the second"),
        SettingRow("sum", "Of columns, by key", kinds=("sum",), hint="with commas between"),
        SettingRow("base", "Percent of", default="the second", kinds=("percent",)),
        SettingRow("share", "Of column, by key", kinds=("share",)),
        SettingRow("line", "As a part of the line", kinds=("share",)),
        SettingRow("formula", "Formula over columns by key", "area", kinds=("formula",)),
        SettingRow("aggregates", "Totals", "choice", YES_NO, "by kind", (*DIFFERENCES, "formula"), hint=AGAIN),
        SettingRow("text", "Text", "choice", TEXTS, kinds=("text",)),
    )),
    SettingRows("More about what it reads", (
        SettingRow("then", "Then, after the period", "choice", Of("others"), "nothing", READING,
                   hint="a forecast for the periods that are to come"),
        SettingRow("entries", "Entries", "choice", ENTRIES, "posted", READING),
        SettingRow("credits", "Credits", "choice", ("positive", "negative"), "positive", READING),
        SettingRow("node", "Node", "choice", NODES, "that of the page", READING, NODES),
        SettingRow("inside", "Inside of node", "choice", NODES, "all of it", READING, NODES),
        SettingRow("calendar", "Calendar", "choice", ("own", "group"), "as the statement", READING, Of("calendars")),
        SettingRow("part", "Consolidation", "choice", CONSOLIDATION, "before elimination", READING),
        SettingRow("weeks", "Weeks begin", "choice", WEEKDAYS, "with the period", READING),
        SettingRow("by day", "Budgets by day", "choice", ("refuse", "spread"), "refuse", READING),
    ), folded=True, opens=("then", "entries", "credits", "node", "inside", "calendar", "part", "weeks", "by day")),
    SettingRows("How it looks", (
        SettingRow("group", "Headings above, one a row", "area", default="none"),
        SettingRow("hide", "Hide", "choice", COLUMN_HIDING, "never"),
        SettingRow("width", "Width in characters", default="as needed"),
        SettingRow("key", "Key", hint="how other columns name it", required=True),
    ), folded=True),
    _numbers("number"),
)  # fmt: skip
"""The settings of a column or a series."""

SEPARATORS = ("space", "comma", "point", "apostrophe", "none")
STATEMENT = (
    SettingRows("Title", (SettingRow("title", "Title"), SettingRow("subtitle", "Below it", default="nothing"))),
    SettingRows("Figures", (
        SettingRow("figures.unit", "Unit", "choice", UNITS, "units", hint="1 234 500 is 1 234.5 thousands"),
        SettingRow("figures.decimals", "Decimals", "choice", "0123", "2"),
        SettingRow("figures.negative", "Negative", "choice", ("minus", "brackets", "red"), "minus",
                   hint="\u2212120, (120) or \u2212120 in red"),
    )),
    SettingRows("More about figures", (
        SettingRow("figures.zero", "Zero", "choice", ("dash", "0", "blank"), "dash"),
        SettingRow("figures.currency", "Currency", "choice", CURRENCIES, "never",
                   hint="named beside the first figure and on totals"),
        SettingRow("figures.currency as", "Named by", "choice", ("symbol",), "code", hint="EUR or \u20ac"),
        SettingRow("figures.rounding", "Rounding", "choice", ROUNDINGS, "exact"),
        SettingRow("figures.rest", "Takes the differences", "choice", Of("labels"), "largest remainder",
                   when=Of("rounds")),
        SettingRow("figures.grouping", "Thousands", "choice", SEPARATORS, "space"),
        SettingRow("figures.decimal mark", "Decimal mark", "choice", ("point", "comma"), "point"),
        SettingRow("currency", "Currency of the page", "choice", ("group",), "the node's own",
                   hint="group: companies are translated and added up"),
        SettingRow("calendar", "Calendar", "choice", ("own",), "the group's", when=Of("calendars")),
    ), folded=True),
    SettingRows("Totals", (
        SettingRow("figures.totals shaded", "Shaded", "choice", ("light", "strong"), "no"),
        SettingRow("figures.totals ruled", "Ruled", "choice", tuple(RULED), "by kind",
                   hint="all totals that have no look of their own"),
    ), folded=True, opens=("figures.totals shaded", "figures.totals ruled")),
    SettingRows("Paper", (
        SettingRow("depth", "Output shows", "choice", DEPTHS, "figures", hint="with the accounts below each line"),
        SettingRow("page.paper", "Paper", "choice", PAPERS, "A4"),
        SettingRow("page.orientation", "Orientation", "choice", ORIENTATIONS, "by its columns"),
    )),
    SettingRows("More about paper", (
        SettingRow("page.fit", "Fit to", "choice", ("width",), "as it is"),
        SettingRow("page.heads", "Headings", "choice", ("once",), "on every page"),
        SettingRow("page.breaks", "New page", "choice", ("before sections",), "where it is full"),
        SettingRow("page.title", "Title block", "choice", ("left out",), "shown"),
        SettingRow("page.checks", "Checks", "choice", ("left out",), "shown"),
    ), folded=True, opens=("page.fit", "page.heads", "page.breaks", "page.title", "page.checks")),
    SettingRows("Logo", (
        SettingRow("page.logo", "Logo", "choice", Of("pictures"), "none"),
        SettingRow("page.logo place", "Stands", "choice", ("left", "centre"), "right"),
        SettingRow("page.logo height", "Height in mm", default="16", example="5 to 60"),
    ), folded=True, opens=("page.logo",)),
    SettingRows("To explain", (
        SettingRow("explain.beyond", "Beyond", default="nothing", example="100 000 and 5 %"),
        *(SettingRow(f"explain.types.{kind}", f"Of {kind}", default="the same")
          for kind in ("revenue", "expense", "asset", "liability")),
        SettingRow("explain.columns", "In columns, by key", default="all differences", hint=Of("columns")),
        SettingRow("explain.due", "Days after the period", default="no date"),
        SettingRow(Of("owner of node"), Of("by node"), "person", Of("people"), "nobody", when=Of("node")),
    ), folded=True, opens=("explain",)),
    SettingRows("Headers, footers, notes", (
        *(SettingRow(f"page.{edge}.{place}", f"{title} {place}", "tokens", default=Of(f"{edge} {place}"))
          for edge, title in (("header", "Top"), ("footer", "Foot")) for place in PLACES),
        SettingRow("page.notes", "Notes under it, one a row", "area", default="none"),
    ), folded=True),
)  # fmt: skip
"""The settings of the page."""

SPINE = (
    SettingRows("Signs and places", (
        SettingRow("signs", "Signs", "choice", CONVENTIONS, "both positive"),
        SettingRow("totals", "Totals", "choice", ("stepped",), "in the same column"),
        SettingRow("covers", "Accounts it owes a place", default="all of the types it places",
            example="type:revenue, type:expense or nothing"),
    ), folded=True),
)  # fmt: skip
"""The settings that a statement's lines have in common."""

SELECTIONS = ("accounts", "narrow", "covers", "volume")
"""Settings that select; what they mean is told while they are typed."""

# filled in ----------------------------------------------------------------------------------------------------------

Named = Sequence[tuple[str, str]]
"""Names that are stored, with what people read."""


def _written(
    table: Iterable[SettingRows], raw: Raw, kind: str, do: str, around: Mapping[str, Any]
) -> list[SettingGroup]:
    """The fields of a table for what is written, without groups that have none; `around` is what rows leave open, and
    the values of what isn't written as it is shown, under `value of PATH`."""

    def said(value: Any) -> Any:
        return around[value.name] if isinstance(value, Of) else value

    def setting(row: SettingRow) -> Setting:
        path, default = said(row.path), said(row.default)
        value = around[f"value of {path}"] if f"value of {path}" in around else value_of(raw, path)
        named: list[tuple[str, str]] = []
        if row.widget == "person":
            named = [("", default), *said(row.choices)]
            named += [(value, value)] if value not in dict(named) else []
        elif row.widget == "choice" and path == "kind":
            named = [(choice, choice) for choice in said(row.choices)]
        elif row.widget == "choice":
            known = dict.fromkeys([*said(row.choices), value])
            named = [("", default), *((one, IN_WORDS.get(one, one)) for one in known if one)]
        elif row.widget == "suggest":
            named = [(choice, choice) for choice in said(row.choices)]
        chosen = row.widget in ("choice", "person")
        return Setting(
            path, said(row.label), value, "choice" if chosen else row.widget, tuple(named),
            default="" if chosen else default, hint=said(row.hint) or _effect(table, path),
            do=row.do or do, required=row.required, example=said(row.example),
        )  # fmt: skip

    groups = []
    for rows in table:
        fields = [row for row in rows.rows if not row.kinds or kind in row.kinds]
        settings = tuple(setting(row) for row in fields if row.when is None or said(row.when))
        if settings:
            is_open = not rows.folded or any(_is_written(raw, path) for path in rows.opens)
            groups.append(SettingGroup(rows.title, settings, is_open))
    return groups


def _effect(table: Iterable[SettingRows], path: str) -> str:
    """What a setting does, by its path: of numbers without whose they are, a column's own before a line's."""
    own = EFFECTS.get(f"column {path}") if table is COLUMN else None
    return own or EFFECTS.get(path.removeprefix("look."), "")


def _is_written(raw: Raw, path: str) -> bool:
    return bool(value_of(raw, path) if "." in path else raw.get(path))


def line_settings(
    raw: Raw, frame: Frame, column_keys: Sequence[str], default_sign: str, people: Named = ()
) -> list[SettingGroup]:
    """The fields of a line as it is written."""
    kind = line_kind(raw)
    around = {
        "kinds": tuple(lines.NEW), "label": "Text" if kind in ("text", "heading") else "Label",
        "value of kind": kind, "value of label": str(raw.get(kind, "")), "example": example_of(frame),
        "sign": f"by account type ({default_sign})", "expansions": ", ".join((*EXPANSIONS, *frame.dimensions)),
        "expanded": raw.get("expand"), "unexpanded": not raw.get("expand"),
        "tokens": "Sales in {period.end:Oct 26}" if raw.get("periods") else "",
        "periods": raw.get("periods"), "of one time": not raw.get("periods"),
        "scenarios": frame.scenarios, "people": people,
        "columns": ", ".join(column_keys[:12]),
    }  # fmt: skip
    if raw.get("accounts") == NOTHING:
        around["value of accounts"] = ""
    return _written(LINE, raw, kind, "line-change", around)


def example_of(frame: Frame, *, accounts: bool = True) -> str:
    """A narrowing that this ledger could have, for somebody who looks how one is written."""
    heads = [item.code for item in frame.accounts.items if len(frame.accounts.below[item.code]) > 2]
    plain = [item.code for item in frame.accounts.items if item.code not in heads]
    parts = [f"{plain[0]} to {plain[min(3, len(plain) - 1)]}"] if plain and accounts else []
    parts += [f"under:{heads[-1]}"] if heads and accounts else []
    clauses = [", ".join(parts)] if parts else []
    for name, codes in list(frame.dimensions.items())[:1]:
        members = [item.code for item in codes.items if item.code != "-"][:2]
        clauses += [f"{name}: {', '.join(members)}"] if members else []
    return "; ".join(clauses)


def column_settings(raw: Raw, frame: Frame, *, in_series: bool, nodes: Sequence[str]) -> list[SettingGroup]:
    """The fields of a column or a series as it is written."""
    kind = columns.column_kind(raw)
    in_time = kind == "series" and raw["each"] in TIME
    around = {
        "kinds": [name for name in columns.KINDS if not (in_series and name == "series")], "value of kind": kind,
        "value of key": columns.key_of(raw), "kind": kind, "each": (*TIME, "child", "entity", *frame.dimensions),
        "timed": in_time, "counted": not in_time, "windowed": not in_time,
        "within": "period" if raw.get("each") == "week" else "year to date", "scenarios": frame.scenarios,
        "others": [name for name in frame.scenarios if name != "actual"],
        "example": example_of(frame, accounts=False), "nodes": nodes, "calendars": frame.calendars,
        **{f"value of {path}": by_example(value_of(raw, path)) for path in ("heading", "group")},
    }  # fmt: skip
    return _written(COLUMN, raw, kind, "column-change", around)


def statement_settings(
    body: Raw,
    spine: Raw,
    labels: Sequence[str],
    pictures: Sequence[str],
    *,
    calendars: bool,
    columns: Sequence[str] = (),
    node: str = "",
    people: Named = (),
) -> list[SettingGroup]:
    """The fields of the page: title, figures, signs."""
    usual = {} if "footer" in body.get("page", {}) else dict(FOOTER)
    around = {
        "labels": labels, "rounds": value_of(body, "figures.rounding") == ROUNDINGS[1],
        "calendars": calendars or body.get("calendar"), "pictures": pictures, "columns": ", ".join(columns[:12]),
        "node": node, "owner of node": f"explain.owners.{node}", "by node": f"By, for {node}", "people": people,
        **{f"header {place}": "" for place in PLACES}, **{f"footer {place}": usual.get(place, "") for place in PLACES},
    }  # fmt: skip
    return [
        *_written(STATEMENT, body, "statement", "statement-change", around),
        *_written(SPINE, spine, "spine", "spine-change", {}),
    ]
