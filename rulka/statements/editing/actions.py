"""What a person can do to a statement, by name: what a page sends becomes an edit of the statement's parts."""

from __future__ import annotations

import copy
from collections.abc import Callable, Mapping
from typing import Any

from rulka.core.compute.computed import Computed
from rulka.core.edits import columns, lines
from rulka.core.edits.choosing import (
    check_code,
    read_codes,
    with_accounts,
    with_below,
    with_range,
    without_accounts,
    without_below,
)
from rulka.core.edits.nodes import set_nodes
from rulka.core.edits.pasting import lines_of_text
from rulka.core.edits.settings import set_line, set_value
from rulka.core.edits.tree import Edited, find_line, find_lines, line_kind, quoted
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.proof.placing import suggestions
from rulka.statements.editing.edit import Action, Asked, Parts, freeze_in
from rulka.statements.editing.starting import START_ACTIONS, use_scope

MOST_PASTED = 200_000


def keys(asked: Asked, name: str) -> list[str]:
    """Keys that a page sends in one field, with commas between them."""
    return [key for key in asked.get(name, "").split(",") if key]


def first_key(asked: Asked, name: str) -> str:
    """The one key an action is about."""
    return asked.get("key", "") or next(iter(keys(asked, name)), "")


def path_of(asked: Asked) -> str:
    """The setting that an action is about."""
    path = asked.get("path", "")
    if not path:
        raise NotFound("No setting is named.", hint="Load the page again.", subject="setting")
    return path


# -- lines -----------------------------------------------------------------------------------------


