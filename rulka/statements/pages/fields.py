"""What can be set of a line, a column and a statement, in the order people think of it: what it shows, from where, how
it looks."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from rulka.core.books.frame import MEASURES, Frame
from rulka.core.books.selection import NOTHING
from rulka.core.definitions.keys import slug
from rulka.core.definitions.looks import UNITS
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
RULES = ("none", "single", "double", "thick", "dotted")
YES_NO = ("yes", "no")
COLUMN_HIDING = ("never", "always", "when empty", "when zero")


@dataclass(frozen=True)
class Setting:
    """One field of the panel: `widget` is text, area, tokens, suggest or choice; `default` says what an empty one
    means."""

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
class Group:
    """Fields that belong together; `open` groups are unfolded at first."""

    title: str
    settings: tuple[Setting, ...]
    open: bool = True

    @property
    def paths(self) -> set[str]:
        return {setting.path for setting in self.settings}


class _Writer:
    """Writes the fields of one raw line, column or statement."""

    def __init__(self, raw: Raw, do: str) -> None:
        self.raw, self.do = raw, do

    def text(
        self,
        path: str,
        label: str,
        *,
        default: str = "",
        hint: str = "",
        area: bool = False,
        value: str | None = None,
        example: str = "",
    ) -> Setting:
        given = value_of(self.raw, path) if value is None else value
        return Setting(
            path, label, given, "area" if area else "text", default=default, hint=hint, do=self.do, example=example
        )

    def choice(self, path: str, label: str, choices: Iterable[str], default: str, *, hint: str = "") -> Setting:
        value = value_of(self.raw, path)
        given = list(dict.fromkeys([*choices, *([value] if value else [])]))
        return Setting(
            path,
            label,
            value,
            "choice",
            (("", default), *((choice, choice) for choice in given)),
            hint=hint,
            do=self.do,
        )

    def person(self, path: str, label: str, people: Named, default: str) -> Setting:
        """One of the people, or whoever was put down that is none of them any more."""
        value = value_of(self.raw, path)
        known = [("", default), *people]
        known += [(value, value)] if value not in dict(known) else []
        return Setting(path, label, value, "choice", tuple(known), do=self.do)

    def suggest(self, path: str, label: str, choices: Iterable[str], default: str) -> Setting:
        """A text that may be anything the engine reads, with the usual ones to pick from."""
        return Setting(
            path,
            label,
            value_of(self.raw, path),
            "suggest",
            tuple((choice, choice) for choice in choices),
            default=default,
            do=self.do,
        )

    def number(self, prefix: str = "look.number", *, folded: bool = True) -> Group:
        return Group(
            "Numbers",
            (
                self.choice(
                    f"{prefix}.style", "Written as", ("amount", "percent", "per unit", "quantity"), "as they are"
                ),
                self.choice(f"{prefix}.decimals", "Decimals", "0123456", "as the statement"),
                self.choice(f"{prefix}.unit", "Unit", UNITS, "as the statement"),
                self.choice(f"{prefix}.negative", "Negative", ("minus", "brackets", "red"), "as the statement"),
                self.choice(f"{prefix}.zero", "Zero", ("dash", "0", "blank"), "as the statement"),
                self.choice(f"{prefix}.currency", "Currency", ("never", "first and totals"), "as the statement"),
            ),
            open=not folded,
        )


def kind_setting(kind: str, kinds: Sequence[str], do: str) -> Setting:
    """The choice of what a line or column is."""
    return Setting("kind", "Kind", kind, "choice", tuple((choice, choice) for choice in kinds), do=do)


Named = Sequence[tuple[str, str]]
"""Names that are stored, with what people read."""


def line_settings(
    raw: Raw, frame: Frame, column_keys: Sequence[str], default_sign: str, people: Named = ()
) -> list[Group]:
    """The fields of a line as it is written."""
    kind, write = line_kind(raw), _Writer(raw, "line-change")
    shows = [kind_setting(kind, tuple(lines.NEW), "line-kind")]
    if kind not in UNLABELLED:
        shows.append(
            Setting(
                "label",
                "Label" if kind not in ("text", "heading") else "Text",
                str(raw[kind]),
                do="line-change",
                required=True,
            )
        )
    groups = [Group("What it shows", tuple(shows + _shows(kind, raw, write, frame)))]
    expansions = (*EXPANSIONS, *frame.dimensions)
    if kind == "line":
        groups.append(
            Group(
                "From where",
                (
                    Setting(
                        "sign",
                        "Sign",
                        value_of(raw, "sign"),
                        "choice",
                        (("", f"by account type ({default_sign})"), *((s, s) for s in SIGNS)),
                        do="line-change",
                    ),
                    write.text("expand", "One row for each of", default="one row for all", hint=", ".join(expansions)),
                    write.choice("detail", "Detail for readers", ("closed",), "open"),
                    *(
                        (
                            write.choice("rows", "Its rows stand", ("below",), "in its place"),
                            write.choice("sort", "Rows sorted by", SORTS, "code"),
                            write.text("top", "Only the largest", default="all"),
                            write.text("others", "Label of the others", default="All others"),
                        )
                        if raw.get("expand")
                        else ()
                    ),
                ),
            )
        )
        groups.append(
            Group(
                "Instead of what its column reads",
                (
                    write.choice("measure", "Measure", MEASURES, "as the column"),
                    write.suggest("window", "Window of time", WINDOWS, "as the column"),
                    write.suggest("shift", "Shifted by", SHIFTS, "not shifted"),
                    write.choice("scenario", "Scenario", frame.scenarios, "as the column"),
                    write.choice("entries", "Entries", ENTRIES, "as the column"),
                    write.choice("intercompany", "Intercompany", ("difference",), "no"),
                ),
                open=any(
                    raw.get(name) for name in ("measure", "window", "shift", "scenario", "entries", "intercompany")
                ),
            )
        )
    if kind in ("line", "calculation", "section"):
        groups.append(Group("Variances", tuple(_explains(kind, write, people)), open=bool(raw.get("explain"))))
    if kind not in ("page break",):
        groups.append(Group("How it looks", tuple(_looks(kind, write)), open=False))
    if kind in ("line", "calculation", "section"):
        groups.append(write.number())
    if kind in ("line", "calculation", "check"):
        groups.append(
            Group(
                "Only in some columns",
                (write.text("columns", "Columns by key", default="all", hint=", ".join(column_keys[:12])),),
                open=False,
            )
        )
    return groups


def _explains(kind: str, write: _Writer, people: Named) -> list[Setting]:
    found = [
        write.text("explain", "To explain beyond", default="as the statement", example="100 000 and 5 %, or never"),
        write.person("owner", "Explained by", people, "by node"),
    ]
    if kind == "line":
        found.append(write.text("volume", "Counted by", default="nothing", example="a statistical account, 9030"))
    return found


SELECTIONS = ("accounts", "narrow", "covers", "volume")
"""Settings that select; what they mean is told while they are typed."""


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


def _shows(kind: str, raw: Raw, write: _Writer, frame: Frame) -> list[Setting]:
    if kind == "line":
        accounts = "" if raw.get("accounts") == NOTHING else None
        return [
            write.text("accounts", "Accounts", area=True, default="none yet", value=accounts, example=example_of(frame))
        ]
    if kind == "calculation":
        return [
            write.text(
                "formula", "Formula", area=True, hint='Labels as you read them, those of several words in "quotes"'
            )
        ]
    if kind == "section":
        return [
            write.text("total", "Label of its total", default="no total"),
            write.choice("show", "Its heading", ("total only",), "shown"),
            write.choice("panel", "Half of the page", ("second",), "goes on"),
        ]
    if kind == "check":
        return [
            write.text("holds", "What must be true", area=True, default="says what must agree instead"),
            write.text("agree", "What must agree, one a row", area=True, default="says what must be true instead"),
            write.text("tolerance", "Tolerance", default="0"),
            write.choice("print", "On the page", PRINTS, "when it fails"),
        ]
    return []


def _looks(kind: str, write: _Writer) -> list[Setting]:
    settings = []
    if kind in ("line", "calculation", "section"):
        settings = [
            write.choice("hide", "Hide", HIDING, "by default"),
            write.choice("favourable", "Better when", ("higher", "lower", "neither"), "by account type"),
            write.choice("ruling", "Ruling", ("single", "double"), "by kind"),
        ]
    elif kind in ("heading", "text", "spacer"):
        settings = [write.choice("hide", "Hide", HIDING, "never")]
    if kind == "spacer":
        return settings
    return [
        *settings,
        write.choice("look.bold", "Bold", YES_NO, "by kind"),
        write.choice("look.italic", "Italic", YES_NO, "no"),
        write.choice("look.shade", "Shaded", ("light", "strong"), "no"),
        write.choice("look.above", "Line above", RULES, "by kind"),
        write.choice("look.below", "Line below", RULES, "by kind"),
        write.choice("look.box", "Boxed", YES_NO, "no"),
        write.choice("look.align", "Figures", ("left", "right", "centre"), "right"),
        write.choice("look.indent", "Indented further by", "1234", "0"),
        write.text("look.note", "Note", default="none"),
        write.choice("look.break", "Page break", ("before", "after"), "none"),
        write.choice("look.keep", "Keep together", ("with next",), "no"),
        *(
            (write.choice("rounding", "Rounding", ("exempt",), "as the statement"),)
            if kind in ("line", "calculation", "section")
            else ()
        ),
    ]


def column_settings(raw: Raw, frame: Frame, *, in_series: bool, nodes: Sequence[str]) -> list[Group]:
    """The fields of a column or a series as it is written."""
    kind, write = columns.column_kind(raw), _Writer(raw, "column-change")
    kinds = [name for name in columns.KINDS if not (in_series and name == "series")]
    heading = write.text(
        "heading",
        "Heading",
        default="by its key",
        hint="Tokens: {scenario} {window} {year} {period.end:%b %y} {member} …",
    )
    shows = [kind_setting(kind, kinds, "column-kind"), heading]
    source: list[Setting] = []
    if kind == "series":
        shows += [
            write.choice("each", "One for each", (*TIME, "child", "entity", *frame.dimensions), "", hint=""),
            write.text("total", "Heading of its total", default="no total"),
        ]
        if raw["each"] in TIME:
            shows += [
                write.suggest("within", "Cut from", WINDOWS, "period" if raw["each"] == "week" else "year to date"),
                write.text("totals", "Totals after each", default="none", hint="quarter, year"),
            ]
        else:
            shows.append(write.text("none", "Heading of what is none of these", default="left out"))
    if kind in ("figures", "series"):
        source = _reads(raw, write, frame, nodes, kind)
    elif kind == "check":
        source = [
            write.text(
                "check", "Columns that together, by key", hint="with commas between, a series with all its columns"
            ),
            write.text("equals", "must equal the column"),
            write.text("tolerance", "Tolerance", default="0"),
            write.choice("print", "On the page", PRINTS, "when it fails"),
        ]
    elif kind in ("difference", "percent", "sum"):
        source = [
            write.text(
                kind, "Of columns, by key", hint="the first less the second" if kind != "sum" else "with commas between"
            )
        ]
        source += [write.text("base", "Percent of", default="the second")] if kind == "percent" else []
        source.append(
            write.choice(
                "aggregates", "Totals", YES_NO, "by kind", hint="yes: derived again from this column's own lines"
            )
        )
    elif kind == "share":
        source = [write.text("share", "Of column, by key"), write.text("line", "As a part of the line")]
    elif kind == "formula":
        source = [
            write.text("formula", "Formula over columns by key", area=True),
            write.choice(
                "aggregates", "Totals", YES_NO, "by kind", hint="yes: derived again from this column's own lines"
            ),
        ]
    else:
        source = [write.choice("text", "Text", TEXTS, "")]
    looks = (
        write.text("group", "Headings above, one a row", area=True, default="none"),
        write.choice("hide", "Hide", COLUMN_HIDING, "never"),
        write.text("width", "Width in characters", default="as needed"),
        Setting("key", "Key", columns.key_of(raw), hint="how other columns name it", do="column-change", required=True),
    )
    return [
        Group("What it shows", tuple(shows)),
        Group("From where", tuple(source)),
        Group("How it looks", looks, open=False),
        write.number("number"),
    ]


def _reads(raw: Raw, write: _Writer, frame: Frame, nodes: Sequence[str], kind: str) -> list[Setting]:
    window = (
        []
        if kind == "series" and raw["each"] in TIME
        else [write.suggest("window", "Window of time", WINDOWS, "period")]
    )
    return [
        write.choice("scenario", "Scenario", frame.scenarios, "actual"),
        *window,
        write.suggest("shift", "Shifted by", SHIFTS, "not shifted"),
        write.choice("measure", "Measure", MEASURES, "activity"),
        write.text("narrow", "Narrowed to", default="everything", example=example_of(frame, accounts=False)),
        write.choice(
            "then", "Then, after the period", [name for name in frame.scenarios if name != "actual"], "nothing"
        ),
        write.choice("entries", "Entries", ENTRIES, "posted"),
        write.choice("credits", "Credits", ("positive", "negative"), "positive"),
        *(
            (
                write.choice("node", "Node", nodes, "that of the page"),
                write.choice("inside", "Inside of node", nodes, "all of it"),
            )
            if nodes
            else ()
        ),
        *((write.choice("calendar", "Calendar", ("own", "group"), "as the statement"),) if frame.calendars else ()),
        write.choice(
            "part", "Consolidation", ("before elimination", "eliminations", "after elimination"), "before elimination"
        ),
        write.choice("weeks", "Weeks begin", WEEKDAYS, "with the period"),
        write.choice("by day", "Budgets by day", ("refuse", "spread"), "refuse"),
    ]


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
) -> list[Group]:
    """The fields of the page: title, figures, signs."""
    write, of_spine = _Writer(body, "statement-change"), _Writer(spine, "spine-change")
    return [
        Group("Title", (write.text("title", "Title"), write.text("subtitle", "Below it", default="nothing"))),
        Group(
            "Figures",
            (
                write.choice("figures.unit", "Unit", UNITS, "units"),
                write.choice("figures.decimals", "Decimals", "0123", "2"),
                write.choice("figures.negative", "Negative", ("minus", "brackets", "red"), "minus"),
                write.choice("figures.zero", "Zero", ("dash", "0", "blank"), "dash"),
                write.choice("figures.currency", "Currency", ("never", "first and totals"), "never"),
                write.choice("figures.rounding", "Rounding", ROUNDINGS, "exact"),
                *(
                    (write.choice("figures.rest", "Takes the differences", labels, "largest remainder"),)
                    if _rounds(body)
                    else ()
                ),
                write.choice(
                    "figures.grouping", "Thousands", ("space", "comma", "point", "apostrophe", "none"), "space"
                ),
                write.choice("figures.decimal mark", "Decimal mark", ("point", "comma"), "point"),
                write.choice("currency", "Currency of the page", ("group",), "the node's own"),
                *(
                    (write.choice("calendar", "Calendar", ("own",), "the group's"),)
                    if calendars or body.get("calendar")
                    else ()
                ),
            ),
        ),
        Group(
            "Paper",
            (
                write.choice("depth", "Output shows", DEPTHS, "figures"),
                write.choice("page.paper", "Paper", PAPERS, "A4"),
                write.choice("page.orientation", "Orientation", ORIENTATIONS, "by its columns"),
                write.choice("page.fit", "Fit to", ("width",), "as it is"),
                write.choice("page.heads", "Headings", ("once",), "on every page"),
                write.choice("page.breaks", "New page", ("before sections",), "where it is full"),
                write.choice("page.title", "Title block", ("left out",), "shown"),
                write.choice("page.checks", "Checks", ("left out",), "shown"),
                write.choice("page.logo", "Logo", pictures, "none"),
            ),
        ),
        Group(
            "To explain",
            (
                write.text("explain.beyond", "Beyond", default="nothing", example="100 000 and 5 %"),
                *(
                    write.text(f"explain.types.{kind}", f"Of {kind}", default="the same")
                    for kind in ("revenue", "expense", "asset", "liability")
                ),
                write.text(
                    "explain.columns", "In columns, by key", default="all differences", hint=", ".join(columns[:12])
                ),
                write.text("explain.due", "Days after the period", default="no date"),
                *((write.person(f"explain.owners.{node}", f"By, for {node}", people, "nobody"),) if node else ()),
            ),
            open=bool(body.get("explain")),
        ),
        Group(
            "Headers, footers, notes",
            (
                *(
                    Setting(
                        f"page.{edge}.{place}",
                        f"{title} {place}",
                        value_of(body, f"page.{edge}.{place}"),
                        "tokens",
                        do="statement-change",
                        default=dict(FOOTER)[place]
                        if edge == "footer" and "footer" not in body.get("page", {})
                        else "",
                    )
                    for edge, title in (("header", "Top"), ("footer", "Foot"))
                    for place in PLACES
                ),
                write.text("page.notes", "Notes under it, one a row", area=True, default="none"),
            ),
            open=False,
        ),
        Group(
            "Signs and places",
            (
                of_spine.choice("signs", "Signs", CONVENTIONS, "both positive"),
                of_spine.choice("totals", "Totals", ("stepped",), "in the same column"),
                of_spine.text(
                    "covers",
                    "Accounts it owes a place",
                    default="all of the types it places",
                    example="type:revenue, type:expense or nothing",
                ),
            ),
            open=False,
        ),
    ]


def _rounds(body: dict[str, Any]) -> bool:
    return bool(value_of(body, "figures.rounding") == ROUNDINGS[1])