def add_line(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    spine = parts.change("spine")
    chosen = keys(asked, "lines")
    where, at = asked.get("where", "below"), chosen[-1] if chosen else ""
    if (
        at
        and where == "below"
        and line_kind(find_line(spine, at).raw) == "section"
        and asked.get("part", "") != "total"
    ):
        where = "first"
    return lines.insert(spine, at, where, [lines.new_line(spine, asked.get("kind", "line"))])


def set_line_setting(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    return set_line(
        parts.change("spine"), first_key(asked, "lines"), path_of(asked), asked.get("value", ""), parts.beside()
    )


def set_lines_setting(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    """One setting of all chosen lines."""
    spine, chosen = parts.change("spine"), keys(asked, "lines")
    done = [set_line(spine, key, path_of(asked), asked.get("value", "")) for key in chosen]
    told = [edited.told for edited in done if edited.told]
    return Edited(f"{len(told)} lines: {told[0].partition(': ')[2]}" if told else "", tuple(chosen))


def paste_lines(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    """Rows of a spreadsheet, or lines copied here, below the chosen line."""
    text = asked.get("text", "")
    if len(text) > MOST_PASTED:
        raise RulkaError("That is too much text.", hint="Paste fewer rows.", subject="paste")
    spine, chosen = parts.change("spine"), keys(asked, "lines")
    notes: tuple[str, ...] = ()
    if (
        parts.clipboard and parts.clipboard.get("raws") and parts.clipboard["text"].split() == text.split()
    ):  # what was copied here comes back in full
        raws = copy.deepcopy(parts.clipboard["raws"])
    else:
        read = lines_of_text(text, parts.view.frame.accounts)
        raws, notes = read.raws, read.notes
    edited = lines.insert(spine, chosen[-1] if chosen else "", "below", lines.copies_of(spine, raws))
    return Edited(f"{edited.told}{'. ' + '; '.join(notes[:3]) if notes else ''}", edited.chosen)


def freeze(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    key = first_key(asked, "lines")
    return Edited(freeze_in(parts.change("spine"), key, now()), (key,))


def choose_accounts(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    """More or fewer accounts for a line: single ones, a range, all below a head, or a pasted column of codes."""
    spine, key = parts.change("spine"), first_key(asked, "lines")
    accounts = parts.view.frame.accounts
    text, note = str(find_line(spine, key).raw.get("accounts", "")), ""
    how, code = asked.get("how", "add"), asked.get("code", "")
    if how == "paste":
        read = read_codes(asked.get("text", "")[:MOST_PASTED], accounts)
        if not read.codes:
            raise RulkaError(
                f"None of it is an account: {quoted(read.unknown) or 'there is nothing in it'}.",
                hint="Paste a column of codes.",
                subject="codes",
            )
        text = with_accounts(text, read.codes, accounts)
        note = f", {read.twice} came twice" if read.twice else ""
        note += f". Not in this ledger: {quoted(read.unknown, 12)}" if read.unknown else ""
        what = f"{len(read.codes)} accounts{note}"
    else:
        check_code(code, accounts)
        what = code
        if how == "range":
            text = with_range(text, check_code(asked.get("from", ""), accounts), code, accounts)
            what = f"{min(asked.get('from', ''), code)} to {max(asked.get('from', ''), code)}"
        elif how == "below":
            text = with_below(text, code, accounts)
            what = f"all below {code}"
        elif how == "not-below":
            text = without_below(text, code, accounts)
        elif how == "drop":
            text = without_accounts(text, [code], accounts)
        else:
            text = with_accounts(text, [code], accounts)
    edited = set_line(spine, key, "accounts", text)
    sign = "without" if how in ("drop", "not-below") else "with"
    return Edited(f"{find_line(spine, key).label} {sign} {what}" if edited.told or note else "", edited.chosen)


def place_account(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    """An account without a place put into the line it most likely belongs to, or into the one chosen; without a code
    the first."""
    open_ones = suggestions(now())
    code = asked.get("code", "")
    if not open_ones:
        raise RulkaError("Every account has its place.", code="placed")
    suggestion = next((found for found in open_ones if found.code == code), None if code else open_ones[0])
    if suggestion is None:
        raise NotFound(
            f"Account '{code}' has a place, or was not booked.",
            hint=one_of(code, [found.code for found in open_ones]),
            subject="account",
        )
    key = asked.get("key", "") or suggestion.line
    if not key:
        raise RulkaError(
            f"No line is near to {suggestion.code} {suggestion.name}.",
            hint="Choose a line and add it there.",
            subject="account",
        )
    spine = parts.change("spine")
    spot = find_line(spine, key)
    text = with_accounts(str(spot.raw.get("accounts", "")), [suggestion.code], parts.view.frame.accounts)
    set_line(spine, key, "accounts", text)
    return Edited(f"{suggestion.code} {suggestion.name} placed in {spot.label}", (key,))


# -- columns ---------------------------------------------------------------------------------------


def add_column(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    span, chosen = parts.change("span"), keys(asked, "columns")
    at = chosen[-1] if chosen else ""
    raw = columns.new_column(span, asked.get("kind", "figures"), at)
    _name_share(raw, now)
    return columns.insert(span, at, "above" if asked.get("where") == "above" else "below", raw)


def _name_share(raw: Mapping[str, Any], now: Callable[[], Computed]) -> None:
    """A share begins as a part of the first total."""
    if "share" in raw and not raw["line"]:
        computed = now()
        named = [row for row in computed.rows if row.kind in ("total", "calculation")] or [
            row for row in computed.rows if row.kind == "line"
        ]
        if not named:
            raise RulkaError("There is no line to be a part of.", hint="Add one first.", subject="column")
        raw["line"] = named[0].label  # type: ignore[index]


def change_column_kind(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    span, key = parts.change("span"), first_key(asked, "columns")
    edited = columns.change_kind(span, key, asked.get("value", ""))
    _name_share(columns.find_column(span, key).raw, now)
    return edited


def set_column_setting(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    return columns.set_column(parts.change("span"), first_key(asked, "columns"), path_of(asked), asked.get("value", ""))


def paste_columns(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    """Columns that were copied here, right of the chosen one."""
    raws = (parts.clipboard or {}).get("columns")
    if not raws:
        raise RulkaError(
            "No column was copied.", hint="Choose columns by their headings and copy them first.", subject="paste"
        )
    chosen = keys(asked, "columns")
    return columns.paste(parts.change("span"), chosen[-1] if chosen else "", raws)


def add_to_series(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    """A column inside of a series, made for each of its pieces."""
    span = parts.change("span")
    place = columns.find_column(span, first_key(asked, "columns"))
    series = place.series or place.raw
    if "series" not in series:
        raise RulkaError("It is no series.", subject="column")
    inner = series.setdefault("columns", [])
    if not inner:
        inner.append({"column": columns.free_key(span, "actual"), "heading": "{scenario}"})
        return Edited("a column in each piece of the series", (columns.key_of(inner[0]),))
    raw = columns.new_column({"columns": inner}, asked.get("kind", "figures"), place.key if place.series else "")
    raw["column"] = columns.free_key(span, columns.key_of(raw))
    _name_share(raw, now)
    inner.append(raw)
    return Edited(f"column {raw['column']} added to the series", (raw["column"],))


# -- the whole -------------------------------------------------------------------------------------


def set_statement(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    path = path_of(asked)
    if path in ("statement", "spine", "span", "scope", "begun"):
        raise RulkaError(
            f"'{path}' isn't changed like this.", hint="Name the statement, or start it anew.", subject="setting"
        )
    told = set_value(parts.change("statement"), path, asked.get("value", ""))
    return Edited(f"statement: {told}" if told else "")


def set_spine(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    path = path_of(asked)
    if path not in ("title", "signs", "covers", "totals"):
        raise NotFound(f"'{path}' is no setting of a spine.", subject="spine")
    told = set_value(parts.change("spine"), path, asked.get("value", ""))
    return Edited(f"lines: {told}" if told else "")


def own_part(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    """Make a part that others use this statement's own."""
    kind = asked.get("part", "")
    body = parts.change(kind)
    body["title"] = f"{body.get('title', body[kind])}, own copy"
    return Edited(f"{kind} made this statement's own")


def chosen_lines(parts: Parts, asked: Asked) -> tuple[dict[str, Any], list[str]]:
    return parts.change("spine"), keys(asked, "lines")


ACTIONS: dict[str, Action] = {
    "line-add": add_line,
    "line-change": set_line_setting,
    "lines-change": set_lines_setting,
    "line-kind": lambda parts, asked, now: lines.change_kind(
        parts.change("spine"), first_key(asked, "lines"), asked.get("value", "")
    ),
    "line-duplicate": lambda parts, asked, now: lines.duplicate(*chosen_lines(parts, asked)),
    "line-delete": lambda parts, asked, now: lines.remove(*chosen_lines(parts, asked)),
    "line-move": lambda parts, asked, now: lines.move(*chosen_lines(parts, asked), asked.get("way", "")),
    "line-drop": lambda parts, asked, now: lines.move_to(
        *chosen_lines(parts, asked), asked.get("at", ""), asked.get("where", "below")
    ),
    "line-enclose": lambda parts, asked, now: lines.enclose(*chosen_lines(parts, asked)),
    "line-dissolve": lambda parts, asked, now: lines.dissolve(parts.change("spine"), first_key(asked, "lines")),
    "line-merge": lambda parts, asked, now: lines.merge(*chosen_lines(parts, asked), parts.view.frame.accounts),
    "line-paste": paste_lines,
    "line-freeze": freeze,
    "accounts": choose_accounts,
    "place": place_account,
    "column-add": add_column,
    "column-change": set_column_setting,
    "column-kind": change_column_kind,
    "column-duplicate": lambda parts, asked, now: columns.duplicate(parts.change("span"), keys(asked, "columns")),
    "column-delete": lambda parts, asked, now: columns.remove(parts.change("span"), keys(asked, "columns")),
    "column-move": lambda parts, asked, now: columns.move(
        parts.change("span"), keys(asked, "columns"), asked.get("way", "")
    ),
    "column-drop": lambda parts, asked, now: columns.move_to(
        parts.change("span"), keys(asked, "columns"), asked.get("at", ""), asked.get("where", "")
    ),
    "column-over": lambda parts, asked, now: columns.set_heading_over(
        parts.change("span"), keys(asked, "columns"), asked.get("value", "")
    ),
    "column-paste": paste_columns,
    "series-add": add_to_series,
    "statement-change": set_statement,
    "spine-change": set_spine,
    "own-part": own_part,
    "scope-use": lambda parts, asked, now: use_scope(parts, asked.get("value", ""), now),
    "scope-nodes": lambda parts, asked, now: set_nodes(
        parts.change("scope"), asked.get("value", ""), parts.definitions["scope"].title
    ),
    **START_ACTIONS,
}


def find_action(name: str) -> Action:
    """An action by its name."""
    if name not in ACTIONS:
        raise NotFound(f"There is no way to do '{name}'.", hint=one_of(name, ACTIONS), subject="edit")
    return ACTIONS[name]


def copied(spine: dict[str, Any], chosen: list[str]) -> list[dict[str, Any]]:
    """The raw lines behind some keys, for the clipboard."""
    return [copy.deepcopy(spot.raw) for spot in find_lines(spine, chosen)]


def copied_columns(span: dict[str, Any], chosen: list[str]) -> list[dict[str, Any]]:
    """The raw columns behind some keys, for the clipboard."""
    return [copy.deepcopy(place.raw) for place in columns.find_columns(span, chosen)]
